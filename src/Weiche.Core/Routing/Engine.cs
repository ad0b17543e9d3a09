using Weiche.Core.Midi;
using Weiche.Core.Stages;
using Weiche.Core.Studios;

namespace Weiche.Core.Routing;

/// <summary>
/// Takes bytes from sources, runs each message through the live routes and leaves bytes for destinations.
/// </summary>
/// <remarks>
/// <para>The engine is a plain object without threads, clock or I/O: its host calls it under one lock, says what
/// time it is, and fetches the bytes that wait (<see cref="TryNextDestination"/>, <see cref="PendingBytes"/>,
/// <see cref="Advance"/>). While messages run it allocates nothing.</para>
/// <para><b>A note ends where it began.</b> The ledger holds each note-on and each pedal that went down; its end
/// follows it there even if the route's stages were changed in between. A route that is switched off or removed,
/// or whose port is switched off, ends at once what it holds. A key or pedal that two hold at one destination ends
/// when the last lets go.</para>
/// <para><b>Bounds.</b> A destination's queue and the ledger have a fixed size. When one is full, new messages are
/// refused and counted, note-ons first of all; the ends of notes always fit.</para>
/// </remarks>
public sealed class Engine
{
    private const int LedgerCapacity = 1 << 16;

    private readonly Ledger _ledger = new(LedgerCapacity);
    private SourceState?[] _sources = [];
    private Outlet?[] _outlets = [];
    private int[] _dirty = [];
    private int _dirtyCount;

    /// <summary>An engine that runs a studio.</summary>
    /// <param name="plan">The studio's plan.</param>
    /// <param name="pool">Where system exclusive bytes are kept; a pool of its own if null.</param>
    /// <param name="tap">Where it writes down what happens; a tap of its own if null.</param>
    public Engine(RoutingPlan plan, SysExPool? pool = null, MessageTap? tap = null)
    {
        Pool = pool ?? new SysExPool();
        Tap = tap ?? new MessageTap();
        Plan = plan;
        Swap(plan, MidiTime.Zero);
    }

    /// <summary>Where system exclusive bytes are kept.</summary>
    public SysExPool Pool { get; }

    /// <summary>What came and what became of it, for onlookers.</summary>
    public MessageTap Tap { get; }

    /// <summary>The plan in force.</summary>
    public RoutingPlan Plan { get; private set; }

    /// <summary>How many notes and pedals are held, over all destinations.</summary>
    public int HeldCount => _ledger.Count;

    /// <summary>Puts another plan in force. What it no longer carries ends at once, at the right place.</summary>
    /// <param name="plan">The new plan.</param>
    /// <param name="now">The time.</param>
    public void Swap(RoutingPlan plan, MidiTime now)
    {
        var size = plan.Studio.NextId;
        if (size > _sources.Length)
        {
            Array.Resize(ref _sources, size);
            Array.Resize(ref _outlets, size);
            Array.Resize(ref _dirty, size);
            _ledger.MakeRoom(size);
        }
        foreach (var port in plan.Studio.Ports)
        {
            var id = port.Id.Value;
            if (port.IsSource)
            {
                _ledger.AddSource(id);
                _sources[id] ??= new SourceState(id, new StreamParser(Pool), plan.Meter(port.Id)!);
                _sources[id]!.On = port.Port.On;
            }
            else
            {
                _ledger.AddDestination(id);
                _outlets[id] ??= new Outlet(port.Id, plan.Meter(port.Id)!, Pool, port.Port.Wire == WireKind.Din);
            }
        }
        Plan = plan;
        var cursor = 0;
        while (_ledger.TryTakeWhere(ref cursor, plan, static (entry, next) => !next.IsLive(entry.Route), out var entry))
            End(entry);
        DropPortsThatAreGone(plan.Studio);
    }

    /// <summary>Takes bytes that came from a source, in pieces of any size.</summary>
    /// <param name="source">The source; bytes from a port that is not there are thrown away.</param>
    /// <param name="bytes">The bytes.</param>
    /// <param name="now">When they came.</param>
    public void Receive(PortId source, ReadOnlySpan<byte> bytes, MidiTime now)
    {
        if ((uint)source.Value >= (uint)_sources.Length || _sources[source.Value] is not { } state) return;
        var sink = new SourceSink(this, state, now);
        state.Parser.Parse(bytes, ref sink);
        state.Meter.ByteCount += bytes.Length;
        state.Meter.ThrownByteCount = state.Parser.Counts.ThrownBytes;
    }

    /// <summary>Says that a source broke off, perhaps in the middle of a message. What it holds ends.</summary>
    /// <param name="source">The source.</param>
    /// <param name="now">The time.</param>
    public void BreakOff(PortId source, MidiTime now)
    {
        if ((uint)source.Value >= (uint)_sources.Length || _sources[source.Value] is not { } state) return;
        state.Parser.Reset();
        var cursor = 0;
        while (_ledger.TryTakeWhere(ref cursor, source.Value, static (entry, id) => entry.Source == id, out var entry))
            End(entry);
    }

