using System.Numerics;

namespace Weiche.Core.Midi;

/// <summary>A set of message kinds, held as bits.</summary>
public readonly record struct KindSet
{
    private readonly uint _bits;

    private KindSet(uint bits) => _bits = bits;

    /// <summary>No kind.</summary>
    public static readonly KindSet None;

    /// <summary>Every kind.</summary>
    public static readonly KindSet All = new((1u << MessageKinds.Count) - 1);

    /// <summary>The set of just these kinds.</summary>
    /// <param name="kinds">The members, in any order.</param>
    public static KindSet Of(params ReadOnlySpan<MessageKind> kinds)
    {
        var bits = 0u;
        foreach (var kind in kinds)
            bits |= 1u << (int)kind;
        return new KindSet(bits);
    }

    /// <summary>How many kinds are in the set.</summary>
    public int Count => BitOperations.PopCount(_bits);

    /// <summary>Whether no kind is in the set.</summary>
    public bool IsEmpty => _bits == 0;

    /// <summary>The kinds that are not in this set.</summary>
    public KindSet Complement => new(All._bits & ~_bits);

    /// <summary>The members in the order of the standard.</summary>
    public IEnumerable<MessageKind> Members
    {
        get
        {
            var set = this;
            return MessageKinds.All.Where(kind => set.Contains(kind));
        }
    }

    /// <summary>Whether <paramref name="kind"/> is in the set.</summary>
    /// <param name="kind">The kind asked for.</param>
    public bool Contains(MessageKind kind) => (_bits >> (int)kind & 1) != 0;

    /// <summary>This set with one kind put in or taken out.</summary>
    /// <param name="kind">The kind.</param>
    /// <param name="present">Whether it shall be in.</param>
    public KindSet With(MessageKind kind, bool present) => new(present ? _bits | 1u << (int)kind : _bits & ~(1u << (int)kind));

    /// <summary>The names of the members, separated by commas.</summary>
    public override string ToString() => string.Join(", ", Members.Select(MessageKinds.Name));
}
