using Weiche.Core.Midi;

namespace Weiche.Core.Studios;

/// <summary>What a device may be, beyond its name.</summary>
public static class DeviceRule
{
    /// <summary>The most jacks a device may have.</summary>
    public const int MaxJacks = 64;

    /// <summary>The most inner paths a device may have.</summary>
    public const int MaxInnerPaths = 64;

    private const int MaxAddress = 200;

    /// <summary>The most messages of a kind that a device may be said to send in a second: more than the fastest wire here
    /// carries.</summary>
    public const int MaxRate = 100_000;

    /// <summary>The most characters of what is written down of a device: audio inputs, serial number, place.</summary>
    public const int MaxText = 120;

    /// <summary>Why this cannot be a device, in a sentence, or null if it can.</summary>
    /// <param name="device">The device.</param>
    public static string? Check(Device device)
    {
        if (device.Kind.Facts().HasAddress && CheckAddress(device.Address) is { } wrong)
            return wrong;
        if (device.StaysInside && !device.IsVirtualPort())
            return "Only a virtual port can be for Weiche alone.";
        if (device.Jacks.Length > MaxJacks)
            return $"It has {device.Jacks.Length} jacks; at most {MaxJacks} are possible.";
        if (device.InnerPaths.Length > MaxInnerPaths)
            return $"It has {device.InnerPaths.Length} inner paths; at most {MaxInnerPaths} are possible.";
        foreach (var jack in device.Jacks)
        {
            if (NameRule.Check(jack.Name) is { } problem)
                return $"A jack's name: {problem}";
        }
        foreach (var port in device.Ports)
        {
            if (port.OwnLabel is { } label && NameRule.Check(label) is { } problem)
                return $"A port's label: {problem}";
            if (port.Jack is not { } id)
                continue;
            if (device.Jacks.FirstOrDefault(jack => jack.Id == id) is not { } jack)
                return $"Port {port.Id} stands for jack {id}, which the device does not have.";
            if ((jack.Role == JackRole.In) != (port.Direction == PortDirection.Source))
                return $"Port {port.Id} and its jack {jack.Name} go opposite ways.";
        }
        foreach (var path in device.InnerPaths)
        {
            if (CheckPath(device, path) is { } problem)
                return problem;
        }
        foreach (var text in new[] { device.Audio, device.Known?.Says, device.Known?.Serial, device.Known?.Place })
        {
            if (CheckText(text) is { } problem)
                return problem;
        }
        foreach (var (kind, rate) in device.WorstRates)
        {
            if (rate is < 0 or > MaxRate)
                return $"At worst {rate} messages a second ({kind.Name()}): it is from 0 to {MaxRate}.";
        }
        foreach (var (program, name) in device.Programs)
        {
            if (program is < 0 or > 127)
                return $"Programs go from 1 to 128, not {program + 1}.";
            if (NameRule.Check(name) is { } problem)
                return $"The name of program {program + 1}: {problem}";
        }
        foreach (var (key, name) in device.Keys)
        {
            if (key is < 0 or > 127)
                return $"Keys go from 0 to 127, not {key}.";
            if (NameRule.Check(name) is { } problem)
                return $"The name of key {key}: {problem}";
        }
        return CheckZones(device);
    }

    /// <summary>Why this cannot be written down of a device, or null if it can.</summary>
    /// <param name="text">The text.</param>
    public static string? CheckText(string? text)
    {
        if (text is null)
            return null;
        if (text.Length > MaxText)
            return $"“{text[..20]}…” has {text.Length} characters; at most {MaxText} are possible.";
        return text.Any(char.IsControl) || text.AsSpan().ContainsAny('<', '>')
            ? "Control characters, < and > are not possible here."
            : null;
    }

    /// <summary>Why this cannot be the path of a raw device, or null if it can.</summary>
    internal static string? CheckAddress(string? address)
    {
        var typed = (address ?? "").Trim();
        if (!typed.StartsWith('/'))
            return "The path of a device file begins with /, like /dev/snd/midiC1D0.";
        if (typed.Length > MaxAddress)
            return $"A path has at most {MaxAddress} characters here.";
        return typed.Any(char.IsControl) ? "A path cannot contain control characters." : null;
    }

    private static string? CheckPath(Device device, InnerPath path)
    {
        if (NameRule.Check(path.Name) is { } problem)
            return $"An inner path's name: {problem}";
        if (path.Delay < MidiSpan.Zero || path.Delay > InnerPath.MaxDelay)
            return $"The inner path {path.Name} has a delay of {path.Delay.Microseconds} µs; it is from 0 to "
                + $"{InnerPath.MaxDelay.Microseconds}.";
        if (path.Stages.Length > Route.MaxStages)
            return $"The inner path {path.Name} has {path.Stages.Length} stages; at most {Route.MaxStages} are possible.";
        if (!Hears(device, path.From))
            return $"The inner path {path.Name} does not begin where the device hears something.";
        if (!Leads(device, path.To))
            return $"The inner path {path.Name} does not end where the device sends or sounds.";
        return path.Kind == InnerPathKind.LocalControl != (path.From == Place.Keys && path.To == Place.Sound)
            ? $"The inner path {path.Name}: local control, and it alone, leads from the keys to the sound."
            : null;
    }

    private static bool Hears(Device device, Place end) =>
        end.Kind switch
        {
            PlaceKind.Jack => device.Jacks.Any(jack => jack.Id.Value == end.Id && jack.Role == JackRole.In),
            PlaceKind.Port => device.Ports.Any(port => port.Id.Value == end.Id && port.Direction == PortDirection.Destination),
            _ => end.Kind == PlaceKind.Keys,
        };

    private static bool Leads(Device device, Place end) =>
        end.Kind switch
        {
            PlaceKind.Jack => device.Jacks.Any(jack => jack.Id.Value == end.Id && jack.Sends),
            PlaceKind.Port => device.Ports.Any(port => port.Id.Value == end.Id && port.Direction == PortDirection.Source),
            _ => end.Kind == PlaceKind.Sound,
        };

    private static string? CheckZones(Device device)
    {
        if (device.Zones.Length > 2 || device.Zones.DistinctBy(zone => zone.Lower).Count() < device.Zones.Length)
            return "MPE has at most one lower and one upper zone.";
        foreach (var zone in device.Zones)
        {
            if (zone.Members is < 1 or > 15)
                return $"An MPE zone has 1 to 15 member channels, not {zone.Members}.";
            if (zone.BendRange is < 0 or > 96)
                return $"A bend range is from 0 to 96 semitones, not {zone.BendRange}.";
        }
        return device.Zones.Sum(zone => zone.Members + 1) > 16 ? "Both MPE zones together have more than 16 channels." : null;
    }
}
