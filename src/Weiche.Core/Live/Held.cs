using System.Runtime.CompilerServices;
using Weiche.Core.Midi;

namespace Weiche.Core.Live;

/// <summary>The number that names a key, a controller, the pressure or the bend of a channel within the ledger.</summary>
internal static class Held
{
    private const int Items = 256;
    private const int FirstController = 128;
    private const int Pressure = 248;
    private const int Bend = 249;
    private const int NoItem = -1;

    /// <summary>How many numbers there are.</summary>
    internal const int Size = Channel.Count * Items;

    /// <summary>What a message moves; false for a message that moves nothing which could hold.</summary>
    internal static bool TryOrigin(in MidiMessage message, out int held)
    {
        var item = (message.Status & 0xF0) switch
        {
            0x80 or 0x90 => message.Data1,
            0xB0 when message.Data1 < 120 => FirstController + message.Data1,
            0xD0 => Pressure,
            0xE0 => Bend,
            _ => NoItem,
        };
        held = message.ChannelIndex * Items + item;
        return item != NoItem;
    }

    /// <summary>The number of the key that a note plays.</summary>
    internal static int OfNote(in MidiMessage note) => note.ChannelIndex * Items + note.Data1;

    /// <summary>Whether a message is the pressure of one key.</summary>
    internal static bool IsKeyPressure(in MidiMessage message) => (message.Status & 0xF0) == 0xA0;

    /// <summary>The number of the key that a pressure presses.</summary>
    internal static int OfKey(in MidiMessage pressure) => pressure.ChannelIndex * Items + pressure.Data1;

    /// <summary>Whether this is one of the three pedals that are held: sustain, sostenuto, soft.</summary>
    internal static bool IsPedal(in MidiMessage message) => (message.Status & 0xF0) == 0xB0 && message.Data1 is 64 or 66 or 67;

    // The controllers that others at the same destination may be concerned with: modulation, breath and foot with their fine halves,
    // expression, portamento, the pedals, and from 120 on the channel mode messages.
    private const ulong LowControllersWithCare = 1ul << 1 | 1ul << 2 | 1ul << 4 | 1ul << 11 | 1ul << 33 | 1ul << 34 | 1ul << 36;
    private const ulong HighControllersWithCare =
        1ul << (64 - 64) | 1ul << (65 - 64) | 1ul << (66 - 64) | 1ul << (67 - 64) | 0xFFul << (120 - 64);

    /// <summary>Whether a message is a controller with which others at the same destination may be concerned: it is held, silences, puts to
    /// rest, or moves something that is put to rest.</summary>
    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    internal static bool NeedsCare(in MidiMessage message) =>
        (message.Status & 0xF0) == 0xB0
        && ((message.Data1 < 64 ? LowControllersWithCare : HighControllersWithCare) >> (message.Data1 & 63) & 1) != 0;

    /// <summary>Whether the value of what moves is in its lower half, where a pedal is up.</summary>
    internal static bool IsLow(in MidiMessage message) => ((message.Status & 0xF0) == 0xD0 ? message.Data1 : message.Data2) < 64;

    /// <summary>Whether the number stands for a key.</summary>
    internal static bool IsKey(int held) => (held & FirstController) == 0;

    /// <summary>Whether two numbers are of one channel, and both keys or both controllers.</summary>
    internal static bool IsOnChannelOf(int held, int other) => held >> 8 == other >> 8 && IsKey(held) == IsKey(other);

    /// <summary>The message that ends a held thing, at the place where it went: the note-off that came, or else one
    /// without a measured release; a pedal quite up.</summary>
    internal static MidiMessage End(int held, in MidiMessage cause)
    {
        var (channel, item) = (held >> 8, held & (Items - 1));
        if (item >= FirstController)
            return MidiMessage.Raw(0xB0 | channel, item - FirstController, 0);
        return cause.Kind == MessageKind.Note && cause.Status != 0
            ? MidiMessage.Raw(cause.Status & 0xF0 | channel, item, cause.Data2)
            : MidiMessage.Raw(0x80 | channel, item, 64);
    }
}
