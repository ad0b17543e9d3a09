using System.Runtime.CompilerServices;
using Weiche.Core.Midi;
using Weiche.Core.Studios;

namespace Weiche.Core.Routing;

/// <summary>
/// What waits for one destination, and the bytes that go out next. The messages of all sources meet here.
/// </summary>
/// <remarks>
/// <list type="bullet">
/// <item>The order of arrival is kept. Real-time bytes go ahead of everything, also into a running system exclusive;
/// nothing else is ever written into one.</item>
/// <item>On a slow wire messages wait for their turn. While it is busy, active sensing is left out, and of
/// something that moves (Thinnable) only the newest value waits, unless a note or program stands between the two.
/// Notes, programs and system exclusive are never left out.</item>
/// <item>A parameter number is kept with its data: if another source has selected another parameter in between, the
/// selection is sent again before the data.</item>
/// <item>The queue grows as needed up to <see cref="Capacity"/> messages; beyond it new messages are refused and
/// counted, and the ends of notes still fit.</item>
/// </list>
/// </remarks>
internal sealed class Outlet
{
    /// <summary>The most messages that may wait.</summary>
    internal const int Capacity = 1 << 20;

    // What ends a note or lifts a pedal must always fit. The ledger holds at most this many.
    internal const int Reserve = Engine.LedgerCapacity;

    private const int FirstCapacity = 256;
    private const int None = -1;
    private const int MaxRealTime = 1024;
    private const int PacedPiece = 4;
    private const int Room = 1024;

    private readonly SysExPool _pool;
    private readonly MessageWriter _writer;
    private readonly long _byteTime;
    private readonly bool _thins;
    private readonly long _lead;
    private readonly byte[] _bytes = new byte[Room];
    private readonly byte[] _realTime = new byte[MaxRealTime];
    private readonly uint[] _fineSeen = new uint[Channel.Count];
    private readonly bool[] _used = new bool[Channel.Count];
    private readonly long[] _barriers = new long[Channel.Count];
    private readonly Selection[] _selected = new Selection[Channel.Count];
    private readonly Dictionary<int, Selection[]> _selectedBy = [];
    private Node[] _nodes = new Node[FirstCapacity];
    private int[]? _waiting;
    private int _free = None;
    private int _top;
    private int _head = None;
    private int _tail = None;
    private int _count;
    private long _number;
    private int _firstRealTime;
    private int _realTimeCount;
    private MidiMessage _sysEx;
    private int _sysExSent;
    private long _wireFree;
    private int _start;
    private int _end;

    internal readonly PortId Id;
    internal readonly PortMeter Meter;
    internal bool IsDirty;

    /// <summary>Whether what is sent here could come back on a source at all.</summary>
    internal bool MayReturn;

    /// <summary>The device there, for the guard.</summary>
    internal int Device;

    /// <summary>Whether what goes there may come back by another device.</summary>
    internal bool MayCross;

    /// <summary>Whose clock goes out here.</summary>
    internal ClockChoice Clock;

    /// <summary>An outlet.</summary>
    /// <param name="id">The destination.</param>
    /// <param name="meter">Its figures.</param>
    /// <param name="pool">Where system exclusive bytes are kept.</param>
    /// <param name="byteTime">How long the wire takes for a byte, µs; 0 if it need not be waited for.</param>
    /// <param name="thins">Whether what is superfluous is left out while the wire is busy.</param>
    /// <param name="lead">How far ahead of the wire bytes may be handed out, µs.</param>
    /// <param name="useRunningStatus">Whether a status that is in force is left out.</param>
    internal Outlet(PortId id, PortMeter meter, SysExPool pool, long byteTime, bool thins, long lead, bool useRunningStatus)
    {
        Id = id;
        Meter = meter;
        _pool = pool;
        _byteTime = byteTime;
        _thins = thins;
        _lead = lead;
        _writer = new MessageWriter(pool, useRunningStatus);
    }

    private struct Node
    {
        public MidiMessage Message;
        public long Number;
        public int Next;
        public int Previous;
        public int Slot;
    }

    /// <summary>Which parameter is selected on a channel.</summary>
    private struct Selection
    {
        private const byte Unknown = 0xFF;

        private byte _high;
        private byte _low;
        private byte _numbers;

        /// <summary>Whether both halves are known.</summary>
        public readonly bool IsWhole => _numbers != 0 && _high != Unknown && _low != Unknown;

        /// <summary>Takes one of the controllers 98 to 101.</summary>
        public void Take(int controller, int value)
        {
            var numbers = (byte)(controller < 100 ? 98 : 100);
            if (numbers != _numbers) (_numbers, _high, _low) = (numbers, Unknown, Unknown);
            if (controller == numbers) _low = (byte)value;
            else _high = (byte)value;
        }

        public readonly bool IsSame(Selection other) => _numbers == other._numbers && _high == other._high && _low == other._low;

