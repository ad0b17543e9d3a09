using System.Collections.Immutable;
using Weiche.Core.Sets;
using Weiche.Core.Stages;

namespace Weiche.Core.Studios;

/// <summary>Whether messages of a source run on a route, and if not, why.</summary>
public enum RouteState
{
    /// <summary>They do.</summary>
    Live,

    /// <summary>The route is switched off.</summary>
    Off,

    /// <summary>The source is switched off; of a route with several, all of them are, or it has none.</summary>
    SourceOff,

    /// <summary>Another route is soloed.</summary>
    NotSoloed,

    /// <summary>The destination is switched off.</summary>
    DestinationOff,

    /// <summary>It waits for a device that is not there.</summary>
    Waits,

    /// <summary>It is not in the lineup.</summary>
    OffDuty,

    /// <summary>It is in the lineup, which was entered without it: it would close a circuit.</summary>
    HeldOff,
}

/// <summary>Which routes of a studio are live, in which order a source's routes are asked, and why the others are not. The engine, the
/// trace, the checks and the pages all ask here.</summary>
/// <remarks>
/// <para>Of a source's routes those that divert are asked first, in the studio's order, then the others in theirs. The first that diverts
/// and lets anything of a message through takes it away from all that follow.</para>
/// <para>While any route that is on is soloed, only soloed ones take part, and what carries them on: every route that leads on from a
/// virtual port that one of them reaches, for what comes out of that port.</para>
/// <para>A route that is not in the lineup in force (<see cref="Studio.InForce"/>) takes no part, and solos nothing.</para>
/// <para>Immutable; safe to read from any thread.</para>
/// </remarks>
public sealed class LiveRoutes
{
    private readonly Studio _studio;
    private readonly RouteTables _tables;
    private readonly bool _anySolo;

    // What carries on what is soloed, with the source that it does so for.
    private readonly HashSet<(RouteId, PortId)> _carriesOn = [];

    internal LiveRoutes(Studio studio, RouteTables tables)
    {
        _studio = studio;
        _tables = tables;
        _anySolo = tables.AnySolo && studio.Routes.Any(route => route is { On: true, Solo: true } && IsOnDuty(route));
        if (_anySolo)
            FollowSolo();
    }

    internal bool IsOf(Studio studio, RouteTables tables) =>
        ReferenceEquals(_tables, tables) && studio.InForce == _studio.InForce && studio.HeldOff == _studio.HeldOff;

    /// <summary>The sources that any route that is on comes from, in the order in which the routes were laid.</summary>
    internal LaidSource[] Sources => _tables.LaidSources;

    /// <summary>Those of a studio.</summary>
    /// <param name="studio">The studio.</param>
    public static LiveRoutes Of(Studio studio) => studio.Live;

    /// <summary>The routes with more than one source.</summary>
    internal IReadOnlyList<Route> FromSeveral => _tables.FromSeveral;

    /// <summary>The routes that have a pattern, whether they are live or not.</summary>
    internal IReadOnlyList<Route> WithPattern => _tables.WithPattern;

    /// <summary>The sources of a route, as <see cref="Studio.SourcesOf"/> says them, worked out once.</summary>
    /// <param name="route">A route of the studio.</param>
    public IReadOnlyList<DevicePort> SourcesOf(Route route) => _tables.Sources[route.Id];

    /// <summary>The routes from any of some sources, whether they are on or not, in the studio's order.</summary>
    /// <param name="sources">The sources.</param>
    internal List<Route> AllFrom(IEnumerable<DevicePort> sources) => InOrder(sources, _tables.AllFrom);

    /// <summary>The routes to any of some destinations, whether they are on or not, in the studio's order.</summary>
    /// <param name="destinations">The destinations.</param>
    internal List<Route> AllTo(IEnumerable<DevicePort> destinations) => InOrder(destinations, _tables.AllTo);

    private List<Route> InOrder(IEnumerable<DevicePort> ports, ILookup<PortId, int> lists) =>
        [.. ports.SelectMany(port => lists[port.Id]).Distinct().Order().Select(at => _studio.Routes[at])];

