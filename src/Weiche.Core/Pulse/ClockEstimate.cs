using Weiche.Core.Midi;

namespace Weiche.Core.Pulse;

/// <summary>
/// What is known of a clock that comes from outside: which pulse it is at, how far apart its pulses are, how steady they come. Made from
/// the times at which they came alone; allocates nothing after it was made.
/// </summary>
/// <remarks>
/// <para>A line is laid through the last pulses (number against time, up to sixteen beats of them), by least squares in which what lies far
/// off counts less (Huber's weights) and at last not at all (Tukey's), so a late pulse in ten does not move it. Where the newest pulses
/// leave the line as chance would not have it, the older ones are forgotten: tempo and phase follow a jump or a ramp within a beat.</para>
/// <para>A gap is taken for pulses that were lost, and counted along, unless they come late in a burst: then they are the ones that were
/// missed. Two gaps alike one after the other are a slower tempo.</para>
/// </remarks>
internal sealed class ClockEstimate
{
    /// <summary>A clock that was silent for so long is lost.</summary>
    internal static readonly MidiSpan Patience = MidiSpan.FromMilliseconds(500);

    private const int MostPulses = 16 * Tempo.PulsesABeat;
    private const int Fewest = 4;

    // With fewer there is no telling a gap from a pulse that is late.
    private const int Sure = 12;
    private const int Differences = 255;
    private const double Gap = 1.6;
    private const int Often = 6;

    // µs: no clock is taken for steadier than this, since times are whole µs and threads wake when they do.
    private const double LeastSpread = 15;

    private readonly long[] _times = new long[MostPulses];
    private readonly long[] _numbers = new long[MostPulses];
    private readonly double[] _off = new double[MostPulses];
    private int _newest = -1;

    // Of the newest pulses: through how many the line is laid, and how many are known.
    private int _count;
    private int _known;
    private int _owed;
    private int _owedFor;
    private double _gapBefore;
    private double _sure;
    private long _base;
    private long _baseNumber;
    private double _slope;

    /// <summary>The number of the newest pulse; pulses that were lost on the way are counted.</summary>
    internal long Number { get; private set; } = -1;

    /// <summary>When the newest pulse came.</summary>
    internal MidiTime Last { get; private set; }

    /// <summary>How many pulses were lost on the way, as far as one can tell.</summary>
    internal long LostCount { get; private set; }

    /// <summary>Whether enough has come to say how fast it is.</summary>
    internal bool IsKnown => _count >= Fewest;

    /// <summary>µs from pulse to pulse; 0 as long as there is no telling.</summary>
    internal double Interval { get; private set; }

    /// <summary>Beats a minute; 0 as long as there is no telling.</summary>
    internal double Bpm => Interval > 0 ? 60_000_000.0 / Tempo.PulsesABeat / Interval : 0;

    /// <summary>µs: how far the pulses stray from an even beat (a standard deviation, robustly).</summary>
    internal double Spread { get; private set; }

    /// <summary>Which pulse the clock is at, at a moment, as a number with a fraction.</summary>
    internal double PhaseAt(MidiTime now) => Interval > 0 ? _baseNumber + (now.Microseconds - _base - _slope) / Interval : Number;

    /// <summary>µs by which the newest pulse came late, against the even beat.</summary>
    internal double Late { get; private set; }

    /// <summary>Whether nothing has come for so long that it is lost.</summary>
    internal bool IsLost(MidiTime now) => Number < 0 || now - Last > Patience;

