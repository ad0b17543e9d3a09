using Weiche.Core.Midi;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;

namespace Weiche.Core.Checks;

/// <summary>Cables as they cannot be, or as nothing good comes of.</summary>
internal static class CablingChecks
{
    // Each thru rounds off the edges of the bits a little more; the standard's advice is to stop here ("Hardware", MIDI THRU).
    private const int LongestChain = 3;

    internal static IEnumerable<Finding> Of(CircuitSearch search)
    {
        var (flow, studio) = (search.Flow, search.Flow.Studio);
        foreach (var component in flow.Components)
        {
            if (component.IsClosed && RingOfCables(search, component.Places) is { } ring)
                yield return ring;
        }
        foreach (var finding in flow.Room.Cabling)
            yield return finding;
        if (!flow.Room.HasLoose)
            yield break;
        foreach (var route in studio.Routes.Where(LiveRoutes.Of(studio).IsOn))
        {
            var ends = studio
                .SourcesOf(route)
                .Append(studio.FindPort(route.To)!.Value)
                .Where(port => port.IsLoose && (route.From is OneSource || !port.IsSource))
                .ToList();
            if (ends.Count == 0)
                continue;
            yield return new Finding(
                FindingKind.Cabling,
                Severity.Notice,
                $"loose-{route.Id}",
                $"{studio.Describe(route)}: nothing is plugged into {ends[0].Place}",
                $"The route is on, and no cable is said to be in {ends[0].Place}."
            )
            {
                Routes = [route.Id],
            };
        }
    }

    /// <summary>Places between which cables run in a ring that no port is part of, or null.</summary>
    private static Finding? RingOfCables(CircuitSearch search, int[] places)
    {
        var (flow, studio) = (search.Flow, search.Flow.Studio);
        if (places.Any(place => flow.PortAt(place) is not null || flow.Places[place] is null || !search.Endless[place].IsEmpty))
            return null;
        var devices = places.Select(place => studio.FindJack(new JackId(flow.Places[place]!.Value.Id))!.Value.Device.Name).Distinct();
        return new Finding(
            FindingKind.Cabling,
            Severity.Warning,
            $"ring-{places.Min(place => flow.Places[place]!.Value.Id)}",
            $"The cables of {WordList.Of([.. devices])} run in a ring",
            "What gets in goes round by the thrus for ever, and no jack is left to get in by. Take one cable out."
        )
        {
            Paths = WayWords.PathsOf(places.SelectMany(place => flow.OutOf[place])),
            Proposed =
            [
                .. studio
                    .Cables.Where(cable =>
                        places.Contains(flow.Number(Place.At(cable.From))!.Value) && places.Contains(flow.Number(Place.At(cable.To))!.Value)
                    )
                    .Select(cable => new UnplugCable(cable.From)),
            ],
        };
    }

    /// <summary>What cables and devices alone have to tell, whatever the routes are.</summary>
    internal static IEnumerable<Finding> OfCables(Studio studio)
    {
        foreach (
            var jack in studio.Devices.Where(device => device.IsInterface()).SelectMany(device => device.Jacks.Where(jack => jack.Sends))
        )
        {
            var chain = studio.Chain(jack.Id);
            if (chain.Count <= LongestChain + 1)
                continue;
            yield return new Finding(
                FindingKind.Cabling,
                Severity.Notice,
                $"chain-{jack.Id}",
                $"{chain.Count} devices hang in one chain: {chain[0].Device.Name} to {chain[^1].Device.Name}",
                $"Each thru blurs the bits a little; after {LongestChain} of them a device may miss some. All of them share the 3 "
                    + "125 bytes a second of one wire."
            );
        }
        foreach (
            var jack in studio.Devices.SelectMany(device =>
                device.Jacks.Where(jack => jack.Role == JackRole.Thru && studio.CableAt(jack.Id) is not null).Select(jack => (device, jack))
            )
        )
        {
            if (jack.device.InnerPaths.Any(path => path.To == Place.At(jack.jack.Id)))
                continue;
            yield return new Finding(
                FindingKind.Cabling,
                Severity.Warning,
                $"thru-{jack.jack.Id}",
                $"{jack.device.Name} {jack.jack.Name} repeats nothing",
                $"A cable leads on from {jack.device.Name} {jack.jack.Name}, and the device has no way from its IN to it."
            );
        }
    }
}
