using System.Collections.Immutable;
using Weiche.Core.Studios;
using Weiche.Ports.Raw;
using Weiche.Ports.StandIns;

namespace Weiche.Ports;

/// <summary>What there is now, against what the studio says.</summary>
/// <param name="Call">The roll call.</param>
/// <param name="Presences">Whether each device that can be told is there. Devices behind an interface are not in it.</param>
/// <param name="NewSince">Since when each thing is there that has no name, by its key.</param>
/// <param name="Version">Counts up with each change.</param>
public sealed record RoomState(
    RollCall Call, ImmutableDictionary<DeviceId, Presence> Presences, ImmutableDictionary<string, DateTimeOffset> NewSince, int Version)
{
    /// <summary>Whether a device is not there: itself, or every interface through which one meets it.</summary>
    /// <param name="studio">The studio.</param>
    /// <param name="device">One of its devices.</param>
    public bool IsMissing(Studio studio, Device device)
    {
        if (Presences.TryGetValue(device.Id, out var presence)) return !presence.Present;
        if (!device.Ports.IsEmpty) return false;
        var through = studio.PortsOf(device.Id).Where(port => port.IsBehind).ToList();
        return through.Count > 0 && through.TrueForAll(port => Presences.GetValueOrDefault(port.Owner.Id) is { Present: false });
    }

    /// <summary>How many devices are missing.</summary>
    public int Missing => Presences.Values.Count(presence => !presence.Present);
}

/// <summary>Holds what stands behind the ports of a studio: stand-ins, raw devices, and the wires of virtual ports. Calls the
/// roll whenever something comes or goes.</summary>
public sealed class PortPark : IDisposable
{
    private static readonly TimeSpan RollInterval = TimeSpan.FromSeconds(1);

    private readonly Lock _gate = new();
    private readonly Junction _junction;
    private readonly TimeProvider _time;
    private readonly RawPlaces _places;
    private readonly ITimer _rolls;
    private readonly Dictionary<DeviceId, Parked> _parked = [];
    private Studio _studio;
    private ImmutableDictionary<string, StandIn> _standIns = ImmutableDictionary<string, StandIn>.Empty;
    private RoomState _state = new(RollCall.Empty, ImmutableDictionary<DeviceId, Presence>.Empty, ImmutableDictionary<string, DateTimeOffset>.Empty, 0);

    /// <summary>A park.</summary>
    /// <param name="junction">Where the ports meet.</param>
    /// <param name="time">Where the time comes from.</param>
    /// <param name="places">Where raw devices are looked for.</param>
    /// <param name="withRoom">Whether the stand-ins that ship with Weiche stand in a room of their own, to be found.</param>
    public PortPark(Junction junction, TimeProvider time, RawPlaces places, bool withRoom)
    {
        _junction = junction;
        _time = time;
        _places = places;
        _studio = junction.Plan.Studio;
        // Later than any number before a restart, so that a page that is still open sees what is newer.
        _state = _state with { Version = (int)(time.GetUtcNow().ToUnixTimeSeconds() & int.MaxValue) };
        if (withRoom)
        {
            Room = new Room(junction, time);
            Room.Changed += CallTheRoll;
        }
        _rolls = time.CreateTimer(_ => CallTheRoll(), null, RollInterval, RollInterval);
    }

    /// <summary>The room of the stand-ins, or null.</summary>
    public Room? Room { get; }

    /// <summary>The stand-ins that can be played or heard, by key.</summary>
    public ImmutableDictionary<string, StandIn> StandIns => Volatile.Read(ref _standIns);

    /// <summary>What there is now.</summary>
    public RoomState State => Volatile.Read(ref _state);

    /// <summary>Whether a device is there; null for one that cannot be told, as behind an interface.</summary>
    /// <param name="device">The device.</param>
    public Presence? PresenceOf(DeviceId device) => State.Presences.GetValueOrDefault(device);

    /// <summary>Brings what is there in line with a studio that the junction already runs.</summary>
    /// <param name="studio">The studio.</param>
    public void Match(Studio studio)
    {
        lock (_gate)
        {
            _studio = studio;
            foreach (var (id, parked) in _parked.Where(pair => studio.FindDevice(pair.Key) is null).ToList())
            {
                _parked.Remove(id);
                Unpark(parked);
            }
            foreach (var device in studio.Devices.Where(device => !_parked.ContainsKey(device.Id)))
            {
                if (device.Kind == DeviceKind.VirtualPort) _parked.Add(device.Id, new Parked(device, Loop(device)));
                else if (device is { StandIn: { } key, Known: null } && Kit.Find(key) is { } kit) _parked.Add(device.Id, new Parked(device, new OwnStandIn(device, kit, _junction, _time)));
            }
            var standIns = Room?.StandIns ?? ImmutableDictionary<string, StandIn>.Empty;
            foreach (var own in _parked.Values.Select(parked => parked.Thing).OfType<OwnStandIn>()) standIns = standIns.SetItem(own.StandIn.Kit.Key, own.StandIn);
            Volatile.Write(ref _standIns, standIns);
        }
        CallTheRoll();
    }

    /// <inheritdoc/>
    public void Dispose()
    {
        _rolls.Dispose();
        lock (_gate)
        {
            foreach (var parked in _parked.Values) Unpark(parked);
            _parked.Clear();
            Room?.Dispose();
        }
    }

