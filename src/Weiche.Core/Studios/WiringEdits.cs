namespace Weiche.Core.Studios;

/// <summary>Plugs a cable between two jacks, named in either order.</summary>
/// <param name="One">One jack.</param>
/// <param name="Other">The other.</param>
public sealed record PlugCable(JackId One, JackId Other) : StudioEdit
{
    private const string Field = "cable";

    /// <inheritdoc/>
    public override string Title(Studio studio) => $"Plug {Name(studio, One)} into {Name(studio, Other)}";

    /// <inheritdoc/>
    public override EditResult Apply(Studio studio)
    {
        if (studio.FindJack(One) is not { } one || studio.FindJack(Other) is not { } other)
            return EditResult.Refused(Field, "That jack is gone: its device was removed meanwhile. Nothing was changed.");
        if (one.Device.Id == other.Device.Id)
            return EditResult.Refused(Field, $"{Name(studio, One)} into {Name(studio, Other)}: a cable does not lead from {one.Device.Name} to itself.");
        var (from, to) = one.Jack.Sends ? (one, other) : (other, one);
        if (one.Jack.Sends == other.Jack.Sends) return BothAlike(studio, one, other);
        if (studio.CableAt(from.Jack.Id)?.To == to.Jack.Id) return EditResult.Refused(Field, $"{Name(studio, from)} is plugged into {Name(studio, to)} already.");
        if (studio.CableAt(to.Jack.Id) is { } coming) return ToTaken(studio, from, to, studio.FindJack(coming.From)!.Value);
        if (studio.CableAt(from.Jack.Id) is not null) return FromTaken(studio, from, to);
        var after = studio.With(cables: studio.Cables.Add(new Cable(from.Jack.Id, to.Jack.Id)));
        return RunsInRing(after, to)
            ? EditResult.Refused(Field, $"{Name(studio, from)} into {Name(studio, to)} closes a ring of thrus: what runs into it would never come out. Nothing was changed.")
            : EditResult.Done(after);
    }

    /// <summary>A jack as one says it: "Weiher 4×4 OUT 2".</summary>
    /// <param name="studio">The studio.</param>
    /// <param name="id">The jack.</param>
    internal static string Name(Studio studio, JackId id) => studio.FindJack(id) is { } jack ? Name(studio, jack) : "a jack that is gone";

    private static string Name(Studio studio, (Device Device, Jack Jack) jack) => $"{jack.Device.Name} {jack.Jack.Name}";

    private static EditResult BothAlike(Studio studio, (Device Device, Jack Jack) one, (Device Device, Jack Jack) other)
    {
        var sends = one.Jack.Sends;
        var what = $"{Name(studio, one)} into {Name(studio, other)}: both {(sends ? "send" : "receive")}.";
        // The one with more jacks is the interface, which has others to offer.
        var (kept, offering) = one.Device.Jacks.Length > other.Device.Jacks.Length ? (other, one.Device) : (one, other.Device);
        if (Free(studio, offering, !sends) is { } free)
        {
            return EditResult.Refused(Field, $"{what} {(sends ? "To hear what" : "To reach")} {kept.Device.Name}{(sends ? " sends" : "")}, use {free.Name}, which is free.",
                Offer(studio, $"Plug into {free.Name}", kept.Jack.Id, free.Id));
        }
        return EditResult.Refused(Field, $"{what} {offering.Name} has no free jack that {(sends ? "receives" : "sends")}: take a cable out first, or use another interface.");
    }

    private static EditResult FromTaken(Studio studio, (Device Device, Jack Jack) from, (Device Device, Jack Jack) to)
    {
        var chain = studio.Chain(from.Jack.Id);
        var fed = chain.Count > 0 ? chain[0].Device.Name : "something";
        // The last device of the chain may have a thru that is free.
        var thru = chain.Count > 0 && chain[^1].Device.Id != to.Device.Id ? chain[^1].Device.Jacks.FirstOrDefault(jack => jack.Role == JackRole.Thru && studio.CableAt(jack.Id) is null) : null;
        var free = Free(studio, from.Device, sends: true);
        var ways = string.Join(", or ", new[] { thru is null ? null : $"take the THRU of {chain[^1].Device.Name}", free is null ? null : $"take {free.Name}, which is free" }.OfType<string>());
        return EditResult.Refused(
            Field,
            $"{Name(studio, from)} already feeds {fed}; {(ways.Length > 0 ? ways : "it has no other free output: take that cable out first")}.",
            thru is not null ? Offer(studio, $"Take the THRU of {chain[^1].Device.Name}", thru.Id, to.Jack.Id)
            : free is not null ? Offer(studio, $"Plug into {free.Name}", free.Id, to.Jack.Id) : null);
    }

    private static EditResult ToTaken(Studio studio, (Device Device, Jack Jack) from, (Device Device, Jack Jack) to, (Device Device, Jack Jack) coming)
    {
        var free = Free(studio, to.Device, sends: false);
        return EditResult.Refused(
            Field,
            $"{Name(studio, to)} already hears {Name(studio, coming)}; {(free is null ? "a jack takes one cable: take that one out first" : $"{free.Name} is free")}.",
            free is null ? null : Offer(studio, $"Plug into {free.Name}", from.Jack.Id, free.Id));
    }

    /// <summary>What would work instead, if it would.</summary>
    private static Remedy? Offer(Studio studio, string label, JackId one, JackId other)
    {
        var instead = new PlugCable(one, other);
        return instead.Apply(studio).Studio is null ? null : new Remedy(label, instead);
    }

    private static Jack? Free(Studio studio, Device device, bool sends) =>
        device.Jacks.FirstOrDefault(jack => jack.Role == (sends ? JackRole.Out : JackRole.In) && studio.CableAt(jack.Id) is null);

    private static bool RunsInRing(Studio studio, (Device Device, Jack Jack) to)
    {
        foreach (var thru in to.Device.InnerPaths.Where(path => path.Kind == InnerPathKind.Thru && path.From == InnerEnd.At(to.Jack.Id)))
        {
            if (studio.Chain(new JackId(thru.To.Id)).Any(link => link.In.Id == to.Jack.Id)) return true;
        }
        return false;
    }
}

/// <summary>Takes the cable out of a jack.</summary>
/// <param name="Jack">A jack at either end.</param>
public sealed record UnplugCable(JackId Jack) : StudioEdit
{
    /// <inheritdoc/>
    public override string Title(Studio studio) => $"Take the cable out of {PlugCable.Name(studio, Jack)}";

    /// <inheritdoc/>
    public override EditResult Apply(Studio studio) => studio.CableAt(Jack) is { } cable
        ? EditResult.Done(studio.With(cables: studio.Cables.Remove(cable)))
        : EditResult.Refused("cable", "There is no cable in that jack: it was taken out meanwhile. Nothing was changed.");
}
