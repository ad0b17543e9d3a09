using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Weiche.Web.Desk;

namespace Weiche.Web.Pages;

/// <summary>Ends every note everywhere.</summary>
/// <param name="desk">The running studio.</param>
public sealed class QuietModel(StudioDesk desk) : PageModel
{
    /// <summary>There is nothing to see here.</summary>
    public IActionResult OnGet() => RedirectToPage("/Plan/Plan");

    /// <summary>Ends every note.</summary>
    public IActionResult OnPost()
    {
        desk.Junction.AllNotesOff();
        return Request.WantsFragment() ? new NoContentResult() : RedirectToPage("/Plan/Plan");
    }
}
