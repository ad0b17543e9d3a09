using CsCheck;
using Weiche.Core.Checks;
using Weiche.Core.Layout;
using Weiche.Core.Midi;
using Weiche.Core.Sets;
using Weiche.Core.Stages;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;
using Weiche.Core.Tests.Stages;
using Weiche.Files;
using static Weiche.Core.Tests.Rooms;

namespace Weiche.Core.Tests.Checks;

/// <summary>The pieces that the checks are made of, each against a plain reading.</summary>
public class CountedWaysTests
{
    private static readonly Gen<MidiMessage> Any = Gen.OneOf(
        Gen.Select(Gen.Int[1, 16], Gen.Int[0, 127], Gen.Int[1, 127])
            .Select((channel, key, velocity) => MidiMessage.NoteOn(Ch(channel), key, velocity)),
        Gen.Select(Gen.Int[0, 15], Gen.Int[0, 127], Gen.Int[0, 127])
            .Select((channel, key, value) => MidiMessage.Raw(0xA0 | channel, key, value)),
        Gen.Select(Gen.Int[0, 15], Gen.Int[0, 127]).Select((channel, program) => MidiMessage.Raw(0xC0 | channel, program, 0)),
        Gen.Select(Gen.Int[1, 16], Gen.Int[0, 119], Gen.Int[0, 127])
            .Select((channel, number, value) => MidiMessage.ControlChange(Ch(channel), number, value))
    );

    [Fact]
    public void A_message_has_two_ways_on_exactly_where_two_of_what_becomes_of_it_have_one_or_one_has_two()
    {
        var (two, fewer) = (0, 0);
        Gen.Select(Gen.OneOf(AnyStage.Any, AnyStage.Channels, AnyStage.Chord), Any.Array[1, 40], Any.Array[1, 10], Any)
            .Sample(
                (stage, once, twice, message) =>
                {
                    // What comes out of the stage for some messages is more likely to be met again than anything at all.
                    var made = new MidiMessage[Stage.MaxFanOut];
                    var count = stage.Apply(message, made);
                    var both = SetOf([.. twice, .. made.Take(count / 3)]);
                    var any = SetOf([.. once, .. made.Take(count)]).Union(both);
                    var ways = 0;
                    for (var i = 0; i < count; i++)
                        ways +=
                            both.Contains(made[i]) ? 2
                            : any.Contains(made[i]) ? 1
                            : 0;
                    Assert.Equal(ways >= 2, stage.PreImageTwice(any, both).Contains(message));
                    if (ways >= 2)
                        Interlocked.Increment(ref two);
                    else
                        Interlocked.Increment(ref fewer);
                },
                iter: 10_000
            );
        Assert.True(two > 500 && fewer > 500, $"{two} with two ways, {fewer} with fewer");
    }

    [Fact]
    public void The_shape_of_a_way_says_which_keys_and_channels_two_ways_have_in_common()
    {
        var shaping = Gen.OneOf(
            AnyStage.Channels,
            AnyStage.Keys,
            AnyStage.Chord,
            Gen.Int[-30, 30].Select(by => (Stage)new TransposeStage(by)),
            AnyStage.Any
        );
        Gen.Select(shaping.Array[0, 3], shaping.Array[0, 3], Gen.Int[0, 127], Gen.Int[1, 16])
            .Sample(
                (one, other, key, channel) =>
                {
                    var (first, second) = (WayShape.Of(one), WayShape.Of(other));
                    var note = MidiMessage.NoteOn(Ch(channel), key, 64);
                    var ends = (Run(one, note), Run(other, note));
                    var keys = ends.Item1.Select(message => message.Data1).Intersect(ends.Item2.Select(message => message.Data1)).Any();
                    var channels = ends
                        .Item1.Select(message => message.ChannelIndex)
                        .Intersect(ends.Item2.Select(message => message.ChannelIndex))
                        .Any();
                    // Where nothing arrives, channels may meet that no key reaches.
                    if (ends.Item1.Count > 0 && ends.Item2.Count > 0)
                    {
                        Assert.Equal(keys, (first.KeysInCommon(second) >> key & 1) != 0);
                        Assert.Equal(channels, (first.ChannelsInCommon(second) >> (channel - 1) & 1) != 0);
                    }
                    var doubled = ends.Item1.GroupBy(message => (message.ChannelIndex, message.Data1)).Any(group => group.Count() > 1);
                    if (doubled)
                        Assert.True((first.KeysTwice >> key & 1) != 0 || (first.ChannelsTwice >> (channel - 1) & 1) != 0);
                },
                iter: 5_000
            );
    }

    [Fact]
    public void A_stage_that_says_that_it_renumbers_nothing_does_not()
    {
        var made = new MidiMessage[Stage.MaxFanOut];
        Gen.Select(AnyStage.Any, Any)
            .Sample(
                (stage, message) =>
                {
                    if (stage.Renumbers || message.Kind is MessageKind.Note or MessageKind.PolyPressure)
                        return;
                    var results = made[..stage.Apply(message, made)];
                    Assert.All(results, result => Assert.Equal((message.Kind, message.Data1), (result.Kind, result.Data1)));
                },
                iter: 5_000,
                threads: 1
            );
    }

