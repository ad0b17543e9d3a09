namespace Weiche.Core.Sets;

/// <summary>A function from a data byte to a data byte or to nothing, with its image and pre-image of sets.</summary>
internal sealed class ValueMap
{
    internal const int Stopped = -1;

    private readonly short[] _to = new short[DataRow.Size];

    /// <summary>The function given by its value for each byte.</summary>
    internal ValueMap(Func<int, int> map)
    {
        for (var i = 0; i < _to.Length; i++)
            _to[i] = (short)map(i);
    }

    internal int this[int value] => _to[value];

    /// <summary>What the members of a set become.</summary>
    internal UInt128 Image(UInt128 set)
    {
        var image = UInt128.Zero;
        for (var rest = set; rest != 0; rest &= rest - 1)
        {
            var to = _to[(int)UInt128.TrailingZeroCount(rest)];
            if (to >= 0)
                image |= UInt128.One << to;
        }
        return image;
    }

    /// <summary>What becomes a member of a set.</summary>
    internal UInt128 PreImage(UInt128 set)
    {
        var from = UInt128.Zero;
        for (var i = 0; i < _to.Length; i++)
        {
            if (_to[i] >= 0 && (set >> _to[i] & 1) != 0)
                from |= UInt128.One << i;
        }
        return from;
    }
}
