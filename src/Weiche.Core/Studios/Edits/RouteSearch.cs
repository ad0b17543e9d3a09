using Weiche.Core.Midi;
using Weiche.Core.Sets;
using Weiche.Core.Stages;

namespace Weiche.Core.Studios.Edits;

/// <summary>Finds the route that a person means by a few letters: "am bra" is Amsel 61 → Brandung, "any zinn" leads all to Zinn, and what
/// hangs behind a thru is reached by the wire that it hangs on.</summary>
public static class RouteSearch
{
    private const int MaxWords = 12;

    /// <summary>A route that could be laid.</summary>
    /// <param name="From">Where it comes from.</param>
    /// <param name="FromName">What that is called.</param>
    /// <param name="To">The destination.</param>
    /// <param name="ToName">What it leads to: the destination, or a device that hangs behind it.</param>
    /// <param name="Edit">The edit that lays it.</param>
    public sealed record Match(RouteSource From, string FromName, DevicePort To, string ToName, LayRoute Edit)
    {
        /// <summary>What is to be known before it is laid: "through Zinn's wire, ch 1 → 10", "another"; empty if nothing is.</summary>
        public string Note { get; init; } = "";
    }

    /// <summary>
    /// The routes that the letters may mean and that are not there yet, the likeliest first. The words before some
    /// gap name the source, those after it the destination; an arrow or “to” between them is allowed.
    /// </summary>
    /// <param name="studio">The studio.</param>
    /// <param name="letters">What was typed. With “another” among the words, those are found where one leads already.</param>
    /// <param name="count">At most how many.</param>
    public static IReadOnlyList<Match> Find(Studio studio, string? letters, int count = 6)
    {
        var words = (letters ?? "")
            .Split([' ', '→', '>', ','], StringSplitOptions.RemoveEmptyEntries | StringSplitOptions.TrimEntries)
            .Where(word => word != "-")
            .ToArray();
        var another = words.Any(word => word.Equals("another", StringComparison.OrdinalIgnoreCase));
        if (another)
            words = [.. words.Where(word => !word.Equals("another", StringComparison.OrdinalIgnoreCase))];
        if (words.Length is 0 or > MaxWords)
            return [];
        var laid = studio.Routes.Select(route => (route.From.Plate, route.To)).ToHashSet();
        var (froms, tos) = (Sources(studio), Destinations(studio));
        var found = new Dictionary<(RouteSource, string), (Match Match, int Score)>();
        for (var cut = 1; cut <= words.Length; cut++)
        {
            var rest = words.Length > cut + 1 && words[cut].Equals("to", StringComparison.OrdinalIgnoreCase) ? cut + 1 : cut;
            foreach (var (from, fromName, fromDevice, channels) in froms)
            {
                if (Score(fromName, words.AsSpan(0, cut)) is not { } fromScore)
                    continue;
                // Any source and groups are named, not met by the way.
                if (from is not OneSource && fromScore < 3 * cut)
                    continue;
                foreach (var (to, toName, behind) in tos)
                {
                    if (laid.Contains((from.Plate, to.Id)) != another || fromDevice == to.Device.Id)
                        continue;
                    if (Score(toName, words.AsSpan(rest)) is not { } toScore)
                        continue;
                    if (behind is not null && rest == words.Length)
                        continue;
                    var score = fromScore + toScore;
                    if (!found.TryGetValue((from, toName), out var known) || known.Score < score)
                        found[(from, toName)] = (Made(studio.KeyNaming, from, fromName, channels, to, toName, behind, another), score);
                }
            }
        }
        return [.. found.Values.OrderByDescending(item => item.Score).Take(count).Select(item => item.Match)];
    }

    private static Match Made(
        KeyNaming names,
        RouteSource from,
        string fromName,
        ChannelSet channels,
        DevicePort to,
        string toName,
        Device? behind,
        bool another
    )
    {
        // A wire that several hang on is told apart by channels: what is played on another channel is led to the first that it listens to.
        var stage =
            behind is { Listens.Count: > 0 and < 16 } && !channels.Members.Any(behind.Listens.Contains) && channels.Count == 1
                ? new ChannelsStage(ChannelMap.Nothing.Leading(channels, behind.Listens.Members.First()))
                : null;
        var notes = new[] { behind is null ? null : $"by {to.Name}’s wire", stage?.Sign(names), another ? "another" : null };
        return new Match(from, fromName, to, toName, new LayRoute(from, to.Id, another, stage))
        {
            Note = string.Join(", ", notes.OfType<string>()),
        };
    }

    private static List<(RouteSource From, string Name, DeviceId? Device, ChannelSet Channels)> Sources(Studio studio) =>
        [
            .. studio.Sources.Select(source =>
                (RouteSource.FromPortId(source.Id), source.Name, (DeviceId?)source.Device.Id, source.Channels)
            ),
            .. studio.Groups.Select(group => ((RouteSource)new GroupSource(group.Id), group.Name, (DeviceId?)null, ChannelSet.All)),
            (AnySource.Plain, "any source", null, ChannelSet.All),
        ];

    private static List<(DevicePort To, string Name, Device? Behind)> Destinations(Studio studio)
    {
        var list = new List<(DevicePort, string, Device?)>();
        foreach (var to in studio.Destinations)
        {
            list.Add((to, to.Name, null));
            if (to.Port.Jack is not { } jack)
                continue;
            list.AddRange(studio.Chain(jack).Skip(1).Select(link => (to, link.Device.Name, (Device?)link.Device)));
        }
        return list;
    }

    /// <summary>How well the words name something, or null if they do not. No words name everything, badly.</summary>
    private static int? Score(string name, ReadOnlySpan<string> words)
    {
        var score = 0;
        foreach (var word in words)
        {
            if (name.StartsWith(word, StringComparison.OrdinalIgnoreCase))
                score += 4;
            else if (name.Contains(" " + word, StringComparison.OrdinalIgnoreCase))
                score += 3;
            else if (name.Contains(word, StringComparison.OrdinalIgnoreCase))
                score += 1;
            else
                return null;
        }
        // What is called just so is meant before what begins so.
        if (words.Length > 0 && name.Equals(string.Join(" ", words!), StringComparison.OrdinalIgnoreCase))
            score += 2;
        return score;
    }
}
