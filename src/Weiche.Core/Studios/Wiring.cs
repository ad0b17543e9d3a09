using System.Collections.Immutable;
using Weiche.Core.Midi;
using Weiche.Core.Stages;

namespace Weiche.Core.Studios;

/// <summary>Which way messages go through a jack, seen from the device that it is on.</summary>
public enum JackRole
{
    /// <summary>The device hears what comes in here.</summary>
    In,

    /// <summary>The device sends here.</summary>
    Out,

    /// <summary>What the device's IN hears is repeated here.</summary>
    Thru,
}

/// <summary>A DIN connector on a device, as printed on it.</summary>
/// <param name="Id">Its id.</param>
/// <param name="Role">Which way it goes.</param>
/// <param name="Name">What is printed beside it: "IN", "OUT 2", "THRU".</param>
public sealed record Jack(JackId Id, JackRole Role, string Name)
{
    /// <summary>Whether the device sends here.</summary>
    public bool Sends => Role != JackRole.In;
}

/// <summary>A physical connection between two jacks, as the person declares it. DIN has one direction, and a jack takes one
/// cable.</summary>
/// <param name="From">The jack that sends.</param>
/// <param name="To">The jack that receives.</param>
public sealed record Cable(JackId From, JackId To);

/// <summary>What sort of way an inner path is, which says who can switch it.</summary>
public enum InnerPathKind
{
    /// <summary>A thru jack: a wire within the device.</summary>
    Thru,

    /// <summary>The device sends on what it hears.</summary>
    Echo,

    /// <summary>An application passes its input on while a track monitors.</summary>
    Monitor,

    /// <summary>An interface repeats one of its inputs on one of its outputs by itself.</summary>
    Routing,

    /// <summary>The way from a keyboard's keys to its own sound, which controller 122 opens and closes.</summary>
    LocalControl,
}

/// <summary>Where an inner path begins or ends.</summary>
public enum PlaceKind
{
    /// <summary>A jack of the device.</summary>
    Jack,

    /// <summary>A port of the device.</summary>
    Port,

    /// <summary>The device's own keys.</summary>
    Keys,

    /// <summary>The device's own sound.</summary>
    Sound,

    /// <summary>The port by which Weiche hears a source, or plays a destination, that is a port of another program: what others connect
    /// there is none of that program's. No inner path begins or ends here.</summary>
    Own,
}

/// <summary>An end of an inner path.</summary>
/// <param name="Kind">What it is.</param>
/// <param name="Id">The jack's or port's id, of Weiche's own that of the port that it is for; 0 for keys and sound.</param>
public readonly record struct Place(PlaceKind Kind, int Id = 0)
{
    /// <summary>The device's own keys.</summary>
    public static readonly Place Keys = new(PlaceKind.Keys);

    /// <summary>The device's own sound.</summary>
    public static readonly Place Sound = new(PlaceKind.Sound);

    /// <summary>A jack.</summary>
    /// <param name="id">Its id.</param>
    public static Place At(JackId id) => new(PlaceKind.Jack, id.Value);

    /// <summary>A port.</summary>
    /// <param name="id">Its id.</param>
    public static Place At(PortId id) => new(PlaceKind.Port, id.Value);

    /// <summary>Weiche's own port for one of another program's.</summary>
    /// <param name="id">The port's id.</param>
    public static Place Own(PortId id) => new(PlaceKind.Own, id.Value);

    /// <summary>As a file writes it: "jack 7", "port 9", "keys", "sound"; "own 9", which no file has.</summary>
    public override string ToString() =>
        Kind switch
        {
            PlaceKind.Jack => $"jack {new JackId(Id)}",
            PlaceKind.Port => $"port {new PortId(Id)}",
            PlaceKind.Own => $"own {new PortId(Id)}",
            PlaceKind.Keys => "keys",
            _ => "sound",
        };

    /// <summary>Reads what <see cref="ToString"/> writes.</summary>
    /// <param name="text">The text.</param>
    /// <param name="end">The end.</param>
    /// <returns>False if it is none.</returns>
    public static bool TryParse(string text, out Place end)
    {
        end = text switch
        {
            "keys" => Keys,
            "sound" => Sound,
            _ => default,
        };
        if (text is "keys" or "sound")
            return true;
        var words = text.Split(' ');
        if (
            words.Length != 2
            || words[0] is not ("jack" or "port")
            || !int.TryParse(words[1], System.Globalization.NumberStyles.None, null, out var id)
        )
            return false;
        end = new Place(words[0] == "jack" ? PlaceKind.Jack : PlaceKind.Port, id);
        return true;
    }
}

/// <summary>A way through a device from what it hears to what it sends.</summary>
/// <param name="Id">Its id.</param>
/// <param name="Kind">What sort of way it is.</param>
/// <param name="Name">What the device calls it: "sequencer page", "track 4".</param>
/// <param name="From">Where it begins.</param>
/// <param name="To">Where it ends.</param>
/// <param name="On">Whether it is open, as far as is known: for local control, as last sent.</param>
/// <param name="Delay">How long a message takes through it.</param>
/// <param name="Stages">What it lets through and changes, as on a route.</param>
public sealed record InnerPath(
    InnerPathId Id,
    InnerPathKind Kind,
    string Name,
    Place From,
    Place To,
    bool On,
    MidiSpan Delay,
    ImmutableArray<Stage> Stages
)
{
    /// <summary>The longest delay: a second.</summary>
    public static readonly MidiSpan MaxDelay = MidiSpan.Second;

    /// <summary>Whether Weiche can switch it. Everything but local control only a person can, at the device.</summary>
    public bool IsSwitchedHere => Kind == InnerPathKind.LocalControl;

    /// <summary>The usual delay of a sort of inner path. A thru jack repeats bits as they come; what is sent anew has to
    /// be whole first.</summary>
    /// <param name="kind">The sort.</param>
    public static MidiSpan UsualDelay(InnerPathKind kind) =>
        kind switch
        {
            InnerPathKind.Thru => new MidiSpan(2),
            InnerPathKind.LocalControl => MidiSpan.Zero,
            InnerPathKind.Monitor => MidiSpan.FromMilliseconds(5),
            _ => MidiSpan.FromMilliseconds(1),
        };
}

/// <summary>A zone of MIDI Polyphonic Expression (MPE 1.1, section 2.1): a manager channel and its member channels.</summary>
/// <param name="Lower">Whether it is the lower zone, managed on channel 1; else the upper, managed on channel 16.</param>
/// <param name="Members">How many member channels it has, 1 to 15.</param>
/// <param name="BendRange">How far the bend of a member channel reaches, semitones, 0 to 96; 48 unless agreed otherwise.</param>
public sealed record MpeZone(bool Lower, int Members, int BendRange = 48);

/// <summary>By what a device is known again when it comes back.</summary>
/// <param name="Says">The name that it, or its socket, gives itself.</param>
/// <param name="Serial">Its serial number; empty if it gives none.</param>
/// <param name="Place">Where it was last: "hub 1", "/dev/snd/midiC1D0".</param>
/// <param name="Pinned">Whether the place tells it: whatever is plugged in there is this device.</param>
/// <param name="Identity">Its reply to an identity request, or null if it never gave one.</param>
public sealed record KnownAs(string Says, string Serial, string Place, bool Pinned = false, DeviceIdentity? Identity = null);

/// <summary>One device in a chain behind a jack.</summary>
/// <param name="Device">The device.</param>
/// <param name="In">The jack it hears by.</param>
/// <param name="Delay">How much later than the first device of the chain it hears.</param>
public readonly record struct ChainLink(Device Device, Jack In, MidiSpan Delay);
