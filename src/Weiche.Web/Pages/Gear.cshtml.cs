using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Weiche.Core.Studios;
using Weiche.Web.Desk;

namespace Weiche.Web.Pages;

/// <summary>What Gear shows.</summary>
/// <param name="State">The studio.</param>
/// <param name="Chosen">The device whose facts stand in the drawer, or null.</param>
/// <param name="Problem">What could not be done, or null.</param>
/// <param name="TypedName">The name as it was typed when there is a problem with it.</param>
public sealed record GearView(DeskState State, Device? Chosen, Problem? Problem = null, string? TypedName = null)
{
    /// <summary>Devices other than virtual ports.</summary>
    public IEnumerable<Device> Devices => State.Studio.Devices.Where(device => device.Kind != DeviceKind.VirtualPort);

    /// <summary>Virtual ports.</summary>
    public IEnumerable<Device> VirtualPorts => State.Studio.Devices.Where(device => device.Kind == DeviceKind.VirtualPort);

    /// <summary>The routes that come from or go to a device.</summary>
    /// <param name="device">The device.</param>
    public IReadOnlyList<Route> RoutesOf(Device device) =>
        [.. State.Studio.Routes.Where(route => device.Ports.Any(port => route.From == port.Id || route.To == port.Id))];
}

/// <summary>Gear: what is there, what it is called, switched on or off.</summary>
/// <param name="desk">The running studio.</param>
public sealed class GearModel(StudioDesk desk) : PageModel
{
    private const string Fragment = "_Gear";

    /// <summary>What is shown.</summary>
    public GearView View { get; private set; } = new(desk.State, null);

    /// <summary>The page.</summary>
    /// <param name="device">The device in the drawer.</param>
    public IActionResult OnGet(int? device)
    {
        Look(device);
        return this.Show(Fragment, View);
    }

    /// <summary>Makes a virtual port.</summary>
    /// <param name="name">Its name.</param>
    public IActionResult OnPostAdd(string? name)
    {
        var result = desk.Apply(new AddVirtualPort(name));
        Look(result.Problem is null ? result.NewId : null, result.Problem is { } problem ? problem with { Field = "add" } : null, name);
        return Answer(result);
    }

    /// <summary>Renames a device or virtual port.</summary>
    /// <param name="device">Which.</param>
    /// <param name="name">Its new name.</param>
    public IActionResult OnPostRename(int device, string? name)
    {
        var result = desk.Apply(new RenameDevice(new DeviceId(device), name));
        Look(device, result.Problem, name);
        return Answer(result);
    }

    /// <summary>Switches a port.</summary>
    /// <param name="port">Which.</param>
    /// <param name="on">On or off.</param>
    /// <param name="device">The device in the drawer.</param>
    public IActionResult OnPostSwitch(int port, bool on, int? device)
    {
        var result = desk.Apply(new SwitchPort(new PortId(port), on));
        Look(device, result.Problem);
        return Answer(result);
    }

    /// <summary>Removes a virtual port.</summary>
    /// <param name="device">Which.</param>
    public IActionResult OnPostRemove(int device)
    {
        var result = desk.Apply(new RemoveVirtualPort(new DeviceId(device)));
        Look(device, result.Problem);
        return Answer(result);
    }

    private void Look(int? device, Problem? problem = null, string? typed = null)
    {
        var state = desk.State;
        View = new GearView(state, device is { } id ? state.Studio.FindDevice(new DeviceId(id)) : null, problem, problem is null ? null : typed);
    }

    private IActionResult Answer(EditResult result) =>
        this.Answer(result.Problem, Fragment, View, View.Chosen is { } chosen ? $"/gear?device={chosen.Id}" : "/gear");
}
