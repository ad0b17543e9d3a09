using System.Collections.Immutable;
using Weiche.Core.Midi;
using Weiche.Core.Studios;
using Weiche.Core.Ways;

namespace Weiche.Core.Layout;

/// <summary>
/// Lays a studio out: sources on the left, destinations on the right. In arrivals each destination has one row for every
/// route that reaches it, all running together in a throat before its plate, and each source's track splits at points in a
/// lane of its own; departures are the same seen from the other side. Ways in the room (echoes, monitors, thrus, virtual
/// ports) lie below, from plate to plate.
/// </summary>
/// <remarks>
/// <para>A pure function: the same studio, look and width always give the same plan.</para>
/// <para>No two tracks lie on each other unless they belong to the same lane or the same throat: each plate opposite the rows
/// has a lane of its own, each route a row of its own, and tracks leave plates on heights that lie half-way between
/// rows.</para>
/// <para>Where plates stand depends on the ports and on how many routes each plate with rows has, not on stages, switches or
/// where routes come from. What is being laid or removed moves only what stands below it on that side.</para>
/// </remarks>
public static class PlanLayout
{
    /// <summary>The least width at which a plan is laid out, in pixels.</summary>
    public const int MinWidth = 980;

    /// <summary>The greatest width at which a plan is laid out, in pixels.</summary>
    public const int MaxWidth = 2400;

    private const double Half = 11;
    private const double RowPitch = 2 * Half;
    private const double FirstRow = RowPitch;
    private const double Edge = 24;
    private const double PlateHeight = 40;
    private const double SourceWidth = 208;
    private const double DestinationWidth = 220;
    private const double Bend = 10;
    private const double LaneGap = 44;
    private const double WidestLanePitch = 34;
    private const double CloseLanePitch = 16;
    private const double NarrowestLanePitch = 12;
    private const double SignHeight = 19;
    private const double SignGap = 9;
    private const double SignPadding = 10;
    private const double SignRoom = 120;
    private const double PreferredSignRoom = 260;
    private const double TightSignPadding = 6;
    private const double MoreRoom = 42;
    private const double CountRoom = 52;
    private const double ThroatRoom = 78;
    private const double GatherPitch = 9;
    private const double WayPitch = 20;
    private const double WayLane = 7;
    private const double BesideLane = 12;
    private const double BesideMiddle = 10;

