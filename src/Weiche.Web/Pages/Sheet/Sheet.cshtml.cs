using System.Globalization;
using System.Text;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Weiche.Data;
using Weiche.Files;
using Weiche.Web.Desk;

namespace Weiche.Web.Pages.Sheet;

/// <summary>The sheet for the wall: on screen, as it prints, and as files.</summary>
/// <param name="desk">The running studio.</param>
/// <param name="held">What holds circuits closed.</param>
/// <param name="time">Where the time comes from.</param>
public sealed class SheetModel(StudioDesk desk, HeldFinder held, TimeProvider time) : PageModel
{
    /// <summary>The sheet.</summary>
    public Core.Layout.Sheet Sheet { get; private set; } = null!;

    /// <summary>When it was made, and from which version.</summary>
    public string Made { get; private set; } = "";

    /// <summary>When it was printed last; null if it never was.</summary>
    public DateTime? Printed { get; private set; }

    /// <summary>What has changed since.</summary>
    public IReadOnlyList<string> Changes { get; private set; } = [];

    /// <summary>Whether all is known that must not be touched.</summary>
    public bool IsWhole { get; private set; }

    /// <summary>What could not be read, or null.</summary>
    public string? Problem { get; private set; }

    /// <summary>The page.</summary>
    public void OnGet() => Look();

    /// <summary>The sheet as one drawing.</summary>
    public IActionResult OnGetDrawing()
    {
        Look();
        return File(
            Encoding.UTF8.GetBytes(SheetFiles.Drawing(Sheet, Made)),
            "image/svg+xml",
            $"{TakeFiles.FileName(Sheet.Studio)} sheet.svg"
        );
    }

    /// <summary>Its tables, in one archive.</summary>
    public IActionResult OnGetTables()
    {
        Look();
        return File(
            Archive.Of(SheetFiles.Tables(Sheet).Select(table => (table.Name, Encoding.UTF8.GetBytes(table.Text)))),
            "application/zip",
            $"{TakeFiles.FileName(Sheet.Studio)} tables.zip"
        );
    }

    /// <summary>It has been printed: from now on it is told what has changed since.</summary>
    public IActionResult OnPostPrinted()
    {
        try
        {
            desk.Store.SheetPrinted(desk.State.StudioId, time.GetUtcNow().UtcDateTime);
        }
        catch (StoreException exception)
        {
            this.Say(exception.Message);
        }
        return Request.WantsFragment() ? new NoContentResult() : LocalRedirect("/sheet");
    }

    /// <summary>A moment as one reads it.</summary>
    /// <param name="at">The moment, UTC.</param>
    public string When(DateTime at) =>
        TimeZoneInfo
            .ConvertTimeFromUtc(DateTime.SpecifyKind(at, DateTimeKind.Utc), time.LocalTimeZone)
            .ToString("d MMMM yyyy, HH:mm", CultureInfo.InvariantCulture);

    private void Look()
    {
        var state = desk.State;
        var found = state.IsLooking ? null : held.Find(state.Report);
        IsWhole = found is { IsWhole: true };
        var untouched = (found?.Findings ?? []).Select(finding => (finding.Title, finding.Sentence)).ToList();
        Sheet = Core.Layout.Sheet.Of(state.Studio, untouched);
        try
        {
            Made = string.Create(CultureInfo.InvariantCulture, $"{When(time.GetUtcNow().UtcDateTime)}, from version {desk.Place.Version}");
            if (desk.Store.SheetOf(state.StudioId) is not { } printed)
                return;
            Printed = printed.At;
            if (desk.Store.Document(state.StudioId, printed.Version) is { } document)
                Changes = Core.Layout.Sheet.Of(state.Studio, []).Since(Core.Layout.Sheet.Of(StudioJson.Read(document), []));
        }
        catch (Exception exception) when (exception is StoreException or StudioFormatException)
        {
            Problem = exception.Message;
        }
    }
}
