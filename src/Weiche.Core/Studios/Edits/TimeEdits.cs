using System.Globalization;
using Weiche.Core.Midi;
using Weiche.Core.Pulse;

namespace Weiche.Core.Studios.Edits;

/// <summary>Says who keeps the time.</summary>
/// <param name="Master">Who; null for nobody, or, in a lineup, for whoever does in the studio.</param>
/// <param name="Lineup">The lineup that it is meant for alone; null for the studio.</param>
public sealed record SetMaster(ClockMaster? Master, LineupId? Lineup = null) : StudioEdit
{
    /// <inheritdoc/>
    public override string Title(Studio studio) =>
        (Master, Lineup) switch
        {
            ({ } master, _) => $"{master.NameIn(studio)} keeps the time{In(studio)}",
            (null, null) => "Nobody keeps the time",
            _ => $"The time{In(studio)} is the studio's",
        };

    /// <inheritdoc/>
    public override EditResult Apply(Studio studio)
    {
        if (Master?.Source is { } id && studio.FindPort(id) is not { IsSource: true })
            return EditResult.Refused("master", "That clock is gone: it was removed meanwhile. Nothing was changed.");
        return Lineup is { } lineup
            ? Change(studio, lineup, each => each with { Master = Master })
            : EditResult.Done(studio with { Time = studio.Time with { Master = Master } });
    }

    private string In(Studio studio) => Lineup is { } id ? " in " + studio.NameOf(id) : "";
}

/// <summary>Sets the tempo of Weiche's own clock.</summary>
/// <param name="Tempo">The tempo; null, in a lineup, to leave it as it is when that is entered.</param>
/// <param name="Lineup">The lineup that it is meant for alone; null for the studio.</param>
public sealed record SetTempo(Tempo? Tempo, LineupId? Lineup = null) : StudioEdit
{
    /// <inheritdoc/>
    public override string Title(Studio studio) =>
        $"{Tempo?.ToString() ?? "The tempo stays"}{(Lineup is { } id ? " in " + studio.NameOf(id) : "")}";

    /// <inheritdoc/>
    public override EditResult Apply(Studio studio) =>
        Lineup is { } lineup
            ? Change(studio, lineup, each => each with { Tempo = Tempo })
            : EditResult.Done(studio with { Time = studio.Time with { Tempo = Tempo ?? Pulse.Tempo.Usual } });
}

/// <summary>Sets the time signature.</summary>
/// <param name="Bar">The time signature.</param>
public sealed record SetBarForm(BarForm Bar) : StudioEdit
{
    /// <inheritdoc/>
    public override string Title(Studio studio) => $"Time signature {Bar}";

    /// <inheritdoc/>
    public override EditResult Apply(Studio studio) => EditResult.Done(studio with { Time = studio.Time with { Bar = Bar } });
}

/// <summary>Sets how the time is started, moved and kept when the master falls silent.</summary>
/// <param name="Plan">The plan of which that is taken; who is master and who follows stays as it is in the studio.</param>
public sealed record SetTimeHabits(TimePlan Plan) : StudioEdit
{
    /// <inheritdoc/>
    public override string Title(Studio studio)
    {
        var now = studio.Time;
        return Plan.CoastBars != now.CoastBars
            ? Plan.CoastBars == 0
                ? "The clock does not coast"
                : string.Create(CultureInfo.InvariantCulture, $"The clock coasts for {Plan.CoastBars} bars")
            : Plan.CountIn != now.CountIn
                ? Plan.CountIn == 0
                    ? "No count-in"
                    : string.Create(CultureInfo.InvariantCulture, $"Count in {Plan.CountIn} bars")
                : Plan.WaitsForBar != now.WaitsForBar
                    ? Plan.WaitsForBar
                        ? "Start waits for the bar"
                        : "Start waits for nothing"
                    : Plan.MovesOverBar
                        ? "The beat is moved over a bar"
                        : "The beat is moved at once";
    }

    /// <inheritdoc/>
    public override EditResult Apply(Studio studio)
    {
        var after = studio.Time with
        {
            CoastBars = Plan.CoastBars,
            CountIn = Plan.CountIn,
            WaitsForBar = Plan.WaitsForBar,
            MovesOverBar = Plan.MovesOverBar,
        };
        return after.Check() is { } problem ? EditResult.Refused("time", problem) : EditResult.Done(studio with { Time = after });
    }
}

/// <summary>Sets how a destination follows the clock.</summary>
/// <param name="Follower">How; one that gets nothing does not follow any more.</param>
public sealed record SetFollower(Follower Follower) : StudioEdit
{
    /// <inheritdoc/>
    public override string Title(Studio studio)
    {
        var name = studio.FindPort(Follower.To)?.Name ?? "?";
        var offset =
            Follower.Offset == MidiSpan.Zero ? ""
            : Follower.Offset < MidiSpan.Zero ? $", {(MidiSpan.Zero - Follower.Offset).InMilliseconds()} early"
            : $", {Follower.Offset.InMilliseconds()} late";
        return Follower.Form switch
        {
            ClockForm.None => Follower.Starts ? $"Start and stop alone to {name}" : $"No clock to {name}",
            ClockForm.Steadied => $"The clock steadied to {name}{offset}",
            _ => $"The clock as it came to {name}{offset}",
        };
    }

    /// <inheritdoc/>
    public override EditResult Apply(Studio studio)
    {
        if (studio.FindPort(Follower.To) is not { IsSource: false })
            return EditResult.Refused("follower", "That destination is gone: it was removed meanwhile. Nothing was changed.");
        if (Follower.Check() is { } problem)
        {
            return EditResult.Refused(
                "follower",
                problem,
                Follower is { Form: ClockForm.AsItCame, Offset.Microseconds: < 0 } && Follower.Offset >= Follower.Earliest
                    ? new Remedy("Steady it", new SetFollower(Follower with { Form = ClockForm.Steadied }))
                    : null
            );
        }
        var known = studio.Time.Of(Follower.To);
        var followers = !Follower.GetsAnything
            ? known is null
                ? studio.Time.Followers
                : studio.Time.Followers.Remove(known)
            : known is null
                ? studio.Time.Followers.Add(Follower)
                : studio.Time.Followers.Replace(known, Follower);
        return EditResult.Done(studio with { Time = studio.Time with { Followers = followers } });
    }
}
