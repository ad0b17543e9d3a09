using System.Runtime.CompilerServices;
using Weiche.Core.Midi;
using Weiche.Core.Studios;

namespace Weiche.Core.Live;

/// <summary>Who last moved away from rest, at one destination, what <i>reset all controllers</i> puts to rest: modulation, expression,
/// portamento, bend and pressure of each channel. Pedals are in the ledger.</summary>
/// <remarks>What is put to rest, and where, is said by the MIDI Association's recommended practice RP-015.</remarks>
internal sealed class Moved
{
    private const int Items = 5;
    private const int PressureItem = 3;
    private const int BendItem = 4;

    private readonly PortId[] _by = new PortId[Channel.Count * Items];

    /// <summary>Whether a message with a channel is a bend or channel pressure.</summary>
    internal static bool IsBendOrPressure(in MidiMessage message) => message.Status >= 0xD0;

    /// <summary>Takes note of a bend or channel pressure that goes out.</summary>
    /// <param name="message">The message.</param>
    /// <param name="source">Who sent it.</param>
    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    internal void NoteBendOrPressure(in MidiMessage message, PortId source)
    {
        var isBend = message.Status >= 0xE0;
        var isAtRest = (message.Data1 | message.Data2 << 7) == (isBend ? 64 << 7 : 0);
        _by[(message.Status & 0x0F) * Items + (isBend ? BendItem : PressureItem)] = isAtRest ? default : source;
    }

    /// <summary>Takes note of a controller that goes out; of the others than three nothing is put to rest.</summary>
    /// <param name="message">The message.</param>
    /// <param name="source">Who sent it.</param>
    internal void NoteControl(in MidiMessage message, PortId source)
    {
        var item = message.Data1 switch { 1 => 0, 11 => 1, 65 => 2, _ => -1 };
        if (item < 0) return;
        var isAtRest = item == 2 ? message.Data2 < 64 : message.ShortBytes == RestOf(item, message.ChannelIndex).ShortBytes;
        _by[message.ChannelIndex * Items + item] = isAtRest ? default : source;
    }

    /// <summary>Whether anybody but a source has moved anything.</summary>
    /// <param name="channel">The channel, from 0; below 0 for all.</param>
    /// <param name="source">The source.</param>
    internal bool IsByOther(int channel, PortId source)
    {
        foreach (var by in Of(channel))
        {
            if (by != default && by != source) return true;
        }
        return false;
    }

    /// <summary>Takes out the next thing that a source has moved.</summary>
    /// <param name="cursor">Where to begin; counts up.</param>
    /// <param name="channel">The channel, from 0; below 0 for all.</param>
    /// <param name="source">The source.</param>
    /// <param name="rest">The message that puts it to rest.</param>
    internal bool TryTake(ref int cursor, int channel, PortId source, out MidiMessage rest)
    {
        var all = Of(channel);
        while (cursor < all.Length)
        {
            var at = cursor++;
            if (all[at] != source) continue;
            all[at] = default;
            rest = RestOf(at % Items, channel < 0 ? at / Items : channel);
            return true;
        }
        rest = default;
        return false;
    }

    /// <summary>Nobody has moved anything.</summary>
    internal void Clear() => Array.Clear(_by);

    private Span<PortId> Of(int channel) => channel < 0 ? _by : _by.AsSpan(channel * Items, Items);

    private static MidiMessage RestOf(int item, int channel) => item switch
    {
        0 => MidiMessage.Raw(0xB0 | channel, 1, 0),
        1 => MidiMessage.Raw(0xB0 | channel, 11, 127),
        2 => MidiMessage.Raw(0xB0 | channel, 65, 0),
        PressureItem => MidiMessage.Raw(0xD0 | channel, 0, 0),
        _ => MidiMessage.Raw(0xE0 | channel, 0, 64),
    };
}
