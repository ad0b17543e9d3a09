using CsCheck;
using Weiche.Core.Midi;
using Weiche.Core.Sets;
using Weiche.Core.Stages;
using Weiche.Core.Tests.Stages;

namespace Weiche.Core.Tests.Sets;

/// <summary>What is in either, in both, in one but not the other, and whether anything is in both: message by message.</summary>
public class MessageSetTests
{
    private static readonly Gen<MessageSet> Sets = Gen.Select(
            Gen.OneOf([.. StageSorts.All.Select(sort => SetRuleTests.GenOf(sort.Name))]),
            Gen.UShort,
            Gen.Int[0, 3],
            SetRuleTests.SomeMessages
        )
        .Select(
            (stage, channels, sort, few) =>
                sort switch
                {
                    0 => SetRuleTests.Set(few),
                    1 => MessageSet.Of(Channels(channels), KindSet.Of(MessageKind.Note, MessageKind.Clock)),
                    2 => stage.Image(MessageSet.Of(Channels(channels), KindSet.All)),
                    _ => stage.PreImage(
                        stage.Image(
                            MessageSet.Of(
                                Channels(channels),
                                KindSet.Of(MessageKind.Note, MessageKind.ControlChange, MessageKind.ProgramChange)
                            )
                        )
                    ),
                }
        );

    private static ChannelSet Channels(ushort bits) =>
        Channel
            .All.Where(channel => (bits & 1 << channel.Index) != 0)
            .Aggregate(ChannelSet.None, (set, channel) => set.With(channel, true));

    [Fact]
    public void Sets_are_joined_message_by_message() =>
        Gen.Select(Sets, Sets, SetRuleTests.SomeMessages)
            .Sample(
                (one, other, asked) =>
                {
                    var (union, both, except) = (one.Union(other), one.Intersect(other), one.Except(other));
                    Assert.Equal(!both.IsEmpty, one.Overlaps(other));
                    Assert.Equal(one.Count + other.Count, union.Count + both.Count);
                    Assert.Equal(one.Count, both.Count + except.Count);
                    foreach (var message in asked)
                    {
                        var (inOne, inOther) = (one.Contains(message), other.Contains(message));
                        Assert.Equal(
                            (inOne || inOther, inOne && inOther, inOne && !inOther),
                            (union.Contains(message), both.Contains(message), except.Contains(message))
                        );
                    }
                    Assert.Equal(union, other.Union(one));
                    Assert.Equal(both, other.Intersect(one));
                },
                iter: 3000
            );

    [Fact]
    public void What_comes_out_like_one_of_the_two_is_that_one() =>
        Gen.Select(Sets, Sets)
            .Where((one, other) => !one.IsEmpty && !other.IsEmpty)
            .Sample(
                (one, other) =>
                {
                    var union = one.Union(other);
                    Assert.Same(union, union.Union(one));
                    Assert.Same(one, one.Intersect(union));
                    var rest = one.Except(other);
                    Assert.Same(rest, rest.Except(other));
                },
                iter: 1000
            );
}
