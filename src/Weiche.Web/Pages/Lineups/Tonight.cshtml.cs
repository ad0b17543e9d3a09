using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Weiche.Core.Studios;
using Weiche.Web.Desk;
using Weiche.Web.Live;

namespace Weiche.Web.Pages.Lineups;

/// <summary>What Tonight shows.</summary>
/// <param name="State">The studio.</param>
/// <param name="Lamp">What the checks and the guard say.</param>
/// <param name="Missing">Devices of the lineup in force that are not there.</param>
/// <param name="Roll">Counts up when something is plugged in or pulled out.</param>
/// <param name="Time">The time.</param>
/// <param name="Problem">What could not be done, in a sentence; null if nothing.</param>
public sealed record TonightView(DeskState State, GuardLamp Lamp, IReadOnlyList<string> Missing, int Roll, TimeLamp Time, string? Problem)
{
    /// <summary>The lever that does what a field does, in words; null if there is none.</summary>
    /// <param name="by">1 for on, −1 for back.</param>
    public string? LeverFor(int by)
    {
        var studio = State.Studio;
        var target = studio.Beside(by);
        var lever = studio.Levers.FirstOrDefault(each =>
            each.Work is StepLineup step && Math.Sign(step.By) == by && each.Works.IsOn(studio.InForce)
        )
            ?? studio.Levers.FirstOrDefault(each =>
                target is not null && each.Work is EnterLineup enter && enter.Lineup == target.Id && each.Works.IsOn(studio.InForce)
            );
        return lever is null ? null : $"or {LeverWords.Name(studio, lever)}";
    }
}

/// <summary>Tonight: for the stand beside the keyboard. The name in force, the player's note, what comes, and nothing else.</summary>
/// <param name="desk">The running studio.</param>
public sealed class TonightModel(StudioDesk desk) : PageModel
{
    private const string Fragment = "_Tonight";

    /// <summary>What is shown.</summary>
    public TonightView View { get; private set; } = null!;

    /// <summary>The page.</summary>
    public IActionResult OnGet()
    {
        Look(null);
        return this.Show(Fragment, View);
    }

    /// <summary>Enters the next lineup, or the one before.</summary>
    /// <param name="by">1 or −1.</param>
    public IActionResult OnPostStep(int by)
    {
        var problem = desk.EnterBeside(by);
        Look(problem?.Sentence);
        return this.Answer(problem, Fragment, View, "/tonight");
    }

    private void Look(string? problem)
    {
        var (state, room) = (desk.State, desk.Park.State);
        var studio = state.Studio;
        var live = LiveRoutes.Of(studio);
        bool IsMissing(DevicePort port) => room.IsMissing(studio, port);
        // All that the lineup in force counts on: what plays and sounds, what it sends something, levers, and who keeps the time.
        var missing = studio
            .Routes.Where(route => live.StateOf(route, IsMissing) == RouteState.Waits)
            .SelectMany(route => live.SourcesOf(route).Append(studio.FindPort(route.To)!.Value))
            .Concat(
                (studio.Current?.Sends ?? [])
                    .Select(sending => sending.To)
                    .Concat(studio.Levers.Where(lever => lever.Works.IsOn(studio.InForce)).Select(lever => lever.Source))
                    .Concat(studio.MasterNow()?.Source is { } master ? [master] : [])
                    .Select(id => studio.FindPort(id)!.Value)
            )
            .Where(IsMissing)
            .Select(port => port.Device.Name)
            .Distinct();
        View = new TonightView(state, GuardLamp.Of(desk), [.. missing], room.Version, TimeLamp.Of(desk), problem);
    }
}
