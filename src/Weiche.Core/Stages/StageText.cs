using System.Globalization;
using Weiche.Core.Midi;

namespace Weiche.Core.Stages;

/// <summary>Reads and writes rules of stages as a person types them.</summary>
public static class StageText
{
    private const int MaxLength = 2000;
    private const string Others = "others";
    private const string Stop = "stop";
    private const string Inverted = "inverted";

    /// <summary>
    /// Reads keys: "C1-B2", "C1 – B2", "36-59", a single key, or "not C1-B2" for the keys outside.
    /// </summary>
    /// <param name="text">What was typed.</param>
    /// <param name="stage">The stage, if it could be read.</param>
    /// <param name="problem">Why it cannot be read, if it cannot.</param>
    public static bool TryKeys(string? text, out KeysStage stage, out string problem)
    {
        stage = new KeysStage(0, 127);
        problem = "Write the lowest and the highest key, like C1 – B2 or 36 – 59; “not” before it for the keys outside.";
        var typed = (text ?? "").Trim();
        var outside = typed.StartsWith("not ", StringComparison.OrdinalIgnoreCase);
        if (outside) typed = typed[4..].Trim();
        if (!TryRange(typed, out var low, out var high)) return false;
        if (low > high)
        {
            problem = $"The range is upside down: {KeyName.Of(low)} is above {KeyName.Of(high)}.";
            return false;
        }
        stage = new KeysStage(low, high, outside);
        return true;
    }

    /// <summary>Reads the offsets of a chord: "0 4 7", "0, +4, −5".</summary>
    /// <param name="text">What was typed.</param>
    /// <param name="stage">The stage, if it could be read.</param>
    /// <param name="problem">Why it cannot be read, if it cannot.</param>
    public static bool TryChord(string? text, out ChordStage stage, out string problem)
    {
        stage = new ChordStage(0);
        problem = $"Write 1 to {ChordStage.MaxOffsets} different offsets in semitones, like 0 4 7.";
        var offsets = new List<int>();
        foreach (var part in (text ?? "").Split([' ', ','], StringSplitOptions.RemoveEmptyEntries))
        {
            if (!TryNumber(part, -127, 127, out var offset) || offsets.Contains(offset) || offsets.Count == ChordStage.MaxOffsets) return false;
            offsets.Add(offset);
        }
        if (offsets.Count == 0) return false;
        stage = new ChordStage(offsets);
        return true;
    }

    /// <summary>
    /// Reads rules for controllers, separated by commas: "1→11", "7 stop", "74→bend", "bend→1", "1→7 20-100",
    /// "11→11 inverted", "1 (10-90)→11 (20-100)", "others stop".
    /// </summary>
    /// <param name="text">What was typed.</param>
    /// <param name="stage">The stage, if it could be read.</param>
    /// <param name="problem">Why it cannot be read, if it cannot.</param>
    public static bool TryControllers(string? text, out ControllersStage stage, out string problem)
    {
        stage = new ControllersStage([]);
        if (!TryParts(text, out var parts, out problem)) return false;
        var rules = new List<ControlRule>();
        var others = true;
        foreach (var part in parts)
        {
            if (part.Equals($"{Others} {Stop}", StringComparison.OrdinalIgnoreCase))
            {
                others = false;
                continue;
            }
            if (!TryControlRule(part, out var rule))
            {
                problem = $"“{part}” is not a rule. Write 1→11, 7 stop, 74→bend, 1→7 20-100, 11→11 inverted, or others stop.";
                return false;
            }
            if (rules.Exists(known => known.From == rule.From))
            {
                problem = $"Control {rule.From} has two rules.";
                return false;
            }
            rules.Add(rule);
        }
        stage = new ControllersStage(rules, others);
        return true;
    }

    /// <summary>
    /// Reads rules for programs, separated by commas, programs from 1 to 128: "1→5", "2 stop", "3→10 bank 128",
    /// "others stop".
    /// </summary>
    /// <param name="text">What was typed.</param>
    /// <param name="stage">The stage, if it could be read.</param>
    /// <param name="problem">Why it cannot be read, if it cannot.</param>
    public static bool TryPrograms(string? text, out ProgramsStage stage, out string problem)
    {
        stage = new ProgramsStage([]);
        if (!TryParts(text, out var parts, out problem)) return false;
        var rules = new List<ProgramRule>();
        var others = true;
        foreach (var part in parts)
        {
            if (part.Equals($"{Others} {Stop}", StringComparison.OrdinalIgnoreCase))
            {
                others = false;
                continue;
            }
            if (!TryProgramRule(part, out var rule))
            {
                problem = $"“{part}” is not a rule. Write 1→5, 2 stop, 3→10 bank 128, or others stop; programs go from 1 to 128.";
                return false;
            }
            if (rules.Exists(known => known.From == rule.From))
            {
                problem = $"Program {rule.From + 1} has two rules.";
                return false;
            }
            rules.Add(rule);
        }
        stage = new ProgramsStage(rules, others);
        return true;
    }

