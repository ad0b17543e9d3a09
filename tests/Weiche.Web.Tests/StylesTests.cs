using System.Text.RegularExpressions;

namespace Weiche.Web.Tests;

/// <summary>What styles are held to: colours stand in one place, and no name means two things or nothing.</summary>
public partial class StylesTests
{
    private static readonly List<string> _styles = [.. Checkout.Files("*.css")];

    /// <summary>Without comments and without what is a name of an address, not of a class.</summary>
    [GeneratedRegex(@"/\*.*?\*/|url\([^)]*\)|""[^""]*""", RegexOptions.Singleline)]
    private static partial Regex NoRules { get; }

    [GeneratedRegex(@"#[0-9a-fA-F]{3,8}\b(?=[^{}]*[;}])|\b(?:rgba?|hsla?|oklch|light-dark)\(")]
    private static partial Regex RawColour { get; }

    [GeneratedRegex(@"\.([a-z][\w-]*)")]
    private static partial Regex ClassName { get; }

    [GeneratedRegex(@"[A-Za-z0-9][\w-]*-?")]
    private static partial Regex Word { get; }

    private static string RulesOf(string file) => NoRules.Replace(File.ReadAllText(file), "");

    /// <summary>The classes in what stands before a block; in a block there is none.</summary>
    private static IEnumerable<string> ClassesOf(string rules) =>
        Regex.Matches(rules, @"[^{};]+(?=\{)").SelectMany(head => ClassName.Matches(head.Value)).Select(match => match.Groups[1].Value);

    [Fact]
    public void Colours_stand_among_the_tokens_and_nowhere_else() =>
        Assert.Empty(
            from file in _styles
            where Path.GetFileName(file) != "tokens.css"
            from Match match in RawColour.Matches(RulesOf(file))
            select $"{Path.GetFileName(file)}: {match.Value}"
        );

    [Fact]
    public void Each_class_that_has_a_rule_is_used()
    {
        // Some are put together of two words ("edge-" and a number): a word that ends in a hyphen stands for all that begin so.
        var words = Checkout
            .Files("*.cshtml")
            .Concat(Checkout.Files("*.js"))
            .Concat(Checkout.Files("*.cs").Where(file => file.Contains("/src/", StringComparison.Ordinal)))
            .SelectMany(file => Word.Matches(File.ReadAllText(file)).Select(match => match.Value))
            .ToHashSet(StringComparer.OrdinalIgnoreCase);
        Assert.Empty(
            from file in _styles
            from name in ClassesOf(RulesOf(file)).Distinct()
            where !words.Contains(name) && !words.Contains(name[..(name.LastIndexOf('-') + 1)])
            select $"{Path.GetFileName(file)}: .{name}"
        );
    }

    [Fact]
    public void No_class_of_ours_is_called_like_a_utility()
    {
        var built = File.ReadAllText(Path.Combine(Checkout.Root, "src/Weiche.Web/wwwroot/css/site.css"));
        var start = built.IndexOf("@layer utilities{", StringComparison.Ordinal);
        var (end, depth) = (built.IndexOf('{', start) + 1, 1);
        for (; depth > 0; end++)
            depth +=
                built[end] == '{' ? 1
                : built[end] == '}' ? -1
                : 0;
        var utilities = ClassesOf(built[(start + "@layer utilities{".Length)..end]).ToHashSet();
        Assert.Contains("flex", utilities);
        Assert.Empty(_styles.SelectMany(file => ClassesOf(RulesOf(file))).Where(utilities.Contains).Distinct());
    }
}
