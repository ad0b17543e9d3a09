using System.Globalization;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Weiche.Core.Live;
using Weiche.Core.Midi;
using Weiche.Core.Pulse;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;
using Weiche.Web.Desk;
using Weiche.Web.Live;

namespace Weiche.Web.Pages.Time;

/// <summary>Time: who keeps it, how steadily, where it goes, and everything started with one press.</summary>
/// <param name="desk">The running studio.</param>
public sealed class TimeModel(StudioDesk desk) : PageModel
{
    private const string Fragment = "_Time";

    /// <summary>What is shown.</summary>
    public TimeView View { get; private set; } = null!;

    /// <summary>The page.</summary>
    public IActionResult OnGet()
    {
        Look(null);
        return this.Show(Fragment, View);
    }

    /// <summary>Does something to the time. From the head of another page nothing but a sentence comes back.</summary>
    /// <param name="what">What.</param>
    public IActionResult OnPostWork(string? what)
    {
        if (!Enum.TryParse<TimeWork>(what, out var work) || !Enum.IsDefined(work))
            return Answer(new Problem("time", "There is no such thing to do to the time."));
        var problem = desk.Work(work);
        if (!Request.WantsFragment() || Request.Headers["HX-Target"] == "fragment")
            return Answer(problem);
        if (problem is not null)
            this.Say(problem.Sentence);
        return new NoContentResult();
    }

    /// <summary>Makes a clock master.</summary>
    /// <param name="clock">The source's id; 0 for Weiche's own; below zero for nobody.</param>
    public IActionResult OnPostMaster(int clock) =>
        Do(
            new SetMaster(
                clock < 0 ? null
                    : clock == 0 ? ClockMaster.Own
                    : new ClockMaster(new PortId(clock)),
                StudioDesk.ScopeOfMaster(desk.State.Studio)
            )
        );

    /// <summary>Says whether the lineup in force has a master of its own.</summary>
    /// <param name="own">Whether it has.</param>
    public IActionResult OnPostScope(bool own)
    {
        var studio = desk.State.Studio;
        if (studio.Current is not { } lineup)
            return Answer(new Problem("master", "There is no lineup in force."));
        return Do(new SetMaster(own ? studio.MasterNow() ?? ClockMaster.Own : null, lineup.Id));
    }

    /// <summary>Sets the tempo of Weiche's own clock.</summary>
    /// <param name="tempo">The tempo, as typed.</param>
    public IActionResult OnPostTempo(string? tempo) =>
        Tempo.TryParse(tempo, out var read, out var problem) ? Answer(desk.Keep(read)) : Answer(new Problem("tempo", problem), tempo);

    /// <summary>Says whether the lineup in force has a tempo of its own.</summary>
    /// <param name="own">Whether it has.</param>
    public IActionResult OnPostTempoScope(bool own)
    {
        var studio = desk.State.Studio;
        if (studio.Current is not { } lineup)
            return Answer(new Problem("tempo", "There is no lineup in force."));
        return Do(new SetTempo(own ? desk.Junction.Time.Tempo : null, lineup.Id));
    }

    /// <summary>Sets the time signature.</summary>
    /// <param name="bar">The time signature, as typed.</param>
    public IActionResult OnPostBar(string? bar) =>
        BarForm.TryParse(bar, out var form, out var problem) ? Do(new SetBarForm(form)) : Answer(new Problem("bar", problem), bar);

    /// <summary>Sets how the time is started, moved and kept.</summary>
    /// <param name="coast">Bars that it coasts.</param>
    /// <param name="countIn">Bars that are counted in.</param>
    /// <param name="waits">Whether start waits for the bar.</param>
    /// <param name="overBar">Whether the beat is moved over a bar.</param>
    public IActionResult OnPostHabits(int? coast, int? countIn, bool? waits, bool? overBar)
    {
        var now = desk.State.Studio.Time;
        return Do(
            new SetTimeHabits(
                now with
                {
                    CoastBars = coast ?? now.CoastBars,
                    CountIn = countIn ?? now.CountIn,
                    WaitsForBar = waits ?? now.WaitsForBar,
                    MovesOverBar = overBar ?? now.MovesOverBar,
                }
            )
        );
    }

