using System.Collections.Immutable;
using System.Globalization;
using System.Text.RegularExpressions;
using Weiche.Core.Midi;

namespace Weiche.Core.Studios;

/// <summary>Reads what a lineup shall send as a person types it: "5: 17", "17 Glass on 5", "bank 2 program 17", "volume 100 on 6", "bend
/// range 48", or bytes.</summary>
public static partial class SendingLine
{
    /// <summary>What can be typed, in a sentence.</summary>
    public const string Examples =
        "Type like this: 5: 17, program 17 on 5, bank 2 program 17, volume 100 on 6, pan left, bend range 48, local off, "
        + "gm on, or bytes like C4 10.";

    private const int MaxLength = Lineup.MaxBytes * 3;
    private const int MostBank = 16383;

    /// <summary>Reads a line.</summary>
    /// <param name="line">What was typed.</param>
    /// <param name="to">The destination: without a channel the first that its device listens to is meant, and its programs are known by
    /// name.</param>
    /// <param name="bytes">The messages.</param>
    /// <param name="problem">Why it is none.</param>
    public static bool TryParse(string? line, DevicePort to, out ImmutableArray<byte> bytes, out string problem)
    {
        bytes = [];
        var text = (line ?? "").Trim();
        problem = Examples;
        if (text.Length is 0 or > MaxLength)
            return false;
        if (IsHex().IsMatch(text))
        {
            var compact = text.Replace(" ", "", StringComparison.Ordinal);
            if (compact.Length % 2 == 0)
                bytes = [.. Convert.FromHexString(compact)];
            problem = compact.Length % 2 == 0 ? Sending.Check(bytes) ?? "" : Examples;
            return problem.Length == 0;
        }
        if (!TryChannel(ref text, to, out var channel, out problem))
            return false;
        if (!TryWords(text, to.Device, channel, out var messages, out problem))
            return false;
        bytes = [.. messages];
        return true;
    }

    private static bool TryChannel(ref string text, DevicePort to, out int channel, out string problem)
    {
        problem = "";
        channel = to.Device.Listens.Count > 0 ? to.Device.Listens.Members.First().Index : 0;
        var said = ChannelBefore().Match(text) is { Success: true } before ? before : ChannelBehind().Match(text);
        if (!said.Success)
            return true;
        text = said.Groups["rest"].Value.Trim();
        channel = int.Parse(said.Groups["channel"].Value, CultureInfo.InvariantCulture) - 1;
        if (channel is >= 0 and < Channel.Count)
            return true;
        problem = "Channels go from 1 to 16.";
        return false;
    }

    private static bool TryWords(string text, Device device, int channel, out List<byte> bytes, out string problem)
    {
        bytes = [];
        problem = "";
        if (BankAndProgram().Match(text) is { Success: true } both)
        {
            if (both.Groups["bank"].Success)
            {
                if (!TryBank(both.Groups["bank"].Value, out var bank, out problem))
                    return false;
                bytes.AddRange([(byte)(0xB0 | channel), 0, (byte)(bank >> 7), (byte)(0xB0 | channel), 32, (byte)(bank & 127)]);
            }
            if (!TryNumber(both.Groups["program"].Value, 1, 128, "A program", out var program, out problem))
                return false;
            bytes.AddRange([(byte)(0xC0 | channel), (byte)(program - 1)]);
            return true;
        }
        if (Usual(text, channel) is { } usual)
        {
            bytes.AddRange(usual);
            return true;
        }
        if (BendRange().Match(text) is { Success: true } range)
        {
            if (!TryNumber(range.Groups["value"].Value, 0, 96, "A bend range", out var semitones, out problem))
                return false;
            // RPN 0, then no parameter, so that nothing else is moved by a data entry that comes later.
            foreach (var (controller, value) in new[] { (101, 0), (100, 0), (6, semitones), (38, 0) })
                bytes.AddRange([(byte)(0xB0 | channel), (byte)controller, (byte)value]);
            return true;
        }
        if (NameAndValue().Match(text) is { Success: true } named)
        {
            var (name, typed) = (named.Groups["name"].Value.Trim().ToLowerInvariant(), named.Groups["value"].Value.Replace('−', '-'));
            if (name is "bend" or "pitch bend")
            {
                if (!TryNumber(typed, -8192, 8191, "A bend", out var bend, out problem))
                    return false;
                bytes.AddRange([(byte)(0xE0 | channel), (byte)((bend + 8192) & 127), (byte)((bend + 8192) >> 7)]);
                return true;
            }
            if (name is "pressure" or "channel pressure")
            {
                if (!TryNumber(typed, 0, 127, "A pressure", out var pressure, out problem))
                    return false;
                bytes.AddRange([(byte)(0xD0 | channel), (byte)pressure]);
                return true;
            }
            if (ControllerName.Read(name) is { } number)
            {
                if (!TryNumber(typed, 0, 127, $"The value of {ControllerName.Of(number)}", out var value, out problem))
                    return false;
                bytes.AddRange([(byte)(0xB0 | channel), (byte)number, (byte)value]);
                return true;
            }
        }
        // The name of a program, or the beginning of one that is alone with it.
        var meant = device
            .Programs.Where(program => string.Equals(program.Value, text, StringComparison.OrdinalIgnoreCase))
            .Concat(device.Programs.Where(program => program.Value.StartsWith(text, StringComparison.OrdinalIgnoreCase)))
            .Select(program => program.Key)
            .Distinct()
            .ToList();
        if (
            meant.Count > 0
            && text.Length > 0
            && (meant.Count == 1 || string.Equals(device.Programs[meant[0]], text, StringComparison.OrdinalIgnoreCase))
        )
        {
            bytes.AddRange([(byte)(0xC0 | channel), (byte)meant[0]]);
            return true;
        }
        problem =
            meant.Count > 1
                ? $"“{text}” may be {string.Join(" or ", meant.Take(3).Select(program => SendingWords.Program(device, program)))}."
                : $"“{text}” is not understood. {Examples}";
        return false;
    }

