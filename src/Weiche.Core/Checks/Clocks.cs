using System.Collections.Immutable;
using System.Globalization;
using Weiche.Core.Midi;
using Weiche.Core.Stages;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;

namespace Weiche.Core.Checks;

/// <summary>Clocks: two that reach one device, none where one is wanted, one where it is not.</summary>
/// <remarks>A clock is what a clock box sends, what a device is said to send where its kinds are told one by one, and, less surely, what
/// an application may send. A device wants the clock where its kinds are told one by one and the clock is among them. A clock in a
/// circle is a circuit like any other. The studio's clock goes out at who follows it, and from there on like anything else.</remarks>
internal static class Clocks
{
    /// <summary>A clock that gets somewhere.</summary>
    /// <param name="Name">Whose it is.</param>
    /// <param name="From">The device that it comes from; null for Weiche's own.</param>
    /// <param name="By">The last route on the way; null for one that the studio's clock goes without.</param>
    /// <param name="Follows">The destination at which the studio's clock goes out; null for a clock by a route.</param>
    /// <param name="IsSure">Whether it is a clock for sure.</param>
    private sealed record Reaching(string Name, DeviceId? From, RouteId? By, PortId? Follows, bool IsSure);

    internal static IEnumerable<Finding> Of(CircuitSearch search)
    {
        var (flow, studio) = (search.Flow, search.Flow.Studio);
        var byHearer = new Dictionary<DeviceId, List<Reaching>>();
        var circles = new List<Finding>();
        foreach (
            var device in studio.Devices.Where(device =>
                device.SendsKinds.Contains(MessageKind.Clock)
                && (device.Kind.Facts() is { GivesClock: true } or { MayGiveClock: true } || device.SendsKinds != KindSet.All)
            )
        )
        {
            var origins = Enumerable
                .Range(0, flow.Places.Length)
                .Where(place =>
                    flow.Places[place] is { } end && flow.Sent[place].Contains(MidiMessage.Clock) && flow.OwnerOf(end)?.Id == device.Id
                );
            var sure = !device.Kind.Facts().MayGiveClock || device.SendsKinds != KindSet.All;
            foreach (var (place, by) in Reached(flow, origins))
                Add(place, new Reaching(device.Name, device.Id, by, null, sure));
        }
        if (studio.MasterNow() is { } master)
        {
            var from = master.Source is { } source ? studio.FindPort(source)?.Device : null;
            foreach (
                var follower in studio.Time.Followers.Where(each =>
                    each.Form != ClockForm.None && studio.FindPort(each.To) is { Port.On: true }
                )
            )
            {
                var reached = Reached(flow, [flow.Number(Place.At(follower.To))!.Value]);
                foreach (var (place, by) in reached)
                    Add(place, new Reaching(master.NameIn(studio), from?.Id, by, follower.To, true));
                if (Circle(flow, master, from, follower, reached) is { } circle)
                    circles.Add(circle);
            }
        }
        foreach (var hearer in studio.Devices)
        {
            var clocks = byHearer.GetValueOrDefault(hearer.Id, []);
            var listens = hearer.ListensKinds.Contains(MessageKind.Clock);
            if (listens && clocks.Count > 1)
                yield return Two(studio, hearer, clocks);
            if (clocks.Count == 0 && hearer.WantsClock() && hearer.Kind.Facts().Listens)
                yield return None(studio, hearer);
            if (listens || hearer.PassesOn())
                continue;
            foreach (var clock in clocks.Where(clock => clock.IsSure))
            {
                yield return new Finding(
                    FindingKind.Clock,
                    Severity.Notice,
                    $"clock-unwanted-{clock.From?.Value ?? 0}-{hearer.Id}",
                    $"{hearer.Name} gets a clock that it does not want",
                    $"The clock of {clock.Name} gets to {hearer.Name}, which is said not to listen to it. It only takes up the wire."
                )
                {
                    Routes = clock.By is { } route ? [route] : [],
                    Proposed = Without(clock),
                };
            }
        }
        foreach (var circle in circles)
            yield return circle;
        foreach (var finding in Untimed(studio))
            yield return finding;

        void Add(int place, Reaching clock)
        {
            if (flow.HearerAt(place) is not { } hearer)
                return;
            // What a device keeps time by itself it does not get from itself.
            if (hearer.Id == clock.From && clock.Follows is null)
                return;
            if (!byHearer.TryGetValue(hearer.Id, out var list))
                byHearer.Add(hearer.Id, list = []);
            if (!list.Exists(item => item.From == clock.From && (item.Follows is null) == (clock.Follows is null)))
                list.Add(clock);
        }
    }

    /// <summary>The clock that goes to a follower and comes back to its master.</summary>
    private static Finding? Circle(
        Flow flow,
        ClockMaster master,
        Device? from,
        Follower follower,
        IReadOnlyList<(int Place, RouteId? By)> reached
    )
    {
        var to = flow.Studio.FindPort(follower.To)!.Value;
        var isSame = from is not null && to.Device.Id == from.Id;
        var comesBack = master.Source is { } source && flow.Number(Place.At(source)) is { } at && reached.Any(each => each.Place == at);
        if (!isSame && !comesBack)
            return null;
        return new Finding(
            FindingKind.Clock,
            Severity.Warning,
            $"clock-circle-{follower.To}",
            $"The clock runs in a circle: {master.NameIn(flow.Studio)}",
            isSame
                ? $"{from!.Name} keeps the time, and the time goes to {to.Name}: it would follow itself, and every hitch would add up."
                : $"The clock of {master.NameIn(flow.Studio)} goes to {to.Name} and from there comes back to where it is followed."
        )
        {
            Port = follower.To,
            Proposed = [new SetFollower(follower with { Form = ClockForm.None })],
        };
    }

