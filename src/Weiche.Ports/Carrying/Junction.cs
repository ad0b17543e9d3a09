using System.Collections.Concurrent;
using Weiche.Core.Live;
using Weiche.Core.Midi;
using Weiche.Core.Studios;

namespace Weiche.Ports.Carrying;

/// <summary>
/// Where ports meet the engine. A thread that carries messages (<see cref="Urgent.Become"/>) enters it with the bytes it brings and carries
/// them on to the destinations. Every other thread leaves what it wants, and a carrier of the junction's own does it between two
/// messages.
/// </summary>
/// <remarks>
/// <para>So no thread that the system may put aside is ever in the engine, and the music never waits for an edit, a page or a meter. Among
/// the threads that carry, one at a time is in it, for microseconds; nothing there waits: sinks take what they can at once and come back
/// when they have room.</para>
/// <para>Any thread may call anything here.</para>
/// </remarks>
public sealed class Junction : IDisposable
{
    // How late the carrier may wake: so far ahead of a slow wire its bytes are handed out.
    private static readonly MidiSpan WireLead = MidiSpan.FromMilliseconds(2);

    private static readonly MidiSpan Patience = MidiSpan.Second;
    private const int SettleMilliseconds = 20;

    // A carrier that has had something to do for so long without a pause makes one: an urgent thread must not take the machine, whatever
    // runs in circles through virtual ports.
    private static readonly MidiSpan LongestStretch = MidiSpan.FromMilliseconds(4);

    // So many rounds of all inlets, and so through at least as many virtual ports one after the other, a message is carried on by whoever
    // brought it.
    private const int MostRounds = 8;

    // How often somebody who waits for a request looks whether the carrier is still there.
    private const int LookAfterMilliseconds = 200;

    // A wait is cut to a minute: what is further away is asked for again.
    private static readonly MidiSpan LongestWait = MidiSpan.Second * 60;

    // What is later than this is due when it is handed out.
    private static readonly MidiSpan LatestTick = MidiSpan.FromMilliseconds(50);

    private static readonly Lazy<bool> Warm = new(WarmUp);

    private readonly UrgentLock _gate = new();
    private readonly Lock _preparing = new();
    private readonly Waker _wake = new();
    private readonly ConcurrentBag<Waker> _waiting = [];
    private readonly Engine _engine;
    private readonly Thread _carrier;
    private Request? _requests;
    private IByteSink?[] _sinks = [];
    private Inlet[] _inlets = [];
    private long _armed = long.MaxValue;
    private MidiTime _last;
    private MidiTime _due;
    private bool _hasMore;
    private volatile bool _stopped;
    private volatile bool _ended;

    /// <summary>A junction that runs a studio.</summary>
    /// <param name="studio">The studio.</param>
    /// <param name="clock">What time it is.</param>
    /// <param name="asksForUrgency">Whether the threads that carry messages ask the system to run them before others.</param>
    public Junction(Studio studio, StudioClock clock, bool asksForUrgency = true)
    {
        _ = Warm.Value;
        Clock = clock;
        AsksForUrgency = asksForUrgency;
        _engine = new Engine(CompiledStudio.Compile(studio), wireLead: WireLead);
        _carrier = new Thread(Carry) { IsBackground = true, Name = "Weiche carrier" };
        _carrier.Start();
    }

    /// <summary>What time it is.</summary>
    public StudioClock Clock { get; }

    /// <summary>Whether the threads that carry messages ask the system to run them before others.</summary>
    public bool AsksForUrgency { get; }

    /// <summary>The compiled studio in force, with its figures.</summary>
    public CompiledStudio Compiled => _engine.Compiled;

    /// <summary>What came and what became of it.</summary>
    public MessageTap Tap => _engine.Tap;

    /// <summary>Counts up with everything that changes what the guard stops.</summary>
    public long GuardVersion => _engine.Guard.Version;

    /// <summary>Takes bytes that came from a source and carries them on. On return they are.</summary>
    /// <param name="source">The source.</param>
    /// <param name="bytes">The bytes.</param>
    public void Receive(PortId source, ReadOnlySpan<byte> bytes)
    {
        if (!Urgent.IsHere)
        {
            var copy = bytes.ToArray();
            Do((engine, now) => engine.Receive(source, copy, now));
            return;
        }
        _gate.Enter();
        try
        {
            _engine.Receive(source, bytes, Clock.Now);
            Flush();
            HandOn();
        }
        finally
        {
            _gate.Exit();
        }
    }

