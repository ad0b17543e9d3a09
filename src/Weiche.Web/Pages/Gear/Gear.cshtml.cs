using Microsoft.AspNetCore.Mvc;
using Weiche.Core.Midi;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;
using Weiche.Web.Desk;
using Weiche.Web.Live;

namespace Weiche.Web.Pages.Gear;

/// <summary>Gear: what is there, how it is wired, what it is called, switched on or off.</summary>
/// <param name="desk">The running studio.</param>
/// <param name="spoken">What came last from each source.</param>
public sealed class GearModel(StudioDesk desk, SpokenLog spoken) : GearPageModel(desk, spoken)
{
    /// <summary>The page.</summary>
    /// <param name="device">The device in the drawer.</param>
    /// <param name="unit">What is plugged in and being named.</param>
    /// <param name="find">Whether a port is being found by playing.</param>
    /// <param name="stepping">The port that is off for a moment, while ports are switched one after the other.</param>
    public IActionResult OnGet(int? device, string? unit, bool find, int stepping)
    {
        Look(
            device,
            naming: unit,
            find: find,
            stepping: Desk.State.Studio.FindPort(new PortId(stepping)) is { Port.On: false } ? stepping : 0
        );
        return this.Show(Fragment, View);
    }

    /// <summary>Which ports spoke, the last one first.</summary>
    public IActionResult OnGetSpoke()
    {
        Look(null, find: true);
        return Partial("_Spoke", View);
    }

    /// <summary>Adds a device from a line.</summary>
    /// <param name="line">The line as typed.</param>
    /// <param name="unit">What is plugged in and shall be this device.</param>
    public IActionResult OnPostAddDevice(string? line, string? unit)
    {
        var plugged = Desk.Park.State.Call.New.FirstOrDefault(each => each.Key == unit);
        var result =
            !string.IsNullOrEmpty(unit) && plugged is null
                ? EditResult.Refused("line", "That is not plugged in any more. Nothing was added.")
                : Desk.Apply(new AddDevice(line, plugged));
        return Done(result, result.Problem is null ? result.NewId : null, line, naming: result.Problem is null ? null : unit);
    }

    /// <summary>Makes a device of what is plugged in or runs, as it is.</summary>
    /// <param name="unit">What is plugged in.</param>
    /// <param name="sounds">Whether it is taken in for its sound.</param>
    public IActionResult OnPostTake(string? unit, bool sounds)
    {
        var result = Desk.Park.State.Call.New.FirstOrDefault(each => each.Key == unit) is { } plugged
            ? Desk.Apply(new TakeUnit(plugged, sounds))
            : EditResult.Refused("line", "That is not there any more. Nothing was added.");
        return Done(result, null);
    }

    /// <summary>Lays the first route of a studio.</summary>
    /// <param name="from">The source.</param>
    /// <param name="to">The destination.</param>
    public IActionResult OnPostFirstRoute(int from, int to)
    {
        var result = Desk.Apply(new LayRoute(new PortId(from), new PortId(to)));
        return Done(result.Problem is { } problem ? EditResult.Refused("line", problem.Sentence) : result, null);
    }

    /// <summary>Opens the demo studio.</summary>
    public IActionResult OnPostDemo()
    {
        if (Desk.OpenDemo() is not { } problem)
            return RedirectToPage("/Plan/Plan");
        Look(null, new Problem("line", problem.Sentence));
        return Answer(EditResult.Refused("line", problem.Sentence));
    }

    /// <summary>Takes off what another program has connected.</summary>
    /// <param name="from">The source.</param>
    /// <param name="to">The destination.</param>
    public IActionResult OnPostPart(int from, int to)
    {
        var result = Desk.Apply(new PartOutside(new OutsideCable(new PortId(from), new PortId(to))));
        return Done(result.Problem is { } problem ? EditResult.Refused("line", problem.Sentence) : result, null);
    }

    /// <summary>Shows a virtual port to other programs, or keeps it for Weiche alone.</summary>
    /// <param name="device">Which.</param>
    /// <param name="inside">Whether it is for Weiche alone.</param>
    public IActionResult OnPostInside(int device, bool inside) => Done(Desk.Apply(new KeepInside(new DeviceId(device), inside)), device);

