using System.Collections.Immutable;
using System.Globalization;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Weiche.Core.Analysis;
using Weiche.Core.Layout;
using Weiche.Core.Midi;
using Weiche.Core.Stages;
using Weiche.Core.Studios;
using Weiche.Web.Desk;
using Weiche.Web.Live;

namespace Weiche.Web.Pages;

/// <summary>Plan: which source reaches which destination, through which stages.</summary>
/// <param name="desk">The running studio.</param>
/// <param name="watch">What was played last.</param>
public sealed class PlanModel(StudioDesk desk, WatchLog watch) : PageModel
{
    private const string Fragment = "_Plan";

    /// <summary>Room for a bar to scroll the plan by, pixels.</summary>
    private const int ScrollBar = 12;

    /// <summary>What is shown.</summary>
    public PlanView View { get; private set; } = null!;

    /// <summary>The page. How it is looked at stands in its address.</summary>
    public IActionResult OnGet()
    {
        Look(PlanAddress.Of(Request));
        return this.Show(Fragment, View);
    }

    /// <summary>The routes that a few letters may mean and that are not there yet.</summary>
    /// <param name="q">The letters.</param>
    public IActionResult OnGetFind(string? q) => Partial("_Matches", RouteSearch.Find(desk.State.Studio, q));

    /// <summary>The devices, ports and routes that a few letters mean.</summary>
    /// <param name="q">The letters.</param>
    public IActionResult OnGetSearch(string? q) => Partial("_Found", PlanFind.Find(desk.State.Studio, q));

    /// <summary>Follows a message that is typed into the trace.</summary>
    /// <param name="from">The source.</param>
    /// <param name="key">The key, by name or number.</param>
    /// <param name="channel">The channel, 1 to 16.</param>
    /// <param name="velocity">The velocity, 1 to 127.</param>
    /// <param name="bytes">Any message as bytes, instead of the key.</param>
    public IActionResult OnGetTrace(int from, string? key, int channel, int velocity, string? bytes)
    {
        var address = PlanAddress.Of(Request) with { Traces = true, From = from, Reach = 0, Message = null };
        if (!MessageInput.TryRead(bytes, key, velocity, channel, out var message, out var problem))
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
        var last = watch.LastFrom().Where(each => each.Message.Kind is not (MessageKind.SystemExclusive or MessageKind.Clock or MessageKind.ActiveSensing))
            // What a virtual port brings was played somewhere else.
            .OrderBy(each => desk.State.Studio.FindPort(each.Port) is { Device.Kind: not DeviceKind.VirtualPort } ? 0 : 1).ThenByDescending(each => each.At).Select(each => ((PortId Port, MidiMessage Message)?)(each.Port, each.Message)).FirstOrDefault();
        if (last is not { } played)
        {
            Look(address, traceProblem: "Nothing has been played yet. Play something, and ask again.");
            Response.StatusCode = StatusCodes.Status422UnprocessableEntity;
            return this.Show(Fragment, View);
        }
        // The end of a note takes the way of its beginning.
        var message = played.Message.IsNoteOff ? MidiMessage.NoteOn(Channel.FromIndex(played.Message.ChannelIndex), played.Message.Data1, 96) : played.Message;
        return Shown(address with { From = played.Port.Value, Message = MessageText.Hex(message) });
    }

    private IActionResult Shown(PlanAddress address)
    {
        Response.Headers["HX-Replace-Url"] = address.ToString();
        if (!Request.WantsFragment()) return LocalRedirect(address.ToString());
        Look(address);
        return this.Show(Fragment, View);
    }

    /// <summary>Lays a route.</summary>
    /// <param name="from">The source: a port's id, "group-3" or "any".</param>
    /// <param name="to">The destination.</param>
    /// <param name="route">The route in the drawer, kept there if this one cannot be laid.</param>
    public IActionResult OnPostLay(string? from, int to, int? route) => Do(new LayRoute(RouteSource.Parse(from) ?? new PortId(0), new PortId(to)), route);