    /// <summary>Lays the studio out.</summary>
    /// <param name="studio">The studio.</param>
    /// <param name="width">The width to fill, in pixels; brought between <see cref="MinWidth"/> and
    /// <see cref="MaxWidth"/>. With very many lanes the plan becomes wider than this.</param>
    /// <param name="look">How it is looked at.</param>
    public static TrackPlan Compute(Studio studio, double width = 1280, PlanLook? look = null)
    {
        look ??= new PlanLook();
        var ends = Ends.Choose(studio, look);
        var arrivals = look.Side == PlanSide.Arrivals;
        var edge = Math.Max(Edge, 10 + ends.Ways.Count * WayLane + ends.Beside.Count * BesideLane);
        var rows = AssignRows(ends, arrivals);
        var feeds = Enumerable
            .Range(0, arrivals ? ends.Sources.Count : ends.Destinations.Count)
            .Select(i => FirstRow + Half + i * 2 * RowPitch)
            .ToArray();
        var plateWidth = arrivals ? SourceWidth : DestinationWidth;
        width = Math.Clamp(width, MinWidth, MaxWidth);
        var gatherRoom = Math.Max(0, ends.Gatherings.Count - 2) * GatherPitch;
        // Lanes are placed by their distance from the side where their plates stand.
        var laneStart = edge + plateWidth + LaneGap + gatherRoom;
        var lanes = PlaceLanes(ends, feeds, rows, laneStart, width, arrivals, out var lanesEnd, out var crossings);
        width = Math.Max(
            width,
            lanesEnd + SignRoom + CountRoom + ThroatRoom + (arrivals ? DestinationWidth : SourceWidth + gatherRoom) + edge
        );

        var counts = ends.Routes.CountBy(item => arrivals ? item.To : item.From).ToDictionary();
        int Rows(int plate, bool isSource) => isSource == arrivals ? 1 : Math.Max(1, counts.GetValueOrDefault(plate));
        var (left, right) = (edge + SourceWidth, width - edge - DestinationWidth);
        var (sourceAt, destinationAt) = arrivals ? (feeds, Middles(ends, rows, false)) : (Middles(ends, rows, true), feeds);
        var sources = ends
            .Sources.Select(
                (source, i) => new SourcePlate(source, Plate(edge, SourceWidth, sourceAt[i], Rows(i, true)), new Spot(left, sourceAt[i]))
            )
            .ToImmutableArray();
        var destinations = ends
            .Destinations.Select(
                (port, i) =>
                    new DestinationPlate(
                        port,
                        Plate(right, DestinationWidth, destinationAt[i], Rows(i, false)),
                        new Spot(right, destinationAt[i])
                    )
            )
            .ToImmutableArray();

        var tracks = ImmutableArray.CreateBuilder<Track>();
        var points = ImmutableArray.CreateBuilder<PointMark>();
        foreach (var bundle in ends.Routes.Index().GroupBy(item => arrivals ? item.Item.From : item.Item.To).OrderBy(group => group.Key))
        {
            var lane = arrivals ? lanes[bundle.Key] : width - lanes[bundle.Key];
            var own = bundle.OrderBy(item => rows[item.Index]).ToList();
            if (own.Count > 1)
                points.Add(new PointMark(bundle.Key, new Spot(arrivals ? lane - Bend : lane + Bend, feeds[bundle.Key])));
            foreach (var (index, (route, from, to)) in own)
            {
                var row = rows[index];
                var (mouth, count) = arrivals
                    ? (right - ThroatRoom, right - ThroatRoom)
                    : (left + gatherRoom + ThroatRoom, width - lanesEnd - 18);
                var signs = arrivals ? lanesEnd + 18 : mouth + 14;
                var line = arrivals
                    ? Line(sources[from].Anchor, lane, row, right - ThroatRoom / 2, destinations[to].Anchor)
                    : Line(sources[from].Anchor, left + gatherRoom + ThroatRoom / 2, row, lane, destinations[to].Anchor);
                tracks.Add(
                    new Track(
                        route.Id,
                        ends.Sources[from],
                        ends.Destinations[to],
                        line,
                        row,
                        PlaceSigns(route, studio.KeyNaming, signs, count - CountRoom, row),
                        new Spot(count, row),
                        mouth,
                        bundle.Key
                    )
                );
            }
        }
        var gatherings = ends
            .Gatherings.Select((gathering, i) => Gather(gathering, left + 13 + i * GatherPitch, sources))
            .ToImmutableArray();
        var bottom = sources
            .Select(plate => plate.Box)
            .Concat(destinations.Select(plate => plate.Box))
            .Select(box => box.Bottom)
            .DefaultIfEmpty(FirstRow)
            .Max();
        var folds = PlaceFolds(ends, sources, destinations, edge, right, ref bottom);
        var ways = PlaceWays(ends, sources, destinations, width, bottom);
        if (ways.Length > 0)
            bottom += 2 * Half + (ways.Length - 1) * WayPitch;
        return new TrackPlan(
            look.Side,
            width,
            bottom + 4,
            sources,
            destinations,
            tracks.ToImmutable(),
            points.ToImmutable(),
            gatherings,
            ways,
            PlaceBeside(ends, sources, destinations),
            folds,
            crossings
        );
    }

    private static Box Plate(double x, double width, double middle, int rows)
    {
        var height = (rows - 1) * RowPitch + PlateHeight;
        return new Box(x, middle - height / 2, width, height);
    }