    /// <summary>The same for bytes that a driver knows the time of. Called by threads that carry messages.</summary>
    /// <param name="source">The source.</param>
    /// <param name="bytes">The bytes.</param>
    /// <param name="came">When they came; what is later than now, or before what came last, is taken for that.</param>
    /// <param name="due">When what becomes of them is due, where it is sent to something that places what it is sent in time.</param>
    public void Receive(PortId source, ReadOnlySpan<byte> bytes, MidiTime came, MidiTime due)
    {
        _gate.Enter();
        try
        {
            _engine.Receive(source, bytes, MidiTime.Earlier(came < _last ? _last : came, Clock.Now));
            Flush(due);
            HandOn();
        }
        finally
        {
            _gate.Exit();
        }
    }

    /// <summary>When what is handed out at this moment is due. For sinks, while they are called.</summary>
    internal MidiTime Due => _engine.ClockDue == MidiTime.Never ? _due : _engine.ClockDue;

    /// <summary>A way to a source for bytes that threads bring which do not carry messages.</summary>
    /// <param name="source">The source.</param>
    public Inlet Open(PortId source) => Add(new Inlet(this, source, null));

    /// <summary>Joins a destination to a source: what is sent to the one comes from the other.</summary>
    /// <param name="destination">The destination.</param>
    /// <param name="source">The source.</param>
    public Inlet Loop(PortId destination, PortId source)
    {
        var inlet = Add(new Inlet(this, source, destination));
        Connect(destination, inlet);
        return inlet;
    }

    /// <summary>Makes a studio ready to be put in force, away from the messages.</summary>
    /// <param name="studio">The studio.</param>
    /// <returns>What <see cref="Swap"/> takes. It is to be put in force before another is made ready.</returns>
    /// <param name="playedAs">The sources that a take will be played as; null for those of before.</param>
    public PreparedStudio Prepare(Studio studio, PortId[]? playedAs = null) =>
        _engine.Prepare(CompiledStudio.Compile(studio, Compiled), playedAs);

    /// <summary>Puts a studio in force between two messages.</summary>
    /// <param name="prepared">The studio.</param>
    /// <exception cref="InvalidOperationException">Another one was put in force since this one was made ready.</exception>
    public void Swap(PreparedStudio prepared) => Do((engine, now) => engine.Swap(prepared, now));

    /// <summary>Puts another studio in the place of this one: what sounds ends, and nothing of the old one is taken for
    /// something of the new one.</summary>
    /// <param name="studio">The other studio.</param>
    public void Replace(Studio studio)
    {
        lock (_preparing)
        {
            AllNotesOff();
            Swap(Prepare(Studio.Empty("nothing")));
            Swap(Prepare(studio));
            ResumeGuard();
        }
    }

    /// <summary>What the guard stops now, the oldest first, and the ways back that it saw.</summary>
    public GuardReport Guarded()
    {
        var report = new GuardReport();
        Do((engine, _) => engine.Report(report));
        return report;
    }

    /// <summary>Lets everything run again that the guard has stopped.</summary>
    public void ResumeGuard() => Do((engine, _) => engine.Resume());

    /// <summary>Lets the guard follow echoes that change what they repeat, in the same way each round.</summary>
    /// <param name="ways">The ways back with their changes; these alone, from now on.</param>
    public void Follow(WayBack[] ways) => Do((engine, _) => engine.Follow(ways));

    /// <summary>Sends whole messages to a destination from Weiche itself.</summary>
    /// <param name="destination">The destination.</param>
    /// <param name="bytes">The messages.</param>
    public void Send(PortId destination, ReadOnlySpan<byte> bytes)
    {
        var copy = bytes.ToArray();
        Do((engine, now) => engine.Send(destination, copy, now));
    }

    /// <summary>Says who is shown each short system exclusive as it comes. It is asked while messages are carried: it must wait for
    /// nothing.</summary>
    /// <param name="filter">Who; null for nobody.</param>
    public void Watch(ExclusiveFilter? filter) => _engine.Exclusives = filter;

    /// <summary>The lineup in force; null for a studio without lineups.</summary>
    public LineupId? InForce => _engine.InForce;

