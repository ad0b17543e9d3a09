using System.Collections.Immutable;

namespace Weiche.Core.Studios;

/// <summary>What a device is.</summary>
public enum DeviceKind
{
    /// <summary>A keyboard that makes no sound itself.</summary>
    KeyboardController,

    /// <summary>A keyboard with a sound of its own.</summary>
    KeyboardSynth,

    /// <summary>A board of pedals played with the feet.</summary>
    Pedals,

    /// <summary>Something that shows and makes no sound.</summary>
    Display,

    /// <summary>A port of raw bytes: a MIDI device file, a named pipe, a terminal.</summary>
    Raw,

    /// <summary>A virtual port: what is sent to its destination comes out of its source.</summary>
    VirtualPort,
}

/// <summary>Which way messages go through a port, seen from Weiche.</summary>
public enum PortDirection
{
    /// <summary>Messages come from it.</summary>
    Source,

    /// <summary>Messages go to it.</summary>
    Destination,
}

/// <summary>What carries a port's bytes.</summary>
public enum WireKind
{
    /// <summary>A five-pin DIN cable: 31 250 baud, 320 µs a byte (MIDI 1.0 Detailed Specification, "Hardware").</summary>
    Din,

    /// <summary>USB.</summary>
    Usb,

    /// <summary>Within this computer.</summary>
    Virtual,
}

/// <summary>What is known of a kind of wire.</summary>
public static class WireKinds
{
    /// <summary>How long a wire takes for a byte, µs: 320 for DIN, and 0 for those that need not be waited for.</summary>
    /// <param name="wire">The wire.</param>
    public static int ByteTime(this WireKind wire) => wire == WireKind.Din ? 320 : 0;
}

/// <summary>A place where messages enter or leave Weiche.</summary>
/// <param name="Id">Its id.</param>
/// <param name="Direction">Whether it is a source or a destination.</param>
/// <param name="Part">Which part of the device it is: "keys", "synth". Empty for a virtual port.</param>
/// <param name="Wire">What carries its bytes.</param>
/// <param name="On">Whether it is switched on. Through a port that is off nothing goes.</param>
public sealed record Port(PortId Id, PortDirection Direction, string Part, WireKind Wire, bool On = true);

/// <summary>Anything that speaks MIDI: an instrument, an application, a virtual port.</summary>
/// <param name="Id">Its id.</param>
/// <param name="Name">Its name, unique in the studio without regard to case.</param>
/// <param name="Kind">What it is.</param>
/// <param name="Sends">The channels it sends on.</param>
/// <param name="Listens">The channels it listens to.</param>
/// <param name="Sounds">Whether it makes a sound by itself.</param>
/// <param name="StandIn">The name of the stand-in that plays it, or null.</param>
/// <param name="Ports">Its ports, sources first.</param>
/// <param name="Address">For a raw device: the path of its device file.</param>
public sealed record Device(
    DeviceId Id,
    string Name,
    DeviceKind Kind,
    ChannelSet Sends,
    ChannelSet Listens,
    bool Sounds,
    string? StandIn,
    ImmutableArray<Port> Ports,
    string? Address = null);

/// <summary>A port together with the device it belongs to.</summary>
/// <param name="Device">The device.</param>
/// <param name="Port">One of its ports.</param>
public readonly record struct DevicePort(Device Device, Port Port)
{
    /// <summary>The port's id.</summary>
    public PortId Id => Port.Id;

    /// <summary>The port as it stands on screen: "from Amsel 61", "to Brandung".</summary>
    public string Label => (Port.Direction == PortDirection.Source ? "from " : "to ") + Name;

    /// <summary>The port without its direction: the device's name, and the part where the device has several ports
    /// in that direction.</summary>
    public string Name
    {
        get
        {
            var direction = Port.Direction;
            return Device.Ports.Count(port => port.Direction == direction) > 1 ? $"{Device.Name} {Port.Part}" : Device.Name;
        }
    }

    /// <summary>Whether messages come from it.</summary>
    public bool IsSource => Port.Direction == PortDirection.Source;

    /// <summary>The channels that matter here: those a source sends on or a destination listens to.</summary>
    public ChannelSet Channels => IsSource ? Device.Sends : Device.Listens;
}
