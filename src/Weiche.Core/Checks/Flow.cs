using System.Collections.Immutable;
using Weiche.Core.Sets;
using Weiche.Core.Stages;
using Weiche.Core.Studios;
using Weiche.Core.Ways;

namespace Weiche.Core.Checks;

/// <summary>A step of the graph that messages run through: a route, or one of the ways in the room.</summary>
/// <param name="Index">Its number in <see cref="Flow.Steps"/>.</param>
/// <param name="From">The place where it begins, by number.</param>
/// <param name="To">The place where it ends, by number.</param>
/// <param name="Route">The route, or null. A route with several sources is a step from each of them to a place of its own, and
/// one step from there on, so that its stages are gone through once.</param>
/// <param name="Link">The way in the room, or null.</param>
/// <param name="Stages">What messages go through on it.</param>
/// <param name="Taken">What never gets onto it: what routes that divert take away before.</param>
internal sealed record Step(int Index, int From, int To, Route? Route, Link? Link, ImmutableArray<Stage> Stages, MessageSet Taken)
{
    /// <summary>Whether everything that begins it ends it as it was.</summary>
    internal bool IsPlain => Stages.IsEmpty && Taken.IsEmpty;

    internal MessageSet Image(MessageSet set) => Stage.ImageOf(Stages, set.Except(Taken));

    internal MessageSet PreImage(MessageSet set) => Stage.PreImageOf(Stages, set).Except(Taken);

    /// <summary>The messages from which at least two ways lead on (<see cref="Stage.PreImageTwice"/>).</summary>
    internal MessageSet PreImageTwice(MessageSet once, MessageSet twice)
    {
        for (var i = Stages.Length - 1; i >= 0; i--)
        {
            twice = Stages[i].PreImageTwice(once, twice);
            once = Stages[i].PreImage(once);
        }
        return twice.Except(Taken);
    }

    /// <summary>What one message becomes on it, each as often as it does.</summary>
    internal ImmutableArray<Midi.MidiMessage> Run(in Midi.MidiMessage message) =>
        Taken.Contains(message) ? [] : Stage.Run(Stages, [message], out _, out _);

    /// <summary>What one message becomes on steps one after the other, each as often as it does.</summary>
    internal static List<Midi.MidiMessage> Run(Step[] steps, Midi.MidiMessage message)
    {
        var here = new List<Midi.MidiMessage> { message };
        foreach (var step in steps) here = [.. here.SelectMany(each => step.Run(each))];
        return here;
    }
}

/// <summary>The studio as a graph: places (ports and jacks), and the steps between them that are open now, with what diverts,
/// solo and switches do to them.</summary>
/// <remarks>Places of routes with several sources come last and have no name.</remarks>
internal sealed class Flow
{
    private readonly Dictionary<Place, int> _numbers = [];

    private Flow(Studio studio)
    {
        Studio = studio;
        Links = RoomLinks.Of(studio);
        var places = new List<Place?>();
        foreach (var device in studio.Devices)
        {
            foreach (var port in device.Ports) Add(Place.At(port.Id));
            foreach (var jack in device.Jacks) Add(Place.At(jack.Id));
        }
        var steps = new List<Step>();
        foreach (var link in Links.All)
        {
            // What a device's keys and sound do is no way from one place to another.
            if (link.On && Number(link.From) is { } from && Number(link.To) is { } to) steps.Add(new Step(steps.Count, from, to, null, link, link.Stages, MessageSet.Empty));
        }
        AddRoutes(places, steps);
        Places = [.. places];
        Steps = [.. steps];
        (OutOf, Into) = (Lists(step => step.From), Lists(step => step.To));
        Sent = new MessageSet[Places.Length];
        Array.Fill(Sent, MessageSet.Empty);
        foreach (var device in studio.Devices) AddSent(device);
        (ComponentOf, Components) = Component.Find(Places.Length, OutOf);

        void Add(Place end)
        {
            _numbers.Add(end, places.Count);
            places.Add(end);
        }

        Step[][] Lists(Func<Step, int> end)
        {
            var lists = new List<Step>[Places.Length];
            foreach (var step in Steps) (lists[end(step)] ??= []).Add(step);
            return Array.ConvertAll(lists, list => list?.ToArray() ?? []);
        }
    }

    internal Studio Studio { get; }

    internal RoomLinks Links { get; }

    /// <summary>What each place is; null for the place of a route with several sources.</summary>
    internal Place?[] Places { get; }

    internal Step[] Steps { get; }

    internal Step[][] OutOf { get; }

    internal Step[][] Into { get; }

    /// <summary>For each place what a device sends there by itself.</summary>
    internal MessageSet[] Sent { get; }

    /// <summary>For each place the number of its component.</summary>
    internal int[] ComponentOf { get; }

    /// <summary>The strongly connected components, each after all that lead to it.</summary>
    internal Component[] Components { get; }

    internal static Flow Of(Studio studio) => new(studio);

    internal int? Number(Place place) => _numbers.TryGetValue(place, out var number) ? number : null;

    /// <summary>The port at a place, or null.</summary>
    internal DevicePort? PortAt(int place) => Places[place] is { Kind: PlaceKind.Port } end ? Studio.FindPort(new PortId(end.Id)) : null;

