using System.Collections.Immutable;
using Weiche.Core.Studios;

namespace Weiche.Core.Layout;

/// <summary>A place on the drawn plan.</summary>
/// <param name="X">Pixels from the left.</param>
/// <param name="Y">Pixels from the top.</param>
public readonly record struct Spot(double X, double Y);

/// <summary>A rectangle on the drawn plan, in pixels.</summary>
/// <param name="X">Its left edge.</param>
/// <param name="Y">Its upper edge.</param>
/// <param name="Width">How wide it is.</param>
/// <param name="Height">How high it is.</param>
public readonly record struct Box(double X, double Y, double Width, double Height)
{
    /// <summary>Its right edge.</summary>
    public double Right => X + Width;

    /// <summary>Its lower edge.</summary>
    public double Bottom => Y + Height;
}

/// <summary>A source, a group or any source as it stands on the plan.</summary>
/// <param name="Source">What it is.</param>
/// <param name="Box">The plate.</param>
/// <param name="Anchor">Where tracks leave the plate, on its edge.</param>
public sealed record SourcePlate(RouteSource Source, Box Box, Spot Anchor);

/// <summary>A destination as it stands on the plan.</summary>
/// <param name="Id">The port.</param>
/// <param name="Box">The plate.</param>
/// <param name="Anchor">Where tracks reach the plate, on its edge.</param>
public sealed record DestinationPlate(PortId Id, Box Box, Spot Anchor);

/// <summary>A stage as it stands on its route's row.</summary>
/// <param name="Stage">Which stage of the route, from 0; −1 for a sign that says how many more there are.</param>
/// <param name="Text">What stands on the sign.</param>
/// <param name="Box">The sign.</param>
public sealed record Sign(int Stage, string Text, Box Box);

/// <summary>A route as it lies on the plan.</summary>
/// <param name="Id">The route.</param>
/// <param name="From">The plate it leaves.</param>
/// <param name="To">Its destination.</param>
/// <param name="Line">Its corners from plate to plate. Every piece is level, upright or slanting.</param>
/// <param name="Row">The height of its row, pixels from the top.</param>
/// <param name="Signs">Its stages in their order.</param>
/// <param name="Count">Where the row's count ends (right-aligned), on the row.</param>
public sealed record Track(RouteId Id, RouteSource From, PortId To, ImmutableArray<Spot> Line, double Row, ImmutableArray<Sign> Signs, Spot Count);

/// <summary>A set of points: where a source's track splits.</summary>
/// <param name="Source">The source.</param>
/// <param name="Spot">Where.</param>
public sealed record PointMark(RouteSource Source, Spot Spot);

/// <summary>A studio as tracks: everything that is needed to draw it, and nothing that depends on how.</summary>
/// <param name="Width">Pixels.</param>
/// <param name="Height">Pixels.</param>
/// <param name="Sources">The plates on the left, from top to bottom.</param>
/// <param name="Destinations">The plates on the right, from top to bottom.</param>
/// <param name="Tracks">The tracks, those of one source after one another.</param>
/// <param name="Points">The points.</param>
/// <param name="Crossings">How often a track crosses one of another source.</param>
public sealed record TrackPlan(
    double Width,
    double Height,
    ImmutableArray<SourcePlate> Sources,
    ImmutableArray<DestinationPlate> Destinations,
    ImmutableArray<Track> Tracks,
    ImmutableArray<PointMark> Points,
    int Crossings);
