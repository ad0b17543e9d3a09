using System.Diagnostics;
using Weiche.Core.Live;
using Weiche.Core.Midi;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;
using Weiche.Ports.Carrying;

namespace Weiche.Bench;

/// <summary>How late the pulses of Weiche's own clock leave, against a loop that sleeps until each moment on a thread of the same urgency;
/// how steadily a clock with jitter leaves; and what a pulse costs.</summary>
internal static class TimeBench
{
    internal const int PulsesASecond = 48;

    /// <summary>µs by which each pulse at 120 bpm left late: of Weiche's clock into a sink, and of the loop beside it, in the same
    /// seconds.</summary>
    /// <param name="seconds">How long.</param>
    /// <param name="busy">How many programs spin meanwhile.</param>
    internal static (double[] Own, double[] Loop, double Drift) Lateness(double seconds, int busy)
    {
        var studio = PassThrough.Apply(PassThrough.Apply(Studio.Empty("time"), new AddVirtualPort("a")), new SetMaster(ClockMaster.Own));
        var to = studio.Destinations.First().Id;
        studio = PassThrough.Apply(studio, new SetFollower(new Follower(to, ClockForm.Steadied, false, MidiSpan.Zero)));
        var count = (int)(seconds * PulsesASecond);
        var (own, loop) = Beside(studio, to, count, busy, _ => { });
        return (own, loop, Enumerable.Range(count - Math.Min(count, 100), Math.Min(count, 100)).Min(pulse => own[pulse]));
    }

    /// <summary>µs by which each of many messages, 48 a second, leaves late, and a loop beside it in the same seconds.</summary>
    /// <param name="studio">The studio.</param>
    /// <param name="to">Where they leave.</param>
    /// <param name="count">How many.</param>
    /// <param name="busy">How many programs spin meanwhile.</param>
    /// <param name="begin">Has them begin.</param>
    internal static (double[] Own, double[] Loop) Beside(Studio studio, PortId to, int count, int busy, Action<Junction> begin)
    {
        var spinners = Enumerable
            .Range(0, busy)
            .Select(_ => Process.Start(new ProcessStartInfo("sh", "-c \"while :; do :; done\""))!)
            .ToList();
        var clock = new StudioClock(TimeProvider.System);
        using var junction = new Junction(studio, clock);
        using var onlookers = new Onlookers(junction, 3);
        var sink = new Times(clock, count);
        junction.Connect(to, sink);
        begin(junction);
        var loop = new double[count];
        var sleeper = new Thread(() => Sleep(clock, loop)) { IsBackground = true };
        sleeper.Start();
        sleeper.Join();
        while (sink.Count < count)
            Thread.Sleep(20);
        foreach (var spinner in spinners)
        {
            spinner.Kill();
            spinner.WaitForExit();
            spinner.Dispose();
        }
        // Where they should have been: from the first on, each 20 833 1/3 µs later. The first may itself have been late: the least late of
        // the first hundred counts.
        double At(int pulse) => pulse * 1e6 / PulsesASecond;
        var least = Enumerable.Range(0, Math.Min(count, 100)).Min(pulse => sink.At[pulse] - At(pulse));
        return (Enumerable.Range(0, count).Select(pulse => sink.At[pulse] - At(pulse) - least).ToArray(), loop);
    }

    /// <summary>How far the pulses of a clock stray that came with ± 3 ms of jitter, as they came and steadied: standard deviations of the
    /// intervals, µs, in virtual time.</summary>
    internal static (double Came, double Left) Steadied()
    {
        var random = new Random(2030);
        var (estimate, copy) = (new HeardBench(), new List<double>());
        var came = new List<double>();
        for (var pulse = 0; pulse < 120 * 24; pulse++)
        {
            var at = 1e6 + pulse * 1e6 / PulsesASecond + (random.NextDouble() * 2 - 1) * 3_000;
            came.Add(at);
            copy.AddRange(estimate.Arrive(new MidiTime((long)at)));
        }
        return (Stray(came), Stray(copy));

        static double Stray(List<double> times)
        {
            var intervals = times.Skip(960).Zip(times.Skip(961), (one, next) => next - one).ToList();
            var mean = intervals.Average();
            return Math.Sqrt(intervals.Average(each => (each - mean) * (each - mean)));
        }
    }

