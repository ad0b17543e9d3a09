using System.Buffers.Binary;
using System.Text.Json;
using Weiche.Core.Midi;
using Weiche.Core.Studios;
using Weiche.Core.Takes;

namespace Weiche.Web.Pages.Takes;

/// <summary>The picture of a take as numbers, which the page's script draws: bars for notes, lines for controllers, what was before as
/// outlines.</summary>
/// <remarks>
/// First the length of a head in JSON, then the head, filled up to four bytes; then 32-bit numbers, the lowest byte first: for each note
/// its beginning and end in tenths of a millisecond, then key, velocity, channel and track in a byte or two each; the same for outlines;
/// then for each lane its points: time, value.
/// </remarks>
internal static class TakePicture
{
    private const int MostPoints = 200_000;
    private const int MostBars = 20_000;
    private static readonly MidiSpan Hair = MidiSpan.FromMilliseconds(100);
    private static readonly JsonSerializerOptions Options = new() { PropertyNamingPolicy = JsonNamingPolicy.CamelCase };

    /// <summary>The picture.</summary>
    /// <param name="take">The take.</param>
    /// <param name="was">What it was: notes that are elsewhere are outlines.</param>
    /// <param name="studio">The studio, which names keys and colours sources.</param>
    internal static byte[] Of(Take take, Take was, Studio studio)
    {
        // A take that begins a hair before a bar begins with that bar.
        var bars = take.Tempo.BarLines(MidiSpan.Zero, take.Length + MidiSpan.Second).Take(MostBars).ToList();
        var notes = NotesOf(take);
        var outlines = ReferenceEquals(take, was) ? [] : NotesOf(was).Except(notes).ToList();
        var lanes = LanesOf(take);
        var byTrack = take.Events.ToLookup(each => each.Track);
        var head = new
        {
            Length = Unit(take.Length),
            Notes = notes.Count,
            Outlines = outlines.Count,
            Tracks = take.Tracks.Select(
                (track, index) =>
                {
                    var keys = byTrack[index].Where(each => each.Message.IsNoteOn).Select(each => (int)each.Message.Data1).ToList();
                    return new
                    {
                        track.Name,
                        // Parts of one source are told apart as well.
                        Strip = track.Port is { } port && take.Tracks.Count(other => other.Port == port) == 1
                            ? TakesView.StripOf(studio, port)
                            : index % 6,
                        Low = keys.Count > 0 ? keys.Min() : -1,
                        High = keys.Count > 0 ? keys.Max() : -1,
                        Keys = keys.Count > 0 ? studio.KeyNaming.Range(keys.Min(), keys.Max()) : "",
                        Exclusives = byTrack[index].Where(each => each.Exclusive is not null).Take(2_000).Select(each => Unit(each.At)),
                        Count = byTrack[index].Count(),
                    };
                }
            ),
            Lanes = lanes.Select(lane => new
            {
                lane.Track,
                lane.Name,
                lane.IsPedal,
                lane.Most,
                lane.Middle,
                Count = lane.Points.Count / 2,
            }),
            Bars = bars.Where((bar, index) => index + 1 == bars.Count || bars[index + 1].At - bar.At > Hair)
                .Select(bar => new[] { Unit(bar.At), bar.Number }),
            Forms = take.Tempo.Bars.Take(1_000).Select(bar => new[] { Unit(bar.At), bar.Beats }),
            Lineups = take.Lineups.Select(lineup => new { At = Unit(lineup.At), lineup.Name }),
            Marks = take
                .Marks.Where(mark => mark.Type is TakeMark.Marker)
                .Take(1_000)
                .Select(mark => new { At = Unit(mark.At), mark.Text }),
            take.Missing,
        };
        var json = JsonSerializer.SerializeToUtf8Bytes(head, Options);
        var padded = (json.Length + 3) / 4 * 4;
        var bytes = new byte[4 + padded + 4 * (3 * (notes.Count + outlines.Count) + lanes.Sum(lane => lane.Points.Count))];
        BinaryPrimitives.WriteInt32LittleEndian(bytes, padded);
        json.CopyTo(bytes, 4);
        bytes.AsSpan(4 + json.Length, padded - json.Length).Fill((byte)' ');
        var at = 4 + padded;
        foreach (var (start, end, what) in notes.Concat(outlines))
            Put(start, end, what);
        foreach (var lane in lanes)
            Put([.. lane.Points]);
        return bytes;

        void Put(params ReadOnlySpan<int> numbers)
        {
            foreach (var number in numbers)
            {
                BinaryPrimitives.WriteInt32LittleEndian(bytes.AsSpan(at), number);
                at += 4;
            }
        }
    }

    private static List<(int Start, int End, int What)> NotesOf(Take take) =>
        [
            .. TakeNote
                .Of(take)
                .Select(note =>
                {
                    var on = take.Events[note.On];
                    return (
                        Unit(note.Start),
                        Unit(note.End),
                        on.Message.Data1 | on.Message.Data2 << 7 | on.Message.ChannelIndex << 14 | on.Track << 18
                    );
                }),
        ];

    private sealed record Lane(int Track, string Name, bool IsPedal, int Most, int Middle, List<int> Points);

    /// <summary>What moves: each controller, bend and pressure of each track a lane, in which the channels lie over each other.</summary>
    private static List<Lane> LanesOf(Take take)
    {
        var lanes = new Dictionary<(int Track, int What), Lane>();
        var count = 0;
        foreach (var each in take.Events)
        {
            var message = each.Message;
            var (what, value) = message.Kind switch
            {
                MessageKind.ControlChange when message.Data1 < 120 && message.Data1 is not (0 or 32 or 6 or 38 or >= 96 and <= 101) => (
                    message.Data1,
                    (int)message.Data2
                ),
                MessageKind.PitchBend => (200, message.Data2 << 7 | message.Data1),
                MessageKind.ChannelPressure => (201, message.Data1),
                _ => (-1, 0),
            };
            if (what < 0 || count >= MostPoints)
                continue;
            if (!lanes.TryGetValue((each.Track, what), out var lane))
            {
                lane = new Lane(
                    each.Track,
                    what switch
                    {
                        200 => "bend",
                        201 => "pressure",
                        _ => ControllerName.Of(what),
                    },
                    what is 64 or 66 or 67,
                    what == 200 ? 16_383 : 127,
                    what == 200 ? 8_192 : 0,
                    []
                );
                lanes.Add((each.Track, what), lane);
            }
            count++;
            lane.Points.AddRange([Unit(each.At), value | message.ChannelIndex << 16]);
        }
        return
        [
            .. lanes
                .OrderBy(lane => lane.Key.Track)
                .ThenBy(lane => lane.Value.IsPedal ? 0 : 1)
                .ThenBy(lane => lane.Key.What)
                .Select(lane => lane.Value),
        ];
    }

    private static int Unit(MidiSpan at) => (int)Math.Min(int.MaxValue, at.Microseconds / 100);
}
