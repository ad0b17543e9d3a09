using System.Globalization;
using Weiche.Core.Studios;

namespace Weiche.Web.Desk;

/// <summary>What things of the core are called on screen.</summary>
internal static class Words
{
    internal static string InWords(this DeviceKind kind) => kind.Facts().Words[0];

    internal static string InWords(this WireKind wire) =>
        wire switch
        {
            WireKind.Din => "DIN",
            WireKind.Usb => "USB",
            WireKind.Bluetooth => "Bluetooth",
            WireKind.Network => "network",
            _ => "virtual",
        };

    /// <summary>Bytes that were kept off a wire: "−1.2 kB"; nothing for none.</summary>
    internal static string Kept(double bytes) =>
        bytes switch
        {
            < 1 => "",
            < 1_000 => string.Create(CultureInfo.InvariantCulture, $"−{bytes:0} B"),
            < 1_000_000 => string.Create(CultureInfo.InvariantCulture, $"−{bytes / 1_000:0.0} kB"),
            _ => string.Create(CultureInfo.InvariantCulture, $"−{bytes / 1_000_000:0.0} MB"),
        };

    /// <summary>A count with thin gaps between thousands: "12 480".</summary>
    internal static string Count(long value) =>
        value.ToString("#,0", System.Globalization.CultureInfo.InvariantCulture).Replace(',', '\u202f');
}
