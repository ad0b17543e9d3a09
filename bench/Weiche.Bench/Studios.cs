using System.Globalization;
using Weiche.Core.Midi;
using Weiche.Core.Sets;
using Weiche.Core.Stages;
using Weiche.Core.Studios;

namespace Weiche.Bench;

/// <summary>Studios to measure with, made from a seed.</summary>
internal static class Studios
{
    /// <summary>A studio of devices with two sources and two destinations each, and routes of three stages that let notes
    /// through.</summary>
    /// <param name="devices">How many devices.</param>
    /// <param name="routes">How many routes, spread evenly over the sources.</param>
    /// <param name="seed">From what its stages are drawn.</param>
    /// <param name="echoes">Every how many devices one passes on what it hears; 0 for none.</param>
    /// <param name="eachSource">How many routes a source has: then only as many sources have any; 0 to spread them over all.</param>
    internal static Studio Generate(int devices, int routes, int seed, int eachSource = 0, int echoes = 0)
    {
        var random = new Random(seed);
        var id = 1;
        var made = new List<Device>();
        for (var i = 0; i < devices; i++)
        {
            made.Add(
                new Device(
                    new DeviceId(id++),
                    string.Create(CultureInfo.InvariantCulture, $"Device {i + 1}"),
                    DeviceKind.KeyboardSynth,
                    ChannelSet.All,
                    ChannelSet.All,
                    true,
                    null,
                    [
                        new Port(new PortId(id++), PortDirection.Source, "a", WireKind.Usb),
                        new Port(new PortId(id++), PortDirection.Source, "b", WireKind.Usb),
                        new Port(new PortId(id++), PortDirection.Destination, "a", WireKind.Virtual),
                        new Port(new PortId(id++), PortDirection.Destination, "b", WireKind.Virtual),
                    ]
                )
            );
        }
        for (var i = 0; echoes > 0 && i < made.Count; i += echoes)
        {
            var path = new InnerPath(
                new InnerPathId(id++),
                InnerPathKind.Echo,
                "echo",
                Place.At(made[i].Ports[2].Id),
                Place.At(made[i].Ports[0].Id),
                true,
                MidiSpan.FromMilliseconds(1),
                []
            );
            made[i] = made[i] with { InnerPaths = [path] };
        }
        var sources = made.SelectMany(device => device.Ports.Take(2)).Select(port => port.Id).ToList();
        var destinations = made.SelectMany(device => device.Ports.Skip(2)).Select(port => port.Id).ToList();
        if (eachSource > 0)
            sources = [.. sources.Take((routes + eachSource - 1) / eachSource)];
        var laid = new List<Route>();
        for (var i = 0; i < routes; i++)
        {
            var to = destinations[(i / sources.Count + i * 7) % destinations.Count];
            laid.Add(new Route(new RouteId(id++), sources[i % sources.Count], to, true, [Draw(random), Draw(random), Draw(random)]));
        }
        return new Studio
        {
            Name = "Generated",
            NextId = id,
            Devices = [.. made],
            Routes = [.. laid.DistinctBy(route => (route.From, route.To))],
        }.Checked();
    }

    private static Stage Draw(Random random) =>
        random.Next(5) switch
        {
            0 => new KindsStage(KindSet.All.With(MessageKind.ActiveSensing, false)),
            1 => new ChannelsStage(ChannelMap.Identity.With(Channel.FromNumber(1), ChannelSet.Of(1 + random.Next(16)))),
            2 => new KeysStage(0, 127),
            3 => new TransposeStage(random.Next(-3, 4)),
            _ => new VelocityStage(scale: 50 + random.Next(100)),
        };
}
