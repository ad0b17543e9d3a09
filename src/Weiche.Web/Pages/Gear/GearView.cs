using System.Globalization;
using Weiche.Core.Layout;
using Weiche.Core.Live;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;
using Weiche.Ports;
using Weiche.Ports.Carrying;
using Weiche.Ports.Outside;
using Weiche.Web.Desk;
using Weiche.Web.Live;

namespace Weiche.Web.Pages.Gear;

/// <summary>What Gear shows.</summary>
/// <param name="State">The studio.</param>
/// <param name="Chosen">The device whose facts stand in the drawer, or null.</param>
/// <param name="Problem">What could not be done, or null.</param>
/// <param name="Typed">What was typed when there is a problem with it.</param>
/// <param name="TypedAddress">The path as it was typed when there is a problem with it.</param>
public sealed record GearView(DeskState State, Device? Chosen, Problem? Problem = null, string? Typed = null, string? TypedAddress = null)
{
    private const double Beside = 416;
    private const double NarrowestPanel = 560;
    private const double WidestPanel = 1400;

    /// <summary>What there is now, against what the studio says.</summary>
    public required RoomState Room { get; init; }

    /// <summary>The ways to other programs.</summary>
    public required IReadOnlyList<OutsideDriver> Systems { get; init; }

    /// <summary>How it stands with the devices of pages, in a sentence; null if no page offers any.</summary>
    public string? Browsers { get; init; }

    /// <summary>Where a new studio is led to its first route; null once it has routes of its own.</summary>
    public FirstSteps? First => field ??= FirstSteps.Of(State.Studio, New);

    /// <summary>The plan in force, with its figures.</summary>
    public required CompiledStudio Figures { get; init; }

    /// <summary>What is plugged in and being named: its key, or null.</summary>
    public string? Naming { get; init; }

    /// <summary>Whether a port is being found by playing.</summary>
    public bool Find { get; init; }

    /// <summary>The port that is off for a moment, while ports are switched one after the other; 0 if none is.</summary>
    public int Stepping { get; init; }

    /// <summary>What came of asking who is there, or null.</summary>
    public Inquiry? Inquiry { get; init; }

    /// <summary>What came of sounding, or null.</summary>
    public Soundings? Soundings { get; init; }

    /// <summary>What both mean, what is to be done first.</summary>
    public IReadOnlyList<Proposal> Proposed
    {
        get
        {
            var studio = State.Studio;
            var answers = Inquiry is { } inquiry
                ? Proposals.Of(studio, inquiry.Replies).Concat(Proposals.Silent(studio, inquiry.Asked, inquiry.Replies))
                : [];
            return [.. answers.Concat(Soundings is { } soundings ? Proposals.Of(studio, soundings.Ways) : []).OrderBy(each => each.Agrees)];
        }
    }

    /// <summary>What the ports last sent, the latest first.</summary>
    public IReadOnlyList<Spoken> Spoken { get; init; } = [];

    /// <summary>How wide the window is, pixels.</summary>
    public required double Width { get; init; }

    /// <summary>The wiring, laid out for the width there is.</summary>
    public GearLayout Layout => field ??= GearLayout.Compute(State.Studio, Math.Clamp(Width - Beside, NarrowestPanel, WidestPanel));

    /// <summary>What is plugged in and no device: neither of the studio nor asked for.</summary>
    public IEnumerable<Unit> New => Room.Call.New.Where(unit => State.Studio.Devices.All(device => device.Address != unit.Place));

    /// <summary>Those of them that hang on a socket, or on a radio.</summary>
    public IEnumerable<Unit> Plugged => New.Where(unit => unit.Ports.All(port => port.Wire is not (WireKind.Virtual or WireKind.Network)));

    /// <summary>The problem of a field, or null.</summary>
    /// <param name="fields">The fields.</param>
    public Problem? ProblemOf(params string[] fields) => Problem is { } problem && fields.Contains(problem.Field) ? problem : null;

