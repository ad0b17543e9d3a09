using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Weiche.Web.Desk;

namespace Weiche.Web.Pages;

/// <summary>Weiche opens on its plan; a studio in which nothing is yet on Gear, where it begins.</summary>
/// <param name="desk">The running studio.</param>
public sealed class IndexModel(StudioDesk desk) : PageModel
{
    /// <summary>Leads on.</summary>
    public IActionResult OnGet() =>
        RedirectToPage(desk.State.Studio.Routes.IsEmpty && desk.State.Studio.Devices.IsEmpty ? "/Gear/Gear" : "/Plan/Plan");
}
