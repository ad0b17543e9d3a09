using System.Collections.Immutable;
using Weiche.Core.Midi;
using Weiche.Core.Stages;

namespace Weiche.Core.Studios.Edits;

/// <summary>Plugs a cable between two jacks, named in either order.</summary>
/// <param name="One">One jack.</param>
/// <param name="Other">The other.</param>
public sealed record PlugCable(JackId One, JackId Other) : StudioEdit
{
    private const string Field = "cable";

    /// <inheritdoc/>
    public override string Title(Studio studio) => $"Plug {Name(studio, One)} into {Name(studio, Other)}";

    /// <inheritdoc/>
    public override EditResult Apply(Studio studio)
    {
        if (studio.FindJack(One) is not { } one || studio.FindJack(Other) is not { } other)
            return EditResult.Refused(Field, "That jack is gone: its device was removed meanwhile. Nothing was changed.");
        if (one.Device.Id == other.Device.Id)
            return EditResult.Refused(
                Field,
                $"{Name(studio, One)} into {Name(studio, Other)}: a cable does not lead from {one.Device.Name} to itself."
            );
        var (from, to) = one.Jack.Sends ? (one, other) : (other, one);
        if (one.Jack.Sends == other.Jack.Sends)
            return BothAlike(studio, one, other);
        if (studio.CableAt(from.Jack.Id)?.To == to.Jack.Id)
            return EditResult.Refused(Field, $"{Name(studio, from)} is plugged into {Name(studio, to)} already.");
        if (studio.CableAt(to.Jack.Id) is { } coming)
            return ToTaken(studio, from, to, studio.FindJack(coming.From)!.Value);
        if (studio.CableAt(from.Jack.Id) is not null)
            return FromTaken(studio, from, to);
        var after = studio with { Cables = studio.Cables.Add(new Cable(from.Jack.Id, to.Jack.Id)) };
        return RunsInRing(after, to)
            ? EditResult.Refused(
                Field,
                $"{Name(studio, from)} into {Name(studio, to)} closes a ring of thrus: what runs into it would never come out. "
                    + "Nothing was changed."
            )
            : EditResult.Done(after);
    }

    /// <summary>A jack as one says it: "Weiher 4×4 OUT 2".</summary>
    /// <param name="studio">The studio.</param>
    /// <param name="id">The jack.</param>
    internal static string Name(Studio studio, JackId id) => studio.FindJack(id) is { } jack ? Name(studio, jack) : "a jack that is gone";

    private static string Name(Studio studio, (Device Device, Jack Jack) jack) => $"{jack.Device.Name} {jack.Jack.Name}";

    private static EditResult BothAlike(Studio studio, (Device Device, Jack Jack) one, (Device Device, Jack Jack) other)
    {
        var sends = one.Jack.Sends;
        var what = $"{Name(studio, one)} into {Name(studio, other)}: both {(sends ? "send" : "receive")}.";
        // The one with more jacks is the interface, which has others to offer.
        var (kept, offering) = one.Device.Jacks.Length > other.Device.Jacks.Length ? (other, one.Device) : (one, other.Device);
        if (Free(studio, offering, !sends) is { } free)
        {
            return EditResult.Refused(
                Field,
                $"{what} {(sends ? "To hear what" : "To reach")} {kept.Device.Name}{(sends ? " sends" : "")}, use {free.Name}, "
                    + "which is free.",
                Offer(studio, $"Plug into {free.Name}", kept.Jack.Id, free.Id)
            );
        }
        return EditResult.Refused(
            Field,
            $"{what} {offering.Name} has no free jack that {(sends ? "receives" : "sends")}: take a cable out first, or use "
                + "another interface."
        );
    }

    private static EditResult FromTaken(Studio studio, (Device Device, Jack Jack) from, (Device Device, Jack Jack) to)
    {
        var chain = studio.Chain(from.Jack.Id);
        var fed = chain.Count > 0 ? chain[0].Device.Name : "something";
        // The last device of the chain may have a thru that is free.
        var thru =
            chain.Count > 0 && chain[^1].Device.Id != to.Device.Id
                ? chain[^1].Device.Jacks.FirstOrDefault(jack => jack.Role == JackRole.Thru && studio.CableAt(jack.Id) is null)
                : null;
        var free = Free(studio, from.Device, sends: true);
        var ways = string.Join(
            ", or ",
            new[]
            {
                thru is null ? null : $"take the THRU of {chain[^1].Device.Name}",
                free is null ? null : $"take {free.Name}, which is free",
            }.OfType<string>()
        );
        return EditResult.Refused(
            Field,
            $"{Name(studio, from)} already feeds {fed}; "
                + $"{(ways.Length > 0 ? ways : "it has no other free output: take that cable out first")}.",
            thru is not null ? Offer(studio, $"Take the THRU of {chain[^1].Device.Name}", thru.Id, to.Jack.Id)
                : free is not null ? Offer(studio, $"Plug into {free.Name}", free.Id, to.Jack.Id)
                : null
        );
    }

