using System.Collections.Immutable;
using System.Globalization;
using Weiche.Core.Midi;
using Weiche.Core.Stages;

namespace Weiche.Core.Studios;

/// <summary>Why an edit cannot be made.</summary>
/// <param name="Field">The field it concerns ("name", "to" …), so that the sentence can stand beside it.</param>
/// <param name="Sentence">What is wrong and what would be right, for a person.</param>
/// <param name="Remedy">What would work instead, or null.</param>
public sealed record Problem(string Field, string Sentence, Remedy? Remedy = null);

/// <summary>What would work instead of an edit that cannot be made.</summary>
/// <param name="Label">What stands on its button.</param>
/// <param name="Edit">The edit that it makes.</param>
public sealed record Remedy(string Label, StudioEdit Edit);

/// <summary>What became of an edit: a new studio, or a problem and nothing changed.</summary>
public sealed record EditResult
{
    private EditResult(Studio? studio, Problem? problem, int newId)
    {
        Studio = studio;
        Problem = problem;
        NewId = newId;
    }

    /// <summary>The studio after the edit; null if it could not be made.</summary>
    public Studio? Studio { get; }

    /// <summary>Why it could not be made; null if it was.</summary>
    public Problem? Problem { get; }

    /// <summary>The id of what the edit added (a route, a device); 0 if it added nothing.</summary>
    public int NewId { get; }

    /// <summary>The edit was made.</summary>
    /// <param name="studio">The studio after it.</param>
    /// <param name="newId">The id of what was added, or 0.</param>
    public static EditResult Done(Studio studio, int newId = 0) => new(studio, null, newId);

    /// <summary>The edit cannot be made.</summary>
    /// <param name="field">The field it concerns.</param>
    /// <param name="sentence">Why, for a person.</param>
    /// <param name="remedy">What would work instead, or null.</param>
    public static EditResult Refused(string field, string sentence, Remedy? remedy = null) => new(null, new Problem(field, sentence, remedy), 0);
}

/// <summary>One change of a studio, as a value: it can be named before it is made, and made on any studio.</summary>
public abstract record StudioEdit
{
    /// <summary>The edit in words, for the history: "Lay Amsel 61 → Brandung".</summary>
    /// <param name="studio">The studio before the edit.</param>
    public abstract string Title(Studio studio);

    /// <summary>Makes the edit, or says why it cannot be made. Never throws on what a person can do.</summary>
    /// <param name="studio">The studio before the edit; it stays as it is.</param>
    public abstract EditResult Apply(Studio studio);

    private protected static string PortName(Studio studio, PortId id) => studio.FindPort(id)?.Label ?? "a port that is gone";

    private protected static string RouteName(Studio studio, RouteId id) =>
        studio.FindRoute(id) is { } route ? studio.Describe(route) : "a route that is gone";

    private protected static EditResult RouteGone() =>
        EditResult.Refused("route", "That route is gone: it was removed meanwhile. Nothing was changed.");

    private protected static EditResult ReplaceRoute(Studio studio, Route before, Route after) =>
        EditResult.Done(studio.With(routes: studio.Routes.Replace(before, after)));

