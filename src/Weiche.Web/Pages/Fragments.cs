using System.Globalization;
using System.Text.Json;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.AspNetCore.WebUtilities;
using Microsoft.Extensions.Primitives;
using Weiche.Core.Studios.Edits;

namespace Weiche.Web.Pages;

/// <summary>How pages answer: with the part of the page that changed where a script asked, else with the whole.</summary>
internal static class Fragments
{
    /// <summary>Whether a script asks for a part of the page.</summary>
    internal static bool WantsFragment(this HttpRequest request) =>
        request.Headers["HX-Request"] == "true" && request.Headers["HX-History-Restore-Request"] != "true";

    /// <summary>What stands in the address of the page from which something is asked: the request's own, or that of the page that a form or
    /// script stood on.</summary>
    /// <param name="request">The request.</param>
    /// <param name="path">The page's path; of another page nothing is taken.</param>
    internal static Dictionary<string, StringValues> PageQuery(this HttpRequest request, string path)
    {
        if (HttpMethods.IsGet(request.Method))
            return new Dictionary<string, StringValues>(request.Query);
        var page = request.Headers["HX-Current-URL"].FirstOrDefault() ?? request.Headers.Referer.FirstOrDefault();
        return Uri.TryCreate(page, UriKind.Absolute, out var address) && address.AbsolutePath == path
            ? QueryHelpers.ParseQuery(address.Query)
            : [];
    }

    /// <summary>How wide the window is, pixels, as the page's script has said; 1280 where it has not.</summary>
    internal static double Width(this HttpRequest request) =>
        int.TryParse(request.Cookies["weiche-width"], NumberStyles.None, CultureInfo.InvariantCulture, out var wide) ? wide : 1280;

    /// <summary>Has the page that asked say something in its head.</summary>
    internal static void Say(this PageModel page, string sentence) => page.Response.Say(sentence);

    /// <summary>Has the page that asked say something in its head.</summary>
    internal static void Say(this HttpResponse response, string sentence) =>
        response.Headers["HX-Trigger"] = JsonSerializer.Serialize(new Dictionary<string, string> { ["weiche:said"] = sentence });

    /// <summary>The whole page or its changing part, with what it shows now.</summary>
    internal static IActionResult Show(this PageModel page, string partial, object view) =>
        page.Request.WantsFragment() ? page.Partial(partial, view) : page.Page();

    /// <summary>The answer to an edit: the changing part; or a problem, said with status 422 and nothing changed; or,
    /// without scripts, the page anew.</summary>
    internal static IActionResult Answer(this PageModel page, Problem? problem, string partial, object view, string address)
    {
        if (problem is null && !page.Request.WantsFragment())
            return page.LocalRedirect(address);
        // What is asked for anew by the page's script is what is shown now.
        if (problem is null)
            page.Response.Headers["HX-Replace-Url"] = address;
        if (problem is not null)
            page.Response.StatusCode = StatusCodes.Status422UnprocessableEntity;
        return page.Show(partial, view);
    }
}
