using System.Runtime.CompilerServices;
using Weiche.Core.Midi;
using Weiche.Core.Stages;
using Weiche.Core.Studios;

namespace Weiche.Core.Live;

/// <summary>Looks at a system exclusive as it comes, on its way through the engine: it must be quick, wait for nothing, and keep nothing of
/// the bytes.</summary>
/// <param name="source">The source it came from.</param>
/// <param name="body">Its bytes between F0 and F7.</param>
/// <returns>Whether it goes no further.</returns>
public delegate bool ExclusiveFilter(PortId source, ReadOnlySpan<byte> body);

/// <summary>
/// Takes bytes from sources, runs each message through the live routes and leaves bytes for destinations.
/// </summary>
/// <remarks>
/// <para>The engine is a plain object without threads, clock or I/O: its host lets one thread at a time in, says what
/// time it is, and has the bytes that wait handed out (<see cref="Drain{TTaker}(ref TTaker, MidiTime)"/>). While messages
/// run it allocates nothing, nor does it when another studio is put in force: that is made ready beforehand
/// (<see cref="Prepare"/>).</para>
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
public sealed partial class Engine
{
    internal const int LedgerCapacity = 1 << 16;

    // A system exclusive that goes on for this long without a byte never ends.
    private static readonly MidiSpan SysExPatience = MidiSpan.FromMilliseconds(5_000);

    // What a filter is shown: identity replies have 15 bytes at most.
    private const int LongestShown = 64;

    // Later than any moment that something is kept for.
    private static readonly MidiTime EndOfTime = new(long.MaxValue / 2);

    private readonly Ledger _ledger = new(LedgerCapacity);
    private readonly MidiSpan _wireLead;

    // Room for what a stage makes of a message, for each stage of a route.
    private readonly MidiMessage[] _results = new MidiMessage[Studios.Route.MaxStages * Stage.MaxFanOut];
    private PreparedStudio _prepared;

    // Of the studio in force, as they are asked for with every message.
    private SourceState?[] _sources = [];
    private Outlet?[] _outlets = [];
    private int[] _dirty = [];
    private long[] _ending = [];
    private int _dirtyCount;
    private StreamParser _own;
    private ExclusiveFilter? _exclusives;
    private MidiTime _due = MidiTime.Never;
    private long _run;
    private bool _guardWatches;

    /// <summary>An engine that runs a studio.</summary>
    /// <param name="compiled">The compiled studio.</param>
    /// <param name="pool">Where system exclusive bytes are kept; a pool of its own if null.</param>
    /// <param name="tap">Where it writes down what happens; a tap of its own if null.</param>
    /// <param name="wireLead">How far ahead of a slow wire its bytes are handed out: as much as the host's timer may
    /// be late. None where time is worked out rather than lived through.</param>
    public Engine(CompiledStudio compiled, SysExPool? pool = null, MessageTap? tap = null, MidiSpan wireLead = default)
    {
        Pool = pool ?? new SysExPool();
        Guard = new Guard(Pool);
        Tap = tap ?? new MessageTap();
        _wireLead = wireLead;
        _own = new StreamParser(Pool);
        _prepared = new PreparedStudio(compiled, null, Pool, wireLead);
        _conductor = new Conductor(this);
        Adopt(_prepared, _prepared.PlaceOf(null), MidiTime.Zero);
    }

    /// <summary>Where system exclusive bytes are kept.</summary>
    public SysExPool Pool { get; }

    /// <summary>What came and what became of it, for onlookers.</summary>
    public MessageTap Tap { get; }

    /// <summary>Is shown each short system exclusive as it comes, before it is routed; null if nobody looks. May be set by any
    /// thread.</summary>
    public ExclusiveFilter? Exclusives
    {
        get => Volatile.Read(ref _exclusives);
        set => Volatile.Write(ref _exclusives, value);
    }

    /// <summary>Stops what goes round in spite of the plan.</summary>
    public Guard Guard { get; }

    /// <summary>The compiled studio in force. May be asked by any thread.</summary>
    public CompiledStudio Compiled => Volatile.Read(ref _prepared).Compiled;

