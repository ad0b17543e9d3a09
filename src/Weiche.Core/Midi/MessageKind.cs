namespace Weiche.Core.Midi;

/// <summary>
/// The classes of MIDI message, as the MIDI 1.0 Detailed Specification divides them (Tables I to VI).
/// A note-on and its note-off are one kind: they belong together.
/// </summary>
public enum MessageKind : byte
{
    /// <summary>Note-on and note-off (8n, 9n).</summary>
    Note,

    /// <summary>Polyphonic key pressure (An).</summary>
    PolyPressure,

    /// <summary>Control change, controllers 0 to 119 (Bn).</summary>
    ControlChange,

    /// <summary>Channel mode messages: controllers 120 to 127 (Bn).</summary>
    ChannelMode,

    /// <summary>Program change (Cn).</summary>
    ProgramChange,

    /// <summary>Channel pressure (Dn).</summary>
    ChannelPressure,

    /// <summary>Pitch bend change (En).</summary>
    PitchBend,

    /// <summary>System exclusive (F0 … F7).</summary>
    SystemExclusive,

    /// <summary>MIDI time code quarter frame (F1).</summary>
    QuarterFrame,

    /// <summary>Song position pointer (F2).</summary>
    SongPosition,

    /// <summary>Song select (F3).</summary>
    SongSelect,

    /// <summary>Tune request (F6).</summary>
    TuneRequest,

    /// <summary>Timing clock (F8).</summary>
    Clock,

    /// <summary>Start (FA).</summary>
    Start,

    /// <summary>Continue (FB).</summary>
    Continue,

    /// <summary>Stop (FC).</summary>
    Stop,

    /// <summary>Active sensing (FE).</summary>
    ActiveSensing,

    /// <summary>System reset (FF).</summary>
    Reset,
}

/// <summary>What is said of a kind: its names and which family it belongs to.</summary>
public static class MessageKinds
{
    private static readonly (string Name, string Short)[] Names =
    [
        ("notes", "notes"),
        ("poly pressure", "poly"),
        ("controllers", "controllers"),
        ("channel mode", "mode"),
        ("program change", "program"),
        ("channel pressure", "pressure"),
        ("pitch bend", "bend"),
        ("system exclusive", "sysex"),
        ("quarter frame", "time code"),
        ("song position", "song position"),
        ("song select", "song select"),
        ("tune request", "tune"),
        ("clock", "clock"),
        ("start", "start"),
        ("continue", "continue"),
        ("stop", "stop"),
        ("active sensing", "sensing"),
        ("reset", "reset"),
    ];

    /// <summary>How many kinds there are.</summary>
    public static int Count => Names.Length;

    /// <summary>Every kind, in the order of the standard.</summary>
    public static IReadOnlyList<MessageKind> All { get; } = Enum.GetValues<MessageKind>();

    /// <summary>The standard's name in plain words, lower case: "pitch bend".</summary>
    /// <param name="kind">The kind.</param>
    public static string Name(this MessageKind kind) => Names[(int)kind].Name;

    /// <summary>A short name for a sign: "bend".</summary>
    /// <param name="kind">The kind.</param>
    public static string ShortName(this MessageKind kind) => Names[(int)kind].Short;

    /// <summary>Whether messages of this kind are sent on a channel.</summary>
    /// <param name="kind">The kind.</param>
    public static bool HasChannel(this MessageKind kind) => kind <= MessageKind.PitchBend;

    /// <summary>Whether messages of this kind are one byte that may stand inside any other message.</summary>
    /// <param name="kind">The kind.</param>
    public static bool IsRealTime(this MessageKind kind) => kind >= MessageKind.Clock;
}
