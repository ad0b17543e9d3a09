using System.Collections.Immutable;
using Weiche.Core.Midi;
using Weiche.Core.Sets;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;

namespace Weiche.Core.Checks;

/// <summary>What a finding is about, worst first.</summary>
public enum FindingKind
{
    /// <summary>Messages run in a circle, and there are more of them with each round.</summary>
    Growing,

    /// <summary>Messages run in a circle for ever.</summary>
    Endless,

    /// <summary>Messages would run in a circle as soon as a lever is worked.</summary>
    LeverCircuit,

    /// <summary>The same message reaches the same device twice.</summary>
    Doubled,

    /// <summary>Something that goes down can get through where what lifts it cannot.</summary>
    Stuck,

    /// <summary>A wire that cannot carry what may come, or nearly not.</summary>
    Wire,

    /// <summary>Two clocks at one device, none where one is wanted, or one where it is not.</summary>
    Clock,

    /// <summary>A stream with a channel for each finger is not kept whole.</summary>
    Mpe,

    /// <summary>Cables as they cannot be, or as nothing good comes of.</summary>
    Cabling,

    /// <summary>A name that misleads.</summary>
    Name,

    /// <summary>A lineup or a lever that does not do what it is there for.</summary>
    Lineup,

    /// <summary>Something reaches nothing, or is reached by nothing.</summary>
    Silence,

    /// <summary>Sent on a channel to which nobody listens.</summary>
    Unheard,

    /// <summary>Nobody has said something that the other verdicts depend on.</summary>
    Asked,

    /// <summary>Messages come back changed and end after some rounds.</summary>
    DyingOut,

    /// <summary>Closed but for one thing, which must not be touched.</summary>
    Held,
}

/// <summary>How much a finding matters.</summary>
public enum Severity
{
    /// <summary>It howls: mend it before anything is played.</summary>
    Fault,

    /// <summary>It will be heard or missed.</summary>
    Warning,

    /// <summary>Worth knowing.</summary>
    Notice,
}

/// <summary>One leg of a way: from a place to the next.</summary>
/// <param name="Place">The port where it begins: "from Brandung"; a jack where the way meets no port.</param>
/// <param name="Says">What is there: "sends on 3".</param>
/// <param name="Port">The port, or null.</param>
/// <param name="Way">How it leads on: "route · no clock", "Brandung: sequencer page", "cable".</param>
/// <param name="Route">The route, if it is one.</param>
/// <param name="Message">What the witness is at its end, in words: "C3 on channel 3".</param>
/// <param name="Delay">How long it takes; the engine's own time is left out.</param>
public sealed record Leg(string Place, string Says, PortId? Port, string Way, RouteId? Route, string Message, MidiSpan Delay);

/// <summary>A kind of message in a circuit, and what becomes of it there.</summary>
/// <param name="Kind">The kind.</param>
/// <param name="Which">Which of them: "ch 3, all keys".</param>
/// <param name="Runs">Whether it goes round; else something stops it.</param>
/// <param name="Verdict">What becomes of it: "endless", "stopped by no clock", "ends after 3 rounds".</param>
public sealed record Running(MessageKind Kind, string Which, bool Runs, string Verdict);

/// <summary>A whole way of a message: the two ways of a double, for instance.</summary>
/// <param name="Name">The way in a few words: "its own keys", "Bandhaus: track 4".</param>
/// <param name="Legs">Its legs; empty for a keyboard's keys and its own sound.</param>
/// <param name="Delay">How long it takes.</param>
public sealed record FoundWay(string Name, ImmutableArray<Leg> Legs, MidiSpan Delay);

