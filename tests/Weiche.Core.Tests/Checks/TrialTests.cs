using CsCheck;
using Weiche.Core.Checks;
using Weiche.Core.Midi;
using Weiche.Core.Sets;

namespace Weiche.Core.Tests.Checks;

/// <summary>The verdicts of the checks held against brute force: every message followed to every place, one by one.</summary>
public class TrialTests(ITestOutputHelper output)
{
    [Fact]
    public void The_verdict_on_circuits_is_that_of_following_every_message()
    {
        var (rooms, endless, growing, dying) = (0, 0, 0, 0);
        Gen.Select(AnyRoom.Room, AnyRoom.Messages)
            .Sample(
                (studio, messages) =>
                {
                    var flow = AnyRoom.FlowOf(studio, messages);
                    if (Brute.Follow(flow, messages) is not { } brute)
                        return;
                    var search = CircuitSearch.Of(flow);
                    for (var place = 0; place < flow.Places.Length; place++)
                    {
                        Assert.True(search.Reach(place).Equals(brute.Reach(place)), $"reach of {flow.Places[place]}");
                        Assert.True(search.Endless[place].Equals(brute.Endless(place)), $"endless at {flow.Places[place]}");
                    }
                    Assert.Equal(brute.Grows, Array.Exists(search.Grows, grows => grows));
                    AssertRings(search, brute);
                    for (var component = 0; component < flow.Components.Length; component++)
                        Assert.Equal(brute.Rounds(component), search.Rounds[component]);
                    Interlocked.Increment(ref rooms);
                    if (Array.Exists(search.Endless, set => !set.IsEmpty))
                        Interlocked.Increment(ref endless);
                    if (brute.Grows)
                        Interlocked.Increment(ref growing);
                    if (Array.Exists(search.Rounds, rounds => rounds > 0))
                        Interlocked.Increment(ref dying);
                },
                iter: 5_000
            );
        output.WriteLine($"{rooms} rooms: {endless} with an endless circuit, {growing} growing, {dying} dying out");
        Assert.True(
            rooms > 4_800 && endless > rooms / 10 && growing > rooms / 50 && dying > rooms / 50,
            $"{rooms} rooms, {endless} endless, {growing} growing, {dying} dying: the trial sees too little"
        );
    }

    /// <summary>What goes round is in one of the rings, each ring has something that goes round, and what is in it comes from there and
    /// leads there.</summary>
    private static void AssertRings(CircuitSearch search, Brute brute)
    {
        var rings = Enumerable
            .Range(0, search.Flow.Components.Length)
            .Where(component => search.Flow.Components[component].IsClosed)
            .SelectMany(component => Circuits.Rings(search, component))
            .ToList();
        Assert.Distinct(rings.SelectMany(ring => ring.Places));
        var round = brute.GoingRound().ToList();
        Assert.All(round, state =>
            Assert.True(
                rings.Exists(ring => IsIn(ring, state)),
                $"{state.Message} goes round at {search.Flow.Places[state.Place]}, and no ring has it"
            )
        );
        foreach (var ring in rings)
        {
            var own = round.Where(state => IsIn(ring, state)).ToList();
            Assert.NotEmpty(own);
            var places = ring.Places.ToHashSet();
            var (after, before) = (brute.Joined(own, places, forward: true), brute.Joined(own, places, forward: false));
            foreach (var state in brute.States.Where(state => IsIn(ring, state)))
            {
                Assert.True(
                    before.Contains(state),
                    $"{state.Message} at {search.Flow.Places[state.Place]} becomes nothing that goes round"
                );
                Assert.True(
                    after.Contains(state),
                    $"{state.Message} at {search.Flow.Places[state.Place]} comes from nothing that goes round"
                );
            }
        }

        static bool IsIn(Circuits.Ring ring, (int Place, MidiMessage Message) state) => ring.Circling[state.Place].Contains(state.Message);
    }
}

/// <summary>Every (place, message) of a studio, enumerated and followed. It shares nothing with the checks but the graph and the
/// rule of each stage on a single message.</summary>
internal sealed class Brute
{
    private const int MaxStates = 30_000;