    private protected static string? CheckNewName(Studio studio, string name, DeviceId? self)
    {
        if (NameRule.Check(name) is { } problem) return problem;
        var other = studio.Devices.FirstOrDefault(device =>
            device.Id != self && string.Equals(device.Name, name, StringComparison.OrdinalIgnoreCase));
        return other is null ? null : $"There is already something called “{other.Name}”. Choose another name.";
    }
}

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
        if (!TryRange(name, out var stem, out var first, out var last)) return Add(studio, name);
        if (last < first) return EditResult.Refused("name", $"The range is upside down: write {last}–{first}.");
        if (last - first >= MaxAtOnce) return EditResult.Refused("name", $"At most {MaxAtOnce} virtual ports are made at once; {first}–{last} are {last - first + 1}.");
        var result = EditResult.Refused("name", "");
        for (var number = first; number <= last; number++)
        {
            result = Add(studio, string.Create(CultureInfo.InvariantCulture, $"{stem} {number}"));
            if (result.Studio is null) return result;
            studio = result.Studio;
        }
        return result;
    }

    private static EditResult Add(Studio studio, string name)
    {
        if (CheckNewName(studio, name, null) is { } problem) return EditResult.Refused("name", problem);
        var id = studio.NextId;
        var device = new Device(new DeviceId(id), name, DeviceKind.VirtualPort, ChannelSet.All, ChannelSet.All, false, null,
        [
            new Port(new PortId(id + 1), PortDirection.Source, "", WireKind.Virtual),
            new Port(new PortId(id + 2), PortDirection.Destination, "", WireKind.Virtual),
        ]);
        return EditResult.Done(studio.With(devices: studio.Devices.Add(device), idsTaken: 3), id);
    }

    /// <summary>Takes "keys to stars 1–4" apart. A dash without a number on either side belongs to the name.</summary>
    private static bool TryRange(string name, out string stem, out int first, out int last)
    {
        (stem, first, last) = ("", 0, 0);
        var dash = name.LastIndexOfAny(['–', '-']);
        if (dash < 0) return false;
        var before = name[..dash].TrimEnd();
        var gap = before.LastIndexOf(' ');
        stem = gap < 0 ? "" : before[..gap];
        return stem.Length > 0 && IsNumber(before[(gap + 1)..], out first) && IsNumber(name[(dash + 1)..].TrimStart(), out last);

        static bool IsNumber(string text, out int number) => int.TryParse(text, NumberStyles.None, CultureInfo.InvariantCulture, out number) && text.Length <= 4;
    }
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
    private const int MaxAddress = 200;

    /// <inheritdoc/>
    public override string Title(Studio studio) => $"Add {NameRule.Tidy(Name)}";

    /// <inheritdoc/>
    public override EditResult Apply(Studio studio)
    {
        var name = NameRule.Tidy(Name);
        if (CheckNewName(studio, name, null) is { } problem) return EditResult.Refused("raw", problem);
        if (CheckAddress(Address) is { } wrong) return EditResult.Refused("raw", wrong);
        var address = Address!.Trim();
        if (studio.Devices.FirstOrDefault(device => device.Address == address) is { } other)
            return EditResult.Refused("raw", $"{address} is {other.Name} already.");
        if (!Reads && !Writes) return EditResult.Refused("raw", "Say whether messages come from it, go to it, or both.");
        var id = studio.NextId;
        var ports = ImmutableArray.CreateBuilder<Port>();
        if (Reads) ports.Add(new Port(new PortId(id + 1), PortDirection.Source, "", WireKind.Usb));
        if (Writes) ports.Add(new Port(new PortId(id + 2), PortDirection.Destination, "", WireKind.Usb));
        var device = new Device(new DeviceId(id), name, DeviceKind.Raw, ChannelSet.All, ChannelSet.All, false, null, ports.ToImmutable(), address)
        {
            Known = string.IsNullOrEmpty(Says) ? null : new KnownAs(Says, "", address),
        };
        if (DeviceRule.Check(device) is { } no) return EditResult.Refused("raw", no);
        return EditResult.Done(studio.With(devices: studio.Devices.Add(device), idsTaken: 3), id);
    }

    /// <summary>Why this cannot be the path of a raw device, or null if it can.</summary>
    internal static string? CheckAddress(string? address)
    {
        var typed = (address ?? "").Trim();
        if (!typed.StartsWith('/')) return "The path of a device file begins with /, like /dev/snd/midiC1D0.";
        if (typed.Length > MaxAddress) return $"A path has at most {MaxAddress} characters here.";
        return typed.Any(char.IsControl) ? "A path cannot contain control characters." : null;
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
        if (CheckNewName(studio, name, Id) is { } problem) return EditResult.Refused("name", problem);
        return EditResult.Done(studio.With(devices: studio.Devices.Replace(device, device with { Name = name })));
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
        return EditResult.Done(studio.With(found.Owner, found.Owner with { Ports = found.Owner.Ports.Replace(found.Port, found.Port with { On = On }) }));
    }
}

