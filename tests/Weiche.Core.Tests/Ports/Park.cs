using Weiche.Ports;
using Weiche.Ports.Carrying;
using Weiche.Ports.Raw;
using Weiche.Ports.StandIns;
using Weiche.Ports.Virtual;

namespace Weiche.Core.Tests.Ports;

/// <summary>Parks with the drivers that a studio without a room has.</summary>
internal static class Park
{
    internal static PortPark Of(Junction junction, TimeProvider time) =>
        new(
            junction,
            time,
            new VirtualDriver(junction),
            new RawDriver(junction, new RawPlaces("/nowhere"), time),
            new StandInDriver(junction, time, withRoom: false)
        );
}
