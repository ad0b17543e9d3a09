using System.Collections.Immutable;
using Weiche.Core.Midi;

namespace Weiche.Core.Studios;

/// <summary>
/// How the stand-ins that ship with Weiche show themselves when they are plugged in: what they say they are, their serial
/// numbers, where they are at first. The maker's number is 7D, which belongs to nobody.
/// </summary>
public static class StandInUnits
{
    /// <summary>Every stand-in that can be reached without an interface, by its key.</summary>
    public static ImmutableArray<Unit> All { get; } =
    [
        Of(
            "weiher-4x4",
            "Weiher 4x4",
            "W44-0118",
            "socket 2",
            [
                .. Enumerable.Range(1, 4).Select(i => From($"IN {i}", WireKind.Din)),
                .. Enumerable.Range(1, 4).Select(i => To($"OUT {i}", WireKind.Din)),
            ]
        ),
        Of("amsel-61", "Amsel 61", "A61-0417", "hub 1", [From("", WireKind.Usb)]),
        Of("kies", "USB pads", "", "hub 2", [From("", WireKind.Usb), To("", WireKind.Usb)]),
        Of("faecher", "Faecher", "F-2201", "hub 3", [From("", WireKind.Usb)]),
        Of("halm", "Halm", "", "Bluetooth", [From("", WireKind.Bluetooth)]),
        Of(
            "bandhaus",
            "Bandhaus",
            "",
            "this computer",
            [From("A", WireKind.Virtual), From("B", WireKind.Virtual), To("", WireKind.Virtual)]
        ),
        Of("himmel", "Himmel", "", "this computer", [To("", WireKind.Virtual)]),
        Of("wolke", "Wolke", "WO-77", "network", [From("", WireKind.Network), To("", WireKind.Network)]),
    ];

    /// <summary>The stand-in of this key.</summary>
    /// <param name="key">The key.</param>
    /// <exception cref="InvalidOperationException">There is none.</exception>
    public static Unit Find(string key) => All.First(unit => unit.Key == key);

    /// <summary>Whether a studio has any of them for a device, as the demo has: then they are to stand in its room.</summary>
    /// <param name="studio">The studio.</param>
    public static bool AreIn(Studio studio) =>
        studio.Devices.Any(device =>
            device.Known is { } known
            && All.Any(unit =>
                unit.Says == known.Says && unit.Serial == known.Serial && (unit.Serial.Length > 0 || unit.Place == known.Place)
            )
        );

    /// <summary>The identity that a stand-in gives: family 1 of a maker that does not exist.</summary>
    /// <param name="member">Which member of the family it is.</param>
    public static DeviceIdentity IdentityOf(int member) => new(0x7D, 1, member, 1 << 24 | 4 << 16);

    private static Unit Of(string key, string says, string serial, string place, ImmutableArray<UnitPort> ports) =>
        new(key, says, serial, place, ports);

    private static UnitPort From(string part, WireKind wire) => new(PortDirection.Source, part, wire);

    private static UnitPort To(string part, WireKind wire) => new(PortDirection.Destination, part, wire);
}
