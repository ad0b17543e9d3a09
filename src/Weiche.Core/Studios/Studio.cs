using System.Collections.Immutable;
using System.Globalization;
using System.Runtime.CompilerServices;
using Weiche.Core.Midi;

namespace Weiche.Core.Studios;

/// <summary>
/// The whole setup: devices with their ports, and the routes between them. One immutable value; every change makes
/// a new one. The database, the engine, the layout and the pages all read this same value.
/// </summary>
/// <remarks>
/// <para>Whoever is handed a studio may rely on <see cref="StudioRules"/>: ids are unique, routes lead from a source that is there to a
/// destination that is there. Edits keep that; what puts a studio together from parts asks <see cref="StudioRules.Checked"/>.</para>
/// <para>Two studios are the same only if they are the same object: what was worked out for one is kept by it. Safe to read from any
/// thread.</para>
/// </remarks>
public sealed record Studio
{
    /// <summary>The highest number that an id may reach. The engine keeps tables of this size.</summary>
    public const int MaxIds = 1_000_000;

    // A copy made by "with" has that of the studio it was copied from until it is asked: then it makes its own.
    private StudioIndex? _index;
    private LiveRoutes? _live;

    /// <summary>The studio's name.</summary>
    public required string Name { get; init; }

    /// <summary>The number that the next thing added will have as its id.</summary>
    public int NextId { get; init; } = 1;

    /// <summary>The devices, in the order in which they were added.</summary>
    public ImmutableArray<Device> Devices { get; init; } = [];

    /// <summary>The routes, in the order in which they were laid.</summary>
    public ImmutableArray<Route> Routes { get; init; } = [];

    /// <summary>The groups of sources, in the order in which they were made.</summary>
    public ImmutableArray<SourceGroup> Groups { get; init; } = [];

    /// <summary>The cables between jacks, in the order in which they were plugged.</summary>
    public ImmutableArray<Cable> Cables { get; init; } = [];

    /// <summary>The lineups, in their running order; none for a studio whose routes all stand.</summary>
    public ImmutableArray<Lineup> Lineups { get; init; } = [];

    /// <summary>The levers, in the order in which they were set.</summary>
    public ImmutableArray<Lever> Levers { get; init; } = [];

    /// <summary>How it keeps time.</summary>
    public TimePlan Time { get; init; } = TimePlan.Usual;

    /// <summary>The lineup that this studio is looked at in; null for standing routes alone. It is no part of what is written down: which
    /// lineup is in force is played, not edited.</summary>
    public LineupId? InForce { get; private init; }

    /// <summary>Routes that a lineup is entered without: they would close a circuit there. Not written down either.</summary>
    public ImmutableHashSet<(LineupId Lineup, RouteId Route)> HeldOff { get; init; } = [];

    /// <summary>The connections between its ports that other programs have made, past Weiche. They are no part of what is written down:
    /// this computer has them, or not.</summary>
    public ImmutableArray<OutsideCable> Outside { get; init; } = [];

    /// <summary>Whether middle C (key 60) is called C4 on screen; else C3.</summary>
    public bool MiddleIsC4 { get; init; }

    /// <summary>How it guards against messages that run in circles.</summary>
    public Safety Safety { get; init; } = Safety.Usual;

    /// <summary>How keys are called on screen: middle C is C3 or C4.</summary>
    public KeyNaming KeyNaming => MiddleIsC4 ? new KeyNaming(4) : KeyNaming.Usual;

    /// <summary>Every port, device by device.</summary>
    public IEnumerable<DevicePort> Ports => Index.Ports;

    /// <summary>Every source, device by device.</summary>
    public IEnumerable<DevicePort> Sources => Ports.Where(port => port.IsSource);

    /// <summary>Every destination, device by device.</summary>
    public IEnumerable<DevicePort> Destinations => Ports.Where(port => !port.IsSource);

    internal LiveRoutes Live => _live is { } live && live.IsOf(this, Index.Tables) ? live : _live = new LiveRoutes(this, Index.Tables);

    // What is the same but for lineups and settings has the same tables.
    private StudioIndex Index => _index is { } index && index.IsOf(this) ? index : _index = new StudioIndex(this);

    /// <summary>The same studio as it is while a lineup is in force.</summary>
    /// <param name="lineup">The lineup; of one that is not there nothing but standing routes are live.</param>
    public Studio In(LineupId? lineup) => InForce == lineup ? this : this with { InForce = lineup };

