using Weiche.Core.Midi;
using Weiche.Core.Pulse;

namespace Weiche.Core.Live;

/// <content>Pulses: when the next one is, who gets it when, and what is told right before it.</content>
internal sealed partial class Conductor
{
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
            if (line.AsItCame && line.ArrivalDue is var came && came != MidiTime.Never)
            {
                if (came > now)
                {
                    Due = MidiTime.Earlier(Due, came);
                    return;
                }
                var number = line.TakeArrival();
                line.Next = Math.Max(line.Next, number);
                TellOrders(line, now);
                engine.SendClock(line.Outlet, MidiMessage.Clock, came, now);
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
                engine.SendClock(line.Outlet, MidiMessage.Clock, at, now);
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
            engine.SendClock(line.Outlet, MidiMessage.Raw(0xF2, sixteenth & 0x7F, sixteenth >> 7), now, now);
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
            now,
            now
        );
    }
}
