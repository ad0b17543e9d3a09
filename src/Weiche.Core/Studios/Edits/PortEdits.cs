using System.Globalization;
using Weiche.Core.Sets;

namespace Weiche.Core.Studios.Edits;

/// <summary>Makes a virtual port, a destination and the source where what it is sent comes out; or several at once, where
/// the name ends with a range of numbers: "keys to stars 1–4".</summary>
/// <param name="Name">Its name, as typed.</param>
public sealed record AddVirtualPort(string? Name) : StudioEdit
{
    /// <summary>The most that are made at once.</summary>
    public const int MaxAtOnce = 32;

    /// <inheritdoc/>
    public override string Title(Studio studio) => $"Add virtual port {NameRule.Tidy(Name)}";

    /// <inheritdoc/>
    public override EditResult Apply(Studio studio)
    {
        var name = NameRule.Tidy(Name);
        if (!TryRange(name, out var stem, out var first, out var last))
            return Add(studio, name);
        if (last < first)
            return EditResult.Refused("name", $"The range is upside down: write {last}–{first}.");
        if (last - first >= MaxAtOnce)
            return EditResult.Refused(
                "name",
                $"At most {MaxAtOnce} virtual ports are made at once; {first}–{last} are {last - first + 1}."
            );
        var result = EditResult.Refused("name", "");
        for (var number = first; number <= last; number++)
        {
            result = Add(studio, string.Create(CultureInfo.InvariantCulture, $"{stem} {number}"));
            if (result.Studio is null)
                return result;
            studio = result.Studio;
        }
        return result;
    }

    private static EditResult Add(Studio studio, string name)
    {
        if (NameRule.CheckFor(studio, name, null) is { } problem)
            return EditResult.Refused("name", problem);
        var id = studio.NextId;
        var device = new Device(
            new DeviceId(id),
            name,
            DeviceKind.VirtualPort,
            ChannelSet.All,
            ChannelSet.All,
            false,
            null,
            [
                new Port(new PortId(id + 1), PortDirection.Source, "", WireKind.Virtual),
                new Port(new PortId(id + 2), PortDirection.Destination, "", WireKind.Virtual),
            ]
        );
        return EditResult.Done(studio with { Devices = studio.Devices.Add(device), NextId = studio.NextId + 3 }, id);
    }

    /// <summary>Takes "keys to stars 1–4" apart. A dash without a number on either side belongs to the name.</summary>
    private static bool TryRange(string name, out string stem, out int first, out int last)
    {
        (stem, first, last) = ("", 0, 0);
        var dash = name.LastIndexOfAny(['–', '-']);
        if (dash < 0)
            return false;
        var before = name[..dash].TrimEnd();
        var gap = before.LastIndexOf(' ');
        stem = gap < 0 ? "" : before[..gap];
        return stem.Length > 0 && IsNumber(before[(gap + 1)..], out first) && IsNumber(name[(dash + 1)..].TrimStart(), out last);

        static bool IsNumber(string text, out int number) =>
            int.TryParse(text, NumberStyles.None, CultureInfo.InvariantCulture, out number) && text.Length <= 4;
    }
}

/// <summary>Switches a port on or off.</summary>
/// <param name="Id">The port.</param>
/// <param name="On">Whether it shall be on.</param>
public sealed record SwitchPort(PortId Id, bool On) : StudioEdit
{
    /// <inheritdoc/>
    public override string Title(Studio studio) => $"Switch {PortName(studio, Id)} {(On ? "on" : "off")}";

    /// <inheritdoc/>
    public override EditResult Apply(Studio studio)
    {
        if (studio.FindPort(Id) is not { } found)
            return EditResult.Refused("port", "That port is gone: it was removed meanwhile. Nothing was changed.");
        return EditResult.Done(
            studio.With(found.Owner, found.Owner with { Ports = found.Owner.Ports.Replace(found.Port, found.Port with { On = On }) })
        );
    }
}

/// <summary>Overrules the label of a port, or lets it write itself again.</summary>
/// <param name="Port">The port.</param>
/// <param name="Label">The label as typed; empty to let it write itself.</param>
public sealed record SetPortLabel(PortId Port, string? Label) : StudioEdit
{
    /// <inheritdoc/>
    public override string Title(Studio studio) =>
        NameRule.Tidy(Label).Length == 0
            ? $"The label of {PortName(studio, Port)} writes itself"
            : $"Call {PortName(studio, Port)} {NameRule.Tidy(Label)}";

    /// <inheritdoc/>
    public override EditResult Apply(Studio studio)
    {
        if (studio.FindPort(Port) is not { } found)
            return EditResult.Refused("label", "That port is gone: it was removed meanwhile. Nothing was changed.");
        var label = NameRule.Tidy(Label) is { Length: > 0 } typed ? typed : null;
        if (label is not null && NameRule.Check(label) is { } problem)
            return EditResult.Refused("label", problem);
        if (
            label is not null
            && studio.Ports.FirstOrDefault(port =>
                port.Id != Port && port.IsSource == found.IsSource && string.Equals(port.Name, label, StringComparison.OrdinalIgnoreCase)
            )
                is { Device: not null } other
        )
            return EditResult.Refused("label", $"Another port is called “{other.Label}” already.");
        var port = found.Port with { OwnLabel = label };
        return EditResult.Done(studio.With(found.Owner, found.Owner with { Ports = found.Owner.Ports.Replace(found.Port, port) }));
    }
}
