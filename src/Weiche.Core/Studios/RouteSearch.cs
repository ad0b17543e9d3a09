namespace Weiche.Core.Studios;

/// <summary>Finds the route that a person means by a few letters: "am bra" is Amsel 61 → Brandung.</summary>
public static class RouteSearch
{
    /// <summary>A route that could be laid.</summary>
    /// <param name="From">The source.</param>
    /// <param name="To">The destination.</param>
    public readonly record struct Match(DevicePort From, DevicePort To);

    /// <summary>
    /// The routes that the letters may mean and that are not there yet, the likeliest first. The words before some
    /// gap name the source, those after it the destination; an arrow or “to” between them is allowed.
    /// </summary>
    /// <param name="studio">The studio.</param>
    /// <param name="letters">What was typed.</param>
    /// <param name="count">At most how many.</param>
    public static IReadOnlyList<Match> Find(Studio studio, string? letters, int count = 6)
    {
        var words = (letters ?? "").Split([' ', '→', '>', ','], StringSplitOptions.RemoveEmptyEntries | StringSplitOptions.TrimEntries);
        if (words.Length is 0 or > 12) return [];
        var laid = studio.Routes.Where(route => route.From is OneSource).Select(route => (((OneSource)route.From).Port, route.To)).ToHashSet();
        var found = new Dictionary<(PortId, PortId), (Match Match, int Score)>();
        for (var cut = 1; cut <= words.Length; cut++)
        {
            var rest = words.Length > cut + 1 && words[cut].Equals("to", StringComparison.OrdinalIgnoreCase) ? cut + 1 : cut;
            foreach (var from in studio.Sources)
            {
                if (Score(from.Name, words.AsSpan(0, cut)) is not { } fromScore) continue;
                foreach (var to in studio.Destinations)
                {
                    if (laid.Contains((from.Id, to.Id)) || from.Device.Id == to.Device.Id) continue;
                    if (Score(to.Name, words.AsSpan(rest)) is not { } toScore) continue;
                    var score = fromScore + toScore;
                    if (!found.TryGetValue((from.Id, to.Id), out var known) || known.Score < score)
                        found[(from.Id, to.Id)] = (new Match(from, to), score);
                }
            }
        }
        return [.. found.Values.OrderByDescending(item => item.Score).Take(count).Select(item => item.Match)];
    }

    /// <summary>How well the words name something, or null if they do not. No words name everything, badly.</summary>
    private static int? Score(string name, ReadOnlySpan<string> words)
    {
        var score = 0;
        foreach (var word in words)
        {
            if (name.StartsWith(word, StringComparison.OrdinalIgnoreCase)) score += 4;
            else if (name.Contains(" " + word, StringComparison.OrdinalIgnoreCase)) score += 3;
            else if (name.Contains(word, StringComparison.OrdinalIgnoreCase)) score += 1;
            else return null;
        }
        return score;
    }
}
