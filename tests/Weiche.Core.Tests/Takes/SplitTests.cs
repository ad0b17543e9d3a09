using CsCheck;
using Weiche.Core.Midi;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;
using Weiche.Core.Takes;

namespace Weiche.Core.Tests.Takes;

public sealed class SplitTests
{
    [Fact]
    public void Split_by_anything_every_message_is_in_one_track_at_its_time()
    {
        Gen.Select(Played.AnyTake, Gen.Enum<SplitBy>())
            .Sample(
                (drawn, by) =>
                {
                    var take = drawn with
                    {
                        Lineups = [new TakeLineup(MidiSpan.Zero, "1 Dusk"), new TakeLineup(new MidiSpan(9_000_000), "2 Dawn")],
                    };
                    var after = Split.Apply(take, by, []);
                    Assert.Equal(
                        take.Events.Select(each => (each.At, Convert.ToHexString(each.Bytes))),
                        after.Events.Select(each => (each.At, Convert.ToHexString(each.Bytes)))
                    );
                    Assert.All(after.Events, each => Assert.InRange(each.Track, 0, after.Tracks.Length - 1));
                    foreach (var track in after.Events.GroupBy(each => each.Track))
                    {
                        if (by == SplitBy.Channel)
                            Assert.Single(track.Select(each => each.Message.HasChannel ? each.Message.ChannelIndex : -1).Distinct());
                        if (by == SplitBy.Key)
                            Assert.True(
                                track
                                    .Where(each => each.Message.IsNoteOn || each.Message.IsNoteOff)
                                    .Select(each => each.Message.Data1)
                                    .Distinct()
                                    .Count() <= 1
                            );
                    }
                },
                iter: 400
            );
    }

    [Fact]
    public void Pads_are_named_by_their_device_and_other_keys_by_themselves()
    {
        var studio = Studio.Empty("s").Must(new AddDevice("Kies, pads, channel 10"));
        var pads = studio.Devices[0];
        studio = studio.Must(new SetKeyNames(pads.Id, "36 = low drum\nD1: snare\n\n 42 , closed hat"));
        var take = new Take
        {
            Tracks = [new TakeTrack("Kies", pads.FirstPort(PortDirection.Source), "Kies")],
            Events =
            [
                .. new[] { 36, 38, 42, 49 }.Select(
                    (key, index) => new TakeEvent(new MidiSpan(index), 0, MidiMessage.FromBytes(0x99, key, 80))
                ),
            ],
        };
        Assert.Equal(
            ["low drum", "snare", "closed hat", "C#2"],
            Split.PartsOf(take, SplitBy.Key).Select(part => Split.NameOf(take, SplitBy.Key, part, studio))
        );
        Assert.Equal(["ch 10"], Split.PartsOf(take, SplitBy.Channel).Select(part => Split.NameOf(take, SplitBy.Channel, part, studio)));
    }

    [Theory]
    [InlineData("x = drum", "Line 1: “x” is no key.")]
    [InlineData("36 = a\n36 = b", "Line 2: key 36 has a name already.")]
    [InlineData("128 = a", "Line 1: “128” is no key.")]
    [InlineData("36 =", "Line 1:")]
    public void A_list_of_keys_that_is_none_is_refused_with_its_line(string list, string problem)
    {
        var studio = Studio.Empty("s").Must(new AddDevice("Kies, pads, channel 10"));
        Assert.StartsWith(problem, new SetKeyNames(studio.Devices[0].Id, list).Apply(studio).Problem!.Sentence, StringComparison.Ordinal);
    }
}
