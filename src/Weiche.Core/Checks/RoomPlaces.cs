using System.Collections.Concurrent;
using Weiche.Core.Sets;
using Weiche.Core.Studios;
using Weiche.Core.Ways;

namespace Weiche.Core.Checks;

/// <summary>What of a studio's graph its devices, cables and connections of other programs decide, whatever its routes are: the places, the
/// ways in the room, who sends and who hears where, and what the names are worth.</summary>
/// <remarks>Most edits are of routes, and lineups differ in nothing else: it is kept from one look to the next.</remarks>
internal sealed class RoomPlaces
{
    private readonly Studio _studio;
    private readonly Dictionary<Place, int> _numbers = [];
    private readonly Dictionary<DeviceId, int[]> _origins = [];
    private readonly ConcurrentDictionary<PortId, int[]> _ends = [];

    private RoomPlaces(Studio studio)
    {
        _studio = studio;
        Links = RoomLinks.Of(studio);
        Ways = [.. Links.All];
        var places = new List<Place>();
        foreach (var device in studio.Devices)
        {
            foreach (var port in device.Ports)
                Add(Place.At(port.Id));
            foreach (var jack in device.Jacks)
                Add(Place.At(jack.Id));
        }
        foreach (var own in Links.Own)
            Add(own);
        HasLoose = studio.Ports.Any(port => port.IsLoose);
        WaysBack = Ways.Count(link => link.Kind is LinkKind.Inner or LinkKind.Virtual && link.To != Place.Sound);
        Places = [.. places];
        var open = new List<(int, int, Link)>();
        foreach (var link in Ways.Where(link => link.On))
        {
            if (Number(link.From) is { } from && Number(link.To) is { } to)
                open.Add((from, to, link));
        }
        Open = [.. open];
        LeadsOn = new bool[Places.Length];
        foreach (var (from, _, _) in open)
            LeadsOn[from] = true;
        Named = Array.ConvertAll(Places, place => (Place?)place);
        Alone = [.. Places.Select((_, place) => new Component([place], false))];
        Memory = new RoomMemory(Places.Length);
        Hearers = Array.ConvertAll(Places, place => RoomLinks.HearerAt(studio, place));
        Listening = Array.ConvertAll(Hearers, device =>
            device is null ? MessageSet.Empty : MessageSet.Of(device.Listens, device.ListensKinds)
        );
        Sounding =
        [
            .. Listening.Zip(Hearers, (set, device) =>
                device is { Sounds: true } ? set.Intersect(MessageSet.OnChannels) : MessageSet.Empty
            ),
        ];
        Sent = Spreading.Filled(Places.Length);
        foreach (var device in studio.Devices)
        {
            _origins.Add(device.Id, [.. Origins(device)]);
            AddSent(device);
        }
        // What a program sends that the studio does not know may be anything.
        foreach (var cable in studio.Outside.Where(cable => cable.From == default))
            Sent[_numbers[RoomLinks.EndOf(studio, cable)]] = MessageSet.All;
        SentOnChannels = Array.ConvertAll(Sent, set => set.Intersect(MessageSet.OnChannels));

        void Add(Place end)
        {
            _numbers.Add(end, places.Count);
            places.Add(end);
        }
    }

    internal RoomLinks Links { get; }

    /// <summary>Every way in the room.</summary>
    internal Link[] Ways { get; }

    /// <summary>Those that are open and lead from one place to another; what a device's keys and sound do does not.</summary>
    internal (int From, int To, Link Link)[] Open { get; }

    /// <summary>For each place whether one of them begins there.</summary>
    internal bool[] LeadsOn { get; }

    /// <summary>How many of them are ways by which something could come back.</summary>
    internal int WaysBack { get; }

    /// <summary>The ports and jacks.</summary>
    internal Place[] Places { get; }

    /// <summary>The same, as there may be places without a name after them.</summary>
    internal Place?[] Named { get; }

    /// <summary>For each place the component that it is where nothing leads back to it.</summary>
    internal Component[] Alone { get; }

    /// <summary>For each place the device that hears what gets there, or null.</summary>
    internal Device?[] Hearers { get; }

    /// <summary>For each place what its device listens to; empty where none does.</summary>
    internal MessageSet[] Listening { get; }