    /// <summary>ns that a pulse costs the engine, with sixteen destinations that follow, against the same sixteen bytes put into sixteen
    /// arrays; and what it allocates.</summary>
    internal static (double Pulse, double Loop, long Bytes) Cost()
    {
        var studio = PassThrough.Apply(
            Enumerable.Range(0, 16).Aggregate(Studio.Empty("time"), (made, i) => PassThrough.Apply(made, new AddVirtualPort($"port {i}"))),
            new SetMaster(ClockMaster.Own)
        );
        foreach (var port in studio.Destinations)
            studio = PassThrough.Apply(studio, new SetFollower(new Follower(port.Id, ClockForm.Steadied, true, MidiSpan.Zero)));
        var engine = new Engine(CompiledStudio.Compile(studio));
        var taker = default(Nowhere);
        const int Pulses = 200_000;
        void Run()
        {
            for (var i = 0; i < Pulses; i++)
            {
                var due = engine.NextDue;
                engine.Tick(due);
                engine.Drain(ref taker, due);
            }
        }
        Run();
        var watch = new Stopwatch();
        var before = GC.GetAllocatedBytesForCurrentThread();
        watch.Start();
        Run();
        var pulse = watch.Elapsed.TotalNanoseconds / Pulses;
        var bytes = GC.GetAllocatedBytesForCurrentThread() - before;
        var arrays = Enumerable.Range(0, 16).Select(_ => new byte[1024]).ToArray();
        watch.Restart();
        for (var i = 0; i < Pulses; i++)
        {
            foreach (var array in arrays)
                array[i & 1023] = 0xF8;
        }
        return (pulse, watch.Elapsed.TotalNanoseconds / Pulses, bytes);
    }

    private static void Sleep(StudioClock clock, double[] late)
    {
        Urgent.Ask();
        var waker = new Waker();
        var begun = clock.Now;
        for (var pulse = 0; pulse < late.Length; pulse++)
        {
            var due = begun.Microseconds + (long)((pulse + 1) * 1e6 / PulsesASecond);
            for (var wait = due - clock.Now.Microseconds; wait > 0; wait = due - clock.Now.Microseconds)
                waker.Wait(new MidiSpan(wait));
            late[pulse] = clock.Now.Microseconds - due;
        }
    }

    private sealed class Times(StudioClock clock, int most) : IByteSink
    {
        internal double[] At { get; } = new double[most];

        internal int Count { get; private set; }

        public int Send(ReadOnlySpan<byte> bytes)
        {
            var now = clock.Now.Microseconds;
            foreach (var each in bytes)
            {
                if (each >= 0x80 && Count < most)
                    At[Count++] = now;
            }
            return bytes.Length;
        }
    }

    /// <summary>A clock that is heard, with its copy, in virtual time.</summary>
    private sealed class HeardBench
    {
        private readonly Engine _engine;
        private readonly PortId _from;

        internal HeardBench()
        {
            var studio = PassThrough.Apply(PassThrough.Apply(Studio.Empty("time"), new AddVirtualPort("box")), new AddVirtualPort("a"));
            _from = studio.Sources.First().Id;
            studio = PassThrough.Apply(studio, new SetMaster(new ClockMaster(_from)));
            studio = PassThrough.Apply(
                studio,
                new SetFollower(new Follower(studio.Destinations.Last().Id, ClockForm.Steadied, false, MidiSpan.Zero))
            );
            _engine = new Engine(CompiledStudio.Compile(studio));
        }

        internal List<double> Arrive(MidiTime now)
        {
            var sent = new List<double>();
            var taker = default(Counting);
            while (_engine.NextDue <= now)
            {
                var due = _engine.NextDue;
                _engine.Tick(due);
                taker.Count = 0;
                _engine.Drain(ref taker, due);
                for (var i = 0; i < taker.Count; i++)
                    sent.Add(due.Microseconds);
            }
            _engine.Receive(_from, [0xF8], now);
            taker.Count = 0;
            _engine.Drain(ref taker, now);
            for (var i = 0; i < taker.Count; i++)
                sent.Add(now.Microseconds);
            return sent;
        }
    }

    private struct Counting : IByteTaker
    {
        internal int Count;

        public int Take(PortId destination, ReadOnlySpan<byte> bytes)
        {
            Count += bytes.Length;
            return bytes.Length;
        }
    }

    internal readonly struct Nowhere : IByteTaker
    {
        public int Take(PortId destination, ReadOnlySpan<byte> bytes) => bytes.Length;
    }
}
