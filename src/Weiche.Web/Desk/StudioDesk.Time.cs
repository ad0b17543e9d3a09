using Weiche.Core.Live;
using Weiche.Core.Pulse;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;

namespace Weiche.Web.Desk;

/// <content>The time as it is worked from a page: what cannot be is said.</content>
public sealed partial class StudioDesk
{
    /// <summary>Does something to the time, as one press.</summary>
    /// <param name="what">What.</param>
    /// <returns>Why nothing came of it, or what is still missing; null if nothing.</returns>
    public Problem? Work(TimeWork what)
    {
        if (Hindrance(what) is { } problem)
            return problem;
        Junction.Press(what);
        Junction.LetGo(what);
        var time = Junction.Time;
        return time is { State: TimeState.Silent, Begins: true, Master: { } master }
            ? new Problem("time", $"{master.NameIn(State.Studio)} keeps the time and is silent: it begins with its first pulse.")
            : null;
    }

    /// <summary>Why something cannot be done to the time now; null if it can.</summary>
    /// <param name="what">What.</param>
    public Problem? Hindrance(TimeWork what)
    {
        var time = Junction.Time;
        if (time.Master is not { } master)
            return new Problem(
                "time",
                "Nobody keeps the time: make a clock master on Time (k).",
                new Remedy("Weiche's own clock", new SetMaster(ClockMaster.Own))
            );
        if (what == TimeWork.BackInStep && !time.IsPlaying)
            return new Problem("time", "Nothing runs that could be out of step: start it first.");
        return what is TimeWork.Tap or TimeWork.Faster or TimeWork.Slower && !master.IsOwn
            ? new Problem(
                "time",
                $"{master.NameIn(State.Studio)} keeps the time: its tempo is set there.",
                new Remedy("Make Weiche's own clock master", new SetMaster(ClockMaster.Own, ScopeOfMaster(State.Studio)))
            )
            : null;
    }

    /// <summary>Stops one destination and lets it go on at the next bar.</summary>
    /// <param name="destination">The destination.</param>
    /// <returns>Why nothing came of it, or null.</returns>
    public Problem? BackInStep(PortId destination)
    {
        if (State.Studio.Time.Of(destination) is not { Starts: true })
            return new Problem(
                "time",
                "Who is put back in step must be started and stopped by Weiche: press “start, stop” in its row first."
            );
        if (!Junction.Time.IsPlaying)
            return new Problem("time", "Nothing runs that could be out of step: start it first.");
        Junction.BackInStep(destination);
        return null;
    }

    /// <summary>The lineup for which a master is set: the one in force, if it has its own; null for the studio.</summary>
    /// <param name="studio">The studio.</param>
    public static LineupId? ScopeOfMaster(Studio studio) => studio.Current is { Master: not null } lineup ? lineup.Id : null;

    /// <summary>The lineup for which a tempo is set: the one in force, if it has its own; null for the studio.</summary>
    /// <param name="studio">The studio.</param>
    public static LineupId? ScopeOfTempo(Studio studio) => studio.Current is { Tempo: not null } lineup ? lineup.Id : null;

    /// <summary>Writes down a tempo, and plays it.</summary>
    /// <param name="tempo">The tempo.</param>
    /// <returns>Why it could not be, or null.</returns>
    public Problem? Keep(Tempo tempo)
    {
        var scope = ScopeOfTempo(State.Studio);
        if (State.Studio.TempoIn(scope) != tempo && Apply(new SetTempo(tempo, scope)).Problem is { } problem)
            return problem;
        Junction.SetTempo(tempo);
        return null;
    }
}
