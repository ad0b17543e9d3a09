using System.Text.Json;
using System.Text.RegularExpressions;

namespace Weiche.Files;

/// <summary>What is wrong with a JSON text, for a person who wrote it: no types of ours, the line, the field.</summary>
internal static partial class JsonWords
{
    /// <summary>What is wrong, in a sentence.</summary>
    /// <param name="exception">As the reader said it.</param>
    internal static string Of(JsonException exception)
    {
        var line = exception.LineNumber is { } number ? $"Line {number + 1}: " : "";
        var said = exception.Message;
        if (Missing().Match(said) is { Success: true } missing)
            return $"{line}{missing.Groups["names"].Value.Replace("'", "“", StringComparison.Ordinal).Replace("“,", "”,", StringComparison.Ordinal).TrimEnd('“')}” {(missing.Groups["names"].Value.Contains(',', StringComparison.Ordinal) ? "are" : "is")} missing{Where(exception.Path)}.";
        if (Unknown().Match(said) is { Success: true } unknown)
            return $"{line}“{unknown.Groups["name"].Value}” is no field that is known{Where(Parent(exception.Path))}.";
        if (Nothing().Match(said) is { Success: true } nothing)
            return $"{line}“{nothing.Groups["name"].Value}” cannot be null.";
        if (Twice().Match(said) is { Success: true } twice)
            return $"{line}“{twice.Groups["name"].Value}” is there twice{Where(Parent(exception.Path))}.";
        if (NotThat().IsMatch(said))
            return $"{line}what stands there cannot be{Where(exception.Path, " the value of ")}.";
        var end = said.IndexOf(". ", StringComparison.Ordinal);
        return line + (end < 0 ? said : said[..(end + 1)]);
    }

    /// <summary>"$.devices[0].ports[1].wire" as " at devices[0].ports[1].wire".</summary>
    private static string Where(string? path, string word = " at ") =>
        path is null or "$" or "" ? "" : word + path.Replace("$.", "", StringComparison.Ordinal);

    private static string? Parent(string? path) => path?.LastIndexOf('.') is > 0 and var dot ? path[..dot] : null;

    [GeneratedRegex("was missing required properties including: (?<names>[^.;]*)")]
    private static partial Regex Missing();

    [GeneratedRegex("^The JSON property '(?<name>.*?)' could not be mapped")]
    private static partial Regex Unknown();

    [GeneratedRegex("'(?<name>[^']*)' on type '[^']*' doesn't allow")]
    private static partial Regex Nothing();

    [GeneratedRegex("^Duplicate property '(?<name>.*?)' encountered")]
    private static partial Regex Twice();

    [GeneratedRegex("could not be converted to")]
    private static partial Regex NotThat();
}
