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
    private readonly Dictionary<PortId, DevicePort> _ports = [];
    private readonly Dictionary<RouteId, Route> _routes = [];

    private Studio(string name, int nextId, ImmutableArray<Device> devices, ImmutableArray<Route> routes)
    {
        Name = name;
        NextId = nextId;
        Devices = devices;
        Routes = routes;
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

    /// <summary>Every port, device by device.</summary>
    public IEnumerable<DevicePort> Ports => Devices.SelectMany(device => device.Ports.Select(port => new DevicePort(device, port)));

    /// <summary>Every source, device by device.</summary>
    public IEnumerable<DevicePort> Sources => Ports.Where(port => port.IsSource);

    /// <summary>Every destination, device by device.</summary>
    public IEnumerable<DevicePort> Destinations => Ports.Where(port => !port.IsSource);

    /// <summary>A studio with nothing in it.</summary>
    /// <param name="name">Its name.</param>
    public static Studio Empty(string name) => new(name, 1, [], []);

    /// <summary>A studio from its parts, as read from a file.</summary>
    /// <param name="name">Its name.</param>
    /// <param name="nextId">A number above every id in use.</param>
    /// <param name="devices">Its devices.</param>
    /// <param name="routes">Its routes.</param>
    /// <exception cref="ArgumentException">The parts do not fit together; the message says how, in a sentence.</exception>
    public static Studio From(string name, int nextId, ImmutableArray<Device> devices, ImmutableArray<Route> routes)
    {
        var ids = devices.Select(device => device.Id.Value)
            .Concat(devices.SelectMany(device => device.Ports).Select(port => port.Id.Value))
            .Concat(routes.Select(route => route.Id.Value)).ToList();
        if (ids.GroupBy(id => id).FirstOrDefault(group => group.Count() > 1) is { } twice)
            throw new ArgumentException($"The id {twice.Key} is used twice.");
        if (ids.FirstOrDefault(id => id < 1 || id >= nextId) is var wrong && wrong != 0 || ids.Contains(0))
            throw new ArgumentException($"The id {wrong} is not between 1 and {nextId - 1}.");
        if (devices.GroupBy(device => device.Name, StringComparer.OrdinalIgnoreCase).FirstOrDefault(group => group.Count() > 1) is { } names)
            throw new ArgumentException($"The name “{names.Key}” is used twice.");
        foreach (var device in devices)
        {
            if (NameRule.Check(device.Name) is { } problem) throw new ArgumentException($"Device {device.Id}: {problem}");
        }
        if (NameRule.Check(name) is { } nameProblem) throw new ArgumentException($"The studio: {nameProblem}");
        var studio = new Studio(name, nextId, devices, routes);
        foreach (var route in routes)
        {
            if (studio.FindPort(route.From) is not { IsSource: true })
                throw new ArgumentException($"Route {route.Id} comes from {route.From}, which is not a source.");
            if (studio.FindPort(route.To) is not { IsSource: false })
                throw new ArgumentException($"Route {route.Id} goes to {route.To}, which is not a destination.");
        }
        if (routes.GroupBy(route => (route.From, route.To)).FirstOrDefault(group => group.Count() > 1) is { } doubled)
            throw new ArgumentException($"There are two routes from {doubled.Key.From} to {doubled.Key.To}.");
        return studio;
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

    /// <summary>The route in words: "Amsel 61 → Brandung".</summary>
    /// <param name="route">A route of this studio.</param>
    public string Describe(Route route) => $"{_ports[route.From].Name} → {_ports[route.To].Name}";

    internal Studio With(ImmutableArray<Device>? devices = null, ImmutableArray<Route>? routes = null, int idsTaken = 0) =>
        new(Name, NextId + idsTaken, devices ?? Devices, routes ?? Routes);
}