    /// <summary>A pulse came.</summary>
    /// <param name="now">When.</param>
    /// <returns>False if it is one of a burst that was counted already.</returns>
    internal bool Arrive(MidiTime now)
    {
        var since = (double)(now - Last).Microseconds;
        if (Number < 0 || now - Last > Patience)
        {
            Begin(now, Number + 1);
            return true;
        }
        Last = now;
        if (_owed > 0 && ++_owedFor > 6)
        {
            LostCount += _owed;
            _owed = 0;
        }
        var step = 1L;
        if (_known >= Sure)
        {
            // Just after a change the line is short: what was sure before is looked at as well.
            if (since > Gap * (_count < Sure ? Math.Max(Interval, _sure) : Interval))
            {
                if (_gapBefore > 0 && Math.Abs(since - _gapBefore) < _gapBefore / 4)
                {
                    SlowDown(now, since);
                    return true;
                }
                // The line says which it is: the one before may have been late itself.
                step = Math.Max(1, (long)Math.Round(_count < Sure ? since / Interval : PhaseAt(now) - Number));
                var missed = (int)Math.Min(step - 1, int.MaxValue);
                (_owed, _owedFor, _gapBefore) = (_owed + missed, 0, since);
            }
            else
            {
                _gapBefore = 0;
                // One of those that seemed to be lost, unless the count is behind without it.
                if (_owed > 0 && Math.Round(PhaseAt(now)) <= Number)
                {
                    _owed--;
                    return false;
                }
            }
        }
        Number += step;
        Add(now, Number);
        Fit();
        return true;
    }

    /// <summary>Forgets everything.</summary>
    internal void Clear()
    {
        (Number, _count, _known, _owed, _gapBefore, Interval, Spread, Late, LostCount) = (-1, 0, 0, 0, 0, 0, 0, 0, 0);
        Last = MidiTime.Zero;
    }

    /// <summary>Says which number the newest pulse has: where the clock was away, another count has gone on.</summary>
    internal void Renumber(long number)
    {
        var by = number - Number;
        for (var i = 0; i < _known; i++)
            At(i, _numbers) += by;
        _baseNumber += by;
        Number = number;
        // What was missing is settled with that.
        LostCount += _owed;
        (_owed, _gapBefore) = (0, 0);
    }

    private void Begin(MidiTime now, long number)
    {
        if (_owed > 0)
            LostCount += _owed;
        (Last, Number, _count, _known, _owed, _gapBefore, Late) = (now, number, 0, 0, 0, 0, 0);
        Add(now, number);
        (_base, _baseNumber, _slope) = (now.Microseconds, number, 0);
    }

    /// <summary>Two gaps alike: what seemed to be missing never was.</summary>
    private void SlowDown(MidiTime now, double since)
    {
        var before = new MidiTime(now.Microseconds - (long)since);
        // What the first gap had counted along is taken back.
        Number -= _owed;
        (_owed, _gapBefore, _count, _known) = (0, 0, 0, 0);
        Add(before, Number);
        Number++;
        Add(now, Number);
        (Interval, _base, _baseNumber, _slope, Late) = (since, now.Microseconds, Number, 0, 0);
    }

    private void Add(MidiTime now, long number)
    {
        _newest = (_newest + 1) % MostPulses;
        (_times[_newest], _numbers[_newest]) = (now.Microseconds, number);
        _count = Math.Min(_count + 1, MostPulses);
        _known = Math.Min(_known + 1, MostPulses);
    }

    // The i-th newest.
    private ref long At(int i, long[] row) => ref row[_newest >= i ? _newest - i : _newest - i + MostPulses];

    private void Fit()
    {
        if (_count < 2)
            return;
        if (_count < Fewest)
        {
            Interval = (double)(At(0, _times) - At(_count - 1, _times)) / Math.Max(1, At(0, _numbers) - At(_count - 1, _numbers));
            (_base, _baseNumber, _slope) = (At(0, _times), At(0, _numbers), 0);
            return;
        }
        // It changes slowly: once enough is known it is not worked out for each pulse.
        if (_known < Sure * 4 || Number % Often == 0 || Spread == 0)
            Spread = Math.Max(SpreadOfDifferences(), LeastSpread);
        // The line of the pulse before says how far off this one is, so one that is late cannot draw the line towards itself.
        if (_count > Fewest)
            Measure();
        Lay(_count > Fewest);
        var kept = Changed();
        while (kept < _count)
        {
            _count = kept;
            Lay(false);
            kept = _count > 2 * Fewest ? Changed() : _count;
        }
        Late = _off[0];
        if (_count >= Sure)
            _sure = Interval;
    }

