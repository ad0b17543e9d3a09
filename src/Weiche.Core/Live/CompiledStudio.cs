using Weiche.Core.Stages;
using Weiche.Core.Studios;

namespace Weiche.Core.Live;

/// <summary>
/// A studio in the form that the engine runs: for each lineup and each source its live routes with their stages compiled. Made
/// away from the live path, and never changed: what the engine keeps for a route is the engine's own (<see cref="Line"/>).
/// </summary>
public sealed class CompiledStudio
{
    // Of each source, by its id, the place in the lists.
    private readonly int[] _indexOf;

    // By lineup, then by source; one place for a studio without lineups.
    private readonly CompiledRoute[][][] _lists;
    private readonly CompiledRoute[][] _arranged;
    private readonly CompiledRoute?[] _byRoute;
    private readonly PortMeter?[] _ports;

    private CompiledStudio(
        Studio studio,
        int version,
        int[] indexOf,
        CompiledRoute[][][] lists,
        CompiledRoute[][] arranged,
        CompiledRoute?[] byRoute,
        PortMeter?[] ports,
        bool anySolo
    )
    {
        AnySolo = anySolo;
        Studio = studio;
        Version = version;
        _indexOf = indexOf;
        _lists = lists;
        _arranged = arranged;
        _byRoute = byRoute;
        _ports = ports;
    }

    /// <summary>The studio this was made from.</summary>
    public Studio Studio { get; }

    /// <summary>Counts up by one with each one made from another.</summary>
    public int Version { get; }

    /// <summary>The figures of a port, or null if the studio has no such port.</summary>
    /// <param name="id">The port.</param>
    public PortMeter? Meter(PortId id) => id.Value > 0 && id.Value < _ports.Length ? _ports[id.Value] : null;

    /// <summary>The figures of a route, or null if the studio has no such route.</summary>
    /// <param name="id">The route.</param>
    public RouteMeter? Meter(RouteId id) => Find(id)?.Meter;

    /// <summary>The compiled form of a route, or of the way through a door; null if there is none.</summary>
    internal CompiledRoute? Find(RouteId id) => (uint)id.Value < (uint)_byRoute.Length ? _byRoute[id.Value] : null;

    /// <summary>Compiles a studio.</summary>
    /// <param name="studio">The studio.</param>
    /// <param name="previous">What was in force before it, whose figures go on counting for what is still there.</param>
    public static CompiledStudio Compile(Studio studio, CompiledStudio? previous = null)
    {
        var size = studio.NextId;
        var ports = new PortMeter?[size];
        foreach (var port in studio.Ports)
            ports[port.Id.Value] = previous?.Meter(port.Id) ?? new PortMeter(port.IsSource);
        var byRoute = new CompiledRoute?[size];
        var live = LiveRoutes.Of(studio);
        var places = studio.Lineups.Index().ToDictionary(item => item.Item.Id, item => item.Index);
        var count = Math.Max(1, places.Count);
        // What the lineups make of a route is looked up again only where they, or the route, are others.
        var alike = previous is not null && previous.Studio.Lineups == studio.Lineups && previous.Studio.HeldOff == studio.HeldOff;
        foreach (var route in studio.Routes)
        {
            var isLive = studio.FindPort(route.To)!.Value.Port.On;
            var isIn =
                alike && previous!.Find(route.Id) is { } known && known.Route.Duty.Equals(route.Duty)
                    ? known.IsIn
                    : IsIn(route, count, places, studio.HeldOff);
            byRoute[route.Id.Value] = previous?.Same(route, isLive, isIn) ?? new CompiledRoute(route, isLive, isIn, previous);
        }
        var doors = DoorsOf(studio).ToArray();
        foreach (var door in doors)
            byRoute[door.Id.Value] = Door(door, count, previous);
        var solo = new LiveRoutes?[count];
        for (var i = 0; live.MaySolo && i < count; i++)
        {
            if (LiveRoutes.Of(places.Count == 0 ? studio : studio.In(studio.Lineups[i].Id)) is { AnySolo: true } soloed)
                solo[i] = soloed;
        }
        var anySolo = Array.Exists(solo, each => each is not null);
        alike &= !anySolo && previous is { AnySolo: false };
        var indexOf = new int[size];
        var sources = live.ArrangedSources.ToArray();
        var listCount = sources.Length + doors.Length + 1;
        var arranged = new CompiledRoute[listCount][];
        var lists = new CompiledRoute[count][][];
        for (var i = 0; i < count; i++)
            (lists[i] = new CompiledRoute[listCount][])[0] = [];
        arranged[0] = [];
        foreach (var (number, source) in sources.Index())
        {
            // The first place is that of sources without routes.
            var at = indexOf[source.Value] = number + 1;
            var routes = arranged[at] = Array.ConvertAll(live.Arranged(source), route => byRoute[route.Id.Value]!);
            if (alike && previous!.PlaceOf(source, routes) is { } same)
            {
                arranged[at] = previous._arranged[same];
                for (var i = 0; i < count; i++)
                    lists[i][at] = previous._lists[i][same];
                continue;
            }
            for (var i = 0; i < count; i++)
            {
                var list = solo[i] is { } soloed
                    ? Array.FindAll(routes, route => soloed.WouldTakePart(route.Route, source))
                    : InPlace(routes, i);
                // Many sources are led alike in most lineups: then it is the same list, and entering has nothing to do.
                lists[i][at] = i > 0 && list.AsSpan().SequenceEqual(lists[i - 1][at]) ? lists[i - 1][at] : list;
            }
        }
        foreach (var (number, door) in doors.Index())
        {
            var at = indexOf[door.Id.Value] = sources.Length + number + 1;
            CompiledRoute[] through = [byRoute[door.Id.Value]!];
            arranged[at] = through;
            for (var i = 0; i < count; i++)
                lists[i][at] = through;
        }
        return new CompiledStudio(studio, (previous?.Version ?? 0) + 1, indexOf, lists, arranged, byRoute, ports, anySolo);
    }

