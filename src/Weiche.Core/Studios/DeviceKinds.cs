using System.Collections.Immutable;
using Weiche.Core.Midi;

namespace Weiche.Core.Studios;

/// <summary>What a device is to Weiche, whatever instrument it is.</summary>
public enum DeviceRole
{
    /// <summary>Something at the end of a way: it is played, it listens, or both.</summary>
    End,

    /// <summary>An interface: its ports stand for jacks, and what is plugged in there is met through them.</summary>
    Interface,

    /// <summary>A virtual port of Weiche itself.</summary>
    VirtualPort,
}

/// <summary>How many messages of some kinds a device sends in a second at worst.</summary>
/// <param name="PerSecond">How many of each kind.</param>
/// <param name="Kinds">The kinds.</param>
public sealed record WorstRate(int PerSecond, KindSet Kinds);

/// <summary>What is known of a kind of device. All of it stands in one table (<see cref="DeviceKinds"/>).</summary>
/// <param name="Words">What it is called on screen, and may be typed as: the first is the usual one.</param>
public sealed record DeviceFacts(params ImmutableArray<string> Words)
{
    /// <summary>Whether devices of the kind send.</summary>
    public bool Sends { get; init; } = true;

    /// <summary>Whether they listen.</summary>
    public bool Listens { get; init; } = true;

    /// <summary>Whether they make a sound of their own.</summary>
    public bool Sounds { get; init; }

    /// <summary>Whether hands, feet or breath play them: where one makes a sound of its own, it plays that too (local control).</summary>
    public bool IsPlayed { get; init; }

    /// <summary>Whether they have a thru where they hang on DIN, which they mostly do together with an OUT.</summary>
    public bool HasThru { get; init; }

    /// <summary>Whether they have pads, keys or fingers with lights that show what they are sent.</summary>
    public bool ShowsWhatItHears { get; init; }

    /// <summary>Whether they are there to show, and make no sound.</summary>
    public bool OnlyShows { get; init; }

    /// <summary>What they hang on if nothing is said.</summary>
    public WireKind UsualWire { get; init; } = WireKind.Usb;

    /// <summary>What they are to Weiche.</summary>
    public DeviceRole Role { get; init; } = DeviceRole.End;

    /// <summary>Whether nobody knows what is at the far end: what is sent to one may come back by another.</summary>
    public bool MayBePluggedAnywhere { get; init; }

    /// <summary>Whether they are found at an address of their own, a path.</summary>
    public bool HasAddress { get; init; }

    /// <summary>Whether a person can say that a device is one.</summary>
    public bool CanBeChosen { get; init; } = true;

    /// <summary>Whether what they send on is what a track monitors; else it is an echo.</summary>
    public bool Monitors { get; init; }

    /// <summary>Whether they are there to give the clock.</summary>
    public bool GivesClock { get; init; }

    /// <summary>Whether they may give a clock without anybody having said so.</summary>
    public bool MayGiveClock { get; init; }

    /// <summary>Whether they use a channel for each finger.</summary>
    public bool IsMpe { get; init; }

    /// <summary>The kinds they send, unless said otherwise.</summary>
    public KindSet SendsKinds { get; init; } = KindSet.All;

    /// <summary>What they send at worst; of several that name a kind the first counts, and what none names is not sent.</summary>
    public ImmutableArray<WorstRate> Worst { get; init; } = [];

    /// <summary>How many messages of a kind they send in a second at worst.</summary>
    /// <param name="kind">The kind.</param>
    public int WorstRateOf(MessageKind kind) => Worst.FirstOrDefault(rate => rate.Kinds.Contains(kind))?.PerSecond ?? 0;
}

/// <summary>The table of the kinds of device: all that Weiche knows of a kind stands here, and nowhere else.</summary>
public static class DeviceKinds
{
    private static readonly WorstRate[] Anything = [new(120, KindSet.Of(MessageKind.Clock)), new(4, KindSet.Of(MessageKind.ActiveSensing))];

    private static readonly WorstRate[] Hands =
    [
        .. Anything,
        new(40, KindSet.Of(MessageKind.Note)),
        new(60, KindSet.Of(MessageKind.ControlChange, MessageKind.PitchBend)),
        new(40, KindSet.Of(MessageKind.ChannelPressure)),
    ];

    private static readonly WorstRate[] Program =
    [
        .. Anything,
        new(100, KindSet.Of(MessageKind.Note, MessageKind.ControlChange)),
        new(60, KindSet.Of(MessageKind.PitchBend)),
        new(40, KindSet.Of(MessageKind.ChannelPressure)),
    ];

