using System.Globalization;
using Weiche.Core.Midi;
using Weiche.Core.Sets;
using Weiche.Core.Stages;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;

namespace Weiche.Core.Checks;

/// <summary>What a destination's wire has to carry at worst.</summary>
/// <param name="Port">The destination.</param>
/// <param name="Capacity">What the wire carries, bytes a second.</param>
/// <param name="Worst">What may come at worst, bytes a second.</param>
/// <param name="By">What each device brings of it, bytes a second, the most first.</param>
/// <param name="IsMeasured">Whether that much was measured, and what the devices are taken to send would have been less.</param>
public sealed record WorstLoad(PortId Port, int Capacity, int Worst, IReadOnlyList<(Device Device, int Bytes)> By, bool IsMeasured = false);

/// <summary>The load of each wire at worst: from what devices can send when all of them are played as hard as they can be.</summary>
/// <remarks>How much that is, is a table of what the sorts of device do (docs/checks.md), or what a person said of the device, or what was
/// measured, if that was more; three bytes a message, two where there are only two: running status is left out, which makes it a little
/// less. A device on a DIN wire sends no more than that wire carries. System exclusive is left out: it waits.</remarks>
internal static class WireLoads
{
    // Another figure is worth telling from so much of what the wire carries on.
    private const int NoticeablePercent = 2;

    // From here on a wire is near its limit.
    private const int NearPercent = 80;
    private const int Fingers = 5;

    /// <summary>The loads, by destination, of those to which anything comes.</summary>
    internal static IEnumerable<WorstLoad> Of(Flow flow, WaySearch search, Measured measured)
    {
        // Where nothing was measured yet, nobody asks by which source it came.
        var through = measured.Rates.IsEmpty ? [] : SourcesOf(flow, search);
        foreach (var destination in search.Wires.GroupBy(way => way.Destination))
        {
            var port = flow.PortAt(destination.Key)!.Value;
            // What a device would bring to itself is a double, and told as one.
            var by = destination
                .Where(way => way.From.Id != port.Device.Id)
                .GroupBy(way => way.From.Id)
                .Select(group =>
                    (
                        group.First().From,
                        Bytes: (int)
                            Math.Ceiling(
                                group
                                    .GroupBy(way => way.Origin)
                                    .Sum(ways => Cap(ways.First(), ways.Sum(way => BytesOf(flow, way, through, measured))))
                            )
                    )
                )
                .Where(item => item.Bytes > 0)
                .OrderByDescending(item => item.Bytes)
                .ToList();
            var (worst, most) = (by.Sum(item => item.Bytes), measured.Loads.GetValueOrDefault(port.Id));
            if (by.Count > 0)
                yield return new WorstLoad(port.Id, port.Port.Wire.BytesPerSecond()!.Value, Math.Max(worst, most), by, most > worst);
        }

        double Cap(WireWay way, double bytes) =>
            flow.Places[way.Origin] is { Kind: PlaceKind.Jack } ? Math.Min(bytes, WireKind.Din.BytesPerSecond()!.Value) : bytes;
    }

    /// <summary>The source by which what a device sends on a way comes to Weiche, where nothing else comes by it: what is measured there is
    /// what that device sends.</summary>
    private static Dictionary<int, PortId> SourcesOf(Flow flow, WaySearch search)
    {
        var sources = search
            .Wires.Select(way =>
                (
                    way.Origin,
                    By: way.From.Id,
                    Source: flow.PortAt(way.Origin) is { IsSource: true } own
                        ? own.Id
                        : way.Steps.Select(step => flow.PortAt(step.To)).FirstOrDefault(port => port is { IsSource: true })?.Id
                )
            )
            .Distinct()
            .ToList();
        var shared = sources
            .GroupBy(item => item.Source)
            .Where(group => group.Select(item => item.By).Distinct().Skip(1).Any())
            .Select(group => group.Key)
            .ToHashSet();
        return sources
            .Where(item => item.Source is not null && !shared.Contains(item.Source))
            .GroupBy(item => item.Origin)
            .Where(group => group.Count() == 1)
            .ToDictionary(group => group.Key, group => group.First().Source!.Value);
    }

