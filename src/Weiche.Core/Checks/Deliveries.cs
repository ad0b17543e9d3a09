using Weiche.Core.Midi;
using Weiche.Core.Sets;
using Weiche.Core.Studios;

namespace Weiche.Core.Checks;

/// <summary>What a device sends that another one would no longer hear.</summary>
/// <param name="From">The device that sends.</param>
/// <param name="To">The device that would no longer hear it.</param>
/// <param name="Messages">What is lost, as it is sent.</param>
public sealed record LostDelivery(Device From, Device To, MessageSet Messages)
{
    /// <summary>In words: "Bandhaus → Brandung: notes on channel 3".</summary>
    public override string ToString() => $"{From.Name} → {To.Name}: {SetWords.Of(Messages, KeyNaming.Usual)}";
}

/// <summary>What of that which each device sends gets to each other device and is listened to.</summary>
internal sealed class Deliveries
{
    private readonly Dictionary<(DeviceId From, DeviceId To), MessageSet> _sets = [];
    private readonly Studio _studio;

    private Deliveries(Studio studio) => _studio = studio;

    /// <summary>The deliveries to some devices.</summary>
    /// <param name="flow">The graph.</param>
    /// <param name="hearers">The devices that matter.</param>
    internal static Deliveries Of(Flow flow, IReadOnlySet<DeviceId> hearers)
    {
        var deliveries = new Deliveries(flow.Studio);
        var listening = flow.Listening;
        var senders = flow
            .Places.Index()
            .Where(place => !flow.Sent[place.Index].IsEmpty)
            .Select(place => (place.Index, Device: flow.OwnerOf(place.Item!.Value)!))
            // Where nothing is said to be plugged in, nobody would miss anything.
            .Where(sender => !sender.Device.IsInterface())
            .ToList();
        foreach (
            var ears in flow
                .Places.Index()
                .Where(place => !listening[place.Index].IsEmpty)
                .GroupBy(place => flow.HearerAt(place.Index)!.Id)
                .Where(group => hearers.Contains(group.Key))
        )
        {
            var ends = new MessageSet[flow.Places.Length];
            Array.Fill(ends, MessageSet.Empty);
            foreach (var (place, _) in ears)
                ends[place] = listening[place];
            var back = Hearing.Back(flow, ends);
            foreach (var (place, device) in senders)
            {
                // What a device hears of itself is no delivery that anybody would miss.
                if (device.Id == ears.Key)
                    continue;
                var set = back[place].Intersect(flow.Sent[place]);
                if (set.IsEmpty)
                    continue;
                var pair = (device.Id, ears.Key);
                deliveries._sets[pair] = deliveries._sets.GetValueOrDefault(pair, MessageSet.Empty).Union(set);
            }
        }
        return deliveries;
    }

    /// <summary>The devices that hear anything which goes through a step of some routes or inner paths.</summary>
    internal static IEnumerable<DeviceId> HearersBehind(Flow flow, IEnumerable<Step> steps)
    {
        var seen = new HashSet<int>();
        var next = new Queue<int>(steps.Select(step => step.To));
        while (next.TryDequeue(out var place))
        {
            if (!seen.Add(place))
                continue;
            if (flow.HearerAt(place) is { } hearer)
                yield return hearer.Id;
            foreach (var step in flow.OutOf[place])
                next.Enqueue(step.To);
        }
    }

    /// <summary>What is delivered here and no longer there.</summary>
    internal List<LostDelivery> LostIn(Deliveries after) =>
        [
            .. _sets
                .Select(pair => (pair.Key, Lost: pair.Value.Except(after._sets.GetValueOrDefault(pair.Key, MessageSet.Empty))))
                .Where(item =>
                    !item.Lost.IsEmpty
                    && after._studio.FindDevice(item.Key.From) is not null
                    && after._studio.FindDevice(item.Key.To) is not null
                )
                .Select(item => new LostDelivery(_studio.FindDevice(item.Key.From)!, _studio.FindDevice(item.Key.To)!, item.Lost)),
        ];

    /// <summary>How much is lost: a point for each pair of devices, kind and channel.</summary>
    internal static int CostOf(IEnumerable<LostDelivery> lost) =>
        lost.Sum(each =>
            MessageKinds.All.Sum(kind =>
                kind.HasChannel() ? each.Messages.ChannelsOf(kind).Count
                : (each.Messages.SystemBits >> (int)kind & 1) != 0 ? 1
                : 0
            )
        );
}
