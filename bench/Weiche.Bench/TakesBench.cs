using System.Diagnostics;
using Weiche.Core.Live;
using Weiche.Core.Midi;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;
using Weiche.Core.Takes;
using Weiche.Files;

namespace Weiche.Bench;

/// <summary>What the reel costs the music, how large it gets; how late a take is played; and how long files take.</summary>
internal static class TakesBench
{
    private const int ReadMilliseconds = 15;
    private const int PerMillisecond = 10;

    /// <summary>ns that the engine takes for a message at ten thousand a second, with somebody who writes the reel beside it and without,
    /// in turns; bytes a message on the reel; and how many were missed.</summary>
    /// <param name="seconds">How long in all.</param>
    internal static (double With, double Without, double Bytes, long Missing) Reel(double seconds)
    {
        var studio = DemoStudio.Create();
        var source = studio.Sources.First(port => port.Device.Name == "Amsel 61").Id;
        var engine = new Engine(CompiledStudio.Compile(studio));
        var (with, without) = (new List<double>(), new List<double>());
        var (bytes, count, missing) = (0L, 0L, 0L);
        var clock = Stopwatch.StartNew();
        byte[][] messages =
        [
            [0x90, 60, 80],
            [0x80, 60, 0],
            [0xB0, 1, 64],
            [0xE0, 3, 65],
        ];
        var at = 0L;
        Round();
        while (clock.Elapsed.TotalSeconds < seconds)
        {
            without.Add(Round());
            using var reader = new Reader(engine.Tap);
            with.Add(Round());
            reader.Stop();
            (bytes, count, missing) = (bytes + reader.Bytes, count + reader.Count, missing + reader.Missing);
        }
        return (Table.Median(with), Table.Median(without), bytes / (double)Math.Max(1, count), missing);

        double Round()
        {
            var taker = default(TimeBench.Nowhere);
            var (ticks, sent) = (0L, 0);
            var round = Stopwatch.StartNew();
            for (var due = 1.0; due < 200; due++)
            {
                while (round.Elapsed.TotalMilliseconds < due)
                    Thread.SpinWait(20);
                var start = Stopwatch.GetTimestamp();
                for (var i = 0; i < PerMillisecond; i++, sent++)
                {
                    var now = new MidiTime(at += 100);
                    engine.Receive(source, messages[sent & 3], now);
                    engine.Drain(ref taker, now);
                }
                ticks += Stopwatch.GetTimestamp() - start;
            }
            return ticks * 1e9 / Stopwatch.Frequency / sent;
        }
    }

    /// <summary>µs by which each note of a take leaves late, played through the junction into a sink, in the same way as
    /// <see cref="TimeBench"/> tells it of pulses.</summary>
    /// <param name="seconds">How long.</param>
    /// <param name="busy">How many programs spin meanwhile.</param>
    internal static (double[] Own, double[] Loop) Lateness(double seconds, int busy)
    {
        var count = (int)(seconds * TimeBench.PulsesASecond);
        var studio = PassThrough.Apply(PassThrough.Apply(Studio.Empty("takes"), new AddVirtualPort("a")), new AddVirtualPort("b"));
        var (from, to) = (studio.Sources.First().Id, studio.Destinations.Last().Id);
        studio = PassThrough.Apply(studio, new LayRoute(new OneSource(from), to));
        var take = new Take
        {
            Tracks = [new TakeTrack("a", from)],
            Events =
            [
                .. Enumerable
                    .Range(0, count)
                    .Select(note => new TakeEvent(
                        new MidiSpan((long)(note * 1e6 / TimeBench.PulsesASecond)),
                        0,
                        MidiMessage.FromBytes(0xB0, 1, note & 127)
                    )),
            ],
            Length = new MidiSpan((long)(seconds * 1e6) + 1_000_000),
        };
        return TimeBench.Beside(studio, to, count, busy, junction =>
        {
            if (PreparedTake.TryMake(take, new PlayHow(MidiSpan.Zero), studio, out var prepared, out _) is { } problem)
                throw new InvalidOperationException(problem);
            junction.Swap(junction.Prepare(studio, prepared!.Sources));
            junction.PlayTake(prepared);
        });
    }

    /// <summary>ms to read a file of about a megabyte, against another library; and to tidy, split and show what is in it.</summary>
    internal static (double Own, double Other, int Length, double Tidy, double Split) Files()
    {
        var random = new Random(2030);
        var events = Enumerable
            .Range(0, 100_000)
            .SelectMany(note =>
            {
                var (at, key, channel) = (note * 4_000L + random.Next(3_000), random.Next(24, 100), random.Next(16));
                return new[]
                {
                    new TakeEvent(new MidiSpan(at), 0, MidiMessage.FromBytes(0x90 | channel, key, 80)),
                    new TakeEvent(new MidiSpan(at + random.Next(1_000, 400_000)), 0, MidiMessage.FromBytes(0x80 | channel, key, 0)),
                };
            });
        var take = new Take
        {
            Tracks = [new TakeTrack("one")],
            Events = Take.InOrder(events),
            Length = new MidiSpan(401_000_000),
        };
        var file = StandardMidiFile.WriteTake(take, "all");
        return (
            Milliseconds(() => StandardMidiFile.ReadTake(file)),
            Milliseconds(() => new NAudio.Midi.MidiFile(new MemoryStream(file), strictChecking: false)),
            file.Length,
            Milliseconds(() => new Tidy(16, true).Apply(take, TakeRange.Everything, out _)),
            Milliseconds(() => Split.Apply(take, SplitBy.Key, []))
        );
    }

    private static double Milliseconds(Func<object> work)
    {
        for (var i = 0; i < 3; i++)
            GC.KeepAlive(work());
        return Table.Median([
            .. Enumerable
                .Range(0, 9)
                .Select(_ =>
                {
                    var start = Stopwatch.GetTimestamp();
                    GC.KeepAlive(work());
                    return Stopwatch.GetElapsedTime(start).TotalMilliseconds;
                }),
        ]);
    }

    /// <summary>Writes down what the tap says, as the deck does.</summary>
    private sealed class Reader : IDisposable
    {
        private readonly MessageTap _tap;
        private readonly Thread _thread;
        private readonly TapRecord[] _buffer = new TapRecord[4096];
        private TapePage _page = new(MidiTime.Zero);
        private long _next;
        private volatile bool _stopped;

        internal Reader(MessageTap tap)
        {
            (_tap, _next) = (tap, tap.Published);
            _page.Name(0, 1, false, "Amsel 61");
            _thread = new Thread(Run) { IsBackground = true };
            _thread.Start();
        }

        internal long Bytes { get; private set; }

        internal long Count { get; private set; }

        internal long Missing { get; private set; }

        internal void Stop()
        {
            _stopped = true;
            _thread.Join();
            Bytes += _page.Length;
        }

        public void Dispose()
        {
            if (!_stopped)
                Stop();
        }

        private void Run()
        {
            while (!_stopped)
            {
                Thread.Sleep(ReadMilliseconds);
                int read;
                do
                {
                    read = _tap.Read(ref _next, _buffer, out var lost);
                    Missing += lost;
                    foreach (ref readonly var record in _buffer.AsSpan(0, read))
                    {
                        if (record.Event != TapEvent.Came)
                            continue;
                        if (_page.Length > 16_384)
                        {
                            Bytes += _page.Length;
                            _page = new TapePage(record.Time);
                            _page.Name(0, 1, false, "Amsel 61");
                        }
                        _page.Write(record.Time, 0, record.Message);
                        Count++;
                    }
                } while (read == _buffer.Length);
            }
        }
    }
}