    /// <summary>The device that has a port or jack.</summary>
    internal Device? OwnerOf(Place place) => place.Kind == PlaceKind.Jack ? Studio.FindJack(new JackId(place.Id))?.Device : Studio.FindPort(new PortId(place.Id))?.Owner;

    /// <summary>The places where a device sends by itself: its sources and its OUT jacks.</summary>
    internal IEnumerable<int> OriginsOf(Device device) => device.Ports.Where(port => port.Direction == PortDirection.Source && port.Jack is null).Select(port => Place.At(port.Id))
        .Concat(device.Jacks.Where(jack => jack.Role == JackRole.Out).Select(jack => Place.At(jack.Id)))
        .Select(end => _numbers[end]);

    /// <summary>Whether a step stays within its component.</summary>
    internal bool IsWithin(Step step) => ComponentOf[step.From] == ComponentOf[step.To];

    private void AddRoutes(List<Place?> places, List<Step> steps)
    {
        var live = LiveRoutes.Of(Studio);
        // Where what several sources send comes together before the stages of their route.
        var together = new Dictionary<RouteId, int>();
        foreach (var route in Studio.Routes)
        {
            if (live.SourcesOf(route).Count(source => live.At(route, source) == RouteState.Live) <= 1) continue;
            together.Add(route.Id, places.Count);
            steps.Add(new Step(steps.Count, places.Count, _numbers[Place.At(route.To)], route, null, route.Stages, Studio.LeftOutAt(route.To)));
            places.Add(null);
        }
        foreach (var source in live.Sources)
        {
            foreach (var (route, taken) in live.LiveFrom(Studio.FindPort(source)!.Value))
            {
                var isTogether = together.TryGetValue(route.Id, out var at);
                steps.Add(new Step(
                    steps.Count, _numbers[Place.At(source)], isTogether ? at : _numbers[Place.At(route.To)], route, null, isTogether ? [] : route.Stages, isTogether ? taken : taken.Union(Studio.LeftOutAt(route.To))));
            }
        }
    }

    private void AddSent(Device device)
    {
        if (device.IsVirtualPort())
        {
            // What a program sends to it that the studio does not know may be anything.
            foreach (var cable in Studio.Outside.Where(cable => cable.From == default && device.Ports.Any(port => port.Id == cable.To))) Sent[_numbers[Place.At(cable.To)]] = MessageSet.All;
            return;
        }
        if (device.IsInterface())
        {
            // What comes in where nobody said what is plugged in may be anything.
            foreach (var jack in device.Jacks.Where(jack => jack.Role == JackRole.In && Studio.CableAt(jack.Id) is null)) Sent[_numbers[Place.At(jack.Id)]] = MessageSet.All;
            return;
        }
        var sends = MessageSet.Of(device.Sends, device.SendsKinds);
        foreach (var origin in OriginsOf(device)) Sent[origin] = sends;
    }
}

/// <summary>Places from each of which a way leads to each other one.</summary>
/// <param name="Places">The places, by number.</param>
/// <param name="IsClosed">Whether a step within it exists at all: a single place without a step to itself is no closed way.</param>
internal sealed record Component(int[] Places, bool IsClosed)
{
    /// <summary>Finds the strongly connected components of a graph (R. Tarjan, "Depth-first search and linear graph algorithms",
    /// 1972), without recursion.</summary>
    /// <param name="places">How many places there are.</param>
    /// <param name="outOf">The steps from each place.</param>
    /// <param name="follow">Which steps count; null for all.</param>
    /// <returns>The component of each place, and the components in an order in which each comes after all that lead to it.</returns>
    internal static (int[] Of, Component[] All) Find(int places, Step[][] outOf, Predicate<Step>? follow = null)
    {
        var (order, low, component) = (new int[places], new int[places], new int[places]);
        Array.Fill(component, -1);
        var found = new List<Component>();
        var waiting = new Stack<int>();
        var path = new Stack<(int Place, int Next)>();
        var count = 0;
        for (var start = 0; start < places; start++)
        {
            if (order[start] == 0) path.Push((start, 0));
            while (path.TryPop(out var here))
            {
                var (place, next) = here;
                if (next == 0)
                {
                    order[place] = low[place] = ++count;
                    waiting.Push(place);
                }
                else
                {
                    low[place] = Math.Min(low[place], low[outOf[place][next - 1].To]);
                }
                var deeper = false;
                for (; next < outOf[place].Length && !deeper; next++)
                {
                    var step = outOf[place][next];
                    if (follow?.Invoke(step) == false) continue;
                    if (order[step.To] == 0)
                    {
                        path.Push((place, next + 1));
                        path.Push((step.To, 0));
                        deeper = true;
                    }
                    else if (component[step.To] < 0)
                    {
                        low[place] = Math.Min(low[place], order[step.To]);
                    }
                }
                if (deeper || low[place] != order[place]) continue;
                var members = new List<int>();
                int member;
                do
                {
                    member = waiting.Pop();
                    component[member] = found.Count;
                    members.Add(member);
                }
                while (member != place);
                members.Sort();
                found.Add(new Component([.. members], members.Count > 1 || outOf[place].Any(step => step.To == place && follow?.Invoke(step) != false)));
            }
        }
        found.Reverse();
        for (var place = 0; place < places; place++) component[place] = found.Count - 1 - component[place];
        return (component, [.. found]);
    }
}