    private static Finding None(Studio studio, Device hearer)
    {
        // Weiche can give it one: at the port through which one meets it.
        var to = studio.PortsOf(hearer.Id).FirstOrDefault(port => !port.IsSource);
        var by = studio.MasterNow() is { } master ? $" The studio's clock is {master.NameIn(studio)}." : "";
        return new Finding(
            FindingKind.Clock,
            Severity.Warning,
            $"clock-none-{hearer.Id}",
            $"No clock reaches {hearer.Name}",
            $"{hearer.Name} is said to listen to the clock, and none gets to it.{by}"
        )
        {
            Port = to.Device is null ? null : to.Id,
            Proposed =
                to.Device is null ? []
                : studio.MasterNow() is null
                    ?
                    [
                        new ManyEdits(
                            [
                                new SetMaster(ClockMaster.Own),
                                new SetFollower(new Follower(to.Id, ClockForm.Steadied, hearer.WantsStart(), MidiSpan.Zero)),
                            ],
                            $"Weiche keeps the time, also for {hearer.Name}"
                        ),
                    ]
                : [new SetFollower(new Follower(to.Id, ClockForm.Steadied, hearer.WantsStart(), MidiSpan.Zero))],
        };
    }

    /// <summary>Patterns that nobody keeps the time for.</summary>
    private static IEnumerable<Finding> Untimed(Studio studio)
    {
        if (studio.MasterNow() is not null)
            yield break;
        var live = LiveRoutes.Of(studio);
        foreach (var route in live.WithPattern.Where(live.IsOn))
        {
            yield return new Finding(
                FindingKind.Clock,
                Severity.Warning,
                $"clock-pattern-{route.Id}",
                $"A pattern without time: {studio.Describe(route)}",
                $"{studio.Describe(route)} plays a pattern, and nobody keeps the time: it stays silent."
            )
            {
                Routes = [route.Id],
                Proposed = [new SetMaster(ClockMaster.Own)],
            };
        }
    }

    private static Finding Two(Studio studio, Device hearer, List<Reaching> clocks)
    {
        var sure = clocks.Count(clock => clock.IsSure);
        var names = WordList.Of([.. clocks.Select(clock => clock.Follows is null ? clock.Name : $"{clock.Name} as the studio's clock")]);
        // Where they meet at one destination, the engine lets through one at a time.
        var meet =
            clocks.TrueForAll(clock => clock.By is not null)
            && clocks.Select(clock => studio.FindRoute(clock.By!.Value)!.To).Distinct().Count() == 1;
        var then = meet ? "the one that comes first is heard, and the other left out." : "it runs at the sum of both.";
        return new Finding(
            FindingKind.Clock,
            sure > 1 ? Severity.Warning : Severity.Notice,
            $"clock-two-{hearer.Id}",
            $"{clocks.Count switch { 2 => "Two clocks", 3 => "Three clocks", var count => string.Create(CultureInfo.InvariantCulture, $"{count} clocks") }} at {hearer.Name}",
            sure > 1
                ? $"The clocks of {names} get to {hearer.Name}: {then}"
                : $"The clocks of {names} get to {hearer.Name}, if each of them sends one: an application may."
        )
        {
            Routes = [.. clocks.Select(clock => clock.By).OfType<RouteId>().Distinct()],
            Proposed = [.. clocks.SelectMany(clock => Without(clock)).Distinct()],
        };
    }

    /// <summary>What keeps a clock away.</summary>
    private static ImmutableArray<StudioEdit> Without(Reaching clock) =>
        (clock.By, clock.Follows) switch
        {
            ({ } route, _) => [new AddStage(route, new KindsStage(KindSet.All.With(MessageKind.Clock, false)))],
            (null, { } to) => [new SetFollower(new Follower(to, ClockForm.None, false, MidiSpan.Zero))],
            _ => [],
        };

    /// <summary>The places that a clock gets to, and the last route on the way to each.</summary>
    private static List<(int Place, RouteId? By)> Reached(Flow flow, IEnumerable<int> origins)
    {
        var by = new Dictionary<int, RouteId?>();
        var reached = new List<(int, RouteId?)>();
        var next = new Queue<int>();
        foreach (var origin in origins)
        {
            if (by.TryAdd(origin, null))
                next.Enqueue(origin);
        }
        while (next.TryDequeue(out var place))
        {
            reached.Add((place, by[place]));
            foreach (var step in flow.OutOf[place])
            {
                if (!step.Run(MidiMessage.Clock).IsEmpty && by.TryAdd(step.To, step.Route?.Id ?? by[place]))
                    next.Enqueue(step.To);
            }
        }
        return reached;
    }
}
