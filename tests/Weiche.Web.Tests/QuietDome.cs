using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;
using Weiche.Files;

namespace Weiche.Web.Tests;

/// <summary>The dome with its echo and its monitors closed, so that nothing comes back to where it was.</summary>
internal static class QuietDome
{
    public static Studio Create()
    {
        var dome = DemoStudio.Create();
        foreach (var device in dome.Devices)
        {
            foreach (var path in device.InnerPaths.Where(path => path is { On: true, Kind: InnerPathKind.Echo or InnerPathKind.Monitor }))
                dome = new SwitchInnerPath(device.Id, path.Id, false).Apply(dome).Studio!;
        }
        return dome;
    }
}
