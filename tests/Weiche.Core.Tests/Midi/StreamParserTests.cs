using CsCheck;
using Weiche.Core.Midi;

namespace Weiche.Core.Tests.Midi;

public class StreamParserTests
{
    [Fact]
    public void A_status_stays_in_force_for_the_data_that_follows()
    {
        Assert.Equal(["903C60", "904060", "903C00"], Collected.Parse(0x90, 0x3C, 0x60, 0x40, 0x60, 0x3C, 0x00));
        Assert.Equal(["C005", "C006"], Collected.Parse(0xC0, 5, 6));
    }

    [Fact]
    public void Real_time_bytes_may_stand_inside_any_message_and_change_nothing_else()
    {
        Assert.Equal(["F8", "FE", "903C60", "F8", "904060"], Collected.Parse(0x90, 0xF8, 0x3C, 0xFE, 0x60, 0xF8, 0x40, 0x60));
        Assert.Equal(["FA", "F8", "F07D0102F7"], Collected.Parse(0xF0, 0x7D, 0xFA, 1, 0xF8, 2, 0xF7));
    }

    [Fact]
    public void A_status_byte_cuts_a_message_short_and_what_there_was_is_counted()
    {
        Assert.Equal(["804040"], Collected.Parse([0x90, 0x3C, 0x80, 0x40, 0x40], out var counts));
        Assert.Equal(1, counts.CutMessages);
        Assert.Equal(1, counts.ThrownBytes);
    }

    [Fact]
    public void A_system_exclusive_that_another_status_cuts_is_thrown_away_and_counted()
    {
        Assert.Equal(["903C60"], Collected.Parse([0xF0, 0x7D, 1, 2, 0x90, 0x3C, 0x60], out var counts));
        Assert.Equal(1, counts.CutMessages);
        Assert.Equal(4, counts.ThrownBytes);
    }

    [Fact]
    public void A_system_exclusive_may_begin_inside_another_and_the_second_is_kept() =>
        Assert.Equal(["F002F7"], Collected.Parse(0xF0, 1, 0xF0, 2, 0xF7));

    [Theory]
    [InlineData(0xF4)]
    [InlineData(0xF5)]
    [InlineData(0xF7)]
    public void A_lone_end_of_exclusive_and_undefined_common_bytes_end_running_status(byte status)
    {
        Assert.Equal(["903C60", "904040"], Collected.Parse([0x90, 0x3C, 0x60, status, 0x40, 0x60, 0x90, 0x40, 0x40], out var counts));
        Assert.Equal(3, counts.ThrownBytes);
    }

    [Theory]
    [InlineData(0xF9)]
    [InlineData(0xFD)]
    public void Undefined_real_time_bytes_are_thrown_away_and_change_nothing_else(byte status)
    {
        Assert.Equal(["903C60", "904060"], Collected.Parse([0x90, 0x3C, status, 0x60, 0x40, status, 0x60], out var counts));
        Assert.Equal(2, counts.ThrownBytes);
    }

    [Fact]
    public void System_common_ends_running_status_and_serves_one_message_only()
    {
        Assert.Equal(["903C60", "F20102"], Collected.Parse([0x90, 0x3C, 0x60, 0xF2, 1, 2, 3, 4], out var counts));
        Assert.Equal(2, counts.ThrownBytes);
        Assert.Equal(["F6"], Collected.Parse(0xF6, 1, 2));
        Assert.Equal(["F305", "F107"], Collected.Parse(0xF3, 5, 0xF1, 7));
    }

    [Fact]
    public void Data_without_a_status_is_thrown_away_and_counted()
    {
        Assert.Empty(Collected.Parse([1, 2, 3], out var counts));
        Assert.Equal(3, counts.ThrownBytes);
    }

    [Fact]
    public void The_two_forms_of_note_off_are_kept_apart()
    {
        Assert.Equal(["803C21", "903C00"], Collected.Parse(0x80, 0x3C, 0x21, 0x90, 0x3C, 0x00));
    }

    [Fact]
    public void A_system_exclusive_beyond_the_bound_is_refused_whole_and_the_stream_goes_on()
    {
        var pool = new SysExPool(maxMessageLength: 1000, maxTotalLength: 4000);
        var parser = new StreamParser(pool);
        var sink = new Collected(pool);
        parser.Parse([0xF0], ref sink);
        for (var i = 0; i < 100_000; i++)
            parser.Parse(new byte[100], ref sink);
        parser.Parse([0xF7, 0x90, 0x3C, 0x60], ref sink);
        Assert.Equal(["903C60"], sink.Texts);
        Assert.Equal(1, parser.Counts.RefusedExclusives);
        Assert.True(pool.TotalLength <= 4000);
        Assert.Equal(0, pool.Count);
    }

    [Fact]
    public void A_broken_off_stream_leaves_nothing_behind()
    {
        var pool = new SysExPool();
        var parser = new StreamParser(pool);
        var sink = new Collected(pool);
        parser.Parse([0x90, 0x3C, 0x60, 0xF0, 1, 2], ref sink);
        Assert.True(parser.IsInsideMessage);
        parser.Reset();
        Assert.False(parser.IsInsideMessage);
        Assert.Equal(0, pool.Count);
        parser.Parse([0x40, 0x60, 0xF7], ref sink);
        Assert.Equal(["903C60"], sink.Texts);
    }

