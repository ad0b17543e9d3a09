namespace Weiche.Core.Midi;

/// <summary>Names in a row, as a sentence has them.</summary>
public static class WordList
{
    /// <summary>Names in a row: "Zinn, Brandung and Himmel"; nothing for none.</summary>
    /// <param name="names">The names.</param>
    public static string Of(IReadOnlyList<string> names) =>
        names.Count <= 1 ? string.Concat(names) : string.Join(", ", names.Take(names.Count - 1)) + " and " + names[^1];
}
