using System.Collections.Concurrent;
using Weiche.Core.Sets;

namespace Weiche.Core.Checks;

/// <summary>
/// Finds out whether messages can come back to where they have been, again and again: with sets, exactly, for every message at
/// once.
/// </summary>
/// <remarks>
/// A state is a place with a message that can be there. <list type="bullet">
/// <item><b>Reach</b>: what can be at each place, forward from what each device can send by itself, until nothing is added.</item>
/// <item><b>Endless</b>: at each place the messages that can go on for ever within the place's component: the largest family of
/// sets within reach where each message has a step that leads it into the set of the next place.</item>
/// <item><b>Growing</b>: a state that lies behind a closed way has two ways that go on for ever. Then, and only then, either two
/// ways of one closed part stay in it, or one closed part feeds another, and there are more messages with each round.</item>
/// <item><b>Dying out</b>: what comes back to a place changed, and ends after some rounds.</item>
/// </list>
/// </remarks>
internal sealed class CircuitSearch
{
    // Where a component has more places than this from which rounds would have to be counted, only this many are taken.
    private const int MaxCounted = 64;

    // For each place what can be there, where a step leads on; and what comes to those of closed ways from elsewhere.
    private readonly MessageSet[] _reach;
    private readonly MessageSet[] _into;

    // Both by the first step of a component; findings with what grew at its places, which they tell.
    private readonly Dictionary<Step, Solved> _solved = [];
    private readonly Dictionary<Step, (bool[] Grew, IReadOnlyList<Finding> Findings)> _findings = [];
    private readonly bool[] _reused;

    // What goes on for ever from each place, and what of it comes from a closed way; null where nothing goes on for ever.
    private MessageSet[]? _forever;
    private MessageSet[]? _behind;
    private CircuitSearch? _previous;

    private CircuitSearch(Flow flow, CircuitSearch? previous)
    {
        Flow = flow;
        _previous = previous;
        var count = flow.Places.Length;
        (_reach, Endless, _into) = (Spreading.Filled(count), Spreading.Filled(count), Spreading.Filled(count));
        Rounds = new int[flow.Components.Length];
        Last = new (int, MessageSet)[flow.Components.Length];
        Grows = new bool[count];
        _reused = new bool[flow.Components.Length];
        // Each component comes after all that lead to it.
        for (var i = 0; i < flow.Components.Length; i++)
        {
            var alone = flow.AloneAt[i];
            if (alone < 0)
            {
                foreach (var place in flow.Components[i].Places)
                    _into[place] = ComesTo(place);
                Solve(i);
            }
            else if (flow.OutOf[alone].Length > 0)
            {
                _reach[alone] = ComesTo(alone);
            }
        }
        if (Array.Exists(Endless, set => !set.IsEmpty))
            FindGrowing();
    }

    internal Flow Flow { get; }

    /// <summary>What can be at a place.</summary>
    internal MessageSet Reach(int place) => Flow.OutOf[place].Length > 0 ? _reach[place] : ComesTo(place);

    /// <summary>Whether any of some messages can be at a place.</summary>
    internal bool CanReach(int place, MessageSet messages) =>
        Flow.OutOf[place].Length > 0
            ? _reach[place].Overlaps(messages)
            : Flow.Sent[place].Overlaps(messages) || Array.Exists(Flow.Into[place], step => step.BringsAnyOf(_reach[step.From], messages));

    /// <summary>For each place what can go on from there for ever without leaving the component.</summary>
    internal MessageSet[] Endless { get; }

    /// <summary>For each place whether something there, that comes from a closed way, has two ways that go on for ever.</summary>
    internal bool[] Grows { get; }

    /// <summary>For each component how often at most a message that does not go on for ever comes back to a place where it has
    /// been.</summary>
    internal int[] Rounds { get; }

