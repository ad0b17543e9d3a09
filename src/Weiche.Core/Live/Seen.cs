using System.Diagnostics.CodeAnalysis;
using System.Runtime.CompilerServices;
using Weiche.Core.Midi;

namespace Weiche.Core.Live;

/// <summary>What came from a source of late, to see whether the same comes again. The last of all are in its places: what goes round
/// in few messages is seen the second time. Where so much goes round that they push each other out, one message, drawn now and then, is
/// kept for longer: it will come again.</summary>
internal struct Seen
{
    private const int PlaceBits = 4;
    private const uint DrawnOnceIn = 64;

    private Places _places;
    private (uint Key, uint Time) _drawn;

    internal readonly bool HasDrawn(uint key) => _drawn.Key == key;

    /// <summary>The place of a message.</summary>
    [UnscopedRef]
    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    internal ref SeenPair PlaceOf(uint key) => ref _places[(int)(key * 2654435769u >> 32 - PlaceBits)];

    /// <summary>How long ago a message came that is here; of times the lower half is kept. No time at all stands for never.</summary>
    internal readonly MidiSpan? Since(in SeenPair pair, uint key, MidiTime now)
    {
        if (pair.Newer.Key == key)
            return Ago(pair.Newer.Time, now);
        if (pair.Older.Key == key)
            return Ago(pair.Older.Time, now);
        return HasDrawn(key) ? Ago(_drawn.Time, now) : null;
    }

    /// <summary>Keeps a message in mind.</summary>
    /// <param name="pair">The pair it belongs to.</param>
    /// <param name="key">What it is.</param>
    /// <param name="now">When it comes.</param>
    /// <param name="number">Counts up with each message, which chance is made of: no rhythm of messages goes with it.</param>
    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    internal void Take(ref SeenPair pair, uint key, MidiTime now, long number)
    {
        var taken = (key, (uint)now.Microseconds);
        if (pair.Newer.Key != key)
            pair.Older = pair.Newer;
        pair.Newer = taken;
        if ((uint)number * 2654435769u < uint.MaxValue / DrawnOnceIn)
            _drawn = taken;
    }

    private static MidiSpan Ago(uint time, MidiTime now) => new((uint)now.Microseconds - time);

    [InlineArray(1 << PlaceBits)]
    private struct Places
    {
        private SeenPair _first;
    }
}

/// <summary>Two messages that came, the newer one first, so that a note-on and its note-off never push each other out.</summary>
internal struct SeenPair
{
    internal (uint Key, uint Time) Newer;
    internal (uint Key, uint Time) Older;

    internal readonly bool Has(uint key) => Newer.Key == key || Older.Key == key;
}