    private static EditResult ToTaken(
        Studio studio,
        (Device Device, Jack Jack) from,
        (Device Device, Jack Jack) to,
        (Device Device, Jack Jack) coming
    )
    {
        var free = Free(studio, to.Device, sends: false);
        return EditResult.Refused(
            Field,
            $"{Name(studio, to)} already hears {Name(studio, coming)}; "
                + $"{(free is null ? "a jack takes one cable: take that one out first" : $"{free.Name} is free")}.",
            free is null ? null : Offer(studio, $"Plug into {free.Name}", from.Jack.Id, free.Id)
        );
    }

    /// <summary>What would work instead, if it would.</summary>
    private static Remedy? Offer(Studio studio, string label, JackId one, JackId other)
    {
        var instead = new PlugCable(one, other);
        return instead.Apply(studio).Studio is null ? null : new Remedy(label, instead);
    }

    private static Jack? Free(Studio studio, Device device, bool sends) =>
        device.Jacks.FirstOrDefault(jack => jack.Role == (sends ? JackRole.Out : JackRole.In) && studio.CableAt(jack.Id) is null);

    private static bool RunsInRing(Studio studio, (Device Device, Jack Jack) to)
    {
        foreach (var thru in to.Device.InnerPaths.Where(path => path.Kind == InnerPathKind.Thru && path.From == Place.At(to.Jack.Id)))
        {
            if (studio.Chain(new JackId(thru.To.Id)).Any(link => link.In.Id == to.Jack.Id))
                return true;
        }
        return false;
    }
}

/// <summary>Takes the cable out of a jack.</summary>
/// <param name="Jack">A jack at either end.</param>
public sealed record UnplugCable(JackId Jack) : StudioEdit
{
    /// <inheritdoc/>
    public override string Title(Studio studio) => $"Take the cable out of {PlugCable.Name(studio, Jack)}";

    /// <inheritdoc/>
    public override EditResult Apply(Studio studio) =>
        studio.CableAt(Jack) is { } cable
            ? EditResult.Done(studio with { Cables = studio.Cables.Remove(cable) })
            : EditResult.Refused("cable", "There is no cable in that jack: it was taken out meanwhile. Nothing was changed.");
}

/// <summary>Adds a jack to a device.</summary>
/// <param name="Id">The device.</param>
/// <param name="Role">Which way it goes. A thru repeats what the first IN hears.</param>
/// <param name="JackName">What is printed beside it, as typed.</param>
public sealed record AddJack(DeviceId Id, JackRole Role, string? JackName) : DeviceEdit(Id)
{
    /// <inheritdoc/>
    public override string Title(Studio studio) => $"Add jack {NameRule.Tidy(JackName)} to {Name(studio)}";

    private protected override string Field => "jack";

    private protected override EditResult Change(Studio studio, Device device)
    {
        var jack = new Jack(new JackId(studio.NextId), Role, NameRule.Tidy(JackName));
        if (device.Jacks.Any(other => string.Equals(other.Name, jack.Name, StringComparison.OrdinalIgnoreCase)))
            return Refused($"{device.Name} has a jack {jack.Name} already.");
        var after = device with { Jacks = device.Jacks.Add(jack) };
        if (device.IsInterface() && Role != JackRole.Thru)
        {
            var direction = Role == JackRole.In ? PortDirection.Source : PortDirection.Destination;
            return Become(
                studio,
                device,
                after with
                {
                    Ports = after.Ports.Add(new Port(new PortId(studio.NextId + 1), direction, jack.Name, WireKind.Din, true, jack.Id)),
                },
                idsTaken: 2
            );
        }
        if (Role != JackRole.Thru)
            return Become(studio, device, after, idsTaken: 2);
        return device.Jacks.FirstOrDefault(other => other.Role == JackRole.In) is { } heard
            ? Become(
                studio,
                device,
                after with
                {
                    InnerPaths = after.InnerPaths.Add(Shapes.Thru(studio.NextId + 1, heard, jack)),
                },
                idsTaken: 2
            )
            : Refused($"{device.Name} has no IN that a thru could repeat.");
    }
}

/// <summary>Takes a jack off a device. A jack with a cable in it, or that a port stands for, stays.</summary>
/// <param name="Id">The device.</param>
/// <param name="JackId">The jack.</param>
public sealed record RemoveJack(DeviceId Id, JackId JackId) : DeviceEdit(Id)
{
    /// <inheritdoc/>
    public override string Title(Studio studio) => $"Take {studio.FindJack(JackId)?.Jack.Name ?? "a jack"} off {Name(studio)}";

    private protected override string Field => "jack";

