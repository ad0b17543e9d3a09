using System.Runtime.CompilerServices;

namespace Weiche.Bridge.Shared;

/// <summary>A message on its way between the two processes.</summary>
/// <param name="Port">Whose it is.</param>
/// <param name="Time">When it is due, µs of the system's monotonic clock.</param>
/// <param name="Length">How many bytes it has.</param>
public readonly record struct FrameHead(int Port, long Time, int Length);

/// <summary>A bounded way for messages from one process to another through memory that both have. One writes, one reads, neither ever waits
/// for the other; a message is on it whole or not at all.</summary>
/// <remarks>Layout, native byte order: at 0 how many bytes were written so far (8 bytes), at 64 how many were read (8), at 128 what the
/// reader sleeps on (4), then the bytes. A message is its port (4), its length (4), its time (8) and its bytes, filled up to a multiple of
/// 8.</remarks>
public sealed unsafe class SharedRing
{
    /// <summary>How many bytes of messages there is room for.</summary>
    public const int Capacity = 1 << 21;

    /// <summary>How many bytes of memory it takes.</summary>
    public const int Size = HeadSize + Capacity;

    private const int HeadSize = 192;
    private const int FrameHeadSize = 16;

    private readonly long* _written;
    private readonly long* _read;
    private readonly int* _signal;
    private readonly byte* _bytes;

    /// <summary>A way at a place in memory that begins with zeros, or was one before.</summary>
    /// <param name="at">Where it begins.</param>
    internal SharedRing(byte* at)
    {
        _written = (long*)at;
        _read = (long*)(at + 64);
        _signal = (int*)(at + 128);
        _bytes = at + HeadSize;
    }

    /// <summary>How many bytes are on the way.</summary>
    public long Count => Volatile.Read(ref *_written) - Volatile.Read(ref *_read);

    /// <summary>Puts a message on its way. Its reader is not woken.</summary>
    /// <param name="port">Whose it is.</param>
    /// <param name="time">When it is due, µs.</param>
    /// <param name="bytes">Its bytes.</param>
    /// <returns>False if there is no room for it.</returns>
    public bool TryWrite(int port, long time, ReadOnlySpan<byte> bytes)
    {
        var size = SizeOf(bytes.Length);
        var at = *_written;
        if (Capacity - (at - Volatile.Read(ref *_read)) < size)
            return false;
        WriteAt(at, port);
        WriteAt(at + 4, bytes.Length);
        WriteAt(at + 8, time);
        var start = (int)((at + FrameHeadSize) & (Capacity - 1));
        var first = Math.Min(bytes.Length, Capacity - start);
        bytes[..first].CopyTo(new Span<byte>(_bytes + start, first));
        bytes[first..].CopyTo(new Span<byte>(_bytes, bytes.Length - first));
        Volatile.Write(ref *_written, at + size);
        return true;
    }

    /// <summary>The message that is next; it stays until it is taken.</summary>
    /// <param name="head">Whose it is and when.</param>
    /// <returns>False if there is none.</returns>
    public bool TryPeek(out FrameHead head)
    {
        var at = *_read;
        head = default;
        if (Volatile.Read(ref *_written) == at)
            return false;
        head = new FrameHead(ReadAt<int>(at), ReadAt<long>(at + 8), ReadAt<int>(at + 4));
        // What cannot be is not read: a process that was torn apart in the middle of a line leaves anything.
        if ((uint)head.Length <= Capacity - FrameHeadSize && SizeOf(head.Length) <= Volatile.Read(ref *_written) - at)
            return true;
        Volatile.Write(ref *_read, Volatile.Read(ref *_written));
        return false;
    }

    /// <summary>Copies the bytes of the message that is next.</summary>
    /// <param name="head">The message.</param>
    /// <param name="bytes">Where its bytes go.</param>
    public void Copy(in FrameHead head, Span<byte> bytes)
    {
        var start = (int)((*_read + FrameHeadSize) & (Capacity - 1));
        var first = Math.Min(head.Length, Capacity - start);
        new ReadOnlySpan<byte>(_bytes + start, first).CopyTo(bytes);
        new ReadOnlySpan<byte>(_bytes, head.Length - first).CopyTo(bytes[first..]);
    }

    /// <summary>Takes the message that is next off the way.</summary>
    /// <param name="head">The message.</param>
    public void Take(in FrameHead head) => Volatile.Write(ref *_read, *_read + SizeOf(head.Length));

    /// <summary>Throws away what is on the way.</summary>
    public void Clear() => Volatile.Write(ref *_read, Volatile.Read(ref *_written));

    /// <summary>Wakes the reader.</summary>
    public void Wake()
    {
        Interlocked.Increment(ref *_signal);
        Futex.Wake(_signal);
    }

    /// <summary>Waits until there is a message, or the reader is woken, or a time has passed.</summary>
    /// <param name="milliseconds">The longest time.</param>
    public void Wait(int milliseconds)
    {
        var signal = Volatile.Read(ref *_signal);
        if (Count == 0)
            Futex.Wait(_signal, signal, milliseconds);
    }

    private static long SizeOf(int length) => (FrameHeadSize + length + 7L) & ~7L;

    // Heads begin at a multiple of 8 and so do their parts lie side by side.
    private void WriteAt<T>(long at, T value)
        where T : unmanaged => Unsafe.WriteUnaligned(_bytes + (at & (Capacity - 1)), value);

    private T ReadAt<T>(long at)
        where T : unmanaged => Unsafe.ReadUnaligned<T>(_bytes + (at & (Capacity - 1)));
}