    /// <summary>The same studio in the lineup of another version of it: the same one, or, where that was removed, the one before it in the
    /// running order of that version, or the first.</summary>
    /// <param name="before">The other version.</param>
    public Studio InAsIn(Studio before) => WithOutside(before.Outside).LineupAsIn(before);

    /// <summary>The same studio with the connections that other programs have made now.</summary>
    /// <param name="cables">The connections; those of ports that are not there are left out.</param>
    public Studio WithOutside(ImmutableArray<OutsideCable> cables)
    {
        ImmutableArray<OutsideCable> there =
        [
            .. cables.Where(cable => (cable.From == default || FindPort(cable.From) is not null) && FindPort(cable.To) is not null),
        ];
        return there.SequenceEqual(Outside) ? this : this with { Outside = there };
    }

    private Studio LineupAsIn(Studio before)
    {
        if (Lineups.IsEmpty)
            return In(null);
        if (before.InForce is not { } was)
            return In(Lineups[0].Id);
        if (FindLineup(was) is not null)
            return In(was);
        return In(
            before
                .Lineups.TakeWhile(lineup => lineup.Id != was)
                .Reverse()
                .Select(lineup => FindLineup(lineup.Id))
                .FirstOrDefault(lineup => lineup is not null)
                ?.Id
                ?? Lineups[0].Id
        );
    }

    /// <summary>The lineup with this id, or null.</summary>
    /// <param name="id">The id.</param>
    public Lineup? FindLineup(LineupId id) => Lineups.FirstOrDefault(lineup => lineup.Id == id);

    /// <summary>The lineup that a person calls so: "2 Star field", "Star field" or "2", without regard to case; null if there is
    /// none.</summary>
    /// <param name="called">What it is called.</param>
    public Lineup? FindLineup(string called) =>
        Lineups.FirstOrDefault(lineup => string.Equals(NameOf(lineup.Id), called, StringComparison.OrdinalIgnoreCase))
        ?? Lineups.FirstOrDefault(lineup => string.Equals(lineup.Name, called, StringComparison.OrdinalIgnoreCase))
        ?? (
            int.TryParse(called, NumberStyles.None, CultureInfo.InvariantCulture, out var number) && number >= 1 && number <= Lineups.Length
                ? Lineups[number - 1]
                : null
        );

    /// <summary>The lever with this id, or null.</summary>
    /// <param name="id">The id.</param>
    public Lever? FindLever(LeverId id) => Levers.FirstOrDefault(lever => lever.Id == id);

    /// <summary>The lineup that the studio is looked at in; null if none.</summary>
    public Lineup? Current => InForce is { } id ? FindLineup(id) : null;

    /// <summary>The number of a lineup in the running order, from 1.</summary>
    /// <param name="id">A lineup of this studio.</param>
    public int NumberOf(LineupId id) => 1 + Lineups.TakeWhile(lineup => lineup.Id != id).Count();

    /// <summary>A lineup with its number: "2 Star field".</summary>
    /// <param name="id">The lineup.</param>
    public string NameOf(LineupId id) =>
        FindLineup(id) is { } lineup
            ? string.Create(CultureInfo.InvariantCulture, $"{NumberOf(id)} {lineup.Name}")
            : "a lineup that is gone";

    /// <summary>The lineup so many places on in the running order; null beyond its ends.</summary>
    /// <param name="by">How many places; negative is before.</param>
    public Lineup? Beside(int by) =>
        Lineups.IsEmpty ? null
        : InForce is not { } id ? Lineups[0]
        : NumberOf(id) - 1 + by is >= 0 and var at && at < Lineups.Length ? Lineups[at]
        : null;

    /// <summary>The same without the tables by which things are found, which are made again when they are needed: for a studio that is kept
    /// in case somebody asks for it.</summary>
    public Studio ToKeep()
    {
        var copy = this with { };
        copy._index = null;
        copy._live = null;
        return copy;
    }

    /// <summary>A studio with nothing in it.</summary>
    /// <param name="name">Its name.</param>
    public static Studio Empty(string name) => new() { Name = name };

    /// <summary>The port with this id, or null.</summary>
    /// <param name="id">The id.</param>
    public DevicePort? FindPort(PortId id) => Index.FindPort(id);

