using System.Diagnostics;
using Weiche.Core.Midi;
using Weiche.Core.Studios;
using Weiche.Files;
using Weiche.Ports.Carrying;

namespace Weiche.Bench;

/// <summary>What it costs the engine that pages look on: 10 000 messages a second through the demo studio, with nobody reading
/// and with everything reading that an open Watch and its lamps read.</summary>
internal static class Watched
{
    private const int Batch = 100;
    private const int Batches = 100;

    /// <summary>Measures, turn by turn.</summary>
    /// <param name="seconds">How long.</param>
    /// <returns>µs of engine time a message: alone, and watched; each the median of its turns.</returns>
    internal static (double Alone, double Watched) Measure(double seconds)
    {
        var studio = DemoStudio.Create();
        var junction = new Junction(studio, new StudioClock(TimeProvider.System));
        var source = studio.Sources.First(port => port.Name == "Amsel 61").Id;
        var (alone, watched) = (new List<double>(), new List<double>());
        var rounds = Math.Max(3, (int)seconds);
        for (var round = 0; round < rounds + 1; round++)
        {
            var one = Second(junction, source);
            double other;
            using (new Onlookers(junction, 4))
            {
                other = Second(junction, source);
            }
            // The first round warms up.
            if (round == 0)
                continue;
            alone.Add(one);
            watched.Add(other);
        }
        junction.Dispose();
        return (Table.Median(alone), Table.Median(watched));
    }

    /// <summary>10 000 messages, spread over a second.</summary>
    private static double Second(Junction junction, PortId source)
    {
        var times = new List<double>();
        var begin = Stopwatch.GetTimestamp();
        Span<byte> bytes = stackalloc byte[3];
        for (var batch = 0; batch < Batches; batch++)
        {
            var start = Stopwatch.GetTimestamp();
            for (var i = 0; i < Batch; i++)
            {
                var message =
                    i % 2 == 0
                        ? MidiMessage.NoteOn(Channel.FromNumber(1), 60 + i % 12, 96)
                        : MidiMessage.NoteOff(Channel.FromNumber(1), 60 + (i - 1) % 12);
                (bytes[0], bytes[1], bytes[2]) = (message.Status, message.Data1, message.Data2);
                junction.Receive(source, bytes);
            }
            times.Add(Stopwatch.GetElapsedTime(start).TotalMicroseconds / Batch);
            while (Stopwatch.GetElapsedTime(begin).TotalMilliseconds < (batch + 1) * 1000.0 / Batches)
                Thread.Sleep(1);
        }
        return Table.Median(times);
    }
}
