using System.Globalization;
using Weiche.Core.Midi;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;

namespace Weiche.Core.Checks;

/// <summary>Circuits that are not open, but would be as soon as levers switch routes: on, or off where one diverts or is soloed.</summary>
/// <remarks>Each lever is tried by itself, and then all of them one after the other: what is told happens when they are worked so. That no
/// other order of several levers closes a circuit is proved only where nothing circles with all of their routes on at once, and no route
/// diverts or is soloed: then one look is enough for all of them. A lever counts in every lineup, whichever it works in: what it switched
/// stays so when another is entered.</remarks>
public static class LeverCircuits
{
    /// <summary>The key of the finding about a lever.</summary>
    /// <param name="lever">The lever.</param>
    public static string KeyOf(LeverId lever) => string.Create(CultureInfo.InvariantCulture, $"lever-circuit-{lever.Value}");

    /// <summary>The findings.</summary>
    /// <param name="search">The studio, as it is while no lever is worked.</param>
    /// <param name="circuits">What was found of circuits there.</param>
    internal static IEnumerable<Finding> Of(CircuitSearch search, IReadOnlyList<Finding> circuits)
    {
        var studio = search.Flow.Studio;
        var works = studio
            .Levers.Select(lever => (Lever: lever, Then: Worked(studio, lever)))
            .Where(work => !ReferenceEquals(work.Then, studio))
            .ToList();
        var levers = works.ConvertAll(work => work.Lever);
        if (levers.Count == 0 || IsClearWithAll(search, levers))
            yield break;
        var told = new List<Finding>();
        foreach (var (lever, then) in works)
        {
            if (Opened(search, circuits, then) is not { } circuit)
                continue;
            told.Add(circuit);
            yield return circuit with
            {
                Kind = FindingKind.LeverCircuit,
                Key = KeyOf(lever.Id),
                Title = $"{LeverWords.Name(studio, lever)} would close a circuit",
                Sentence =
                    $"{LeverWords.Name(studio, lever)} is a lever ({LeverWords.Of(studio, lever.Work)}). Worked, it closes a circuit: "
                    + circuit.Sentence,
                Proposed = [new RemoveLever(lever.Id)],
            };
        }
        if (levers.Count < 2)
            yield break;
        if (Opened(search, [.. circuits, .. told], levers.Aggregate(studio, Worked)) is not { } together)
            yield break;
        var needed = levers.Where(lever => ((SwitchRoutes)lever.Work).Routes.Any(together.Routes.Contains)).ToList();
        var names = WordList.Of([.. needed.Select(lever => LeverWords.Name(studio, lever))]);
        yield return together with
        {
            Kind = FindingKind.LeverCircuit,
            Key = "lever-circuit-all",
            Title = "Levers together would close a circuit",
            Sentence = $"{names} are levers. Worked one after the other, they close a circuit: {together.Sentence}",
            Proposed = [.. needed.Select(lever => new RemoveLever(lever.Id))],
        };
    }

    /// <summary>Whether nothing more circles with all routes on that levers work. Without routes that divert or are soloed one that is on
    /// never stops what another passes, so then nothing more circles with some of them on either.</summary>
    private static bool IsClearWithAll(CircuitSearch search, List<Lever> levers)
    {
        var studio = search.Flow.Studio;
        if (studio.Routes.Any(route => route.Divert || route.Solo))
            return false;
        var worked = levers.SelectMany(lever => ((SwitchRoutes)lever.Work).Routes).ToHashSet();
        return !Opens(
            search,
            studio with
            {
                Routes = [.. studio.Routes.Select(route => !route.On && worked.Contains(route.Id) ? route with { On = true } : route)],
            },
            out _
        );
    }

    /// <summary>The studio as it is played when a lever has been worked, or is held; the very same where it switches nothing.</summary>
    private static Studio Worked(Studio studio, Lever lever)
    {
        if (lever.Work is not SwitchRoutes work)
            return studio;
        var routes = studio.Routes;
        foreach (var id in work.Routes)
        {
            if (studio.FindRoute(id) is not { } route)
                continue;
            var on = work.How switch
            {
                LeverSwitch.Off => false,
                LeverSwitch.Over => !route.On,
                _ => true,
            };
            if (on != route.On)
                routes = routes.Replace(route, route with { On = on });
        }
        return routes == studio.Routes ? studio : studio with { Routes = routes };
    }

    /// <summary>A circuit that is open then, and is not among those that are known; null for none.</summary>
    private static Finding? Opened(CircuitSearch search, IReadOnlyList<Finding> known, Studio worked) =>
        Opens(search, worked, out var circuits)
            ? circuits.Find(circuit =>
                !known.Any(other => other.Routes.SequenceEqual(circuit.Routes) && other.Messages.Equals(circuit.Messages))
            )
            : null;

    /// <summary>Whether more circles in another state of the studio, and all that is open there.</summary>
    private static bool Opens(CircuitSearch search, Studio worked, out List<Finding> circuits)
    {
        var then = CircuitSearch.Of(Flow.Of(worked, search.Flow), search);
        var opens = then.OpensMoreThan(search);
        circuits = opens ? [.. Circuits.Of(then).Where(circuit => circuit.IsOpenCircuit)] : [];
        then.Forget();
        return opens;
    }
}
