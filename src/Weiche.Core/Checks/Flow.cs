using System.Collections.Concurrent;
using System.Collections.Immutable;
using Weiche.Core.Sets;
using Weiche.Core.Stages;
using Weiche.Core.Studios;
using Weiche.Core.Ways;

namespace Weiche.Core.Checks;

/// <summary>A step of the graph that messages run through: a route, or one of the ways in the room.</summary>
/// <remarks>It remembers what it made of sets. One that is the same in the next version of a studio is taken from the version before,
/// memory and all.</remarks>
/// <param name="from">The place where it begins, by number.</param>
/// <param name="to">The place where it ends, by number.</param>
/// <param name="route">The route, or null. A route with several sources is a step from each of them to a place of its own, and
/// one step from there on, so that its stages are gone through once.</param>
/// <param name="link">The way in the room, or null.</param>
/// <param name="stages">What messages go through on it.</param>
/// <param name="taken">What never gets onto it: what routes that divert take away before.</param>
/// <param name="alike">One of another version with the same stages, which takes the same; null for none.</param>
internal sealed class Step(int from, int to, Route? route, Link? link, ImmutableArray<Stage> stages, MessageSet taken, Step? alike = null)
{
    private readonly SetMemo _images = alike?._images ?? new SetMemo();
    private readonly SetMemo _preImages = alike?._preImages ?? new SetMemo();
    private KnownLoss? _losses;
    private WayShape? _shape;

    // The number of its controller; 0 for none, less while nobody has asked.
    private int _leftDown = -1;

    internal int From => from;

    internal int To => to;

    internal Route? Route => route;

    internal Link? Link => link;

    internal ImmutableArray<Stage> Stages => stages;

    internal MessageSet Taken => taken;

    /// <summary>Whether everything that begins it ends it as it was.</summary>
    internal bool IsPlain => stages.IsEmpty && taken.IsEmpty;

    internal MessageSet Image(MessageSet set) =>
        IsPlain || set.IsEmpty ? set : _images.Find(set) ?? _images.Keep(set, Stage.ImageOf(stages, set.Except(taken)));

    internal MessageSet PreImage(MessageSet set) =>
        IsPlain || set.IsEmpty ? set : _preImages.Find(set) ?? _preImages.Keep(set, Stage.PreImageOf(stages, set).Except(taken));

    /// <summary>What it does to channels and keys.</summary>
    internal WayShape Shape => _shape ??= WayShape.Of(stages);

    /// <summary>A pedal that goes down on it and never comes up again, as its controller's number; null for none.</summary>
    internal int? PedalLeftDown
    {
        get
        {
            if (_leftDown < 0)
                _leftDown = StuckRisks.LeftDown(this) ?? 0;
            return _leftDown > 0 ? _leftDown : null;
        }
    }

    /// <summary>What a step brings to where it ends that is not heard there, where whole channels are lost; null where none is.</summary>
    /// <param name="came">What can be where it begins.</param>
    /// <param name="heard">What is heard of what is where it ends.</param>
    internal Loss? LostWith(MessageSet came, MessageSet heard)
    {
        if (_losses is { } known && ReferenceEquals(known.Came, came) && ReferenceEquals(known.Heard, heard))
            return known.Loss;
        var loss = Find();
        _losses = new KnownLoss(came, heard, loss);
        return loss;

        Loss? Find()
        {
            var arrives = Image(came);
            if (heard.HasAllOf(arrives))
                return null;
            var brings = arrives.Intersect(MessageSet.OnChannels);
            var lost = brings.Except(heard);
            var heardOn = brings.Except(lost).ChannelsIn();
            return lost.ChannelsIn().Members.All(heardOn.Contains) ? null : new Loss(brings, lost, heardOn);
        }
    }

    /// <summary>What is lost at the end of a step.</summary>
    /// <param name="Brings">What the step brings on channels.</param>
    /// <param name="Lost">What of that is not heard.</param>
    /// <param name="HeardOn">The channels on which something is heard.</param>
    internal sealed record Loss(MessageSet Brings, MessageSet Lost, ChannelSet HeardOn);

    private sealed record KnownLoss(MessageSet Came, MessageSet Heard, Loss? Loss);

