using Weiche.Core.Midi;
using Weiche.Core.Studios;

namespace Weiche.Core.Routing;

/// <summary>
/// What waits for one destination: a bounded queue of messages, and the bytes of the first ones as they will go
/// out. The messages of all sources meet here; each is written whole, so nothing stands inside anything else.
/// </summary>
internal sealed class Outlet(PortId id, PortMeter meter, SysExPool pool, bool useRunningStatus)
{
    internal const int Capacity = 1 << 13;

    // What ends a note or lifts a pedal must always fit. There is at most one such message for each held thing.
    internal const int Reserve = Held.Size + 512;

    private readonly MidiMessage[] _queue = new MidiMessage[Capacity];
    private readonly MessageWriter _writer = new(pool, useRunningStatus);
    private byte[] _bytes = new byte[1024];
    private int _first;
    private int _count;
    private int _start;
    private int _end;

    internal readonly PortId Id = id;
    internal readonly PortMeter Meter = meter;
    internal ushort ChannelsUsed;
    internal bool IsDirty;

    /// <summary>Whether a message that may be refused still fits.</summary>
    internal bool HasRoom => _count < Capacity - Reserve;

    /// <summary>Puts a message at the end of the queue. The caller has asked <see cref="HasRoom"/>, or the message
    /// ends something that is held.</summary>
    internal void Enqueue(in MidiMessage message)
    {
        pool.AddReference(message);
        _queue[_first + _count & (Capacity - 1)] = message;
        _count++;
        if (message.HasChannel) ChannelsUsed |= (ushort)(1 << message.ChannelIndex);
        Meter.MessageCount++;
        if (message.Kind.IsBackground()) Meter.BackgroundCount++;
    }

    /// <summary>The bytes that go out next; empty when nothing waits.</summary>
    internal ReadOnlySpan<byte> Pending()
    {
        if (_start == _end)
        {
            _start = 0;
            _end = 0;
            while (_count > 0)
            {
                ref var message = ref _queue[_first];
                if (!_writer.TryWrite(message, _bytes.AsSpan(_end), out var written))
                {
                    if (_end > 0) break;
                    Array.Resize(ref _bytes, _writer.Measure(message));
                    continue;
                }
                _end += written;
                pool.Release(message);
                message = default;
                _first = _first + 1 & (Capacity - 1);
                _count--;
            }
        }
        return _bytes.AsSpan(_start, _end - _start);
    }

    /// <summary>Says how many of the pending bytes have gone out.</summary>
    internal void Advance(int bytes)
    {
        _start += bytes;
        Meter.ByteCount += bytes;
    }

    /// <summary>Throws away what waits. For a port that is gone.</summary>
    internal void Clear()
    {
        for (; _count > 0; _count--)
        {
            pool.Release(_queue[_first]);
            _first = _first + 1 & (Capacity - 1);
        }
        _start = _end = 0;
    }
}