    /// <summary>When <see cref="Tick"/> has something to do next; never if nothing is waiting
    /// for time to pass. Right after the waiting bytes have been fetched.</summary>
    public MidiTime NextDue => _due;

    /// <summary>The same without the pulses, which never end while a clock runs: whether anything else is still under way. Right after the
    /// waiting bytes have been fetched; looked up anew each time it is asked for.</summary>
    public MidiTime DueBesidesTime
    {
        get
        {
            var due = MidiTime.Earlier(Guard.Due, _playback.Due);
            foreach (var (line, stage) in _prepared.Timed)
                due = MidiTime.Earlier(due, line.Stages[stage].NextDue);
            foreach (var outlet in _outlets)
                due = outlet is null ? due : MidiTime.Earlier(due, outlet.Due);
            foreach (var source in _sources)
            {
                if (source is { Parser.IsInsideMessage: true })
                    due = MidiTime.Earlier(due, source.LastByte + SysExPatience);
            }
            return due;
        }
    }

    /// <summary>How many notes and pedals are held, over all destinations.</summary>
    public int HeldCount => _ledger.Count;

    /// <summary>Makes ready what is needed to put a compiled studio in force. May be called by any thread, one at a time; what it gives is
    /// for this engine, and is put in force before the next is made ready, or thrown away.</summary>
    /// <param name="compiled">The compiled studio.</param>
    /// <param name="playedAs">The sources that a take will be played as; null for those of before.</param>
    public PreparedStudio Prepare(CompiledStudio compiled, PortId[]? playedAs = null) =>
        new(compiled, Volatile.Read(ref _prepared), Pool, _wireLead, playedAs);

    /// <summary>Puts a studio in force that was made ready. What it no longer carries ends at once, at the right place.</summary>
    /// <param name="prepared">The studio.</param>
    /// <param name="now">The time.</param>
    /// <exception cref="InvalidOperationException">Another studio has been put in force since this one was made ready.</exception>
    public void Swap(PreparedStudio prepared, MidiTime now)
    {
        if (!ReferenceEquals(prepared.Before, _prepared))
            throw new InvalidOperationException("Another studio has been put in force meanwhile.");
        if (!prepared.HasPlayersOf(_prepared))
            EndPlayers(now);
        prepared.GoOnFrom(_prepared);
        if (prepared.Compiled.Studio.Levers != Compiled.Studio.Levers)
            _conductor.Drop(now);
        // The lineup that is played stays in force, if it is there; what was made ready may know of an older one.
        var place = prepared.PlaceOf(InForce);
        // What stages keep for later goes out now: the last value always arrives. What plays in time plays on.
        foreach (var (line, stage) in _prepared.Timed)
        {
            if (!line.Stages[stage].MakesNotes || prepared.PlaysOn(line, stage, place, out var sources) is not { } next)
            {
                LetGo(line, stage, EndOfTime, now);
                continue;
            }
            line.Stages[stage].KeepOnly(sources);
            prepared.ForgetUnsoloed(line.Stages[stage], line.Id, place);
            LetGoMade(line, stage, now);
            next.GoOnFrom(line.Stages[stage]);
        }
        var cursor = 0;
        while (
            _ledger.TryTakeWhere(
                ref cursor,
                (prepared, place),
                static (entry, next) => !next.prepared.Carries(entry.Route, entry.Source, next.place),
                out var entry
            )
        )
            End(entry, now);
        ClearWhatIsGone(prepared);
        Adopt(prepared, place, now);
        if (prepared.Entries.Length > 0)
            Settle(now);
        ForgetClocks();
        Guard.Keep(prepared);
        MarkGuarded();
    }

