using System.Globalization;
using System.Text.RegularExpressions;
using Weiche.Core.Sets;
using Weiche.Core.Stages;

namespace Weiche.Core.Studios.Edits;

/// <summary>
/// Adds a device from one line, as a person would say it: "Zinn, sound module, on Weiher 2, channels 5-6". The name comes
/// first, the rest in any order.
/// </summary>
/// <param name="Line">The line as typed.</param>
/// <param name="Unit">What is plugged in and shall be this device; null if that is not known yet.</param>
public sealed partial record AddDevice(string? Line, Unit? Unit = null) : StudioEdit
{
    private const string Field = "line";
    private const int MaxLine = 200;

    private static readonly (string Word, WireKind Wire)[] WireWords =
    [
        ("usb", WireKind.Usb),
        ("din", WireKind.Din),
        ("virtual", WireKind.Virtual),
        ("bluetooth", WireKind.Bluetooth),
        ("network", WireKind.Network),
    ];

    /// <inheritdoc/>
    public override string Title(Studio studio) => $"Add {NameRule.Tidy((Line ?? "").Split(',')[0])}";

    /// <inheritdoc/>
    public override EditResult Apply(Studio studio)
    {
        if ((Line ?? "").Length > MaxLine)
            return EditResult.Refused(Field, $"A line has at most {MaxLine} characters.");
        var parts = (Line ?? "").Split(',').Select(NameRule.Tidy).ToList();
        var name = parts[0];
        if (NameRule.CheckFor(studio, name, null) is { } taken)
            return EditResult.Refused(
                Field,
                name.Length == 0 ? "Begin with a name: Zinn, sound module, on Weiher 2, channels 5-6." : taken
            );
        var said = new Said();
        for (var i = 1; i < parts.Count; i++)
        {
            if (parts[i].Length == 0)
                continue;
            // "channels 5, 6": a bare number goes on with the channels before it.
            if (said.Channels.Length > 0 && char.IsAsciiDigit(parts[i][0]) && !parts[i].Contains('×') && !parts[i].Contains('x'))
                said.Channels += "," + parts[i];
            else if (Read(studio, parts[i], said) is { } problem)
                return EditResult.Refused(Field, problem);
        }
        said.Kind ??= KindIn(name);
        return said.Kind is null ? EditResult.Refused(Field, $"Say what {name} is: {Kinds}.") : Make(studio, name, said);
    }

    private static string Kinds => string.Join(", ", DeviceKinds.Choosable.Select(kind => kind.Facts().Words[0]));

    /// <summary>What a name says that its device is, by its end: "Amsel keyboard".</summary>
    private static DeviceKind? KindIn(string name) =>
        DeviceKinds
            .Words.Where(item =>
                name.Equals(item.Word, StringComparison.OrdinalIgnoreCase)
                || name.EndsWith(" " + item.Word, StringComparison.OrdinalIgnoreCase)
            )
            .OrderByDescending(item => item.Word.Length)
            .Select(item => (DeviceKind?)item.Kind)
            .FirstOrDefault();

    private sealed class Said
    {
        public DeviceKind? Kind { get; set; }

        public WireKind? Wire { get; set; }

        public string Channels { get; set; } = "";

        public (int Ins, int Outs) Size { get; set; } = (1, 1);

        /// <summary>Whether the jacks of a side were counted by themselves: "8 in".</summary>
        public bool CountsSides { get; set; }

        public Device? Interface { get; set; }

        public int Number { get; set; }

        public Jack? Behind { get; set; }

        public string Place { get; set; } = "";

        public string? Audio { get; set; }

        public bool? Sounds { get; set; }
    }

