using Weiche.Core.Midi;
using Weiche.Core.Routing;
using Weiche.Core.Studios;

namespace Weiche.Ports;

/// <summary>
/// Where ports meet the engine. Ports bring bytes from threads of their own; whoever brings them carries them
/// through the engine and on to the destinations, under one short lock.
/// </summary>
/// <remarks>Nothing under the lock waits: sinks take what they can at once and come back when they have room.</remarks>
public sealed class Junction : IDisposable
{
    // How late the alarm may ring, µs: so far ahead of a slow wire its bytes are handed out.
    private const long WireLead = 2_000;

    private const long Patience = 1_000_000;
    private const int SettleMilliseconds = 20;

    private readonly Lock _gate = new();
    private readonly Engine _engine;
    private readonly Dictionary<PortId, IByteSink> _sinks = [];
    private readonly AutoResetEvent _changed = new(false);
    private readonly Thread _alarm;
    private RoutingPlan _plan;
    private long _armed = long.MaxValue;
    private volatile bool _stopped;

    /// <summary>A junction that runs a studio.</summary>
    /// <param name="studio">The studio.</param>
    /// <param name="clock">What time it is.</param>
    /// <param name="asksForUrgency">Whether the threads that carry messages ask the system to run them before others.</param>
    public Junction(Studio studio, StudioClock clock, bool asksForUrgency = true)
    {
        Clock = clock;
        AsksForUrgency = asksForUrgency;
        _plan = RoutingPlan.Compile(studio);
        _engine = new Engine(_plan, wireLead: WireLead);
        _engine.Guard.Generation = studio.Safety.Rounds;
        _alarm = new Thread(RingWhenDue) { IsBackground = true, Name = "Weiche wires" };
        _alarm.Start();
    }

    /// <summary>What time it is.</summary>
    public StudioClock Clock { get; }

    /// <summary>Whether the threads that carry messages ask the system to run them before others.</summary>
    public bool AsksForUrgency { get; }

    /// <summary>The plan in force, with its figures.</summary>
    public RoutingPlan Plan => Volatile.Read(ref _plan);

    /// <summary>What came and what became of it.</summary>
    public MessageTap Tap => _engine.Tap;

    /// <summary>Takes bytes that came from a source and carries them on.</summary>
    /// <param name="source">The source.</param>
    /// <param name="bytes">The bytes.</param>
    public void Receive(PortId source, ReadOnlySpan<byte> bytes)
    {
        lock (_gate)
        {
            _engine.Receive(source, bytes, Clock.Now);
            Flush();
        }
    }

    /// <summary>Makes the plan of a studio, away from the live path. To be handed to <see cref="Swap"/>.</summary>
    /// <param name="studio">The studio.</param>
    public RoutingPlan Prepare(Studio studio) => RoutingPlan.Compile(studio, Plan);

    /// <summary>Puts a plan in force between two messages.</summary>
    /// <param name="plan">The plan.</param>
    public void Swap(RoutingPlan plan)
    {
        lock (_gate)
        {
            _engine.Swap(plan, Clock.Now);
            _engine.Guard.Generation = plan.Studio.Safety.Rounds;
            Volatile.Write(ref _plan, plan);
            Flush();
        }
    }

    /// <summary>Counts up with everything that changes what the guard stops.</summary>
    public long GuardVersion => _engine.Guard.Version;

    /// <summary>What the guard stops now, the oldest first, and the ways back that it saw.</summary>
    public (GuardTrip[] Trips, WayBack[] Ways) Guarded()
    {
        lock (_gate) return _engine.Guarded();
    }

    /// <summary>Lets everything run again that the guard has stopped.</summary>
    public void ResumeGuard()
    {
        lock (_gate) _engine.Resume();
    }

    /// <summary>Sends whole messages to a destination from Weiche itself.</summary>
    /// <param name="destination">The destination.</param>
    /// <param name="bytes">The messages.</param>
    public void Send(PortId destination, ReadOnlySpan<byte> bytes)
    {
        lock (_gate)
        {
            _engine.Send(destination, bytes, Clock.Now);
            Flush();
        }
    }