    private readonly Flow _flow;
    private readonly List<(int Place, MidiMessage Message)> _states = [];
    private readonly Dictionary<(int, MidiMessage), int> _numbers = [];
    private readonly List<List<int>> _next = [];
    private readonly bool[] _endless;

    private Brute(Flow flow, MidiMessage[] messages)
    {
        _flow = flow;
        for (var place = 0; place < flow.Places.Length; place++)
        {
            foreach (var message in messages.Where(message => flow.Sent[place].Contains(message)))
                Number(place, message);
        }
        for (var i = 0; i < _states.Count && _states.Count <= MaxStates; i++)
        {
            _next.Add([]);
            foreach (var step in flow.OutOf[_states[i].Place])
            {
                foreach (var became in step.Run(_states[i].Message))
                    _next[i].Add(Number(step.To, became));
            }
        }
        _endless =
            _states.Count > MaxStates
                ? []
                : GoingOn((from, to) => flow.ComponentOf[_states[from].Place] == flow.ComponentOf[_states[to].Place]);
    }

    internal bool Grows => FindGrows();

    internal IReadOnlyList<(int Place, MidiMessage Message)> States => _states;

    /// <summary>Follows every message; null if there are too many states.</summary>
    internal static Brute? Follow(Flow flow, MidiMessage[] messages) =>
        new Brute(flow, messages) is { _states.Count: <= MaxStates } brute ? brute : null;

    internal MessageSet Reach(int place) => Set(_states.Where(state => state.Place == place));

    internal MessageSet Endless(int place) => Set(_states.Where((state, i) => state.Place == place && _endless[i]));

    /// <summary>The states that come back to themselves.</summary>
    internal IEnumerable<(int Place, MidiMessage Message)> GoingRound()
    {
        var component = StateComponents();
        var size = component.CountBy(number => number).ToDictionary();
        return _states.Where((_, i) => size[component[i]] > 1 || _next[i].Contains(i));
    }

    /// <summary>The states to which some lead, or which lead to them, by way of some places only; with themselves.</summary>
    internal HashSet<(int Place, MidiMessage Message)> Joined(
        IEnumerable<(int Place, MidiMessage Message)> from,
        HashSet<int> places,
        bool forward
    )
    {
        var inside = Enumerable.Range(0, _states.Count).Where(i => places.Contains(_states[i].Place)).ToList();
        var edges = inside
            .SelectMany(i =>
                _next[i].Where(to => places.Contains(_states[to].Place)).Select(to => forward ? (From: i, To: to) : (From: to, To: i))
            )
            .ToLookup(edge => edge.From, edge => edge.To);
        var seen = new HashSet<int>();
        var next = new Stack<int>(from.Select(state => _numbers[state]));
        while (next.TryPop(out var state))
        {
            if (!seen.Add(state))
                continue;
            foreach (var other in edges[state])
                next.Push(other);
        }
        return [.. seen.Select(i => _states[i])];
    }

    /// <summary>How often at most a message that ends comes back to a place of a component: the longest way there is, counted.</summary>
    internal int Rounds(int component)
    {
        var most = 0;
        var ending = Enumerable
            .Range(0, _states.Count)
            .Where(i => !_endless[i] && _flow.ComponentOf[_states[i].Place] == component)
            .ToList();
        if (!_flow.Components[component].IsClosed)
            return 0;
        var inside = ending.ToHashSet();
        foreach (var place in _flow.Components[component].Places.Where(place => _flow.Places[place] is not null))
        {
            var visits = new Dictionary<int, int>();
            foreach (var state in ending)
                most = Math.Max(most, Visits(state, place, inside, visits) - 1);
        }
        return most;
    }

    private int Visits(int start, int place, HashSet<int> inside, Dictionary<int, int> visits)
    {
        // States that end lie on no closed way: depth first, each once.
        var stack = new Stack<int>([start]);
        while (stack.TryPeek(out var state))
        {
            var open = visits.ContainsKey(state)
                ? []
                : _next[state].Where(next => inside.Contains(next) && !visits.ContainsKey(next)).ToList();
            if (open.Count > 0)
            {
                foreach (var next in open)
                    stack.Push(next);
                continue;
            }
            stack.Pop();
            visits[state] =
                (_states[state].Place == place ? 1 : 0)
                + _next[state].Where(inside.Contains).Select(next => visits[next]).DefaultIfEmpty().Max();
        }
        return visits[start];
    }

