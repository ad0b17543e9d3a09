using System.Diagnostics;
using Weiche.Core.Live;
using Weiche.Core.Midi;
using Weiche.Core.Studios;

namespace Weiche.Bench;

/// <summary>
/// The engine against a hand-written loop that does the same table look-ups and copies, without ledger, merging, meters
/// or tap.
/// </summary>
internal sealed class EngineBench
{
    private readonly Studio _studio;
    private readonly Engine _engine;
    private readonly PortId[] _sources;
    private readonly byte[][] _phrases;
    private readonly HandWritten _loop;
    private long _now;

    /// <summary>A bench of a studio.</summary>
    /// <param name="studio">The studio.</param>
    internal EngineBench(Studio studio)
    {
        _studio = studio;
        _engine = new Engine(CompiledStudio.Compile(studio));
        _sources = [.. studio.Routes.Where(route => route.On).SelectMany(studio.SourcesOf).Select(source => source.Id).Distinct()];
        _phrases = [.. _sources.Select(source => Phrase(studio.FindPort(source)!.Value.Channels.Members.FirstOrDefault()))];
        _loop = new HandWritten(studio, _sources);
        Deliveries = CountDeliveries();
    }

    /// <summary>How many messages arrive somewhere in one pass over all sources.</summary>
    internal long Deliveries { get; }

    /// <summary>How many messages come in one pass.</summary>
    internal long Messages => (long)_sources.Length * PhraseMessages;

    private const int PhraseMessages = 64;
    private const double Fastest = 0.1;

    /// <summary>One pass: every source plays its phrase through the engine, message by message, far enough apart that even
    /// a DIN wire is free again, and all bytes are fetched.</summary>
    internal void RunEngine()
    {
        for (var each = 0; each < _sources.Length; each++)
        {
            var (source, bytes) = (_sources[each], _phrases[each]);
            for (var i = 0; i < bytes.Length; i += 3)
            {
                var now = new MidiTime(_now += 2_000);
                _engine.Receive(source, bytes.AsSpan(i, 3), now);
                var taker = default(TakeAll);
                _engine.Drain(ref taker, now);
            }
        }
    }

    private readonly struct TakeAll : IByteTaker
    {
        public int Take(PortId destination, ReadOnlySpan<byte> bytes) => bytes.Length;
    }

    /// <summary>The same pass through the hand-written loop.</summary>
    internal void RunLoop() => _loop.Run(_phrases);

    /// <summary>Bytes allocated by one pass, the least of several.</summary>
    internal long Allocated()
    {
        var least = long.MaxValue;
        for (var i = 0; i < 10; i++)
        {
            var before = GC.GetAllocatedBytesForCurrentThread();
            RunEngine();
            least = Math.Min(least, GC.GetAllocatedBytesForCurrentThread() - before);
        }
        return least;
    }

    /// <summary>Seconds a delivery: short rounds of engine and loop turn by turn, and of each the fastest tenth, since what
    /// else runs on the machine can only slow a round down.</summary>
    internal (double Engine, double Loop) Measure(double seconds)
    {
        var (engine, loop) = (new List<double>(), new List<double>());
        for (var warm = 0; warm < 30; warm++)
        {
            RunEngine();
            RunLoop();
        }
        var until = Stopwatch.GetTimestamp() + (long)(seconds * Stopwatch.Frequency);
        while (Stopwatch.GetTimestamp() < until || engine.Count < 5)
        {
            engine.Add(Time(RunEngine));
            loop.Add(Time(RunLoop));
        }
        return (Table.Percentile([.. engine], Fastest) / Deliveries, Table.Percentile([.. loop], Fastest) / Deliveries);
    }

    /// <summary>Seconds a delivery through each of several engines, turn by turn.</summary>
    internal static IReadOnlyList<double> MeasureTogether(IReadOnlyList<EngineBench> benches, double seconds)
    {
        var times = benches.Select(_ => new List<double>()).ToList();
        for (var warm = 0; warm < 30; warm++)
        {
            foreach (var bench in benches)
                bench.RunEngine();
        }
        var until = Stopwatch.GetTimestamp() + (long)(seconds * Stopwatch.Frequency);
        while (Stopwatch.GetTimestamp() < until || times[0].Count < 5)
        {
            for (var i = 0; i < benches.Count; i++)
                times[i].Add(Time(benches[i].RunEngine));
        }
        return [.. times.Select((each, i) => Table.Percentile([.. each], Fastest) / benches[i].Deliveries)];
    }

