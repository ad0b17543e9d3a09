namespace Weiche.Core.Layout;

/// <summary>
/// Puts the upright lanes of the sources into an order from left to right in which few tracks cross.
/// </summary>
/// <remarks>
/// Whether two lanes' tracks cross depends only on which of the two is further left, so the whole cost is a sum over
/// pairs. The search is plain sifting: each lane in turn is moved to the place where it costs least, until nothing
/// moves. It is deterministic, and a tie leaves things where they are.
/// </remarks>
internal static class LaneOrder
{
    private const int MaxRounds = 50;

    /// <summary>A source with the heights that matter.</summary>
    /// <param name="Feed">The height at which its track comes from the plate.</param>
    /// <param name="Rows">The heights of its rows, ascending, at least one.</param>
    internal sealed record Lane(double Feed, double[] Rows)
    {
        private double Top => Math.Min(Feed, Rows[0]);

        private double Bottom => Math.Max(Feed, Rows[^1]);

        /// <summary>How often the two cross if this lane is further left than the other.</summary>
        internal int CrossingsLeftOf(Lane other)
        {
            var crossings = Crosses(other.Feed) ? 1 : 0;
            foreach (var row in Rows)
            {
                if (other.Crosses(row)) crossings++;
            }
            return crossings;
        }

        private bool Crosses(double height) => height > Top && height < Bottom;
    }

    /// <summary>The order of the lanes from left to right, and how often tracks cross in it.</summary>
    /// <param name="lanes">The lanes from the top source to the bottom one.</param>
    internal static (int[] Order, int Crossings) Find(IReadOnlyList<Lane> lanes)
    {
        var count = lanes.Count;
        var cost = new int[count, count];
        for (var i = 0; i < count; i++)
        {
            for (var j = 0; j < count; j++)
            {
                if (i != j) cost[i, j] = lanes[i].CrossingsLeftOf(lanes[j]);
            }
        }
        // The top source furthest right is mostly good already: rows leave to the right.
        var order = Enumerable.Range(0, count).Reverse().ToList();
        for (var round = 0; round < MaxRounds; round++)
        {
            var moved = false;
            for (var lane = 0; lane < count; lane++) moved |= Sift(order, lane, cost);
            if (!moved) break;
        }
        var crossings = 0;
        for (var i = 0; i < count; i++)
        {
            for (var j = i + 1; j < count; j++) crossings += cost[order[i], order[j]];
        }
        return ([.. order], crossings);
    }

    private static bool Sift(List<int> order, int lane, int[,] cost)
    {
        var here = order.IndexOf(lane);
        var (best, bestChange, change) = (here, 0, 0);
        for (var to = here - 1; to >= 0; to--)
        {
            change += cost[lane, order[to]] - cost[order[to], lane];
            if (change < bestChange) (best, bestChange) = (to, change);
        }
        change = 0;
        for (var to = here + 1; to < order.Count; to++)
        {
            change += cost[order[to], lane] - cost[lane, order[to]];
            if (change < bestChange) (best, bestChange) = (to, change);
        }
        if (best == here) return false;
        order.RemoveAt(here);
        order.Insert(best, lane);
        return true;
    }
}
