using System.Globalization;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Weiche.Core.Layout;
using Weiche.Core.Midi;
using Weiche.Core.Routing;
using Weiche.Core.Stages;
using Weiche.Core.Studios;
using Weiche.Ports;
using Weiche.Web.Desk;

namespace Weiche.Web.Pages;

/// <summary>What Plan shows.</summary>
/// <param name="State">The studio.</param>
/// <param name="Figures">The plan in force, with its figures.</param>
/// <param name="Tracks">The studio laid out.</param>
/// <param name="Chosen">The route in the drawer, or null.</param>
/// <param name="Problem">What could not be done, or null.</param>
/// <param name="Typed">What was typed when there is a problem with it.</param>
public sealed record PlanView(DeskState State, RoutingPlan Figures, TrackPlan Tracks, Route? Chosen, Problem? Problem = null, string? Typed = null)
{
    /// <summary>What is there now, against what the studio says.</summary>
    public required RoomState Room { get; init; }

    /// <summary>Whether a port waits for its device, which is missing.</summary>
    /// <param name="port">The port.</param>
    public bool Waits(DevicePort port) => Room.IsMissing(State.Studio, port.Device) || Room.IsMissing(State.Studio, port.Owner);

    /// <summary>Whether a route waits: nothing of where it comes from is there, or not where it goes to.</summary>
    /// <param name="route">The route.</param>
    public bool Waits(Route route) => State.Studio.FindPort(route.To) is { } to && Waits(to) || State.Studio.SourcesOf(route).All(Waits);

    /// <summary>How many messages a route passed, clock and active sensing left out.</summary>
    /// <param name="route">The route.</param>
    public long Passed(RouteId route) => Figures.Meter(route) is { } meter ? meter.Passed - meter.PassedBackground : 0;
}

/// <summary>Plan: which source reaches which destination, through which stages.</summary>
/// <param name="desk">The running studio.</param>
public sealed class PlanModel(StudioDesk desk) : PageModel
{
    private const string Fragment = "_Plan";

    /// <summary>What is shown.</summary>
    public PlanView View { get; private set; } = null!;

    /// <summary>The page.</summary>
    /// <param name="route">The route in the drawer.</param>
    public IActionResult OnGet(int? route)
    {
        Look(route);
        return this.Show(Fragment, View);
    }

    /// <summary>The routes that a few letters may mean.</summary>
    /// <param name="q">The letters.</param>
    public IActionResult OnGetFind(string? q) => Partial("_Matches", RouteSearch.Find(desk.State.Studio, q));

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
        Look(route, new Problem("letters", sentence), q);
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
        if (StageForm.Fresh(name) is { } stage) return Do(new AddStage(new RouteId(route), stage), route);
        Look(route, new Problem("stage", "There is no such stage."));
        return Answer();
    }

    /// <summary>Sets a stage as it was typed.</summary>
    /// <param name="route">Which route.</param>
    /// <param name="stage">Which stage, from 0.</param>
    /// <param name="name">The stage's name.</param>
    public IActionResult OnPostSet(int route, int stage, string? name)
    {
        if (StageForm.TryRead(name, Request.Form, out var read, out var problem)) return Do(new SetStage(new RouteId(route), stage, read), route);
        Look(route, new Problem($"stage-{stage}", problem), null);
        return Answer();
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
    public IActionResult OnPostChannels(int route, int stage, string? map)
    {
        if (ChannelMap.TryParse(map, out var read, out var problem))
            return Do(new SetStage(new RouteId(route), stage, new ChannelsStage(read)), route);
        Look(route, new Problem($"channels-{stage}", problem), map);
        return Answer();
    }

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
            Look(route, new Problem("stage", "Channels go from 1 to 16."));
            return Answer();
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

    private IActionResult Do(StudioEdit edit, int? route)
    {
        var result = desk.Apply(edit);
        Look(result is { Problem: null, NewId: > 0 } ? result.NewId : route, result.Problem);
        return Answer();
    }

    private void Look(int? route, Problem? problem = null, string? typed = null)
    {
        var state = desk.State;
        var width = Request.Width();
        View = new PlanView(
            state,
            desk.Junction.Plan,
            ArrivalsLayout.Compute(state.Studio, width),
            route is { } id ? state.Studio.FindRoute(new RouteId(id)) : null,
            problem,
            typed)
        {
            Room = desk.Park.State,
        };
    }

    private IActionResult Answer() => this.Answer(View.Problem, Fragment, View, Address);

    private string Address => View.Chosen is { } chosen ? $"/plan?route={chosen.Id}" : "/plan";
}
