using System.Collections.Immutable;
using System.Globalization;
using Microsoft.AspNetCore.Mvc;
using Weiche.Core.Checks;
using Weiche.Core.Midi;
using Weiche.Core.Stages;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;
using Weiche.Web.Desk;
using Weiche.Web.Live;

namespace Weiche.Web.Pages.Plan;

/// <summary>Plan: which source reaches which destination, through which stages.</summary>
/// <param name="desk">The running studio.</param>
/// <param name="watch">What was played last.</param>
public sealed class PlanModel(StudioDesk desk, WatchLog watch) : PlanPageModel(desk)
{
    /// <summary>The page. How it is looked at stands in its address.</summary>
    public IActionResult OnGet()
    {
        Look(PlanAddress.Of(Request));
        return this.Show(Fragment, View);
    }

    /// <summary>The routes that a few letters may mean and that are not there yet.</summary>
    /// <param name="q">The letters.</param>
    public IActionResult OnGetFind(string? q) => Partial("_Matches", RouteSearch.Find(Desk.State.Studio, q));

    /// <summary>The devices, ports and routes that a few letters mean.</summary>
    /// <param name="q">The letters.</param>
    public IActionResult OnGetSearch(string? q) => Partial("_Found", PlanFind.Find(Desk.State.Studio, q));

    /// <summary>Follows a message that is typed into the trace.</summary>
    /// <param name="from">The source.</param>
    /// <param name="key">The key, by name or number.</param>
    /// <param name="channel">The channel, 1 to 16.</param>
    /// <param name="velocity">The velocity, 1 to 127.</param>
    /// <param name="bytes">Any message as bytes, instead of the key.</param>
    public IActionResult OnGetTrace(int from, string? key, int channel, int velocity, string? bytes)
    {
        var address = PlanAddress.Of(Request) with { Traces = true, From = from, Reach = 0, Message = null };
        if (!MessageInput.TryRead(bytes, key, velocity, channel, Desk.State.Studio.KeyNaming, out var message, out var problem))
        {
            Look(address, traceProblem: problem);
            Response.StatusCode = StatusCodes.Status422UnprocessableEntity;
            return this.Show(Fragment, View);
        }
        return Shown(address with { Message = MessageText.Hex(message) });
    }

    /// <summary>Follows the message that was played last.</summary>
    public IActionResult OnGetLast()
    {
        var address = PlanAddress.Of(Request) with { Traces = true, Reach = 0 };
        var last = watch
            .LastFrom()
            .Where(each => each.Message.Kind is not (MessageKind.SystemExclusive or MessageKind.Clock or MessageKind.ActiveSensing))
            // What a virtual port brings was played somewhere else.
            .OrderBy(each => Desk.State.Studio.FindPort(each.Port) is { } port && !port.Device.IsVirtualPort() ? 0 : 1)
            .ThenByDescending(each => each.At)
            .Select(each => ((PortId Port, MidiMessage Message)?)(each.Port, each.Message))
            .FirstOrDefault();
        if (last is not { } played)
        {
            Look(address, traceProblem: "Nothing has been played yet. Play something, and ask again.");
            Response.StatusCode = StatusCodes.Status422UnprocessableEntity;
            return this.Show(Fragment, View);
        }
        // The end of a note takes the way of its beginning.
        var message = played.Message.IsNoteOff
            ? MidiMessage.NoteOn(Channel.FromIndex(played.Message.ChannelIndex), played.Message.Data1, 96)
            : played.Message;
        return Shown(address with { From = played.Port.Value, Message = MessageText.Hex(message) });
    }

    private IActionResult Shown(PlanAddress address)
    {
        Response.Headers["HX-Replace-Url"] = address.ToString();
        if (!Request.WantsFragment())
            return LocalRedirect(address.ToString());
        Look(address);
        return this.Show(Fragment, View);
    }

    /// <summary>Lays a route.</summary>
    /// <param name="from">The source: a port's id, "group-3" or "any".</param>
    /// <param name="to">The destination.</param>
    /// <param name="route">The route in the drawer, kept there if this one cannot be laid.</param>
    /// <param name="another">Whether it is meant where one leads there already.</param>
    public IActionResult OnPostLay(string? from, int to, int? route, bool another) =>
        Do(new LayRoute(RouteSource.Parse(from) ?? new PortId(0), new PortId(to), another), route);

    /// <summary>Lays the route that a few letters mean.</summary>
    /// <param name="q">The letters.</param>
    /// <param name="route">The route in the drawer, kept there if none can be laid.</param>
    public IActionResult OnPostLetters(string? q, int? route)
    {
        var found = RouteSearch.Find(Desk.State.Studio, q, 1);
        if (found.Count > 0)
            return Do(found[0].Edit, route);
        // What is there already is said as when it is pressed: with the way to another.
        if (RouteSearch.Find(Desk.State.Studio, q + " another", 1) is [var there])
            return Do(there.Edit with { Another = false }, route);
        var sentence = string.IsNullOrWhiteSpace(q)
            ? "Type a few letters of a source and of a destination, like “am bra”."
            : $"No new route goes by “{q.Trim()}”. Type a few letters of a source and of a destination, like “am bra”.";
        return Refuse(route, new Problem("letters", sentence), q);
    }

