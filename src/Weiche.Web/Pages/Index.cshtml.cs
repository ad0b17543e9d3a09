using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;

namespace Weiche.Web.Pages;

/// <summary>Weiche opens on its plan.</summary>
public sealed class IndexModel : PageModel
{
    /// <summary>Leads on to Plan.</summary>
    public IActionResult OnGet() => RedirectToPage("/Plan/Plan");
}