    /// <summary>Gives each route its row: plate by plate, within one in the order of the plates opposite.</summary>
    private static double[] AssignRows(Ends ends, bool arrivals)
    {
        var rows = new double[ends.Routes.Count];
        var byPlate = ends.Routes.Index().ToLookup(item => arrivals ? item.Item.To : item.Item.From);
        var row = FirstRow;
        for (var plate = 0; plate < (arrivals ? ends.Destinations.Count : ends.Sources.Count); plate++)
        {
            foreach (var (index, _) in byPlate[plate].OrderBy(item => arrivals ? item.Item.From : item.Item.To))
            {
                rows[index] = row;
                row += RowPitch;
            }
            row += byPlate.Contains(plate) ? RowPitch : 2 * RowPitch;
        }
        return rows;
    }

    /// <summary>The heights of the middles of the plates that have rows.</summary>
    private static double[] Middles(Ends ends, double[] rows, bool ofSources)
    {
        var byPlate = ends.Routes.Index().ToLookup(item => ofSources ? item.Item.From : item.Item.To, item => rows[item.Index]);
        var middles = new double[ofSources ? ends.Sources.Count : ends.Destinations.Count];
        var row = FirstRow;
        for (var plate = 0; plate < middles.Length; plate++)
        {
            var count = Math.Max(1, byPlate[plate].Count());
            middles[plate] = row + (count - 1) * Half;
            row += (count + 1) * RowPitch;
        }
        return middles;
    }

    private static Dictionary<int, double> PlaceLanes(
        Ends ends,
        double[] feeds,
        double[] rows,
        double start,
        double width,
        bool arrivals,
        out double end,
        out int crossings
    )
    {
        var byPlate = ends.Routes.Index().ToLookup(item => arrivals ? item.Item.From : item.Item.To, item => rows[item.Index]);
        var used = Enumerable.Range(0, feeds.Length).Where(plate => byPlate.Contains(plate)).ToList();
        var (order, found) = LaneOrder.Find([.. used.Select(plate => new LaneOrder.Lane(feeds[plate], [.. byPlate[plate].Order()]))]);
        crossings = found;
        // Where the picture is narrow, lanes move together before signs have to make way.
        var roomy = width - start - PreferredSignRoom - CountRoom - ThroatRoom - DestinationWidth - Edge;
        var room = Math.Clamp(roomy, Math.Min(used.Count * CloseLanePitch, (width - start) * 0.27), (width - start) * 0.27);
        var pitch = Math.Clamp(room / Math.Max(1, used.Count), NarrowestLanePitch, WidestLanePitch);
        end = Math.Max(start + room, start + used.Count * pitch);
        // The lanes stand close to the rows: what is between them and the plates is level track.
        var first = end - used.Count * pitch + pitch / 2;
        return order.Index().ToDictionary(item => used[item.Item], item => Math.Round(first + item.Index * pitch));
    }

    private static ImmutableArray<Spot> Line(Spot from, double first, double row, double second, Spot to)
    {
        var line = ImmutableArray.CreateBuilder<Spot>();
        line.Add(from);
        Step(line, first, from.Y, row);
        Step(line, second, row, to.Y);
        line.Add(to);
        return line.ToImmutable();
    }

    /// <summary>Changes the height at an upright: slanting into it and slanting out of it.</summary>
    private static void Step(ImmutableArray<Spot>.Builder line, double x, double fromY, double toY)
    {
        var height = Math.Abs(toY - fromY);
        if (height == 0)
            return;
        var bend = Math.Min(Bend, height / 2);
        var down = Math.Sign(toY - fromY);
        line.Add(new Spot(x - bend, fromY));
        line.Add(new Spot(x, fromY + down * bend));
        if (height > 2 * bend)
            line.Add(new Spot(x, toY - down * bend));
        line.Add(new Spot(x + bend, toY));
    }

