namespace Weiche.Core.Sets;

/// <summary>Remembers what a stage made of a row last. Most sets are full on most channels, so the same row comes again and
/// again.</summary>
/// <remarks>Equal to every other one: it takes no part in what a stage is. Safe to use from several threads.</remarks>
internal sealed class RowMemo : IEquatable<RowMemo>
{
    private Entry? _last;

    private sealed record Entry(DataRow Came, DataRow? Became);

    /// <summary>What a row becomes.</summary>
    /// <param name="row">The row.</param>
    /// <param name="map">Works it out; always the same function for one memo.</param>
    internal DataRow? Get(DataRow row, Func<DataRow, DataRow?> map)
    {
        if (_last is { } last && ReferenceEquals(last.Came, row))
            return last.Became;
        var became = map(row);
        _last = new Entry(row, became);
        return became;
    }

    public bool Equals(RowMemo? other) => other is not null;

    public override bool Equals(object? obj) => obj is RowMemo;

    public override int GetHashCode() => 0;
}
