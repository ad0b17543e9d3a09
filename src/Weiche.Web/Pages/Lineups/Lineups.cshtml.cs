using Microsoft.AspNetCore.Mvc;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;
using Weiche.Web.Desk;

namespace Weiche.Web.Pages.Lineups;

/// <summary>Lineups: which routes are live together, and what is sent on entering; the evening in its order.</summary>
/// <param name="desk">The running studio.</param>
public sealed class LineupsModel(StudioDesk desk) : LineupsPageModel(desk)
{
    /// <summary>The page.</summary>
    public IActionResult OnGet() => Shown();

    /// <summary>Enters a lineup.</summary>
    /// <param name="lineup">Which.</param>
    public IActionResult OnPostEnter(int lineup) => Entered(Desk.Enter(new LineupId(lineup)), new LineupId(lineup));

    /// <summary>Enters the next lineup, or the one before. From the head of another page nothing but a sentence comes back.</summary>
    /// <param name="by">1 or −1.</param>
    public IActionResult OnPostStep(int by)
    {
        var problem = Desk.EnterBeside(by);
        if (!Request.WantsFragment() || Request.Headers["HX-Target"] == "fragment")
            return Entered(problem, null);
        if (problem is not null)
            this.Say(problem.Sentence);
        return new NoContentResult();
    }

    /// <summary>Makes a lineup, as a copy of the one in force.</summary>
    /// <param name="name">Its name; empty for a number.</param>
    public IActionResult OnPostAdd(string? name) => Do(new AddLineup(name, Desk.State.Studio.InForce), typed: name);

    /// <summary>Gives a lineup another name.</summary>
    /// <param name="lineup">Which.</param>
    /// <param name="name">The name.</param>
    public IActionResult OnPostRename(int lineup, string? name) =>
        Do(new RenameLineup(new LineupId(lineup), name), new LineupId(lineup), name);

    /// <summary>Sets the note for the player.</summary>
    /// <param name="lineup">Which.</param>
    /// <param name="note">The note.</param>
    public IActionResult OnPostNote(int lineup, string? note) => Do(new SetNote(new LineupId(lineup), note), new LineupId(lineup), note);

    /// <summary>Sets what becomes of what leaves.</summary>
    /// <param name="lineup">Which.</param>
    /// <param name="cuts">Whether it is cut.</param>
    public IActionResult OnPostCuts(int lineup, bool cuts) => Do(new SetCuts(new LineupId(lineup), cuts), new LineupId(lineup));

    /// <summary>Moves a lineup in the running order.</summary>
    /// <param name="lineup">Which.</param>
    /// <param name="by">How many places.</param>
    public IActionResult OnPostMove(int lineup, int by) => Do(new MoveLineup(new LineupId(lineup), by), new LineupId(lineup));

    /// <summary>Removes a lineup.</summary>
    /// <param name="lineup">Which.</param>
    public IActionResult OnPostRemove(int lineup) => Do(new RemoveLineup(new LineupId(lineup)));

    /// <summary>Puts a route on duty in a lineup, or takes it off there.</summary>
    /// <param name="route">Which route.</param>
    /// <param name="lineup">Which lineup.</param>
    /// <param name="on">On duty or not.</param>
    public IActionResult OnPostPlace(int route, int lineup, bool on) => Do(new PlaceRoute(new RouteId(route), new LineupId(lineup), on));

    /// <summary>Makes a route standing, or one of the lineups in which it is live now: of all.</summary>
    /// <param name="route">Which route.</param>
    /// <param name="on">Standing or not.</param>
    public IActionResult OnPostStanding(int route, bool on) =>
        Do(new SetDuty(new RouteId(route), on ? Duty.Standing : Duty.In(Desk.State.Studio.Lineups.Select(lineup => lineup.Id))));

    /// <summary>Has a lineup send something more.</summary>
    /// <param name="lineup">Which.</param>
    /// <param name="to">The destination.</param>
    /// <param name="line">What, as typed.</param>
    public IActionResult OnPostSend(int lineup, int to, string? line)
    {
        if (Desk.State.Studio.FindPort(new PortId(to)) is not { IsSource: false } destination)
            return Answer(new Problem("sends", "Choose where it goes: to a destination."), new LineupId(lineup), line);
        return SendingLine.TryParse(line, destination, out var bytes, out var problem)
            ? Do(new AddSending(new LineupId(lineup), new Sending(destination.Id, bytes)), new LineupId(lineup), line)
            : Answer(new Problem("sends", problem), new LineupId(lineup), line);
    }

    /// <summary>Takes out something that a lineup sends.</summary>
    /// <param name="lineup">Which.</param>
    /// <param name="index">Which thing, from 0.</param>
    /// <param name="was">What was shown there.</param>
    public IActionResult OnPostUnsend(int lineup, int index, string? was)
    {
        var studio = Desk.State.Studio;
        return
            studio.FindLineup(new LineupId(lineup)) is { } known
            && index >= 0
            && index < known.Sends.Length
            && SendingWords.Of(studio, known.Sends[index]) == was
            ? Do(new RemoveSending(known.Id, index, known.Sends[index]), known.Id)
            : Answer(new Problem("sends", "What the lineup sends was changed meanwhile. Nothing was changed."), new LineupId(lineup));
    }

    /// <summary>Sends something earlier.</summary>
    /// <param name="lineup">Which.</param>
    /// <param name="index">Which thing, from 0.</param>
    /// <param name="by">How many places.</param>
    public IActionResult OnPostOrder(int lineup, int index, int by) =>
        Do(new MoveSending(new LineupId(lineup), index, by), new LineupId(lineup));

    private IActionResult Entered(Problem? problem, LineupId? lineup) =>
        Answer(problem, problem is null ? Desk.State.Studio.InForce : lineup);
}
