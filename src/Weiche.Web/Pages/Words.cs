using Weiche.Core.Studios;

namespace Weiche.Web.Pages;

/// <summary>What things of the core are called on screen.</summary>
internal static class Words
{
    internal static string InWords(this DeviceKind kind) => kind switch
    {
        DeviceKind.KeyboardController => "keyboard controller",
        DeviceKind.KeyboardSynth => "keyboard synth",
        DeviceKind.Pedals => "bass pedals",
        DeviceKind.Display => "display",
        DeviceKind.Raw => "raw bytes",
        _ => "virtual port",
    };

    internal static string InWords(this WireKind wire) => wire switch
    {
        WireKind.Din => "DIN",
        WireKind.Usb => "USB",
        _ => "virtual",
    };

    /// <summary>A count with thin gaps between thousands: "12 480".</summary>
    internal static string Count(long value) =>
        value.ToString("#,0", System.Globalization.CultureInfo.InvariantCulture).Replace(',', '\u202f');
}
