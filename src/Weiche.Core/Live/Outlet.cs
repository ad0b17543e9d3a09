using System.Runtime.CompilerServices;
using Weiche.Core.Midi;
using Weiche.Core.Studios;

namespace Weiche.Core.Live;

/// <summary>What a destination gets of the studio's clock.</summary>
[Flags]
internal enum Conducts : byte
{
    Nothing = 0,

    /// <summary>Pulses.</summary>
    Clock = 1,

    /// <summary>Start, stop, continue and song position.</summary>
    Transport = 2,
}

/// <summary>
/// What waits for one destination, and the bytes that go out next. The messages of all sources meet here.
/// </summary>
/// <remarks>
/// <list type="bullet">
/// <item>The order of arrival is kept. Real-time bytes go ahead of everything, also into a running system exclusive;
/// nothing else is ever written into one.</item>
/// <item>On a slow wire messages wait for their turn. While it is busy, active sensing is left out, and of
/// something that moves only the newest value waits (<see cref="WaitingLine"/>). Notes, programs and system exclusive are never left
/// out.</item>
/// <item>A parameter number is kept with its data (<see cref="ParameterNumbers"/>).</item>
/// <item>What waits grows as needed up to <see cref="Capacity"/> messages; beyond it new messages are refused and
/// counted, and the ends of notes still fit.</item>
/// </list>
/// </remarks>
internal sealed class Outlet
{
    /// <summary>The most messages that may wait.</summary>
    internal const int Capacity = 1 << 20;

    // What ends a note or lifts a pedal must always fit. The ledger holds at most this many.
    internal const int Reserve = Engine.LedgerCapacity;

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
    private readonly ParameterNumbers _parameters = new();
    private readonly WaitingLine _waiting;
    private OwedEnds? _owed;
    private int _count;
    private int _firstRealTime;
    private int _realTimeCount;
    private MidiMessage _sysEx;
    private int _sysExSent;

    // µs: these are looked at with every message.
    private long _wireFree;
    private int _start;
    private int _end;

    // Whether whoever takes the bytes took fewer than there were: a fast wire is busy then.
    private bool _heldUp;

    // The status in force before the first of the bytes.
    private byte _firstStatus;

    internal readonly PortId Id;
    internal readonly PortMeter Meter;

    /// <summary>What is held here, in the ledger.</summary>
    internal readonly HeldAt Held = new();

    internal bool IsDirty;

    /// <summary>Whether nobody takes its bytes.</summary>
    internal bool IsAway { get; private set; }

    /// <summary>Whether it was unplugged since somebody was there last, whether it missed anything or not.</summary>
    internal bool HasLeft;

    /// <summary>Whether a message of the clock waits that has not been handed out.</summary>
    internal bool HasClock;

    /// <summary>What only clocks need: apart, so that what is looked at with every message lies close together.</summary>
    internal readonly OutletTime Time = new();

    /// <summary>The lineup that sent something here on being entered, the last one that did; null for none.</summary>
    internal LineupId? ToldBy;

    /// <summary>How it is placed in the room, for the guard.</summary>
    internal Standing Standing;

    /// <summary>Who moved here what moves.</summary>
    internal readonly Moved Moved = new();

    /// <summary>Whose clock goes out here, of those that routes bring.</summary>
    internal ClockChoice Clock;

    /// <summary>What of the clock it gets from the conductor, so from no route.</summary>
    internal Conducts Conducts;

    /// <summary>An outlet.</summary>
    /// <param name="id">The destination.</param>
    /// <param name="meter">Its figures.</param>
    /// <param name="pool">Where system exclusive bytes are kept.</param>
    /// <param name="wire">What carries its bytes: messages wait for a wire that is slow; on one within this computer nothing is left out;
    /// on a DIN wire a status that is in force is not repeated.</param>
    /// <param name="lead">How far ahead of the wire bytes may be handed out.</param>
    internal Outlet(PortId id, PortMeter meter, SysExPool pool, WireKind wire, MidiSpan lead)
    {
        Id = id;
        Meter = meter;
        _pool = pool;
        _byteTime = wire.ByteTime().Microseconds;
        _thins = wire != WireKind.Virtual;
        _lead = lead.Microseconds;
        _writer = new MessageWriter(pool, useRunningStatus: wire == WireKind.Din);
        _waiting = new WaitingLine(pool);
    }

