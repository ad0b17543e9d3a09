using System.Globalization;
using System.Text;
using DiffPlex;
using DiffPlex.Chunkers;

namespace Weiche.Data;

/// <summary>What differs between two texts, line by line, as a text: for each place where they differ a line <c>@at removed added</c> (the
/// first line concerned, counted from 0 in the earlier text; how many lines go; how many come) and then the lines that come.</summary>
internal static class LineChanges
{
    private static readonly CustomFunctionChunker Lines = new(text => text.Split('\n'));

    /// <summary>What differs.</summary>
    /// <param name="before">The earlier text.</param>
    /// <param name="after">The later text.</param>
    internal static string Between(string before, string after)
    {
        var found = Differ.Instance.CreateDiffs(before, after, ignoreWhiteSpace: false, ignoreCase: false, Lines);
        var text = new StringBuilder();
        foreach (var block in found.DiffBlocks)
        {
            text.Append(CultureInfo.InvariantCulture, $"@{block.DeleteStartA} {block.DeleteCountA} {block.InsertCountB}\n");
            for (var i = 0; i < block.InsertCountB; i++)
                text.Append(found.PiecesNew[block.InsertStartB + i]).Append('\n');
        }
        return text.ToString();
    }

    /// <summary>The later text.</summary>
    /// <param name="before">The earlier text.</param>
    /// <param name="changes">What differs, one after the other.</param>
    /// <exception cref="FormatException">These are no changes of that text.</exception>
    internal static string Apply(string before, IEnumerable<string> changes)
    {
        var lines = before.Split('\n').ToList();
        foreach (var each in changes)
            lines = Apply(lines, each);
        return string.Join('\n', lines);
    }

    private static List<string> Apply(List<string> before, string changes)
    {
        var after = new List<string>(before.Count);
        var (at, told) = (0, changes.Split('\n'));
        for (var i = 0; i < told.Length - 1;)
        {
            var numbers = told[i++]
                .TrimStart('@')
                .Split(' ')
                .Select(word => int.TryParse(word, NumberStyles.None, CultureInfo.InvariantCulture, out var number) ? number : -1)
                .ToList();
            if (
                numbers is not [var first, var removed, var added]
                || first < at
                || removed < 0
                || added < 0
                || (long)first + removed > before.Count
                || (long)i + added > told.Length - 1
            )
                throw new FormatException("what is said to differ does not fit");
            after.AddRange(before[at..first]);
            after.AddRange(told[i..(i + added)]);
            (at, i) = (first + removed, i + added);
        }
        after.AddRange(before[at..]);
        return after;
    }
}
