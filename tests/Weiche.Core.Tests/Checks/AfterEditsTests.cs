using CsCheck;
using Weiche.Core.Checks;
using Weiche.Core.Midi;
using Weiche.Core.Stages;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;
using Weiche.Files;

namespace Weiche.Core.Tests.Checks;

public class AfterEditsTests
{
    [Fact]
    public void What_is_found_after_an_edit_is_what_is_found_anew_whatever_was_looked_at_before()
    {
        var looked = 0;
        Gen.Select(AnyRoom.Room, Gen.Select(Gen.Int[0, 18], Gen.Int[0, 99], Gen.Int[0, 99]).Array[1, 12])
            .Sample(
                (room, choices) =>
                {
                    var report = Checker.Check(room);
                    var versions = new List<(Studio Studio, string[] Told)> { (room, [.. Told(report)]) };
                    foreach (var (what, which, other) in choices)
                    {
                        // Edits are taken back and made again too.
                        var after =
                            what > 15 ? versions[which % versions.Count].Studio
                            : what == 15 ? report.Studio.In(PickId(report.Studio.Lineups, which))
                            : Edit(report.Studio, what, which, other)?.Apply(report.Studio).Studio;
                        if (after is null)
                            continue;
                        Interlocked.Increment(ref looked);
                        report = Checker.Check(after, report);
                        versions.Add((after, [.. Told(Checker.Check(after))]));
                        Assert.Equal(versions[^1].Told, Told(report));
                    }
                    // Several threads look at once: pages at what an edit would do, lineups behind the one in force.
                    Parallel.ForEach(versions, version => Assert.Equal(version.Told, Told(Checker.Check(version.Studio, report))));
                },
                iter: 1_500
            );
        Assert.True(looked > 4_000, $"{looked} edits");
    }

    [Fact]
    public void Keys_are_called_as_the_studio_calls_them_whoever_looks_at_it()
    {
        var studio = DemoStudio.Create();
        var before = Checker.Check(studio);
        Assert.StartsWith("C3 on channel ", Assert.Single(before.OpenCircuits).Sentence, StringComparison.Ordinal);
        var after = Checker.Check(studio.Must(new SetMiddleC(true)), before);
        Assert.StartsWith("C4 on channel ", Assert.Single(after.OpenCircuits).Sentence, StringComparison.Ordinal);
    }

    [Fact]
    public void What_feeds_a_circle_of_several_sources_no_longer_grows_once_the_other_circle_is_open()
    {
        // What a and b send comes together, becomes two keys, and goes to d: one of them comes round by a, the other runs between e and f.
        var studio = Rooms.Room(["a", "b", "d", "e", "f"], "a", "d", "e", "f").Must(new AddGroup("both"));
        foreach (var device in studio.Devices)
            studio = studio.Must(new SetKinds(device.Id, true, KindSet.Of(MessageKind.Note)));
        foreach (var name in new[] { "a", "b" })
            studio = studio.Must(new SetMember(studio.Groups[0].Id, studio.From(name), true));
        studio = studio.Must(new LayRoute(new GroupSource(studio.Groups[0].Id), studio.To("d")));
        studio = studio
            .Must(new AddStage(studio.Routes[0].Id, new ChordStage(0, 7)))
            .Lay("d", "a", new KeysStage(60, 60))
            .Lay("d", "e", new KeysStage(67, 67))
            .Lay("e", "f")
            .Lay("f", "e");
        var before = Checker.Check(studio);
        Assert.Contains(before.OpenCircuits, circuit => circuit.Kind == FindingKind.Growing);
        var after = Checker.Check(studio.Must(new SwitchRoute(studio.Route("f", "e").Id, false)), before);
        Assert.Equal(FindingKind.Endless, Assert.Single(after.OpenCircuits).Kind);
    }

