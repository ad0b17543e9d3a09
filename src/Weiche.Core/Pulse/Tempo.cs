using System.Globalization;

namespace Weiche.Core.Pulse;

/// <summary>A tempo in hundredths of a beat a minute, where a beat is a quarter note: from 20 to 300.</summary>
/// <remarks>A clock sends 24 pulses a quarter note (MIDI 1.0 Detailed Specification, “Timing Clock”).</remarks>
public readonly record struct Tempo
{
    /// <summary>Pulses of the clock in a quarter note.</summary>
    public const int PulsesABeat = 24;

    /// <summary>Pulses of the clock in a sixteenth note, which song positions are counted in (MIDI 1.0 Detailed Specification, “Song
    /// Position Pointer”).</summary>
    public const int PulsesASixteenth = 6;

    /// <summary>The slowest, in hundredths.</summary>
    public const int Slowest = 2_000;

    /// <summary>The fastest, in hundredths.</summary>
    public const int Fastest = 30_000;

    /// <summary>µs × hundredths of bpm in the interval between two pulses: 60 000 000 µs × 100 / 24.</summary>
    internal const long IntervalTimesHundredths = 250_000_000;

    private readonly int _hundredths;

    /// <summary>A tempo.</summary>
    /// <param name="hundredths">Hundredths of a beat a minute, 2 000 to 30 000.</param>
    /// <exception cref="ArgumentOutOfRangeException">It is slower than 20 or faster than 300.</exception>
    public Tempo(int hundredths)
    {
        ArgumentOutOfRangeException.ThrowIfLessThan(hundredths, Slowest);
        ArgumentOutOfRangeException.ThrowIfGreaterThan(hundredths, Fastest);
        _hundredths = hundredths;
    }

    /// <summary>120 beats a minute, where nothing else was said.</summary>
    public static Tempo Usual { get; } = new(12_000);

    /// <summary>Hundredths of a beat a minute.</summary>
    public int Hundredths => _hundredths == 0 ? 12_000 : _hundredths;

    /// <summary>Beats a minute.</summary>
    public double Bpm => Hundredths / 100.0;

    /// <summary>The tempo in digits: "92.35", "120.00".</summary>
    public string Digits => Bpm.ToString("F2", CultureInfo.InvariantCulture);

    /// <summary>The tempo in words: "92.35 bpm".</summary>
    public override string ToString() => Digits + " bpm";

    /// <summary>The tempo that is nearest to so many beats a minute.</summary>
    /// <param name="bpm">Beats a minute; brought between 20 and 300.</param>
    public static Tempo Nearest(double bpm) =>
        new((int)Math.Round(Math.Clamp(double.IsNaN(bpm) ? Usual.Bpm : bpm, Slowest / 100.0, Fastest / 100.0) * 100));

    /// <summary>Reads a tempo as a person writes it: "92.35", "92,35", "120 bpm".</summary>
    /// <param name="text">What was written.</param>
    /// <param name="tempo">The tempo.</param>
    /// <param name="problem">Why it is none, in a sentence.</param>
    public static bool TryParse(string? text, out Tempo tempo, out string problem)
    {
        tempo = Usual;
        var digits = (text ?? "").Trim();
        if (digits.EndsWith("bpm", StringComparison.OrdinalIgnoreCase))
            digits = digits[..^3].TrimEnd();
        problem = "A tempo is a number from 20 to 300, in hundredths at most: 92.35.";
        if (
            digits.Length > 9
            || !decimal.TryParse(digits.Replace(',', '.'), NumberStyles.AllowDecimalPoint, CultureInfo.InvariantCulture, out var bpm)
        )
            return false;
        if (bpm is < Slowest / 100m or > Fastest / 100m)
        {
            problem = string.Create(
                CultureInfo.InvariantCulture,
                $"{digits} beats a minute is out of reach: Weiche's clock goes from 20 to 300."
            );
            return false;
        }
        if (decimal.Round(bpm, 2) != bpm)
            return false;
        tempo = new Tempo((int)(bpm * 100));
        problem = "";
        return true;
    }
}

/// <summary>A time signature: how many beats a bar has, and what a beat is.</summary>
public readonly record struct BarForm
{
    /// <summary>The most beats in a bar.</summary>
    public const int MostBeats = 32;

    private readonly int _beats;
    private readonly int _unit;

    /// <summary>A time signature.</summary>
    /// <param name="beats">Beats in a bar, 1 to 32.</param>
    /// <param name="unit">What a beat is: 2, 4, 8 or 16 of a whole note.</param>
    /// <exception cref="ArgumentException">There is no such time signature.</exception>
    public BarForm(int beats, int unit)
    {
        if (beats is < 1 or > MostBeats || unit is not (2 or 4 or 8 or 16))
            throw new ArgumentException($"A time signature has 1 to {MostBeats} beats of 2, 4, 8 or 16.");
        (_beats, _unit) = (beats, unit);
    }

    /// <summary>Four quarters.</summary>
    public static BarForm Usual { get; } = new(4, 4);

    /// <summary>Beats in a bar.</summary>
    public int Beats => _beats == 0 ? 4 : _beats;

    /// <summary>What a beat is, as a part of a whole note.</summary>
    public int Unit => _unit == 0 ? 4 : _unit;

    /// <summary>Pulses of the clock in a beat.</summary>
    public int PulsesABeat => 4 * Tempo.PulsesABeat / Unit;

    /// <summary>Pulses of the clock in a bar.</summary>
    public int PulsesABar => Beats * PulsesABeat;

    /// <summary>As one writes it: "4/4".</summary>
    public override string ToString() => string.Create(CultureInfo.InvariantCulture, $"{Beats}/{Unit}");

    /// <summary>Where a position is: bar and beat, both from 1; before the beginning bars are counted down to 0.</summary>
    /// <param name="pulses">Pulses since the beginning.</param>
    public (long Bar, int Beat) Of(long pulses)
    {
        var bar = Math.DivRem(pulses, PulsesABar, out var rest);
        if (rest < 0)
            (bar, rest) = (bar - 1, rest + PulsesABar);
        return (bar + 1, (int)(rest / PulsesABeat) + 1);
    }

    /// <summary>The first position at or after another at which a bar begins.</summary>
    /// <param name="pulses">Pulses since the beginning.</param>
    public long NextBar(long pulses) => (long)Math.Ceiling(pulses / (double)PulsesABar) * PulsesABar;

    /// <summary>Reads a time signature: "4/4", "7/8".</summary>
    /// <param name="text">What was written.</param>
    /// <param name="form">The time signature.</param>
    /// <param name="problem">Why it is none, in a sentence.</param>
    public static bool TryParse(string? text, out BarForm form, out string problem)
    {
        form = Usual;
        problem = $"A time signature is written like 4/4 or 7/8: 1 to {MostBeats} beats of 2, 4, 8 or 16.";
        var parts = (text ?? "").Trim().Split('/', StringSplitOptions.TrimEntries);
        if (
            parts.Length != 2
            || !int.TryParse(parts[0], NumberStyles.None, CultureInfo.InvariantCulture, out var beats)
            || !int.TryParse(parts[1], NumberStyles.None, CultureInfo.InvariantCulture, out var unit)
        )
            return false;
        if (beats is < 1 or > MostBeats || unit is not (2 or 4 or 8 or 16))
            return false;
        form = new BarForm(beats, unit);
        problem = "";
        return true;
    }
}
