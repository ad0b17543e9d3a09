using System.Collections.Immutable;
using Weiche.Core.Midi;

namespace Weiche.Core.Studios;

/// <summary>
/// The whole setup: devices with their ports, and the routes between them. One immutable value; every change makes
/// a new one. The database, the engine, the layout and the pages all read this same value.
/// </summary>
/// <remarks>A studio that exists is consistent: ids are unique, routes lead from a source that is there to a
/// destination that is there, and no two routes join the same pair.</remarks>
public sealed class Studio
{
    /// <summary>The highest number that an id may reach. The engine keeps tables of this size.</summary>
    public const int MaxIds = 1_000_000;

    private readonly Dictionary<PortId, DevicePort> _ports = [];
    private readonly Dictionary<RouteId, Route> _routes = [];

    private Studio(string name, int nextId, ImmutableArray<Device> devices, ImmutableArray<Route> routes, ImmutableArray<SourceGroup> groups)
    {
        Name = name;
        NextId = nextId;
        Devices = devices;
        Routes = routes;
        Groups = groups;
        foreach (var device in devices)
        {
            foreach (var port in device.Ports) _ports.Add(port.Id, new DevicePort(device, port));
        }
        foreach (var route in routes) _routes.Add(route.Id, route);
    }

    /// <summary>The studio's name.</summary>
    public string Name { get; }

    /// <summary>The number that the next thing added will have as its id.</summary>
    public int NextId { get; }

    /// <summary>The devices, in the order in which they were added.</summary>
    public ImmutableArray<Device> Devices { get; }

    /// <summary>The routes, in the order in which they were laid.</summary>
    public ImmutableArray<Route> Routes { get; }

    /// <summary>The groups of sources, in the order in which they were made.</summary>
    public ImmutableArray<SourceGroup> Groups { get; }

    /// <summary>Every port, device by device.</summary>
    public IEnumerable<DevicePort> Ports => Devices.SelectMany(device => device.Ports.Select(port => new DevicePort(device, port)));

    /// <summary>Every source, device by device.</summary>
    public IEnumerable<DevicePort> Sources => Ports.Where(port => port.IsSource);

    /// <summary>Every destination, device by device.</summary>
    public IEnumerable<DevicePort> Destinations => Ports.Where(port => !port.IsSource);

    /// <summary>A studio with nothing in it.</summary>
    /// <param name="name">Its name.</param>
    public static Studio Empty(string name) => new(name, 1, [], [], []);

    /// <summary>A studio from its parts, as read from a file.</summary>
    /// <param name="name">Its name.</param>
    /// <param name="nextId">A number above every id in use.</param>
    /// <param name="devices">Its devices.</param>
    /// <param name="routes">Its routes.</param>
    /// <param name="groups">Its groups.</param>
    /// <exception cref="ArgumentException">The parts do not fit together; the message says how, in a sentence.</exception>
    public static Studio From(
        string name, int nextId, ImmutableArray<Device> devices, ImmutableArray<Route> routes, ImmutableArray<SourceGroup> groups = default)
    {
        if (groups.IsDefault) groups = [];
        CheckIds(nextId, devices, routes, groups);
        CheckNames(name, devices, groups);
        var studio = new Studio(name, nextId, devices, routes, groups);
        foreach (var device in devices.Where(device => device.Kind == DeviceKind.Raw))
        {
            if (AddRawDevice.CheckAddress(device.Address) is { } problem) throw new ArgumentException($"Device “{device.Name}”: {problem}");
        }
        foreach (var group in groups)
        {
            foreach (var member in group.Members) studio.CheckSource(member, $"Group “{group.Name}” has");
            if (group.Members.Distinct().Count() < group.Members.Length) throw new ArgumentException($"Group “{group.Name}” has a source twice.");
        }
        foreach (var route in routes)
        {
            if (route.From is OneSource one) studio.CheckSource(one.Port, $"Route {route.Id} comes from");
            if (route.From is AnySource any)
            {
                foreach (var except in any.Except) studio.CheckSource(except, $"Route {route.Id} excepts");
            }
            if (route.From is GroupSource group && studio.FindGroup(group.Group) is null)
                throw new ArgumentException($"Route {route.Id} comes from group {group.Group}, which is not there.");
            if (studio.FindPort(route.To) is not { IsSource: false })
                throw new ArgumentException($"Route {route.Id} goes to {route.To}, which is not a destination.");
            if (route.Stages.Length > AddStage.MaxStages)
                throw new ArgumentException($"Route {route.Id} has {route.Stages.Length} stages; at most {AddStage.MaxStages} are possible.");
        }
        if (VirtualCircle.Find(studio) is { } circle)
            throw new ArgumentException($"The routes close a circle through virtual ports: {circle}.");
        if (routes.GroupBy(route => (route.From.Plate, route.To)).FirstOrDefault(group => group.Count() > 1) is { } doubled)
            throw new ArgumentException($"There are two routes from {doubled.Key.Plate.Key} to {doubled.Key.To}.");
        return studio;
    }

