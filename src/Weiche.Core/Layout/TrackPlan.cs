using System.Collections.Immutable;
using Weiche.Core.Studios;
using Weiche.Core.Ways;

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
/// <param name="Mouth">Where its row meets the throat that it shares with the other rows of its plate.</param>
/// <param name="Bundle">Tracks of the same lane have the same number: in arrivals those of one source, in departures those to
/// one destination.</param>
public sealed record Track(
    RouteId Id,
    RouteSource From,
    PortId To,
    ImmutableArray<Spot> Line,
    double Row,
    ImmutableArray<Sign> Signs,
    Spot Count,
    double Mouth,
    int Bundle
);

/// <summary>A set of points: where the track of a plate splits, or where tracks to it run together.</summary>
/// <param name="Bundle">The lane whose points they are; see <see cref="Track.Bundle"/>.</param>
/// <param name="Spot">Where.</param>
public sealed record PointMark(int Bundle, Spot Spot);

/// <summary>Where a group, or any source, gathers its members: an upright beside their plates.</summary>
/// <param name="Source">The group, or any source.</param>
/// <param name="Line">The upright, from the first member to where it joins the group's own track.</param>
/// <param name="Members">Where each member's track meets it.</param>
public sealed record Gathering(RouteSource Source, ImmutableArray<Spot> Line, ImmutableArray<Spot> Members);

/// <summary>A way in the room as it lies on the plan, below everything else.</summary>
/// <param name="Way">The way.</param>
/// <param name="Line">Its corners, in the direction in which messages run.</param>
/// <param name="Text">What stands on its sign.</param>
/// <param name="Sign">The sign.</param>
public sealed record WayTrack(RoomWay Way, ImmutableArray<Spot> Line, string Text, Box Sign);

/// <summary>What another program connects of two plates on one side: it lies beside them.</summary>
/// <param name="Cable">The connection.</param>
/// <param name="Line">Its corners, in the direction in which messages run.</param>
public sealed record BesideTrack(OutsideCable Cable, ImmutableArray<Spot> Line);

/// <summary>What stands for the ports that are folded away.</summary>
/// <param name="IsSource">Whether they are sources.</param>
/// <param name="Count">How many they are.</param>
/// <param name="Box">The plate.</param>
public sealed record FoldPlate(bool IsSource, int Count, Box Box);

/// <summary>A studio as tracks: everything that is needed to draw it, and nothing that depends on how.</summary>
/// <param name="Side">By which side its rows are ordered.</param>
/// <param name="Width">Pixels.</param>
/// <param name="Height">Pixels.</param>
/// <param name="Sources">The plates on the left, from top to bottom.</param>
/// <param name="Destinations">The plates on the right, from top to bottom.</param>
/// <param name="Tracks">The tracks, those of one bundle after one another.</param>
/// <param name="Points">The points.</param>
/// <param name="Gatherings">Where groups gather their members.</param>
/// <param name="Ways">The ways in the room.</param>
/// <param name="Beside">What another program connects of two plates on one side.</param>
/// <param name="Folds">What stands for the ports that are folded away.</param>
/// <param name="Crossings">How often a track crosses one of another bundle.</param>
public sealed record TrackPlan(
    PlanSide Side,
    double Width,
    double Height,
    ImmutableArray<SourcePlate> Sources,
    ImmutableArray<DestinationPlate> Destinations,
    ImmutableArray<Track> Tracks,
    ImmutableArray<PointMark> Points,
    ImmutableArray<Gathering> Gatherings,
    ImmutableArray<WayTrack> Ways,
    ImmutableArray<BesideTrack> Beside,
    ImmutableArray<FoldPlate> Folds,
    int Crossings
);
