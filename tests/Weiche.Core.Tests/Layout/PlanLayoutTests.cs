using CsCheck;
using Weiche.Core.Layout;
using Weiche.Core.Midi;
using Weiche.Core.Stages;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;
using Weiche.Files;
using static Weiche.Core.Tests.Rooms;

namespace Weiche.Core.Tests.Layout;

public class PlanLayoutTests
{
    private static readonly Gen<(Studio Studio, PlanLook Look)> AnyPlan = Gen.Select(
            Gen.Int[1, 9],
            Gen.Select(Gen.Int[0, 9], Gen.Int[0, 8], Gen.Int[0, 3]).Array[0, 30],
            Gen.Enum<PlanSide>(),
            Gen.Bool
        )
        .Select((ports, routes, side, folded) => (Build(ports, routes), new PlanLook(side, null, folded)));

    private static Studio Build(int ports, (int From, int To, int Stages)[] routes)
    {
        var names = Enumerable.Range(0, ports).Select(i => $"p{i}").ToArray();
        var studio = Of(names);
        foreach (var (from, to, stages) in routes)
        {
            var source = from == 9 ? AnySource.Plain : (RouteSource)studio.From(names[from % ports]);
            var laid = new LayRoute(source, studio.To(names[to % ports]), Another: true).Apply(studio);
            if (laid.Studio is null)
                continue;
            studio = laid.Studio;
            for (var i = 0; i < stages; i++)
                studio = studio.Must(new AddStage(new RouteId(laid.NewId), new KindsStage(KindSet.All)));
        }
        return studio;
    }

    private static TrackPlan Plan((Studio Studio, PlanLook Look) any) => PlanLayout.Compute(any.Studio, 1280, any.Look);

    [Fact]
    public void No_two_tracks_lie_on_each_other_unless_of_the_same_lane_or_throat()
    {
        AnyPlan.Sample(
            any =>
            {
                var plan = Plan(any);
                foreach (var (one, other) in Pairs(plan.Tracks).Where(pair => pair.Item1.Bundle != pair.Item2.Bundle))
                {
                    foreach (var a in Pieces(one))
                    {
                        foreach (var b in Pieces(other))
                        {
                            if (!LieOnEachOther(a, b))
                                continue;
                            // Rows of one plate may share what lies between them and the plate: the throat.
                            var inThroat =
                                plan.Side == PlanSide.Arrivals
                                    ? one.To == other.To && Math.Max(a.From.X, b.From.X) >= one.Mouth
                                    : one.From == other.From && Math.Min(a.To.X, b.To.X) <= one.Mouth;
                            Assert.True(inThroat, $"{one.Id} and {other.Id} share a track");
                        }
                    }
                }
            },
            iter: 2_000
        );
    }

    [Fact]
    public void No_way_in_the_room_lies_on_another_one_or_on_a_track()
    {
        AnyPlan.Sample(
            any =>
            {
                var plan = Plan(any);
                foreach (var (one, other) in Pairs(plan.Ways))
                {
                    foreach (var (a, b) in Pieces(one.Line).SelectMany(a => Pieces(other.Line).Select(b => (a, b))))
                    {
                        if (!LieOnEachOther(Sorted(a), Sorted(b)))
                            continue;
                        // Ways of one plate share the stub beside it.
                        Assert.True(
                            a.From.Y == a.To.Y && (one.Way.Source == other.Way.Source || one.Way.Destination == other.Way.Destination),
                            "two ways share a track"
                        );
                    }
                }
                foreach (var spot in plan.Ways.SelectMany(way => way.Line))
                    Assert.True(spot.X >= 0 && spot.X <= plan.Width && spot.Y < plan.Height);
                var low = plan.Tracks.SelectMany(track => track.Line).Select(spot => spot.Y).DefaultIfEmpty(0).Max();
                foreach (var way in plan.Ways)
                    Assert.True(way.Sign.Y > low, "ways lie below the tracks");
            },
            iter: 1_000
        );
    }

