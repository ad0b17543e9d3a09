using System.Globalization;
using System.Text;
using Weiche.Core.Live;
using Weiche.Core.Midi;
using Weiche.Core.Studios;

namespace Weiche.Files;

/// <summary>
/// Plays recordings through a studio in virtual time, without any port: the same engine, the same bytes, an hour in a
/// moment, and the same result each time.
/// </summary>
public sealed class Rehearsal
{
    // After the last event: what waits for slow wires or is kept by stages has this long to arrive. In virtual time.
    private static readonly MidiSpan Patience = new(3_600_000_000);

    // Bytes that go through virtual ports in one rehearsal, at most: a circuit that takes its time must end, too.
    private const long MostLooped = 64 << 20;

    private readonly Studio _studio;
    private readonly Engine _engine;
    private readonly Dictionary<PortId, Arrivals> _arrivals = [];
    private readonly SysExPool _pool = new(1 << 24, 1 << 26);
    private readonly List<(PortId To, PortId From)> _virtualPorts;
    private readonly Dictionary<PortId, long> _letGo = [];
    private readonly int _mostRounds;
    private long _looped;

    /// <summary>A rehearsal of a studio.</summary>
    /// <param name="studio">The studio.</param>
    public Rehearsal(Studio studio)
    {
        _studio = studio;
        _engine = new Engine(CompiledStudio.Compile(studio));
        // Nothing comes back here but what the file brings.
        _engine.Guard.Rounds = 0;
        _virtualPorts =
        [
            .. studio
                .Devices.Where(device => device.IsVirtualPort())
                .Select(device => (device.FirstPort(PortDirection.Destination)!.Value, device.FirstPort(PortDirection.Source)!.Value)),
        ];
        _mostRounds = _virtualPorts.Count + (studio.Safety.Rounds == 0 ? Safety.Usual.Rounds : studio.Safety.Rounds);
        foreach (var destination in studio.Destinations)
            _arrivals.Add(destination.Id, new Arrivals(_pool, destination.Port.Wire.ByteTime()));
    }

    /// <summary>Plays recordings, all from time 0, through to the end of what they cause. Where the time is started, it goes on for a bar
    /// after the last message and is stopped then; a clock is not waited for.</summary>
    /// <param name="parts">Each source with what it plays.</param>
    /// <param name="starts">Whether the time is started at the beginning, and with it patterns and all that want a start.</param>
    public void Play(IEnumerable<(PortId Source, IReadOnlyList<TimedBytes> Events)> parts, bool starts = false)
    {
        var events = parts
            .SelectMany((part, order) => part.Events.Select(each => (each.Microseconds, Order: order, part.Source, each.Bytes)))
            .OrderBy(each => each.Microseconds)
            .ThenBy(each => each.Order);
        var now = MidiTime.Zero;
        if (starts)
        {
            _engine.Do(TimeWork.Start, now);
            Fetch(now);
        }
        foreach (var each in events)
        {
            now = new MidiTime(each.Microseconds);
            Wait(now);
            _engine.Receive(each.Source, each.Bytes, now);
            Fetch(now);
        }
        // A start may wait for a bar, or be counted in.
        for (var most = now + Patience; _engine.Time.Begins && _engine.NextDue <= most; Wait(now))
            now = _engine.NextDue;
        if (_engine.Time is { IsPlaying: true, Interval: > 0 } time)
        {
            now += new MidiSpan((long)(time.Interval * _studio.Time.Bar.PulsesABar));
            Wait(now);
            _engine.Do(TimeWork.Stop, now);
            Fetch(now);
        }
        var last = now + Patience;
        while (_engine.DueBesidesTime <= last && _engine.NextDue <= last)
            Wait(_engine.NextDue);
    }

    /// <summary>What arrived at a destination: whole messages, each with the time at which its last byte was through.</summary>
    /// <param name="destination">The destination.</param>
    public IReadOnlyList<TimedBytes> ArrivedAt(PortId destination) => _arrivals[destination].Events;

    /// <summary>What was counted at a destination.</summary>
    /// <param name="destination">The destination.</param>
    public PortMeter MeterOf(PortId destination) => _engine.Compiled.Meter(destination)!;

