namespace Weiche.Core.Checks;

/// <summary>The last few of something that was worked out: lineups are looked at in turn, edits are taken back, and what was so comes
/// again.</summary>
/// <remarks>Safe to use from several threads, without a lock: what one of them does not find is worked out again.</remarks>
/// <param name="kept">How many are kept.</param>
internal sealed class Lately<T>(int kept)
    where T : class
{
    private T?[] _items = [];
    private int _next;

    /// <summary>One that is what is looked for, or null.</summary>
    /// <param name="wanted">What is looked for.</param>
    /// <param name="isIt">Whether one that is kept is that.</param>
    internal T? Find<TWanted>(TWanted wanted, Func<T, TWanted, bool> isIt)
        where TWanted : allows ref struct
    {
        foreach (var item in _items)
        {
            if (item is not null && isIt(item, wanted))
                return item;
        }
        return null;
    }

    /// <summary>Keeps one in the place of the one that was given longest ago.</summary>
    internal T Keep(T item)
    {
        // Most have one or two of what they remember.
        if (_next >= _items.Length && _items.Length < kept)
        {
            var more = _items;
            Array.Resize(ref more, Math.Min(kept, Math.Max(2, 2 * more.Length)));
            _items = more;
        }
        var items = _items;
        items[(uint)(Interlocked.Increment(ref _next) - 1) % items.Length] = item;
        return item;
    }

    /// <summary>Keeps one and none of the others.</summary>
    internal T KeepAlone(T item)
    {
        _items = [item];
        _next = 1;
        return item;
    }
}
