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

    /// <summary>Later than any moment that comes: nothing is due.</summary>
    public static readonly MidiTime Never = new(long.MaxValue);

    /// <summary>The earlier of two moments.</summary>
    public static MidiTime Earlier(MidiTime one, MidiTime other) => new(Math.Min(one.Microseconds, other.Microseconds));

    /// <summary>The later of two moments.</summary>
    public static MidiTime Later(MidiTime one, MidiTime other) => new(Math.Max(one.Microseconds, other.Microseconds));

    /// <summary>The moment so much later.</summary>
    public static MidiTime operator +(MidiTime time, MidiSpan span) => new(time.Microseconds + span.Microseconds);

    /// <summary>The moment so much earlier.</summary>
    public static MidiTime operator -(MidiTime time, MidiSpan span) => new(time.Microseconds - span.Microseconds);

    /// <summary>The span from the second moment to the first.</summary>
    public static MidiSpan operator -(MidiTime left, MidiTime right) => new(left.Microseconds - right.Microseconds);

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
