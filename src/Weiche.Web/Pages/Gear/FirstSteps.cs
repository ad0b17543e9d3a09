using System.Collections.Immutable;
using Weiche.Core.Studios;

namespace Weiche.Web.Pages.Gear;

/// <summary>The way from an empty studio to the first route that sounds.</summary>
/// <param name="Plays">What is plugged in, or runs, and could be played.</param>
/// <param name="Hears">What is plugged in, or runs, and could sound or listen.</param>
/// <param name="From">What was taken in to be played; null as long as nothing is.</param>
/// <param name="To">What was taken in to sound; null as long as nothing is.</param>
/// <param name="IsLaid">Whether the route is there.</param>
public sealed record FirstSteps(ImmutableArray<Unit> Plays, ImmutableArray<Unit> Hears, DevicePort? From, DevicePort? To, bool IsLaid)
{
    // Who has more than this knows the way.
    private const int FewDevices = 4;

    /// <summary>The steps of a studio; null of one that is past them.</summary>
    /// <param name="studio">The studio.</param>
    /// <param name="there">What is plugged in or runs, and is no device of it yet.</param>
    public static FirstSteps? Of(Studio studio, IEnumerable<Unit> there)
    {
        if (studio.Routes.Length > 1 || studio.Devices.Length > FewDevices || studio.Lineups.Length > 0)
            return null;
        var units = there.ToList();
        // An interface is neither: what is plugged into it is.
        bool Has(Unit unit, PortDirection way) =>
            unit.IsFile || (unit.Ports.Any(port => port.Direction == way) && unit.Ports.All(port => port.Wire != WireKind.Din));
        DevicePort? from = studio
            .Sources.Where(port => !port.IsLoose)
            .OrderBy(port => port.Device.IsVirtualPort())
            .Select(port => (DevicePort?)port)
            .FirstOrDefault();
        var to = studio
            .Destinations.Where(port => !port.IsLoose && port.Device.Id != from?.Device.Id)
            .OrderBy(port => port.Device.IsVirtualPort())
            .Select(port => (DevicePort?)port)
            .FirstOrDefault();
        if (studio.Routes is [var only])
        {
            from = studio.SourcesOf(only).Select(port => (DevicePort?)port).FirstOrDefault();
            to = studio.FindPort(only.To);
        }
        return new FirstSteps(
            [.. units.Where(unit => Has(unit, PortDirection.Source))],
            [.. units.Where(unit => Has(unit, PortDirection.Destination))],
            from,
            to,
            studio.Routes.Length == 1
        );
    }
}
