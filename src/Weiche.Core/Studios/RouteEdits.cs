using System.Collections.Immutable;
using Weiche.Core.Stages;

namespace Weiche.Core.Studios;

/// <summary>Several edits as one: all of them are made, or none. One undo takes them back.</summary>
/// <param name="Edits">The edits, in their order.</param>
/// <param name="Words">What they do together, in words.</param>
public sealed record ManyEdits(ImmutableArray<StudioEdit> Edits, string Words) : StudioEdit
{
    /// <summary>The most that are made at once.</summary>
    public const int Most = 1024;

    /// <inheritdoc/>
    public override string Title(Studio studio) => Words;

    /// <inheritdoc/>
    public override EditResult Apply(Studio studio)
    {
        if (Edits.IsEmpty) return EditResult.Refused("many", "Nothing is chosen.");
        if (Edits.Length > Most) return EditResult.Refused("many", $"That would be {Edits.Length} changes at once; at most {Most} are made. Choose fewer.");
        var after = studio;
        foreach (var edit in Edits)
        {
            var result = edit.Apply(after);
            if (result.Problem is { } problem) return EditResult.Refused(problem.Field, problem.Sentence, problem.Remedy);
            after = result.Studio!;
        }
        return EditResult.Done(after);
    }
}

/// <summary>Leads a route from another source, or to another destination. It keeps its stages and switches.</summary>
/// <param name="Id">The route.</param>
/// <param name="From">Where it comes from now; null if that stays.</param>
/// <param name="To">Where it goes now; null if that stays.</param>
public sealed record RelayRoute(RouteId Id, RouteSource? From, PortId? To) : StudioEdit
{
    /// <inheritdoc/>
    public override string Title(Studio studio) => studio.FindRoute(Id) is not { } route ? "Lead a route elsewhere"
        : From is { } from ? $"{studio.Describe(route)}: now from {studio.NameOf(from)}"
        : $"{studio.Describe(route)}: now {(To is { } to ? PortName(studio, to) : "the same")}";

    /// <inheritdoc/>
    public override EditResult Apply(Studio studio)
    {
        if (studio.FindRoute(Id) is not { } route) return RouteGone();
        var after = route with { From = From ?? route.From, To = To ?? route.To };
        if (LayRoute.Check(studio, after.From, after.To, Id) is { } problem) return EditResult.Refused(problem.Field, problem.Sentence);
        return EditResult.Done(studio.With(routes: studio.Routes.Replace(route, after)));
    }
}

/// <summary>Lays another route like this one, with the same stages and switches, to another destination or from another
/// source.</summary>
/// <param name="Id">The route that is copied.</param>
/// <param name="From">Where the copy comes from; null for the same.</param>
/// <param name="To">Where the copy goes; null for the same.</param>
public sealed record CopyRoute(RouteId Id, RouteSource? From, PortId? To) : StudioEdit
{
    /// <inheritdoc/>
    public override string Title(Studio studio) => studio.FindRoute(Id) is not { } route
        ? "Copy a route"
        : $"Copy {studio.Describe(route)} as {studio.NameOf(From ?? route.From)} → {studio.FindPort(To ?? route.To)?.Name ?? "a port that is gone"}";

    /// <inheritdoc/>
    public override EditResult Apply(Studio studio)
    {
        if (studio.FindRoute(Id) is not { } route) return RouteGone();
        var copy = route with { Id = new RouteId(studio.NextId), From = From ?? route.From, To = To ?? route.To };
        if (LayRoute.Check(studio, copy.From, copy.To, null) is { } problem) return EditResult.Refused(problem.Field, problem.Sentence);
        return EditResult.Done(studio.With(routes: studio.Routes.Add(copy), idsTaken: 1), copy.Id.Value);
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
        $"Copy {studio.FindRoute(Id)?.Stages.ElementAtOrDefault(Index)?.Name ?? "a stage"} from {RouteName(studio, Id)} to {RouteName(studio, Other)}";

    /// <inheritdoc/>
    public override EditResult Apply(Studio studio) => studio.FindRoute(Id) is not { } route || studio.FindRoute(Other) is null ? RouteGone()
        : Index < 0 || Index >= route.Stages.Length ? EditResult.Refused("stage", "That stage is not there any more: the route was changed meanwhile. Nothing was changed.")
        : new AddStage(Other, route.Stages[Index]).Apply(studio);
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
        if (studio.FindRoute(Id) is not { } route) return RouteGone();
        if (Index < 0 || Index >= route.Stages.Length || route.Stages[Index].Name != Name)
            return EditResult.Refused("stage", $"The {Name} stage is not there any more: the route was changed meanwhile. Nothing was changed.");
        var inner = route.Stages[Index] is OffStage off ? off.Inner : route.Stages[Index];
        return ReplaceRoute(studio, route, route with { Stages = route.Stages.SetItem(Index, On ? inner : new OffStage(inner)) });
    }
}
