using System.Collections.Immutable;
using Weiche.Core.Studios;

namespace Weiche.Core.Layout;

/// <summary>
/// Lays a studio out by arrivals: sources on the left, destinations on the right, each destination with one row for
/// every route that reaches it, all running together in a throat before its plate.
/// </summary>
/// <remarks>
/// <para>A pure function: the same studio and width always give the same plan. A source's track leaves its plate,
/// runs to the source's own lane and splits there at points; each branch follows the lane up or down to its row.</para>
/// <para>No two tracks lie on each other unless they belong to the same source or the same throat: each source has a
/// lane of its own, each route a row of its own, and tracks leave plates on heights that lie half-way between rows.</para>
/// <para>Where plates stand depends on the ports and on how many routes reach each destination, not on stages,
/// switches or where routes come from.</para>
/// </remarks>
public static class ArrivalsLayout
{
    /// <summary>The least width at which a plan is laid out, in pixels.</summary>
    public const int MinWidth = 980;

    /// <summary>The greatest width at which a plan is laid out, in pixels.</summary>
    public const int MaxWidth = 2400;

    private const double Half = 12;
    private const double RowPitch = 2 * Half;
    private const double FirstRow = RowPitch;
    private const double Margin = 24;
    private const double PlateHeight = 40;
    private const double SourceWidth = 208;
    private const double DestinationWidth = 220;
    private const double Bend = 10;
    private const double LaneStart = Margin + SourceWidth + 44;
    private const double WidestLanePitch = 34;
    private const double NarrowestLanePitch = 14;
    private const double SignHeight = 20;
    private const double SignGap = 9;
    private const double SignPadding = 10;
    private const double SignRoom = 120;
    private const double CountRoom = 52;
    private const double ThroatRoom = 78;

    /// <summary>Lays the studio out.</summary>
    /// <param name="studio">The studio.</param>
    /// <param name="width">The width to fill, in pixels; brought between <see cref="MinWidth"/> and
    /// <see cref="MaxWidth"/>. With very many sources the plan becomes wider than this.</param>
    public static TrackPlan Compute(Studio studio, double width = 1280)
    {
        width = Math.Clamp(width, MinWidth, MaxWidth);
        var sources = Sources(studio);
        var feeds = sources.Index().ToDictionary(item => item.Item, item => FirstRow + Half + item.Index * 2 * RowPitch);
        var rows = AssignRows(studio, sources);
        var lanes = PlaceLanes(studio, sources, feeds, rows, width, out var lanesEnd, out var crossings);
        width = Math.Max(width, lanesEnd + SignRoom + CountRoom + ThroatRoom + DestinationWidth + Margin);

        var right = width - Margin - DestinationWidth;
        var sourcePlates = sources.Select(source => new SourcePlate(
            source,
            new Box(Margin, feeds[source] - PlateHeight / 2, SourceWidth, PlateHeight),
            new Spot(Margin + SourceWidth, feeds[source]))).ToImmutableArray();
        var destinationPlates = PlaceDestinations(studio, rows, right);
        var anchors = destinationPlates.ToDictionary(plate => plate.Id, plate => plate.Anchor);

        var tracks = ImmutableArray.CreateBuilder<Track>();
        var points = ImmutableArray.CreateBuilder<PointMark>();
        var departures = studio.Routes.ToLookup(route => route.From.Plate);
        foreach (var source in sources)
        {
            var own = departures[source].OrderBy(route => rows[route.Id]).ToList();
            if (own.Count > 1) points.Add(new PointMark(source, new Spot(lanes[source] - Bend, feeds[source])));
            foreach (var route in own)
            {
                var row = rows[route.Id];
                var line = Line(new Spot(Margin + SourceWidth, feeds[source]), lanes[source], row, right - ThroatRoom / 2, anchors[route.To]);
                var count = new Spot(right - ThroatRoom, row);
                tracks.Add(new Track(route.Id, source, route.To, line, row, PlaceSigns(route, lanesEnd + 18, count.X - CountRoom, row), count));
            }
        }
        var bottom = sourcePlates.Select(plate => plate.Box).Concat(destinationPlates.Select(plate => plate.Box)).Select(box => box.Bottom).DefaultIfEmpty(FirstRow).Max();
        return new TrackPlan(width, bottom + RowPitch, sourcePlates, destinationPlates, tracks.ToImmutable(), points.ToImmutable(), crossings);
    }

    /// <summary>What stands on the left: the sources, then the groups, then any source.</summary>
    private static List<RouteSource> Sources(Studio studio)
    {
        var departures = studio.Routes.ToLookup(route => route.From.Plate);
        List<RouteSource> sources = [.. studio.Sources.Where(source => !source.IsLoose || departures.Contains(new OneSource(source.Id)))
            .Select(source => RouteSource.FromPortId(source.Id)), .. studio.Groups.Select(group => new GroupSource(group.Id))];
        if (sources.Count > 0) sources.Add(AnySource.Plain);
        return sources;
    }