    /// <summary>The doors of a studio: what other programs send to a virtual port comes in by the destination that it is, and goes on to it
    /// as by a route, in any lineup.</summary>
    internal static IEnumerable<DevicePort> DoorsOf(Studio studio) => studio.Destinations.Where(port => port.Device.IsVirtualPort());

    /// <summary>The way through a door, which is that of before as long as nothing of it changes.</summary>
    private static CompiledRoute Door(DevicePort door, int lineups, CompiledStudio? previous)
    {
        // Ids of ports and routes are never the same number.
        var id = new RouteId(door.Id.Value);
        if (previous?.Find(id) is { } known && known.IsLive == door.Port.On && known.IsIn.Length == lineups)
            return known;
        var everywhere = new bool[lineups];
        Array.Fill(everywhere, true);
        return new CompiledRoute(new Route(id, new OneSource(door.Id), door.Id, true, []), door.Port.On, everywhere, previous);
    }

    /// <summary>For each lineup whether a route is on duty there and not held off.</summary>
    private static bool[] IsIn(
        Route route,
        int count,
        Dictionary<LineupId, int> places,
        System.Collections.Immutable.ImmutableHashSet<(LineupId, RouteId)> heldOff
    )
    {
        var isIn = new bool[count];
        if (route.Duty.IsStanding)
            Array.Fill(isIn, true);
        foreach (var lineup in route.Duty.Lineups)
        {
            if (places.TryGetValue(lineup, out var place))
                isIn[place] = true;
        }
        if (heldOff.IsEmpty)
            return isIn;
        foreach (var (lineup, place) in places)
            isIn[place] &= !heldOff.Contains((lineup, route.Id));
        return isIn;
    }

    private static CompiledRoute[] InPlace(CompiledRoute[] routes, int place)
    {
        var count = 0;
        foreach (var route in routes)
            count += route.IsIn[place] ? 1 : 0;
        if (count == routes.Length)
            return routes;
        var list = new CompiledRoute[count];
        var at = 0;
        foreach (var route in routes)
        {
            if (route.IsIn[place])
                list[at++] = route;
        }
        return list;
    }

    /// <summary>How many lineups it has lists for; one where the studio has none.</summary>
    internal int LineupCount => _lists.Length;

    /// <summary>Whether any route is soloed.</summary>
    internal bool AnySolo { get; }

    /// <summary>The place of a lineup; of one that is not there, the first.</summary>
    internal int PlaceOf(LineupId? lineup)
    {
        for (var i = 0; i < Studio.Lineups.Length; i++)
        {
            if (Studio.Lineups[i].Id == lineup)
                return i;
        }
        return 0;
    }

    /// <summary>The routes of a source that take part in a lineup, in the order in which they are asked. Some of them may be switched off,
    /// by hand or by a lever.</summary>
    internal CompiledRoute[] RoutesOf(PortId source, int lineup) => _lists[lineup][_indexOf[source.Value]];

    /// <summary>All routes of a source that are on, or that a lever may switch on.</summary>
    internal CompiledRoute[] ArrangedOf(PortId source) => _arranged[_indexOf[source.Value]];

