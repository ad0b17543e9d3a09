using Weiche.Core.Midi;

namespace Weiche.Core.Studios.Edits;

/// <summary>What was found in the room, and the change that would bring the studio in line with it. None is made by
/// itself.</summary>
/// <param name="Sentence">What was found.</param>
/// <param name="Agrees">Whether the studio says the same already.</param>
/// <param name="Remedy">The change, or null.</param>
public sealed record Proposal(string Sentence, bool Agrees, Remedy? Remedy = null);

/// <summary>Reads what the room answered against what the studio says.</summary>
public static class Proposals
{
    /// <summary>What the replies to identity requests mean.</summary>
    /// <param name="studio">The studio.</param>
    /// <param name="replies">The replies.</param>
    public static IReadOnlyList<Proposal> Of(Studio studio, IEnumerable<IdentityReply> replies) =>
        [.. replies.Select(reply => Of(studio, reply)).OfType<Proposal>()];

    /// <summary>Who did not answer an identity request: those that did before one by one, and all others together.</summary>
    /// <param name="studio">The studio.</param>
    /// <param name="asked">The destinations that were asked.</param>
    /// <param name="replies">The replies.</param>
    public static IReadOnlyList<Proposal> Silent(Studio studio, IEnumerable<PortId> asked, IReadOnlyCollection<IdentityReply> replies)
    {
        var answered = replies.Select(reply => reply.Asked).ToHashSet();
        var silent = asked
            .Where(port => !answered.Contains(port))
            .Select(studio.FindPort)
            .OfType<DevicePort>()
            .Where(port => !port.IsLoose)
            .DistinctBy(port => port.Device.Id)
            .ToList();
        var proposals = silent
            .Where(port => port.Device.Known?.Identity is not null && replies.All(reply => reply.Identity != port.Device.Known.Identity))
            .Select(port => new Proposal(
                $"{port.Device.Name} did not answer, and it did before: is it on, and are its IN and OUT plugged in?",
                false
            ))
            .ToList();
        var never = silent.Where(port => port.Device.Known?.Identity is null).Select(port => port.Device.Name).ToArray();
        if (never.Length > 0)
            proposals.Add(new Proposal($"No answer from {WordList.Of(never)}: many devices never answer.", true));
        return proposals;
    }

    /// <summary>What the ways back mean that soundings found.</summary>
    /// <param name="studio">The studio.</param>
    /// <param name="ways">The ways back.</param>
    public static IReadOnlyList<Proposal> Of(Studio studio, IEnumerable<WayBack> ways) =>
        [.. ways.Select(way => Of(studio, way)).OfType<Proposal>()];

    private static Proposal? Of(Studio studio, IdentityReply reply)
    {
        if (studio.FindPort(reply.Asked) is not { } asked || studio.FindPort(reply.From) is not { } from)
            return null;
        if (Moved(studio, reply, asked, from) is { } moved)
            return moved;
        var says = $"{asked.Label} answers {from.Label}: {reply.Identity}";
        if (asked.IsLoose && from.IsLoose)
            return new Proposal(
                $"Something between {asked.Place} and {from.Place} answers: {reply.Identity}. Name it: it is on {asked.Owner.Name}.",
                false
            );
        if (asked.Device.Id != from.Device.Id)
        {
            // What was asked by one name answered by another: a cable is missing in the studio, or is in another jack.
            var known = asked.IsLoose ? from : asked;
            var loose = asked.IsLoose ? asked : from;
            var jack = known.Device.Jacks.FirstOrDefault(each =>
                each.Role == (asked.IsLoose ? JackRole.In : JackRole.Out) && studio.CableAt(each.Id) is null
            );
            return loose.IsLoose && jack is not null
                ? new Proposal(
                    $"{known.Device.Name} {(asked.IsLoose ? "is reached through" : "answers on")} {loose.Place}: {reply.Identity}.",
                    false,
                    new Remedy($"Plug its {jack.Name} there", new PlugCable(jack.Id, loose.Port.Jack!.Value))
                )
                : new Proposal($"{says}. The studio says otherwise: look at the cables.", false);
        }
        var device = from.Device;
        if (device.Known?.Identity == reply.Identity)
            return new Proposal($"{device.Name} is itself: {reply.Identity}.", true);
        var remembered = (device.Known ?? new KnownAs("", "", "")) with { Identity = reply.Identity };
        return new Proposal($"{device.Name}: {reply.Identity}.", false, new Remedy("Know it by that", new SetKnown(device.Id, remembered)));
    }

    /// <summary>A device that is known by its identity and answers where the studio says that another one, or nothing, is plugged
    /// in.</summary>
    private static Proposal? Moved(Studio studio, IdentityReply reply, DevicePort asked, DevicePort from)
    {
        var known = studio.Devices.Where(device => device.Known?.Identity == reply.Identity).ToList();
        if (known is not [var itself] || asked.Port.Jack is not { } outgoing || asked.Device.Id == itself.Id)
            return null;
        var edits = new List<StudioEdit>();
        if (itself.Jacks.FirstOrDefault(jack => jack.Role == JackRole.In) is not { } heard)
            return null;
        Plug(outgoing, heard.Id);
        if (
            from.Port.Jack is { } incoming
            && from.Device.Id != itself.Id
            && itself.Jacks.FirstOrDefault(jack => jack.Role == JackRole.Out) is { } sends
        )
            Plug(sends.Id, incoming);
        var what =
            $"{itself.Name} answers at {asked.Place}, where the studio says "
            + $"{(asked.IsLoose ? "that nothing is plugged in" : $"that {asked.Device.Name} is")}.";
        var plugged = new ManyEdits([.. edits], $"{itself.Name} is plugged in at {asked.Place}");
        return new Proposal(what, false, plugged.Apply(studio).Studio is null ? null : new Remedy($"Plug {itself.Name} in there", plugged));

        void Plug(JackId one, JackId other)
        {
            foreach (var jack in new[] { one, other })
            {
                if (
                    studio.CableAt(jack) is not null
                    && !edits.OfType<UnplugCable>().Any(edit => studio.CableAt(edit.Jack) == studio.CableAt(jack))
                )
                    edits.Add(new UnplugCable(jack));
            }
            edits.Add(new PlugCable(one, other));
        }
    }