    /// <summary>Seconds a delivery with the guard and without it, turn by turn.</summary>
    internal (double On, double Off) MeasureGuard(double seconds)
    {
        var (on, off) = (new List<double>(), new List<double>());
        for (var warm = 0; warm < 30; warm++)
            RunEngine();
        var until = Stopwatch.GetTimestamp() + (long)(seconds * Stopwatch.Frequency);
        while (Stopwatch.GetTimestamp() < until || on.Count < 5)
        {
            _engine.Guard.Rounds = Safety.UsualRounds;
            on.Add(Time(RunEngine));
            _engine.Guard.Rounds = 0;
            off.Add(Time(RunEngine));
        }
        _engine.Guard.Rounds = Safety.UsualRounds;
        return (Table.Percentile([.. on], Fastest) / Deliveries, Table.Percentile([.. off], Fastest) / Deliveries);
    }

    private static double Time(Action pass)
    {
        var count = 0;
        var start = Stopwatch.GetTimestamp();
        do
        {
            pass();
            count++;
        } while (Stopwatch.GetElapsedTime(start).TotalMilliseconds < 4);
        return Stopwatch.GetElapsedTime(start).TotalSeconds / count;
    }

    private long CountDeliveries()
    {
        RunEngine();
        var before = Sum();
        RunEngine();
        return Sum() - before;

        long Sum() => _studio.Routes.Sum(route => _engine.Compiled.Meter(route.Id)!.Passed);
    }

    /// <summary>Notes on and off, controllers and bends, as a player sends them, on the source's own channel.</summary>
    private static byte[] Phrase(Channel channel)
    {
        var (on, bytes) = (channel.Index, new List<byte>());
        for (var i = 0; i < PhraseMessages / 4; i++)
        {
            bytes.AddRange([
                (byte)(0x90 | on),
                (byte)(40 + i),
                100,
                (byte)(0xB0 | on),
                7,
                (byte)(i * 3),
                (byte)(0xE0 | on),
                0,
                (byte)(60 + i),
                (byte)(0x80 | on),
                (byte)(40 + i),
                64,
            ]);
        }
        return [.. bytes];
    }

    /// <summary>
    /// The least that any router must do: read messages, look the routes up, run each stage's tables, copy the message
    /// into the destination's queue, and write the queues as bytes.
    /// </summary>
    private sealed class HandWritten
    {
        private const int QueueLength = 1 << 8;

        private readonly (int Destination, byte[][] Tables)[][] _routes;
        private readonly uint[][] _queues;
        private readonly int[] _waiting;
        private readonly byte[] _out = new byte[QueueLength * 3];

        internal HandWritten(Studio studio, PortId[] sources)
        {
            _routes =
            [
                .. sources.Select(source =>
                    studio
                        .Routes.Where(route => route.On && studio.SourcesOf(route).Any(each => each.Id == source))
                        .Select(route =>
                            (route.To.Value, route.Stages.Select(_ => Enumerable.Range(0, 256).Select(i => (byte)i).ToArray()).ToArray())
                        )
                        .ToArray()
                ),
            ];
            _queues = new uint[studio.NextId][];
            foreach (var destination in studio.Destinations)
                _queues[destination.Id.Value] = new uint[QueueLength];
            _waiting = new int[studio.NextId];
        }

        internal void Run(byte[][] phrases)
        {
            for (var source = 0; source < _routes.Length; source++)
            {
                var (routes, bytes) = (_routes[source], phrases[source]);
                for (var i = 0; i < bytes.Length; i += 3)
                {
                    Read(bytes.AsSpan(i, 3), routes);
                    foreach (var (destination, _) in routes)
                    {
                        if (_waiting[destination] > 0)
                            Write(destination);
                    }
                }
            }
        }

        private void Read(ReadOnlySpan<byte> bytes, (int Destination, byte[][] Tables)[] routes)
        {
            byte status = 0,
                first = 0;
            var have = 0;
            foreach (var value in bytes)
            {
                if (value >= 0x80)
                {
                    status = value;
                    have = 0;
                }
                else if (have == 0)
                {
                    first = value;
                    have = 1;
                }
                else
                {
                    have = 0;
                    Route(status, first, value, routes);
                }
            }
        }

        private void Route(byte status, byte data1, byte data2, (int Destination, byte[][] Tables)[] routes)
        {
            foreach (var (destination, tables) in routes)
            {
                var (s, d1, d2) = (status, data1, data2);
                foreach (var table in tables)
                {
                    s = table[s];
                    if (s == 0)
                        break;
                    d1 = table[d1];
                    d2 = table[d2];
                }
                if (s == 0)
                    continue;
                ref var waiting = ref _waiting[destination];
                _queues[destination][waiting++ & (QueueLength - 1)] = (uint)(s | d1 << 8 | d2 << 16);
            }
        }

        private void Write(int destination)
        {
            var queue = _queues[destination];
            var length = 0;
            for (var i = 0; i < _waiting[destination]; i++)
            {
                var message = queue[i & (QueueLength - 1)];
                _out[length++] = (byte)message;
                _out[length++] = (byte)(message >> 8);
                _out[length++] = (byte)(message >> 16);
                if (length > _out.Length - 3)
                    length = 0;
            }
            _waiting[destination] = 0;
        }
    }
}
