using System.Runtime.InteropServices;
using Microsoft.Win32.SafeHandles;

namespace Weiche.Bridge.Sequencer;

/// <summary>The short cut into the system's sequencer: what has at most three bytes is given to the bridge's client there by the thread
/// that plays it, and no other thread is woken on the way.</summary>
/// <remarks>The client stays the bridge's, its names and connections too; what is shared is the open file (Linux,
/// <c>pidfd_getfd(2)</c>), to which events are written as the kernel has them (linux/sound/asequencer.h, <c>snd_seq_event</c>). A write
/// gives an event out at once and never waits: nothing that takes long is asked of that client. Who may not have the file goes by the
/// bridge.</remarks>
public sealed partial class ShortCut : IDisposable
{
    // The calls' numbers are the same on every machine.
    private const nint OpenProcess = 434;
    private const nint GetFile = 438;

    private const int Size = 28;

    private readonly SafeFileHandle _file;

    private ShortCut(SafeFileHandle file) => _file = file;

    /// <summary>What became of a message.</summary>
    public enum Outcome
    {
        /// <summary>It has gone out.</summary>
        Sent,

        /// <summary>It cannot go this way.</summary>
        NotThisWay,

        /// <summary>One who hears the port has no room for it; who else hears it has it.</summary>
        Full,
    }

    /// <summary>Takes the file that a bridge has open.</summary>
    /// <param name="process">The bridge.</param>
    /// <param name="file">The file's number there.</param>
    /// <returns>Null if this process may not have it.</returns>
    public static ShortCut? TryTake(int process, int file)
    {
        using var bridge = new SafeFileHandle(Call(OpenProcess, process, 0, 0), ownsHandle: true);
        if (bridge.IsInvalid)
            return null;
        var taken = new SafeFileHandle(Call(GetFile, bridge.DangerousGetHandle(), file, 0), ownsHandle: true);
        if (taken.IsInvalid)
        {
            taken.Dispose();
            return null;
        }
        // So that nothing is compiled when the first note comes: no message, and nothing to write.
        var shortCut = new ShortCut(taken);
        _ = shortCut.Send(0, 0xF0, 0, 0);
        _ = Write(taken, 0, 0);
        return shortCut;
    }

    /// <summary>Gives a message to all who hear a port.</summary>
    /// <param name="port">The port's number, 0 to 255.</param>
    /// <param name="status">The message's status byte.</param>
    /// <param name="data1">Its first data byte; 0 where it has none.</param>
    /// <param name="data2">Its second data byte; 0 where it has none.</param>
    public Outcome Send(byte port, byte status, byte data1, byte data2)
    {
        Span<byte> made = stackalloc byte[Size];
        made.Clear();
        if (!TryMake(made, status, data1, data2))
            return Outcome.NotThisWay;
        made[3] = LibAsound.Directly;
        (made[13], made[14], made[15]) = (port, LibAsound.ToSubscribers, LibAsound.Unknown);
        try
        {
            return Write(_file, in made[0], Size) == Size ? Outcome.Sent
                : Marshal.GetLastPInvokeError() == -LibAsound.Again ? Outcome.Full
                : Outcome.NotThisWay;
        }
        catch (ObjectDisposedException)
        {
            // The bridge has just ended.
            return Outcome.NotThisWay;
        }
    }

    /// <inheritdoc/>
    public void Dispose() => _file.Dispose();

    /// <summary>Makes an event of a message: its type, and at 16 what it says (<c>snd_seq_ev_note</c>, <c>snd_seq_ev_ctrl</c>).</summary>
    /// <returns>False for a message that is none of these.</returns>
    internal static bool TryMake(Span<byte> made, byte status, byte data1, byte data2)
    {
        var type = (status & 0xF0) switch
        {
            0x80 => Note(made, 7),
            0x90 => Note(made, 6),
            0xA0 => Note(made, 8),
            0xB0 => Control(made, 10, data1, data2),
            0xC0 => Control(made, 11, 0, data1),
            0xD0 => Control(made, 12, 0, data1),
            // From -8192 up.
            0xE0 => Control(made, 13, 0, (data1 | data2 << 7) - 0x2000),
            _ => status switch
            {
                0xF1 => Control(made, 22, 0, data1),
                0xF2 => Control(made, 20, 0, data1 | data2 << 7),
                0xF3 => Control(made, 21, 0, data1),
                0xF6 => 40,
                0xF8 => 36,
                0xFA => 30,
                0xFB => 31,
                0xFC => 32,
                0xFE => 42,
                0xFF => 41,
                _ => 0,
            },
        };
        made[0] = (byte)type;
        return type > 0;

        int Note(Span<byte> made, int type)
        {
            (made[16], made[17], made[18]) = ((byte)(status & 0xF), data1, data2);
            return type;
        }

        int Control(Span<byte> made, int type, int number, int value)
        {
            made[16] = status < 0xF0 ? (byte)(status & 0xF) : (byte)0;
            MemoryMarshal.Write(made[20..], number);
            MemoryMarshal.Write(made[24..], value);
            return type;
        }
    }

    [LibraryImport("libc", EntryPoint = "syscall", SetLastError = true)]
    private static partial nint Call(nint call, nint first, nint second, nint third);

    [LibraryImport("libc", EntryPoint = "write", SetLastError = true)]
    private static partial nint Write(SafeFileHandle file, in byte bytes, nint count);
}
