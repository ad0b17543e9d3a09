using System.Globalization;
using System.Text.RegularExpressions;
using Weiche.Core.Midi;

namespace Weiche.Core.Stages;

/// <summary>What a musician says, put as a stage's line has it: "ch 2 to 5" is "ch 2→5", "below C3" is "keys C-2 – B2".</summary>
/// <remarks>Each phrase is one rule here, for a whole line. What no rule knows is left as it is.</remarks>
internal static partial class StageSpeech
{
    /// <summary>Phrases that are understood, of each sort of stage some: what is offered where a line is not.</summary>
    internal static IReadOnlyList<string> Phrases { get; } =
    [
        "no clock",
        "no sensing",
        "no sysex",
        "no bend",
        "no pressure",
        "no program",
        "no controllers",
        "only notes",
        "only controllers",
        "only clock",
        "ch 1→3",
        "ch 2 to 5",
        "only ch 1",
        "no ch 10",
        "all ch to 6",
        "MPE kept whole",
        "C1 – B2",
        "below C3",
        "above C3",
        "not C1 – B2",
        "-12",
        "octave up",
        "octave down",
        "up 5",
        "down 7",
        "velocity 20-127",
        "velocity 50 %",
        "velocity +10",
        "velocity 100",
        "cc 1→11",
        "no cc 64",
        "only cc 16",
        "no sustain",
        "program 1→5",
        "chord 0 4 7",
        "thin 50",
    ];

    /// <summary>What a rule has recognised, and how keys are called.</summary>
    private readonly record struct Said(GroupCollection Groups, KeyNaming Names)
    {
        internal Group this[string name] => Groups[name];
    }

    private static readonly (Regex Says, Func<Said, string?> Means)[] Rules =
    [
        (BareChannels(), said =>
            Array.TrueForAll([said["from"], said["to"]], each => ChannelMap.TryParseList(each.Value, out _, out _))
                ? $"ch {said["from"].Value}→{said["to"].Value}"
                : null
        ),
        (BareRange(), said => ChannelMap.TryParseList(said["list"].Value, out _, out _) ? "ch " + said["list"].Value : null),
        (ChannelsTo(), said => $"ch {said["from"].Value}→{Joined(said["to"].Value)}"),
        (AllTo(), said => $"ch 1-16→{said["to"].Value}"),
        (OnlyChannels(), said => "ch " + said["list"].Value),
        (NoChannels(), said => Others(said["list"].Value)),
        (NoController(), said => $"cc {said["number"].Value} stop"),
        (OnlyController(), said =>
            $"cc {string.Join(", ", said["list"].Value.Split(',', '+').Select(number => $"{number.Trim()}→{number.Trim()}"))}, others stop"
        ),
        (ControllerTo(), said => $"cc {said["from"].Value}→{said["to"].Value}"),
        (NamedTo(), said =>
            Controller(said["from"].Value) is { } from && Controller(said["to"].Value) is { } to ? $"cc {from}→{to}" : null
        ),
        (NoNamed(), said => Controller(said["name"].Value) is { } number ? $"cc {number} stop" : null),
        (Inverted(), said => Controller(said["name"].Value) is { } number ? $"cc {number}→{number} inverted" : null),
        (ProgramTo(), said => $"program {said["from"].Value}→{said["to"].Value}"),
        (Stop(), said => $"{said["what"].Value} {said["number"].Value} stop"),
        (OnlyAfter(), said => "only " + said["what"].Value),
        (Octaves(), said => Semitones(said, 12)),
        (Steps(), said => Semitones(said, 1)),
        (Fixed(), said => "velocity " + said["value"].Value),
        (Softer(), _ => "velocity -20"),
        (Louder(), _ => "velocity +20"),
        (Figure(), _ => "pattern up 1/16"),
        (ThinEvery(), said =>
            int.Parse(said["ms"].Value, CultureInfo.InvariantCulture) is > 0 and var ms
                ? string.Create(CultureInfo.InvariantCulture, $"thin {Math.Clamp(1000 / ms, 1, 1000)}")
                : null
        ),
        (KeysTo(), said => $"keys {(said["not"].Length > 0 ? "not " : "")}{said["low"].Value} – {said["high"].Value}"),
        (KeysBelow(), said =>
            said.Names.TryParse(said["key"].Value, out var key) ? Keys(said, 0, said["too"].Length > 0 ? key : key - 1) : null
        ),
        (KeysAbove(), said =>
            said.Names.TryParse(said["key"].Value, out var key) ? Keys(said, said["too"].Length > 0 ? key : key + 1, 127) : null
        ),
        (ThinTo(), said => "thin " + said["rate"].Value),
        (NamedChord(), said => "chord "
            + said["name"].Value.ToLowerInvariant() switch
            {
                "major" => "0 4 7",
                "minor" => "0 3 7",
                "fifths" or "fifth" => "0 7",
                _ => "0 12",
            }),
    ];

