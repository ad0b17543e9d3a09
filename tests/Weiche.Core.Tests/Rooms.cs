using Weiche.Core.Live;
using Weiche.Core.Midi;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;
using Weiche.Files;

namespace Weiche.Core.Tests;

/// <summary>Small studios for tests.</summary>
internal static class Rooms
{
    /// <summary>A studio of virtual ports with these names. Each has a source and a destination.</summary>
    public static Studio Of(params string[] names) =>
        names.Aggregate(Studio.Empty("Test"), (studio, name) => Must(studio, new AddVirtualPort(name)));

    /// <summary>The dome with its echo and its monitors closed, so that nothing comes back to where it was.</summary>
    public static Studio QuietDome()
    {
        var dome = DemoStudio.Create();
        foreach (var device in dome.Devices)
        {
            foreach (var path in device.InnerPaths.Where(path => path is { On: true, Kind: InnerPathKind.Echo or InnerPathKind.Monitor }))
                dome = dome.Must(new SwitchInnerPath(device.Id, path.Id, false));
        }
        return dome.Must(new SwitchRoute(dome.Routes[^1].Id, false));
    }

    /// <summary>A studio of applications that hear and send without a wire; those that are named pass on what they hear.</summary>
    public static Studio Room(string[] names, params string[] echoing)
    {
        var studio = names.Aggregate(Studio.Empty("Room"), (all, name) => all.Must(new AddDevice($"{name}, application")));
        foreach (var name in echoing)
        {
            var device = studio.Devices.Single(each => each.Name == name);
            studio = studio.Must(
                new AddInnerPath(
                    device.Id,
                    InnerPathKind.Echo,
                    "echo",
                    Place.At(studio.To(name)),
                    Place.At(studio.From(name)),
                    MidiSpan.FromMilliseconds(1)
                )
            );
        }
        return studio;
    }

    public static Studio Must(this Studio studio, StudioEdit edit)
    {
        var result = edit.Apply(studio);
        Assert.True(result.Problem is null, result.Problem?.Sentence);
        return result.Studio!;
    }

    public static Problem Refused(this Studio studio, StudioEdit edit)
    {
        var result = edit.Apply(studio);
        Assert.Null(result.Studio);
        return Assert.IsType<Problem>(result.Problem);
    }

    public static GuardReport Guarded(this Engine engine)
    {
        var report = new GuardReport();
        engine.Report(report);
        return report;
    }

    public static Studio Lay(this Studio studio, string from, string to, params Weiche.Core.Stages.Stage[] stages)
    {
        var result = new LayRoute(studio.From(from), studio.To(to)).Apply(studio);
        Assert.Null(result.Problem);
        return stages.Aggregate(result.Studio!, (room, stage) => room.Must(new AddStage(new RouteId(result.NewId), stage)));
    }

    public static PortId From(this Studio studio, string name) => studio.Sources.First(port => port.Device.Name == name).Id;

    public static PortId To(this Studio studio, string name) => studio.Destinations.First(port => port.Device.Name == name).Id;

    public static Route Route(this Studio studio, string from, string to) =>
        studio.Routes.First(route => route.From == studio.From(from) && route.To == studio.To(to));

    public static Channel Ch(int number) => Channel.FromNumber(number);
}