    /// <summary>Counts up with each lineup that is entered and each route that a lever switches.</summary>
    public long PlayedVersion => _engine.PlayedVersion;

    /// <summary>Whether a route is switched off, by hand or by a lever.</summary>
    /// <param name="route">The route.</param>
    public bool IsOff(RouteId route) => _engine.IsOff(route);

    /// <summary>To what a lever has switched a route, where that is not as the studio has it: true for on; else null.</summary>
    /// <param name="route">The route.</param>
    public bool? SwitchedTo(RouteId route) => _engine.SwitchedTo(route);

    /// <summary>Enters a lineup, between two messages.</summary>
    /// <param name="lineup">The lineup; nothing happens if it is not there.</param>
    public void Enter(LineupId lineup) => Do((engine, now) => engine.Enter(lineup, now));

    /// <summary>The time now. Nobody is asked for it: the engine has written it down.</summary>
    public TimeNow Time => _engine.Time;

    /// <summary>Copies what is known of the clocks.</summary>
    /// <param name="into">Where to.</param>
    public void Report(TimeReport into) => Do((engine, now) => engine.Report(into, now));

    /// <summary>Does something to the time, as if it were pressed and not let go yet.</summary>
    /// <param name="what">What.</param>
    public void Press(TimeWork what) => Do((engine, now) => engine.Do(what, now));

    /// <summary>Lets go of what was pressed.</summary>
    /// <param name="what">What.</param>
    public void LetGo(TimeWork what) => Do((engine, now) => engine.LetGo(what, now));

    /// <summary>Stops one destination and lets it go on at the next bar, at the right place.</summary>
    /// <param name="destination">The destination.</param>
    public void BackInStep(PortId destination) => Do((engine, now) => engine.BackInStep(destination, now));

    /// <summary>Has Weiche's own clock go at another tempo, as it is played.</summary>
    /// <param name="tempo">The tempo.</param>
    public void SetTempo(Core.Pulse.Tempo tempo) => Do((engine, now) => engine.SetTempo(tempo, now));

    /// <summary>What is played back. Nobody is asked for it: the engine has written it down.</summary>
    public PlayedNow Played => _engine.Played;

    /// <summary>How often a lever has asked for something to be done to takes.</summary>
    public int TakesAsked => _engine.TakesAsked;

    /// <summary>What a lever asked for, and when.</summary>
    /// <param name="number">Which one, from 0; of those before the last 16 nothing is known any more.</param>
    public (TakeWork What, MidiTime At) TakeAsked(int number) => _engine.TakeAsked(number);

    /// <summary>Begins to play a take, for which the studio in force was made ready.</summary>
    /// <param name="take">The take.</param>
    public void PlayTake(PreparedTake take) => Do((engine, now) => engine.PlayTake(take, now));

    /// <summary>Stops what is played back, and ends its notes.</summary>
    public void StopTake() => Do((engine, now) => engine.StopTake(now));

    /// <summary>Ends every note everywhere.</summary>
    public void AllNotesOff() => Do((engine, now) => engine.AllNotesOff(now));

    /// <summary>Ends every note everywhere and waits until that has gone out on every wire, but no longer than a second.</summary>
    public void FallSilent()
    {
        AllNotesOff();
        var until = Clock.Now + Patience;
        var waits = true;
        while (waits && Clock.Now < until)
        {
            Thread.Sleep(1);
            Do((engine, _) => waits = engine.NextDue != MidiTime.Never);
        }
        // What has gone out is on its way through threads of its own for another moment.
        Thread.Sleep(SettleMilliseconds);
    }

    /// <summary>Says where the bytes of a destination go. On return nothing more is sent to what was there before.</summary>
    /// <param name="destination">The destination.</param>
    /// <param name="sink">The sink; null when there is none any more.</param>
    public void Connect(PortId destination, IByteSink? sink)
    {
        lock (_preparing)
        {
            var sinks = new IByteSink?[Math.Max(_sinks.Length, destination.Value + 1)];
            _sinks.CopyTo(sinks, 0);
            sinks[destination.Value] = sink;
            Do(
                (engine, now) =>
                {
                    _sinks = sinks;
                    if (sink is null)
                        engine.Leave(destination);
                    else
                        engine.Return(destination, now);
                }
            );
        }
    }

