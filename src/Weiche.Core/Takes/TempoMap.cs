using System.Collections.Immutable;
using Weiche.Core.Midi;

namespace Weiche.Core.Takes;

/// <summary>From a moment on a quarter note takes so long.</summary>
/// <param name="At">The moment, from the beginning of the take.</param>
/// <param name="Quarter">µs of a quarter note, 1 to 16 777 215 (Standard MIDI Files 1.0, "Set Tempo").</param>
public readonly record struct TempoPoint(MidiSpan At, int Quarter);

/// <summary>At a moment a bar begins, and from there on bars are so long.</summary>
/// <param name="At">The moment, from the beginning of the take.</param>
/// <param name="Number">The number of the bar; 0 and below for bars before the first.</param>
/// <param name="Beats">Beats in a bar, 1 to 255.</param>
/// <param name="Unit">What a beat is, as a part of a whole note: 1, 2, 4, … 128.</param>
public readonly record struct BarPoint(MidiSpan At, int Number, int Beats, int Unit)
{
    /// <summary>Quarter notes in a beat.</summary>
    public double Beat => 4.0 / Unit;

    /// <summary>Quarter notes in a bar.</summary>
    public double Length => Beats * Beat;
}

/// <summary>A place in music: bar and beat, both from 1, and how much of the beat has passed, 0 to below 1.</summary>
/// <param name="Bar">The bar.</param>
/// <param name="Beat">The beat.</param>
/// <param name="Part">How much of the beat has passed.</param>
public readonly record struct MusicPlace(int Bar, int Beat, double Part);

/// <summary>How the time of a take is divided into quarter notes and bars.</summary>
/// <remarks>Both lists begin at the beginning of the take and go up. Times before it are counted as if the first tempo had been
/// there.</remarks>
public sealed class TempoMap
{
    /// <summary>The tempo where nobody gave one: 120 quarter notes a minute (Standard MIDI Files 1.0, "Set Tempo").</summary>
    public const int UsualQuarter = 500_000;

    /// <summary>The longest that a quarter note can be said to be.</summary>
    public const int LongestQuarter = 0xFF_FFFF;

    private readonly double[] _quarters;

    /// <summary>A map.</summary>
    /// <param name="tempos">Tempos in any order. Of several at one moment the last counts.</param>
    /// <param name="bars">Time signatures in any order.</param>
    public TempoMap(IEnumerable<TempoPoint> tempos, IEnumerable<BarPoint> bars)
    {
        Tempos = Ordered(tempos, point => point.At, new TempoPoint(MidiSpan.Zero, UsualQuarter), (point, at) => point with { At = at });
        Bars = Ordered(bars, point => point.At, new BarPoint(MidiSpan.Zero, 1, 4, 4), (point, at) => point with { At = at });
        _quarters = new double[Tempos.Length];
        for (var i = 1; i < Tempos.Length; i++)
            _quarters[i] = _quarters[i - 1] + (Tempos[i].At - Tempos[i - 1].At).Microseconds / (double)Tempos[i - 1].Quarter;
    }

    /// <summary>120 quarter notes a minute, four to a bar.</summary>
    public static TempoMap Usual { get; } = new([], []);

    /// <summary>The tempos; the first is at the beginning.</summary>
    public ImmutableArray<TempoPoint> Tempos { get; }

    /// <summary>The time signatures; the first is at the beginning.</summary>
    public ImmutableArray<BarPoint> Bars { get; }

    /// <summary>How many quarter notes have passed at a moment.</summary>
    /// <param name="at">The moment.</param>
    public double QuartersAt(MidiSpan at)
    {
        var i = Last(Tempos, at);
        return _quarters[i] + (at - Tempos[i].At).Microseconds / (double)Tempos[i].Quarter;
    }

    /// <summary>When so many quarter notes have passed, to the nearest µs.</summary>
    /// <param name="quarters">How many.</param>
    public MidiSpan TimeAt(double quarters)
    {
        var i = Array.BinarySearch(_quarters, quarters);
        if (i < 0)
            i = Math.Max(0, ~i - 1);
        return new MidiSpan(Tempos[i].At.Microseconds + (long)Math.Round((quarters - _quarters[i]) * Tempos[i].Quarter));
    }

    /// <summary>Quarter notes a minute at a moment.</summary>
    /// <param name="at">The moment.</param>
    public double BpmAt(MidiSpan at) => 60_000_000.0 / Tempos[Last(Tempos, at)].Quarter;

    /// <summary>The time signature at a moment.</summary>
    /// <param name="at">The moment.</param>
    public BarPoint FormAt(MidiSpan at) => Bars[Last(Bars, at)];

