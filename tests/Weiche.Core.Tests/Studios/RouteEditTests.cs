using CsCheck;
using Weiche.Core.Midi;
using Weiche.Core.Sets;
using Weiche.Core.Stages;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;
using Weiche.Core.Tests.Stages;
using Weiche.Core.Ways;
using static Weiche.Core.Tests.Rooms;

namespace Weiche.Core.Tests.Studios;

public class RouteEditTests
{
    private static readonly Stage[] Stages = [new KeysStage(24, 47), new TransposeStage(-12)];

    private static readonly Studio Room = Of("a", "b", "c", "d").Lay("a", "b", Stages).Lay("a", "c");

    [Fact]
    public void A_balance_is_the_scale_of_the_last_velocity_stage_and_leaves_nothing_behind_at_a_hundred()
    {
        var studio = Of("a", "b").Lay("a", "b", new KeysStage(0, 60));
        var id = studio.Routes[0].Id;
        Assert.Equal(100, SetBalance.Of(studio.Routes[0]));
        var softer = studio.Must(new SetBalance(id, 60));
        Assert.Equal([new KeysStage(0, 60), new VelocityStage(scale: 60)], softer.Routes[0].Stages);
        Assert.Equal(60, SetBalance.Of(softer.Routes[0]));
        Assert.Equal(studio.Routes[0].Stages, softer.Must(new SetBalance(id, 100)).Routes[0].Stages);
        // What else a Velocity stage does stays.
        var bent = studio.Must(new AddStage(id, new VelocityStage(20, 120, 80, 5, 30)));
        Assert.Equal(new VelocityStage(20, 120, 150, 5, 30), bent.Must(new SetBalance(id, 150)).Routes[0].Stages[1]);
        Assert.Equal(2, bent.Must(new SetBalance(id, 100)).Routes[0].Stages.Length);
        studio.Refused(new SetBalance(id, 201));
        studio.Refused(new SetBalance(id, -1));
        studio.Refused(new SetBalance(new RouteId(999), 50));
        var full = Enumerable
            .Range(0, Route.MaxStages - 1)
            .Aggregate(studio, (room, _) => room.Must(new AddStage(id, new TransposeStage(1))));
        full.Refused(new SetBalance(id, 50));
    }

    [Fact]
    public void A_route_is_led_elsewhere_with_all_its_stages_and_switches()
    {
        var route = Room.Route("a", "b");
        var studio = Room.Must(new DivertRoute(route.Id, true)).Must(new RelayRoute(route.Id, null, Room.To("d")));
        var moved = studio.FindRoute(route.Id)!;
        Assert.Equal((Room.To("d"), true), (moved.To, moved.Divert));
        Assert.Equal(Stages, moved.Stages);
        moved = studio.Must(new RelayRoute(route.Id, studio.From("c"), null)).FindRoute(route.Id)!;
        Assert.Equal(studio.From("c"), moved.From);
        Assert.Equal(Stages, moved.Stages);
        Assert.Equal("a → b: now from c", new RelayRoute(route.Id, Room.From("c"), null).Title(Room));
        Assert.Equal("a → b: now to d", new RelayRoute(route.Id, null, Room.To("d")).Title(Room));
    }

    [Fact]
    public void It_is_not_led_where_no_route_can_be()
    {
        var route = Room.Route("a", "b").Id;
        Assert.Contains("itself", Room.Refused(new RelayRoute(route, Room.From("b"), null)).Sentence, StringComparison.Ordinal);
        Assert.Contains("gone", Room.Refused(new RelayRoute(route, null, new PortId(999))).Sentence, StringComparison.Ordinal);
        Assert.Contains("gone", Room.Refused(new RelayRoute(new RouteId(999), null, Room.To("d"))).Sentence, StringComparison.Ordinal);
    }

    [Fact]
    public void A_copy_of_a_route_has_its_stages_and_an_id_of_its_own()
    {
        var route = Room.Route("a", "b");
        var studio = Room.Must(new CopyRoute(route.Id, null, Room.To("d")));
        Assert.Equal(Stages, studio.Route("a", "d").Stages);
        Assert.NotEqual(route.Id, studio.Route("a", "d").Id);
        var twice = studio.Must(new CopyRoute(route.Id, null, null));
        Assert.Equal(["a → b (1)", "a → b (2)"], twice.RoutesBetween(Room.From("a"), Room.To("b")).Select(twice.Describe));
        Assert.Equal("a → d", twice.Describe(twice.Route("a", "d")));
        Assert.Equal("Copy a → b as a → d", new CopyRoute(route.Id, null, Room.To("d")).Title(Room));
    }