    /// <summary>Whether a message that may be refused still fits.</summary>
    internal bool HasRoom => _count < Capacity - Reserve;

    /// <summary>When the wire is ready for what waits; never if nothing waits for the wire.</summary>
    internal MidiTime Due => _start < _end || IsEmpty ? MidiTime.Never : new MidiTime(_wireFree - _lead);

    /// <summary>Whether anything waits, for the wire or for whoever takes the bytes.</summary>
    internal bool HasPending => _start < _end || !IsEmpty;

    /// <summary>Whether nothing waits; bytes that are ready to go out do not count.</summary>
    private bool IsEmpty => (_count | _realTimeCount | _sysEx.Status) == 0;

    private bool HasRoomForBytes => _end <= Room - MessageWriter.ShortRoom;

    /// <summary>Puts a message in. The caller has asked <see cref="HasRoom"/>, or the message ends something that is held.</summary>
    /// <param name="message">The message.</param>
    /// <param name="source">The source it came from; none for Weiche itself.</param>
    /// <param name="now">The time.</param>
    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    internal void Enqueue(in MidiMessage message, PortId source, MidiTime now)
    {
        Meter.MessageCount++;
        if (message.HasChannel)
        {
            _used[message.ChannelIndex] = true;
            if (IsOfPair(message))
                KeepPairs(message, source);
            // Where nothing waits and the wire is ready, the message goes straight into the bytes.
            if (IsIdle(now))
                Write(message, now);
            else
                EnqueueBehind(message, now);
        }
        else
        {
            EnqueueSystem(message, now);
        }
    }

    /// <summary>What waits now is not left out for anything that comes later.</summary>
    internal void Bar()
    {
        for (var channel = 0; channel < Channel.Count; channel++)
            _waiting.Bar(channel);
    }

