namespace Weiche.Core.Studios.Edits;

/// <summary>Makes something on a source a lever.</summary>
/// <param name="Source">The source.</param>
/// <param name="Trigger">The thing on it.</param>
/// <param name="Work">What it works.</param>
public sealed record AddLever(PortId Source, LeverTrigger Trigger, LeverWork Work) : StudioEdit
{
    /// <inheritdoc/>
    public override string Title(Studio studio) =>
        $"Lever: {studio.FindPort(Source)?.Name ?? "?"} {Trigger.Words(studio.KeyNaming)} → {LeverWords.Of(studio, Work)}";

    /// <inheritdoc/>
    public override EditResult Apply(Studio studio)
    {
        if (studio.FindPort(Source) is not { } source)
            return EditResult.Refused("lever", "The source that it should be on is gone: it was removed meanwhile. Nothing was changed.");
        if (!source.IsSource)
            return EditResult.Refused("lever", $"A lever is on a source. “{source.Label}” is a destination.");
        if (studio.Levers.Length == Lever.Most)
            return EditResult.Refused("lever", $"A studio has at most {Lever.Most} levers.");
        if (Trigger.Check() is { } problem)
            return EditResult.Refused("lever", problem);
        if (Lever.CheckHeld(Trigger, Work) is { } held)
            return EditResult.Refused("lever", held);
        if (CheckWork(studio, Work) is { } wrong)
            return EditResult.Refused("lever", wrong);
        var lever = new Lever(new LeverId(studio.NextId), Source, Trigger, Work) { GoesOn = Lever.UsuallyGoesOn(Trigger.Kind) };
        if (CheckClash(studio, lever) is { } clash)
            return EditResult.Refused(clash);
        return EditResult.Done(studio with { Levers = studio.Levers.Add(lever), NextId = studio.NextId + 1 }, lever.Id.Value);
    }

    internal static Problem? CheckClash(Studio studio, Lever lever) =>
        studio.Levers.FirstOrDefault(other => other.Id != lever.Id && StudioRules.Clash(other, lever)) is { } taken
            ? new Problem(
                "lever",
                $"{studio.FindPort(lever.Source)?.Name} {taken.Trigger.Words(studio.KeyNaming)} is a lever already: "
                    + $"{LeverWords.Of(studio, taken.Work)}. One thing works one lever.",
                new Remedy("Take the other one off", new RemoveLever(taken.Id))
            )
            : null;

    private static string? CheckWork(Studio studio, LeverWork work) =>
        work switch
        {
            EnterLineup enter when studio.FindLineup(enter.Lineup) is null =>
                "That lineup is gone: it was removed meanwhile. Nothing was changed.",
            EnterLineup or StepLineup when studio.Lineups.IsEmpty => "There is no lineup to enter yet: make one first.",
            SwitchRoutes routes when routes.Routes.IsEmpty => "Say which routes it switches.",
            SwitchRoutes routes when routes.Routes.Any(id => studio.FindRoute(id) is null) =>
                "A route that it should switch is gone: it was removed meanwhile. Nothing was changed.",
            _ => null,
        };
}

/// <summary>Sets whether what works a lever goes on through the routes.</summary>
/// <param name="Id">The lever.</param>
/// <param name="GoesOn">Whether it goes on; else it is swallowed.</param>
public sealed record SetLeverGoesOn(LeverId Id, bool GoesOn) : StudioEdit
{
    /// <inheritdoc/>
    public override string Title(Studio studio) =>
        $"Lever {LeverWords.Name(studio, Id)} {(GoesOn ? "goes on through the routes" : "is swallowed")}";

    /// <inheritdoc/>
    public override EditResult Apply(Studio studio) => Change(studio, Id, lever => lever with { GoesOn = GoesOn });
}

/// <summary>Says in which lineups a lever works.</summary>
/// <param name="Id">The lever.</param>
/// <param name="Works">In which.</param>
public sealed record SetLeverWorks(LeverId Id, Duty Works) : StudioEdit
{
    /// <inheritdoc/>
    public override string Title(Studio studio) =>
        $"Lever {LeverWords.Name(studio, Id)} works "
        + $"{(Works.IsStanding ? "always" : "in " + string.Join(", ", Works.Lineups.Select(studio.NameOf)))}";

    /// <inheritdoc/>
    public override EditResult Apply(Studio studio) =>
        Works is { IsStanding: false, Lineups.IsEmpty: true } ? EditResult.Refused("lever", "A lever works in one lineup at least.")
        : Works.Lineups.Any(id => studio.FindLineup(id) is null) ? LineupGone()
        : Change(studio, Id, lever => lever with { Works = Works });
}

/// <summary>Has something on a source be no lever any more.</summary>
/// <param name="Id">The lever.</param>
public sealed record RemoveLever(LeverId Id) : StudioEdit
{
    /// <inheritdoc/>
    public override string Title(Studio studio) => $"Take off lever {LeverWords.Name(studio, Id)}";

    /// <inheritdoc/>
    public override EditResult Apply(Studio studio) =>
        studio.FindLever(Id) is { } lever
            ? EditResult.Done(studio with { Levers = studio.Levers.Remove(lever) })
            : EditResult.Refused("lever", "That lever is gone already.");
}
