using System.Collections.Immutable;
using CsCheck;
using Weiche.Core.Checks;
using Weiche.Core.Stages;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;
using Weiche.Core.Tests.Checks;
using static Weiche.Core.Tests.Rooms;

namespace Weiche.Core.Tests.Studios;

/// <summary>Which routes are live, asked one by one and of all at once.</summary>
public class LiveRoutesTests
{
    [Fact]
    public void What_is_live_of_a_source_as_bits_is_what_each_route_says_of_itself()
    {
        var (asked, live) = (0, 0);
        Gen.Select(AnyRoom.Room, Gen.Int[0, 31].Array[9], Gen.Int[0, 99].Array[4])
            .Sample(
                (room, arranged, off) =>
                {
                    var studio = room.Must(new AddLineup("a")).Must(new AddLineup("b")).Must(new AddLineup("c"));
                    var lineups = studio.Lineups.Select(lineup => lineup.Id).ToArray();
                    studio = studio with
                    {
                        Routes =
                        [
                            .. studio.Routes.Select(
                                (route, i) =>
                                    route with
                                    {
                                        Duty = (arranged[i] & 24) == 0 ? Duty.Standing : Duty.In(Of(lineups, arranged[i])),
                                    }
                            ),
                        ],
                        HeldOff = [.. Of([.. studio.Routes], off[0]).Take(2).Select(route => (lineups[off[1] % 3], route.Id))],
                    };
                    foreach (var port in studio.Ports.Where((_, i) => i % 7 == off[2] % 14))
                        studio = studio.Must(new SwitchPort(port.Id, false));
                    foreach (var route in studio.Routes.Where((_, i) => i == off[3] % 20))
                        studio = studio.Must(new SoloRoute(route.Id, true));
                    foreach (LineupId? lineup in (LineupId?[])[null, .. lineups])
                    {
                        var inForce = studio.In(lineup);
                        var routes = LiveRoutes.Of(inForce);
                        var all = new HashSet<RouteId>();
                        for (var source = 0; source < routes.Sources.Length; source++)
                        {
                            var laid = routes.Sources[source];
                            Assert.Equal(routes.From(laid.Source.Id), laid.Routes);
                            var bits = routes.LiveBits(source);
                            for (var i = 0; i < laid.Routes.Length; i++)
                            {
                                var isLive = routes.At(laid.Routes[i], laid.Source) == RouteState.Live;
                                Assert.Equal(isLive, (bits >> i & 1) != 0);
                                Interlocked.Increment(ref asked);
                                if (isLive && all.Add(laid.Routes[i].Id))
                                    Interlocked.Increment(ref live);
                            }
                        }
                        Assert.Equal(all.Count, Checker.Check(inForce).Looked.Routes);
                    }
                },
                iter: 2_000
            );
        Assert.True(asked > 20_000 && live > asked / 8 && live < asked, $"{asked} asked, {live} live");

        static IEnumerable<T> Of<T>(T[] all, int bits) => all.Where((_, i) => (bits >> i & 1) != 0);
    }

    [Fact]
    public void A_source_with_more_routes_than_are_remembered_is_looked_at_all_the_same()
    {
        var names = Enumerable.Range(0, 70).Select(i => $"d{i}").ToArray();
        var studio = Rooms.Of([.. names]).Must(new AddLineup("all")).Must(new AddLineup("few"));
        foreach (var name in names.Skip(1))
            studio = studio.Lay(names[0], name);
        var few = studio.Lineups[1].Id;
        studio = studio with
        {
            Routes = [.. studio.Routes.Select((route, i) => i < 66 ? route with { Duty = Duty.In(studio.Lineups[0].Id) } : route)],
        };
        var all = Checker.Check(studio.In(studio.Lineups[0].Id));
        Assert.Equal(69, all.Looked.Routes);
        Assert.Equal(3, Checker.Check(studio.In(few), all).Looked.Routes);
    }
}
