using Weiche.Core.Midi;
using Weiche.Core.Pulse;
using Weiche.Core.Studios;

namespace Weiche.Core.Live;

/// <content>Who keeps the time: the clocks that are heard, the one that is followed, and what becomes of it when it is lost.</content>
internal sealed partial class Conductor
{
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
}
