using System.Collections.Immutable;
using Weiche.Core.Midi;
using Weiche.Core.Sets;

namespace Weiche.Core.Studios;

/// <summary>The shapes that devices begin with: which ports, jacks and ways through it a device of a kind usually has.</summary>
public static class Shapes
{
    /// <summary>The most inputs or outputs an interface is made with.</summary>
    public const int MaxInterfaceJacks = 16;

    /// <summary>Makes a device of a kind.</summary>
    /// <param name="kind">The kind.</param>
    /// <param name="name">Its name.</param>
    /// <param name="nextId">The first id that is free.</param>
    /// <param name="wire">What it hangs on: with <see cref="WireKind.Din"/> it has DIN jacks and is met through an
    /// interface; else it has ports of its own.</param>
    /// <param name="ins">How many inputs an interface has.</param>
    /// <param name="outs">How many outputs an interface has.</param>
    /// <returns>The device, and the id that is free after it.</returns>
    public static (Device Device, int NextId) Make(DeviceKind kind, string name, int nextId, WireKind wire, int ins = 1, int outs = 1)
    {
        var id = nextId++;
        var facts = kind.Facts();
        var (sends, listens) = (facts.Sends, facts.Listens);
        var jacks = ImmutableArray.CreateBuilder<Jack>();
        var ports = ImmutableArray.CreateBuilder<Port>();
        var paths = ImmutableArray.CreateBuilder<InnerPath>();
        if (facts.Role == DeviceRole.Interface)
        {
            for (var i = 1; i <= ins; i++)
                AddInterfaceJack(JackRole.In, $"IN {i}");
            for (var i = 1; i <= outs; i++)
                AddInterfaceJack(JackRole.Out, $"OUT {i}");
        }
        else if (wire == WireKind.Din)
        {
            if (listens)
                jacks.Add(new Jack(new JackId(nextId++), JackRole.In, "IN"));
            if (sends || facts.HasThru)
                jacks.Add(new Jack(new JackId(nextId++), JackRole.Out, "OUT"));
            if (facts.HasThru)
            {
                var thru = new Jack(new JackId(nextId++), JackRole.Thru, "THRU");
                jacks.Add(thru);
                paths.Add(Thru(nextId++, jacks[0], thru));
            }
        }
        else
        {
            if (sends)
                ports.Add(new Port(new PortId(nextId++), PortDirection.Source, "", wire));
            if (listens)
                ports.Add(new Port(new PortId(nextId++), PortDirection.Destination, "", wire));
        }
        var device = new Device(
            new DeviceId(id),
            name,
            kind,
            sends ? ChannelSet.All : ChannelSet.None,
            listens ? ChannelSet.All : ChannelSet.None,
            facts.Sounds,
            null,
            ports.ToImmutable()
        )
        {
            Jacks = jacks.ToImmutable(),
            InnerPaths = paths.ToImmutable(),
            Zones = facts.IsMpe ? [new MpeZone(true, 15)] : [],
            SendsKinds = facts.SendsKinds,
        };
        return FitLocalControl(null, device, nextId);

        void AddInterfaceJack(JackRole role, string label)
        {
            var jack = new Jack(new JackId(nextId++), role, label);
            jacks.Add(jack);
            ports.Add(
                new Port(
                    new PortId(nextId++),
                    role == JackRole.In ? PortDirection.Source : PortDirection.Destination,
                    label,
                    WireKind.Din,
                    true,
                    jack.Id
                )
            );
        }
    }

    /// <summary>The way from an IN to a THRU.</summary>
    internal static InnerPath Thru(int id, Jack heard, Jack thru) =>
        new(
            new InnerPathId(id),
            InnerPathKind.Thru,
            "thru",
            Place.At(heard.Id),
            Place.At(thru.Id),
            true,
            InnerPath.UsualDelay(InnerPathKind.Thru),
            []
        );

    /// <summary>A device that can be played and sounds plays its own sound, unless that is switched off: whatever became such a one has
    /// local control from then on, and what is none any more has not.</summary>
    /// <param name="before">The device before; null if it is new.</param>
    /// <param name="after">The device.</param>
    /// <param name="nextId">The id that is free.</param>
    /// <returns>The device, and the id that is free after it.</returns>
    internal static (Device Device, int NextId) FitLocalControl(Device? before, Device after, int nextId)
    {
        if (!after.PlaysItself)
            return (after with { InnerPaths = after.InnerPaths.RemoveAll(path => path.Kind == InnerPathKind.LocalControl) }, nextId);
        if (after.LocalControl is not null || before?.PlaysItself == true)
            return (after, nextId);
        return (after with { InnerPaths = after.InnerPaths.Add(LocalControl(nextId, true)) }, nextId + 1);
    }

    /// <summary>The way from a device's keys to its own sound.</summary>
    internal static InnerPath LocalControl(int id, bool on) =>
        new(new InnerPathId(id), InnerPathKind.LocalControl, "local control", Place.Keys, Place.Sound, on, MidiSpan.Zero, []);
}
