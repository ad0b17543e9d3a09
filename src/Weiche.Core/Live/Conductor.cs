using Weiche.Core.Midi;
using Weiche.Core.Pulse;
using Weiche.Core.Studios;

namespace Weiche.Core.Live;

/// <summary>
/// Keeps the time of a studio: makes or follows the pulses of its clock, hands them out to who follows, starts and stops them in the same
/// pulse. Like the engine, of which it is a part, it has no clock of its own and allocates nothing while time runs.
/// </summary>
/// <remarks>
/// <para>Pulses are numbered. A number is the same pulse for everybody, so a start is an order for right before a number, and an offset
/// moves when a number goes out, not which.</para>
/// <para>A followed clock is copied without its jitter (<see cref="SteadiedClock"/>). The copy is ahead of the master by a few pulses at
/// most: so it bridges a gap, and if the master has ended it waits for it, so that the count is the master's.</para>
/// </remarks>
internal sealed partial class Conductor(Engine engine)
{
    internal const int MostClocks = 16;

    private const int Kept = 256;
    private const int Lead = 6;

    // So far ahead of its time a pulse goes out at most: a hundred milliseconds of the fastest clock.
    private const int MostAhead = 64;
    private const int MostSixteenths = 1 << 14;

    private readonly HeardClock[] _clocks = Array.ConvertAll(new HeardClock[MostClocks], _ => new HeardClock());
    private readonly HeardClock _ownBeats = new();
    private readonly MidiTime[] _times = new MidiTime[Kept];
    private readonly Shown<TimeNow> _shown = new();
    private PreparedTime? _time;
    private ClockMaster? _master;
    private HeardClock? _followed;
    private Tempo _tempo = Tempo.Usual;
    private Tempo? _meant;
    private OwnClock _own;
    private SteadiedClock _copy;
    private TapTempo _tap;
    private TimeState _state;
    private MidiTime _last;
    private double _interval;
    private long _next;
    private long _coastUntil;
    private long _movesUntil = long.MinValue;
    private int _nudge;
    private bool _playing;
    private bool _begins;
    private long _beginsAt;
    private bool _held;
    private long _zero;
    private long _stoppedAt;
    private long _wanted = -1;

    /// <summary>When something is to be done next; never if nothing is.</summary>
    internal MidiTime Due { get; private set; } = MidiTime.Never;

    private bool IsRunning => _state is TimeState.Running or TimeState.Coasting;

    private MidiTime NextDue => _followed is null ? _own.TimeOf(_next) : _copy.Due;

    /// <summary>Whether the copy waits for its master to come along; where it may coast it does not.</summary>
    private bool Waits =>
        _state == TimeState.Running
        && _followed is { } clock
        && _next > clock.Estimate.Number + Lead
        && _time is not { Plan.CoastBars: > 0 };

    /// <summary>The time now. May be asked by any thread.</summary>
    internal TimeNow Shown => _shown.Value;

    /// <summary>Takes a plan as the one in force.</summary>
    internal void Adopt(PreparedTime time, int lineup, MidiTime now)
    {
        if (_time is { } before)
        {
            time.GoOnFrom(before, _next);
            foreach (var line in before.Lines)
            {
                line.Outlet.Conducts = Conducts.Nothing;
                // Who was started and is not told any more would play on for ever.
                if (line.IsStarted && !Array.Exists(time.Lines, each => each.Outlet == line.Outlet && each.Starts))
                    Tell(line, TimeOrder.Stop, 0, now);
            }
            // What was tapped stays until the tempo itself is set anew.
            if (before.Plan.Tempo != time.Plan.Tempo)
                (_tempo, _meant) = (time.Plan.Tempo, null);
        }
        else
        {
            _tempo = time.Plan.Tempo;
        }
        _time = time;
        foreach (var line in time.Lines)
        {
            // One that gets its pulses early has missed some already.
            if (IsRunning && line.Offset < MidiSpan.Zero)
            {
                while (TimeOf(line.Next) + line.Offset < now && line.Next < _next + MostAhead)
                    line.Next++;
            }
        }
        Enter(lineup, now, isNew: false);
        Conduct();
        foreach (var line in time.Lines)
            Join(line);
        Tick(now);
    }