    private protected override EditResult Change(Studio studio, Device device)
    {
        if (device.Jacks.FirstOrDefault(each => each.Id == JackId) is not { } jack)
            return Refused("That jack is gone already.");
        if (studio.CableAt(JackId) is not null)
            return Refused($"There is a cable in {jack.Name}: take it out first.");
        if (device.Ports.Any(port => port.Jack == JackId))
            return Refused($"{jack.Name} of an interface is one of its ports: it stays.");
        var end = Place.At(JackId);
        return Become(
            studio,
            device,
            device with
            {
                Jacks = device.Jacks.Remove(jack),
                InnerPaths = device.InnerPaths.RemoveAll(path => path.From == end || path.To == end),
            }
        );
    }
}

/// <summary>Adds an inner path to a device.</summary>
/// <param name="Id">The device.</param>
/// <param name="Kind">What sort of way it is.</param>
/// <param name="PathName">What the device calls it, as typed.</param>
/// <param name="From">Where it begins.</param>
/// <param name="To">Where it ends.</param>
/// <param name="Delay">How long a message takes through it.</param>
public sealed record AddInnerPath(DeviceId Id, InnerPathKind Kind, string? PathName, Place From, Place To, MidiSpan Delay) : DeviceEdit(Id)
{
    /// <summary>What it does to messages.</summary>
    public ImmutableArray<Stage> Stages { get; init; } = [];

    /// <inheritdoc/>
    public override string Title(Studio studio) => $"Add the inner path {NameRule.Tidy(PathName)} to {Name(studio)}";

    private protected override string Field => "inner";

    private protected override EditResult Change(Studio studio, Device device) =>
        device.InnerPaths.Any(path => path.From == From && path.To == To)
            ? Refused($"{device.Name} has an inner path from there to there already.")
            : Become(
                studio,
                device,
                device with
                {
                    InnerPaths = device.InnerPaths.Add(
                        new InnerPath(new InnerPathId(studio.NextId), Kind, NameRule.Tidy(PathName), From, To, true, Delay, Stages)
                    ),
                },
                idsTaken: 1
            );
}

/// <summary>Opens or closes an inner path: what is known of it, or, for local control, what is sent.</summary>
/// <param name="Id">The device.</param>
/// <param name="Path">The inner path.</param>
/// <param name="On">Whether it is open.</param>
public sealed record SwitchInnerPath(DeviceId Id, InnerPathId Path, bool On) : DeviceEdit(Id)
{
    /// <inheritdoc/>
    public override string Title(Studio studio) =>
        $"{studio.FindDevice(Id)?.InnerPaths.FirstOrDefault(path => path.Id == Path)?.Name ?? "An inner path"} of {Name(studio)} "
        + $"{(On ? "on" : "off")}";

    private protected override string Field => "inner";

    private protected override EditResult Change(Studio studio, Device device) =>
        device.InnerPaths.FirstOrDefault(path => path.Id == Path) is { } path
            ? Become(studio, device, device with { InnerPaths = device.InnerPaths.Replace(path, path with { On = On }) })
            : Refused("That inner path is gone: it was removed meanwhile. Nothing was changed.");
}

/// <summary>Says whether a device's keys play its own sound, where nobody had said so.</summary>
/// <param name="Id">The device.</param>
/// <param name="On">Whether they do.</param>
public sealed record SayLocalControl(DeviceId Id, bool On) : DeviceEdit(Id)
{
    /// <inheritdoc/>
    public override string Title(Studio studio) =>
        On ? $"{Name(studio)} plays its own sound (local control on)" : $"{Name(studio)} does not play its own sound (local control off)";

    private protected override string Field => "inner";

    private protected override EditResult Change(Studio studio, Device device) =>
        device.LocalControl is { } known
            ? Become(studio, device, device with { InnerPaths = device.InnerPaths.Replace(known, known with { On = On }) })
        : device.PlaysItself
            ? Become(
                studio,
                device,
                device with
                {
                    InnerPaths = device.InnerPaths.Add(Shapes.LocalControl(studio.NextId, On)),
                },
                idsTaken: 1
            )
        : Refused($"{device.Name} cannot be played and sound at once: there is nothing to join.");
}

/// <summary>Takes an inner path away.</summary>
/// <param name="Id">The device.</param>
/// <param name="Path">The inner path.</param>
public sealed record RemoveInnerPath(DeviceId Id, InnerPathId Path) : DeviceEdit(Id)
{
    /// <inheritdoc/>
    public override string Title(Studio studio) => $"Take an inner path off {Name(studio)}";

    private protected override string Field => "inner";

    private protected override EditResult Change(Studio studio, Device device) =>
        device.InnerPaths.FirstOrDefault(path => path.Id == Path) is { } path
            ? Become(studio, device, device with { InnerPaths = device.InnerPaths.Remove(path) })
            : Refused("That inner path is gone already.");
}
