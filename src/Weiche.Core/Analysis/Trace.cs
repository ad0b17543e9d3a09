using System.Collections.Immutable;
using Weiche.Core.Midi;
using Weiche.Core.Stages;
using Weiche.Core.Studios;

namespace Weiche.Core.Analysis;

/// <summary>Where a message would end on one route.</summary>
/// <param name="Route">The route.</param>
/// <param name="Arrives">What would arrive at its destination; empty if nothing.</param>
/// <param name="StoppedAt">The stage that would stop all of it, from 0; null if something arrives, or no stage is to blame.</param>
/// <param name="Why">Why nothing arrives, in words; empty if something does.</param>
public sealed record TraceEnd(Route Route, ImmutableArray<MidiMessage> Arrives, int? StoppedAt, string Why);

/// <summary>What would become of a message, worked out without sending it.</summary>
/// <remarks>It goes by the same rules as the engine (diverts in their order, solo, switches, the stages one after the
/// other) and by each stage's rule on a message, not by its compiled form. What depends on what ran before (notes that
/// are held, thinning) is left out.</remarks>
public static class Trace
{
    /// <summary>Follows a message from a source along every route that is switched on.</summary>
    /// <param name="studio">The studio.</param>
    /// <param name="source">The source.</param>
    /// <param name="message">The message; not a system exclusive whose bytes matter, since no stage looks at them.</param>
    /// <returns>An end for each route of the source that is on, in the order in which they are asked.</returns>
    public static IReadOnlyList<TraceEnd> Follow(Studio studio, PortId source, in MidiMessage message)
    {
        var ends = new List<TraceEnd>();
        var anySolo = studio.Routes.Any(route => route is { On: true, Solo: true });
        var own = studio.Routes.Where(route => route.On && studio.SourcesOf(route).Any(each => each.Id == source)).ToList();
        var sourceOff = studio.FindPort(source) is not { Port.On: true };
        string? taken = null;
        foreach (var route in own.Where(route => route.Divert).Concat(own.Where(route => !route.Divert)))
        {
            if (sourceOff) ends.Add(Nothing(route, $"{studio.FindPort(source)?.Name} is switched off"));
            else if (anySolo && !route.Solo) ends.Add(Nothing(route, "another route is soloed"));
            else if (taken is not null) ends.Add(Nothing(route, $"{taken} takes it"));
            else if (!studio.FindPort(route.To)!.Value.Port.On) ends.Add(Nothing(route, $"{studio.FindPort(route.To)!.Value.Name} is switched off"));
            else
            {
                var end = Through(route, message);
                ends.Add(end);
                if (route.Divert && end.Arrives.Length > 0) taken = studio.Describe(route);
            }
        }
        return ends;
    }

    private static TraceEnd Nothing(Route route, string why) => new(route, [], null, why);

    private static TraceEnd Through(Route route, in MidiMessage message)
    {
        var arrives = Stage.Run(route.Stages, [message], out var stoppedAt, out var last);
        return new TraceEnd(route, arrives, stoppedAt, stoppedAt is { } at ? route.Stages[at].StoppedWords(last[0]) : "");
    }
}
