using System.Globalization;
using System.Text;
using Microsoft.AspNetCore.Mvc;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;
using Weiche.Files;
using Weiche.Web.Desk;
using Weiche.Web.Live;

namespace Weiche.Web.Pages.Gear;

/// <summary>A studio as a file: out of the page and into it.</summary>
/// <param name="desk">The running studio.</param>
/// <param name="spoken">What came last from each source.</param>
public sealed class FilesModel(StudioDesk desk, SpokenLog spoken) : GearPageModel(desk, spoken)
{
    private const long MaxStudioFile = 900_000;

    /// <summary>What is here is seen on Gear.</summary>
    public IActionResult OnGet() => LocalRedirect("/gear");

    /// <summary>The whole studio as a file.</summary>
    public IActionResult OnGetExport()
    {
        var studio = Desk.State.Studio;
        return File(Encoding.UTF8.GetBytes(StudioJson.Write(studio)), "application/json", studio.Name + ".json");
    }

    /// <summary>Adds the studio of a file and opens it; the one that was open stays in the database.</summary>
    /// <param name="file">The file.</param>
    public async Task<IActionResult> OnPostImportAsync(IFormFile? file)
    {
        var (studio, sentence) = await ReadAsync(file);
        var problem = studio is null ? new Problem("import", sentence) : Desk.Import(studio);
        if (problem is not null)
        {
            Look(null, problem);
            return this.Answer(problem, Fragment, View, "/gear");
        }
        if (!Request.WantsFragment())
            return LocalRedirect("/gear");
        // Another studio is another page: its name stands in the head.
        Response.Headers["HX-Redirect"] = "/gear";
        return new NoContentResult();
    }

    private static async Task<(Studio? Studio, string Problem)> ReadAsync(IFormFile? file)
    {
        if (file is null)
            return (null, "Choose a file first.");
        if (file.Length > MaxStudioFile)
            return (
                null,
                string.Create(
                    CultureInfo.InvariantCulture,
                    $"{file.FileName} has {file.Length} bytes; a studio has at most {MaxStudioFile} here. ./weiche import takes larger ones."
                )
            );
        using var bytes = new MemoryStream();
        await file.CopyToAsync(bytes);
        try
        {
            return (StudioJson.Read(bytes.GetBuffer().AsSpan(0, (int)bytes.Length)), "");
        }
        catch (StudioFormatException exception)
        {
            return (null, $"{file.FileName} is not a studio that can be read. {exception.Message} Nothing was changed.");
        }
    }
}
