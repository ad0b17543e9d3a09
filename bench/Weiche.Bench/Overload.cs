using Weiche.Core.Live;
using Weiche.Core.Midi;
using Weiche.Core.Sets;
using Weiche.Core.Studios;

namespace Weiche.Bench;

/// <summary>Every source at full speed into one DIN wire, in simulated time.</summary>
internal static class Overload
{
    private const int Sources = 8;

    /// <summary>What came of it.</summary>
    /// <param name="Notes">Note-ons sent.</param>
    /// <param name="Lost">Note-ons that did not arrive.</param>
    /// <param name="Hanging">Notes that were not ended.</param>
    /// <param name="Thinned">Values left out.</param>
    /// <param name="Grown">How much more memory is in use at the end than after the first tenth, bytes.</param>
    internal sealed record Result(long Notes, long Lost, int Hanging, long Thinned, long Grown);

    /// <summary>Runs it.</summary>
    /// <param name="seconds">How long, in simulated seconds.</param>
    internal static Result Run(int seconds)
    {
        var studio = Studio.Empty("Overload");
        var id = 1;
        var devices = new List<Device>();
        for (var i = 0; i < Sources; i++)
            devices.Add(
                new Device(
                    new DeviceId(id++),
                    $"Source {i + 1}",
                    DeviceKind.KeyboardController,
                    ChannelSet.All,
                    ChannelSet.None,
                    false,
                    null,
                    [new Port(new PortId(id++), PortDirection.Source, "", WireKind.Usb)]
                )
            );
        var wire = new PortId(id + 1);
        devices.Add(
            new Device(
                new DeviceId(id++),
                "Slow",
                DeviceKind.KeyboardSynth,
                ChannelSet.None,
                ChannelSet.All,
                true,
                null,
                [new Port(new PortId(id++), PortDirection.Destination, "", WireKind.Din)]
            )
        );
        studio = new Studio
        {
            Name = studio.Name,
            NextId = id + Sources,
            Devices = [.. devices],
            Routes = [.. devices.Take(Sources).Select((device, i) => new Route(new RouteId(id + i), device.Ports[0].Id, wire, true, []))],
        }.Checked();
        var engine = new Engine(CompiledStudio.Compile(studio));
        var parser = new StreamParser(new SysExPool());
        var counter = new Counter();
        var (notes, memory) = (0L, 0L);
        // Each source sends two thousand messages a second, a DIN wire carries some thousand: the notes among them, one
        // in fifty, must all arrive; the rest moves.
        for (var millisecond = 0L; millisecond < seconds * 1000L; millisecond++)
        {
            var now = millisecond * 1000;
            Wait(now);
            for (var source = 0; source < Sources; source++)
            {
                var step = millisecond + source * 7;
                var port = devices[source].Ports[0].Id;
                var key = (byte)(36 + step / 50 % 60);
                engine.Receive(
                    port,
                    [(byte)(0xE0 | source), (byte)(step % 128), 64, (byte)(0xB0 | source), 1, (byte)(step % 127)],
                    new MidiTime(now)
                );
                if (step % 50 == 0)
                {
                    engine.Receive(port, [(byte)(0x90 | source), key, 100], new MidiTime(now));
                    notes++;
                }
                else if (step % 50 == 25)
                {
                    engine.Receive(port, [(byte)(0x80 | source), key, 64], new MidiTime(now));
                }
            }
            Fetch(now);
            if (millisecond == seconds * 100L)
                memory = GC.GetTotalMemory(forceFullCollection: true);
        }
        var grown = GC.GetTotalMemory(forceFullCollection: true) - memory;
        engine.AllNotesOff(new MidiTime(seconds * 1_000_000L));
        Wait(seconds * 1_000_000L + 60_000_000);
        return new Result(notes, notes - counter.Started, counter.Sounding.Count, engine.Compiled.Meter(wire)!.Thinned, grown);

        void Wait(long until)
        {
            while (engine.NextDue.Microseconds <= until)
            {
                var now = engine.NextDue;
                engine.Tick(now);
                Fetch(now.Microseconds);
            }
        }

        void Fetch(long now)
        {
            var taker = new Taker(parser, counter);
            engine.Drain(ref taker, new MidiTime(now));
        }
    }

    private readonly struct Taker(StreamParser parser, Counter counter) : IByteTaker
    {
        public int Take(PortId destination, ReadOnlySpan<byte> bytes)
        {
            var sink = counter;
            parser.Parse(bytes, ref sink);
            return bytes.Length;
        }
    }

    private sealed class Counter : IMessageSink
    {
        public HashSet<int> Sounding { get; } = [];

        public long Started { get; private set; }

        public void Accept(in MidiMessage message)
        {
            if (message.Kind != MessageKind.Note)
                return;
            var key = message.ChannelIndex << 7 | message.Data1;
            if (message.IsNoteOn)
            {
                Started++;
                Sounding.Add(key);
            }
            else
            {
                Sounding.Remove(key);
            }
        }
    }
}
