using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Weiche.Core.Routing;
using Weiche.Web.Desk;
using Weiche.Web.Live;

namespace Weiche.Web.Pages;

/// <summary>What Watch shows beside the lines.</summary>
/// <param name="State">The studio.</param>
/// <param name="Figures">The plan in force, with its figures.</param>
/// <param name="Lines">The newest lines, the newest first.</param>
/// <param name="LeftOut">How many messages came too fast to be listed.</param>
public sealed record WatchView(DeskState State, RoutingPlan Figures, IReadOnlyList<WatchLine> Lines, long LeftOut)
{
    /// <summary>How much clock and active sensing came from all sources.</summary>
    public long Background => State.Studio.Sources.Sum(port => Figures.Meter(port.Id)?.Background ?? 0);
}

/// <summary>Watch: one line for each message that came, with what became of it.</summary>
/// <param name="desk">The running studio.</param>
/// <param name="watch">The lines.</param>
public sealed class WatchModel(StudioDesk desk, WatchLog watch) : PageModel
{
    private const int FirstLines = 200;
    private const int MoreLines = 60;

    /// <summary>What is shown.</summary>
    public WatchView View { get; private set; } = null!;

    /// <summary>The page.</summary>
    public IActionResult OnGet()
    {
        View = new WatchView(desk.State, desk.Junction.Plan, watch.Lines(0, FirstLines), watch.LeftOut);
        return this.Show("_Watch", View);
    }

    /// <summary>The lines that came since.</summary>
    /// <param name="after">The number of the newest line that is known already.</param>
    public IActionResult OnGetLines(long after)
    {
        var lines = watch.Lines(after, MoreLines);
        var skipped = lines.Count == 0 ? 0 : Math.Max(0, lines[^1].Number - after - 1);
        Response.Headers["X-Weiche-Skipped"] = skipped.ToString(System.Globalization.CultureInfo.InvariantCulture);
        return Partial("_WatchLines", lines);
    }
}
