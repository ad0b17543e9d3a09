namespace Weiche.Core.Studios;

/// <summary>
/// Finds circles that lead through virtual ports alone. What a virtual port is sent comes out of it at once, so a
/// closed way through virtual ports runs as fast as the computer can.
/// </summary>
/// <remarks>Stages are taken to let everything pass, and routes that are off to be on: on the safe side.</remarks>
internal static class VirtualCircle
{
    /// <summary>A circle in words ("a → b → a"), or null if there is none.</summary>
    internal static string? Find(Studio studio)
    {
        var next = new Dictionary<DeviceId, List<Device>>();
        foreach (var route in studio.Routes)
        {
            if (studio.FindPort(route.To) is not { Device: { Kind: DeviceKind.VirtualPort } to }) continue;
            foreach (var source in studio.SourcesOf(route).Where(source => source.Device.Kind == DeviceKind.VirtualPort))
            {
                if (!next.TryGetValue(source.Device.Id, out var list)) next.Add(source.Device.Id, list = []);
                list.Add(to);
            }
        }
        var done = new HashSet<DeviceId>();
        var path = new List<Device>();
        foreach (var device in studio.Devices)
        {
            if (Search(device, next, done, path) is { } circle) return circle;
        }
        return null;
    }

    private static string? Search(Device start, Dictionary<DeviceId, List<Device>> next, HashSet<DeviceId> done, List<Device> path)
    {
        // Depth first without recursion: a studio may be a chain of any length.
        var stack = new Stack<(Device Device, int Branch)>();
        stack.Push((start, 0));
        while (stack.TryPop(out var here))
        {
            if (here.Branch == 0)
            {
                if (!done.Add(here.Device.Id)) continue;
                path.Add(here.Device);
            }
            if (next.TryGetValue(here.Device.Id, out var ways) && here.Branch < ways.Count)
            {
                stack.Push((here.Device, here.Branch + 1));
                var to = ways[here.Branch];
                var at = path.FindIndex(device => device.Id == to.Id);
                if (at >= 0) return string.Join(" → ", path.Skip(at).Select(device => device.Name)) + " → " + to.Name;
                stack.Push((to, 0));
                continue;
            }
            path.RemoveAt(path.Count - 1);
        }
        return null;
    }
}
