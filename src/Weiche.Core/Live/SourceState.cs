using Weiche.Core.Midi;
using Weiche.Core.Studios;

namespace Weiche.Core.Live;

/// <summary>What the engine keeps for a source: where its bytes stand, which keys are down, and how the studio in force sets it.</summary>
/// <param name="id">Its id.</param>
/// <param name="parser">Reads its bytes.</param>
/// <param name="meter">Counts.</param>
/// <param name="playedAs">For what a take plays: the source as which it is played; else none.</param>
internal sealed class SourceState(PortId id, StreamParser parser, PortMeter meter, PortId playedAs = default)
{
    internal readonly PortId Id = id;

    /// <summary>The source as which it is shown.</summary>
    internal readonly PortId Shown = playedAs == default ? id : playedAs;

    /// <summary>What the tap says of its messages.</summary>
    internal readonly TapEvent Arrives = playedAs == default ? TapEvent.Came : TapEvent.Played;

    /// <summary>Whether it is the door of a virtual port. Its clock is heard where it comes out.</summary>
    internal bool IsDoor { get; private init; }

    /// <summary>The door of a virtual port: what other programs send to it.</summary>
    /// <param name="destination">The destination that the port is.</param>
    /// <param name="parser">Reads its bytes.</param>
    internal static SourceState OfDoor(PortId destination, StreamParser parser) =>
        new(destination, parser, new PortMeter(isSource: true)) { IsDoor = true };

    /// <summary>Whether a take plays it: then it works no levers.</summary>
    internal bool IsPlayed => Arrives == TapEvent.Played;

    internal readonly StreamParser Parser = parser;
    internal readonly PortMeter Meter = meter;

    /// <summary>A bit for each key of each channel that is down.</summary>
    internal readonly ulong[] Down = new ulong[Channel.Count * 2];

    /// <summary>What its keys and controls hold, in the ledger.</summary>
    internal readonly HeldBy Holds = new();

    /// <summary>What came last, for the guard.</summary>
    internal Seen Seen;

    /// <summary>When bytes came last.</summary>
    internal MidiTime LastByte;

    /// <summary>Whether it is switched on.</summary>
    internal bool On;

    /// <summary>The routes that its messages run through, in the order in which they are asked.</summary>
    internal Line[] Lines = [];

    /// <summary>Routes that are not live any more and through which it still holds something; the first
    /// <see cref="RingingCount"/>.</summary>
    internal Line[] Ringing = [];

    /// <summary>How many there are.</summary>
    internal int RingingCount;

    /// <summary>The levers on it; null if there are none.</summary>
    internal LeverTable? Levers;

    /// <summary>Whether any key is down as a lever.</summary>
    internal bool AnySwallowed;

    /// <summary>A bit for each key of each channel that is down as a lever and was swallowed: its end is, too.</summary>
    internal readonly ulong[] Swallowed = new ulong[Channel.Count * 2];

    /// <summary>How it is placed in the room, for the guard.</summary>
    internal Standing Standing;

    /// <summary>Keeps in mind that a key is down as a lever.</summary>
    internal void Swallow(in MidiMessage note)
    {
        Swallowed[note.ChannelIndex * 2 + (note.Data1 >> 6)] |= 1ul << (note.Data1 & 63);
        AnySwallowed = true;
    }

    /// <summary>Whether a key was down as a lever; it is not any more.</summary>
    internal bool TakeSwallowed(in MidiMessage note)
    {
        ref var word = ref Swallowed[note.ChannelIndex * 2 + (note.Data1 >> 6)];
        var bit = 1ul << (note.Data1 & 63);
        var was = (word & bit) != 0;
        word &= ~bit;
        AnySwallowed = Swallowed.AsSpan().IndexOfAnyExcept(0ul) >= 0;
        return was;
    }

    /// <summary>No key is down as a lever.</summary>
    internal void ClearSwallowed()
    {
        Array.Clear(Swallowed);
        AnySwallowed = false;
    }

    /// <summary>Whether the key of a note is down.</summary>
    internal bool IsDown(in MidiMessage note) => (Down[note.ChannelIndex * 2 + (note.Data1 >> 6)] >> (note.Data1 & 63) & 1) != 0;
}

/// <summary>How a port is placed in the room: what decides whether something that was sent may be heard again there.</summary>
/// <param name="Device">The device at the far end.</param>
/// <param name="LeadsBack">Whether what was sent could come back by this port at all: the device has a port of the other direction, or a
/// cable may be plugged anywhere.</param>
/// <param name="Crosses">Whether it could come back by another device: where cables can be plugged wrongly.</param>
internal readonly record struct Standing(DeviceId Device, bool LeadsBack, bool Crosses)
{
    internal static Standing Of(DevicePort port)
    {
        var crosses = port.Port.Jack is not null || port.Owner.Kind.Facts().MayBePluggedAnywhere;
        var other = port.IsSource ? PortDirection.Destination : PortDirection.Source;
        return new Standing(port.Device.Id, crosses || port.Owner.Ports.Any(each => each.Direction == other), crosses);
    }
}
