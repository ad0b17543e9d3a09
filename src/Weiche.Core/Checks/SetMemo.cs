using Weiche.Core.Sets;

namespace Weiche.Core.Checks;

/// <summary>Remembers what a function made of the last few sets that it was given: the same ones come again and again, within a look at a
/// studio and from one version of it to the next.</summary>
/// <remarks>Safe to use from several threads: what is not found is worked out again.</remarks>
internal sealed class SetMemo
{
    private readonly Lately<Entry> _entries = new(12);

    private sealed record Entry(MessageSet Came, MessageSet Became);

    /// <summary>What became of a set; null if that is not known any more.</summary>
    internal MessageSet? Find(MessageSet came) =>
        (
            _entries.Find(came, static (entry, came) => ReferenceEquals(entry.Came, came))
            ?? _entries.Find(came, static (entry, came) => entry.Came.Equals(came))
        )?.Became;

    /// <summary>Remembers what became of a set, in the place of the one that was given longest ago.</summary>
    internal MessageSet Keep(MessageSet came, MessageSet became)
    {
        _entries.Keep(new Entry(came, became));
        return became;
    }
}
