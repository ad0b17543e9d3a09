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
    public void One_between_any_two_ports_closes_what_a_virtual_port_in_its_place_would_close()
    {
        Gen.Select(AnyRoom.Room, Gen.Select(Gen.Int[0, 99], Gen.Int[0, 99]).Array[1, 3])
            .Sample(
                (room, ends) =>
                {
                    // Solo and routes that divert say nothing to what Weiche does not carry; a virtual port would be any source too.
                    room = room with
                    {
                        Routes =
                        [
                            .. room
                                .Routes.Where(route => route.From is OneSource)
                                .Select(route => route with { Solo = false, Divert = false }),
                        ],
                    };
                    var ports = room.Sources.Concat(room.Destinations).ToList();
                    if (ports.Count == 0)
                        return;
                    OutsideCable[] cables =
                    [
                        .. ends.Select(end => new OutsideCable(ports[end.Item1 % ports.Count].Id, ports[end.Item2 % ports.Count].Id))
                            .Where(cable => cable.From != cable.To)
                            .Distinct(),
                    ];
                    var (outside, inPlace) = (room.WithOutside([.. cables]), WithVirtualPorts(room, cables));
                    Assert.Equal(cables.Length, outside.Outside.Length);
                    var (found, meant) = (Checker.Check(outside), Checker.Check(inPlace));
                    Assert.Equal(meant.OpenCircuits.Any(), found.OpenCircuits.Any());
                    foreach (var port in ports)
                    {
                        var place = Place.At(port.Id);
                        // What goes on from a destination goes on from the virtual port there.
                        if (!cables.Any(cable => cable.From == port.Id))
                            Assert.Equal(
                                meant.Search.Endless[meant.Search.Flow.Number(place)!.Value],
                                found.Search.Endless[found.Search.Flow.Number(place)!.Value]
                            );
                    }
                },
                iter: 1_500
            );
    }

    /// <summary>The same room with a virtual port in the place of each connection: routes lead there from a source or to where others lead
    /// to a destination, and on to a destination or to where others lead from a source.</summary>
    private static Studio WithVirtualPorts(Studio room, OutsideCable[] cables)
    {
        foreach (var index in Enumerable.Range(0, cables.Length))
            room = room.Must(new AddVirtualPort($"in the place of {index}"));
        PortId[] ins = [.. room.Devices.TakeLast(cables.Length).Select(device => device.FirstPort(PortDirection.Destination)!.Value)];
        PortId[] outs = [.. room.Devices.TakeLast(cables.Length).Select(device => device.FirstPort(PortDirection.Source)!.Value)];
        bool IsSource(PortId port) => room.FindPort(port)!.Value.IsSource;
        var all = (
            from route in room.Routes
            from source in cables
                .Index()
                .Where(cable => route.From == cable.Item.To)
                .Select(cable => RouteSource.FromPortId(outs[cable.Index]))
                .Prepend(route.From)
            from destination in cables
                .Index()
                .Where(cable => cable.Item.From == route.To)
                .Select(cable => ins[cable.Index])
                .Prepend(route.To)
            select route with
            {
                From = source,
                To = destination,
            }
        ).ToList();
        // What comes as if from a program is not what it sends, and what gets to one past Weiche is not what Weiche sends to it.
        foreach (var (index, cable) in cables.Index())
        {
            if (IsSource(cable.From))
                all.Add(new Route(default, cable.From, ins[index], true, []));
            if (!IsSource(cable.To))
                all.Add(new Route(default, outs[index], cable.To, true, []));
        }
        return room with
        {
            Routes = [.. all.Index().Select(route => route.Item with { Id = new RouteId(room.NextId + route.Index) })],
            NextId = room.NextId + all.Count,
        };
    }

    [Fact]
    public void What_is_led_from_where_one_is_played_to_where_another_is_heard_closes_a_circle()
    {
        var studio = Rooms.Of("near", "far").Lay("far", "near");
        var cable = new OutsideCable(studio.To("near"), studio.From("far"));
        Assert.Empty(Checker.Check(studio.WithOutside([cable])).OpenCircuits);
        var fed = studio.WithOutside([cable, new OutsideCable(default, studio.From("far"))]);
        var circuit = Assert.Single(Checker.Check(fed).OpenCircuits);
        Assert.Equal([cable], circuit.Outside);
        var way = Assert.Single(RoomLinks.Of(fed).RoomWays(), way => way.Outside is not null);
        Assert.Equal((studio.From("far"), studio.To("near"), true), (way.Source, way.Destination, way.IsBack));
        Assert.Contains(Trace.Of(fed, studio.From("far"), MidiMessage.NoteOn(Rooms.Ch(1), 60, 90)).Lines(fed), line =>
            line.Way == "as if from far, connected by another program"
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
