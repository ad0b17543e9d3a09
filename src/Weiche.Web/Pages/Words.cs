using Weiche.Core.Studios;

namespace Weiche.Web.Pages;

/// <summary>What things of the core are called on screen.</summary>
internal static class Words
{
    internal static string InWords(this DeviceKind kind) => kind switch
    {
        DeviceKind.KeyboardController => "keyboard controller",
        DeviceKind.KeyboardSynth => "keyboard with sound",
        DeviceKind.SoundModule => "sound module",
        DeviceKind.DrumModule => "drum module",
        DeviceKind.Pads => "pads",
        DeviceKind.Pedals => "pedals",
        DeviceKind.Surface => "expressive surface",
        DeviceKind.Breath => "breath controller",
        DeviceKind.Interface => "interface",
        DeviceKind.Application => "application",
        DeviceKind.Clock => "clock",
        DeviceKind.Display => "display",
        DeviceKind.Tablet => "tablet",
        DeviceKind.Raw => "raw bytes",
        _ => "virtual port",
    };

    internal static string InWords(this WireKind wire) => wire switch
    {
        WireKind.Din => "DIN",
        WireKind.Usb => "USB",
        WireKind.Bluetooth => "Bluetooth",
        WireKind.Network => "network",
        _ => "virtual",
    };

    /// <summary>A count with thin gaps between thousands: "12 480".</summary>
    internal static string Count(long value) =>
        value.ToString("#,0", System.Globalization.CultureInfo.InvariantCulture).Replace(',', '\u202f');
}
