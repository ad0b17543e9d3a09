using System.Globalization;
using Weiche.Core.Midi;
using Weiche.Core.Stages;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;
using Weiche.Core.Ways;

namespace Weiche.Core.Checks;

/// <summary>Clocks: two that reach one device, none where one is wanted, one where it is not.</summary>
/// <remarks>A clock is what a clock box sends, what a device is said to send where its kinds are told one by one, and, less surely, what
/// an application may send. A device wants the clock where its kinds are told one by one and the clock is among them. A clock in a
/// circle is a circuit like any other.</remarks>
internal static class Clocks
{
    internal static IEnumerable<Finding> Of(CircuitSearch search)
    {
        var flow = search.Flow;
        var byHearer = new Dictionary<DeviceId, List<(Device From, RouteId? By)>>();
        foreach (var device in flow.Studio.Devices.Where(device => device.SendsKinds.Contains(MessageKind.Clock) && (device.Kind.Facts() is { GivesClock: true } or { MayGiveClock: true } || device.SendsKinds != KindSet.All)))
        {
            foreach (var (hearer, by) in Reached(flow, device))
            {
                if (hearer.Id == device.Id) continue;
                if (!byHearer.TryGetValue(hearer.Id, out var list)) byHearer.Add(hearer.Id, list = []);
                if (!list.Exists(item => item.From.Id == device.Id)) list.Add((device, by));
            }
        }
        foreach (var hearer in flow.Studio.Devices)
        {
            var clocks = byHearer.GetValueOrDefault(hearer.Id, []);
            var listens = hearer.ListensKinds.Contains(MessageKind.Clock);
            if (listens && clocks.Count > 1) yield return Two(flow.Studio, hearer, clocks);
            if (listens && clocks.Count == 0 && hearer.ListensKinds != KindSet.All && hearer.Kind.Facts().Listens)
            {
                yield return new Finding(FindingKind.Clock, Severity.Warning, $"clock-none-{hearer.Id}", $"No clock reaches {hearer.Name}", $"{hearer.Name} is said to listen to the clock, and none gets to it.");
            }
            if (listens || hearer.PassesOn()) continue;
            foreach (var (from, by) in clocks.Where(clock => clock.From.Kind.Facts().GivesClock || clock.From.SendsKinds != KindSet.All))
            {
                yield return new Finding(
                    FindingKind.Clock, Severity.Notice, $"clock-unwanted-{from.Id}-{hearer.Id}", $"{hearer.Name} gets a clock that it does not want",
                    $"The clock of {from.Name} gets to {hearer.Name}, which is said not to listen to it. It only takes up the wire.")
                {
                    Routes = by is { } route ? [route] : [],
                    Proposed = NoClock(by),
                };
            }
        }
    }

    private static Finding Two(Studio studio, Device hearer, List<(Device From, RouteId? By)> clocks)
    {
        var sure = clocks.Count(clock => !clock.From.Kind.Facts().MayGiveClock || clock.From.SendsKinds != KindSet.All);
        var names = WordList.Of([.. clocks.Select(clock => clock.From.Name)]);
        // Where they meet at one destination, the engine lets through one at a time.
        var meet = clocks.TrueForAll(clock => clock.By is not null) && clocks.Select(clock => studio.FindRoute(clock.By!.Value)!.To).Distinct().Count() == 1;
        var then = meet ? "the one that comes first is heard, and the other left out." : "it runs at the sum of both.";
        return new Finding(
            FindingKind.Clock, sure > 1 ? Severity.Warning : Severity.Notice, $"clock-two-{hearer.Id}", $"{clocks.Count switch { 2 => "Two clocks", 3 => "Three clocks", var count => string.Create(CultureInfo.InvariantCulture, $"{count} clocks") }} at {hearer.Name}",
            sure > 1 ? $"The clocks of {names} get to {hearer.Name}: {then}" : $"The clocks of {names} get to {hearer.Name}, if each of them sends one: an application may.")
        {
            Routes = [.. clocks.Select(clock => clock.By).OfType<RouteId>().Distinct()],
            Proposed = [.. clocks.SelectMany(clock => NoClock(clock.By)).Distinct()],
        };
    }

    private static System.Collections.Immutable.ImmutableArray<StudioEdit> NoClock(RouteId? route) =>
        route is { } id ? [new AddStage(id, new KindsStage(KindSet.All.With(MessageKind.Clock, false)))] : [];

    /// <summary>The devices that the clock of a device gets to, and the last route on the way.</summary>
    private static List<(Device, RouteId?)> Reached(Flow flow, Device device)
    {
        var reached = new List<(Device, RouteId?)>();
        var by = new Dictionary<int, RouteId?>();
        var next = new Queue<int>();
        for (var place = 0; place < flow.Places.Length; place++)
        {
            if (flow.Places[place] is { } end && flow.Sent[place].Contains(MidiMessage.Clock) && flow.OwnerOf(end)?.Id == device.Id && by.TryAdd(place, null)) next.Enqueue(place);
        }
        while (next.TryDequeue(out var place))
        {
            if (flow.Places[place] is { } end && RoomLinks.HearerAt(flow.Studio, end) is { } hearer) reached.Add((hearer, by[place]));
            foreach (var step in flow.OutOf[place])
            {
                if (!step.Run(MidiMessage.Clock).IsEmpty && by.TryAdd(step.To, step.Route?.Id ?? by[place])) next.Enqueue(step.To);
            }
        }
        return reached;
    }
}
