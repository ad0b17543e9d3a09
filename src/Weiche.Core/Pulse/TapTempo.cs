using System.Runtime.CompilerServices;
using Weiche.Core.Midi;

namespace Weiche.Core.Pulse;

/// <summary>Finds a tempo from taps: the median of the last intervals, so that one that is off does not matter.</summary>
internal struct TapTempo
{
    private const int Kept = 8;

    // Slower than 20 bpm is not one tap after another.
    private static readonly MidiSpan Patience = new(3_000_000);

    private Intervals _intervals;
    private int _count;
    private MidiTime _last;
    private bool _begun;

    [InlineArray(Kept)]
    private struct Intervals
    {
        private long _first;
    }

    /// <summary>A tap.</summary>
    /// <param name="now">When it came.</param>
    /// <returns>The tempo as far as it can be told, in beats a minute; null after the first tap.</returns>
    internal double? Tap(MidiTime now)
    {
        var since = now - _last;
        if (!_begun || since > Patience || since <= MidiSpan.Zero)
        {
            (_begun, _last, _count) = (true, now, 0);
            return null;
        }
        _last = now;
        _intervals[_count++ % Kept] = since.Microseconds;
        var count = Math.Min(_count, Kept);
        Span<long> sorted = stackalloc long[Kept];
        for (var i = 0; i < count; i++)
            sorted[i] = _intervals[i];
        sorted = sorted[..count];
        sorted.Sort();
        // The mean of what is in the middle: with few taps steadier than one of them alone.
        var (from, to) = (count / 4, count - count / 4);
        var sum = 0.0;
        for (var i = from; i < to; i++)
            sum += sorted[i];
        return 60_000_000.0 * (to - from) / sum;
    }
}