    /// <summary>Whether anything was ever sent on a channel.</summary>
    /// <param name="channel">The channel, from 0.</param>
    internal bool HasUsed(int channel) => _used[channel];

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
        _heldUp = _start < _end;
        if (_heldUp)
            return;
        _start = _end = 0;
        _firstStatus = _writer.RunningStatus;
    }

    /// <summary>Nobody takes what waits: it is thrown away, and the ends in it are owed.</summary>
    internal void Miss()
    {
        if (!IsAway)
            (_owed ??= new OwedEnds()).Begin(Held.Counts);
        IsAway = true;
        _owed!.Miss(_bytes.AsSpan(0, _end), _start, _firstStatus);
        for (; _count > 0; _count--)
        {
            if (_waiting.First is { HasChannel: true } message)
                _owed.Miss(message);
            _waiting.RemoveFirst();
        }
        Clear();
        _writer.Reset();
        _firstStatus = 0;
    }

    /// <summary>Somebody is there again. What is owed goes out before anything else.</summary>
    /// <param name="now">The time.</param>
    internal void Return(MidiTime now)
    {
        if (!IsAway)
            return;
        Miss();
        IsAway = false;
        _owed!.Pay(Held.Counts, message => Enqueue(message, default, now));
    }

    /// <summary>Throws away what waits. For a port that is gone.</summary>
    internal void Clear()
    {
        for (; _count > 0; _count--)
            _waiting.RemoveFirst();
        if (_sysEx.Status != 0)
            _pool.Release(_sysEx);
        _sysEx = default;
        _realTimeCount = 0;
        _start = _end = 0;
        _heldUp = false;
    }

    private void EnqueueSystem(in MidiMessage message, MidiTime now)
    {
        if (message.IsBackground)
            Meter.BackgroundCount++;
        if (message.Status == 0xFE && IsBusy(now))
            Meter.ThinnedCount++;
        // Straight into the bytes, so that a continue stays behind the song position that it is for.
        else if (message.Status != 0xF0 && IsIdle(now))
            WriteSystem(message, now);
        else if (message.IsRealTime)
            EnqueueRealTime(message);
        else
            Append(message, WaitingLine.None);
    }

    private void EnqueueBehind(in MidiMessage message, MidiTime now)
    {
        var channel = message.ChannelIndex;
        var slot = WaitingLine.None;
        if (Thinnable.TrySlot(message, _fineSeen[channel], out var found))
        {
            slot = found;
            if (IsBusy(now) && _waiting.LeaveOutOlder(slot, channel))
            {
                _count--;
                Meter.ThinnedCount++;
            }
        }
        else if (message.Kind is MessageKind.Note or MessageKind.ProgramChange)
        {
            _waiting.Bar(channel);
        }
        Append(message, slot);
    }

    private void Append(in MidiMessage message, int slot)
    {
        _waiting.Append(message, slot);
        _count++;
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
    private static bool IsOfPair(in MidiMessage message) =>
        (message.Status & 0xF0) == 0xB0 && message.Data1 is 6 or (>= 32 and < 64) or (>= 96 and <= 101);

    private void KeepPairs(in MidiMessage message, PortId source)
    {
        if (!ParameterNumbers.Concerns(message))
        {
            _fineSeen[message.ChannelIndex] |= 1u << (message.Data1 - 32);
        }
        else if (_parameters.MustSelect(message, source, out var high, out var low))
        {
            Append(high, WaitingLine.None);
            Append(low, WaitingLine.None);
            Meter.MessageCount += 2;
        }
    }

    private bool IsWireBusy(MidiTime now) => _byteTime > 0 && _wireFree - _lead > now.Microseconds;

    /// <summary>Whether what is superfluous is left out now.</summary>
    private bool IsBusy(MidiTime now) => _thins && (_byteTime > 0 ? IsWireBusy(now) : _heldUp);

    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    private bool IsIdle(MidiTime now) => IsEmpty && HasRoomForBytes && !IsWireBusy(now);

    /// <summary>The wire is taken up for as long as the bytes need.</summary>
    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    private void TakeUpWire(MidiTime now, int bytes)
    {
        if (_byteTime > 0)
            _wireFree = Math.Max(_wireFree, now.Microseconds) + bytes * _byteTime;
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
        if (!HasRoomForBytes || IsWireBusy(now))
            return false;
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
        else if (_count > 0)
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
        var message = _waiting.First;
        if (message.Status == 0xF0)
        {
            _sysEx = message;
            _sysExSent = 0;
            _pool.AddReference(_sysEx);
            _bytes[_end++] = 0xF0;
            _writer.Reset();
        }
        else
        {
            _writer.TryWrite(message, _bytes.AsSpan(_end), out var written);
            _end += written;
        }
        _waiting.RemoveFirst();
        _count--;
    }

    private void FillSysEx()
    {
        var rest = _pool.Bytes(_sysEx.SysExHandle)[_sysExSent..];
        var piece = Math.Min(rest.Length, Math.Min(_bytes.Length - _end, _byteTime > 0 ? PacedPiece : int.MaxValue));
        rest[..piece].CopyTo(_bytes.AsSpan(_end));
        _end += piece;
        _sysExSent += piece;
        if (piece < rest.Length || _end == _bytes.Length)
            return;
        _bytes[_end++] = 0xF7;
        _pool.Release(_sysEx);
        _sysEx = default;
    }
}

/// <summary>What is known of time at an outlet.</summary>
internal sealed class OutletTime
{
    /// <summary>How much later than it is handed out everything arrives, where whoever takes the bytes places them in time.</summary>
    internal MidiSpan Delay;

    /// <summary>When the first of the clock's messages that wait was due, if one waits.</summary>
    internal MidiTime ClockDue;
}
