using Weiche.Core.Sets;
using Weiche.Core.Stages;
using Weiche.Core.Studios;

namespace Weiche.Core.Ways;

/// <summary>A source from which something gets to a destination.</summary>
/// <param name="Source">The source.</param>
/// <param name="Messages">What of that which its device sends gets there.</param>
/// <param name="Straight">Whether a route leads straight there; else it goes through something else first.</param>
public sealed record Reaching(DevicePort Source, MessageSet Messages, bool Straight);

/// <summary>What can reach a destination: the trace backwards, for all messages at once.</summary>
/// <remarks>From the destination back with each stage's pre-image, through routes that are live and ways in the room that are
/// open. What a route that diverts takes is taken off the routes after it.</remarks>
public static class Reach
{
    /// <summary>The sources from which something gets to a destination, in the studio's order.</summary>
    /// <param name="studio">The studio.</param>
    /// <param name="destination">A destination of it.</param>
    public static IReadOnlyList<Reaching> To(Studio studio, PortId destination)
    {
        var into = Steps(studio).ToLookup(step => step.To);
        var sets = new Dictionary<Place, MessageSet>
        {
            [Place.At(destination)] = studio.FindPort(destination) is { Port.On: true } ? MessageSet.All : MessageSet.Empty,
        };
        var next = new Queue<Place>([Place.At(destination)]);
        while (next.TryDequeue(out var here))
        {
            foreach (var step in into[here])
            {
                var back = step.Back(sets[here]);
                var known = sets.GetValueOrDefault(step.From, MessageSet.Empty);
                var more = known.Union(back);
                if (more.Equals(known))
                    continue;
                sets[step.From] = more;
                if (!next.Contains(step.From))
                    next.Enqueue(step.From);
            }
        }
        var straight = studio
            .Routes.Where(route => route.To == destination)
            .SelectMany(studio.SourcesOf)
            .Select(source => source.Id)
            .ToHashSet();
        var reaching = new List<Reaching>();
        foreach (var source in studio.Sources)
        {
            if (!sets.TryGetValue(RoomLinks.OriginOf(studio, source), out var set))
                continue;
            // A device whose sound is not named sends what it may; a virtual port sends what it is sent, and nothing by itself.
            if (source.Device.IsVirtualPort())
                continue;
            var sent = set.Intersect(MessageSet.Of(source.Channels, source.Device.SendsKinds));
            if (!sent.IsEmpty)
                reaching.Add(new Reaching(source, sent, straight.Contains(source.Id)));
        }
        return reaching;
    }

    private static IEnumerable<(Place From, Place To, Func<MessageSet, MessageSet> Back)> Steps(Studio studio)
    {
        var ways = RoomLinks.Of(studio);
        foreach (var link in ways.All.Where(link => link.On))
            yield return (link.From, link.To, set => Stage.PreImageOf(link.Stages, set));
        foreach (var source in studio.Sources)
        {
            foreach (var (route, taken) in LiveRoutes.Of(studio).LiveFrom(source))
            {
                foreach (var from in ways.EndsAt(source.Id))
                {
                    foreach (var to in ways.EndsAt(route.To))
                        yield return (from, to, set =>
                            Stage.PreImageOf(route.Stages, set).Except(taken).Except(studio.LeftOutAt(route.To))
                        );
                }
            }
        }
    }
}
