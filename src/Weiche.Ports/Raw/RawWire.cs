using System.ComponentModel;
using System.Runtime.InteropServices;
using Weiche.Core.Studios;
using Weiche.Ports.Carrying;

namespace Weiche.Ports.Raw;

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
    private readonly Waker _wake = new();
    private readonly UrgentLock _writing = new();
    private int _reader = Closed;
    private int _writer = Closed;
    private volatile bool _full;
    private volatile int _failed;
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
        if (destination is { } id)
            junction.Connect(id, this);
        _thread = new Thread(Run) { IsBackground = true, Name = "Weiche " + path };
        _thread.Start();
    }

    /// <summary>Whether the device is there.</summary>
    public Presence Presence => Volatile.Read(ref _presence);

    /// <inheritdoc/>
    public int Send(ReadOnlySpan<byte> bytes)
    {
        _writing.Enter();
        try
        {
            // On a cable that hangs loose bytes are gone.
            if (_writer == Closed || _failed != 0)
                return IByteSink.Away;
            var written = Libc.Write(_writer, in MemoryMarshal.GetReference(bytes), bytes.Length);
            if (written == bytes.Length)
                return bytes.Length;
            if (written < 0 && Marshal.GetLastPInvokeError() is var error and not (Libc.Again or Libc.Interrupted))
            {
                // The wire's own thread opens it anew; until then nothing is written.
                _failed = error;
                _wake.Wake();
                return IByteSink.Away;
            }
            _full = true;
            _wake.Wake();
            return (int)Math.Max(0, written);
        }
        finally
        {
            _writing.Exit();
        }
    }

    /// <inheritdoc/>
    public void Dispose()
    {
        _stopped = true;
        _wake.Wake();
        _thread.Join();
        Shut();
        _writing.Dispose();
    }

    private void Run()
    {
        _urgency = Urgent.Become(_junction.AsksForUrgency);
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
            if (_source is { } source)
                _junction.BreakOff(source);
            if (_stopped)
                return;
            Say(false, reason);
            WaitToRetry();
        }
    }

    private bool TryOpen()
    {
        if (_source is not null && !TryOpen(Libc.ReadOnly, out _reader))
            return false;
        if (_destination is { } destination)
        {
            if (!TryOpen(Libc.WriteOnly, out var writer))
            {
                Shut();
                return false;
            }
            _junction.Return(destination, () => Use(writer));
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
            entries[0] = _wake.Entry;
            entries[1] = new Libc.PollEntry { Descriptor = _reader, Events = Libc.PollIn };
            entries[2] = new Libc.PollEntry { Descriptor = _writer, Events = _full ? Libc.PollOut : (short)0 };
            if (Libc.Poll(entries, (nuint)entries.Length, -1) < 0)
            {
                if (Marshal.GetLastPInvokeError() == Libc.Interrupted)
                    continue;
                return Explain(Marshal.GetLastPInvokeError());
            }
            if (entries[0].Returned != 0)
                _wake.Clear();
            if (_failed is not 0 and var error)
                return Explain(error);
            if (entries[1].Returned != 0 && ReadOnce() is { } ended)
                return ended;
            if ((entries[2].Returned & (Libc.PollError | Libc.PollHangUp)) != 0)
                return "the far end was closed";
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
            if (_inARow < MostInARow)
                return null;
            _inARow = 0;
            Libc.Pause(1);
            return null;
        }
        if (count == 0)
            return "the far end was closed";
        var error = Marshal.GetLastPInvokeError();
        return error is Libc.Again or Libc.Interrupted ? null : Explain(error);
    }

    private void WaitToRetry()
    {
        _wake.Wait(RetryMilliseconds);
    }

    private void Shut()
    {
        if (_reader != Closed)
            _ = Libc.Close(_reader);
        _reader = Closed;
        Use(Closed);
    }

    /// <summary>Writes to another descriptor from now on, or to none; the one before is closed.</summary>
    private void Use(int writer)
    {
        _writing.Enter();
        if (_writer != Closed)
            _ = Libc.Close(_writer);
        _writer = writer;
        if (writer == Closed)
            _full = false;
        _failed = 0;
        _writing.Exit();
    }

    private void Say(bool present, string reason)
    {
        if (_presence.Present == present && _presence.Reason == reason)
            return;
        var since = _presence.Present == present ? _presence.Since : _time.GetUtcNow();
        Volatile.Write(ref _presence, new Presence(present, since, reason, _urgency));
    }

    private static string Explain(int error) =>
        error switch
        {
            2 => "there is no such device file",
            6 => "nobody is at the far end",
            13 => "reading or writing it is not allowed",
            16 => "another program uses it",
            19 => "the device was unplugged",
            _ => new Win32Exception(error).Message,
        };
}
