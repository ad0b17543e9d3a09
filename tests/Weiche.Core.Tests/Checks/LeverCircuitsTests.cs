using CsCheck;
using Weiche.Core.Checks;
using Weiche.Core.Midi;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;

namespace Weiche.Core.Tests.Checks;

/// <summary>What levers would close is told before they are worked.</summary>
public class LeverCircuitsTests
{
    [Fact]
    public void A_lever_is_told_of_exactly_if_the_routes_that_it_switches_close_a_circuit()
    {
        Gen.Select(AnyRoom.Room, Gen.Select(Gen.Int[0, 99], Gen.Int[0, 99], Gen.Enum<LeverSwitch>()).Array[1, 3])
            .Sample(
                (room, works) =>
                {
                    if (room.Routes.IsEmpty || room.Sources.FirstOrDefault() is not { Id.Value: > 0 } source)
                        return;
                    foreach (var (key, (one, other, how)) in works.Index())
                    {
                        RouteId[] routes = [room.Routes[one % room.Routes.Length].Id, room.Routes[other % room.Routes.Length].Id];
                        room = room.Must(
                            new AddLever(source.Id, new LeverTrigger(LeverKind.Key, key), new SwitchRoutes([.. routes.Distinct()], how))
                        );
                    }
                    var report = Checker.Check(room);
                    foreach (var lever in room.Levers)
                    {
                        var work = (SwitchRoutes)lever.Work;
                        var worked = work.Routes.Aggregate(room, (studio, id) => studio with
                        {
                            Routes = studio.Routes.Replace(
                                    studio.FindRoute(id)!,
                                    studio.FindRoute(id)! with
                                    {
                                        On = work.How switch
                                        {
                                            LeverSwitch.Off => false,
                                            LeverSwitch.Over => !studio.FindRoute(id)!.On,
                                            _ => true,
                                        },
                                    }
                                )
                        });
                        var then = Checker.Check(worked);
                        var told = report.Findings.Any(finding => finding.Key == $"lever-circuit-{lever.Id.Value}");
                        // Where one is open anyway, a lever may do no more than lead something into it.
                        if (report.OpenCircuits.Any())
                            Assert.True(!told || then.OpensCircuit(report));
                        else
                            Assert.Equal(then.OpenCircuits.Any(), told);
                    }
                },
                iter: 2_000
            );
    }

    [Fact]
    public void It_names_the_lever_shows_the_ring_and_is_mended()
    {
        var studio = Looped(out var back);
        Assert.Empty(Checker.Check(studio).Findings.Where(finding => finding.IsCircuit));
        studio = studio.Must(
            new AddLever(studio.From("keys"), new LeverTrigger(LeverKind.Key, 36), new SwitchRoutes([back], LeverSwitch.WhileHeld))
        );
        var report = Checker.Check(studio);
        Assert.Empty(report.OpenCircuits);
        var finding = Assert.Single(report.Findings, finding => finding.IsCircuit);
        Assert.Equal((FindingKind.LeverCircuit, Severity.Fault), (finding.Kind, finding.Severity));
        Assert.Equal("keys C1 would close a circuit", finding.Title);
        Assert.StartsWith(
            "keys C1 is a lever (far → near while held). Worked, it closes a circuit: ",
            finding.Sentence,
            StringComparison.Ordinal
        );
        Assert.Contains(finding.Ring, leg => leg.Route == back);
        var remedies = RemedySearch.For(report, finding).Remedies;
        Assert.Contains(remedies, remedy => remedy.Edit is RemoveLever);
        Assert.Contains(remedies, remedy => remedy.Edit is SwitchRoute);
        foreach (var remedy in remedies)
            Assert.DoesNotContain(Checker.Check(studio.Must(remedy.Edit)).Findings, each => each.IsCircuit);
        // Once it is on it is a circuit like any other.
        Assert.Single(Checker.Check(studio.Must(new SwitchRoute(back, true))).OpenCircuits);
    }

    [Fact]
    public void Levers_that_close_one_together_are_told_once()
    {
        var studio = Looped(out var back);
        var on = studio.Routes.Single(route => route.To == studio.To("far") && route.From == studio.From("near")).Id;
        studio = studio.Must(new SwitchRoute(on, false));
        foreach (var (key, route) in new[] { (36, back), (38, on) })
            studio = studio.Must(
                new AddLever(studio.From("keys"), new LeverTrigger(LeverKind.Key, key), new SwitchRoutes([route], LeverSwitch.On))
            );
        var finding = Assert.Single(Checker.Check(studio).Findings, finding => finding.IsCircuit);
        Assert.Equal("Levers together would close a circuit", finding.Title);
        Assert.StartsWith("keys C1 and keys D1 are levers", finding.Sentence, StringComparison.Ordinal);
        // One that switches them over in turn never has both on.
        studio = studio.Must(new RemoveLever(studio.Levers[0].Id)).Must(new RemoveLever(studio.Levers[1].Id));
        studio = studio
            .Must(new SwitchRoute(on, true))
            .Must(new AddLever(studio.From("keys"), new LeverTrigger(LeverKind.Key, 36), new SwitchRoutes([on, back], LeverSwitch.Over)));
        Assert.DoesNotContain(Checker.Check(studio).Findings, each => each.IsCircuit);
    }

    /// <summary>keys → near → far, and a way from far to near that is off.</summary>
    private static Studio Looped(out RouteId back)
    {
        var studio = Rooms.Of("keys", "near", "far").Lay("keys", "near").Lay("near", "far").Lay("far", "near");
        studio = studio.WithOutside([new OutsideCable(default, studio.To("keys"))]);
        back = studio.Routes[^1].Id;
        return studio.Must(new SwitchRoute(studio.Routes[^1].Id, false)).InAsIn(studio);
    }
}
