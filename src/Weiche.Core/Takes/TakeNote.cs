using System.Collections.Immutable;
using Weiche.Core.Midi;

namespace Weiche.Core.Takes;

/// <summary>A note of a take: its beginning and its end.</summary>
/// <param name="On">The place of its note-on among the events.</param>
/// <param name="Off">The place of its note-off; below 0 if it never ends.</param>
/// <param name="Start">When it begins.</param>
/// <param name="End">When it ends; the end of the take if it never does.</param>
public readonly record struct TakeNote(int On, int Off, MidiSpan Start, MidiSpan End)
{
    /// <summary>The notes of a take, in the order in which they begin. A key that is struck again before it was let go ends first what was
    /// struck first.</summary>
    /// <param name="take">The take.</param>
    public static ImmutableArray<TakeNote> Of(Take take)
    {
        var notes = ImmutableArray.CreateBuilder<TakeNote>();
        var open = new Dictionary<(int Track, int Channel, int Key), Queue<int>>();
        for (var i = 0; i < take.Events.Length; i++)
        {
            var each = take.Events[i];
            if (!each.Message.IsNoteOn && !each.Message.IsNoteOff)
                continue;
            var key = (each.Track, each.Message.ChannelIndex, (int)each.Message.Data1);
            if (!open.TryGetValue(key, out var queue))
                open.Add(key, queue = new Queue<int>());
            if (each.Message.IsNoteOn)
            {
                queue.Enqueue(notes.Count);
                notes.Add(new TakeNote(i, -1, each.At, take.Length));
            }
            else if (queue.TryDequeue(out var at))
            {
                notes[at] = notes[at] with { Off = i, End = each.At };
            }
        }
        return notes.ToImmutable();
    }
}