    /// <summary>Searches a studio.</summary>
    /// <param name="flow">Its graph.</param>
    /// <param name="previous">The search before the last edit: what is still the same is taken from there; null for none.</param>
    internal static CircuitSearch Of(Flow flow, CircuitSearch? previous = null) => new(flow, previous);

    /// <summary>The rings of components that somebody has asked for; several threads may ask.</summary>
    internal ConcurrentDictionary<int, IReadOnlyList<Circuits.Ring>> Rings { get; } = [];

    /// <summary>For each component whose <see cref="Rounds"/> are above 0 the place where messages come back most often, and those
    /// that do so.</summary>
    internal (int Place, MessageSet Messages)[] Last { get; }

    /// <summary>Messages after each number of rounds, from a place of a component: first all that end, then those of them that can be
    /// there after one round, and so on, until none is left.</summary>
    internal int CountRounds(int place, out MessageSet last)
    {
        var rounds = 0;
        last = _reach[place].Except(Endless[place]);
        while (true)
        {
            var next = OneRound(place, last);
            if (next.IsEmpty)
                return rounds;
            rounds++;
            last = next;
        }
    }

    /// <summary>What was found about a component before the last edit, where nothing that it stands on has changed since; null if it
    /// has to be worked out.</summary>
    internal IReadOnlyList<Finding>? KnownFindings(int component)
    {
        if (_previous is null || !_reused[component])
            return null;
        // Names stand in them: of ports, and of the groups that routes are from.
        if (!_previous.Flow.HasRoomOf(Flow) || _previous.Flow.Studio.Groups != Flow.Studio.Groups)
            return null;
        return _previous._findings.TryGetValue(First(component), out var known) && GrowsIn(component).SequenceEqual(known.Grew)
            ? known.Findings
            : null;
    }

    /// <summary>Keeps what was found about a component.</summary>
    internal void Remember(int component, IReadOnlyList<Finding> findings) => _findings[First(component)] = (GrowsIn(component), findings);

    /// <summary>For each place of a component, those that only a route with several sources knows too, whether it grows there.</summary>
    private bool[] GrowsIn(int component) => Array.ConvertAll(Flow.Components[component].Places, place => Grows[place]);

    private Step First(int component) => Flow.Components[component].Places.SelectMany(place => Flow.OutWithin[place]).First();

    /// <summary>Whether something can go round here that could not in another version of the studio.</summary>
    internal bool OpensMoreThan(CircuitSearch before)
    {
        for (var place = 0; place < Endless.Length; place++)
        {
            if (Endless[place].IsEmpty || Flow.Places[place] is not { } end)
                continue;
            var was = before.Flow.Number(end) is { } number ? before.Endless[number] : MessageSet.Empty;
            if (!Endless[place].Except(was).IsEmpty)
                return true;
        }
        return false;
    }

    /// <summary>Lets go of what was found before: else every version of a studio would stay in memory.</summary>
    internal void Forget() => _previous = null;

    /// <summary>What is sent at a place and what comes there from other components.</summary>
    private MessageSet ComesTo(int place)
    {
        var isOpen = Flow.IntoWithin[place].Length == 0;
        return RoomMemory.Gather(
            isOpen && Flow.IsOfRoom(place) ? Flow.Room.Memory.Reach[place] : null,
            Flow.Sent[place],
            isOpen ? Flow.Into[place] : Array.FindAll(Flow.Into[place], step => !Flow.IsWithin(step)),
            _reach,
            static step => step.From,
            static (step, set) => step.Image(set)
        );
    }