    /// <summary>The line as the rules of the stages have it.</summary>
    /// <param name="text">What was typed, without blanks around it.</param>
    /// <param name="names">How keys are called.</param>
    internal static string Plain(string text, KeyNaming names)
    {
        foreach (var (says, means) in Rules)
        {
            if (says.Match(text) is { Success: true } match && means(new Said(match.Groups, names)) is { } plain)
                return plain;
        }
        return text;
    }

    /// <summary>The phrases that are most like a line that was not understood.</summary>
    /// <param name="text">The line.</param>
    /// <param name="count">How many.</param>
    internal static IEnumerable<string> Nearest(string text, int count) =>
        Phrases.OrderByDescending(phrase => Alike(text, phrase)).Take(count);

    /// <summary>How alike two lines are: pairs of letters that both have, twice, of all their pairs (Dice's coefficient).</summary>
    private static double Alike(string one, string other)
    {
        var (left, right) = (Pairs(one), Pairs(other));
        return left.Count + right.Count == 0 ? 0 : 2.0 * left.Intersect(right).Count() / (left.Count + right.Count);

        // A word's beginning counts: "ch" of "chanel" too.
        static HashSet<string> Pairs(string text)
        {
            var plain = " " + text.ToLowerInvariant();
            return [.. Enumerable.Range(0, plain.Length - 1).Select(i => plain.Substring(i, 2))];
        }
    }

    private static string Joined(string channels) => And().Replace(channels, "+");

    private static string? Others(string list) =>
        ChannelMap.TryParseList(list, out var channels, out _) && channels.Count is > 0 and < Channel.Count
            ? "ch " + channels.Members.Aggregate(ChannelMap.Identity, (map, channel) => map.With(channel, Sets.ChannelSet.None))
            : null;

    private static string? Keys(Said said, int low, int high) => low > high ? null : $"keys {said.Names.Range(low, high)}";

    private static string? Semitones(Said said, int each)
    {
        var number = said["number"].Value.ToLowerInvariant() switch
        {
            "" or "a" or "an" or "one" => 1,
            "two" => 2,
            var typed => int.TryParse(typed, NumberStyles.None, CultureInfo.InvariantCulture, out var read) ? read : 0,
        };
        var way = said["way"].Value.ToLowerInvariant() switch
        {
            "down" or "lower" or "-" or "−" => -1,
            _ => 1,
        };
        return number == 0 ? null : string.Create(CultureInfo.InvariantCulture, $"transpose {way * number * each}");
    }

    // A name may have blanks behind it, where an arrow follows.
    private static int? Controller(string said) => ControllerName.Read(said.Trim());

    private const RegexOptions Loose = RegexOptions.IgnoreCase | RegexOptions.CultureInvariant;
    private const string Ch = "(?:ch|chan|channels?)\\.?";
    private const string To = "(?:→|->|=>|>|to|as)";
    private const string List = "(?<list>\\d+(?:\\s*[-–,]\\s*\\d+)*)";
    private const string Key = "[a-g][#b♯♭]?-?\\d";
    private const string Named = "[a-z][a-z0-9 ]{0,30}";

    [GeneratedRegex("^(?<from>\\d{1,2}(?:\\s*[-–]\\s*\\d{1,2})?)\\s*" + To + "\\s*(?<to>\\d{1,2})$", Loose)]
    private static partial Regex BareChannels();

    [GeneratedRegex("^(?<list>\\d{1,2}\\s*[-–]\\s*\\d{1,2})$", Loose)]
    private static partial Regex BareRange();

    [GeneratedRegex("^(?<from>" + Named + ")\\s*" + To + "\\s*(?<to>" + Named + ")$", Loose)]
    private static partial Regex NamedTo();

    [GeneratedRegex("^(?:(?:invert|reverse) (?<name>" + Named + ")|(?<name>" + Named + ") (?:invert|inverted|reversed?))$", Loose)]
    private static partial Regex Inverted();

    [GeneratedRegex(
        "^(?:(?:fixed|constant|always) (?:velocity|vel)|(?:velocity|vel) (?:fixed|constant|always))(?: (?:at|to))?\\s*(?<value>\\d+)$",
        Loose
    )]
    private static partial Regex Fixed();

    [GeneratedRegex("^(?:softer|quieter|less velocity)$", Loose)]
    private static partial Regex Softer();

    [GeneratedRegex("^(?:louder|harder|more velocity)$", Loose)]
    private static partial Regex Louder();

    [GeneratedRegex("^(?:arp|arpeggio|arpeggiator|arpeggiate|figure|pattern)$", Loose)]
    private static partial Regex Figure();

    [GeneratedRegex("^thin (?:to |every )?(?<ms>\\d{1,5})\\s*ms$", Loose)]
    private static partial Regex ThinEvery();

    [GeneratedRegex(
        "^(?:only |just |move )?"
            + Ch
            + "\\s*(?<from>\\d+(?:\\s*[-–]\\s*\\d+)?)\\s*"
            + To
            + "\\s*(?:"
            + Ch
            + "\\s*)?(?<to>\\d+(?:\\s*(?:\\+|and|&)\\s*\\d+)*)$",
        Loose
    )]
    private static partial Regex ChannelsTo();