    /// <summary>The destinations that stand on the plan. A jack of an interface with nothing plugged in does so only if a route
    /// leads there.</summary>
    private static IEnumerable<DevicePort> Destinations(Studio studio, ILookup<PortId, Route> arrivals) =>
        studio.Destinations.Where(destination => !destination.IsLoose || arrivals[destination.Id].Any());

    /// <summary>Gives each route its row: destination by destination, within one in the order of the sources.</summary>
    private static Dictionary<RouteId, double> AssignRows(Studio studio, List<RouteSource> sources)
    {
        var rank = sources.Index().ToDictionary(item => item.Item, item => item.Index);
        var arrivals = studio.Routes.ToLookup(route => route.To);
        var rows = new Dictionary<RouteId, double>();
        var row = FirstRow;
        foreach (var destination in Destinations(studio, arrivals))
        {
            foreach (var route in arrivals[destination.Id].OrderBy(route => rank[route.From.Plate]))
            {
                rows.Add(route.Id, row);
                row += RowPitch;
            }
            row += arrivals.Contains(destination.Id) ? RowPitch : 2 * RowPitch;
        }
        return rows;
    }

    private static Dictionary<RouteSource, double> PlaceLanes(
        Studio studio,
        List<RouteSource> sources,
        Dictionary<RouteSource, double> feeds,
        Dictionary<RouteId, double> rows,
        double width,
        out double end,
        out int crossings)
    {
        var departures = studio.Routes.ToLookup(route => route.From.Plate);
        var used = sources.Where(source => departures.Contains(source)).ToList();
        var (order, found) = LaneOrder.Find([.. used.Select(source => new LaneOrder.Lane(
            feeds[source], [.. departures[source].Select(route => rows[route.Id]).Order()]))]);
        crossings = found;
        var room = (width - LaneStart) * 0.27;
        var pitch = Math.Clamp(room / Math.Max(1, used.Count), NarrowestLanePitch, WidestLanePitch);
        end = Math.Max(LaneStart + room, LaneStart + used.Count * pitch);
        // The lanes stand close to the rows: what is between them and the plates is level track.
        var first = end - used.Count * pitch + pitch / 2;
        return order.Index().ToDictionary(item => used[item.Item], item => Math.Round(first + item.Index * pitch));
    }

    private static ImmutableArray<DestinationPlate> PlaceDestinations(Studio studio, Dictionary<RouteId, double> rows, double left)
    {
        var arrivals = studio.Routes.ToLookup(route => route.To);
        var plates = ImmutableArray.CreateBuilder<DestinationPlate>();
        var row = FirstRow;
        foreach (var destination in Destinations(studio, arrivals))
        {
            var count = Math.Max(1, arrivals[destination.Id].Count());
            var middle = row + (count - 1) * Half;
            var height = (count - 1) * RowPitch + PlateHeight;
            plates.Add(new DestinationPlate(destination.Id, new Box(left, middle - height / 2, DestinationWidth, height), new Spot(left, middle)));
            row += (count + 1) * RowPitch;
        }
        return plates.ToImmutable();
    }

    private static ImmutableArray<Spot> Line(Spot from, double lane, double row, double throat, Spot to)
    {
        var line = ImmutableArray.CreateBuilder<Spot>();
        line.Add(from);
        Step(line, lane, from.Y, row);
        Step(line, throat, row, to.Y);
        line.Add(to);
        return line.ToImmutable();
    }

    /// <summary>Changes the height at an upright: slanting into it and slanting out of it.</summary>
    private static void Step(ImmutableArray<Spot>.Builder line, double x, double fromY, double toY)
    {
        var height = Math.Abs(toY - fromY);
        if (height == 0) return;
        var bend = Math.Min(Bend, height / 2);
        var down = Math.Sign(toY - fromY);
        line.Add(new Spot(x - bend, fromY));
        line.Add(new Spot(x, fromY + down * bend));
        if (height > 2 * bend) line.Add(new Spot(x, toY - down * bend));
        line.Add(new Spot(x + bend, toY));
    }

    private static ImmutableArray<Sign> PlaceSigns(Route route, double left, double right, double row)
    {
        var signs = ImmutableArray.CreateBuilder<Sign>();
        var x = left;
        for (var i = 0; i < route.Stages.Length; i++)
        {
            var sign = At(i, route.Stages[i].Sign);
            var more = i + 1 < route.Stages.Length ? 40 : 0;
            if (sign.Box.Right + more > right)
            {
                signs.Add(At(-1, $"+{route.Stages.Length - i}"));
                break;
            }
            signs.Add(sign);
            x = sign.Box.Right + SignGap;
        }
        return signs.ToImmutable();

        Sign At(int stage, string text) =>
            new(stage, text, new Box(x, row - SignHeight / 2, Math.Ceiling(TextWidth.Of(text)) + 2 * SignPadding, SignHeight));
    }
}
