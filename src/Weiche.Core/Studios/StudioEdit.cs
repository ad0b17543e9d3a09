using System.Collections.Immutable;
using Weiche.Core.Midi;
using Weiche.Core.Stages;

namespace Weiche.Core.Studios;

/// <summary>Why an edit cannot be made.</summary>
/// <param name="Field">The field it concerns ("name", "to" …), so that the sentence can stand beside it.</param>
/// <param name="Sentence">What is wrong and what would be right, for a person.</param>
public sealed record Problem(string Field, string Sentence);

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
    public static EditResult Refused(string field, string sentence) => new(null, new Problem(field, sentence), 0);
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

/// <summary>Makes a virtual port: a destination and the source where what it is sent comes out.</summary>
/// <param name="Name">Its name, as typed.</param>
public sealed record AddVirtualPort(string? Name) : StudioEdit
{
    /// <inheritdoc/>
    public override string Title(Studio studio) => $"Add virtual port {NameRule.Tidy(Name)}";

    /// <inheritdoc/>
    public override EditResult Apply(Studio studio)
    {
        var name = NameRule.Tidy(Name);
        if (CheckNewName(studio, name, null) is { } problem) return EditResult.Refused("name", problem);
        var id = studio.NextId;
        var device = new Device(new DeviceId(id), name, DeviceKind.VirtualPort, ChannelSet.All, ChannelSet.All, false, null,
        [
            new Port(new PortId(id + 1), PortDirection.Source, "", WireKind.Virtual),
            new Port(new PortId(id + 2), PortDirection.Destination, "", WireKind.Virtual),
        ]);
        return EditResult.Done(studio.With(devices: studio.Devices.Add(device), idsTaken: 3), id);
    }
}

/// <summary>Removes a virtual port that no route uses.</summary>
/// <param name="Id">The virtual port.</param>
public sealed record RemoveVirtualPort(DeviceId Id) : StudioEdit
{
    /// <inheritdoc/>
    public override string Title(Studio studio) => $"Remove virtual port {studio.FindDevice(Id)?.Name}";

    /// <inheritdoc/>
    public override EditResult Apply(Studio studio)
    {
        if (studio.FindDevice(Id) is not { } device)
            return EditResult.Refused("port", "That virtual port is gone already.");
        if (device.Kind != DeviceKind.VirtualPort)
            return EditResult.Refused("port", $"{device.Name} is a device, not a virtual port. Switch its ports off instead.");
        var used = studio.Routes.Where(route => device.Ports.Any(port => port.Id == route.From || port.Id == route.To)).ToList();
        if (used.Count > 0)
        {
            var routes = string.Join(", ", used.Take(3).Select(studio.Describe)) + (used.Count > 3 ? " …" : "");
            return EditResult.Refused("port", $"{device.Name} is in use by {routes}. Remove {(used.Count == 1 ? "that route" : "those routes")} first.");
        }
        return EditResult.Done(studio.With(devices: studio.Devices.Remove(device)));
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
        var device = found.Device with { Ports = found.Device.Ports.Replace(found.Port, found.Port with { On = On }) };
        return EditResult.Done(studio.With(devices: studio.Devices.Replace(found.Device, device)));
    }
}

/// <summary>Lays a route from a source to a destination, switched on and without stages.</summary>
/// <param name="From">The source.</param>
/// <param name="To">The destination.</param>
public sealed record LayRoute(PortId From, PortId To) : StudioEdit
{
    /// <inheritdoc/>
    public override string Title(Studio studio) =>
        $"Lay {studio.FindPort(From)?.Name ?? "?"} → {studio.FindPort(To)?.Name ?? "?"}";

    /// <inheritdoc/>
    public override EditResult Apply(Studio studio)
    {
        if (studio.FindPort(From) is not { } from)
            return EditResult.Refused("from", "The port the route should come from is gone: it was removed meanwhile. Nothing was changed.");
        if (studio.FindPort(To) is not { } to)
            return EditResult.Refused("to", "The port the route should go to is gone: it was removed meanwhile. Nothing was changed.");
        if (!from.IsSource) return EditResult.Refused("from", $"A route comes from a source. “{from.Label}” is a destination.");
        if (to.IsSource) return EditResult.Refused("to", $"A route goes to a destination. “{to.Label}” is a source.");
        if (studio.Routes.Any(route => route.From == From && route.To == To))
            return EditResult.Refused("to", $"There is a route {from.Label} {to.Label} already.");
        if (from.Device.Kind == DeviceKind.VirtualPort && from.Device.Id == to.Device.Id)
            return EditResult.Refused("to", $"A route cannot go from {from.Name} to itself: what is sent to it comes out of it again, in a circle.");
        if (VirtualCircle.Find(studio, from, to) is { } circle)
            return EditResult.Refused("to", $"This would let messages run in a circle: {circle}. Nothing was changed.");
        var laid = new Route(new RouteId(studio.NextId), From, To, true, []);
        return EditResult.Done(studio.With(routes: studio.Routes.Add(laid), idsTaken: 1), laid.Id.Value);
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
public sealed record SetStage(RouteId Id, int Index, Stage Stage) : StudioEdit
{
    /// <inheritdoc/>
    public override string Title(Studio studio) => $"{Stage.Name} “{Stage.Sign}” on {RouteName(studio, Id)}";

    /// <inheritdoc/>
    public override EditResult Apply(Studio studio)
    {
        if (studio.FindRoute(Id) is not { } route) return RouteGone();
        if (Index < 0 || Index >= route.Stages.Length || route.Stages[Index].GetType() != Stage.GetType())
            return EditResult.Refused("stage", $"The {Stage.Name} stage is not there any more: the route was changed meanwhile. Nothing was changed.");
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
