using System.Collections.Immutable;
using Weiche.Core.Midi;
using Weiche.Core.Stages;
using Weiche.Core.Studios;

namespace Weiche.Core.Ways;

/// <summary>What carries a message from one place to the next outside the engine.</summary>
public enum LinkKind
{
    /// <summary>A port of an interface and the jack that it stands for.</summary>
    Socket,

    /// <summary>A cable between two jacks.</summary>
    Cable,

    /// <summary>A way through a device.</summary>
    Inner,

    /// <summary>A virtual port: what its destination is sent comes out of its source.</summary>
    Virtual,

    /// <summary>A connection that another program has made.</summary>
    Outside,
}

/// <summary>A step from one place to the next that no route makes.</summary>
/// <param name="From">Where it begins: a jack, a port or a device's keys.</param>
/// <param name="To">Where it ends: a jack, a port or a device's sound.</param>
/// <param name="Kind">What it is.</param>
/// <param name="Device">The device whose way it is; for a cable the one that sends.</param>
/// <param name="Inner">The inner path, if it is one.</param>
/// <param name="Delay">How long it takes, the time of the bytes on the wire aside.</param>
/// <param name="ByteTime">How much longer for each byte of the message.</param>
public sealed record Link(Place From, Place To, LinkKind Kind, Device Device, InnerPath? Inner, MidiSpan Delay, MidiSpan ByteTime)
{
    /// <summary>Whether it is open.</summary>
    public bool On => Inner is not { On: false };

    /// <summary>What a message goes through on it.</summary>
    public ImmutableArray<Stage> Stages => Inner?.Stages ?? [];

    /// <summary>The connection of another program that it is; null for any other.</summary>
    public OutsideCable? Outside => Kind == LinkKind.Outside ? new OutsideCable(new PortId(From.Id), new PortId(To.Id)) : null;
}

/// <summary>A way on which what is sent to a destination comes back on a source, or what comes from a source also gets to a
/// destination, without any route.</summary>
/// <param name="Source">The source.</param>
/// <param name="Destination">The destination.</param>
/// <param name="IsBack">Whether it leads from the destination to the source; else the other way.</param>
/// <param name="Links">Its steps in their order.</param>
public sealed record RoomWay(PortId Source, PortId Destination, bool IsBack, ImmutableArray<Link> Links)
{
    /// <summary>Whether every step of it is open.</summary>
    public bool On => Links.All(link => link.On);

    /// <summary>The connection of another program that it is; null for any other way.</summary>
    public OutsideCable? Outside => Links is [var link] ? link.Outside : null;

    /// <summary>The ways through devices on it, in words: "Brandung: sequencer page".</summary>
    public string Name =>
        string.Join(
            ", ",
            Links
                .Where(link => link.Kind == LinkKind.Inner)
                .Select(link => $"{link.Device.Name}: {link.Inner!.Name}")
                .DefaultIfEmpty(
                    Outside is not null ? "another program"
                    : Links.Any(link => link.Kind == LinkKind.Virtual) ? Links[0].Device.Name
                    : "cables"
                )
        );
}

/// <summary>The ways that messages take in the room: through sockets, cables, devices and virtual ports.</summary>
public sealed class RoomLinks
{
    private readonly ILookup<Place, Link> _from;
    private readonly Studio _studio;

    private RoomLinks(Studio studio, IEnumerable<Link> links)
    {
        _studio = studio;
        _from = links.ToLookup(link => link.From);
        Own = studio
            .Outside.SelectMany(cable => new[] { BeginOf(studio, cable), EndOf(studio, cable) })
            .OfType<Place>()
            .Where(place => place.Kind == PlaceKind.Own)
            .ToHashSet();
    }

    /// <summary>The ways of a studio.</summary>
    /// <param name="studio">The studio.</param>
    public static RoomLinks Of(Studio studio) => new(studio, Links(studio));

    /// <summary>Every step.</summary>
    public IEnumerable<Link> All => _from.SelectMany(links => links);

