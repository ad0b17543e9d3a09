using System.Runtime.CompilerServices;
using Weiche.Core.Midi;
using Weiche.Core.Studios;

namespace Weiche.Core.Live;

/// <summary>Who moved something away from rest: the source, and the route through which it went.</summary>
internal readonly record struct Mover(PortId Source, RouteId Route);

/// <summary>Who last moved away from rest, at one destination, what can be put to rest: modulation, expression, portamento, breath, foot,
/// bend and pressure of each channel, and the pressure of each key. Pedals are in the ledger.</summary>
/// <remarks>
/// <para>What <i>reset all controllers</i> puts to rest is said by the MIDI Association's recommended practice RP-015: modulation,
/// expression, portamento, bend and pressure.</para>
/// <para>What is put to rest for a route that a lineup has left behind is modulation, breath, foot, bend and pressure: what a hand, a foot
/// or a breath holds away from rest. Expression and portamento stay where they were set.</para>
/// </remarks>
internal sealed class Moved
{
    private const int Items = 7;
    private const int ExpressionItem = 1;
    private const int PortamentoItem = 2;
    private const int PressureItem = 3;
    private const int BendItem = 4;

    // From here on, not of what reset all controllers puts to rest.
    private const int BreathItem = 5;
    private const int FootItem = 6;
    private const int Keys = 128;

    private readonly Mover[] _by = new Mover[Channel.Count * Items];
    private readonly Mover[] _keys = new Mover[Channel.Count * Keys];

    // A bit for each channel on which anything may be away from rest, and one for each on which the pressure of a key may: so that little
    // is looked through on entering a lineup.
    private uint _touched;
    private uint _pressed;

    /// <summary>Whether a message with a channel is a bend or channel pressure.</summary>
    internal static bool IsBendOrPressure(in MidiMessage message) => message.Status >= 0xD0;

    /// <summary>Takes note of a bend or channel pressure that goes out.</summary>
    /// <param name="message">The message.</param>
    /// <param name="by">Who sent it.</param>
    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    internal void NoteBendOrPressure(in MidiMessage message, Mover by)
    {
        var isBend = message.Status >= 0xE0;
        var isAtRest = (message.Data1 | message.Data2 << 7) == (isBend ? 64 << 7 : 0);
        if (!isAtRest)
            _touched |= 1u << (message.Status & 0x0F);
        _by[(message.Status & 0x0F) * Items + (isBend ? BendItem : PressureItem)] = isAtRest ? default : by;
    }

    /// <summary>Takes note of the pressure of a key that goes out.</summary>
    /// <param name="message">The message.</param>
    /// <param name="by">Who sent it.</param>
    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    internal void NoteKeyPressure(in MidiMessage message, Mover by)
    {
        if (message.Data2 != 0)
            _pressed |= 1u << message.ChannelIndex;
        _keys[message.ChannelIndex * Keys + message.Data1] = message.Data2 == 0 ? default : by;
    }

    /// <summary>Takes note of a controller that goes out; most are never put to rest. Of one with a fine half the coarse half at rest is
    /// rest: it puts the fine one to nothing (MIDI 1.0 Detailed Specification, "Control Change").</summary>
    /// <param name="message">The message.</param>
    /// <param name="by">Who sent it.</param>
    internal void NoteControl(in MidiMessage message, Mover by)
    {
        var item = message.Data1 switch
        {
            1 or 33 => 0,
            11 => ExpressionItem,
            65 => PortamentoItem,
            2 or 34 => BreathItem,
            4 or 36 => FootItem,
            _ => -1,
        };
        if (item < 0 || (message.Data1 is 33 or 34 or 36 && message.Data2 == 0))
            return;
        var isAtRest = item == PortamentoItem ? message.Data2 < 64 : message.ShortBytes == RestOf(item, message.ChannelIndex).ShortBytes;
        if (!isAtRest)
            _touched |= 1u << message.ChannelIndex;
        _by[message.ChannelIndex * Items + item] = isAtRest ? default : by;
    }

    /// <summary>Takes note of whatever goes out.</summary>
    /// <param name="message">The message.</param>
    /// <param name="by">Who sent it.</param>
    internal void Note(in MidiMessage message, Mover by)
    {
        switch (message.Kind)
        {
            case MessageKind.PitchBend or MessageKind.ChannelPressure:
                NoteBendOrPressure(message, by);
                break;
            case MessageKind.PolyPressure:
                NoteKeyPressure(message, by);
                break;
            case MessageKind.ControlChange:
                NoteControl(message, by);
                break;
        }
    }

