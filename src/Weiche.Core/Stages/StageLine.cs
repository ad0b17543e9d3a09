using System.Diagnostics.CodeAnalysis;
using Weiche.Core.Midi;

namespace Weiche.Core.Stages;

/// <summary>Reads one typed line as a stage, as a musician would say it: "C1 – B2", "-12", "ch 1→5", "no clock", "only
/// notes".</summary>
public static class StageLine
{
    /// <summary>What can be typed, in a sentence.</summary>
    public const string Examples =
        "Type like this: keys C1 – B2, transpose -12, ch 1→5, no clock, only notes, velocity 20-127, cc 1→11, chord 0 4 7, or thin 50.";

    private const int MaxLength = 200;
    private const int Offered = 3;

    /// <summary>Reads a line.</summary>
    /// <param name="line">What was typed.</param>
    /// <param name="names">How keys are called.</param>
    /// <param name="stage">The stage.</param>
    /// <param name="problem">Why it is none.</param>
    public static bool TryParse(string? line, KeyNaming names, [NotNullWhen(true)] out Stage? stage, out string problem)
    {
        stage = null;
        var text = (line ?? "").Trim();
        problem = Examples;
        if (text.Length is 0 or > MaxLength)
            return false;
        problem =
            $"“{text}” is not understood. Nearest to it: "
            + $"{string.Join(", ", StageSpeech.Nearest(text, Offered).Select(phrase => $"“{phrase}”"))}. {Examples}";
        if (text.ToLowerInvariant() is "off" or "mute" or "silence" or "disable")
        {
            problem = $"“{text}” is no stage: the route's own switch does that, or the key o. {Examples}";
            return false;
        }
        text = StageSpeech.Plain(text, names);
        var gap = text.IndexOf(' ', StringComparison.Ordinal);
        var (word, rest) = gap < 0 ? (text.ToLowerInvariant(), "") : (text[..gap].ToLowerInvariant(), text[(gap + 1)..].Trim());
        if (StageSorts.All.FirstOrDefault(sort => sort.LineWords.Contains(word)) is { } named)
        {
            if (named.TryReadLine(word, rest, names, out stage, out var wrong))
            {
                problem = "";
                return true;
            }
            if (wrong.Length > 0)
                problem = wrong;
            return false;
        }
        stage = StageSorts.All.Select(sort => sort.TryReadBare(text, names)).FirstOrDefault(bare => bare is not null);
        if (stage is not null)
            problem = "";
        return stage is not null;
    }
}
