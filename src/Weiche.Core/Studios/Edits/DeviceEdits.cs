using System.Collections.Immutable;
using System.Globalization;
using Weiche.Core.Midi;
using Weiche.Core.Sets;
using Weiche.Core.Stages;

namespace Weiche.Core.Studios.Edits;

/// <summary>A change of one device.</summary>
/// <param name="Id">The device.</param>
public abstract record DeviceEdit(DeviceId Id) : StudioEdit
{
    /// <summary>The field that a problem stands beside.</summary>
    private protected abstract string Field { get; }

    /// <summary>Makes the edit with <see cref="Become"/>, or says why it cannot be made with <see cref="Refused"/>.</summary>
    /// <param name="studio">The studio before.</param>
    /// <param name="device">The device before.</param>
    private protected abstract EditResult Change(Studio studio, Device device);

    /// <inheritdoc/>
    public sealed override EditResult Apply(Studio studio) =>
        studio.FindDevice(Id) is { } device
            ? Change(studio, device)
            : Refused("That device is gone: it was removed meanwhile. Nothing was changed.");

    private protected EditResult Refused(string sentence) => EditResult.Refused(Field, sentence);

    /// <summary>The studio with the device as it shall be, unless that breaks a rule.</summary>
    private protected EditResult Become(Studio studio, Device before, Device after, int idsTaken = 0)
    {
        (after, var next) = Shapes.FitLocalControl(before, after, studio.NextId + idsTaken);
        return DeviceRule.Check(after) is { } wrong
            ? Refused(wrong)
            : EditResult.Done(studio.With(before, after) with { NextId = next }, idsTaken > 0 ? studio.NextId : 0);
    }

    private protected string Name(Studio studio) => studio.FindDevice(Id)?.Name ?? "a device that is gone";
}

/// <summary>Adds a port of raw bytes: a MIDI device file or any other path that bytes come from or go to.</summary>
/// <param name="Name">Its name, as typed.</param>
/// <param name="Address">The path, as typed.</param>
/// <param name="Reads">Whether messages come from it.</param>
/// <param name="Writes">Whether messages go to it.</param>
/// <param name="Says">The name that the system gives it, by which it is known again under another path; null if it has
/// none.</param>
public sealed record AddRawDevice(string? Name, string? Address, bool Reads = true, bool Writes = true, string? Says = null) : StudioEdit
{
    /// <inheritdoc/>
    public override string Title(Studio studio) => $"Add {NameRule.Tidy(Name)}";

    /// <inheritdoc/>
    public override EditResult Apply(Studio studio)
    {
        var name = NameRule.Tidy(Name);
        if (NameRule.CheckFor(studio, name, null) is { } problem)
            return EditResult.Refused("raw", problem);
        if (DeviceRule.CheckAddress(Address) is { } wrong)
            return EditResult.Refused("raw", wrong);
        var address = Address!.Trim();
        if (studio.Devices.FirstOrDefault(device => device.Address == address) is { } other)
            return EditResult.Refused("raw", $"{address} is {other.Name} already.");
        if (!Reads && !Writes)
            return EditResult.Refused("raw", "Say whether messages come from it, go to it, or both.");
        var id = studio.NextId;
        var ports = ImmutableArray.CreateBuilder<Port>();
        if (Reads)
            ports.Add(new Port(new PortId(id + 1), PortDirection.Source, "", WireKind.Usb));
        if (Writes)
            ports.Add(new Port(new PortId(id + 2), PortDirection.Destination, "", WireKind.Usb));
        var device = new Device(
            new DeviceId(id),
            name,
            DeviceKind.Raw,
            ChannelSet.All,
            ChannelSet.All,
            false,
            null,
            ports.ToImmutable(),
            address
        )
        {
            Known = string.IsNullOrEmpty(Says) ? null : new KnownAs(Says, "", address),
        };
        if (DeviceRule.Check(device) is { } no)
            return EditResult.Refused("raw", no);
        return EditResult.Done(studio with { Devices = studio.Devices.Add(device), NextId = studio.NextId + 3 }, id);
    }
}

/// <summary>Gives a device or a virtual port another name.</summary>
/// <param name="Id">The device.</param>
/// <param name="Name">The new name, as typed.</param>
public sealed record RenameDevice(DeviceId Id, string? Name) : StudioEdit
{
    /// <inheritdoc/>
    public override string Title(Studio studio) => $"Rename {studio.FindDevice(Id)?.Name} to {NameRule.Tidy(Name)}";