    /// <summary>Whether anybody but a source has moved anything that <i>reset all controllers</i> puts to rest.</summary>
    /// <param name="channel">The channel, from 0; below 0 for all.</param>
    /// <param name="source">The source.</param>
    internal bool IsByOther(int channel, PortId source)
    {
        for (var at = First(channel); at < End(channel); at++)
        {
            if (at % Items < BreathItem && _by[at].Source is var by && by != default && by != source)
                return true;
        }
        return false;
    }

    /// <summary>Takes out the next thing that a source has moved and that <i>reset all controllers</i> puts to rest.</summary>
    /// <param name="cursor">Where to begin; counts up.</param>
    /// <param name="channel">The channel, from 0; below 0 for all.</param>
    /// <param name="source">The source.</param>
    /// <param name="rest">The message that puts it to rest.</param>
    internal bool TryTake(ref int cursor, int channel, PortId source, out MidiMessage rest)
    {
        for (; First(channel) + cursor < End(channel); cursor++)
        {
            var at = First(channel) + cursor;
            if (at % Items >= BreathItem || _by[at].Source != source)
                continue;
            _by[at] = default;
            rest = RestOf(at % Items, at / Items);
            return true;
        }
        rest = default;
        return false;
    }

    /// <summary>Forgets what a source has moved of what is put to rest for a route: the caller sends what puts it to rest.</summary>
    /// <param name="cursor">Where to begin; counts up.</param>
    /// <param name="source">The source.</param>
    /// <param name="rest">The message that puts it to rest.</param>
    internal bool TryLetGo(ref int cursor, PortId source, out MidiMessage rest)
    {
        while (TryNext(ref cursor, out var by, out rest))
        {
            if (by.Source != source)
                continue;
            Note(rest, default);
            return true;
        }
        return false;
    }

    /// <summary>Whether anything may be away from rest.</summary>
    internal bool MayBeAway => (_touched | _pressed) != 0;

    /// <summary>Goes through what a hand, a foot or a breath holds away from rest, whoever does: the caller says whether it is to be put to
    /// rest.</summary>
    /// <param name="cursor">Where to begin, 0 for the beginning; counts up.</param>
    /// <param name="by">Who moved it.</param>
    /// <param name="rest">The message that puts it to rest.</param>
    internal bool TryNext(ref int cursor, out Mover by, out MidiMessage rest)
    {
        for (; cursor < _by.Length; cursor++)
        {
            var channel = cursor / Items;
            if ((_touched >> channel & 1) == 0)
            {
                cursor = (channel + 1) * Items - 1;
                continue;
            }
            if (cursor % Items == 0 && _by.AsSpan(cursor, Items).IndexOfAnyExcept(default(Mover)) < 0)
                _touched &= ~(1u << channel);
            if (_by[cursor].Source == default || cursor % Items is ExpressionItem or PortamentoItem)
                continue;
            (by, rest) = (_by[cursor], RestOf(cursor % Items, channel));
            cursor++;
            return true;
        }
        for (; cursor - _by.Length < _keys.Length; cursor++)
        {
            var at = cursor - _by.Length;
            if ((_pressed >> (at / Keys) & 1) == 0)
            {
                cursor = _by.Length + (at / Keys + 1) * Keys - 1;
                continue;
            }
            if (at % Keys == 0 && _keys.AsSpan(at, Keys).IndexOfAnyExcept(default(Mover)) < 0)
                _pressed &= ~(1u << (at / Keys));
            if (_keys[at].Source == default)
                continue;
            (by, rest) = (_keys[at], MidiMessage.Raw(0xA0 | at / Keys, at % Keys, 0));
            cursor++;
            return true;
        }
        (by, rest) = (default, default);
        return false;
    }

    private static int First(int channel) => Math.Max(0, channel) * Items;

    private static int End(int channel) => (channel < 0 ? Channel.Count : channel + 1) * Items;

    private static MidiMessage RestOf(int item, int channel) =>
        item switch
        {
            0 => MidiMessage.Raw(0xB0 | channel, 1, 0),
            ExpressionItem => MidiMessage.Raw(0xB0 | channel, 11, 127),
            PortamentoItem => MidiMessage.Raw(0xB0 | channel, 65, 0),
            PressureItem => MidiMessage.Raw(0xD0 | channel, 0, 0),
            BreathItem => MidiMessage.Raw(0xB0 | channel, 2, 0),
            FootItem => MidiMessage.Raw(0xB0 | channel, 4, 0),
            _ => MidiMessage.Raw(0xE0 | channel, 0, 64),
        };
}
