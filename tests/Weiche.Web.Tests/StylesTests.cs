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

    /// <summary>What the page works out in a class attribute: @( and all up to its end.</summary>
    private const string Worked = @"@[\w.]*\((?>[^()""]+|""[^""]*""|(?<open>\()|(?<-open>\)))*(?(open)(?!))\)(?:\.\w+\(\))*";

    [GeneratedRegex($@"\bclass=""((?>{Worked}|[^""@]+|@)*)""")]
    private static partial Regex ClassAttribute { get; }

    [GeneratedRegex(Worked)]
    private static partial Regex WorkedOut { get; }

    /// <summary>A class in the built styles, with what is escaped in it: ".px-\[3vw\]".</summary>
    [GeneratedRegex(@"\.((?:\\.|[\w-]|[^\x00-\x7F])+)")]
    private static partial Regex BuiltName { get; }

    private static string Built => File.ReadAllText(Path.Combine(Checkout.Root, "src/Weiche.Web/wwwroot/css/site.css"));

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
        var built = Built;
        var start = built.IndexOf("@layer utilities{", StringComparison.Ordinal);
        var (end, depth) = (built.IndexOf('{', start) + 1, 1);
        for (; depth > 0; end++)
            depth +=
                built[end] == '{' ? 1
                : built[end] == '}' ? -1
                : 0;
        // A utility is a class alone: where a state is asked for as well (".off\:hidden.off"), that is no utility's name.
        var utilities = Regex
            .Matches(built[start..end], @"(?<=[{},])\.([\w-]+)(?=[,{])")
            .Select(match => match.Groups[1].Value)
            .ToHashSet();
        Assert.Contains("flex", utilities);
        Assert.Empty(_styles.SelectMany(file => ClassesOf(RulesOf(file))).Where(utilities.Contains).Distinct());
    }

    /// <summary>The classes that a page gives: as they stand, and in the strings of what it works out.</summary>
    private static IEnumerable<string> GivenBy(string page) =>
        from Match attribute in ClassAttribute.Matches(File.ReadAllText(page))
        let value = attribute.Groups[1].Value
        let worked = WorkedOut
            .Matches(value)
            .SelectMany(part => Regex.Matches(part.Value, "\"([^\"]*)\""))
            .Select(text => text.Groups[1].Value)
        from part in worked.Append(WorkedOut.Replace(value, " @ "))
        from name in part.Split((char[]?)null, StringSplitOptions.RemoveEmptyEntries)
        where name.IndexOfAny(['@', '{']) < 0 && !name.EndsWith('-')
        select name;

    [Fact]
    public void Each_class_in_the_markup_is_drawn_or_looked_for()
    {
        var drawn = BuiltName.Matches(Built).Select(match => Regex.Replace(match.Groups[1].Value, @"\\(.)", "$1")).ToHashSet();
        var looking = string.Concat(
            Checkout
                .Files("*.js")
                .Concat(Checkout.Files("*.cs").Where(file => file.Contains("/tests/", StringComparison.Ordinal)))
                .Select(File.ReadAllText)
        );
        var given = Checkout.Files("*.cshtml").SelectMany(page => GivenBy(page).Select(name => (Page: Path.GetFileName(page), Name: name)));
        Assert.True(given.Count() > 2000);
        Assert.Empty(
            given
                .Where(each => !drawn.Contains(each.Name) && !Regex.IsMatch(looking, $@"[.""]{Regex.Escape(each.Name)}(?![\w-])"))
                .Distinct()
        );
    }

    [Theory]
    [InlineData("bench", "Shared")]
    [InlineData("gear", "Gear")]
    [InlineData("grid", "Plan")]
    [InlineData("lineups", "Lineups")]
    [InlineData("strip", "Plan")]
    [InlineData("takes", "Takes")]
    [InlineData("time", "Time")]
    [InlineData("watch", "Watch")]
    public void A_rule_of_one_page_meets_nothing_on_another(string styles, string folder)
    {
        var rules = RulesOf(_styles.Single(file => Path.GetFileNameWithoutExtension(file) == styles));
        // What stands within a rule is within its root.
        for (var nested = ""; nested != rules;)
            (nested, rules) = (rules, Regex.Replace(rules, @"\{[^{}]*\}", ";"));
        var roots = rules.Split(';', ',').Select(head => ClassName.Match(head).Groups[1].Value).Where(name => name.Length > 0).ToHashSet();
        Assert.NotEmpty(roots);
        Assert.Empty(
            from page in Checkout.Files("*.cshtml")
            where !page.Contains($"/Pages/{folder}/", StringComparison.Ordinal)
            from name in GivenBy(page)
            where roots.Contains(name)
            select $"{Path.GetFileName(page)}: {name}"
        );
    }
}