    private static readonly Dictionary<DeviceKind, DeviceFacts> Table = new()
    {
        [DeviceKind.KeyboardController] = new("keyboard controller", "controller", "keyboard", "master keyboard", "midi keyboard")
        {
            IsPlayed = true,
            Listens = false,
            ShowsWhatItHears = true,
            Worst = [.. Hands],
        },
        [DeviceKind.KeyboardSynth] = new(
            "keyboard with sound",
            "keyboard synth",
            "synth",
            "synthesizer",
            "workstation",
            "stage piano",
            "piano",
            "digital piano",
            "electric piano",
            "keytar",
            "organ"
        )
        {
            Sounds = true,
            IsPlayed = true,
            HasThru = true,
            Worst = [.. Hands],
        },
        [DeviceKind.SoundModule] = new(
            "sound module",
            "module",
            "expander",
            "sampler",
            "rack",
            "guitar synth",
            "effects unit",
            "effects",
            "fx"
        )
        {
            Sends = false,
            Sounds = true,
            HasThru = true,
        },
        [DeviceKind.DrumModule] = new("drum module", "drums", "drum machine", "drum computer", "drum kit", "electronic drums")
        {
            IsPlayed = true,
            Sends = false,
            Sounds = true,
            HasThru = true,
        },
        [DeviceKind.Pads] = new("pads", "pad", "pad controller", "drum pads", "pad box")
        {
            IsPlayed = true,
            ShowsWhatItHears = true,
            Worst =
            [
                .. Anything,
                new(40, KindSet.Of(MessageKind.Note)),
                new(50, KindSet.Of(MessageKind.PolyPressure)),
                new(20, KindSet.Of(MessageKind.ControlChange)),
            ],
        },
        [DeviceKind.Pedals] = new(
            "pedals",
            "pedal",
            "pedal board",
            "pedalboard",
            "foot pedal",
            "foot switch",
            "footswitch",
            "foot controller"
        )
        {
            IsPlayed = true,
            Listens = false,
            Worst = [.. Anything, new(10, KindSet.Of(MessageKind.Note)), new(20, KindSet.Of(MessageKind.ControlChange))],
        },
        [DeviceKind.Surface] = new("expressive surface", "surface")
        {
            IsPlayed = true,
            Listens = false,
            ShowsWhatItHears = true,
            IsMpe = true,
            Worst =
            [
                .. Anything,
                new(40, KindSet.Of(MessageKind.Note)),
                new(250, KindSet.Of(MessageKind.PitchBend, MessageKind.ChannelPressure)),
                new(200, KindSet.Of(MessageKind.ControlChange)),
            ],
        },
        [DeviceKind.Breath] = new("breath controller", "breath", "wind controller")
        {
            IsPlayed = true,
            Listens = false,
            Worst = [.. Anything, new(100, KindSet.Of(MessageKind.ControlChange, MessageKind.ChannelPressure))],
        },
        [DeviceKind.Interface] = new("interface", "midi interface") { Role = DeviceRole.Interface },
        [DeviceKind.Application] = new("application", "app", "program", "software", "daw", "plugin", "software synth", "computer", "laptop")
        {
            UsualWire = WireKind.Virtual,
            Monitors = true,
            MayGiveClock = true,
            Worst = [.. Program],
        },
        [DeviceKind.Clock] = new("clock", "clock box", "master clock")
        {
            Listens = false,
            GivesClock = true,
            SendsKinds = KindSet.Of(MessageKind.Clock, MessageKind.Start, MessageKind.Continue, MessageKind.Stop, MessageKind.SongPosition),
            Worst = [.. Anything],
        },
        [DeviceKind.Display] = new("display", "screen", "lights", "light desk", "lighting desk") { Sends = false, OnlyShows = true },
        [DeviceKind.Tablet] = new("tablet", "phone")
        {
            IsPlayed = true,
            UsualWire = WireKind.Network,
            Worst = [.. Hands],
        },
        [DeviceKind.Raw] = new("raw bytes")
        {
            MayBePluggedAnywhere = true,
            HasAddress = true,
            CanBeChosen = false,
            Worst = [.. Program],
        },
        [DeviceKind.VirtualPort] = new("virtual port")
        {
            UsualWire = WireKind.Virtual,
            Role = DeviceRole.VirtualPort,
            CanBeChosen = false,
        },
    };

    /// <summary>The kinds that a person can say a device is, in the order in which they are offered.</summary>
    public static IReadOnlyList<DeviceKind> Choosable { get; } = [.. Table.Keys.Where(kind => Table[kind].CanBeChosen)];

    /// <summary>What may be said for a kind, and the kind: for all of them the usual word first, then the others.</summary>
    public static IReadOnlyList<(string Word, DeviceKind Kind)> Words { get; } =
    [
        .. Choosable.Select(kind => (Table[kind].Words[0], kind)),
        .. Choosable.SelectMany(kind => Table[kind].Words.Skip(1).Select(word => (word, kind))),
    ];

    /// <summary>What is known of a kind.</summary>
    /// <param name="kind">The kind.</param>
    /// <exception cref="KeyNotFoundException">There is no such kind.</exception>
    public static DeviceFacts Facts(this DeviceKind kind) => Table[kind];

    /// <summary>Whether messages only pass through it on their way: an interface or a virtual port, which nobody plays and nobody
    /// hears.</summary>
    /// <param name="device">The device.</param>
    public static bool PassesOn(this Device device) => device.Kind.Facts().Role != DeviceRole.End;

    /// <summary>Whether it is a virtual port of Weiche itself.</summary>
    /// <param name="device">The device.</param>
    public static bool IsVirtualPort(this Device device) => device.Kind.Facts().Role == DeviceRole.VirtualPort;

    /// <summary>Whether it is an interface.</summary>
    /// <param name="device">The device.</param>
    public static bool IsInterface(this Device device) => device.Kind.Facts().Role == DeviceRole.Interface;
}
