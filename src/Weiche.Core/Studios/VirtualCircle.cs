namespace Weiche.Core.Studios;

/// <summary>
/// Finds circles that lead through virtual ports alone. What a virtual port is sent comes out of it at once, so a
/// closed way through virtual ports runs as fast as the computer can.
/// </summary>
/// <remarks>Stages are taken to let everything pass, and routes that are off to be on: on the safe side.</remarks>
internal static class VirtualCircle
{
    /// <summary>The circle that a new route would close, in words, or null.</summary>
    internal static string? Find(Studio studio, DevicePort from, DevicePort to)
    {
        if (from.Device.Kind != DeviceKind.VirtualPort || to.Device.Kind != DeviceKind.VirtualPort) return null;
        var cameFrom = new Dictionary<DeviceId, Device?> { [to.Device.Id] = null };
        var waiting = new Queue<Device>([to.Device]);
        while (waiting.TryDequeue(out var device))
        {
            if (device.Id == from.Device.Id) return Describe(device, cameFrom);
            foreach (var route in studio.Routes)
            {
                if (studio.FindPort(route.From) is not { } leaves || leaves.Device.Id != device.Id) continue;
                if (studio.FindPort(route.To) is not { Device: { Kind: DeviceKind.VirtualPort } next }) continue;
                if (cameFrom.TryAdd(next.Id, device)) waiting.Enqueue(next);
            }
        }
        return null;
    }

    private static string Describe(Device end, Dictionary<DeviceId, Device?> cameFrom)
    {
        var names = new List<string>();
        for (var device = end; device is not null; device = cameFrom[device.Id]) names.Add(device.Name);
        names.Reverse();
        return string.Join(" → ", names) + " → " + names[0];
    }
}
