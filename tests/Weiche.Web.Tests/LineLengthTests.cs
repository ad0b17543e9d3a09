using System.Text.RegularExpressions;
using Weiche.Tests;

namespace Weiche.Web.Tests;

public partial class LineLengthTests
{
    private const int Most = 140;

    /// <summary>A sentence stands as it is said, however long: the words of a literal do not count.</summary>
    [GeneratedRegex("\"(?:[^\"\\\\]|\\\\.)*\"")]
    private static partial Regex Literals { get; }

    [Fact]
    public void No_line_of_code_is_longer_than_140_signs_but_for_what_it_says()
    {
        var files = new[] { "src", "tests", "bench" }
            .SelectMany(folder => Directory.EnumerateFiles(Path.Combine(Checkout.Root, folder), "*.cs", SearchOption.AllDirectories))
            .Where(file => !file.Split('/').Any(part => part is "bin" or "obj" or "node_modules" or "Migrations"))
            .ToList();
        Assert.True(files.Count > 400, $"{files.Count} files");
        var tooLong = files
            .SelectMany(file => File.ReadLines(file).Index().Select(line => (File: file, line.Index, line.Item)))
            .Where(line => line.Item.Length > Most && Literals.Replace(line.Item, "").Length > Most)
            .Select(line => $"{Path.GetRelativePath(Checkout.Root, line.File)}:{line.Index + 1}");
        Assert.Empty(tooLong);
    }
}
