using System.Diagnostics;
using Weiche.Bridge.Sequencer;

namespace Weiche.Core.Tests.Ports;

/// <summary>The short cut into the sequencer: the events that it makes, by the system's own library, and another process's file.</summary>
public sealed unsafe class ShortCutTests
{
    [Fact]
    public void Each_short_message_becomes_the_event_that_the_library_makes_of_it()
    {
        Assert.True(LibAsound.TryLoad(), "The sequencer's library is not there.");
        Assert.True(LibAsound.NewCoder(16, out var coder) >= 0);
        var (messages, made) = (0, new byte[28]);
        var bytes = stackalloc byte[3];
        for (var status = 0x80; status <= 0xFF; status++)
        {
            // What begins an exclusive, ends one, or is no message.
            if (status is 0xF0 or 0xF4 or 0xF5 or 0xF7 or 0xF9 or 0xFD)
            {
                Assert.False(ShortCut.TryMake(made, (byte)status, 0, 0));
                continue;
            }
            var (first, second) = status switch
            {
                < 0xC0 or (>= 0xE0 and < 0xF0) or 0xF2 => (128, 128),
                < 0xE0 or 0xF1 or 0xF3 => (128, 1),
                _ => (1, 1),
            };
            for (var data1 = 0; data1 < first; data1++)
            {
                for (var data2 = 0; data2 < second; data2 += 9)
                {
                    LibAsound.Event expected = default;
                    (bytes[0], bytes[1], bytes[2]) = ((byte)status, (byte)data1, (byte)data2);
                    var length = 1 + (first > 1 ? 1 : 0) + (second > 1 ? 1 : 0);
                    Assert.Equal(length, LibAsound.Encode(coder, bytes, length, ref expected));
                    Array.Clear(made);
                    Assert.True(ShortCut.TryMake(made, (byte)status, (byte)data1, (byte)data2));
                    Assert.Equal(expected.Type, made[0]);
                    Assert.Equal(new ReadOnlySpan<byte>(expected.Data, 12), made.AsSpan(16));
                    messages++;
                }
            }
        }
        Assert.True(messages > 100_000, $"Only {messages} were tried.");
    }

    [Fact]
    public void What_is_sent_gets_into_the_file_that_another_process_has_open()
    {
        using var other = Process.Start(new ProcessStartInfo("sleep", "60") { RedirectStandardOutput = true })!;
        try
        {
            using var shortCut = ShortCut.TryTake(other.Id, 1);
            Assert.SkipWhen(shortCut is null, "This system does not let a process have another's files.");
            Assert.Equal(ShortCut.Outcome.Sent, shortCut!.Send(7, 0x92, 60, 90));
            Assert.Equal(ShortCut.Outcome.NotThisWay, shortCut.Send(7, 0xF0, 1, 2));
            var came = new byte[28];
            other.StandardOutput.BaseStream.ReadExactly(came);
            // A note on, at once, from port 7 to all who hear it.
            Assert.Equal([6, 0, 0, 253, 0, 0, 0, 0, 0, 0, 0, 0, 0, 7, 254, 253, 2, 60, 90, 0, 0, 0, 0, 0, 0, 0, 0, 0], came);
            shortCut.Dispose();
            Assert.Equal(ShortCut.Outcome.NotThisWay, shortCut.Send(7, 0x92, 60, 90));
        }
        finally
        {
            other.Kill();
        }
    }

    [Fact]
    public void A_process_that_is_gone_or_a_file_that_is_not_open_gives_none()
    {
        using var other = Process.Start(new ProcessStartInfo("true"))!;
        other.WaitForExit();
        Assert.Null(ShortCut.TryTake(other.Id, 1));
        Assert.Null(ShortCut.TryTake(Environment.ProcessId, 999_999));
    }
}
