using System.Globalization;

namespace Weiche.Core.Midi;

/// <summary>A span of time in whole microseconds: how long something takes, waits or lasts. What lies between two of
/// <see cref="MidiTime"/>.</summary>
/// <param name="Microseconds">Microseconds (µs); below zero for a span that leads back.</param>
public readonly record struct MidiSpan(long Microseconds) : IComparable<MidiSpan>
{
    /// <summary>No time at all.</summary>
    public static readonly MidiSpan Zero;

    /// <summary>A second.</summary>
    public static readonly MidiSpan Second = new(1_000_000);

    /// <summary>A span given in whole milliseconds.</summary>
    /// <param name="milliseconds">Milliseconds.</param>
    public static MidiSpan FromMilliseconds(long milliseconds) => new(milliseconds * 1000);

    /// <summary>The span in milliseconds.</summary>
    public double Milliseconds => Microseconds / 1000.0;

    /// <inheritdoc/>
    public int CompareTo(MidiSpan other) => Microseconds.CompareTo(other.Microseconds);

    /// <summary>All of them together.</summary>
    /// <param name="spans">The spans.</param>
    public static MidiSpan Sum(IEnumerable<MidiSpan> spans) => spans.Aggregate(Zero, (all, span) => all + span);

    /// <summary>The span without its direction.</summary>
    public MidiSpan Length => Microseconds < 0 ? new(-Microseconds) : this;

    /// <summary>The shorter of two spans.</summary>
    public static MidiSpan Shorter(MidiSpan one, MidiSpan other) => one < other ? one : other;

    /// <summary>Both together.</summary>
    public static MidiSpan operator +(MidiSpan left, MidiSpan right) => new(left.Microseconds + right.Microseconds);

    /// <summary>The one without the other.</summary>
    public static MidiSpan operator -(MidiSpan left, MidiSpan right) => new(left.Microseconds - right.Microseconds);

    /// <summary>So many times as long.</summary>
    public static MidiSpan operator *(MidiSpan span, long times) => new(span.Microseconds * times);

    /// <summary>Whether <paramref name="left"/> is shorter than <paramref name="right"/>.</summary>
    public static bool operator <(MidiSpan left, MidiSpan right) => left.Microseconds < right.Microseconds;

    /// <summary>Whether <paramref name="left"/> is longer than <paramref name="right"/>.</summary>
    public static bool operator >(MidiSpan left, MidiSpan right) => left.Microseconds > right.Microseconds;

    /// <summary>Whether <paramref name="left"/> is no longer than <paramref name="right"/>.</summary>
    public static bool operator <=(MidiSpan left, MidiSpan right) => left.Microseconds <= right.Microseconds;

    /// <summary>Whether <paramref name="left"/> is no shorter than <paramref name="right"/>.</summary>
    public static bool operator >=(MidiSpan left, MidiSpan right) => left.Microseconds >= right.Microseconds;

    /// <summary>As one says it: "640 µs", "12 ms", whole milliseconds from the first on.</summary>
    public override string ToString() =>
        Microseconds < 1_000
            ? string.Create(CultureInfo.InvariantCulture, $"{Microseconds} µs")
            : string.Create(CultureInfo.InvariantCulture, $"{Microseconds / 1_000} ms");

    /// <summary>In milliseconds as exactly as one may want to know: "2.9 ms", "0.642 ms"; "at once" for no time at all.</summary>
    public string Exactly() =>
        this == Zero
            ? "at once"
            : string.Create(CultureInfo.InvariantCulture, $"{Milliseconds:0.0##} ms")
                .Replace("0.00 ms", "0.0 ms", StringComparison.Ordinal);

    /// <summary>In milliseconds, so that spans can be set side by side: "0.3 ms", "12.0 ms".</summary>
    /// <param name="places">How many places after the point.</param>
    public string InMilliseconds(int places = 1) =>
        Milliseconds.ToString("F" + places.ToString(CultureInfo.InvariantCulture), CultureInfo.InvariantCulture) + " ms";
}
