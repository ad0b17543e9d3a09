namespace Weiche.Core.Midi;

/// <summary>One of the sixteen MIDI channels. A value that is not a channel cannot be made.</summary>
/// <remarks>The default value is channel 1.</remarks>
public readonly record struct Channel : IComparable<Channel>
{
    /// <summary>How many channels there are: 16.</summary>
    public const int Count = 16;

    private readonly byte _index;

    private Channel(int index) => _index = (byte)index;

    /// <summary>The channel as the wire carries it, from 0 to 15.</summary>
    public int Index => _index;

    /// <summary>The channel as a person says it, from 1 to 16.</summary>
    public int Number => _index + 1;

    /// <summary>All sixteen, from 1 to 16.</summary>
    public static IEnumerable<Channel> All => Enumerable.Range(0, Count).Select(i => new Channel(i));

    /// <summary>The channel that a person calls <paramref name="number"/>.</summary>
    /// <param name="number">1 to 16.</param>
    /// <exception cref="ArgumentOutOfRangeException">The number is not from 1 to 16.</exception>
    public static Channel FromNumber(int number)
    {
        ArgumentOutOfRangeException.ThrowIfLessThan(number, 1);
        ArgumentOutOfRangeException.ThrowIfGreaterThan(number, Count);
        return new Channel(number - 1);
    }

    /// <summary>The channel that the wire carries as <paramref name="index"/>.</summary>
    /// <param name="index">0 to 15.</param>
    /// <exception cref="ArgumentOutOfRangeException">The index is not from 0 to 15.</exception>
    public static Channel FromIndex(int index)
    {
        ArgumentOutOfRangeException.ThrowIfNegative(index);
        ArgumentOutOfRangeException.ThrowIfGreaterThanOrEqual(index, Count);
        return new Channel(index);
    }

    /// <inheritdoc/>
    public int CompareTo(Channel other) => _index.CompareTo(other._index);

    /// <summary>Whether <paramref name="left"/> is a lower channel than <paramref name="right"/>.</summary>
    public static bool operator <(Channel left, Channel right) => left._index < right._index;

    /// <summary>Whether <paramref name="left"/> is a higher channel than <paramref name="right"/>.</summary>
    public static bool operator >(Channel left, Channel right) => left._index > right._index;

    /// <summary>Whether <paramref name="left"/> is not a higher channel than <paramref name="right"/>.</summary>
    public static bool operator <=(Channel left, Channel right) => left._index <= right._index;

    /// <summary>Whether <paramref name="left"/> is not a lower channel than <paramref name="right"/>.</summary>
    public static bool operator >=(Channel left, Channel right) => left._index >= right._index;

    /// <summary>The channel's number, 1 to 16.</summary>
    public override string ToString() => Number.ToString(System.Globalization.CultureInfo.InvariantCulture);
}
