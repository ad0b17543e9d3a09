using System.Collections.Immutable;
using Weiche.Core.Studios;

namespace Weiche.Core.Checks;

/// <summary>What was looked at, for "all clear" to mean something.</summary>
/// <param name="Routes">Routes that are live.</param>
/// <param name="Places">Ports and jacks.</param>
/// <param name="WaysBack">Ways through the room by which something could come back, the closed ones too.</param>
/// <param name="IsWhole">Whether every way was followed; circuits always are, doubles and loads within a stated bound.</param>
public sealed record LookedAt(int Routes, int Places, int WaysBack, bool IsWhole);

/// <summary>What the checks have to say about a studio.</summary>
public sealed class CheckReport
{
    internal CheckReport(
        Studio studio,
        CircuitSearch search,
        WaySearch ways,
        ImmutableArray<Finding> findings,
        ImmutableArray<WorstLoad> loads,
        LookedAt looked,
        Measured measured
    )
    {
        Measured = measured;
        Studio = studio;
        Search = search;
        Ways = ways;
        Findings = findings;
        Loads = loads;
        Looked = looked;
    }

    /// <summary>The studio that was looked at.</summary>
    public Studio Studio { get; }

    /// <summary>The findings, worst first.</summary>
    public ImmutableArray<Finding> Findings { get; }

    /// <summary>What each wire has to carry at worst.</summary>
    public ImmutableArray<WorstLoad> Loads { get; }

    /// <summary>What was looked at.</summary>
    public LookedAt Looked { get; }

    /// <summary>The circuits that are open.</summary>
    public IEnumerable<Finding> OpenCircuits => Findings.Where(finding => finding.IsOpenCircuit);

    /// <summary>What had been measured.</summary>
    public Measured Measured { get; }

    /// <summary>The same, with what was measured since: only what wires carry depends on it.</summary>
    /// <param name="measured">What was measured.</param>
    /// <returns>This very report, where it makes no difference that is worth telling.</returns>
    public CheckReport With(Measured measured)
    {
        var loads = WireLoads.Of(Search.Flow, Ways, measured).ToImmutableArray();
        if (!WireLoads.AreOthers(Loads, loads))
            return this;
        var findings = Findings.Where(finding => finding.Kind != FindingKind.Wire).Concat(WireLoads.Findings(Search.Flow, Ways, loads));
        return new CheckReport(Studio, Search, Ways, Checker.InOrder(findings), loads, Looked, measured);
    }

    internal CircuitSearch Search { get; }

    internal WaySearch Ways { get; }

    /// <summary>Whether something can go round here that could not in another version of the studio.</summary>
    /// <param name="before">What was found there.</param>
    public bool OpensCircuit(CheckReport before) => Search.OpensMoreThan(before.Search);
}

/// <summary>Looks at a whole studio: routes, cables, ways through devices, groups, diverts, solo and switches, for every message that
/// its devices can send.</summary>
/// <remarks>What is proved and what is assumed: docs/checks.md.</remarks>
public static class Checker
{
    /// <summary>Checks a studio.</summary>
    /// <param name="studio">The studio.</param>
    /// <param name="previous">What was found in the version before: what is still the same is not worked out anew, and what was measured
    /// counts on.</param>
    /// <exception cref="ArgumentNullException"><paramref name="studio"/> is null.</exception>
    public static CheckReport Check(Studio studio, CheckReport? previous = null)
    {
        ArgumentNullException.ThrowIfNull(studio);
        // What is told names keys as this studio calls them; where they were called otherwise before, all is told anew.
        var known = previous?.Studio.KeyNaming == studio.KeyNaming ? previous : null;
        return Check(studio, known, previous?.Measured ?? Measured.Nothing);
    }

    private static CheckReport Check(Studio studio, CheckReport? previous, Measured measured)
    {
        var search = CircuitSearch.Of(Flow.Of(studio, previous?.Search.Flow), previous?.Search);
        var ways = WaySearch.Of(search.Flow);
        var loads = WireLoads.Of(search.Flow, ways, measured).ToImmutableArray();
        var circuits = Circuits.Of(search).ToList();
        Finding[] findings =
        [
            .. circuits,
            .. LeverCircuits.Of(search, circuits),
            .. Doubles.Of(search.Flow, ways),
            .. Doubles.Unknown(search.Flow),
            .. StuckRisks.Of(search.Flow),
            .. WireLoads.Findings(search.Flow, ways, loads),
            .. Clocks.Of(search),
            .. MpeChecks.Of(search.Flow, ways),
            .. CablingChecks.Of(search),
            .. search.Flow.Room.Names,
            .. Hearing.Of(search),
        ];
        var looked = new LookedAt(search.Flow.Routes, search.Flow.Room.Places.Length, search.Flow.Room.WaysBack, ways.IsWhole);
        var found = InOrder(findings);
        search.Forget();
        return new CheckReport(studio, search, ways, found, loads, looked, measured);
    }

    /// <summary>The worst first, those of one sort as they come; of those with one key the first alone.</summary>
    internal static ImmutableArray<Finding> InOrder(IEnumerable<Finding> findings)
    {
        var (keys, first, ranks) = (new HashSet<string>(), new List<Finding>(), new List<long>());
        foreach (var finding in findings)
        {
            if (!keys.Add(finding.Key))
                continue;
            ranks.Add(((long)finding.Severity << 48) + ((long)finding.Kind << 32) + first.Count);
            first.Add(finding);
        }
        ranks.Sort();
        return [.. ranks.Select(rank => first[(int)rank])];
    }
}
