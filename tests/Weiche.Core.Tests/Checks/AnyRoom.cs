using System.Collections.Immutable;
using CsCheck;
using Weiche.Core.Checks;
using Weiche.Core.Midi;
using Weiche.Core.Sets;
using Weiche.Core.Stages;
using Weiche.Core.Studios;
using Weiche.Core.Tests.Stages;

namespace Weiche.Core.Tests.Checks;

/// <summary>Random studios of up to six devices with all that the checks must see through: cables, thrus, echoes, monitors, an
/// interface's own routing, virtual ports, groups, any source, diverts, solo, switches, and stages of all sorts on routes and inner
/// paths. What each place sends by itself is cut down to a few messages, so that all of them can be followed one by one.</summary>
internal static class AnyRoom
{
    /// <summary>Stages that let most things through more often than not: else nothing would ever come back.</summary>
    private static readonly Gen<Stage> Stage = Gen.Frequency(
        (2, AnyStage.Any),
        (2, Gen.OneOf(-24, -12, -7, -1, 1, 5, 12, 24).Select(by => (Stage)new TransposeStage(by))),
        (1, Gen.OneOf(50, 80, 90, 120).Select(scale => (Stage)new VelocityStage(scale: scale))),
        (1, Gen.Select(Gen.Int[1, 100], Gen.Int[0, 20]).Select((lowest, less) => (Stage)new VelocityStage(lowest, 127, 100, -less))),
        (
            1,
            Gen.Select(Gen.Int[1, 4], Gen.Int[1, 4])
                .Select((from, to) => (Stage)new ChannelsStage(ChannelMap.Identity.With(Rooms.Ch(from), ChannelSet.Of(to))))
        ),
        (
            1,
            Gen.Select(Gen.Int[1, 4], Gen.Int[1, 4], Gen.Int[1, 4])
                .Select(
                    (from, one, two) =>
                        (Stage)
                            new ChannelsStage(
                                ChannelMap.Identity.With(
                                    Rooms.Ch(from),
                                    ChannelSet.None.With(Rooms.Ch(one), true).With(Rooms.Ch(two), true)
                                )
                            )
                )
        ),
        (
            1,
            Gen.OneOf<Stage>(
                Gen.Const((Stage)new ChordStage(0, 7)),
                Gen.Const((Stage)new ChordStage(0, 12, 24)),
                Gen.Const((Stage)new ChordStage(12))
            )
        ),
        (
            1,
            Gen.Select(Gen.Int[30, 70], Gen.Int[60, 100])
                .Select((low, high) => (Stage)new KeysStage(Math.Min(low, high), Math.Max(low, high)))
        ),
        (
            1,
            Gen.Int[0, 127]
                .Select(from =>
                    (Stage)
                        new ControllersStage([
                            new ControlRule(Control.Of(1), Control.Of(11), 0, 127, from, 127),
                            new ControlRule(Control.Of(11), Control.Of(1)),
                        ])
                )
        )
    );

    private static readonly Gen<Stage[]> Stages = Gen.Frequency(
        (4, Gen.Const(Array.Empty<Stage>())),
        (4, Stage.Array[1]),
        (2, Stage.Array[2, 3])
    );

    private static readonly Gen<MidiMessage> Message = Gen.Frequency(
        (
            5,
            Gen.Select(Gen.Int[1, 4], Gen.Int[20, 110], Gen.Int[1, 127])
                .Select((channel, key, velocity) => MidiMessage.NoteOn(Rooms.Ch(channel), key, velocity))
        ),
        (
            2,
            Gen.Select(Gen.Int[1, 4], Gen.OneOf(1, 7, 11, 64), Gen.Int[0, 127])
                .Select((channel, number, value) => MidiMessage.ControlChange(Rooms.Ch(channel), number, value))
        ),
        (1, Gen.Select(Gen.Int[0, 3], Gen.Int[0, 127]).Select((channel, program) => MidiMessage.Raw(0xC0 | channel, program, 0))),
        (
            1,
            Gen.Select(Gen.Int[0, 3], Gen.Int[0, 127], Gen.Int[0, 127])
                .Select((channel, low, high) => MidiMessage.Raw(0xE0 | channel, low, high))
        ),
        (1, Gen.Select(Gen.Int[0, 3], Gen.Int[0, 127]).Select((channel, value) => MidiMessage.Raw(0xD0 | channel, value, 0))),
        (1, Gen.Const(MidiMessage.Clock))
    );

    /// <summary>The messages that are sent at places by themselves, of which each place takes those that its device may send.</summary>
    internal static readonly Gen<MidiMessage[]> Messages = Message.Array[3, 9];

    internal static readonly Gen<Studio> Room = Gen.Select(
            Gen.Int[0, 5].Array[1, 6],
            Gen.Select(Gen.Int[0, 99], Gen.Int[0, 99], Stages, Gen.Int[0, 9]).Array[1, 9],
            Gen.Select(Gen.Int[0, 99], Gen.Int[0, 99], Gen.Int[0, 7], Stages).Array[0, 8],
            Gen.Select(Gen.Int[0, 99], Gen.Int[0, 99]).Array[0, 5]
        )
        .Select((kinds, routes, paths, cables) => Build(kinds, routes, paths, cables));

