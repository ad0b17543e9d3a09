using Weiche.Core.Sets;
using Weiche.Core.Studios;

namespace Weiche.Ports.StandIns;

/// <summary>How a stand-in is drawn and played on the bench.</summary>
public enum Look
{
    /// <summary>Keys with wheels.</summary>
    Keys,

    /// <summary>Sixteen pads.</summary>
    Pads,

    /// <summary>Bass pedals.</summary>
    Pedals,

    /// <summary>A surface for several fingers.</summary>
    Surface,

    /// <summary>A mouthpiece.</summary>
    Breath,

    /// <summary>An interface with jacks.</summary>
    Interface,

    /// <summary>Sound without keys.</summary>
    Module,

    /// <summary>An application with tracks.</summary>
    Application,

    /// <summary>Lights.</summary>
    Display,

    /// <summary>A clock.</summary>
    Clock,
}

/// <summary>A fault or habit of a stand-in that can be switched.</summary>
/// <param name="Name">What it is called on the device.</param>
/// <param name="Words">What it does, in words.</param>
/// <param name="On">Whether it is on at first.</param>
public sealed record KitSwitch(string Name, string Words, bool On);

/// <summary>What a stand-in is made of.</summary>
/// <param name="Key">Tells it from the others.</param>
/// <param name="Title">Its name.</param>
/// <param name="Look">How it is played.</param>
public sealed record Kit(string Key, string Title, Look Look)
{
    internal const string Echo = "sequencer page";
    internal const string OwnRouting = "own routing 3 → 3";
    internal const string Running = "running";
    internal const string Drifting = "drifts";
    internal const string Dropping = "drops pulses";
    internal const string Jumping = "at 108";
    internal const string Song = "its own song";
    internal const string Thru = "THRU";

    /// <summary>The channel it sends on, 1 to 16; 0 if it sends nothing.</summary>
    public int Sends { get; init; }

    /// <summary>The channels it listens to.</summary>
    public ChannelSet Listens { get; init; } = ChannelSet.None;

    /// <summary>Its lowest key.</summary>
    public int Lowest { get; init; } = 36;

    /// <summary>Its highest key.</summary>
    public int Highest { get; init; } = 96;

    /// <summary>Whether it sends active sensing all the time.</summary>
    public bool Senses { get; init; }

    /// <summary>Its faders: the controllers they send.</summary>
    public IReadOnlyList<int> Faders { get; init; } = [];

    /// <summary>Whether it sounds.</summary>
    public bool Sounds { get; init; }

    /// <summary>Which member of the family of stand-ins it says it is; 0 if it does not answer.</summary>
    public int Member { get; init; }

    /// <summary>Whether its IN is repeated on a THRU.</summary>
    public bool HasThru { get; init; }

    /// <summary>What can be switched on it.</summary>
    public IReadOnlyList<KitSwitch> Switches { get; init; } = [];

    /// <summary>Its tracks, each of which can pass on what it hears.</summary>
    public IReadOnlyList<string> Tracks { get; init; } = [];

    /// <summary>How it shows itself when it is plugged in; null if it is behind an interface.</summary>
    public Unit? Unit => StandInUnits.All.FirstOrDefault(unit => unit.Key == Key);

    /// <summary>Every kit there is, in the order of the bench.</summary>
    public static IReadOnlyList<Kit> All { get; } =
    [
        new("amsel-61", "Amsel 61", Look.Keys) { Sends = 1, Faders = [16, 17, 18, 19] },
        new("kies", "Kies", Look.Pads)
        {
            Sends = 10,
            Listens = ChannelSet.Of(10),
            Lowest = 36,
            Highest = 51,
            Member = 3,
        },
        new("tritt-13", "Tritt 13", Look.Pedals)
        {
            Sends = 2,
            Lowest = 36,
            Highest = 48,
            Senses = true,
        },
        new("faecher", "Fächer", Look.Surface)
        {
            Sends = 2,
            Lowest = 48,
            Highest = 84,
        },
        new("halm", "Halm", Look.Breath) { Sends = 4 },
        new("brandung", "Brandung", Look.Keys)
        {
            Sends = 3,
            Listens = ChannelSet.Of(3),
            Highest = 84,
            Sounds = true,
            Member = 1,
            HasThru = true,
            Switches = [new(Echo, "echoes what it hears", false)],
        },
        new("zinn", "Zinn", Look.Module)
        {
            Listens = ChannelSet.Of(5, 6),
            Sounds = true,
            Member = 2,
            HasThru = true,
        },
        new("paukenkiste", "Paukenkiste", Look.Module)
        {
            Listens = ChannelSet.Of(10),
            Sounds = true,
            Member = 4,
            HasThru = true,
        },
        new("bandhaus", "Bandhaus", Look.Application)
        {
            Listens = ChannelSet.All,
            Sounds = true,
            Member = 5,
            Tracks = ["track 1", "track 2", "track 3", "track 4"],
            Switches = [new(Song, "plays a song of its own, three parts, out of A while the clock runs that it gets", false)],
        },
        new("himmel", "Himmel", Look.Display)
        {
            Listens = ChannelSet.Of(16),
            Lowest = 0,
            Highest = 127,
        },
        new("wolke", "Wolke", Look.Keys)
        {
            Sends = 7,
            Listens = ChannelSet.All,
            Lowest = 48,
            Highest = 72,
            Sounds = true,
            Member = 6,
        },
        new("uhrwerk", "Uhrwerk", Look.Clock)
        {
            Switches =
            [
                new(Running, "sends start and 24 clocks a quarter note at 96 bpm", false),
                new(Drifting, "its tempo wanders by 2 bpm", false),
                new(Dropping, "leaves out a pulse now and then", false),
                new(Jumping, "jumps from 96 to 108 bpm", false),
            ],
        },
        new("weiher-4x4", "Weiher 4×4", Look.Interface) { Switches = [new(OwnRouting, "repeats its IN 3 on its OUT 3", false)] },
    ];

    /// <summary>The kit of this key, or null.</summary>
    /// <param name="key">The key.</param>
    public static Kit? Find(string? key) => All.FirstOrDefault(kit => kit.Key == key);
}
