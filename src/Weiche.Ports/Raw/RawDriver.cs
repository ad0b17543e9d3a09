using Weiche.Core.Studios;
using Weiche.Ports.Carrying;

namespace Weiche.Ports.Raw;

/// <summary>Device files, named pipes and terminals of this computer.</summary>
/// <param name="junction">Where the ports meet.</param>
/// <param name="places">Where devices are looked for.</param>
/// <param name="time">Where the time comes from.</param>
public sealed class RawDriver(Junction junction, RawPlaces places, TimeProvider time) : IPortDriver
{
    /// <inheritdoc/>
    public event Action? Changed
    {
        add { }
        remove { }
    }

    /// <inheritdoc/>
    public IReadOnlyList<Unit> Units => [.. RawListing.Find(places).Select(raw => new Unit(raw.Path, raw.Name, "", raw.Path, []))];

    /// <inheritdoc/>
    public IOpenPorts? Open(Device device, Unit? unit) =>
        device.Kind.Facts().HasAddress ? new OpenFile(device, PathOf(device, unit), junction, time) : null;

    /// <inheritdoc/>
    public void Dispose() { }

    // A device that came back under another path is followed there.
    private static string PathOf(Device device, Unit? unit) => unit?.Place ?? device.Address!;

    private sealed class OpenFile : IOpenPorts
    {
        private readonly Junction _junction;
        private readonly RawWire _wire;
        private readonly PortId? _destination;

        internal OpenFile(Device device, string path, Junction junction, TimeProvider time)
        {
            _junction = junction;
            _destination = device.FirstPort(PortDirection.Destination);
            _wire = new RawWire(junction, path, device.FirstPort(PortDirection.Source), _destination, time);
        }

        public Presence? Presence => _wire.Presence;

        public bool TryFollow(Device device, Unit? unit) => _wire.Path == PathOf(device, unit);

        public void Dispose()
        {
            if (_destination is { } destination)
                _junction.Connect(destination, null);
            _wire.Dispose();
        }
    }
}
