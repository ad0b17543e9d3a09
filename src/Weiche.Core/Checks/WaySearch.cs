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
    private Witnessed? _twice;

    private sealed record Witnessed(MidiMessage? Message);

    /// <summary>What of that which is sent is heard at its end.</summary>
    internal MessageSet Sent => _sent ??= Steps.Reverse().Aggregate(Heard, (set, step) => step.PreImage(set)).Intersect(All);

    /// <summary>What it does to channels and keys.</summary>
    internal WayShape Shape => _shape ??= Steps is [var only] ? only.Shape : WayShape.Of(Steps.SelectMany(step => step.Stages));

    /// <summary>A message that arrives twice by it alone; null if none does.</summary>
    internal MidiMessage? Twice => (_twice ??= new Witnessed(Doubles.Witness(this, this))).Message;

    /// <summary>It alone, where no other way leads to its hearer; null while nobody has asked.</summary>
    internal WaysToHearer? Alone { get; set; }

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
    private readonly List<WaysFrom> _found;
    private readonly List<Step> _path = [];
    private readonly HashSet<int> _on = [];
    private readonly HashSet<int> _passed = [];
    private readonly HashSet<int> _passedInAll = [];
    private readonly List<HeardWay> _ways = [];
    private readonly List<WireWay> _wires = [];
    private readonly List<HeardWay> _allWays = [];
    private readonly List<WireWay> _allWires = [];
    private int _steps;

    private WaySearch(Flow flow)
    {
        _flow = flow;
        _found = new List<WaysFrom>(flow.Room.Senders.Count);
        foreach (var (device, origin) in flow.Room.Senders)
        {
            if (Known(origin) is { } known && _steps + known.Steps < MaxSteps)
            {
                _steps += known.Steps;
                _found.Add(known);
            }
            else
            {
                _found.Add(Search(device, origin));
            }
        }
    }

    /// <summary>What was found, by the place where it is sent.</summary>
    internal IReadOnlyList<WaysFrom> Found => _found;

    /// <summary>The ways to destinations whose wire has an end to what it carries.</summary>
    internal IReadOnlyList<WireWay> Wires => field ??= [.. _found.SelectMany(from => from.Wires)];

    /// <summary>Whether all ways were looked at, or only those within the first <see cref="MaxSteps"/> steps.</summary>
    internal bool IsWhole => _steps < MaxSteps;

    internal static WaySearch Of(Flow flow) => new(flow);

    private WaysFrom Search(Device device, int origin)
    {
        var before = _steps;
        _passedInAll.Add(origin);
        if (device.LocalControl is { On: true } local)
        {
            var played = Stage.ImageOf(local.Stages, _flow.Sent[origin].Intersect(MessageSet.OnChannels));
            if (!played.IsEmpty)
                _allWays.Add(new HeardWay(origin, device, device, [], played, _flow.Sent[origin]));
        }
        _on.Add(origin);
        // A place is passed once by each way: what lies behind one step does not depend on what lies behind the others.
        foreach (var step in _flow.OutOf[origin])
        {
            if (step.To == origin)
                continue;
            var behind = Behind(device, step);
            _allWays.AddRange(behind.Ways);
            _allWires.AddRange(behind.Wires);
            foreach (var place in behind.Places)
                _passedInAll.Add(place);
        }
        _on.Clear();
        HeardWay[] ways = [.. _allWays];
        var passed = PassedPlaces.Of(_passedInAll, _flow);
        var found = new WaysFrom(device, passed, ways, [.. _allWires], ToEachHearer(origin, ways), _steps - before);
        _passedInAll.Clear();
        _allWays.Clear();
        _allWires.Clear();
        if (!IsWhole || !passed.AreOfRoom)
            return found;
        var memory = _flow.Room.Memory.Ways[origin];
        if (found.Steps > ManySteps)
            return memory.KeepAlone(found);
        if (_flow.LaidAt[origin] is { } laid)
            laid.Ways = found;
        return memory.Keep(found);
    }

    /// <summary>What is found from where a device sends by way of one step from there.</summary>
    private WaysBehind Behind(Device device, Step step)
    {
        var memory = _flow.Room.Memory.Behind[step.From];
        var known = memory.Find((step, _flow), static (known, now) => known.IsStill(now.step, now._flow));
        if (known is not null && _steps + known.Steps < MaxSteps)
        {
            _steps += known.Steps;
            return known;
        }
        var before = _steps;
        Take(step.From, device, step, _flow.Sent[step.From]);
        var passed = PassedPlaces.Of(_passed, _flow);
        var found = new WaysBehind(step, passed, [.. _ways], [.. _wires], _steps - before);
        if (IsWhole && found.Steps <= ManySteps && passed.AreOfRoom)
            memory.Keep(found);
        _passed.Clear();
        _ways.Clear();
        _wires.Clear();
        return found;
    }

    private WaysToHearer[] ToEachHearer(int origin, HeardWay[] ways)
    {
        if (ways is [var only])
            return [Alone(only)];
        var each = new OrderedDictionary<DeviceId, List<HeardWay>>();
        foreach (var way in ways)
        {
            if (each.TryGetValue(way.Hearer.Id, out var others))
                others.Add(way);
            else
                each.Add(way.Hearer.Id, [way]);
        }
        return
        [
            .. each.Select(hearer => hearer.Value is [var alone] ? Alone(alone) : _flow.Room.Memory.To(origin, hearer.Key, hearer.Value)),
        ];

        WaysToHearer Alone(HeardWay way) => way.Alone ??= _flow.Room.Memory.To(origin, way.Hearer.Id, [way]);
    }

    /// <summary>What was found from an origin in another version, where all places that were passed led on as they do; else
    /// null.</summary>
    private WaysFrom? Known(int origin)
    {
        var laid = _flow.LaidAt[origin];
        if (laid?.Ways is { } last && last.IsStill(_flow))
            return last;
        var found = _flow.Room.Memory.Ways[origin].Find(_flow, static (known, flow) => known.IsStill(flow));
        if (laid is not null && found?.Steps <= ManySteps)
            laid.Ways = found;
        return found;
    }

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
            if (!Take(origin, from, step, set))
                return;
        }
    }

    /// <summary>Takes a step and follows on from there.</summary>
    /// <returns>Whether it is not too many.</returns>
    private bool Take(int origin, Device from, Step step, MessageSet set)
    {
        if (++_steps >= MaxSteps)
            return false;
        var image = step.Image(set);
        if (image.IsEmpty)
            return true;
        _path.Add(step);
        _on.Add(step.To);
        Follow(origin, from, step.To, image);
        _on.Remove(step.To);
        _path.RemoveAt(_path.Count - 1);
        return true;
    }
}