    private static Proposal? Of(Studio studio, WayBack way)
    {
        if (studio.FindPort(way.To) is not { } to || studio.FindPort(way.From) is not { } from)
            return null;
        var found =
            way.Came > 0
                ? $"{way.Came} of {way.Of} notes sent {to.Label} came back "
                    + $"{from.Label}{(way.Change is { IsNone: false } changed ? ", " + changed : "")}, after {way.Delay}"
                : $"What is sent {to.Label} comes back {from.Label}, in {way.Delay}";
        if (Reaches(studio, to, from, closedToo: false, out _))
            return new Proposal($"{found}. The plan says so too.", true);
        if (Reaches(studio, to, from, closedToo: true, out var closed))
        {
            var (device, path) = closed!.Value;
            return new Proposal(
                $"{found}: the {path.Name} of {device.Name} is open.",
                false,
                new Remedy($"Say so: {path.Name} on", new SwitchInnerPath(device.Id, path.Id, true))
            );
        }
        if (to.Device.Id == from.Device.Id && !to.IsLoose && EndOf(studio, to) is { } begin && EndOf(studio, from) is { } end)
        {
            var kind = to.Device.Kind.Facts().Monitors ? InnerPathKind.Monitor : InnerPathKind.Echo;
            var name = kind == InnerPathKind.Monitor ? "monitor" : "echo";
            return new Proposal(
                $"{found}: {to.Device.Name} sends on what it hears.",
                false,
                new Remedy(
                    $"Add this {name} to {to.Device.Name}",
                    new AddInnerPath(to.Device.Id, kind, name, begin, end, MidiSpan.Shorter(way.Delay, InnerPath.MaxDelay))
                    {
                        Stages = way.Change?.Stages ?? [],
                    }
                )
            );
        }
        if (
            from is { IsLoose: true, Port.Jack: { } into }
            && !to.IsLoose
            && to
                .Device.Jacks.Where(jack => jack.Sends && studio.CableAt(jack.Id) is null)
                .OrderBy(jack => jack.Role == JackRole.Thru ? 0 : 1)
                .FirstOrDefault()
                is { } free
        )
        {
            return new Proposal(
                $"{found}: a cable from {to.Device.Name} seems to lead there.",
                false,
                new Remedy($"Plug its {free.Name} there", new PlugCable(free.Id, into))
            );
        }
        return new Proposal(
            to.IsLoose && from.IsLoose
                ? $"{found}: a cable seems to lead straight from the one to the other. Take it out."
                : $"{found}. The studio knows of no such way: look at the cables.",
            false
        );
    }

    /// <summary>Where an inner path of the port's device begins or ends: at its jack, or at the port itself.</summary>
    private static Place? EndOf(Studio studio, DevicePort port) =>
        !port.IsBehind ? Place.At(port.Id)
        : studio.OtherEnd(port.Port.Jack!.Value) is { } far ? Place.At(far.Jack.Id)
        : null;

    /// <summary>Whether what is sent to a destination comes back on a source, through cables and inner paths alone.</summary>
    /// <param name="studio">The studio.</param>
    /// <param name="to">The destination.</param>
    /// <param name="from">The source.</param>
    /// <param name="closedToo">Whether one closed inner path may be on the way.</param>
    /// <param name="closed">The closed one.</param>
    private static bool Reaches(Studio studio, DevicePort to, DevicePort from, bool closedToo, out (Device Device, InnerPath Path)? closed)
    {
        closed = null;
        var seen = new HashSet<Place>();
        var next = new Queue<(Place At, (Device, InnerPath)? Closed)>();
        Enqueue(to.Port.Jack is { } jack ? Place.At(jack) : Place.At(to.Id), null);
        while (next.TryDequeue(out var here))
        {
            var device = DeviceAt(studio, here.At);
            if (device is null)
                continue;
            if (here.At == Place.At(from.Id) || from.Port.Jack is { } last && here.At == Place.At(last))
            {
                closed = here.Closed;
                return true;
            }
            if (
                here.At.Kind == PlaceKind.Jack
                && studio.FindJack(new JackId(here.At.Id)) is { Jack.Sends: true }
                && studio.OtherEnd(new JackId(here.At.Id)) is { } far
            )
                Enqueue(Place.At(far.Jack.Id), here.Closed);
            foreach (var path in device.InnerPaths.Where(path => path.From == here.At))
            {
                if (path.On)
                    Enqueue(path.To, here.Closed);
                else if (closedToo && here.Closed is null)
                    Enqueue(path.To, (device, path));
            }
        }
        return false;

        void Enqueue(Place at, (Device, InnerPath)? through)
        {
            if (seen.Add(at))
                next.Enqueue((at, through));
        }
    }

    private static Device? DeviceAt(Studio studio, Place end) =>
        end.Kind switch
        {
            PlaceKind.Jack => studio.FindJack(new JackId(end.Id))?.Device,
            PlaceKind.Port => studio.FindPort(new PortId(end.Id))?.Owner,
            _ => null,
        };
}