    /// <summary>Lays the line, several times, each time with what lies far off counting less.</summary>
    /// <param name="measured">Whether it is known already how far off each lies.</param>
    private void Lay(bool measured)
    {
        var (number, time) = (At(0, _numbers), At(0, _times));
        var (limit, far) = (1.5 * Spread, 4.7 * Spread);
        for (var pass = measured ? 1 : 0; pass < 3; pass++)
        {
            double sum = 0,
                sumX = 0,
                sumY = 0,
                sumXX = 0,
                sumXY = 0;
            for (var i = 0; i < _count; i++)
            {
                var (x, y) = ((double)(At(i, _numbers) - number), (double)(At(i, _times) - time));
                var weight =
                    pass == 0 ? 1
                    : pass == 2 && _count >= Sure ? Bisquare(_off[i] / far)
                    : Math.Min(1, limit / Math.Max(1e-9, Math.Abs(_off[i])));
                sum += weight;
                sumX += weight * x;
                sumY += weight * y;
                sumXX += weight * x * x;
                sumXY += weight * x * y;
            }
            var spread = sum * sumXX - sumX * sumX;
            if (spread <= 0)
                return;
            Interval = Math.Max(1, (sum * sumXY - sumX * sumY) / spread);
            (_base, _baseNumber, _slope) = (time, number, (sumY - Interval * sumX) / sum);
            Measure();
        }
    }

    /// <summary>Tukey's weight: what lies farther off than 1 does not count at all.</summary>
    private static double Bisquare(double off) => Math.Abs(off) >= 1 ? 0 : (1 - off * off) * (1 - off * off);

    /// <summary>How far each pulse lies off the line.</summary>
    private void Measure()
    {
        for (var i = 0; i < _count; i++)
            _off[i] = At(i, _times) - _base - _slope - Interval * (At(i, _numbers) - _baseNumber);
    }

    /// <summary>How many of the newest pulses are kept: all, or those since the clock has changed.</summary>
    private int Changed()
    {
        if (_count < 2 * Fewest)
            return _count;
        // A jump: each of the newest is farther off than the one before, all to one side.
        if (AllBeyond(4, 4 * Spread + 60, growing: true))
            return 4;
        if (AllBeyond(6, 1.3 * Spread, growing: false) && Mean(6, 3 * Spread) > 2.6 * Spread)
            return 6;
        for (var last = 16; last * 2 <= _count; last *= 2)
        {
            if (Mean(last, 2 * Spread) > (6 * Spread / Math.Sqrt(last)) + LeastSpread)
                return last;
        }
        return _count;
    }

    private bool AllBeyond(int last, double limit, bool growing)
    {
        var sign = Math.Sign(_off[0]);
        for (var i = 0; i < last; i++)
        {
            if (Math.Sign(_off[i]) != sign || Math.Abs(_off[i]) < (growing ? limit * (last - i) / last : limit))
                return false;
            if (growing && i > 0 && Math.Abs(_off[i]) > Math.Abs(_off[i - 1]))
                return false;
        }
        return true;
    }

    /// <summary>How far the newest lie off on the whole, where none counts for more than a limit.</summary>
    private double Mean(int last, double limit)
    {
        var sum = 0.0;
        for (var i = 0; i < last; i++)
            sum += Math.Clamp(_off[i], -limit, limit);
        return Math.Abs(sum) / last;
    }

    /// <summary>The spread from how each interval differs from the one before: a change of tempo hardly shows in it.</summary>
    private double SpreadOfDifferences()
    {
        Span<double> differences = stackalloc double[Differences];
        var count = 0;
        for (var i = 0; i + 2 < _known && count < Differences; i++)
        {
            if (At(i, _numbers) - At(i + 2, _numbers) != 2)
                continue;
            differences[count++] = Math.Abs(At(i, _times) - 2.0 * At(i + 1, _times) + At(i + 2, _times));
        }
        if (count == 0)
            return LeastSpread;
        differences = differences[..count];
        differences.Sort();
        // The median of a normal distribution is 0.6745 deviations out; a second difference has √6 times the deviation of a pulse.
        return differences[count / 2] / (0.6745 * 2.449);
    }
}
