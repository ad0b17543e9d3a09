using System.Globalization;
using CsvHelper;
using CsvHelper.Configuration;

namespace Weiche.Files;

/// <summary>Writes comma-separated values (RFC 4180).</summary>
internal static class Csv
{
    /// <summary>Rows of one shape, with a line of headings first.</summary>
    internal static string Write<T>(IEnumerable<T> rows) => Write(csv => csv.WriteRecords(rows));

    /// <summary>Headings and rows, cell by cell.</summary>
    internal static string Write(IEnumerable<string> headings, IEnumerable<IEnumerable<string>> rows) =>
        Write(csv =>
        {
            foreach (var row in rows.Prepend(headings))
            {
                foreach (var cell in row)
                    csv.WriteField(cell);
                csv.NextRecord();
            }
        });

    private static string Write(Action<CsvWriter> write)
    {
        using var text = new StringWriter(CultureInfo.InvariantCulture);
        // A cell that begins as a formula does would be one where the list is opened: names come from other devices and files.
        using (
            var csv = new CsvWriter(text, new CsvConfiguration(CultureInfo.InvariantCulture) { InjectionOptions = InjectionOptions.Escape })
        )
            write(csv);
        return text.ToString();
    }
}
