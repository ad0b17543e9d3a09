using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Weiche.Core.Studios.Edits;
using Weiche.Data;
using Weiche.Web.Desk;

namespace Weiche.Web.Pages.History;

/// <summary>How a version stands to the one in force.</summary>
public enum HistoryStand
{
    /// <summary>It is in force.</summary>
    Now,

    /// <summary>What is in force was made on it.</summary>
    Behind,

    /// <summary>Redo leads to it.</summary>
    Ahead,

    /// <summary>It was taken back, and something else was done then.</summary>
    Aside,
}

/// <summary>What History shows.</summary>
/// <param name="State">The studio.</param>
/// <param name="Versions">Some of its versions, the newest first.</param>
/// <param name="Earlier">The number below which there are more; null if there are none.</param>
/// <param name="Problem">What could not be done, or null.</param>
public sealed record HistoryView(
    DeskState State,
    IReadOnlyList<(StoredVersion Version, HistoryStand Stand)> Versions,
    int? Earlier,
    Problem? Problem = null
);

/// <summary>Every edit of the open studio, with the way back to any of them, and undo and redo for all pages.</summary>
/// <param name="desk">The running studio.</param>
public sealed class HistoryModel(StudioDesk desk) : PageModel
{
    private const int Shown = 150;
    private const int Known = 20_000;
    private const string Fragment = "_History";

    /// <summary>What is shown.</summary>
    public HistoryView View { get; private set; } = null!;

    /// <summary>The page.</summary>
    /// <param name="before">Only versions below this number.</param>
    public IActionResult OnGet(int? before)
    {
        View = Look(before, null);
        return this.Show(Fragment, View);
    }

    /// <summary>Takes the last edit back.</summary>
    public IActionResult OnPostUndo() => Said("Undone", desk.Undo());

    /// <summary>Makes the edit again that was taken back last.</summary>
    public IActionResult OnPostRedo() => Said("Done again", desk.Redo());

    /// <summary>Goes to a version.</summary>
    /// <param name="version">Its number.</param>
    public IActionResult OnPostGo(int version)
    {
        var problem = desk.GoTo(version);
        View = Look(null, problem);
        return this.Answer(problem, Fragment, View, "/history");
    }

    /// <summary>The page that asked shows by itself what changed; what was done is said in its head.</summary>
    private IActionResult Said(string what, (string? Done, Problem? Problem) result)
    {
        if (!Request.WantsFragment())
            return LocalRedirect("/history");
        var words = result.Problem?.Sentence ?? $"{what}: {result.Done}";
        this.Say(words);
        return result.Problem is null ? new NoContentResult() : StatusCode(StatusCodes.Status422UnprocessableEntity);
    }

    private HistoryView Look(int? before, Problem? problem)
    {
        var all = desk.History(null, Known);
        var current = desk.Place.Version;
        var byNumber = all.ToDictionary(version => version.Version);
        var stands = new Dictionary<int, HistoryStand>();
        for (
            var at = byNumber.GetValueOrDefault(current);
            at is not null;
            at = at.Parent is { } parent ? byNumber.GetValueOrDefault(parent) : null
        )
            stands[at.Version] = at.Version == current ? HistoryStand.Now : HistoryStand.Behind;
        for (var at = byNumber.GetValueOrDefault(current); at?.Next is { } next; at = byNumber.GetValueOrDefault(next))
            stands.TryAdd(next, HistoryStand.Ahead);
        var shown = all.Where(version => before is not { } limit || version.Version < limit)
            .Take(Shown)
            .Select(version => (version, stands.GetValueOrDefault(version.Version, HistoryStand.Aside)))
            .ToList();
        var last = shown.Count > 0 ? shown[^1].version.Version : 0;
        return new HistoryView(desk.State, shown, all.Any(version => version.Version < last) ? last : null, problem);
    }
}