    /// <summary>The route with this id, or null.</summary>
    /// <param name="id">The id.</param>
    public Route? FindRoute(RouteId id) => Index.FindRoute(id);

    /// <summary>A jack and the device it is on, or null.</summary>
    /// <param name="id">The jack's id.</param>
    public (Device Device, Jack Jack)? FindJack(JackId id) => Index.FindJack(id);

    /// <summary>The cable that is plugged into a jack, or null.</summary>
    /// <param name="jack">The jack's id.</param>
    public Cable? CableAt(JackId jack) => Index.CableAt(jack);

    /// <summary>The jack at the other end of the cable in a jack, or null.</summary>
    /// <param name="jack">The jack's id.</param>
    public (Device Device, Jack Jack)? OtherEnd(JackId jack) => Index.OtherEnd(jack);

    /// <summary>The device with this id, or null.</summary>
    /// <param name="id">The id.</param>
    public Device? FindDevice(DeviceId id) => Devices.FirstOrDefault(device => device.Id == id);

    /// <summary>The group with this id, or null.</summary>
    /// <param name="id">The id.</param>
    public SourceGroup? FindGroup(GroupId id) => Groups.FirstOrDefault(group => group.Id == id);

    /// <summary>The devices that hear what a jack sends, one after the other through their thrus, each with how much later
    /// than the first it hears.</summary>
    /// <param name="jack">A jack that sends.</param>
    public IReadOnlyList<ChainLink> Chain(JackId jack)
    {
        var chain = new List<ChainLink>();
        var seen = new HashSet<JackId>();
        var delay = MidiSpan.Zero;
        for (JackId? at = jack; at is { } here && seen.Add(here) && OtherEnd(here) is { } far;)
        {
            chain.Add(new ChainLink(far.Device, far.Jack, delay));
            var thru = far.Device.InnerPaths.FirstOrDefault(path =>
                path.Kind == InnerPathKind.Thru && path.On && path.From == Place.At(far.Jack.Id)
            );
            at = thru is null ? null : new JackId(thru.To.Id);
            delay += thru?.Delay ?? MidiSpan.Zero;
        }
        return chain;
    }

    /// <summary>The ports through which one meets a device: its own, or those of the interface it is cabled to.</summary>
    /// <param name="id">The device.</param>
    public IEnumerable<DevicePort> PortsOf(DeviceId id) => Ports.Where(port => port.Device.Id == id);

    /// <summary>The other end of a virtual port: the source that a destination comes out of, or the destination that a source is sent by;
    /// null for a port of anything else.</summary>
    /// <param name="port">The port.</param>
    internal PortId? OtherEndOf(PortId port) =>
        FindPort(port) is { } found && found.Device.IsVirtualPort()
            ? found.Device.FirstPort(found.IsSource ? PortDirection.Destination : PortDirection.Source)
            : null;

    /// <summary>The sources of a route: one, the members of its group, or all but the exceptions and, unless the person
    /// insists, but those of the destination's own device.</summary>
    /// <param name="route">A route of this studio.</param>
    public IEnumerable<DevicePort> SourcesOf(Route route)
    {
        switch (route.From)
        {
            case OneSource one:
                return FindPort(one.Port) is { } port ? [port] : [];
            case GroupSource group:
                return FindGroup(group.Group) is { } found ? found.Members.Select(id => FindPort(id)!.Value) : [];
            default:
                var any = (AnySource)route.From;
                var own = FindPort(route.To)?.Device.Id;
                return Sources.Where(source => !any.Except.Contains(source.Id) && (any.OwnToo || source.Device.Id != own));
        }
    }

    /// <summary>The name of where a route comes from, without direction: "Amsel 61", "any source".</summary>
    /// <param name="source">Where it comes from.</param>
    public string NameOf(RouteSource source) =>
        source switch
        {
            OneSource one => FindPort(one.Port)?.Name ?? "a source that is gone",
            GroupSource group => FindGroup(group.Group)?.Name ?? "a group that is gone",
            _ => "any source",
        };

    /// <summary>The route in words: "Amsel 61 → Brandung"; of several between the same two with its number: "Amsel 61 → Zinn
    /// (2)".</summary>
    /// <param name="route">A route of this studio.</param>
    public string Describe(Route route) =>
        $"{NameOf(route.From)} → "
        + $"{FindPort(route.To)!.Value.Name}{(Index.NumberAmongTwins(route.Id) is { } number ? string.Create(CultureInfo.InvariantCulture, $" ({number})") : "")}";

