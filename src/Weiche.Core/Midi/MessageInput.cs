using System.Globalization;

namespace Weiche.Core.Midi;

/// <summary>Reads a message that a person gives: as bytes, or as a key with velocity and channel.</summary>
public static class MessageInput
{
    /// <summary>What is said of any other channel.</summary>
    public const string ChannelsGo = "Channels go from 1 to 16.";

    /// <summary>What is said of any other velocity.</summary>
    public const string VelocitiesGo = "Velocities go from 1 to 127.";

    private const string BytesLikeThis = "Write a message as its bytes in hexadecimal, like “90 3C 60” or “F8”.";

    /// <summary>Reads a message.</summary>
    /// <param name="bytes">Its bytes in hexadecimal; null or empty to go by the key.</param>
    /// <param name="key">The key's name or number.</param>
    /// <param name="velocity">1 to 127.</param>
    /// <param name="channel">1 to 16.</param>
    /// <param name="names">How keys are called.</param>
    /// <param name="message">The message.</param>
    /// <param name="problem">Why it is none.</param>
    public static bool TryRead(
        string? bytes,
        string? key,
        int velocity,
        int channel,
        KeyNaming names,
        out MidiMessage message,
        out string problem
    )
    {
        message = default;
        if (!string.IsNullOrWhiteSpace(bytes))
            return TryBytes(bytes, out message, out problem);
        var number = 0;
        problem =
            string.IsNullOrWhiteSpace(key) ? "Say which key, like C3, or which message."
            : !names.TryParse(key.Trim(), out number)
                ? $"“{key.Trim()}” is no key. Keys go from {names.Of(0)} (0) to {names.Of(127)} (127)."
            : channel is < 1 or > Channel.Count ? ChannelsGo
            : velocity is < 1 or > 127 ? VelocitiesGo
            : "";
        if (problem.Length == 0)
            message = MidiMessage.NoteOn(Channel.FromNumber(channel), number, velocity);
        return problem.Length == 0;
    }

    private static bool TryBytes(string text, out MidiMessage message, out string problem)
    {
        message = default;
        problem = BytesLikeThis;
        var compact = text.Replace(" ", "", StringComparison.Ordinal);
        if (compact.Length is 0 or > 6 || compact.Length % 2 != 0)
            return false;
        Span<byte> bytes = stackalloc byte[3];
        for (var i = 0; i < compact.Length / 2; i++)
        {
            if (!byte.TryParse(compact.AsSpan(2 * i, 2), NumberStyles.AllowHexSpecifier, CultureInfo.InvariantCulture, out bytes[i]))
                return false;
        }
        if (bytes[0] is < 0x80 or 0xF0 or 0xF4 or 0xF5 or 0xF7 or 0xF9 or 0xFD || bytes[1] > 127 || bytes[2] > 127)
        {
            problem = $"“{text.Trim()}” is no message that can be followed. {BytesLikeThis}";
            return false;
        }
        message = MidiMessage.FromBytes(bytes[0], bytes[1], bytes[2]);
        problem = "";
        if (1 + message.DataLength == compact.Length / 2)
            return true;
        problem = $"A message that begins with {bytes[0]:X2} has {1 + message.DataLength} bytes, not {compact.Length / 2}.";
        return false;
    }
}
