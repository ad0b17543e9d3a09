using System.Collections.Immutable;
using Weiche.Core.Midi;
using Weiche.Core.Sets;

namespace Weiche.Core.Studios;

/// <summary>What a device is.</summary>
public enum DeviceKind
{
    /// <summary>A keyboard that makes no sound itself.</summary>
    KeyboardController,

    /// <summary>A keyboard with a sound of its own.</summary>
    KeyboardSynth,

    /// <summary>A sound without keys.</summary>
    SoundModule,

    /// <summary>A sound module of drums.</summary>
    DrumModule,

    /// <summary>Pads struck with fingers or sticks.</summary>
    Pads,

    /// <summary>A board of pedals played with the feet.</summary>
    Pedals,

    /// <summary>A surface that feels each finger by itself and sends it on a channel of its own.</summary>
    Surface,

    /// <summary>Played with the breath.</summary>
    Breath,

    /// <summary>Brings DIN jacks to this computer.</summary>
    Interface,

    /// <summary>A program on this computer.</summary>
    Application,

    /// <summary>Gives the clock.</summary>
    Clock,

    /// <summary>A tablet or another computer.</summary>
    Tablet,

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

    /// <summary>Bluetooth.</summary>
    Bluetooth,

    /// <summary>A network.</summary>
    Network,
}

/// <summary>What is known of a kind of wire.</summary>
public static class WireKinds
{
    /// <summary>How long a wire takes for a byte: 320 µs for DIN, and no time for those that need not be waited for.</summary>
    /// <param name="wire">The wire.</param>
    public static MidiSpan ByteTime(this WireKind wire) => wire == WireKind.Din ? new MidiSpan(320) : MidiSpan.Zero;

    /// <summary>How long a wire usually takes for a message, the time of its bytes aside.</summary>
    /// <param name="wire">The wire.</param>
    public static MidiSpan UsualDelay(this WireKind wire) =>
        wire switch
        {
            WireKind.Usb => MidiSpan.FromMilliseconds(1),
            WireKind.Bluetooth => MidiSpan.FromMilliseconds(10),
            WireKind.Network => MidiSpan.FromMilliseconds(5),
            _ => MidiSpan.Zero,
        };

    /// <summary>How many bytes a second a wire carries at most: 3 125 for DIN (31 250 baud, ten bits a byte). For the others
    /// it is what they usually manage; null where there is no wire.</summary>
    /// <param name="wire">The wire.</param>
    public static int? BytesPerSecond(this WireKind wire) =>
        wire switch
        {
            WireKind.Din => 3_125,
            // 16 packets of a full-speed bulk transfer in each frame of a millisecond, three bytes in each packet.
            WireKind.Usb => 48_000,
            WireKind.Bluetooth => 4_000,
            WireKind.Network => 100_000,
            _ => null,
        };
}