    /// <summary>Sets how a destination follows.</summary>
    /// <param name="to">The destination.</param>
    /// <param name="form">In which form it gets the clock; null to leave it.</param>
    /// <param name="starts">Whether it is started and stopped; null to leave it.</param>
    /// <param name="offset">ms, as typed; null to leave it.</param>
    public IActionResult OnPostFollow(int to, ClockForm? form, bool? starts, string? offset)
    {
        var studio = desk.State.Studio;
        var port = new PortId(to);
        var known = studio.Time.Of(port) ?? Proposed(studio, port);
        var late = known.Offset;
        if (offset is not null)
        {
            var typed = offset.Trim().Replace(',', '.').Replace('−', '-');
            if (typed.EndsWith("ms", StringComparison.Ordinal))
                typed = typed[..^2].TrimEnd();
            if (
                !decimal.TryParse(
                    typed,
                    NumberStyles.AllowLeadingSign | NumberStyles.AllowDecimalPoint,
                    CultureInfo.InvariantCulture,
                    out var ms
                )
                || Math.Abs(ms) > 10_000
            )
                return Answer(new Problem("follower", "An offset is written in milliseconds: 3.5 for later, −12 for earlier."), offset);
            late = new MidiSpan((long)(ms * 1000));
        }
        // What is started for the first time starts with the clock, if its device wants that.
        var isNew = studio.Time.Of(port) is null;
        return Do(
            new SetFollower(
                known with
                {
                    Form = form ?? known.Form,
                    Starts = starts ?? (isNew ? form is not (null or ClockForm.None) : known.Starts && form != ClockForm.None),
                    Offset = late,
                }
            ),
            offset
        );
    }

    /// <summary>Puts one destination back in step.</summary>
    /// <param name="to">The destination.</param>
    public IActionResult OnPostInStep(int to) => Answer(desk.BackInStep(new PortId(to)));

    private static Follower Proposed(Studio studio, PortId port) =>
        new(port, ClockForm.None, studio.FindPort(port)?.Device.WantsStart() == true, MidiSpan.Zero);

    private IActionResult Do(StudioEdit edit, string? typed = null) => Answer(desk.Apply(edit).Problem, typed);

    private IActionResult Answer(Problem? problem, string? typed = null)
    {
        Look(problem, problem is null ? null : typed);
        return this.Answer(problem, Fragment, View, View.Address);
    }

    private void Look(Problem? problem, string? typed = null)
    {
        var (state, studio) = (desk.State, desk.State.Studio);
        var all = Request.PageQuery("/time").ContainsKey("all");
        var master = studio.MasterNow();
        var (report, heard) = (new TimeReport(), new HashSet<PortId>());
        desk.Junction.Report(report);
        foreach (var clock in report.Clocks)
        {
            if (clock.Source is { } source && !studio.GivesBackClock(source))
                heard.Add(source);
        }
        var sources = studio.Sources.Where(port =>
            heard.Contains(port.Id) || master?.Source == port.Id || port.Device.Kind.Facts().GivesClock
        );
        var clocks = sources
            .Select(port => new ClockRow(new ClockMaster(port.Id), port.Name, master?.Source == port.Id, heard.Contains(port.Id)))
            .Prepend(new ClockRow(ClockMaster.Own, "Weiche", master is { IsOwn: true }, true))
            .OrderByDescending(row => row.IsMaster)
            .ToList();
        var rows = studio
            .Destinations.Where(port => !port.IsLoose)
            .Select(port =>
            {
                var hearers = port.Port.Jack is { } jack
                    ? studio.Chain(jack).Select(link => link.Device).Append(port.Device)
                    : [port.Device];
                return new FollowerRow(
                    port,
                    studio.Time.Of(port.Id) ?? Proposed(studio, port.Id) with { Starts = false },
                    port.Device.WantsClock(),
                    hearers.Any(device => device.ListensKinds.Contains(MessageKind.Clock))
                );
            })
            .OrderByDescending(row => row.Follower.GetsAnything)
            .ThenByDescending(row => row.Wants)
            .ThenByDescending(row => row.Listens)
            .ThenBy(row => row.Port.Device.IsVirtualPort())
            .ToList();
        View = new TimeView(state, desk.Junction.Time, TimeLamp.Of(desk), clocks, rows, all) { Problem = problem, Typed = typed };
    }
}
