using Weiche.Core.Stages;
using Weiche.Core.Studios;

namespace Weiche.Core.Routing;

/// <summary>
/// A studio in the form that the engine runs: for each source its live routes with their stages compiled. Made
/// away from the live path, swapped in between two messages.
/// </summary>
public sealed class RoutingPlan
{
    private readonly CompiledRoute[][] _bySource;
    private readonly CompiledRoute?[] _byRoute;
    private readonly PortMeter?[] _ports;

    private RoutingPlan(Studio studio, int version, CompiledRoute[][] bySource, CompiledRoute?[] byRoute, PortMeter?[] ports)
    {
        Studio = studio;
        Version = version;
        _bySource = bySource;
        _byRoute = byRoute;
        _ports = ports;
    }

    /// <summary>The studio this was made from.</summary>
    public Studio Studio { get; }

    /// <summary>Counts up by one with each plan made from another.</summary>
    public int Version { get; }

    /// <summary>The figures of a port, or null if the studio has no such port.</summary>
    /// <param name="id">The port.</param>
    public PortMeter? Meter(PortId id) => id.Value > 0 && id.Value < _ports.Length ? _ports[id.Value] : null;

    /// <summary>The figures of a route, or null if the studio has no such route.</summary>
    /// <param name="id">The route.</param>
    public RouteMeter? Meter(RouteId id) => (uint)id.Value < (uint)_byRoute.Length ? _byRoute[id.Value]?.Meter : null;

    /// <summary>Makes the plan of a studio.</summary>
    /// <param name="studio">The studio.</param>
    /// <param name="previous">The plan before it, whose figures go on counting for what is still there.</param>
    public static RoutingPlan Compile(Studio studio, RoutingPlan? previous = null)
    {
        var size = studio.NextId;
        var ports = new PortMeter?[size];
        foreach (var port in studio.Ports) ports[port.Id.Value] = previous?.Meter(port.Id) ?? new PortMeter(port.IsSource);
        var byRoute = new CompiledRoute?[size];
        var lists = new List<CompiledRoute>?[size];
        var anySolo = studio.Routes.Any(route => route is { On: true, Solo: true });
        foreach (var route in studio.Routes)
        {
            var takesPart = route.On && (!anySolo || route.Solo);
            var compiled = new CompiledRoute(route, takesPart && studio.FindPort(route.To)!.Value.Port.On, previous);
            byRoute[route.Id.Value] = compiled;
            if (!takesPart) continue;
            foreach (var source in studio.SourcesOf(route)) (lists[source.Id.Value] ??= []).Add(compiled);
        }
        // Those that divert come first, in their order; then the others in theirs.
        var bySource = Array.ConvertAll(lists, list => list?.OrderBy(route => route.Diverts ? 0 : 1).ToArray() ?? []);
        return new RoutingPlan(studio, (previous?.Version ?? 0) + 1, bySource, byRoute, ports);
    }

    /// <summary>The routes of a source that take part: switched on, and soloed if any is. Those that divert come first.</summary>
    internal CompiledRoute[] RoutesOf(int source) => _bySource[source];

    /// <summary>Whether the route still carries what this source sends: it takes part, and both ports are switched on.</summary>
    internal bool Carries(int route, int source) =>
        route < _byRoute.Length && _byRoute[route] is { IsLive: true } compiled
        && source < _bySource.Length && Array.IndexOf(_bySource[source], compiled) >= 0
        && Studio.FindPort(new PortId(source)) is { Port.On: true };

    /// <summary>Whether anything of a source that is switched on is carried to an outlet.</summary>
    internal bool Leads(int source, Outlet outlet) =>
        source < _bySource.Length && Array.Exists(_bySource[source], route => route.IsLive && route.Outlet == outlet) && Studio.FindPort(new PortId(source)) is { Port.On: true };

    /// <summary>Every compiled route.</summary>
    internal IEnumerable<CompiledRoute> AllRoutes => _byRoute.OfType<CompiledRoute>();
}

/// <summary>A route in the form that the engine runs.</summary>
internal sealed class CompiledRoute
{
    internal readonly int Id;
    internal readonly int Destination;
    internal readonly bool IsLive;
    internal readonly bool Diverts;

    /// <summary>Whether the guard stops something on it. The engine that runs the plan says so.</summary>
    internal bool IsGuarded
    {
        get => _isGuarded;
        set
        {
            _isGuarded = value;
            IsPlain = IsLive && IsOneTable && !Diverts && !value;
        }
    }

    private bool _isGuarded;

    /// <summary>Whether it is like most: live, one table or none, diverting nothing and not guarded.</summary>
    internal bool IsPlain { get; private set; }

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

    /// <summary>Where it ends. The engine that runs the plan says so.</summary>
    internal Outlet Outlet = null!;

    internal CompiledRoute(Route route, bool isLive, RoutingPlan? previous)
    {
        Id = route.Id.Value;
        Destination = route.To.Value;
        IsLive = isLive;
        Diverts = route.Divert;
        Stages = [.. route.Stages.Select(stage => stage.Compile())];
        Tables = new TableStage?[Stages.Length];
        Ends = new int[Stages.Length];
        Span<int> firsts = stackalloc int[Stages.Length];
        for (var i = 0; i < Stages.Length; i++)
        {
            firsts[i] = i > 0 && Stages[i] is TableStage && Stages[i - 1] is TableStage ? firsts[i - 1] : i;
            if (Stages[i] is not TableStage table) continue;
            Tables[firsts[i]] = Tables[firsts[i]] is { } before ? before.Then(table) : table;
            Ends[firsts[i]] = i + 1;
        }
        Meter = MeterFor(route, firsts, previous);
        IsOneTable = Stages.Length == 0 || Ends[0] == Stages.Length;
        Whole = IsOneTable && Stages.Length > 0 ? Tables[0] : null;
        First = Stages.Length > 0 ? Meter.StageMeters[0] : null;
    }

    private static RouteMeter MeterFor(Route route, ReadOnlySpan<int> firsts, RoutingPlan? previous)
    {
        if (previous?.Meter(route.Id) is not { } before) return new RouteMeter(firsts);
        var sameStages = previous.Studio.FindRoute(route.Id)!.Stages.Select(stage => stage.GetType()).SequenceEqual(route.Stages.Select(stage => stage.GetType()));
        if (sameStages && before.IsFor(firsts)) return before;
        var meter = new RouteMeter(firsts) { PassedCount = before.Passed, PassedBackgroundCount = before.PassedBackground };
        for (var i = 0; sameStages && i < firsts.Length; i++) meter.StageMeters[i].GoOnFrom(before.StageMeters[i]);
        return meter;
    }
}
