using CsCheck;
using Weiche.Core.Checks;
using Weiche.Core.Midi;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;
using Weiche.Core.Ways;

namespace Weiche.Core.Tests.Checks;

/// <summary>What other programs connect is part of the graph: a circle is found that is closed outside of Weiche.</summary>
public sealed class OutsideCableTests
{
    [Fact]
    public void A_connection_of_another_program_closes_what_a_route_in_its_place_would_close()
    {
        Gen.Select(AnyRoom.Room, Gen.Select(Gen.Int[0, 99], Gen.Int[0, 99]).Array[1, 3])
            .Sample(
                (room, ends) =>
                {
                    // Solo and routes that divert say nothing to what Weiche does not carry.
                    room = room with { Routes = [.. room.Routes.Select(route => route with { Solo = false, Divert = false })] };
                    var (sources, destinations) = (room.Sources.ToList(), room.Destinations.ToList());
                    if (sources.Count == 0 || destinations.Count == 0)
                        return;
                    OutsideCable[] cables =
                    [
                        .. ends.Select(end => new OutsideCable(
                                sources[end.Item1 % sources.Count].Id,
                                destinations[end.Item2 % destinations.Count].Id
                            ))
                            .Distinct(),
                    ];
                    var outside = room.WithOutside([.. cables]);
                    var routed = room with
                    {
                        Routes =
                        [
                            .. room.Routes,
                            .. cables
                                .Index()
                                .Select(cable => new Route(
                                    new RouteId(room.NextId + cable.Index),
                                    cable.Item.From,
                                    cable.Item.To,
                                    true,
                                    []
                                )),
                        ],
                        NextId = room.NextId + cables.Length,
                    };
                    var (found, meant) = (Checker.Check(outside), Checker.Check(routed));
                    Assert.Equal(meant.OpenCircuits.Any(), found.OpenCircuits.Any());
                    // At each place the same goes on for ever.
                    foreach (var place in found.Search.Flow.Room.Places)
                        Assert.Equal(
                            meant.Search.Endless[meant.Search.Flow.Number(place)!.Value],
                            found.Search.Endless[found.Search.Flow.Number(place)!.Value]
                        );
                    foreach (
                        var circuit in found
                            .OpenCircuits.Where(circuit => !circuit.Outside.IsEmpty && !Checker.Check(room).OpenCircuits.Any())
                            .Take(1)
                    )
                    {
                        // What another program closed alone is mended by taking that off.
                        var remedies = RemedySearch.For(found, circuit).Remedies;
                        foreach (var remedy in remedies.Where(remedy => remedy.Edit is PartOutside))
                            Assert.DoesNotContain(Checker.Check(outside.Must(remedy.Edit)).OpenCircuits, other =>
                                other.Key == circuit.Key && other.Outside.Contains(((PartOutside)remedy.Edit).Cable)
                            );
                        if (circuit.Outside.Length == 1)
                            Assert.Contains(remedies, remedy => remedy.Edit is PartOutside || remedy.Cost == 0);
                    }
                },
                iter: 1_500
            );
    }

    [Fact]
    public void A_ring_through_one_names_it_and_is_mended_by_taking_it_off()
    {
        var studio = Rooms.Of("near", "far").Lay("far", "near");
        Assert.Empty(Checker.Check(studio).OpenCircuits);
        var cable = new OutsideCable(studio.From("near"), studio.To("far"));
        // As long as nobody sends anything to either of them nothing goes round.
        Assert.Empty(Checker.Check(studio.WithOutside([cable])).OpenCircuits);
        studio = studio.WithOutside([cable, new OutsideCable(default, studio.To("far"))]);
        var report = Checker.Check(studio);
        var circuit = Assert.Single(report.OpenCircuits);
        Assert.Equal([cable], circuit.Outside);
        Assert.Contains(circuit.Ring, leg => leg.Way == "another program" && leg.Port == cable.From);
        var remedy = RemedySearch.For(report, circuit).Remedies.Single(each => each.Edit is PartOutside);
        Assert.Equal("Take off near → far, connected by another program", remedy.Title);
        Assert.Empty(Checker.Check(studio.Must(remedy.Edit)).OpenCircuits);
        Assert.Contains("gone already", studio.WithOutside([]).Refused(remedy.Edit).Sentence, StringComparison.Ordinal);
    }

    [Fact]
    public void Edits_keep_it_as_long_as_both_ends_are_there_and_a_file_never_has_it()
    {
        var studio = Rooms.Of("near", "far").WithOutside([new OutsideCable(new PortId(2), new PortId(6))]);
        Assert.Single(studio.Outside);
        Assert.Single(studio.Must(new AddVirtualPort("more")).InAsIn(studio).Outside);
        Assert.Empty(studio.Must(new RemoveDevice(studio.Devices[1].Id)).InAsIn(studio).Outside);
        Assert.Empty(Weiche.Files.StudioJson.Read(Weiche.Files.StudioJson.Write(studio)).Outside);
        Assert.Single(Weiche.Files.StudioJson.Read(Weiche.Files.StudioJson.Write(studio)).InAsIn(studio).Outside);
    }

    [Fact]
    public void A_trace_follows_it()
    {
        var studio = Rooms.Of("near", "far").WithOutside([new OutsideCable(new PortId(2), new PortId(6))]);
        Assert.Equal((studio.From("near"), studio.To("far")), (new PortId(2), new PortId(6)));
        var trace = Trace.Of(studio, studio.From("near"), MidiMessage.NoteOn(Rooms.Ch(1), 60, 90));
        Assert.Contains(trace.Lines(studio), line => line.Way == "to far, connected by another program");
    }
}
