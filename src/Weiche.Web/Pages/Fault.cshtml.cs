using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;

namespace Weiche.Web.Pages;

/// <summary>Says in a sentence what went wrong with a request.</summary>
[IgnoreAntiforgeryToken]
[ResponseCache(NoStore = true)]
public sealed class FaultModel : PageModel
{
    /// <summary>The heading.</summary>
    public string Heading { get; private set; } = "Something went wrong";

    /// <summary>What happened and what to do.</summary>
    public string Sentence { get; private set; } = "Weiche met a fault of its own. It is written in the log in the data folder. Try again.";

    /// <summary>Shows it.</summary>
    /// <param name="status">The HTTP status.</param>
    public void OnGet(int? status) => Look(status);

    /// <summary>Shows it after a change that was refused.</summary>
    /// <param name="status">The HTTP status.</param>
    public void OnPost(int? status) => Look(status);

    private void Look(int? status)
    {
        (Heading, Sentence) = status switch
        {
            StatusCodes.Status404NotFound => ("There is no such page", "The address leads nowhere. The pages of Weiche are listed above."),
            StatusCodes.Status400BadRequest => (
                "That could not be read",
                "The request was incomplete, or the page is older than this run of Weiche. Reload the page and try again."
            ),
            StatusCodes.Status413PayloadTooLarge => (
                "That was too much",
                "The request is larger than anything Weiche expects. Nothing was changed."
            ),
            _ => (Heading, Sentence),
        };
    }
}
