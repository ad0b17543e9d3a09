using System.Globalization;
using Weiche.Core.Midi;
using Weiche.Core.Sets;
using Weiche.Core.Stages;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;

namespace Weiche.Core.Checks;

/// <summary>Silence from either side, and what is sent where nobody listens.</summary>
internal static class Hearing
{
    private const int MostProposed = 3;

    /// <summary>For each place which messages there get on to where something is done with them: backward, until nothing is
    /// added.</summary>
    /// <param name="flow">The graph.</param>
    /// <param name="ends">What is done with messages at each place; empty where nothing is.</param>
    internal static MessageSet[] Back(Flow flow, MessageSet[] ends) => Back(flow, ends, isOnlyOnTheWay: false);

    /// <param name="flow">The graph.</param>
    /// <param name="ends">What is done with messages at each place; empty where nothing is.</param>
    /// <param name="isOnlyOnTheWay">Only for places that something leads to; what is found is kept for the next version of the studio, in
    /// which the same will be asked.</param>
    private static MessageSet[] Back(Flow flow, MessageSet[] ends, bool isOnlyOnTheWay)
    {
        var sets = (MessageSet[])ends.Clone();
        for (var i = flow.Components.Length - 1; i >= 0; i--)
        {
            var only = flow.AloneAt[i];
            if (only >= 0)
            {
                if (flow.OutOf[only].Length > 0 && (!isOnlyOnTheWay || flow.Into[only].Length > 0))
                    sets[only] = HeardFrom(only);
                continue;
            }
            var component = flow.Components[i];
            var next = new Queue<int>(component.Places.Reverse());
            var waits = component.Places.ToHashSet();
            while (next.TryDequeue(out var place))
            {
                waits.Remove(place);
                var set = HeardFrom(place);
                if (set.Equals(sets[place]))
                    continue;
                sets[place] = set;
                foreach (var step in flow.IntoWithin[place])
                {
                    if (waits.Add(step.From))
                        next.Enqueue(step.From);
                }
            }
        }
        return sets;

        MessageSet HeardFrom(int place) =>
            RoomMemory.Gather(
                isOnlyOnTheWay && flow.IsOfRoom(place) ? flow.Room.Memory.Heard[place] : null,
                sets[place],
                flow.OutOf[place],
                sets,
                static step => step.To,
                static (step, set) => step.PreImage(set)
            );
    }

    internal static IEnumerable<Finding> Of(CircuitSearch search)
    {
        var flow = search.Flow;
        // Where nothing is laid yet, nothing can be missed.
        if (flow.Studio.Routes.IsEmpty)
            return [];
        var heard = Back(flow, flow.Listening, isOnlyOnTheWay: true);
        var sounds = Back(flow, flow.Sounding, isOnlyOnTheWay: true);
        return SilentSources(flow, sounds).Concat(SilentDestinations(search)).Concat(Unheard(search, heard));
    }

    /// <summary>The places where a device sends by itself something that would sound if it got anywhere.</summary>
    private static IEnumerable<Finding> SilentSources(Flow flow, MessageSet[] sounding)
    {
        foreach (var (device, places, sends) in flow.Room.Players)
        {
            if (Array.Exists(places, place => Sounds(place, flow.Room.SentOnChannels[place])))
                continue;
            var ports = flow.Studio.PortsOf(device.Id).Where(port => port.IsSource).ToList();
            var live = LiveRoutes.Of(flow.Studio);
            var routes = live.AllFrom(ports);
            var on = routes.FindAll(live.IsOn);
            var why =
                ports.Count == 0 ? "It is not met through any port: say where it is plugged in."
                : routes.Count == 0 ? "No route leads on from it."
                : routes.TrueForAll(route => !route.On)
                    ? $"{(routes.Count == 1 ? "Its only route is" : "All its routes are")} switched off."
                : on.Count == 0 ? $"None of its routes is in {InForce(flow.Studio)}."
                : on.Count == 1 ? $"Its only route ends at {WhereTo(flow, on[0])}."
                : "Each of its routes ends at something that makes no sound of its own, or stops what it sends.";
            yield return new Finding(
                FindingKind.Silence,
                Severity.Notice,
                $"silent-{device.Id}",
                $"{device.Name} reaches nothing that sounds",
                why
            )
            {
                Device = device.Id,
                Routes = [.. on.Select(route => route.Id)],
                Proposed = [.. Proposals(flow.Studio, routes, sends.ChannelsIn())],
            };
        }

        // What is on channels stays on channels, and nothing else comes to be there: where nothing leads, a look at what arrives is enough.
        bool Sounds(int place, MessageSet sent) =>
            sounding[place].Overlaps(sent)
            || (
                flow.Into[place].Length == 0
                && Array.Exists(flow.OutOf[place], step => step.BringsAnyOf(flow.Sent[place], sounding[step.To]))
            );
    }