        public readonly MidiMessage High(int channel) => MidiMessage.Raw(0xB0 | channel, _numbers + 1, _high);

        public readonly MidiMessage Low(int channel) => MidiMessage.Raw(0xB0 | channel, _numbers, _low);
    }

    /// <summary>Whether a message that may be refused still fits.</summary>
    internal bool HasRoom => _count < Capacity - Reserve;

    /// <summary>When the wire is ready for what waits, µs; <see cref="long.MaxValue"/> if nothing waits for the wire.</summary>
    internal long Due => _start < _end || IsEmpty ? long.MaxValue : _wireFree - _lead;

    /// <summary>Puts a message in. The caller has asked <see cref="HasRoom"/>, or the message ends something that is held.</summary>
    /// <param name="message">The message.</param>
    /// <param name="source">The source it came from.</param>
    /// <param name="now">The time.</param>
    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    internal void Enqueue(in MidiMessage message, int source, MidiTime now)
    {
        Meter.MessageCount++;
        if (message.HasChannel)
        {
            _used[message.ChannelIndex] = true;
            if (ConcernsParameters(message)) KeepParameterWithItsData(message, source);
            // Where nothing waits and the wire is ready, the message goes straight into the bytes.
            if (IsIdle(now)) Write(message, now);
            else EnqueueBehind(message, now);
        }
        else
        {
            EnqueueSystem(message, now);
        }
    }

    private void EnqueueSystem(in MidiMessage message, MidiTime now)
    {
        if (message.IsBackground) Meter.BackgroundCount++;
        if (message.Status == 0xFE && IsBusy(now)) Meter.ThinnedCount++;
        // Straight into the bytes, so that a continue stays behind the song position that it is for.
        else if (message.Status != 0xF0 && IsIdle(now)) WriteSystem(message, now);
        else if (message.IsRealTime) EnqueueRealTime(message);
        else Append(message, None);
    }

    private void EnqueueBehind(in MidiMessage message, MidiTime now)
    {
        var channel = message.ChannelIndex;
        var slot = None;
        if (Thinnable.TrySlot(message, _fineSeen[channel], out var found))
        {
            slot = found;
            if (IsBusy(now)) LeaveOutOlder(slot, channel);
        }
        else if (message.Kind is MessageKind.Note or MessageKind.ProgramChange)
        {
            _barriers[channel] = _number;
        }
        Append(message, slot);
    }

    /// <summary>Whether anything was ever sent on a channel.</summary>
    /// <param name="channel">The channel, from 0.</param>
    internal bool HasUsed(int channel) => _used[channel];

    /// <summary>Whether anything waits, for the wire or for whoever takes the bytes.</summary>
    internal bool HasPending => _start < _end || !IsEmpty;

    /// <summary>The bytes that go out next; empty when nothing waits or the wire is not ready for it.</summary>
    /// <param name="now">The time.</param>
    internal ReadOnlySpan<byte> Pending(MidiTime now)
    {
        if (_start == _end)
        {
            while (TryFill(now))
            {
                // One piece after the other, as long as there is room and the wire is ready.
            }
        }
        return _bytes.AsSpan(_start, _end - _start);
    }

    /// <summary>Says how many of the pending bytes have gone out.</summary>
    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    internal void Advance(int bytes)
    {
        _start += bytes;
        Meter.ByteCount += bytes;
        if (_start == _end) _start = _end = 0;
    }

    /// <summary>Throws away what waits. For a port that is gone.</summary>
    internal void Clear()
    {
        while (_head != None) Remove(_head);
        if (_sysEx.Status != 0) _pool.Release(_sysEx);
        _sysEx = default;
        _realTimeCount = 0;
        _start = _end = 0;
    }

    private void EnqueueRealTime(in MidiMessage message)
    {
        if (_realTimeCount == MaxRealTime)
        {
            Meter.RefusedCount++;
            return;
        }
        _realTime[(_firstRealTime + _realTimeCount++) & (MaxRealTime - 1)] = message.Status;
    }

    /// <summary>Whether a message selects a parameter, moves it, or is the fine half of another controller.</summary>
    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    private static bool ConcernsParameters(in MidiMessage message) =>
        (message.Status & 0xF0) == 0xB0 && message.Data1 is 6 or (>= 32 and < 64) or (>= 96 and <= 101);

    private void KeepParameterWithItsData(in MidiMessage message, int source)
    {
        var channel = message.ChannelIndex;
        switch (message.Data1)
        {
            case >= 98 and <= 101:
                if (!_selectedBy.TryGetValue(source, out var selections)) _selectedBy.Add(source, selections = new Selection[Channel.Count]);
                selections[channel].Take(message.Data1, message.Data2);
                _selected[channel].Take(message.Data1, message.Data2);
                break;
            case 6 or 38 or 96 or 97:
                if (!_selectedBy.TryGetValue(source, out var own) || !own[channel].IsWhole || own[channel].IsSame(_selected[channel])) break;
                _selected[channel] = own[channel];
                Append(own[channel].High(channel), None);
                Append(own[channel].Low(channel), None);
                Meter.MessageCount += 2;
                break;
            case >= 32 and < 64:
                _fineSeen[channel] |= 1u << (message.Data1 - 32);
                break;
        }
    }

