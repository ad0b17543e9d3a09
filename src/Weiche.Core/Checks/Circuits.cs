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
        _words = _flow.Words;
    }

    private KeyNaming Names => _flow.Studio.KeyNaming;

    /// <summary>The findings about circuits.</summary>
    internal static IEnumerable<Finding> Of(CircuitSearch search)
    {
        var circuits = new Circuits(search);
        for (var i = 0; i < search.Flow.Components.Length; i++)
        {
            if (search.Flow.AloneAt[i] >= 0)
                continue;
            var findings = search.KnownFindings(i)
                ?? [.. circuits.Endless(i), .. search.Rounds[i] > 0 ? [circuits.DyingOut(i)] : (Finding[])[]];
            search.Remember(i, findings);
            foreach (var finding in findings)
                yield return finding;
        }
    }

    /// <summary>The closed ways of a component, each with all that runs in it. A component may have several.</summary>
    private IEnumerable<Finding> Endless(int component) => Rings(_search, component).Select(Endless).OfType<Finding>();

    /// <summary>A part of a component within which messages go round.</summary>
    /// <param name="Places">Its places, by number, in order.</param>
    /// <param name="Circling">For each of them, by its number, what goes round there: it comes from within the part for ever, and goes on
    /// in it for ever. What only becomes something that goes round is not in it. Empty for all other places.</param>
    /// <param name="Running">The steps that it takes, and what of it runs over each.</param>
    internal sealed record Ring(int[] Places, MessageSet[] Circling, List<(Step Step, MessageSet Set)> Running);

    /// <summary>The parts of a component within which messages go round. What only passes through on its way into such a part is in
    /// none.</summary>
    internal static IReadOnlyList<Ring> Rings(CircuitSearch search, int component) =>
        search.Rings.GetOrAdd(component, each => FindRings(search, each));

    private static List<Ring> FindRings(CircuitSearch search, int component)
    {
        var flow = search.Flow;
        var places = flow.Components[component].Places;
        var rings = new List<Ring>();
        if (places.All(place => search.Endless[place].IsEmpty))
            return rings;
        var open = new Stack<(int[] Places, Step[] Steps, MessageSet[] Sets)>();
        open.Push((places, [.. places.SelectMany(place => flow.OutWithin[place])], Of(search.Endless, places)));
        while (open.TryPop(out var here))
        {
            Spreading.KeepCircling(here.Places, here.Steps, here.Sets);
            var running = here
                .Steps.Select(step => (Step: step, Set: step.Image(here.Sets[step.From]).Intersect(here.Sets[step.To])))
                .Where(item => !item.Set.IsEmpty)
                .ToList();
            if (running.Count == 0)
                continue;
            var runs = running.Select(item => item.Step).ToHashSet();
            var (of, parts) = Component.Find(flow.Places.Length, flow.OutOf, runs.Contains);
            var within = running.Where(item => of[item.Step.From] == of[item.Step.To]).ToList();
            if (within.Count == here.Steps.Length && within.TrueForAll(item => of[item.Step.From] == of[within[0].Step.From]))
            {
                rings.Add(new Ring([.. here.Places.Where(place => !here.Sets[place].IsEmpty)], here.Sets, running));
                continue;
            }
            // Fewer steps, or several parts: what goes round in each of them by itself is to be found again.
            foreach (var part in within.GroupBy(item => of[item.Step.From]).Reverse())
                open.Push((parts[part.Key].Places, [.. part.Select(item => item.Step)], Of(here.Sets, parts[part.Key].Places)));
        }
        return rings;

        static MessageSet[] Of(MessageSet[] sets, int[] places)
        {
            var own = Spreading.Filled(sets.Length);
            foreach (var place in places)
                own[place] = sets[place];
            return own;
        }
    }

    private Finding? Endless(Ring circuit)
    {
        var strides = circuit.Places.Select(place => FindRing(circuit, place)).FirstOrDefault(ring => ring is not null);
        // A ring of more legs than are followed is none that a person can read.
        if (strides is null)
            return null;
        var running = circuit.Running;
        var grows = circuit.Places.Any(place => _search.Grows[place]);
        var ring = _words.Ring(strides);
        var kinds = KindSet.Of([.. circuit.Places.SelectMany(place => circuit.Circling[place].KindsIn().Members).Distinct()]);
        var round = MidiSpan.Sum(ring.Select(leg => leg.Delay));
        var start = _flow
            .Places.Index()
            .First(place =>
                place.Item is not null
                && _words.NameOf(place.Index) == ring[0].Place
                && strides.Any(stride => stride.Step.From == place.Index)
            )
            .Index;
        var first = strides.First(stride => stride.Step.From == start).Came;
        var witness = WordList.Capital(MessageAt(first, Names)) + SetWords.OnlyValues(circuit.Circling[start], first);
        var what = kinds == KindSet.All ? "Everything" : WordList.Capital(SetWords.Names(kinds));
        var does =
            kinds.Count == 1 && kinds.Members.First() is not (MessageKind.Note or MessageKind.ControlChange) ? "runs"
            : kinds == KindSet.All ? "runs"
            : "run";
        var names = string.Join(" – ", NamesOf(ring));
        return new Finding(
            grows ? FindingKind.Growing : FindingKind.Endless,
            Severity.Fault,
            KeyOf(grows ? "growing" : "endless", circuit.Places),
            $"{what} {does} in a circle{(grows ? " and become" + (does == "runs" ? "s" : "") + " more" : "")}: {names}",
            $"{witness} {ring[0].Place} comes back {(round == MidiSpan.Zero ? "at once" : $"after {round.Exactly()}")}, and again, "
                + $"and again{(grows ? ", more of it each time" : "")}."
        )
        {
            Ring = ring,
            Round = round,
            Runs = [.. RunsAt(start, circuit, strides)],
            Evidence = [.. Evidence(round, strides, grows, running.Count)],
            Routes = RoutesOf(running.Select(item => item.Step)),
            Paths = PathsOf(running.Select(item => item.Step)),
            Outside = OutsideOf(running.Select(item => item.Step)),
            Messages = circuit.Circling[start],
            Circulating =
            [
                .. running
                    .Where(item => item.Step.Route is not null && _flow.Places[item.Step.To] is not null)
                    .GroupBy(item => item.Step.Route!.Id)
                    .Select(group => (group.Key, group.Aggregate(MessageSet.Empty, (all, item) => all.Union(item.Set)))),
            ],
        };
    }

    private IEnumerable<string> Evidence(MidiSpan round, List<MessageStep> strides, bool grows, int steps)
    {
        if (round == MidiSpan.Zero)
            yield return "No wire slows it down: it runs as fast as this computer can.";
        else
        {
            var each = (double)MidiSpan.Second.Microseconds / round.Microseconds;
            foreach (var cable in strides.Where(stride => stride.Step.Link is { ByteTime.Microseconds: > 0 }).Take(1))
            {
                var share = each * (1 + cable.Became.DataLength) * cable.Step.Link!.ByteTime.Microseconds / MidiSpan.Second.Microseconds;
                yield return share >= 1
                    ? $"A single one fills the DIN wire to {_words.NameOf(cable.Step.To)}."
                    : string.Create(
                        CultureInfo.InvariantCulture,
                        $"Each takes {share:0 %} of the DIN wire to {_words.NameOf(cable.Step.To)}: with {Math.Ceiling(1 / share):0} it is full."
                    );
            }
        }
        if (grows)
            yield return "It does not stay at one: with each round there are more of them.";
        var shown = strides.Count;
        if (steps > shown)
            yield return $"More ways lead round through the same places; the ring shows a short one.";
    }

    /// <summary>What comes back changed and ends.</summary>
    private Finding DyingOut(int component)
    {
        var (place, last) = _search.Last[component];
        var rounds = _search.Rounds[component];
        var end = last.Usual();
        var chain = ChainTo(place, end, rounds);
        var strides = FindWay(
            place,
            chain[0],
            to => to.Place == place && to.Message == chain[1],
            step => _flow.ComponentOf[step.To] == component
        ) ?? [];
        var ring = _words.Ring(strides);
        var kinds = _search
            .Reach(place)
            .Except(_search.Endless[place])
            .KindsIn()
            .Members.Where(kind => last.KindsIn().Contains(kind))
            .ToList();
        var changes = ChangeOf(chain[0], chain[^1]);
        return new Finding(
            FindingKind.DyingOut,
            Severity.Notice,
            KeyOf("dying", [place]),
            $"{WordList.Capital(SetWords.Names(KindSet.Of([.. kinds])))} come back {(rounds == 1 ? "once" : $"{rounds} times")} and end: "
                + $"{string.Join(" – ", NamesOf(ring))}",
            $"{WordList.Capital(MessageAt(chain[0], Names))} comes back {(rounds == 1 ? "once" : $"{rounds} times")}{changes}, and ends as "
                + $"{MessageAt(chain[^1], Names)}{ValueOf(chain[^1])}."
        )
        {
            Ring = ring,
            Round = MidiSpan.Sum(ring.Select(leg => leg.Delay)),
            Rounds = rounds,
            Routes = RoutesOf(strides.Select(stride => stride.Step)),
            Paths = PathsOf(strides.Select(stride => stride.Step)),
            Outside = OutsideOf(strides.Select(stride => stride.Step)),
            Messages = last,
            Runs =
            [
                .. kinds.Select(kind => new Running(
                    kind,
                    SetWords.Which(last, kind, Names),
                    true,
                    $"ends after {rounds} {(rounds == 1 ? "round" : "rounds")}"
                )),
            ],
            Evidence = [$"It is heard up to {rounds + 1} times, and then no more: no feedback, but perhaps not meant."],
        };
    }

    private static string ChangeOf(in MidiMessage first, in MidiMessage last)
    {
        if (first.Kind != MessageKind.Note || last.Kind != MessageKind.Note)
            return ", changed each time";
        if (first.Data1 == last.Data1)
            return first.Data2 == last.Data2 ? ", changed each time"
                : first.Data2 > last.Data2 ? ", softer each time"
                : ", harder each time";
        return last.Data1 > first.Data1 ? ", higher each time" : ", lower each time";
    }

    private static string ValueOf(in MidiMessage message) =>
        message.Kind == MessageKind.Note ? string.Create(CultureInfo.InvariantCulture, $", velocity {message.Data2}") : "";

    /// <summary>A message at a place for each round, the last of which is a given one.</summary>
    private List<MidiMessage> ChainTo(int place, MidiMessage end, int rounds)
    {
        var chain = new List<MidiMessage> { end };
        var after = new List<MessageSet> { _search.Reach(place).Except(_search.Endless[place]) };
        while (after.Count < rounds)
            after.Add(_search.OneRound(place, after[^1]));
        for (var i = 0; i < rounds; i++)
        {
            // Backwards one round: what at the place becomes this, and was there after one round less.
            var set = BackOneRound(place, MessageSet.Of(chain[0])).Intersect(after[rounds - 1 - i]);
            chain.Insert(0, set.Usual());
        }
        return chain;
    }

    private MessageSet BackOneRound(int place, MessageSet messages) =>
        Spreading.Around(
            place,
            messages,
            here => _flow.IntoWithin[here],
            (step, set) => (step.From, step.PreImage(set).Intersect(_search.Reach(step.From)))
        );

    /// <summary>A short closed way of one message, found by following it; null if none goes through the place.</summary>
    private List<MessageStep>? FindRing(Ring circuit, int place)
    {
        var steps = circuit.Running.Select(item => item.Step).ToHashSet();
        foreach (var kind in circuit.Circling[place].KindsIn().Members)
        {
            var message = circuit.Circling[place].Usual(kind);
            // On and on until it is where it has been: from there a ring leads back.
            var seen = new HashSet<(int, MidiMessage)>();
            var here = (Place: place, Message: message);
            while (seen.Count < MaxFollowed && seen.Add(here))
            {
                var on = Next(here)
                    .Where(next => steps.Contains(next.Step) && circuit.Circling[next.Step.To].Contains(next.Became))
                    .ToList();
                if (on.Count == 0)
                    break;
                here = (on[0].Step.To, on[0].Became);
            }
            if (seen.Contains(here) && FindWay(here.Place, here.Message, to => to == here, steps.Contains) is { Count: > 0 } ring)
                return ring;
        }
        return null;
    }

    private IEnumerable<MessageStep> Next((int Place, MidiMessage Message) here)
    {
        foreach (var step in _flow.OutOf[here.Place])
        {
            foreach (var became in step.Run(here.Message))
                yield return new MessageStep(step, here.Message, became);
        }
    }

    /// <summary>The shortest way of a message to a state, of at least one step.</summary>
    private List<MessageStep>? FindWay(
        int place,
        MidiMessage message,
        Predicate<(int Place, MidiMessage Message)> isEnd,
        Predicate<Step> goes
    )
    {
        var before = new Dictionary<(int, MidiMessage), (MessageStep MessageStep, (int, MidiMessage) From)>();
        var next = new Queue<(int Place, MidiMessage Message)>([(place, message)]);
        while (next.TryDequeue(out var here) && before.Count < MaxFollowed)
        {
            foreach (var stride in Next(here).Where(stride => goes(stride.Step)))
            {
                var to = (stride.Step.To, stride.Became);
                if (!before.TryAdd(to, (stride, here)))
                    continue;
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
                } while (at != (place, message));
                return way;
            }
        }
        return null;
    }

    /// <summary>What can be at the start of a ring, kind by kind, and what becomes of it on the way round.</summary>
    private IEnumerable<Running> RunsAt(int start, Ring circuit, List<MessageStep> strides)
    {
        var first = strides.FindIndex(stride => stride.Step.From == start);
        var around = strides.Skip(first).Concat(strides.Take(first)).Select(stride => stride.Step).ToList();
        var component = _flow.Components[_flow.ComponentOf[start]].Places;
        var (circlingKinds, endlessHere) = (circuit.Circling[start].KindsIn(), _search.Endless[start].KindsIn());
        var endlessKinds = component.SelectMany(place => _search.Endless[place].KindsIn().Members).ToHashSet();
        foreach (var kind in _search.Reach(start).KindsIn().Members)
        {
            if (circlingKinds.Contains(kind))
            {
                var circling = circuit.Circling[start].OfKind(kind);
                var stays = around.Aggregate(circling, (set, step) => step.Image(set).Intersect(circuit.Circling[step.To]));
                yield return new Running(
                    kind,
                    SetWords.Which(circling, kind, Names),
                    true,
                    stays.IsEmpty ? "endless, by another way" : "endless"
                );
                continue;
            }
            if (endlessHere.Contains(kind))
            {
                var endless = _search.Endless[start].OfKind(kind);
                var goesOn = around[0].Image(endless).Intersect(circuit.Circling[around[0].To]);
                yield return new Running(
                    kind,
                    SetWords.Which(endless, kind, Names),
                    true,
                    goesOn.IsEmpty ? "goes into another circle" : $"becomes {SetWords.Names(goesOn.KindsIn())}, endless"
                );
                continue;
            }
            var came = _search.Reach(start);
            var elsewhere = endlessKinds.Contains(kind);
            yield return new Running(
                kind,
                SetWords.Which(came, kind, Names),
                false,
                StoppedBy(came.Usual(kind), start, strides) + (elsewhere ? " here, and runs in another circle" : "")
            );
        }
    }

    private string StoppedBy(MidiMessage message, int start, List<MessageStep> strides)
    {
        var first = strides.FindIndex(stride => stride.Step.From == start);
        for (var round = 0; round < 128; round++)
        {
            for (var i = 0; i < strides.Count; i++)
            {
                var step = strides[(first + i) % strides.Count].Step;
                var became = step.Run(message);
                if (became.IsEmpty)
                    return StopOf(_flow.Studio, step, message) is { Length: > 0 } sign ? $"stopped by {sign}" : "stopped";
                message = became[0];
            }
        }
        return "does not go round";
    }

    private string KeyOf(string kind, int[] places) =>
        string.Create(CultureInfo.InvariantCulture, $"{kind}-{places.Select(place => _flow.Places[place]?.Id ?? int.MaxValue).Min()}");

    internal static IEnumerable<string> NamesOf(ImmutableArray<Leg> ring)
    {
        static string Bare(string name) =>
            name.StartsWith("from ", StringComparison.Ordinal) ? name[5..]
            : name.StartsWith("to ", StringComparison.Ordinal) ? name[3..]
            : name;
        var names = ring.Select(leg => Bare(leg.Place)).Distinct().ToList();
        return names.Count <= 4 ? names : [.. names.Take(3), $"{names.Count - 3} more"];
    }
}
