using System.Collections.Immutable;
using Weiche.Core.Midi;
using Weiche.Core.Stages;
using Weiche.Core.Studios;

namespace Weiche.Core.Ways;

/// <summary>Where a message would end on one route.</summary>
/// <param name="Route">The route.</param>
/// <param name="Arrives">What would arrive at its destination; empty if nothing.</param>
/// <param name="StoppedAt">The stage that would stop all of it, from 0; null if something arrives, or no stage is to blame.</param>
/// <param name="Why">Why nothing arrives, in words; empty if something does.</param>
public sealed record RouteEnd(Route Route, ImmutableArray<MidiMessage> Arrives, int? StoppedAt, string Why);

/// <summary>What would become of a message, worked out without sending it.</summary>
/// <remarks>It goes by the same rules as the engine (diverts in their order, solo, switches, the stages one after the
/// other) and by each stage's rule on a message, not by its compiled form. What depends on what ran before (notes that
/// are held, thinning) is left out.</remarks>
public static class RouteTrace
{
    /// <summary>Follows a message from a source along every route that is switched on.</summary>
    /// <param name="studio">The studio.</param>
    /// <param name="source">The source.</param>
    /// <param name="message">The message; not a system exclusive whose bytes matter, since no stage looks at them.</param>
    /// <returns>An end for each route of the source that is on, in the order in which they are asked.</returns>
    public static IReadOnlyList<RouteEnd> Follow(Studio studio, PortId source, in MidiMessage message)
    {
        var ends = new List<RouteEnd>();
        if (studio.FindPort(source) is not { } port)
            return ends;
        var live = LiveRoutes.Of(studio);
        string? taken = null;
        foreach (var route in live.From(source))
        {
            var state = live.At(route, port);
            if (state is RouteState.SourceOff)
                ends.Add(Nothing(route, $"{port.Name} is switched off"));
            else if (state is RouteState.OffDuty)
                ends.Add(
                    Nothing(
                        route,
                        studio.Current is { } lineup ? $"not in {studio.NameOf(lineup.Id)}" : "in lineups alone, and none is in force"
                    )
                );
            else if (state is RouteState.HeldOff)
                ends.Add(Nothing(route, "held off: it would close a circuit in this lineup"));
            else if (state is RouteState.NotSoloed)
                ends.Add(Nothing(route, "another route is soloed"));
            else if (taken is not null)
                ends.Add(Nothing(route, $"{taken} takes it"));
            else if (state is RouteState.DestinationOff)
                ends.Add(Nothing(route, $"{studio.FindPort(route.To)!.Value.Name} is switched off"));
            else
            {
                var end = Through(studio, route, message);
                // One that diverts takes it away all the same.
                ends.Add(Left(studio, end));
                if (route.Divert && end.Arrives.Length > 0)
                    taken = studio.Describe(route);
            }
        }
        return ends;
    }

    private static RouteEnd Nothing(Route route, string why) => new(route, [], null, why);

    /// <summary>What arrives where the studio's clock goes: nothing of another clock.</summary>
    private static RouteEnd Left(Studio studio, RouteEnd end)
    {
        var followed = studio.FollowedAt(end.Route.To);
        return end.Arrives.Any(message => followed.Contains(message.Kind))
            ? Nothing(
                end.Route,
                $"{studio.FindPort(end.Route.To)!.Value.Name} follows the studio's clock, which is "
                    + $"{studio.MasterNow()!.Value.NameIn(studio)}"
            )
            : end;
    }

    private static RouteEnd Through(Studio studio, Route route, in MidiMessage message)
    {
        var arrives = Stage.Run(route.Stages, [message], out var stoppedAt, out var last);
        return new RouteEnd(route, arrives, stoppedAt, stoppedAt is { } at ? route.Stages[at].StoppedWords(last[0], studio.KeyNaming) : "");
    }
}