    /// <summary>What stands in a field: what was typed if that was refused, else what is.</summary>
    /// <param name="field">The field.</param>
    /// <param name="now">What is.</param>
    public string? Value(string field, string? now) => ProblemOf(field) is null ? now : Typed;

    /// <summary>Devices other than virtual ports.</summary>
    public IEnumerable<Device> Devices => State.Studio.Devices.Where(device => !device.IsVirtualPort());

    /// <summary>Virtual ports.</summary>
    public IEnumerable<Device> VirtualPorts => State.Studio.Devices.Where(device => device.IsVirtualPort());

    /// <summary>Devices that hang on this computer itself.</summary>
    public IEnumerable<Device> OnComputer => Devices.Where(device => device.Ports.Length > 0 && !IsWithin(device));

    /// <summary>Applications on this computer, and what is on the network.</summary>
    public IEnumerable<Device> Within => Devices.Where(IsWithin);

    /// <summary>Whether a device is not there.</summary>
    /// <param name="device">The device.</param>
    public bool IsMissing(Device device) => Room.IsMissing(State.Studio, device);

    /// <summary>Since when something is there that has no name, in words.</summary>
    /// <param name="unit">What is plugged in.</param>
    public string NewWords(Unit unit) =>
        Room.NewSince.TryGetValue(unit.Key, out var since)
            ? string.Create(
                CultureInfo.InvariantCulture,
                $" · since {since.ToLocalTime():HH:mm}{(Room.Besides.TryGetValue(unit.Key, out var file) ? $" · also as {file}" : "")}"
            )
            : "";

    /// <summary>Whether a device is there, in words.</summary>
    /// <param name="device">The device.</param>
    public string PresenceWords(Device device) =>
        Room.Presences.GetValueOrDefault(device.Id) switch
        {
            { Present: true, Urgency: Urgency.RealTime } => "present, read at real-time priority",
            { Present: true, Urgency: Urgency.Raised } => "present, read before most others",
            { Present: true, Urgency: Urgency.Ordinary } => "present, read at ordinary priority",
            { Present: true } => "present",
            { } presence => string.Create(
                CultureInfo.InvariantCulture,
                $"missing since {presence.Since.ToLocalTime():HH:mm}: {presence.Reason}"
            ),
            null => IsMissing(device) ? "its interface is missing" : "",
        };

    /// <summary>Where a device is, in a few words.</summary>
    /// <param name="device">The device.</param>
    public string PlaceWords(Device device)
    {
        if (device.IsVirtualPort())
            return "virtual port";
        if (Room.Call.Present.TryGetValue(device.Id, out var unit))
            return unit.Place;
        if (State.Studio.PortsOf(device.Id).FirstOrDefault(port => port.IsBehind) is { Device: not null } port)
            return port.Place;
        foreach (var jack in device.Jacks.Where(jack => jack.Role == JackRole.In))
        {
            if (State.Studio.OtherEnd(jack.Id) is { } far)
                return $"{far.Device.Name} {far.Jack.Name}";
        }
        return device.Address
            ?? (
                device.Ports.Length > 0 ? string.Join(", ", device.Ports.Select(each => each.Wire.InWords()).Distinct()) : "not cabled yet"
            );
    }

    /// <summary>The routes that come from or go to a device.</summary>
    /// <param name="device">The device.</param>
    public IReadOnlyList<Route> RoutesOf(Device device)
    {
        var ports = State.Studio.PortsOf(device.Id).Select(port => port.Id).Concat(device.Ports.Select(port => port.Id)).ToHashSet();
        return [.. State.Studio.Routes.Where(route => ports.Contains(route.To) || route.From is OneSource one && ports.Contains(one.Port))];
    }

    private static bool IsWithin(Device device) =>
        device.Ports.Length > 0 && device.Ports.All(port => port.Wire is WireKind.Virtual or WireKind.Network);
}