    private static string InForce(Studio studio) => studio.InForce is { } lineup ? studio.NameOf(lineup) : "force";

    /// <summary>What may let something through: a route switched on; a stage taken off; a channel moved to one that is listened
    /// to.</summary>
    private static IEnumerable<StudioEdit> Proposals(Studio studio, List<Route> routes, ChannelSet sent)
    {
        var live = LiveRoutes.Of(studio);
        foreach (var route in routes.Where(route => !live.IsOn(route)).Take(MostProposed))
            yield return route.On && studio.InForce is { } lineup
                ? new PlaceRoute(route.Id, lineup, true)
                : new SwitchRoute(route.Id, true);
        foreach (var route in routes.Where(live.IsOn).Take(MostProposed))
        {
            for (var i = 0; i < route.Stages.Length; i++)
                yield return new RemoveStage(route.Id, i, route.Stages[i].Name);
            foreach (
                var hearer in HearersAt(studio, studio.FindPort(route.To)!.Value)
                    .Where(device => device.Listens.Count is > 0 and < Channel.Count)
            )
            {
                yield return new AddStage(
                    route.Id,
                    new ChannelsStage(
                        ChannelMap.Identity.Leading(
                            sent.Count is > 0 and < Channel.Count ? sent : ChannelSet.All,
                            hearer.Listens.Members.First()
                        )
                    )
                );
            }
        }
    }

    /// <summary>The devices that hear what arrives at a destination: those on its wire, or the destination's own.</summary>
    private static IEnumerable<Device> HearersAt(Studio studio, DevicePort to) =>
        studio.Chain(to.Port.Jack ?? default).Select(link => link.Device).DefaultIfEmpty(to.Device);

    private static string WhereTo(Flow flow, Route route)
    {
        var to = flow.Studio.FindPort(route.To)!.Value;
        return to.Device.Kind.Facts().OnlyShows ? $"{to.Name}, a display"
            : to.Device.Sounds ? $"{to.Name}, which gets nothing of it that it listens to"
            : $"{to.Name}, which makes no sound of its own";
    }