/// <summary>Lays a route to a destination, switched on and without stages.</summary>
/// <param name="From">Where it comes from.</param>
/// <param name="To">The destination.</param>
public sealed record LayRoute(RouteSource From, PortId To) : StudioEdit
{
    /// <inheritdoc/>
    public override string Title(Studio studio) => $"Lay {studio.NameOf(From)} → {studio.FindPort(To)?.Name ?? "?"}";

    /// <inheritdoc/>
    public override EditResult Apply(Studio studio)
    {
        if (Check(studio, From, To, null) is { } problem) return EditResult.Refused(problem.Field, problem.Sentence);
        var laid = new Route(new RouteId(studio.NextId), From, To, true, []);
        var after = studio.With(routes: studio.Routes.Add(laid), idsTaken: 1);
        return EditResult.Done(after, laid.Id.Value);
    }

    /// <summary>Why no route can lead from there to there, or null.</summary>
    /// <param name="studio">The studio.</param>
    /// <param name="from">Where it would come from.</param>
    /// <param name="destination">Where it would go.</param>
    /// <param name="self">The route that it would be, if it is there already.</param>
    internal static Problem? Check(Studio studio, RouteSource from, PortId destination, RouteId? self)
    {
        if (CheckSource(studio, from) is { } problem) return new Problem("from", problem);
        if (studio.FindPort(destination) is not { } to)
            return new Problem("to", "The port the route should go to is gone: it was removed meanwhile. Nothing was changed.");
        if (to.IsSource) return new Problem("to", $"A route goes to a destination. “{to.Label}” is a source.");
        if (studio.Routes.Any(route => route.Id != self && route.From.Plate == from.Plate && route.To == destination))
            return new Problem("to", $"There is a route from {studio.NameOf(from)} {to.Label} already.");
        return from is OneSource one && studio.FindPort(one.Port) is { Device: { Kind: DeviceKind.VirtualPort } device } && device.Id == to.Device.Id
            ? new Problem("to", $"A route cannot go from {to.Name} to itself: what is sent to it comes out of it again, in a circle.")
            : null;
    }

    private static string? CheckSource(Studio studio, RouteSource from) => from switch
    {
        OneSource one when studio.FindPort(one.Port) is not { } => "The port the route should come from is gone: it was removed meanwhile. Nothing was changed.",
        OneSource one when studio.FindPort(one.Port) is { IsSource: false } port => $"A route comes from a source. “{port.Label}” is a destination.",
        GroupSource group when studio.FindGroup(group.Group) is null => "The group the route should come from is gone: it was removed meanwhile. Nothing was changed.",
        AnySource any when any.Except.Any(id => studio.FindPort(id) is not { IsSource: true }) => "An exception is not a source. Nothing was changed.",
        _ => null,
    };
}

/// <summary>Sets which sources a route from any source leaves out.</summary>
/// <param name="Id">The route.</param>
/// <param name="Except">The exceptions.</param>
/// <param name="OwnToo">Whether the sources of the destination's own device are taken all the same.</param>
public sealed record SetExceptions(RouteId Id, ImmutableArray<PortId> Except, bool OwnToo) : StudioEdit
{
    /// <inheritdoc/>
    public override string Title(Studio studio) => $"Exceptions of {RouteName(studio, Id)}";

