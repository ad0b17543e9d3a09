using System.Collections.Immutable;
using System.Globalization;
using Weiche.Core.Midi;
using Weiche.Core.Pulse;
using Weiche.Core.Sets;

namespace Weiche.Core.Studios;

/// <summary>Who keeps the time of a studio.</summary>
/// <param name="Source">The source whose clock is followed; null for Weiche's own clock.</param>
public readonly record struct ClockMaster(PortId? Source)
{
    /// <summary>Weiche's own clock.</summary>
    public static readonly ClockMaster Own = new(null);

    /// <summary>Whether it is Weiche's own clock.</summary>
    public bool IsOwn => Source is null;

    /// <summary>Its name: "Weiche", "Uhrwerk".</summary>
    /// <param name="studio">The studio.</param>
    public string NameIn(Studio studio) => Source is not { } id ? "Weiche" : studio.FindPort(id)?.Name ?? "a clock that is gone";
}

/// <summary>In which form a destination gets the clock.</summary>
public enum ClockForm
{
    /// <summary>Not at all.</summary>
    None,

    /// <summary>Without its jitter.</summary>
    Steadied,

    /// <summary>As it came. Of Weiche's own clock that is the same.</summary>
    AsItCame,
}

/// <summary>A destination that follows the clock.</summary>
/// <param name="To">The destination.</param>
/// <param name="Form">In which form it gets the clock.</param>
/// <param name="Starts">Whether it is started and stopped too.</param>
/// <param name="Offset">How much later it gets each pulse; below zero for earlier, which a clock as it came cannot be.</param>
public sealed record Follower(PortId To, ClockForm Form, bool Starts, MidiSpan Offset)
{
    /// <summary>The earliest that a pulse may go out before its time.</summary>
    public static readonly MidiSpan Earliest = MidiSpan.FromMilliseconds(-100);

    /// <summary>The latest that a pulse may go out after its time.</summary>
    public static readonly MidiSpan Latest = MidiSpan.FromMilliseconds(200);

    /// <summary>Whether it gets anything at all.</summary>
    public bool GetsAnything => Form != ClockForm.None || Starts;

    /// <summary>Why this cannot be, in a sentence; null if it can.</summary>
    internal string? Check() =>
        Offset < Earliest || Offset > Latest
            ? string.Create(
                CultureInfo.InvariantCulture,
                $"A clock can go out {-Earliest.Milliseconds:0} ms early to {Latest.Milliseconds:0} ms late; {Offset.Milliseconds:0.#} ms is not possible."
            )
        : Form == ClockForm.AsItCame && Offset < MidiSpan.Zero
            ? "A clock cannot go out earlier than it came. Steadied it can: then it is known when its next pulse will be."
        : null;
}

/// <summary>How a studio keeps time: who is master, what Weiche's own clock does, who follows, how it is started.</summary>
public sealed record TimePlan
{
    /// <summary>The most bars that a clock coasts.</summary>
    public const int MostCoastBars = 64;

    /// <summary>The most bars that counting in takes.</summary>
    public const int MostCountIn = 4;

    /// <summary>What a studio begins with: no clock.</summary>
    public static TimePlan Usual { get; } = new();

    /// <summary>Who keeps the time; null for nobody.</summary>
    public ClockMaster? Master { get; init; }

    /// <summary>The tempo of Weiche's own clock.</summary>
    public Tempo Tempo { get; init; } = Tempo.Usual;

    /// <summary>The time signature.</summary>
    public BarForm Bar { get; init; } = BarForm.Usual;

    /// <summary>For how many bars the time goes on at the last tempo when the master falls silent, 0 to 64; 0 for not at all.</summary>
    public int CoastBars { get; init; }

    /// <summary>Whether start and continue wait for the next bar.</summary>
    public bool WaitsForBar { get; init; }

    /// <summary>How many bars are counted in before a start, 0 to 4.</summary>
    public int CountIn { get; init; }

    /// <summary>Whether the beat is moved over a bar when a held lever is let go, instead of at once.</summary>
    public bool MovesOverBar { get; init; }

    /// <summary>Who follows, in the order in which they were set.</summary>
    public ImmutableArray<Follower> Followers { get; init; } = [];

