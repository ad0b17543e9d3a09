using System.Collections.Immutable;
using System.Globalization;
using Weiche.Core.Midi;

namespace Weiche.Core.Studios;

/// <summary>A change of one device.</summary>
/// <param name="Id">The device.</param>
public abstract record DeviceEdit(DeviceId Id) : StudioEdit
{
    /// <summary>The field that a problem stands beside.</summary>
    private protected abstract string Field { get; }

    /// <summary>The device as it shall be, or a sentence that says why that cannot be.</summary>
    /// <param name="studio">The studio before.</param>
    /// <param name="device">The device before.</param>
    private protected abstract (Device? Device, string? Problem) Change(Studio studio, Device device);

    /// <summary>How many ids the change takes.</summary>
    private protected virtual int IdsTaken => 0;

    /// <inheritdoc/>
    public sealed override EditResult Apply(Studio studio)
    {
        if (studio.FindDevice(Id) is not { } device)
            return EditResult.Refused(Field, "That device is gone: it was removed meanwhile. Nothing was changed.");
        var (after, problem) = Change(studio, device);
        if (after is null) return EditResult.Refused(Field, problem!);
        if (DeviceRule.Check(after) is { } wrong) return EditResult.Refused(Field, wrong);
        return EditResult.Done(studio.With(devices: studio.Devices.Replace(device, after), idsTaken: IdsTaken), IdsTaken > 0 ? studio.NextId : 0);
    }

    private protected string Name(Studio studio) => studio.FindDevice(Id)?.Name ?? "a device that is gone";
}

/// <summary>Says on which channels a device sends, or to which it listens.</summary>
/// <param name="Id">The device.</param>
/// <param name="Sends">Whether this is about what it sends.</param>
/// <param name="Channels">The channels as typed: "5, 6", "1-16", "all", "none".</param>
public sealed record SetChannels(DeviceId Id, bool Sends, string? Channels) : DeviceEdit(Id)
{
    /// <inheritdoc/>
    public override string Title(Studio studio) => $"{Name(studio)} {(Sends ? "sends on" : "listens to")} {Channels}";

    private protected override string Field => Sends ? "sends" : "listens";

    private protected override (Device? Device, string? Problem) Change(Studio studio, Device device) =>
        !ChannelSet.TryParse(Channels, out var set, out var problem) ? (null, problem)
        : (Sends ? device with { Sends = set } : device with { Listens = set }, null);
}

/// <summary>Says which kinds of message a device sends, or listens to.</summary>
/// <param name="Id">The device.</param>
/// <param name="Sends">Whether this is about what it sends.</param>
/// <param name="Kinds">The kinds.</param>
public sealed record SetKinds(DeviceId Id, bool Sends, KindSet Kinds) : DeviceEdit(Id)
{
    /// <inheritdoc/>
    public override string Title(Studio studio) => $"Kinds that {Name(studio)} {(Sends ? "sends" : "listens to")}";

    private protected override string Field => "kinds";

    private protected override (Device? Device, string? Problem) Change(Studio studio, Device device) =>
        (Sends ? device with { SendsKinds = Kinds } : device with { ListensKinds = Kinds }, null);
}

/// <summary>Says whether a device sounds by itself, and where its sound comes back.</summary>
/// <param name="Id">The device.</param>
/// <param name="Sounds">Whether it sounds.</param>
/// <param name="Audio">The audio inputs, as typed: "3+4".</param>
public sealed record SetSound(DeviceId Id, bool Sounds, string? Audio) : DeviceEdit(Id)
{
    /// <inheritdoc/>
    public override string Title(Studio studio) => Sounds ? $"{Name(studio)} sounds on audio {Audio}" : $"{Name(studio)} makes no sound";

    private protected override string Field => "sound";

    private protected override (Device? Device, string? Problem) Change(Studio studio, Device device) =>
        (device with { Sounds = Sounds, Audio = Sounds ? NameRule.Tidy(Audio) : "" }, null);
}

