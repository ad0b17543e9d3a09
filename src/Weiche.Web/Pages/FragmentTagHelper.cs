using System.Globalization;
using Microsoft.AspNetCore.Razor.TagHelpers;
using Weiche.Web.Desk;

namespace Weiche.Web.Pages;

/// <summary>The part of a page that changes (<c>shows="Model.State"</c>): it carries what the page's script needs to keep the head of the
/// page right, the version, what undo and redo would do, what a person should know, and what an answer takes the place of.</summary>
[HtmlTargetElement("div", Attributes = "shows")]
[HtmlTargetElement("main", Attributes = "shows")]
public sealed class FragmentTagHelper : TagHelper
{
    /// <summary>The studio that is shown.</summary>
    public required DeskState Shows { get; set; }

    /// <inheritdoc/>
    public override void Process(TagHelperContext context, TagHelperOutput output)
    {
        output.Attributes.SetAttribute("id", "fragment");
        // What is pressed in it is answered with the whole part anew, unless it says otherwise.
        output.Attributes.SetAttribute("hx-target", "#fragment");
        output.Attributes.SetAttribute("hx-swap", "outerHTML");
        output.Attributes.SetAttribute("data-version", Shows.Version.ToString(CultureInfo.InvariantCulture));
        output.Attributes.SetAttribute("data-notice", Shows.Notice?.Sentence ?? "");
        output.Attributes.SetAttribute("data-notice-at", Shows.Notice?.Version.ToString(CultureInfo.InvariantCulture) ?? "");
        output.Attributes.SetAttribute("data-notice-circuit", Shows.Notice?.OfCircuit == true ? "yes" : "");
        output.Attributes.SetAttribute("data-undo", Shows.Undo ?? "");
        output.Attributes.SetAttribute("data-redo", Shows.Redo ?? "");
    }
}