    private static IEnumerable<Finding> SilentDestinations(CircuitSearch search)
    {
        var flow = search.Flow;
        foreach (var (device, places) in flow.Room.Hearing)
        {
            if (Array.Exists(places, place => search.CanReach(place, flow.Listening[place])))
                continue;
            var ports = flow.Studio.PortsOf(device.Id).Where(port => !port.IsSource).ToList();
            var live = LiveRoutes.Of(flow.Studio);
            var routes = live.AllTo(ports);
            var on = routes.FindAll(live.IsOn);
            var why =
                ports.Count == 0 && !device.Jacks.Any(jack => jack.Role == JackRole.In && flow.Studio.CableAt(jack.Id) is not null)
                    ? "Nothing is plugged into it: say where it hangs."
                : routes.Count == 0 ? "No route leads to it."
                : routes.TrueForAll(route => !route.On)
                    ? $"{(routes.Count == 1 ? "The only route to it is" : "All routes to it are")} switched off."
                : on.Count == 0 ? $"None of the routes to it is in {InForce(flow.Studio)}."
                : "Routes lead to it, and nothing that it listens to comes by them: it listens to "
                    + $"{(device.Listens.Count == 16 ? "every channel" : $"channel {device.Listens}")}.";
            yield return new Finding(FindingKind.Silence, Severity.Notice, $"unreached-{device.Id}", $"Nothing reaches {device.Name}", why)
            {
                Device = device.Id,
                Routes = [.. on.Select(route => route.Id)],
                Proposed =
                [
                    .. Proposals(
                        flow.Studio,
                        routes,
                        ChannelSet.AnyOf(routes.SelectMany(flow.Studio.SourcesOf).Select(source => source.Channels))
                    ),
                ],
            };
        }
    }

    /// <summary>Routes of which nothing is heard at all, and channels that a device is said to send on and nobody hears.</summary>
    private static IEnumerable<Finding> Unheard(CircuitSearch search, MessageSet[] heard)
    {
        var flow = search.Flow;
        foreach (var step in flow.Steps.Where(step => step.Route is not null))
        {
            if (step.LostWith(search.Reach(step.From), heard[step.To]) is not var (brings, lost, heardOn))
                continue;
            // What a virtual port is sent is heard where it leads; if it leads nowhere, that is no matter of channels.
            if (flow.PortAt(step.To) is not { } to || to.Device.IsVirtualPort() || to.IsLoose)
                continue;
            var channels = lost.ChannelsIn().Members.Where(channel => !heardOn.Contains(channel)).ToList();
            var isAll = lost.Equals(brings);
            // A device of which nobody said on which channels it sends is not taken to use all of them.
            if (!isAll && channels.Count == 16 - heardOn.Count)
                continue;
            if (!isAll && flow.Studio.SourcesOf(step.Route!).Any(source => source.Channels.Count == 16))
                continue;
            var hearers = HearersAt(flow.Studio, to).ToList();
            var listened = ChannelSet.AnyOf(hearers.Select(device => device.Listens));
            var set = ChannelSet.Of(channels);
            // Where somebody listens to the channel, it is the kind to which nobody does; moving channels would not mend that.
            var deaf = set.Members.Where(channel => !listened.Contains(channel)).ToList();
            var on =
                set.Count == 16 ? "every channel"
                : set.Count == 1 ? $"channel {set}"
                : $"channels {set}";
            var what = deaf.Count > 0 ? on : SetWords.Names(lost.KindsIn());
            var names = WordList.Of([.. hearers.Select(device => device.Name)]);
            var verb = hearers.Count == 1 ? "listens" : "listen";
            yield return new Finding(
                FindingKind.Unheard,
                Severity.Warning,
                string.Create(CultureInfo.InvariantCulture, $"unheard-{step.Route!.Id}"),
                $"{flow.Studio.Describe(step.Route)}: nobody listens to {what}",
                deaf.Count == 0
                    ? $"What the route brings, {what} on {on}, arrives at {to.Name}, and {names} {verb} to {on} but to other kinds "
                        + "of message."
                    : $"What the route brings on {on} arrives at {to.Name}, and {names} {verb} to "
                        + $"{(listened.Count == 0 ? "no channel" : listened.Count == 1 ? $"channel {listened}" : $"channels {listened}")}."
            )
            {
                Routes = [step.Route.Id],
                Messages = lost,
                Proposed =
                    deaf.Count > 0 && listened.Count is > 0 and < 16 && set.Count < 16
                        ?
                        [
                            new AddStage(
                                step.Route.Id,
                                new ChannelsStage(ChannelMap.Identity.Leading(ChannelSet.Of(deaf), listened.Members.First()))
                            ),
                        ]
                        : [],
            };
        }
    }
}
