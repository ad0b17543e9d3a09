using System.Globalization;
using System.Text;

namespace Weiche.Core.Midi;

/// <summary>Messages in a musician's words and as bytes. For people: nothing on the live path calls this.</summary>
public static class MessageText
{
    /// <summary>The message in words, without its channel: "C3 on, 96", "bend +212", "sustain 127".</summary>
    /// <param name="message">The message.</param>
    /// <param name="names">How keys are called.</param>
    /// <param name="sysExLength">How many bytes a system exclusive has between F0 and F7.</param>
    public static string Words(in MidiMessage message, KeyNaming names, int sysExLength = 0) =>
        message.Kind switch
        {
            MessageKind.Note when message.IsNoteOn => $"{names.Of(message.Data1)} on, {message.Data2}",
            MessageKind.Note => $"{names.Of(message.Data1)} off",
            MessageKind.PolyPressure => $"{names.Of(message.Data1)} pressure {message.Data2}",
            MessageKind.ControlChange => $"{ControllerName.Of(message.Data1)} {message.Data2}",
            MessageKind.ChannelMode when message.Data1 == 122 => message.Data2 < 64 ? "local control off" : "local control on",
            MessageKind.ChannelMode => ControllerName.Of(message.Data1),
            MessageKind.ProgramChange => $"program {message.Data1 + 1}",
            MessageKind.ChannelPressure => $"pressure {message.Data1}",
            MessageKind.PitchBend when message.BendValue == 0 => "bend to the middle",
            MessageKind.PitchBend => "bend " + WithSign(message.BendValue),
            MessageKind.SystemExclusive => $"system exclusive, {sysExLength + 2} bytes",
            MessageKind.QuarterFrame => $"quarter frame {message.Data1}",
            MessageKind.SongPosition => $"song position {message.SongPositionValue}",
            MessageKind.SongSelect => $"song {message.Data1 + 1}",
            var kind => kind.Name(),
        };

    /// <summary>The bytes in hexadecimal: "90 3C 60". For a system exclusive, F0 and as much as is given.</summary>
    /// <param name="message">The message.</param>
    /// <param name="sysExStart">The first bytes of a system exclusive, without F0.</param>
    /// <param name="sysExLength">How many bytes it has between F0 and F7 in all.</param>
    public static string Hex(in MidiMessage message, ReadOnlySpan<byte> sysExStart = default, int sysExLength = 0)
    {
        var text = new StringBuilder().Append(message.Status.ToString("X2", CultureInfo.InvariantCulture));
        if (message.Status == 0xF0)
        {
            foreach (var value in sysExStart)
                text.Append(CultureInfo.InvariantCulture, $" {value:X2}");
            return text.Append(sysExLength > sysExStart.Length ? " …" : " F7").ToString();
        }
        if (message.DataLength >= 1)
            text.Append(CultureInfo.InvariantCulture, $" {message.Data1:X2}");
        if (message.DataLength >= 2)
            text.Append(CultureInfo.InvariantCulture, $" {message.Data2:X2}");
        return text.ToString();
    }

    /// <summary>A number with its sign, the minus as a printer would set it: "+2", "−12", "0".</summary>
    /// <param name="value">The number.</param>
    public static string WithSign(int value) =>
        value == 0 ? "0" : (value > 0 ? "+" : "−") + Math.Abs(value).ToString(CultureInfo.InvariantCulture);
}
