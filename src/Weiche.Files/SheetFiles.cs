using System.Globalization;
using System.Xml.Linq;
using Weiche.Core.Layout;

namespace Weiche.Files;

/// <summary>The sheet for the wall as files: one drawing (SVG 1.1), and a table each of comma-separated values (RFC 4180).</summary>
public static class SheetFiles
{
    private const double Margin = 12;
    private const double Gap = 8;
    private const double NarrowestColumn = 105;
    private const double Line = 4.6;
    private const double Small = 2.9;
    private const double Head = 4.1;
    private const double LetterWidth = 0.52;

    private static readonly XNamespace Svg = "http://www.w3.org/2000/svg";

    /// <summary>The sheet as one drawing, black on white, in the shape of a page of the A series: text gets smaller the more there
    /// is.</summary>
    /// <param name="sheet">The sheet.</param>
    /// <param name="made">When it was made, and from which version, in words.</param>
    public static string Drawing(Sheet sheet, string made)
    {
        // Laid out in millimetres in as many columns as make the smallest page of the right shape: the larger the text.
        var blocks = Blocks(sheet).ToList();
        var (width, columns, laid) = Enumerable
            .Range(2, 11)
            .Select(columns =>
            {
                var laid = Lay(blocks, columns, out var longest);
                return (Width: Math.Max(columns * NarrowestColumn, (Margin * 2 + 14 + longest) / Math.Sqrt(2)), columns, laid);
            })
            .MinBy(each => each.Width);
        var height = width * Math.Sqrt(2);
        var root = new XElement(
            Svg + "svg",
            new XAttribute("viewBox", $"0 0 {N(width)} {N(height)}"),
            new XAttribute("width", "210mm"),
            new XAttribute("height", $"{N(210 * height / width)}mm"),
            new XAttribute("font-family", "Overpass, Helvetica, Arial, sans-serif"),
            new XElement(Svg + "title", $"{sheet.Studio}: {made}"),
            new XElement(
                Svg + "rect",
                new XAttribute("width", N(width)),
                new XAttribute("height", N(height)),
                new XAttribute("fill", "white")
            ),
            Text(Margin, Margin + 6, 7, sheet.Studio, bold: true),
            Text(width - Margin, Margin + 6, 3.2, made, end: true)
        );
        var columnWidth = (width - Margin * 2 - Gap * (columns - 1)) / columns;
        for (var i = 0; i < laid.Count; i++)
        {
            var (x, y) = (Margin + i * (columnWidth + Gap), Margin + 14);
            foreach (var block in laid[i])
            {
                block.Draw(root, x, y, columnWidth);
                y += block.Height + Line;
            }
        }
        return new XDocument(new XDeclaration("1.0", "utf-8", null), root).ToString();
    }

    /// <summary>The tables of a sheet, each a file: its name and its text.</summary>
    /// <param name="sheet">The sheet.</param>
    public static IEnumerable<(string Name, string Text)> Tables(Sheet sheet)
    {
        foreach (var plan in sheet.Plans)
            yield return (
                $"{plan.Key}.csv",
                Csv.Write(
                    ["from", "stages", "to", "state"],
                    plan.Tracks.Select(track => new[] { track.From, string.Join("; ", track.Signs), track.To, track.More })
                )
            );
        foreach (var table in sheet.Tables)
            yield return ($"{table.Key}.csv", Csv.Write(table.Headings, table.Rows.Select(row => (IEnumerable<string>)row)));
        if (!sheet.Untouched.IsEmpty)
            yield return (
                "leave-alone.csv",
                Csv.Write(["leave alone", "since"], sheet.Untouched.Select(each => new[] { each.What, each.Why }))
            );
    }

    /// <summary>Something that stands together.</summary>
    private sealed record Block(double Height, Action<XElement, double, double, double> Draw);

    private static IEnumerable<Block> Blocks(Sheet sheet)
    {
        foreach (var plan in sheet.Plans)
        {
            var note = Wrapped(plan.Note);
            yield return new Block(Line * (plan.Tracks.Length + note.Count + 1) + 2, (root, x, y, width) =>
            {
                root.Add(Text(x, y, Head, plan.Title, bold: true));
                var at = y + Line;
                foreach (var line in note)
                {
                    root.Add(Text(x, at, Small, line));
                    at += Line;
                }
                foreach (var track in plan.Tracks)
                {
                    // A track from plate to plate, its stages as signs on it.
                    root.Add(Track(x + width * 0.27, x + width * 0.73, at - 1, track.More.Contains("off", StringComparison.Ordinal)));
                    root.Add(
                        Text(x, at, Small, Cut(track.From, width * 0.26, Small)),
                        Text(
                            x + width * 0.745,
                            at,
                            Small,
                            Cut(track.To + (track.More.Length > 0 ? $" ({track.More})" : ""), width * 0.255, Small)
                        )
                    );
                    if (!track.Signs.IsEmpty)
                    {
                        var signs = Cut(string.Join("  ", track.Signs), width * 0.4, Small);
                        var wide = Wide(signs, Small) + 2;
                        root.Add(
                            new XElement(
                                Svg + "rect",
                                new XAttribute("x", N(x + width / 2 - wide / 2)),
                                new XAttribute("y", N(at - 3)),
                                new XAttribute("width", N(wide)),
                                new XAttribute("height", "4"),
                                new XAttribute("fill", "white"),
                                new XAttribute("stroke", "black"),
                                new XAttribute("stroke-width", "0.2")
                            )
                        );
                        root.Add(Text(x + width / 2, at, Small, signs, middle: true));
                    }
                    at += Line;
                }
            });
        }
        foreach (var table in sheet.Tables)
            yield return TableBlock(table.Title, table.Headings, table.Rows.Select(row => (IReadOnlyList<string>)row).ToList());
        if (sheet.Untouched.IsEmpty)
            yield break;
        // What must not be touched is told whole.
        var leave = sheet
            .Untouched.SelectMany(each =>
                Wrapped($"{each.What}. {each.Why}").Index().Select(line => (line.Index > 0 ? "   " : "■ ") + line.Item)
            )
            .ToList();
        yield return new Block(Line * (leave.Count + 1) + 2, (root, x, y, width) =>
        {
            root.Add(Text(x, y, Head, "Leave alone", bold: true));
            foreach (var (index, line) in leave.Index())
                root.Add(Text(x, y + Line * (index + 1), Small, line));
        });
    }

