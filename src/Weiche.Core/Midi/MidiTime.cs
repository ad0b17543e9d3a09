namespace Weiche.Core.Midi;

/// <summary>
/// A moment on a clock that only runs forward, in whole microseconds since an arbitrary start.
/// The core never reads a clock: whoever calls it says what time it is.
/// </summary>
/// <param name="Microseconds">Microseconds (µs) since the start of the clock in use.</param>
public readonly record struct MidiTime(long Microseconds) : IComparable<MidiTime>
{
    /// <summary>The start of the clock.</summary>
    public static readonly MidiTime Zero;

    /// <summary>A moment given in whole milliseconds since the start of the clock.</summary>
    /// <param name="milliseconds">Milliseconds since the start.</param>
    public static MidiTime FromMilliseconds(long milliseconds) => new(milliseconds * 1000);

    /// <inheritdoc/>
    public int CompareTo(MidiTime other) => Microseconds.CompareTo(other.Microseconds);

    /// <summary>Whether <paramref name="left"/> is before <paramref name="right"/>.</summary>
    public static bool operator <(MidiTime left, MidiTime right) => left.Microseconds < right.Microseconds;

    /// <summary>Whether <paramref name="left"/> is after <paramref name="right"/>.</summary>
    public static bool operator >(MidiTime left, MidiTime right) => left.Microseconds > right.Microseconds;

    /// <summary>Whether <paramref name="left"/> is not after <paramref name="right"/>.</summary>
    public static bool operator <=(MidiTime left, MidiTime right) => left.Microseconds <= right.Microseconds;

    /// <summary>Whether <paramref name="left"/> is not before <paramref name="right"/>.</summary>
    public static bool operator >=(MidiTime left, MidiTime right) => left.Microseconds >= right.Microseconds;
}