    [Fact]
    public void What_was_written_is_read_again_for_every_split_of_the_bytes()
    {
        var gen = Gens.Message.Array[0, 30].SelectMany(messages => Gen.Select(Gen.Const(messages), Gen.Bool, Gens.Cuts(400)));
        gen.Sample(
            (messages, running, cuts) =>
            {
                var pool = new SysExPool();
                var writer = new MessageWriter(pool, running);
                var bytes = new List<byte>();
                var expected = new List<string>();
                var buffer = new byte[2000];
                foreach (var (brief, data) in messages)
                {
                    var message = data is null ? brief : pool.Add(data);
                    expected.Add(Collected.Full(message, pool));
                    var measured = writer.Measure(message);
                    Assert.True(writer.TryWrite(message, buffer, out var written));
                    Assert.Equal(measured, written);
                    bytes.AddRange(buffer.AsSpan(0, written));
                    pool.Release(message);
                }
                var parser = new StreamParser(pool);
                var sink = new Collected(pool);
                Feed(parser, [.. bytes], cuts, ref sink);
                Assert.Equal(expected, sink.Texts);
                Assert.Equal(0, parser.Counts.ThrownBytes);
                Assert.Equal(bytes.Count, parser.Counts.Bytes);
                Assert.Equal(0, pool.Count);
            },
            iter: 5_000
        );
    }

    [Fact]
    public void Any_bytes_in_any_pieces_give_what_an_independent_reading_of_the_standard_gives()
    {
        Gen.Select(Gens.Bytes, Gens.Cuts(80))
            .Sample(
                (bytes, cuts) =>
                {
                    var pool = new SysExPool();
                    var parser = new StreamParser(pool);
                    var sink = new Collected(pool);
                    Feed(parser, bytes, cuts, ref sink);
                    var (messages, thrown) = PlainReading(bytes);
                    Assert.Equal(messages, sink.Texts);
                    parser.Reset();
                    Assert.Equal(thrown, parser.Counts.ThrownBytes);
                    Assert.Equal(0, pool.Count);
                },
                iter: 20_000
            );
    }

    [Fact]
    public void Reading_and_writing_allocate_nothing()
    {
        var pool = new SysExPool();
        var parser = new StreamParser(pool);
        var sink = new Rewriting(new MessageWriter(pool), new byte[4096]);
        byte[] bytes = [0x90, 60, 100, 62, 100, 0xF8, 0xB0, 7, 100, 0xF0, 1, 2, 3, 4, 5, 0xF7, 0xE0, 0, 64, 0x80, 60, 64];
        Assert.Equal(
            0,
            Allocations.Of(() =>
            {
                for (var i = 0; i < 10_000; i++)
                    parser.Parse(bytes, ref sink);
            })
        );
    }

    private static void Feed(StreamParser parser, byte[] bytes, int[] cuts, ref Collected sink)
    {
        var start = 0;
        foreach (var cut in cuts.Where(cut => cut < bytes.Length).Append(bytes.Length))
        {
            parser.Parse(bytes.AsSpan(start, cut - start), ref sink);
            start = cut;
        }
    }

    /// <summary>
    /// The rules once more, written from the back: first real-time bytes are lifted out, then the rest is cut into
    /// runs that each begin with a status byte.
    /// </summary>
    private static (List<string> Messages, long Thrown) PlainReading(byte[] bytes)
    {
        var found = new List<(int End, string Text)>();
        long thrown = 0;
        var rest = new List<(int At, byte Value)>();
        for (var i = 0; i < bytes.Length; i++)
        {
            if (bytes[i] < 0xF8)
                rest.Add((i, bytes[i]));
            else if (bytes[i] is 0xF9 or 0xFD)
                thrown++;
            else
                found.Add((i, $"{bytes[i]:X2}"));
        }
        var at = rest.FindIndex(item => item.Value >= 0x80);
        if (at < 0)
            at = rest.Count;
        thrown += at;
        while (at < rest.Count)
        {
            var status = rest[at].Value;
            var end = rest.FindIndex(at + 1, item => item.Value >= 0x80);
            if (end < 0)
                end = rest.Count;
            var data = rest[(at + 1)..end];
            if (status == 0xF0)
            {
                if (end < rest.Count && rest[end].Value == 0xF7)
                {
                    found.Add((rest[end].At, "F0" + Hex(data) + "F7"));
                    end++;
                    var next = rest.FindIndex(end, item => item.Value >= 0x80);
                    if (next < 0)
                        next = rest.Count;
                    thrown += next - end;
                    end = next;
                }
                else
                {
                    thrown += data.Count + 1;
                }
            }
            else
            {
                var length = status switch
                {
                    < 0xC0 => 2,
                    < 0xE0 => 1,
                    < 0xF0 => 2,
                    0xF1 or 0xF3 => 1,
                    0xF2 => 2,
                    0xF6 => 0,
                    _ => -1,
                };
                if (length <= 0)
                {
                    if (length == 0)
                        found.Add((rest[at].At, "F6"));
                    else
                        thrown++;
                    thrown += data.Count;
                }
                else if (status >= 0xF0)
                {
                    if (data.Count >= length)
                    {
                        found.Add((data[length - 1].At, $"{status:X2}{Hex(data[..length])}"));
                        thrown += data.Count - length;
                    }
                    else
                    {
                        thrown += data.Count + 1;
                    }
                }
                else
                {
                    for (var i = 0; i + length <= data.Count; i += length)
                        found.Add((data[i + length - 1].At, $"{status:X2}{Hex(data[i..(i + length)])}"));
                    thrown += data.Count % length;
                }
            }
            at = end;
        }
        return (found.OrderBy(item => item.End).Select(item => item.Text).ToList(), thrown);

        static string Hex(List<(int At, byte Value)> items) => Convert.ToHexString([.. items.Select(item => item.Value)]);
    }

    private readonly struct Rewriting(MessageWriter writer, byte[] buffer) : IMessageSink
    {
        public void Accept(in MidiMessage message) => writer.TryWrite(message, buffer, out _);
    }
}
