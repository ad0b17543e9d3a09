using System.Runtime.CompilerServices;

namespace Weiche.Core.Midi;

/// <summary>Takes messages one after the other.</summary>
public interface IMessageSink
{
    /// <summary>Takes one message. A system exclusive is only lent: to keep it, add a reference to it.</summary>
    /// <param name="message">The message.</param>
    void Accept(in MidiMessage message);
}

/// <summary>What a parser has seen so far.</summary>
/// <param name="Bytes">Bytes taken in.</param>
/// <param name="Messages">Whole messages given on.</param>
/// <param name="ThrownBytes">Bytes that belong to no message: data without status, undefined status bytes, a lone
/// F7, and the bytes of messages that were cut short or too long.</param>
/// <param name="CutMessages">Messages that another status byte cut short.</param>
/// <param name="RefusedExclusives">System exclusives that were longer than the pool allows.</param>
public readonly record struct ParserCounts(long Bytes, long Messages, long ThrownBytes, long CutMessages, long RefusedExclusives);

/// <summary>
/// Reads a MIDI 1.0 byte stream, in pieces of any size, and gives on whole messages.
/// </summary>
/// <remarks>
/// <para>Any bytes are allowed. It never throws and never loses step: after at most one damaged message it is right
/// again. The rules are those of the MIDI 1.0 Detailed Specification, "Running Status", "System Real Time Messages"
/// and Appendix 2 "Receiver logic":</para>
/// <list type="bullet">
/// <item>Real-time bytes (F8 to FF) may stand anywhere, also inside a system exclusive, and change nothing else.
/// The undefined F9 and FD are thrown away.</item>
/// <item>A channel status stays in force for the data that follows (running status). System common and system
/// exclusive end it; data after them is thrown away until the next status byte.</item>
/// <item>A status byte cuts a message short that still lacks data: what there was of it is thrown away. This holds
/// for system exclusive too. The standard lets any status byte end one; Weiche passes on only those that end with
/// F7, since a dump that was cut by a pulled plug must not be taken for whole.</item>
/// <item>A lone F7 and the undefined F4 and F5 are thrown away; they end running status.</item>
/// </list>
/// <para>It allocates nothing. Not safe for several threads.</para>
/// </remarks>
/// <param name="pool">Where system exclusive bytes are kept.</param>
public sealed class StreamParser(SysExPool pool)
{
    private int _status;
    private int _needed;
    private int _have;
    private byte _data1;
    private int _sysEx;
    private long _sysExLength;
    private bool _sysExRefused;
    private long _bytes;
    private long _messages;
    private long _thrown;
    private long _cut;
    private long _refused;

    /// <summary>What has been seen so far.</summary>
    public ParserCounts Counts => new(_bytes, _messages, _thrown, _cut, _refused);

    /// <summary>How many bytes were thrown away so far.</summary>
    internal long ThrownBytes => _thrown;

    /// <summary>Whether a message has begun that is not whole yet.</summary>
    public bool IsInsideMessage => _have > 0 || _status == 0xF0 || (_status > 0xF0 && _needed > 0);

    /// <summary>Takes the next bytes of the stream and gives on each message as it becomes whole.</summary>
    /// <typeparam name="TSink">The sink; a struct is called without a detour.</typeparam>
    /// <param name="bytes">Any bytes.</param>
    /// <param name="sink">Where the messages go.</param>
    public void Parse<TSink>(ReadOnlySpan<byte> bytes, ref TSink sink)
        where TSink : IMessageSink, allows ref struct
    {
        _bytes += bytes.Length;
        for (var i = 0; i < bytes.Length; i++)
        {
            var value = bytes[i];
            if (value >= 0xF8)
                RealTime(value, ref sink);
            else if (TryWhole(bytes[i..], out var message))
            {
                i += _needed;
                Give(message, ref sink);
            }
            else if (value >= 0x80)
                Status(value, ref sink);
            else if (_status == 0xF0)
                i += SysExData(bytes[i..]) - 1;
            else
                Data(value, ref sink);
        }
    }

    /// <summary>Takes the next bytes of the stream if they are just one channel message with its status, which is how most arrive. It is
    /// what <see cref="Parse"/> would make of them, without the detour.</summary>
    /// <param name="bytes">Any bytes.</param>
    /// <param name="message">The message.</param>
    /// <returns>False if they are anything else; nothing has been taken then.</returns>
    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    internal bool TryTakeOne(ReadOnlySpan<byte> bytes, out MidiMessage message)
    {
        message = default;
        if (bytes.Length != 3 || MidiMessage.LengthOf(bytes[0]) != 2 || !TryWhole(bytes, out message))
            return false;
        _bytes += 3;
        _messages++;
        return true;
    }

