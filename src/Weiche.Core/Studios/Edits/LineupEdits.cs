using System.Globalization;

namespace Weiche.Core.Studios.Edits;

/// <summary>Makes a lineup, at the end of the running order. Nothing that sounds is changed by that.</summary>
/// <param name="Name">Its name, as typed; if it is empty it is called after its number.</param>
/// <param name="Like">The lineup that it begins as a copy of; null for one that has standing routes alone.</param>
public sealed record AddLineup(string? Name, LineupId? Like = null) : StudioEdit
{
    /// <inheritdoc/>
    public override string Title(Studio studio) => $"Add lineup {NameIn(studio)}";

    /// <inheritdoc/>
    public override EditResult Apply(Studio studio)
    {
        if (studio.Lineups.Length == Lineup.Most)
            return EditResult.Refused("lineup", $"A studio has at most {Lineup.Most} lineups.");
        var name = NameIn(studio);
        if (RenameLineup.Check(studio, name, null) is { } problem)
            return EditResult.Refused("lineup", problem);
        var id = new LineupId(studio.NextId);
        var like = Like is { } other ? studio.FindLineup(other) : null;
        if (Like is not null && like is null)
            return LineupGone();
        var lineup = new Lineup(id, name)
        {
            Sends = like?.Sends ?? [],
            Cuts = like?.Cuts ?? false,
            Master = like?.Master,
            Tempo = like?.Tempo,
        };
        return EditResult.Done(
            studio with
            {
                NextId = studio.NextId + 1,
                Lineups = studio.Lineups.Add(lineup),
                Routes = like is null
                    ? studio.Routes
                    :
                    [
                        .. studio.Routes.Select(route =>
                            route.Duty.Lineups.Contains(like.Id) ? route with { Duty = route.Duty.With(id, true, []) } : route
                        ),
                    ],
            },
            id.Value
        );
    }

    private string NameIn(Studio studio) =>
        NameRule.Tidy(Name) is { Length: > 0 } typed
            ? typed
            : Enumerable
                .Range(studio.Lineups.Length + 1, Lineup.Most)
                .Select(number => string.Create(CultureInfo.InvariantCulture, $"Lineup {number}"))
                .First(name => RenameLineup.Check(studio, name, null) is null);
}

/// <summary>Gives a lineup another name.</summary>
/// <param name="Id">The lineup.</param>
/// <param name="Name">The name, as typed.</param>
public sealed record RenameLineup(LineupId Id, string? Name) : StudioEdit
{
    /// <inheritdoc/>
    public override string Title(Studio studio) => $"Call lineup {studio.NameOf(Id)} {NameRule.Tidy(Name)}";

    /// <inheritdoc/>
    public override EditResult Apply(Studio studio) =>
        Check(studio, NameRule.Tidy(Name), Id) is { } problem
            ? EditResult.Refused("lineup", problem)
            : Change(studio, Id, lineup => lineup with { Name = NameRule.Tidy(Name) });

    internal static string? Check(Studio studio, string name, LineupId? self) =>
        NameRule.Check(name)
        ?? (
            studio.Lineups.FirstOrDefault(lineup =>
                lineup.Id != self && string.Equals(lineup.Name, name, StringComparison.OrdinalIgnoreCase)
            )
                is { } other
                ? $"There is already a lineup called “{other.Name}”. Choose another name."
                : null
        );
}

/// <summary>Sets the note for the player.</summary>
/// <param name="Id">The lineup.</param>
/// <param name="Note">The note, as typed.</param>
public sealed record SetNote(LineupId Id, string? Note) : StudioEdit
{
    /// <inheritdoc/>
    public override string Title(Studio studio) => $"Note for the player of {studio.NameOf(Id)}";

    /// <inheritdoc/>
    public override EditResult Apply(Studio studio)
    {
        var note = (Note ?? "").ReplaceLineEndings("\n").Trim();
        return Lineup.CheckNote(note) is { } problem
            ? EditResult.Refused("note", problem)
            : Change(studio, Id, lineup => lineup with { Note = note });
    }
}

/// <summary>Sets whether what leaves when a lineup is entered is cut, or rings on.</summary>
/// <param name="Id">The lineup.</param>
/// <param name="Cuts">Whether it is cut.</param>
public sealed record SetCuts(LineupId Id, bool Cuts) : StudioEdit
{
    /// <inheritdoc/>
    public override string Title(Studio studio) => $"What leaves when {studio.NameOf(Id)} is entered {(Cuts ? "is cut" : "rings on")}";

    /// <inheritdoc/>
    public override EditResult Apply(Studio studio) => Change(studio, Id, lineup => lineup with { Cuts = Cuts });
}

/// <summary>Moves a lineup in the running order.</summary>
/// <param name="Id">The lineup.</param>
/// <param name="By">How many places; negative is earlier.</param>
public sealed record MoveLineup(LineupId Id, int By) : StudioEdit
{
    /// <inheritdoc/>
    public override string Title(Studio studio) => $"Move lineup {studio.NameOf(Id)} {(By < 0 ? "earlier" : "later")}";

    /// <inheritdoc/>
    public override EditResult Apply(Studio studio)
    {
        if (studio.FindLineup(Id) is not { } lineup)
            return LineupGone();
        return EditResult.Done(studio with { Lineups = Moved(studio.Lineups, studio.Lineups.IndexOf(lineup), By) });
    }
}

/// <summary>Removes a lineup, with the levers that enter it. With the last one its routes become standing, and those that were not in it
/// are switched off: what sounds stays.</summary>
/// <param name="Id">The lineup.</param>
public sealed record RemoveLineup(LineupId Id) : StudioEdit
{
    /// <inheritdoc/>
    public override string Title(Studio studio) => $"Remove lineup {studio.NameOf(Id)}";

