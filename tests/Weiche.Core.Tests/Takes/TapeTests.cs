using CsCheck;
using Weiche.Core.Midi;
using Weiche.Core.Takes;

namespace Weiche.Core.Tests.Takes;

public sealed class TapeTests
{
    [Fact]
    public void What_is_written_on_a_page_is_read_from_it()
    {
        Played.AnyTake.Sample(
            take =>
            {
                var begin = new MidiTime(1_700_000_000_000_000);
                var page = new TapePage(begin);
                for (var i = 0; i < 4; i++)
                    page.Name(i * 40, 7 + i, i == 3, take.Tracks[i].Name);
                foreach (var each in take.Events)
                    page.Write(begin + each.At, each.Track * 40, each.Message, each.Exclusive);
                var reader = new TapeTake(begin, begin + new MidiSpan(20_000_001));
                TapePage.Read(page.Bytes, reader);
                var read = reader.Make();
                Assert.Equal(
                    take.Events.Select(each => (each.At, take.Tracks[each.Track].Name, Convert.ToHexString(each.Bytes))),
                    read.Events.Select(each => (each.At, read.Tracks[each.Track].From, Convert.ToHexString(each.Bytes)))
                );
                Assert.Equal(take.Events.Length, page.Count);
                Assert.All(read.Tracks, track => Assert.Equal(track.Port!.Value.Value == 10, track.WentOut));
            },
            iter: 500
        );
    }

    [Fact]
    public void A_message_takes_at_most_twelve_bytes_at_ten_thousand_a_second_and_at_ten()
    {
        foreach (var spacing in new[] { 100, 100_000 })
        {
            var page = new TapePage(new MidiTime(1_700_000_000_000_000));
            page.Name(0, 1, false, "Amsel 61");
            for (var i = 0; i < 1_000; i++)
                page.Write(page.Begin + new MidiSpan((long)i * spacing), 0, MidiMessage.FromBytes(0x90, 60, 80));
            Assert.InRange(page.Length / 1_000.0, 1, 12);
        }
    }

    [Fact]
    public void Bytes_that_are_no_page_are_refused_and_never_more_than_they_have()
    {
        var page = new TapePage(new MidiTime(5));
        page.Name(0, 1, false, "Amsel 61");
        page.WriteLineup(new MidiTime(6), "1 Dusk");
        for (var i = 0; i < 20; i++)
            page.Write(new MidiTime(10 + i), 0, MidiMessage.FromBytes(0x90, 60, 80));
        page.Write(new TapeBeat(new MidiTime(3), -24, 4, 4));
        var whole = page.Bytes.ToArray();
        Gen.OneOf(
                Gen.Byte.Array[0, 80],
                Gen.Select(Gen.Int[0, whole.Length - 1], Gen.Byte)
                    .Array[1, 4]
                    .Select(changes =>
                    {
                        var bytes = whole.ToArray();
                        foreach (var (at, value) in changes)
                            bytes[at] = value;
                        return bytes;
                    }),
                Gen.Int[0, whole.Length].Select(length => whole[..length])
            )
            .Sample(
                bytes =>
                {
                    var reader = new TapeTake(MidiTime.Zero, MidiTime.Never);
                    try
                    {
                        TapePage.Read(bytes, reader);
                    }
                    catch (TapeException exception)
                    {
                        Assert.StartsWith("byte ", exception.Message, StringComparison.Ordinal);
                    }
                    Assert.True(reader.Make().Events.Length <= bytes.Length);
                },
                iter: 20_000
            );
    }

    [Fact]
    public void Bars_lie_where_the_clock_had_them_whenever_the_take_begins()
    {
        Gen.Select(Gen.Int[200_000, 3_000_000], Gen.Int[0, 30_000_000], Gen.Int[1, 7])
            .Sample(
                (quarter, from, beats) =>
                {
                    var page = new TapePage(MidiTime.Zero);
                    page.Name(0, 1, false, "Amsel 61");
                    // A clock that starts at nothing, told once a beat, an hour at most.
                    for (var pulse = 0; pulse < 4_000; pulse += 24)
                        page.Write(new TapeBeat(new MidiTime((long)(pulse / 24.0 * quarter)), pulse, beats, 4));
                    page.Write(new MidiTime(from + 5), 0, MidiMessage.FromBytes(0x90, 60, 80));
                    var begin = new MidiTime(from);
                    var reader = new TapeTake(begin, begin + new MidiSpan(60_000_000));
                    TapePage.Read(page.Bytes, reader);
                    var tempo = reader.Make(new MidiSpan(20_000_000)).Tempo;
                    if ((begin + new MidiSpan(20_000_000)).Microseconds > 160L * quarter)
                        return;
                    foreach (var (at, number) in tempo.BarLines(new MidiSpan(1), new MidiSpan(20_000_000)))
                    {
                        var bar = (begin + at).Microseconds / ((double)quarter * beats);
                        Assert.InRange(Math.Abs(bar - Math.Round(bar)) * quarter * beats, 0, 200);
                        Assert.Equal(Math.Round(bar) + 1, number);
                    }
                },
                iter: 500
            );
    }
}