    /// <summary>Makes a virtual port, or several.</summary>
    /// <param name="name">The name.</param>
    public IActionResult OnPostAdd(string? name)
    {
        var result = Desk.Apply(new AddVirtualPort(name));
        return Done(
            result.Problem is { } problem ? EditResult.Refused("add", problem.Sentence) : result,
            result.Problem is null ? result.NewId : null,
            name
        );
    }

    /// <summary>Renames a device or virtual port.</summary>
    /// <param name="device">Which.</param>
    /// <param name="name">Its new name.</param>
    public IActionResult OnPostRename(int device, string? name) =>
        Done(Desk.Apply(new RenameDevice(new DeviceId(device), name)), device, name);

    /// <summary>Switches a port.</summary>
    /// <param name="port">Which.</param>
    /// <param name="on">On or off.</param>
    /// <param name="device">The device in the drawer.</param>
    public IActionResult OnPostSwitch(int port, bool on, int? device) => Done(Desk.Apply(new SwitchPort(new PortId(port), on)), device);

    /// <summary>Switches the port that is off on again, and the next one off: to hear by its silence what each carries.</summary>
    /// <param name="port">The port that is off; 0 to begin with the first.</param>
    /// <param name="stop">Whether this ends it.</param>
    /// <param name="device">The device in the drawer.</param>
    public IActionResult OnPostStep(int port, bool stop, int? device)
    {
        var ports = Desk.State.Studio.Ports.Where(each => !each.IsLoose).ToList();
        var at = ports.FindIndex(each => each.Id.Value == port);
        var result = at >= 0 ? Desk.Apply(new SwitchPort(ports[at].Id, true)) : EditResult.Done(Desk.State.Studio);
        // What was off before stays off: only ports that are on take part.
        var next = stop ? default : ports.Skip(at + 1).FirstOrDefault(each => each.Port.On);
        if (next.Device is not null && result.Problem is null)
            result = Desk.Apply(new SwitchPort(next.Id, false));
        Look(device, result.Problem, stepping: next.Device is null ? 0 : next.Id.Value);
        return Answer(result);
    }

    /// <summary>Overrules a port's label.</summary>
    /// <param name="port">Which.</param>
    /// <param name="label">The label; empty to let it write itself.</param>
    /// <param name="device">The device in the drawer.</param>
    public IActionResult OnPostLabel(int port, string? label, int? device) =>
        Done(Desk.Apply(new SetPortLabel(new PortId(port), label)), device, label);

    /// <summary>Says on which channels a device sends or listens.</summary>
    /// <param name="device">Which.</param>
    /// <param name="sends">Whether this is about what it sends.</param>
    /// <param name="channels">The channels as typed.</param>
    public IActionResult OnPostChannels(int device, bool sends, string? channels) =>
        Done(Desk.Apply(new SetChannels(new DeviceId(device), sends, channels)), device, channels);

    /// <summary>Says whether a device sends or listens to a kind of message.</summary>
    /// <param name="device">Which.</param>
    /// <param name="sends">Whether this is about what it sends.</param>
    /// <param name="kind">The kind.</param>
    /// <param name="present">Whether it does.</param>
    public IActionResult OnPostKind(int device, bool sends, MessageKind kind, bool present)
    {
        if (Desk.State.Studio.FindDevice(new DeviceId(device)) is not { } found || !Enum.IsDefined(kind))
            return Done(EditResult.Refused("kinds", "That device is gone: it was removed meanwhile. Nothing was changed."), device);
        return Done(Desk.Apply(new SetKinds(found.Id, sends, (sends ? found.SendsKinds : found.ListensKinds).With(kind, present))), device);
    }

    /// <summary>Says whether a device sounds.</summary>
    /// <param name="device">Which.</param>
    /// <param name="sounds">Whether it does.</param>
    /// <param name="audio">On which audio inputs its sound comes back.</param>
    public IActionResult OnPostSound(int device, bool sounds, string? audio) =>
        Done(Desk.Apply(new SetSound(new DeviceId(device), sounds, audio)), device, audio);

    /// <summary>Says how many messages of a kind a device sends in a second at worst.</summary>
    /// <param name="device">Which.</param>
    /// <param name="kind">The kind.</param>
    /// <param name="rate">How many; empty for what its sort does.</param>
    public IActionResult OnPostWorst(int device, MessageKind kind, string? rate) =>
        Done(Desk.Apply(new SetWorstRate(new DeviceId(device), kind, rate)), device, rate);

