using System.Collections.Immutable;
using Weiche.Core.Studios;
using Weiche.Ports.Carrying;

namespace Weiche.Ports.StandIns;

/// <summary>What an unnamed port last sent.</summary>
/// <param name="Unit">The key of what is plugged in.</param>
/// <param name="Part">Which of its ports.</param>
/// <param name="Bytes">The first bytes.</param>
public sealed record SpokeUp(string Unit, string Part, byte[] Bytes);

/// <summary>
/// The room in which the stand-ins stand, with its cables as they really are. What the studio says of it may be wrong, as
/// in any room: that is for the roll call, the soundings and the checks to find.
/// </summary>
/// <remarks>Cables are laid and pulled from any thread, one after the other; bytes find their way through them without a lock.</remarks>
public sealed class Room : StandIn.IOutlets, IDisposable
{
    // The cables of the dome: from whose jack to whose.
    private static readonly (string From, string FromJack, string To, string ToJack)[] Cables =
    [
        ("tritt-13", "OUT", "weiher-4x4", "IN 1"),
        ("brandung", "OUT", "weiher-4x4", "IN 3"),
        ("uhrwerk", "OUT", "weiher-4x4", "IN 4"),
        ("weiher-4x4", "OUT 2", "zinn", "IN"),
        ("zinn", "THRU", "paukenkiste", "IN"),
        ("weiher-4x4", "OUT 3", "brandung", "IN"),
    ];

    // A ring that is closed within the room has no port of Weiche's on its way: it stops here.
    private const int MaxJacksOnTheWay = 16;

    private static readonly string[] Sockets = ["socket 1", "socket 2", "hub 1", "hub 2", "hub 3", "hub 4", "hub 5"];

    private readonly Lock _gate = new();
    private readonly Junction _junction;
    private readonly Dictionary<string, (string To, string Jack)> _cables = Cables.ToDictionary(
        cable => End(cable.From, cable.FromJack),
        cable => (cable.To, cable.ToJack)
    );
    private readonly Dictionary<string, Unit> _plugged;
    private ImmutableDictionary<string, Inlet> _inlets = ImmutableDictionary<string, Inlet>.Empty;

    [ThreadStatic]
    private static int _depth;

    /// <summary>A room with every stand-in in it, plugged in where it is at first.</summary>
    /// <param name="junction">Where what is bound to a port of the studio meets the engine.</param>
    /// <param name="time">Where the stand-ins' time comes from.</param>
    internal Room(Junction junction, TimeProvider time)
    {
        _junction = junction;
        StandIns = Kit.All.ToImmutableDictionary(kit => kit.Key, kit => new StandIn(kit, this, time));
        _plugged = StandInUnits.All.ToDictionary(unit => unit.Key);
    }

    /// <summary>Every stand-in, by key.</summary>
    public ImmutableDictionary<string, StandIn> StandIns { get; }

    /// <summary>The names of all that can be plugged in.</summary>
    public static IReadOnlyList<string> Names { get; } = [.. StandInUnits.All.Select(unit => Kit.Find(unit.Key)!.Title)];

    /// <summary>The key of what is called so, or so begun; null if nothing is.</summary>
    /// <param name="name">The name, without regard to case.</param>
    public static string? Named(string name)
    {
        var units = StandInUnits
            .All.Where(unit => Kit.Find(unit.Key)!.Title.StartsWith(name.Trim(), StringComparison.OrdinalIgnoreCase))
            .ToList();
        return name.Trim().Length > 0 && units.Count == 1 ? units[0].Key : null;
    }

    /// <summary>Leaves only some plugged in.</summary>
    /// <param name="keys">Those.</param>
    public void PlugOnly(IEnumerable<string> keys)
    {
        var kept = keys.ToHashSet();
        foreach (var unit in StandInUnits.All.Where(unit => !kept.Contains(unit.Key)))
            Plug(unit.Key, null);
    }

    /// <summary>Is told when something was plugged in or pulled out.</summary>
    public event Action? Changed;

    /// <summary>Is told what comes from a port that has no name in the studio yet.</summary>
    public event Action<SpokeUp>? Spoke;

    /// <summary>What is plugged in now.</summary>
    public IReadOnlyList<Unit> Units
    {
        get
        {
            lock (_gate)
                return [.. StandInUnits.All.Where(unit => _plugged.ContainsKey(unit.Key)).Select(unit => _plugged[unit.Key])];
        }
    }