    [Fact]
    public void A_stage_is_copied_to_another_route_and_switched_off_singly()
    {
        var (one, other) = (Room.Route("a", "b").Id, Room.Route("a", "c").Id);
        var studio = Room.Must(new CopyStage(one, 0, other));
        Assert.Equal([Stages[0]], studio.FindRoute(other)!.Stages);
        Assert.Contains("not there any more", Room.Refused(new CopyStage(one, 2, other)).Sentence, StringComparison.Ordinal);
        Assert.Contains("gone", Room.Refused(new CopyStage(one, 0, new RouteId(999))).Sentence, StringComparison.Ordinal);

        studio = studio.Must(new SwitchStage(one, 0, "Keys", false));
        Assert.Equal([new OffStage(Stages[0]), Stages[1]], studio.FindRoute(one)!.Stages);
        Assert.Equal(MessageSet.All, studio.FindRoute(one)!.Stages[0].Image(MessageSet.All));
        Assert.Contains("not there any more", studio.Refused(new SwitchStage(one, 1, "Keys", false)).Sentence, StringComparison.Ordinal);
        studio = studio.Must(new SwitchStage(one, 0, "Keys", true));
        Assert.Equal(Stages, studio.FindRoute(one)!.Stages);
        Assert.Throws<ArgumentException>(() => new OffStage(new OffStage(Stages[0])));
    }

    [Fact]
    public void Many_edits_are_all_made_or_none_is()
    {
        var (one, other) = (Room.Route("a", "b").Id, Room.Route("a", "c").Id);
        var off = Room.Must(new ManyEdits([new SwitchRoute(one, false), new SwitchRoute(other, false)], "Switch 2 routes off"));
        Assert.All(off.Routes, route => Assert.False(route.On));
        Assert.Contains(
            "gone",
            Room.Refused(new ManyEdits([new SwitchRoute(one, false), new SwitchRoute(new RouteId(999), false)], "x")).Sentence,
            StringComparison.Ordinal
        );
        Assert.Contains("Nothing is chosen", Room.Refused(new ManyEdits([], "x")).Sentence, StringComparison.Ordinal);
        Assert.Contains(
            "at most",
            Room.Refused(new ManyEdits([.. Enumerable.Repeat(new SwitchRoute(one, false), ManyEdits.Most + 1)], "x")).Sentence,
            StringComparison.Ordinal
        );
    }

    [Fact]
    public void What_another_window_did_is_not_undone_without_a_word()
    {
        var route = Room.Route("a", "b").Id;
        var theirs = Room.Must(new SetStage(route, 0, new KeysStage(30, 40)));
        var problem = theirs.Refused(new SetStage(route, 0, new KeysStage(50, 60), Stages[0]));
        Assert.Contains("Another window has set this Keys stage", problem.Sentence, StringComparison.Ordinal);
        Assert.Equal(
            new KeysStage(50, 60),
            theirs.Must(new SetStage(route, 0, new KeysStage(50, 60), new KeysStage(30, 40))).FindRoute(route)!.Stages[0]
        );
    }

    [Fact]
    public void The_keys_that_pass_a_route_are_those_that_the_trace_lets_through()
    {
        Check.Sample(
            Gen.Select(AnyStage.WithoutTime.Array[0, 3], Gen.Int[0, 127]),
            (stages, key) =>
            {
                var studio = Of("a", "b").Lay("a", "b", stages);
                var route = studio.Route("a", "b");
                var passes = Channel.All.Any(channel =>
                    Enumerable
                        .Range(1, 127)
                        .Any(velocity =>
                            RouteTrace.Follow(studio, studio.From("a"), MidiMessage.NoteOn(channel, key, velocity)).Single().Arrives.Length
                            > 0
                        )
                );
                Assert.Equal(passes, (Zones.KeysOf(studio, route) >> key & 1) != 0);
            },
            iter: 200
        );
    }

    [Fact]
    public void A_stage_after_which_nothing_is_left_is_found()
    {
        var studio = Of("a", "b")
            .Lay(
                "a",
                "b",
                new KindsStage(KindSet.Of(MessageKind.Note)),
                new KindsStage(KindSet.Of(MessageKind.Clock)),
                new TransposeStage(1)
            );
        Assert.Equal(1, Zones.NothingPassesFrom(studio, studio.Route("a", "b")));
        Assert.Null(Zones.NothingPassesFrom(Room, Room.Route("a", "b")));
    }

    [Fact]
    public void Of_a_sources_routes_one_alone_is_on_and_all_of_them_again()
    {
        var studio = Of("a", "b", "c", "d").Lay("a", "b").Lay("a", "c").Lay("a", "d").Lay("b", "c");
        var route = studio.Route("a", "c").Id;
        var only = studio.Must(new OnlyRoute(route, false));
        Assert.Equal(["a → c", "b → c"], only.Routes.Where(each => each.On).Select(only.Describe));
        Assert.Equal("Only a → c", new OnlyRoute(route, false).Title(studio));
        var all = only.Must(new OnlyRoute(route, true));
        Assert.All(all.Routes, each => Assert.True(each.On));
        Assert.Contains("gone", studio.Refused(new OnlyRoute(new RouteId(999), false)).Sentence, StringComparison.Ordinal);
    }
}