    /// <inheritdoc/>
    public override EditResult Apply(Studio studio)
    {
        if (studio.FindRoute(Id) is not { } route) return RouteGone();
        if (route.From is not AnySource) return EditResult.Refused("route", "Only a route from any source has exceptions.");
        if (Except.Any(id => studio.FindPort(id) is not { IsSource: true })) return EditResult.Refused("route", "An exception is not a source. Nothing was changed.");
        var after = studio.With(routes: studio.Routes.Replace(route, route with { From = new AnySource([.. Except.Distinct()], OwnToo) }));
        return EditResult.Done(after);
    }
}

/// <summary>Makes a group of sources.</summary>
/// <param name="Name">Its name, as typed.</param>
public sealed record AddGroup(string? Name) : StudioEdit
{
    /// <inheritdoc/>
    public override string Title(Studio studio) => $"Add group {NameRule.Tidy(Name)}";

    /// <inheritdoc/>
    public override EditResult Apply(Studio studio)
    {
        var name = NameRule.Tidy(Name);
        if (NameRule.Check(name) is { } problem) return EditResult.Refused("group", problem);
        if (studio.Groups.Any(group => string.Equals(group.Name, name, StringComparison.OrdinalIgnoreCase)))
            return EditResult.Refused("group", $"There is already a group called “{name}”. Choose another name.");
        var id = studio.NextId;
        return EditResult.Done(studio.With(groups: studio.Groups.Add(new SourceGroup(new GroupId(id), name, [])), idsTaken: 1), id);
    }
}

/// <summary>Puts a source into a group or takes it out.</summary>
/// <param name="Id">The group.</param>
/// <param name="Member">The source.</param>
/// <param name="Present">Whether it shall be in.</param>
public sealed record SetMember(GroupId Id, PortId Member, bool Present) : StudioEdit
{
    /// <inheritdoc/>
    public override string Title(Studio studio) =>
        $"{(Present ? "Put" : "Take")} {PortName(studio, Member)} {(Present ? "into" : "out of")} {studio.FindGroup(Id)?.Name}";

    /// <inheritdoc/>
    public override EditResult Apply(Studio studio)
    {
        if (studio.FindGroup(Id) is not { } group) return EditResult.Refused("group", "That group is gone: it was removed meanwhile. Nothing was changed.");
        if (studio.FindPort(Member) is not { IsSource: true }) return EditResult.Refused("group", "A group has sources as members. Nothing was changed.");
        var members = Present ? group.Members.Contains(Member) ? group.Members : group.Members.Add(Member) : group.Members.Remove(Member);
        var after = studio.With(groups: studio.Groups.Replace(group, group with { Members = members }));
        return EditResult.Done(after);
    }
}

/// <summary>Removes a group that no route uses.</summary>
/// <param name="Id">The group.</param>
public sealed record RemoveGroup(GroupId Id) : StudioEdit
{
    /// <inheritdoc/>
    public override string Title(Studio studio) => $"Remove group {studio.FindGroup(Id)?.Name}";

    /// <inheritdoc/>
    public override EditResult Apply(Studio studio)
    {
        if (studio.FindGroup(Id) is not { } group) return EditResult.Refused("group", "That group is gone already.");
        return studio.Routes.FirstOrDefault(route => route.From == new GroupSource(Id)) is { } route
            ? EditResult.Refused("group", $"{group.Name} is in use by {studio.Describe(route)}. Remove that route first.")
            : EditResult.Done(studio.With(groups: studio.Groups.Remove(group)));
    }
}

/// <summary>Solos a route or ends its solo. While any route that is on is soloed, only soloed routes are live.</summary>
/// <param name="Id">The route.</param>
/// <param name="Solo">Whether it shall be soloed.</param>
public sealed record SoloRoute(RouteId Id, bool Solo) : StudioEdit
{
    /// <inheritdoc/>
    public override string Title(Studio studio) => $"{(Solo ? "Solo" : "End solo of")} {RouteName(studio, Id)}";

    /// <inheritdoc/>
    public override EditResult Apply(Studio studio) =>
        studio.FindRoute(Id) is { } route ? ReplaceRoute(studio, route, route with { Solo = Solo }) : RouteGone();
}