    /// <inheritdoc/>
    public override EditResult Apply(Studio studio)
    {
        if (studio.FindDevice(Id) is not { } device)
            return EditResult.Refused("name", "That device is gone: it was removed meanwhile. Nothing was changed.");
        var name = NameRule.Tidy(Name);
        if (NameRule.CheckFor(studio, name, Id) is { } problem)
            return EditResult.Refused("name", problem);
        return EditResult.Done(studio with { Devices = studio.Devices.Replace(device, device with { Name = name }) });
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

    private protected override EditResult Change(Studio studio, Device device) =>
        !Enum.IsDefined(Kind) || !device.Kind.Facts().CanBeChosen || !Kind.Facts().CanBeChosen
            ? Refused($"{device.Name} cannot become that.")
            : Become(studio, device, device with { Kind = Kind });
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

    private protected override EditResult Change(Studio studio, Device device) =>
        !ChannelMap.TryParseList(Channels, out var set, out var problem)
            ? Refused(problem)
            : Become(studio, device, Sends ? device with { Sends = set } : device with { Listens = set });
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

    private protected override EditResult Change(Studio studio, Device device) =>
        Become(studio, device, Sends ? device with { SendsKinds = Kinds } : device with { ListensKinds = Kinds });
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

    private protected override EditResult Change(Studio studio, Device device) =>
        Become(studio, device, device with { Sounds = Sounds, Audio = Sounds ? NameRule.Tidy(Audio) : "" });
}

/// <summary>Says how many messages of a kind a device sends in a second at worst.</summary>
/// <param name="Id">The device.</param>
/// <param name="Kind">The kind.</param>
/// <param name="PerSecond">How many, as typed; empty to take again what its sort of device does.</param>
public sealed record SetWorstRate(DeviceId Id, MessageKind Kind, string? PerSecond) : DeviceEdit(Id)
{
    private string Typed => NameRule.Tidy(PerSecond);

    /// <inheritdoc/>
    public override string Title(Studio studio) =>
        Typed.Length == 0
            ? $"{Name(studio)} sends {Kind.Name()} as its sort does"
            : $"{Name(studio)} sends at most {Typed} a second, {Kind.Name()}";

    private protected override string Field => "worst";

    private protected override EditResult Change(Studio studio, Device device)
    {
        if (!Enum.IsDefined(Kind))
            return Refused("There is no such kind of message.");
        if (Typed.Length == 0)
            return Become(studio, device, device with { WorstRates = device.WorstRates.Remove(Kind) });
        return int.TryParse(Typed, NumberStyles.None, CultureInfo.InvariantCulture, out var rate)
            ? Become(studio, device, device with { WorstRates = device.WorstRates.SetItem(Kind, rate) })
            : Refused($"“{Typed}” is no number of messages a second. Leave it empty for what such a device usually does.");
    }
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

    private protected override EditResult Change(Studio studio, Device device)
    {
        var zones = ImmutableArray.CreateBuilder<MpeZone>();
        if (Members != 0)
            zones.Add(new MpeZone(true, Members, BendRange));
        if (UpperMembers != 0)
            zones.Add(new MpeZone(false, UpperMembers, BendRange));
        return Become(studio, device, device with { Zones = zones.ToImmutable() });
    }
}

/// <summary>Writes down by what a device is known again, and where it is.</summary>
/// <param name="Id">The device.</param>
/// <param name="Known">By what; null to forget.</param>
public sealed record SetKnown(DeviceId Id, KnownAs? Known) : DeviceEdit(Id)
{
    /// <inheritdoc/>
    public override string Title(Studio studio) =>
        Known is null ? $"Forget where {Name(studio)} is" : $"{Name(studio)} is at {Known.Place}{(Known.Pinned ? ", pinned" : "")}";

    private protected override string Field => "known";

    private protected override EditResult Change(Studio studio, Device device) =>
        Known is { Pinned: true }
        && studio.Devices.FirstOrDefault(other => other.Id != Id && other.Known is { Pinned: true } known && known.Place == Known.Place)
            is { } pinned
            ? Refused($"{pinned.Name} is pinned to {Known.Place} already.")
            : Become(studio, device, device with { Known = Known });
}

/// <summary>Gives a device's programs their names.</summary>
/// <param name="Id">The device.</param>
/// <param name="List">The list, as typed or pasted: a number and a name in each line. Empty for none.</param>
public sealed record SetPrograms(DeviceId Id, string? List) : StudioEdit
{
    /// <inheritdoc/>
    public override string Title(Studio studio) => $"Programs of {studio.FindDevice(Id)?.Name ?? "a device that is gone"}";

