using Weiche.Core.Midi;
using Weiche.Core.Studios;

namespace Weiche.Ports.StandIns;

/// <summary>Builds a stand-in for a device that asks for one by name.</summary>
internal static class Kits
{
    private sealed record Kit(int Lowest, int Highest, bool Senses);

    // Key ranges as printed on the devices: 61 keys from C1, 13 pedals from C1, 49 keys from C1.
    private static readonly Dictionary<string, Kit> Known = new()
    {
        ["amsel-61"] = new Kit(36, 96, false),
        ["tritt-13"] = new Kit(36, 48, true),
        ["brandung"] = new Kit(36, 84, false),
        ["himmel"] = new Kit(0, 127, false),
    };

    /// <summary>Builds it, or returns null if there is no stand-in of that name.</summary>
    internal static Instrument? Build(Device device, Junction junction, TimeProvider time)
    {
        if (device.StandIn is null || !Known.TryGetValue(device.StandIn, out var kit)) return null;
        var source = device.Ports.FirstOrDefault(port => port.Direction == PortDirection.Source);
        var destination = device.Ports.FirstOrDefault(port => port.Direction == PortDirection.Destination);
        var sends = device.Sends.Members.DefaultIfEmpty(Channel.FromNumber(1)).First();
        return new Instrument(
            device.StandIn,
            source is null ? null : new Player(junction, source.Id, sends, kit.Lowest, kit.Highest, kit.Senses ? time : null),
            destination is null ? null : new Listener(junction, destination.Id, device.Listens));
    }
}