    /// <summary>Whether nothing is set.</summary>
    public bool IsUsual => this with { Followers = Usual.Followers } == Usual && Followers.IsEmpty;

    /// <summary>How a destination follows; null if it does not.</summary>
    /// <param name="to">The destination.</param>
    public Follower? Of(PortId to) => Followers.FirstOrDefault(each => each.To == to);

    /// <summary>Why this cannot be, in a sentence; null if it can.</summary>
    internal string? Check() =>
        CoastBars is < 0 or > MostCoastBars
            ? string.Create(CultureInfo.InvariantCulture, $"A clock coasts for at most {MostCoastBars} bars.")
        : CountIn is < 0 or > MostCountIn ? string.Create(CultureInfo.InvariantCulture, $"At most {MostCountIn} bars are counted in.")
        : Followers.Select(each => each.Check()).FirstOrDefault(problem => problem is not null)
            ?? (Followers.Select(each => each.To).Distinct().Count() < Followers.Length ? "A destination follows the clock twice." : null);
}

/// <summary>What keeps time in a lineup, and who could follow.</summary>
public static class StudioTime
{
    /// <summary>Who keeps the time while a lineup is in force; null for nobody.</summary>
    /// <param name="studio">The studio.</param>
    /// <param name="lineup">The lineup, or null.</param>
    public static ClockMaster? MasterIn(this Studio studio, LineupId? lineup) =>
        (lineup is { } id ? studio.FindLineup(id)?.Master : null) ?? studio.Time.Master;

    /// <summary>Who keeps the time of the studio as it is looked at; null for nobody.</summary>
    /// <param name="studio">The studio.</param>
    public static ClockMaster? MasterNow(this Studio studio) => studio.MasterIn(studio.InForce);

    /// <summary>The tempo of Weiche's own clock while a lineup is in force.</summary>
    /// <param name="studio">The studio.</param>
    /// <param name="lineup">The lineup, or null.</param>
    public static Tempo TempoIn(this Studio studio, LineupId? lineup) =>
        (lineup is { } id ? studio.FindLineup(id)?.Tempo : null) ?? studio.Time.Tempo;

    /// <summary>The kinds of message that a destination gets from no route, since it follows the studio's clock; none where nobody keeps
    /// the time.</summary>
    /// <param name="studio">The studio.</param>
    /// <param name="to">The destination.</param>
    public static KindSet FollowedAt(this Studio studio, PortId to)
    {
        if (studio.Time.Followers.IsEmpty || studio.MasterNow() is null || studio.Time.Of(to) is not { } follower)
            return KindSet.None;
        var kinds = follower.Form == ClockForm.None ? KindSet.None : KindSet.Of(MessageKind.Clock);
        return !follower.Starts
            ? kinds
            : kinds
                .With(MessageKind.Start, true)
                .With(MessageKind.Continue, true)
                .With(MessageKind.Stop, true)
                .With(MessageKind.SongPosition, true);
    }

    /// <summary>Whether what comes from a source is the studio's own clock: that of a virtual port that follows it.</summary>
    /// <param name="studio">The studio.</param>
    /// <param name="source">The source.</param>
    public static bool GivesBackClock(this Studio studio, PortId source) =>
        studio.OtherEndOf(source) is { } to && studio.FollowedAt(to).Contains(MessageKind.Clock);

    /// <summary>What a destination gets from no route, as a set of messages. No stage makes such a message of anything else.</summary>
    /// <param name="studio">The studio.</param>
    /// <param name="to">The destination.</param>
    internal static MessageSet LeftOutAt(this Studio studio, PortId to) =>
        studio.FollowedAt(to) is var kinds && kinds != KindSet.None ? MessageSet.Of(ChannelSet.All, kinds) : MessageSet.Empty;

    /// <summary>Whether a device is said to listen to the clock: its kinds are told one by one, and the clock is among them.</summary>
    /// <param name="device">The device.</param>
    public static bool WantsClock(this Device device) =>
        device.ListensKinds != KindSet.All && device.ListensKinds.Contains(MessageKind.Clock);

    /// <summary>Whether a device is said to listen to start and stop.</summary>
    /// <param name="device">The device.</param>
    public static bool WantsStart(this Device device) =>
        device.ListensKinds != KindSet.All && device.ListensKinds.Contains(MessageKind.Start);
}