    [Fact]
    public void What_is_taken_away_for_another_reason_than_before_is_told_with_that_reason()
    {
        // Between a and b everything goes round but the clock: what comes from a is diverted to d, and then b follows the studio's.
        var studio = Rooms.Room(["a", "b", "d"], "a", "b").Lay("a", "b").Lay("b", "a").Lay("a", "d", ClockAlone);
        studio = studio.Must(new DivertRoute(studio.Route("a", "d").Id, true)).Must(new SetMaster(ClockMaster.Own));
        var before = Checker.Check(studio);
        Assert.Equal("stopped by a route that diverts", ClockIn(before));
        var follows = studio.Must(new SetFollower(new Follower(studio.To("b"), ClockForm.Steadied, false, MidiSpan.Zero)));
        var after = Checker.Check(follows, before);
        Assert.Equal("stopped by the studio's clock", ClockIn(after));
        Assert.Equal(Told(Checker.Check(follows)), Told(after));
        Assert.Equal("stopped by a route that diverts", ClockIn(Checker.Check(studio, after)));

        static string ClockIn(CheckReport report) =>
            Assert.Single(report.OpenCircuits).Runs.Single(run => run.Kind == MessageKind.Clock).Verdict;
    }

    private static Stage ClockAlone => new KindsStage(KindSet.Of(MessageKind.Clock));

    /// <summary>All that is said of all that was found, and of what was looked at.</summary>
    private static IEnumerable<string> Told(CheckReport report) =>
        report
            .Findings.Select(finding =>
                string.Join(
                    " | ",
                    [
                        finding.Key,
                        finding.Title,
                        finding.Sentence,
                        finding.Round.ToString(),
                        .. finding.Evidence,
                        .. finding.Ring.Select(leg => leg.ToString()),
                        .. finding.Ways.SelectMany(way => way.Legs.Select(leg => leg.ToString()).Prepend(way.Name)),
                        .. finding.Routes.Select(id => id.ToString()),
                        .. finding.Runs.Select(run => run.ToString()),
                    ]
                )
            )
            .Prepend(report.Looked.ToString());

    private static StudioEdit? Edit(Studio studio, int what, int which, int other)
    {
        var (route, device) = (Pick(studio.Routes, which), Pick(studio.Devices, which));
        return what switch
        {
            0 or 1 => route is null ? null : new SwitchRoute(route.Id, !route.On),
            2 => route is null ? null : new RemoveRoute(route.Id),
            3 => route is null ? null : new AddStage(route.Id, new TransposeStage(other % 25 - 12)),
            4 => route is null || route.Stages.IsEmpty ? null : new RemoveStage(route.Id, 0, route.Stages[0].Name),
            5 => device is null || Pick(device.InnerPaths, other) is not { } path
                ? null
                : new SwitchInnerPath(device.Id, path.Id, !path.On),
            6 => Pick(studio.Cables, which) is { } cable && cable != default ? new UnplugCable(cable.From) : null,
            7 => device is null ? null : new RenameDevice(device.Id, $"d{other + 10}"),
            8 => device is null || studio.Devices.Length < 3 ? null : new RemoveDevice(device.Id, WithRoutes: true),
            9 => new AddVirtualPort($"v{other}"),
            10 => new SetMaster(other % 2 == 0 ? ClockMaster.Own : null),
            11 => Pick([.. studio.Destinations], which) is { Device: not null } to
                ? new SetFollower(new Follower(to.Id, other % 3 == 0 ? ClockForm.None : ClockForm.Steadied, other % 2 == 0, MidiSpan.Zero))
                : null,
            12 => new AddLineup($"l{other}"),
            13 => route is null || PickId(studio.Lineups, other) is not { } lineup
                ? null
                : new PlaceRoute(route.Id, lineup, other % 2 == 0),
            _ => new SetMiddleC(other % 2 == 0),
        };
    }

    private static LineupId? PickId(IReadOnlyList<Lineup> lineups, int number) => Pick(lineups, number)?.Id;

    private static T? Pick<T>(IReadOnlyList<T> list, int number) => list.Count == 0 ? default : list[number % list.Count];
}
