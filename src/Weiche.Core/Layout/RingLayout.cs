using System.Collections.Immutable;
using System.Globalization;

namespace Weiche.Core.Layout;

/// <summary>Where a label of a ring stands, and which way it runs.</summary>
/// <param name="X">Where it begins, or ends.</param>
/// <param name="Y">Its line.</param>
/// <param name="Anchor">"start", "middle" or "end".</param>
/// <param name="Longest">How many characters have room.</param>
public sealed record RingLabel(double X, double Y, string Anchor, int Longest);

/// <summary>A circuit as a ring of places: a pure function of how many there are.</summary>
/// <param name="Width">The drawing's width, pixels.</param>
/// <param name="Height">Its height.</param>
/// <param name="CentreX">The middle of the ring.</param>
/// <param name="CentreY">The middle of the ring.</param>
/// <param name="Boxes">The places, clockwise from the top.</param>
/// <param name="Labels">What stands beside the leg that leads on from each place.</param>
/// <param name="Arcs">The legs, as paths.</param>
/// <param name="Arrows">The way round, as a path in the middle of each leg.</param>
public sealed record RingLayout(
    double Width,
    double Height,
    double CentreX,
    double CentreY,
    ImmutableArray<Box> Boxes,
    ImmutableArray<RingLabel> Labels,
    ImmutableArray<string> Arcs,
    ImmutableArray<string> Arrows
)
{
    private const double BoxWidth = 150;
    private const double BoxHeight = 44;
    private const double Side = 120;
    private const double Edge = 12;

    /// <summary>The ring of some places.</summary>
    /// <param name="count">How many, 1 or more.</param>
    public static RingLayout Of(int count)
    {
        // So large that neighbouring places keep apart, and no larger than a page has room for.
        var radius = Math.Clamp(34.0 * count, 118, 210);
        var (width, height) = ((radius + Side) * 2, radius * 2 + BoxHeight + Edge * 2);
        var (x, y) = (width / 2, height / 2);
        var boxes = ImmutableArray.CreateBuilder<Box>(count);
        var labels = ImmutableArray.CreateBuilder<RingLabel>(count);
        var (arcs, arrows) = (ImmutableArray.CreateBuilder<string>(count), ImmutableArray.CreateBuilder<string>(count));
        for (var i = 0; i < count; i++)
        {
            var (here, next) = (AngleOf(i, count), AngleOf(i + 1, count));
            boxes.Add(
                new Box(x + radius * Math.Cos(here) - BoxWidth / 2, y + radius * Math.Sin(here) - BoxHeight / 2, BoxWidth, BoxHeight)
            );
            var middle = (here + next) / 2;
            arcs.Add(Arc(x, y, radius, here, next));
            arrows.Add(Arrow(x + radius * Math.Cos(middle), y + radius * Math.Sin(middle), middle));
            labels.Add(Label(x, y, radius, middle));
        }
        return new RingLayout(
            width,
            height,
            x,
            y,
            boxes.MoveToImmutable(),
            labels.MoveToImmutable(),
            arcs.MoveToImmutable(),
            arrows.MoveToImmutable()
        );
    }

    private static double AngleOf(int place, int count) => -Math.PI / 2 + 2 * Math.PI * place / count;

    private static RingLabel Label(double x, double y, double radius, double angle)
    {
        var (cos, sin) = (Math.Cos(angle), Math.Sin(angle));
        // Beside the ring on the outside; where the leg runs flat, below or above it.
        return Math.Abs(cos) < 0.25
            ? new RingLabel(x + radius * cos, y + radius * sin + (sin > 0 ? 26 : -30), "middle", 34)
            : new RingLabel(x + (radius + 16) * cos, y + (radius + 16) * sin, cos > 0 ? "start" : "end", 24);
    }

    private static string Arc(double x, double y, double radius, double from, double to)
    {
        var large = to - from > Math.PI ? 1 : 0;
        // A ring of one place is a whole circle: two halves.
        if (to - from >= 2 * Math.PI - 0.001)
            return Arc(x, y, radius, from, from + Math.PI) + Arc(x, y, radius, from + Math.PI, to);
        return string.Create(
            CultureInfo.InvariantCulture,
            $"M{x + radius * Math.Cos(from):0.##} {y + radius * Math.Sin(from):0.##}A{radius:0.##} {radius:0.##} 0 {large} 1 {x + radius * Math.Cos(to):0.##} {y + radius * Math.Sin(to):0.##}"
        );
    }

    private static string Arrow(double x, double y, double angle)
    {
        // Clockwise: the tangent is a quarter turn on.
        var (dx, dy) = (-Math.Sin(angle), Math.Cos(angle));
        var (ox, oy) = (Math.Cos(angle), Math.Sin(angle));
        return string.Create(
            CultureInfo.InvariantCulture,
            $"M{x - 7 * dx + 7 * ox:0.##} {y - 7 * dy + 7 * oy:0.##}L{x + 5 * dx:0.##} {y + 5 * dy:0.##}L{x - 7 * dx - 7 * ox:0.##} {y - 7 * dy - 7 * oy:0.##}"
        );
    }
}
