using Microsoft.AspNetCore.Mvc;
using Weiche.Core.Midi;
using Weiche.Core.Sets;
using Weiche.Core.Stages;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;
using Weiche.Web.Desk;

namespace Weiche.Web.Pages.Plan;

/// <summary>The stages of the route in the drawer. A stage whose form is one of its sort is set by <see cref="OnPostSet"/>; what is drawn
/// or pressed has a handler here.</summary>
/// <param name="desk">The running studio.</param>
public sealed class StagesModel(StudioDesk desk) : PlanPageModel(desk)
{
    /// <summary>What is here is seen on Plan.</summary>
    public IActionResult OnGet() => LocalRedirect("/plan");

    /// <summary>Puts a stage on a route.</summary>
    /// <param name="route">Which route.</param>
    /// <param name="name">The stage's name.</param>
    public IActionResult OnPostAddStage(int route, string? name)
    {
        return StageSorts.Named(name) is { } sort
            ? Do(new AddStage(new RouteId(route), sort.Fresh), route)
            : Refuse(route, new Problem("stage", "There is no such stage."));
    }

    /// <summary>Sets a stage as it was typed.</summary>
    /// <param name="route">Which route.</param>
    /// <param name="stage">Which stage, from 0.</param>
    /// <param name="name">The stage's name.</param>
    /// <param name="was">The mark of the stage that the person saw there.</param>
    public IActionResult OnPostSet(int route, int stage, string? name, string? was)
    {
        string? Field(string field) => Request.Form.TryGetValue(field, out var value) ? value.ToString() : null;
        if (StageSorts.Named(name) is not { } sort)
            return Refuse(route, new Problem(StagePart.FieldOf(stage), "There is no such stage."), Field("rule"));
        return sort.TryRead(Field, Desk.State.Studio.KeyNaming, out var read, out var problem)
            ? Set(route, stage, read, was)
            : Refuse(route, new Problem(StagePart.FieldOf(stage), problem), Field("rule"));
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
        if (kind is { } known && !Enum.IsDefined(known))
            return BadRequest();
        var before = StageAt(route, stage) is KindsStage kinds ? kinds.Passing : KindSet.All;
        var after =
            kind is { } one ? before.With(one, pass)
            : pass ? KindSet.All
            : KindSet.None;
        return Do(new SetStage(new RouteId(route), stage, new KindsStage(after)), route);
    }

    /// <summary>Sets the map of a Channels stage as it was typed.</summary>
    /// <param name="route">Which route.</param>
    /// <param name="stage">Which stage, from 0.</param>
    /// <param name="map">The map, such as "1→3, 5-8".</param>
    /// <param name="was">The mark of the stage that the person saw there.</param>
    public IActionResult OnPostChannels(int route, int stage, string? map, string? was) =>
        ChannelMap.TryParse(map, out var read, out var problem)
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

    /// <summary>Puts a copy of a stage on another route.</summary>
    /// <param name="route">Which route.</param>
    /// <param name="stage">Which stage, from 0.</param>
    /// <param name="other">The route that gets it.</param>
    public IActionResult OnPostCopyStage(int route, int stage, int other) =>
        Do(new CopyStage(new RouteId(route), stage, new RouteId(other)), route);

    /// <summary>Switches one stage off or on.</summary>
    /// <param name="route">Which route.</param>
    /// <param name="stage">Which stage, from 0.</param>
    /// <param name="name">The stage's name.</param>
    /// <param name="on">On or off.</param>
    public IActionResult OnPostStageOn(int route, int stage, string? name, bool on) =>
        Do(new SwitchStage(new RouteId(route), stage, name ?? "", on), route);

    private Stage? StageAt(int route, int stage) => Desk.State.Studio.FindRoute(new RouteId(route))?.Stages.ElementAtOrDefault(stage);

    /// <summary>Sets a stage, unless something else stands there than what the person saw.</summary>
    private IActionResult Set(int route, int stage, Stage read, string? was)
    {
        var now = StageAt(route, stage);
        if (was is not null && now is not null && StagePart.MarkOf(now) != was)
        {
            return Refuse(
                route,
                new Problem(
                    "stage",
                    $"Another window has set this {now.Name} stage to “{now.Sign(Desk.State.Studio.KeyNaming)}” meanwhile. Nothing was changed: look at it and "
                        + "set it again."
                )
            );
        }
        return Do(new SetStage(new RouteId(route), stage, read, was is null ? null : now), route);
    }
}