    [Fact]
    public void Every_track_runs_from_its_sources_plate_to_its_destinations_plate()
    {
        AnyPlan.Sample(
            any =>
            {
                var plan = Plan(any);
                Assert.Equal(
                    any.Studio.Routes.Select(route => route.Id.Value).Order(),
                    plan.Tracks.Select(track => track.Id.Value).Order()
                );
                foreach (var track in plan.Tracks)
                {
                    Assert.Equal(plan.Sources.Single(plate => plate.Source == track.From).Anchor, track.Line[0]);
                    Assert.Equal(plan.Destinations.Single(plate => plate.Id == track.To).Anchor, track.Line[^1]);
                    Assert.Contains(track.Line, spot => spot.Y == track.Row);
                    for (var i = 1; i < track.Line.Length; i++)
                        Assert.True(track.Line[i].X >= track.Line[i - 1].X, "a track never runs back");
                }
            },
            iter: 1_000
        );
    }

    [Fact]
    public void Departures_are_arrivals_seen_from_the_other_side()
    {
        AnyPlan.Sample(
            any =>
            {
                var plan = PlanLayout.Compute(any.Studio, 1280, any.Look with { Side = PlanSide.Departures });
                // The rows of a source stand together, and no other source has a row between them.
                var rows = plan.Tracks.OrderBy(track => track.Row).Select(track => track.From).ToList();
                Assert.Equal(rows.Distinct().Count(), rows.Where((source, i) => i == 0 || rows[i - 1] != source).Count());
                foreach (var track in plan.Tracks)
                {
                    Assert.True(track.Signs.All(sign => sign.Box.X > track.Mouth && sign.Box.Right < track.Count.X));
                    Assert.True(track.Count.X < track.Line[^1].X);
                }
            },
            iter: 500
        );
    }

    [Fact]
    public void What_a_group_gathers_has_a_track_to_it_and_nothing_else_has()
    {
        AnyPlan.Sample(
            any =>
            {
                var plan = Plan((any.Studio, any.Look with { Folded = false }));
                foreach (var gathering in plan.Gatherings)
                {
                    var taken = any
                        .Studio.Routes.Where(route => route.From.Plate == gathering.Source)
                        .SelectMany(any.Studio.SourcesOf)
                        .Select(port => port.Id)
                        .ToHashSet();
                    var members = gathering
                        .Members.Select(spot => plan.Sources.Single(plate => plate.Anchor.Y == spot.Y).Source)
                        .OfType<OneSource>()
                        .Select(one => one.Port)
                        .ToList();
                    Assert.Equal(
                        plan.Sources.Select(plate => plate.Source).OfType<OneSource>().Select(one => one.Port).Where(taken.Contains),
                        members
                    );
                    Assert.Contains(plan.Sources, plate =>
                        plate.Source == gathering.Source && plate.Anchor.Y <= gathering.Line[1].Y && plate.Anchor.Y >= gathering.Line[0].Y
                    );
                }
                Assert.Equal(
                    any.Studio.Routes.Where(route => route.From is not OneSource && any.Studio.SourcesOf(route).Any())
                        .Select(route => route.From.Plate)
                        .Distinct()
                        .Count(),
                    plan.Gatherings.Length
                );
            },
            iter: 500
        );
    }

    [Fact]
    public void Folding_takes_away_just_the_ports_that_nothing_uses_and_says_how_many()
    {
        AnyPlan.Sample(
            any =>
            {
                var open = PlanLayout.Compute(any.Studio, 1280, any.Look with { Folded = false });
                var folded = PlanLayout.Compute(any.Studio, 1280, any.Look with { Folded = true });
                Assert.Equal(
                    open.Sources.Length - folded.Sources.Length,
                    folded.Folds.Where(fold => fold.IsSource).Sum(fold => fold.Count)
                );
                Assert.Equal(
                    open.Destinations.Length - folded.Destinations.Length,
                    folded.Folds.Where(fold => !fold.IsSource).Sum(fold => fold.Count)
                );
                Assert.Equal(open.Tracks.Select(track => track.Id), folded.Tracks.Select(track => track.Id));
                foreach (var gone in open.Sources.Select(plate => plate.Source).Except(folded.Sources.Select(plate => plate.Source)))
                    Assert.DoesNotContain(any.Studio.Routes, route => route.From.Plate == gone);
            },
            iter: 300
        );
    }