    /// <summary>Weiche's own ports for those of other programs, as far as others connected something there.</summary>
    public IReadOnlySet<Place> Own { get; }

    /// <summary>Where routes from a source begin, or routes to a destination end: at the port, and at Weiche's own for it if others
    /// connected something there.</summary>
    /// <param name="port">The port.</param>
    public ImmutableArray<Place> EndsAt(PortId port) =>
        Own.Contains(Place.Own(port)) ? [Place.At(port), Place.Own(port)] : [Place.At(port)];

    /// <summary>The steps that begin at a place.</summary>
    /// <param name="place">The place.</param>
    public IEnumerable<Link> From(Place place) => _from[place];

    /// <summary>Where what a source brings begins: at the jack of the device that sends it, or at the port itself.</summary>
    /// <param name="studio">The studio.</param>
    /// <param name="source">A source of it.</param>
    public static Place OriginOf(Studio studio, DevicePort source) =>
        source.Port.Jack is not { } jack ? Place.At(source.Id)
        : studio.OtherEnd(jack) is { } far ? Place.At(far.Jack.Id)
        : Place.At(jack);

    /// <summary>The device that hears what gets to a place, or null where none does: interfaces and virtual ports pass on.</summary>
    /// <param name="studio">The studio.</param>
    /// <param name="place">A place.</param>
    public static Device? HearerAt(Studio studio, Place place)
    {
        var device = place.Kind switch
        {
            PlaceKind.Jack => studio.FindJack(new JackId(place.Id)) is { Jack.Sends: false } found ? found.Device : null,
            PlaceKind.Port => studio.FindPort(new PortId(place.Id)) is { IsSource: false, Port.Jack: null } port ? port.Owner : null,
            _ => null,
        };
        return device?.PassesOn() == true ? null : device;
    }

    /// <summary>Every way in the room from a destination back to a source, and from a source on to a destination, the closed
    /// ones included; of several between the same two the shortest, an open one before a closed one.</summary>
    /// <remarks>What another program connects of two sources, or of two destinations, is no such way: <see cref="Beside"/>.</remarks>
    public IReadOnlyList<RoomWay> RoomWays()
    {
        var ways = new List<RoomWay>();
        foreach (var link in All)
        {
            if (link.Outside is { } cable && IsSource(cable.From) is var comes && comes != IsSource(cable.To))
                ways.Add(comes ? new RoomWay(cable.From, cable.To, false, [link]) : new RoomWay(cable.To, cable.From, true, [link]));
        }
        foreach (var port in _studio.Ports)
        {
            // From a source the way begins at the jack it stands for: what its route takes is another way.
            var begin = port.IsSource
                ? port.Port.Jack is { } jack
                    ? Place.At(jack)
                    : (Place?)null
                : Place.At(port.Id);
            if (begin is not { } start)
                continue;
            foreach (var (end, links) in Search(start))
            {
                if (end.Kind == PlaceKind.Port && _studio.FindPort(new PortId(end.Id)) is { IsSource: true } back && !port.IsSource)
                    ways.Add(new RoomWay(back.Id, port.Id, true, links));
                else if (port.IsSource && end.Kind == PlaceKind.Jack && OutletAt(new JackId(end.Id)) is { } across)
                    ways.Add(new RoomWay(port.Id, across, false, links));
            }
        }
        return ways;
    }

    /// <summary>What another program connects of two sources, or of two destinations.</summary>
    /// <param name="studio">The studio.</param>
    public static IEnumerable<OutsideCable> Beside(Studio studio) =>
        studio.Outside.Where(cable =>
            studio.FindPort(cable.From) is { } from && studio.FindPort(cable.To) is { } to && from.IsSource == to.IsSource
        );

    /// <summary>Where what another program connects begins: at the source, or where Weiche plays the destination; null for a program that
    /// the studio does not know.</summary>
    private static Place? BeginOf(Studio studio, OutsideCable cable) =>
        studio.FindPort(cable.From) is not { } from ? null
        : from.IsSource ? Place.At(cable.From)
        : Place.Own(cable.From);

