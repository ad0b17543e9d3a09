using System.Globalization;

namespace Weiche.Core.Midi;

/// <summary>How keys are called: note letter and octave, with key 60 (middle C) in octave 3 unless a studio says otherwise.</summary>
/// <remarks>The octave is a convention that differs from maker to maker; the MIDI standard has none. Whatever writes or reads keys for a
/// person is given the names of that person's studio. Files write key numbers.</remarks>
public readonly record struct KeyNaming
{
    /// <summary>The octave that middle C (key 60) is given by default: 3.</summary>
    public const int UsualMiddleOctave = 3;

    private static readonly string[] Letters = ["C", "C#", "D", "D#", "E", "F", "F#", "G", "G#", "A", "A#", "B"];

    // By how many octaves it differs from the usual: so the default value is the usual names.
    private readonly int _shift;

    /// <summary>The names in which middle C has an octave.</summary>
    /// <param name="middleOctave">The octave number of key 60.</param>
    public KeyNaming(int middleOctave)
    {
        _shift = middleOctave - UsualMiddleOctave;
    }

    /// <summary>The names that are used where no studio says otherwise: middle C is C3.</summary>
    public static KeyNaming Usual => default;

    /// <summary>The octave number of key 60.</summary>
    public int MiddleOctave => UsualMiddleOctave + _shift;

    /// <summary>The name of a key, such as "C3" or "F#1".</summary>
    /// <param name="key">0 to 127.</param>
    public string Of(int key) => Letters[key % 12] + (key / 12 - 5 + MiddleOctave).ToString(CultureInfo.InvariantCulture);

    /// <summary>Keys from one to another: "C1 – B2".</summary>
    /// <param name="lowest">0 to 127.</param>
    /// <param name="highest">0 to 127.</param>
    public string Range(int lowest, int highest) => $"{Of(lowest)} – {Of(highest)}";

    /// <summary>Reads a key: its name ("C3", "f#1", "Db-1") or its number ("60").</summary>
    /// <param name="text">The text.</param>
    /// <param name="key">The key, 0 to 127.</param>
    public bool TryParse(string text, out int key)
    {
        if (int.TryParse(text, NumberStyles.None, CultureInfo.InvariantCulture, out key))
            return key <= 127;
        if (text.Length < 2)
            return false;
        var letter = Array.IndexOf(Letters, char.ToUpperInvariant(text[0]).ToString());
        if (letter < 0)
            return false;
        var at = 1;
        if (text[at] is '#' or '♯')
        {
            letter++;
            at++;
        }
        else if (text[at] is 'b' or '♭')
        {
            letter--;
            at++;
        }
        var octaveText = text[at..].Replace('−', '-');
        if (
            !int.TryParse(octaveText, NumberStyles.AllowLeadingSign, CultureInfo.InvariantCulture, out var octave)
            || octave is < -20 or > 20
        )
            return false;
        key = (octave - MiddleOctave + 5) * 12 + letter;
        return key is >= 0 and <= 127;
    }

    /// <summary>Whether the key is one of the black ones.</summary>
    /// <param name="key">0 to 127.</param>
    public static bool IsBlack(int key) => Letters[key % 12].Length == 2;
}
