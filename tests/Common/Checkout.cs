namespace Weiche.Tests;

/// <summary>Where the product's sources lie.</summary>
internal static class Checkout
{
    /// <summary>The folder with the solution, above that of the tests.</summary>
    internal static string Root { get; } = Find();

    private static string Find()
    {
        var folder = new DirectoryInfo(AppContext.BaseDirectory);
        while (!File.Exists(Path.Combine(folder!.FullName, "Weiche.slnx")))
            folder = folder.Parent;
        return folder.FullName;
    }
}
