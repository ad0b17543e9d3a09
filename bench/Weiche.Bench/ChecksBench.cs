using System.Diagnostics;
using QuikGraph;
using QuikGraph.Algorithms;
using Weiche.Core.Checks;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;

namespace Weiche.Bench;

/// <summary>How long the checks take, against nothing but the strongly connected components of the same graph, found by a
/// general library of graphs.</summary>
internal static class ChecksBench
{
    /// <summary>Milliseconds, each the median.</summary>
    /// <param name="Whole">Everything, of a studio that was never looked at.</param>
    /// <param name="Edited">Everything, after one route was switched.</param>
    /// <param name="Components">The components alone, of the same graph.</param>
    /// <param name="Circuits">How many circuits are open.</param>
    /// <param name="Findings">How many findings there are.</param>
    internal sealed record Result(double Whole, double Edited, double Components, int Circuits, int Findings);

    internal static Result Measure(Studio studio, int rounds)
    {
        var graph = new AdjacencyGraph<int, Edge<int>>();
        var flow = Flow.Of(studio);
        graph.AddVertexRange(Enumerable.Range(0, flow.Places.Length));
        graph.AddEdgeRange(flow.Steps.Select(step => new Edge<int>(step.From, step.To)));
        var (whole, edited, components) = (new List<double>(), new List<double>(), new List<double>());
        var (report, round) = ((CheckReport?)null, 0);
        foreach (var counts in Warmth.Of(rounds))
        {
            var alone = Time(() => graph.StronglyConnectedComponents(new Dictionary<int, int>()));
            var everything = Time(() => report = Checker.Check(studio));
            var route = studio.Routes[round++ * 37 % studio.Routes.Length];
            var after = new SwitchRoute(route.Id, !route.On).Apply(studio).Studio!;
            var again = Time(() => Checker.Check(after, report));
            if (!counts)
                continue;
            components.Add(alone);
            whole.Add(everything);
            edited.Add(again);
        }
        return new Result(
            Table.Median(whole),
            Table.Median(edited),
            Table.Median(components),
            report!.OpenCircuits.Count(),
            report.Findings.Length
        );
    }

    private static double Time(Action work)
    {
        var start = Stopwatch.GetTimestamp();
        work();
        return Stopwatch.GetElapsedTime(start).TotalMilliseconds;
    }
}