    /// <summary>What passed and what stopped where, as a table in plain text.</summary>
    public string Report()
    {
        var text = new StringBuilder();
        var plan = _engine.Compiled;
        text.AppendLine("sources");
        foreach (var source in _studio.Sources)
        {
            var meter = plan.Meter(source.Id)!;
            if (meter.Bytes > 0)
                Line(
                    text,
                    2,
                    source.Label,
                    $"{meter.Messages} messages, {meter.Bytes} bytes"
                        + (meter.ThrownBytes > 0 ? $", {meter.ThrownBytes} bytes belong to no message" : "")
                );
        }
        text.AppendLine("routes");
        foreach (var route in _studio.Routes)
        {
            var meter = plan.Meter(route.Id)!;
            Line(text, 2, _studio.Describe(route), $"{meter.Passed} delivered{(route.On ? "" : ", off")}");
            foreach (var (index, stage) in route.Stages.Index())
            {
                var figures = meter.Stages[index];
                Line(
                    text,
                    4,
                    $"{stage.Name}: {stage.Sign(_studio.KeyNaming)}",
                    $"in {figures.In}, out {figures.Out}, stopped {figures.Stopped}"
                );
            }
        }
        text.AppendLine("destinations");
        foreach (var destination in _studio.Destinations)
        {
            var meter = plan.Meter(destination.Id)!;
            var more =
                (meter.Thinned > 0 ? $", {meter.Thinned} thinned" : "")
                + (meter.OtherClock > 0 ? $", {meter.OtherClock} of a second clock left out" : "")
                + (meter.OwnEnded > 0 ? $", {meter.OwnEnded} kept from silencing others" : "")
                + (meter.Refused > 0 ? $", {meter.Refused} refused" : "")
                + (meter.Held > 0 ? $", {meter.Held} keys still held" : "");
            Line(text, 2, destination.Label, $"{meter.Messages} messages, {meter.Bytes} bytes{more}");
        }
        foreach (var (port, bytes) in _letGo)
            text.AppendLine(
                CultureInfo.InvariantCulture,
                $"{_studio.FindPort(port)!.Value.Name} is in a circuit: {bytes} bytes went round more than {_mostRounds} times and were let go. ./weiche check says where."
            );
        return text.ToString();
    }

    private static void Line(StringBuilder text, int indent, string name, string figures) =>
        text.AppendLine(CultureInfo.InvariantCulture, $"{new string(' ', indent)}{name.PadRight(44 - indent)} {figures}");

    private void Wait(MidiTime until)
    {
        while (_engine.NextDue <= until)
        {
            var now = _engine.NextDue;
            _engine.Tick(now);
            Fetch(now);
        }
    }

    private readonly struct Taker(Dictionary<PortId, Arrivals> arrivals, MidiTime now) : IByteTaker
    {
        public int Take(PortId destination, ReadOnlySpan<byte> bytes)
        {
            arrivals[destination].Take(bytes, now);
            return bytes.Length;
        }
    }

    private void Fetch(MidiTime now)
    {
        Drain(now);
        // What a virtual port was sent comes out of it, at the same moment: once for each port that is led into the next, and not for ever.
        for (var round = 0; Loop(now, round < _mostRounds); round++)
            Drain(now);
    }

    private void Drain(MidiTime now)
    {
        var taker = new Taker(_arrivals, now);
        _engine.Drain(ref taker, now);
    }

    private bool Loop(MidiTime now, bool goesOn)
    {
        var any = false;
        foreach (var (to, from) in _virtualPorts)
        {
            if (_arrivals[to].TakeNew() is not { Length: > 0 } bytes)
                continue;
            if (!goesOn || _looped + bytes.Length > MostLooped)
            {
                _letGo[to] = _letGo.GetValueOrDefault(to) + bytes.Length;
                continue;
            }
            _looped += bytes.Length;
            _engine.Receive(from, bytes, now);
            any = true;
        }
        return any;
    }

    /// <summary>Reads what arrives at one destination back into messages.</summary>
    private sealed class Arrivals
    {
        private readonly StreamParser _parser;
        private readonly SysExPool _pool;
        private readonly MidiSpan _byteTime;
        private readonly List<byte> _new = [];

        internal Arrivals(SysExPool pool, MidiSpan byteTime)
        {
            _pool = pool;
            _parser = new StreamParser(pool);
            _byteTime = byteTime;
        }

        internal List<TimedBytes> Events { get; } = [];

        internal void Take(ReadOnlySpan<byte> bytes, MidiTime now)
        {
            for (var i = 0; i < bytes.Length; i++)
            {
                var sink = new Sink(this, now + _byteTime * (i + 1));
                _parser.Parse(bytes.Slice(i, 1), ref sink);
            }
            _new.AddRange(bytes);
        }

        internal byte[] TakeNew()
        {
            byte[] bytes = [.. _new];
            _new.Clear();
            return bytes;
        }

        private readonly ref struct Sink(Arrivals arrivals, MidiTime time) : IMessageSink
        {
            public void Accept(in MidiMessage message)
            {
                byte[] bytes =
                    message.Status == 0xF0
                        ? [0xF0, .. arrivals._pool.Bytes(message.SysExHandle), 0xF7]
                        : message.DataLength switch
                        {
                            0 => [message.Status],
                            1 => [message.Status, message.Data1],
                            _ => [message.Status, message.Data1, message.Data2],
                        };
                arrivals.Events.Add(new TimedBytes(time.Microseconds, bytes));
            }
        }
    }
}
