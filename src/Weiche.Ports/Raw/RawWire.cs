using System.ComponentModel;
using System.Runtime.InteropServices;
using Weiche.Core.Studios;

namespace Weiche.Ports.Raw;

/// <summary>Whether a raw device is there.</summary>
/// <param name="Present">Whether it is open.</param>
/// <param name="Since">Since when, UTC.</param>
/// <param name="Reason">Why it is not there; empty if it is.</param>
/// <param name="Urgency">How urgently the system runs the thread that reads it; null if it has none of its own.</param>
public sealed record Presence(bool Present, DateTimeOffset Since, string Reason, Urgency? Urgency = null);

/// <summary>
/// A device file, named pipe or terminal as a port. It is read by a thread of its own and written from whoever brings
/// bytes, never waiting: what the device does not take at once follows when it has room. A device that vanishes is
/// missing until its path can be opened again; what it held ends, and what is sent to it meanwhile is gone.
/// </summary>
public sealed class RawWire : IByteSink, IDisposable
{
    private const int RetryMilliseconds = 250;
    private const int Closed = -1;

    // What fills the buffer so often in a row is no wire of MIDI. An urgent thread that read it without a pause would take the machine.
    private const int MostInARow = 16;

    private readonly Junction _junction;
    private readonly PortId? _source;
    private readonly PortId? _destination;
    private readonly TimeProvider _time;
    private readonly Thread _thread;
    private readonly byte[] _buffer = new byte[4096];
    private readonly int _wake;
    private readonly Lock _writing = new();
    private int _reader = Closed;
    private int _writer = Closed;
    private volatile bool _full;
    private volatile bool _stopped;
    private Presence _presence;
    private Urgency _urgency;
    private int _inARow;

    /// <summary>The path.</summary>
    public string Path { get; }

    /// <summary>A wire to a path. It is opened on the wire's own thread, as soon as it can be.</summary>
    /// <param name="junction">Where its bytes go and come from.</param>
    /// <param name="path">The path.</param>
    /// <param name="source">The source it is, or null if it is only written.</param>
    /// <param name="destination">The destination it is, or null if it is only read.</param>
    /// <param name="time">Where the time comes from.</param>
    public RawWire(Junction junction, string path, PortId? source, PortId? destination, TimeProvider time)
    {
        _junction = junction;
        Path = path;
        _source = source;
        _destination = destination;
        _time = time;
        _presence = new Presence(false, time.GetUtcNow(), "not opened yet");
        _wake = Libc.EventDescriptor(0, Libc.NonBlocking | Libc.CloseOnExec);
        if (destination is { } id) junction.Connect(id, this);
        _thread = new Thread(Run) { IsBackground = true, Name = "Weiche " + path };
        _thread.Start();
    }

    /// <summary>Whether the device is there.</summary>
    public Presence Presence => Volatile.Read(ref _presence);

    /// <inheritdoc/>
    public int Send(ReadOnlySpan<byte> bytes)
    {
        lock (_writing)
        {
            // On a cable that hangs loose bytes are gone.
            if (_writer == Closed) return bytes.Length;
            var written = Libc.Write(_writer, in MemoryMarshal.GetReference(bytes), bytes.Length);
            if (written == bytes.Length) return bytes.Length;
            if (written < 0 && Marshal.GetLastPInvokeError() is not (Libc.Again or Libc.Interrupted)) return bytes.Length;
            _full = true;
            Wake();
            return (int)Math.Max(0, written);
        }
    }

    /// <inheritdoc/>
    public void Dispose()
    {
        _stopped = true;
        Wake();
        _thread.Join();
        Shut();
        _ = Libc.Close(_wake);
    }

    private void Run()
    {
        if (_junction.AsksForUrgency) _urgency = Urgent.Ask();
        while (!_stopped)
        {
            if (!TryOpen())
            {
                WaitToRetry();
                continue;
            }
            Say(true, "");
            var reason = Serve();
            Shut();
            if (_source is { } source) _junction.BreakOff(source);
            if (_stopped) return;
            Say(false, reason);
            WaitToRetry();
        }
    }