/// <summary>One thing that the checks have to say, with its evidence.</summary>
/// <param name="Kind">What it is about.</param>
/// <param name="Severity">How much it matters.</param>
/// <param name="Key">Names it across versions of the studio, for addresses: "endless-7".</param>
/// <param name="Title">What it is, short: "Notes run in a circle: Bandhaus – Brandung".</param>
/// <param name="Sentence">All of it in a sentence, with a witness and numbers.</param>
public sealed record Finding(FindingKind Kind, Severity Severity, string Key, string Title, string Sentence)
{
    /// <summary>The circuit as a ring of legs, the last of which ends where the first begins; empty for other findings.</summary>
    public ImmutableArray<Leg> Ring { get; init; } = [];

    /// <summary>What runs in the circuit, and what is stopped on the way.</summary>
    public ImmutableArray<Running> Runs { get; init; } = [];

    /// <summary>The ways of a double.</summary>
    public ImmutableArray<FoundWay> Ways { get; init; } = [];

    /// <summary>What else is known, a sentence each.</summary>
    public ImmutableArray<string> Evidence { get; init; } = [];

    /// <summary>How long one round of a circuit takes, µs; 0 where only the computer's own time counts.</summary>
    public MidiSpan Round { get; init; }

    /// <summary>After how many rounds it ends; 0 where that is not the point.</summary>
    public int Rounds { get; init; }

    /// <summary>The routes that have part in it.</summary>
    public ImmutableArray<RouteId> Routes { get; init; } = [];

    /// <summary>The inner paths that have part in it.</summary>
    public ImmutableArray<(DeviceId Device, InnerPathId Path)> Paths { get; init; } = [];

    /// <summary>The connections of other programs that have part in it.</summary>
    public ImmutableArray<OutsideCable> Outside { get; init; } = [];

    /// <summary>The device that is silent, or that nothing reaches; null where it is about something else.</summary>
    public DeviceId? Device { get; init; }

    /// <summary>A destination whose wire it is about, or null.</summary>
    public PortId? Port { get; init; }

    /// <summary>What goes wrong as messages, for a remedy that stops just that; empty where nothing does.</summary>
    public MessageSet Messages { get; init; } = MessageSet.Empty;

    /// <summary>Of a circuit that is closed but for a route that is switched off: what switches that on.</summary>
    internal SwitchRoute? Opens { get; init; }

    /// <summary>The edit that mends it at once, where there is a plain one; null if what to do is to be weighed (see
    /// <see cref="RemedySearch"/>).</summary>
    public StudioEdit? Mend => Proposed is [var first, ..] ? first : null;

    /// <summary>Changes that may mend it besides switching off what has part in it.</summary>
    internal ImmutableArray<StudioEdit> Proposed { get; init; } = [];

    /// <summary>For each route of a circuit what goes round through it.</summary>
    internal ImmutableArray<(RouteId Route, MessageSet Messages)> Circulating { get; init; } = [];

    /// <summary>Whether it is a circuit that is open: messages go round for ever.</summary>
    public bool IsOpenCircuit => Kind is FindingKind.Endless or FindingKind.Growing;

    /// <summary>Whether it is a circuit that is open, or would be as soon as a lever is worked.</summary>
    public bool IsCircuit => IsOpenCircuit || Kind == FindingKind.LeverCircuit;

    /// <summary>The kind in words, for a sign: "Endless".</summary>
    public string Sign =>
        Kind switch
        {
            FindingKind.Growing => "Growing",
            FindingKind.Endless => "Endless",
            FindingKind.LeverCircuit => "By lever",
            FindingKind.Doubled => "Double",
            FindingKind.Stuck => "Stuck",
            FindingKind.Wire => "Wire",
            FindingKind.Clock => "Clock",
            FindingKind.Mpe => "MPE",
            FindingKind.Cabling => "Cable",
            FindingKind.Name => "Name",
            FindingKind.Lineup => "Lineup",
            FindingKind.Silence => "Silence",
            FindingKind.Unheard => "Unheard",
            FindingKind.Asked => "Asks",
            FindingKind.DyingOut => "Dies out",
            _ => "Held",
        };
}
