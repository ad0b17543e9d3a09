using CsCheck;
using Weiche.Core.Midi;
using Weiche.Core.Sets;
using Weiche.Core.Stages;

namespace Weiche.Core.Tests.Stages;

/// <summary>A stage's rule on a message, its rule on a set, its pre-image and its compiled form agree on every message.</summary>
public class SetRuleTests
{
    private static readonly IReadOnlyList<MidiMessage> Everything = [.. AllMessages()];

    public static TheoryData<string> StageNames => [.. StageSorts.All.Select(sort => sort.Name)];

    [Theory]
    [MemberData(nameof(StageNames))]
    public void The_image_of_everything_is_what_the_rule_makes_of_every_message(string name)
    {
        GenOf(name)
            .Sample(
                stage =>
                {
                    var seen = new bool[1 << 22];
                    var image = stage.Image(MessageSet.All);
                    var count = 0L;
                    Span<MidiMessage> results = stackalloc MidiMessage[Stage.MaxFanOut];
                    foreach (var message in Everything)
                    {
                        foreach (var result in results[..stage.Apply(message, results)])
                        {
                            ref var known = ref seen[result.Status << 14 | result.Data1 << 7 | result.Data2];
                            if (known)
                                continue;
                            known = true;
                            count++;
                            if (!image.Contains(result))
                                Assert.Fail($"{MessageText.Hex(result)} is missing after {stage}");
                        }
                    }
                    Assert.Equal(count, image.Count);
                },
                iter: 4,
                threads: 1
            );
    }

    [Theory]
    [MemberData(nameof(StageNames))]
    public void The_pre_image_of_much_is_every_message_that_the_rule_leads_there(string name)
    {
        // What another stage makes of all that is on a few channels: ranges of keys, all but some values.
        Gen.Select(GenOf(name), Gen.OneOf([.. StageNames.Select(each => GenOf(each.Data))]), Gen.UShort, Gen.UShort)
            .Sample(
                (stage, other, half, otherHalf) =>
                {
                    var some = Channel
                        .All.Where(channel => (half & otherHalf & 1 << channel.Index) != 0)
                        .Aggregate(ChannelMap.Nothing, (map, channel) => map.With(channel, ChannelSet.Of(channel.Number)));
                    var goal = other.Image(new ChannelsStage(some).Image(MessageSet.All));
                    var pre = stage.PreImage(goal);
                    Span<MidiMessage> results = stackalloc MidiMessage[Stage.MaxFanOut];
                    foreach (var message in Everything)
                    {
                        var leads = false;
                        foreach (var result in results[..stage.Apply(message, results)])
                            leads |= goal.Contains(result);
                        if (leads != pre.Contains(message))
                            Assert.Fail(
                                $"{MessageText.Hex(message)} {(leads ? "is led by" : "is not led by")} {stage} to what {other} lets through"
                            );
                    }
                },
                iter: 6,
                threads: 1
            );
    }

    [Theory]
    [MemberData(nameof(StageNames))]
    public void What_is_on_channels_stays_there_and_nothing_else_comes_to_be_there(string name) =>
        GenOf(name)
            .Sample(
                stage =>
                    MessageSet.OnChannels.HasAllOf(stage.Image(MessageSet.OnChannels))
                    && !stage.Image(MessageSet.All.Except(MessageSet.OnChannels)).Overlaps(MessageSet.OnChannels),
                iter: 300,
                threads: 1
            );

    [Theory]
    [MemberData(nameof(StageNames))]
    public void The_sets_agree_with_the_rule_on_every_single_message(string name)
    {
        Gen.Select(GenOf(name), SomeMessages, SomeMessages)
            .Sample(
                (stage, few, others) =>
                {
                    Span<MidiMessage> results = stackalloc MidiMessage[Stage.MaxFanOut];
                    var set = Set(few);
                    var goal = Set(others);
                    var image = MessageSet.Empty;
                    var pre = stage.PreImage(goal);
                    foreach (var message in few)
                    {
                        var count = stage.Apply(message, results);
                        var one = Set([.. results[..count]]);
                        Assert.Equal(one, stage.Image(MessageSet.Of(message)));
                        image = image.Union(one);
                        Assert.Equal(!one.Intersect(goal).IsEmpty, pre.Contains(message));
                        Assert.True(count == 0 || stage.PreImage(one).Contains(message));
                    }
                    // What a stage does to a set is the union of what it does to the members.
                    Assert.Equal(image, stage.Image(set));
                    Assert.Equal(stage.Image(set).Union(stage.Image(goal)), stage.Image(set.Union(goal)));
                },
                iter: 1_000
            );
    }

