using System.Collections.Immutable;
using Weiche.Core.Studios;
using Weiche.Ports.Raw;
using Weiche.Ports.StandIns;

namespace Weiche.Ports;

/// <summary>Holds what stands behind the ports of a studio: stand-ins, and the wires of virtual ports.</summary>
/// <param name="junction">Where the ports meet.</param>
/// <param name="time">Where the time comes from.</param>
public sealed class PortPark(Junction junction, TimeProvider time) : IDisposable
{
    private readonly Dictionary<DeviceId, Parked> _parked = [];
    private ImmutableDictionary<DeviceId, Instrument> _instruments = ImmutableDictionary<DeviceId, Instrument>.Empty;
    private ImmutableDictionary<DeviceId, RawWire> _raw = ImmutableDictionary<DeviceId, RawWire>.Empty;

    /// <summary>The stand-ins that are there, by device.</summary>
    public ImmutableDictionary<DeviceId, Instrument> Instruments => Volatile.Read(ref _instruments);

    /// <summary>Whether a raw device is there; null for any other device.</summary>
    /// <param name="device">The device.</param>
    public Presence? PresenceOf(DeviceId device) => Volatile.Read(ref _raw).TryGetValue(device, out var wire) ? wire.Presence : null;

    /// <summary>How many devices are missing.</summary>
    public int Missing => Volatile.Read(ref _raw).Values.Count(wire => !wire.Presence.Present);

    /// <summary>Brings what is there in line with a studio that the junction already runs. One caller at a time.</summary>
    /// <param name="studio">The studio.</param>
    public void Match(Studio studio)
    {
        foreach (var (id, parked) in _parked.Where(pair => studio.FindDevice(pair.Key) is null).ToList())
        {
            _parked.Remove(id);
            Unpark(parked);
        }
        foreach (var device in studio.Devices.Where(device => !_parked.ContainsKey(device.Id)))
        {
            if (device.Kind == DeviceKind.VirtualPort) _parked.Add(device.Id, new Parked(device, Loop(device)));
            else if (device is { Kind: DeviceKind.Raw, Address: { } path }) _parked.Add(device.Id, new Parked(device, Wire(device, path)));
            else if (Kits.Build(device, junction, time) is { } instrument) _parked.Add(device.Id, new Parked(device, instrument));
        }
        Volatile.Write(ref _instruments, _parked.Where(pair => pair.Value.Thing is Instrument)
            .ToImmutableDictionary(pair => pair.Key, pair => (Instrument)pair.Value.Thing));
        Volatile.Write(ref _raw, _parked.Where(pair => pair.Value.Thing is RawWire)
            .ToImmutableDictionary(pair => pair.Key, pair => (RawWire)pair.Value.Thing));
    }

    /// <inheritdoc/>
    public void Dispose()
    {
        foreach (var parked in _parked.Values) Unpark(parked);
        _parked.Clear();
    }

    private void Unpark(Parked parked)
    {
        foreach (var port in parked.Device.Ports.Where(port => port.Direction == PortDirection.Destination)) junction.Connect(port.Id, null);
        parked.Thing.Dispose();
    }

    /// <summary>What is sent to a virtual port's destination comes out of its source.</summary>
    private BytePump Loop(Device device)
    {
        var source = device.Ports.First(port => port.Direction == PortDirection.Source).Id;
        var destination = device.Ports.First(port => port.Direction == PortDirection.Destination).Id;
        var wire = new BytePump(bytes => junction.Receive(source, bytes), () => junction.Resume(destination));
        junction.Connect(destination, wire);
        return wire;
    }

    private RawWire Wire(Device device, string path) => new(
        junction,
        path,
        device.Ports.FirstOrDefault(port => port.Direction == PortDirection.Source)?.Id,
        device.Ports.FirstOrDefault(port => port.Direction == PortDirection.Destination)?.Id,
        time);

    private sealed record Parked(Device Device, IDisposable Thing);
}
