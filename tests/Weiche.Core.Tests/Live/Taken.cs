using Weiche.Core.Live;
using Weiche.Core.Studios;

namespace Weiche.Core.Tests.Live;

/// <summary>Takes every byte at once.</summary>
internal readonly struct Taken(Taken.Bytes take) : IByteTaker
{
    internal delegate void Bytes(ReadOnlySpan<byte> bytes);

    public int Take(PortId destination, ReadOnlySpan<byte> bytes)
    {
        take(bytes);
        return bytes.Length;
    }
}