/// <summary>Makes a route divert, or an ordinary one again.</summary>
/// <param name="Id">The route.</param>
/// <param name="Divert">Whether it shall take what it lets through away from the source's other routes.</param>
public sealed record DivertRoute(RouteId Id, bool Divert) : StudioEdit
{
    /// <inheritdoc/>
    public override string Title(Studio studio) => $"{(Divert ? "Divert" : "No longer divert")} {RouteName(studio, Id)}";

    /// <inheritdoc/>
    public override EditResult Apply(Studio studio) =>
        studio.FindRoute(Id) is { } route ? ReplaceRoute(studio, route, route with { Divert = Divert }) : RouteGone();
}

/// <summary>Moves a route before or after its neighbours: routes that divert are asked in this order.</summary>
/// <param name="Id">The route.</param>
/// <param name="By">How many places; negative is earlier.</param>
public sealed record MoveRoute(RouteId Id, int By) : StudioEdit
{
    /// <inheritdoc/>
    public override string Title(Studio studio) => $"Move {RouteName(studio, Id)} {(By < 0 ? "earlier" : "later")}";

    /// <inheritdoc/>
    public override EditResult Apply(Studio studio)
    {
        if (studio.FindRoute(Id) is not { } route) return RouteGone();
        var at = studio.Routes.IndexOf(route);
        var to = (int)Math.Clamp((long)at + By, 0, studio.Routes.Length - 1);
        return EditResult.Done(studio.With(routes: studio.Routes.RemoveAt(at).Insert(to, route)));
    }
}

/// <summary>Moves a stage before or after its neighbours.</summary>
/// <param name="Id">The route.</param>
/// <param name="Index">Which stage, from 0.</param>
/// <param name="By">How many places; negative is earlier.</param>
public sealed record MoveStage(RouteId Id, int Index, int By) : StudioEdit
{
    /// <inheritdoc/>
    public override string Title(Studio studio) => $"Move a stage of {RouteName(studio, Id)}";

    /// <inheritdoc/>
    public override EditResult Apply(Studio studio)
    {
        if (studio.FindRoute(Id) is not { } route) return RouteGone();
        if (Index < 0 || Index >= route.Stages.Length)
            return EditResult.Refused("stage", "That stage is not there any more: the route was changed meanwhile. Nothing was changed.");
        var to = (int)Math.Clamp((long)Index + By, 0, route.Stages.Length - 1);
        var stage = route.Stages[Index];
        return ReplaceRoute(studio, route, route with { Stages = route.Stages.RemoveAt(Index).Insert(to, stage) });
    }
}

/// <summary>Switches a route on or off. Switching it off ends at once the notes and pedals that it holds.</summary>
/// <param name="Id">The route.</param>
/// <param name="On">Whether it shall be on.</param>
public sealed record SwitchRoute(RouteId Id, bool On) : StudioEdit
{
    /// <inheritdoc/>
    public override string Title(Studio studio) => $"Switch {RouteName(studio, Id)} {(On ? "on" : "off")}";

    /// <inheritdoc/>
    public override EditResult Apply(Studio studio) =>
        studio.FindRoute(Id) is { } route ? ReplaceRoute(studio, route, route with { On = On }) : RouteGone();
}

/// <summary>Removes a route. The notes and pedals that it holds end at once.</summary>
/// <param name="Id">The route.</param>
public sealed record RemoveRoute(RouteId Id) : StudioEdit
{
    /// <inheritdoc/>
    public override string Title(Studio studio) => $"Remove {RouteName(studio, Id)}";

    /// <inheritdoc/>
    public override EditResult Apply(Studio studio) =>
        studio.FindRoute(Id) is { } route
            ? EditResult.Done(studio.With(routes: studio.Routes.Remove(route)))
            : EditResult.Refused("route", "That route is gone already.");
}