    /// <summary>Does what would have a route heard that nobody listens to.</summary>
    /// <param name="route">Which.</param>
    public IActionResult OnPostMend(int route)
    {
        var id = new RouteId(route);
        var unheard = Desk.State.Report.Findings.FirstOrDefault(finding =>
            finding.Kind == FindingKind.Unheard && finding.Routes.Contains(id)
        );
        return unheard?.Mend is { } edit
            ? Do(edit, route)
            : Refuse(route, new Problem("mend", "That is mended already. Nothing was changed."));
    }

    /// <summary>Leads a route from another source or to another destination, with all its stages.</summary>
    /// <param name="route">Which.</param>
    /// <param name="from">Where it comes from now; none if that stays.</param>
    /// <param name="to">Where it goes now; 0 if that stays.</param>
    public IActionResult OnPostRelay(int route, string? from, int to) =>
        Do(new RelayRoute(new RouteId(route), RouteSource.Parse(from), to == 0 ? null : new PortId(to)), route);

    /// <summary>Lays a copy of a route to another destination, with all its stages.</summary>
    /// <param name="route">Which.</param>
    /// <param name="to">Where the copy goes.</param>
    public IActionResult OnPostCopy(int route, int to) => Do(new CopyRoute(new RouteId(route), null, new PortId(to)), route);

    /// <summary>Does one thing to several routes.</summary>
    /// <param name="what">"on", "off", "solo", "unsolo", "remove", or "stage" for one that is typed.</param>
    /// <param name="routes">Which routes: "3,7".</param>
    /// <param name="line">The stage that is typed.</param>
    public IActionResult OnPostMany(string? what, string? routes, string? line)
    {
        var ids = PlanAddress.ParseRoutes(routes);
        var address = PlanAddress.Of(Request) with { Routes = ids };
        Stage? stage = null;
        if (what == "stage" && !StageLine.TryParse(line, Desk.State.Studio.KeyNaming, out stage, out var problem))
        {
            Look(address, new Problem("line", problem), line);
            return Answer();
        }
        StudioEdit? Each(RouteId id) =>
            what switch
            {
                "on" or "off" => new SwitchRoute(id, what == "on"),
                "solo" or "unsolo" => new SoloRoute(id, what == "solo"),
                "remove" => new RemoveRoute(id),
                "stage" => new AddStage(id, stage!),
                _ => null,
            };
        var edits = ids.Select(Each).OfType<StudioEdit>().ToImmutableArray();
        var words = what switch
        {
            "on" or "off" => $"Switch {Counted(ids.Length)} {what}",
            "solo" => $"Solo {Counted(ids.Length)}",
            "unsolo" => $"End solo of {Counted(ids.Length)}",
            "stage" => $"{stage!.Name} “{stage.Sign(Desk.State.Studio.KeyNaming)}” on {Counted(ids.Length)}",
            _ => $"Remove {Counted(ids.Length)}",
        };
        var result = Desk.Apply(new ManyEdits(edits, words));
        Look(address, result.Problem);
        return Answer();
    }

    /// <summary>Moves routes between the lineup that is looked at as well, that lineup alone, and standing; all of them as the
    /// first.</summary>
    /// <param name="routes">Which routes: "3,7".</param>
    public IActionResult OnPostDuty(string? routes)
    {
        var ids = PlanAddress.ParseRoutes(routes);
        var address = PlanAddress.Of(Request) with { Routes = ids };
        var studio = Desk.State.Studio;
        if (
            (address.Lineup > 0 ? new LineupId(address.Lineup) : studio.InForce) is not { } here
            || ids.IsEmpty
            || studio.FindRoute(ids[0]) is not { } first
        )
        {
            Look(address, new Problem("route", "Nothing is chosen that could be on duty."));
            return Answer();
        }
        Duty After(Route route) =>
            !first.Duty.IsOn(here) ? route.Duty.With(here, true, [])
            : first.Duty == Duty.In(here) ? Duty.Standing
            : Duty.In(here);
        var edits = ids.Select(studio.FindRoute)
            .OfType<Route>()
            .Select(route => (StudioEdit)new SetDuty(route.Id, After(route)))
            .ToImmutableArray();
        var words =
            !first.Duty.IsOn(here) ? $"Put {Counted(ids.Length)} into {studio.NameOf(here)} too"
            : After(first).IsStanding ? $"{Counted(ids.Length)} standing"
            : $"{Counted(ids.Length)} only in {studio.NameOf(here)}";
        Look(address, Desk.Apply(edits.Length == 1 ? edits[0] : new ManyEdits(edits, words)).Problem);
        return Answer();
    }

