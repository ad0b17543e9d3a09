using System.Diagnostics;
using System.Globalization;
using Weiche.Core.Midi;
using Weiche.Core.Stages;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;
using Weiche.Ports.Carrying;
using Weiche.Ports.Raw;

namespace Weiche.Bench;

/// <summary>
/// Hours by the wall clock: two sources play into one destination through pipes, hundreds of messages a second, while
/// the studio is edited every second. At the end no note hangs and memory is where it was.
/// </summary>
internal static class Soak
{
    /// <summary>Runs it and says what came of it.</summary>
    /// <param name="minutes">How long.</param>
    /// <param name="folder">Where its pipes are.</param>
    /// <returns>Whether all was as it should be.</returns>
    internal static bool Run(double minutes, string folder)
    {
        var pipes = Array.ConvertAll<string, string>(["left", "right", "out"], name => PassThrough.MakePipe(folder, name));
        var studio = Studio.Empty("Soak");
        studio = PassThrough.Apply(studio, new AddRawDevice("left", pipes[0], true, false));
        studio = PassThrough.Apply(studio, new AddRawDevice("right", pipes[1], true, false));
        studio = PassThrough.Apply(studio, new AddRawDevice("out", pipes[2], false, true));
        var (sources, to) = (studio.Sources.ToList(), studio.Destinations.First());
        foreach (var source in sources)
            studio = PassThrough.Apply(studio, new LayRoute(source.Id, to.Id));
        using var junction = new Junction(studio, new StudioClock(TimeProvider.System));
        var wires = sources.Select((source, i) => new RawWire(junction, pipes[i], source.Id, null, TimeProvider.System)).ToList();
        wires.Add(new RawWire(junction, pipes[2], null, to.Id, TimeProvider.System));
        using var onlookers = new Onlookers(junction, 3);
        var arrived = new Arrived();
        var reading = new Thread(() =>
        {
            using var reader = new FileStream(pipes[2], FileMode.Open, FileAccess.Read, FileShare.ReadWrite, 0);
            var parser = new StreamParser(new SysExPool());
            var buffer = new byte[4096];
            for (var count = reader.Read(buffer); count > 0; count = reader.Read(buffer))
                parser.Parse(buffer.AsSpan(0, count), ref arrived);
        })
        {
            IsBackground = true,
        };
        reading.Start();
        using var left = new FileStream(pipes[0], FileMode.Open, FileAccess.Write, FileShare.ReadWrite, 0);
        using var right = new FileStream(pipes[1], FileMode.Open, FileAccess.Write, FileShare.ReadWrite, 0);
        SpinWait.SpinUntil(() => wires.TrueForAll(wire => wire.Presence.Present));

        var (sent, early) = (0L, 0L);
        var end = TimeSpan.FromMinutes(minutes);
        var clock = Stopwatch.StartNew();
        for (var round = 0; clock.Elapsed < end; round++)
        {
            // Ten messages a side each round: keys, controllers, a pedal, a bend, a system exclusive, clock.
            foreach (var wire in (FileStream[])[left, right])
            {
                var key = (byte)(36 + round % 60);
                wire.Write([
                    0x90,
                    key,
                    100,
                    0x91,
                    key,
                    90,
                    0xB0,
                    7,
                    (byte)(round % 128),
                    0xE0,
                    0,
                    (byte)(round % 128),
                    0xB0,
                    64,
                    (byte)(round % 2 * 127),
                ]);
                wire.Write([0xF0, 0x7D, (byte)(round % 128), 0xF7, 0xF8, 0x80, key, 64, 0x91, key, 0, 0xFE]);
                sent += 10;
            }
            if (round % 50 == 0)
            {
                // A stage comes and goes in the middle of play.
                var route = studio.Routes[0];
                studio = PassThrough.Apply(
                    studio,
                    route.Stages.Length == 0
                        ? new AddStage(route.Id, new TransposeStage(12))
                        : new RemoveStage(route.Id, 0, route.Stages[0].Name)
                );
                junction.Swap(junction.Prepare(studio));
            }
            if (early == 0 && clock.Elapsed > end / 10)
                early = Settled();
            Thread.Sleep(20);
        }
        Thread.Sleep(500);
        junction.AllNotesOff();
        Thread.Sleep(500);
        var late = Settled();
        Console.WriteLine(
            string.Create(
                CultureInfo.InvariantCulture,
                $"{minutes:0.#} minutes: {sent} messages sent, {arrived.Messages} arrived, {arrived.Hanging} notes hang, managed memory {early / 1024} KiB after a tenth, {late / 1024} KiB at the end, {Environment.WorkingSet / 1024 / 1024} MiB in all"
            )
        );
        wires.ForEach(wire => wire.Dispose());
        return arrived.Hanging == 0 && late - early < 1 << 20;

        static long Settled() => GC.GetTotalMemory(forceFullCollection: true);
    }

    /// <summary>Counts what arrives and which keys are down.</summary>
    private sealed class Arrived : IMessageSink
    {
        private readonly HashSet<(int, int)> _down = [];

        internal long Messages { get; private set; }

        internal int Hanging => _down.Count;

        public void Accept(in MidiMessage message)
        {
            Messages++;
            if (message.IsNoteOn)
                _down.Add((message.ChannelIndex, message.Data1));
            else if (message.IsNoteOff)
                _down.Remove((message.ChannelIndex, message.Data1));
        }
    }
}