    /// <summary>Where what another program connects ends: at the destination, or where Weiche hears the source.</summary>
    /// <param name="studio">The studio.</param>
    /// <param name="cable">The connection.</param>
    public static Place EndOf(Studio studio, OutsideCable cable) =>
        studio.FindPort(cable.To) is { IsSource: true } ? Place.Own(cable.To) : Place.At(cable.To);

    private bool IsSource(PortId port) => _studio.FindPort(port)!.Value.IsSource;

    /// <summary>The destination that stands for a jack of an interface.</summary>
    private PortId? OutletAt(JackId jack)
    {
        if (_studio.FindJack(jack) is not { Jack.Sends: true } found)
            return null;
        foreach (var port in found.Device.Ports)
        {
            if (port.Jack == jack && port.Direction == PortDirection.Destination)
                return port.Id;
        }
        return null;
    }

    /// <summary>Every place that can be got to, with the steps that lead there; through open steps before closed ones.</summary>
    private IEnumerable<(Place End, ImmutableArray<Link> Links)> Search(Place start)
    {
        var next = new PriorityQueue<(Place At, ImmutableArray<Link> Links), (int Closed, int Steps)>();
        next.Enqueue((start, []), (0, 0));
        var done = new HashSet<Place>();
        while (next.TryDequeue(out var here, out var cost))
        {
            if (!done.Add(here.At))
                continue;
            if (here.Links.Length > 0)
                yield return here;
            // What another program connects is a way of its own.
            foreach (var link in _from[here.At].Where(link => link.Outside is null))
            {
                if (!done.Contains(link.To))
                    next.Enqueue((link.To, here.Links.Add(link)), (cost.Closed + (link.On ? 0 : 1), cost.Steps + 1));
            }
        }
    }

    private static IEnumerable<Link> Links(Studio studio)
    {
        foreach (var device in studio.Devices)
        {
            foreach (var port in device.Ports)
            {
                if (port.Jack is { } jack)
                {
                    var (from, to) =
                        port.Direction == PortDirection.Source ? (Place.At(jack), Place.At(port.Id)) : (Place.At(port.Id), Place.At(jack));
                    yield return new Link(from, to, LinkKind.Socket, device, null, WireKind.Usb.UsualDelay(), MidiSpan.Zero);
                }
                if (device.IsVirtualPort() && port.Direction == PortDirection.Destination)
                {
                    foreach (var source in device.Ports.Where(each => each.Direction == PortDirection.Source))
                        yield return new Link(
                            Place.At(port.Id),
                            Place.At(source.Id),
                            LinkKind.Virtual,
                            device,
                            null,
                            MidiSpan.Zero,
                            MidiSpan.Zero
                        );
                }
            }
            foreach (var path in device.InnerPaths)
                yield return new Link(path.From, path.To, LinkKind.Inner, device, path, path.Delay, MidiSpan.Zero);
        }
        foreach (var cable in studio.Outside)
        {
            if (BeginOf(studio, cable) is { } begin)
                yield return new Link(
                    begin,
                    EndOf(studio, cable),
                    LinkKind.Outside,
                    studio.FindPort(cable.From)!.Value.Owner,
                    null,
                    MidiSpan.Zero,
                    MidiSpan.Zero
                );
        }
        foreach (var cable in studio.Cables)
        {
            if (studio.FindJack(cable.From) is not { } from)
                continue;
            // A thru repeats the bits as they come: the bytes are not waited for again.
            yield return new Link(
                Place.At(cable.From),
                Place.At(cable.To),
                LinkKind.Cable,
                from.Device,
                null,
                MidiSpan.Zero,
                from.Jack.Role == JackRole.Thru ? MidiSpan.Zero : WireKind.Din.ByteTime()
            );
        }
    }
}
