using System.Collections.Immutable;
using Weiche.Core.Studios;

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
    private readonly Dictionary<string, (string To, string Jack)> _cables = Cables.ToDictionary(cable => End(cable.From, cable.FromJack), cable => (cable.To, cable.ToJack));
    private readonly Dictionary<string, Unit> _plugged;
    private ImmutableDictionary<string, Bound> _bound = ImmutableDictionary<string, Bound>.Empty;
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

    /// <summary>Is told when something was plugged in or pulled out.</summary>
    public event Action? Changed;

    /// <summary>Is told what comes from a port that has no name in the studio yet.</summary>
    public event Action<SpokeUp>? Spoke;

    /// <summary>What is plugged in now.</summary>
    public IReadOnlyList<Unit> Units
    {
        get
        {
            lock (_gate) return [.. StandInUnits.All.Where(unit => _plugged.ContainsKey(unit.Key)).Select(unit => _plugged[unit.Key])];
        }
    }

    /// <summary>The places at which something can be plugged in.</summary>
    public static IReadOnlyList<string> Places => Sockets;

    /// <summary>Plugs a stand-in in at a place, pulling it out of where it was. A place that is taken swaps with it.</summary>
    /// <param name="key">The stand-in.</param>
    /// <param name="place">The place; null to pull it out.</param>
    public void Plug(string key, string? place)
    {
        if (StandInUnits.All.FirstOrDefault(unit => unit.Key == key) is not { } unit) return;
        if (place is not null && place != unit.Place && !Sockets.Contains(place)) return;
        lock (_gate)
        {
            var before = _plugged.GetValueOrDefault(key);
            if (place is null)
            {
                _plugged.Remove(key);
            }
            else
            {
                if (Sockets.Contains(place) && _plugged.Values.FirstOrDefault(other => other.Place == place && other.Key != key) is { } other)
                {
                    if (before is null) _plugged.Remove(other.Key);
                    else _plugged[other.Key] = other with { Place = before.Place };
                }
                _plugged[key] = unit with { Place = place };
            }
        }
        Changed?.Invoke();
    }

    /// <summary>Says which port of the studio each port of what is plugged in is; all others are not named.</summary>
    /// <param name="ports">By unit, direction and part.</param>
    internal void Bind(IReadOnlyDictionary<(string Unit, PortDirection Direction, string Part), PortId> ports)
    {
        lock (_gate)
        {
            var wanted = ports.ToDictionary(pair => HostEnd(pair.Key.Unit, pair.Key.Direction, pair.Key.Part), pair => (pair.Key, pair.Value));
            var next = _bound.ToBuilder();
            foreach (var (end, bound) in _bound)
            {
                if (wanted.TryGetValue(end, out var now) && now.Value == bound.Port) continue;
                next.Remove(end);
                Unbind(bound);
            }
            foreach (var (end, (key, port)) in wanted)
            {
                if (next.ContainsKey(end)) continue;
                BytePump? pump = null;
                if (key.Direction == PortDirection.Destination)
                {
                    pump = new BytePump(bytes => StandIns[key.Unit].HearHost(key.Part, bytes), () => _junction.Resume(port));
                    _junction.Connect(port, pump);
                }
                next.Add(end, new Bound(port, pump));
            }
            Volatile.Write(ref _bound, next.ToImmutable());
        }
    }

    /// <inheritdoc/>
    public void Dispose()
    {
        foreach (var standIn in StandIns.Values) standIn.Dispose();
        Bind(new Dictionary<(string, PortDirection, string), PortId>());
    }

    void StandIn.IOutlets.ToHost(string key, string part, ReadOnlySpan<byte> bytes)
    {
        bool isThere;
        lock (_gate) isThere = _plugged.ContainsKey(key);
        if (!isThere) return;
        if (Volatile.Read(ref _bound).TryGetValue(HostEnd(key, PortDirection.Source, part), out var bound)) _junction.Receive(bound.Port, bytes);
        else Spoke?.Invoke(new SpokeUp(key, part, bytes[..Math.Min(bytes.Length, 8)].ToArray()));
    }

    void StandIn.IOutlets.ToJack(string key, string jack, ReadOnlySpan<byte> bytes)
    {
        if (_depth == MaxJacksOnTheWay || !_cables.TryGetValue(End(key, jack), out var far)) return;
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

    private static string HostEnd(string key, PortDirection direction, string part) => $"{key} {direction} {part}";

    private void Unbind(Bound bound)
    {
        if (bound.Pump is null)
        {
            _junction.BreakOff(bound.Port);
            return;
        }
        _junction.Connect(bound.Port, null);
        bound.Pump.Dispose();
    }

    private sealed record Bound(PortId Port, BytePump? Pump);
}
