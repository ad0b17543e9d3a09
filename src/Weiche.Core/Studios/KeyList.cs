using System.Collections.Immutable;
using System.Globalization;
using Weiche.Core.Midi;

namespace Weiche.Core.Studios;

/// <summary>Reads a list of keys with names as it is typed or pasted: a line each, "36 = low drum" or "C1 low drum".</summary>
public static class KeyList
{
    private const string Separators = "=,;\t :.–";
    private static readonly System.Buffers.SearchValues<char> Between = System.Buffers.SearchValues.Create(Separators);

    /// <summary>Reads a list. Lines without anything are left out.</summary>
    /// <param name="text">The list.</param>
    /// <param name="names">How keys are called.</param>
    /// <param name="keys">The names, by key from 0.</param>
    /// <param name="problem">What is wrong, with the line.</param>
    public static bool TryParse(string? text, KeyNaming names, out ImmutableSortedDictionary<int, string> keys, out string problem)
    {
        keys = ImmutableSortedDictionary<int, string>.Empty;
        problem = "";
        var read = ImmutableSortedDictionary.CreateBuilder<int, string>();
        foreach (var (index, line) in (text ?? "").ReplaceLineEndings("\n").Split('\n').Select(line => line.Trim()).Index())
        {
            if (line.Length == 0)
                continue;
            var end = line.AsSpan().IndexOfAny(Between);
            var first = end < 0 ? line : line[..end];
            if (!names.TryParse(first, out var key))
                problem =
                    $"Line {index + 1}: “{(first.Length > 20 ? first[..20] + "…" : first)}” is no key. A line is written like 36 = "
                    + "low drum.";
            else if (NameRule.Check(NameRule.Tidy(end < 0 ? "" : line[end..].TrimStart(Separators.ToCharArray()))) is { } wrong)
                problem = $"Line {index + 1}: {wrong}";
            else if (!read.TryAdd(key, NameRule.Tidy(line[end..].TrimStart(Separators.ToCharArray()))))
                problem = $"Line {index + 1}: key {key} has a name already.";
            if (problem.Length > 0)
                return false;
        }
        keys = read.ToImmutable();
        return true;
    }

    /// <summary>A list as it is shown for changing: "36 = low drum", a line each.</summary>
    /// <param name="keys">The names, by key from 0.</param>
    public static string Text(ImmutableSortedDictionary<int, string> keys) =>
        string.Join('\n', keys.Select(key => string.Create(CultureInfo.InvariantCulture, $"{key.Key} = {key.Value}")));
}
