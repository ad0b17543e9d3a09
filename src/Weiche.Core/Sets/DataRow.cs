using System.Numerics;
using System.Runtime.InteropServices;
using System.Runtime.Intrinsics;

namespace Weiche.Core.Sets;

/// <summary>
/// The two data bytes that messages of one kind on one channel may have: for each first byte (0 to 127) the set of
/// second bytes, as 128 bits. Immutable; rows are shared between sets.
/// </summary>
internal sealed class DataRow : IEquatable<DataRow>
{
    internal const int Size = 128;

    private readonly UInt128[] _values;

    // Whether no first byte has the second byte 0, as in every row of notes.
    private readonly bool _hasNoZero;

    internal DataRow(UInt128[] values)
    {
        _values = values;
        var all = Vector128<ulong>.Zero;
        var (low, high) = (0ul, 0ul);
        var hash = 0ul;
        var words = Words(values);
        for (var i = 0; i < words.Length; i++)
        {
            all |= words[i];
            if (words[i] == Vector128<ulong>.Zero)
                continue;
            hash = BitOperations.RotateLeft(hash, 5) ^ (words[i][0] + (uint)i) * Mix ^ words[i][1] * MixMore;
            if (i < 64)
                low |= 1ul << i;
            else
                high |= 1ul << (i - 64);
        }
        Firsts = new UInt128(high, low);
        Hash = hash;
        // A value is two words; the lower one, which holds the second byte 0, comes first where memory counts up from the low end.
        _hasNoZero = (all[BitConverter.IsLittleEndian ? 0 : 1] & 1) == 0;
    }

    // Odd numbers without a pattern: the golden ratio's and the square root of three's first 64 bits.
    private const ulong Mix = 0x9E3779B97F4A7C15;
    private const ulong MixMore = 0xBB67AE8584CAA73B;

    /// <summary>The same for equal rows, and hardly ever for others.</summary>
    internal ulong Hash { get; }

    /// <summary>Every first byte with every second byte.</summary>
    internal static readonly DataRow Full = new([.. Enumerable.Repeat(UInt128.MaxValue, Size)]);

    /// <summary>Every first byte with every second byte but 0: every note-on.</summary>
    internal static readonly DataRow FullOfNotes = new([.. Enumerable.Repeat(UInt128.MaxValue << 1, Size)]);

    /// <summary>The first bytes that have any second byte; a bit for each.</summary>
    internal UInt128 Firsts { get; }

    internal UInt128 this[int first] => _values[first];

    internal bool IsEmpty => Firsts == 0;

    internal static DataRow? Union(DataRow? one, DataRow? other)
    {
        if (one is null || ReferenceEquals(one, other))
            return other;
        if (other is null || one.HasAllOf(other))
            return one;
        if (other.HasAllOf(one))
            return other;
        var values = new UInt128[Size];
        var to = Words(values);
        var a = Words(one._values);
        var b = Words(other._values);
        for (var i = 0; i < to.Length; i++)
            to[i] = a[i] | b[i];
        return one.OrSame(values);
    }

    internal static DataRow? Intersect(DataRow? one, DataRow? other)
    {
        if (one is null || other is null)
            return null;
        if (ReferenceEquals(one, other) || other.HasAllOf(one))
            return one;
        if (one.HasAllOf(other))
            return other;
        if ((one.Firsts & other.Firsts) == 0)
            return null;
        var values = new UInt128[Size];
        var to = Words(values);
        var a = Words(one._values);
        var b = Words(other._values);
        for (var i = 0; i < to.Length; i++)
            to[i] = a[i] & b[i];
        return one.OrSame(values).NullIfEmpty();
    }

    internal static DataRow? Except(DataRow? one, DataRow? other)
    {
        if (one is null || other is null)
            return one;
        if (ReferenceEquals(one, other) || other.HasAllOf(one))
            return null;
        if ((one.Firsts & other.Firsts) == 0)
            return one;
        var values = new UInt128[Size];
        var to = Words(values);
        var a = Words(one._values);
        var b = Words(other._values);
        for (var i = 0; i < to.Length; i++)
            to[i] = a[i] & ~b[i];
        return one.OrSame(values).NullIfEmpty();
    }