    /// <summary>Says that a source is gone: what it held ends.</summary>
    /// <param name="source">The source.</param>
    public void BreakOff(PortId source) => Do((engine, now) => engine.BreakOff(source, now));

    /// <summary>Says that somebody is at the far end of a destination's sink again. Ends that were missed meanwhile are sent
    /// first.</summary>
    /// <param name="destination">The destination.</param>
    /// <param name="open">Lets the sink take bytes. Within the engine: it must wait for nothing.</param>
    public void Return(PortId destination, Action open) =>
        Do(
            (engine, now) =>
            {
                open();
                engine.Return(destination, now);
            }
        );

    /// <summary>Says how much later than it is due the sink of a destination has everything arrive. The clock, where it is known ahead, is
    /// handed out so much earlier.</summary>
    /// <param name="destination">The destination; nothing happens if it is not there.</param>
    /// <param name="delay">How much later, the same for everything; not below zero.</param>
    public void Delay(PortId destination, MidiSpan delay) => Do((engine, _) => engine.Delay(destination, delay));

    /// <summary>Says that the sink of a destination has room again.</summary>
    /// <param name="destination">The destination.</param>
    public void Resume(PortId destination) => Do((_, _) => Drain(destination));

    /// <summary>Stops the carrier. What is asked for afterwards is done by whoever asks.</summary>
    public void Dispose()
    {
        _stopped = true;
        _wake.Wake();
        _carrier.Join();
    }

    /// <summary>Wakes the carrier: there is something to do.</summary>
    internal void WakeCarrier() => _wake.Wake();

    /// <summary>Says that something was left at an inlet. Within the engine: whoever holds it carries that on.</summary>
    internal void HasMore() => _hasMore = true;

    internal void Remove(Inlet inlet)
    {
        lock (_preparing)
        {
            var inlets = Array.FindAll(_inlets, each => each != inlet);
            Do((_, _) => _inlets = inlets);
        }
    }

    /// <summary>Hands out what waits for a destination. Within the engine.</summary>
    internal void Drain(PortId destination)
    {
        _due = Clock.Now;
        var sinks = new Sinks(_sinks);
        _engine.Drain(destination, ref sinks, _due);
        Arm();
    }

    private Inlet Add(Inlet inlet)
    {
        lock (_preparing)
        {
            Inlet[] inlets = [.. _inlets, inlet];
            Do((_, _) => _inlets = inlets);
            return inlet;
        }
    }

    /// <summary>Has something done within the engine, and waits until it is.</summary>
    private void Do(Action<Engine, MidiTime> what)
    {
        if (Urgent.IsHere || _ended)
        {
            Enter(what);
            return;
        }
        // So that the carrier need not compile it.
        System.Runtime.CompilerServices.RuntimeHelpers.PrepareDelegate(what);
        if (!_waiting.TryTake(out var waker))
            waker = new Waker();
        var request = new Request(what, waker);
        Leave(request);
        _wake.Wake();
        while (!request.IsDone)
        {
            waker.Wait(LookAfterMilliseconds);
            if (!request.IsDone && _ended)
                RunRequestsHere();
        }
        _waiting.Add(waker);
        if (request.Fault is { } fault)
            throw new InvalidOperationException(fault.Message, fault);
    }

    /// <summary>Puts a request before those that were left already.</summary>
    private void Leave(Request request)
    {
        Request? newest;
        do
        {
            newest = Volatile.Read(ref _requests);
            request.Next = newest;
        }
        // Not compared with what the request says is next: as soon as it is there, a carrier may turn the row around.
        while (Interlocked.CompareExchange(ref _requests, request, newest) != newest);
    }

    private void Enter(Action<Engine, MidiTime> what)
    {
        _gate.Enter();
        try
        {
            what(_engine, Clock.Now);
            Flush();
            HandOn();
        }
        finally
        {
            _gate.Exit();
        }
    }

    private void RunRequestsHere()
    {
        _gate.Enter();
        try
        {
            RunRequests();
            HandOn();
        }
        finally
        {
            _gate.Exit();
        }
    }