/// <summary>A place where messages enter or leave Weiche.</summary>
/// <param name="Id">Its id.</param>
/// <param name="Direction">Whether it is a source or a destination.</param>
/// <param name="Part">Which part of the device it is: "keys", "synth". Empty for a virtual port.</param>
/// <param name="Wire">What carries its bytes.</param>
/// <param name="On">Whether it is switched on. Through a port that is off nothing goes.</param>
/// <param name="Jack">The jack of an interface that it stands for, or null.</param>
/// <param name="OwnLabel">What a person calls it, or null: then its label writes itself.</param>
public sealed record Port(
    PortId Id,
    PortDirection Direction,
    string Part,
    WireKind Wire,
    bool On = true,
    JackId? Jack = null,
    string? OwnLabel = null
);

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
    string? Address = null
)
{
    /// <summary>Its DIN jacks.</summary>
    public ImmutableArray<Jack> Jacks { get; init; } = [];

    /// <summary>The ways through it.</summary>
    public ImmutableArray<InnerPath> InnerPaths { get; init; } = [];

    /// <summary>The kinds of message it sends.</summary>
    public KindSet SendsKinds { get; init; } = KindSet.All;

    /// <summary>The kinds of message it listens to.</summary>
    public KindSet ListensKinds { get; init; } = KindSet.All;

    /// <summary>The audio inputs on which its sound comes back: "3+4". Empty where that is not said.</summary>
    public string Audio { get; init; } = "";

    /// <summary>Its MPE zones; none if it does not speak MPE.</summary>
    public ImmutableArray<MpeZone> Zones { get; init; } = [];

    /// <summary>By what it is known again; null if it cannot be told by anything.</summary>
    public KnownAs? Known { get; init; }

    /// <summary>Whether a virtual port is for Weiche alone; else the other programs of this computer see it too.</summary>
    public bool StaysInside { get; init; }

    /// <summary>How many messages of a kind it sends in a second at worst, where a person said so; for the other kinds what its sort of
    /// device does is taken.</summary>
    public ImmutableSortedDictionary<MessageKind, int> WorstRates { get; init; } = ImmutableSortedDictionary<MessageKind, int>.Empty;

    /// <summary>The names of its programs, by number from 0 to 127; those that have none are left out.</summary>
    public ImmutableSortedDictionary<int, string> Programs { get; init; } = ImmutableSortedDictionary<int, string>.Empty;

    /// <summary>The names of its keys, by number from 0 to 127, as drums have them; those that have none are left out.</summary>
    public ImmutableSortedDictionary<int, string> Keys { get; init; } = ImmutableSortedDictionary<int, string>.Empty;

    /// <summary>How many messages of a kind it sends in a second at worst, as far as anybody knows without having measured it.</summary>
    /// <param name="kind">The kind.</param>
    public int WorstRateOf(MessageKind kind) => WorstRates.TryGetValue(kind, out var said) ? said : Kind.Facts().WorstRateOf(kind);

    /// <summary>The first of its ports that goes a way, or null if none does. A virtual port has one each way.</summary>
    /// <param name="direction">The way.</param>
    public PortId? FirstPort(PortDirection direction) => Ports.FirstOrDefault(port => port.Direction == direction)?.Id;

    /// <summary>Whether it can be played and makes a sound of its own: then it may sound twice, by its keys and by what comes
    /// back.</summary>
    public bool PlaysItself => Kind.Facts().IsPlayed && Sounds && Sends.Count > 0;

    /// <summary>The way from its keys to its own sound, or null if it has none.</summary>
    public InnerPath? LocalControl => InnerPaths.FirstOrDefault(path => path.Kind == InnerPathKind.LocalControl);
}

/// <summary>A port together with the device that is met through it.</summary>
/// <param name="Device">The device at the far end: behind an interface's jack the one that is cabled to it, else the port's
/// own.</param>
/// <param name="Port">The port.</param>
/// <param name="Owner">The device that has the port.</param>
/// <param name="Name">The port without its direction, as it stands on screen: the device's name, and which part where one
/// meets the device through several ports in that direction; or what a person calls it.</param>
public readonly record struct DevicePort(Device Device, Port Port, Device Owner, string Name)
{
    /// <summary>The port's id.</summary>
    public PortId Id => Port.Id;

    /// <summary>The port as it stands on screen: "from Amsel 61", "to Brandung".</summary>
    public string Label => (IsSource ? "from " : "to ") + Name;

    /// <summary>The label of careful people: the interface's jack, and what is at the far end: "2 · to Zinn".</summary>
    public string Tag => IsBehind ? $"{JackNumber} · {Label}" : Label;

    /// <summary>The interface's jack that the port stands for: "Weiher 4×4 OUT 2"; empty if it stands for none.</summary>
    public string Place
    {
        get
        {
            if (Port.Jack is not { } id)
                return "";
            return $"{Owner.Name} {Owner.Jacks.First(jack => jack.Id == id).Name}";
        }
    }

    /// <summary>Whether messages come from it.</summary>
    public bool IsSource => Port.Direction == PortDirection.Source;

    /// <summary>Whether the device is met through another one's jack.</summary>
    public bool IsBehind => Device.Id != Owner.Id;

    /// <summary>Whether it is a jack of an interface with nothing plugged in.</summary>
    public bool IsLoose => Port.Jack is not null && !IsBehind;

    /// <summary>The channels that matter here: those a source sends on or a destination listens to.</summary>
    public ChannelSet Channels =>
        IsLoose ? ChannelSet.All
        : IsSource ? Device.Sends
        : Device.Listens;

    private string JackNumber
    {
        get
        {
            var (owner, id) = (Owner, Port.Jack);
            var role = IsSource ? JackRole.In : JackRole.Out;
            return (1 + owner.Jacks.Where(jack => jack.Role == role).Select(jack => jack.Id).ToList().IndexOf(id!.Value)).ToString(
                System.Globalization.CultureInfo.InvariantCulture
            );
        }
    }
}
