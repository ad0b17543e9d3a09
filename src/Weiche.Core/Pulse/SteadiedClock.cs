using Weiche.Core.Midi;

namespace Weiche.Core.Pulse;

/// <summary>
/// A copy of a clock without its jitter: each pulse is placed an interval after the one before, leaned a little towards where the clock
/// itself is. No pulse is left out or made twice: if the copy is ahead it waits, if it is behind it hurries.
/// </summary>
internal struct SteadiedClock
{
    // In so many pulses what it is off is made good. Half a beat: slow enough that jitter does not show, quick enough for a jump.
    private const double Within = 10;

    // What is more than jitter would explain is made good sooner.
    private const double Soon = 3;
    private const double LeastMeant = 500;

    // It hurries and waits by this part of an interval at most, unless it is far off.
    private const double MostLean = 0.4;

    /// <summary>µs: a clock whose pulses are closer together (more than 500 beats a minute) is followed no faster than this.</summary>
    internal const double Shortest = 5_000;

    private double _due;

    /// <summary>The number of the pulse that comes next.</summary>
    internal long Next { get; private set; }

    /// <summary>When it is due.</summary>
    internal readonly MidiTime Due => new((long)Math.Round(_due));

    /// <summary>Begins with the newest pulse of the clock, which is placed where it came.</summary>
    internal void Begin(long number, MidiTime now)
    {
        Next = number;
        _due = now.Microseconds;
    }

    /// <summary>The pulse that was due has gone out: the next one is placed.</summary>
    /// <param name="estimate">The clock that it is a copy of.</param>
    internal void Step(ClockEstimate estimate)
    {
        Next++;
        _due += LeanedInterval(estimate, estimate.PhaseAt(new MidiTime((long)Math.Round(_due))) - (Next - 1));
    }

    /// <summary>Goes on as it was, whatever the clock does: while that is silent.</summary>
    /// <param name="interval">µs.</param>
    internal void Coast(double interval)
    {
        Next++;
        _due += Math.Max(interval, Shortest);
    }

    private static double LeanedInterval(ClockEstimate estimate, double behind)
    {
        if (estimate.Interval <= 0)
            return Tempo.IntervalTimesHundredths / (double)Tempo.Usual.Hundredths;
        var interval = Math.Max(estimate.Interval, Shortest);
        // Far ahead it waits, far behind it catches up: half of the way at once.
        if (behind < -2)
            return interval * (1 - behind / 2);
        var meant = Math.Max(0, Math.Abs(behind) - (2 * estimate.Spread + LeastMeant) / interval);
        return interval * (1 - Math.Clamp(behind / Within + Math.Sign(behind) * meant / Soon, -MostLean, MostLean));
    }
}