    /// <summary>Says which MPE zones a device speaks.</summary>
    /// <param name="device">Which.</param>
    /// <param name="lower">Members of the lower zone.</param>
    /// <param name="upper">Members of the upper zone.</param>
    /// <param name="bend">The bend range.</param>
    public IActionResult OnPostZones(int device, int lower, int upper, int bend) =>
        Done(Desk.Apply(new SetZones(new DeviceId(device), lower, upper, bend)), device);

    /// <summary>Gives a device another shape's name.</summary>
    /// <param name="device">Which.</param>
    /// <param name="kind">What it is.</param>
    public IActionResult OnPostShape(int device, DeviceKind kind) =>
        Done(Desk.Apply(new SetDeviceKind(new DeviceId(device), kind)), device);

    /// <summary>Pins a device to the place where it is, or lets it go.</summary>
    /// <param name="device">Which.</param>
    /// <param name="pinned">Whether the place tells it.</param>
    public IActionResult OnPostPin(int device, bool pinned)
    {
        var id = new DeviceId(device);
        return Desk.State.Studio.FindDevice(id)?.Known is { } known
            ? Done(
                Desk.Apply(
                    new SetKnown(
                        id,
                        known with
                        {
                            Pinned = pinned,
                            Place = Desk.Park.State.Call.Present.GetValueOrDefault(id)?.Place ?? known.Place,
                        }
                    )
                ),
                device
            )
            : Done(EditResult.Refused("known", "Nothing is known of where that device is."), device);
    }

    /// <summary>Says that a device is what is plugged in at a place.</summary>
    /// <param name="device">Which.</param>
    /// <param name="unit">What is plugged in.</param>
    public IActionResult OnPostIs(int device, string? unit)
    {
        var call = Desk.Park.State.Call;
        var plugged = call.New.Concat(call.Unclear.SelectMany(unclear => unclear.Units)).FirstOrDefault(each => each.Key == unit);
        return plugged is null
            ? Done(EditResult.Refused("known", "That is not plugged in any more. Nothing was changed."), device)
            : Done(
                Desk.Apply(
                    new SetKnown(
                        new DeviceId(device),
                        new KnownAs(plugged.Says, plugged.Serial, plugged.Place, plugged.Serial.Length == 0, plugged.Identity)
                    )
                ),
                device
            );
    }

    /// <summary>Brings the studio in line with what the room answered.</summary>
    /// <param name="sentence">What was shown of it.</param>
    public IActionResult OnPostPropose(string? sentence)
    {
        Look(null);
        return View.Proposed.FirstOrDefault(proposal => proposal.Sentence == sentence) is { Remedy: { } remedy }
            ? Done(Desk.Apply(remedy.Edit), null)
            : Done(
                EditResult.Refused("known", "The room does not say so any more: the studio was changed meanwhile. Nothing was changed."),
                null
            );
    }

    /// <summary>Removes a device or virtual port.</summary>
    /// <param name="device">Which.</param>
    /// <param name="withRoutes">Whether its routes go with it.</param>
    public IActionResult OnPostRemove(int device, bool withRoutes)
    {
        var result = Desk.Apply(new RemoveDevice(new DeviceId(device), withRoutes));
        return Done(result, result.Problem is null ? null : device);
    }

    /// <summary>Asks every destination who is there.</summary>
    public async Task<IActionResult> OnPostWhoAsync()
    {
        await Desk.Scout.AskAsync(
            Desk.State.Studio.Destinations.Where(port => port.Port.On && !port.Device.IsVirtualPort()).Select(port => port.Id)
        );
        return Done(EditResult.Done(Desk.State.Studio), null);
    }

    /// <summary>Sounds one destination, or all.</summary>
    /// <param name="port">Which; null for all.</param>
    /// <param name="device">The device in the drawer.</param>
    public async Task<IActionResult> OnPostSoundOutAsync(int? port, int? device)
    {
        await Desk.Scout.SoundAsync(
            Desk.State.Studio.Destinations.Where(each =>
                    each.Port.On && (port is { } one ? each.Id.Value == one : !each.Device.IsVirtualPort())
                )
                .Select(each => each.Id)
        );
        return Done(EditResult.Done(Desk.State.Studio), device);
    }