    private void LeaveOutOlder(int slot, int channel)
    {
        if (_waiting is null) return;
        var older = _waiting[slot] - 1;
        if (older == None || _nodes[older].Slot != slot || _nodes[older].Number <= _barriers[channel]) return;
        Remove(older);
        Meter.ThinnedCount++;
    }

    private void Append(in MidiMessage message, int slot)
    {
        _pool.AddReference(message);
        int index;
        if (_free != None)
        {
            index = _free;
            _free = _nodes[index].Next;
        }
        else
        {
            if (_top == _nodes.Length) Array.Resize(ref _nodes, _nodes.Length * 2);
            index = _top++;
        }
        _nodes[index] = new Node { Message = message, Number = ++_number, Next = None, Previous = _tail, Slot = slot };
        if (_tail == None) _head = index;
        else _nodes[_tail].Next = index;
        _tail = index;
        _count++;
        if (slot == None) return;
        _waiting ??= new int[Thinnable.Slots];
        _waiting[slot] = index + 1;
    }

    private void Remove(int index)
    {
        ref var node = ref _nodes[index];
        if (node.Previous == None) _head = node.Next;
        else _nodes[node.Previous].Next = node.Next;
        if (node.Next == None) _tail = node.Previous;
        else _nodes[node.Next].Previous = node.Previous;
        if (node.Slot != None && _waiting![node.Slot] == index + 1) _waiting[node.Slot] = 0;
        _pool.Release(node.Message);
        node.Message = default;
        node.Slot = None;
        node.Next = _free;
        _free = index;
        _count--;
    }

    /// <summary>Whether nothing waits; bytes that are ready to go out do not count.</summary>
    private bool IsEmpty => (_count | _realTimeCount | _sysEx.Status) == 0;

    private bool HasRoomForBytes => _end <= Room - MessageWriter.ShortRoom;

    private bool IsWireBusy(MidiTime now) => _byteTime > 0 && _wireFree - _lead > now.Microseconds;

    /// <summary>Whether what is superfluous is left out now.</summary>
    private bool IsBusy(MidiTime now) => _thins && (_byteTime > 0 ? IsWireBusy(now) : _start < _end);

    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    private bool IsIdle(MidiTime now) => IsEmpty && HasRoomForBytes && !IsWireBusy(now);

    /// <summary>The wire is taken up for as long as the bytes need.</summary>
    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    private void TakeUpWire(MidiTime now, int bytes)
    {
        if (_byteTime > 0) _wireFree = Math.Max(_wireFree, now.Microseconds) + bytes * _byteTime;
    }

    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    private void Write(in MidiMessage message, MidiTime now)
    {
        var written = _writer.WriteChannel(message, _bytes.AsSpan(_end));
        _end += written;
        TakeUpWire(now, written);
    }

    private void WriteSystem(in MidiMessage message, MidiTime now)
    {
        var written = _writer.WriteShort(message, _bytes.AsSpan(_end));
        _end += written;
        TakeUpWire(now, written);
    }

    private bool TryFill(MidiTime now)
    {
        if (!HasRoomForBytes || IsWireBusy(now)) return false;
        var before = _end;
        if (_realTimeCount > 0)
        {
            _bytes[_end++] = _realTime[_firstRealTime];
            _firstRealTime = (_firstRealTime + 1) & (MaxRealTime - 1);
            _realTimeCount--;
        }
        else if (_sysEx.Status != 0)
        {
            FillSysEx();
        }
        else if (_head != None)
        {
            FillMessage();
        }
        else
        {
            return false;
        }
        TakeUpWire(now, _end - before);
        return true;
    }

    private void FillMessage()
    {
        ref var node = ref _nodes[_head];
        if (node.Message.Status == 0xF0)
        {
            _sysEx = node.Message;
            _sysExSent = 0;
            _pool.AddReference(_sysEx);
            _bytes[_end++] = 0xF0;
            _writer.Reset();
        }
        else
        {
            _writer.TryWrite(node.Message, _bytes.AsSpan(_end), out var written);
            _end += written;
        }
        Remove(_head);
    }

    private void FillSysEx()
    {
        var rest = _pool.Bytes(_sysEx.SysExHandle)[_sysExSent..];
        var piece = Math.Min(rest.Length, Math.Min(_bytes.Length - _end, _byteTime > 0 ? PacedPiece : int.MaxValue));
        rest[..piece].CopyTo(_bytes.AsSpan(_end));
        _end += piece;
        _sysExSent += piece;
        if (piece < rest.Length || _end == _bytes.Length) return;
        _bytes[_end++] = 0xF7;
        _pool.Release(_sysEx);
        _sysEx = default;
    }
}
