using System.Collections.Immutable;
using System.Globalization;
using Weiche.Core.Midi;

namespace Weiche.Core.Studios;

/// <summary>What kind of thing on a source is a lever.</summary>
public enum LeverKind
{
    /// <summary>A program change.</summary>
    Program,

    /// <summary>A key, or a pedal of a board of pedals.</summary>
    Key,

    /// <summary>A controller: a button, a fader, a foot pedal.</summary>
    Control,
}

/// <summary>The thing on a source that works a lever.</summary>
/// <param name="Kind">What kind of thing.</param>
/// <param name="Number">Which program, key or controller, 0 to 127.</param>
/// <param name="Channel">The channel, from 0; null for any.</param>
/// <param name="Threshold">Of a controller: from which value on it is down, 1 to 127.</param>
public sealed record LeverTrigger(LeverKind Kind, int Number, int? Channel = null, int Threshold = LeverTrigger.UsualThreshold)
{
    /// <summary>From which value on a pedal is down, unless set otherwise (MIDI 1.0 Detailed Specification, Table III: 64 and above is
    /// on).</summary>
    public const int UsualThreshold = 64;

    /// <summary>How far below the threshold a controller must come before it is up again: pedals chatter.</summary>
    public const int Hysteresis = 4;

    /// <summary>What it is in words: "C2", "program 2", "sustain"; with the channel where only one is meant: "C2 on channel 2".</summary>
    /// <param name="names">How keys are called.</param>
    public string Words(KeyNaming names) =>
        (
            Kind switch
            {
                LeverKind.Program => $"program {Number + 1}",
                LeverKind.Key => names.Of(Number),
                _ => ControllerName.Of(Number)
                    + (Threshold == UsualThreshold ? "" : string.Create(CultureInfo.InvariantCulture, $" from {Threshold}")),
            }
        ) + (Channel is { } channel ? string.Create(CultureInfo.InvariantCulture, $" on channel {channel + 1}") : "");

    /// <summary>Whether one message could work both.</summary>
    /// <param name="other">The other.</param>
    public bool Meets(LeverTrigger other) =>
        Kind == other.Kind && Number == other.Number && (Channel is null || other.Channel is null || Channel == other.Channel);

    /// <summary>Why this cannot be, in a sentence; null if it can.</summary>
    internal string? Check() =>
        Number is < 0 or > 127 ? "Programs, keys and controllers have numbers from 0 to 127."
        : Channel is < 0 or >= Midi.Channel.Count ? "Channels go from 1 to 16."
        : Threshold is < 1 or > 127 ? "A threshold is from 1 to 127."
        : Kind == LeverKind.Control && Number >= 120 ? "Channel mode messages (120 to 127) cannot be levers."
        : null;
}

/// <summary>What a lever works.</summary>
public abstract record LeverWork
{
    private protected LeverWork() { }
}

/// <summary>Enters a lineup.</summary>
/// <param name="Lineup">The lineup.</param>
public sealed record EnterLineup(LineupId Lineup) : LeverWork;

/// <summary>Enters the next lineup of the running order, or the one before. At its end nothing happens.</summary>
/// <param name="By">1 for the next, −1 for the one before.</param>
public sealed record StepLineup(int By) : LeverWork;

/// <summary>Ends every note everywhere.</summary>
public sealed record Silence : LeverWork;

/// <summary>How a lever switches routes.</summary>
public enum LeverSwitch
{
    /// <summary>On.</summary>
    On,

    /// <summary>Off.</summary>
    Off,

    /// <summary>Over to the other: those that are on go off, those that are off go on.</summary>
    Over,

    /// <summary>On as long as the lever is held.</summary>
    WhileHeld,
}

/// <summary>Switches routes. It is played, not edited: an edit that switches such a route sets it anew.</summary>
/// <param name="Routes">The routes.</param>
/// <param name="How">How.</param>
public sealed record SwitchRoutes(ImmutableArray<RouteId> Routes, LeverSwitch How) : LeverWork
{
    /// <inheritdoc/>
    public bool Equals(SwitchRoutes? other) =>
        other is not null && How == other.How && Routes.AsSpan().SequenceEqual(other.Routes.AsSpan());

    /// <inheritdoc/>
    public override int GetHashCode() => Routes.Aggregate((int)How, HashCode.Combine);
}

/// <summary>What can be done to the time.</summary>
public enum TimeWork
{
    /// <summary>Begin from the beginning.</summary>
    Start,

    /// <summary>Stop.</summary>
    Stop,

    /// <summary>Stop if it runs, else start.</summary>
    StartOrStop,

    /// <summary>Go on where it was stopped.</summary>
    Continue,

    /// <summary>One tap of a tempo for Weiche's own clock.</summary>
    Tap,

    /// <summary>Stop all followers, and let them go on at the next bar, at the right place.</summary>
    BackInStep,

    /// <summary>Held on any beat and let go on the beat that shall be the downbeat.</summary>
    HoldAndLetGo,

    /// <summary>Weiche's own clock a little faster while it is held.</summary>
    Faster,

    /// <summary>Weiche's own clock a little slower while it is held.</summary>
    Slower,
}

/// <summary>Does something to the time.</summary>
/// <param name="What">What.</param>
public sealed record WorkTime(TimeWork What) : LeverWork
{
    /// <summary>Whether it lasts as long as it is held: then a program cannot do it.</summary>
    public bool IsHeld => What is TimeWork.HoldAndLetGo or TimeWork.Faster or TimeWork.Slower;
}

/// <summary>What can be done to takes by a lever.</summary>
public enum TakeWork
{
    /// <summary>Begin to record; if something is recorded, stop.</summary>
    Record,

    /// <summary>Make a take of what was played since the last silence.</summary>
    Keep,

    /// <summary>Play the take that was chosen last; if it is played, stop.</summary>
    Play,
}

/// <summary>Does something to takes.</summary>
/// <param name="What">What.</param>
public sealed record WorkTakes(TakeWork What) : LeverWork;

/// <summary>Something on a source that works Weiche.</summary>
/// <param name="Id">Its id.</param>
/// <param name="Source">The source.</param>
/// <param name="Trigger">The thing on it.</param>
/// <param name="Work">What it works.</param>
public sealed record Lever(LeverId Id, PortId Source, LeverTrigger Trigger, LeverWork Work)
{
    /// <summary>The most levers a studio may have.</summary>
    public const int Most = 256;

    /// <summary>Whether what works it goes on through the routes all the same; else it is swallowed.</summary>
    public bool GoesOn { get; init; }

    /// <summary>The lineups in which it works.</summary>
    public Duty Works { get; init; } = Duty.Standing;

    /// <summary>Why something cannot work this, in a sentence; null if it can.</summary>
    internal static string? CheckHeld(LeverTrigger trigger, LeverWork work) =>
        trigger.Kind == LeverKind.Program && (work is WorkTime { IsHeld: true } or SwitchRoutes { How: LeverSwitch.WhileHeld })
            ? "A program is not let go of: what lasts as long as it is held needs a key, a pedal or a button."
            : null;

    /// <summary>Whether what works a lever goes on unless told otherwise: programs do, keys and pedals are swallowed.</summary>
    /// <param name="kind">What kind of thing.</param>
    public static bool UsuallyGoesOn(LeverKind kind) => kind == LeverKind.Program;
}
