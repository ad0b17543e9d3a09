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

    /// <summary>Puts the studio of a file in the place of this one.</summary>
    /// <param name="file">The file.</param>
    public async Task<IActionResult> OnPostImportAsync(IFormFile? file)
    {
        var (studio, problem) = await ReadAsync(file);
        // A name that another studio has already stays that one's.
        if (studio is not null && Desk.Studios.Any(other => other.Id != Desk.State.StudioId && string.Equals(other.Name, studio.Name, StringComparison.OrdinalIgnoreCase)))
            studio = studio.Named(Desk.State.Studio.Name);
        return Done(studio is null ? EditResult.Refused("import", problem) : Desk.Apply(new ReplaceStudio(studio)), null);
    }

    private static async Task<(Studio? Studio, string Problem)> ReadAsync(IFormFile? file)
    {
        if (file is null) return (null, "Choose a file first.");
        if (file.Length > MaxStudioFile)
            return (null, string.Create(CultureInfo.InvariantCulture, $"{file.FileName} has {file.Length} bytes; a studio has at most {MaxStudioFile} here. ./weiche import takes larger ones."));
        using var reader = new StreamReader(file.OpenReadStream(), Encoding.UTF8);
        try
        {
            return (StudioJson.Read(await reader.ReadToEndAsync()), "");
        }
        catch (StudioFormatException exception)
        {
            return (null, $"{file.FileName} is not a studio that can be read. {exception.Message} Nothing was changed.");
        }
    }
}