    /// <summary>Forgets what the room answered.</summary>
    public IActionResult OnPostForget()
    {
        Desk.Scout.Forget();
        return Done(EditResult.Done(Desk.State.Studio), null);
    }

    /// <summary>Sends a test note to a destination.</summary>
    /// <param name="port">Which.</param>
    /// <param name="channel">The channel, 1 to 16.</param>
    /// <param name="key">The key, by name or number.</param>
    /// <param name="device">The device in the drawer.</param>
    public IActionResult OnPostTest(int port, int channel, string? key, int? device)
    {
        EditResult result;
        if (channel is < 1 or > Channel.Count)
            result = EditResult.Refused("test", $"There is no channel {channel}: channels go from 1 to 16.");
        else if (!Desk.State.Studio.KeyNaming.TryParse(key ?? "", out var number))
            result = EditResult.Refused("test", $"“{key}” is not a key: write it like {Desk.State.Studio.KeyNaming.Of(60)} or 60.");
        else if (Desk.State.Studio.FindPort(new PortId(port)) is not { IsSource: false } to)
            result = EditResult.Refused("test", "That destination is gone: it was removed meanwhile.");
        else if (!to.Port.On)
            result = EditResult.Refused("test", $"{to.Label} is switched off.");
        else
        {
            _ = Desk.Scout.PlayAsync(to.Id, Channel.FromNumber(channel), number);
            result = EditResult.Done(Desk.State.Studio);
        }
        return Done(result, device, key);
    }

    /// <summary>Adds a raw device.</summary>
    /// <param name="name">Its name.</param>
    /// <param name="address">Its path.</param>
    /// <param name="way">"from", "to" or "both".</param>
    /// <param name="says">The name the system gives it.</param>
    public IActionResult OnPostAddRaw(string? name, string? address, string? way, string? says)
    {
        var result = Desk.Apply(new AddRawDevice(name, address, way != "to", way != "from", says));
        Look(result.Problem is null ? result.NewId : null, result.Problem, name, address);
        return Answer(result);
    }

    /// <summary>Gives a device's keys their names.</summary>
    /// <param name="device">Which.</param>
    /// <param name="list">The list, as typed or pasted.</param>
    public IActionResult OnPostKeys(int device, string? list) =>
        Done(Desk.Apply(new SetKeyNames(new DeviceId(device), list)), device, list);

    /// <summary>Gives a device's programs their names.</summary>
    /// <param name="device">Which.</param>
    /// <param name="list">The list, as typed or pasted.</param>
    public IActionResult OnPostPrograms(int device, string? list) =>
        Done(Desk.Apply(new SetPrograms(new DeviceId(device), list)), device, list);

    /// <summary>Makes something on a device a lever.</summary>
    /// <param name="device">Which.</param>
    /// <param name="line">The lever, as typed.</param>
    public IActionResult OnPostLever(int device, string? line) =>
        Done(
            LeverLine.TryParse(Desk.State.Studio, line, out var edit, out var problem)
                ? Desk.Apply(edit)
                : EditResult.Refused("lever", problem),
            device,
            line
        );

    /// <summary>Takes a lever off.</summary>
    /// <param name="device">The device in the drawer.</param>
    /// <param name="lever">Which lever.</param>
    public IActionResult OnPostUnlever(int device, int lever) => Done(Desk.Apply(new RemoveLever(new LeverId(lever))), device);

    /// <summary>Makes a group of sources.</summary>
    /// <param name="name">Its name.</param>
    public IActionResult OnPostAddGroup(string? name) => Done(Desk.Apply(new AddGroup(name)), null, name);

    /// <summary>Puts a source into a group or takes it out.</summary>
    /// <param name="group">The group.</param>
    /// <param name="port">The source.</param>
    /// <param name="present">Whether it shall be in.</param>
    /// <param name="device">The device in the drawer.</param>
    public IActionResult OnPostMember(int group, int port, bool present, int? device) =>
        Done(Desk.Apply(new SetMember(new GroupId(group), new PortId(port), present)), device);

    /// <summary>Removes a group.</summary>
    /// <param name="group">Which.</param>
    public IActionResult OnPostRemoveGroup(int group) => Done(Desk.Apply(new RemoveGroup(new GroupId(group))), null);
}