    /// <summary>Where a moment is.</summary>
    /// <param name="at">The moment.</param>
    public MusicPlace PlaceAt(MidiSpan at)
    {
        var form = FormAt(at);
        // What is half a µs before a beat is on it: times are whole µs.
        var tempo = Last(Tempos, at);
        var near = 0.6 / Math.Min(Tempos[tempo].Quarter, Tempos[Math.Max(0, tempo - 1)].Quarter) / form.Beat;
        var beats = (QuartersAt(at) - QuartersAt(form.At)) / form.Beat + near;
        var bar = (int)Math.Floor(beats / form.Beats);
        var rest = beats - bar * form.Beats;
        var beat = Math.Clamp((int)Math.Floor(rest), 0, form.Beats - 1);
        return new MusicPlace(form.Number + bar, beat + 1, Math.Max(0, rest - beat - near));
    }

    /// <summary>When a bar begins; null if there is none of this number.</summary>
    /// <param name="number">Its number.</param>
    public MidiSpan? BarAt(int number)
    {
        for (var i = Bars.Length - 1; i >= 0; i--)
        {
            var form = Bars[i];
            if (number < form.Number)
                continue;
            var at = TimeAt(QuartersAt(form.At) + (number - form.Number) * form.Length);
            if (i + 1 == Bars.Length || at < Bars[i + 1].At)
                return at;
        }
        return null;
    }

    /// <summary>The bar lines between two moments, with their numbers.</summary>
    /// <param name="from">The first moment.</param>
    /// <param name="to">The moment after the last.</param>
    public IEnumerable<(MidiSpan At, int Number)> BarLines(MidiSpan from, MidiSpan to)
    {
        for (var i = 0; i < Bars.Length; i++)
        {
            var form = Bars[i];
            var end = i + 1 < Bars.Length && Bars[i + 1].At < to ? Bars[i + 1].At : to;
            if (end <= from || form.Length <= 0)
                continue;
            var begin = QuartersAt(form.At);
            for (var bar = Math.Max(0, (int)Math.Floor((QuartersAt(from) - begin) / form.Length)); ; bar++)
            {
                var at = TimeAt(begin + bar * form.Length);
                if (at >= end)
                    break;
                if (at >= from)
                    yield return (at, form.Number + bar);
            }
        }
    }

    /// <summary>The same from a moment on: what was there is at the beginning.</summary>
    /// <param name="from">The moment.</param>
    public TempoMap From(MidiSpan from)
    {
        var form = FormAt(from);
        var (line, number) = BarLines(from, new MidiSpan(long.MaxValue / 4)).FirstOrDefault((from, form.Number));
        var bars = Bars.Where(point => point.At > from).Select(point => point with { At = point.At - from });
        // The first bar may be cut: it is counted from the next line.
        if (line > from)
            bars = bars.Append(FormAt(line) with { At = line - from, Number = number });
        return new TempoMap(
            Tempos
                .Where(point => point.At > from)
                .Select(point => point with { At = point.At - from })
                .Prepend(new TempoPoint(MidiSpan.Zero, Tempos[Last(Tempos, from)].Quarter)),
            bars.Prepend(new BarPoint(MidiSpan.Zero, PlaceAt(from).Bar, form.Beats, form.Unit))
        );
    }

    private static int Last(ImmutableArray<TempoPoint> points, MidiSpan at)
    {
        var (low, high) = (0, points.Length - 1);
        while (low < high)
        {
            var middle = (low + high + 1) / 2;
            if (points[middle].At <= at)
                low = middle;
            else
                high = middle - 1;
        }
        return low;
    }

    private static int Last(ImmutableArray<BarPoint> points, MidiSpan at)
    {
        var i = points.Length - 1;
        while (i > 0 && points[i].At > at)
            i--;
        return i;
    }

    private static ImmutableArray<T> Ordered<T>(IEnumerable<T> points, Func<T, MidiSpan> when, T first, Func<T, MidiSpan, T> at)
    {
        var ordered = points.OrderBy(when).ToList();
        var kept = new List<T>();
        foreach (var point in ordered)
        {
            var moment = when(point) < MidiSpan.Zero ? MidiSpan.Zero : when(point);
            if (kept.Count > 0 && when(kept[^1]) == moment)
                kept[^1] = at(point, moment);
            else
                kept.Add(at(point, moment));
        }
        if (kept.Count == 0 || when(kept[0]) > MidiSpan.Zero)
            kept.Insert(0, first);
        return [.. kept];
    }
}
