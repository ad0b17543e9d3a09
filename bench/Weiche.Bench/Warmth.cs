using System.Diagnostics;

namespace Weiche.Bench;

/// <summary>Rounds of a measurement that come before those that count.</summary>
/// <remarks>The runtime compiles anew what is called thirty times, in the background, and not before a tenth of a second has passed in
/// which nothing was called for the first time. A few rounds that are over sooner measure code that nobody runs for long.</remarks>
internal static class Warmth
{
    private const int Rounds = 25;

    private static readonly TimeSpan _span = TimeSpan.FromSeconds(3);

    /// <summary>At least 25 rounds and three seconds that do not count, then those that do.</summary>
    /// <param name="counted">How many count.</param>
    /// <returns>For each round whether it counts.</returns>
    internal static IEnumerable<bool> Of(int counted)
    {
        var start = Stopwatch.GetTimestamp();
        for (var round = 0; round < Rounds || Stopwatch.GetElapsedTime(start) < _span; round++)
            yield return false;
        for (var round = 0; round < counted; round++)
            yield return true;
    }
}
