using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Weiche.Core.Layout;
using Weiche.Core.Midi;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;
using Weiche.Core.Ways;
using Weiche.Web.Desk;

namespace Weiche.Web.Pages.Plan;

/// <summary>What the handlers of Plan have in common: they make an edit and answer with the plan as it is then.</summary>
/// <param name="desk">The running studio.</param>
public abstract class PlanPageModel(StudioDesk desk) : PageModel
{
    /// <summary>The part of the page that changes.</summary>
    private protected const string Fragment = "_Plan";

    // Room for a bar to scroll the plan by, pixels.
    private const int ScrollBar = 12;

    /// <summary>What is shown.</summary>
    public PlanView View { get; private set; } = null!;

    /// <summary>The running studio.</summary>
    private protected StudioDesk Desk => desk;

    /// <summary>Makes an edit, and answers with the plan as it is then.</summary>
    private protected IActionResult Do(StudioEdit edit, int? route)
    {
        // What is laid while another lineup is looked at is laid there.
        if (edit is LayRoute lay && PlanAddress.Of(Request).Lineup is > 0 and var there)
            edit = lay with { In = new LineupId(there) };
        var result = desk.Apply(edit);
        Look(With(result is { Problem: null, NewId: > 0 } ? result.NewId : route), result.Problem);
        return Answer();
    }

    private protected IActionResult Refuse(int? route, Problem problem, string? typed = null)
    {
        Look(With(route), problem, typed);
        return Answer();
    }

    private protected PlanAddress With(int? route)
    {
        var address = PlanAddress.Of(Request);
        return route is > 0 and var id
            ? address with
            {
                Routes = [new RouteId(id)],
                Traces = false,
                Message = null,
                From = 0,
                Reach = 0,
            }
            : address;
    }

    private protected void Look(PlanAddress address, Problem? problem = null, string? typed = null, string? traceProblem = null)
    {
        var state = desk.State;
        if (
            address.Lineup > 0
            && (state.Studio.FindLineup(new LineupId(address.Lineup)) is null || state.Studio.InForce?.Value == address.Lineup)
        )
            address = address with { Lineup = 0 };
        if (address.Lineup > 0)
        {
            var id = new LineupId(address.Lineup);
            state = state with
            {
                Studio = state.Studio.In(id),
                Report = state.Looks.FirstOrDefault(look => look.Lineup == id)?.Report ?? state.Report,
            };
        }
        var chosen = address.Chosen.Select(state.Studio.FindRoute).OfType<Route>().ToList();
        if (address.Focus?.NameIn(state.Studio) is null)
            address = address with { Focus = null };
        address = address with { Routes = [.. chosen.Select(route => route.Id)] };
        var (trace, reaching) = TraceFor(address, state.Studio, ref traceProblem);
        View = new PlanView(
            state,
            desk.Junction.Compiled,
            address,
            address.Page == PlanPage.Grid
                ? null
                : PlanLayout.Compute(
                    address.OnDuty ? OnDuty(state.Studio) : state.Studio,
                    Request.Width() - ScrollBar,
                    new PlanLook(
                        address.Page == PlanPage.Departures ? PlanSide.Departures : PlanSide.Arrivals,
                        address.Focus,
                        address.Folded
                    )
                ),
            chosen,
            problem,
            typed
        )
        {
            Room = desk.Park.State,
            InForce = desk.State.Studio.InForce,
            Trace = trace,
            Reaching = reaching,
            TraceProblem = traceProblem,
        };
    }

    private static Studio OnDuty(Studio studio)
    {
        var live = LiveRoutes.Of(studio);
        return studio with { Routes = [.. studio.Routes.Where(live.IsOnDuty)], Levers = [] };
    }

    private static (Trace? Trace, IReadOnlyList<Reaching>? Reaching) TraceFor(PlanAddress address, Studio studio, ref string? problem)
    {
        if (!address.Traces || problem is not null)
            return default;
        if (address.Reach > 0)
        {
            if (studio.FindPort(new PortId(address.Reach)) is { IsSource: false } destination)
                return (null, Reach.To(studio, destination.Id));
            problem = "That destination is gone: it was removed meanwhile.";
            return default;
        }
        if (string.IsNullOrEmpty(address.Message))
            return default;
        if (studio.FindPort(new PortId(address.From)) is not { IsSource: true } source)
        {
            problem = "That source is gone: it was removed meanwhile.";
            return default;
        }
        if (MessageInput.TryRead(address.Message, null, 0, 0, studio.KeyNaming, out var message, out var wrong))
            return (Trace.Of(studio, source.Id, message), null);
        problem = wrong;
        return default;
    }

    private protected IActionResult Answer() => this.Answer(View.Problem, Fragment, View, View.Address.ToString());
}
