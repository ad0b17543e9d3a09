namespace Weiche.Core.Checks;

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
            if (order[start] != 0 || LeadsNowhere(start))
                continue;
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
                        if (LeadsNowhere(step.To))
                            continue;
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
                    Leave(waiting.Pop());
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

        void Leave(int place)
        {
            component[place] = found.Count;
            found.Add(place < alone?.Length ? alone[place] : new Component([place], false));
        }

        // Most places are such, and done with at once.
        bool LeadsNowhere(int place)
        {
            if (outOf[place].Length > 0)
                return false;
            order[place] = ++count;
            Leave(place);
            return true;
        }

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
