using Weiche.Core.Studios;
using Weiche.Ports.Carrying;

namespace Weiche.Ports.Virtual;

/// <summary>The virtual ports of Weiche itself: what is sent to a destination comes out of the source of the same name, and out to other
/// programs where they are shown it.</summary>
/// <param name="junction">Where the ports meet.</param>
/// <param name="publishers">Who shows them to other programs.</param>
public sealed class VirtualDriver(Junction junction, params IReadOnlyList<IPublisher> publishers) : IPortDriver
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
    public IOpenPorts? Open(Device device, Unit? unit) => device.IsVirtualPort() ? new Wire(device, junction, publishers) : null;

    /// <inheritdoc/>
    public void Dispose() { }

    private sealed class Wire : IOpenPorts, IByteSink
    {
        private readonly Junction _junction;
        private readonly PortId _destination;
        private readonly Inlet _inlet;
        private readonly IPublishedPort[] _shown;
        private readonly bool _isInside;
        private string _name;

        internal Wire(Device device, Junction junction, IReadOnlyList<IPublisher> publishers)
        {
            (_junction, _name, _isInside) = (junction, device.Name, device.StaysInside);
            _destination = device.FirstPort(PortDirection.Destination)!.Value;
            _inlet = junction.Loop(_destination, device.FirstPort(PortDirection.Source)!.Value);
            _shown = _isInside ? [] : [.. publishers.Select(publisher => publisher.Publish(device))];
            if (_shown.Length > 0)
                junction.Connect(_destination, this);
        }

        public Presence? Presence => null;

        public bool TryFollow(Device device, Unit? unit)
        {
            if (device.StaysInside != _isInside)
                return false;
            if (device.Name != _name)
            {
                foreach (var shown in _shown)
                    shown.Rename(device.Name);
            }
            _name = device.Name;
            return true;
        }

        public int Send(ReadOnlySpan<byte> bytes)
        {
            var count = _inlet.Put(bytes);
            // What is taken within Weiche is sent; what a program outside cannot take at once it never gets. It gets it first: inside
            // another thread carries it on.
            foreach (var shown in _shown)
                _ = shown.Send(bytes[..count]);
            _inlet.Wake();
            return count;
        }

        public void Dispose()
        {
            _junction.Connect(_destination, null);
            _inlet.Dispose();
            foreach (var shown in _shown)
                shown.Dispose();
            _junction.BreakOff(_destination);
        }
    }
}