    [Fact]
    public void Components_are_the_places_that_lead_to_one_another_and_come_after_what_leads_to_them()
    {
        Gen.Select(Gen.Int[1, 12], Gen.Select(Gen.Int[0, 11], Gen.Int[0, 11]).Array[0, 30])
            .Sample(
                (count, edges) =>
                {
                    var steps = edges
                        .Where(edge => edge.Item1 < count && edge.Item2 < count)
                        .Select(edge => new Step(edge.Item1, edge.Item2, null, null, [], MessageSet.Empty))
                        .ToArray();
                    var outOf = Enumerable.Range(0, count).Select(place => steps.Where(step => step.From == place).ToArray()).ToArray();
                    var (of, all) = Component.Find(count, outOf);
                    var leads = Enumerable.Range(0, count).Select(start => Reached(outOf, start)).ToList();
                    for (var one = 0; one < count; one++)
                    {
                        for (var other = 0; other < count; other++)
                            Assert.Equal(one == other || (leads[one].Contains(other) && leads[other].Contains(one)), of[one] == of[other]);
                        Assert.Equal(leads[one].Contains(one), all[of[one]].IsClosed);
                        Assert.Contains(one, all[of[one]].Places);
                    }
                    Assert.All(steps, step => Assert.True(of[step.From] <= of[step.To]));
                },
                iter: 3_000
            );
    }

    [Fact]
    public void A_ring_has_room_for_its_places_and_goes_round_clockwise()
    {
        for (var count = 1; count <= 8; count++)
        {
            var ring = RingLayout.Of(count);
            Assert.Equal((count, count, count, count), (ring.Boxes.Length, ring.Labels.Length, ring.Arcs.Length, ring.Arrows.Length));
            for (var one = 0; one < count; one++)
            {
                var box = ring.Boxes[one];
                Assert.True(
                    box.X >= 0 && box.Y >= 0 && box.X + box.Width <= ring.Width && box.Y + box.Height <= ring.Height,
                    $"place {one} of {count} is cut"
                );
                for (var other = one + 1; other < count; other++)
                {
                    var next = ring.Boxes[other];
                    Assert.False(
                        box.X < next.X + next.Width
                            && next.X < box.X + box.Width
                            && box.Y < next.Y + next.Height
                            && next.Y < box.Y + box.Height,
                        $"places {one} and {other} of {count} lie on one another"
                    );
                }
            }
            if (count > 2)
                Assert.True(ring.Boxes[1].X > ring.Boxes[0].X, "the second place is to the right of the first");
        }
    }

    [Fact]
    public void How_a_studio_guards_itself_is_set_kept_and_bounded()
    {
        var studio = Of("a");
        Assert.Equal(Safety.Usual, studio.Safety);
        Assert.DoesNotContain("safety", StudioJson.Write(studio), StringComparison.Ordinal);
        var set = studio.Must(new SetSafety(new Safety(false, 7)));
        Assert.Equal(new Safety(false, 7), StudioJson.Read(StudioJson.Write(set)).Safety);
        Assert.Equal(set.Safety, set.Must(new RenameStudio("other")).Safety);
        Assert.Equal("A route that opens a circuit does not wait", new SetSafety(new Safety(false, 4)).Title(studio));
        Assert.Equal("The guard is off", new SetSafety(new Safety(true, 0)).Title(studio));
        foreach (var rounds in new[] { -1, 1, 65 })
        {
            Assert.Contains(
                $"{rounds} is not possible",
                studio.Refused(new SetSafety(new Safety(true, rounds))).Sentence,
                StringComparison.Ordinal
            );
            var text = StudioJson.Write(set).Replace("\"rounds\": 7", $"\"rounds\": {rounds}", StringComparison.Ordinal);
            Assert.Contains(
                "is not possible",
                Assert.Throws<StudioFormatException>(() => StudioJson.Read(text)).Message,
                StringComparison.Ordinal
            );
        }
    }

    [Fact]
    public void Sets_are_put_into_words_that_a_musician_uses()
    {
        var channel3 = MessageSet.OnChannels.Intersect(MessageSet.Of(ChannelSet.Of(3), KindSet.All));
        Assert.Equal("everything on channel 3", SetWords.Of(channel3, KeyNaming.Usual));
        Assert.Equal("ch 3, all keys", SetWords.Which(channel3, MessageKind.Note, KeyNaming.Usual));
        Assert.Equal("ch 3, C3 – G8", SetWords.Which(new KeysStage(60, 127).Image(channel3), MessageKind.Note, KeyNaming.Usual));
        Assert.Equal("", SetWords.Which(MessageSet.All, MessageKind.Clock, KeyNaming.Usual));
        Assert.Equal("everything", SetWords.Names(KindSet.All));
        Assert.Equal("notes and controllers", SetWords.Names(KindSet.Of(MessageKind.Note, MessageKind.ControlChange)));
        Assert.Equal("notes and 6 other kinds", SetWords.Names(channel3.KindsIn()));
        Assert.Equal(MidiMessage.NoteOn(Ch(3), 60, 96), channel3.Usual());
        Assert.Equal(ChannelSet.Of(3), channel3.ChannelsIn());
    }

    private static HashSet<int> Reached(Step[][] outOf, int start)
    {
        var reached = new HashSet<int>();
        var next = new Queue<int>([start]);
        while (next.TryDequeue(out var place))
        {
            foreach (var step in outOf[place])
            {
                if (reached.Add(step.To))
                    next.Enqueue(step.To);
            }
        }
        return reached;
    }

    private static List<MidiMessage> Run(Stage[] stages, MidiMessage message) => [.. Stage.Run([.. stages], [message], out _, out _)];

    private static MessageSet SetOf(IEnumerable<MidiMessage> messages) =>
        messages.Aggregate(MessageSet.Empty, (set, message) => set.Union(MessageSet.Of(message)));
}
