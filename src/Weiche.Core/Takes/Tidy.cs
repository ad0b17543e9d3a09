using System.Collections.Immutable;
using Weiche.Core.Midi;

namespace Weiche.Core.Takes;

/// <summary>Which part of a take something is done to.</summary>
/// <param name="From">The first moment.</param>
/// <param name="To">The moment after the last.</param>
/// <param name="Track">Only this track, from 0; below 0 for all.</param>
public readonly record struct TakeRange(MidiSpan From, MidiSpan To, int Track = -1)
{
    /// <summary>All of a take.</summary>
    public static TakeRange Everything { get; } = new(MidiSpan.Zero, new MidiSpan(long.MaxValue));

    /// <summary>Whether an event lies in it.</summary>
    /// <param name="each">The event.</param>
    public bool Has(in TakeEvent each) => each.At >= From && each.At < To && (Track < 0 || Track == each.Track);
}

/// <summary>Brings notes to a grid. It moves beginnings, and ends if it shall; controllers and pedals stay where they are.</summary>
/// <param name="Parts">The grid: into so many parts a whole note is divided: 4, 8, 16 or 32; for triplets 6, 12, 24 or 48.</param>
/// <param name="Ends">Whether ends are brought to the grid as well.</param>
/// <param name="Strength">How far towards the grid, in hundredths: 0 to 100.</param>
/// <param name="Swing">Where every second line of the grid stands between its neighbours, in hundredths: 50 for the middle, to 75.</param>
public sealed record Tidy(int Parts, bool Ends, int Strength = 100, int Swing = 50)
{
    /// <summary>The grids there are.</summary>
    public static readonly ImmutableArray<int> Grids = [4, 8, 16, 32, 6, 12, 24, 48];

    /// <summary>Why this cannot be, in a sentence; null if it can.</summary>
    public string? Check() =>
        !Grids.Contains(Parts) ? "A grid is of 1/4, 1/8, 1/16 or 1/32, or of triplets of these."
        : Strength is < 0 or > 100 ? "How far notes are moved is from 0 to 100 per cent."
        : Swing is < 50 or > 75 ? "Swing is from 50 (none) to 75 per cent."
        : null;

    /// <summary>The grid in words: "1/16", "1/8 triplets".</summary>
    public string GridWords => Parts % 3 == 0 ? $"1/{Parts / 3 * 2} triplets" : $"1/{Parts}";

    /// <summary>A take with the notes that begin in a part of it brought to the grid.</summary>
    /// <param name="take">The take.</param>
    /// <param name="range">The part.</param>
    /// <param name="moved">How many notes were moved.</param>
    public Take Apply(Take take, TakeRange range, out int moved)
    {
        var events = take.Events.ToArray();
        moved = 0;
        var notes = TakeNote.Of(take);
        var starts = new MidiSpan[notes.Length];
        var ends = new MidiSpan[notes.Length];
        // The next of the same key: a note ends no later than that begins.
        var lastOfKey = new Dictionary<(int, int, int), int>();
        for (var i = 0; i < notes.Length; i++)
        {
            var note = notes[i];
            var on = take.Events[note.On];
            (starts[i], ends[i]) = (note.Start, note.End);
            if (range.Has(on))
            {
                starts[i] = Towards(take.Tempo, note.Start);
                if (Ends && note.Off >= 0)
                    ends[i] = Towards(take.Tempo, note.End);
                // What would have no length, or less, keeps the one it had; on the grid at least one of its steps.
                if (ends[i] <= starts[i])
                    ends[i] = starts[i] + (Ends && Strength == 100 ? Step(take.Tempo, starts[i]) : note.End - note.Start);
            }
            var key = (on.Track, on.Message.ChannelIndex, (int)on.Message.Data1);
            if (lastOfKey.TryGetValue(key, out var before) && notes[before].End <= note.Start)
            {
                // The order of two notes of one key stays.
                if (starts[i] <= starts[before])
                    starts[i] = starts[before] + new MidiSpan(Math.Max(1, (note.Start - notes[before].Start).Microseconds));
                if (ends[before] > starts[i])
                    ends[before] = starts[i];
                if (ends[i] <= starts[i])
                    ends[i] = starts[i] + new MidiSpan(Math.Max(1, (note.End - note.Start).Microseconds));
            }
            lastOfKey[key] = i;
        }
        var longest = take.Length;
        for (var i = 0; i < notes.Length; i++)
        {
            if (starts[i] == notes[i].Start && ends[i] == notes[i].End)
                continue;
            moved++;
            events[notes[i].On] = events[notes[i].On] with { At = starts[i] };
            if (notes[i].Off >= 0)
                events[notes[i].Off] = events[notes[i].Off] with { At = ends[i] };
            if (ends[i] > longest)
                longest = ends[i];
        }
        // Of one moment ends go first, so that a note does not end the one that begins there.
        return moved == 0
            ? take
            : take with
            {
                Events =
                [
                    .. events
                        .Index()
                        .OrderBy(each => each.Item.At)
                        .ThenBy(each => each.Item.Message.IsNoteOff ? 0 : 1)
                        .ThenBy(each => each.Index)
                        .Select(each => each.Item),
                ],
                Length = longest,
            };
    }

    private MidiSpan Towards(TempoMap tempo, MidiSpan at)
    {
        var target = Nearest(tempo, at);
        var moved = new MidiSpan(at.Microseconds + (long)Math.Round((target - at).Microseconds * Strength / 100.0));
        return moved < MidiSpan.Zero ? MidiSpan.Zero : moved;
    }

    /// <summary>The line of the grid that is nearest to a moment. The grid begins anew where the counting of bars does.</summary>
    /// <param name="tempo">Tempo and bars.</param>
    /// <param name="at">The moment.</param>
    public MidiSpan Nearest(TempoMap tempo, MidiSpan at)
    {
        var form = tempo.FormAt(at);
        var begin = tempo.QuartersAt(form.At);
        var step = 4.0 / Parts;
        var steps = (tempo.QuartersAt(at) - begin) / step;
        var pair = Math.Floor(steps / 2) * 2;
        var (best, distance) = (pair, double.MaxValue);
        foreach (var line in (ReadOnlySpan<double>)[pair, pair + Swing / 50.0, pair + 2])
        {
            if (Math.Abs(steps - line) >= distance)
                continue;
            (best, distance) = (line, Math.Abs(steps - line));
        }
        return tempo.TimeAt(begin + best * step);
    }

    private MidiSpan Step(TempoMap tempo, MidiSpan at) => tempo.TimeAt(tempo.QuartersAt(at) + 4.0 / Parts) - at;
}