    /// <summary>Stages as signs on their row: all of them, close if need be; else as many as there is room for, and how many more there
    /// are.</summary>
    private static ImmutableArray<Sign> PlaceSigns(Route route, KeyNaming names, double left, double right, double row)
    {
        foreach (var padding in (ReadOnlySpan<double>)[SignPadding, TightSignPadding])
        {
            if (All(padding) is var all && (all.IsEmpty || all[^1].Box.Right <= right))
                return all;
        }
        var signs = All(TightSignPadding).TakeWhile(sign => sign.Box.Right + MoreRoom <= right).ToList();
        // Of the first at least its beginning is to be seen.
        if (signs.Count == 0 && Shortened(route.Stages[0].Sign(names), right - left - (route.Stages.Length > 1 ? MoreRoom : 0)) is { } text)
            signs.Add(new Sign(0, text, SignBox(left, row, text, TightSignPadding)));
        var rest = route.Stages.Length - signs.Count;
        if (rest > 0)
            signs.Add(
                new Sign(-1, $"+{rest}", SignBox(signs.Count > 0 ? signs[^1].Box.Right + SignGap : left, row, $"+{rest}", TightSignPadding))
            );
        return [.. signs];

        ImmutableArray<Sign> All(double padding)
        {
            var placed = ImmutableArray.CreateBuilder<Sign>();
            var x = left;
            for (var i = 0; i < route.Stages.Length; i++)
            {
                placed.Add(new Sign(i, route.Stages[i].Sign(names), SignBox(x, row, route.Stages[i].Sign(names), padding)));
                x = placed[^1].Box.Right + SignGap;
            }
            return placed.ToImmutable();
        }
    }

    private static string? Shortened(string text, double room)
    {
        var length = text.Length - 1;
        while (length > 2 && TextWidth.Of(text[..length] + "…") + 2 * TightSignPadding > room)
            length--;
        return length > 2 ? text[..length].TrimEnd() + "…" : null;
    }

    private static Box SignBox(double x, double middle, string text, double padding = SignPadding) =>
        new(x, middle - SignHeight / 2, Math.Ceiling(TextWidth.Of(text)) + 2 * padding, SignHeight);

    private static Gathering Gather((int Source, ImmutableArray<int> Members) gathering, double x, ImmutableArray<SourcePlate> sources)
    {
        var joins = sources[gathering.Source].Anchor.Y;
        var members = gathering.Members.Select(member => new Spot(x, sources[member].Anchor.Y)).ToImmutableArray();
        var (top, bottom) = (members.Min(spot => spot.Y), members.Max(spot => spot.Y));
        // Its own plate stands below those of its members.
        return new Gathering(
            sources[gathering.Source].Source,
            [new Spot(x, Math.Min(top, joins)), new Spot(x, Math.Max(bottom, joins))],
            members
        );
    }

    private static ImmutableArray<FoldPlate> PlaceFolds(
        Ends ends,
        ImmutableArray<SourcePlate> sources,
        ImmutableArray<DestinationPlate> destinations,
        double edge,
        double right,
        ref double bottom
    )
    {
        var folds = ImmutableArray.CreateBuilder<FoldPlate>();
        foreach (
            var (isSource, count, x, wide, last) in new[]
            {
                (true, ends.IdleSources, edge, SourceWidth, sources.Select(plate => plate.Box.Bottom).DefaultIfEmpty(FirstRow).Max()),
                (
                    false,
                    ends.IdleDestinations,
                    right,
                    DestinationWidth,
                    destinations.Select(plate => plate.Box.Bottom).DefaultIfEmpty(FirstRow).Max()
                ),
            }
        )
        {
            if (count == 0)
                continue;
            var box = new Box(x, last + 6, wide, 28);
            folds.Add(new FoldPlate(isSource, count, box));
            bottom = Math.Max(bottom, box.Bottom);
        }
        return folds.ToImmutable();
    }