    /// <summary>Says who is shown each short system exclusive as it comes.</summary>
    /// <param name="guard">Who; null for nobody.</param>
    public void Watch(ExclusiveGuard? guard)
    {
        lock (_gate) _engine.Exclusives = guard;
    }

    /// <summary>Puts another studio in the place of this one: what sounds ends, and nothing of the old one is taken for
    /// something of the new one.</summary>
    /// <param name="studio">The other studio.</param>
    public void Replace(Studio studio)
    {
        var empty = RoutingPlan.Compile(Studio.Empty("nothing"), Plan);
        var plan = RoutingPlan.Compile(studio, empty);
        lock (_gate)
        {
            _engine.AllNotesOff(Clock.Now);
            Flush();
            _engine.Swap(empty, Clock.Now);
            _engine.Swap(plan, Clock.Now);
            _engine.Guard.Generation = studio.Safety.Rounds;
            _engine.Resume();
            Volatile.Write(ref _plan, plan);
            Flush();
        }
    }

    /// <summary>Ends every note everywhere.</summary>
    public void AllNotesOff()
    {
        lock (_gate)
        {
            _engine.AllNotesOff(Clock.Now);
            Flush();
        }
    }

    /// <summary>Ends every note everywhere and waits until that has gone out on every wire, but no longer than a second.</summary>
    public void FallSilent()
    {
        AllNotesOff();
        var until = Clock.Now.Microseconds + Patience;
        while (Clock.Now.Microseconds < until)
        {
            lock (_gate)
            {
                if (_engine.NextDue == long.MaxValue) break;
            }
            Thread.Sleep(1);
        }
        // What has gone out is on its way through threads of its own for another moment.
        Thread.Sleep(SettleMilliseconds);
    }

    /// <summary>Says where the bytes of a destination go.</summary>
    /// <param name="destination">The destination.</param>
    /// <param name="sink">The sink; null when there is none any more.</param>
    public void Connect(PortId destination, IByteSink? sink)
    {
        lock (_gate)
        {
            if (sink is null) _sinks.Remove(destination);
            else _sinks[destination] = sink;
        }
    }

    /// <summary>Says that a source is gone: what it held ends.</summary>
    /// <param name="source">The source.</param>
    public void BreakOff(PortId source)
    {
        lock (_gate)
        {
            _engine.BreakOff(source, Clock.Now);
            Flush();
        }
    }

    /// <summary>Says that the sink of a destination has room again.</summary>
    /// <param name="destination">The destination.</param>
    public void Resume(PortId destination)
    {
        lock (_gate)
        {
            var sinks = new Sinks(_sinks);
            _engine.Drain(destination, ref sinks, Clock.Now);
            Arm();
        }
    }

    /// <summary>Stops waiting for time to pass.</summary>
    public void Dispose()
    {
        _stopped = true;
        _changed.Set();
        _alarm.Join();
        _changed.Dispose();
    }

    private void RingWhenDue()
    {
        if (AsksForUrgency) Urgent.Ask();
        while (!_stopped)
        {
            lock (_gate)
            {
                _armed = long.MaxValue;
                _engine.Tick(Clock.Now);
                Flush();
            }
            var wait = Volatile.Read(ref _armed) - Clock.Now.Microseconds;
            // A wait is cut to a minute: what is further away is asked for again.
            if (wait > 0) _changed.WaitOne((int)Math.Clamp((wait + 999) / 1000, 1, 60_000));
        }
    }

    /// <summary>Sees to it that the alarm rings no later than something is due.</summary>
    private void Arm()
    {
        if (_engine.NextDue >= _armed) return;
        Volatile.Write(ref _armed, _engine.NextDue);
        if (Thread.CurrentThread != _alarm) _changed.Set();
    }

    private void Flush()
    {
        var sinks = new Sinks(_sinks);
        _engine.Drain(ref sinks, Clock.Now);
        Arm();
    }

    private readonly struct Sinks(Dictionary<PortId, IByteSink> sinks) : IByteTaker
    {
        // Bytes for a port that nothing is connected to are gone, as on a cable that hangs loose.
        public int Take(PortId destination, ReadOnlySpan<byte> bytes) => sinks.TryGetValue(destination, out var sink) ? sink.Send(bytes) : bytes.Length;
    }
}