    private bool TryOpen()
    {
        if (_source is not null && !TryOpen(Libc.ReadOnly, out _reader)) return false;
        if (_destination is not null)
        {
            if (!TryOpen(Libc.WriteOnly, out var writer))
            {
                Shut();
                return false;
            }
            lock (_writing) _writer = writer;
        }
        return true;
    }

    private bool TryOpen(int direction, out int descriptor)
    {
        descriptor = Directory.Exists(Path)
            ? Closed
            : Libc.Open(Path, direction | Libc.NonBlocking | Libc.NoControllingTerminal | Libc.CloseOnExec);
        if (descriptor == Closed)
        {
            Say(false, Directory.Exists(Path) ? "it is a folder" : Explain(Marshal.GetLastPInvokeError()));
            return false;
        }
        Libc.LeaveBytesAlone(descriptor);
        return true;
    }

    /// <summary>Reads, and sees to it that what waits is written, until the device is gone. Returns why it ended.</summary>
    private string Serve()
    {
        var entries = new Libc.PollEntry[3];
        while (!_stopped)
        {
            entries[0] = new Libc.PollEntry { Descriptor = _wake, Events = Libc.PollIn };
            entries[1] = new Libc.PollEntry { Descriptor = _reader, Events = Libc.PollIn };
            entries[2] = new Libc.PollEntry { Descriptor = _writer, Events = _full ? Libc.PollOut : (short)0 };
            if (Libc.Poll(entries, (nuint)entries.Length, -1) < 0)
            {
                if (Marshal.GetLastPInvokeError() == Libc.Interrupted) continue;
                return Explain(Marshal.GetLastPInvokeError());
            }
            if (entries[0].Returned != 0) DrainWake();
            if (entries[1].Returned != 0 && ReadOnce() is { } ended) return ended;
            if ((entries[2].Returned & (Libc.PollError | Libc.PollHangUp)) != 0) return "the far end was closed";
            if ((entries[2].Returned & Libc.PollOut) != 0)
            {
                _full = false;
                _junction.Resume(_destination!.Value);
            }
        }
        return "";
    }

    private string? ReadOnce()
    {
        var count = Libc.Read(_reader, ref _buffer[0], _buffer.Length);
        if (count > 0)
        {
            _junction.Receive(_source!.Value, _buffer.AsSpan(0, (int)count));
            _inARow = count == _buffer.Length ? _inARow + 1 : 0;
            if (_inARow < MostInARow) return null;
            _inARow = 0;
            Thread.Sleep(1);
            return null;
        }
        if (count == 0) return "the far end was closed";
        var error = Marshal.GetLastPInvokeError();
        return error is Libc.Again or Libc.Interrupted ? null : Explain(error);
    }

    private void WaitToRetry()
    {
        var entries = new[] { new Libc.PollEntry { Descriptor = _wake, Events = Libc.PollIn } };
        _ = Libc.Poll(entries, 1, RetryMilliseconds);
        if (entries[0].Returned != 0) DrainWake();
    }

    private void Shut()
    {
        if (_reader != Closed) _ = Libc.Close(_reader);
        _reader = Closed;
        lock (_writing)
        {
            if (_writer != Closed) _ = Libc.Close(_writer);
            _writer = Closed;
            _full = false;
        }
    }

    private void Wake()
    {
        ReadOnlySpan<byte> one = [1, 0, 0, 0, 0, 0, 0, 0];
        _ = Libc.Write(_wake, in MemoryMarshal.GetReference(one), one.Length);
    }

    private void DrainWake()
    {
        Span<byte> count = stackalloc byte[8];
        _ = Libc.Read(_wake, ref MemoryMarshal.GetReference(count), count.Length);
    }

    private void Say(bool present, string reason)
    {
        if (_presence.Present == present && _presence.Reason == reason) return;
        var since = _presence.Present == present ? _presence.Since : _time.GetUtcNow();
        Volatile.Write(ref _presence, new Presence(present, since, reason, _urgency));
    }

    private static string Explain(int error) => error switch
    {
        2 => "there is no such device file",
        6 => "nobody is at the far end",
        13 => "reading or writing it is not allowed",
        16 => "another program uses it",
        19 => "the device was unplugged",
        _ => new Win32Exception(error).Message,
    };
}
