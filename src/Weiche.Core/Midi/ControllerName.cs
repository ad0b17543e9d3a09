using System.Globalization;
using System.Text.RegularExpressions;

namespace Weiche.Core.Midi;

/// <summary>The names that the standard gives to controllers (MIDI 1.0 Detailed Specification, Table III and the
/// channel mode messages of Table IV), in short plain words.</summary>
public static partial class ControllerName
{
    private static readonly Dictionary<int, string> Names = new()
    {
        [0] = "bank",
        [1] = "modulation",
        [2] = "breath",
        [4] = "foot",
        [5] = "portamento time",
        [6] = "data entry",
        [7] = "volume",
        [8] = "balance",
        [10] = "pan",
        [11] = "expression",
        [12] = "effect 1",
        [13] = "effect 2",
        [16] = "general 1",
        [17] = "general 2",
        [18] = "general 3",
        [19] = "general 4",
        [64] = "sustain",
        [65] = "portamento",
        [66] = "sostenuto",
        [67] = "soft",
        [68] = "legato",
        [69] = "hold 2",
        [70] = "sound variation",
        [71] = "timbre",
        [72] = "release time",
        [73] = "attack time",
        [74] = "brightness",
        [75] = "decay time",
        [76] = "vibrato rate",
        [77] = "vibrato depth",
        [78] = "vibrato delay",
        [84] = "portamento control",
        [91] = "reverb",
        [92] = "tremolo",
        [93] = "chorus",
        [94] = "detune",
        [95] = "phaser",
        [96] = "data increment",
        [97] = "data decrement",
        [98] = "NRPN low",
        [99] = "NRPN high",
        [100] = "RPN low",
        [101] = "RPN high",
        [120] = "all sound off",
        [121] = "reset all controllers",
        [122] = "local control",
        [123] = "all notes off",
        [124] = "omni off",
        [125] = "omni on",
        [126] = "mono on",
        [127] = "poly on",
    };

    private static readonly Dictionary<string, int> Said = new(StringComparer.OrdinalIgnoreCase)
    {
        ["mod"] = 1,
        ["mod wheel"] = 1,
        ["modwheel"] = 1,
        ["foot pedal"] = 4,
        ["vol"] = 7,
        ["expr"] = 11,
        ["pedal"] = 64,
        ["sustain pedal"] = 64,
        ["damper"] = 64,
        ["hold"] = 64,
        ["soft pedal"] = 67,
        ["resonance"] = 71,
        ["cutoff"] = 74,
    };

    /// <summary>The controller that a person means by a name, those of <see cref="Of"/> and a few more, or a number: "volume", "mod wheel",
    /// "cc 7"; null for none. Channel mode messages (120 to 127) are none.</summary>
    /// <param name="name">The name, in any letters.</param>
    public static int? Read(string name)
    {
        if (Numbered().Match(name) is { Success: true } numbered)
            return int.Parse(numbered.Groups["number"].Value, CultureInfo.InvariantCulture) is < 120 and var number ? number : null;
        for (var controller = 0; controller < 120; controller++)
        {
            if (Of(controller).Equals(name, StringComparison.OrdinalIgnoreCase))
                return controller;
        }
        return Said.TryGetValue(name, out var meant) ? meant : null;
    }

    /// <summary>The name, or "controller 23" for one that the standard leaves undefined. Controllers 32 to 63 are
    /// the fine parts of 0 to 31: "volume fine".</summary>
    /// <param name="controller">0 to 127.</param>
    public static string Of(int controller)
    {
        if (Names.TryGetValue(controller, out var name))
            return name;
        if (controller is >= 32 and < 64 && Names.TryGetValue(controller - 32, out name))
            return name + " fine";
        return $"controller {controller}";
    }

    [GeneratedRegex("^(?:cc|controller|control|ctrl) *(?<number>[0-9]{1,3})$", RegexOptions.IgnoreCase | RegexOptions.CultureInvariant)]
    private static partial Regex Numbered();
}