    /// <summary>
    /// Ends every note everywhere. First what the ledger holds, each at the place where it went; then, on every
    /// channel that was used, pedals up, controllers 123 (all notes off) and 120 (all sound off), bend to the
    /// middle and pressure to nothing.
    /// </summary>
    /// <param name="now">The time.</param>
    public void AllNotesOff(MidiTime now)
    {
        var cursor = 0;
        while (_ledger.TryTakeWhere(ref cursor, 0, static (_, _) => true, out var entry)) End(entry);
        foreach (var outlet in _outlets)
        {
            if (outlet is null) continue;
            for (var channel = 0; channel < Channel.Count; channel++)
            {
                if ((outlet.ChannelsUsed >> channel & 1) == 0) continue;
                foreach (var controller in (ReadOnlySpan<byte>)[64, 66, 67, 123, 120]) Put(outlet, MidiMessage.Raw(0xB0 | channel, controller, 0));
                Put(outlet, MidiMessage.Raw(0xE0 | channel, 0, 64));
                Put(outlet, MidiMessage.Raw(0xD0 | channel, 0, 0));
            }
        }
    }

    /// <summary>The next destination for which bytes wait, each once.</summary>
    /// <param name="destination">The destination.</param>
    /// <returns>False if there is none.</returns>
    public bool TryNextDestination(out PortId destination)
    {
        while (_dirtyCount > 0)
        {
            if (_outlets[_dirty[--_dirtyCount]] is not { } outlet) continue;
            outlet.IsDirty = false;
            destination = outlet.Id;
            return true;
        }
        destination = default;
        return false;
    }

    /// <summary>The bytes that a destination gets next; empty if none wait. Valid until the engine is called again.</summary>
    /// <param name="destination">The destination.</param>
    public ReadOnlySpan<byte> PendingBytes(PortId destination) =>
        (uint)destination.Value < (uint)_outlets.Length && _outlets[destination.Value] is { } outlet ? outlet.Pending() : [];

    /// <summary>Says that the first of the pending bytes have gone out.</summary>
    /// <param name="destination">The destination.</param>
    /// <param name="bytes">How many.</param>
    public void Advance(PortId destination, int bytes) => _outlets[destination.Value]!.Advance(bytes);

    private void Route(SourceState source, in MidiMessage message, MidiTime now)
    {
        source.Meter.MessageCount++;
        var run = new Run(source.Id, message, now);
        if (run.Background) source.Meter.BackgroundCount++;
        Write(TapEvent.Came, run, message, source.Id, 0);
        if (!source.On) Write(TapEvent.SourceOff, run, message, source.Id, 0);
        else RouteLive(ref run);
        if (!run.Background) Tap.Publish();
    }

    private void RouteLive(ref Run run)
    {
        var ends = run.Origin != Run.NoOrigin && !Held.Starts(run.Message) && _ledger.HoldsAny(run.Source, run.Origin);
        run.EndsHeld = ends;
        foreach (var route in Plan.RoutesOf(run.Source))
        {
            if (route.IsLive) Step(route, 0, run.Message, ref run);
            else Write(TapEvent.DestinationOff, run, run.Message, route.Destination, route.Id);
        }
        if (!ends) return;
        var cursor = _ledger.TakeAll(run.Source, run.Origin);
        while (_ledger.TryNext(ref cursor, out var entry)) End(entry, ref run);
    }

    private void Step(CompiledRoute route, int stage, MidiMessage message, ref Run run)
    {
        Span<MidiMessage> results = stackalloc MidiMessage[CompiledStage.MaxFanOut];
        for (; stage < route.Stages.Length; stage++)
        {
            var meter = route.Meter.StageMeters[stage];
            var count = route.Stages[stage].Apply(message, results);
            meter.InCount++;
            meter.OutCount += count;
            if (count == 0)
            {
                meter.StoppedCount++;
                if (run.Background) meter.StoppedBackgroundCount++;
                Write(TapEvent.Stopped, run, message, route.Destination, route.Id, stage);
                return;
            }
            if (count > 1)
            {
                for (var i = 0; i < count; i++) Step(route, stage + 1, results[i], ref run);
                return;
            }
            message = results[0];
        }
        Deliver(route, message, ref run);
    }

    private void Deliver(CompiledRoute route, in MidiMessage message, ref Run run)
    {
        var outlet = _outlets[route.Destination]!;
        if (run.Origin != Run.NoOrigin && Held.TryOf(message, out var sounding))
        {
            if (run.EndsHeld)
            {
                // What this ends is in the ledger and goes out from there. Through this route, perhaps, nothing began.
                if (!_ledger.HoldsThrough(run.Source, run.Origin, route.Id))
                    Write(TapEvent.NotBegunHere, run, message, route.Destination, route.Id);
                return;
            }
            if (!Held.Starts(message))
            {
                if (_ledger.CountAt(route.Destination, sounding) > 0)
                {
                    Write(TapEvent.HeldByOther, run, message, route.Destination, route.Id);
                    return;
                }
            }
            else if (!outlet.HasRoom || !TryHold(route, sounding, run))
            {
                Refuse(outlet, route, message, run);
                return;
            }
            outlet.Meter.HeldCount = _ledger.KeysAt(route.Destination);
        }
        if (outlet.HasRoom) Send(outlet, route.Id, message, run);
        else Refuse(outlet, route, message, run);
    }

