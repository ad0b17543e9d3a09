using System.CommandLine;
using System.Globalization;
using Weiche.Core.Checks;
using Weiche.Core.Layout;
using Weiche.Files;

namespace Weiche.Web.Startup;

/// <summary>The sheet for the wall without a page: <c>weiche sheet</c>.</summary>
internal static class SheetVerb
{
    internal static Command Make()
    {
        var file = new Argument<string>("STUDIO") { Description = "a studio as a file (see export)" };
        var outFolder = new Option<string>("--out") { Description = "the folder for sheet.svg and the tables", Required = true };
        var since = new Option<string?>("--since")
        {
            Description = "the studio as it was when the sheet was printed: say what has changed; exit code 1 if anything has",
        };
        var verb = new Command("sheet", "write the sheet for the wall: one drawing, and tables") { file, outFolder, since };
        verb.SetAction(result =>
        {
            var changed = false;
            var code = FileVerbs.Guarded(() =>
                changed = Write(result.GetValue(file)!, result.GetValue(outFolder)!, result.GetValue(since))
            );
            return code != 0 ? code
                : changed ? 1
                : 0;
        });
        return verb;
    }

    private static bool Write(string file, string folder, string? since)
    {
        var studio = FileVerbs.ReadStudio(file);
        var before = since is null ? null : FileVerbs.ReadStudio(since);
        var looked = FileVerbs.InLineup(studio, null);
        var (held, _) = HeldSearch.Of(Checker.Check(looked));
        var sheet = Sheet.Of(studio, held.Select(finding => (finding.Title, finding.Sentence)));
        try
        {
            Directory.CreateDirectory(folder);
            File.WriteAllText(
                Path.Combine(folder, "sheet.svg"),
                SheetFiles.Drawing(
                    sheet,
                    string.Create(
                        CultureInfo.InvariantCulture,
                        $"{File.GetLastWriteTime(file):d MMMM yyyy, HH:mm}, from {Path.GetFileName(file)}"
                    )
                )
            );
            foreach (var (name, text) in SheetFiles.Tables(sheet))
                File.WriteAllText(Path.Combine(folder, name), text);
        }
        catch (Exception exception) when (exception is IOException or UnauthorizedAccessException)
        {
            throw new StartException($"The folder {folder} cannot be written: {exception.Message}", exception);
        }
        Console.WriteLine(
            $"{Path.Combine(folder, "sheet.svg")}, and "
                + $"{sheet.Plans.Length + sheet.Tables.Length + (sheet.Untouched.IsEmpty ? 0 : 1)} tables beside it."
        );
        if (before is null)
            return false;
        var changes = Sheet.Of(studio, []).Since(Sheet.Of(before, []));
        Console.WriteLine(changes.Count == 0 ? $"Nothing on the sheet has changed since {since}." : $"Changed since {since}:");
        foreach (var change in changes)
            Console.WriteLine($"  {change}");
        return changes.Count > 0;
    }
}
