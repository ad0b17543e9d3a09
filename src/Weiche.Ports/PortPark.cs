using System.Collections.Immutable;
using Weiche.Core.Studios;
using Weiche.Ports.Carrying;

namespace Weiche.Ports;

/// <summary>What there is now, against what the studio says.</summary>
/// <param name="Call">The roll call.</param>
/// <param name="Presences">Whether each device that can be told is there. Devices behind an interface are not in it.</param>
/// <param name="NewSince">Since when each thing is there that has no name, by its key.</param>
/// <param name="Version">Counts up with each change.</param>
public sealed record RoomState(
    RollCall Call,
    ImmutableDictionary<DeviceId, Presence> Presences,
    ImmutableDictionary<string, DateTimeOffset> NewSince,
    int Version
)
{
    /// <summary>What is reached in another way besides, by the key of the way that is taken: "/dev/snd/midiC1D0".</summary>
    public ImmutableDictionary<string, string> Besides { get; init; } = ImmutableDictionary<string, string>.Empty;

    /// <summary>The connections that other programs have made, past Weiche.</summary>
    public ImmutableArray<OutsideCable> Outside { get; init; } = [];

    /// <summary>Whether a port waits for what is missing: its device, or the interface that it is met through.</summary>
    /// <param name="studio">The studio.</param>
    /// <param name="port">A port of it.</param>
    public bool IsMissing(Studio studio, DevicePort port) => IsMissing(studio, port.Device) || IsMissing(studio, port.Owner);

    /// <summary>Whether a device is not there: itself, or every interface through which one meets it.</summary>
    /// <param name="studio">The studio.</param>
    /// <param name="device">One of its devices.</param>
    public bool IsMissing(Studio studio, Device device)
    {
        if (Presences.TryGetValue(device.Id, out var presence))
            return !presence.Present;
        if (!device.Ports.IsEmpty)
            return false;
        var through = studio.PortsOf(device.Id).Where(port => port.IsBehind).ToList();
        return through.Count > 0 && through.TrueForAll(port => Presences.GetValueOrDefault(port.Owner.Id) is { Present: false });
    }

    /// <summary>How many devices are missing.</summary>
    public int Missing => Presences.Values.Count(presence => !presence.Present);
}

/// <summary>Holds what stands behind the ports of a studio, whatever driver reaches it. Calls the roll whenever something comes or goes,
/// and has opened what is there.</summary>
/// <remarks>Any thread may call anything here.</remarks>
public sealed partial class PortPark : IDisposable
{
    private static readonly TimeSpan RollInterval = TimeSpan.FromSeconds(1);

    private readonly Lock _gate = new();
    private readonly TimeProvider _time;
    private readonly IReadOnlyList<IPortDriver> _drivers;
    private readonly ITimer _rolls;
    private readonly Dictionary<DeviceId, IOpenPorts> _open = [];
    private Studio _studio;
    private RoomState _state = new(
        RollCall.Empty,
        ImmutableDictionary<DeviceId, Presence>.Empty,
        ImmutableDictionary<string, DateTimeOffset>.Empty,
        0
    );

    /// <summary>A park.</summary>
    /// <param name="junction">Where the ports meet.</param>
    /// <param name="time">Where the time comes from.</param>
    /// <param name="drivers">The drivers, in the order in which they are asked. They end with the park.</param>
    public PortPark(Junction junction, TimeProvider time, params IReadOnlyList<IPortDriver> drivers)
    {
        _time = time;
        _drivers = drivers;
        _studio = junction.Compiled.Studio;
        // Later than any number before a restart, so that a page that is still open sees what is newer.
        _state = _state with { Version = (int)(time.GetUtcNow().ToUnixTimeSeconds() & int.MaxValue) };
        foreach (var driver in drivers)
            driver.Changed += CallTheRoll;
        _rolls = time.CreateTimer(_ => CallTheRoll(), null, RollInterval, RollInterval);
    }

    /// <summary>What there is now.</summary>
    public RoomState State => Volatile.Read(ref _state);

    /// <summary>Whether a device is there; null for one that cannot be told, as behind an interface.</summary>
    /// <param name="device">The device.</param>
    public Presence? PresenceOf(DeviceId device) => State.Presences.GetValueOrDefault(device);

    /// <summary>Is raised when other programs have connected something, or taken it off. It is raised by any thread, which must not be kept
    /// waiting.</summary>
    public event Action? OutsideChanged;

    /// <summary>Takes off a connection that another program has made.</summary>
    /// <param name="cable">The connection.</param>
    public void Part(OutsideCable cable)
    {
        foreach (var driver in _drivers.OfType<IOutside>())
            driver.Part(cable);
    }

    /// <summary>Brings what is there in line with a studio that the junction already runs.</summary>
    /// <param name="studio">The studio.</param>
    public void Match(Studio studio)
    {
        lock (_gate)
        {
            _studio = studio;
            CallTheRoll();
        }
    }

    /// <inheritdoc/>
    public void Dispose()
    {
        _rolls.Dispose();
        lock (_gate)
        {
            foreach (var open in _open.Values)
                open.Dispose();
            _open.Clear();
            foreach (var driver in _drivers)
                driver.Dispose();
        }
    }

