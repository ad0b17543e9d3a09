using Microsoft.AspNetCore.Mvc;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;
using Weiche.Web.Desk;

namespace Weiche.Web.Pages.Lineups;

/// <summary>Levers: what on a source works Weiche.</summary>
/// <param name="desk">The running studio.</param>
public sealed class LeversModel(StudioDesk desk) : LineupsPageModel(desk)
{
    /// <summary>Something was pressed that shall become a lever; without it, what is here is seen on Lineups.</summary>
    /// <param name="source">The source.</param>
    /// <param name="status">The status of the message that came.</param>
    /// <param name="number">Its first data byte.</param>
    public IActionResult OnGet(int source, int status, int number)
    {
        if (!Request.WantsFragment())
            return LocalRedirect("/lineups");
        if (Desk.State.Studio.FindPort(new PortId(source)) is not { IsSource: true } port)
            return Answer(new Problem("lever", "That source is gone: it was removed meanwhile."));
        if (number is < 0 or > 127 || (status & 0xF0) is not (0x90 or 0xB0 or 0xC0))
            return Answer(new Problem("lever", LeverLine.Examples));
        var kind = (status & 0xF0) switch
        {
            0x90 => LeverKind.Key,
            0xC0 => LeverKind.Program,
            _ => LeverKind.Control,
        };
        return Answer(null, pressed: new PressedThing(port, new LeverTrigger(kind, number)));
    }

    /// <summary>Sets a lever by what was pressed.</summary>
    /// <param name="source">The source.</param>
    /// <param name="thing">What was pressed, in words.</param>
    /// <param name="work">What it works, in words; empty if it is typed.</param>
    public IActionResult OnPostPressed(int source, string? thing, string? work)
    {
        var studio = Desk.State.Studio;
        if (studio.FindPort(new PortId(source)) is not { IsSource: true } port)
            return Answer(new Problem("lever", "That source is gone: it was removed meanwhile. Nothing was changed."));
        if (!LeverLine.TryTrigger(thing ?? "", studio.KeyNaming, out var trigger, out var problem))
            return Answer(new Problem("lever", problem));
        var pressed = new PressedThing(port, trigger);
        if (!LeverLine.TryWork(studio, work ?? "", out var works, out problem))
            return Answer(new Problem("lever", problem), pressed: pressed);
        var result = Desk.Apply(new AddLever(port.Id, trigger, works));
        return Answer(result.Problem, pressed: result.Problem is null ? null : pressed);
    }

    /// <summary>Sets a lever as it is typed.</summary>
    /// <param name="line">What was typed.</param>
    public IActionResult OnPostLine(string? line) =>
        LeverLine.TryParse(Desk.State.Studio, line, out var edit, out var problem)
            ? Do(edit, typed: line)
            : Answer(new Problem("lever", problem), typed: line);

    /// <summary>Takes a lever off.</summary>
    /// <param name="lever">Which.</param>
    public IActionResult OnPostRemove(int lever) => Do(new RemoveLever(new LeverId(lever)));

    /// <summary>Sets whether what works a lever goes on through the routes.</summary>
    /// <param name="lever">Which.</param>
    /// <param name="on">Whether it goes on.</param>
    public IActionResult OnPostGoesOn(int lever, bool on) => Do(new SetLeverGoesOn(new LeverId(lever), on));

    /// <summary>Has a lever work in one lineup, or in all.</summary>
    /// <param name="lever">Which lever.</param>
    /// <param name="lineup">Which lineup; 0 for all.</param>
    public IActionResult OnPostWorks(int lever, int lineup) =>
        Do(new SetLeverWorks(new LeverId(lever), lineup == 0 ? Duty.Standing : Duty.In(new LineupId(lineup))));
}
