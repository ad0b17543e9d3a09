using System.Globalization;

namespace Weiche.Core.Studios;

/// <summary>How a studio guards against messages that run in circles.</summary>
/// <param name="OpeningWaits">Whether a route that would open a circuit waits, switched off, until a person decides.</param>
/// <param name="Rounds">After how many rounds the guard stops what comes back in spite of the plan: 2 to <see cref="MostRounds"/>; 0 for
/// no guard.</param>
public sealed record Safety(bool OpeningWaits, int Rounds)
{
    /// <summary>The most rounds that can be set.</summary>
    public const int MostRounds = 64;

    /// <summary>After how many rounds the guard stops something, unless set otherwise.</summary>
    public const int UsualRounds = 4;

    /// <summary>What a studio begins with.</summary>
    public static Safety Usual { get; } = new(true, UsualRounds);

    /// <summary>Why it cannot be so, in a sentence, or null if it can.</summary>
    internal string? Check() =>
        Rounds is 0 or (>= 2 and <= MostRounds)
            ? null
            : string.Create(
                CultureInfo.InvariantCulture,
                $"The guard stops what comes back for the 2nd to {MostRounds}th time, or never (0); {Rounds} is not possible."
            );
}
