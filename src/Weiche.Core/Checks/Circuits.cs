using System.Collections.Immutable;
using System.Globalization;
using Weiche.Core.Midi;
using Weiche.Core.Sets;
using static Weiche.Core.Checks.WayWords;

namespace Weiche.Core.Checks;

/// <summary>Makes findings of what <see cref="CircuitSearch"/> found: one for each closed way, with a ring and a witness.</summary>
internal sealed class Circuits
{
    // A witness is looked for by following single messages; no ring that a person can read is longer.
    private const int MaxFollowed = 20_000;

    private readonly CircuitSearch _search;
    private readonly Flow _flow;
    private readonly WayWords _words;

    private Circuits(CircuitSearch search)
    {
        _search = search;
        _flow = search.Flow;
        _words = new WayWords(_flow);
    }

    /// <summary>The findings about circuits.</summary>
    internal static IEnumerable<Finding> Of(CircuitSearch search)
    {
        var circuits = new Circuits(search);
        for (var i = 0; i < search.Flow.Components.Length; i++)
        {
            if (!search.Flow.Components[i].IsClosed) continue;
            var findings = search.KnownFindings(i) ?? [.. circuits.Endless(i), .. search.Rounds[i] > 0 ? [circuits.DyingOut(i)] : (Finding[])[]];
            search.Remember(i, findings);
            foreach (var finding in findings) yield return finding;
        }
    }

    /// <summary>The closed ways of a component, each with all that runs in it. A component may have several.</summary>
    private IEnumerable<Finding> Endless(int component)
    {
        return Rings(_search, component).Select(ring => Endless(ring.Part, ring.Running)).OfType<Finding>();
    }

    /// <summary>The parts of a component within which messages go round, each with the steps that they take and what runs over each. What only
    /// passes through on its way into such a part is in none.</summary>
    internal static IEnumerable<(Component Part, List<(Step Step, MessageSet Set)> Running)> Rings(CircuitSearch search, int component)
    {
        var flow = search.Flow;
        var places = flow.Components[component].Places;
        if (places.All(place => search.Endless[place].IsEmpty)) return [];
        var running = places.SelectMany(place => flow.OutOf[place])
            .Where(step => flow.ComponentOf[step.To] == component)
            .Select(step => (Step: step, Set: step.Image(search.Endless[step.From]).Intersect(search.Endless[step.To])))
            .Where(item => !item.Set.IsEmpty).ToList();
        var runs = running.Select(item => item.Step.Index).ToHashSet();
        var (of, parts) = Component.Find(flow.Places.Length, flow.OutOf, step => runs.Contains(step.Index));
        return parts.Select((part, i) => (part, i)).Where(item => item.part.IsClosed)
            .Select(item => (item.part, running.Where(each => of[each.Step.From] == item.i && of[each.Step.To] == item.i).ToList()));
    }

    private Finding? Endless(Component circuit, List<(Step Step, MessageSet Set)> running)
    {
        var strides = circuit.Places.Where(place => !_search.Endless[place].IsEmpty).Select(place => FindRing(circuit, place)).FirstOrDefault(ring => ring is not null);
        // Messages that only pass on their way into another circuit of the same places make no ring here.
        if (strides is null) return null;
        var grows = circuit.Places.Any(place => _search.Grows[place]);
        var ring = _words.Ring(strides);
        var kinds = circuit.Places.Aggregate(KindSet.None, (all, place) => _search.Endless[place].KindsIn().Members.Aggregate(all, (set, kind) => set.With(kind, true)));
        var round = MidiSpan.Sum(ring.Select(leg => leg.Delay));
        var start = _flow.Places.Index().First(place => place.Item is not null && _words.NameOf(place.Index) == ring[0].Place && strides.Any(stride => stride.Step.From == place.Index)).Index;
        var witness = MessageAt(strides.First(stride => stride.Step.From == start).Came);
        var what = kinds == KindSet.All ? "Everything" : Capital(SetWords.Names(kinds));
        var does = kinds.Count == 1 && kinds.Members.First() is not (MessageKind.Note or MessageKind.ControlChange) ? "runs" : kinds == KindSet.All ? "runs" : "run";
        var names = string.Join(" – ", NamesOf(ring));
        return new Finding(
            grows ? FindingKind.Growing : FindingKind.Endless, Severity.Fault, KeyOf(grows ? "growing" : "endless", circuit.Places),
            $"{what} {does} in a circle{(grows ? " and become" + (does == "runs" ? "s" : "") + " more" : "")}: {names}",
            $"{witness} {ring[0].Place} comes back {(round == MidiSpan.Zero ? "at once" : $"after {round.Exactly()}")}, and again, and again{(grows ? ", more of it each time" : "")}.")
        {
            Ring = ring,
            Round = round,
            Runs = [.. RunsAt(start, strides)],
            Evidence = [.. Evidence(round, strides, grows, running.Count)],
            Routes = RoutesOf(running.Select(item => item.Step)),
            Paths = PathsOf(running.Select(item => item.Step)),
            Messages = _search.Endless[start],
            Circulating = [.. running.Where(item => item.Step.Route is not null && _flow.Places[item.Step.To] is not null)
                .GroupBy(item => item.Step.Route!.Id).Select(group => (group.Key, group.Aggregate(MessageSet.Empty, (all, item) => all.Union(item.Set))))],
        };
    }

