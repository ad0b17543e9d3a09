using System.Diagnostics;

namespace Weiche.Web.Tests;

/// <summary>What scripts are held to (eslint.config.mjs beside them): no name that nothing has, that nobody uses, or that hides
/// another.</summary>
public class ScriptsTests
{
    [Fact]
    public async Task Scripts_say_what_they_mean()
    {
        var start = new ProcessStartInfo("node", ["node_modules/eslint/bin/eslint.js", "--max-warnings", "0", "."])
        {
            WorkingDirectory = Path.Combine(Checkout.Root, "src/Weiche.Web"),
            RedirectStandardOutput = true,
            RedirectStandardError = true,
        };
        using var process = Process.Start(start)!;
        var (told, failed) = (process.StandardOutput.ReadToEndAsync(), process.StandardError.ReadToEndAsync());
        await process.WaitForExitAsync();
        Assert.True(process.ExitCode == 0, await told + await failed);
    }
}
