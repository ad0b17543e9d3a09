using System.Collections.Immutable;
using Weiche.Core.Midi;
using Weiche.Core.Studios;

namespace Weiche.Core.Layout;

/// <summary>A route in the roster.</summary>
/// <param name="Route">The route.</param>
/// <param name="Name">Where it leads: "Amsel 61 → Zinn (2)".</param>
/// <param name="On">For each lineup, in their running order, whether it is on duty there.</param>
public sealed record RosterRow(Route Route, string Name, ImmutableArray<bool> On);

/// <summary>The routes of one source in the roster, or the standing ones.</summary>
/// <param name="Name">What stands above them.</param>
/// <param name="Rows">The routes, in the order in which they were laid.</param>
public sealed record RosterGroup(string Name, ImmutableArray<RosterRow> Rows);

/// <summary>Who is on duty when: routes as rows, the standing ones on top and the others by source; lineups as columns, in their running
/// order.</summary>
/// <param name="Groups">The rows.</param>
/// <param name="Changes">From each lineup to the next, how many routes come and how many leave; one less than there are lineups.</param>
/// <param name="Left">How many rows are not shown, since there are too many.</param>
public sealed record Roster(ImmutableArray<RosterGroup> Groups, ImmutableArray<(int Comes, int Leaves)> Changes, int Left)
{
    /// <summary>What stands above the standing routes.</summary>
    public const string Standing = "Standing";

    /// <summary>The roster of a studio.</summary>
    /// <param name="studio">The studio.</param>
    /// <param name="letters">Rows in which all of these words stand are shown; empty for all.</param>
    /// <param name="most">How many rows are shown at most.</param>
    /// <exception cref="ArgumentNullException"><paramref name="studio"/> is null.</exception>
    public static Roster Of(Studio studio, string letters, int most)
    {
        ArgumentNullException.ThrowIfNull(studio);
        var lineups = studio.Lineups.Select(lineup => lineup.Id).ToArray();
        var words = letters.Split(' ', StringSplitOptions.RemoveEmptyEntries);
        var rows = studio
            .Routes.Select(route => new RosterRow(route, studio.Describe(route), [.. lineups.Select(id => route.Duty.IsOn(id))]))
            .ToList();
        var changes = Enumerable
            .Range(1, Math.Max(0, lineups.Length - 1))
            .Select(i => (rows.Count(row => row.On[i] && !row.On[i - 1]), rows.Count(row => !row.On[i] && row.On[i - 1])));
        var found = rows.FindAll(row => Array.TrueForAll(words, word => row.Name.Contains(word, StringComparison.OrdinalIgnoreCase)));
        // Sources in the order in which their first route was laid; standing ones before them all.
        var sources = found.Where(row => !row.Route.Duty.IsStanding).Select(row => row.Route.From.Plate).Distinct().ToList();
        var ordered = found.OrderBy(row => row.Route.Duty.IsStanding ? -1 : sources.IndexOf(row.Route.From.Plate)).Take(most).ToList();
        var groups = ordered
            .GroupBy(row => row.Route.Duty.IsStanding ? Standing : WordList.Capital(studio.NameOf(row.Route.From)))
            .Select(group => new RosterGroup(group.Key, [.. group]));
        return new Roster([.. groups], [.. changes], Math.Max(0, found.Count - most));
    }
}
