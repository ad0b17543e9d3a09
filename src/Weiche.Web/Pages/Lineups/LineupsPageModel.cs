using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Weiche.Core.Layout;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;
using Weiche.Web.Desk;

namespace Weiche.Web.Pages.Lineups;

/// <summary>What the handlers of Lineups have in common: they make an edit and answer with the roster as it is then.</summary>
/// <param name="desk">The running studio.</param>
public abstract class LineupsPageModel(StudioDesk desk) : PageModel
{
    private const string Fragment = "_Lineups";

    // More rows than anybody reads; they are found by a few letters.
    private const int MostRows = 150;

    /// <summary>What is shown.</summary>
    public LineupsView View { get; private set; } = null!;

    /// <summary>The running studio.</summary>
    private protected StudioDesk Desk => desk;

    /// <summary>Makes an edit, and answers with the roster as it is then.</summary>
    /// <param name="edit">The edit.</param>
    /// <param name="lineup">The lineup that is looked at afterwards; null for the one that is looked at now.</param>
    /// <param name="typed">What was typed for it.</param>
    private protected IActionResult Do(StudioEdit edit, LineupId? lineup = null, string? typed = null)
    {
        var result = desk.Apply(edit);
        return Answer(result.Problem, lineup ?? (edit is AddLineup && result.NewId > 0 ? new LineupId(result.NewId) : null), typed);
    }

    /// <summary>Answers with the roster, and what could not be done.</summary>
    private protected IActionResult Answer(Problem? problem, LineupId? lineup = null, string? typed = null, PressedThing? pressed = null)
    {
        Look(lineup, problem, problem is null ? null : typed, pressed);
        return this.Answer(problem, Fragment, View, View.Address);
    }

    private protected IActionResult Shown()
    {
        Look(null);
        return this.Show(Fragment, View);
    }

    private protected void Look(LineupId? lineup, Problem? problem = null, string? typed = null, PressedThing? pressed = null)
    {
        var (state, room) = (desk.State, desk.Park.State);
        var query = Request.PageQuery("/lineups");
        var asked = lineup
            ?? (int.TryParse(query.GetValueOrDefault("lineup").FirstOrDefault(), out var id) ? new LineupId(id) : state.Studio.InForce);
        var find = NameRule.Tidy(query.GetValueOrDefault("q").FirstOrDefault());
        View = new LineupsView(
            state,
            Roster.Of(state.Studio, find, MostRows),
            (asked is { } known ? state.Studio.FindLineup(known) : null) ?? state.Studio.Current
        )
        {
            Find = find,
            Problem = problem,
            Typed = typed,
            Pressed = pressed,
            Roll = room.Version,
            Waiting = state
                .Studio.Sources.Concat(state.Studio.Destinations)
                .Where(port => room.IsMissing(state.Studio, port))
                .Select(port => port.Id)
                .ToHashSet(),
        };
    }
}
