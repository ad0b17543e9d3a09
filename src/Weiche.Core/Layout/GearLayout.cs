using System.Collections.Immutable;
using Weiche.Core.Studios;

namespace Weiche.Core.Layout;

/// <summary>A jack on an interface's panel, with the tag on its cable.</summary>
/// <param name="Jack">The jack.</param>
/// <param name="Port">The port that stands for it, or null.</param>
/// <param name="At">The middle of the jack.</param>
/// <param name="Tag">Where its tag hangs.</param>
/// <param name="Far">What is at the other end of its cable: the device and its jack; null if it is free.</param>
/// <param name="Chain">What hears it beyond that, thru by thru: where each tag hangs, and what stands on it.</param>
public sealed record JackSpot(
    Jack Jack,
    DevicePort? Port,
    Spot At,
    Box Tag,
    (Device Device, Jack Jack)? Far,
    ImmutableArray<(Box Box, ChainLink Link)> Chain
);

/// <summary>The panel of an interface.</summary>
/// <param name="Device">The interface.</param>
/// <param name="Width">The width of the drawing, pixels.</param>
/// <param name="Height">Its height.</param>
/// <param name="Rows">The rows of jacks: what they are called, and where their middle is.</param>
/// <param name="Spots">The jacks.</param>
public sealed record InterfacePanel(
    Device Device,
    double Width,
    double Height,
    ImmutableArray<(string Name, double Y)> Rows,
    ImmutableArray<JackSpot> Spots
);

/// <summary>A jack of a device with nothing plugged in.</summary>
/// <param name="Device">The device.</param>
/// <param name="Jack">The jack.</param>
public readonly record struct LooseEnd(Device Device, Jack Jack);

/// <summary>
/// The wiring of the room as Gear shows it: a panel for each interface, jack by jack with a tag on each cable end, and the
/// loose ends. A pure function of the studio.
/// </summary>
/// <param name="Interfaces">The panels.</param>
/// <param name="LooseEnds">Jacks of other devices with nothing plugged in.</param>
/// <param name="Elsewhere">Cables that no interface has to do with.</param>
public sealed record GearLayout(
    ImmutableArray<InterfacePanel> Interfaces,
    ImmutableArray<LooseEnd> LooseEnds,
    ImmutableArray<Cable> Elsewhere
)
{
    /// <summary>The radius of a jack, pixels.</summary>
    public const double JackRadius = 14;

    private const double RowLabel = 60;
    private const double WidestColumn = 176;
    private const double NarrowestColumn = 132;
    private const double Gap = 10;
    private const double TagHeight = 38;
    private const double ChainHeight = 22;
    private const double Lead = 8;
    private const double Top = 18;

    /// <summary>Lays out.</summary>
    /// <param name="studio">The studio.</param>
    /// <param name="width">The width for a panel, pixels.</param>
    public static GearLayout Compute(Studio studio, double width)
    {
        var interfaces = studio.Devices.Where(device => device.IsInterface() && device.Jacks.Length > 0).ToList();
        var within = interfaces.SelectMany(device => device.Jacks).Select(jack => jack.Id).ToHashSet();
        var chained = within.SelectMany(jack => studio.Chain(jack)).Select(link => link.In.Id).ToHashSet();
        return new GearLayout(
            [.. interfaces.Select(device => LayPanel(studio, device, width))],
            [
                .. studio
                    .Devices.Where(device => !device.IsInterface())
                    .SelectMany(device =>
                        device.Jacks.Where(jack => studio.CableAt(jack.Id) is null).Select(jack => new LooseEnd(device, jack))
                    ),
            ],
            [.. studio.Cables.Where(cable => !within.Contains(cable.From) && !within.Contains(cable.To) && !chained.Contains(cable.To))]
        );
    }

    private static InterfacePanel LayPanel(Studio studio, Device device, double width)
    {
        var most = Math.Max(
            1,
            Math.Max(device.Jacks.Count(jack => jack.Role == JackRole.In), device.Jacks.Count(jack => jack.Role != JackRole.In))
        );
        var fits = Math.Max(1, (int)((width - RowLabel) / NarrowestColumn));
        var columns = Math.Min(most, fits);
        var pitch = Math.Min(WidestColumn, (width - RowLabel) / columns);
        var rows = ImmutableArray.CreateBuilder<(string, double)>();
        var spots = ImmutableArray.CreateBuilder<JackSpot>();
        var y = Top;
        foreach (
            var (name, jacks) in new[]
            {
                ("IN", device.Jacks.Where(jack => jack.Role == JackRole.In)),
                ("OUT", device.Jacks.Where(jack => jack.Role != JackRole.In)),
            }
        )
        {
            foreach (var line in jacks.Chunk(columns))
            {
                rows.Add((name, y));
                var height = 0.0;
                foreach (var (column, jack) in line.Index())
                {
                    var spot = Place(studio, device, jack, RowLabel + column * pitch + pitch / 2, y, Math.Min(pitch, WidestColumn) - Gap);
                    spots.Add(spot);
                    height = Math.Max(height, spot.Chain.Length * (ChainHeight + Lead / 2));
                }
                y += JackRadius + Lead + TagHeight + height + Gap + JackRadius;
            }
        }
        return new InterfacePanel(device, width, y - JackRadius, rows.ToImmutable(), spots.ToImmutable());
    }

    private static JackSpot Place(Studio studio, Device device, Jack jack, double x, double y, double width)
    {
        var tag = new Box(x - width / 2, y + JackRadius + Lead, width, TagHeight);
        var port = device.Ports.FirstOrDefault(each => each.Jack == jack.Id) is { } own ? studio.FindPort(own.Id) : null;
        var chain = jack.Sends ? studio.Chain(jack.Id).Skip(1).ToList() : [];
        return new JackSpot(
            jack,
            port,
            new Spot(x, y),
            tag,
            studio.OtherEnd(jack.Id),
            [
                .. chain
                    .Index()
                    .Select(item =>
                        (
                            new Box(tag.X, tag.Y + tag.Height + Lead / 2 + item.Index * (ChainHeight + Lead / 2), width, ChainHeight),
                            item.Item
                        )
                    ),
            ]
        );
    }
}
