using Weiche.Core.Studios;

namespace Weiche.Core.Live;

/// <summary>What the engine hands the bytes of its destinations to.</summary>
public interface IByteTaker
{
    /// <summary>What is said in place of a number of bytes where nobody takes them: the destination is away.</summary>
    const int Away = -1;

    /// <summary>Takes the first of these bytes, as many as it has room for.</summary>
    /// <param name="destination">The destination they are for.</param>
    /// <param name="bytes">The bytes, valid during the call only.</param>
    /// <returns>How many it took; the rest is kept and handed out when
    /// <see cref="Engine.Drain{TTaker}(PortId, ref TTaker, Midi.MidiTime)"/> is asked for it. <see cref="Away"/> if nobody is there: then
    /// what waits is gone, but for the ends that are owed (<see cref="Engine.Return"/>).</returns>
    int Take(PortId destination, ReadOnlySpan<byte> bytes);
}
