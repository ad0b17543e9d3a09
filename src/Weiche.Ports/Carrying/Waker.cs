using System.Runtime.InteropServices;
using Weiche.Core.Midi;

namespace Weiche.Ports.Carrying;

/// <summary>Wakes a thread that waits. Whoever wakes it goes on at once, whatever other threads do: the system keeps the signal, so no lock
/// of this process lies between the two (the events of the runtime share one, which a thread that the system puts aside may
/// hold).</summary>
/// <remarks>It is closed when nobody has it any more. Closed sooner, its number could be that of another file by the time somebody wakes
/// it.</remarks>
internal sealed class Waker
{
    private readonly int _descriptor = Libc.EventDescriptor(0, Libc.NonBlocking | Libc.CloseOnExec);
    private readonly Libc.PollEntry[] _entries = new Libc.PollEntry[1];
    private int _signalled;

    /// <summary>Wakes the thread that waits, or lets the next wait return at once.</summary>
    internal void Wake()
    {
        // Who has signalled already may have been put aside before it came to the next line: a thread that carries does not rely on it.
        if (Interlocked.Exchange(ref _signalled, 1) != 0 && !Urgent.IsHere)
            return;
        ReadOnlySpan<byte> one = [1, 0, 0, 0, 0, 0, 0, 0];
        _ = Libc.Write(_descriptor, in MemoryMarshal.GetReference(one), one.Length);
        GC.KeepAlive(this);
    }

    /// <summary>Waits until it is woken, but no longer than a time. One thread at a time waits.</summary>
    /// <param name="milliseconds">The longest time; −1 for ever.</param>
    internal void Wait(int milliseconds)
    {
        _entries[0] = Entry;
        _ = Libc.Poll(_entries, 1, milliseconds);
        if (_entries[0].Returned != 0)
            Clear();
    }

    /// <summary>The same, with a time that is told more exactly: the beat of a clock is due to some microseconds.</summary>
    /// <param name="time">The longest time, above zero.</param>
    internal void Wait(MidiSpan time)
    {
        _entries[0] = Entry;
        var timeout = new Libc.TimeSpec
        {
            Seconds = (nint)(time.Microseconds / 1_000_000),
            Nanoseconds = (nint)(time.Microseconds % 1_000_000 * 1_000),
        };
        _ = Libc.Poll(_entries, 1, in timeout, 0);
        if (_entries[0].Returned != 0)
            Clear();
    }

    /// <summary>What a thread waits for that waits for other things besides. It has come once it is returned; then it is to be
    /// cleared.</summary>
    internal Libc.PollEntry Entry => new() { Descriptor = _descriptor, Events = Libc.PollIn };

    /// <summary>Takes the signal.</summary>
    internal void Clear()
    {
        Span<byte> count = stackalloc byte[8];
        _ = Libc.Read(_descriptor, ref MemoryMarshal.GetReference(count), count.Length);
        // What is done for a signal is done after this, so that the next one is not lost.
        Volatile.Write(ref _signalled, 0);
        Interlocked.MemoryBarrier();
    }

    ~Waker() => _ = Libc.Close(_descriptor);
}
