using System.Globalization;

namespace Weiche.Core.Midi;

/// <summary>Names of keys: note letter and octave, with key 60 as C3 unless the studio says otherwise.</summary>
public static class KeyName
{
    private static readonly string[] Letters = ["C", "C#", "D", "D#", "E", "F", "F#", "G", "G#", "A", "A#", "B"];

    /// <summary>The octave that middle C (key 60) is given by default: 3.</summary>
    public const int DefaultMiddleOctave = 3;

    private static readonly AsyncLocal<int?> Called = new();

    /// <summary>The octave that middle C (key 60) is given where nothing else is said: like the current culture, it belongs to
    /// whoever writes or reads for a person, and flows with the work done for them. Files write key numbers.</summary>
    public static int CurrentMiddleOctave
    {
        get => Called.Value ?? DefaultMiddleOctave;
        set => Called.Value = value;
    }

    /// <summary>Says something with keys in it as a studio calls them, whoever asks for it.</summary>
    /// <param name="middleOctave">The octave that middle C is given there.</param>
    /// <param name="say">Says it, at once.</param>
    /// <exception cref="ArgumentNullException"><paramref name="say"/> is null.</exception>
    public static T Calling<T>(int middleOctave, Func<T> say)
    {
        ArgumentNullException.ThrowIfNull(say);
        var before = Called.Value;
        Called.Value = middleOctave;
        try
        {
            return say();
        }
        finally
        {
            Called.Value = before;
        }
    }

    /// <summary>The name of a key, such as "C3" or "F#1".</summary>
    /// <param name="key">0 to 127.</param>
    /// <param name="middleOctave">The octave number of key 60; <see cref="CurrentMiddleOctave"/> if null.</param>
    public static string Of(int key, int? middleOctave = null) =>
        Letters[key % 12] + (key / 12 - 5 + (middleOctave ?? CurrentMiddleOctave)).ToString(CultureInfo.InvariantCulture);

    /// <summary>Reads a key: its name ("C3", "f#1", "Db-1") or its number ("60").</summary>
    /// <param name="text">The text.</param>
    /// <param name="key">The key, 0 to 127.</param>
    /// <param name="middleOctave">The octave number of key 60; <see cref="CurrentMiddleOctave"/> if null.</param>
    public static bool TryParse(string text, out int key, int? middleOctave = null)
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
        key = (octave - (middleOctave ?? CurrentMiddleOctave) + 5) * 12 + letter;
        return key is >= 0 and <= 127;
    }

    /// <summary>Whether the key is one of the black ones.</summary>
    /// <param name="key">0 to 127.</param>
    public static bool IsBlack(int key) => Letters[key % 12].Length == 2;
}
