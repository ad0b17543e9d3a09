using CsCheck;
using Weiche.Core.Midi;
using Weiche.Core.Studios;
using Weiche.Ports;
using Weiche.Ports.Carrying;

namespace Weiche.Core.Tests.Ports;

/// <summary>What is handed from one thread to another without either waiting.</summary>
public class RingTests
{
    [Fact]
    public void What_is_written_is_read_in_order_whatever_the_pieces_and_no_more_than_there_is_room_for() =>
        Gen.Select(Gen.Int[0, 70_000], Gen.Int[1, 70_000], Gen.Bool)
            .List[1, 20]
            .Sample(steps =>
            {
                var ring = new ByteRing();
                var (written, read) = (0L, 0L);
                foreach (var (size, most, reads) in steps)
                {
                    var bytes = Enumerable.Range(0, size).Select(i => (byte)((written + i) * 7)).ToArray();
                    var taken = ring.Write(bytes);
                    Assert.Equal(Math.Min(size, ByteRing.Capacity - (int)(written - read)), taken);
                    written += taken;
                    Assert.Equal(written - read, ring.Count);
                    if (!reads)
                        continue;
                    var next = ring.Peek(most);
                    Assert.True(next.Length <= most && (next.Length > 0 || ring.Count == 0));
                    for (var i = 0; i < next.Length; i++)
                        Assert.Equal((byte)((read + i) * 7), next[i]);
                    ring.Advance(next.Length);
                    read += next.Length;
                }
            });

    [Fact]
    public void Two_threads_hand_over_every_byte()
    {
        const int Bytes = 3_000_000;
        var ring = new ByteRing();
        var writer = new Thread(() =>
        {
            var piece = new byte[777];
            for (var at = 0; at < Bytes;)
            {
                for (var i = 0; i < piece.Length; i++)
                    piece[i] = (byte)((at + i) % 251);
                var taken = ring.Write(piece.AsSpan(0, Math.Min(piece.Length, Bytes - at)));
                at += taken;
                if (taken == 0)
                    Thread.Yield();
            }
        });
        writer.Start();
        var (read, wrong) = (0, 0);
        while (read < Bytes)
        {
            var next = ring.Peek(1_000);
            foreach (var each in next)
                wrong += each == (byte)(read++ % 251) ? 0 : 1;
            ring.Advance(next.Length);
            if (next.Length == 0)
                Thread.Yield();
        }
        writer.Join();
        Assert.Equal(0, wrong);
    }

    [Fact]
    public void Who_reads_answers_too_late_misses_the_oldest_and_gets_the_others_whole_and_in_order()
    {
        var answers = new Answers();
        Assert.Empty(answers.ReadNew());
        answers.Write(new PortId(1), [1, 2, 3], new MidiTime(10));
        var (source, body, time) = Assert.Single(answers.ReadNew());
        Assert.Equal((new PortId(1), "010203", new MidiTime(10)), (source, Convert.ToHexString(body), time));
        Assert.Empty(answers.ReadNew());
        for (var i = 0; i < 300; i++)
            answers.Write(new PortId(i), [(byte)i, (byte)(i >> 8)], new MidiTime(i));
        var late = answers.ReadNew();
        Assert.Equal(Enumerable.Range(300 - 256, 256), late.Select(each => each.Source.Value));
        Assert.All(late, each => Assert.Equal(each.Source.Value, each.Body[0] | each.Body[1] << 8));
    }
}