    private static string? Read(Studio studio, string part, Said said)
    {
        var lower = part.ToLowerInvariant();
        if (DeviceKinds.Words.FirstOrDefault(item => item.Word == lower) is { Word: not null } shape)
        {
            said.Kind = shape.Kind;
            return null;
        }
        if (lower.StartsWith("interface ", StringComparison.Ordinal) && TrySize(lower[10..], out var size))
        {
            (said.Kind, said.Size) = (DeviceKind.Interface, size);
            return TooMany(size);
        }
        if (Jacks().Match(lower) is { Success: true } counted)
        {
            // "8 in", and "2 out" in the same part or the next; a side that is not said has none.
            var before = said.CountsSides ? said.Size : (Ins: 0, Outs: 0);
            (said.CountsSides, said.Size) = (
                true,
                (Count(counted.Groups["in"]) ?? before.Ins, Count(counted.Groups["out"]) ?? before.Outs)
            );
            if (lower.StartsWith("interface ", StringComparison.Ordinal))
                said.Kind = DeviceKind.Interface;
            return TooMany(said.Size);
        }
        if (TrySize(lower, out size))
        {
            said.Size = size;
            return TooMany(size);
        }
        if (WireWords.FirstOrDefault(item => item.Word == lower) is { Word: not null } wire)
        {
            said.Wire = wire.Wire;
            return null;
        }
        foreach (var word in new[] { "channels ", "channel ", "ch " })
        {
            if (!lower.StartsWith(word, StringComparison.Ordinal))
                continue;
            said.Channels = lower[word.Length..];
            return null;
        }
        if (char.IsAsciiDigit(lower[0]) && ChannelMap.TryParseList(lower, out _, out _))
        {
            said.Channels = lower;
            return null;
        }
        if (lower.StartsWith("audio ", StringComparison.Ordinal))
        {
            (said.Audio, said.Sounds) = (part[6..], true);
            return null;
        }
        if (lower is "sounds" or "silent")
        {
            said.Sounds = lower == "sounds";
            return null;
        }
        return lower.StartsWith("on ", StringComparison.Ordinal)
            ? ReadPlace(studio, part[3..], said)
            : $"“{part}” is not understood. After the name say what it is ({Kinds}), where it is plugged in and its channels: sound "
                + "module, on Weiher 2, channels 5-6.";
    }

    private static string? ReadPlace(Studio studio, string place, Said said)
    {
        if (place.EndsWith(" thru", StringComparison.OrdinalIgnoreCase))
        {
            var owner = studio.Devices.FirstOrDefault(device =>
                device.Name.Equals(place[..^5].TrimEnd('s', '’', '\''), StringComparison.OrdinalIgnoreCase)
                || device.Name.Equals(place[..^5], StringComparison.OrdinalIgnoreCase)
            );
            said.Behind = owner?.Jacks.FirstOrDefault(jack => jack.Role == JackRole.Thru);
            return said.Behind is null ? $"There is no {place} to plug into." : null;
        }
        var cut = place.LastIndexOf(' ');
        if (cut > 0 && int.TryParse(place[(cut + 1)..], NumberStyles.None, CultureInfo.InvariantCulture, out var number))
        {
            var named = studio
                .Devices.Where(device => device.IsInterface() && device.Name.StartsWith(place[..cut], StringComparison.OrdinalIgnoreCase))
                .ToList();
            if (named.Count > 1)
                return $"Which interface is {place[..cut]}: {string.Join(" or ", named.Select(device => device.Name))}?";
            if (named.Count == 1)
            {
                (said.Interface, said.Number) = (named[0], number);
                return null;
            }
        }
        // Not an interface: a socket of this computer or a hub.
        said.Place = place;
        return null;
    }

    private static bool TrySize(string text, out (int Ins, int Outs) size)
    {
        size = default;
        var sides = text.Split('×', 'x');
        if (
            sides.Length != 2
            || !int.TryParse(sides[0].Trim(), NumberStyles.None, CultureInfo.InvariantCulture, out var ins)
            || !int.TryParse(sides[1].Trim(), NumberStyles.None, CultureInfo.InvariantCulture, out var outs)
        )
            return false;
        size = (ins, outs);
        return true;
    }

    private static string? TooMany((int Ins, int Outs) size) =>
        size is { Ins: <= Shapes.MaxInterfaceJacks, Outs: <= Shapes.MaxInterfaceJacks } and not (0, 0)
            ? null
            : $"An interface has up to {Shapes.MaxInterfaceJacks} jacks each way: interface 4×4.";

    private static int? Count(Group typed) =>
        typed.Success && int.TryParse(typed.Value, NumberStyles.None, CultureInfo.InvariantCulture, out var number) ? number : null;

    [GeneratedRegex(@"^(?:interface )?(?:(?<in>\d{1,3})\s*ins?)?\s*(?:and\s*)?(?:(?<out>\d{1,3})\s*outs?)?(?<=(?:in|out)s?)$")]
    private static partial Regex Jacks();