    /// <inheritdoc/>
    public override EditResult Apply(Studio studio)
    {
        if (studio.FindDevice(Id) is not { } device)
            return EditResult.Refused("programs", "That device is gone: it was removed meanwhile. Nothing was changed.");
        return ProgramList.TryParse(List, out var programs, out var problem)
            ? EditResult.Done(studio.With(device, device with { Programs = programs }))
            : EditResult.Refused("programs", problem);
    }
}

/// <summary>Gives a device's keys their names.</summary>
/// <param name="Id">The device.</param>
/// <param name="List">The list, as typed or pasted: a key and a name in each line, "36 = low drum". Empty for none.</param>
public sealed record SetKeyNames(DeviceId Id, string? List) : StudioEdit
{
    /// <inheritdoc/>
    public override string Title(Studio studio) => $"Keys of {studio.FindDevice(Id)?.Name ?? "a device that is gone"} by name";

    /// <inheritdoc/>
    public override EditResult Apply(Studio studio)
    {
        if (studio.FindDevice(Id) is not { } device)
            return EditResult.Refused("keys", "That device is gone: it was removed meanwhile. Nothing was changed.");
        return KeyList.TryParse(List, studio.KeyNaming, out var keys, out var problem)
            ? EditResult.Done(studio.With(device, device with { Keys = keys }))
            : EditResult.Refused("keys", problem);
    }
}

/// <summary>Shows a virtual port to the other programs of this computer, or keeps it for Weiche alone.</summary>
/// <param name="Id">The virtual port.</param>
/// <param name="Inside">Whether it is for Weiche alone.</param>
public sealed record KeepInside(DeviceId Id, bool Inside) : DeviceEdit(Id)
{
    private protected override string Field => "inside";

    /// <inheritdoc/>
    public override string Title(Studio studio) =>
        Inside ? $"Keep {Name(studio)} for Weiche alone" : $"Show {Name(studio)} to other programs";

    private protected override EditResult Change(Studio studio, Device device) =>
        device.IsVirtualPort()
            ? Become(studio, device, device with { StaysInside = Inside })
            : Refused($"{device.Name} is no virtual port: other programs see it anyway.");
}

/// <summary>Takes off a connection that another program has made. Of a studio nothing is written down by it: this computer has the
/// connection.</summary>
/// <param name="Cable">The connection.</param>
public sealed record PartOutside(OutsideCable Cable) : StudioEdit
{
    /// <inheritdoc/>
    public override string Title(Studio studio) => $"Take off {studio.Describe(Cable)}, connected by another program";

    /// <inheritdoc/>
    public override EditResult Apply(Studio studio) =>
        studio.Outside.Contains(Cable)
            ? EditResult.Done(studio.WithOutside(studio.Outside.Remove(Cable)))
            : EditResult.Refused("remedy", "That connection is gone already. Nothing was changed.");
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
        if (studio.FindDevice(Id) is not { } device)
            return EditResult.Refused("port", "That device is gone already.");
        var used = studio.Routes.Where(route => device.Ports.Any(port => route.From == port.Id || port.Id == route.To)).ToList();
        if (used.Count > 0 && !WithRoutes)
        {
            var routes =
                string.Join(", ", used.Take(3).Select(studio.Describe))
                + (used.Count > 3 ? string.Create(CultureInfo.InvariantCulture, $" and {used.Count - 3} more") : "");
            var them = used.Count == 1 ? "this route" : "these routes";
            return EditResult.Refused(
                "port",
                $"With {device.Name} {(used.Count == 1 ? "goes" : "go")} {them}: {routes}.",
                new Remedy(
                    $"Remove it and {(used.Count == 1 ? "its route" : string.Create(CultureInfo.InvariantCulture, $"its {used.Count} routes"))}",
                    new RemoveDevice(Id, true)
                )
            );
        }
        var jacks = device.Jacks.Select(jack => jack.Id).ToHashSet();
        return EditResult.Done(
            (
                studio with
                {
                    Devices = studio.Devices.Remove(device),
                    Routes =
                    [
                        .. studio
                            .Routes.Except(used)
                            .Select(route =>
                                route.From is AnySource any
                                    ? route with
                                    {
                                        From = any with { Except = Without(any.Except, device) },
                                    }
                                    : route
                            ),
                    ],
                    Groups = [.. studio.Groups.Select(group => group with { Members = Without(group.Members, device) })],
                    Cables = studio.Cables.RemoveAll(cable => jacks.Contains(cable.From) || jacks.Contains(cable.To)),
                }
            ).WithoutLoose()
        );
    }

    private static ImmutableArray<PortId> Without(ImmutableArray<PortId> ports, Device device) =>
        ports.RemoveAll(id => device.Ports.Any(port => port.Id == id));
}
