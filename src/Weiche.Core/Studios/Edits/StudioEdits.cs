using System.Globalization;

namespace Weiche.Core.Studios.Edits;

/// <summary>Gives the studio another name.</summary>
/// <param name="Name">The name, as typed.</param>
public sealed record RenameStudio(string? Name) : StudioEdit
{
    /// <inheritdoc/>
    public override string Title(Studio studio) => $"Call the studio {NameRule.Tidy(Name)}";

    /// <inheritdoc/>
    public override EditResult Apply(Studio studio) =>
        NameRule.Check(NameRule.Tidy(Name)) is { } problem
            ? EditResult.Refused("studio", problem)
            : EditResult.Done(studio.Named(NameRule.Tidy(Name)));
}

/// <summary>Sets how middle C is called on screen.</summary>
/// <param name="IsC4">Whether key 60 is called C4; else C3.</param>
public sealed record SetMiddleC(bool IsC4) : StudioEdit
{
    /// <inheritdoc/>
    public override string Title(Studio studio) => $"Middle C is {(IsC4 ? "C4" : "C3")}";

    /// <inheritdoc/>
    public override EditResult Apply(Studio studio) => EditResult.Done(studio with { MiddleIsC4 = IsC4 });
}

/// <summary>Sets how the studio guards against circles.</summary>
/// <param name="Safety">How.</param>
public sealed record SetSafety(Safety Safety) : StudioEdit
{
    /// <inheritdoc/>
    public override string Title(Studio studio) =>
        Safety.OpeningWaits != studio.Safety.OpeningWaits
            ? Safety.OpeningWaits
                ? "A route that opens a circuit waits"
                : "A route that opens a circuit does not wait"
            : Safety.Rounds == 0
                ? "The guard is off"
                : string.Create(CultureInfo.InvariantCulture, $"The guard stops after {Safety.Rounds} rounds");

    /// <inheritdoc/>
    public override EditResult Apply(Studio studio) =>
        Safety.Check() is { } problem ? EditResult.Refused("guard", problem) : EditResult.Done(studio with { Safety = Safety });
}
