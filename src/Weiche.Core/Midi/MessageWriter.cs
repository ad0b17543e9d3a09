using System.Buffers.Binary;
using System.Runtime.CompilerServices;

namespace Weiche.Core.Midi;

/// <summary>
/// Writes messages as a MIDI 1.0 byte stream. Remembers the running status of its own stream, so there is one
/// writer to a port.
/// </summary>
/// <remarks>
/// Running status follows the MIDI 1.0 Detailed Specification, "Running Status": it is kept by channel messages,
/// left alone by real-time messages and ended by all other system messages. Not safe for several threads.
/// </remarks>
/// <param name="pool">Where system exclusive bytes are kept.</param>
/// <param name="useRunningStatus">Whether a channel status that is in force is left out.</param>
public sealed class MessageWriter(SysExPool pool, bool useRunningStatus = true)
{
    private byte _running;

    /// <summary>The status in force; 0 for none.</summary>
    internal byte RunningStatus => _running;

    /// <summary>The most bytes that a message other than a system exclusive takes.</summary>
    public const int MaxShortLength = 3;

    /// <summary>The room that <see cref="WriteShort"/> needs.</summary>
    internal const int ShortRoom = 4;

    /// <summary>How many bytes the message takes if it is written next.</summary>
    /// <param name="message">The message.</param>
    public int Measure(in MidiMessage message)
    {
        if (message.Status == 0xF0)
            return pool.Bytes(message.SysExHandle).Length + 2;
        return message.DataLength + (LeavesStatusOut(message) ? 0 : 1);
    }

    /// <summary>Writes one message whole, or nothing.</summary>
    /// <param name="message">The message.</param>
    /// <param name="destination">Where its bytes go, from the start.</param>
    /// <param name="written">How many bytes were written; 0 if they do not fit.</param>
    /// <returns>Whether the message was written.</returns>
    public bool TryWrite(in MidiMessage message, Span<byte> destination, out int written)
    {
        written = 0;
        if (Measure(message) > destination.Length)
            return false;
        if (message.Status == 0xF0)
        {
            var data = pool.Bytes(message.SysExHandle);
            destination[0] = 0xF0;
            data.CopyTo(destination[1..]);
            destination[data.Length + 1] = 0xF7;
            written = data.Length + 2;
            _running = 0;
            return true;
        }
        written = destination.Length >= ShortRoom ? WriteShort(message, destination) : WriteIntoLittle(message, destination);
        return true;
    }

    /// <summary>Writes a message where there is room for it and no more. Apart, for the sake of the usual case.</summary>
    private int WriteIntoLittle(in MidiMessage message, Span<byte> destination)
    {
        Span<byte> bytes = stackalloc byte[ShortRoom];
        var written = WriteShort(message, bytes);
        bytes[..written].CopyTo(destination);
        return written;
    }

    /// <summary>Writes a message other than a system exclusive where there is room for it.</summary>
    /// <param name="message">The message.</param>
    /// <param name="destination">Room for <see cref="ShortRoom"/> bytes.</param>
    /// <returns>How many bytes were written.</returns>
    internal int WriteShort(in MidiMessage message, Span<byte> destination)
    {
        if (message.HasChannel)
            return WriteChannel(message, destination);
        BinaryPrimitives.WriteUInt32LittleEndian(destination, message.ShortBytes);
        if (!message.IsRealTime)
            _running = 0;
        return message.DataLength + 1;
    }

    /// <summary>Writes a channel message where there is room for it.</summary>
    /// <param name="message">The message.</param>
    /// <param name="destination">Room for <see cref="ShortRoom"/> bytes.</param>
    /// <returns>How many bytes were written.</returns>
    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    internal int WriteChannel(in MidiMessage message, Span<byte> destination)
    {
        var bytes = message.ShortBytes;
        var length = (bytes & 0xE0) == 0xC0 ? 2 : 3;
        if (LeavesStatusOut(message))
        {
            bytes >>= 8;
            length--;
        }
        // One store of four bytes: what is too much is overwritten by the next message or never looked at.
        BinaryPrimitives.WriteUInt32LittleEndian(destination, bytes);
        _running = message.Status;
        return length;
    }

    /// <summary>Forgets the running status: the next channel message is written with its status byte. To be called
    /// when the far end may have missed something.</summary>
    public void Reset() => _running = 0;

    private bool LeavesStatusOut(in MidiMessage message) => useRunningStatus && message.Status == _running;
}
