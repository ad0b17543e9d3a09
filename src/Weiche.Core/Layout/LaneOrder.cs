namespace Weiche.Core.Layout;

/// <summary>
/// Puts the upright lanes of the sources into an order from left to right in which few tracks cross.
/// </summary>
/// <remarks>
/// Whether two lanes' tracks cross depends only on which of the two is further left, so the whole cost is a sum over
/// pairs. The search is plain sifting: each lane in turn is moved to the place where it costs least, until nothing
/// moves. Of very many lanes each is moved only within its neighbourhood and the rounds are few, so that the work grows with
/// their number. It is deterministic, and a tie leaves things where they are.
/// </remarks>
internal static class LaneOrder
{
    private const int MaxRounds = 50;

    /// <summary>Up to so many lanes every place is tried.</summary>
    private const int Many = 160;
    private const int Neighbourhood = 24;
    private const int FewRounds = 4;

    /// <summary>A source with the heights that matter.</summary>
    /// <param name="Feed">The height at which its track comes from the plate.</param>
    /// <param name="Rows">The heights of its rows, ascending, at least one.</param>
    internal sealed record Lane(double Feed, double[] Rows)
    {
        internal double Top { get; } = Math.Min(Feed, Rows[0]);

        internal double Bottom { get; } = Math.Max(Feed, Rows[^1]);

        /// <summary>How often the two cross if this lane is further left than the other.</summary>
        internal int CrossingsLeftOf(Lane other)
        {
            var crossings = Crosses(other.Feed) ? 1 : 0;
            foreach (var row in Rows)
            {
                if (other.Crosses(row))
                    crossings++;
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
        // The top source furthest right is mostly good already: rows leave to the right.
        var order = Enumerable.Range(0, count).Reverse().ToList();
        if (count > Many)
        {
            for (var round = 0; round < FewRounds; round++)
            {
                var changed = false;
                for (var place = 0; place < count; place++)
                    changed |= Sift(order, place, Neighbourhood, (left, right) => lanes[left].CrossingsLeftOf(lanes[right]));
                if (!changed)
                    break;
            }
            return ([.. order], Count(lanes, order));
        }
        var cost = new int[count, count];
        for (var i = 0; i < count; i++)
        {
            for (var j = 0; j < count; j++)
            {
                if (i != j)
                    cost[i, j] = lanes[i].CrossingsLeftOf(lanes[j]);
            }
        }
        for (var round = 0; round < MaxRounds; round++)
        {
            var moved = false;
            for (var lane = 0; lane < count; lane++)
                moved |= Sift(order, order.IndexOf(lane), count, (left, right) => cost[left, right]);
            if (!moved)
                break;
        }
        return ([.. order], Count(lanes, order));
    }

    /// <summary>How often tracks cross in an order: an upright crosses the feeds of the lanes to its right and the rows of the
    /// lanes to its left that lie between its ends.</summary>
    internal static int Count(IReadOnlyList<Lane> lanes, IReadOnlyList<int> order)
    {
        var heights = lanes.SelectMany(lane => lane.Rows.Append(lane.Feed)).Distinct().Order().ToArray();
        var crossings = 0;
        var feeds = new Tally(heights);
        for (var place = order.Count - 1; place >= 0; place--)
        {
            crossings += feeds.Between(lanes[order[place]].Top, lanes[order[place]].Bottom);
            feeds.Add(lanes[order[place]].Feed);
        }
        var rows = new Tally(heights);
        foreach (var lane in order.Select(index => lanes[index]))
        {
            crossings += rows.Between(lane.Top, lane.Bottom);
            foreach (var row in lane.Rows)
                rows.Add(row);
        }
        return crossings;
    }

    /// <summary>Counts heights, and says how many lie between two: a binary indexed tree.</summary>
    private sealed class Tally(double[] heights)
    {
        private readonly int[] _counts = new int[heights.Length + 1];

        internal void Add(double height)
        {
            for (var i = Array.BinarySearch(heights, height) + 1; i < _counts.Length; i += i & -i)
                _counts[i]++;
        }

        /// <summary>How many lie between two heights that are known, those two not counted.</summary>
        internal int Between(double top, double bottom) =>
            UpTo(Array.BinarySearch(heights, bottom)) - UpTo(Array.BinarySearch(heights, top) + 1);

        private int UpTo(int end)
        {
            var count = 0;
            for (var i = end; i > 0; i -= i & -i)
                count += _counts[i];
            return count;
        }
    }

    private static bool Sift(List<int> order, int here, int reach, Func<int, int, int> cost)
    {
        var lane = order[here];
        var (best, bestChange, change) = (here, 0, 0);
        for (var to = here - 1; to >= Math.Max(0, here - reach); to--)
        {
            change += cost(lane, order[to]) - cost(order[to], lane);
            if (change < bestChange)
                (best, bestChange) = (to, change);
        }
        change = 0;
        for (var to = here + 1; to < Math.Min(order.Count, here + reach + 1); to++)
        {
            change += cost(order[to], lane) - cost(lane, order[to]);
            if (change < bestChange)
                (best, bestChange) = (to, change);
        }
        if (best == here)
            return false;
        order.RemoveAt(here);
        order.Insert(best, lane);
        return true;
    }
}