/// <summary>Says which MPE zones a device speaks.</summary>
/// <param name="Id">The device.</param>
/// <param name="Members">Member channels of the lower zone; 0 for none.</param>
/// <param name="UpperMembers">Member channels of the upper zone; 0 for none.</param>
/// <param name="BendRange">The bend range, semitones.</param>
public sealed record SetZones(DeviceId Id, int Members, int UpperMembers, int BendRange) : DeviceEdit(Id)
{
    /// <inheritdoc/>
    public override string Title(Studio studio) => $"MPE zones of {Name(studio)}";

    private protected override string Field => "zones";

    private protected override (Device? Device, string? Problem) Change(Studio studio, Device device)
    {
        var zones = ImmutableArray.CreateBuilder<MpeZone>();
        if (Members != 0) zones.Add(new MpeZone(true, Members, BendRange));
        if (UpperMembers != 0) zones.Add(new MpeZone(false, UpperMembers, BendRange));
        return (device with { Zones = zones.ToImmutable() }, null);
    }
}

/// <summary>Gives a device another shape's name; its jacks and ports stay.</summary>
/// <param name="Id">The device.</param>
/// <param name="Kind">What it is.</param>
public sealed record SetDeviceKind(DeviceId Id, DeviceKind Kind) : DeviceEdit(Id)
{
    /// <inheritdoc/>
    public override string Title(Studio studio) => $"{Name(studio)} is another sort of device";

    private protected override string Field => "kind";

    private protected override (Device? Device, string? Problem) Change(Studio studio, Device device) =>
        device.Kind is DeviceKind.VirtualPort or DeviceKind.Raw || Kind is DeviceKind.VirtualPort or DeviceKind.Raw || !Enum.IsDefined(Kind)
            ? (null, $"{device.Name} cannot become that.")
            : (device with { Kind = Kind }, null);
}

/// <summary>Opens or closes an inner path: what is known of it, or, for local control, what is sent.</summary>
/// <param name="Id">The device.</param>
/// <param name="Path">The inner path.</param>
/// <param name="On">Whether it is open.</param>
public sealed record SwitchInnerPath(DeviceId Id, InnerPathId Path, bool On) : DeviceEdit(Id)
{
    /// <inheritdoc/>
    public override string Title(Studio studio) =>
        $"{studio.FindDevice(Id)?.InnerPaths.FirstOrDefault(path => path.Id == Path)?.Name ?? "An inner path"} of {Name(studio)} {(On ? "on" : "off")}";

    private protected override string Field => "inner";

    private protected override (Device? Device, string? Problem) Change(Studio studio, Device device) =>
        device.InnerPaths.FirstOrDefault(path => path.Id == Path) is { } path
            ? (device with { InnerPaths = device.InnerPaths.Replace(path, path with { On = On }) }, null)
            : (null, "That inner path is gone: it was removed meanwhile. Nothing was changed.");
}

/// <summary>Adds an inner path to a device.</summary>
/// <param name="Id">The device.</param>
/// <param name="Kind">What sort of way it is.</param>
/// <param name="PathName">What the device calls it, as typed.</param>
/// <param name="From">Where it begins.</param>
/// <param name="To">Where it ends.</param>
/// <param name="Delay">How long a message takes through it, µs.</param>
public sealed record AddInnerPath(DeviceId Id, InnerPathKind Kind, string? PathName, InnerEnd From, InnerEnd To, int Delay) : DeviceEdit(Id)
{
    /// <inheritdoc/>
    public override string Title(Studio studio) => $"Add the inner path {NameRule.Tidy(PathName)} to {Name(studio)}";

    private protected override string Field => "inner";

    private protected override int IdsTaken => 1;

    private protected override (Device? Device, string? Problem) Change(Studio studio, Device device) =>
        device.InnerPaths.Any(path => path.From == From && path.To == To)
            ? (null, $"{device.Name} has an inner path from there to there already.")
            : (device with { InnerPaths = device.InnerPaths.Add(new InnerPath(new InnerPathId(studio.NextId), Kind, NameRule.Tidy(PathName), From, To, true, Delay, [])) }, null);
}