    /// <summary>Takes bytes that came from a source, in pieces of any size.</summary>
    /// <param name="source">The source; bytes from a port that is not there are thrown away. The destination of a virtual port is a source,
    /// too: by it comes what other programs send there.</param>
    /// <param name="bytes">The bytes.</param>
    /// <param name="now">When they came.</param>
    public void Receive(PortId source, ReadOnlySpan<byte> bytes, MidiTime now)
    {
        if ((uint)source.Value >= (uint)_sources.Length || _sources[source.Value] is not { } state)
            return;
        state.Meter.ByteCount += bytes.Length;
        state.LastByte = now;
        if (state.Parser.TryTakeOne(bytes, out var message))
        {
            Route(state, message, now);
            return;
        }
        var sink = new SourceSink(this, state, now);
        state.Parser.Parse(bytes, ref sink);
        state.Meter.ThrownByteCount = state.Parser.ThrownBytes;
        if (state.Parser.IsInsideMessage)
            _due = MidiTime.Earlier(_due, now + SysExPatience);
    }

    /// <summary>Does what time has brought: bytes that a slow wire is ready for, values that a stage kept, system
    /// exclusives that never end.</summary>
    /// <param name="now">The time.</param>
    public void Tick(MidiTime now)
    {
        if (now < _due)
            return;
        _conductor.Tick(now);
        PlayOn(now);
        LetGo(now, now);
        StopProven(now);
        _due = MidiTime.Earlier(MidiTime.Earlier(Guard.Due, _conductor.Due), _playback.Due);
        foreach (var (line, stage) in _prepared.Timed)
            _due = MidiTime.Earlier(_due, line.Stages[stage].NextDue);
        foreach (var outlet in _outlets)
        {
            if (outlet is null)
                continue;
            if (outlet.Due <= now)
                MarkDirty(outlet);
            else
                _due = MidiTime.Earlier(_due, outlet.Due);
        }
        foreach (var source in _sources)
        {
            if (source is not { Parser.IsInsideMessage: true })
                continue;
            if (source.LastByte + SysExPatience <= now)
            {
                source.Parser.Reset();
                source.Meter.ThrownByteCount = source.Parser.ThrownBytes;
            }
            else
            {
                _due = MidiTime.Earlier(_due, source.LastByte + SysExPatience);
            }
        }
    }

    /// <summary>Says that a source broke off, perhaps in the middle of a message. What it holds ends.</summary>
    /// <param name="source">The source.</param>
    /// <param name="now">The time.</param>
    public void BreakOff(PortId source, MidiTime now)
    {
        if (_prepared.FindSource(source) is not { } state)
            return;
        state.Parser.Reset();
        Array.Clear(state.Down);
        // What it held of the time is not let go of on a beat.
        if (state.Levers is { AnyDown: true })
            _conductor.Drop(now);
        state.Levers?.LetGo(this, now);
        state.ClearSwallowed();
        foreach (var (line, stage, _) in _prepared.Beating)
        {
            line.Stages[stage].Forget(source.Value);
            LetGoMade(line, stage, now);
        }
        foreach (var outlet in _outlets)
        {
            if (outlet is not null && outlet.Clock.From == source)
                outlet.Clock.Forget();
        }
        var cursor = 0;
        while (_ledger.TryTakeWhere(ref cursor, source, static (entry, id) => entry.Source == id, out var entry))
            End(entry, now);
        LookWhatRings(state, now);
        _conductor.Lose(source, now);
        AwaitConductor();
    }