/// <summary>Puts a new stage at the end of a route.</summary>
/// <param name="Id">The route.</param>
/// <param name="Stage">The stage.</param>
public sealed record AddStage(RouteId Id, Stage Stage) : StudioEdit
{
    /// <summary>The most stages a route may have.</summary>
    public const int MaxStages = 16;

    /// <inheritdoc/>
    public override string Title(Studio studio) => $"Add {Stage.Name} to {RouteName(studio, Id)}";

    /// <inheritdoc/>
    public override EditResult Apply(Studio studio)
    {
        if (studio.FindRoute(Id) is not { } route) return RouteGone();
        return route.Stages.Length == MaxStages
            ? EditResult.Refused("stage", $"A route has at most {MaxStages} stages.")
            : ReplaceRoute(studio, route, route with { Stages = route.Stages.Add(Stage) });
    }
}

/// <summary>Sets a stage anew.</summary>
/// <param name="Id">The route.</param>
/// <param name="Index">Which stage, from 0.</param>
/// <param name="Stage">What it shall be; of the same sort as what stands there.</param>
/// <param name="Was">What the person saw there; null where that does not matter. If something else stands there now, nothing is
/// changed: what another window did is not undone without a word.</param>
public sealed record SetStage(RouteId Id, int Index, Stage Stage, Stage? Was = null) : StudioEdit
{
    /// <inheritdoc/>
    public override string Title(Studio studio) => $"{Stage.Name} “{Stage.Sign}” on {RouteName(studio, Id)}";

    /// <inheritdoc/>
    public override EditResult Apply(Studio studio)
    {
        if (studio.FindRoute(Id) is not { } route) return RouteGone();
        if (Index < 0 || Index >= route.Stages.Length || route.Stages[Index].GetType() != Stage.GetType())
            return EditResult.Refused("stage", $"The {Stage.Name} stage is not there any more: the route was changed meanwhile. Nothing was changed.");
        if (Was is not null && !Was.Equals(route.Stages[Index]))
            return EditResult.Refused("stage", $"Another window has set this {Stage.Name} stage to “{route.Stages[Index].Sign}” meanwhile. Nothing was changed: look at it and set it again.");
        return ReplaceRoute(studio, route, route with { Stages = route.Stages.SetItem(Index, Stage) });
    }
}

/// <summary>Takes a stage off a route.</summary>
/// <param name="Id">The route.</param>
/// <param name="Index">Which stage, from 0.</param>
/// <param name="Name">The name of the stage that the person sees there.</param>
public sealed record RemoveStage(RouteId Id, int Index, string Name) : StudioEdit
{
    /// <inheritdoc/>
    public override string Title(Studio studio) => $"Take {Name} off {RouteName(studio, Id)}";

    /// <inheritdoc/>
    public override EditResult Apply(Studio studio)
    {
        if (studio.FindRoute(Id) is not { } route) return RouteGone();
        if (Index < 0 || Index >= route.Stages.Length || route.Stages[Index].Name != Name)
            return EditResult.Refused("stage", "That stage is not there any more: the route was changed meanwhile. Nothing was changed.");
        return ReplaceRoute(studio, route, route with { Stages = route.Stages.RemoveAt(Index) });
    }
}

/// <summary>Puts another studio, read from a file, in the place of this one.</summary>
/// <param name="Other">The other studio.</param>
public sealed record ReplaceStudio(Studio Other) : StudioEdit
{
    /// <inheritdoc/>
    public override string Title(Studio studio) => $"Import {Other.Name}";

    /// <inheritdoc/>
    public override EditResult Apply(Studio studio)
    {
        // What is there by its number (a held note, a stand-in) must not be taken for something else.
        var by = studio.NextId - 1;
        return Other.NextId + by > Studio.MaxIds
            ? EditResult.Refused("import", "This studio has used up its numbers. Import the file into a fresh data folder.")
            : EditResult.Done(Other.Renumbered(by));
    }
}