    /// <summary>A bank by its number, or by its two halves: "130", "1/2".</summary>
    private static bool TryBank(string text, out int bank, out string problem)
    {
        var halves = text.Split('/', StringSplitOptions.TrimEntries);
        if (halves.Length == 1)
            return TryNumber(text, 0, MostBank, "A bank", out bank, out problem);
        bank = 0;
        if (
            !TryNumber(halves[0], 0, 127, "The first half of a bank", out var high, out problem)
            || !TryNumber(halves[1], 0, 127, "The second half of a bank", out var low, out problem)
        )
            return false;
        bank = high << 7 | low;
        return true;
    }

    /// <summary>What has a word of its own, or a controller with one for its value: "local off", "pan left"; null for none.</summary>
    private static byte[]? Usual(string text, int channel)
    {
        byte[] Control(int controller, int value) => [(byte)(0xB0 | channel), (byte)controller, (byte)value];
        var said = text.ToLowerInvariant();
        switch (said)
        {
            case "all notes off":
                return Control(123, 0);
            case "all sound off" or "all sounds off":
                return Control(120, 0);
            case "reset" or "reset controllers" or "reset all controllers":
                return Control(121, 0);
            case "local on" or "local control on":
                return Control(122, 127);
            case "local off" or "local control off":
                return Control(122, 0);
            // General MIDI System On (GM System Level 1: universal non-real time, 09 01).
            case "gm" or "gm on" or "gm reset" or "general midi":
                return [0xF0, 0x7E, 0x7F, 0x09, 0x01, 0xF7];
        }
        var gap = said.LastIndexOf(' ');
        return gap > 0 && ControllerName.Read(said[..gap].Trim()) is { } number && ValueOf(number, said[(gap + 1)..]) is { } value
            ? Control(number, value)
            : null;
    }

    /// <summary>What a word means as the value of a controller: of a pedal "down", of the place between left and right "left", of any
    /// "full"; null where it means nothing.</summary>
    private static int? ValueOf(int controller, string word) =>
        (word, IsSwitch: controller is >= 64 and <= 69, IsPlace: controller is 8 or 10) switch
        {
            ("on" or "down", true, _) or ("full" or "max", _, false) or ("right", _, true) => 127,
            ("off" or "up", true, _) or ("off", _, false) or ("left", _, true) => 0,
            ("middle" or "centre" or "center", _, true) => 64,
            _ => null,
        };

    private static bool TryNumber(string text, int least, int most, string what, out int number, out string problem)
    {
        problem =
            int.TryParse(text, NumberStyles.AllowLeadingSign, CultureInfo.InvariantCulture, out number) && number >= least && number <= most
                ? ""
                : $"{what} is from {least} to {most}.";
        return problem.Length == 0;
    }

    [GeneratedRegex("^[89A-F][0-9A-F]( +[0-9A-F]{2})+$", RegexOptions.IgnoreCase)]
    private static partial Regex IsHex();

    [GeneratedRegex(
        "^((ch(annel)? *)?(?<channel>[0-9]{1,3}) *: *|ch(annel)? *(?<channel>[0-9]{1,3}),? +)(?<rest>.+)$",
        RegexOptions.IgnoreCase
    )]
    private static partial Regex ChannelBefore();

    [GeneratedRegex("^(?<rest>.+?) +(on|to|ch|channel)( +(ch|channel))? *(?<channel>[0-9]{1,3})$", RegexOptions.IgnoreCase)]
    private static partial Regex ChannelBehind();

    [GeneratedRegex(
        "^(bank *(?<bank>[0-9]{1,5}( */ *[0-9]{1,5})?),? *)?(program|prog|pc|patch)? *(?<program>[0-9]{1,4})( +[^0-9= ].*)?$",
        RegexOptions.IgnoreCase
    )]
    private static partial Regex BankAndProgram();

    [GeneratedRegex("^(pitch *)?bend *range *=? *(?<value>[0-9]{1,4})$", RegexOptions.IgnoreCase)]
    private static partial Regex BendRange();

    [GeneratedRegex("^(?<name>[a-z][a-z ]*?( *[0-9]+)?) *[= ] *(?<value>[+−-]?[0-9]{1,5})$", RegexOptions.IgnoreCase)]
    private static partial Regex NameAndValue();
}
