using System.Collections.Immutable;
using Weiche.Core.Studios;
using Weiche.Ports.Carrying;

namespace Weiche.Ports.StandIns;

/// <summary>The stand-ins that ship with Weiche: those that stand in a room of their own, to be found as in any room, and those that belong
/// to one device alone.</summary>
/// <remarks>Asked from any thread: what it tells of is replaced as a whole.</remarks>
public sealed class StandInDriver : IPortDriver
{
    private readonly Junction _junction;
    private readonly TimeProvider _time;
    private Room? _room;
    private volatile bool _isFurnished;
    private ImmutableDictionary<string, StandIn> _own = ImmutableDictionary<string, StandIn>.Empty;

    /// <summary>A driver.</summary>
    /// <param name="junction">Where the ports meet.</param>
    /// <param name="time">Where the stand-ins' time comes from.</param>
    /// <param name="withRoom">Whether there is a room with all of them.</param>
    public StandInDriver(Junction junction, TimeProvider time, bool withRoom)
    {
        (_junction, _time) = (junction, time);
        if (withRoom)
            Furnish(true);
    }

    /// <inheritdoc/>
    public event Action? Changed;

    /// <summary>Is told what comes from a port of the room that has no name in the studio yet.</summary>
    public event Action<SpokeUp>? Spoke;

    /// <summary>The room; null while there is none.</summary>
    public Room? Room => _isFurnished ? Volatile.Read(ref _room) : null;

    /// <summary>Lets the stand-ins stand in the room, or clears it: what they hold there ends when the roll is called next.</summary>
    /// <param name="furnished">Whether they stand there.</param>
    public void Furnish(bool furnished)
    {
        if (furnished && _room is null)
        {
            var room = new Room(_junction, _time);
            room.Changed += () => Changed?.Invoke();
            room.Spoke += spoke => Spoke?.Invoke(spoke);
            Volatile.Write(ref _room, room);
        }
        _isFurnished = furnished;
    }

    /// <summary>The stand-ins that can be played or heard, by key.</summary>
    public ImmutableDictionary<string, StandIn> All =>
        (Room?.StandIns ?? ImmutableDictionary<string, StandIn>.Empty).SetItems(Volatile.Read(ref _own));

    /// <inheritdoc/>
    public IReadOnlyList<Unit> Units => Room?.Units ?? [];

    /// <inheritdoc/>
    public IOpenPorts? Open(Device device, Unit? unit)
    {
        if (unit is not null && Room is { } room && room.StandIns.ContainsKey(unit.Key))
            return room.Open(device, unit);
        return device is { StandIn: { } key, Known: null } && Kit.Find(key) is { } kit ? new Own(this, device, kit) : null;
    }

    /// <inheritdoc/>
    public void Dispose() => _room?.Dispose();

    /// <summary>A stand-in that belongs to one device alone and is plugged right into its ports.</summary>
    private sealed class Own : StandIn.IOutlets, IOpenPorts
    {
        private readonly StandInDriver _driver;
        private readonly StandIn _standIn;
        private readonly PortId? _source;
        private readonly Inlet? _inlet;
        private readonly PortId? _destination;
        private readonly BytePump? _pump;

        internal Own(StandInDriver driver, Device device, Kit kit)
        {
            _driver = driver;
            _source = device.FirstPort(PortDirection.Source);
            if (_source is { } source)
                _inlet = driver._junction.Open(source);
            _standIn = new StandIn(kit, this, driver._time);
            _destination = device.FirstPort(PortDirection.Destination);
            if (_destination is { } destination)
            {
                _pump = new BytePump(bytes => _standIn.HearHost("", bytes), () => driver._junction.Resume(destination));
                driver._junction.Connect(destination, _pump);
            }
            ImmutableInterlocked.Update(ref driver._own, own => own.SetItem(kit.Key, _standIn));
        }

        public Presence? Presence => null;

        public bool TryFollow(Device device, Unit? unit) => device.StandIn == _standIn.Kit.Key && device.Known is null;

        public void ToHost(string key, string part, ReadOnlySpan<byte> bytes) => _inlet?.Bring(bytes);

        public void ToJack(string key, string jack, ReadOnlySpan<byte> bytes)
        {
            if (jack != Kit.Thru)
                _inlet?.Bring(bytes);
        }

        public void Dispose()
        {
            ImmutableInterlocked.Update(ref _driver._own, own =>
                own.TryGetValue(_standIn.Kit.Key, out var now) && now == _standIn ? own.Remove(_standIn.Kit.Key) : own
            );
            if (_destination is { } destination)
                _driver._junction.Connect(destination, null);
            _standIn.Dispose();
            _pump?.Dispose();
            _inlet?.Dispose();
            if (_source is { } source)
                _driver._junction.BreakOff(source);
        }
    }
}
