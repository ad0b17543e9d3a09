using Weiche.Core.Stages;

namespace Weiche.Core.Studios.Edits;

/// <summary>Puts a new stage at the end of a route.</summary>
/// <param name="Id">The route.</param>
/// <param name="Stage">The stage.</param>
public sealed record AddStage(RouteId Id, Stage Stage) : StudioEdit
{
    /// <inheritdoc/>
    public override string Title(Studio studio) => $"Add {Stage.Name} to {RouteName(studio, Id)}";

    /// <inheritdoc/>
    public override EditResult Apply(Studio studio)
    {
        if (studio.FindRoute(Id) is not { } route)
            return RouteGone();
        return route.Stages.Length == Route.MaxStages
            ? EditResult.Refused("stage", $"A route has at most {Route.MaxStages} stages.")
            : ReplaceRoute(studio, route, route with { Stages = route.Stages.Add(Stage) });
    }
}

/// <summary>Sets a stage anew.</summary>
/// <param name="Id">The route.</param>
/// <param name="Index">Which stage, from 0.</param>
/// <param name="Stage">What it shall be; of the same sort as what stands there.</param>
/// <param name="Was">What the person saw there; null where that does not matter. If something else stands there now, nothing is
/// changed: what another window did is not undone without a word.</param>
public sealed record SetStage(RouteId Id, int Index, Stage Stage, Stage? Was = null) : StudioEdit
{
    /// <inheritdoc/>
    public override string Title(Studio studio) => $"{Stage.Name} “{Stage.Sign(studio.KeyNaming)}” on {RouteName(studio, Id)}";

    /// <inheritdoc/>
    public override EditResult Apply(Studio studio)
    {
        if (studio.FindRoute(Id) is not { } route)
            return RouteGone();
        if (Index < 0 || Index >= route.Stages.Length || route.Stages[Index].GetType() != Stage.GetType())
            return EditResult.Refused(
                "stage",
                $"The {Stage.Name} stage is not there any more: the route was changed meanwhile. Nothing was changed."
            );
        if (Was is not null && !Was.Equals(route.Stages[Index]))
            return EditResult.Refused(
                "stage",
                $"Another window has set this {Stage.Name} stage to “{route.Stages[Index].Sign(studio.KeyNaming)}” meanwhile. Nothing was changed: "
                    + "look at it and set it again."
            );
        return ReplaceRoute(studio, route, route with { Stages = route.Stages.SetItem(Index, Stage) });
    }
}

/// <summary>Switches one stage of a route off, or on again with all that was set.</summary>
/// <param name="Id">The route.</param>
/// <param name="Index">Which stage, from 0.</param>
/// <param name="Name">The name of the stage that the person sees there.</param>
/// <param name="On">Whether it shall be on.</param>
public sealed record SwitchStage(RouteId Id, int Index, string Name, bool On) : StudioEdit
{
    /// <inheritdoc/>
    public override string Title(Studio studio) => $"Switch {Name} on {RouteName(studio, Id)} {(On ? "on" : "off")}";

    /// <inheritdoc/>
    public override EditResult Apply(Studio studio)
    {
        if (studio.FindRoute(Id) is not { } route)
            return RouteGone();
        if (Index < 0 || Index >= route.Stages.Length || route.Stages[Index].Name != Name)
            return EditResult.Refused(
                "stage",
                $"The {Name} stage is not there any more: the route was changed meanwhile. Nothing was changed."
            );
        var inner = route.Stages[Index] is OffStage off ? off.Inner : route.Stages[Index];
        return ReplaceRoute(studio, route, route with { Stages = route.Stages.SetItem(Index, On ? inner : new OffStage(inner)) });
    }
}

/// <summary>Moves a stage before or after its neighbours.</summary>
/// <param name="Id">The route.</param>
/// <param name="Index">Which stage, from 0.</param>
/// <param name="By">How many places; negative is earlier.</param>
public sealed record MoveStage(RouteId Id, int Index, int By) : StudioEdit
{
    /// <inheritdoc/>
    public override string Title(Studio studio) => $"Move a stage of {RouteName(studio, Id)}";

