using System.Diagnostics.CodeAnalysis;
using System.Globalization;
using System.Text.RegularExpressions;
using Weiche.Core.Midi;

namespace Weiche.Core.Studios.Edits;

/// <summary>Reads a lever as a person types it: "Tritt 13 C2 → next", "Amsel 61 program 2 → Star field", "Amsel 61 sustain → Amsel 61 →
/// Zinn while held".</summary>
public static partial class LeverLine
{
    /// <summary>What can be typed, in a sentence.</summary>
    public const string Examples =
        "Type like this: Tritt 13 C2 → next, Amsel 61 program 2 → Star field, Kies C1 → all notes off, Kies D1 → start, Amsel 61 "
        + "cc 80 → Amsel 61 → Zinn over.";

    private const int MaxLength = 300;

    /// <summary>Reads a line.</summary>
    /// <param name="studio">The studio.</param>
    /// <param name="line">What was typed.</param>
    /// <param name="edit">The edit that sets the lever.</param>
    /// <param name="problem">Why it is none.</param>
    public static bool TryParse(Studio studio, string? line, [NotNullWhen(true)] out AddLever? edit, out string problem)
    {
        edit = null;
        var text = (line ?? "").Trim();
        problem = Examples;
        if (text.Length is 0 or > MaxLength)
            return false;
        var parts = new[] { Arrow(), Colon(), To() }.Select(between => between.Split(text, 2)).FirstOrDefault(each => each.Length == 2);
        if (parts is null || !TrySource(studio, parts[0], out var source, out var thing, ref problem))
            return false;
        if (!TryTrigger(thing, studio.KeyNaming, out var trigger, out problem, source.Device))
            return false;
        if (!TryWork(studio, parts[1].Trim(), out var work, out problem))
            return false;
        edit = new AddLever(source.Id, trigger, work);
        return true;
    }

    /// <summary>The source with whose name a line begins, and the rest of it. The first word is enough where it can be only one.</summary>
    private static bool TrySource(Studio studio, string text, out DevicePort source, out string rest, ref string problem)
    {
        (source, rest) = (default, "");
        var named = studio
            .Sources.Where(port => $"{text} ".StartsWith($"{port.Name} ", StringComparison.OrdinalIgnoreCase))
            .OrderByDescending(port => port.Name.Length)
            .FirstOrDefault();
        if (named.Device is not null)
        {
            (source, rest) = (named, text[named.Name.Length..].Trim());
            return true;
        }
        var word = text.Split(' ')[0];
        var meant = studio.Sources.Where(port => port.Name.StartsWith(word, StringComparison.OrdinalIgnoreCase)).ToList();
        if (meant.Count == 1)
        {
            (source, rest) = (meant[0], text[word.Length..].Trim());
            return true;
        }
        problem =
            meant.Count > 1
                ? $"“{word}” may be {string.Join(" or ", meant.Take(3).Select(port => port.Name))}."
                : $"“{text}” begins with no source. {Examples}";
        return false;
    }

    /// <summary>Reads the thing that works a lever: "C2", "program 2", "sustain", "cc 80 from 100", a key by the name that its device has
    /// for it, each with "on 2" behind it for a channel.</summary>
    /// <param name="text">What was typed.</param>
    /// <param name="names">How keys are called.</param>
    /// <param name="trigger">The thing.</param>
    /// <param name="problem">Why it is none.</param>
    /// <param name="device">The device that it is on, for the names of its keys; null if that is not known.</param>
    public static bool TryTrigger(
        string text,
        KeyNaming names,
        [NotNullWhen(true)] out LeverTrigger? trigger,
        out string problem,
        Device? device = null
    )
    {
        (trigger, problem) = (null, $"“{text}” is no key, program or controller. {Examples}");
        int? channel = null;
        if (OnChannel().Match(text) is { Success: true } on)
        {
            channel = int.Parse(on.Groups["channel"].Value, CultureInfo.InvariantCulture) - 1;
            text = on.Groups["rest"].Value;
        }
        var threshold = LeverTrigger.UsualThreshold;
        if (FromValue().Match(text) is { Success: true } from)
        {
            threshold = int.Parse(from.Groups["value"].Value, CultureInfo.InvariantCulture);
            text = from.Groups["rest"].Value;
        }
        if (IsProgram().Match(text) is { Success: true } program)
            trigger = new LeverTrigger(
                LeverKind.Program,
                int.Parse(program.Groups["number"].Value, CultureInfo.InvariantCulture) - 1,
                channel
            );
        else if (Counted().Match(text) is { Success: true } counted)
            problem = $"Which key {counted.Value} sends is not known here: press “Set a lever” and then it, or type its key, like C1.";
        else if (
            device?.Keys.FirstOrDefault(each => each.Value.Equals(text, StringComparison.OrdinalIgnoreCase)) is { Value: not null } own
        )
            trigger = new LeverTrigger(LeverKind.Key, own.Key, channel);
        else if (names.TryParse(IsKey().Replace(text, ""), out var key))
            trigger = new LeverTrigger(LeverKind.Key, key, channel);
        else if (ControllerName.Read(text) is { } controller)
            trigger = new LeverTrigger(LeverKind.Control, controller, channel, threshold);
        if (trigger?.Check() is { } wrong)
            (trigger, problem) = (null, wrong);
        return trigger is not null;
    }