/// <summary>Takes an inner path away.</summary>
/// <param name="Id">The device.</param>
/// <param name="Path">The inner path.</param>
public sealed record RemoveInnerPath(DeviceId Id, InnerPathId Path) : DeviceEdit(Id)
{
    /// <inheritdoc/>
    public override string Title(Studio studio) => $"Take an inner path off {Name(studio)}";

    private protected override string Field => "inner";

    private protected override (Device? Device, string? Problem) Change(Studio studio, Device device) =>
        device.InnerPaths.FirstOrDefault(path => path.Id == Path) is { } path
            ? (device with { InnerPaths = device.InnerPaths.Remove(path) }, null)
            : (null, "That inner path is gone already.");
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

    private protected override int IdsTaken => 2;

    private protected override (Device? Device, string? Problem) Change(Studio studio, Device device)
    {
        var jack = new Jack(new JackId(studio.NextId), Role, NameRule.Tidy(JackName));
        if (device.Jacks.Any(other => string.Equals(other.Name, jack.Name, StringComparison.OrdinalIgnoreCase))) return (null, $"{device.Name} has a jack {jack.Name} already.");
        var after = device with { Jacks = device.Jacks.Add(jack) };
        if (device.Kind == DeviceKind.Interface && Role != JackRole.Thru)
        {
            var direction = Role == JackRole.In ? PortDirection.Source : PortDirection.Destination;
            return (after with { Ports = after.Ports.Add(new Port(new PortId(studio.NextId + 1), direction, jack.Name, WireKind.Din, true, jack.Id)) }, null);
        }
        if (Role != JackRole.Thru) return (after, null);
        return device.Jacks.FirstOrDefault(other => other.Role == JackRole.In) is { } heard
            ? (after with { InnerPaths = after.InnerPaths.Add(Shapes.Thru(studio.NextId + 1, heard, jack)) }, null)
            : (null, $"{device.Name} has no IN that a thru could repeat.");
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

    private protected override (Device? Device, string? Problem) Change(Studio studio, Device device)
    {
        if (device.Jacks.FirstOrDefault(each => each.Id == JackId) is not { } jack) return (null, "That jack is gone already.");
        if (studio.CableAt(JackId) is not null) return (null, $"There is a cable in {jack.Name}: take it out first.");
        if (device.Ports.Any(port => port.Jack == JackId)) return (null, $"{jack.Name} of an interface is one of its ports: it stays.");
        var end = InnerEnd.At(JackId);
        return (device with { Jacks = device.Jacks.Remove(jack), InnerPaths = device.InnerPaths.RemoveAll(path => path.From == end || path.To == end) }, null);
    }
}

/// <summary>Writes down by what a device is known again, and where it is.</summary>
/// <param name="Id">The device.</param>
/// <param name="Known">By what; null to forget.</param>
public sealed record SetKnown(DeviceId Id, KnownAs? Known) : DeviceEdit(Id)
{
    /// <inheritdoc/>
    public override string Title(Studio studio) => Known is null ? $"Forget where {Name(studio)} is" : $"{Name(studio)} is at {Known.Place}{(Known.Pinned ? ", pinned" : "")}";

    private protected override string Field => "known";

    private protected override (Device? Device, string? Problem) Change(Studio studio, Device device) =>
        Known is { Pinned: true } && studio.Devices.FirstOrDefault(other => other.Id != Id && other.Known is { Pinned: true } known && known.Place == Known.Place) is { } pinned
            ? (null, $"{pinned.Name} is pinned to {Known.Place} already.")
            : (device with { Known = Known }, null);
}

/// <summary>Overrules the label of a port, or lets it write itself again.</summary>
/// <param name="Port">The port.</param>
/// <param name="Label">The label as typed; empty to let it write itself.</param>
public sealed record SetPortLabel(PortId Port, string? Label) : StudioEdit
{
    /// <inheritdoc/>
    public override string Title(Studio studio) => NameRule.Tidy(Label).Length == 0 ? $"The label of {PortName(studio, Port)} writes itself" : $"Call {PortName(studio, Port)} {NameRule.Tidy(Label)}";