    /// <inheritdoc/>
    public override EditResult Apply(Studio studio)
    {
        if (studio.FindRoute(Id) is not { } route)
            return RouteGone();
        if (Index < 0 || Index >= route.Stages.Length)
            return EditResult.Refused("stage", "That stage is not there any more: the route was changed meanwhile. Nothing was changed.");
        return ReplaceRoute(studio, route, route with { Stages = Moved(route.Stages, Index, By) });
    }
}

/// <summary>Puts a copy of a stage at the end of another route.</summary>
/// <param name="Id">The route that has it.</param>
/// <param name="Index">Which stage, from 0.</param>
/// <param name="Other">The route that gets a copy.</param>
public sealed record CopyStage(RouteId Id, int Index, RouteId Other) : StudioEdit
{
    /// <inheritdoc/>
    public override string Title(Studio studio) =>
        $"Copy {studio.FindRoute(Id)?.Stages.ElementAtOrDefault(Index)?.Name ?? "a stage"} from {RouteName(studio, Id)} to "
        + $"{RouteName(studio, Other)}";

    /// <inheritdoc/>
    public override EditResult Apply(Studio studio) =>
        studio.FindRoute(Id) is not { } route || studio.FindRoute(Other) is null ? RouteGone()
        : Index < 0 || Index >= route.Stages.Length
            ? EditResult.Refused("stage", "That stage is not there any more: the route was changed meanwhile. Nothing was changed.")
        : new AddStage(Other, route.Stages[Index]).Apply(studio);
}

/// <summary>Takes a stage off a route.</summary>
/// <param name="Id">The route.</param>
/// <param name="Index">Which stage, from 0.</param>
/// <param name="Name">The name of the stage that the person sees there.</param>
public sealed record RemoveStage(RouteId Id, int Index, string Name) : StudioEdit
{
    /// <inheritdoc/>
    public override string Title(Studio studio) => $"Take {Name} off {RouteName(studio, Id)}";

    /// <inheritdoc/>
    public override EditResult Apply(Studio studio)
    {
        if (studio.FindRoute(Id) is not { } route)
            return RouteGone();
        if (Index < 0 || Index >= route.Stages.Length || route.Stages[Index].Name != Name)
            return EditResult.Refused("stage", "That stage is not there any more: the route was changed meanwhile. Nothing was changed.");
        return ReplaceRoute(studio, route, route with { Stages = route.Stages.RemoveAt(Index) });
    }
}

/// <summary>Makes what comes through a route louder or softer: the scale of its last Velocity stage, or one put at its end.</summary>
/// <param name="Id">The route.</param>
/// <param name="Percent">Per cent of the velocity that comes, 0 to <see cref="Most"/>.</param>
public sealed record SetBalance(RouteId Id, int Percent) : StudioEdit
{
    /// <summary>The loudest, per cent.</summary>
    public const int Most = 200;

    /// <summary>How loud a route is now, per cent.</summary>
    /// <param name="route">The route.</param>
    public static int Of(Route route) => route.Stages.OfType<VelocityStage>().LastOrDefault()?.Scale ?? 100;

    /// <inheritdoc/>
    public override string Title(Studio studio) => $"Balance: {RouteName(studio, Id)} {Percent} %";

    /// <inheritdoc/>
    public override EditResult Apply(Studio studio)
    {
        if (studio.FindRoute(Id) is not { } route)
            return RouteGone();
        if (Percent is < 0 or > Most)
            return EditResult.Refused("balance", $"A balance is from 0 to {Most} per cent.");
        var at = -1;
        for (var i = 0; i < route.Stages.Length; i++)
        {
            if (route.Stages[i] is VelocityStage)
                at = i;
        }
        if (at < 0)
        {
            return route.Stages.Length == Route.MaxStages
                ? EditResult.Refused(
                    "balance",
                    $"{RouteName(studio, Id)} has {Route.MaxStages} stages already; none is left for a balance."
                )
                : ReplaceRoute(studio, route, route with { Stages = route.Stages.Add(new VelocityStage(scale: Percent)) });
        }
        var velocity = (VelocityStage)route.Stages[at];
        var scaled = new VelocityStage(velocity.Lowest, velocity.Highest, Percent, velocity.Offset, velocity.Curve);
        // A stage that does nothing is taken off again.
        return ReplaceRoute(
            studio,
            route,
            route with
            {
                Stages = scaled.Equals(new VelocityStage()) ? route.Stages.RemoveAt(at) : route.Stages.SetItem(at, scaled),
            }
        );
    }
}
