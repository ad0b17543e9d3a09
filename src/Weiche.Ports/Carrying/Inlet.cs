using Weiche.Core.Midi;
using Weiche.Core.Studios;

namespace Weiche.Ports.Carrying;

/// <summary>
/// The way to a source for bytes that no urgent thread brings: they are left here, and the junction carries them on. Whoever brings them
/// waits for nothing but room.
/// </summary>
public sealed class Inlet : IByteSink, IDisposable
{
    // How many bytes are carried on in one go, before others have their turn.
    private const int MostAtOnce = 1024;

    private readonly Lock _bringing = new();
    private readonly ByteRing _ring = new();
    private readonly Junction _junction;
    private readonly PortId _source;
    private readonly PortId? _ready;
    private long _due;
    private volatile bool _full;
    private volatile bool _closed;

    /// <summary>A way to a source.</summary>
    /// <param name="junction">Where the source meets the engine.</param>
    /// <param name="source">The source.</param>
    /// <param name="ready">The destination whose bytes come here, which is told when there is room again; null where threads bring
    /// them.</param>
    internal Inlet(Junction junction, PortId source, PortId? ready) => (_junction, _source, _ready) = (junction, source, ready);

    /// <summary>Leaves bytes to be carried on, in the order in which they are brought. Waits while there is no room for them.</summary>
    /// <param name="bytes">The bytes.</param>
    public void Bring(ReadOnlySpan<byte> bytes)
    {
        lock (_bringing)
        {
            while (!_closed)
            {
                bytes = bytes[_ring.Write(bytes)..];
                _junction.WakeCarrier();
                if (bytes.IsEmpty)
                    return;
                Thread.Sleep(1);
            }
        }
    }

    /// <inheritdoc/>
    public int Send(ReadOnlySpan<byte> bytes)
    {
        var count = Put(bytes);
        Wake();
        return count;
    }

    /// <summary>The same without waking whoever carries the bytes on: for what is to be done first.</summary>
    /// <param name="bytes">The bytes.</param>
    /// <returns>How many were taken; <see cref="Wake"/> is to follow.</returns>
    internal int Put(ReadOnlySpan<byte> bytes)
    {
        Volatile.Write(ref _due, _junction.Due.Microseconds);
        var count = _ring.Write(bytes);
        if (count < bytes.Length)
            _full = true;
        return count;
    }

    /// <summary>Has what was put here carried on.</summary>
    internal void Wake() => _junction.HasMore();

    /// <summary>Takes the way away. What is still on it is thrown away.</summary>
    public void Dispose()
    {
        _closed = true;
        _junction.Remove(this);
    }

    /// <summary>When what was sent last is due; what anybody else brings is due now.</summary>
    internal MidiTime Due => new(Volatile.Read(ref _due));

    /// <summary>Whether anything waits to be carried on.</summary>
    internal bool HasBytes => _ring.Count > 0;

    /// <summary>Takes some of what waits, on a thread that carries messages.</summary>
    /// <param name="engine">Where it goes.</param>
    internal void CarryOn(Core.Live.Engine engine)
    {
        var bytes = _ring.Peek(MostAtOnce);
        if (bytes.Length > 0)
        {
            engine.Receive(_source, bytes, _junction.Clock.Now);
            _ring.Advance(bytes.Length);
        }
        if (!_full)
            return;
        _full = false;
        if (_ready is { } destination)
            _junction.Drain(destination);
    }
}
