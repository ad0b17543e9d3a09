using Weiche.Core.Midi;
using Weiche.Core.Sets;
using Weiche.Core.Stages;
using Weiche.Core.Studios;

namespace Weiche.Core.Ways;

/// <summary>Which keys of a source get through its routes.</summary>
public static class Zones
{
    /// <summary>The keys whose notes pass a route, on any channel that its sources send on; a bit for each key.</summary>
    /// <param name="studio">The studio.</param>
    /// <param name="route">A route of it.</param>
    public static UInt128 KeysOf(Studio studio, Route route)
    {
        var sent = MessageSet.Of(ChannelSet.AnyOf(studio.SourcesOf(route).Select(source => source.Channels)), KindSet.Of(MessageKind.Note));
        var passing = Stage.PreImageOf(route.Stages, MessageSet.All).Intersect(sent);
        return Channel.All.Aggregate(UInt128.Zero, (keys, channel) => keys | passing.NoteKeys(channel.Index));
    }

    /// <summary>The first stage after which nothing is left of all that a route's sources could send, from 0; null if something
    /// passes.</summary>
    /// <param name="studio">The studio.</param>
    /// <param name="route">A route of it.</param>
    public static int? NothingPassesFrom(Studio studio, Route route)
    {
        var set = studio
            .SourcesOf(route)
            .Aggregate(MessageSet.Empty, (all, source) => all.Union(MessageSet.Of(source.Channels, source.Device.SendsKinds)));
        if (set.IsEmpty)
            return null;
        for (var i = 0; i < route.Stages.Length; i++)
        {
            set = route.Stages[i].Image(set);
            if (set.IsEmpty)
                return i;
        }
        return null;
    }
}
