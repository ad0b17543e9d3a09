using Weiche.Core.Midi;

namespace Weiche.Ports.Browser;

/// <summary>What time it was here when something happened in a page: a page has a clock of its own, and what it tells arrives later, by now
/// this and now that much. The least that lies between is what lies between the clocks; it is followed as they drift apart.</summary>
internal sealed class PageClock
{
    // So long the least counts; it is that of this stretch and the one before.
    private static readonly MidiSpan Stretch = MidiSpan.Second * 5;

    // What a page says of a time that is further off than this is not true.
    private static readonly MidiSpan Furthest = MidiSpan.Second;

    private MidiTime _since;
    private long _least = long.MaxValue;
    private long _before = long.MaxValue;
    private long _latest;

    /// <summary>By how much at most something came later than the least, of late.</summary>
    internal MidiSpan Late => new(_latest);

    /// <summary>Maps a moment.</summary>
    /// <param name="page">The page's time, µs.</param>
    /// <param name="arrived">When it arrived here.</param>
    /// <returns>When it happened here, never later than it arrived.</returns>
    internal MidiTime Map(double page, MidiTime arrived)
    {
        if (!double.IsFinite(page) || Math.Abs(page) > 1e15)
            return arrived;
        var between = arrived.Microseconds - (long)page;
        if (arrived - _since > Stretch)
        {
            (_before, _least, _since) = (_least, between, arrived);
            _latest = 0;
        }
        _least = Math.Min(_least, between);
        var offset = Math.Min(_least, _before);
        var late = between - offset;
        if (late < 0 || late > Furthest.Microseconds)
            return arrived;
        _latest = Math.Max(_latest, late);
        return new MidiTime(arrived.Microseconds - late);
    }
}