    /// <summary>A component with closed ways: forward until nothing is added, then backward until nothing is taken away.</summary>
    private void Solve(int component)
    {
        var places = Flow.Components[component].Places;
        var steps = places.SelectMany(place => Flow.OutWithin[place]).ToArray();
        if (_previous is not null && _previous._solved.TryGetValue(steps[0], out var before) && before.IsFor(this, places, steps))
        {
            for (var i = 0; i < places.Length; i++)
                (_reach[places[i]], Endless[places[i]]) = (before.Reach[i], before.Endless[i]);
            Rounds[component] = before.Rounds;
            _reused[component] = true;
            if (before.Rounds > 0)
                Last[component] = (Flow.Number(before.LastPlace!.Value)!.Value, before.Last);
        }
        else
        {
            FindReach(places);
            FindEndless(places);
            foreach (var place in Counted(component))
            {
                var rounds = CountRounds(place, out var last);
                if (rounds > Rounds[component])
                    (Rounds[component], Last[component]) = (rounds, (place, last));
            }
        }
        _solved[steps[0]] = new Solved(
            [.. places.Select(place => Flow.Places[place])],
            steps,
            [.. places.Select(place => _into[place])],
            [.. places.Select(place => _reach[place])],
            [.. places.Select(place => Endless[place])],
            Rounds[component],
            Rounds[component] > 0 ? Flow.Places[Last[component].Place] : null,
            Last[component].Messages ?? MessageSet.Empty
        );
    }

    private void FindReach(int[] places)
    {
        foreach (var place in places)
            _reach[place] = _into[place];
        Spreading.Spread(
            places.Select(place => (place, _into[place])),
            place => Flow.OutWithin[place],
            static (step, set) => (step.To, step.Image(set)),
            (place, arriving) =>
            {
                var more = arriving.Except(_reach[place]);
                if (!more.IsEmpty)
                    _reach[place] = _reach[place].Union(more);
                return more;
            }
        );
    }

    private void FindEndless(int[] places)
    {
        foreach (var place in places)
            Endless[place] = _reach[place];
        Spreading.Shrink(
            places,
            place => Spreading.CoveredBy(Endless[place], Flow.OutWithin[place], step => step.PreImage(Endless[step.To])),
            Endless,
            place => Flow.IntoWithin[place].Select(step => step.From)
        );
    }

    /// <summary>The places of a component from which rounds are counted. A place from which everything goes on to another one as it
    /// is need not be: whatever comes back there comes back to the other one as well.</summary>
    private IEnumerable<int> Counted(int component) =>
        Flow.Components[component]
            .Places.Where(place => Flow.Places[place] is not null && !_reach[place].Except(Endless[place]).IsEmpty)
            .Where(place => !(Flow.OutWithin[place] is [{ IsPlain: true } only] && only.To != place && Flow.Places[only.To] is not null))
            .Take(MaxCounted);

    /// <summary>What is at a place after one round, of messages there that end.</summary>
    internal MessageSet OneRound(int place, MessageSet messages) =>
        Spreading
            .Around(place, messages, here => Flow.OutWithin[here], static (step, set) => (step.To, step.Image(set)))
            .Except(Endless[place]);

    private void FindGrowing()
    {
        var before = _previous is { _forever: not null } known && known.Flow.HasRoomOf(Flow) ? known : null;
        // What goes on for ever anywhere, whether within its component or into another one; and of that what comes from a closed way.
        _forever = Narrowed(
            Flow.Components.Reverse(),
            new Pass(Flow.OutOf, Flow.IntoWithin, _reach, step => step.To, step => step.From, static (step, set) => step.PreImage(set)),
            before is null ? null : (before.Flow.OutOf, before._reach, before._forever!),
            out var goesOnAsBefore
        );
        _behind = Narrowed(
            Flow.Components,
            new Pass(Flow.Into, Flow.OutWithin, _forever, step => step.From, step => step.To, static (step, set) => step.Image(set)),
            before is null ? null : (before.Flow.Into, before._forever!, before._behind!),
            out _
        );
        for (var place = 0; place < _behind.Length; place++)
        {
            if (_behind[place].IsEmpty)
                continue;
            if (goesOnAsBefore[place] && _behind[place].Equals(before!._behind![place]))
            {
                Grows[place] = before.Grows[place];
                continue;
            }
            var (once, twice) = (MessageSet.Empty, MessageSet.Empty);
            foreach (var step in Flow.OutOf[place])
            {
                if (_forever[step.To].IsEmpty)
                    continue;
                var one = step.PreImage(_forever[step.To]);
                twice = twice.Union(once.Intersect(one)).Union(step.PreImageTwice(_forever[step.To], MessageSet.Empty));
                once = once.Union(one);
            }
            Grows[place] = _behind[place].Overlaps(twice);
        }
    }