    private IEnumerable<string> Evidence(MidiSpan round, List<MessageStep> strides, bool grows, int steps)
    {
        if (round == MidiSpan.Zero) yield return "No wire slows it down: it runs as fast as this computer can.";
        else
        {
            var each = (double)MidiSpan.Second.Microseconds / round.Microseconds;
            foreach (var cable in strides.Where(stride => stride.Step.Link is { ByteTime.Microseconds: > 0 }).Take(1))
            {
                var share = each * (1 + cable.Became.DataLength) * cable.Step.Link!.ByteTime.Microseconds / MidiSpan.Second.Microseconds;
                yield return share >= 1 ? $"A single one fills the DIN wire to {_words.NameOf(cable.Step.To)}." : string.Create(CultureInfo.InvariantCulture, $"Each takes {share:0 %} of the DIN wire to {_words.NameOf(cable.Step.To)}: with {Math.Ceiling(1 / share):0} it is full.");
            }
        }
        if (grows) yield return "It does not stay at one: with each round there are more of them.";
        var shown = strides.Count;
        if (steps > shown) yield return $"More ways lead round through the same places; the ring shows a short one.";
    }

    /// <summary>What comes back changed and ends.</summary>
    private Finding DyingOut(int component)
    {
        var (place, last) = _search.Last[component];
        var rounds = _search.Rounds[component];
        var end = last.Usual();
        var chain = ChainTo(component, place, end, rounds);
        var strides = FindWay(place, chain[0], to => to.Place == place && to.Message == chain[1], step => _flow.ComponentOf[step.To] == component) ?? [];
        var ring = _words.Ring(strides);
        var kinds = _search.Reach[place].Except(_search.Endless[place]).KindsIn().Members.Where(kind => last.KindsIn().Contains(kind)).ToList();
        var changes = ChangeOf(chain[0], chain[^1]);
        return new Finding(
            FindingKind.DyingOut, Severity.Notice, KeyOf("dying", [place]),
            $"{Capital(SetWords.Names(KindSet.Of([.. kinds])))} come back {(rounds == 1 ? "once" : $"{rounds} times")} and end: {string.Join(" – ", NamesOf(ring))}",
            $"{MessageAt(chain[0])} comes back {(rounds == 1 ? "once" : $"{rounds} times")}{changes}, and ends as {MessageAt(chain[^1])}{ValueOf(chain[^1])}.")
        {
            Ring = ring,
            Round = MidiSpan.Sum(ring.Select(leg => leg.Delay)),
            Rounds = rounds,
            Routes = RoutesOf(strides.Select(stride => stride.Step)),
            Paths = PathsOf(strides.Select(stride => stride.Step)),
            Messages = last,
            Runs = [.. kinds.Select(kind => new Running(kind, SetWords.Which(last, kind), true, $"ends after {rounds} {(rounds == 1 ? "round" : "rounds")}"))],
            Evidence = [$"It is heard up to {rounds + 1} times, and then no more: no feedback, but perhaps not meant."],
        };
    }

    private static string ChangeOf(in MidiMessage first, in MidiMessage last)
    {
        if (first.Kind != MessageKind.Note || last.Kind != MessageKind.Note) return ", changed each time";
        if (first.Data1 == last.Data1) return first.Data2 == last.Data2 ? ", changed each time" : first.Data2 > last.Data2 ? ", softer each time" : ", harder each time";
        return last.Data1 > first.Data1 ? ", higher each time" : ", lower each time";
    }

    private static string ValueOf(in MidiMessage message) =>
        message.Kind == MessageKind.Note ? string.Create(CultureInfo.InvariantCulture, $", velocity {message.Data2}") : "";

    /// <summary>A message at a place for each round, the last of which is a given one.</summary>
    private List<MidiMessage> ChainTo(int component, int place, MidiMessage end, int rounds)
    {
        var chain = new List<MidiMessage> { end };
        var after = new List<MessageSet> { _search.Reach[place].Except(_search.Endless[place]) };
        while (after.Count < rounds) after.Add(_search.OneRound(component, place, after[^1]));
        for (var i = 0; i < rounds; i++)
        {
            // Backwards one round: what at the place becomes this, and was there after one round less.
            var set = BackOneRound(component, place, MessageSet.Of(chain[0])).Intersect(after[rounds - 1 - i]);
            chain.Insert(0, set.Usual());
        }
        return chain;
    }