    /// <summary>Lays the route that a few letters mean.</summary>
    /// <param name="q">The letters.</param>
    /// <param name="route">The route in the drawer, kept there if none can be laid.</param>
    public IActionResult OnPostLetters(string? q, int? route)
    {
        var found = RouteSearch.Find(desk.State.Studio, q, 1);
        if (found.Count > 0) return Do(new LayRoute(found[0].From.Id, found[0].To.Id), route);
        var sentence = string.IsNullOrWhiteSpace(q)
            ? "Type a few letters of a source and of a destination, like “am bra”."
            : $"No new route goes by “{q.Trim()}”. Type a few letters of a source and of a destination, like “am bra”.";
        return Refuse(route, new Problem("letters", sentence), q);
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

    /// <summary>Puts a copy of a stage on another route.</summary>
    /// <param name="route">Which route.</param>
    /// <param name="stage">Which stage, from 0.</param>
    /// <param name="other">The route that gets it.</param>
    public IActionResult OnPostCopyStage(int route, int stage, int other) => Do(new CopyStage(new RouteId(route), stage, new RouteId(other)), route);

    /// <summary>Switches one stage off or on.</summary>
    /// <param name="route">Which route.</param>
    /// <param name="stage">Which stage, from 0.</param>
    /// <param name="name">The stage's name.</param>
    /// <param name="on">On or off.</param>
    public IActionResult OnPostStageOn(int route, int stage, string? name, bool on) => Do(new SwitchStage(new RouteId(route), stage, name ?? "", on), route);

    /// <summary>Does one thing to several routes.</summary>
    /// <param name="what">"on", "off", "solo", "unsolo", "remove", or "stage" for one that is typed.</param>
    /// <param name="routes">Which routes: "3,7".</param>
    /// <param name="line">The stage that is typed.</param>
    public IActionResult OnPostMany(string? what, string? routes, string? line)
    {
        var ids = PlanAddress.ParseRoutes(routes);
        var address = PlanAddress.Of(Request) with { Routes = ids };
        Stage? stage = null;
        if (what == "stage" && !StageLine.TryParse(line, out stage, out var problem))
        {
            Look(address, new Problem("line", problem), line);
            return Answer();
        }
        StudioEdit? Each(RouteId id) => what switch
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
            "on" or "off" => $"Switch {ids.Length} routes {what}",
            "solo" => $"Solo {ids.Length} routes",
            "unsolo" => $"End solo of {ids.Length} routes",
            "stage" => $"{stage!.Name} “{stage.Sign}” on {ids.Length} routes",
            _ => $"Remove {ids.Length} routes",
        };
        var result = desk.Apply(new ManyEdits(edits, words));
        Look(address, result.Problem);
        return Answer();
    }

    /// <summary>Sets many places of the grid at once: lays what is missing, switches on or off what is there.</summary>
    /// <param name="cells">The places: "7:9,7:11", sources by their key.</param>
    /// <param name="on">Whether messages shall pass there.</param>
    public IActionResult OnPostCells(string? cells, bool on)
    {
        var studio = desk.State.Studio;
        var edits = new List<StudioEdit>();
        Problem? left = null;
        foreach (var cell in (cells ?? "").Split(',', StringSplitOptions.RemoveEmptyEntries).Take(ManyEdits.Most + 1))
        {
            var colon = cell.LastIndexOf(':');
            if (colon < 0 || RouteSource.Parse(cell[..colon]) is not { } from || !int.TryParse(cell[(colon + 1)..], NumberStyles.None, CultureInfo.InvariantCulture, out var to)) return BadRequest();
            var there = studio.Routes.FirstOrDefault(route => route.From.Plate == from && route.To == new PortId(to));
            if (there is null ? !on : there.On == on) continue;
            var edit = there is null ? (StudioEdit)new LayRoute(from, new PortId(to)) : new SwitchRoute(there.Id, on);
            // Of several places those where no route can be are left out.
            var result = edit.Apply(studio);
            left ??= result.Problem;
            if (result.Studio is not { } after) continue;
            studio = after;
            edits.Add(edit);
        }
        var address = PlanAddress.Of(Request);
        var problem = edits.Count switch
        {
            0 => left,
            1 => desk.Apply(edits[0]).Problem,
            _ => desk.Apply(new ManyEdits([.. edits], $"{(on ? "Lay or switch on" : "Switch off")} {edits.Count} routes")).Problem,
        };
        if (problem is null && left is not null) this.Say($"Left out: {left.Sentence}");
        Look(address, problem);
        return Answer();
    }