    /// <summary>The graph of a studio whose places send a few messages only.</summary>
    internal static Flow FlowOf(Studio studio, MidiMessage[] messages)
    {
        var flow = Flow.Of(studio);
        var few = messages.Aggregate(MessageSet.Empty, (set, message) => set.Union(MessageSet.Of(message)));
        for (var i = 0; i < flow.Sent.Length; i++)
            flow.Sent[i] = flow.Sent[i].Intersect(few);
        for (var i = 0; i < flow.Room.SentOnChannels.Length; i++)
            flow.Room.SentOnChannels[i] = flow.Room.SentOnChannels[i].Intersect(few);
        return flow;
    }

    private static Studio Build(int[] kinds, (int, int, Stage[], int)[] routes, (int, int, int, Stage[])[] paths, (int, int)[] cables)
    {
        var nextId = 1;
        var devices = new List<Device>();
        foreach (var kind in kinds)
        {
            var name = $"d{devices.Count + 1}";
            if (kind == 5)
            {
                devices.Add(
                    new Device(
                        new DeviceId(nextId),
                        name,
                        DeviceKind.VirtualPort,
                        ChannelSet.All,
                        ChannelSet.All,
                        false,
                        null,
                        [
                            new Port(new PortId(nextId + 1), PortDirection.Source, "", WireKind.Virtual),
                            new Port(new PortId(nextId + 2), PortDirection.Destination, "", WireKind.Virtual),
                        ]
                    )
                );
                nextId += 3;
                continue;
            }
            var (shape, wire) = kind switch
            {
                0 => (DeviceKind.Interface, WireKind.Usb),
                1 => (DeviceKind.KeyboardSynth, WireKind.Din),
                2 => (DeviceKind.KeyboardController, WireKind.Usb),
                3 => (DeviceKind.SoundModule, WireKind.Din),
                _ => (DeviceKind.Application, WireKind.Virtual),
            };
            (var device, nextId) = Shapes.Make(shape, name, nextId, wire, 2, 2);
            devices.Add(device);
        }
        for (var i = 0; i < paths.Length; i++)
        {
            var (which, ends, how, stages) = paths[i];
            var device = devices[which % devices.Count];
            if (device.Kind is DeviceKind.VirtualPort)
                continue;
            var hears = device
                .Jacks.Where(jack => jack.Role == JackRole.In)
                .Select(jack => Place.At(jack.Id))
                .Concat(
                    device.Kind == DeviceKind.Interface
                        ? []
                        : device.Ports.Where(port => port.Direction == PortDirection.Destination).Select(port => Place.At(port.Id))
                )
                .ToList();
            var leads = device
                .Jacks.Where(jack => jack.Role == JackRole.Out)
                .Select(jack => Place.At(jack.Id))
                .Concat(
                    device.Kind == DeviceKind.Interface
                        ? []
                        : device.Ports.Where(port => port.Direction == PortDirection.Source).Select(port => Place.At(port.Id))
                )
                .ToList();
            if (hears.Count == 0 || leads.Count == 0)
                continue;
            var path = new InnerPath(
                new InnerPathId(nextId++),
                InnerPathKind.Echo,
                $"path {i}",
                hears[ends % hears.Count],
                leads[ends % leads.Count],
                how != 0,
                MidiSpan.FromMilliseconds(1),
                [.. how > 4 ? stages : []]
            );
            if (device.InnerPaths.Any(other => other.From == path.From && other.To == path.To))
                continue;
            devices[which % devices.Count] = device with { InnerPaths = device.InnerPaths.Add(path) };
        }
        var plugs = ImmutableArray.CreateBuilder<Cable>();
        var sending = devices.SelectMany(device => device.Jacks.Where(jack => jack.Sends).Select(jack => (device, jack))).ToList();
        var hearing = devices.SelectMany(device => device.Jacks.Where(jack => !jack.Sends).Select(jack => (device, jack))).ToList();
        foreach (var (from, to) in cables)
        {
            if (sending.Count == 0 || hearing.Count == 0)
                break;
            var (one, other) = (sending[from % sending.Count], hearing[to % hearing.Count]);
            if (one.device.Id != other.device.Id && !plugs.Any(cable => cable.From == one.jack.Id || cable.To == other.jack.Id))
                plugs.Add(new Cable(one.jack.Id, other.jack.Id));
        }
        var sources = devices.SelectMany(device => device.Ports).Where(port => port.Direction == PortDirection.Source).ToList();
        var destinations = devices.SelectMany(device => device.Ports).Where(port => port.Direction == PortDirection.Destination).ToList();
        var groups = ImmutableArray<SourceGroup>.Empty;
        if (sources.Count > 1)
            groups = [new SourceGroup(new GroupId(nextId++), "some", [.. sources.Take(2).Select(port => port.Id)])];
        var laid = ImmutableArray.CreateBuilder<Route>();
        foreach (var (from, to, stages, how) in routes)
        {
            if (sources.Count == 0 || destinations.Count == 0)
                break;
            RouteSource source =
                from % 8 == 7 ? new AnySource([], how == 5)
                : from % 8 == 6 && groups.Length > 0 ? new GroupSource(groups[0].Id)
                : sources[from / 8 % sources.Count].Id;
            var route = new Route(
                new RouteId(nextId++),
                source,
                destinations[to % destinations.Count].Id,
                how != 0,
                [.. stages],
                how == 1 && to % 4 == 0,
                how is 2 or 3
            );
            if (laid.Count(other => other.From.Plate == route.From.Plate && other.To == route.To) < 2)
                laid.Add(route);
        }
        return new Studio
        {
            Name = "Room",
            NextId = nextId,
            Devices = [.. devices],
            Routes = laid.ToImmutable(),
            Groups = groups,
            Cables = plugs.ToImmutable(),
        }.Checked();
    }
}
