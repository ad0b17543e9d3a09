using Microsoft.AspNetCore.Mvc;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;
using Weiche.Web.Desk;

namespace Weiche.Web.Pages.Plan;

/// <summary>The faders of all routes to one destination: how loud each is there.</summary>
/// <param name="desk">The running studio.</param>
public sealed class BalanceModel(StudioDesk desk) : PlanPageModel(desk)
{
    /// <summary>What is here is seen on Plan.</summary>
    public IActionResult OnGet() => LocalRedirect("/plan");

    /// <summary>Lets a balance be heard while its fader is moved. Nothing is written down.</summary>
    /// <param name="route">Which route.</param>
    /// <param name="percent">How loud.</param>
    public IActionResult OnPostTry(int route, int percent) =>
        Desk.Try(new SetBalance(new RouteId(route), percent)) is { } problem ? BadRequest(problem.Sentence) : new NoContentResult();

    /// <summary>Sets a balance: the fader was let go.</summary>
    /// <param name="route">Which route.</param>
    /// <param name="percent">How loud.</param>
    public IActionResult OnPostSet(int route, int percent) => Do(new SetBalance(new RouteId(route), percent), null);
}