    /// <summary>Looks at what is there, and binds it to the studio's ports.</summary>
    private void CallTheRoll()
    {
        lock (_gate)
        {
            var found = RawListing.Find(_places).Select(raw => new Unit(raw.Path, raw.Name, "", raw.Path, []));
            var call = RollCall.Call(_studio.Devices, [.. Room?.Units ?? [], .. found]);
            Room?.Bind(Bindings(call));
            foreach (var device in _studio.Devices.Where(device => device.Kind == DeviceKind.Raw))
            {
                // A raw device that came back under another path is followed there.
                var path = call.Present.TryGetValue(device.Id, out var unit) ? unit.Place : device.Address!;
                if (_parked.TryGetValue(device.Id, out var parked) && ((RawWire)parked.Thing).Path == path) continue;
                if (parked is not null) Unpark(parked);
                _parked[device.Id] = new Parked(device, Wire(device, path));
            }
            var now = _time.GetUtcNow();
            var presences = ImmutableDictionary.CreateBuilder<DeviceId, Presence>();
            foreach (var device in _studio.Devices)
            {
                if (_parked.GetValueOrDefault(device.Id)?.Thing is RawWire wire) presences.Add(device.Id, wire.Presence);
                else if (device.Known is { } known && (known.Says.Length > 0 || known.Pinned) && device.Ports.Length > 0) presences.Add(device.Id, PresenceOf(device, call, now));
            }
            var since = call.New.DistinctBy(unit => unit.Key).ToImmutableDictionary(unit => unit.Key, unit => _state.NewSince.GetValueOrDefault(unit.Key, now));
            var next = new RoomState(call, presences.ToImmutable(), since, _state.Version);
            if (IsSame(next, _state)) return;
            Volatile.Write(ref _state, next with { Version = _state.Version + 1 });
        }
    }

    private Presence PresenceOf(Device device, RollCall call, DateTimeOffset now)
    {
        var present = call.Present.ContainsKey(device.Id);
        var reason = present ? "" : call.Unclear.Any(unclear => unclear.Devices.Contains(device.Id)) ? "cannot be told apart" : "not plugged in";
        var before = _state.Presences.GetValueOrDefault(device.Id);
        return before is not null && before.Present == present && before.Reason == reason ? before : new Presence(present, now, reason);
    }

    private static bool IsSame(RoomState one, RoomState other) =>
        one.Presences.Count == other.Presences.Count && one.Presences.All(pair => other.Presences.TryGetValue(pair.Key, out var presence) && presence == pair.Value)
        && one.Call.Present.Count == other.Call.Present.Count
        && one.Call.Present.All(pair => other.Call.Present.TryGetValue(pair.Key, out var unit) && (unit.Key, unit.Place) == (pair.Value.Key, pair.Value.Place))
        && one.Call.New.Select(unit => (unit.Key, unit.Place)).SequenceEqual(other.Call.New.Select(unit => (unit.Key, unit.Place)))
        && one.Call.Unclear.Length == other.Call.Unclear.Length;

    private Dictionary<(string, PortDirection, string), PortId> Bindings(RollCall call)
    {
        var bindings = new Dictionary<(string, PortDirection, string), PortId>();
        foreach (var (id, unit) in call.Present)
        {
            if (_studio.FindDevice(id) is not { } device) continue;
            foreach (var port in unit.Ports)
            {
                var own = device.Ports.Where(each => each.Direction == port.Direction).ToList();
                var alone = own.Count == 1 && unit.Ports.Count(each => each.Direction == port.Direction) == 1;
                if ((alone ? own[0] : own.FirstOrDefault(each => each.Part == port.Part)) is { } bound) bindings[(unit.Key, port.Direction, port.Part)] = bound.Id;
            }
        }
        return bindings;
    }

    private void Unpark(Parked parked)
    {
        foreach (var port in parked.Device.Ports.Where(port => port.Direction == PortDirection.Destination)) _junction.Connect(port.Id, null);
        parked.Thing.Dispose();
    }

    /// <summary>What is sent to a virtual port's destination comes out of its source.</summary>
    private BytePump Loop(Device device)
    {
        var source = device.Ports.First(port => port.Direction == PortDirection.Source).Id;
        var destination = device.Ports.First(port => port.Direction == PortDirection.Destination).Id;
        var wire = new BytePump(bytes => _junction.Receive(source, bytes), () => _junction.Resume(destination));
        _junction.Connect(destination, wire);
        return wire;
    }

    private RawWire Wire(Device device, string path) => new(
        _junction,
        path,
        device.Ports.FirstOrDefault(port => port.Direction == PortDirection.Source)?.Id,
        device.Ports.FirstOrDefault(port => port.Direction == PortDirection.Destination)?.Id,
        _time);

    private sealed record Parked(Device Device, IDisposable Thing);

    /// <summary>A stand-in that belongs to one device alone and is plugged right into its ports.</summary>
    private sealed class OwnStandIn : StandIn.IOutlets, IDisposable
    {
        private readonly Junction _junction;
        private readonly PortId? _source;
        private readonly BytePump? _pump;

        internal OwnStandIn(Device device, Kit kit, Junction junction, TimeProvider time)
        {
            _junction = junction;
            _source = device.Ports.FirstOrDefault(port => port.Direction == PortDirection.Source)?.Id;
            StandIn = new StandIn(kit, this, time);
            if (device.Ports.FirstOrDefault(port => port.Direction == PortDirection.Destination) is not { } destination) return;
            _pump = new BytePump(bytes => StandIn.HearHost("", bytes), () => junction.Resume(destination.Id));
            junction.Connect(destination.Id, _pump);
        }

        internal StandIn StandIn { get; }

        public void ToHost(string key, string part, ReadOnlySpan<byte> bytes) => Send(bytes);

        public void ToJack(string key, string jack, ReadOnlySpan<byte> bytes)
        {
            if (jack != Kit.Thru) Send(bytes);
        }

        public void Dispose()
        {
            StandIn.Dispose();
            _pump?.Dispose();
        }

        private void Send(ReadOnlySpan<byte> bytes)
        {
            if (_source is { } source) _junction.Receive(source, bytes);
        }
    }
}