    private void Carry()
    {
        _ = Urgent.Become(AsksForUrgency);
        var since = Clock.Now;
        while (true)
        {
            var isLast = _stopped;
            bool more;
            _gate.Enter();
            try
            {
                Volatile.Write(ref _armed, long.MaxValue);
                RunRequests();
                CarryInlets();
                Tick();
                more = _hasMore;
            }
            finally
            {
                _gate.Exit();
            }
            if (isLast)
                break;
            if (more && Clock.Now - since < LongestStretch)
                continue;
            var wait = Volatile.Read(ref _armed) - Clock.Now.Microseconds;
            if (more)
                Libc.Pause(1);
            else if (wait > 0)
                _wake.Wait(MidiSpan.Shorter(new MidiSpan(wait), LongestWait));
            since = Clock.Now;
        }
        _ended = true;
    }

    /// <summary>Carries on what was left at inlets, some of each.</summary>
    private void CarryInlets()
    {
        _hasMore = false;
        foreach (var inlet in _inlets)
        {
            if (!inlet.HasBytes)
                continue;
            // What was told its time keeps it through virtual ports.
            var due = inlet.Due;
            inlet.CarryOn(_engine);
            Flush(due == default ? Clock.Now : due);
            _hasMore |= inlet.HasBytes;
        }
    }

    /// <summary>Carries on what has come to inlets meanwhile, so that the carrier need not be woken for it; through many virtual ports in a
    /// row it is.</summary>
    private void HandOn()
    {
        for (var round = 0; _hasMore && round < MostRounds; round++)
            CarryInlets();
        if (_hasMore)
            _wake.Wake();
    }

    /// <summary>Does what time has brought. It is due when it was due, however late this thread is: a sink that places what it is sent in
    /// time puts it there.</summary>
    private void Tick()
    {
        var (due, now) = (_engine.NextDue, Clock.Now);
        _engine.Tick(now);
        Flush(due <= now && now - due < LatestTick ? due : now);
    }

    /// <summary>Does what was asked for, in the order in which it was. Within the engine.</summary>
    private void RunRequests()
    {
        // Taken all at once: who leaves a request and is put aside by the system while it does holds nobody up.
        var newest = Interlocked.Exchange(ref _requests, null);
        Request? oldest = null;
        while (newest is not null)
        {
            var next = newest.Next;
            newest.Next = oldest;
            oldest = newest;
            newest = next;
        }
        while (oldest is not null)
        {
            var next = oldest.Next;
            oldest.Run(_engine, Clock.Now);
            Flush();
            oldest.Finish();
            oldest = next;
        }
    }

    /// <summary>Sees to it that the carrier wakes no later than something is due.</summary>
    private void Arm()
    {
        var due = _engine.NextDue.Microseconds;
        if (due >= _armed)
            return;
        Volatile.Write(ref _armed, due);
        if (Thread.CurrentThread != _carrier)
            _wake.Wake();
    }

    private void Flush() => Flush(Clock.Now);

    private void Flush(MidiTime due)
    {
        _due = due;
        var sinks = new Sinks(_sinks);
        _last = Clock.Now;
        _engine.Drain(ref sinks, _last);
        Arm();
    }

    /// <summary>Walks once through what happens later with messages under way: a studio put in force, messages of all kinds, edits,
    /// silence, so that nothing is compiled for the first time while somebody plays.</summary>
    private static bool WarmUp()
    {
        WarmUpWalk.Run();
        return true;
    }

    private readonly struct Sinks(IByteSink?[] sinks) : IByteTaker
    {
        // Bytes for a port that nothing is connected to are gone, as on a cable that hangs loose.
        public int Take(PortId destination, ReadOnlySpan<byte> bytes) =>
            destination.Value < sinks.Length && sinks[destination.Value] is { } sink ? sink.Send(bytes) : IByteTaker.Away;
    }

    /// <summary>Something that was asked for.</summary>
    private sealed class Request(Action<Engine, MidiTime> what, Waker waker)
    {
        private bool _isDone;

        internal Request? Next;

        internal bool IsDone => Volatile.Read(ref _isDone);

        /// <summary>What went wrong; null if nothing did.</summary>
        internal Exception? Fault { get; private set; }

        internal void Run(Engine engine, MidiTime now)
        {
            try
            {
                what(engine, now);
            }
            catch (InvalidOperationException exception)
            {
                Fault = exception;
            }
        }

        internal void Finish()
        {
            Volatile.Write(ref _isDone, true);
            waker.Wake();
        }
    }
}
