using System.Collections.Immutable;

namespace Weiche.Core.Studios;

/// <summary>How ports are called: by the device at the far end of the cable, since that is whom one means.</summary>
internal static class PortNames
{
    /// <summary>Every port with the device that is met through it and its name, device by device. Where one device is met through several
    /// ports in one direction, the part tells them apart.</summary>
    /// <param name="devices">The devices of a studio.</param>
    /// <param name="index">Finds their jacks and cables.</param>
    internal static ImmutableArray<DevicePort> Of(ImmutableArray<Device> devices, StudioIndex index)
    {
        var named = ImmutableArray.CreateBuilder<DevicePort>();
        var met = devices
            .SelectMany(device =>
                device.Ports.Select(port => (Owner: device, Port: port, Far: port.Jack is { } jack ? index.OtherEnd(jack) : null))
            )
            .ToList();
        var many = met.CountBy(item => ((item.Far?.Device ?? item.Owner).Id, item.Port.Direction)).ToDictionary();
        foreach (var (owner, port, far) in met)
        {
            var device = far?.Device ?? owner;
            var part = far?.Jack.Name ?? (port.Jack is { } own && index.FindJack(own) is { } jack ? jack.Jack.Name : port.Part);
            var name = port.OwnLabel ?? (many[(device.Id, port.Direction)] > 1 ? $"{device.Name} {part}" : device.Name);
            named.Add(new DevicePort(device, port, owner, name));
        }
        return named.ToImmutable();
    }
}
