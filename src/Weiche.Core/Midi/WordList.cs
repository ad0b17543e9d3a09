namespace Weiche.Core.Midi;

/// <summary>Names and words as a sentence has them.</summary>
public static class WordList
{
    /// <summary>Names in a row: "Zinn, Brandung and Himmel"; nothing for none.</summary>
    /// <param name="names">The names.</param>
    public static string Of(IReadOnlyList<string> names) =>
        names.Count <= 1 ? string.Concat(names) : string.Join(", ", names.Take(names.Count - 1)) + " and " + names[^1];

    /// <summary>A text with a capital at its beginning: "Any source".</summary>
    /// <param name="text">The text.</param>
    public static string Capital(string text) => string.IsNullOrEmpty(text) ? "" : char.ToUpperInvariant(text[0]) + text[1..];
}
