using System.Collections.Immutable;

namespace Weiche.Core.Studios;

/// <summary>Finds things of one studio by their ids. Made when something of it is looked up first.</summary>
internal sealed class StudioIndex
{
    private readonly Dictionary<PortId, DevicePort> _ports;
    private readonly Dictionary<RouteId, Route> _routes;
    private readonly Dictionary<JackId, (Device Device, Jack Jack)> _jacks = [];
    private readonly Dictionary<JackId, Cable> _cables = [];

    // Made when it is asked for first; made twice by two threads it is the same twice.
    private RouteTables? _tables;
    private Dictionary<RouteId, int>? _twins;

    internal StudioIndex(Studio studio)
    {
        Studio = studio;
        _routes = studio.Routes.ToDictionary(route => route.Id);
        foreach (var device in studio.Devices)
        {
            foreach (var jack in device.Jacks)
                _jacks.Add(jack.Id, (device, jack));
        }
        foreach (var cable in studio.Cables)
        {
            _cables[cable.From] = cable;
            _cables[cable.To] = cable;
        }
        Ports = PortNames.Of(studio.Devices, this);
        _ports = Ports.ToDictionary(port => port.Id);
    }

    /// <summary>The studio that this is for.</summary>
    internal Studio Studio { get; }

    /// <summary>Whether it is right for a studio: one with the same devices, cables, groups, routes and levers.</summary>
    internal bool IsOf(Studio studio) =>
        ReferenceEquals(studio, Studio)
        || (
            studio.Devices == Studio.Devices
            && studio.Routes == Studio.Routes
            && studio.Groups == Studio.Groups
            && studio.Cables == Studio.Cables
            && studio.Levers == Studio.Levers
        );

    /// <summary>Which of its routes come from which sources.</summary>
    internal RouteTables Tables => _tables ??= new RouteTables(Studio);

    /// <summary>Every port, device by device.</summary>
    internal ImmutableArray<DevicePort> Ports { get; }

    internal DevicePort? FindPort(PortId id) => _ports.TryGetValue(id, out var port) ? port : null;

    internal Route? FindRoute(RouteId id) => _routes.GetValueOrDefault(id);

    /// <summary>Which one a route is, from 1, of several between the same two; null where it is the only one.</summary>
    internal int? NumberAmongTwins(RouteId id)
    {
        _twins ??= Studio
            .Routes.GroupBy(route => (route.From.Plate, route.To))
            .Where(group => group.Skip(1).Any())
            .SelectMany(group => group.Index())
            .ToDictionary(item => item.Item.Id, item => item.Index + 1);
        return _twins.TryGetValue(id, out var number) ? number : null;
    }

    internal (Device Device, Jack Jack)? FindJack(JackId id) => _jacks.TryGetValue(id, out var found) ? found : null;

    internal Cable? CableAt(JackId jack) => _cables.GetValueOrDefault(jack);

    internal (Device Device, Jack Jack)? OtherEnd(JackId jack) =>
        CableAt(jack) is { } cable ? FindJack(cable.From == jack ? cable.To : cable.From) : null;
}
