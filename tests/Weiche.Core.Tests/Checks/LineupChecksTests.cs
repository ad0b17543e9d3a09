using CsCheck;
using Weiche.Core.Checks;
using Weiche.Core.Midi;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;
using Weiche.Core.Ways;
using Weiche.Files;
using static Weiche.Core.Tests.Rooms;

namespace Weiche.Core.Tests.Checks;

/// <summary>The checks of an evening: each lineup as if nothing but its routes were there, and what lineups and levers have of their
/// own.</summary>
public class LineupChecksTests
{
    [Fact]
    public void A_lineup_is_found_to_be_what_a_studio_with_its_routes_alone_is_whatever_was_looked_at_before()
    {
        Gen.Select(AnyRoom.Room, Gen.Int[0, 7].Array[0, 9])
            .Sample(
                (room, duties) =>
                {
                    if (room.Routes.IsEmpty)
                        return;
                    var studio = room.Must(new AddLineup("a")).Must(new AddLineup("b")).Must(new AddLineup("c"));
                    var ids = studio.Lineups.Select(lineup => lineup.Id).ToArray();
                    foreach (var (i, mask) in duties.Index().Take(studio.Routes.Length))
                        if (mask > 0)
                            studio = studio.Must(new SetDuty(studio.Routes[i].Id, Duty.In(ids.Where((_, bit) => (mask >> bit & 1) != 0))));
                    CheckReport? before = null;
                    foreach (var id in ids)
                    {
                        var alone = room with
                        {
                            Routes =
                            [
                                .. studio.Routes.Select(route => route with { Duty = Duty.Standing, On = route.On && route.Duty.IsOn(id) }),
                            ],
                        };
                        var expected = Checker.Check(alone);
                        before = Checker.Check(studio.In(id), before);
                        // What is silent says in other words why: a route is off here, and not in the lineup there.
                        Assert.Equal(Told(expected), Told(before));
                        Assert.Equal(expected.OpenCircuits.Count(), before.OpenCircuits.Count());
                        foreach (var source in studio.Sources.Take(2))
                        {
                            var note = MidiMessage.NoteOn(Ch(1), 60, 90);
                            var arrives = (Studio each) =>
                                RouteTrace
                                    .Follow(each, source.Id, note)
                                    .SelectMany(end => end.Arrives.Select(message => (end.Route.Id, message)))
                                    .Order(
                                        Comparer<(RouteId Id, MidiMessage Message)>.Create(
                                            (a, b) => (a.Id.Value, a.Message.ToString()).CompareTo((b.Id.Value, b.Message.ToString()))
                                        )
                                    )
                                    .ToArray();
                            Assert.Equal(arrives(alone), arrives(studio.In(id)));
                        }
                        // Entered without what it is held off, no lineup has a circuit but what stands.
                        var held = LineupChecks.HeldOff(before);
                        var entered = Checker.Check(studio.In(id) with { HeldOff = [.. held.Select(route => (id, route))] });
                        Assert.All(entered.OpenCircuits, circuit =>
                            Assert.All(circuit.Routes, route => Assert.True(studio.FindRoute(route)!.Duty.IsStanding))
                        );
                    }
                },
                iter: 1_500
            );

        static IEnumerable<(string, string)> Told(CheckReport report) =>
            report
                .Findings.Where(finding => finding.Kind != FindingKind.Silence)
                .Select(finding => (finding.Key, finding.Sentence))
                .Order();
    }

    [Fact]
    public void What_is_so_in_several_lineups_is_told_once_and_who_rests_is_not_told()
    {
        var studio = DemoStudio.Create();
        var reports = studio
            .Lineups.OrderBy(lineup => lineup.Id == studio.InForce ? 0 : 1)
            .Select(lineup => Checker.Check(studio.In(lineup.Id)))
            .ToList();
        var all = LineupChecks.Together(reports, LineupChecks.Of(studio));
        Assert.Equal(all.Length, all.Select(placed => placed.Key).Distinct().Count());
        Assert.Equal("in 2 Star field", all.Single(placed => placed.Finding.IsOpenCircuit).Where);
        Assert.All(all.Where(placed => placed.Finding.Kind == FindingKind.Silence), placed => Assert.Equal("in all", placed.Where));
        // A keyboard that sounds nowhere in a lineup is told.
        studio = studio.Must(
            new SetDuty(studio.Routes.First(route => studio.Describe(route) == "Amsel 61 → Brandung").Id, Duty.In(studio.Lineups[1].Id))
        );
        reports = [.. studio.Lineups.Select(lineup => Checker.Check(studio.In(lineup.Id)))];
        Assert.Contains(LineupChecks.Together(reports, []), placed =>
            placed.Finding.Title == "Amsel 61 reaches nothing that sounds" && placed.Where == "in 3 Dawn"
        );
    }

    [Fact]
    public void What_lineups_and_levers_have_of_their_own_is_found_and_the_nearest_that_is_right_is_not()
    {
        var demo = DemoStudio.Create();
        Assert.Empty(LineupChecks.Of(demo));
        var (dusk, zinn) = (demo.Lineups[0].Id, demo.To("Zinn"));
        Assert.Equal(
            "Dusk sends what is not heard: Zinn 7: program 1",
            Single(demo.Must(new AddSending(dusk, new Sending(zinn, [0xC6, 0])))).Title
        );
        // Behind Zinn's thru hangs the drum module, which hears channel 10.
        Assert.Empty(LineupChecks.Of(demo.Must(new AddSending(dusk, new Sending(zinn, [0xC9, 0])))));
        Assert.StartsWith(
            "Two lineups are the same: 2 Star field and 4 Encore",
            Single(demo.Must(new AddLineup("Encore", demo.Lineups[1].Id))).Title,
            StringComparison.Ordinal
        );
        var next = demo.Levers.Single(lever => lever.Work is StepLineup);
        Assert.Empty(LineupChecks.Of(demo.Must(new RemoveLever(next.Id))));
        var without = demo.Must(new RemoveLever(next.Id)).Must(new RemoveLever(demo.Levers[2].Id));
        Assert.Equal("No lever enters 3 Dawn", Single(without).Title);
        Assert.Equal(
            "A lever that cannot work: Kies modulation",
            Single(demo.Must(new AddLever(demo.From("Kies"), new LeverTrigger(LeverKind.Control, 1), new Silence()))).Title
        );
        Assert.Equal(
            "A lever that cannot work: Amsel 61 C1 on channel 2",
            Single(demo.Must(new AddLever(demo.From("Amsel 61"), new LeverTrigger(LeverKind.Key, 36, 1), new Silence()))).Title
        );
        Assert.Equal("A lever that sounds: Tritt 13 C2", Single(demo.Must(new SetLeverGoesOn(next.Id, true))).Title);

        static Finding Single(Studio studio) => Assert.Single(LineupChecks.Of(studio));
    }
}
