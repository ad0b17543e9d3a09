using System.Collections.Concurrent;
using System.Collections.Immutable;
using System.Runtime.InteropServices;
using Weiche.Core.Midi;
using Weiche.Core.Sets;
using Weiche.Core.Stages;
using Weiche.Core.Studios;
using Weiche.Core.Ways;

namespace Weiche.Core.Checks;

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
        LaidAt = new RoomMemory.Laid?[Room.Places.Length];
        var together = AddRoutes(steps);
        Places = together == 0 ? Room.Named : [.. Room.Named, .. new Place?[together]];
        Steps = [.. steps];
        LetGo();
        (OutOf, Into) = (Lists(step => step.From, Room.Memory.OutOf, LaidAt), Lists(step => step.To, Room.Memory.Into, []));
        (Sent, Listening, Sounding) = (AtAll(Room.Sent), AtAll(Room.Listening), AtAll(Room.Sounding));
        (ComponentOf, Components) = Component.Find(Places.Length, OutOf, alone: Room.Alone);
        AloneAt = new int[Components.Length];
        for (var i = 0; i < Places.Length; i++)
            AloneAt[ComponentOf[i]] = IsAlone(i) ? i : -1;
        (OutWithin, IntoWithin) = (Within(OutOf), Within(Into));

        // Where several sources come together nobody sends or hears.
        MessageSet[] AtAll(MessageSet[] sets) =>
            Places.Length == sets.Length ? sets : [.. sets, .. Spreading.Filled(Places.Length - sets.Length)];

        // A list that is the same as in another version is the very same.
        Step[][] Lists(Func<Step, int> end, RoomMemory.AtPlaces<Step[]> known, RoomMemory.Laid?[] ready)
        {
            var (begins, lists) = (new int[Places.Length + 1], new Step[Places.Length][]);
            foreach (var step in Steps)
            {
                if (ReadyAt(end(step)) is null)
                    begins[end(step) + 1]++;
            }
            for (var i = 0; i < Places.Length; i++)
                begins[i + 1] += begins[i];
            var (all, next) = (new Step[begins[^1]], begins[..^1]);
            foreach (var step in Steps)
            {
                if (ReadyAt(end(step)) is null)
                    all[next[end(step)]++] = step;
            }
            for (var i = 0; i < Places.Length; i++)
                lists[i] = ReadyAt(i)?.Steps ?? ListAt(all.AsSpan(begins[i]..begins[i + 1]), i);
            return lists;

            RoomMemory.Laid? ReadyAt(int place) => place < ready.Length ? ready[place] : null;

            Step[] ListAt(Span<Step> steps, int place)
            {
                if (steps.IsEmpty)
                    return [];
                return !IsOfRoom(place)
                    ? steps.ToArray()
                    : known[place].Find(steps, static (each, steps) => steps.SequenceEqual(each)) ?? known[place].Keep(steps.ToArray());
            }
        }

        // Nearly all are those of the room.
        bool IsAlone(int place) =>
            Components[ComponentOf[place]] is var its && (IsOfRoom(place) && ReferenceEquals(its, Room.Alone[place]) || !its.IsClosed);

        Step[][] Within(Step[][] lists)
        {
            var within = new Step[lists.Length][];
            for (var i = 0; i < lists.Length; i++)
                within[i] =
                    AloneAt[ComponentOf[i]] >= 0 ? []
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

    /// <summary>For each place of the room what is remembered with the steps from it, where they are those of a source's routes and no
    /// others.</summary>
    internal RoomMemory.Laid?[] LaidAt { get; }

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

    /// <summary>For each component the place that it is, where it is one to which nothing leads back; −1 for a closed one.</summary>
    internal int[] AloneAt { get; }

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

    /// <summary>A step: that of another version if it is the very same, else a new one, with the memory of one that does the
    /// same.</summary>
    private Step StepOf(
        int from,
        int to,
        Route? route,
        Link? link,
        ImmutableArray<Stage> stages,
        MessageSet taken,
        KindSet followed = default
    )
    {
        var key = new StepKey(route?.Id.Value ?? 0, link?.Inner?.Id.Value ?? 0, NamedAt(from), NamedAt(to));
        var known = _known.GetValueOrDefault(key);
        if (known is null || known.Stages != stages || !known.Taken.Equals(taken))
            known = null;
        // What is taken away may be the same for another reason, and the reason is told.
        else if (
            known.From == from
            && known.To == to
            && ReferenceEquals(known.Route, route)
            && known.Link == link
            && known.Followed == followed
        )
            return known;
        return _known[key] = new Step(from, to, route, link, stages, taken, followed, known);
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
    /// <param name="steps">To which they are added.</param>
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
                steps.Add(StepOf(place, to, route, null, route.Stages, Studio.LeftOutAt(route.To), Studio.FollowedAt(route.To)));
        }
        var followers = Studio.MasterNow() is null ? [] : Studio.Time.Followers;
        for (var i = 0; i < live.Sources.Length; i++)
        {
            var (source, routes) = live.Sources[i];
            var begins = Room.NumbersOf(source.Id);
            if (routes.Length > RouteTables.MostBits || together.Count > 0 && Array.Exists(routes, route => together.ContainsKey(route.Id)))
            {
                Routes += AddFrom(source, begins);
                continue;
            }
            if (live.LiveBits(i) is var bits && bits == 0)
                continue;
            var memory = Room.Memory.LaidFrom[begins[0]];
            var from = memory.Find((routes, bits, followers), static (each, now) => each.IsOf(now.routes, now.bits, now.followers));
            if (from is not null)
            {
                steps.AddRange(from.Steps);
            }
            else
            {
                var start = steps.Count;
                AddFrom(source, begins);
                from = memory.Keep(RoomMemory.Laid.Of(routes, bits, followers, [.. CollectionsMarshal.AsSpan(steps)[start..]]));
            }
            Routes += from.Routes;
            if (begins.Length == 1 && !Room.LeadsOn[begins[0]])
                LaidAt[begins[0]] = from;
        }
        Routes += together.Count;
        return together.Count;

        // Tells how many routes there were of which not only a part begins there.
        int AddFrom(DevicePort source, int[] begins)
        {
            var whole = 0;
            foreach (var (route, taken) in live.LiveFrom(source))
            {
                if (together.TryGetValue(route.Id, out var at))
                {
                    foreach (var from in begins)
                        steps.Add(StepOf(from, at, route, null, [], taken));
                    continue;
                }
                whole++;
                var (ends, left) = (Room.NumbersOf(route.To), taken.Union(Studio.LeftOutAt(route.To)));
                var followed = Studio.FollowedAt(route.To);
                foreach (var from in begins)
                {
                    foreach (var to in ends)
                        steps.Add(StepOf(from, to, route, null, route.Stages, left, followed));
                }
            }
            return whole;
        }
    }
}
