using Weiche.Core.Studios;
using Weiche.Ports.Carrying;

namespace Weiche.Ports.Virtual;

/// <summary>The virtual ports of Weiche itself: what is sent to a destination comes out of the source of the same name.</summary>
/// <param name="junction">Where the ports meet.</param>
public sealed class VirtualDriver(Junction junction) : IPortDriver
{
    /// <inheritdoc/>
    public event Action? Changed
    {
        add { }
        remove { }
    }

    /// <summary>None: they are made, not found.</summary>
    public IReadOnlyList<Unit> Units => [];

    /// <inheritdoc/>
    public IOpenPorts? Open(Device device, Unit? unit) => device.IsVirtualPort() ? new Wire(device, junction) : null;

    /// <inheritdoc/>
    public void Dispose()
    {
    }

    private sealed class Wire : IOpenPorts
    {
        private readonly Junction _junction;
        private readonly PortId _destination;
        private readonly Inlet _inlet;

        internal Wire(Device device, Junction junction)
        {
            _junction = junction;
            _destination = device.FirstPort(PortDirection.Destination)!.Value;
            _inlet = junction.Loop(_destination, device.FirstPort(PortDirection.Source)!.Value);
        }

        public Presence? Presence => null;

        public bool AreOf(Device device, Unit? unit) => true;

        public void Dispose()
        {
            _junction.Connect(_destination, null);
            _inlet.Dispose();
        }
    }
}
