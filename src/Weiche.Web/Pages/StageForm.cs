using System.Diagnostics.CodeAnalysis;
using System.Globalization;
using System.Security.Cryptography;
using System.Text;
using Weiche.Core.Midi;
using Weiche.Core.Stages;
using Weiche.Files;

namespace Weiche.Web.Pages;

/// <summary>Makes stages of what is typed into the drawer.</summary>
internal static class StageForm
{
    /// <summary>The stages that can be put on a route, in the order in which they are offered.</summary>
    internal static readonly string[] Names = ["Kinds", "Channels", "Keys", "Transpose", "Velocity", "Controllers", "Programs", "Chord", "Thin"];

    /// <summary>A new stage as it is put on a route: one that changes little or nothing yet.</summary>
    internal static Stage? Fresh(string? name) => name switch
    {
        "Kinds" => new KindsStage(KindSet.All),
        "Channels" => new ChannelsStage(ChannelMap.Identity),
        "Keys" => new KeysStage(0, 127),
        "Transpose" => new TransposeStage(0),
        "Velocity" => new VelocityStage(),
        "Controllers" => new ControllersStage([]),
        "Programs" => new ProgramsStage([]),
        "Chord" => new ChordStage(0),
        "Thin" => new ThinStage(100),
        _ => null,
    };

    /// <summary>A short text that tells a stage from any other: a form carries it, so that what another window did meanwhile is
    /// noticed.</summary>
    internal static string Mark(Stage stage) => Convert.ToHexString(SHA256.HashData(Encoding.UTF8.GetBytes(StudioJson.Write(stage))).AsSpan(0, 6));

    /// <summary>Reads a stage from its form.</summary>
    internal static bool TryRead(string? name, IFormCollection form, [NotNullWhen(true)] out Stage? stage, out string problem)
    {
        stage = null;
        problem = "There is no such stage.";
        switch (name)
        {
            case "Keys":
                if (StageText.TryKeys(form["rule"], out var keys, out problem)) stage = keys;
                break;
            case "Chord":
                if (StageText.TryChord(form["rule"], out var chord, out problem)) stage = chord;
                break;
            case "Controllers":
                if (StageText.TryControllers(form["rule"], out var controllers, out problem)) stage = controllers;
                break;
            case "Programs":
                if (StageText.TryPrograms(form["rule"], out var programs, out problem)) stage = programs;
                break;
            case "Transpose":
                problem = "Semitones go from −127 to 127.";
                if ((form.ContainsKey("set") ? Number(form, "set", -127, 127) : Number(form, "semitones", -127, 127)) is { } semitones) stage = new TransposeStage(semitones);
                break;
            case "Thin":
                problem = "Write how often a second each control may pass, 1 to 1000.";
                if (Number(form, "perSecond", 1, 1000) is { } rate) stage = new ThinStage(rate);
                break;
            case "Velocity":
                problem = "The limits go from 1 to 127, softest first; the scale from 0 to 400 %, the offset from −127 to 127, the curve from −100 to 100.";
                if (Number(form, "low", 1, 127) is { } low && Number(form, "high", low, 127) is { } high && Number(form, "scale", 0, 400) is { } scale
                    && Number(form, "offset", -127, 127) is { } offset && Number(form, "curve", -100, 100) is { } curve)
                {
                    stage = new VelocityStage(low, high, scale, offset, curve);
                }
                break;
        }
        return stage is not null;
    }

    private static int? Number(IFormCollection form, string name, int least, int most) =>
        int.TryParse(form[name].ToString().Trim().Replace('−', '-').TrimStart('+'), NumberStyles.AllowLeadingSign, CultureInfo.InvariantCulture, out var number)
        && number >= least && number <= most ? number : null;
}