    /// <summary>Reads what a lever works: "next", "back", a lineup by its number or name, "all notes off", "start", "tap", "back in step",
    /// a route with "on", "off", "over" or "while held".</summary>
    /// <param name="studio">The studio.</param>
    /// <param name="text">What was typed.</param>
    /// <param name="work">What it works.</param>
    /// <param name="problem">Why it is nothing.</param>
    public static bool TryWork(Studio studio, string text, [NotNullWhen(true)] out LeverWork? work, out string problem)
    {
        problem = "";
        work = text.ToLowerInvariant() switch
        {
            "next" or "next lineup" or "forward" => new StepLineup(1),
            "back" or "previous" or "prev" or "before" or "the one before" => new StepLineup(-1),
            "all notes off" or "silence" or "panic" => new Silence(),
            "go" or "play" or "start the clock" => new WorkTime(TimeWork.Start),
            "halt" or "stop the clock" => new WorkTime(TimeWork.Stop),
            "start/stop" or "start stop" => new WorkTime(TimeWork.StartOrStop),
            "sync" or "resync" or "in step" => new WorkTime(TimeWork.BackInStep),
            "first" or "first lineup" when !studio.Lineups.IsEmpty => new EnterLineup(studio.Lineups[0].Id),
            "last" or "last lineup" when !studio.Lineups.IsEmpty => new EnterLineup(studio.Lineups[^1].Id),
            "tap tempo" => new WorkTime(TimeWork.Tap),
            "record" or "rec" or "recording" => new WorkTakes(TakeWork.Record),
            "keep" or "keep it" or "that was it" => new WorkTakes(TakeWork.Keep),
            "play the take" or "play take" or "play back" => new WorkTakes(TakeWork.Play),
            "hold" or "hold, let go" => new WorkTime(TimeWork.HoldAndLetGo),
            var word => Enum.GetValues<TimeWork>()
                .Where(what => LeverWords.Of(what) == word)
                .Select(what => new WorkTime(what))
                .FirstOrDefault(),
        };
        if (work is not null)
            return true;
        if ((studio.FindLineup(text) ?? studio.FindLineup(Lineup().Replace(text, ""))) is { } lineup)
        {
            work = new EnterLineup(lineup.Id);
            return true;
        }
        if (
            Switches().Match(text) is { Success: true } switches
            && RoutesCalled(studio, switches.Groups["route"].Value) is [var route, ..] meant
        )
        {
            if (meant.Count > 1)
            {
                problem = $"“{text}” may be {string.Join(" or ", meant.Take(3).Select(studio.Describe))}.";
                return false;
            }
            work = new SwitchRoutes(
                [route.Id],
                switches.Groups["how"].Value.ToLowerInvariant() switch
                {
                    "on" => LeverSwitch.On,
                    "off" => LeverSwitch.Off,
                    "over" => LeverSwitch.Over,
                    _ => LeverSwitch.WhileHeld,
                }
            );
            return true;
        }
        problem = $"“{text}” is neither a lineup nor a route with “on”, “off”, “over” or “while held”. {Examples}";
        return false;
    }

    /// <summary>The first route of just this name; where there is none, those whose ends begin so: "amsel to zinn".</summary>
    private static List<Route> RoutesCalled(Studio studio, string name)
    {
        var plain = Plain(name);
        if (
            studio.Routes.FirstOrDefault(route => Plain(studio.Describe(route)).Equals(plain, StringComparison.OrdinalIgnoreCase)) is
            { } named
        )
            return [named];
        var ends = plain.Split('>', 2);
        return ends.Length < 2
            ? []
            :
            [
                .. studio.Routes.Where(route =>
                    Plain(studio.Describe(route)).Split('>', 2) is [var from, var to]
                    && from.StartsWith(ends[0], StringComparison.OrdinalIgnoreCase)
                    && to.StartsWith(ends[1], StringComparison.OrdinalIgnoreCase)
                ),
            ];

        static string Plain(string text) => Arrow().IsMatch(text) ? Arrow().Replace(text, ">") : To().Replace(text, ">", 1);
    }

    [GeneratedRegex(" *(?:→|->|=>) *")]
    private static partial Regex Arrow();

    [GeneratedRegex(" *[:=] +")]
    private static partial Regex Colon();

    [GeneratedRegex(" +to +", RegexOptions.IgnoreCase)]
    private static partial Regex To();

    [GeneratedRegex("^lineup +", RegexOptions.IgnoreCase)]
    private static partial Regex Lineup();

    [GeneratedRegex("^(pad|pedal|switch|button) +[0-9]+$", RegexOptions.IgnoreCase)]
    private static partial Regex Counted();

    [GeneratedRegex("^(?<rest>.+?) +(on|ch|channel)( +(ch|channel))? *(?<channel>[0-9]{1,3})$", RegexOptions.IgnoreCase)]
    private static partial Regex OnChannel();

    [GeneratedRegex("^(?<rest>.+?) +from *(?<value>[0-9]{1,3})$", RegexOptions.IgnoreCase)]
    private static partial Regex FromValue();

    [GeneratedRegex("^(program|prog|pc) *(?<number>[0-9]{1,4})$", RegexOptions.IgnoreCase)]
    private static partial Regex IsProgram();

    [GeneratedRegex("^(key|pedal|pad|note) +", RegexOptions.IgnoreCase)]
    private static partial Regex IsKey();

    [GeneratedRegex("^(?<route>.+?) +(?<how>on|off|over|while held|while it is held|held)$", RegexOptions.IgnoreCase)]
    private static partial Regex Switches();
}
