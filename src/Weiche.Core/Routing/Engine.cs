using System.Runtime.CompilerServices;
using Weiche.Core.Midi;
using Weiche.Core.Stages;
using Weiche.Core.Studios;

namespace Weiche.Core.Routing;

/// <summary>Looks at a system exclusive as it comes, under the engine's lock: it must be quick and keep nothing of the bytes.</summary>
/// <param name="source">The source it came from.</param>
/// <param name="body">Its bytes between F0 and F7.</param>
/// <returns>Whether it goes no further.</returns>
public delegate bool ExclusiveGuard(PortId source, ReadOnlySpan<byte> body);

/// <summary>
/// Takes bytes from sources, runs each message through the live routes and leaves bytes for destinations.
/// </summary>
/// <remarks>
/// <para>The engine is a plain object without threads, clock or I/O: its host calls it under one lock, says what
/// time it is, and has the bytes that wait handed out (<see cref="Drain{TTaker}(ref TTaker, MidiTime)"/>). While messages
/// run it allocates nothing.</para>
/// <para><b>A note ends where it began.</b> The ledger holds each note-on and each pedal that went down; its end
/// follows it there even if the route's stages were changed in between. A route that is switched off or removed,
/// or whose port is switched off, ends at once what it holds. A key or pedal that two hold at one destination ends
/// when the last lets go.</para>
/// <para><b>One clock at a time.</b> Of several sources that send a clock to one destination the first is heard, until it falls silent;
/// the others' start, stop, continue and song position are left out with their clocks. A source without a clock of its own may start and
/// stop what another one keeps in time.</para>
/// <para><b>Bounds.</b> A destination's queue and the ledger have a fixed size. When one is full, new messages are
/// refused and counted, note-ons first of all; the ends of notes always fit.</para>
/// </remarks>
[SkipLocalsInit]
public sealed class Engine
{
    internal const int LedgerCapacity = 1 << 16;

    // A system exclusive that goes on for this long without a byte never ends.
    private const long SysExPatience = 5_000_000;

    // What a guard is shown: identity replies have 15 bytes at most.
    private const int LongestShown = 64;

    private readonly Ledger _ledger = new(LedgerCapacity);
    private SourceState?[] _sources = [];
    private Outlet?[] _outlets = [];
    private int[] _dirty = [];
    private int _dirtyCount;
    // For each route the last note-off whose note it holds, as the number of its run.
    private long[] _ending = [];
    private (CompiledRoute Route, int Stage)[] _timed = [];
    private readonly long _wireLead;
    // Room for what a stage makes of a message, for each stage of a route.
    private readonly MidiMessage[] _results = new MidiMessage[AddStage.MaxStages * Stage.MaxFanOut];
    private StreamParser? _own;
    private long _due = long.MaxValue;
    private long _run;
    private bool _guardWatches;

    /// <summary>An engine that runs a studio.</summary>
    /// <param name="plan">The studio's plan.</param>
    /// <param name="pool">Where system exclusive bytes are kept; a pool of its own if null.</param>
    /// <param name="tap">Where it writes down what happens; a tap of its own if null.</param>
    /// <param name="wireLead">How far ahead of a slow wire its bytes are handed out, µs: as much as the host's timer may
    /// be late. 0 where time is worked out rather than lived through.</param>
    public Engine(RoutingPlan plan, SysExPool? pool = null, MessageTap? tap = null, long wireLead = 0)
    {
        Pool = pool ?? new SysExPool();
        Tap = tap ?? new MessageTap();
        _wireLead = wireLead;
        Plan = plan;
        Swap(plan, MidiTime.Zero);
    }

    /// <summary>Where system exclusive bytes are kept.</summary>
    public SysExPool Pool { get; }

    /// <summary>What came and what became of it, for onlookers.</summary>
    public MessageTap Tap { get; }

    /// <summary>Is shown each short system exclusive as it comes, before it is routed; null if nobody looks.</summary>
    public ExclusiveGuard? Exclusives { get; set; }

    /// <summary>Stops what goes round in spite of the plan.</summary>
    public Guard Guard { get; } = new();