    /// <summary>The messages from which at least two ways lead on (<see cref="Stage.PreImageTwice"/>).</summary>
    internal MessageSet PreImageTwice(MessageSet once, MessageSet twice)
    {
        for (var i = stages.Length - 1; i >= 0; i--)
        {
            twice = stages[i].PreImageTwice(once, twice);
            once = stages[i].PreImage(once);
        }
        return twice.Except(taken);
    }

    /// <summary>What one message becomes on it, each as often as it does.</summary>
    internal ImmutableArray<Midi.MidiMessage> Run(in Midi.MidiMessage message) =>
        taken.Contains(message) ? [] : Stage.Run(stages, [message], out _, out _);

    /// <summary>What one message becomes on steps one after the other, each as often as it does.</summary>
    internal static List<Midi.MidiMessage> Run(Step[] steps, Midi.MidiMessage message)
    {
        // Most stages make one of one: then nothing is put together on the way.
        Span<Midi.MidiMessage> results = stackalloc Midi.MidiMessage[Stage.MaxFanOut];
        var one = message;
        foreach (var step in steps)
        {
            if (step.Taken.Contains(one))
                return [];
            foreach (var stage in step.Stages)
            {
                var count = stage.Apply(one, results);
                if (count == 0)
                    return [];
                if (count > 1)
                    return Spread(steps, message);
                one = results[0];
            }
        }
        return [one];

        static List<Midi.MidiMessage> Spread(Step[] steps, Midi.MidiMessage message)
        {
            var here = new List<Midi.MidiMessage> { message };
            foreach (var step in steps)
                here = [.. here.SelectMany(each => step.Run(each))];
            return here;
        }
    }
}

/// <summary>The studio as a graph: places (ports and jacks), and the steps between them that are open now, with what diverts,
/// solo and switches do to them.</summary>
/// <remarks>Places of routes with several sources come last and have no name.</remarks>
internal sealed class Flow
{
    // So many more steps than there are now are remembered of other versions before those of removed routes are let go of.
    private const int MostForgone = 512;

    // The steps of this version and of those before it: a route that rests now may be back in the next one, or in the next lineup.
    private readonly ConcurrentDictionary<StepKey, Step> _known;

    /// <summary>Names a step across versions of a studio: a route's, an inner path's, or another way's, by its ends.</summary>
    /// <param name="Route">The id of the route; 0 for none.</param>
    /// <param name="Path">The id of the inner path; 0 for none.</param>
    /// <param name="From">Where it begins.</param>
    /// <param name="To">Where it ends.</param>
    private readonly record struct StepKey(int Route, int Path, Place From, Place To)
    {
        // There are thousands of them: a route's id and where it begins tell nearly all of them apart.
        public override int GetHashCode() => HashCode.Combine(Route, Path, From.Id);
    }

    private Flow(Studio studio, Flow? previous)
    {
        Studio = studio;
        _known = previous?._known ?? [];
        Room = RoomPlaces.Of(studio, previous?.Room);
        var steps = new List<Step>(Room.Open.Length + studio.Routes.Length);
        foreach (var (from, to, link) in Room.Open)
            steps.Add(StepOf(from, to, null, link, link.Stages, MessageSet.Empty));
        var together = AddRoutes(steps);
        Places = together == 0 ? Room.Named : [.. Room.Named, .. new Place?[together]];
        Steps = [.. steps];
        LetGo();
        (OutOf, Into) = (Lists(step => step.From, Room.Memory.OutOf), Lists(step => step.To, Room.Memory.Into));
        (Sent, Listening, Sounding) = (AtAll(Room.Sent), AtAll(Room.Listening), AtAll(Room.Sounding));
        (ComponentOf, Components) = Component.Find(Places.Length, OutOf, alone: Room.Alone);
        (OutWithin, IntoWithin) = (Within(OutOf), Within(Into));

        // Where several sources come together nobody sends or hears.
        MessageSet[] AtAll(MessageSet[] sets) =>
            Places.Length == sets.Length ? sets : [.. sets, .. CircuitSearch.Filled(Places.Length - sets.Length)];

        // A list that is the same as in another version is the very same.
        Step[][] Lists(Func<Step, int> end, Lately<Step[]>[] known)
        {
            var (begins, lists) = (new int[Places.Length + 1], new Step[Places.Length][]);
            foreach (var step in Steps)
                begins[end(step) + 1]++;
            for (var i = 0; i < Places.Length; i++)
                begins[i + 1] += begins[i];
            var (all, next) = (new Step[Steps.Length], begins[..^1]);
            foreach (var step in Steps)
                all[next[end(step)]++] = step;
            for (var i = 0; i < Places.Length; i++)
                lists[i] = ListAt(all.AsSpan(begins[i]..begins[i + 1]), IsOfRoom(i) ? known[i] : null);
            return lists;
        }

        Step[][] Within(Step[][] lists)
        {
            var within = new Step[lists.Length][];
            for (var i = 0; i < lists.Length; i++)
                within[i] =
                    !Components[ComponentOf[i]].IsClosed ? []
                    : Array.TrueForAll(lists[i], IsWithin) ? lists[i]
                    : Array.FindAll(lists[i], IsWithin);
            return within;
        }
    }