    [Fact]
    public void In_focus_stands_all_that_touches_it_and_nothing_else()
    {
        var studio = DemoStudio.Create();
        TrackPlan In(PlanFocus focus) => PlanLayout.Compute(studio, 1280, new PlanLook(PlanSide.Arrivals, focus));
        var zinn = studio.Devices.Single(device => device.Name == "Zinn");
        var plan = In(new DeviceFocus(zinn.Id));
        Assert.Equal(
            studio.Routes.Where(route => studio.FindPort(route.To)!.Value.Device.Id == zinn.Id).Select(route => route.Id.Value).Order(),
            plan.Tracks.Select(track => track.Id.Value).Order()
        );
        Assert.Equal([zinn.Name], plan.Destinations.Select(plate => studio.FindPort(plate.Id)!.Value.Name));

        // Bandhaus hears everything, and what it passes on from its track goes to Brandung, which any source takes: a circle.
        var bandhaus = studio.Destinations.Single(port => port.Name == "Bandhaus").Id;
        var track4 = new CircuitFocus(studio.Sources.Single(port => port.Name == "Bandhaus B").Id, bandhaus);
        plan = In(track4);
        Assert.Contains(plan.Tracks, track =>
            track.From == studio.Sources.Single(port => port.Name == "Bandhaus B").Id && studio.FindPort(track.To)!.Value.Name == "Brandung"
        );
        Assert.Contains(plan.Tracks, track => track.From == AnySource.Plain);
        Assert.DoesNotContain(plan.Tracks, track => studio.FindPort(track.To)!.Value.Name == "Zinn");
        Assert.Contains(plan.Ways, way => way.Text == "Brandung: sequencer page");
        foreach (var focus in (PlanFocus[])[track4, new DeviceFocus(zinn.Id), new PortFocus(bandhaus)])
            Assert.Equal(focus, PlanFocus.Parse(focus.Key));
        Assert.All(["", "way-3", "port-x", "device-1-2", "nothing"], key => Assert.Null(PlanFocus.Parse(key)));
        Assert.Empty(In(new PortFocus(new PortId(9999))).Tracks);
    }

    [Fact]
    public void What_another_program_connects_on_one_side_lies_beside_its_plates_and_on_nothing_else()
    {
        Gen.Select(AnyPlan, Gen.Select(Gen.Int[0, 8], Gen.Int[0, 8], Gen.Bool).Array[1, 5])
            .Sample(
                (any, cables) =>
                {
                    var (sources, destinations) = (any.Studio.Sources.ToList(), any.Studio.Destinations.ToList());
                    var outside = cables
                        .Select(cable =>
                            (cable.Item3 ? sources : destinations) is var ports
                                ? new OutsideCable(ports[cable.Item1 % ports.Count].Id, ports[cable.Item2 % ports.Count].Id)
                                : default
                        )
                        .Where(cable => cable.From != cable.To)
                        .Distinct()
                        .ToList();
                    // One that leads across is a way like others.
                    var across = new OutsideCable(sources[0].Id, destinations[0].Id);
                    var plan = PlanLayout.Compute(any.Studio.WithOutside([.. outside, across]), 1280, any.Look);
                    Assert.Equal(outside, plan.Beside.Select(each => each.Cable));
                    var left = plan
                        .Sources.Select(plate => plate.Source)
                        .OfType<OneSource>()
                        .ToDictionary(one => one.Port, one => plan.Sources.Single(plate => plate.Source == one).Box);
                    var right = plan.Destinations.ToDictionary(plate => plate.Id, plate => plate.Box);
                    foreach (var (cable, line) in plan.Beside)
                    {
                        foreach (var (port, end) in new[] { (cable.From, line[0]), (cable.To, line[^1]) })
                        {
                            var (box, edge) = left.TryGetValue(port, out var source)
                                ? (source, source.X)
                                : (right[port], right[port].Right);
                            Assert.Equal(edge, end.X);
                            Assert.InRange(end.Y, box.Y, box.Bottom);
                        }
                        Assert.All(line, spot => Assert.InRange(spot.X, 0, plan.Width));
                        Assert.All(plan.Ways.SelectMany(way => Pieces(way.Line)).SelectMany(a => Pieces(line).Select(b => (a, b))), pair =>
                            Assert.False(LieOnEachOther(Sorted(pair.a), Sorted(pair.b)), "it lies on a way")
                        );
                    }
                    foreach (var (one, other) in Pairs(plan.Beside))
                        Assert.True(one.Line[1].X != other.Line[1].X, "two of them share an upright");
                },
                iter: 1_000
            );
    }

