namespace Weiche.Files;

/// <summary>One row of a list of messages: a message and one of its ends.</summary>
/// <param name="Time">When it came, time of day to the millisecond.</param>
/// <param name="From">The source.</param>
/// <param name="Message">The message in words.</param>
/// <param name="Bytes">Its bytes in hexadecimal.</param>
/// <param name="To">The destination; empty where none was meant.</param>
/// <param name="Arrived">"yes" or "no".</param>
/// <param name="Became">What it became, or where it stopped and why.</param>
public sealed record WatchCsvRow(string Time, string From, string Message, string Bytes, string To, string Arrived, string Became);

/// <summary>Writes a list of messages as comma-separated values (RFC 4180).</summary>
public static class WatchCsv
{
    /// <summary>Writes the rows, with a line of headings first.</summary>
    /// <param name="rows">The rows.</param>
    public static string Write(IEnumerable<WatchCsvRow> rows) => Csv.Write(rows);
}
