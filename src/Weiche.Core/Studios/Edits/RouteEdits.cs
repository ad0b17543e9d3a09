using System.Collections.Immutable;
using Weiche.Core.Stages;

namespace Weiche.Core.Studios.Edits;

/// <summary>Lays a route to a destination, switched on: where the studio is looked at in a lineup, on duty there alone; else
/// standing.</summary>
/// <param name="From">Where it comes from.</param>
/// <param name="To">The destination.</param>
/// <param name="Another">Whether it is meant where one leads there already: the low keys on one, the high keys on the other.</param>
/// <param name="Through">The stage it has from the start, or null.</param>
public sealed record LayRoute(RouteSource From, PortId To, bool Another = false, Stage? Through = null) : StudioEdit
{
    /// <summary>The lineup that it is on duty in; null for the one that the studio is looked at in.</summary>
    public LineupId? In { get; init; }

    /// <inheritdoc/>
    public override string Title(Studio studio) =>
        $"Lay {studio.NameOf(From)} → "
        + $"{studio.FindPort(To)?.Name ?? "?"}{(Another && studio.RoutesBetween(From, To).Any() ? ", another" : "")}";

    /// <inheritdoc/>
    public override EditResult Apply(Studio studio)
    {
        if (Check(studio, From, To) is { } problem)
            return EditResult.Refused(problem);
        if (!Another && studio.RoutesBetween(From, To).Any())
        {
            var to = studio.FindPort(To)!.Value;
            return EditResult.Refused(
                "to",
                $"There is a route from {studio.NameOf(From)} {to.Label} already. Another beside it can take other keys or another "
                    + "channel.",
                new Remedy("Lay another", this with { Another = true })
            );
        }
        var laid = new Route(new RouteId(studio.NextId), From, To, true, Through is null ? [] : [Through])
        {
            Duty = (In is { } there ? studio.FindLineup(there) : studio.Current) is { } lineup ? Duty.In(lineup.Id) : Duty.Standing,
        };
        var after = studio with { Routes = studio.Routes.Add(laid), NextId = studio.NextId + 1 };
        return EditResult.Done(after, laid.Id.Value);
    }

    /// <summary>Why no route can lead from there to there, or null.</summary>
    /// <param name="studio">The studio.</param>
    /// <param name="from">Where it would come from.</param>
    /// <param name="destination">Where it would go.</param>
    internal static Problem? Check(Studio studio, RouteSource from, PortId destination)
    {
        if (CheckSource(studio, from) is { } problem)
            return new Problem("from", problem);
        if (studio.FindPort(destination) is not { } to)
            return new Problem("to", "The port the route should go to is gone: it was removed meanwhile. Nothing was changed.");
        if (to.IsSource)
            return new Problem("to", $"A route goes to a destination. “{to.Label}” is a source.");
        return
            from is OneSource one
            && studio.FindPort(one.Port) is { Device: var device }
            && device.IsVirtualPort()
            && device.Id == to.Device.Id
            ? new Problem("to", $"A route cannot go from {to.Name} to itself: what is sent to it comes out of it again, in a circle.")
            : null;
    }

    private static string? CheckSource(Studio studio, RouteSource from) =>
        from switch
        {
            OneSource one when studio.FindPort(one.Port) is not { } =>
                "The port the route should come from is gone: it was removed meanwhile. Nothing was changed.",
            OneSource one when studio.FindPort(one.Port) is { IsSource: false } port =>
                $"A route comes from a source. “{port.Label}” is a destination.",
            GroupSource group when studio.FindGroup(group.Group) is null =>
                "The group the route should come from is gone: it was removed meanwhile. Nothing was changed.",
            AnySource any when any.Except.Any(id => studio.FindPort(id) is not { IsSource: true }) =>
                "An exception is not a source. Nothing was changed.",
            _ => null,
        };
}

/// <summary>Sets which sources a route from any source leaves out.</summary>
/// <param name="Id">The route.</param>
/// <param name="Except">The exceptions.</param>
/// <param name="OwnToo">Whether the sources of the destination's own device are taken all the same.</param>
public sealed record SetExceptions(RouteId Id, ImmutableArray<PortId> Except, bool OwnToo) : StudioEdit
{
    /// <inheritdoc/>
    public override string Title(Studio studio) => $"Exceptions of {RouteName(studio, Id)}";

