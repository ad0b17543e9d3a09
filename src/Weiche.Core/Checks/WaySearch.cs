using System.Collections.Immutable;
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
    /// <summary>Whether everything arrives as it was sent.</summary>
    internal bool IsPlain => Array.TrueForAll(Steps, step => step.Stages.IsEmpty);

    /// <summary>Whether it is local control: the keys play the device's own sound.</summary>
    internal bool IsLocal => Steps.Length == 0;

    private MessageSet? _sent;
    private WayShape? _shape;

    /// <summary>What of that which is sent is heard at its end.</summary>
    internal MessageSet Sent => _sent ??= Steps.Reverse().Aggregate(Heard, (set, step) => step.PreImage(set)).Intersect(All);

    /// <summary>What it does to channels and keys.</summary>
    internal WayShape Shape => _shape ??= Steps is [var only] ? only.Shape : WayShape.Of(Steps.SelectMany(step => step.Stages));

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

    // Of a place from where more steps lead on, through a tangle, one version alone is kept.
    private const int ManySteps = 64;

    private readonly Flow _flow;
    private readonly List<HeardWay> _ways;
    private readonly List<WireWay> _wires = [];
    private readonly List<WaysToHearer> _toHearers;
    private readonly List<Step> _path = [];
    private readonly HashSet<int> _on = [];
    private readonly HashSet<int> _passed = [];
    private int _steps;

    private WaySearch(Flow flow)
    {
        _flow = flow;
        // In most studios about as many as there are steps.
        _ways = new List<HeardWay>(flow.Steps.Length);
        _toHearers = new List<WaysToHearer>(flow.Steps.Length);
        foreach (var device in flow.Studio.Devices)
        {
            foreach (var origin in flow.Room.OriginsOf(device))
            {
                if (flow.Sent[origin].IsEmpty)
                    continue;
                if (Known(origin) is { } known && _steps + known.Steps < MaxSteps)
                    Take(known);
                else
                    Search(device, origin);
            }
        }
    }

    /// <summary>The ways that were found, by the device that sends.</summary>
    internal IReadOnlyList<HeardWay> All => _ways;

    /// <summary>The same, together where they lead from one place to one hearer.</summary>
    internal IReadOnlyList<WaysToHearer> ToHearers => _toHearers;

    /// <summary>The ways to destinations whose wire has an end to what it carries.</summary>
    internal IReadOnlyList<WireWay> Wires => _wires;

    /// <summary>Whether all ways were looked at, or only those within the first <see cref="MaxSteps"/> steps.</summary>
    internal bool IsWhole => _steps < MaxSteps;

    internal static WaySearch Of(Flow flow) => new(flow);

    private void Take(WaysFrom known)
    {
        _ways.AddRange(known.Ways);
        _wires.AddRange(known.Wires);
        _toHearers.AddRange(known.ToHearers);
        _steps += known.Steps;
    }

    private void Search(Device device, int origin)
    {
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
        var found = _ways.GetRange(ways, _ways.Count - ways);
        var toHearers = ToEachHearer(origin, found);
        _toHearers.AddRange(toHearers);
        if (IsWhole && _passed.All(_flow.IsOfRoom))
        {
            int[] places = [.. _passed];
            var outOf = Array.ConvertAll(places, place => _flow.OutOf[place]);
            var all = new WaysFrom(places, outOf, found, _wires.GetRange(wires, _wires.Count - wires), toHearers, _steps - steps);
            if (all.Steps > ManySteps)
                _flow.Room.Memory.Ways[origin].KeepAlone(all);
            else
                _flow.Room.Memory.Ways[origin].Keep(all);
        }
        _passed.Clear();
    }

    private WaysToHearer[] ToEachHearer(int origin, List<HeardWay> ways)
    {
        var each = new OrderedDictionary<DeviceId, List<HeardWay>>();
        foreach (var way in ways)
        {
            if (each.TryGetValue(way.Hearer.Id, out var others))
                others.Add(way);
            else
                each.Add(way.Hearer.Id, [way]);
        }
        return [.. each.Select(hearer => _flow.Room.Memory.To(origin, hearer.Key, hearer.Value))];
    }

    /// <summary>What was found from an origin in another version, where all places that were passed led on as they do; else
    /// null.</summary>
    private WaysFrom? Known(int origin) => _flow.Room.Memory.Ways[origin].Find(_flow, static (known, flow) => known.IsStill(flow));

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

/// <summary>What was found from a place where a device sends by itself.</summary>
/// <param name="Places">The places that were passed, each once.</param>
/// <param name="OutOf">The steps from each of them.</param>
/// <param name="Ways">The ways to devices that hear.</param>
/// <param name="Wires">The ways to destinations whose wire has an end to what it carries.</param>
/// <param name="ToHearers">The ways to each device that hears.</param>
/// <param name="Steps">How many steps were looked at.</param>
internal sealed record WaysFrom(int[] Places, Step[][] OutOf, List<HeardWay> Ways, List<WireWay> Wires, WaysToHearer[] ToHearers, int Steps)
{
    /// <summary>Whether the places lead on in a graph of the same room as they did.</summary>
    internal bool IsStill(Flow flow)
    {
        for (var i = 0; i < Places.Length; i++)
        {
            if (!ReferenceEquals(flow.OutOf[Places[i]], OutOf[i]))
                return false;
        }
        return true;
    }
}

/// <summary>All ways from a place to one device that hears, and whether anything arrives twice by them.</summary>
/// <param name="ways">The ways.</param>
internal sealed class WaysToHearer(List<HeardWay> ways)
{
    private Told? _told;

    /// <summary>What was found, with the names in it: a route's has that of its group, and its number among twins.</summary>
    private sealed record Told(Finding? Finding, ImmutableArray<Route> Routes, ImmutableArray<SourceGroup> Groups, string[] Names);

    /// <summary>Whether they are some others: what is heard of the same by the same steps is the same, in the same room.</summary>
    internal bool Has(List<HeardWay> others)
    {
        for (var i = 0; i < ways.Count; i++)
        {
            if (ways.Count != others.Count || !ways[i].Steps.AsSpan().SequenceEqual(others[i].Steps))
                return false;
        }
        return true;
    }

    /// <summary>What arrives twice, or null if nothing does.</summary>
    internal Finding? Doubled(Flow flow)
    {
        if (_told is not { } told || !IsStill(told, flow))
        {
            var finding = ways is [{ IsPlain: true }] ? null : Doubles.Of(flow, ways);
            _told = told = new Told(finding, flow.Studio.Routes, flow.Studio.Groups, finding is null ? [] : Names(flow));
        }
        return told.Finding;
    }

    private bool IsStill(Told told, Flow flow)
    {
        var studio = flow.Studio;
        if (told.Finding is null || told.Routes == studio.Routes && told.Groups == studio.Groups)
            return true;
        if (!told.Names.AsSpan().SequenceEqual(Names(flow)))
            return false;
        _told = told with { Routes = studio.Routes, Groups = studio.Groups };
        return true;
    }

    private string[] Names(Flow flow) =>
        [.. ways.SelectMany(way => way.Steps).Select(step => step.Route).OfType<Route>().Select(flow.Words.NameOf)];
}
