using Weiche.Core.Midi;
using Weiche.Core.Pulse;
using Weiche.Core.Studios;

namespace Weiche.Core.Live;

/// <content>Start, stop and what lies between: all that a person, a lever or a master does to the time.</content>
internal sealed partial class Conductor
{
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
        if (!_playing && !_begins)
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
            GoAlong(line);
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

    /// <summary>Stopped, and on with the beginning that is still to come, or else from the next bar at the right place.</summary>
    private void GoAlong(FollowerLine line)
    {
        var first = _begins ? _beginsAt : BarFrom(Ahead() + 1);
        if (first != _zero)
        {
            Again(line, first, first - _zero);
            return;
        }
        Stop(line);
        line.Order(TimeOrder.Start, first);
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
}