    private EditResult Make(Studio studio, string name, Said said)
    {
        var kind = said.Kind!.Value;
        var behind = said.Interface is not null || said.Behind is not null;
        var wire = behind ? WireKind.Din : said.Wire ?? kind.Facts().UsualWire;
        var size =
            Unit is { Ports.IsEmpty: false } && kind.Facts().Role == DeviceRole.Interface
                ? (
                    Ins: Unit.Ports.Count(port => port.Direction == PortDirection.Source),
                    Outs: Unit.Ports.Count(port => port.Direction == PortDirection.Destination)
                )
                : said.Size;
        var (device, next) = Shapes.Make(kind, name, studio.NextId, wire, size.Ins, size.Outs);
        if (said.Channels.Length > 0)
        {
            if (!ChannelMap.TryParseList(said.Channels, out var channels, out var problem))
                return EditResult.Refused(Field, problem);
            device = device with
            {
                Sends = device.Sends.Count > 0 ? channels : device.Sends,
                Listens = device.Listens.Count > 0 ? channels : device.Listens,
            };
        }
        if (said.Sounds is { } sounds)
            device = device with { Sounds = sounds, Audio = said.Audio ?? "" };
        if (Unit is not null)
            (device, next) = Take(device, next, Unit);
        else if (said.Place.Length > 0)
            device = device with { Known = new KnownAs("", "", said.Place, Pinned: true) };
        (device, next) = Shapes.FitLocalControl(null, device, next);
        if (DeviceRule.Check(device) is { } wrong)
            return EditResult.Refused(Field, wrong);
        if (
            Unit is null
            && said.Place.Length > 0
            && studio.Devices.FirstOrDefault(other =>
                other.Known is { } known && known.Place.Equals(said.Place, StringComparison.OrdinalIgnoreCase)
            )
                is { } there
        )
            return PlaceTaken(studio, name, said.Place, there);
        var result = EditResult.Done(studio with { Devices = studio.Devices.Add(device), NextId = next }, device.Id.Value);
        return behind ? Cable(result, device, said) : result;
    }

    /// <summary>Whoever is pinned to a place is what is found there: that is not taken from another device unasked.</summary>
    private EditResult PlaceTaken(Studio studio, string name, string place, Device there)
    {
        var elsewhere = string.Join(
            ", ",
            Line!.Split(',').Select(NameRule.Tidy).Where(part => !part.Equals($"on {place}", StringComparison.OrdinalIgnoreCase))
        );
        var instead = new AddDevice(elsewhere);
        return EditResult.Refused(
            Field,
            $"{there.Name} is plugged in on {place}. Is {name} somewhere else? Say where, or add it without a place; if it has "
                + $"taken that place, remove {there.Name} or plug it elsewhere first.",
            instead.Apply(studio).Studio is null ? null : new Remedy($"Add {name} without a place", instead)
        );
    }

    /// <summary>The device with the ports that are really there.</summary>
    private static (Device Device, int NextId) Take(Device device, int next, Unit unit)
    {
        device = device with { Known = new KnownAs(unit.Says, unit.Serial, unit.Place, false, unit.Identity) };
        if (device.IsInterface() || unit.Ports.IsEmpty)
            return (device, next);
        var sends = unit.Ports.Any(port => port.Direction == PortDirection.Source);
        var listens = unit.Ports.Any(port => port.Direction == PortDirection.Destination);
        return (
            device with
            {
                Sends = sends
                    ? device.Sends.Count > 0
                        ? device.Sends
                        : ChannelSet.All
                    : ChannelSet.None,
                Listens = listens
                    ? device.Listens.Count > 0
                        ? device.Listens
                        : ChannelSet.All
                    : ChannelSet.None,
                Ports = [.. unit.Ports.Select(port => new Port(new PortId(next++), port.Direction, port.Part, port.Wire))],
            },
            next
        );
    }

    private static EditResult Cable(EditResult result, Device device, Said said)
    {
        var studio = result.Studio!;
        foreach (var jack in device.Jacks.Where(jack => jack.Role != JackRole.Thru))
        {
            var role = jack.Role == JackRole.In ? JackRole.Out : JackRole.In;
            // A sound module's OUT hangs loose: it sends nothing of its own.
            if (role == JackRole.In && !device.Kind.Facts().Sends)
                continue;
            var there = said.Behind is not null
                ? role == JackRole.Out
                    ? said.Behind
                    : null
                : said.Interface!.Jacks.Where(each => each.Role == role).ElementAtOrDefault(said.Number - 1);
            if (there is null && said.Behind is not null)
                continue;
            if (there is null)
                return EditResult.Refused(Field, $"{said.Interface!.Name} has no {(role == JackRole.Out ? "OUT" : "IN")} {said.Number}.");
            var plugged = new PlugCable(jack.Id, there.Id).Apply(studio);
            if (plugged.Studio is null)
                return EditResult.Refused(Field, plugged.Problem!.Sentence);
            studio = plugged.Studio;
        }
        return EditResult.Done(studio, device.Id.Value);
    }
}
