namespace Weiche.Core.Tests;

/// <summary>Measures what a piece of work allocates on the managed heap.</summary>
internal static class Allocations
{
    /// <summary>The least of several runs, in bytes: what the runtime allocates for itself once is not counted, what
    /// the work allocates each time is.</summary>
    public static long Of(Action work)
    {
        var least = long.MaxValue;
        for (var i = 0; i < 8; i++)
        {
            var before = GC.GetAllocatedBytesForCurrentThread();
            work();
            least = Math.Min(least, GC.GetAllocatedBytesForCurrentThread() - before);
        }
        return least;
    }
}