    /// <inheritdoc/>
    public override EditResult Apply(Studio studio)
    {
        if (studio.FindLineup(Id) is not { } lineup)
            return LineupGone();
        var isLast = studio.Lineups.Length == 1;
        return EditResult.Done(
            (
                studio with
                {
                    Lineups = studio.Lineups.Remove(lineup),
                    Routes =
                    [
                        .. studio.Routes.Select(route =>
                            route.Duty.IsStanding ? route
                            : isLast ? route with { Duty = Duty.Standing, On = route.On && route.Duty.IsOn(Id) }
                            : route.Duty.IsOn(Id) ? route with { Duty = route.Duty.With(Id, false, []) }
                            : route
                        ),
                    ],
                }
            ).WithoutLoose()
        );
    }
}

/// <summary>Says in which lineups a route is on duty.</summary>
/// <param name="Id">The route.</param>
/// <param name="Duty">In which.</param>
public sealed record SetDuty(RouteId Id, Duty Duty) : StudioEdit
{
    /// <inheritdoc/>
    public override string Title(Studio studio) =>
        Duty.IsStanding ? $"{RouteName(studio, Id)} is standing"
        : Duty.Lineups.IsEmpty ? $"{RouteName(studio, Id)} is in no lineup"
        : $"{RouteName(studio, Id)} is in {string.Join(", ", Duty.Lineups.Select(studio.NameOf))}";

    /// <inheritdoc/>
    public override EditResult Apply(Studio studio)
    {
        if (studio.FindRoute(Id) is not { } route)
            return RouteGone();
        if (studio.Lineups.IsEmpty && !Duty.IsStanding)
            return EditResult.Refused("lineup", "There are no lineups yet: every route is standing.");
        if (Duty.Lineups.Any(id => studio.FindLineup(id) is null))
            return LineupGone();
        return ReplaceRoute(studio, route, route with { Duty = Duty });
    }
}

/// <summary>Puts a route on duty in one lineup, or takes it off there.</summary>
/// <param name="Id">The route.</param>
/// <param name="Lineup">The lineup.</param>
/// <param name="On">Whether it shall be on duty there.</param>
public sealed record PlaceRoute(RouteId Id, LineupId Lineup, bool On) : StudioEdit
{
    /// <inheritdoc/>
    public override string Title(Studio studio) =>
        $"{(On ? "Put" : "Take")} {RouteName(studio, Id)} {(On ? "into" : "out of")} {studio.NameOf(Lineup)}";

    /// <inheritdoc/>
    public override EditResult Apply(Studio studio)
    {
        if (studio.FindRoute(Id) is not { } route)
            return RouteGone();
        if (studio.FindLineup(Lineup) is null)
            return LineupGone();
        return ReplaceRoute(studio, route, route with { Duty = route.Duty.With(Lineup, On, studio.Lineups.Select(lineup => lineup.Id)) });
    }
}

/// <summary>Has a lineup send something more on entering it, after the rest.</summary>
/// <param name="Id">The lineup.</param>
/// <param name="Sending">What.</param>
public sealed record AddSending(LineupId Id, Sending Sending) : StudioEdit
{
    /// <inheritdoc/>
    public override string Title(Studio studio) => $"{studio.NameOf(Id)} sends {SendingWords.Of(studio, Sending)}";

    /// <inheritdoc/>
    public override EditResult Apply(Studio studio)
    {
        if (studio.FindPort(Sending.To) is not { IsSource: false })
            return EditResult.Refused("sends", "The port that it should go to is gone: it was removed meanwhile. Nothing was changed.");
        if (studio.FindLineup(Id) is not { } lineup)
            return LineupGone();
        return Lineup.CheckSends(lineup.Sends.Add(Sending)) is { } problem
            ? EditResult.Refused("sends", problem)
            : Change(studio, Id, known => known with { Sends = known.Sends.Add(Sending) });
    }
}

/// <summary>Takes out something that a lineup sends.</summary>
/// <param name="Id">The lineup.</param>
/// <param name="Index">Which, from 0.</param>
/// <param name="Was">What the person saw there.</param>
public sealed record RemoveSending(LineupId Id, int Index, Sending Was) : StudioEdit
{
    /// <inheritdoc/>
    public override string Title(Studio studio) => $"{studio.NameOf(Id)} no longer sends {SendingWords.Of(studio, Was)}";

    /// <inheritdoc/>
    public override EditResult Apply(Studio studio)
    {
        if (studio.FindLineup(Id) is not { } lineup)
            return LineupGone();
        return Index < 0 || Index >= lineup.Sends.Length || !lineup.Sends[Index].Equals(Was)
            ? EditResult.Refused("sends", "What the lineup sends was changed meanwhile. Nothing was changed.")
            : Change(studio, Id, known => known with { Sends = known.Sends.RemoveAt(Index) });
    }
}

/// <summary>Sends something earlier or later among what a lineup sends.</summary>
/// <param name="Id">The lineup.</param>
/// <param name="Index">Which, from 0.</param>
/// <param name="By">How many places; negative is earlier.</param>
public sealed record MoveSending(LineupId Id, int Index, int By) : StudioEdit
{
    /// <inheritdoc/>
    public override string Title(Studio studio) => $"Order of what {studio.NameOf(Id)} sends";

    /// <inheritdoc/>
    public override EditResult Apply(Studio studio)
    {
        if (studio.FindLineup(Id) is not { } lineup)
            return LineupGone();
        if (Index < 0 || Index >= lineup.Sends.Length)
            return EditResult.Refused("sends", "What the lineup sends was changed meanwhile. Nothing was changed.");
        return Change(studio, Id, known => known with { Sends = Moved(known.Sends, Index, By) });
    }
}
