using Weiche.Core.Sets;

namespace Weiche.Core.Checks;

/// <summary>Remembers what a function made of the last few sets that it was given: the same ones come again and again, within a look at a
/// studio and from one version of it to the next.</summary>
/// <remarks>Safe to use from several threads: what is not found is worked out again.</remarks>
internal sealed class SetMemo
{
    private const int Kept = 12;

    private readonly Entry?[] _entries = new Entry?[Kept];
    private int _next;

    private sealed record Entry(MessageSet Came, MessageSet Became);

    /// <summary>What became of a set; null if that is not known any more.</summary>
    internal MessageSet? Find(MessageSet came)
    {
        foreach (var entry in _entries)
        {
            if (entry is not null && ReferenceEquals(entry.Came, came))
                return entry.Became;
        }
        foreach (var entry in _entries)
        {
            if (entry is not null && entry.Came.Equals(came))
                return entry.Became;
        }
        return null;
    }

    /// <summary>Remembers what became of a set, in the place of the one that was given longest ago.</summary>
    internal MessageSet Keep(MessageSet came, MessageSet became)
    {
        _entries[(uint)Interlocked.Increment(ref _next) % Kept] = new Entry(came, became);
        return became;
    }
}