    private bool TryHold(CompiledRoute route, int sounding, in Run run) =>
        _ledger.Holds(run.Source, run.Origin, route.Id, route.Destination, sounding)
        || _ledger.TryEnter(run.Source, run.Origin, route.Id, route.Destination, sounding);

    private void Refuse(Outlet outlet, CompiledRoute route, in MidiMessage message, in Run run)
    {
        outlet.Meter.RefusedCount++;
        Write(TapEvent.Refused, run, message, route.Destination, route.Id);
    }

    private void Send(Outlet outlet, int route, in MidiMessage message, in Run run)
    {
        outlet.Enqueue(message);
        MarkDirty(outlet);
        if (Plan.Meter(new RouteId(route)) is { } meter)
        {
            meter.PassedCount++;
            if (run.Background) meter.PassedBackgroundCount++;
        }
        Write(TapEvent.Delivered, run, message, outlet.Id.Value, route);
    }

    /// <summary>Ends what an entry of the ledger held, because its own end came.</summary>
    private void End(in Ledger.Entry entry, ref Run run)
    {
        if (_outlets[entry.Destination] is not { } outlet) return;
        var message = Held.End(entry.Sounding, run.Message);
        outlet.Meter.HeldCount = _ledger.KeysAt(entry.Destination);
        if (_ledger.CountAt(entry.Destination, entry.Sounding) == 0) Send(outlet, entry.Route, message, run);
        else Write(TapEvent.HeldByOther, run, message, entry.Destination, entry.Route);
    }

    /// <summary>Ends what an entry of the ledger held, because its route or source no longer carries it.</summary>
    private void End(in Ledger.Entry entry)
    {
        if (_outlets[entry.Destination] is not { } outlet) return;
        outlet.Meter.HeldCount = _ledger.KeysAt(entry.Destination);
        if (_ledger.CountAt(entry.Destination, entry.Sounding) > 0) return;
        outlet.Enqueue(Held.End(entry.Sounding, default));
        MarkDirty(outlet);
    }

    private void Put(Outlet outlet, in MidiMessage message)
    {
        if (!outlet.HasRoom) return;
        outlet.Enqueue(message);
        MarkDirty(outlet);
    }

    private void MarkDirty(Outlet outlet)
    {
        if (outlet.IsDirty) return;
        outlet.IsDirty = true;
        _dirty[_dirtyCount++] = outlet.Id.Value;
    }

    private void Write(TapEvent what, in Run run, in MidiMessage message, int port, int route, int stage = 0)
    {
        if (run.Background) return;
        var length = 0;
        var start = 0ul;
        if (message.SysExHandle != 0)
        {
            var bytes = Pool.Bytes(message.SysExHandle);
            length = bytes.Length;
            for (var i = Math.Min(8, length) - 1; i >= 0; i--) start = start << 8 | bytes[i];
        }
        Tap.Write(new TapRecord(what, run.Time, message, port, route, stage, Plan.Version, length, start));
    }

    private void DropPortsThatAreGone(Studio studio)
    {
        for (var id = 0; id < _sources.Length; id++)
        {
            if (_sources[id] is { } source && studio.FindPort(new PortId(id)) is null)
            {
                source.Parser.Reset();
                _sources[id] = null;
            }
            if (_outlets[id] is { } outlet && studio.FindPort(new PortId(id)) is null)
            {
                outlet.Clear();
                _outlets[id] = null;
            }
        }
    }

    private sealed class SourceState(int id, StreamParser parser, PortMeter meter)
    {
        internal readonly int Id = id;
        internal readonly StreamParser Parser = parser;
        internal readonly PortMeter Meter = meter;
        internal bool On;
    }

    /// <summary>One message on its way through the routes of its source.</summary>
    private struct Run
    {
        internal const int NoOrigin = -1;

        internal readonly int Source;
        internal readonly MidiMessage Message;
        internal readonly MidiTime Time;
        internal readonly bool Background;

        /// <summary>The key or pedal at the source, as the ledger names it; <see cref="NoOrigin"/> for other messages.</summary>
        internal readonly int Origin;

        /// <summary>Whether this message ends something that the ledger holds.</summary>
        internal bool EndsHeld;

        internal Run(int source, in MidiMessage message, MidiTime time)
        {
            Source = source;
            Message = message;
            Time = time;
            Background = message.Kind.IsBackground();
            Origin = Held.TryOf(message, out var held) ? held : NoOrigin;
        }
    }

    private readonly ref struct SourceSink(Engine engine, SourceState source, MidiTime now) : IMessageSink
    {
        public void Accept(in MidiMessage message) => engine.Route(source, message, now);
    }
}