    [Fact]
    public void The_ways_of_the_room_are_those_that_the_devices_have()
    {
        var studio = Rooms.QuietDome();
        var ways = PlanLayout.Compute(studio).Ways;
        Assert.Equal(
            ["Bandhaus: track 1", "Bandhaus: track 4", "Brandung: sequencer page", "Weiher 4×4: own routing 3 → 3", "keys to stars"],
            ways.Select(way => way.Text).Order(StringComparer.Ordinal)
        );
        Assert.All(ways, way => Assert.Equal(way.Text == "keys to stars", way.Way.On));
        Assert.False(ways.Single(way => way.Text.StartsWith("Weiher", StringComparison.Ordinal)).Way.IsBack);
        var echo = studio.Devices.Single(device => device.Name == "Brandung").InnerPaths.Single(path => path.Kind == InnerPathKind.Echo);
        var open = studio.Must(new SwitchInnerPath(studio.Devices.Single(device => device.Name == "Brandung").Id, echo.Id, true));
        Assert.True(PlanLayout.Compute(open).Ways.Single(way => way.Text == "Brandung: sequencer page").Way.On);
    }

    [Fact]
    public void Plates_do_not_overlap_and_stay_on_the_plan()
    {
        AnyPlan.Sample(
            any =>
            {
                var plan = Plan(any);
                foreach (
                    var column in (IEnumerable<Box>[])
                        [plan.Sources.Select(plate => plate.Box), plan.Destinations.Select(plate => plate.Box)]
                )
                {
                    var bottom = 0.0;
                    foreach (var box in column)
                    {
                        Assert.True(box.Y >= bottom);
                        bottom = box.Bottom;
                        Assert.True(bottom < plan.Height && box.Right < plan.Width);
                    }
                }
            },
            iter: 500
        );
    }

    [Fact]
    public void Signs_stand_one_after_the_other_on_their_row_and_clear_of_the_count()
    {
        var studio = Of("a", "b").Lay("a", "b", [.. Enumerable.Repeat(new KindsStage(KindSet.All.With(MessageKind.Clock, false)), 12)]);
        var track = Assert.Single(PlanLayout.Compute(studio).Tracks);
        Assert.Matches(@"^\+\d+$", track.Signs[^1].Text);
        Assert.Equal(12, track.Signs.Length - 1 + int.Parse(track.Signs[^1].Text, System.Globalization.CultureInfo.InvariantCulture));
        for (var i = 1; i < track.Signs.Length; i++)
            Assert.True(track.Signs[i].Box.X >= track.Signs[i - 1].Box.Right);
        Assert.True(track.Signs[^1].Box.Right < track.Count.X);
        // Narrow as it may be, of each route the first stage is told, at least by its beginning.
        Assert.All(PlanLayout.Compute(Weiche.Files.DemoStudio.Create(), 1012).Tracks.Where(each => each.Signs.Length > 0), each =>
            Assert.Equal(0, each.Signs[0].Stage)
        );
    }