    private MessageSet BackOneRound(int component, int place, MessageSet messages)
    {
        var from = MessageSet.Empty;
        var seen = new Dictionary<int, MessageSet>();
        var next = new Queue<(int Place, MessageSet Set)>([(place, messages)]);
        while (next.TryDequeue(out var here))
        {
            foreach (var step in _flow.Into[here.Place].Where(step => _flow.ComponentOf[step.From] == component))
            {
                var back = step.PreImage(here.Set).Intersect(_search.Reach[step.From]);
                if (step.From == place)
                {
                    from = from.Union(back);
                    continue;
                }
                var known = seen.GetValueOrDefault(step.From, MessageSet.Empty);
                var more = back.Except(known);
                if (more.IsEmpty) continue;
                seen[step.From] = known.Union(more);
                next.Enqueue((step.From, more));
            }
        }
        return from;
    }

    /// <summary>A short closed way of one message, found by following it; null if none goes through the place.</summary>
    private List<MessageStep>? FindRing(Component circuit, int place)
    {
        var inside = circuit.Places.ToHashSet();
        bool Goes(Step step) => inside.Contains(step.To);
        foreach (var kind in _search.Endless[place].KindsIn().Members)
        {
            var message = _search.Endless[place].OfKind(kind).Usual();
            // On and on until it is where it has been: from there a ring leads back.
            var seen = new HashSet<(int, MidiMessage)>();
            var here = (Place: place, Message: message);
            while (seen.Count < MaxFollowed && seen.Add(here))
            {
                var on = Next(here).Where(next => Goes(next.Step) && _search.Endless[next.Step.To].Contains(next.Became)).ToList();
                if (on.Count == 0) break;
                here = (on[0].Step.To, on[0].Became);
            }
            if (seen.Contains(here) && FindWay(here.Place, here.Message, to => to == here, Goes) is { Count: > 0 } ring) return ring;
        }
        return null;
    }

    private IEnumerable<MessageStep> Next((int Place, MidiMessage Message) here)
    {
        foreach (var step in _flow.OutOf[here.Place])
        {
            foreach (var became in step.Run(here.Message)) yield return new MessageStep(step, here.Message, became);
        }
    }

    /// <summary>The shortest way of a message to a state, of at least one step.</summary>
    private List<MessageStep>? FindWay(int place, MidiMessage message, Predicate<(int Place, MidiMessage Message)> isEnd, Predicate<Step> goes)
    {
        var before = new Dictionary<(int, MidiMessage), (MessageStep MessageStep, (int, MidiMessage) From)>();
        var next = new Queue<(int Place, MidiMessage Message)>([(place, message)]);
        while (next.TryDequeue(out var here) && before.Count < MaxFollowed)
        {
            foreach (var stride in Next(here).Where(stride => goes(stride.Step)))
            {
                var to = (stride.Step.To, stride.Became);
                if (!before.TryAdd(to, (stride, here))) continue;
                if (!isEnd(to))
                {
                    next.Enqueue(to);
                    continue;
                }
                var way = new List<MessageStep>();
                var at = to;
                do
                {
                    way.Insert(0, before[at].MessageStep);
                    at = before[at].From;
                }
                while (at != (place, message));
                return way;
            }
        }
        return null;
    }

    /// <summary>What can be at the start of a ring, kind by kind, and what becomes of it on the way round.</summary>
    private IEnumerable<Running> RunsAt(int start, List<MessageStep> strides)
    {
        foreach (var kind in _search.Reach[start].KindsIn().Members)
        {
            var endless = _search.Endless[start].OfKind(kind);
            if (!endless.IsEmpty)
            {
                yield return new Running(kind, SetWords.Which(endless, kind), true, "endless");
                continue;
            }
            var came = _search.Reach[start].OfKind(kind);
            yield return new Running(kind, SetWords.Which(came, kind), false, StoppedBy(came.Usual(), start, strides));
        }
    }

    private static string StoppedBy(MidiMessage message, int start, List<MessageStep> strides)
    {
        var first = strides.FindIndex(stride => stride.Step.From == start);
        for (var round = 0; round < 128; round++)
        {
            for (var i = 0; i < strides.Count; i++)
            {
                var step = strides[(first + i) % strides.Count].Step;
                var became = step.Run(message);
                if (became.IsEmpty) return StopOf(step, message) is { Length: > 0 } sign ? $"stopped by {sign}" : "stopped";
                message = became[0];
            }
        }
        return "does not go round";
    }

    private string KeyOf(string kind, int[] places) =>
        string.Create(CultureInfo.InvariantCulture, $"{kind}-{places.Select(place => _flow.Places[place]?.Id ?? int.MaxValue).Min()}");

    internal static IEnumerable<string> NamesOf(ImmutableArray<Leg> ring)
    {
        static string Bare(string name) => name.StartsWith("from ", StringComparison.Ordinal) ? name[5..] : name.StartsWith("to ", StringComparison.Ordinal) ? name[3..] : name;
        var names = ring.Select(leg => Bare(leg.Place)).Distinct().ToList();
        return names.Count <= 4 ? names : [.. names.Take(3), $"{names.Count - 3} more"];
    }

    internal static string Capital(string text) => text.Length == 0 ? text : char.ToUpperInvariant(text[0]) + text[1..];
}