    /// <summary>The places at which something can be plugged in.</summary>
    public static IReadOnlyList<string> Places => Sockets;

    /// <summary>Plugs a stand-in in at a place, pulling it out of where it was. A place that is taken swaps with it.</summary>
    /// <param name="key">The stand-in.</param>
    /// <param name="place">The place; null to pull it out.</param>
    public void Plug(string key, string? place)
    {
        if (StandInUnits.All.FirstOrDefault(unit => unit.Key == key) is not { } unit)
            return;
        if (place is not null && place != unit.Place && !Sockets.Contains(place))
            return;
        lock (_gate)
        {
            var before = _plugged.GetValueOrDefault(key);
            if (place is null)
            {
                _plugged.Remove(key);
            }
            else
            {
                if (
                    Sockets.Contains(place)
                    && _plugged.Values.FirstOrDefault(other => other.Place == place && other.Key != key) is { } other
                )
                {
                    if (before is null)
                        _plugged.Remove(other.Key);
                    else
                        _plugged[other.Key] = other with { Place = before.Place };
                }
                _plugged[key] = unit with { Place = place };
            }
        }
        Changed?.Invoke();
    }

    /// <summary>Opens what is plugged in for a device of the studio: each of its ports is one of the device's.</summary>
    /// <param name="device">The device.</param>
    /// <param name="unit">What is plugged in.</param>
    internal IOpenPorts Open(Device device, Unit unit)
    {
        return new Bound(this, device, unit);
    }

    /// <inheritdoc/>
    public void Dispose()
    {
        foreach (var standIn in StandIns.Values)
            standIn.Dispose();
    }

    void StandIn.IOutlets.ToHost(string key, string part, ReadOnlySpan<byte> bytes)
    {
        bool isThere;
        lock (_gate)
            isThere = _plugged.ContainsKey(key);
        if (!isThere)
            return;
        if (Volatile.Read(ref _inlets).TryGetValue(End(key, part), out var inlet))
            inlet.Bring(bytes);
        else
            Spoke?.Invoke(new SpokeUp(key, part, bytes[..Math.Min(bytes.Length, 8)].ToArray()));
    }

    void StandIn.IOutlets.ToJack(string key, string jack, ReadOnlySpan<byte> bytes)
    {
        if (_depth == MaxJacksOnTheWay || !_cables.TryGetValue(End(key, jack), out var far))
            return;
        _depth++;
        try
        {
            StandIns[far.To].HearJack(far.Jack, bytes);
        }
        finally
        {
            _depth--;
        }
    }

    private static string End(string key, string jack) => $"{key} {jack}";

    /// <summary>What is plugged in, bound to the ports of a device.</summary>
    private sealed class Bound : IOpenPorts
    {
        private readonly Room _room;
        private readonly Unit _unit;
        private readonly ImmutableArray<Port> _ports;
        private readonly List<(string End, PortId Source, Inlet Inlet)> _sources = [];
        private readonly List<(PortId Destination, BytePump Pump)> _destinations = [];

        internal Bound(Room room, Device device, Unit unit)
        {
            (_room, _unit, _ports) = (room, unit, device.Ports);
            foreach (var ((direction, part, _), port) in UnitPorts.Of(device, unit))
            {
                if (direction == PortDirection.Source)
                {
                    var inlet = room._junction.Open(port);
                    _sources.Add((End(unit.Key, part), port, inlet));
                    ImmutableInterlocked.Update(ref room._inlets, inlets => inlets.SetItem(End(unit.Key, part), inlet));
                    continue;
                }
                var pump = new BytePump(bytes => room.StandIns[unit.Key].HearHost(part, bytes), () => room._junction.Resume(port));
                room._junction.Connect(port, pump);
                _destinations.Add((port, pump));
            }
        }

        public Presence? Presence => null;

        public bool TryFollow(Device device, Unit? unit) =>
            unit?.Key == _unit.Key
            && device.Ports.Select(port => (port.Id, port.Part)).SequenceEqual(_ports.Select(port => (port.Id, port.Part)));

        public void Dispose()
        {
            foreach (var (end, source, inlet) in _sources)
            {
                ImmutableInterlocked.Update(ref _room._inlets, inlets => inlets.Remove(end));
                inlet.Dispose();
                _room._junction.BreakOff(source);
            }
            foreach (var (destination, pump) in _destinations)
            {
                _room._junction.Connect(destination, null);
                pump.Dispose();
            }
        }
    }
}
