using Weiche.Core.Sets;

namespace Weiche.Core.Checks;

/// <summary>Sets of messages carried over the steps of a graph: forward until nothing is added, or narrowed until nothing is taken
/// away.</summary>
internal static class Spreading
{
    /// <summary>A set for each of so many places, all of them empty.</summary>
    internal static MessageSet[] Filled(int count)
    {
        var sets = new MessageSet[count];
        Array.Fill(sets, MessageSet.Empty);
        return sets;
    }

    /// <summary>Carries messages on over steps, until nothing arrives anywhere that is new there.</summary>
    /// <param name="start">What is where at first.</param>
    /// <param name="steps">The steps from a place.</param>
    /// <param name="carry">Where a step leads, and what a set becomes on it.</param>
    /// <param name="take">Takes what arrives at a place, and says what of it is new there and goes on.</param>
    internal static void Spread(
        IEnumerable<(int Place, MessageSet Set)> start,
        Func<int, IEnumerable<Step>> steps,
        Func<Step, MessageSet, (int Place, MessageSet Set)> carry,
        Func<int, MessageSet, MessageSet> take
    )
    {
        var fresh = new Dictionary<int, MessageSet>();
        var next = new Queue<int>();
        foreach (var (place, set) in start)
            Add(place, set);
        while (next.TryDequeue(out var place))
        {
            if (!fresh.Remove(place, out var added))
                continue;
            foreach (var step in steps(place))
            {
                var (to, arriving) = carry(step, added);
                if (!arriving.IsEmpty)
                    Add(to, take(to, arriving));
            }
        }

        void Add(int place, MessageSet more)
        {
            if (more.IsEmpty)
                return;
            if (fresh.TryGetValue(place, out var waiting))
                fresh[place] = waiting.Union(more);
            else
            {
                fresh[place] = more;
                next.Enqueue(place);
            }
        }
    }

    /// <summary>What comes back to a place of messages that set out from there, forward or backward, each other place passed once by each
    /// message.</summary>
    /// <param name="place">The place.</param>
    /// <param name="messages">The messages.</param>
    /// <param name="steps">The steps from a place.</param>
    /// <param name="carry">Where a step leads, and what a set becomes on it.</param>
    internal static MessageSet Around(
        int place,
        MessageSet messages,
        Func<int, IEnumerable<Step>> steps,
        Func<Step, MessageSet, (int Place, MessageSet Set)> carry
    )
    {
        var back = MessageSet.Empty;
        var seen = new Dictionary<int, MessageSet>();
        Spread([(place, messages)], steps, carry, (at, arriving) =>
        {
            if (at == place)
            {
                back = back.Union(arriving);
                return MessageSet.Empty;
            }
            var known = seen.GetValueOrDefault(at, MessageSet.Empty);
            var more = arriving.Except(known);
            if (!more.IsEmpty)
                seen[at] = known.Union(more);
            return more;
        });
        return back;
    }

    /// <summary>Takes away from sets what does not come from within them, or does not go on in them, by some steps: what is left comes
    /// round and goes round for ever, or leads from one closed way to another.</summary>
    /// <param name="places">The places.</param>
    /// <param name="steps">The steps that count, each from one of the places to another.</param>
    /// <param name="sets">For each place, by its number, a set; those of the places become smaller.</param>
    internal static void KeepCircling(int[] places, Step[] steps, MessageSet[] sets)
    {
        var (outOf, into) = (steps.ToLookup(step => step.From), steps.ToLookup(step => step.To));
        Shrink(
            places,
            place =>
            {
                var goes = CoveredBy(sets[place], outOf[place], step => step.PreImage(sets[step.To]));
                return CoveredBy(goes, into[place], step => step.Image(sets[step.From]));
            },
            sets,
            place => outOf[place].Select(step => step.To).Concat(into[place].Select(step => step.From))
        );
    }

    /// <summary>What of a set is in one of the sets to which steps lead.</summary>
    internal static MessageSet CoveredBy(MessageSet set, IEnumerable<Step> steps, Func<Step, MessageSet> lead)
    {
        // Mostly the first few cover all of it.
        var covered = MessageSet.Empty;
        foreach (var step in steps)
        {
            if (covered.HasAllOf(set))
                return set;
            covered = covered.Union(lead(step));
        }
        return set.Intersect(covered);
    }

    /// <summary>Takes away from sets until each is what a rule makes of it.</summary>
    internal static void Shrink(int[] places, Func<int, MessageSet> rule, MessageSet[] sets, Func<int, IEnumerable<int>> concerned)
    {
        if (places is [var only])
        {
            while (rule(only) is var left && !left.Equals(sets[only]))
                sets[only] = left;
            return;
        }
        var next = new Queue<int>(places.Reverse());
        var waits = places.ToHashSet();
        while (next.TryDequeue(out var place))
        {
            waits.Remove(place);
            var less = rule(place);
            if (less.Equals(sets[place]))
                continue;
            sets[place] = less;
            foreach (var other in concerned(place))
            {
                if (waits.Add(other))
                    next.Enqueue(other);
            }
        }
    }
}
