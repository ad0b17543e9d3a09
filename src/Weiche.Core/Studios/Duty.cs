using System.Collections.Immutable;

namespace Weiche.Core.Studios;

/// <summary>In which lineups a route is on duty: whatever the lineup, or in some of them, or in none.</summary>
/// <remarks>Two are the same if they name the same lineups.</remarks>
public sealed record Duty
{
    private Duty(bool isStanding, ImmutableArray<LineupId> lineups) => (IsStanding, Lineups) = (isStanding, lineups);

    /// <summary>On duty whatever the lineup: what a route is unless it is said otherwise.</summary>
    public static Duty Standing { get; } = new(true, []);

    /// <summary>Whether the route is on duty whatever the lineup.</summary>
    public bool IsStanding { get; }

    /// <summary>The lineups in which it is on duty, by id; empty for a standing route, and for one that is parked.</summary>
    public ImmutableArray<LineupId> Lineups { get; }

    /// <summary>On duty in these lineups alone.</summary>
    /// <param name="lineups">The lineups, in any order.</param>
    public static Duty In(params IEnumerable<LineupId> lineups) => new(false, [.. lineups.Distinct().OrderBy(id => id.Value)]);

    /// <summary>Whether it is on duty in a lineup.</summary>
    /// <param name="lineup">The lineup; null where none is in force.</param>
    public bool IsOn(LineupId? lineup)
    {
        if (IsStanding || lineup is not { } wanted)
            return IsStanding;
        // They are in order.
        foreach (var id in Lineups.AsSpan())
        {
            if (id.Value >= wanted.Value)
                return id == wanted;
        }
        return false;
    }

    /// <summary>The same, but on duty, or not, in one lineup. What was standing is on duty in all the others then.</summary>
    /// <param name="lineup">The lineup.</param>
    /// <param name="on">Whether it shall be on duty there.</param>
    /// <param name="all">Every lineup there is.</param>
    public Duty With(LineupId lineup, bool on, IEnumerable<LineupId> all) =>
        IsOn(lineup) == on ? this
        : on ? In(Lineups.Add(lineup))
        : In((IsStanding ? all : Lineups).Where(id => id != lineup));

    /// <inheritdoc/>
    public bool Equals(Duty? other) =>
        other is not null && IsStanding == other.IsStanding && Lineups.AsSpan().SequenceEqual(other.Lineups.AsSpan());

    /// <inheritdoc/>
    public override int GetHashCode() => Lineups.Aggregate(IsStanding.GetHashCode(), HashCode.Combine);
}