    /// <summary>
    /// Ends every note everywhere. First what the ledger holds, each at the place where it went; then, on every
    /// channel that was used, pedals up, controllers 123 (all notes off) and 120 (all sound off), bend to the
    /// middle and pressure to nothing.
    /// </summary>
    /// <param name="now">The time.</param>
    public void AllNotesOff(MidiTime now)
    {
        StopTake(now);
        foreach (var (line, stage, _) in _prepared.Beating)
            LetGo(line, stage, EndOfTime, now);
        var cursor = 0;
        while (_ledger.TryTakeWhere(ref cursor, 0, static (_, _) => true, out var entry))
            End(entry, now);
        foreach (var source in _prepared.Arrangements)
            LookWhatRings(source.State, now);
        foreach (var outlet in _outlets)
        {
            if (outlet is null)
                continue;
            for (var channel = 0; channel < Channel.Count; channel++)
            {
                if (!outlet.HasUsed(channel))
                    continue;
                foreach (var controller in (ReadOnlySpan<byte>)[64, 66, 67, 123, 120])
                    Put(outlet, MidiMessage.Raw(0xB0 | channel, controller, 0), now);
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
        if (_prepared.FindOutlet(destination) is not { } outlet)
            return;
        if (_prepared.Compiled.Studio.FindPort(destination) is not { Port.On: true })
            return;
        var sink = new OwnSink(this, outlet, now);
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
            if (_outlets[_dirty[--_dirtyCount]] is not { } outlet)
                continue;
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
        if (_prepared.FindOutlet(destination) is { } outlet)
            Drain(outlet, ref taker, now);
    }

    /// <summary>Says that nobody is there any more to take the bytes of a destination.</summary>
    /// <param name="destination">The destination; nothing happens if it is not there.</param>
    public void Leave(PortId destination)
    {
        if (_prepared.FindOutlet(destination) is { } outlet)
            (outlet.HasLeft, outlet.Time.Delay) = (true, MidiSpan.Zero);
    }

    /// <summary>Says how much later than it is handed out whoever takes the bytes of a destination has them arrive.</summary>
    /// <param name="destination">The destination; nothing happens if it is not there.</param>
    /// <param name="delay">How much later, the same for all bytes; not below zero.</param>
    /// <remarks>Only who follows the clock, steadied, gets it so much earlier: nothing else is known ahead.</remarks>
    public void Delay(PortId destination, MidiSpan delay)
    {
        if (_prepared.FindOutlet(destination) is { } outlet)
            outlet.Time.Delay = delay;
    }

    /// <summary>When what is handed out at this moment was due, if a message of the clock is the first of it; else never.</summary>
    public MidiTime ClockDue { get; private set; } = MidiTime.Never;

    /// <summary>Says that somebody takes the bytes of a destination again, after nobody did: the ends of notes and pedals that it missed,
    /// and what all notes off would have sent it, are handed out before anything else; then what the last lineup that had something for it
    /// sends on being entered.</summary>
    /// <param name="destination">The destination; nothing happens if it is not there or was not away.</param>
    /// <param name="now">The time.</param>
    public void Return(PortId destination, MidiTime now)
    {
        if (_prepared.FindOutlet(destination) is not { } outlet)
            return;
        var (wasAway, hasLeft) = (outlet.IsAway, outlet.HasLeft);
        outlet.Return(now);
        outlet.HasLeft = false;
        if (wasAway || hasLeft)
            TellAgain(outlet, now);
        MarkDirty(outlet);
        if (!wasAway)
            return;
        // It has missed what it was told.
        _conductor.BackInStep(destination, now);
        AwaitConductor();
    }

    // Whether ClockDue is not never: a flag of its own, since comparing the time for each destination costs 4 % of a delivery.
    private bool _isClock;

    private void SetClockDue(Outlet outlet)
    {
        ClockDue = outlet.HasClock ? outlet.Time.ClockDue : MidiTime.Never;
        (_isClock, outlet.HasClock) = (outlet.HasClock, false);
    }

    private void Drain<TTaker>(Outlet outlet, ref TTaker taker, MidiTime now)
        where TTaker : IByteTaker, allows ref struct
    {
        if (outlet.HasClock | _isClock)
            SetClockDue(outlet);
        do
        {
            var bytes = outlet.Pending(now);
            if (bytes.Length == 0)
            {
                // Nothing waits, or the wire is busy.
                _due = MidiTime.Earlier(_due, outlet.Due);
                return;
            }
            var taken = taker.Take(outlet.Id, bytes);
            if (taken == IByteTaker.Away)
            {
                outlet.Miss();
                return;
            }
            outlet.Advance(taken);
            if (taken < bytes.Length)
                return;
        } while (outlet.HasPending);
    }

    /// <summary>Copies what the guard stops now, the oldest first, and the ways back that it saw.</summary>
    /// <param name="into">Where to.</param>
    public void Report(GuardReport into) => Guard.Report(into);

    /// <summary>Lets everything run again that the guard has stopped.</summary>
    public void Resume()
    {
        Guard.Resume();
        MarkGuarded();
    }

    /// <summary>Takes a studio as the one in force.</summary>
    private void Adopt(PreparedStudio prepared, int lineup, MidiTime now)
    {
        _dirty.AsSpan(0, _dirtyCount).CopyTo(prepared.Dirty);
        (_sources, _outlets, _dirty, _ending) = (prepared.Sources, prepared.Outlets, prepared.Dirty, prepared.Ending);
        _ledger.Use(prepared.HeldBy, prepared.HeldAt, prepared.Heads, prepared.Counts);
        prepared.Set(lineup);
        _lineup = lineup;
        Volatile.Write(ref _inForce, prepared.Entries.Length > 0 ? prepared.Entries[lineup].Lineup.Value : 0);
        Volatile.Write(ref _prepared, prepared);
        Guard.Rounds = prepared.Compiled.Studio.Safety.Rounds;
        Tap.Begin(prepared.Mark);
        _conductor.Adopt(prepared.Time, lineup, now);
        AwaitConductor();
    }

    /// <summary>Sends on what stages have kept and is due, from the stage after.</summary>
    private void LetGo(MidiTime due, MidiTime now)
    {
        foreach (var (line, stage) in _prepared.Timed)
            LetGo(line, stage, due, now);
    }

    private void LetGo(Line line, int stage, MidiTime due, MidiTime now)
    {
        if (line.Stages[stage].MakesNotes)
        {
            if (due == EndOfTime)
                line.Stages[stage].Forget(CompiledStage.AllSources);
            LetGoMade(line, stage, now);
            return;
        }
        while (line.Stages[stage].TryLetGo(due, out var source, out var message))
        {
            // It was counted as stopped when it was kept.
            var meter = line.Meter.StageMeters[stage];
            meter.StoppedCount--;
            meter.OutCount++;
            if (!line.IsLive)
                continue;
            var run = new Run(new PortId(source), message, now, ++_run) { Quiet = true, IsMade = true };
            Step(line, stage + 1, message, ref run);
        }
    }

    private void Put(Outlet outlet, in MidiMessage message, MidiTime now)
    {
        if (!outlet.HasRoom)
            return;
        outlet.Moved.Note(message, default);
        SendMade(outlet, message, default, default, now);
    }

    /// <summary>Sends what Weiche itself makes for one destination.</summary>
    private void SendMade(Outlet outlet, in MidiMessage message, PortId source, RouteId route, MidiTime now)
    {
        outlet.Enqueue(message, source, now);
        MarkDirty(outlet);
        TellMade(outlet, message, source, route, now);
    }

    /// <summary>Onlookers are told of what Weiche itself makes, even in the middle of what becomes of something else.</summary>
    private void TellMade(Outlet outlet, in MidiMessage message, PortId source, RouteId route, MidiTime now)
    {
        if (message.IsBackground || message.SysExHandle != 0)
            return;
        Tap.Write(TapRecord.OfArrival(message, source, now, TapEvent.Made));
        Tap.Write(TapRecord.OfEnd(TapEvent.Delivered, message, outlet.Id, route, 0));
        Tap.Publish();
    }

    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    private void MarkDirty(Outlet outlet)
    {
        if (outlet.IsDirty)
            return;
        outlet.IsDirty = true;
        _dirty[_dirtyCount++] = outlet.Id.Value;
    }

    /// <summary>Throws away what was kept for ports that another studio does not have. Nothing is held there any more.</summary>
    private void ClearWhatIsGone(PreparedStudio next)
    {
        foreach (var source in _sources)
        {
            if (source is not null && next.FindSource(source.Id) is null)
                source.Parser.Reset();
        }
        var kept = 0;
        foreach (var outlet in _outlets)
        {
            if (outlet is not null && next.FindOutlet(outlet.Id) is null)
                outlet.Clear();
        }
        for (var i = 0; i < _dirtyCount; i++)
        {
            if (next.FindOutlet(new PortId(_dirty[i])) is not null)
                _dirty[kept++] = _dirty[i];
        }
        _dirtyCount = kept;
    }

    private readonly ref struct OwnSink(Engine engine, Outlet outlet, MidiTime now) : IMessageSink
    {
        public void Accept(in MidiMessage message) => engine.Put(outlet, message, now);
    }
}