    /// <summary>Lays the ways in the room below everything: each on a level of its own, with uprights of its own beside the
    /// plates. The plate furthest up has the outermost upright, so that stubs and uprights do not cross.</summary>
    private static ImmutableArray<WayTrack> PlaceWays(
        Ends ends,
        ImmutableArray<SourcePlate> sources,
        ImmutableArray<DestinationPlate> destinations,
        double width,
        double bottom
    )
    {
        var ways = ends
            .Ways.Select(way =>
                (
                    Way: way,
                    Source: sources.First(plate => plate.Source == way.Source),
                    Destination: destinations.First(plate => plate.Id == way.Destination)
                )
            )
            .ToList();
        // The lowest destination has the innermost upright and the highest level.
        var byDestination = ways.OrderByDescending(way => way.Destination.Anchor.Y).ThenByDescending(way => way.Source.Anchor.Y).ToList();
        var bySource = ways.OrderByDescending(way => way.Source.Anchor.Y).ThenByDescending(way => way.Destination.Anchor.Y).ToList();
        var tracks = ImmutableArray.CreateBuilder<WayTrack>();
        for (var i = 0; i < byDestination.Count; i++)
        {
            var (way, source, destination) = byDestination[i];
            var level = bottom + 4 + Half + i * WayPitch;
            var (outside, inside) = (
                destination.Box.Right + 6 + ends.Beside.Count * BesideLane + i * WayLane,
                source.Box.X - 6 - ends.Beside.Count * BesideLane - bySource.IndexOf(byDestination[i]) * WayLane
            );
            ImmutableArray<Spot> back =
            [
                new Spot(destination.Box.Right, destination.Anchor.Y),
                new Spot(outside, destination.Anchor.Y),
                new Spot(outside, level),
                new Spot(inside, level),
                new Spot(inside, source.Anchor.Y),
                new Spot(source.Box.X, source.Anchor.Y),
            ];
            var text = way.Name;
            var sign = SignBox(0, level, text);
            tracks.Add(
                new WayTrack(way, way.IsBack ? back : [.. back.Reverse()], text, sign with { X = Math.Round((width - sign.Width) / 2) })
            );
        }
        return tracks.ToImmutable();
    }

    /// <summary>Lays what another program connects of two plates on one side between those and the uprights of the ways in the room. It
    /// leaves below the middle of a plate and comes in above it: the stubs of those ways lie there.</summary>
    private static ImmutableArray<BesideTrack> PlaceBeside(
        Ends ends,
        ImmutableArray<SourcePlate> sources,
        ImmutableArray<DestinationPlate> destinations
    )
    {
        var edges = sources
            .Where(plate => plate.Source is OneSource)
            .Select(plate => (Port: ((OneSource)plate.Source).Port, At: new Spot(plate.Box.X, plate.Anchor.Y), Outward: -1))
            .Concat(destinations.Select(plate => (Port: plate.Id, At: new Spot(plate.Box.Right, plate.Anchor.Y), Outward: 1)))
            .ToDictionary(edge => edge.Port);
        return
        [
            .. ends.Beside.Select(
                (cable, i) =>
                {
                    var (from, to) = (edges[cable.From], edges[cable.To]);
                    var upright = from.At.X + from.Outward * (8 + i * BesideLane);
                    var (leaves, comes) = (from.At.Y + BesideMiddle, to.At.Y - BesideMiddle);
                    return new BesideTrack(
                        cable,
                        [new Spot(from.At.X, leaves), new Spot(upright, leaves), new Spot(upright, comes), new Spot(to.At.X, comes)]
                    );
                }
            ),
        ];
    }

    /// <summary>What stands on the plan: its plates by number, and the routes between them.</summary>
    private sealed class Ends
    {
        internal required List<RouteSource> Sources { get; init; }

        internal required List<PortId> Destinations { get; init; }

        internal required List<(Route Route, int From, int To)> Routes { get; init; }

        internal required List<RoomWay> Ways { get; init; }

        internal required List<OutsideCable> Beside { get; init; }

        internal required List<(int Source, ImmutableArray<int> Members)> Gatherings { get; init; }

        internal int IdleSources { get; private init; }

        internal int IdleDestinations { get; private init; }