    /// <summary>Where the lists of a source stand, if its routes are these very ones.</summary>
    private int? PlaceOf(PortId source, CompiledRoute[] routes) =>
        (uint)source.Value < (uint)_indexOf.Length
        && _indexOf[source.Value] is > 0 and var place
        && _arranged[place].AsSpan().SequenceEqual(routes)
            ? place
            : null;

    /// <summary>The compiled form of a route, if it is the very same one and nothing in it keeps anything; most edits change one
    /// route.</summary>
    private CompiledRoute? Same(Route route, bool isLive, bool[] isIn) =>
        (uint)route.Id.Value < (uint)_byRoute.Length
        && _byRoute[route.Id.Value] is { KeepsNothing: true } known
        && known.IsLive == isLive
        && ReferenceEquals(known.Route, route)
        && known.IsIn.AsSpan().SequenceEqual(isIn)
            ? known
            : null;

    /// <summary>Every compiled route.</summary>
    internal IEnumerable<CompiledRoute> AllRoutes => _byRoute.OfType<CompiledRoute>();
}

/// <summary>A route in the form that the engine runs.</summary>
internal sealed class CompiledRoute
{
    internal readonly RouteId Id;
    internal readonly PortId Destination;

    /// <summary>Whether its destination is switched on.</summary>
    internal readonly bool IsLive;

    /// <summary>For each lineup whether it is on duty there.</summary>
    internal readonly bool[] IsIn;
    internal readonly bool Diverts;

    internal readonly CompiledStage[] Stages;

    /// <summary>Tables that stand side by side are one: at the first of them the table that does what all of them do;
    /// null elsewhere.</summary>
    internal readonly TableStage?[] Tables;

    /// <summary>The stage after those that <see cref="Tables"/> does together.</summary>
    internal readonly int[] Ends;

    internal readonly RouteMeter Meter;

    /// <summary>Whether a single table does what all its stages do; also true of a route without stages.</summary>
    internal readonly bool IsOneTable;

    /// <summary>That table; null if there are no stages.</summary>
    internal readonly TableStage? Whole;

    /// <summary>The meter of the first stage; null if there are none.</summary>
    internal readonly StageMeter? First;

    /// <summary>The route that it was made from.</summary>
    internal readonly Route Route;

    /// <summary>Whether no stage of it keeps messages for later, so that it may go on as it is.</summary>
    internal readonly bool KeepsNothing;

    internal CompiledRoute(Route route, bool isLive, bool[] isIn, CompiledStudio? previous)
    {
        Route = route;
        Id = route.Id;
        Destination = route.To;
        IsLive = isLive;
        IsIn = isIn;
        Diverts = route.Divert;
        Stages = [.. route.Stages.Select(stage => stage.Compile())];
        Tables = new TableStage?[Stages.Length];
        Ends = new int[Stages.Length];
        Span<int> firsts = stackalloc int[Stages.Length];
        for (var i = 0; i < Stages.Length; i++)
        {
            firsts[i] = i > 0 && Stages[i] is TableStage && Stages[i - 1] is TableStage ? firsts[i - 1] : i;
            if (Stages[i] is not TableStage table)
                continue;
            Tables[firsts[i]] = Tables[firsts[i]] is { } before ? before.Then(table) : table;
            Ends[firsts[i]] = i + 1;
        }
        KeepsNothing = !Array.Exists(Stages, stage => stage.KeepsTime);
        Meter = MeterFor(route, firsts, previous);
        IsOneTable = Stages.Length == 0 || Ends[0] == Stages.Length;
        Whole = IsOneTable && Stages.Length > 0 ? Tables[0] : null;
        First = Stages.Length > 0 ? Meter.StageMeters[0] : null;
    }

    private static RouteMeter MeterFor(Route route, ReadOnlySpan<int> firsts, CompiledStudio? previous)
    {
        if (previous?.Meter(route.Id) is not { } before)
            return new RouteMeter(firsts);
        var sameStages = previous
            .Find(route.Id)!
            .Route.Stages.Select(stage => stage.GetType())
            .SequenceEqual(route.Stages.Select(stage => stage.GetType()));
        if (sameStages && before.IsFor(firsts))
            return before;
        var meter = new RouteMeter(firsts) { PassedCount = before.Passed, PassedBackgroundCount = before.PassedBackground };
        for (var i = 0; sameStages && i < firsts.Length; i++)
            meter.StageMeters[i].GoOnFrom(before.StageMeters[i]);
        return meter;
    }
}
