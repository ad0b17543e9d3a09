using Weiche.Core.Checks;
using Weiche.Core.Layout;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;
using Weiche.Web.Desk;

namespace Weiche.Web.Pages.Lineups;

/// <summary>What Lineups shows.</summary>
/// <param name="State">The studio.</param>
/// <param name="Roster">Who is on duty when.</param>
/// <param name="Looked">The lineup that is looked at in the drawer; null if there is none.</param>
public sealed record LineupsView(DeskState State, Roster Roster, Lineup? Looked)
{
    /// <summary>The words by which rows are found; empty for all.</summary>
    public string Find { get; init; } = "";

    /// <summary>What could not be done, or null.</summary>
    public Problem? Problem { get; init; }

    /// <summary>What was typed that could not be taken.</summary>
    public string? Typed { get; init; }

    /// <summary>The thing that was pressed to become a lever; null if nothing was.</summary>
    public PressedThing? Pressed { get; init; }

    /// <summary>Counts up when something is plugged in or pulled out.</summary>
    public int Roll { get; init; }

    /// <summary>The ports whose device is missing: levers and what is sent there wait.</summary>
    public IReadOnlySet<PortId> Waiting { get; init; } = new HashSet<PortId>();

    /// <summary>The address of this.</summary>
    public string Address => "/lineups" + (Looked is { } lineup && lineup.Id != State.Studio.InForce ? $"?lineup={lineup.Id}" : "");

    /// <summary>How many circuits are open in a lineup.</summary>
    /// <param name="lineup">The lineup.</param>
    public int Circuits(LineupId lineup) => State.Looks.FirstOrDefault(look => look.Lineup == lineup)?.Report.OpenCircuits.Count() ?? 0;

    /// <summary>The levers that enter a lineup, by their own name; those that go on to the next one as "next".</summary>
    /// <param name="lineup">The lineup.</param>
    public IEnumerable<string> LeversInto(Lineup lineup)
    {
        var studio = State.Studio;
        foreach (var lever in studio.Levers.Where(lever => lever.Work is EnterLineup enter && enter.Lineup == lineup.Id))
            yield return $"{lever.Trigger.Words(studio.KeyNaming)} of {studio.FindPort(lever.Source)?.Name}";
        if (studio.NumberOf(lineup.Id) > 1 && studio.Levers.Any(lever => lever.Work is StepLineup { By: > 0 }))
            yield return "next";
    }

    /// <summary>What would be closed by a lever; null if nothing would.</summary>
    /// <param name="lever">The lever.</param>
    public PlacedFinding? CircuitOf(LeverId lever) =>
        State.Findings.FirstOrDefault(placed => placed.Finding.Key == LeverCircuits.KeyOf(lever));

    /// <summary>Whether a route closes a circuit in a lineup.</summary>
    /// <param name="route">The route.</param>
    /// <param name="lineup">The lineup.</param>
    public bool Circles(RouteId route, LineupId lineup) =>
        State.Looks.FirstOrDefault(look => look.Lineup == lineup)?.Report.OpenCircuits.Any(circuit => circuit.Routes.Contains(route))
        ?? false;
}

/// <summary>Something on a source that was pressed to become a lever.</summary>
/// <param name="Source">The source.</param>
/// <param name="Trigger">The thing.</param>
public sealed record PressedThing(DevicePort Source, LeverTrigger Trigger);