    internal Studio Studio { get; }

    internal RoomPlaces Room { get; }

    /// <summary>What each place is; null for the place of a route with several sources.</summary>
    internal Place?[] Places { get; }

    internal Step[] Steps { get; }

    /// <summary>How many routes are live.</summary>
    internal int Routes { get; private set; }

    internal Step[][] OutOf { get; }

    internal Step[][] Into { get; }

    /// <summary>For each place the steps from it that stay within its component.</summary>
    internal Step[][] OutWithin { get; }

    /// <summary>For each place the steps to it from within its component.</summary>
    internal Step[][] IntoWithin { get; }

    /// <summary>For each place what a device sends there by itself.</summary>
    internal MessageSet[] Sent { get; }

    /// <summary>For each place what its device listens to; empty where none does.</summary>
    internal MessageSet[] Listening { get; }

    /// <summary>The same, without devices that make no sound and without system messages.</summary>
    internal MessageSet[] Sounding { get; }

    /// <summary>For each place the number of its component.</summary>
    internal int[] ComponentOf { get; }

    /// <summary>The strongly connected components, each after all that lead to it.</summary>
    internal Component[] Components { get; }

    /// <summary>A studio as a graph.</summary>
    /// <param name="studio">The studio.</param>
    /// <param name="previous">Of the version before: steps that are the same are taken from there; null for none.</param>
    internal static Flow Of(Studio studio, Flow? previous = null) => new(studio, previous);

    /// <summary>How ways through it are put into words.</summary>
    internal WayWords Words => field ??= new WayWords(this);

    internal int? Number(Place place) => Room.Number(place);

    /// <summary>The device that hears what gets to a place, or null.</summary>
    internal Device? HearerAt(int place) => place < Room.Hearers.Length ? Room.Hearers[place] : null;

    /// <summary>The port at a place, or that Weiche's own there is for; null for none.</summary>
    internal DevicePort? PortAt(int place) =>
        Places[place] is { Kind: PlaceKind.Port or PlaceKind.Own } end ? Studio.FindPort(new PortId(end.Id)) : null;

    /// <summary>The device that has a port or jack.</summary>
    internal Device? OwnerOf(Place place) =>
        place.Kind == PlaceKind.Jack ? Studio.FindJack(new JackId(place.Id))?.Device : Studio.FindPort(new PortId(place.Id))?.Owner;

    /// <summary>Whether another version has the same devices, cables and connections: names, places and who hears where are what they are
    /// here.</summary>
    internal bool HasRoomOf(Flow other) => ReferenceEquals(Room, other.Room);

    /// <summary>Whether a place stands for the same in every version with this room; the places that only routes with several sources know
    /// may be others.</summary>
    internal bool IsOfRoom(int place) => place < Room.Places.Length;

    /// <summary>Whether a step stays within its component.</summary>
    internal bool IsWithin(Step step) => ComponentOf[step.From] == ComponentOf[step.To];

    /// <summary>What a place is; one that there is not where several sources come together.</summary>
    private Place NamedAt(int place) => IsOfRoom(place) ? Room.Places[place] : default;

    private static Step[] ListAt(Span<Step> steps, Lately<Step[]>? known)
    {
        if (steps.IsEmpty)
            return [];
        return known is null
            ? steps.ToArray()
            : known.Find(steps, static (each, steps) => steps.SequenceEqual(each)) ?? known.Keep(steps.ToArray());
    }

