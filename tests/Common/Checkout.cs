namespace Weiche.Tests;

/// <summary>Where the product's sources lie.</summary>
internal static class Checkout
{
    /// <summary>The folder with the solution, above that of the tests.</summary>
    internal static string Root { get; } = Find();

    /// <summary>Its files of one sort, without what is built or comes from packages.</summary>
    /// <param name="pattern">Of which names: "*.cs".</param>
    internal static IEnumerable<string> Files(string pattern) =>
        new[] { "src", "tests", "bench" }
            .SelectMany(folder => Directory.EnumerateFiles(Path.Combine(Root, folder), pattern, SearchOption.AllDirectories))
            .Where(file => !file.Split('/').Any(part => part is "bin" or "obj" or "node_modules" or "Migrations" or "lib" or "css"));

    private static string Find()
    {
        var folder = new DirectoryInfo(AppContext.BaseDirectory);
        while (!File.Exists(Path.Combine(folder!.FullName, "Weiche.slnx")))
            folder = folder.Parent;
        return folder.FullName;
    }
}