    [Fact]
    public void A_switch_or_a_stage_moves_no_plate_and_no_track()
    {
        AnyPlan
            .Where(any => any.Studio.Routes.Length > 0)
            .Sample(
                any =>
                {
                    var (studio, before) = (any.Studio, Plan(any));
                    var edited = studio
                        .Must(new SwitchRoute(studio.Routes[0].Id, false))
                        .Must(new AddStage(studio.Routes[^1].Id, new KindsStage(KindSet.None)));
                    var after = Plan((edited, any.Look));
                    Assert.Equal(before.Sources, after.Sources);
                    Assert.Equal(before.Destinations, after.Destinations);
                    Assert.Equal(before.Tracks.SelectMany(track => track.Line), after.Tracks.SelectMany(track => track.Line));
                },
                iter: 500
            );
    }

    [Fact]
    public void The_same_studio_gives_the_same_plan()
    {
        AnyPlan.Sample(
            any =>
            {
                var (one, two) = (Plan(any), Plan(any));
                Assert.Equal(one.Tracks.SelectMany(track => track.Line), two.Tracks.SelectMany(track => track.Line));
                Assert.Equal(one.Points, two.Points);
            },
            iter: 300
        );
    }

    [Fact]
    public void Crossings_are_at_most_a_tenth_above_the_best_order_of_the_lanes()
    {
        var (found, best) = (0L, 0L);
        var lane = Gen.Select(Gen.Int[0, 12], Gen.Int[0, 20].Array[1, 5])
            .Select((feed, rows) => new LaneOrder.Lane(feed * 52 + 65, [.. rows.Distinct().Order().Select(row => 52.0 + row * 26)]));
        lane.Array[1, 6]
            .Sample(
                lanes =>
                {
                    var crossings = LaneOrder.Find(lanes).Crossings;
                    var least = Orders([.. Enumerable.Range(0, lanes.Length)])
                        .Min(order => Pairs(order).Sum(pair => lanes[pair.Item1].CrossingsLeftOf(lanes[pair.Item2])));
                    Assert.True(crossings >= least);
                    Interlocked.Add(ref found, crossings);
                    Interlocked.Add(ref best, least);
                },
                iter: 1_000
            );
        Assert.True(found <= best * 1.1, $"{found} crossings where {best} are possible");
    }

    [Fact]
    public void Of_very_many_lanes_the_order_is_found_within_neighbourhoods_and_its_crossings_are_counted_right()
    {
        Gen.Select(Gen.Int[0, 400], Gen.Int[0, 700].Array[1, 3])
            .Array[161, 260]
            .Sample(
                drawn =>
                {
                    List<LaneOrder.Lane> lanes =
                    [
                        .. drawn.Select(lane => new LaneOrder.Lane(
                            lane.Item1 * 44 + 33,
                            [.. lane.Item2.Distinct().Order().Select(row => 22.0 + row * 22)]
                        )),
                    ];
                    var (order, crossings) = LaneOrder.Find(lanes);
                    Assert.Equal(Enumerable.Range(0, lanes.Count), order.Order());
                    int Told(int[] lanesInOrder) => Pairs(lanesInOrder).Sum(pair => lanes[pair.Item1].CrossingsLeftOf(lanes[pair.Item2]));
                    Assert.Equal(Told(order), crossings);
                    Assert.True(
                        crossings <= Told([.. Enumerable.Range(0, lanes.Count).Reverse()]),
                        "no more than in the order it began with"
                    );
                },
                iter: 20
            );
    }