    /// <summary>A step: that of another version if it is the very same, else a new one, with the memory of one that does the
    /// same.</summary>
    private Step StepOf(int from, int to, Route? route, Link? link, ImmutableArray<Stage> stages, MessageSet taken)
    {
        var key = new StepKey(route?.Id.Value ?? 0, link?.Inner?.Id.Value ?? 0, NamedAt(from), NamedAt(to));
        var known = _known.GetValueOrDefault(key);
        if (known is null || known.Stages != stages || !known.Taken.Equals(taken))
            known = null;
        else if (known.From == from && known.To == to && ReferenceEquals(known.Route, route) && known.Link == link)
            return known;
        return _known[key] = new Step(from, to, route, link, stages, taken, known);
    }

    /// <summary>Lets go of the steps of what is not in the studio any more, once there are many.</summary>
    private void LetGo()
    {
        if (_known.Count <= Steps.Length + Studio.Routes.Length + MostForgone)
            return;
        var there = Steps.ToHashSet();
        foreach (var (key, step) in _known)
        {
            if (!there.Contains(step) && (key.Route == 0 || Studio.FindRoute(new RouteId(key.Route)) is null))
                _known.TryRemove(key, out _);
        }
    }

    /// <summary>Adds the steps of routes that are live.</summary>
    /// <returns>How many places there are where what several sources send comes together: they come after those of the room.</returns>
    private int AddRoutes(List<Step> steps)
    {
        var live = LiveRoutes.Of(Studio);
        // Where what several sources send comes together before the stages of their route.
        var together = new Dictionary<RouteId, int>();
        foreach (var route in live.FromSeveral)
        {
            if (live.SourcesOf(route).Count(source => live.At(route, source) == RouteState.Live) <= 1)
                continue;
            var place = Room.Places.Length + together.Count;
            together.Add(route.Id, place);
            foreach (var to in Room.NumbersOf(route.To))
                steps.Add(StepOf(place, to, route, null, route.Stages, Studio.LeftOutAt(route.To)));
        }
        foreach (var source in live.Sources)
        {
            var begins = Room.NumbersOf(source);
            foreach (var (route, taken) in live.LiveFrom(Studio.FindPort(source)!.Value))
            {
                if (together.TryGetValue(route.Id, out var at))
                {
                    foreach (var from in begins)
                        steps.Add(StepOf(from, at, route, null, [], taken));
                    continue;
                }
                Routes++;
                var (ends, left) = (Room.NumbersOf(route.To), taken.Union(Studio.LeftOutAt(route.To)));
                foreach (var from in begins)
                {
                    foreach (var to in ends)
                        steps.Add(StepOf(from, to, route, null, route.Stages, left));
                }
            }
        }
        Routes += together.Count;
        return together.Count;
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
    /// <param name="alone">For each of the first places the component that it is where nothing leads back to it; null to make
    /// them.</param>
    /// <returns>The component of each place, and the components in an order in which each comes after all that lead to it.</returns>
    internal static (int[] Of, Component[] All) Find(int places, Step[][] outOf, Predicate<Step>? follow = null, Component[]? alone = null)
    {
        var (order, low, component) = (new int[places], new int[places], new int[places]);
        Array.Fill(component, -1);
        var found = new List<Component>(places);
        var waiting = new Stack<int>();
        var path = new Stack<(int Place, int Next)>();
        var count = 0;
        for (var start = 0; start < places; start++)
        {
            if (order[start] == 0)
                path.Push((start, 0));
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
                    if (follow?.Invoke(step) == false)
                        continue;
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
                if (deeper || low[place] != order[place])
                    continue;
                // Where nothing leads back, which is nearly everywhere, a place is alone.
                if (waiting.Peek() == place && !LeadsTo(outOf[place], place))
                {
                    component[waiting.Pop()] = found.Count;
                    found.Add(place < alone?.Length ? alone[place] : new Component([place], false));
                    continue;
                }
                var members = new List<int>();
                int member;
                do
                {
                    member = waiting.Pop();
                    component[member] = found.Count;
                    members.Add(member);
                } while (member != place);
                members.Sort();
                found.Add(
                    new Component(
                        [.. members],
                        members.Count > 1 || outOf[place].Any(step => step.To == place && follow?.Invoke(step) != false)
                    )
                );
            }
        }
        found.Reverse();
        for (var place = 0; place < places; place++)
            component[place] = found.Count - 1 - component[place];
        return (component, [.. found]);

        static bool LeadsTo(Step[] steps, int place)
        {
            foreach (var step in steps)
            {
                if (step.To == place)
                    return true;
            }
            return false;
        }
    }
}
