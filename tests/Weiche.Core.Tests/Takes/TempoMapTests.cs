using CsCheck;
using Weiche.Core.Midi;
using Weiche.Core.Takes;

namespace Weiche.Core.Tests.Takes;

public sealed class TempoMapTests
{
    private static readonly Gen<TempoMap> AnyMap = Gen.Select(
            Gen.Select(Gen.Int[0, 60_000_000], Gen.Int[20_000, 3_000_000]).Array[0, 8],
            Gen.Select(Gen.Int[0, 60_000_000], Gen.Int[1, 12]).Array[0, 4]
        )
        .Select(
            (tempos, bars) =>
                new TempoMap(
                    tempos.Select(each => new TempoPoint(new MidiSpan(each.Item1), each.Item2)),
                    bars.OrderBy(each => each.Item1)
                        .Select((each, index) => new BarPoint(new MidiSpan(each.Item1), 100_000 * (index + 1), each.Item2, 4))
                )
        );

    [Fact]
    public void Quarters_and_times_lead_back_to_each_other_and_go_up_together()
    {
        Gen.Select(AnyMap, Gen.Int[0, 90_000_000], Gen.Int[0, 90_000_000])
            .Sample(
                (map, one, other) =>
                {
                    Assert.Equal(one, map.TimeAt(map.QuartersAt(new MidiSpan(one))).Microseconds);
                    Assert.Equal(one.CompareTo(other), map.QuartersAt(new MidiSpan(one)).CompareTo(map.QuartersAt(new MidiSpan(other))));
                },
                iter: 5_000
            );
    }

    [Fact]
    public void On_a_bar_line_a_bar_begins()
    {
        AnyMap.Sample(
            map =>
            {
                foreach (var (at, number) in map.BarLines(MidiSpan.Zero, new MidiSpan(70_000_000)).Take(50))
                {
                    var place = map.PlaceAt(at);
                    Assert.Equal((number, 1), (place.Bar, place.Beat));
                    Assert.Equal(at, map.BarAt(number));
                }
            },
            iter: 1_000
        );
    }

    [Fact]
    public void Seen_from_later_on_it_is_the_same()
    {
        Gen.Select(AnyMap, Gen.Int[0, 60_000_000])
            .Sample(
                (map, from) =>
                {
                    var later = map.From(new MidiSpan(from));
                    var lines = map.BarLines(new MidiSpan(from + 1), new MidiSpan(70_000_000))
                        .Select(line => (line.At.Microseconds - from, line.Number));
                    var seen = later
                        .BarLines(new MidiSpan(1), new MidiSpan(70_000_000 - from))
                        .Select(line => (line.At.Microseconds, line.Number))
                        .ToList();
                    Assert.All(lines.Zip(seen), pair =>
                    {
                        Assert.InRange(Math.Abs(pair.First.Item1 - pair.Second.Microseconds), 0, 300);
                        Assert.Equal(pair.First.Number, pair.Second.Number);
                    });
                },
                iter: 1_000
            );
    }
}