    internal static bool Overlap(DataRow? one, DataRow? other)
    {
        if (one is null || other is null || (one.Firsts & other.Firsts) == 0)
            return false;
        if (ReferenceEquals(one, other))
            return true;
        var a = Words(one._values);
        var b = Words(other._values);
        for (var i = 0; i < a.Length; i++)
        {
            if ((a[i] & b[i]) != Vector128<ulong>.Zero)
                return true;
        }
        return false;
    }

    /// <summary>Whether the second row is within the first.</summary>
    internal static bool HasAllOf(DataRow? one, DataRow? other) =>
        other is null || ReferenceEquals(one, other) || one?.HasAllOf(other) == true;

    /// <summary>Only the first bytes that are in a set.</summary>
    internal DataRow? Only(UInt128 firsts)
    {
        if ((Firsts & ~firsts) == 0)
            return this;
        if ((Firsts & firsts) == 0)
            return null;
        var values = new UInt128[Size];
        for (var i = 0; i < Size; i++)
        {
            if ((firsts >> i & 1) != 0)
                values[i] = _values[i];
        }
        return new DataRow(values);
    }

    /// <summary>Every first byte moved up or down; what falls off the end is gone.</summary>
    internal DataRow? Shift(int by)
    {
        if (by == 0)
            return this;
        if (by is >= Size or <= -Size)
            return null;
        var values = new UInt128[Size];
        _values.AsSpan(Math.Max(0, -by), Size - Math.Abs(by)).CopyTo(values.AsSpan(Math.Max(0, by)));
        return new DataRow(values).NullIfEmpty();
    }

    /// <summary>The second bytes of each first byte put through a function. Equal sets are worked out once.</summary>
    internal DataRow? MapValues(Func<UInt128, UInt128> map)
    {
        var values = new UInt128[Size];
        var (last, mapped) = (UInt128.Zero, map(UInt128.Zero));
        for (var i = 0; i < Size; i++)
        {
            if (_values[i] != last)
                (last, mapped) = (_values[i], map(_values[i]));
            values[i] = mapped;
        }
        return OrSame(values).NullIfEmpty();
    }

    internal DataRow? NullIfEmpty() => IsEmpty ? null : this;

    internal UInt128[] ToArray() => (UInt128[])_values.Clone();

    internal long Count()
    {
        var count = 0L;
        foreach (var value in _values)
            count += (long)UInt128.PopCount(value);
        return count;
    }

    public bool Equals(DataRow? other) =>
        other is not null && (ReferenceEquals(this, other) || Hash == other.Hash && _values.AsSpan().SequenceEqual(other._values));

    public override bool Equals(object? obj) => Equals(obj as DataRow);

    public override int GetHashCode() => Hash.GetHashCode();

    /// <summary>Whether the other row is within this one.</summary>
    private bool HasAllOf(DataRow other)
    {
        if (ReferenceEquals(this, Full) || (ReferenceEquals(this, FullOfNotes) && other._hasNoZero))
            return true;
        if ((other.Firsts & ~Firsts) != 0)
            return false;
        var own = Words(_values);
        var words = Words(other._values);
        for (var i = 0; i < own.Length; i++)
        {
            if ((words[i] & ~own[i]) != Vector128<ulong>.Zero)
                return false;
        }
        return true;
    }

    private static Span<Vector128<ulong>> Words(UInt128[] values) => MemoryMarshal.Cast<UInt128, Vector128<ulong>>(values.AsSpan());

    /// <summary>A row of some values: this one if they are its own, so that equal rows stay one.</summary>
    private DataRow OrSame(UInt128[] values) => values.AsSpan().SequenceEqual(_values) ? this : new DataRow(values);
}
