using System.Globalization;

namespace Weiche.Core.Studios;

/// <summary>How a studio guards against messages that run in circles.</summary>
/// <param name="OpeningWaits">Whether a route that would open a circuit waits, switched off, until a person decides.</param>
/// <param name="Rounds">At which generation the guard stops what comes back in spite of the plan: 2 to <see cref="MostRounds"/>; 0 for
/// no guard.</param>
public sealed record Safety(bool OpeningWaits, int Rounds)
{
    /// <summary>The highest generation that can be set.</summary>
    public const int MostRounds = 64;

    /// <summary>What a studio begins with.</summary>
    public static Safety Usual { get; } = new(true, Routing.Guard.UsualGeneration);

    /// <summary>Why it cannot be so, in a sentence, or null if it can.</summary>
    internal string? Check() => Rounds is 0 or (>= 2 and <= MostRounds) ? null
        : string.Create(CultureInfo.InvariantCulture, $"The guard stops what comes back for the 2nd to {MostRounds}th time, or never (0); {Rounds} is not possible.");
}

/// <summary>Sets how the studio guards against circles.</summary>
/// <param name="Safety">How.</param>
public sealed record SetSafety(Safety Safety) : StudioEdit
{
    /// <inheritdoc/>
    public override string Title(Studio studio) => Safety.OpeningWaits != studio.Safety.OpeningWaits
        ? Safety.OpeningWaits ? "A route that opens a circuit waits" : "A route that opens a circuit does not wait"
        : Safety.Rounds == 0 ? "The guard is off" : string.Create(CultureInfo.InvariantCulture, $"The guard stops after {Safety.Rounds} rounds");

    /// <inheritdoc/>
    public override EditResult Apply(Studio studio) =>
        Safety.Check() is { } problem ? EditResult.Refused("guard", problem) : EditResult.Done(studio.With(safety: Safety));
}
