using Weiche.Core.Live;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;
using Weiche.Web.Desk;
using Weiche.Web.Live;

namespace Weiche.Web.Pages.Time;

/// <summary>A clock on the page.</summary>
/// <param name="Master">What it would be as master.</param>
/// <param name="Name">Its name.</param>
/// <param name="IsMaster">Whether it keeps the time.</param>
/// <param name="IsHeard">Whether it was heard since Weiche was started.</param>
public sealed record ClockRow(ClockMaster Master, string Name, bool IsMaster, bool IsHeard)
{
    /// <summary>Its id on the page: that of the source, 0 for Weiche's own.</summary>
    public int Id => Master.Source?.Value ?? 0;
}

/// <summary>A destination on the page.</summary>
/// <param name="Port">The destination.</param>
/// <param name="Follower">How it follows; one that gets nothing for one that does not.</param>
/// <param name="Wants">Whether its device is said to want the clock.</param>
/// <param name="Listens">Whether anything there listens to a clock at all.</param>
public sealed record FollowerRow(DevicePort Port, Follower Follower, bool Wants, bool Listens);

/// <summary>What the page Time shows.</summary>
/// <param name="State">The studio.</param>
/// <param name="Now">The time.</param>
/// <param name="Lamp">The same as in the head.</param>
/// <param name="Clocks">The clocks: the master first.</param>
/// <param name="Followers">Where the clock goes, and could.</param>
/// <param name="All">Whether those that do not follow are shown as well.</param>
public sealed record TimeView(
    DeskState State,
    TimeNow Now,
    TimeLamp Lamp,
    IReadOnlyList<ClockRow> Clocks,
    IReadOnlyList<FollowerRow> Followers,
    bool All
)
{
    /// <summary>What could not be done; null if nothing.</summary>
    public Problem? Problem { get; init; }

    /// <summary>What was typed for it.</summary>
    public string? Typed { get; init; }

    /// <summary>The lineup in force, if it has a master of its own.</summary>
    public Lineup? OwnMaster => State.Studio.Current is { Master: not null } lineup ? lineup : null;

    /// <summary>The tempo of Weiche's own clock that is written down for now.</summary>
    public Weiche.Core.Pulse.Tempo Meant => State.Studio.TempoIn(State.Studio.InForce);

    /// <summary>The page.</summary>
    public string Address => All ? "/time?all=1" : "/time";
}