    /// <inheritdoc/>
    public override EditResult Apply(Studio studio)
    {
        if (studio.FindPort(Port) is not { } found) return EditResult.Refused("label", "That port is gone: it was removed meanwhile. Nothing was changed.");
        var label = NameRule.Tidy(Label) is { Length: > 0 } typed ? typed : null;
        if (label is not null && NameRule.Check(label) is { } problem) return EditResult.Refused("label", problem);
        if (label is not null && studio.Ports.FirstOrDefault(port => port.Id != Port && port.IsSource == found.IsSource && string.Equals(port.Name, label, StringComparison.OrdinalIgnoreCase)) is { Device: not null } other)
            return EditResult.Refused("label", $"Another port is called “{other.Label}” already.");
        var port = found.Port with { OwnLabel = label };
        return EditResult.Done(studio.With(found.Owner, found.Owner with { Ports = found.Owner.Ports.Replace(found.Port, port) }));
    }
}

/// <summary>Removes a device or virtual port: its cables go with it, and, if a person says so, its routes.</summary>
/// <param name="Id">The device.</param>
/// <param name="WithRoutes">Whether the routes that come from it or go to it are removed too.</param>
public sealed record RemoveDevice(DeviceId Id, bool WithRoutes = false) : StudioEdit
{
    /// <inheritdoc/>
    public override string Title(Studio studio) => $"Remove {studio.FindDevice(Id)?.Name ?? "a device that is gone"}";

    /// <inheritdoc/>
    public override EditResult Apply(Studio studio)
    {
        if (studio.FindDevice(Id) is not { } device) return EditResult.Refused("port", "That device is gone already.");
        var used = studio.Routes.Where(route => device.Ports.Any(port => route.From == port.Id || port.Id == route.To)).ToList();
        if (used.Count > 0 && !WithRoutes)
        {
            var routes = string.Join(", ", used.Take(3).Select(studio.Describe)) + (used.Count > 3 ? string.Create(CultureInfo.InvariantCulture, $" and {used.Count - 3} more") : "");
            var them = used.Count == 1 ? "this route" : "these routes";
            return EditResult.Refused("port", $"With {device.Name} {(used.Count == 1 ? "goes" : "go")} {them}: {routes}.",
                new Remedy($"Remove it and {(used.Count == 1 ? "its route" : string.Create(CultureInfo.InvariantCulture, $"its {used.Count} routes"))}", new RemoveDevice(Id, true)));
        }
        var jacks = device.Jacks.Select(jack => jack.Id).ToHashSet();
        return EditResult.Done(studio.With(
            devices: studio.Devices.Remove(device),
            routes: [.. studio.Routes.Except(used).Select(route => route.From is AnySource any ? route with { From = any with { Except = Without(any.Except, device) } } : route)],
            groups: [.. studio.Groups.Select(group => group with { Members = Without(group.Members, device) })],
            cables: studio.Cables.RemoveAll(cable => jacks.Contains(cable.From) || jacks.Contains(cable.To))));
    }

    private static ImmutableArray<PortId> Without(ImmutableArray<PortId> ports, Device device) => ports.RemoveAll(id => device.Ports.Any(port => port.Id == id));
}

/// <summary>Sets how middle C is called on screen.</summary>
/// <param name="IsC4">Whether key 60 is called C4; else C3.</param>
public sealed record SetMiddleC(bool IsC4) : StudioEdit
{
    /// <inheritdoc/>
    public override string Title(Studio studio) => $"Middle C is {(IsC4 ? "C4" : "C3")}";

    /// <inheritdoc/>
    public override EditResult Apply(Studio studio) => EditResult.Done(studio.With(middleIsC4: IsC4));
}

/// <summary>Gives the studio another name.</summary>
/// <param name="Name">The name, as typed.</param>
public sealed record RenameStudio(string? Name) : StudioEdit
{
    /// <inheritdoc/>
    public override string Title(Studio studio) => $"Call the studio {NameRule.Tidy(Name)}";

    /// <inheritdoc/>
    public override EditResult Apply(Studio studio) => NameRule.Check(NameRule.Tidy(Name)) is { } problem
        ? EditResult.Refused("studio", problem)
        : EditResult.Done(studio.Named(NameRule.Tidy(Name)));
}
