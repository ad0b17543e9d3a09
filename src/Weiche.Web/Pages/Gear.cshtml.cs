using System.Globalization;
using System.Text;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Weiche.Core.Studios;
using Weiche.Files;
using Weiche.Ports.Raw;
using Weiche.Web.Desk;

namespace Weiche.Web.Pages;

/// <summary>What Gear shows.</summary>
/// <param name="State">The studio.</param>
/// <param name="Chosen">The device whose facts stand in the drawer, or null.</param>
/// <param name="Problem">What could not be done, or null.</param>
/// <param name="TypedName">The name as it was typed when there is a problem with it.</param>
/// <param name="TypedAddress">The path as it was typed when there is a problem with it.</param>
public sealed record GearView(DeskState State, Device? Chosen, Problem? Problem = null, string? TypedName = null, string? TypedAddress = null)
{
    /// <summary>Raw MIDI devices of this computer that are not in the studio yet.</summary>
    public IReadOnlyList<FoundDevice> Found { get; init; } = [];

    /// <summary>Whether the raw devices are there.</summary>
    public Func<DeviceId, Presence?> PresenceOf { get; init; } = _ => null;

    /// <summary>Whether a device is a raw device that is not there.</summary>
    /// <param name="device">The device.</param>
    public bool IsMissing(Device device) => PresenceOf(device.Id) is { Present: false };

    /// <summary>Whether a raw device is there, in words.</summary>
    /// <param name="device">The device.</param>
    public string PresenceWords(Device device) => PresenceOf(device.Id) switch
    {
        { Present: true } => "present",
        { } presence => string.Create(CultureInfo.InvariantCulture, $"missing since {presence.Since.ToLocalTime():HH:mm}: {presence.Reason}"),
        null => "",
    };

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
/// <param name="places">Where raw devices are looked for.</param>
public sealed class GearModel(StudioDesk desk, RawPlaces places) : PageModel
{
    private const string Fragment = "_Gear";
    private const long MaxStudioFile = 900_000;

    /// <summary>What is shown.</summary>
    public GearView View { get; private set; } = null!;

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

    /// <summary>Adds a raw device.</summary>
    /// <param name="name">Its name.</param>
    /// <param name="address">Its path.</param>
    /// <param name="way">"from", "to" or "both".</param>
    public IActionResult OnPostAddRaw(string? name, string? address, string? way)
    {
        var result = desk.Apply(new AddRawDevice(name, address, way != "to", way != "from"));
        Look(result.Problem is null ? result.NewId : null, result.Problem, name, address);
        return Answer(result);
    }

    /// <summary>Makes a group of sources.</summary>
    /// <param name="name">Its name.</param>
    public IActionResult OnPostAddGroup(string? name)
    {
        var result = desk.Apply(new AddGroup(name));
        Look(null, result.Problem, name);
        return Answer(result);
    }

    /// <summary>Puts a source into a group or takes it out.</summary>
    /// <param name="group">The group.</param>
    /// <param name="port">The source.</param>
    /// <param name="present">Whether it shall be in.</param>
    /// <param name="device">The device in the drawer.</param>
    public IActionResult OnPostMember(int group, int port, bool present, int? device)
    {
        var result = desk.Apply(new SetMember(new GroupId(group), new PortId(port), present));
        Look(device, result.Problem);
        return Answer(result);
    }

    /// <summary>Removes a group.</summary>
    /// <param name="group">Which.</param>
    public IActionResult OnPostRemoveGroup(int group)
    {
        var result = desk.Apply(new RemoveGroup(new GroupId(group)));
        Look(null, result.Problem);
        return Answer(result);
    }

    /// <summary>The whole studio as a file.</summary>
    public IActionResult OnGetExport()
    {
        var studio = desk.State.Studio;
        return File(Encoding.UTF8.GetBytes(StudioJson.Write(studio)), "application/json", studio.Name + ".json");
    }

    /// <summary>Puts the studio of a file in the place of this one.</summary>
    /// <param name="file">The file.</param>
    public async Task<IActionResult> OnPostImportAsync(IFormFile? file)
    {
        var (studio, problem) = await ReadAsync(file);
        var result = studio is null ? EditResult.Refused("import", problem) : desk.Apply(new ReplaceStudio(studio));
        Look(null, result.Problem);
        return Answer(result);
    }

    private static async Task<(Studio? Studio, string Problem)> ReadAsync(IFormFile? file)
    {
        if (file is null) return (null, "Choose a file first.");
        if (file.Length > MaxStudioFile) return (null, $"{file.FileName} has {file.Length} bytes; a studio has at most {MaxStudioFile} here. ./weiche import takes larger ones.");
        using var reader = new StreamReader(file.OpenReadStream(), Encoding.UTF8);
        try
        {
            return (StudioJson.Read(await reader.ReadToEndAsync()), "");
        }
        catch (StudioFormatException exception)
        {
            return (null, $"{file.FileName} is not a studio that can be read. {exception.Message} Nothing was changed.");
        }
    }

    private void Look(int? device, Problem? problem = null, string? typed = null, string? address = null)
    {
        var state = desk.State;
        View = new GearView(state, device is { } id ? state.Studio.FindDevice(new DeviceId(id)) : null, problem, problem is null ? null : typed, address)
        {
            Found = [.. RawListing.Find(places).Where(found => !state.Studio.Devices.Any(known => known.Address == found.Path))],
            PresenceOf = desk.Park.PresenceOf,
        };
    }

    private IActionResult Answer(EditResult result) =>
        this.Answer(result.Problem, Fragment, View, View.Chosen is { } chosen ? $"/gear?device={chosen.Id}" : "/gear");
}
