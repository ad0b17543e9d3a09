using System.Numerics;
using Weiche.Core.Midi;

namespace Weiche.Core.Live;

/// <summary>
/// What a destination that is away has missed and must be told first when it is back: ends of notes and pedals, and what all notes off
/// would have sent. Whatever else it missed is gone.
/// </summary>
/// <remarks>A note that both began and ended while the destination was away is not owed. Room is made once.</remarks>
internal sealed class OwedEnds
{
    private const int Words = Held.Size / 64;
    private const int Sustain = 64;
    private const int Sostenuto = 66;
    private const int Soft = 67;

    private readonly ulong[] _heldOnLeaving = new ulong[Words];
    private readonly ulong[] _begunAway = new ulong[Words];
    private readonly ulong[] _owed = new ulong[Words];

    // For each channel a bit for each of the controllers 120 to 127.
    private readonly byte[] _modes = new byte[Channel.Count];

    /// <summary>Begins: the destination has gone.</summary>
    /// <param name="held">By how many each thing is held there.</param>
    internal void Begin(ushort[] held)
    {
        Array.Clear(_heldOnLeaving);
        Array.Clear(_begunAway);
        Array.Clear(_owed);
        Array.Clear(_modes);
        for (var i = 0; i < held.Length; i++)
        {
            if (held[i] > 0)
                Set(_heldOnLeaving, i);
        }
    }

    /// <summary>Takes note of messages that did not arrive.</summary>
    /// <param name="bytes">Bytes, the first of which may have arrived.</param>
    /// <param name="arrived">How many did. A message of which only a part did has not arrived.</param>
    /// <param name="status">The status that is in force at their beginning; 0 for none.</param>
    internal void Miss(ReadOnlySpan<byte> bytes, int arrived, byte status)
    {
        var first = -1;
        for (var i = 0; i < bytes.Length; i++)
        {
            var each = bytes[i];
            // Real-time bytes stand anywhere and end nothing.
            if (each >= 0xF8)
                continue;
            if (each >= 0x80)
            {
                (status, first) = (each < 0xF0 ? each : (byte)0, -1);
            }
            else if (status != 0 && first < 0 && (status & 0xE0) != 0xC0)
            {
                first = each;
            }
            else if (status != 0)
            {
                if (i >= arrived)
                    Miss((status & 0xE0) == 0xC0 ? MidiMessage.Raw(status, each, 0) : MidiMessage.Raw(status, first, each));
                first = -1;
            }
        }
    }

    /// <summary>Takes note of a message that did not arrive.</summary>
    /// <param name="message">The message.</param>
    internal void Miss(in MidiMessage message)
    {
        if (message.Kind == MessageKind.ChannelMode)
        {
            _modes[message.ChannelIndex] |= (byte)(1 << (message.Data1 - 120));
            return;
        }
        if (!Held.TryOrigin(message, out var item))
            return;
        if (message.IsNote)
        {
            if (message.IsNoteOn)
                Set(_begunAway, item);
            else if (!Has(_begunAway, item) || Has(_heldOnLeaving, item))
                Set(_owed, item);
        }
        else if (Held.IsPedal(message))
        {
            if (Held.IsLow(message))
                Set(_owed, item);
        }
        else if (message.Kind is MessageKind.PitchBend or MessageKind.ChannelPressure)
        {
            // The rest alone is owed: where it moved to meanwhile is what the next movement says.
            if (message.ShortBytes == RestOf(message.Status).ShortBytes)
                Set(_owed, item);
            else
                Clear(_owed, item);
        }
    }

    /// <summary>Says what is owed, in the order in which it is to be sent: notes, pedals, channel modes, what moves back.</summary>
    /// <param name="held">By how many each thing is held there now: that ends when they let go.</param>
    /// <param name="pay">Sends one message.</param>
    internal void Pay(ushort[] held, Action<MidiMessage> pay)
    {
        for (var word = 0; word < Words; word++)
        {
            for (var bits = _owed[word]; bits != 0; bits &= bits - 1)
            {
                var item = word * 64 + BitOperations.TrailingZeroCount(bits);
                if (Held.IsKey(item) && held[item] == 0)
                    pay(Held.End(item, default));
            }
        }
        for (var channel = 0; channel < Channel.Count; channel++)
        {
            foreach (var pedal in (ReadOnlySpan<byte>)[Sustain, Sostenuto, Soft])
            {
                var up = MidiMessage.Raw(0xB0 | channel, pedal, 0);
                if (Held.TryOrigin(up, out var item) && Has(_owed, item) && held[item] == 0)
                    pay(up);
            }
            for (var mode = 0; mode < 8; mode++)
            {
                // Local control is no end of anything.
                if (mode != 2 && (_modes[channel] & 1 << mode) != 0)
                    pay(MidiMessage.Raw(0xB0 | channel, 120 + mode, 0));
            }
            foreach (var status in (ReadOnlySpan<byte>)[0xE0, 0xD0])
            {
                var rest = RestOf(status | channel);
                if (Held.TryOrigin(rest, out var item) && Has(_owed, item))
                    pay(rest);
            }
        }
    }

    private static MidiMessage RestOf(int status) =>
        (status & 0xF0) == 0xE0 ? MidiMessage.Raw(status, 0, 64) : MidiMessage.Raw(status, 0, 0);

    private static bool Has(ulong[] set, int item) => (set[item >> 6] >> (item & 63) & 1) != 0;

    private static void Set(ulong[] set, int item) => set[item >> 6] |= 1ul << (item & 63);

    private static void Clear(ulong[] set, int item) => set[item >> 6] &= ~(1ul << (item & 63));
}
