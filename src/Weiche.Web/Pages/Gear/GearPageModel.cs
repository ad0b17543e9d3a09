using System.Globalization;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;
using Weiche.Web.Desk;
using Weiche.Web.Live;

namespace Weiche.Web.Pages.Gear;

/// <summary>What the handlers of Gear have in common: they make an edit and answer with the page as it is then.</summary>
/// <param name="desk">The running studio.</param>
/// <param name="spoken">What came last from each source.</param>
public abstract class GearPageModel(StudioDesk desk, SpokenLog spoken) : PageModel
{
    /// <summary>The part of the page that changes.</summary>
    private protected const string Fragment = "_Gear";

    /// <summary>What is shown.</summary>
    public GearView View { get; private set; } = null!;

    /// <summary>The running studio.</summary>
    private protected StudioDesk Desk => desk;

    private protected void Look(
        int? device,
        Problem? problem = null,
        string? typed = null,
        string? address = null,
        string? naming = null,
        bool find = false,
        int stepping = 0
    )
    {
        var state = desk.State;
        View = new GearView(
            state,
            device is { } id ? state.Studio.FindDevice(new DeviceId(id)) : null,
            problem,
            problem is null ? null : typed,
            address
        )
        {
            Room = desk.Park.State,
            Systems = desk.Systems,
            Browsers = desk.Browsers.Sentence,
            Figures = desk.Junction.Compiled,
            Width = Request.Width(),
            Naming = naming,
            Find = find,
            Stepping = stepping,
            Inquiry = desk.Scout.LastInquiry,
            Soundings = desk.Scout.LastSoundings,
            Spoken = find ? spoken.Latest(state.Studio, desk.Park.State) : [],
        };
    }

    private protected IActionResult Done(EditResult result, int? device, string? typed = null, string? naming = null)
    {
        Look(device, result.Problem, typed, naming: naming);
        return Answer(result);
    }

    private protected IActionResult Answer(EditResult result) =>
        this.Answer(
            result.Problem,
            Fragment,
            View,
            View switch
            {
                { Stepping: > 0 } => string.Create(CultureInfo.InvariantCulture, $"/gear?stepping={View.Stepping}"),
                { Chosen: { } chosen } => $"/gear?device={chosen.Id}",
                _ => "/gear",
            }
        );
}
