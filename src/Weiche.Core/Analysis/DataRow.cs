namespace Weiche.Core.Analysis;

/// <summary>
/// The two data bytes that messages of one kind on one channel may have: for each first byte (0 to 127) the set of
/// second bytes, as 128 bits. Immutable; rows are shared between sets.
/// </summary>
internal sealed class DataRow : IEquatable<DataRow>
{
    internal const int Size = 128;

    private readonly UInt128[] _values;

    internal DataRow(UInt128[] values) => _values = values;

    /// <summary>Every first byte with every second byte.</summary>
    internal static readonly DataRow Full = new([.. Enumerable.Repeat(UInt128.MaxValue, Size)]);

    /// <summary>Every first byte with every second byte but 0: every note-on.</summary>
    internal static readonly DataRow FullOfNotes = new([.. Enumerable.Repeat(UInt128.MaxValue << 1, Size)]);

    internal UInt128 this[int first] => _values[first];

    internal bool IsEmpty => !_values.AsSpan().ContainsAnyExcept(UInt128.Zero);

    internal static DataRow? Union(DataRow? one, DataRow? other)
    {
        if (one is null || ReferenceEquals(one, other)) return other;
        return other is null ? one : Combine(one, other, static (a, b) => a | b);
    }

    internal static DataRow? Intersect(DataRow? one, DataRow? other)
    {
        if (one is null || other is null) return null;
        return ReferenceEquals(one, other) ? one : Combine(one, other, static (a, b) => a & b).NullIfEmpty();
    }

    internal static DataRow? Except(DataRow? one, DataRow? other)
    {
        if (one is null || other is null) return one;
        return ReferenceEquals(one, other) ? null : Combine(one, other, static (a, b) => a & ~b).NullIfEmpty();
    }

    /// <summary>Only the first bytes that are in a set.</summary>
    internal DataRow? Only(UInt128 firsts)
    {
        var values = new UInt128[Size];
        for (var i = 0; i < Size; i++)
        {
            if ((firsts >> i & 1) != 0) values[i] = _values[i];
        }
        return new DataRow(values).NullIfEmpty();
    }

    /// <summary>Every first byte moved up or down; what falls off the end is gone.</summary>
    internal DataRow? Shift(int by)
    {
        if (by == 0) return this;
        var values = new UInt128[Size];
        for (var i = 0; i < Size; i++)
        {
            if (i + by is >= 0 and < Size) values[i + by] = _values[i];
        }
        return new DataRow(values).NullIfEmpty();
    }

    /// <summary>The second bytes of each first byte put through a function. Equal sets are worked out once.</summary>
    internal DataRow? MapValues(Func<UInt128, UInt128> map)
    {
        var values = new UInt128[Size];
        var (last, mapped) = (UInt128.Zero, map(UInt128.Zero));
        for (var i = 0; i < Size; i++)
        {
            if (_values[i] != last) (last, mapped) = (_values[i], map(_values[i]));
            values[i] = mapped;
        }
        return new DataRow(values).NullIfEmpty();
    }

    internal DataRow? NullIfEmpty() => IsEmpty ? null : this;

    internal UInt128[] ToArray() => (UInt128[])_values.Clone();

    internal long Count()
    {
        var count = 0L;
        foreach (var value in _values) count += (long)UInt128.PopCount(value);
        return count;
    }

    public bool Equals(DataRow? other) => other is not null && (ReferenceEquals(this, other) || _values.AsSpan().SequenceEqual(other._values));

    public override bool Equals(object? obj) => Equals(obj as DataRow);

    public override int GetHashCode() => _values[60].GetHashCode();

    private static DataRow Combine(DataRow one, DataRow other, Func<UInt128, UInt128, UInt128> combine)
    {
        var values = new UInt128[Size];
        for (var i = 0; i < Size; i++) values[i] = combine(one._values[i], other._values[i]);
        return new DataRow(values);
    }
}
