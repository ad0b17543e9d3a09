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
internal sealed class Conductor(Engine engine)
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

    /// <summary>Who is to be started while it runs already goes along from the next bar on.</summary>
    private void Join(FollowerLine line)
    {
        if (_playing && line.Starts && !line.IsStarted && !line.HasOrder)
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

    /// <summary>Starts from the beginning: with the next pulse, the next bar, or after the count-in.</summary>
    internal void Start(MidiTime now)
    {
        if (_begins && !_playing && _zero == _beginsAt)
            return;
        Begin(0, now);
    }

    /// <summary>Goes on where it was stopped.</summary>
    internal void Continue(MidiTime now)
    {
        if (_playing || _begins)
            return;
        var position = _wanted >= 0 ? _wanted : _stoppedAt;
        Begin((position + Tempo.PulsesASixteenth - 1) / Tempo.PulsesASixteenth * Tempo.PulsesASixteenth, now);
    }

    /// <summary>Stops.</summary>
    internal void Stop(MidiTime now)
    {
        if (_playing)
            _stoppedAt = Math.Max(0, _next - _zero);
        else if (_begins)
            _stoppedAt = Math.Max(0, _beginsAt - _zero);
        (_playing, _begins, _wanted) = (false, false, -1);
        foreach (var line in _time?.Lines ?? [])
            Stop(line);
        engine.HaltBeat(now);
        Changed(now);
        Tick(now);
    }

    /// <summary>Stops if it runs, else starts.</summary>
    internal void StartOrStop(MidiTime now)
    {
        if (_playing || _begins)
            Stop(now);
        else
            Start(now);
    }

    /// <summary>Stops who follows, and lets them go on at the next bar at the right place.</summary>
    /// <param name="who">Whom; null for all.</param>
    /// <param name="now">The time.</param>
    internal void BackInStep(PortId? who, MidiTime now)
    {
        if (!_playing)
            return;
        foreach (var line in _time?.Lines ?? [])
        {
            if (who is null || line.Outlet.Id == who)
                GoAlong(line);
        }
        Changed(now);
        Tick(now);
    }

    /// <summary>The beat is held.</summary>
    internal void Hold(MidiTime now)
    {
        _held = true;
        Changed(now);
    }

    /// <summary>The beat is let go: this moment is a downbeat.</summary>
    internal void LetGo(MidiTime now)
    {
        if (!_held)
            return;
        _held = false;
        if (_state == TimeState.Running && _followed is null)
            LetGoOwn(now);
        else if (IsRunning)
            LetGoFollowed(now);
        Changed(now);
        Tick(now);
    }

    /// <summary>What held the beat or nudged is gone: nothing is moved.</summary>
    internal void Drop(MidiTime now)
    {
        _held = false;
        Nudge(0, now);
        Changed(now);
    }

    /// <summary>A tap of a tempo for Weiche's own clock.</summary>
    internal void Tap(MidiTime now)
    {
        if (_tap.Tap(now) is { } bpm)
            SetTempo(Tempo.Nearest(bpm), now);
    }

    /// <summary>Has Weiche's own clock go at another tempo from the next pulse on.</summary>
    internal void SetTempo(Tempo tempo, MidiTime now)
    {
        _tempo = tempo;
        GoOn();
        Changed(now);
        Tick(now);
    }

    /// <summary>Weiche's own clock goes a little faster or slower.</summary>
    /// <param name="how">1 for faster, −1 for slower, 0 for as it should.</param>
    /// <param name="now">The time.</param>
    internal void Nudge(int how, MidiTime now)
    {
        if (_nudge == how)
            return;
        _nudge = how;
        GoOn();
        Changed(now);
        Tick(now);
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

    // ---- who keeps the time

    private HeardClock? Find(PortId source)
    {
        foreach (var clock in _clocks)
        {
            if (clock.Source == source)
                return clock;
        }
        return null;
    }

    /// <summary>A place for a clock that was not heard before: a free one, or that of the one which has been silent for longest.</summary>
    private HeardClock Take(PortId source)
    {
        var taken = _clocks[0];
        foreach (var clock in _clocks)
        {
            if (clock == _followed)
                continue;
            if (taken == _followed || (taken.Source != default && (clock.Source == default || clock.Estimate.Last < taken.Estimate.Last)))
                taken = clock;
        }
        taken.Begin(source);
        if (_master?.Source == source)
            _followed = taken;
        return taken;
    }

    /// <summary>Another clock keeps the time from now on. Positions go on.</summary>
    private void Follow(ClockMaster? master, MidiTime now)
    {
        var due = IsRunning ? MidiTime.Later(NextDue, now) : now;
        (_master, _followed, _movesUntil) = (master, null, long.MinValue);
        Conduct();
        if (master is not { } meant)
        {
            _state = TimeState.None;
            engine.HaltBeat(now);
            return;
        }
        if (meant.Source is not { } source)
        {
            _own = new OwnClock(_next, due, _tempo);
            _state = TimeState.Running;
            GoOn();
            return;
        }
        _followed = Find(source) ?? Take(source);
        if (_followed.IsLost(now) || !_followed.Estimate.IsKnown)
        {
            _state = TimeState.Silent;
            engine.HaltBeat(now);
            return;
        }
        var estimate = _followed.Estimate;
        estimate.Renumber(_next - 1);
        var soon = now.Microseconds + (long)((_next - estimate.PhaseAt(now)) * estimate.Interval);
        _copy.Begin(_next, MidiTime.Later(new MidiTime(soon), now));
        (_state, _interval) = (TimeState.Running, estimate.Interval);
    }

    /// <summary>The master's pulse came.</summary>
    private void Follow(HeardClock clock, bool wasLost, MidiTime now)
    {
        _followed = clock;
        if (_state == TimeState.Coasting)
        {
            // It has gone on counting where it was: the pulse that is nearest is the one.
            clock.Estimate.Renumber(_next - 1 + (long)Math.Round((now - _last).Microseconds / _interval));
            _state = TimeState.Running;
            Changed(now);
        }
        else if (_state != TimeState.Running || wasLost)
        {
            var ahead = Ahead();
            _zero += ahead - _next;
            if (_begins)
                _beginsAt = Math.Max(_beginsAt, ahead);
            _next = ahead;
            clock.Estimate.Renumber(_next);
            _copy.Begin(_next, now);
            _state = TimeState.Running;
            Changed(now);
        }
        foreach (var line in _time?.Lines ?? [])
        {
            if (IsRaw(line))
                line.Arrive(clock.Estimate.Number, now);
        }
        // A pulse that was placed when the master seemed to end, or before it became much faster.
        var isStale = _copy.Due.Microseconds < now.Microseconds - (long)clock.Estimate.Interval;
        if (isStale || (clock.Estimate.Number > _copy.Next + 1 && _copy.Due > now))
            _copy.Begin(_copy.Next, MidiTime.Later(now, _last + new MidiSpan((long)SteadiedClock.Shortest)));
        Tick(now);
    }

    /// <summary>The master has fallen silent.</summary>
    private void Lose(MidiTime now)
    {
        var coasts = _time?.Plan is { CoastBars: > 0 } && _interval > 0;
        _state = coasts ? TimeState.Coasting : TimeState.Silent;
        _coastUntil = _next + (_time?.Plan.CoastBars ?? 0) * (long)Bar.PulsesABar;
        if (coasts && _copy.Due < now)
            _copy.Begin(_next, now);
        if (!coasts)
            engine.HaltBeat(now);
        Changed(now);
    }

    private void KeepBeat(HeardClock clock, bool isMaster, MidiTime now)
    {
        var estimate = clock.Estimate;
        if (!estimate.IsKnown || estimate.Number % Tempo.PulsesABeat != 0)
            return;
        var off = estimate.Late;
        if (!isMaster && IsRunning && _interval > 0)
        {
            var phase = _next - 1 + (now - _last).Microseconds / _interval - _zero;
            off = (phase - Math.Round(phase / Tempo.PulsesABeat) * Tempo.PulsesABeat) * _interval;
        }
        clock.Keep(now, off);
    }

    // ---- pulses

    private BarForm Bar => _time?.Plan.Bar ?? BarForm.Usual;

    /// <summary>The first pulse that nobody has got yet.</summary>
    private long Ahead()
    {
        var ahead = _next;
        foreach (var line in _time?.Lines ?? [])
            ahead = Math.Max(ahead, line.Next);
        return ahead;
    }

    private long BarFrom(long pulse) => _zero + Bar.NextBar(pulse - _zero);

    private MidiTime TimeOf(long pulse)
    {
        if (pulse < _next)
            return _times[(int)(pulse & (Kept - 1))];
        if (_followed is null)
            return _own.TimeOf(pulse);
        return new MidiTime(_copy.Due.Microseconds + (long)((pulse - _next) * Math.Max(_interval, SteadiedClock.Shortest)));
    }

    /// <summary>Weiche's own clock goes on from the next pulse at the tempo that it should have now.</summary>
    private void GoOn()
    {
        if (_master is not { IsOwn: true })
            return;
        _movesUntil = long.MinValue;
        _own.Go(_next, _tempo, 100 + 2 * _nudge, 100);
        _interval = _own.Interval;
    }

    /// <summary>The next pulse is now, or was a moment ago.</summary>
    private void Step(MidiTime now)
    {
        var (pulse, at) = (_next, NextDue);
        _times[(int)(pulse & (Kept - 1))] = at;
        _last = at;
        if (_followed is null)
        {
            _next++;
            if (_next == _movesUntil)
                GoOn();
            // How late it is is told as it is.
            if ((pulse - _zero) % Tempo.PulsesABeat == 0)
                _ownBeats.Keep(at, (now - at).Microseconds);
        }
        else
        {
            if (_state == TimeState.Coasting)
                _copy.Coast(_interval);
            else
                _copy.Step(_followed.Estimate);
            _next = _copy.Next;
            if (_followed.Estimate.Interval > 0 && _state == TimeState.Running)
                _interval = _followed.Estimate.Interval;
        }
        if (_begins && pulse >= _beginsAt)
            (_playing, _begins, _wanted) = (true, false, -1);
        Show(at);
        if (_playing)
            engine.Beat(pulse - _zero, at, _interval, now);
        if (_state != TimeState.Coasting || _next < _coastUntil)
            return;
        _state = TimeState.Silent;
        engine.HaltBeat(now);
        Changed(now);
    }

    private bool IsRaw(FollowerLine line) => line.AsItCame && _followed is not null && _state == TimeState.Running;

    private void Serve(FollowerLine line, MidiTime now)
    {
        while (true)
        {
            TellOrders(line, now);
            if (line.AsItCame && line.ArrivalDue != MidiTime.Never)
            {
                if (line.ArrivalDue > now)
                {
                    Due = MidiTime.Earlier(Due, line.ArrivalDue);
                    return;
                }
                var number = line.TakeArrival();
                line.Next = Math.Max(line.Next, number);
                TellOrders(line, now);
                engine.SendClock(line.Outlet, MidiMessage.Clock, now);
                line.Leave(now, _interval);
                line.Next = number + 1;
                continue;
            }
            if (!IsRunning || IsRaw(line) || (Waits && line.Next >= _next) || line.Next > _next + MostAhead)
                return;
            var at = TimeOf(line.Next) + line.Offset;
            if (at > now || (line.Offset >= MidiSpan.Zero && line.Next >= _next))
            {
                Due = MidiTime.Earlier(Due, at);
                return;
            }
            if (line.GetsClock)
            {
                engine.SendClock(line.Outlet, MidiMessage.Clock, now);
                line.Leave(now, _interval);
            }
            line.Next++;
        }
    }

    private void TellOrders(FollowerLine line, MidiTime now)
    {
        while (line.TryTakeOrder(out var what, out var sixteenth))
            Tell(line, what, sixteenth, now);
    }

    private void Tell(FollowerLine line, TimeOrder what, int sixteenth, MidiTime now)
    {
        if (what == TimeOrder.Continue)
            engine.SendClock(line.Outlet, MidiMessage.Raw(0xF2, sixteenth & 0x7F, sixteenth >> 7), now);
        engine.SendClock(
            line.Outlet,
            MidiMessage.Raw(
                what switch
                {
                    TimeOrder.Start => 0xFA,
                    TimeOrder.Continue => 0xFB,
                    _ => 0xFC,
                },
                0,
                0
            ),
            now
        );
    }

    // ---- transport

    private void Begin(long position, MidiTime now)
    {
        var plan = _time?.Plan;
        var first = Ahead();
        if (plan is { WaitsForBar: true } && IsRunning)
            first = BarFrom(first);
        BeginAt(first + (plan?.CountIn ?? 0) * (long)Bar.PulsesABar, position, now);
    }

    private void BeginAsMaster(long position, MidiTime now)
    {
        var first = Ahead();
        if (_state == TimeState.Running && _followed is { } clock)
        {
            // The master's next pulse is the first; those that went out ahead of it are before the beginning.
            first = Math.Max(first, clock.Estimate.Number + 1);
            clock.Estimate.Renumber(first - 1);
        }
        BeginAt(first, position, now);
    }

    private void BeginAt(long first, long position, MidiTime now)
    {
        if (_playing)
            engine.HaltBeat(now);
        (_playing, _begins, _beginsAt, _zero) = (false, true, first, first - position);
        foreach (var line in _time?.Lines ?? [])
        {
            if (position != 0)
                Again(line, first, position);
            else
                Restart(line, first);
        }
        Changed(now);
        Tick(now);
    }

    /// <summary>At once, and instead of all that was ordered before.</summary>
    private static void Stop(FollowerLine line)
    {
        line.ForgetOrders();
        if (line.IsStarted)
            line.Order(TimeOrder.Stop, line.Next);
    }

    private static void Restart(FollowerLine line, long first)
    {
        Stop(line);
        line.Order(TimeOrder.Start, first);
    }

    /// <summary>Stopped, and on from the next bar at the right place.</summary>
    private void GoAlong(FollowerLine line)
    {
        var bar = BarFrom(Ahead() + 1);
        Again(line, bar, bar - _zero);
    }

    private void Again(FollowerLine line, long first, long position)
    {
        Stop(line);
        var sixteenth = position / Tempo.PulsesASixteenth;
        // Beyond what can be said it is the same place in an earlier bar.
        var bar = Bar.PulsesABar / Tempo.PulsesASixteenth;
        if (sixteenth >= MostSixteenths)
            sixteenth %= MostSixteenths / bar * bar;
        line.Order(TimeOrder.Continue, first, (int)sixteenth);
    }

    private void LetGoOwn(MidiTime now)
    {
        var phase = _next - (TimeOf(_next) - now).Microseconds / _interval - _zero;
        if (!_playing)
        {
            MoveNext(now);
            BeginAt(Ahead(), 0, now);
            return;
        }
        var bar = Bar.PulsesABar;
        var target = (long)Math.Round(phase / bar) * bar;
        if (_time?.Plan is { MovesOverBar: true })
        {
            // The pulses that are left to the downbeat after this one take what is left of a bar's time.
            _movesUntil = _zero + target + bar;
            var rest = bar - (TimeOf(_next) - now).Microseconds / _interval;
            _own.Go(_next, _tempo, (_movesUntil - _next) * 1_000_000, (long)Math.Round(rest * 1_000_000));
            _interval = _own.Interval;
            return;
        }
        MoveNext(now);
        var first = Ahead();
        foreach (var line in _time?.Lines ?? [])
            Again(line, first, target);
        _zero = first - target;
    }

    private void LetGoFollowed(MidiTime now)
    {
        var first = Ahead();
        if (!_playing)
        {
            BeginAt(first, 0, now);
            return;
        }
        var target = Bar.PulsesABar * (long)Math.Round((first - _zero) / (double)Bar.PulsesABar);
        foreach (var line in _time?.Lines ?? [])
            Again(line, first, target);
        _zero = first - target;
    }

    /// <summary>The next pulse of Weiche's own clock is now.</summary>
    private void MoveNext(MidiTime now)
    {
        _own = new OwnClock(_next, now, _tempo);
        GoOn();
    }

    // ---- what is shown

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
