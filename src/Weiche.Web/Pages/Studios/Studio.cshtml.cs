using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;
using Weiche.Data;
using Weiche.Web.Desk;

namespace Weiche.Web.Pages.Studios;

/// <summary>The studios in the database, and what is set for the whole of the open one.</summary>
/// <param name="desk">The running studio.</param>
public sealed class StudioModel(StudioDesk desk) : PageModel
{
    /// <summary>The studios.</summary>
    public IReadOnlyList<(int Id, string Name)> Studios => desk.Studios;

    /// <summary>Why a studio cannot be read as it is, with the last version that can; null if it can be read.</summary>
    /// <param name="id">Which.</param>
    public (string Why, StoredVersion? Readable)? Unreadable(int id) => desk.Unreadable(id);

    /// <summary>The open one.</summary>
    public DeskState State => desk.State;

    /// <summary>The folder with the database and the log.</summary>
    public string Folder => Path.GetDirectoryName(desk.DatabaseFile)!;

    /// <summary>What could not be done, or null.</summary>
    public Problem? Problem { get; private set; }

    /// <summary>The studio that shall be removed and is asked about; 0 if none is.</summary>
    public int Asking { get; private set; }

    /// <summary>The page.</summary>
    /// <param name="remove">The studio that shall be removed: it is asked first.</param>
    public void OnGet(int remove) => Asking = remove;

    /// <summary>Opens a studio.</summary>
    /// <param name="id">Which.</param>
    public IActionResult OnPostOpen(int id) => Answer(desk.Open(id), "/gear");

    /// <summary>Opens the last version of a studio that can be read.</summary>
    /// <param name="id">Which.</param>
    public IActionResult OnPostOpenReadable(int id) => Answer(desk.OpenReadable(id), "/gear");

    /// <summary>Makes an empty studio and opens it.</summary>
    /// <param name="name">Its name.</param>
    public IActionResult OnPostNew(string? name) => Add(Studio.Empty("new"), name);

    /// <summary>Copies the open studio under another name and opens the copy.</summary>
    /// <param name="name">The copy's name.</param>
    public IActionResult OnPostCopy(string? name) => Add(desk.State.Studio, name);

    /// <summary>Renames the open studio.</summary>
    /// <param name="name">Its new name.</param>
    public IActionResult OnPostRename(string? name) => Answer(desk.Apply(new RenameStudio(name)).Problem, "/studio");

    /// <summary>Removes a studio for good.</summary>
    /// <param name="id">Which.</param>
    public IActionResult OnPostRemove(int id) => Answer(desk.Remove(id), "/studio");

    /// <summary>Sets how middle C is called.</summary>
    /// <param name="c4">Whether it is C4.</param>
    public IActionResult OnPostMiddle(bool c4) => Answer(desk.Apply(new SetMiddleC(c4)).Problem, "/studio");

    private IActionResult Add(Studio studio, string? name)
    {
        var tidy = NameRule.Tidy(name);
        return NameRule.Check(tidy) is { } problem
            ? Answer(new Problem("name", problem), "/studio")
            : Answer(desk.Add(studio.Named(tidy)), "/gear");
    }

    private IActionResult Answer(Problem? problem, string address)
    {
        if (problem is null)
            return LocalRedirect(address);
        Problem = problem;
        Response.StatusCode = StatusCodes.Status422UnprocessableEntity;
        return Page();
    }
}