    /// <summary>A text in lines that fit the narrowest column.</summary>
    private static List<string> Wrapped(string text)
    {
        var lines = new List<string>();
        foreach (var word in text.Split(' ', StringSplitOptions.RemoveEmptyEntries))
        {
            if (lines.Count > 0 && Wide($"{lines[^1]} {word}", Small) < NarrowestColumn - Gap - Margin)
                lines[^1] += $" {word}";
            else
                lines.Add(word);
        }
        return lines;
    }

    private static Block TableBlock(string title, IReadOnlyList<string> headings, List<IReadOnlyList<string>> rows) =>
        new(Line * (rows.Count + 2) + 2, (root, x, y, width) =>
        {
            root.Add(Text(x, y, Head, title, bold: true));
            // Each column as wide as what is in it wants, all together as wide as there is room.
            var wants = headings
                .Select((heading, column) => rows.Select(row => Wide(row[column], Small)).Append(Wide(heading, Small)).Max() + 2)
                .ToList();
            var rooms = Share(wants, width);
            var at = y + Line;
            foreach (var (index, row) in rows.Prepend(headings).Index())
            {
                var left = x;
                for (var column = 0; column < row.Count; column++)
                {
                    var room = rooms[column];
                    root.Add(Text(left, at, Small, Cut(row[column], room - 1, Small), grey: index == 0));
                    left += room;
                }
                root.Add(
                    new XElement(
                        Svg + "line",
                        new XAttribute("x1", N(x)),
                        new XAttribute("x2", N(x + width)),
                        new XAttribute("y1", N(at + 1.3)),
                        new XAttribute("y2", N(at + 1.3)),
                        new XAttribute("stroke", "black"),
                        new XAttribute("stroke-width", index == 0 ? "0.25" : "0.08")
                    )
                );
                at += Line;
            }
        });

    /// <summary>Room for columns: who wants little gets it; the others share what is left.</summary>
    private static double[] Share(List<double> wants, double width)
    {
        var rooms = new double[wants.Count];
        var (left, open) = (width, wants.Count);
        foreach (var column in Enumerable.Range(0, wants.Count).OrderBy(column => wants[column]))
        {
            rooms[column] = Math.Min(wants[column], left / open--);
            left -= rooms[column];
        }
        return rooms;
    }

    private static List<List<Block>> Lay(List<Block> blocks, int columns, out double longest)
    {
        var laid = Enumerable.Range(0, columns).Select(_ => new List<Block>()).ToList();
        var heights = new double[columns];
        foreach (var block in blocks)
        {
            var column = Array.IndexOf(heights, heights.Min());
            laid[column].Add(block);
            heights[column] += block.Height + Line;
        }
        longest = heights.Max();
        return laid;
    }

    private static XElement Track(double from, double to, double y, bool off) =>
        new(
            Svg + "line",
            new XAttribute("x1", N(from)),
            new XAttribute("x2", N(to)),
            new XAttribute("y1", N(y)),
            new XAttribute("y2", N(y)),
            new XAttribute("stroke", "black"),
            new XAttribute("stroke-width", "0.9"),
            off ? new XAttribute("stroke-dasharray", "1 1.4") : null
        );

    private static XElement Text(
        double x,
        double y,
        double size,
        string text,
        bool bold = false,
        bool end = false,
        bool middle = false,
        bool grey = false
    ) =>
        new(
            Svg + "text",
            new XAttribute("x", N(x)),
            new XAttribute("y", N(y)),
            new XAttribute("font-size", N(size)),
            bold ? new XAttribute("font-weight", "700") : null,
            end ? new XAttribute("text-anchor", "end")
                : middle ? new XAttribute("text-anchor", "middle")
                : null,
            grey ? new XAttribute("fill", "#555") : null,
            Clean(text)
        );

    private static double Wide(string text, double size) => text.Length * size * LetterWidth;

    private static string Cut(string text, double room, double size)
    {
        var most = (int)Math.Max(2, room / (size * LetterWidth));
        return text.Length <= most ? text : text[..(most - 1)] + "…";
    }

    /// <summary>What XML cannot hold is left out.</summary>
    private static string Clean(string text) => string.Concat(text.Where(System.Xml.XmlConvert.IsXmlChar));

    private static string N(double value) => value.ToString("0.##", CultureInfo.InvariantCulture);
}