    [GeneratedRegex(
        "^(?:(?:(?:all|every|any)(?: "
            + Ch
            + ")?|16 ch|everything)\\s*"
            + To
            + "\\s*(?:"
            + Ch
            + "\\s*)?|(?:to|onto|into|everything on) "
            + Ch
            + "\\s*)(?<to>\\d+)$",
        Loose
    )]
    private static partial Regex AllTo();

    [GeneratedRegex("^(?:(?:only|just) " + Ch + "\\s*" + List + "|" + Ch + "\\s*" + List + " only)$", Loose)]
    private static partial Regex OnlyChannels();

    [GeneratedRegex("^(?:no|not|without|except|all but) " + Ch + "\\s*" + List + "$", Loose)]
    private static partial Regex NoChannels();

    [GeneratedRegex("^(?:no|not|without) (?:cc|controller)\\s*(?<number>\\d+)$", Loose)]
    private static partial Regex NoController();

    [GeneratedRegex("^(?:only|just) (?:cc|controllers?)\\s*(?<list>\\d+(?:\\s*[,+]\\s*\\d+)*)$", Loose)]
    private static partial Regex OnlyController();

    [GeneratedRegex("^(?:cc|controller)\\s*(?<from>\\d+)\\s*" + To + "\\s*(?:cc|controller)?\\s*(?<to>\\d+)$", Loose)]
    private static partial Regex ControllerTo();

    [GeneratedRegex("^(?:no|without) (?<name>" + Named + ")$", Loose)]
    private static partial Regex NoNamed();

    [GeneratedRegex("^(?:program|prog|pc)\\s*(?<from>\\d+)\\s*" + To + "\\s*(?<to>\\d+)$", Loose)]
    private static partial Regex ProgramTo();

    [GeneratedRegex("^(?<what>cc|controller|program|prog|pc)\\s*(?<number>\\d+)\\s*" + To + "?\\s*stop$", Loose)]
    private static partial Regex Stop();

    [GeneratedRegex("^(?<what>[a-z ]+) only$", Loose)]
    private static partial Regex OnlyAfter();

    [GeneratedRegex(
        "^(?:transpose )?(?:(?<number>an?|one|two|\\d)?\\s*(?:octaves?|oct)\\s*(?<way>up|down|higher|lower)|(?<way>up|down)\\s*(?<number>an?|one|two|\\d)?\\s*(?:octaves?|oct)|(?<way>[+−-])\\s*(?<number>\\d)\\s*(?:octaves?|oct)|(?<=transpose )(?<number>an?|one|two|\\d)\\s*(?:octaves?|oct))$",
        Loose
    )]
    private static partial Regex Octaves();

    [GeneratedRegex(
        "^(?:transpose )?(?:(?<way>up|down)\\s*(?<number>\\d+)|(?<way>[+−-])\\s*(?<number>\\d+)(?= "
            + "?s)|(?<number>\\d+)(?=\\s*(?:semitones?|steps?|st) ))\\s*(?:semitones?|steps?|st)?\\s*(?<way>up|down)?$",
        Loose
    )]
    private static partial Regex Steps();

    [GeneratedRegex(
        "^(?:only |just |keys? )*(?<not>not |no |without )?(?:keys? )?(?<low>"
            + Key
            + "|\\d+)\\s*(?:to|\\.\\.+|–|—|-|bis)\\s*(?<high>"
            + Key
            + "|\\d+)$",
        Loose
    )]
    private static partial Regex KeysTo();

    [GeneratedRegex(
        "^(?:only |keys? )*(?:(?:below|under|lower than) (?<key>"
            + Key
            + ")|(?<too>up to) (?<key>"
            + Key
            + ")|(?<key>"
            + Key
            + ") (?<too>and (?:below|down|lower)))$",
        Loose
    )]
    private static partial Regex KeysBelow();

    [GeneratedRegex(
        "^(?:only |keys? )*(?:(?:above|over|higher than) (?<key>"
            + Key
            + ")|(?<too>from) (?<key>"
            + Key
            + ")(?: up| on)?|(?<key>"
            + Key
            + ") (?<too>and (?:above|up|higher)|up))$",
        Loose
    )]
    private static partial Regex KeysAbove();

    [GeneratedRegex("^(?:(?:thin|max|at most|≤)\\s*(?:to )?)?(?<rate>\\d+)\\s*(?:a second|per second|/ ?s(?:ec(?:ond)?)?)$", Loose)]
    private static partial Regex ThinTo();

    [GeneratedRegex("^(?<name>major|minor|fifths?|octaves)(?: chords?)?$", Loose)]
    private static partial Regex NamedChord();

    [GeneratedRegex("\\s*(?:\\+|and|&)\\s*", Loose)]
    private static partial Regex And();
}