    /// <summary>Who is to be started while it runs already goes along from the next bar on, or from the beginning if that is still to
    /// come.</summary>
    private void Join(FollowerLine line)
    {
        if ((_playing || _begins) && line.Starts && !line.IsStarted && !line.HasOrder)
            GoAlong(line);
    }

    /// <summary>Keeps other clocks from who follows, as long as anybody keeps the time.</summary>
    private void Conduct()
    {
        foreach (var line in _time?.Lines ?? [])
            line.Outlet.Conducts = _master is null
                ? Conducts.Nothing
                : (line.GetsClock ? Conducts.Clock : 0) | (line.Starts ? Conducts.Transport : 0);
    }

    /// <summary>Keeps the time as a lineup has it.</summary>
    /// <param name="lineup">Its place.</param>
    /// <param name="now">The time.</param>
    /// <param name="isNew">Whether it is entered now.</param>
    internal void Enter(int lineup, MidiTime now, bool isNew = true)
    {
        if (_time is not { } time)
            return;
        if (time.TempoAt(lineup) is { } tempo && (isNew || tempo != _meant))
            (_tempo, _meant) = (tempo, tempo);
        if (time.MasterAt(lineup) != _master)
            Follow(time.MasterAt(lineup), now);
        else if (_master is { IsOwn: true })
            GoOn();
        Changed(now);
        Tick(now);
    }

    /// <summary>A message of a clock came from a source.</summary>
    internal void Hear(PortId source, in MidiMessage message, MidiTime now)
    {
        var isMaster = _master?.Source == source;
        switch (message.Status)
        {
            case 0xF8:
                var clock = Find(source) ?? Take(source);
                var wasLost = clock.IsLost(now);
                clock.IsGone = false;
                clock.Estimate.Arrive(now);
                if (isMaster)
                    Follow(clock, wasLost, now);
                KeepBeat(clock, isMaster, now);
                break;
            case 0xFA when isMaster:
                BeginAsMaster(0, now);
                break;
            case 0xFB when isMaster:
                BeginAsMaster(_wanted >= 0 ? _wanted : _stoppedAt / Tempo.PulsesASixteenth * Tempo.PulsesASixteenth, now);
                break;
            case 0xFC when isMaster:
                Stop(now);
                break;
            case 0xF2 when isMaster && !_playing:
                _wanted = (message.Data2 << 7 | message.Data1) * (long)Tempo.PulsesASixteenth;
                break;
        }
    }

    /// <summary>A source broke off.</summary>
    internal void Lose(PortId source, MidiTime now)
    {
        if (Find(source) is not { } clock)
            return;
        clock.IsGone = true;
        if (clock == _followed && _state == TimeState.Running)
            Lose(now);
    }

    /// <summary>Does what time has brought.</summary>
    internal void Tick(MidiTime now)
    {
        if (_followed is { } clock && _state == TimeState.Running && clock.IsLost(now))
            Lose(now);
        while (IsRunning && !Waits && NextDue <= now)
            Step(now);
        Due = IsRunning && !Waits ? NextDue : MidiTime.Never;
        if (_state == TimeState.Running && _followed is { } followed)
            Due = MidiTime.Earlier(Due, followed.Estimate.Last + ClockEstimate.Patience + new MidiSpan(1));
        if (_time is not { } time)
            return;
        foreach (var line in time.Lines)
            Serve(line, now);
    }

    /// <summary>Copies what is known of the clocks that are heard, and of Weiche's own.</summary>
    internal void Report(TimeReport into, MidiTime now)
    {
        into.Begin(now);
        if (_master is { IsOwn: true })
            into.AddOwn(_ownBeats, _interval);
        foreach (var clock in _clocks)
        {
            if (clock.Source != default)
                into.Add(clock, clock.IsLost(now));
        }
        foreach (var line in _time?.Lines ?? [])
        {
            if (line.GetsClock)
                into.Add(line.Outlet.Id, line.Spread);
        }
    }

    private void Changed(MidiTime now) => Show(_next > 0 && IsRunning ? _last : now);

    private void Show(MidiTime at)
    {
        var position = _playing || _begins ? _next - 1 - _zero : _stoppedAt;
        _shown.Value = new TimeNow(
            _master,
            _master is null ? TimeState.None : _state,
            _playing,
            _begins,
            _held,
            position,
            _next - 1 - _zero,
            at,
            _interval,
            Bar,
            _tempo
        );
    }
}
