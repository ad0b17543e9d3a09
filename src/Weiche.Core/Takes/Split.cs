using System.Collections.Immutable;
using System.Globalization;
using Weiche.Core.Midi;
using Weiche.Core.Studios;

namespace Weiche.Core.Takes;

/// <summary>By what a take is split into tracks.</summary>
public enum SplitBy
{
    /// <summary>Each channel a track.</summary>
    Channel,

    /// <summary>Each key a track.</summary>
    Key,

    /// <summary>Each source a track.</summary>
    Source,

    /// <summary>Each lineup that was in force a track.</summary>
    Lineup,
}

/// <summary>Splits a take into tracks. Every message is in one of them afterwards.</summary>
public static class Split
{
    /// <summary>The part that a track is made of.</summary>
    /// <param name="Track">The track that it was in.</param>
    /// <param name="Number">The channel or key, from 0; the place of the lineup; below 0 for what belongs to none.</param>
    public readonly record struct Part(int Track, int Number);

    /// <summary>The parts that a take falls into, in the order in which they become tracks.</summary>
    /// <param name="take">The take.</param>
    /// <param name="by">By what.</param>
    public static ImmutableArray<Part> PartsOf(Take take, SplitBy by)
    {
        var place = new Placer(take, by);
        var parts = new HashSet<Part>();
        for (var i = 0; i < take.Events.Length; i++)
            parts.Add(place.Of(i));
        return [.. parts.OrderBy(part => part.Track).ThenBy(part => part.Number)];
    }

    /// <summary>The take with a track for each part.</summary>
    /// <param name="take">The take.</param>
    /// <param name="by">By what.</param>
    /// <param name="names">The names of the tracks, in the order of <see cref="PartsOf"/>.</param>
    public static Take Apply(Take take, SplitBy by, ImmutableArray<string> names)
    {
        var parts = PartsOf(take, by);
        var places = parts.Index().ToDictionary(part => part.Item, part => part.Index);
        var place = new Placer(take, by);
        var tracks = parts.Select(
            (part, index) => take.Tracks[part.Track] with { Name = index < names.Length ? names[index] : NameOf(take, by, part, null) }
        );
        return take with
        {
            Tracks = [.. tracks],
            Events = [.. take.Events.Select((each, index) => each with { Track = places[place.Of(index)] })],
            Marks =
            [
                .. take.Marks.Select(mark =>
                    mark.Track < 0
                        ? mark
                        : mark with
                        {
                            Track = Math.Max(0, parts.Index().FirstOrDefault(part => part.Item.Track == mark.Track, (0, default)).Index),
                        }
                ),
            ],
        };
    }

    /// <summary>The name that a part gets by itself: that of the key at its device, else of the key; "ch 3", or the lineup's.</summary>
    /// <param name="take">The take.</param>
    /// <param name="by">By what it is split.</param>
    /// <param name="part">The part.</param>
    /// <param name="studio">The studio that knows the names of keys; null if there is none.</param>
    public static string NameOf(Take take, SplitBy by, Part part, Studio? studio)
    {
        var track = take.Tracks[part.Track];
        var device = track.Port is { } port ? studio?.FindPort(port)?.Device : null;
        var name = by switch
        {
            SplitBy.Source => track.From.Length > 0 ? track.From : track.Name,
            _ when part.Number < 0 => by == SplitBy.Lineup ? track.Name : "else",
            SplitBy.Key => device is not null && device.Keys.TryGetValue(part.Number, out var key)
                ? key
                : (studio?.KeyNaming ?? KeyNaming.Usual).Of(part.Number),
            SplitBy.Channel => string.Create(CultureInfo.InvariantCulture, $"ch {part.Number + 1}"),
            _ => take.Lineups[part.Number].Name,
        };
        return by == SplitBy.Source || take.Tracks.Length == 1 ? name : $"{track.Name} {name}";
    }

    private sealed class Placer(Take take, SplitBy by)
    {
        private readonly int[] _lineups = by == SplitBy.Lineup ? LineupsOf(take) : [];
        private readonly int[] _sources = by == SplitBy.Source ? SourcesOf(take) : [];

        internal Part Of(int index)
        {
            var each = take.Events[index];
            return by switch
            {
                SplitBy.Channel => new Part(each.Track, each.Message.HasChannel ? each.Message.ChannelIndex : -1),
                SplitBy.Key => new Part(
                    each.Track,
                    each.Message.IsNote || each.Message.Kind == MessageKind.PolyPressure ? each.Message.Data1 : -1
                ),
                SplitBy.Source => new Part(_sources[each.Track], 0),
                _ => new Part(each.Track, _lineups[index]),
            };
        }

        /// <summary>For each event the first lineup of the name that was in force; a note ends with the one it began in.</summary>
        private static int[] LineupsOf(Take take)
        {
            var lineups = new int[take.Events.Length];
            var (next, now) = (0, -1);
            for (var i = 0; i < lineups.Length; i++)
            {
                while (next < take.Lineups.Length && take.Lineups[next].At <= take.Events[i].At)
                    now = take.Lineups.Select(each => each.Name).ToList().IndexOf(take.Lineups[next++].Name);
                lineups[i] = now;
            }
            foreach (var note in TakeNote.Of(take))
            {
                if (note.Off >= 0)
                    lineups[note.Off] = lineups[note.On];
            }
            return lineups;
        }

        private static int[] SourcesOf(Take take)
        {
            var first = new Dictionary<(PortId?, string), int>();
            return
            [
                .. take
                    .Tracks.Select((track, index) => (track, index))
                    .Select(each =>
                    {
                        var key = (each.track.Port, each.track.Port is null ? each.track.Name : each.track.From);
                        return first.TryGetValue(key, out var known) ? known : first[key] = each.index;
                    }),
            ];
        }
    }
}
