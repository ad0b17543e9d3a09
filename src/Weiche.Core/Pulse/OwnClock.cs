using Weiche.Core.Midi;

namespace Weiche.Core.Pulse;

/// <summary>
/// The times of a clock's pulses, worked out from where it was set, never from the pulse before: the n-th pulse after that is n intervals
/// later, rounded to a microsecond, so rounding does not add up.
/// </summary>
internal struct OwnClock
{
    // The pulse that was set and when it is, and the interval as a fraction of µs.
    private long _pulse;
    private MidiTime _at;
    private long _micros;
    private long _over;

    /// <summary>A clock whose pulse of a number is at a moment.</summary>
    internal OwnClock(long pulse, MidiTime at, Tempo tempo)
    {
        (_pulse, _at) = (pulse, at);
        (_micros, _over) = Of(tempo, 1, 1);
    }

    /// <summary>µs between two pulses.</summary>
    internal readonly double Interval => (double)_micros / _over;

    /// <summary>When a pulse is.</summary>
    /// <param name="pulse">Its number.</param>
    internal readonly MidiTime TimeOf(long pulse)
    {
        var product = (Int128)(pulse - _pulse) * _micros;
        var half = product < 0 ? -_over / 2 : _over / 2;
        return new MidiTime(_at.Microseconds + (long)((product + half) / _over));
    }

    /// <summary>Goes on at another tempo from a pulse that is not over yet; all before it stay where they were.</summary>
    /// <param name="from">The pulse.</param>
    /// <param name="tempo">The tempo.</param>
    /// <param name="times">So many times as fast …</param>
    /// <param name="over">… over so many.</param>
    internal void Go(long from, Tempo tempo, long times = 1, long over = 1)
    {
        (_at, _pulse) = (TimeOf(from), from);
        (_micros, _over) = Of(tempo, times, over);
    }

    private static (long, long) Of(Tempo tempo, long times, long over) => (Tempo.IntervalTimesHundredths * over, tempo.Hundredths * times);
}
