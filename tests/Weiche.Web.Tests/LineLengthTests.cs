using System.Text.RegularExpressions;

namespace Weiche.Web.Tests;

/// <summary>How long the lines are: what is read side by side must not be scrolled.</summary>
public partial class LineLengthTests
{
    private const int Most = 140;

    /// <summary>A sentence stands as it is said, however long: the words of a literal do not count.</summary>
    [GeneratedRegex("\"(?:[^\"\\\\]|\\\\.)*\"|`(?:[^`\\\\]|\\\\.)*`")]
    private static partial Regex Literals { get; }

    [Theory]
    [InlineData("*.cs", 400)]
    [InlineData("*.css", 15)]
    [InlineData("*.js", 15)]
    [InlineData("*.cshtml", 60)]
    public void No_line_is_longer_than_140_signs_but_for_what_it_says(string pattern, int atLeast)
    {
        var files = Checkout.Files(pattern).ToList();
        Assert.True(files.Count >= atLeast, $"{files.Count} files");
        var tooLong = files
            .SelectMany(file => File.ReadLines(file).Index().Select(line => (File: file, line.Index, line.Item)))
            .Where(line => line.Item.Length > Most && Literals.Replace(line.Item, "").Length > Most)
            .Select(line => $"{Path.GetRelativePath(Checkout.Root, line.File)}:{line.Index + 1}");
        Assert.Empty(tooLong);
    }
}