    /// <summary>Looks at what is there, and opens it for the studio's devices.</summary>
    private void CallTheRoll()
    {
        lock (_gate)
        {
            var units = EachOnce(out var besides);
            var call = RollCall.Call(_studio.Devices, units);
            Open(call);
            var now = _time.GetUtcNow();
            var presences = ImmutableDictionary.CreateBuilder<DeviceId, Presence>();
            foreach (var device in _studio.Devices)
            {
                if (_open.GetValueOrDefault(device.Id)?.Presence is { } presence)
                    presences.Add(device.Id, presence);
                else if (device.Known is { } known && (known.Says.Length > 0 || known.Pinned) && device.Ports.Length > 0)
                    presences.Add(device.Id, PresenceOf(device, call, now));
            }
            var since = call
                .New.DistinctBy(unit => unit.Key)
                .ToImmutableDictionary(unit => unit.Key, unit => _state.NewSince.GetValueOrDefault(unit.Key, now));
            var next = new RoomState(call, presences.ToImmutable(), since, _state.Version)
            {
                Besides = besides,
                Outside =
                [
                    .. _drivers
                        .OfType<IOutside>()
                        .SelectMany(driver => driver.Cables)
                        .Distinct()
                        .OrderBy(cable => (cable.From.Value, cable.To.Value)),
                ],
            };
            if (IsSame(next, _state))
                return;
            var connectsOther = !next.Outside.SequenceEqual(_state.Outside);
            Volatile.Write(ref _state, next with { Version = _state.Version + 1 });
            if (connectsOther)
                OutsideChanged?.Invoke();
        }
    }

    /// <summary>What the drivers reach, what several of them reach once: a file that is the card of something else, or has its name, is the
    /// same device, and the other way is the better one, since others may use the device besides. A file that a device of the studio is
    /// stays one.</summary>
    private List<Unit> EachOnce(out ImmutableDictionary<string, string> besides)
    {
        var units = _drivers.SelectMany(driver => driver.Units).ToList();
        var files = units.Where(unit => unit.IsFile && !_studio.Devices.Any(device => device.Address == unit.Place)).ToList();
        var found = ImmutableDictionary.CreateBuilder<string, string>();
        foreach (var file in files)
        {
            int? card = CardFile().Match(file.Place) is { Success: true } match
                ? int.Parse(match.Groups[1].ValueSpan, provider: null)
                : null;
            var others = units
                .Where(unit =>
                    !unit.IsFile
                    && (
                        unit.Says == file.Says
                        || (card is not null && _drivers.OfType<IOutside>().Any(driver => driver.CardOf(unit) == card))
                    )
                )
                .ToList();
            if (others.Count == 0)
                continue;
            units.Remove(file);
            if (others.Find(unit => !found.ContainsKey(unit.Key)) is { } better)
                found.Add(better.Key, file.Place);
        }
        besides = found.ToImmutable();
        return units;
    }

    [System.Text.RegularExpressions.GeneratedRegex(@"/midiC(\d{1,4})D\d{1,4}$")]
    private static partial System.Text.RegularExpressions.Regex CardFile();

    private void Open(RollCall call)
    {
        var units = _studio.Devices.ToDictionary(
            device => device.Id,
            device => (Device: device, Unit: call.Present.GetValueOrDefault(device.Id))
        );
        // All that is no longer right is closed before anything is opened: what was one device's may be another's now.
        foreach (var (id, open) in _open.ToList())
        {
            if (units.TryGetValue(id, out var now) && open.TryFollow(now.Device, now.Unit))
                continue;
            _open.Remove(id);
            open.Dispose();
        }
        foreach (var (id, (device, unit)) in units)
        {
            if (_open.ContainsKey(id))
                continue;
            foreach (var driver in _drivers)
            {
                if (driver.Open(device, unit) is not { } open)
                    continue;
                _open.Add(id, open);
                break;
            }
        }
    }

    private Presence PresenceOf(Device device, RollCall call, DateTimeOffset now)
    {
        var present = call.Present.ContainsKey(device.Id);
        var reason =
            present ? ""
            : call.Unclear.Any(unclear => unclear.Devices.Contains(device.Id)) ? "cannot be told apart"
            : "not plugged in";
        var before = _state.Presences.GetValueOrDefault(device.Id);
        return before is not null && before.Present == present && before.Reason == reason ? before : new Presence(present, now, reason);
    }

    private static bool IsSame(RoomState one, RoomState other) =>
        one.Presences.Count == other.Presences.Count
        && one.Presences.All(pair => other.Presences.TryGetValue(pair.Key, out var presence) && presence == pair.Value)
        && one.Call.Present.Count == other.Call.Present.Count
        && one.Call.Present.All(pair =>
            other.Call.Present.TryGetValue(pair.Key, out var unit) && (unit.Key, unit.Place) == (pair.Value.Key, pair.Value.Place)
        )
        && one.Call.New.Select(unit => (unit.Key, unit.Place)).SequenceEqual(other.Call.New.Select(unit => (unit.Key, unit.Place)))
        && one.Call.Unclear.Length == other.Call.Unclear.Length
        && one.Outside.SequenceEqual(other.Outside);
}