    /// <summary>Which states have a way on that never ends, along edges that count.</summary>
    private bool[] GoingOn(Func<int, int, bool> counts)
    {
        var left = new int[_states.Count];
        var back = Enumerable.Range(0, _states.Count).Select(_ => new List<int>()).ToList();
        for (var i = 0; i < _states.Count; i++)
        {
            foreach (var next in _next[i].Where(next => counts(i, next)))
            {
                left[i]++;
                back[next].Add(i);
            }
        }
        var ended = new Queue<int>(Enumerable.Range(0, _states.Count).Where(i => left[i] == 0));
        var going = new bool[_states.Count];
        Array.Fill(going, true);
        while (ended.TryDequeue(out var state))
        {
            going[state] = false;
            foreach (var from in back[state])
            {
                if (--left[from] == 0)
                    ended.Enqueue(from);
            }
        }
        return going;
    }

    /// <summary>Whether the number of messages grows without bound: by the components of the graph of states, one with more edges
    /// than states, or one that leads to another.</summary>
    private bool FindGrows()
    {
        var component = StateComponents();
        var size = component.CountBy(number => number).ToDictionary();
        var inner = new Dictionary<int, int>();
        for (var i = 0; i < _states.Count; i++)
        {
            var within = _next[i].Count(next => component[next] == component[i]);
            inner[component[i]] = inner.GetValueOrDefault(component[i]) + within;
        }
        if (inner.Any(item => item.Value > size[item.Key]))
            return true;
        var closed = inner.Where(item => item.Value > 0).Select(item => item.Key).ToHashSet();
        // From each closed part on: does a way lead to another one?
        foreach (var part in closed)
        {
            var seen = new HashSet<int>();
            var next = new Queue<int>(Enumerable.Range(0, _states.Count).Where(i => component[i] == part));
            while (next.TryDequeue(out var state))
            {
                if (!seen.Add(state))
                    continue;
                if (component[state] != part && closed.Contains(component[state]))
                    return true;
                foreach (var other in _next[state])
                    next.Enqueue(other);
            }
        }
        return false;
    }

    /// <summary>Components by ways there and back (S. R. Kosaraju's way: one pass forward, one backward).</summary>
    private int[] StateComponents()
    {
        var (order, seen) = (new List<int>(), new bool[_states.Count]);
        for (var start = 0; start < _states.Count; start++)
        {
            var stack = new Stack<(int State, bool Done)>([(start, false)]);
            while (stack.TryPop(out var here))
            {
                if (here.Done)
                    order.Add(here.State);
                if (here.Done || seen[here.State])
                    continue;
                seen[here.State] = true;
                stack.Push((here.State, true));
                foreach (var next in _next[here.State].Where(next => !seen[next]))
                    stack.Push((next, false));
            }
        }
        var back = Enumerable.Range(0, _states.Count).Select(_ => new List<int>()).ToList();
        for (var i = 0; i < _states.Count; i++)
            _next[i].ForEach(next => back[next].Add(i));
        var component = new int[_states.Count];
        Array.Fill(component, -1);
        order.Reverse();
        foreach (var root in order)
        {
            var stack = new Stack<int>([root]);
            while (stack.TryPop(out var state))
            {
                if (component[state] >= 0)
                    continue;
                component[state] = root;
                back[state].ForEach(stack.Push);
            }
        }
        return component;
    }

    private int Number(int place, MidiMessage message)
    {
        if (_numbers.TryGetValue((place, message), out var number))
            return number;
        _numbers.Add((place, message), _states.Count);
        _states.Add((place, message));
        return _states.Count - 1;
    }

    private static MessageSet Set(IEnumerable<(int Place, MidiMessage Message)> states)
    {
        var builder = new MessageSet.Builder();
        foreach (var (_, message) in states)
            builder.Add(message);
        return builder.ToSet();
    }
}
