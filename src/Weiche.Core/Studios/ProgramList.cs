using System.Collections.Immutable;
using System.Globalization;

namespace Weiche.Core.Studios;

/// <summary>Reads a list of programs as it is pasted or kept as CSV: a line each, its number (1 to 128) and its name.</summary>
public static class ProgramList
{
    private const int MaxLines = 1024;
    private static readonly char[] Between = [',', ';', '\t', ' ', ':', '.', '-', '–'];

    /// <summary>Reads a list. Lines without anything are left out; lines without a number are counted on from the line before; a first line
    /// without any number is a heading.</summary>
    /// <param name="text">The list.</param>
    /// <param name="programs">The names, by number from 0.</param>
    /// <param name="problem">What is wrong, with the line.</param>
    public static bool TryParse(string? text, out ImmutableSortedDictionary<int, string> programs, out string problem)
    {
        programs = ImmutableSortedDictionary<int, string>.Empty;
        problem = "";
        var read = ImmutableSortedDictionary.CreateBuilder<int, string>();
        var lines = (text ?? "").ReplaceLineEndings("\n").Split('\n');
        if (lines.Length > MaxLines)
            problem = $"A list of programs has at most {MaxLines} lines.";
        var anyNumbers = lines.Any(line => char.IsAsciiDigit(line.TrimStart(' ', '"').FirstOrDefault()));
        for (var i = 0; i < lines.Length && problem.Length == 0; i++)
        {
            var line = lines[i].Trim();
            if (line.Length == 0)
                continue;
            var digits = line.TrimStart('"').TakeWhile(char.IsAsciiDigit).Count();
            var start = line.Length - line.TrimStart('"').Length;
            if (digits == 0 && anyNumbers)
            {
                if (read.Count > 0)
                    problem = $"Line {i + 1}: “{Short(line)}” has no number before it.";
                continue;
            }
            var number = read.Count == 0 ? 1 : read.Keys.Last() + 2;
            if (digits > 0 && !int.TryParse(line.AsSpan(start, digits), NumberStyles.None, CultureInfo.InvariantCulture, out number))
                number = int.MaxValue;
            var name = NameRule.Tidy(line[(start + digits)..].TrimStart('"').TrimStart(Between).Trim('"'));
            problem =
                number is < 1 or > 128 ? $"Line {i + 1}: programs go from 1 to 128."
                : NameRule.Check(name) is { } wrong ? $"Line {i + 1}: {wrong}"
                : !read.TryAdd(number - 1, name) ? $"Line {i + 1}: program {number} has a name already."
                : "";
        }
        if (problem.Length > 0)
            return false;
        programs = read.ToImmutable();
        return true;
    }

    /// <summary>A list as it is shown for changing: "17 Glass", a line each.</summary>
    /// <param name="programs">The names, by number from 0.</param>
    public static string Text(ImmutableSortedDictionary<int, string> programs) =>
        string.Join('\n', programs.Select(program => string.Create(CultureInfo.InvariantCulture, $"{program.Key + 1} {program.Value}")));

    private static string Short(string line) => line.Length > 30 ? line[..30] + "…" : line;
}
