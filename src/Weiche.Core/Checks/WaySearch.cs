using Weiche.Core.Midi;
using Weiche.Core.Sets;
using Weiche.Core.Stages;
using Weiche.Core.Studios;

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

    private readonly Flow _flow;
    private readonly List<HeardWay> _ways = [];
    private readonly List<WireWay> _wires = [];
    private readonly List<Step> _path = [];
    private readonly HashSet<int> _on = [];
    private readonly HashSet<int> _passed = [];
    private readonly Dictionary<int, FromOrigin> _origins = [];
    private readonly bool?[] _leadsOn;
    private int _steps;

    private readonly Dictionary<(Place Origin, DeviceId Hearer), (List<HeardWay> Ways, Finding? Finding)> _known = [];
    private WaySearch? _previous;

    private WaySearch(CircuitSearch search, WaySearch? previous)
    {
        _previous = previous;
        _flow = search.Flow;
        _leadsOn = new bool?[Math.Max(_flow.Places.Length, previous?._flow.Places.Length ?? 0)];
        foreach (var device in _flow.Studio.Devices)
            FromDevice(device);
    }

    /// <summary>The ways that were found, by the device that sends.</summary>
    internal IReadOnlyList<HeardWay> All => _ways;

    /// <summary>The ways to destinations whose wire has an end to what it carries.</summary>
    internal IReadOnlyList<WireWay> Wires => _wires;

    /// <summary>Whether all ways were looked at, or only those within the first <see cref="MaxSteps"/> steps.</summary>
    internal bool IsWhole => _steps < MaxSteps;

    internal static WaySearch Of(CircuitSearch search, WaySearch? previous = null) => new(search, previous);

    /// <summary>Works something out for the ways from each origin to each hearer, where there are several, or one on which something is
    /// changed; where they are the same as before the last edit, it is taken from there.</summary>
    internal IEnumerable<Finding> ByEnds(Func<List<HeardWay>, Finding?> find)
    {
        // Names stand in the findings.
        var before = _previous?._flow.HasRoomOf(_flow) == true ? _previous._known : [];
        foreach (var group in _ways.GroupBy(way => (way.Origin, way.Hearer.Id)))
        {
            var ways = group.ToList();
            if (ways is [var only] && only.Steps.All(step => step.Stages.IsEmpty))
                continue;
            var ends = (_flow.Places[group.Key.Origin]!.Value, group.Key.Id);
            var finding =
                before.TryGetValue(ends, out var known)
                && known.Ways.Count == ways.Count
                && known.Ways.Zip(ways).All(pair => IsSame(pair.First, pair.Second))
                && (known.Finding is null || ways.All(AreCalledTheSame))
                    ? known.Finding
                    : find(ways);
            _known[ends] = (ways, finding);
            if (finding is not null)
                yield return finding;
        }
        _previous = null;
    }

    /// <summary>Whether the routes of a way are called what they were called: a route's name has that of its group in it, and its number
    /// among twins.</summary>
    private bool AreCalledTheSame(HeardWay way) =>
        way.Steps.All(step => step.Route is not { } route || _previous!._flow.Words.NameOf(route) == _flow.Words.NameOf(route));

    /// <summary>Whether two ways from the same place in two versions are one: what is heard of the same by the same steps is the same,
    /// where no device was touched.</summary>
    private static bool IsSame(HeardWay one, HeardWay other) =>
        ReferenceEquals(one, other)
        || one.Hearer.Id == other.Hearer.Id && one.All.Equals(other.All) && one.Steps.AsSpan().SequenceEqual(other.Steps);

    private void FromDevice(Device device)
    {
        foreach (var origin in _flow.Room.OriginsOf(device))
        {
            if (_flow.Sent[origin].IsEmpty)
                continue;
            if (FoundBefore(origin) is { } known && _steps + known.Steps < MaxSteps)
            {
                _ways.AddRange(known.Ways);
                _wires.AddRange(known.Wires);
                _steps += known.Steps;
                _origins.Add(origin, known);
                continue;
            }
            var (ways, wires, steps) = (_ways.Count, _wires.Count, _steps);
            if (device.LocalControl is { On: true } local)
            {
                var played = Stage.ImageOf(local.Stages, _flow.Sent[origin].Intersect(MessageSet.OnChannels));
                if (!played.IsEmpty)
                    _ways.Add(new HeardWay(origin, device, device, [], played, _flow.Sent[origin]));
            }
            _on.Add(origin);
            Follow(origin, device, origin, _flow.Sent[origin]);
            _on.Clear();
            if (IsWhole)
                _origins.Add(origin, new FromOrigin([.. _passed], [.. _ways.Skip(ways)], [.. _wires.Skip(wires)], _steps - steps));
            _passed.Clear();
        }
    }

    /// <summary>What was found from an origin before the last edit, where all places that were passed lead on as they did; else
    /// null.</summary>
    private FromOrigin? FoundBefore(int origin) =>
        _previous is not null
        && _previous._flow.HasRoomOf(_flow)
        && _previous._origins.TryGetValue(origin, out var known)
        && Array.TrueForAll(known.Places, LeadsOnAsBefore)
            ? known
            : null;

    private bool LeadsOnAsBefore(int place) =>
        _leadsOn[place] ??= _flow.IsOfRoom(place) && _flow.OutOf[place].AsSpan().SequenceEqual(_previous!._flow.OutOf[place]);

    /// <summary>What was found from an origin.</summary>
    /// <param name="Places">The places that were passed, each once.</param>
    /// <param name="Ways">The ways to devices that hear.</param>
    /// <param name="Wires">The ways to destinations whose wire has an end to what it carries.</param>
    /// <param name="Steps">How many steps were looked at.</param>
    private sealed record FromOrigin(int[] Places, HeardWay[] Ways, WireWay[] Wires, int Steps);

    private void Follow(int origin, Device from, int place, MessageSet set)
    {
        _passed.Add(place);
        if (_flow.HearerAt(place) is { } hearer && _path.Count > 0)
        {
            var heard = set.Intersect(_flow.Listening[place]);
            if (!heard.IsEmpty)
                _ways.Add(new HeardWay(origin, from, hearer, [.. _path], heard, _flow.Sent[origin]));
        }
        if (_flow.PortAt(place) is { IsSource: false } port && port.Port.Wire.BytesPerSecond() is not null)
            _wires.Add(new WireWay(origin, from, place, [.. _path]));
        foreach (var step in _flow.OutOf[place])
        {
            if (_on.Contains(step.To))
                continue;
            if (++_steps >= MaxSteps)
                return;
            var image = step.Image(set);
            if (image.IsEmpty)
                continue;
            _path.Add(step);
            _on.Add(step.To);
            Follow(origin, from, step.To, image);
            _on.Remove(step.To);
            _path.RemoveAt(_path.Count - 1);
        }
    }
}
