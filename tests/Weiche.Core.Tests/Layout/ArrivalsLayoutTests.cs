using CsCheck;
using Weiche.Core.Layout;
using Weiche.Core.Midi;
using Weiche.Core.Stages;
using Weiche.Core.Studios;
using static Weiche.Core.Tests.Rooms;

namespace Weiche.Core.Tests.Layout;

public class ArrivalsLayoutTests
{
    private static readonly Gen<Studio> AnyStudio = Gen.Select(
        Gen.Int[1, 9],
        Gen.Select(Gen.Int[0, 8], Gen.Int[0, 8], Gen.Int[0, 3]).Array[0, 30]).Select(Build);

    private static Studio Build(int ports, (int From, int To, int Stages)[] routes)
    {
        var names = Enumerable.Range(0, ports).Select(i => $"p{i}").ToArray();
        var studio = Of(names);
        foreach (var (from, to, stages) in routes)
        {
            var laid = new LayRoute(studio.From(names[from % ports]), studio.To(names[to % ports])).Apply(studio);
            if (laid.Studio is null) continue;
            studio = laid.Studio;
            for (var i = 0; i < stages; i++) studio = studio.Must(new AddStage(new RouteId(laid.NewId), new KindsStage(KindSet.All)));
        }
        return studio;
    }

    [Fact]
    public void No_two_tracks_lie_on_each_other_unless_of_the_same_source_or_throat()
    {
        AnyStudio.Sample(
            studio =>
            {
                var tracks = ArrivalsLayout.Compute(studio).Tracks;
                foreach (var (one, other) in Pairs(tracks).Where(pair => pair.Item1.From != pair.Item2.From))
                {
                    foreach (var a in Pieces(one))
                    {
                        foreach (var b in Pieces(other))
                        {
                            if (!LieOnEachOther(a, b)) continue;
                            // Routes to one destination may share what lies after the last row: the throat.
                            Assert.True(one.To == other.To && Math.Max(a.From.X, b.From.X) >= one.Count.X, $"{one.Id} and {other.Id} share a track");
                        }
                    }
                }
            },
            iter: 2_000);
    }

    [Fact]
    public void Every_track_runs_from_its_sources_plate_to_its_destinations_plate()
    {
        AnyStudio.Sample(
            studio =>
            {
                var plan = ArrivalsLayout.Compute(studio);
                Assert.Equal(studio.Routes.Select(route => route.Id).Order(Comparer<RouteId>.Create((a, b) => a.Value - b.Value)), plan.Tracks.Select(track => track.Id).OrderBy(id => id.Value));
                foreach (var track in plan.Tracks)
                {
                    Assert.Equal(plan.Sources.Single(plate => plate.Source == track.From).Anchor, track.Line[0]);
                    Assert.Equal(plan.Destinations.Single(plate => plate.Id == track.To).Anchor, track.Line[^1]);
                    Assert.Contains(track.Line, spot => spot.Y == track.Row);
                    for (var i = 1; i < track.Line.Length; i++) Assert.True(track.Line[i].X >= track.Line[i - 1].X, "a track never runs back");
                }
            },
            iter: 1_000);
    }