    /// <inheritdoc/>
    public override EditResult Apply(Studio studio)
    {
        if (studio.FindRoute(Id) is not { } route)
            return RouteGone();
        if (route.From is not AnySource)
            return EditResult.Refused("route", "Only a route from any source has exceptions.");
        if (Except.Any(id => studio.FindPort(id) is not { IsSource: true }))
            return EditResult.Refused("route", "An exception is not a source. Nothing was changed.");
        var after = studio with
        {
            Routes = studio.Routes.Replace(route, route with { From = new AnySource([.. Except.Distinct()], OwnToo) }),
        };
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
    public override string Title(Studio studio) =>
        studio.FindRoute(Id) is not { } route ? "Lead a route elsewhere"
        : From is { } from ? $"{studio.Describe(route)}: now from {studio.NameOf(from)}"
        : $"{studio.Describe(route)}: now {(To is { } to ? PortName(studio, to) : "the same")}";

    /// <inheritdoc/>
    public override EditResult Apply(Studio studio)
    {
        if (studio.FindRoute(Id) is not { } route)
            return RouteGone();
        var after = route with { From = From ?? route.From, To = To ?? route.To };
        if (LayRoute.Check(studio, after.From, after.To) is { } problem)
            return EditResult.Refused(problem);
        return ReplaceRoute(studio, route, after);
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
    public override string Title(Studio studio) =>
        studio.FindRoute(Id) is not { } route
            ? "Copy a route"
            : $"Copy {studio.Describe(route)} as {studio.NameOf(From ?? route.From)} → "
                + $"{studio.FindPort(To ?? route.To)?.Name ?? "a port that is gone"}";

    /// <inheritdoc/>
    public override EditResult Apply(Studio studio)
    {
        if (studio.FindRoute(Id) is not { } route)
            return RouteGone();
        var copy = route with { Id = new RouteId(studio.NextId), From = From ?? route.From, To = To ?? route.To };
        if (LayRoute.Check(studio, copy.From, copy.To) is { } problem)
            return EditResult.Refused(problem);
        return EditResult.Done(studio with { Routes = studio.Routes.Add(copy), NextId = studio.NextId + 1 }, copy.Id.Value);
    }
}

/// <summary>Switches a route on or off. Switching it off ends at once the notes and pedals that it holds.</summary>
/// <param name="Id">The route.</param>
/// <param name="On">Whether it shall be on.</param>
public sealed record SwitchRoute(RouteId Id, bool On) : StudioEdit
{
    /// <inheritdoc/>
    public override string Title(Studio studio) => $"Switch {RouteName(studio, Id)} {(On ? "on" : "off")}";

    /// <inheritdoc/>
    public override EditResult Apply(Studio studio) =>
        studio.FindRoute(Id) is { } route ? ReplaceRoute(studio, route, route with { On = On }) : RouteGone();
}

/// <summary>Has of a source's routes one alone switched on, or all of them: two sounds layered, only the one, both again.</summary>
/// <param name="Id">The route.</param>
/// <param name="All">Whether all shall be on; else this one alone.</param>
public sealed record OnlyRoute(RouteId Id, bool All) : StudioEdit
{
    /// <inheritdoc/>
    public override string Title(Studio studio) =>
        studio.FindRoute(Id) is not { } route ? "Only one route"
        : All ? $"All routes from {studio.NameOf(route.From)}"
        : $"Only {studio.Describe(route)}";

    /// <inheritdoc/>
    public override EditResult Apply(Studio studio) =>
        studio.FindRoute(Id) is { } route
            ? EditResult.Done(
                studio with
                {
                    Routes =
                    [
                        .. studio.Routes.Select(each =>
                            each.From.Plate != route.From.Plate || each.On == (All || each.Id == Id) ? each : each with { On = !each.On }
                        ),
                    ],
                }
            )
            : RouteGone();
}

/// <summary>Solos a route or ends its solo. While any route that is on is soloed, only soloed routes are live, and what carries them on
/// from virtual ports.</summary>
/// <param name="Id">The route.</param>
/// <param name="Solo">Whether it shall be soloed.</param>
public sealed record SoloRoute(RouteId Id, bool Solo) : StudioEdit
{
    /// <inheritdoc/>
    public override string Title(Studio studio) => $"{(Solo ? "Solo" : "End solo of")} {RouteName(studio, Id)}";

    /// <inheritdoc/>
    public override EditResult Apply(Studio studio) =>
        studio.FindRoute(Id) is { } route ? ReplaceRoute(studio, route, route with { Solo = Solo }) : RouteGone();
}

/// <summary>Makes a route divert, or an ordinary one again.</summary>
/// <param name="Id">The route.</param>
/// <param name="Divert">Whether it shall take what it lets through away from the source's other routes.</param>
public sealed record DivertRoute(RouteId Id, bool Divert) : StudioEdit
{
    /// <inheritdoc/>
    public override string Title(Studio studio) => $"{(Divert ? "Divert" : "No longer divert")} {RouteName(studio, Id)}";

    /// <inheritdoc/>
    public override EditResult Apply(Studio studio) =>
        studio.FindRoute(Id) is { } route ? ReplaceRoute(studio, route, route with { Divert = Divert }) : RouteGone();
}

/// <summary>Moves a route before or after its neighbours: routes that divert are asked in this order.</summary>
/// <param name="Id">The route.</param>
/// <param name="By">How many places; negative is earlier.</param>
public sealed record MoveRoute(RouteId Id, int By) : StudioEdit
{
    /// <inheritdoc/>
    public override string Title(Studio studio) => $"Move {RouteName(studio, Id)} {(By < 0 ? "earlier" : "later")}";

    /// <inheritdoc/>
    public override EditResult Apply(Studio studio)
    {
        if (studio.FindRoute(Id) is not { } route)
            return RouteGone();
        return EditResult.Done(studio with { Routes = Moved(studio.Routes, studio.Routes.IndexOf(route), By) });
    }
}

/// <summary>Removes a route. The notes and pedals that it holds end at once.</summary>
/// <param name="Id">The route.</param>
public sealed record RemoveRoute(RouteId Id) : StudioEdit
{
    /// <inheritdoc/>
    public override string Title(Studio studio) => $"Remove {RouteName(studio, Id)}";

    /// <inheritdoc/>
    public override EditResult Apply(Studio studio) =>
        studio.FindRoute(Id) is { } route
            ? EditResult.Done((studio with { Routes = studio.Routes.Remove(route) }).WithoutLoose())
            : EditResult.Refused("route", "That route is gone already.");
}