    /// <summary>Whether loads are so much others that it is worth telling.</summary>
    internal static bool AreOthers(IReadOnlyList<WorstLoad> before, IReadOnlyList<WorstLoad> after) =>
        before.Count != after.Count
        || before
            .Zip(after)
            .Any(pair =>
                pair.First.Port != pair.Second.Port
                || Math.Abs((long)pair.First.Worst - pair.Second.Worst) * 100 >= (long)pair.First.Capacity * NoticeablePercent
                || IsNear(pair.First) != IsNear(pair.Second)
            );

    private static bool IsNear(WorstLoad load) => (long)load.Worst * 100 >= (long)load.Capacity * NearPercent;

    internal static IEnumerable<Finding> Findings(Flow flow, WaySearch search, IReadOnlyList<WorstLoad> loads)
    {
        foreach (var load in loads.Where(IsNear))
        {
            var port = flow.Studio.FindPort(load.Port)!.Value;
            var most = load.By[0];
            var route = search
                .Wires.Where(way => way.From.Id == most.Device.Id && flow.PortAt(way.Destination)?.Id == load.Port)
                .Select(way => way.Steps.LastOrDefault(step => step.Route is not null)?.Route)
                .FirstOrDefault(each => each is not null);
            var over = load.Worst > load.Capacity;
            var share = string.Create(CultureInfo.InvariantCulture, $"{100.0 * load.Worst / load.Capacity:0} %");
            yield return new Finding(
                FindingKind.Wire,
                Severity.Warning,
                $"wire-{load.Port}",
                $"{port.Name}: {NameOf(port.Port.Wire)} wire at {share} when {most.Device.Name} plays",
                string.Create(
                    CultureInfo.InvariantCulture,
                    $"{load.Worst} of {load.Capacity} bytes a second{(load.IsMeasured ? ": so much was measured while you played" : ", if everybody plays as hard as they can")}. "
                )
                    + (
                        over
                            ? "Messages will be late: controllers are thinned, notes wait, and none is lost."
                            : "There is hardly any room left."
                    )
            )
            {
                Port = load.Port,
                Routes = route is null ? [] : [route.Id],
                Evidence =
                [
                    .. load
                        .By.Take(6)
                        .Select(item =>
                            string.Create(CultureInfo.InvariantCulture, $"{item.Device.Name} brings up to {item.Bytes} bytes a second.")
                        ),
                ],
                Proposed = route is null
                    ? []
                    :
                    [
                        new AddStage(route.Id, new ThinStage(25)),
                        new AddStage(route.Id, new KindsStage(KindSet.All.With(MessageKind.ControlChange, false))),
                    ],
            };
        }
    }

    internal static string NameOf(WireKind wire) =>
        wire switch
        {
            WireKind.Din => "DIN",
            WireKind.Usb => "USB",
            WireKind.Bluetooth => "Bluetooth",
            WireKind.Network => "network",
            _ => "virtual",
        };

    private static double BytesOf(Flow flow, WireWay way, Dictionary<int, PortId> through, Measured measured)
    {
        var bytes = 0.0;
        var passing = way.Steps.Reverse().Aggregate(MessageSet.All, (set, step) => step.PreImage(set)).Intersect(flow.Sent[way.Origin]);
        foreach (var kind in passing.KindsIn().Members)
        {
            var rate = (double)way.From.WorstRateOf(kind);
            if (through.TryGetValue(way.Origin, out var source))
                rate = Math.Max(rate, measured.Rates.GetValueOrDefault((source, kind)));
            if (rate == 0)
                continue;
            var channels = kind.HasChannel() ? flow.Sent[way.Origin].ChannelsOf(kind).Count : 0;
            if (kind is MessageKind.ControlChange or MessageKind.ChannelPressure or MessageKind.PitchBend)
            {
                var hands = Math.Min(Fingers, channels);
                foreach (var most in way.Steps.SelectMany(step => step.Stages).Select(stage => stage.MostPerSecond).OfType<int>())
                    rate = Math.Min(rate, (double)most * hands);
            }
            // Of notes half are note-ons and half note-offs; what a chord makes of one counts as often.
            // A surface has a channel for each finger: of those that play, not all need be on the channels that get through.
            if (way.From.Kind.Facts().IsMpe && channels > 0)
                rate *= Math.Min(1.0, (double)passing.ChannelsOf(kind).Count / Math.Min(Fingers, channels));
            bytes += rate * Step.Run(way.Steps, passing.Usual(kind)).Sum(message => 1 + message.DataLength);
        }
        return bytes;
    }
}
