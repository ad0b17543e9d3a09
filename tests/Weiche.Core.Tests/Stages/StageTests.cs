using CsCheck;
using Weiche.Core.Midi;
using Weiche.Core.Sets;
using Weiche.Core.Stages;
using static Weiche.Core.Tests.Rooms;

namespace Weiche.Core.Tests.Stages;

public class StageTests
{
    [Theory]
    [InlineData("omni", "1–16")]
    [InlineData("1 to 4", "1–4")]
    [InlineData("1 2 3", "1–3")]
    [InlineData("2, 10 and 11", "2, 10, 11")]
    [InlineData("all but 10", "1–9, 11–16")]
    [InlineData("not 1-8 and 10", "9, 11–16")]
    public void Channels_are_listed_as_one_would_say_it(string typed, string channels)
    {
        Assert.True(ChannelMap.TryParseList(typed, out var read, out var problem), problem);
        Assert.Equal(channels, read.ToString());
    }

    [Theory]
    [InlineData("all", "all")]
    [InlineData("none", "none")]
    [InlineData("1", "1")]
    [InlineData("1-4, 10", "1–4, 10")]
    [InlineData("1 > 3", "1→3")]
    [InlineData("2->5+6", "2→5+6")]
    [InlineData("1–2→10", "1→10, 2→10")]
    [InlineData("3→3", "3")]
    public void A_channel_map_is_read_as_a_person_types_it(string typed, string map)
    {
        Assert.True(ChannelMap.TryParse(typed, out var read, out var problem), problem);
        Assert.Equal(map, read.ToString());
    }

    [Theory]
    [InlineData("", "Write which channels pass")]
    [InlineData("17", "There is no channel 17")]
    [InlineData("0", "There is no channel 0")]
    [InlineData("1→20", "There is no channel 20")]
    [InlineData("8-5", "upside down: write 5-8")]
    [InlineData("one", "“one” is not a channel")]
    [InlineData("1→2→3", "is not a channel")]
    [InlineData("1,,2", "is not a channel")]
    [InlineData("-1", "is not a channel")]
    [InlineData("99999999999", "is not a channel")]
    public void A_channel_map_that_cannot_be_read_is_explained(string typed, string reason)
    {
        Assert.False(ChannelMap.TryParse(typed, out _, out var problem));
        Assert.Contains(reason, problem, StringComparison.Ordinal);
    }

    [Fact]
    public void Every_channel_map_can_be_read_from_what_it_writes()
    {
        Gen.Select(Gen.Int[1, 16], Gen.UShort)
            .Array[0, 20]
            .Sample(
                sets =>
                {
                    var map = sets.Aggregate(ChannelMap.Identity, (each, set) => each.With(Ch(set.Item1), ChannelSet.FromBits(set.Item2)));
                    Assert.True(ChannelMap.TryParse(map.ToString(), out var read, out var problem), problem);
                    Assert.Equal(map, read);
                },
                iter: 2_000
            );
    }

    [Fact]
    public void Stages_say_on_their_sign_what_they_do()
    {
        Assert.Equal("no clock", new KindsStage(KindSet.All.With(MessageKind.Clock, false)).Sign(KeyNaming.Usual));
        Assert.Equal("notes", new KindsStage(KindSet.Of(MessageKind.Note)).Sign(KeyNaming.Usual));
        Assert.Equal("notes, bend", new KindsStage(KindSet.Of(MessageKind.Note, MessageKind.PitchBend)).Sign(KeyNaming.Usual));
        Assert.Equal("nothing", new KindsStage(KindSet.None).Sign(KeyNaming.Usual));
        Assert.Equal("all kinds", new KindsStage(KindSet.All).Sign(KeyNaming.Usual));
        Assert.Equal("ch 1 → 3", Channels("1→3").Sign(KeyNaming.Usual));
        Assert.Equal("ch 1, 2", Channels("1,2").Sign(KeyNaming.Usual));
        Assert.Equal("all channels", Channels("all").Sign(KeyNaming.Usual));
        Assert.Equal("no channel", Channels("none").Sign(KeyNaming.Usual));
        Assert.Equal("16 ch → 10", Channels("1-16→10").Sign(KeyNaming.Usual));
        Assert.Equal("8 of 16 ch", Channels("1,3,5,7,9,11,13,15").Sign(KeyNaming.Usual));
    }

    [Fact]
    public void Stages_say_why_they_stop_a_message()
    {
        var note = MidiMessage.NoteOn(Ch(2), 60, 1);
        Assert.Equal("only pitch bend", new KindsStage(KindSet.Of(MessageKind.PitchBend)).WhyStopped(note, KeyNaming.Usual));
        Assert.Equal("no notes", new KindsStage(KindSet.All.With(MessageKind.Note, false)).WhyStopped(note, KeyNaming.Usual));
        Assert.Equal("channel 2 does not pass", Channels("1").WhyStopped(note, KeyNaming.Usual));
    }

    private static ChannelsStage Channels(string typed)
    {
        Assert.True(ChannelMap.TryParse(typed, out var map, out _));
        return new ChannelsStage(map);
    }
}
