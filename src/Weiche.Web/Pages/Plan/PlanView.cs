using Weiche.Core.Layout;
using Weiche.Core.Live;
using Weiche.Core.Midi;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;
using Weiche.Core.Ways;
using Weiche.Ports;
using Weiche.Web.Desk;

namespace Weiche.Web.Pages.Plan;

/// <summary>What Plan shows.</summary>
/// <param name="State">The studio.</param>
/// <param name="Figures">The plan in force, with its figures.</param>
/// <param name="Address">How it is looked at.</param>
/// <param name="Tracks">The studio laid out; null in the grid.</param>
/// <param name="Chosen">The chosen routes that are still there.</param>
/// <param name="Problem">What could not be done, or null.</param>
/// <param name="Typed">What was typed when there is a problem with it.</param>
public sealed record PlanView(
    DeskState State,
    CompiledStudio Figures,
    PlanAddress Address,
    TrackPlan? Tracks,
    IReadOnlyList<Route> Chosen,
    Problem? Problem = null,
    string? Typed = null
)
{
    /// <summary>What is there now, against what the studio says.</summary>
    public required RoomState Room { get; init; }

    /// <summary>What would become of the message that is traced, or null.</summary>
    public Trace? Trace { get; init; }

    /// <summary>What can reach the destination that is asked about, or null.</summary>
    public IReadOnlyList<Reaching>? Reaching { get; init; }

    /// <summary>Why there is no trace, or null.</summary>
    public string? TraceProblem { get; init; }

    /// <summary>The one route that is chosen; null if none is, or several are.</summary>
    public Route? Route => Chosen.Count == 1 ? Chosen[0] : null;

    /// <summary>Whether a route is chosen.</summary>
    /// <param name="route">The route.</param>
    public bool IsChosen(RouteId route) => Chosen.Any(each => each.Id == route);

    /// <summary>Whether a port waits for its device, which is missing.</summary>
    /// <param name="port">The port.</param>
    public bool Waits(DevicePort port) => Room.IsMissing(State.Studio, port);

    /// <summary>Whether a route is live, and if not, why.</summary>
    /// <param name="route">The route.</param>
    public RouteState StateOf(Route route) => LiveRoutes.Of(State.Studio).StateOf(route, Waits);

    /// <summary>The lineup in force, whichever is looked at.</summary>
    public LineupId? InForce { get; init; }

    /// <summary>In which lineups a route is on duty, in a few words: "Only in 2 Star field", "Standing".</summary>
    /// <param name="route">The route.</param>
    public string DutyOf(Route route) =>
        route.Duty.IsStanding ? "Standing"
        : route.Duty.Lineups.IsEmpty ? "In no lineup"
        : (route.Duty.Lineups.Length == 1 ? "Only in " : "In ")
            + (
                route.Duty.Lineups is [var one]
                    ? State.Studio.NameOf(one)
                    : string.Join(", ", route.Duty.Lineups.Select(State.Studio.NumberOf).Order())
            );

    /// <summary>Whether messages can run on a route.</summary>
    /// <param name="route">The route.</param>
    public bool Runs(Route route) => StateOf(route) == RouteState.Live;

    /// <summary>How many messages a route passed, clock and active sensing left out.</summary>
    /// <param name="route">The route.</param>
    public long Passed(RouteId route) => Figures.Meter(route) is { } meter ? meter.Passed - meter.PassedBackground : 0;

    /// <summary>What the trace says of a route: the words for its row, and the stage that stops it (from 0); null if the message
    /// does not come there.</summary>
    /// <param name="route">The route.</param>
    public (string Words, bool Passes, int? StoppedAt)? TraceOf(RouteId route)
    {
        var steps = Trace?.Steps.Where(step => step.Route?.Id == route).ToList();
        if (steps is not { Count: > 0 })
            return null;
        var passing = steps.Find(step => !step.Became.IsEmpty);
        if (passing is null)
            return ("stopped", false, steps[0].StoppedAt);
        var first = passing.Became[0];
        var words =
            first.Kind == MessageKind.Note ? State.Studio.KeyNaming.Of(first.Data1) : MessageText.Words(first, State.Studio.KeyNaming);
        var more = passing.Became.Length > 1 ? $" +{passing.Became.Length - 1}" : "";
        return ($"{words}{more}{(first.HasChannel ? $" · ch {first.ChannelIndex + 1}" : "")}", true, null);
    }

    private readonly HashSet<RouteId> _circling = [.. State.Report.OpenCircuits.SelectMany(circuit => circuit.Routes)];

    private readonly HashSet<InnerPathId> _circlingPaths =
    [
        .. State.Report.OpenCircuits.SelectMany(circuit => circuit.Paths).Select(path => path.Path),
    ];

    /// <summary>Whether a route is part of a circuit that is open.</summary>
    /// <param name="route">The route.</param>
    public bool Circles(RouteId route) => _circling.Contains(route);

    /// <summary>Whether what another program connects is part of a circuit that is open.</summary>
    /// <param name="cable">The connection.</param>
    public bool Circles(OutsideCable cable) => State.Report.OpenCircuits.Any(circuit => circuit.Outside.Contains(cable));

    /// <summary>Whether a way in the room is part of a circuit that is open.</summary>
    /// <param name="way">The way.</param>
    public bool Circles(RoomWay way) =>
        way.Outside is { } cable
            ? Circles(cable)
            : way.On
                && way.IsBack
                && (
                    way.Links.Any(link => link.Inner is { } inner && _circlingPaths.Contains(inner.Id))
                    || (
                        way.Links.All(link => link.Inner is null)
                        && State.Report.OpenCircuits.Any(circuit =>
                            circuit.Ring.Any(leg => leg.Port == way.Destination) && circuit.Ring.Any(leg => leg.Port == way.Source)
                        )
                    )
                );

    /// <summary>Whether the traced message runs on what another program connects.</summary>
    /// <param name="cable">The connection.</param>
    public bool IsTraced(OutsideCable cable) => Trace?.Steps.Any(step => step.Link?.Outside == cable && !step.Became.IsEmpty) == true;

    /// <summary>Whether the traced message runs on a way in the room.</summary>
    /// <param name="way">The way.</param>
    public bool IsTraced(RoomWay way) =>
        Trace is { } trace
        && way.On
        && way.Links.All(link =>
            trace.Steps.Any(step => step.Link is { } on && on.From == link.From && on.To == link.To && !step.Became.IsEmpty)
        );
}