    /// <summary>What another program connects in words: "near → far", "what is sent to Brandung → as if from Amsel 61".</summary>
    /// <param name="cable">The connection; an end that is not there is "a port that is gone".</param>
    public string Describe(OutsideCable cable)
    {
        var (from, to) = (FindPort(cable.From), FindPort(cable.To));
        return $"{(from is { IsSource: false } ? "what is sent to " : "")}{from?.Name ?? "a port that is gone"} → "
            + $"{(to is { IsSource: true } ? "as if from " : "")}{to?.Name ?? "a port that is gone"}";
    }

    /// <summary>The routes that lead from there to there, in their order.</summary>
    /// <param name="from">Where they come from, whatever each leaves out.</param>
    /// <param name="to">The destination.</param>
    public IEnumerable<Route> RoutesBetween(RouteSource from, PortId to) =>
        Routes.Where(route => route.To == to && route.From.Plate == from.Plate);

    /// <summary>The same studio under another name.</summary>
    /// <param name="name">A name that <see cref="NameRule"/> allows.</param>
    /// <exception cref="ArgumentException">The name cannot be one.</exception>
    public Studio Named(string name) =>
        NameRule.Check(name) is { } problem ? throw new ArgumentException(problem, nameof(name)) : this with { Name = name };

    /// <summary>The same studio, where what is added next has at least this id: numbers that another version of it used are
    /// not used for something else.</summary>
    /// <param name="nextId">A number above every id that any version used.</param>
    public Studio Reserving(int nextId) => nextId <= NextId ? this : this with { NextId = nextId };

    /// <summary>The same studio without what names something that is not there any more: levers on sources, of routes and lineups that are
    /// gone, and what lineups send to destinations that are gone, clocks that are gone and who followed one and is gone.</summary>
    internal Studio WithoutLoose()
    {
        if (Lineups.IsEmpty && Levers.IsEmpty && Time.IsUsual)
            return this;
        var levers = Levers
            .Where(lever => FindPort(lever.Source) is not null)
            .Select(lever =>
                lever with
                {
                    Works = lever.Works.IsStanding ? lever.Works : Duty.In(lever.Works.Lineups.Where(id => FindLineup(id) is not null)),
                    Work = lever.Work is SwitchRoutes routes
                        ? routes with
                        {
                            Routes = routes.Routes.RemoveAll(id => FindRoute(id) is null),
                        }
                        : lever.Work,
                }
            )
            .Where(lever => lever.Works.IsStanding || !lever.Works.Lineups.IsEmpty)
            .Where(lever =>
                lever.Work switch
                {
                    EnterLineup enter => FindLineup(enter.Lineup) is not null,
                    StepLineup => !Lineups.IsEmpty,
                    SwitchRoutes routes => !routes.Routes.IsEmpty,
                    _ => true,
                }
            );
        return this with
        {
            Levers = [.. levers],
            Lineups =
            [
                .. Lineups.Select(lineup =>
                    lineup.Sends.All(sending => FindPort(sending.To) is not null) && IsThere(lineup.Master)
                        ? lineup
                        : lineup with
                        {
                            Sends = lineup.Sends.RemoveAll(sending => FindPort(sending.To) is null),
                            Master = IsThere(lineup.Master) ? lineup.Master : null,
                        }
                ),
            ],
            Time =
                Time.Followers.All(each => FindPort(each.To) is not null) && IsThere(Time.Master)
                    ? Time
                    : Time with
                    {
                        Followers = Time.Followers.RemoveAll(each => FindPort(each.To) is null),
                        Master = IsThere(Time.Master) ? Time.Master : null,
                    },
        };

        bool IsThere(ClockMaster? master) => master?.Source is not { } id || FindPort(id) is not null;
    }

    /// <summary>The same studio with one device in the place of another.</summary>
    internal Studio With(Device before, Device after) => this with { Devices = Devices.Replace(before, after) };

    /// <summary>The same studio with one route in the place of another.</summary>
    internal Studio With(Route before, Route after) => this with { Routes = Routes.Replace(before, after) };

    /// <summary>Whether this is the very same studio.</summary>
    /// <param name="other">The other.</param>
    public bool Equals(Studio? other) => ReferenceEquals(this, other);

    /// <inheritdoc/>
    public override int GetHashCode() => RuntimeHelpers.GetHashCode(this);
}
