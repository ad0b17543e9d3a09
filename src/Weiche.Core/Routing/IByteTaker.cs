using Weiche.Core.Studios;

namespace Weiche.Core.Routing;

/// <summary>What the engine hands the bytes of its destinations to.</summary>
public interface IByteTaker
{
    /// <summary>Takes the first of these bytes, as many as it has room for.</summary>
    /// <param name="destination">The destination they are for.</param>
    /// <param name="bytes">The bytes, valid during the call only.</param>
    /// <returns>How many it took; the rest is kept and handed out when <see cref="Engine.Drain{TTaker}(PortId, ref TTaker, Midi.MidiTime)"/>
    /// is asked for it.</returns>
    int Take(PortId destination, ReadOnlySpan<byte> bytes);
}
