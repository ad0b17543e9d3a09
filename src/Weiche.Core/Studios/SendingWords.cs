using System.Globalization;
using Weiche.Core.Midi;

namespace Weiche.Core.Studios;

/// <summary>What lineups send, in words: "Zinn 5: 17 Glass", "Wolke 1: bend range 48".</summary>
public static class SendingWords
{
    private const int BankHigh = 0;
    private const int BankLow = 32;
    private const int RegisteredLow = 100;
    private const int RegisteredHigh = 101;
    private const int DataEntry = 6;
    private const int DataEntryFine = 38;

    /// <summary>Something that is sent, with where it goes.</summary>
    /// <param name="studio">The studio.</param>
    /// <param name="sending">What is sent.</param>
    public static string Of(Studio studio, Sending sending)
    {
        var to = studio.FindPort(sending.To);
        return $"{to?.Name ?? "a port that is gone"} {Messages(sending, to?.Device, studio.KeyNaming)}";
    }

    /// <summary>What is sent, without where it goes: "5: 17 Glass".</summary>
    /// <param name="sending">What is sent.</param>
    /// <param name="device">The device that it goes to, whose programs have names; or null.</param>
    /// <param name="names">How keys are called.</param>
    public static string Messages(Sending sending, Device? device, KeyNaming names)
    {
        if (!Sending.TryMessages(sending.Bytes.AsSpan(), out var messages, out var exclusives))
            return "what cannot be sent";
        var channel =
            messages[0].HasChannel && messages.TrueForAll(each => each.HasChannel && each.ChannelIndex == messages[0].ChannelIndex)
                ? messages[0].ChannelIndex + 1
                : 0;
        var said = new List<string>();
        int? bank = null;
        var exclusive = 0;
        foreach (var message in messages)
        {
            var own =
                channel == 0 && message.HasChannel ? string.Create(CultureInfo.InvariantCulture, $"{message.ChannelIndex + 1}: ") : "";
            if (message.Kind == MessageKind.ControlChange && message.Data1 is BankHigh or BankLow)
                bank = message.Data1 == BankHigh ? message.Data2 << 7 | (bank ?? 0) & 127 : (bank ?? 0) & ~127 | message.Data2;
            else if (message.Kind == MessageKind.ProgramChange)
            {
                said.Add(
                    own
                        + (bank is { } of ? string.Create(CultureInfo.InvariantCulture, $"bank {of}, ") : "")
                        + Program(device, message.Data1)
                );
                bank = null;
            }
            else if (
                message.Kind == MessageKind.ControlChange
                && message.Data1 is RegisteredHigh or RegisteredLow or DataEntry or DataEntryFine
                && BendRange(messages) is { } range
            )
            {
                if (message.Data1 == DataEntry)
                    said.Add(string.Create(CultureInfo.InvariantCulture, $"{own}bend range {range}"));
            }
            else
                said.Add(own + MessageText.Words(message, names, message.SysExHandle == 0 ? 0 : exclusives[exclusive++].Length));
        }
        if (bank is { } left)
            said.Add(string.Create(CultureInfo.InvariantCulture, $"bank {left}"));
        return (channel == 0 ? "" : string.Create(CultureInfo.InvariantCulture, $"{channel}: ")) + string.Join(", ", said);
    }

    /// <summary>A program as it stands on screen, with its name where the device has a list: "17 Glass", "program 17".</summary>
    /// <param name="device">The device, or null.</param>
    /// <param name="program">0 to 127.</param>
    public static string Program(Device? device, int program) =>
        device?.Programs.TryGetValue(program, out var name) == true
            ? string.Create(CultureInfo.InvariantCulture, $"{program + 1} {name}")
            : string.Create(CultureInfo.InvariantCulture, $"program {program + 1}");

    /// <summary>The bend range in semitones that messages set, if they do just that (RPN 0: MIDI 1.0 Detailed Specification, "Registered
    /// Parameter Numbers").</summary>
    private static int? BendRange(List<MidiMessage> messages)
    {
        int? Value(int controller) =>
            messages
                .Where(each => each.Kind == MessageKind.ControlChange && each.Data1 == controller)
                .Select(each => (int?)each.Data2)
                .LastOrDefault();
        return
            Value(RegisteredHigh) == 0
            && Value(RegisteredLow) == 0
            && Value(DataEntry) is { } range
            && (Value(DataEntryFine) ?? 0) == 0
            && messages.TrueForAll(each =>
                each.Kind == MessageKind.ControlChange && each.Data1 is RegisteredHigh or RegisteredLow or DataEntry or DataEntryFine
            )
            ? range
            : null;
    }
}
