using Weiche.Core.Midi;
using Weiche.Core.Pulse;

namespace Weiche.Core.Live;

/// <summary>Where a take is that is played: which message is next, and when. It allocates nothing and has no clock of its own.</summary>
/// <remarks>A place is a moment of the take: µs of its own times, or pulses of the clock. Between two pulses places go on evenly, and no
/// further than the next pulse, so that what is played in step is never ahead of the beat.</remarks>
internal sealed class Playback
{
    private readonly Shown<PlayedNow> _shown = new();
    private PreparedTake? _take;
    private bool _waits;
    private bool _isBeginning;
    private double _place;
    private double _limit;
    private double _rate;
    private MidiTime _at;
    private int _next;
    private long _number;

    /// <summary>The take; null if nothing is played.</summary>
    internal PreparedTake? Take => _take;

    /// <summary>When the next message is due; never if none is.</summary>
    internal MidiTime Due { get; private set; } = MidiTime.Never;

    /// <summary>Where it is now. May be asked by any thread.</summary>
    internal PlayedNow Shown => _shown.Value;

    /// <summary>Begins: at once, or with the clock.</summary>
    internal void Begin(PreparedTake take, MidiTime now)
    {
        (_take, _waits, _number) = (take, take.InStep, _number + 1);
        if (take.InStep)
            Wait(take, now);
        else
            Start(take, now, take.Rate, take.From);
    }

    /// <summary>Stops.</summary>
    internal void Stop(MidiTime now)
    {
        if (_take is null)
            return;
        (_take, _waits, Due) = (null, false, MidiTime.Never);
        Show(_place, now, 0);
    }

    /// <summary>A pulse came while the time runs.</summary>
    /// <param name="position">Its number.</param>
    /// <param name="bar">Pulses in a bar.</param>
    /// <param name="at">When it was.</param>
    /// <param name="interval">µs to the next.</param>
    /// <returns>Whether there is anything to play with it.</returns>
    internal bool Beat(long position, int bar, MidiTime at, double interval)
    {
        if (_take is not { InStep: true } take)
            return false;
        if (_waits)
        {
            // A bar of the take begins where one of the clock does. What is a little before its bar comes with it; what is more begins
            // before.
            var whole = take.Pickup <= Tempo.PulsesASixteenth ? 0 : (long)Math.Ceiling(take.Pickup);
            if ((position + whole) % bar != 0)
                return false;
            Start(take, at, 1 / interval, take.From + take.Pickup - whole);
            return true;
        }
        (_place, _at, _rate) = (_limit, at, 1 / interval);
        _limit++;
        Show(_place, at, _rate);
        Await();
        return true;
    }

    /// <summary>The time has stopped: what goes in step waits, and begins anew with it.</summary>
    /// <returns>Whether anything was played.</returns>
    internal bool Halt()
    {
        if (_take is not { InStep: true } take || _waits)
            return false;
        Wait(take, _at);
        return true;
    }

    /// <summary>Whether it was just begun: what is in force there is to be sent first. Asked once.</summary>
    internal bool TakeBeginning()
    {
        var was = _isBeginning && !_waits;
        if (was)
            _isBeginning = false;
        return was;
    }

    /// <summary>The next message that is due; below 0 if none is.</summary>
    internal int TakeNext(MidiTime now) =>
        _take is { } take && !_waits && _next < take.Places.Length && take.Places[_next] < take.End && TimeOf(take.Places[_next]) <= now
            ? _next++
            : -1;

    /// <summary>Whether the end is reached.</summary>
    internal bool IsOver(MidiTime now) => _take is { } take && !_waits && TimeOf(take.End) <= now;

    /// <summary>Back to where the loop begins: what is beyond its end is as far beyond its beginning.</summary>
    internal void Back()
    {
        var take = _take!;
        var back = take.End - take.Begin;
        (_place, _limit) = (_place - back, _limit - back);
        _next = take.IndexOf(take.Begin);
        Show(_place, _at, _rate);
    }

    /// <summary>Works out when it is to be asked again.</summary>
    internal void Await() =>
        Due =
            _take is not { } take || _waits ? MidiTime.Never
            : _isBeginning ? _at
            : TimeOf(_next < take.Places.Length && take.Places[_next] < take.End ? take.Places[_next] : take.End);

    /// <summary>Asks again at once: there was more than fits into one turn.</summary>
    internal void AwaitAtOnce(MidiTime now) => Due = now;

    private void Wait(PreparedTake take, MidiTime now)
    {
        (_waits, _place, _at, _rate, _limit) = (true, take.From, now, 0, take.From);
        Show(_place, now, 0);
        Await();
    }

    private void Start(PreparedTake take, MidiTime at, double rate, double place)
    {
        (_waits, _isBeginning, _place, _at, _rate, _limit) = (
            false,
            true,
            place,
            at,
            rate,
            take.InStep ? place + 1 : double.PositiveInfinity
        );
        _next = take.IndexOf(take.From);
        Show(_place, at, rate);
        Await();
    }

    /// <summary>When a place is reached; never for one beyond the next pulse: only that knows.</summary>
    private MidiTime TimeOf(double place) =>
        place >= _limit ? MidiTime.Never : new MidiTime(_at.Microseconds + (long)Math.Ceiling((place - _place) / _rate - 1e-6));

    private void Show(double place, MidiTime at, double rate) =>
        _shown.Value = new PlayedNow(_number, _take is not null, _waits, place, at, rate);
}