    /// <summary>The routes of a source that are switched on, in the order in which they are asked. Not all of them need be live.</summary>
    /// <param name="source">The source.</param>
    public IReadOnlyList<Route> From(PortId source) => _tables.BySource.GetValueOrDefault(source) ?? [];

    /// <summary>Whether a route is on duty: standing, or in the lineup in force, and not held off there.</summary>
    /// <param name="route">A route of the studio.</param>
    public bool IsOnDuty(Route route) => route.Duty.IsOn(_studio.InForce) && !IsHeldOff(route);

    /// <summary>Whether a route is switched on and on duty.</summary>
    /// <param name="route">A route of the studio.</param>
    public bool IsOn(Route route) => route.On && IsOnDuty(route);

    /// <summary>Whether a route takes part for a source: it is on and on duty, and soloed if any is, or carries on what is. Its ports may
    /// be off all the same.</summary>
    /// <param name="route">A route of the studio.</param>
    /// <param name="source">A source of it.</param>
    public bool TakesPart(Route route, PortId source) => route.On && IsOnDuty(route) && IsSoloed(route, source);

    private bool IsSoloed(Route route, PortId source) => !_anySolo || route.Solo || _carriesOn.Contains((route.Id, source));

    /// <summary>The routes of a source that are on, or that a lever may switch on, in the order in which they are asked.</summary>
    internal Route[] Arranged(PortId source) => _tables.Arranged.GetValueOrDefault(source) ?? [];

    /// <summary>The sources that any arranged route comes from.</summary>
    internal IEnumerable<PortId> ArrangedSources => _tables.Arranged.Keys;

    /// <summary>Whether any route at all is soloed, on duty or not.</summary>
    internal bool MaySolo => _tables.AnySolo;

    /// <summary>Whether any route in play is soloed: then a route may take part for one of its sources and not for another.</summary>
    internal bool AnySolo => _anySolo;

    /// <summary>Whether an arranged route takes part for a source as long as it is on.</summary>
    internal bool WouldTakePart(Route route, PortId source) =>
        IsOnDuty(route) && (!_anySolo || route is { On: true, Solo: true } || _carriesOn.Contains((route.Id, source)));

    /// <summary>Whether a route takes part for any of its sources.</summary>
    /// <param name="route">A route of the studio.</param>
    public bool TakesPart(Route route) =>
        route.On
        && IsOnDuty(route)
        && (!_anySolo || route.Solo || Array.Exists(_tables.Sources[route.Id], source => _carriesOn.Contains((route.Id, source.Id))));

    /// <summary>Whether messages of one source run on a route.</summary>
    /// <param name="route">A route of the studio.</param>
    /// <param name="source">A source of it.</param>
    public RouteState At(Route route, DevicePort source) =>
        !route.On ? RouteState.Off
        : !IsOnDuty(route)
            ? IsHeldOff(route) ? RouteState.HeldOff
                : RouteState.OffDuty
        : !source.Port.On ? RouteState.SourceOff
        : !IsSoloed(route, source.Id) ? RouteState.NotSoloed
        : _tables.Open.Contains(route.To) ? RouteState.Live
        : RouteState.DestinationOff;

    /// <summary>Whether messages run on a route.</summary>
    /// <param name="route">A route of the studio.</param>
    /// <param name="waits">Whether what stands behind a port is not there. A route waits for its destination, and for its sources if none
    /// of them is there.</param>
    public RouteState StateOf(Route route, Predicate<DevicePort> waits)
    {
        if (!route.On)
            return RouteState.Off;
        if (!IsOnDuty(route))
            return IsHeldOff(route) ? RouteState.HeldOff : RouteState.OffDuty;
        if (_studio.FindPort(route.To) is not { } to)
            return RouteState.DestinationOff;
        var sources = _tables.Sources[route.Id];
        if (waits(to) || Array.TrueForAll(sources, waits))
            return RouteState.Waits;
        var on = Array.FindAll(sources, source => source.Port.On);
        if (on.Length == 0)
            return RouteState.SourceOff;
        return At(route, Array.Find(on, source => TakesPart(route, source.Id)) is { Device: not null } part ? part : on[0]);
    }