    [Theory]
    [MemberData(nameof(StageNames))]
    public void The_compiled_form_does_what_the_rule_says(string name)
    {
        GenOf(name)
            .Sample(
                stage =>
                {
                    var compiled = stage.Compile();
                    // What looks at time has time enough: no control moves more often than it may.
                    var now = MidiTime.Zero;
                    Span<MidiMessage> results = stackalloc MidiMessage[Stage.MaxFanOut];
                    Span<MidiMessage> fast = stackalloc MidiMessage[Stage.MaxFanOut];
                    foreach (var message in Everything)
                    {
                        var count = stage.Apply(message, results);
                        // What becomes of keys in time is in the tests of patterns.
                        if (compiled.MakesNotes && message.IsNote)
                            continue;
                        var made = compiled.Apply(message, now += MidiSpan.Second, 0, fast);
                        // What it keeps for later comes before the next one is played.
                        while (compiled.NextDue is var due && due != MidiTime.Never)
                        {
                            now = MidiTime.Later(now, due);
                            if (!compiled.TryLetGo(now, out _, out fast[made]))
                                break;
                            made++;
                        }
                        if (!results[..count].SequenceEqual(fast[..made]))
                            Assert.Fail($"{MessageText.Hex(message)} is run otherwise than ruled by {stage}");
                    }
                },
                iter: 4,
                threads: 1
            );
    }

    [Fact]
    public void Sets_are_united_cut_and_told_apart_message_by_message()
    {
        Gen.Select(SomeMessages, SomeMessages)
            .Sample(
                (one, other) =>
                {
                    var (a, b) = (Set(one), Set(other));
                    foreach (var message in one.Concat(other))
                    {
                        Assert.Equal(a.Contains(message) || b.Contains(message), a.Union(b).Contains(message));
                        Assert.Equal(a.Contains(message) && b.Contains(message), a.Intersect(b).Contains(message));
                        Assert.Equal(a.Contains(message) && !b.Contains(message), a.Except(b).Contains(message));
                    }
                    Assert.Equal(one.Distinct().Count(), a.Count);
                    Assert.Equal(a.Count + b.Count, a.Union(b).Count + a.Intersect(b).Count);
                    Assert.Equal(a, a.Union(MessageSet.Empty));
                    Assert.Equal(a, a.Intersect(MessageSet.All));
                    Assert.True(a.Except(a).IsEmpty && MessageSet.Empty.IsEmpty);
                },
                iter: 2_000
            );
        Assert.Equal(Everything.Count, MessageSet.All.Count);
    }

    /// <summary>Messages of a kind a set knows: no note-offs, no data where it does not count.</summary>
    internal static readonly Gen<MidiMessage[]> SomeMessages = Gen.Select(Gen.Int[0, 30], Gen.Int[0, 15], Gen.Int[0, 127], Gen.Int[0, 127])
        .Select((sort, channel, data1, data2) => Message(sort, channel, data1, data2))
        .Array[0, 12];

    private static MidiMessage Message(int sort, int channel, int data1, int data2) =>
        sort switch
        {
            < 8 => MidiMessage.FromBytes(0x90 | channel, data1, Math.Max(1, data2)),
            < 11 => MidiMessage.FromBytes(0xA0 | channel, data1, data2),
            < 18 => MidiMessage.FromBytes(0xB0 | channel, data1, data2),
            < 21 => MidiMessage.FromBytes(0xC0 | channel, data1),
            < 24 => MidiMessage.FromBytes(0xD0 | channel, data1),
            < 28 => MidiMessage.FromBytes(0xE0 | channel, data1, data2),
            28 => MidiMessage.Clock,
            29 => MidiMessage.FromBytes(0xF6),
            _ => MidiMessage.FromBytes(0xFA),
        };

    internal static MessageSet Set(params IEnumerable<MidiMessage> messages)
    {
        var builder = new MessageSet.Builder();
        foreach (var message in messages)
            builder.Add(message);
        return builder.ToSet();
    }

    internal static Gen<Stage> GenOf(string name) => AnyStage.BySort[name];

    private static IEnumerable<MidiMessage> AllMessages()
    {
        foreach (var status in (int[])[0x90, 0xA0, 0xB0, 0xE0])
        {
            for (var channel = 0; channel < 16; channel++)
            {
                for (var data1 = 0; data1 < 128; data1++)
                {
                    for (var data2 = status == 0x90 ? 1 : 0; data2 < 128; data2++)
                        yield return MidiMessage.FromBytes(status | channel, data1, data2);
                }
            }
        }
        foreach (var status in (int[])[0xC0, 0xD0])
        {
            for (var channel = 0; channel < 16; channel++)
            {
                for (var data = 0; data < 128; data++)
                    yield return MidiMessage.FromBytes(status | channel, data);
            }
        }
        foreach (var status in (int[])[0xF1, 0xF2, 0xF3, 0xF6, 0xF8, 0xFA, 0xFB, 0xFC, 0xFE, 0xFF])
            yield return MidiMessage.FromBytes(status);
        yield return new SysExPool().Add([]);
    }
}