    [Fact]
    public void The_crossings_told_are_the_crossings_drawn()
    {
        AnyPlan.Sample(
            any =>
            {
                var plan = Plan(any);
                bool IsLane(double x, double mouth) => plan.Side == PlanSide.Arrivals ? x < mouth : x > mouth;
                var bundles = plan
                    .Tracks.GroupBy(track => track.Bundle)
                    .Select(bundle =>
                        (
                            bundle.Key,
                            Lane: bundle
                                .SelectMany(Pieces)
                                .FirstOrDefault(piece => piece.From.X == piece.To.X && IsLane(piece.From.X, bundle.First().Mouth))
                                .From.X,
                            Heights: bundle
                                .Select(track => track.Row)
                                .Append(plan.Side == PlanSide.Arrivals ? bundle.First().Line[0].Y : bundle.First().Line[^1].Y)
                                .ToList(),
                            Levels: bundle.SelectMany(Pieces).Where(piece => piece.From.Y == piece.To.Y).ToList()
                        )
                    )
                    .ToList();
                var drawn = 0;
                foreach (var upright in bundles.Where(bundle => bundle.Lane > 0))
                {
                    foreach (var other in bundles.Where(other => other.Key != upright.Key))
                    {
                        drawn += other
                            .Levels.Where(piece =>
                                piece.From.X <= upright.Lane
                                && piece.To.X >= upright.Lane
                                && piece.From.Y > upright.Heights.Min()
                                && piece.From.Y < upright.Heights.Max()
                            )
                            .Select(piece => piece.From.Y)
                            .Distinct()
                            .Count();
                    }
                }
                Assert.Equal(drawn, plan.Crossings);
            },
            iter: 500
        );
    }

    [Fact]
    public void The_plan_fills_the_width_it_is_given_and_grows_for_very_many_sources()
    {
        var studio = Of("a", "b").Lay("a", "b");
        Assert.Equal(1280, PlanLayout.Compute(studio).Width);
        Assert.Equal(PlanLayout.MinWidth, PlanLayout.Compute(studio, 10).Width);
        var names = Enumerable.Range(0, 64).Select(i => $"p{i}").ToArray();
        var many = names[1..].Aggregate(Of(names), (room, name) => room.Lay(name, "p0"));
        var plan = PlanLayout.Compute(many);
        Assert.True(plan.Width > 1280);
        Assert.Equal(63, plan.Tracks.Select(track => track.Line[2].X).Distinct().Count());
    }

    private static IEnumerable<(T, T)> Pairs<T>(IReadOnlyList<T> items) =>
        items.SelectMany((one, i) => items.Skip(i + 1).Select(other => (one, other)));

    private static IEnumerable<int[]> Orders(int[] items) =>
        items.Length <= 1
            ? [items]
            : items.SelectMany(first => Orders([.. items.Where(item => item != first)]).Select(rest => (int[])[first, .. rest]));

    private static IEnumerable<(Spot From, Spot To)> Pieces(Track track) => Pieces(track.Line);

    private static IEnumerable<(Spot From, Spot To)> Pieces(IReadOnlyList<Spot> line) => line.Zip(line.Skip(1));

    private static (Spot From, Spot To) Sorted((Spot From, Spot To) piece) => piece.From.X <= piece.To.X ? piece : (piece.To, piece.From);

    private static bool LieOnEachOther((Spot From, Spot To) a, (Spot From, Spot To) b)
    {
        if (a.From.Y == a.To.Y && b.From.Y == b.To.Y && a.From.Y == b.From.Y)
            return Math.Min(a.To.X, b.To.X) > Math.Max(a.From.X, b.From.X);
        if (a.From.X == a.To.X && b.From.X == b.To.X && a.From.X == b.From.X)
            return Math.Min(Math.Max(a.From.Y, a.To.Y), Math.Max(b.From.Y, b.To.Y))
                > Math.Max(Math.Min(a.From.Y, a.To.Y), Math.Min(b.From.Y, b.To.Y));
        return false;
    }
}