        internal static Ends Choose(Studio studio, PlanLook look)
        {
            var all = RoomLinks.Of(studio).RoomWays();
            var part = look.Focus?.PartOf(studio, all);
            var routes = studio.Routes.Where(route => part is null || part.Routes.Contains(route.Id)).ToList();
            var (departures, arrivals) = (
                routes.Select(route => route.From.Plate).ToHashSet(),
                routes.Select(route => route.To).ToHashSet()
            );
            // What another program connects comes and goes there, too.
            var outside = (part?.Ways ?? all).Where(way => way.Outside is not null).ToList();
            var (comesFrom, goesTo) = (outside.Select(way => way.Source).ToHashSet(), outside.Select(way => way.Destination).ToHashSet());
            // What a virtual port does is seen as a way only where something comes in and goes on.
            var ways = (part?.Ways ?? all)
                .Where(way =>
                    way.Outside is not null
                    || way.Links.Any(link => link.Kind is LinkKind.Inner or LinkKind.Cable)
                    || (
                        (departures.Contains(way.Source) || comesFrom.Contains(way.Source))
                        && (arrivals.Contains(way.Destination) || goesTo.Contains(way.Destination))
                    )
                )
                .ToList();
            var beside = RoomLinks
                .Beside(studio)
                .Where(cable => part is null || (part.Ports.Contains(cable.From) && part.Ports.Contains(cable.To)))
                .ToList();
            var inWay = ways.SelectMany(way => new[] { way.Source, way.Destination })
                .Concat(beside.SelectMany(cable => new[] { cable.From, cable.To }))
                .ToHashSet();
            // A jack of an interface with nothing plugged in stands there only if it is used.
            bool Stands(DevicePort port, bool routed) =>
                routed || inWay.Contains(port.Id) || (part is null ? !port.IsLoose : part.Ports.Contains(port.Id));
            var sourcePorts = studio.Sources.Where(port => Stands(port, departures.Contains(port.Id))).ToList();
            var destinationPorts = studio.Destinations.Where(port => Stands(port, arrivals.Contains(port.Id))).ToList();
            var (idleSources, idleDestinations) = (0, 0);
            if (look.Folded)
            {
                idleSources = sourcePorts.RemoveAll(port => !departures.Contains(port.Id) && !inWay.Contains(port.Id));
                idleDestinations = destinationPorts.RemoveAll(port => !arrivals.Contains(port.Id) && !inWay.Contains(port.Id));
            }
            List<RouteSource> sources =
            [
                .. sourcePorts.Select(source => RouteSource.FromPortId(source.Id)),
                .. studio
                    .Groups.Select(group => (RouteSource)new GroupSource(group.Id))
                    .Where(group => part is null || departures.Contains(group)),
            ];
            if (part is null ? sources.Count + idleSources > 0 : departures.Contains(AnySource.Plain))
                sources.Add(AnySource.Plain);
            List<PortId> destinations = [.. destinationPorts.Select(port => port.Id)];
            var (sourceAt, destinationAt) = (
                sources.Index().ToDictionary(item => item.Item, item => item.Index),
                destinations.Index().ToDictionary(item => item.Item, item => item.Index)
            );
            return new Ends
            {
                Sources = sources,
                Destinations = destinations,
                Routes = [.. routes.Select(route => (route, sourceAt[route.From.Plate], destinationAt[route.To]))],
                Ways = ways,
                Beside = beside,
                Gatherings =
                [
                    .. routes
                        .Where(route => route.From is not OneSource)
                        .GroupBy(route => route.From.Plate)
                        .Select(group =>
                            (
                                sourceAt[group.Key],
                                group
                                    .SelectMany(studio.SourcesOf)
                                    .Select(port => port.Id)
                                    .Distinct()
                                    .Where(port => sourceAt.ContainsKey(port))
                                    .Select(port => sourceAt[port])
                                    .Order()
                                    .ToImmutableArray()
                            )
                        )
                        .Where(item => item.Item2.Length > 0),
                ],
                IdleSources = idleSources,
                IdleDestinations = idleDestinations,
            };
        }
    }
}