    private static void CheckIds(int nextId, ImmutableArray<Device> devices, ImmutableArray<Route> routes, ImmutableArray<SourceGroup> groups)
    {
        var seen = new HashSet<int>();
        var ids = devices.Select(device => device.Id.Value)
            .Concat(devices.SelectMany(device => device.Ports).Select(port => port.Id.Value))
            .Concat(routes.Select(route => route.Id.Value))
            .Concat(groups.Select(group => group.Id.Value));
        foreach (var id in ids)
        {
            if (!seen.Add(id)) throw new ArgumentException($"The id {id} is used twice.");
            if (id < 1 || id >= nextId) throw new ArgumentException($"The id {id} is not between 1 and {nextId - 1}.");
        }
        if (nextId > MaxIds) throw new ArgumentException($"The next id is {nextId}; at most {MaxIds} are possible.");
    }

    private static void CheckNames(string name, ImmutableArray<Device> devices, ImmutableArray<SourceGroup> groups)
    {
        foreach (var (what, names) in new[] { ("studio", [name]), ("device", devices.Select(device => device.Name)), ("group", groups.Select(group => group.Name)) })
        {
            var seen = new HashSet<string>(StringComparer.OrdinalIgnoreCase);
            foreach (var each in names)
            {
                if (NameRule.Check(each) is { } problem) throw new ArgumentException($"The {what} “{each}”: {problem}");
                if (!seen.Add(each)) throw new ArgumentException($"The {what} name “{each}” is used twice.");
            }
        }
    }

    private void CheckSource(PortId id, string what)
    {
        if (FindPort(id) is not { IsSource: true }) throw new ArgumentException($"{what} {id}, which is not a source.");
    }

    /// <summary>The port with this id, or null.</summary>
    /// <param name="id">The id.</param>
    public DevicePort? FindPort(PortId id) => _ports.TryGetValue(id, out var port) ? port : null;

    /// <summary>The route with this id, or null.</summary>
    /// <param name="id">The id.</param>
    public Route? FindRoute(RouteId id) => _routes.GetValueOrDefault(id);

    /// <summary>The device with this id, or null.</summary>
    /// <param name="id">The id.</param>
    public Device? FindDevice(DeviceId id) => Devices.FirstOrDefault(device => device.Id == id);

    /// <summary>The group with this id, or null.</summary>
    /// <param name="id">The id.</param>
    public SourceGroup? FindGroup(GroupId id) => Groups.FirstOrDefault(group => group.Id == id);

    /// <summary>The name of where a route comes from, without direction: "Amsel 61", "any source".</summary>
    /// <param name="source">Where it comes from.</param>
    public string NameOf(RouteSource source) => source switch
    {
        OneSource one => FindPort(one.Port)?.Name ?? "a source that is gone",
        GroupSource group => FindGroup(group.Group)?.Name ?? "a group that is gone",
        _ => "any source",
    };

    /// <summary>The sources of a route: one, the members of its group, or all but the exceptions and, unless the person
    /// insists, but those of the destination's own device.</summary>
    /// <param name="route">A route of this studio.</param>
    public IEnumerable<DevicePort> SourcesOf(Route route)
    {
        switch (route.From)
        {
            case OneSource one:
                return FindPort(one.Port) is { } port ? [port] : [];
            case GroupSource group:
                return FindGroup(group.Group) is { } found ? found.Members.Select(id => FindPort(id)!.Value) : [];
            default:
                var any = (AnySource)route.From;
                var own = FindPort(route.To)?.Device.Id;
                return Sources.Where(source => !any.Except.Contains(source.Id) && (any.OwnToo || source.Device.Id != own));
        }
    }

    /// <summary>The route in words: "Amsel 61 → Brandung".</summary>
    /// <param name="route">A route of this studio.</param>
    public string Describe(Route route) => $"{NameOf(route.From)} → {_ports[route.To].Name}";

    internal Studio With(
        ImmutableArray<Device>? devices = null, ImmutableArray<Route>? routes = null, ImmutableArray<SourceGroup>? groups = null, int idsTaken = 0) =>
        new(Name, NextId + idsTaken, devices ?? Devices, routes ?? Routes, groups ?? Groups);

    /// <summary>The same studio under another name.</summary>
    /// <param name="name">A name that <see cref="NameRule"/> allows.</param>
    /// <exception cref="ArgumentException">The name cannot be one.</exception>
    public Studio Named(string name) => NameRule.Check(name) is { } problem
        ? throw new ArgumentException(problem, nameof(name))
        : new(name, NextId, Devices, Routes, Groups);

    /// <summary>The same studio with every id moved up, so that none is one that was used before.</summary>
    /// <param name="by">By how much, 0 or more.</param>
    internal Studio Renumbered(int by)
    {
        PortId Moved(PortId id) => new(id.Value + by);
        RouteSource From(RouteSource source) => source switch
        {
            OneSource one => Moved(one.Port),
            GroupSource group => new GroupSource(new GroupId(group.Group.Value + by)),
            AnySource any => any with { Except = [.. any.Except.Select(Moved)] },
            _ => source,
        };
        return new Studio(
            Name,
            NextId + by,
            [.. Devices.Select(device => device with
            {
                Id = new DeviceId(device.Id.Value + by),
                Ports = [.. device.Ports.Select(port => port with { Id = Moved(port.Id) })],
            })],
            [.. Routes.Select(route => route with { Id = new RouteId(route.Id.Value + by), From = From(route.From), To = Moved(route.To) })],
            [.. Groups.Select(group => group with { Id = new GroupId(group.Id.Value + by), Members = [.. group.Members.Select(Moved)] })]);
    }
}
