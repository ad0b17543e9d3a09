using Weiche.Core.Midi;
using Weiche.Core.Sets;
using Weiche.Core.Stages;
using Weiche.Core.Studios;
using Weiche.Core.Ways;

namespace Weiche.Core.Checks;

/// <summary>A way from where a device sends by itself to a device that hears.</summary>
/// <param name="Origin">The place where it is sent, by number.</param>
/// <param name="From">The device that sends.</param>
/// <param name="Hearer">The device that hears.</param>
/// <param name="Steps">The steps; none from a keyboard's keys to its own sound.</param>
/// <param name="Heard">What arrives of all that is sent, and is listened to.</param>
/// <param name="All">All that is sent at its beginning.</param>
internal sealed record HeardWay(int Origin, Device From, Device Hearer, Step[] Steps, MessageSet Heard, MessageSet All)
{
    /// <summary>Whether it is local control: the keys play the device's own sound.</summary>
    internal bool IsLocal => Steps.Length == 0;

    private MessageSet? _sent;
    private WayShape? _shape;

    /// <summary>What of that which is sent is heard at its end.</summary>
    internal MessageSet Sent => _sent ??= Steps.Reverse().Aggregate(Heard, (set, step) => step.PreImage(set)).Intersect(All);

    /// <summary>What it does to channels and keys.</summary>
    internal WayShape Shape => _shape ??= WayShape.Of(Steps.SelectMany(step => step.Stages));

    /// <summary>What arrives of one message and is heard, each as often as it does.</summary>
    internal List<MidiMessage> Arriving(MidiMessage message) => Step.Run(Steps, message).FindAll(each => Heard.Contains(each));
}

/// <summary>A way from where a device sends by itself to a destination, whether anything is heard there or not.</summary>
/// <param name="Origin">The place where it is sent, by number.</param>
/// <param name="From">The device that sends.</param>
/// <param name="Destination">The destination, by number.</param>
/// <param name="Steps">The steps.</param>
internal sealed record WireWay(int Origin, Device From, int Destination, Step[] Steps);

/// <summary>Finds every way from a device that sends to a device that hears, each place passed at most once, with the sets of
/// messages that take it.</summary>
internal sealed class WaySearch
{
    /// <summary>The most steps that are looked at. In a studio without circles there are hardly more than it has routes.</summary>
    internal const int MaxSteps = 40_000;

    private readonly CircuitSearch _search;
    private readonly Flow _flow;
    private readonly List<HeardWay> _ways = [];
    private readonly List<WireWay> _wires = [];
    private readonly HearerAt?[] _hearers;
    private readonly List<Step> _path = [];
    private readonly HashSet<int> _on = [];
    private int _steps;

    private readonly Dictionary<Place, (List<HeardWay> Ways, List<Finding> Findings)> _known = [];
    private WaySearch? _previous;

    private WaySearch(CircuitSearch search, WaySearch? previous)
    {
        _previous = previous;
        (_search, _flow) = (search, search.Flow);
        _hearers = [.. _flow.Places.Select(place => place is { } end && RoomLinks.HearerAt(_flow.Studio, end) is { } device ? new HearerAt(device, MessageSet.Of(device.Listens, device.ListensKinds)) : null)];
        foreach (var device in _flow.Studio.Devices) FromDevice(device);
    }

    /// <summary>The ways that were found, by the device that sends.</summary>
    internal IReadOnlyList<HeardWay> All => _ways;

    /// <summary>The ways to destinations whose wire has an end to what it carries.</summary>
    internal IReadOnlyList<WireWay> Wires => _wires;

    /// <summary>Whether all ways were looked at, or only those within the first <see cref="MaxSteps"/> steps.</summary>
    internal bool IsWhole => _steps < MaxSteps;

    internal static WaySearch Of(CircuitSearch search, WaySearch? previous = null) => new(search, previous);

    /// <summary>Works something out for the ways of each origin; where they are the same as before the last edit, it is taken from
    /// there.</summary>
    internal IEnumerable<Finding> ByOrigin(Func<int, IReadOnlyList<HeardWay>, List<Finding>> find)
    {
        foreach (var group in _ways.GroupBy(way => way.Origin))
        {
            var ways = group.ToList();
            var end = _flow.Places[group.Key]!.Value;
            // Names stand in the findings: they hold as long as no device and no cable was touched.
            var same = _previous is not null && _previous._flow.Studio.Devices == _flow.Studio.Devices && _previous._flow.Studio.Cables == _flow.Studio.Cables
                && _previous._known.TryGetValue(end, out var before) && before.Ways.Count == ways.Count && before.Ways.Zip(ways).All(pair => IsSame(pair.First, pair.Second));
            var findings = same ? _previous!._known[end].Findings : find(group.Key, ways);
            _known[end] = (ways, findings);
            foreach (var finding in findings) yield return finding;
        }
        _previous = null;
    }

    private static bool IsSame(HeardWay one, HeardWay other) =>
        one.Hearer.Id == other.Hearer.Id && one.Steps.Length == other.Steps.Length && one.Steps.AsSpan().SequenceEqual(other.Steps, SameStep.Instance) && one.Heard.Equals(other.Heard) && one.All.Equals(other.All);

    private sealed class SameStep : IEqualityComparer<Step>
    {
        internal static readonly SameStep Instance = new();

        public bool Equals(Step? x, Step? y) => ReferenceEquals(x!.Route, y!.Route) && x.Link?.From == y.Link?.From && x.Link?.To == y.Link?.To && x.Stages == y.Stages && x.Taken.Equals(y.Taken);

        public int GetHashCode(Step step) => step.Index;
    }

    private sealed record HearerAt(Device Device, MessageSet Listens);

    private void FromDevice(Device device)
    {
        foreach (var origin in _flow.OriginsOf(device))
        {
            if (_flow.Sent[origin].IsEmpty) continue;
            if (device.LocalControl is { On: true } local)
            {
                var played = Stage.ImageOf(local.Stages, _flow.Sent[origin].Intersect(MessageSet.OnChannels));
                if (!played.IsEmpty) _ways.Add(new HeardWay(origin, device, device, [], played, _flow.Sent[origin]));
            }
            _on.Add(origin);
            Follow(origin, device, origin, _flow.Sent[origin]);
            _on.Clear();
        }
    }

    private void Follow(int origin, Device from, int place, MessageSet set)
    {
        if (_hearers[place] is { } hearer && _path.Count > 0)
        {
            var heard = set.Intersect(hearer.Listens);
            if (!heard.IsEmpty) _ways.Add(new HeardWay(origin, from, hearer.Device, [.. _path], heard, _flow.Sent[origin]));
        }
        if (_flow.PortAt(place) is { IsSource: false } port && port.Port.Wire.BytesPerSecond() is not null) _wires.Add(new WireWay(origin, from, place, [.. _path]));
        foreach (var step in _flow.OutOf[place])
        {
            if (_on.Contains(step.To)) continue;
            if (++_steps >= MaxSteps) return;
            var image = _search.ImageOf(step, set);
            if (image.IsEmpty) continue;
            _path.Add(step);
            _on.Add(step.To);
            Follow(origin, from, step.To, image);
            _on.Remove(step.To);
            _path.RemoveAt(_path.Count - 1);
        }
    }
}
