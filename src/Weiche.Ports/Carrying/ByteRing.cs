namespace Weiche.Ports.Carrying;

/// <summary>Bytes on their way from one thread to another, neither of which ever waits for the other: one writes, one reads.</summary>
/// <remarks>Who writes may change from call to call, and so may who reads, as long as it is one at a time on either side.</remarks>
internal sealed class ByteRing
{
    /// <summary>The most bytes that may be under way.</summary>
    internal const int Capacity = 1 << 16;

    private readonly byte[] _bytes = new byte[Capacity];
    private long _written;
    private long _read;

    /// <summary>How many bytes can be read now.</summary>
    internal int Count => (int)(Volatile.Read(ref _written) - Volatile.Read(ref _read));

    /// <summary>Writes as many bytes as there is room for.</summary>
    /// <param name="bytes">The bytes.</param>
    /// <returns>How many were written, from the start.</returns>
    internal int Write(ReadOnlySpan<byte> bytes)
    {
        var at = _written;
        var count = (int)Math.Min(bytes.Length, Capacity - (at - Volatile.Read(ref _read)));
        var start = (int)(at & (Capacity - 1));
        var first = Math.Min(count, Capacity - start);
        bytes[..first].CopyTo(_bytes.AsSpan(start));
        bytes[first..count].CopyTo(_bytes);
        Volatile.Write(ref _written, at + count);
        return count;
    }

    /// <summary>The bytes that are next, as far as they lie side by side. They stay until <see cref="Advance"/>.</summary>
    /// <param name="most">At most how many.</param>
    internal ReadOnlySpan<byte> Peek(int most)
    {
        var at = _read;
        var start = (int)(at & (Capacity - 1));
        return _bytes.AsSpan(start, Math.Min(Math.Min((int)(Volatile.Read(ref _written) - at), most), Capacity - start));
    }

    /// <summary>Says that bytes have been read.</summary>
    /// <param name="count">How many, from the start of <see cref="Peek"/>.</param>
    internal void Advance(int count) => Volatile.Write(ref _read, _read + count);
}
