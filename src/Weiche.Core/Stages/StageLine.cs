using System.Diagnostics.CodeAnalysis;
using System.Globalization;
using Weiche.Core.Midi;

namespace Weiche.Core.Stages;

/// <summary>Reads one typed line as a stage, as a musician would say it: "C1 – B2", "-12", "ch 1→5", "no clock", "only
/// notes".</summary>
public static class StageLine
{
    /// <summary>What can be typed, in a sentence.</summary>
    public const string Examples = "Type like this: keys C1 – B2, transpose -12, ch 1→5, no clock, only notes, velocity 20-127, cc 1→11, chord 0 4 7, or thin 50.";

    private static readonly Dictionary<string, MessageKind[]> Kinds = new(StringComparer.OrdinalIgnoreCase)
    {
        ["notes"] = [MessageKind.Note],
        ["note"] = [MessageKind.Note],
        ["clock"] = [MessageKind.Clock, MessageKind.Start, MessageKind.Continue, MessageKind.Stop],
        ["sensing"] = [MessageKind.ActiveSensing],
        ["active sensing"] = [MessageKind.ActiveSensing],
        ["bend"] = [MessageKind.PitchBend],
        ["pitch bend"] = [MessageKind.PitchBend],
        ["pressure"] = [MessageKind.ChannelPressure, MessageKind.PolyPressure],
        ["controllers"] = [MessageKind.ControlChange],
        ["programs"] = [MessageKind.ProgramChange],
        ["program changes"] = [MessageKind.ProgramChange],
        ["system exclusive"] = [MessageKind.SystemExclusive],
        ["sysex"] = [MessageKind.SystemExclusive],
    };

    /// <summary>Reads a line.</summary>
    /// <param name="line">What was typed.</param>
    /// <param name="stage">The stage.</param>
    /// <param name="problem">Why it is none.</param>
    public static bool TryParse(string? line, [NotNullWhen(true)] out Stage? stage, out string problem)
    {
        stage = null;
        var text = (line ?? "").Trim();
        problem = text.Length is 0 or > 200 ? Examples : $"“{text}” is no stage. {Examples}";
        if (text.Length is 0 or > 200) return false;
        var gap = text.IndexOf(' ', StringComparison.Ordinal);
        var (word, rest) = gap < 0 ? (text.ToLowerInvariant(), "") : (text[..gap].ToLowerInvariant(), text[(gap + 1)..].Trim());
        switch (word)
        {
            case "keys" or "key":
                if (!StageText.TryKeys(rest, out var keys, out problem)) return false;
                stage = keys;
                break;
            case "ch" or "channel" or "channels":
                if (!ChannelMap.TryParse(rest, out var map, out problem)) return false;
                stage = new ChannelsStage(map);
                break;
            case "chord":
                if (!StageText.TryChord(rest, out var chord, out problem)) return false;
                stage = chord;
                break;
            case "cc" or "controller" or "controllers":
                if (!StageText.TryControllers(rest, out var controllers, out problem)) return false;
                stage = controllers;
                break;
            case "program" or "programs":
                if (!StageText.TryPrograms(rest, out var programs, out problem)) return false;
                stage = programs;
                break;
            case "transpose":
                return TryTranspose(rest, out stage, ref problem);
            case "thin":
                if (Number(rest, 1, 1000) is { } rate) stage = new ThinStage(rate);
                break;
            case "velocity" or "vel":
                var ends = rest.Split('-', '–');
                if (ends.Length == 2 && Number(ends[0], 1, 127) is { } low && Number(ends[1], low, 127) is { } high) stage = new VelocityStage(low, high);
                break;
            case "no" or "only":
                if (TryKinds(rest) is { } kinds) stage = new KindsStage(word == "only" ? kinds : kinds.Complement);
                break;
            default:
                // What is a number with a sign is a transposition, and what is a key or a range of keys is that.
                if (text[0] is '+' or '-' or '−' && TryTranspose(text, out stage, ref problem)) return true;
                if (StageText.TryKeys(text, out var bare, out _) && !int.TryParse(text, NumberStyles.None, CultureInfo.InvariantCulture, out _)) stage = bare;
                break;
        }
        if (stage is not null) problem = "";
        return stage is not null;
    }

    private static bool TryTranspose(string text, [NotNullWhen(true)] out Stage? stage, ref string problem)
    {
        stage = Number(text, -127, 127) is { } semitones ? new TransposeStage(semitones) : null;
        problem = stage is null ? "Semitones go from −127 to 127." : "";
        return stage is not null;
    }

    private static KindSet? TryKinds(string text)
    {
        var set = KindSet.None;
        foreach (var name in text.Split(',', StringSplitOptions.TrimEntries | StringSplitOptions.RemoveEmptyEntries))
        {
            if (!Kinds.TryGetValue(name, out var kinds)) return null;
            foreach (var kind in kinds) set = set.With(kind, true);
        }
        return set.IsEmpty ? null : set;
    }

    private static int? Number(string text, int least, int most) => StageText.TryNumber(text.Trim().TrimStart('+'), least, most, out var number) ? number : null;
}
