using Weiche.Core.Midi;
using Weiche.Core.Sets;
using Weiche.Core.Stages;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;

namespace Weiche.Tests;

/// <summary>A studio small enough to be known by heart: four devices, each with a stand-in of its own, and two virtual
/// ports.</summary>
internal static class SmallStudio
{
    /// <summary>The stand-in names that devices of the demo studio carry.</summary>
    public static class StandIns
    {
        /// <summary>A keyboard controller of 61 keys.</summary>
        public const string Amsel = "amsel-61";

        /// <summary>A keyboard with a sound of its own.</summary>
        public const string Brandung = "brandung";

        /// <summary>A star projection that takes notes as cues.</summary>
        public const string Himmel = "himmel";

        /// <summary>A board of thirteen bass pedals.</summary>
        public const string Tritt = "tritt-13";
    }

    /// <summary>Makes it anew.</summary>
    public static Studio Create()
    {
        var amsel = new Device(
            new DeviceId(1),
            "Amsel 61",
            DeviceKind.KeyboardController,
            ChannelSet.Of(1),
            ChannelSet.None,
            false,
            StandIns.Amsel,
            [new Port(new PortId(2), PortDirection.Source, "keys", WireKind.Usb)]
        );
        var tritt = new Device(
            new DeviceId(3),
            "Tritt 13",
            DeviceKind.Pedals,
            ChannelSet.Of(2),
            ChannelSet.None,
            false,
            StandIns.Tritt,
            [new Port(new PortId(4), PortDirection.Source, "pedals", WireKind.Din)]
        );
        var brandung = new Device(
            new DeviceId(5),
            "Brandung",
            DeviceKind.KeyboardSynth,
            ChannelSet.Of(3),
            ChannelSet.Of(3),
            true,
            StandIns.Brandung,
            [
                new Port(new PortId(6), PortDirection.Source, "keys", WireKind.Din),
                new Port(new PortId(7), PortDirection.Destination, "synth", WireKind.Din),
            ]
        );
        var himmel = new Device(
            new DeviceId(8),
            "Himmel",
            DeviceKind.Display,
            ChannelSet.None,
            ChannelSet.Of(16),
            false,
            StandIns.Himmel,
            [new Port(new PortId(9), PortDirection.Destination, "cues", WireKind.Virtual)]
        );
        var studio = new Studio
        {
            Name = "Kuppel",
            NextId = 10,
            Devices = [amsel, tritt, brandung, himmel],
        }.Checked();
        studio = Make(studio, new AddVirtualPort("keys to stars"));
        studio = Make(studio, new AddVirtualPort("Bandhaus line"));
        var stars = studio.Ports.Where(port => port.Device.Name == "keys to stars").ToList();
        studio = Lay(studio, amsel.Ports[0].Id, brandung.Ports[1].Id, true, new ChannelsStage(Map("1→3")));
        studio = Lay(
            studio,
            tritt.Ports[0].Id,
            brandung.Ports[1].Id,
            true,
            new KindsStage(KindSet.All.With(MessageKind.ActiveSensing, false)),
            new ChannelsStage(Map("2→3"))
        );
        studio = Lay(studio, amsel.Ports[0].Id, stars.First(port => !port.IsSource).Id, true, new KindsStage(KindSet.Of(MessageKind.Note)));
        studio = Lay(
            studio,
            tritt.Ports[0].Id,
            himmel.Ports[0].Id,
            false,
            new KindsStage(KindSet.Of(MessageKind.Note)),
            new ChannelsStage(Map("2→16"))
        );
        return Lay(studio, stars.First(port => port.IsSource).Id, himmel.Ports[0].Id, true, new ChannelsStage(Map("1→16")));
    }

    private static ChannelMap Map(string text) =>
        ChannelMap.TryParse(text, out var map, out var problem) ? map : throw new InvalidOperationException(problem);

    private static Studio Make(Studio studio, StudioEdit edit) =>
        edit.Apply(studio) is { Studio: { } made } ? made : throw new InvalidOperationException(edit.Title(studio));

    private static Studio Lay(Studio studio, PortId from, PortId to, bool on, params Stage[] stages)
    {
        var route = new RouteId(studio.NextId);
        studio = stages.Aggregate(Make(studio, new LayRoute(from, to)), (room, stage) => Make(room, new AddStage(route, stage)));
        return on ? studio : Make(studio, new SwitchRoute(route, false));
    }
}