    /// <summary>Switches a route.</summary>
    /// <param name="route">Which.</param>
    /// <param name="on">On or off.</param>
    public IActionResult OnPostSwitch(int route, bool on) => Do(new SwitchRoute(new RouteId(route), on), route);

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
        var any = desk.State.Studio.FindRoute(new RouteId(route))?.From as AnySource ?? AnySource.Plain;
        var edit = port == 0
            ? new SetExceptions(new RouteId(route), any.Except, take)
            : new SetExceptions(new RouteId(route), take ? any.Except.Remove(new PortId(port)) : any.Except.Add(new PortId(port)), any.OwnToo);
        return Do(edit, route);
    }

    /// <summary>Removes a route.</summary>
    /// <param name="route">Which.</param>
    public IActionResult OnPostRemove(int route) => Do(new RemoveRoute(new RouteId(route)), route);

    /// <summary>Puts a stage on a route.</summary>
    /// <param name="route">Which route.</param>
    /// <param name="name">The stage's name.</param>
    public IActionResult OnPostAddStage(int route, string? name)
    {
        return StageForm.Fresh(name) is { } stage
            ? Do(new AddStage(new RouteId(route), stage), route)
            : Refuse(route, new Problem("stage", "There is no such stage."));
    }

    /// <summary>Sets a stage as it was typed.</summary>
    /// <param name="route">Which route.</param>
    /// <param name="stage">Which stage, from 0.</param>
    /// <param name="name">The stage's name.</param>
    /// <param name="was">The mark of the stage that the person saw there.</param>
    public IActionResult OnPostSet(int route, int stage, string? name, string? was)
    {
        if (!StageForm.TryRead(name, Request.Form, out var read, out var problem)) return Refuse(route, new Problem($"stage-{stage}", problem), Request.Form["rule"]);
        return Set(route, stage, read, was);
    }

    /// <summary>Bends the velocities of a stage as a line was drawn.</summary>
    /// <param name="route">Which route.</param>
    /// <param name="stage">Which stage, from 0.</param>
    /// <param name="points">The line: "1:20,64:80,127:127", what comes and what shall become of it.</param>
    /// <param name="was">The mark of the stage that the person saw there.</param>
    public IActionResult OnPostDraw(int route, int stage, string? points, string? was)
    {
        if (StageAt(route, stage) is not VelocityStage velocity || VelocityFit.TryParse(points) is not { } line)
            return Refuse(route, new Problem("stage", "That line cannot be read. Draw it from left to right. Nothing was changed."));
        return Set(route, stage, VelocityFit.Find(velocity, line), was);
    }

    /// <summary>Moves a stage before or after its neighbours.</summary>
    /// <param name="route">Which route.</param>
    /// <param name="stage">Which stage, from 0.</param>
    /// <param name="by">How many places.</param>
    public IActionResult OnPostMoveStage(int route, int stage, int by) => Do(new MoveStage(new RouteId(route), stage, by), route);

    /// <summary>Takes a stage off a route.</summary>
    /// <param name="route">Which route.</param>
    /// <param name="stage">Which stage, from 0.</param>
    /// <param name="name">The stage's name.</param>
    public IActionResult OnPostRemoveStage(int route, int stage, string? name) =>
        Do(new RemoveStage(new RouteId(route), stage, name ?? ""), route);

    /// <summary>Lets a kind pass a Kinds stage, or stops it. Without a kind: all of them.</summary>
    /// <param name="route">Which route.</param>
    /// <param name="stage">Which stage, from 0.</param>
    /// <param name="kind">Which kind; none for all.</param>
    /// <param name="pass">Whether it shall pass.</param>
    public IActionResult OnPostKind(int route, int stage, MessageKind? kind, bool pass)
    {
        if (kind is { } known && !Enum.IsDefined(known)) return BadRequest();
        var before = StageAt(route, stage) is KindsStage kinds ? kinds.Passing : KindSet.All;
        var after = kind is { } one ? before.With(one, pass) : pass ? KindSet.All : KindSet.None;
        return Do(new SetStage(new RouteId(route), stage, new KindsStage(after)), route);
    }

    /// <summary>Sets the map of a Channels stage as it was typed.</summary>
    /// <param name="route">Which route.</param>
    /// <param name="stage">Which stage, from 0.</param>
    /// <param name="map">The map, such as "1→3, 5-8".</param>
    /// <param name="was">The mark of the stage that the person saw there.</param>
    public IActionResult OnPostChannels(int route, int stage, string? map, string? was) => ChannelMap.TryParse(map, out var read, out var problem)
        ? Set(route, stage, new ChannelsStage(read), was)
        : Refuse(route, new Problem($"channels-{stage}", problem), map);

    /// <summary>Changes one channel of a Channels stage: it goes on as another, or no more.</summary>
    /// <param name="route">Which route.</param>
    /// <param name="stage">Which stage, from 0.</param>
    /// <param name="from">The channel that messages come on, 1 to 16.</param>
    /// <param name="to">The channel pressed, 1 to 16. Where messages go there already, they do so no more.</param>
    /// <param name="also">Whether they go there as well as where they went before, or instead.</param>
    public IActionResult OnPostChannel(int route, int stage, int from, int to, bool also)
    {
        if (from is < 1 or > Channel.Count || to is < 1 or > Channel.Count)
        {
            return Refuse(route, new Problem("stage", "Channels go from 1 to 16."));
        }
        var map = StageAt(route, stage) is ChannelsStage channels ? channels.Map : ChannelMap.Identity;
        var (source, target) = (Channel.FromNumber(from), Channel.FromNumber(to));
        var before = map[source];
        var targets = before.Contains(target) ? before.With(target, false) : (also ? before : ChannelSet.None).With(target, true);
        return Do(new SetStage(new RouteId(route), stage, new ChannelsStage(map.With(source, targets))), route);
    }

    /// <summary>Keeps an MPE stream whole on a Channels stage, or goes by its map again.</summary>
    /// <param name="route">Which route.</param>
    /// <param name="stage">Which stage, from 0.</param>
    /// <param name="on">Whether the stream is kept whole.</param>
    public IActionResult OnPostWhole(int route, int stage, bool on)
    {
        var map = StageAt(route, stage) is ChannelsStage channels ? channels.Map : ChannelMap.Identity;
        return Do(new SetStage(new RouteId(route), stage, new ChannelsStage(map, on)), route);
    }

    private Stage? StageAt(int route, int stage) => desk.State.Studio.FindRoute(new RouteId(route))?.Stages.ElementAtOrDefault(stage);

    /// <summary>Sets a stage, unless something else stands there than what the person saw.</summary>
    private IActionResult Set(int route, int stage, Stage read, string? was)
    {
        var now = StageAt(route, stage);
        if (was is not null && now is not null && StageForm.Mark(now) != was)
        {
            return Refuse(route, new Problem(
                "stage", $"Another window has set this {now.Name} stage to “{now.Sign}” meanwhile. Nothing was changed: look at it and set it again."));
        }
        return Do(new SetStage(new RouteId(route), stage, read, was is null ? null : now), route);
    }

    private IActionResult Do(StudioEdit edit, int? route)
    {
        var result = desk.Apply(edit);
        Look(With(result is { Problem: null, NewId: > 0 } ? result.NewId : route), result.Problem);
        return Answer();
    }

    private IActionResult Refuse(int? route, Problem problem, string? typed = null)
    {
        Look(With(route), problem, typed);
        return Answer();
    }

    private PlanAddress With(int? route)
    {
        var address = PlanAddress.Of(Request);
        return route is > 0 and var id ? address with { Routes = [new RouteId(id)], Traces = false, Message = null, From = 0, Reach = 0 } : address;
    }

    private void Look(PlanAddress address, Problem? problem = null, string? typed = null, string? traceProblem = null)
    {
        var state = desk.State;
        var chosen = address.Chosen.Select(state.Studio.FindRoute).OfType<Route>().ToList();
        if (address.Focus?.NameIn(state.Studio) is null) address = address with { Focus = null };
        address = address with { Routes = [.. chosen.Select(route => route.Id)] };
        var (journey, reaching) = Trace(address, state.Studio, ref traceProblem);
        View = new PlanView(
            state,
            desk.Junction.Plan,
            address,
            address.Page == PlanPage.Grid ? null : PlanLayout.Compute(
                state.Studio, Request.Width() - ScrollBar, new PlanLook(address.Page == PlanPage.Departures ? PlanSide.Departures : PlanSide.Arrivals, address.Focus, address.Folded)),
            chosen,
            problem,
            typed)
        {
            Room = desk.Park.State,
            Journey = journey,
            Reaching = reaching,
            TraceProblem = traceProblem,
        };
    }

    private static (Journey? Journey, IReadOnlyList<Reaching>? Reaching) Trace(PlanAddress address, Studio studio, ref string? problem)
    {
        if (!address.Traces || problem is not null) return default;
        if (address.Reach > 0)
        {
            if (studio.FindPort(new PortId(address.Reach)) is { IsSource: false } destination) return (null, Reach.To(studio, destination.Id));
            problem = "That destination is gone: it was removed meanwhile.";
            return default;
        }
        if (string.IsNullOrEmpty(address.Message)) return default;
        if (studio.FindPort(new PortId(address.From)) is not { IsSource: true } source)
        {
            problem = "That source is gone: it was removed meanwhile.";
            return default;
        }
        if (MessageInput.TryRead(address.Message, null, 0, 0, out var message, out var wrong)) return (Journey.Of(studio, source.Id, message), null);
        problem = wrong;
        return default;
    }

    private IActionResult Answer() => this.Answer(View.Problem, Fragment, View, View.Address.ToString());
}