    /// <summary>The routes on which messages of a source run, in the order in which they are asked, each with what never gets onto it: what
    /// those before it that divert take away.</summary>
    /// <param name="source">A source of the studio.</param>
    public IEnumerable<(Route Route, MessageSet Taken)> LiveFrom(DevicePort source)
    {
        var taken = MessageSet.Empty;
        foreach (var route in From(source.Id))
        {
            if (At(route, source) != RouteState.Live)
                continue;
            yield return (route, taken);
            if (route.Divert)
                taken = taken.Union(Stage.PreImageOf(route.Stages, MessageSet.All));
        }
    }

    /// <summary>Which routes of a source are live, the first of them as the lowest bit, as many as bits tell of
    /// (<see cref="RouteTables.MostBits"/>): what <see cref="At"/> says of each.</summary>
    /// <remarks>The checks ask this of all sources for each lineup. What of it does not depend on the lineup stands in the tables, and for
    /// all lineups side by side what does.</remarks>
    /// <param name="source">The source, by its place among <see cref="Sources"/>.</param>
    internal ulong LiveBits(int source)
    {
        var bits = _tables.OpenBits[source] & _tables.DutyBits(_studio.InForce)[source];
        if (bits == 0 || !_anySolo && _studio.HeldOff.IsEmpty)
            return bits;
        var laid = _tables.LaidSources[source];
        for (var i = 0; i < Math.Min(laid.Routes.Length, RouteTables.MostBits); i++)
        {
            if (!IsSoloed(laid.Routes[i], laid.Source.Id) || IsHeldOff(laid.Routes[i]))
                bits &= ~(1UL << i);
        }
        return bits;
    }

    private bool IsHeldOff(Route route) =>
        !_studio.HeldOff.IsEmpty && _studio.InForce is { } lineup && _studio.HeldOff.Contains((lineup, route.Id));

    private void FollowSolo()
    {
        var reached = new Queue<Route>(_studio.Routes.Where(route => route is { On: true, Solo: true } && IsOnDuty(route)));
        while (reached.TryDequeue(out var route))
        {
            if (_studio.FindPort(route.To) is not { } to || !to.Device.IsVirtualPort())
                continue;
            foreach (var source in to.Device.Ports.Where(port => port.Direction == PortDirection.Source))
            {
                foreach (var next in From(source.Id))
                {
                    if (!next.Solo && IsOnDuty(next) && _carriesOn.Add((next.Id, source.Id)))
                        reached.Enqueue(next);
                }
            }
        }
    }
}

/// <summary>A source and the routes from it that are on, in the order in which they are asked.</summary>
/// <param name="Source">The source.</param>
/// <param name="Routes">The routes.</param>
internal readonly record struct LaidSource(DevicePort Source, Route[] Routes);

/// <summary>Which routes come from which sources, whatever the lineup.</summary>
internal sealed class RouteTables
{
    /// <summary>Of how many routes of a source bits tell.</summary>
    internal const int MostBits = 64;

    private readonly ImmutableArray<Route> _routes;
    private Dictionary<LineupId, ulong[]>? _duty;
    private ulong[]? _standing;

    internal RouteTables(Studio studio)
    {
        _routes = studio.Routes;
        AnySolo = studio.Routes.Any(route => route is { On: true, Solo: true });
        Open = [.. studio.Destinations.Where(port => port.Port.On).Select(port => port.Id)];
        var worked = studio.Levers.Select(lever => lever.Work).OfType<SwitchRoutes>().SelectMany(work => work.Routes).ToHashSet();
        var lists = new Dictionary<PortId, List<Route>>();
        foreach (var route in studio.Routes)
        {
            DevicePort[] sources = [.. studio.SourcesOf(route)];
            Sources.Add(route.Id, sources);
            if (sources.Length > 1)
                FromSeveral.Add(route);
            if (!route.On && !worked.Contains(route.Id))
                continue;
            foreach (var source in sources)
            {
                if (!lists.TryGetValue(source.Id, out var list))
                    lists.Add(source.Id, list = []);
                list.Add(route);
            }
        }
        Arranged = lists.ToDictionary(pair => pair.Key, pair => pair.Value.OrderBy(route => route.Divert ? 0 : 1).ToArray());
        BySource =
            worked.Count == 0
                ? Arranged
                : Arranged
                    .Select(pair => (pair.Key, On: Array.FindAll(pair.Value, route => route.On)))
                    .Where(pair => pair.On.Length > 0)
                    .ToDictionary(pair => pair.Key, pair => pair.On);
    }

