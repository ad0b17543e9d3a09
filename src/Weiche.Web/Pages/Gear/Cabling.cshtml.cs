using Microsoft.AspNetCore.Mvc;
using Weiche.Core.Midi;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;
using Weiche.Web.Desk;
using Weiche.Web.Live;

namespace Weiche.Web.Pages.Gear;

/// <summary>Cables, jacks and the ways through devices.</summary>
/// <param name="desk">The running studio.</param>
/// <param name="spoken">What came last from each source.</param>
public sealed class CablingModel(StudioDesk desk, SpokenLog spoken) : GearPageModel(desk, spoken)
{
    /// <summary>What is here is seen on Gear.</summary>
    public IActionResult OnGet() => LocalRedirect("/gear");

    /// <summary>Plugs a cable.</summary>
    /// <param name="one">A jack.</param>
    /// <param name="other">The other jack.</param>
    /// <param name="device">The device in the drawer.</param>
    public IActionResult OnPostPlug(int one, int other, int? device) =>
        Done(Desk.Apply(new PlugCable(new JackId(one), new JackId(other))), device);

    /// <summary>Takes a cable out.</summary>
    /// <param name="jack">A jack at either end.</param>
    /// <param name="device">The device in the drawer.</param>
    public IActionResult OnPostUnplug(int jack, int? device) => Done(Desk.Apply(new UnplugCable(new JackId(jack))), device);

    /// <summary>Adds a jack.</summary>
    /// <param name="device">The device.</param>
    /// <param name="role">Which way it goes.</param>
    /// <param name="name">What is printed beside it.</param>
    public IActionResult OnPostAddJack(int device, JackRole role, string? name) =>
        Done(
            Enum.IsDefined(role)
                ? Desk.Apply(new AddJack(new DeviceId(device), role, name))
                : EditResult.Refused("jack", "A jack is IN, OUT or THRU."),
            device,
            name
        );

    /// <summary>Takes a jack off a device.</summary>
    /// <param name="device">The device.</param>
    /// <param name="jack">The jack.</param>
    public IActionResult OnPostRemoveJack(int device, int jack) =>
        Done(Desk.Apply(new RemoveJack(new DeviceId(device), new JackId(jack))), device);

    /// <summary>Opens or closes an inner path.</summary>
    /// <param name="device">The device.</param>
    /// <param name="path">The inner path.</param>
    /// <param name="on">Whether it is open.</param>
    public IActionResult OnPostInner(int device, int path, bool on) =>
        Done(Desk.Apply(new SwitchInnerPath(new DeviceId(device), new InnerPathId(path), on)), device);

    /// <summary>Adds an inner path.</summary>
    /// <param name="device">The device.</param>
    /// <param name="kind">What sort of way it is.</param>
    /// <param name="from">Where it begins.</param>
    /// <param name="to">Where it ends.</param>
    /// <param name="name">What the device calls it.</param>
    /// <param name="delay">How long a message takes, µs.</param>
    public IActionResult OnPostAddInner(int device, InnerPathKind kind, string? from, string? to, string? name, int delay)
    {
        var result =
            Place.TryParse(from ?? "", out var begin) && Place.TryParse(to ?? "", out var end) && Enum.IsDefined(kind)
                ? Desk.Apply(new AddInnerPath(new DeviceId(device), kind, name, begin, end, new MidiSpan(delay)))
                : EditResult.Refused("inner", "Say where it begins and where it ends.");
        return Done(result, device, name);
    }

    /// <summary>Takes an inner path away.</summary>
    /// <param name="device">The device.</param>
    /// <param name="path">The inner path.</param>
    public IActionResult OnPostRemoveInner(int device, int path) =>
        Done(Desk.Apply(new RemoveInnerPath(new DeviceId(device), new InnerPathId(path))), device);
}
