using System.Globalization;

namespace Weiche.Core.Midi;

/// <summary>Names of keys: note letter and octave, with key 60 as C3 unless the studio says otherwise.</summary>
public static class KeyName
{
    private static readonly string[] Letters = ["C", "C#", "D", "D#", "E", "F", "F#", "G", "G#", "A", "A#", "B"];

    /// <summary>The octave that middle C (key 60) is given by default: 3.</summary>
    public const int DefaultMiddleOctave = 3;

    /// <summary>The name of a key, such as "C3" or "F#1".</summary>
    /// <param name="key">0 to 127.</param>
    /// <param name="middleOctave">The octave number of key 60.</param>
    public static string Of(int key, int middleOctave = DefaultMiddleOctave) =>
        Letters[key % 12] + (key / 12 - 5 + middleOctave).ToString(CultureInfo.InvariantCulture);

    /// <summary>Whether the key is one of the black ones.</summary>
    /// <param name="key">0 to 127.</param>
    public static bool IsBlack(int key) => Letters[key % 12].Length == 2;
}