    /// <summary>
    /// Says that the stream broke off: a message that is not whole is thrown away and counted, and running status
    /// is forgotten. To be called when a device vanishes.
    /// </summary>
    public void Reset()
    {
        CutShort();
        _status = 0;
        _needed = 0;
    }

    /// <summary>The common case, a channel message whole in one piece: the same as what <see cref="Status"/> and
    /// <see cref="Data"/> make of its bytes one by one.</summary>
    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    private bool TryWhole(ReadOnlySpan<byte> bytes, out MidiMessage message)
    {
        message = default;
        var status = bytes[0];
        if (status is < 0x80 or >= 0xF0 || bytes.Length < 3 || (_have | bytes[1] & 0x80) != 0 || _status >= 0xF0)
            return false;
        var needed = MidiMessage.LengthOf(status);
        if (needed == 2 && bytes[2] >= 0x80)
            return false;
        _status = status;
        _needed = needed;
        message = MidiMessage.Raw(status, bytes[1], needed == 2 ? bytes[2] : 0);
        return true;
    }

    private void RealTime<TSink>(byte value, ref TSink sink)
        where TSink : IMessageSink, allows ref struct
    {
        if (MidiMessage.IsDefined(value))
            Give(MidiMessage.Raw(value, 0, 0), ref sink);
        else
            _thrown++;
    }

    private void Status<TSink>(byte value, ref TSink sink)
        where TSink : IMessageSink, allows ref struct
    {
        if (value == 0xF7 && _status == 0xF0)
        {
            EndSysEx(ref sink);
            return;
        }
        CutShort();
        _status = 0;
        _needed = 0;
        if (!MidiMessage.IsDefined(value))
            _thrown++;
        else if (value == 0xF0)
            BeginSysEx();
        else if (value == 0xF6)
            Give(MidiMessage.Raw(value, 0, 0), ref sink);
        else
        {
            _status = value;
            _needed = MidiMessage.LengthOf(value);
        }
    }

    private void Data<TSink>(byte value, ref TSink sink)
        where TSink : IMessageSink, allows ref struct
    {
        if (_status == 0)
        {
            _thrown++;
            return;
        }
        if (_needed == 2 && _have == 0)
        {
            _data1 = value;
            _have = 1;
            return;
        }
        var message = _needed == 2 ? MidiMessage.Raw(_status, _data1, value) : MidiMessage.Raw(_status, value, 0);
        _have = 0;
        if (_status >= 0xF0)
        {
            _status = 0;
            _needed = 0;
        }
        Give(message, ref sink);
    }

    private void BeginSysEx()
    {
        _status = 0xF0;
        _sysExLength = 0;
        _sysExRefused = !pool.TryBegin(out _sysEx);
    }

    /// <summary>Takes the data bytes at the start of a piece; returns how many there were, at least 1.</summary>
    private int SysExData(ReadOnlySpan<byte> bytes)
    {
        var end = bytes.IndexOfAnyInRange((byte)0x80, (byte)0xFF);
        var data = end < 0 ? bytes : bytes[..end];
        _sysExLength += data.Length;
        if (!_sysExRefused && !pool.TryAppend(_sysEx, data))
        {
            pool.Release(_sysEx);
            _sysEx = 0;
            _sysExRefused = true;
        }
        return data.Length;
    }

    private void EndSysEx<TSink>(ref TSink sink)
        where TSink : IMessageSink, allows ref struct
    {
        _status = 0;
        if (_sysExRefused)
        {
            _refused++;
            _thrown += _sysExLength + 2;
            return;
        }
        var handle = _sysEx;
        _sysEx = 0;
        Give(MidiMessage.SystemExclusive(handle), ref sink);
        pool.Release(handle);
    }

    private void CutShort()
    {
        if (_status == 0xF0)
        {
            if (!_sysExRefused)
                pool.Release(_sysEx);
            _sysEx = 0;
            _thrown += _sysExLength + 1;
            _cut++;
        }
        else if (_status > 0xF0)
        {
            // The status byte of a system common message serves this message alone, so it goes too.
            _thrown += _have + 1;
            _cut++;
        }
        else if (_have > 0)
        {
            _thrown += _have;
            _cut++;
        }
        _have = 0;
    }

    private void Give<TSink>(in MidiMessage message, ref TSink sink)
        where TSink : IMessageSink, allows ref struct
    {
        _messages++;
        sink.Accept(message);
    }
}