    /// <summary>Whether any route that is on is soloed.</summary>
    internal bool AnySolo { get; }

    /// <summary>The destinations that are switched on.</summary>
    internal HashSet<PortId> Open { get; }

    /// <summary>For each source the routes from it, on or off, by their place in the studio.</summary>
    internal ILookup<PortId, int> AllFrom =>
        field ??= _routes
            .Index()
            .SelectMany(route => Sources[route.Item.Id].Select(source => (source.Id, route.Index)))
            .ToLookup(each => each.Id, each => each.Index);

    /// <summary>For each destination the routes to it.</summary>
    internal ILookup<PortId, int> AllTo => field ??= _routes.Index().ToLookup(route => route.Item.To, route => route.Index);

    /// <summary>The routes with more than one source.</summary>
    internal List<Route> FromSeveral { get; } = [];

    /// <summary>The routes that have a pattern.</summary>
    internal Route[] WithPattern => field ??= [.. _routes.Where(route => route.Stages.Any(stage => stage is PatternStage))];

    /// <summary>The sources of each route.</summary>
    internal Dictionary<RouteId, DevicePort[]> Sources { get; } = [];

    /// <summary>The routes of each source that are on, in the order in which they are asked.</summary>
    internal Dictionary<PortId, Route[]> BySource { get; }

    /// <summary>The same with those that are off and that a lever may switch on.</summary>
    internal Dictionary<PortId, Route[]> Arranged { get; }

    /// <summary>The sources of <see cref="BySource"/> one after the other.</summary>
    internal LaidSource[] LaidSources =>
        field ??= [
            .. BySource.Select(pair => new LaidSource(Array.Find(Sources[pair.Value[0].Id], port => port.Id == pair.Key), pair.Value)),
        ];

    /// <summary>For each of those which of its first routes lead from a source that is on to a destination that is on.</summary>
    internal ulong[] OpenBits =>
        field ??= Array.ConvertAll(LaidSources, laid => laid.Source.Port.On ? Bits(laid, route => Open.Contains(route.To)) : 0);

    /// <summary>For each of those which of its first routes are on duty in a lineup.</summary>
    /// <param name="lineup">The lineup; null where none is in force.</param>
    internal ulong[] DutyBits(LineupId? lineup)
    {
        var standing = _standing ??= Array.ConvertAll(LaidSources, laid => Bits(laid, route => route.Duty.IsStanding));
        return lineup is { } id && (_duty ??= DutyOfEach(standing)).TryGetValue(id, out var bits) ? bits : standing;
    }

    private Dictionary<LineupId, ulong[]> DutyOfEach(ulong[] standing)
    {
        var each = new Dictionary<LineupId, ulong[]>();
        for (var source = 0; source < LaidSources.Length; source++)
        {
            var routes = LaidSources[source].Routes;
            for (var i = 0; i < Math.Min(routes.Length, MostBits); i++)
            {
                foreach (var lineup in routes[i].Duty.Lineups)
                {
                    if (!each.TryGetValue(lineup, out var bits))
                        each.Add(lineup, bits = [.. standing]);
                    bits[source] |= 1UL << i;
                }
            }
        }
        return each;
    }

    private static ulong Bits(LaidSource laid, Predicate<Route> predicate)
    {
        var bits = 0UL;
        for (var i = 0; i < Math.Min(laid.Routes.Length, MostBits); i++)
        {
            if (predicate(laid.Routes[i]))
                bits |= 1UL << i;
        }
        return bits;
    }
}