    /// <summary>The same, without devices that make no sound and without system messages.</summary>
    internal MessageSet[] Sounding { get; }

    /// <summary>For each place what a device sends there by itself.</summary>
    internal MessageSet[] Sent { get; }

    /// <summary>The same, without system messages.</summary>
    internal MessageSet[] SentOnChannels { get; }

    /// <summary>What was worked out here with some routes or others.</summary>
    internal RoomMemory Memory { get; }

    /// <summary>What names have to tell.</summary>
    internal IReadOnlyList<Finding> Names => field ??= [.. NameChecks.Of(_studio)];

    /// <summary>What cables have to tell.</summary>
    internal IReadOnlyList<Finding> Cabling => field ??= [.. CablingChecks.OfCables(_studio)];

    /// <summary>Whether an interface has a port into which nothing is plugged.</summary>
    internal bool HasLoose { get; }

    /// <summary>The places of a studio.</summary>
    /// <param name="studio">The studio.</param>
    /// <param name="previous">Those of the version before, or null.</param>
    internal static RoomPlaces Of(Studio studio, RoomPlaces? previous) =>
        previous?.IsOf(studio) == true ? previous : new RoomPlaces(studio);

    /// <summary>Whether they are those of another version or lineup of the studio as well.</summary>
    internal bool IsOf(Studio studio) =>
        studio.Devices == _studio.Devices && studio.Cables == _studio.Cables && studio.Outside == _studio.Outside;

    /// <summary>The numbers of where routes from a source begin, or routes to a destination end (<see cref="RoomLinks.EndsAt"/>).</summary>
    internal int[] NumbersOf(PortId port) =>
        _ends.GetOrAdd(port, static (port, room) => [.. room.Links.EndsAt(port).Select(place => room._numbers[place])], this);

    internal int? Number(Place place) => _numbers.TryGetValue(place, out var number) ? number : null;

    /// <summary>The places where a device sends by itself: its sources and its OUT jacks.</summary>
    internal int[] OriginsOf(Device device) => _origins[device.Id];

    /// <summary>The places where devices send something by themselves, each with its device.</summary>
    internal IReadOnlyList<(Device Device, int Place)> Senders =>
        field ??= [.. from device in _studio.Devices from place in OriginsOf(device) where !Sent[place].IsEmpty select (device, place)];

    /// <summary>The devices that send something on channels by themselves, which does not sound in them already: where, and what all in
    /// all.</summary>
    internal IReadOnlyList<(Device Device, int[] Places, MessageSet Sends)> Players =>
        field ??= [
            .. from device in _studio.Devices
            where !device.PassesOn() && device.LocalControl is not { On: true }
            let places = OriginsOf(device)
            let sends = places.Aggregate(MessageSet.Empty, (set, place) => set.Union(SentOnChannels[place]))
            where !sends.IsEmpty
            select (device, places, sends),
        ];

    /// <summary>The devices that listen to something, and where.</summary>
    internal IReadOnlyList<(Device Device, int[] Places)> Hearing =>
        field ??= [
            .. from place in Enumerable.Range(0, Places.Length)
            where !Listening[place].IsEmpty
            group place by Hearers[place]!.Id into places
            join device in _studio.Devices on places.Key equals device.Id
            select (device, places.ToArray()),
        ];

    private IEnumerable<int> Origins(Device device) =>
        device
            .Ports.Where(port => port.Direction == PortDirection.Source && port.Jack is null)
            .Select(port => Place.At(port.Id))
            .Concat(device.Jacks.Where(jack => jack.Role == JackRole.Out).Select(jack => Place.At(jack.Id)))
            .Select(end => _numbers[end]);

    private void AddSent(Device device)
    {
        if (device.IsVirtualPort())
            return;
        if (device.IsInterface())
        {
            // What comes in where nobody said what is plugged in may be anything.
            foreach (var jack in device.Jacks.Where(jack => jack.Role == JackRole.In && _studio.CableAt(jack.Id) is null))
                Sent[_numbers[Place.At(jack.Id)]] = MessageSet.All;
            return;
        }
        var sends = MessageSet.Of(device.Sends, device.SendsKinds);
        foreach (var origin in OriginsOf(device))
            Sent[origin] = sends;
    }
}