    /// <summary>A stage's rule as it could be typed; empty for stages that are not typed.</summary>
    /// <param name="stage">The stage.</param>
    public static string Write(Stage stage) => stage switch
    {
        KeysStage keys => $"{(keys.Outside ? "not " : "")}{KeyName.Of(keys.Lowest)} – {KeyName.Of(keys.Highest)}",
        ChordStage chord => string.Join(' ', chord.Offsets.Select(MessageText.WithSign)),
        ControllersStage controllers => string.Join(", ", controllers.Rules.Select(Write).Concat(controllers.OthersPass ? [] : [$"{Others} {Stop}"])),
        ProgramsStage programs => string.Join(", ", programs.Rules.Select(Write).Concat(programs.OthersPass ? [] : [$"{Others} {Stop}"])),
        _ => "",
    };

    private static string Write(ControlRule rule)
    {
        if (rule.To is not { } to) return $"{rule.From} {Stop}";
        var comes = (rule.InLow, rule.InHigh) == (0, 127) ? "" : $" ({rule.InLow}-{rule.InHigh})";
        var goes = (rule.OutLow, rule.OutHigh) switch { (0, 127) => "", (127, 0) => " " + Inverted, var (low, high) => $" ({low}-{high})" };
        return $"{rule.From}{comes}→{to}{goes}";
    }

    private static string Write(ProgramRule rule)
    {
        if (rule.To is not { } to) return $"{rule.From + 1} {Stop}";
        return $"{rule.From + 1}→{to + 1}" + (rule.Bank is { } bank ? $" bank {bank}" : "");
    }

    private static bool TryParts(string? text, out string[] parts, out string problem)
    {
        var typed = (text ?? "").Replace("->", "→", StringComparison.Ordinal).Replace('>', '→');
        parts = typed.Split(',', StringSplitOptions.TrimEntries | StringSplitOptions.RemoveEmptyEntries);
        problem = typed.Length > MaxLength ? $"That is too long: at most {MaxLength} characters." : "";
        return problem.Length == 0;
    }

    private static bool TryControlRule(string text, out ControlRule rule)
    {
        rule = new ControlRule(default, null);
        if (text.EndsWith(" " + Stop, StringComparison.OrdinalIgnoreCase))
        {
            if (!Control.TryParse(text[..^(Stop.Length + 1)].Trim(), out var stopped)) return false;
            rule = new ControlRule(stopped, null);
            return true;
        }
        var sides = text.Split('→', StringSplitOptions.TrimEntries);
        if (sides.Length != 2) return false;
        if (!TrySide(sides[0], out var from, out var inLow, out var inHigh) || inLow > inHigh) return false;
        if (!TrySide(sides[1], out var to, out var outLow, out var outHigh)) return false;
        rule = new ControlRule(from, to, inLow, inHigh, outLow, outHigh);
        return true;
    }

    private static bool TrySide(string text, out Control control, out int low, out int high)
    {
        (low, high) = (0, 127);
        var words = text.Replace("(", " ", StringComparison.Ordinal).Replace(")", " ", StringComparison.Ordinal).Split(' ', StringSplitOptions.RemoveEmptyEntries);
        if (words.Length is 0 or > 2 || !Control.TryParse(words[0], out control))
        {
            control = default;
            return false;
        }
        if (words.Length == 1) return true;
        if (words[1].Equals(Inverted, StringComparison.OrdinalIgnoreCase))
        {
            (low, high) = (127, 0);
            return true;
        }
        var ends = words[1].Split('-', '–');
        return ends.Length == 2 && TryNumber(ends[0], 0, 127, out low) & TryNumber(ends[1], 0, 127, out high);
    }

    private static bool TryProgramRule(string text, out ProgramRule rule)
    {
        rule = new ProgramRule(0, null);
        var words = text.Replace("→", " → ", StringComparison.Ordinal).Split(' ', StringSplitOptions.RemoveEmptyEntries);
        if (words.Length < 2 || !TryNumber(words[0], 1, 128, out var from)) return false;
        if (words.Length == 2 && words[1].Equals(Stop, StringComparison.OrdinalIgnoreCase))
        {
            rule = new ProgramRule(from - 1, null);
            return true;
        }
        if (words.Length is not (3 or 5) || words[1] != "→" || !TryNumber(words[2], 1, 128, out var to)) return false;
        var bank = 0;
        if (words.Length == 5 && (!words[3].Equals("bank", StringComparison.OrdinalIgnoreCase) || !TryNumber(words[4], 0, 16383, out bank))) return false;
        rule = new ProgramRule(from - 1, to - 1, words.Length == 5 ? bank : null);
        return true;
    }

    private static bool TryRange(string text, out int low, out int high)
    {
        low = high = 0;
        if (KeyName.TryParse(text, out low))
        {
            high = low;
            return true;
        }
        // A dash may be the sign of an octave too: every place is tried.
        for (var i = 1; i < text.Length - 1; i++)
        {
            if (text[i] is '-' or '–' && KeyName.TryParse(text[..i].Trim(), out low) && KeyName.TryParse(text[(i + 1)..].Trim(), out high)) return true;
        }
        return false;
    }

    internal static bool TryNumber(string text, int least, int most, out int number) =>
        int.TryParse(text.Trim().Replace('−', '-'), NumberStyles.AllowLeadingSign, CultureInfo.InvariantCulture, out number) && number >= least && number <= most;
}
