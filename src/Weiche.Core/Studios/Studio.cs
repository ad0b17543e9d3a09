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
    private readonly Dictionary<JackId, (Device Device, Jack Jack)> _jacks = [];
    private readonly Dictionary<JackId, Cable> _cables = [];
    private readonly ImmutableArray<DevicePort> _portsInOrder;

    private Studio(
        string name, int nextId, ImmutableArray<Device> devices, ImmutableArray<Route> routes, ImmutableArray<SourceGroup> groups,
        ImmutableArray<Cable> cables, bool middleIsC4, Safety safety)
    {
        Name = name;
        NextId = nextId;
        Devices = devices;
        Routes = routes;
        Groups = groups;
        Cables = cables;
        MiddleIsC4 = middleIsC4;
        Safety = safety;
        foreach (var device in devices)
        {
            foreach (var jack in device.Jacks) _jacks.Add(jack.Id, (device, jack));
        }
        foreach (var cable in cables)
        {
            _cables[cable.From] = cable;
            _cables[cable.To] = cable;
        }
        _portsInOrder = NamePorts();
        foreach (var port in _portsInOrder) _ports.Add(port.Id, port);
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

    /// <summary>The cables between jacks, in the order in which they were plugged.</summary>
    public ImmutableArray<Cable> Cables { get; }

    /// <summary>Whether middle C (key 60) is called C4 on screen; else C3.</summary>
    public bool MiddleIsC4 { get; }

    /// <summary>How it guards against messages that run in circles.</summary>
    public Safety Safety { get; }

    /// <summary>The octave that key 60 is given on screen: 3 or 4.</summary>
    public int MiddleOctave => MiddleIsC4 ? 4 : KeyName.DefaultMiddleOctave;

    /// <summary>Every port, device by device.</summary>
    public IEnumerable<DevicePort> Ports => _portsInOrder;

    /// <summary>Every source, device by device.</summary>
    public IEnumerable<DevicePort> Sources => Ports.Where(port => port.IsSource);

    /// <summary>Every destination, device by device.</summary>
    public IEnumerable<DevicePort> Destinations => Ports.Where(port => !port.IsSource);

    /// <summary>A studio with nothing in it.</summary>
    /// <param name="name">Its name.</param>
    public static Studio Empty(string name) => new(name, 1, [], [], [], [], false, Safety.Usual);

    /// <summary>A studio from its parts, as read from a file.</summary>
    /// <param name="name">Its name.</param>
    /// <param name="nextId">A number above every id in use.</param>
    /// <param name="devices">Its devices.</param>
    /// <param name="routes">Its routes.</param>
    /// <param name="groups">Its groups.</param>
    /// <param name="cables">Its cables.</param>
    /// <param name="middleIsC4">Whether key 60 is called C4.</param>
    /// <param name="safety">How it guards against circles; the usual way if null.</param>
    /// <exception cref="ArgumentException">The parts do not fit together; the message says how, in a sentence.</exception>
    public static Studio From(
        string name, int nextId, ImmutableArray<Device> devices, ImmutableArray<Route> routes, ImmutableArray<SourceGroup> groups = default,
        ImmutableArray<Cable> cables = default, bool middleIsC4 = false, Safety? safety = null)
    {
        if (groups.IsDefault) groups = [];
        if (cables.IsDefault) cables = [];
        CheckIds(nextId, devices, routes, groups);
        CheckNames(name, devices, groups);
        CheckWiring(devices, cables);
        if (safety?.Check() is { } unsafeText) throw new ArgumentException(unsafeText);
        var studio = new Studio(name, nextId, devices, routes, groups, cables, middleIsC4, safety ?? Safety.Usual);
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
        if (routes.GroupBy(route => (route.From.Plate, route.To)).FirstOrDefault(group => group.Count() > 1) is { } doubled)
            throw new ArgumentException($"There are two routes from {doubled.Key.Plate.Key} to {doubled.Key.To}.");
        return studio;
    }

    private static void CheckIds(int nextId, ImmutableArray<Device> devices, ImmutableArray<Route> routes, ImmutableArray<SourceGroup> groups)
    {
        var seen = new HashSet<int>();
        var ids = devices.Select(device => device.Id.Value)
            .Concat(devices.SelectMany(device => device.Ports).Select(port => port.Id.Value))
            .Concat(devices.SelectMany(device => device.Jacks).Select(jack => jack.Id.Value))
            .Concat(devices.SelectMany(device => device.InnerPaths).Select(path => path.Id.Value))
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

    private static void CheckWiring(ImmutableArray<Device> devices, ImmutableArray<Cable> cables)
    {
        var jacks = devices.SelectMany(device => device.Jacks.Select(jack => (device, jack))).ToDictionary(item => item.jack.Id);
        foreach (var device in devices)
        {
            if (DeviceRule.Check(device) is { } problem) throw new ArgumentException($"Device “{device.Name}”: {problem}");
        }
        var plugged = new HashSet<JackId>();
        foreach (var cable in cables)
        {
            if (!jacks.TryGetValue(cable.From, out var from) || !jacks.TryGetValue(cable.To, out var to))
                throw new ArgumentException($"A cable leads from jack {cable.From} to jack {cable.To}, and one of them is not there.");
            if (!from.jack.Sends || to.jack.Sends)
                throw new ArgumentException($"A cable leads from {from.device.Name} {from.jack.Name} to {to.device.Name} {to.jack.Name}; it must lead from a jack that sends to one that receives.");
            if (from.device.Id == to.device.Id) throw new ArgumentException($"A cable leads from {from.device.Name} to itself.");
            if (!plugged.Add(cable.From) || !plugged.Add(cable.To))
                throw new ArgumentException($"Two cables are plugged into one jack: {from.device.Name} {from.jack.Name} or {to.device.Name} {to.jack.Name}.");
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

    /// <summary>A jack and the device it is on, or null.</summary>
    /// <param name="id">The jack's id.</param>
    public (Device Device, Jack Jack)? FindJack(JackId id) => _jacks.TryGetValue(id, out var found) ? found : null;

    /// <summary>The cable that is plugged into a jack, or null.</summary>
    /// <param name="jack">The jack's id.</param>
    public Cable? CableAt(JackId jack) => _cables.GetValueOrDefault(jack);

    /// <summary>The jack at the other end of the cable in a jack, or null.</summary>
    /// <param name="jack">The jack's id.</param>
    public (Device Device, Jack Jack)? OtherEnd(JackId jack) =>
        CableAt(jack) is { } cable ? FindJack(cable.From == jack ? cable.To : cable.From) : null;

    /// <summary>The devices that hear what a jack sends, one after the other through their thrus, each with how much later
    /// than the first it hears.</summary>
    /// <param name="jack">A jack that sends.</param>
    public IReadOnlyList<ChainLink> Chain(JackId jack)
    {
        var chain = new List<ChainLink>();
        var seen = new HashSet<JackId>();
        var delay = 0;
        for (JackId? at = jack; at is { } here && seen.Add(here) && OtherEnd(here) is { } far;)
        {
            chain.Add(new ChainLink(far.Device, far.Jack, delay));
            var thru = far.Device.InnerPaths.FirstOrDefault(path => path.Kind == InnerPathKind.Thru && path.On && path.From == InnerEnd.At(far.Jack.Id));
            at = thru is null ? null : new JackId(thru.To.Id);
            delay += thru?.Delay ?? 0;
        }
        return chain;
    }

    /// <summary>The ports through which one meets a device: its own, or those of the interface it is cabled to.</summary>
    /// <param name="id">The device.</param>
    public IEnumerable<DevicePort> PortsOf(DeviceId id) => _portsInOrder.Where(port => port.Device.Id == id);

    private ImmutableArray<DevicePort> NamePorts()
    {
        var named = ImmutableArray.CreateBuilder<DevicePort>();
        var met = Devices.SelectMany(device => device.Ports.Select(port => (Owner: device, Port: port, Far: port.Jack is { } jack ? OtherEnd(jack) : null))).ToList();
        var many = met.CountBy(item => ((item.Far?.Device ?? item.Owner).Id, item.Port.Direction)).ToDictionary();
        foreach (var (owner, port, far) in met)
        {
            var device = far?.Device ?? owner;
            var part = far?.Jack.Name ?? (port.Jack is { } own && _jacks.TryGetValue(own, out var jack) ? jack.Jack.Name : port.Part);
            var name = port.OwnLabel ?? (many[(device.Id, port.Direction)] > 1 ? $"{device.Name} {part}" : device.Name);
            named.Add(new DevicePort(device, port, owner, name));
        }
        return named.ToImmutable();
    }

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
        ImmutableArray<Device>? devices = null, ImmutableArray<Route>? routes = null, ImmutableArray<SourceGroup>? groups = null, int idsTaken = 0,
        ImmutableArray<Cable>? cables = null, bool? middleIsC4 = null, Safety? safety = null) =>
        new(Name, NextId + idsTaken, devices ?? Devices, routes ?? Routes, groups ?? Groups, cables ?? Cables, middleIsC4 ?? MiddleIsC4, safety ?? Safety);

    internal Studio With(Device before, Device after) => With(devices: Devices.Replace(before, after));

    /// <summary>The same studio under another name.</summary>
    /// <param name="name">A name that <see cref="NameRule"/> allows.</param>
    /// <exception cref="ArgumentException">The name cannot be one.</exception>
    public Studio Named(string name) => NameRule.Check(name) is { } problem
        ? throw new ArgumentException(problem, nameof(name))
        : new(name, NextId, Devices, Routes, Groups, Cables, MiddleIsC4, Safety);

    /// <summary>The same studio, where what is added next has at least this id: numbers that another version of it used are
    /// not used for something else.</summary>
    /// <param name="nextId">A number above every id that any version used.</param>
    public Studio Reserving(int nextId) => nextId <= NextId ? this : With(idsTaken: nextId - NextId);

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
                Ports = [.. device.Ports.Select(port => port with { Id = Moved(port.Id), Jack = port.Jack is { } jack ? new JackId(jack.Value + by) : null })],
                Jacks = [.. device.Jacks.Select(jack => jack with { Id = new JackId(jack.Id.Value + by) })],
                InnerPaths = [.. device.InnerPaths.Select(path => path with { Id = new InnerPathId(path.Id.Value + by), From = End(path.From), To = End(path.To) })],
            })],
            [.. Routes.Select(route => route with { Id = new RouteId(route.Id.Value + by), From = From(route.From), To = Moved(route.To) })],
            [.. Groups.Select(group => group with { Id = new GroupId(group.Id.Value + by), Members = [.. group.Members.Select(Moved)] })],
            [.. Cables.Select(cable => new Cable(new JackId(cable.From.Value + by), new JackId(cable.To.Value + by)))],
            MiddleIsC4,
            Safety);

        InnerEnd End(InnerEnd end) => end.Id == 0 ? end : end with { Id = end.Id + by };
    }
}