    [Fact]
    public void Plates_do_not_overlap_and_stay_on_the_plan()
    {
        AnyStudio.Sample(
            studio =>
            {
                var plan = ArrivalsLayout.Compute(studio);
                foreach (var column in (IEnumerable<Box>[])[plan.Sources.Select(plate => plate.Box), plan.Destinations.Select(plate => plate.Box)])
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
            iter: 500);
    }

    [Fact]
    public void Signs_stand_one_after_the_other_on_their_row_and_clear_of_the_count()
    {
        var studio = Of("a", "b").Lay("a", "b", [.. Enumerable.Repeat(new KindsStage(KindSet.All.With(MessageKind.Clock, false)), 12)]);
        var track = Assert.Single(ArrivalsLayout.Compute(studio).Tracks);
        Assert.Matches(@"^\+\d+$", track.Signs[^1].Text);
        Assert.Equal(12, track.Signs.Length - 1 + int.Parse(track.Signs[^1].Text[1..], System.Globalization.CultureInfo.InvariantCulture));
        for (var i = 1; i < track.Signs.Length; i++) Assert.True(track.Signs[i].Box.X >= track.Signs[i - 1].Box.Right);
        Assert.True(track.Signs[^1].Box.Right < track.Count.X);
    }

    [Fact]
    public void A_switch_or_a_stage_moves_no_plate_and_no_track()
    {
        AnyStudio.Where(studio => studio.Routes.Length > 0).Sample(
            studio =>
            {
                var before = ArrivalsLayout.Compute(studio);
                var edited = studio.Must(new SwitchRoute(studio.Routes[0].Id, false)).Must(new AddStage(studio.Routes[^1].Id, new KindsStage(KindSet.None)));
                var after = ArrivalsLayout.Compute(edited);
                Assert.Equal(before.Sources, after.Sources);
                Assert.Equal(before.Destinations, after.Destinations);
                Assert.Equal(before.Tracks.SelectMany(track => track.Line), after.Tracks.SelectMany(track => track.Line));
            },
            iter: 500);
    }

    [Fact]
    public void The_same_studio_gives_the_same_plan()
    {
        AnyStudio.Sample(
            studio =>
            {
                var (one, two) = (ArrivalsLayout.Compute(studio), ArrivalsLayout.Compute(studio));
                Assert.Equal(one.Tracks.SelectMany(track => track.Line), two.Tracks.SelectMany(track => track.Line));
                Assert.Equal(one.Points, two.Points);
            },
            iter: 300);
    }

    [Fact]
    public void Crossings_are_at_most_a_tenth_above_the_best_order_of_the_lanes()
    {
        var (found, best) = (0L, 0L);
        var lane = Gen.Select(Gen.Int[0, 12], Gen.Int[0, 20].Array[1, 5]).Select((feed, rows) =>
            new LaneOrder.Lane(feed * 52 + 65, [.. rows.Distinct().Order().Select(row => 52.0 + row * 26)]));
        lane.Array[1, 6].Sample(
            lanes =>
            {
                var crossings = LaneOrder.Find(lanes).Crossings;
                var least = Orders([.. Enumerable.Range(0, lanes.Length)]).Min(order =>
                    Pairs(order).Sum(pair => lanes[pair.Item1].CrossingsLeftOf(lanes[pair.Item2])));
                Assert.True(crossings >= least);
                Interlocked.Add(ref found, crossings);
                Interlocked.Add(ref best, least);
            },
            iter: 1_000);
        Assert.True(found <= best * 1.1, $"{found} crossings where {best} are possible");
    }

    [Fact]
    public void The_crossings_told_are_the_crossings_drawn()
    {
        AnyStudio.Sample(
            studio =>
            {
                var plan = ArrivalsLayout.Compute(studio);
                var bySource = plan.Tracks.GroupBy(track => track.From).Select(group => (
                    Uprights: group.SelectMany(Pieces).Where(piece => piece.From.X == piece.To.X && piece.From.X < group.First().Count.X).ToList(),
                    Levels: group.SelectMany(Pieces).Where(piece => piece.From.Y == piece.To.Y).ToList(),
                    Lane: group.First())).ToList();
                var drawn = 0;
                foreach (var upright in bySource)
                {
                    var low = upright.Lane.Line[0].Y;
                    foreach (var level in bySource.Where(other => other.Lane.From != upright.Lane.From))
                    {
                        var lane = plan.Tracks.First(track => track.From == upright.Lane.From).Line[2].X;
                        var rows = plan.Tracks.Where(track => track.From == upright.Lane.From).Select(track => track.Row).Append(low).ToList();
                        drawn += level.Levels.Select(piece => (piece.From.Y, Left: piece.From.X <= lane && piece.To.X >= lane))
                            .Where(piece => piece.Left && piece.Y > rows.Min() && piece.Y < rows.Max()).Select(piece => piece.Y).Distinct().Count();
                    }
                }
                Assert.Equal(drawn, plan.Crossings);
            },
            iter: 500);
    }

    [Fact]
    public void The_plan_fills_the_width_it_is_given_and_grows_for_very_many_sources()
    {
        var studio = Of("a", "b").Lay("a", "b");
        Assert.Equal(1280, ArrivalsLayout.Compute(studio).Width);
        Assert.Equal(ArrivalsLayout.MinWidth, ArrivalsLayout.Compute(studio, 10).Width);
        var names = Enumerable.Range(0, 64).Select(i => $"p{i}").ToArray();
        var many = names[1..].Aggregate(Of(names), (room, name) => room.Lay(name, "p0"));
        var plan = ArrivalsLayout.Compute(many);
        Assert.True(plan.Width > 1280);
        Assert.Equal(63, plan.Tracks.Select(track => track.Line[2].X).Distinct().Count());
    }

    private static IEnumerable<(T, T)> Pairs<T>(IReadOnlyList<T> items) =>
        items.SelectMany((one, i) => items.Skip(i + 1).Select(other => (one, other)));

    private static IEnumerable<int[]> Orders(int[] items) => items.Length <= 1
        ? [items]
        : items.SelectMany(first => Orders([.. items.Where(item => item != first)]).Select(rest => (int[])[first, .. rest]));

    private static IEnumerable<(Spot From, Spot To)> Pieces(Track track) => track.Line.Zip(track.Line.Skip(1));

    private static bool LieOnEachOther((Spot From, Spot To) a, (Spot From, Spot To) b)
    {
        if (a.From.Y == a.To.Y && b.From.Y == b.To.Y && a.From.Y == b.From.Y)
            return Math.Min(a.To.X, b.To.X) > Math.Max(a.From.X, b.From.X);
        if (a.From.X == a.To.X && b.From.X == b.To.X && a.From.X == b.From.X)
            return Math.Min(Math.Max(a.From.Y, a.To.Y), Math.Max(b.From.Y, b.To.Y)) > Math.Max(Math.Min(a.From.Y, a.To.Y), Math.Min(b.From.Y, b.To.Y));
        return false;
    }
}
