using System.Globalization;

namespace Weiche.Bench;

/// <summary>The table that is printed: each figure as a ratio to a named baseline of the same run.</summary>
internal sealed class Table
{
    private readonly List<string[]> _rows =
    [
        ["what", "Weiche", "baseline", "ratio", "to reach"],
    ];

    /// <summary>Adds a row.</summary>
    internal void Add(string what, string weiche, string baseline, string ratio, string toReach) =>
        _rows.Add([what, weiche, baseline, ratio, toReach]);

    /// <summary>The table in Markdown.</summary>
    internal string ToMarkdown()
    {
        var widths = Enumerable.Range(0, _rows[0].Length).Select(column => _rows.Max(row => row[column].Length)).ToArray();
        var lines = _rows
            .Select(row => "| " + string.Join(" | ", row.Select((cell, column) => cell.PadRight(widths[column]))) + " |")
            .ToList();
        lines.Insert(1, "|" + string.Join("|", widths.Select(width => new string('-', width + 2))) + "|");
        return string.Join('\n', lines);
    }

    internal static string Number(double value, string format = "0.##") => value.ToString(format, CultureInfo.InvariantCulture);

    internal static double Median(IEnumerable<double> values) => Percentile(values, 0.5);

    internal static double Percentile(IEnumerable<double> values, double share)
    {
        var sorted = values.Order().ToList();
        return sorted[Math.Min(sorted.Count - 1, (int)(sorted.Count * share))];
    }
}