    /// <summary>A pass over the graph, forward or backward.</summary>
    /// <param name="Steps">For each place the steps that must lead on.</param>
    /// <param name="Back">For each place the steps within its component by which it is led to.</param>
    /// <param name="From">For each place the set that is narrowed.</param>
    /// <param name="Far">Where a step leads.</param>
    /// <param name="Near">Where it begins.</param>
    /// <param name="Carry">What of a place leads into a set at the far end.</param>
    private sealed record Pass(
        Step[][] Steps,
        Step[][] Back,
        MessageSet[] From,
        Func<Step, int> Far,
        Func<Step, int> Near,
        Func<Step, MessageSet, MessageSet> Carry
    );

    /// <summary>The largest sets within others of which everything leads on by a step into such a set again.</summary>
    /// <param name="components">The components, each after all to which it leads.</param>
    /// <param name="pass">What leads where.</param>
    /// <param name="before">The steps, the sets that were narrowed and what became of them in the version before; null for none.</param>
    /// <param name="isAsBefore">For each place whether it leads on as it did, and it is known that the same became of it.</param>
    private MessageSet[] Narrowed(
        IEnumerable<Component> components,
        Pass pass,
        (Step[][] Steps, MessageSet[] From, MessageSet[] Sets)? before,
        out bool[] isAsBefore
    )
    {
        var sets = Spreading.Filled(Flow.Places.Length);
        var same = isAsBefore = new bool[sets.Length];
        foreach (var component in components)
        {
            var places = component.Places;
            // Where the same is narrowed by the same steps, the largest family of sets is the one that it was.
            if (before is { } known && Array.TrueForAll(places, place => IsAsBefore(place, places, known)))
            {
                foreach (var place in places)
                    (sets[place], same[place]) = (known.Sets[place], true);
                continue;
            }
            foreach (var place in places)
                sets[place] = pass.From[place];
            Spreading.Shrink(
                places,
                place => Spreading.CoveredBy(sets[place], pass.Steps[place], step => pass.Carry(step, sets[pass.Far(step)])),
                sets,
                place => pass.Back[place].Select(pass.Near)
            );
        }
        return sets;

        bool IsAsBefore(int place, int[] within, (Step[][] Steps, MessageSet[] From, MessageSet[] Sets) known) =>
            Flow.IsOfRoom(place)
            && pass.From[place].Equals(known.From[place])
            && pass.Steps[place].AsSpan().SequenceEqual(known.Steps[place])
            && Array.TrueForAll(pass.Steps[place], step =>
                Array.IndexOf(within, pass.Far(step)) >= 0 || HasItsSet(pass.Far(step), known.Sets)
            );

        bool HasItsSet(int place, MessageSet[] known) => Flow.IsOfRoom(place) && sets[place].Equals(known[place]);
    }

    /// <summary>What was found out about a component.</summary>
    private sealed record Solved(
        Studios.Place?[] Places,
        Step[] Steps,
        MessageSet[] Into,
        MessageSet[] Reach,
        MessageSet[] Endless,
        int Rounds,
        Studios.Place? LastPlace,
        MessageSet Last
    )
    {
        internal bool IsFor(CircuitSearch search, int[] places, Step[] steps)
        {
            // The same steps are from place to place as before; places that only a route with several sources knows have no name.
            if (!steps.AsSpan().SequenceEqual(Steps))
                return false;
            for (var i = 0; i < places.Length; i++)
            {
                if (search.Flow.Places[places[i]] != Places[i] || !search._into[places[i]].Equals(Into[i]))
                    return false;
            }
            return true;
        }
    }
}
