using Weiche.Core.Studios;

namespace Weiche.Ports.Carrying;

/// <summary>Which port of what is plugged in is which of a device's.</summary>
internal static class UnitPorts
{
    /// <summary>The ports that both have: the one of a direction where both have but one, else those of the same part.</summary>
    /// <param name="device">The device.</param>
    /// <param name="unit">What it is of all that is plugged in.</param>
    internal static IReadOnlyList<(UnitPort Port, PortId Id)> Of(Device device, Unit unit)
    {
        var both = new List<(UnitPort, PortId)>();
        foreach (var port in unit.Ports)
        {
            var own = device.Ports.Where(each => each.Direction == port.Direction).ToList();
            var alone = own.Count == 1 && unit.Ports.Count(each => each.Direction == port.Direction) == 1;
            if ((alone ? own[0] : own.FirstOrDefault(each => each.Part == port.Part)) is { } found)
                both.Add((port, found.Id));
        }
        return both;
    }
}
