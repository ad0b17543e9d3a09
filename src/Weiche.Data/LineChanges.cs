using System.Globalization;
using System.Text;
using DiffPlex;
using DiffPlex.Chunkers;

namespace Weiche.Data;

/// <summary>What differs between two texts, line by line, as a text: for each place where they differ a line <c>@at removed added</c> (the
/// first line concerned, counted from 0 in the earlier text; how many lines go; how many come) and then the lines that come.</summary>
internal static class LineChanges
{
    // So many lines are alike after one by no chance.
    private const int ManyAlike = 8;

    private static readonly CustomFunctionChunker Lines = new(text => text.Split('\n'));

    /// <summary>What differs.</summary>
    /// <param name="before">The earlier text.</param>
    /// <param name="after">The later text.</param>
    internal static string Between(string before, string after)
    {
        // An edit changes few lines of many. What is alike before and after them is not looked at line by line: that would take ten times
        // the room of both texts.
        var text = new StringBuilder();
        var one = before.AsSpan();
        var other = after.AsSpan();
        var line = 0;
        while (true)
        {
            var alike = Alike(one, other);
            line += one[..alike].Count('\n');
            one = one[alike..];
            other = other[alike..];
            if (one.SequenceEqual(other))
                return text.ToString();
            // A line in the place of another, with many alike after it, is told at once.
            var (going, coming) = (one.IndexOf('\n') + 1, other.IndexOf('\n') + 1);
            if (going == 0 || coming == 0 || one[going..][..Alike(one[going..], other[coming..])].Count('\n') < ManyAlike)
                break;
            text.Append(CultureInfo.InvariantCulture, $"@{line++} 1 1\n").Append(other[..coming]);
            one = one[going..];
            other = other[coming..];
        }
        var end = AlikeAtTheEnd(one, other);
        one = one[..^end];
        other = other[..^end];
        // Nothing is an empty line here; the package takes it for no line.
        if (one.IsEmpty || other.IsEmpty)
            return text.Append(CultureInfo.InvariantCulture, $"@{line} {one.Count('\n') + 1} {other.Count('\n') + 1}\n")
                .Append(other)
                .Append('\n')
                .ToString();
        var found = Differ.Instance.CreateDiffs(one.ToString(), other.ToString(), ignoreWhiteSpace: false, ignoreCase: false, Lines);
        foreach (var block in found.DiffBlocks)
        {
            text.Append(CultureInfo.InvariantCulture, $"@{line + block.DeleteStartA} {block.DeleteCountA} {block.InsertCountB}\n");
            for (var i = 0; i < block.InsertCountB; i++)
                text.Append(found.PiecesNew[block.InsertStartB + i]).Append('\n');
        }
        return text.ToString();
    }

    /// <summary>How many characters of whole lines, each with its end, two texts begin with alike.</summary>
    private static int Alike(ReadOnlySpan<char> one, ReadOnlySpan<char> other) =>
        one[..one.CommonPrefixLength(other)].LastIndexOf('\n') + 1;

    /// <summary>How many characters of whole lines, each after the end of the one before, two texts end with alike.</summary>
    private static int AlikeAtTheEnd(ReadOnlySpan<char> one, ReadOnlySpan<char> other)
    {
        var end = 0;
        while (end < Math.Min(one.Length, other.Length) && one[^(end + 1)] == other[^(end + 1)])
            end++;
        var line = one[^end..].IndexOf('\n');
        return line < 0 ? 0 : end - line;
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