    /// <summary>Sets many places of the grid at once: lays what is missing, switches on or off what is there.</summary>
    /// <param name="cells">The places: "7:9,7:11", sources by their key.</param>
    /// <param name="on">Whether messages shall pass there.</param>
    public IActionResult OnPostCells(string? cells, bool on)
    {
        var studio = Desk.State.Studio;
        var edits = new List<StudioEdit>();
        Problem? left = null;
        foreach (var cell in (cells ?? "").Split(',', StringSplitOptions.RemoveEmptyEntries).Take(ManyEdits.Most + 1))
        {
            var colon = cell.LastIndexOf(':');
            if (
                colon < 0
                || RouteSource.Parse(cell[..colon]) is not { } from
                || !int.TryParse(cell[(colon + 1)..], NumberStyles.None, CultureInfo.InvariantCulture, out var to)
            )
                return BadRequest();
            var there = studio.RoutesBetween(from, new PortId(to)).ToList();
            var here = PlanAddress.Of(Request).Lineup is > 0 and var looked ? new LineupId(looked) : studio.InForce;
            var wanted =
                there.Count > 0
                    ? there
                        .Where(route => route.On != on)
                        .Select(route => (StudioEdit)new SwitchRoute(route.Id, on))
                        .Concat(
                            there
                                .Where(route => on && here is not null && !route.Duty.IsOn(here))
                                .Select(route => new PlaceRoute(route.Id, here!.Value, true))
                        )
                : on ? [new LayRoute(from, new PortId(to)) { In = here }]
                : [];
            foreach (var edit in wanted)
            {
                // Of several places those where no route can be are left out.
                var result = edit.Apply(studio);
                left ??= result.Problem;
                if (result.Studio is not { } after)
                    continue;
                studio = after;
                edits.Add(edit);
            }
        }
        var address = PlanAddress.Of(Request);
        var problem = edits.Count switch
        {
            0 => left,
            1 => Desk.Apply(edits[0]).Problem,
            _ => Desk.Apply(new ManyEdits([.. edits], $"{(on ? "Lay or switch on" : "Switch off")} {Counted(edits.Count)}")).Problem,
        };
        if (problem is null && left is not null)
            this.Say($"Left out: {left.Sentence}");
        Look(address, problem);
        return Answer();
    }

    /// <summary>Switches a route.</summary>
    /// <param name="route">Which.</param>
    /// <param name="on">On or off.</param>
    public IActionResult OnPostSwitch(int route, bool on) => Do(new SwitchRoute(new RouteId(route), on), route);

    /// <summary>Switches of a source's routes one alone on, or all of them.</summary>
    /// <param name="route">Which.</param>
    /// <param name="on">Whether this one alone; else all.</param>
    public IActionResult OnPostOnly(int route, bool on) => Do(new OnlyRoute(new RouteId(route), !on), route);

    /// <summary>Solos a route or ends its solo.</summary>
    /// <param name="route">Which.</param>
    /// <param name="on">Solo or not.</param>
    public IActionResult OnPostSolo(int route, bool on) => Do(new SoloRoute(new RouteId(route), on), route);

    /// <summary>Makes a route divert or not.</summary>
    /// <param name="route">Which.</param>
    /// <param name="on">Divert or not.</param>
    public IActionResult OnPostDivert(int route, bool on) => Do(new DivertRoute(new RouteId(route), on), route);

    /// <summary>Moves a route before or after its neighbours.</summary>
    /// <param name="route">Which.</param>
    /// <param name="by">How many places.</param>
    public IActionResult OnPostMove(int route, int by) => Do(new MoveRoute(new RouteId(route), by), route);

    /// <summary>Leaves a source out of a route from any source, or takes it in.</summary>
    /// <param name="route">Which route.</param>
    /// <param name="port">Which source; 0 for the destination's own.</param>
    /// <param name="take">Whether it is taken.</param>
    public IActionResult OnPostExcept(int route, int port, bool take)
    {
        var any = Desk.State.Studio.FindRoute(new RouteId(route))?.From as AnySource ?? AnySource.Plain;
        var edit =
            port == 0
                ? new SetExceptions(new RouteId(route), any.Except, take)
                : new SetExceptions(
                    new RouteId(route),
                    take ? any.Except.Remove(new PortId(port)) : any.Except.Add(new PortId(port)),
                    any.OwnToo
                );
        return Do(edit, route);
    }

    /// <summary>Removes a route.</summary>
    /// <param name="route">Which.</param>
    public IActionResult OnPostRemove(int route) => Do(new RemoveRoute(new RouteId(route)), route);

    private static string Counted(int routes) => routes == 1 ? "1 route" : string.Create(CultureInfo.InvariantCulture, $"{routes} routes");
}
