using System.Globalization;
using Weiche.Core.Studios;
using Weiche.Core.Ways;

namespace Weiche.Core.Layout;

/// <summary>By which side the rows of the plan are ordered.</summary>
public enum PlanSide
{
    /// <summary>By destination: each has a row for every route that reaches it.</summary>
    Arrivals,

    /// <summary>By source: each has a row for every route that leaves it.</summary>
    Departures,
}

/// <summary>How a studio is looked at.</summary>
/// <param name="Side">By which side its rows are ordered.</param>
/// <param name="Focus">What alone is shown, with all that concerns it; null for everything.</param>
/// <param name="Folded">Whether ports that no route and no way in the room uses are folded away.</param>
public sealed record PlanLook(PlanSide Side = PlanSide.Arrivals, PlanFocus? Focus = null, bool Folded = false);

/// <summary>A part of the studio that is looked at alone.</summary>
public abstract record PlanFocus
{
    private protected PlanFocus() { }

    /// <summary>A short text for addresses, which <see cref="Parse"/> reads: "device-3", "port-7", "way-7-9".</summary>
    public abstract string Key { get; }

    /// <summary>What it is called; null if it is gone.</summary>
    /// <param name="studio">The studio.</param>
    public abstract string? NameIn(Studio studio);

    /// <summary>The ports that it is about.</summary>
    /// <param name="studio">The studio.</param>
    /// <param name="ways">The ways in its room.</param>
    internal abstract PlanPart PartOf(Studio studio, IReadOnlyList<RoomWay> ways);

    /// <summary>Reads a <see cref="Key"/>; null if it is none.</summary>
    /// <param name="key">The text.</param>
    public static PlanFocus? Parse(string? key)
    {
        var parts = (key ?? "").Split('-');
        int? Number(int at) =>
            at < parts.Length && int.TryParse(parts[at], NumberStyles.None, CultureInfo.InvariantCulture, out var number) ? number : null;
        return (parts[0], parts.Length, Number(1), Number(2)) switch
        {
            ("device", 2, { } device, _) => new DeviceFocus(new DeviceId(device)),
            ("port", 2, { } port, _) => new PortFocus(new PortId(port)),
            ("way", 3, { } source, { } destination) => new CircuitFocus(new PortId(source), new PortId(destination)),
            _ => null,
        };
    }

    private protected static PlanPart Touching(Studio studio, IReadOnlyList<RoomWay> ways, Func<DevicePort, bool> isMeant)
    {
        var own = studio.Ports.Where(isMeant).Select(port => port.Id).ToHashSet();
        var routes = studio
            .Routes.Where(route => own.Contains(route.To) || studio.SourcesOf(route).Any(source => own.Contains(source.Id)))
            .ToList();
        var near = ways.Where(way => own.Contains(way.Source) || own.Contains(way.Destination)).ToList();
        var beside = RoomLinks.Beside(studio).Where(cable => own.Contains(cable.From) || own.Contains(cable.To)).ToList();
        foreach (var route in routes)
        {
            own.Add(route.To);
            if (route.From is OneSource one)
                own.Add(one.Port);
        }
        foreach (var way in near)
            own.UnionWith([way.Source, way.Destination]);
        foreach (var cable in beside)
            own.UnionWith([cable.From, cable.To]);
        return new PlanPart([.. routes.Select(route => route.Id)], own, near);
    }
}

/// <summary>What of a studio is shown.</summary>
/// <param name="Routes">The routes.</param>
/// <param name="Ports">The ports, those at the ends of the routes included.</param>
/// <param name="Ways">The ways in the room.</param>
internal sealed record PlanPart(HashSet<RouteId> Routes, HashSet<PortId> Ports, IReadOnlyList<RoomWay> Ways);

/// <summary>A device with all that reaches it and leaves it.</summary>
/// <param name="Device">The device.</param>
public sealed record DeviceFocus(DeviceId Device) : PlanFocus
{
    /// <inheritdoc/>
    public override string Key => $"device-{Device}";

    /// <inheritdoc/>
    public override string? NameIn(Studio studio) => studio.FindDevice(Device)?.Name;

    internal override PlanPart PartOf(Studio studio, IReadOnlyList<RoomWay> ways) =>
        Touching(studio, ways, port => port.Device.Id == Device || port.Owner.Id == Device);
}

/// <summary>A port with all that reaches it or leaves it.</summary>
/// <param name="Port">The port.</param>
public sealed record PortFocus(PortId Port) : PlanFocus
{
    /// <inheritdoc/>
    public override string Key => $"port-{Port}";

    /// <inheritdoc/>
    public override string? NameIn(Studio studio) => studio.FindPort(Port)?.Label;

    internal override PlanPart PartOf(Studio studio, IReadOnlyList<RoomWay> ways) => Touching(studio, ways, port => port.Id == Port);
}

/// <summary>The closed ways that lead through one way in the room: routes and other ways that together make a circle with
/// it, whether they are switched on or not.</summary>
/// <param name="Source">The source of the way.</param>
/// <param name="Destination">Its destination.</param>
public sealed record CircuitFocus(PortId Source, PortId Destination) : PlanFocus
{
    /// <inheritdoc/>
    public override string Key => $"way-{Source}-{Destination}";

    /// <inheritdoc/>
    public override string? NameIn(Studio studio) =>
        studio.FindPort(Source) is not null && studio.FindPort(Destination) is not null ? "this circuit" : null;

    internal override PlanPart PartOf(Studio studio, IReadOnlyList<RoomWay> ways)
    {
        var steps = studio
            .Routes.SelectMany(route =>
                studio.SourcesOf(route).Select(source => (From: source.Id, To: route.To, Route: (Route?)route, Way: (RoomWay?)null))
            )
            .Concat(
                ways.Select(way =>
                    way.IsBack
                        ? (From: way.Destination, To: way.Source, Route: (Route?)null, Way: (RoomWay?)way)
                        : (From: way.Source, To: way.Destination, Route: null, Way: way)
                )
            )
            .ToList();
        var meant = ways.FirstOrDefault(way => way.Source == Source && way.Destination == Destination);
        if (meant is null)
            return new PlanPart([], [Source, Destination], []);
        var (begin, end) = meant.IsBack ? (Destination, Source) : (Source, Destination);
        var onward = Reached(end, steps.ToLookup(step => step.From, step => step.To));
        var toward = Reached(begin, steps.ToLookup(step => step.To, step => step.From));
        // On a circle is what can be got to from the end of the way and from where its beginning can be got to.
        var round = steps.Where(step => onward.Contains(step.From) && toward.Contains(step.To)).ToList();
        return new PlanPart(
            [.. round.Where(step => step.Route is not null).Select(step => step.Route!.Id)],
            [.. round.SelectMany(step => new[] { step.From, step.To }), Source, Destination],
            [.. round.Where(step => step.Way is not null).Select(step => step.Way!).Append(meant).Distinct()]
        );
    }

    private static HashSet<PortId> Reached(PortId start, ILookup<PortId, PortId> steps)
    {
        var reached = new HashSet<PortId> { start };
        var next = new Queue<PortId>([start]);
        while (next.TryDequeue(out var here))
        {
            foreach (var there in steps[here])
            {
                if (reached.Add(there))
                    next.Enqueue(there);
            }
        }
        return reached;
    }
}