    /// <summary>The plan in force.</summary>
    public RoutingPlan Plan { get; private set; }

    /// <summary>When <see cref="Tick"/> has something to do next, µs; <see cref="long.MaxValue"/> if nothing is waiting
    /// for time to pass. Right after the waiting bytes have been fetched.</summary>
    public long NextDue => _due;

    /// <summary>How many notes and pedals are held, over all destinations.</summary>
    public int HeldCount => _ledger.Count;

    /// <summary>Puts another plan in force. What it no longer carries ends at once, at the right place.</summary>
    /// <param name="plan">The new plan.</param>
    /// <param name="now">The time.</param>
    public void Swap(RoutingPlan plan, MidiTime now)
    {
        // What stages keep for later goes out now: the last value always arrives.
        LetGo(new MidiTime(long.MaxValue / 2), now);
        var size = plan.Studio.NextId;
        if (size > _sources.Length)
        {
            Array.Resize(ref _sources, size);
            Array.Resize(ref _outlets, size);
            Array.Resize(ref _dirty, size);
            Array.Resize(ref _ending, size);
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
                _sources[id]!.Routes = plan.RoutesOf(id);
                _sources[id]!.MayEcho = MayLeadBack(port, PortDirection.Destination);
                _sources[id]!.Device = port.Device.Id.Value;
                _sources[id]!.MayCross = MayCross(port);
                _sources[id]!.Meter.Down = _sources[id]!.Down;
            }
            else
            {
                _ledger.AddDestination(id);
                _outlets[id] ??= new Outlet(
                    port.Id, plan.Meter(port.Id)!, Pool, port.Port.Wire.ByteTime(), port.Port.Wire != WireKind.Virtual, _wireLead, useRunningStatus: port.Port.Wire == WireKind.Din);
                _outlets[id]!.Meter.KeysHeldPlace = id;
                Volatile.Write(ref _outlets[id]!.Meter.KeysHeld, _ledger.KeysHeld);
                _outlets[id]!.MayReturn = MayLeadBack(port, PortDirection.Source);
                _outlets[id]!.Device = port.Device.Id.Value;
                _outlets[id]!.MayCross = MayCross(port);
            }
        }
        Plan = plan;
        Tap.BeginPlan(plan.Version);
        foreach (var route in plan.AllRoutes) route.Outlet = _outlets[route.Destination]!;
        foreach (var outlet in _outlets)
        {
            // A clock that no route carries any more makes way at once.
            if (outlet is { Clock.From: > 0 } && !plan.Leads(outlet.Clock.From, outlet)) outlet.Clock.Forget();
        }
        Guard.Keep(id => plan.Meter(new RouteId(id)) is not null);
        MarkGuarded();
        _timed = [.. plan.AllRoutes.SelectMany(route => route.Stages.Index().Where(stage => stage.Item.KeepsTime).Select(stage => (route, stage.Index)))];
        var cursor = 0;
        while (_ledger.TryTakeWhere(ref cursor, plan, static (entry, next) => !next.Carries(entry.Route, entry.Source), out var entry))
            End(entry, now);
        DropPortsThatAreGone(plan.Studio);
    }

    /// <summary>Takes bytes that came from a source, in pieces of any size.</summary>
    /// <param name="source">The source; bytes from a port that is not there are thrown away.</param>
    /// <param name="bytes">The bytes.</param>
    /// <param name="now">When they came.</param>
    public void Receive(PortId source, ReadOnlySpan<byte> bytes, MidiTime now)
    {
        if ((uint)source.Value >= (uint)_sources.Length || _sources[source.Value] is not { } state) return;
        state.Meter.ByteCount += bytes.Length;
        state.LastByte = now.Microseconds;
        if (state.Parser.TryTakeOne(bytes, out var message))
        {
            Route(state, message, now);
            return;
        }
        var sink = new SourceSink(this, state, now);
        state.Parser.Parse(bytes, ref sink);
        state.Meter.ThrownByteCount = state.Parser.ThrownBytes;
        if (state.Parser.IsInsideMessage) _due = Math.Min(_due, now.Microseconds + SysExPatience);
    }

    /// <summary>Does what time has brought: bytes that a slow wire is ready for, values that a stage kept, system
    /// exclusives that never end.</summary>
    /// <param name="now">The time.</param>
    public void Tick(MidiTime now)
    {
        if (now.Microseconds < _due) return;
        LetGo(now, now);
        _due = long.MaxValue;
        foreach (var (route, stage) in _timed) _due = Math.Min(_due, route.Stages[stage].NextDue);
        foreach (var outlet in _outlets)
        {
            if (outlet is null) continue;
            if (outlet.Due <= now.Microseconds) MarkDirty(outlet);
            else _due = Math.Min(_due, outlet.Due);
        }
        foreach (var source in _sources)
        {
            if (source is not { Parser.IsInsideMessage: true }) continue;
            if (source.LastByte + SysExPatience <= now.Microseconds)
            {
                source.Parser.Reset();
                source.Meter.ThrownByteCount = source.Parser.ThrownBytes;
            }
            else
            {
                _due = Math.Min(_due, source.LastByte + SysExPatience);
            }
        }
    }

    /// <summary>Says that a source broke off, perhaps in the middle of a message. What it holds ends.</summary>
    /// <param name="source">The source.</param>
    /// <param name="now">The time.</param>
    public void BreakOff(PortId source, MidiTime now)
    {
        if ((uint)source.Value >= (uint)_sources.Length || _sources[source.Value] is not { } state) return;
        state.Parser.Reset();
        Array.Clear(state.Down);
        foreach (var outlet in _outlets)
        {
            if (outlet is not null && outlet.Clock.From == source.Value) outlet.Clock.Forget();
        }
        var cursor = 0;
        while (_ledger.TryTakeWhere(ref cursor, source.Value, static (entry, id) => entry.Source == id, out var entry))
            End(entry, now);
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
        while (_ledger.TryTakeWhere(ref cursor, 0, static (_, _) => true, out var entry)) End(entry, now);
        foreach (var outlet in _outlets)
        {
            if (outlet is null) continue;
            for (var channel = 0; channel < Channel.Count; channel++)
            {
                if (!outlet.HasUsed(channel)) continue;
                foreach (var controller in (ReadOnlySpan<byte>)[64, 66, 67, 123, 120]) Put(outlet, MidiMessage.Raw(0xB0 | channel, controller, 0), now);
                Put(outlet, MidiMessage.Raw(0xE0 | channel, 0, 64), now);
                Put(outlet, MidiMessage.Raw(0xD0 | channel, 0, 0), now);
            }
        }
    }

    /// <summary>Sends whole messages to a destination from Weiche itself, merged with all that sources send there.</summary>
    /// <param name="destination">The destination; nothing happens if it is not there or switched off.</param>
    /// <param name="bytes">The messages, each whole.</param>
    /// <param name="now">The time.</param>
    public void Send(PortId destination, ReadOnlySpan<byte> bytes, MidiTime now)
    {
        if ((uint)destination.Value >= (uint)_outlets.Length || _outlets[destination.Value] is not { } outlet) return;
        if (Plan.Studio.FindPort(destination) is not { Port.On: true }) return;
        var sink = new OwnSink(this, outlet, now);
        _own ??= new StreamParser(Pool);
        _own.Parse(bytes, ref sink);
        _own.Reset();
    }

    /// <summary>Hands out the bytes that wait, to every destination whose wire is ready for them.</summary>
    /// <typeparam name="TTaker">What takes them; a struct is called without a detour.</typeparam>
    /// <param name="taker">Where they go. It must not call the engine.</param>
    /// <param name="now">The time.</param>
    public void Drain<TTaker>(ref TTaker taker, MidiTime now)
        where TTaker : IByteTaker, allows ref struct
    {
        while (_dirtyCount > 0)
        {
            if (_outlets[_dirty[--_dirtyCount]] is not { } outlet) continue;
            outlet.IsDirty = false;
            Drain(outlet, ref taker, now);
        }
    }

    /// <summary>Hands out the bytes that wait for one destination, which has room again.</summary>
    /// <typeparam name="TTaker">What takes them.</typeparam>
    /// <param name="destination">The destination; nothing happens if it is not there.</param>
    /// <param name="taker">Where they go. It must not call the engine.</param>
    /// <param name="now">The time.</param>
    public void Drain<TTaker>(PortId destination, ref TTaker taker, MidiTime now)
        where TTaker : IByteTaker, allows ref struct
    {
        if ((uint)destination.Value < (uint)_outlets.Length && _outlets[destination.Value] is { } outlet) Drain(outlet, ref taker, now);
    }

    private void Drain<TTaker>(Outlet outlet, ref TTaker taker, MidiTime now)
        where TTaker : IByteTaker, allows ref struct
    {
        do
        {
            var bytes = outlet.Pending(now);
            if (bytes.Length == 0)
            {
                // Nothing waits, or the wire is busy.
                _due = Math.Min(_due, outlet.Due);
                return;
            }
            var taken = taker.Take(outlet.Id, bytes);
            outlet.Advance(taken);
            if (taken < bytes.Length) return;
        }
        while (outlet.HasPending);
    }

    /// <summary>What the guard stops now, the oldest first, and the ways back that it saw. Not on the live path.</summary>
    public (GuardTrip[] Trips, WayBack[] Ways) Guarded() => (Guard.Trips(), Guard.Learned());

    /// <summary>Lets everything run again that the guard has stopped.</summary>
    public void Resume()
    {
        Guard.Resume();
        MarkGuarded();
    }

    /// <summary>Whether something that goes to the device of a port could come back from it: over DIN jacks anything may be plugged
    /// anywhere; else the device must have a port of the other direction.</summary>
    private static bool MayLeadBack(DevicePort port, PortDirection other) =>
        MayCross(port) || port.Owner.Ports.Any(each => each.Direction == other);

    /// <summary>Whether something that goes to one device may come back by another here: where cables can be plugged wrongly.</summary>
    private static bool MayCross(DevicePort port) => port.Port.Jack is not null || port.Owner.Kind == DeviceKind.Raw;

    private void MarkGuarded()
    {
        foreach (var route in Plan.AllRoutes) route.IsGuarded = Guard.Concerns(route.Id);
    }

    /// <summary>Looks whether the same came from a source just before. Only then does the guard begin to watch what is sent: as long as
    /// nothing comes twice, nothing goes round, and this is all it costs.</summary>
    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    private void LookTwice(SourceState source, ref Run run)
    {
        var key = run.Message.Status == 0xF0 ? KeyOfExclusive(ref run) : run.Message.ShortBytes;
        ref var place = ref source.Seen.PlaceOf(key);
        if (place.Has(key) || source.Seen.HasDrawn(key) || _guardWatches) LookAgain(source, ref run, ref place, key);
        else source.Seen.Take(ref place, key, run.Time, run.Number);
    }

    [MethodImpl(MethodImplOptions.NoInlining)]
    private void LookAgain(SourceState source, ref Run run, ref Guard.Place place, uint key)
    {
        var since = source.Seen.Since(place, key, run.Time);
        source.Seen.Take(ref place, key, run.Time, run.Number);
        if (since <= Guard.LongestWindow || _guardWatches) AskGuard(source, ref run, since is not null, since ?? 0);
    }

    private uint KeyOfExclusive(ref Run run)
    {
        run.Exclusive = Fingerprint(Pool.Bytes(run.Message.SysExHandle));
        return Guard.KeyOf(run.Message, run.Exclusive);
    }

    /// <summary>Asks the guard how often a message has gone round; what it stops from now on ends where it is held.</summary>
    private void AskGuard(SourceState source, ref Run run, bool again, long since)
    {
        var message = run.Message;
        var isDown = message.IsNoteOn && (source.Down[message.ChannelIndex * 2 + (message.Data1 >> 6)] >> (message.Data1 & 63) & 1) != 0;
        var version = Guard.Version;
        var begins = Guard.Begins(again, since, message, isDown, run.Time.Microseconds);
        _guardWatches = Guard.IsWatching(run.Time.Microseconds);
        if (!_guardWatches) return;
        run.Generation = Guard.GenerationOf(message, run.Exclusive, source.Id, source.Device, source.MayCross, isDown, run.Time.Microseconds, out var tripped);
        // It has been here before, and comes again: that was one round at least.
        if (begins && run.Generation == 0 && !tripped) run.Generation = 2;
        if (version != Guard.Version) MarkGuarded();
        if (!tripped) return;
        Guard.LastStopped(out var route, out var from, out var origin, out var isWhole);
        var cursor = 0;
        while (_ledger.TryTakeWhere(ref cursor, (route, from, origin, isWhole), static (entry, stopped) =>
            entry.Route == stopped.route && entry.Source == stopped.from
            && (Held.TryOrigin(stopped.origin, out var held) ? stopped.isWhole ? Held.IsOnChannelOf(entry.Origin, held) : entry.Origin == held : false), out var entry))
            End(entry, run.Time);
    }

    private static uint Fingerprint(ReadOnlySpan<byte> bytes)
    {
        var hash = 2166136261u;
        foreach (var each in bytes[..Math.Min(bytes.Length, LongestShown)]) hash = (hash ^ each) * 16777619u;
        return hash ^ (uint)bytes.Length;
    }

    [MethodImpl(MethodImplOptions.NoInlining)]
    private void Route(SourceState source, in MidiMessage message, MidiTime now)
    {
        source.Meter.KindCounts[(int)message.Kind]++;
        var run = new Run(source.Id, message, now, ++_run);
        run.Quiet = run.Background && !Tap.TakesBackground;
        if (source.MayEcho && Guard.IsOn) LookTwice(source, ref run);
        WriteArrival(run);
        if (message.SysExHandle != 0 && Swallows(source, message)) Write(TapEvent.Kept, run, message, source.Id, 0);
        else if (!source.On) Write(TapEvent.SourceOff, run, message, source.Id, 0);
        else RouteLive(source, ref run);
        if (!run.Quiet) Tap.Publish();
    }

    [MethodImpl(MethodImplOptions.NoInlining)]
    private bool Swallows(SourceState source, in MidiMessage message)
    {
        if (Exclusives is not { } guard) return false;
        var bytes = Pool.Bytes(message.SysExHandle);
        return bytes.Length <= LongestShown && guard(new PortId(source.Id), bytes);
    }

    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    private void RouteLive(SourceState source, ref Run run)
    {
        if (run.Message.IsNote) BeginOrEndNote(source, ref run);
        foreach (var route in source.Routes)
        {
            if (route.IsPlain)
            {
                StepThroughOneTable(route, ref run);
                if (run.PedalUp) EndOlder(ref run, route);
                continue;
            }
            if (TakesAway(route, ref run)) break;
        }
        if (run.EndsNote)
        {
            while (_ledger.TryNext(ref run.Ending, out var entry)) End(entry, ref run);
        }
        else if (_ledger.HoldsByControls(run.Source) && !run.Message.IsNote && Held.TryOrigin(run.Message, out run.Origin) && Held.IsLow(run.Message))
        {
            // What holds a pedal came down, and no route let its end through any more: it ends all the same.
            EndOlder(ref run, 0);
        }
    }

    /// <summary>Runs a message through a route that is not like most. One that diverts and lets anything through takes the message
    /// away from all that follow.</summary>
    [MethodImpl(MethodImplOptions.NoInlining)]
    private bool TakesAway(CompiledRoute route, ref Run run)
    {
        if (route.IsGuarded && Guard.Stops(route.Id, run.Source, run.Message)) Write(TapEvent.Guarded, run, run.Message, route.Destination, route.Id);
        else if (route.IsLive) Step(route, ref run);
        else Write(TapEvent.DestinationOff, run, run.Message, route.Destination, route.Id);
        if (run.PedalUp) EndOlder(ref run, route);
        var takes = route.Diverts && run.CameThrough;
        run.CameThrough = false;
        return takes;
    }

    /// <summary>A pedal went up through a route, which may have led elsewhere when it went down: it goes up there too.</summary>
    private void EndOlder(ref Run run, CompiledRoute route)
    {
        EndOlder(ref run, route.Id);
        run.PedalUp = false;
    }

    [MethodImpl(MethodImplOptions.NoInlining)]
    private void EndOlder(ref Run run, int route)
    {
        while (_ledger.TryTakeOlder(run.Source, run.Origin, route, run.Number, out var entry)) End(entry, run.Time);
    }

    /// <summary>Keeps in mind which keys are down at a source: the note-off of a note that began nowhere goes nowhere.</summary>
    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    private void BeginOrEndNote(SourceState source, ref Run run)
    {
        ref var down = ref source.Down[run.Message.ChannelIndex * 2 + (run.Message.Data1 >> 6)];
        var bit = 1ul << (run.Message.Data1 & 63);
        if (run.Message.IsNoteOn)
        {
            down |= bit;
            run.HeldNothing = !_ledger.HoldsAny(run.Source, run.Origin);
            return;
        }
        run.Ending = _ledger.TakeAll(run.Source, run.Origin, _ending, run.Number);
        run.EndsNote = run.Ending != Ledger.None || (down & bit) != 0;
        down &= ~bit;
    }

    /// <summary>Runs a message through a route from its beginning. Most routes are one table, or none.</summary>
    private void Step(CompiledRoute route, ref Run run)
    {
        if (route.IsOneTable) StepThroughOneTable(route, ref run);
        else Step(route, 0, run.Message, ref run);
    }

    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    private void StepThroughOneTable(CompiledRoute route, ref Run run)
    {
        var message = run.Message;
        if (route.Whole is { } table)
        {
            if (!table.TryApply(ref message))
            {
                StopWithin(route, 0, message, run);
                return;
            }
            route.First!.ThroughCount++;
        }
        run.CameThrough = true;
        Deliver(route, message, ref run);
    }

    private void Step(CompiledRoute route, int stage, MidiMessage message, ref Run run)
    {
        var stages = route.Stages;
        while (stage < stages.Length)
        {
            if (route.Tables[stage] is { } table)
            {
                if (!table.TryApply(ref message))
                {
                    StopWithin(route, stage, message, run);
                    return;
                }
                route.Meter.StageMeters[stage].ThroughCount++;
                stage = route.Ends[stage];
                continue;
            }
            var meter = route.Meter.StageMeters[stage];
            var results = _results.AsSpan(stage * Stage.MaxFanOut, Stage.MaxFanOut);
            var count = stages[stage].Apply(message, run.Time, run.Source, results);
            meter.InCount++;
            meter.OutCount += count;
            if (count == 0)
            {
                // A stage that keeps messages for later has taken this one.
                if (stages[stage].KeepsTime)
                {
                    run.CameThrough = true;
                    _due = Math.Min(_due, stages[stage].NextDue);
                }
                Stop(route, stage, message, run);
                return;
            }
            stage++;
            if (count > 1)
            {
                for (var i = 0; i < count; i++) Step(route, stage, results[i], ref run);
                return;
            }
            message = results[0];
        }
        run.CameThrough = true;
        Deliver(route, message, ref run);
    }

    /// <summary>Runs a message that will be stopped through tables one by one, to learn which of them stops it.</summary>
    private void StopWithin(CompiledRoute route, int stage, MidiMessage message, in Run run)
    {
        for (; ; stage++)
        {
            var meter = route.Meter.StageMeters[stage];
            meter.InCount++;
            if (!((TableStage)route.Stages[stage]).TryApply(ref message)) break;
            meter.OutCount++;
        }
        Stop(route, stage, message, run);
    }

    private void Stop(CompiledRoute route, int stage, in MidiMessage message, in Run run)
    {
        var meter = route.Meter.StageMeters[stage];
        meter.StoppedCount++;
        if (run.Background) meter.StoppedBackgroundCount++;
        Write(TapEvent.Stopped, run, message, route.Destination, route.Id, stage);
    }

    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    private void Deliver(CompiledRoute route, in MidiMessage message, ref Run run)
    {
        var outlet = route.Outlet;
        if (!outlet.HasRoom)
        {
            Refuse(outlet, route, message, run);
            return;
        }
        if (message.IsNote)
        {
            if (!MayNotePass(route, outlet, message, ref run)) return;
        }
        else if (Held.IsPedal(message) && Held.TryOrigin(run.Message, out run.Origin) && !MayPedalPass(route, outlet, message, ref run))
        {
            return;
        }
        else if (message.IsOfClock && outlet.Clock.LeavesOut(message, run.Source, run.Time))
        {
            outlet.Meter.OtherClockCount++;
            Write(TapEvent.OtherClock, run, message, route.Destination, route.Id);
            return;
        }
        Send(outlet, route.Id, route.Meter, message, run);
    }

    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    private bool MayNotePass(CompiledRoute route, Outlet outlet, in MidiMessage message, ref Run run)
    {
        if (run.EndsNote)
        {
            // What this ends is in the ledger and goes out from there. Through this route, perhaps, nothing began.
            if (_ending[route.Id] != run.Number) Write(TapEvent.NotBegunHere, run, message, route.Destination, route.Id);
            return false;
        }
        var sounding = Held.OfNote(message);
        if (message.IsNoteOn)
        {
            if (!_ledger.TryEnter(run.Source, run.Origin, route.Id, route.Destination, sounding, run.Number, run.HeldNothing))
            {
                Refuse(outlet, route, message, run);
                return false;
            }
            return true;
        }
        if (_ledger.CountAt(route.Destination, sounding) == 0) return true;
        Write(TapEvent.HeldByOther, run, message, route.Destination, route.Id);
        return false;
    }

    [MethodImpl(MethodImplOptions.NoInlining)]
    private bool MayPedalPass(CompiledRoute route, Outlet outlet, in MidiMessage message, ref Run run)
    {
        _ = Held.TryOrigin(message, out var sounding);
        if (!Held.IsLow(message))
        {
            if (_ledger.TryEnter(run.Source, run.Origin, route.Id, route.Destination, sounding, run.Number)) return true;
            Refuse(outlet, route, message, run);
            return false;
        }
        run.PedalUp = true;
        _ledger.TakeExactly(run.Source, run.Origin, route.Id, route.Destination, sounding);
        if (_ledger.CountAt(route.Destination, sounding) == 0) return true;
        Write(TapEvent.HeldByOther, run, message, route.Destination, route.Id);
        return false;
    }

    /// <summary>Sends on what stages have kept and is due, from the stage after.</summary>
    private void LetGo(MidiTime due, MidiTime now)
    {
        foreach (var (route, stage) in _timed)
        {
            while (route.Stages[stage].TryLetGo(due, out var source, out var message))
            {
                // It was counted as stopped when it was kept.
                var meter = route.Meter.StageMeters[stage];
                meter.StoppedCount--;
                meter.OutCount++;
                if (!route.IsLive) continue;
                var run = new Run(source, message, now, ++_run) { Quiet = true };
                Step(route, stage + 1, message, ref run);
            }
        }
    }

    [MethodImpl(MethodImplOptions.NoInlining)]
    private void Refuse(Outlet outlet, CompiledRoute route, in MidiMessage message, in Run run)
    {
        outlet.Meter.RefusedCount++;
        Write(TapEvent.Refused, run, message, route.Destination, route.Id);
    }

    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    private void Send(Outlet outlet, int route, RouteMeter? meter, in MidiMessage message, in Run run)
    {
        outlet.Enqueue(message, run.Source, run.Time);
        MarkDirty(outlet);
        if (_guardWatches && outlet.MayReturn) Guard.Remember(message, run.Exclusive, run.Message, run.Generation, run.Number, run.Source, route, outlet.Id.Value, outlet.Device, outlet.MayCross, run.Time.Microseconds);
        if (meter is not null)
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
        if (_ledger.CountAt(entry.Destination, entry.Sounding) == 0) Send(outlet, entry.Route, Plan.Meter(new RouteId(entry.Route)), message, run);
        else Write(TapEvent.HeldByOther, run, message, entry.Destination, entry.Route);
    }

    /// <summary>Ends what an entry of the ledger held, because its route or source no longer carries it.</summary>
    private void End(in Ledger.Entry entry, MidiTime now)
    {
        if (_outlets[entry.Destination] is not { } outlet) return;
        if (_ledger.CountAt(entry.Destination, entry.Sounding) > 0) return;
        outlet.Enqueue(Held.End(entry.Sounding, default), entry.Source, now);
        MarkDirty(outlet);
    }

    private void Put(Outlet outlet, in MidiMessage message, MidiTime now)
    {
        if (!outlet.HasRoom) return;
        outlet.Enqueue(message, 0, now);
        MarkDirty(outlet);
    }

    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    private void MarkDirty(Outlet outlet)
    {
        if (outlet.IsDirty) return;
        outlet.IsDirty = true;
        _dirty[_dirtyCount++] = outlet.Id.Value;
    }

    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    private void Write(TapEvent what, in Run run, in MidiMessage message, int port, int route, int stage = 0)
    {
        if (!run.Quiet) Tap.Write(TapRecord.OfEnd(what, message, port, route, stage));
    }

    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    private void WriteArrival(in Run run)
    {
        if (run.Quiet) return;
        Tap.Write(TapRecord.OfArrival(run.Message, run.Source, run.Time));
        if (run.Message.SysExHandle != 0) Tap.Write(TapRecord.OfExclusive(Pool.Bytes(run.Message.SysExHandle)));
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
        internal readonly ulong[] Down = new ulong[Channel.Count * 2];
        internal bool On;
        internal CompiledRoute[] Routes = [];

        /// <summary>Whether something that was sent could come back here.</summary>
        internal bool MayEcho;
        internal int Device;
        internal bool MayCross;

        /// <summary>What came last, for the guard.</summary>
        internal Guard.Seen Seen;
        internal long LastByte;
    }

    /// <summary>One message on its way through the routes of its source.</summary>
    private struct Run
    {
        internal readonly int Source;
        internal readonly MidiMessage Message;
        internal readonly MidiTime Time;
        internal readonly bool Background;

        /// <summary>Counts up by one with each message.</summary>
        internal readonly long Number;

        /// <summary>What moved at the source, as the ledger names it. For a note from the first, else as soon as it is asked for.</summary>
        internal int Origin;

        /// <summary>Whether this is the note-off of a note whose beginning was seen.</summary>
        internal bool EndsNote;

        /// <summary>What it ends: the place of the first in the ledger.</summary>
        internal int Ending;

        /// <summary>Whether this is the note-on of a key that held nothing before.</summary>
        internal bool HeldNothing;

        /// <summary>Whether anything came through the route that it runs through.</summary>
        internal bool CameThrough;

        /// <summary>Whether a pedal went up through the route that it runs through.</summary>
        internal bool PedalUp;

        /// <summary>How often it has gone round already, as far as the guard knows.</summary>
        internal int Generation;

        /// <summary>A number for the bytes of a system exclusive, for the guard; else 0.</summary>
        internal uint Exclusive;

        /// <summary>Whether the tap gets no line: it has had it already, or takes none of the background.</summary>
        internal bool Quiet;

        [MethodImpl(MethodImplOptions.AggressiveInlining)]
        internal Run(int source, in MidiMessage message, MidiTime time, long number)
        {
            Number = number;
            Source = source;
            Message = message;
            Time = time;
            Background = message.IsBackground;
            if (message.IsNote) Origin = Held.OfNote(message);
        }
    }

    private readonly ref struct OwnSink(Engine engine, Outlet outlet, MidiTime now) : IMessageSink
    {
        public void Accept(in MidiMessage message) => engine.Put(outlet, message, now);
    }

    private readonly ref struct SourceSink(Engine engine, SourceState source, MidiTime now) : IMessageSink
    {
        public void Accept(in MidiMessage message) => engine.Route(source, message, now);
    }
}
