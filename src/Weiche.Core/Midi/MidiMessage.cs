using System.Diagnostics;
using System.Runtime.CompilerServices;

namespace Weiche.Core.Midi;

/// <summary>
/// One whole MIDI 1.0 message in eight bytes. The bytes of a system exclusive are kept apart, in a
/// <see cref="SysExPool"/>, and the message holds a handle to them.
/// </summary>
/// <remarks>
/// Messages are made only by the factories here and by the parser, so a message that MIDI does not have
/// cannot exist. The one exception is <c>default</c>, which stands for no message.
/// </remarks>
[DebuggerDisplay("{DebugText,nq}")]
public readonly record struct MidiMessage
{
    // Status, first and second data byte from the lowest bits up, as they go out; the handle in the upper half. One number, not
    // four fields, so that a message is made, copied and compared within a register.
    private readonly ulong _bits;

    private MidiMessage(ulong bits) => _bits = bits;

    private MidiMessage(int status, int data1, int data2, int sysEx = 0)
        : this((byte)status | (uint)(byte)data1 << 8 | (uint)(byte)data2 << 16 | (ulong)(uint)sysEx << 32) { }

    /// <summary>The status byte, 80 to FF (hexadecimal). 0 for <c>default</c>.</summary>
    public byte Status => (byte)_bits;

    /// <summary>The first data byte, 0 to 127: key, controller, program or pressure. 0 where there is none.</summary>
    public byte Data1 => (byte)(_bits >> 8);

    /// <summary>The second data byte, 0 to 127: velocity or value. 0 where there is none.</summary>
    public byte Data2 => (byte)(_bits >> 16);

    /// <summary>The handle of a system exclusive's bytes in its pool; 0 for every other message.</summary>
    public int SysExHandle => (int)(_bits >> 32);

    /// <summary>Status and data bytes from the lowest bits up.</summary>
    internal uint ShortBytes => (uint)_bits;

    /// <summary>What class of message this is.</summary>
    public MessageKind Kind
    {
        [MethodImpl(MethodImplOptions.AggressiveInlining)]
        get
        {
            var kind = (MessageKind)Kinds[Status];
            return kind == MessageKind.ControlChange && Data1 >= 120 ? MessageKind.ChannelMode : kind;
        }
    }

    // By the status; F4, F5, F7, F9 and FD start no message, and what is not a status is never asked for, but for the default message.
    private static readonly byte[] Kinds =
    [
        .. Enumerable
            .Range(0, 256)
            .Select(status =>
                (byte)(
                    status switch
                    {
                        < 0x80 => default,
                        < 0xA0 => MessageKind.Note,
                        < 0xB0 => MessageKind.PolyPressure,
                        < 0xC0 => MessageKind.ControlChange,
                        < 0xD0 => MessageKind.ProgramChange,
                        < 0xE0 => MessageKind.ChannelPressure,
                        < 0xF0 => MessageKind.PitchBend,
                        0xF0 => MessageKind.SystemExclusive,
                        0xF1 => MessageKind.QuarterFrame,
                        0xF2 => MessageKind.SongPosition,
                        0xF3 => MessageKind.SongSelect,
                        0xF6 => MessageKind.TuneRequest,
                        0xF8 => MessageKind.Clock,
                        0xFA => MessageKind.Start,
                        0xFB => MessageKind.Continue,
                        0xFC => MessageKind.Stop,
                        0xFE => MessageKind.ActiveSensing,
                        0xFF => MessageKind.Reset,
                        _ => default,
                    }
                )
            ),
    ];

    /// <summary>Whether the message is sent on a channel.</summary>
    public bool HasChannel => Status < 0xF0;

    /// <summary>The channel as the wire carries it, 0 to 15. Only of use where <see cref="HasChannel"/>.</summary>
    public int ChannelIndex => Status & 0x0F;

    /// <summary>Whether this starts a note: status 9n with a velocity above 0.</summary>
    public bool IsNoteOn => (Status & 0xF0) == 0x90 && Data2 != 0;

    /// <summary>Whether this ends a note: status 8n, or 9n with velocity 0.</summary>
    public bool IsNoteOff => (Status & 0xF0) == 0x80 || ((Status & 0xF0) == 0x90 && Data2 == 0);

    /// <summary>Whether this is one of the single bytes that may stand inside any other message (F8 to FF).</summary>
    public bool IsRealTime => Status >= 0xF8;

    /// <summary>How many data bytes follow the status byte: 0, 1 or 2. Not meant for system exclusive.</summary>
    public int DataLength => LengthOf(Status);

    /// <summary>The position of the bend, from −8192 to 8191, 0 in the middle.</summary>
    public int BendValue => (Data2 << 7 | Data1) - 8192;

    /// <summary>The song position in MIDI beats (sixteenths), 0 to 16383.</summary>
    public int SongPositionValue => Data2 << 7 | Data1;

    internal static int LengthOf(int status) =>
        status < 0xF0
            ? (status & 0xE0) == 0xC0
                ? 1
                : 2
            : SystemLengths[status & 0x0F];

    // By the lower half of a system status.
    private static ReadOnlySpan<byte> SystemLengths => [0, 1, 2, 1, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0];

    /// <summary>Whether MIDI 1.0 gives this status byte a meaning as the start of a message.</summary>
    /// <param name="status">The byte asked for.</param>
    internal static bool IsDefined(int status) => status is >= 0x80 and not (0xF4 or 0xF5 or 0xF7 or 0xF9 or 0xFD);

    /// <summary>A message from its bytes, which the caller has checked.</summary>
    internal static MidiMessage Raw(int status, int data1, int data2) => new(status, data1, data2);

    /// <summary>A system exclusive whose bytes are in a pool.</summary>
    internal static MidiMessage SystemExclusive(int handle) => new(0xF0, 0, 0, handle);

    /// <summary>A message from its status and data bytes.</summary>
    /// <param name="status">A defined status byte other than F0 (system exclusive) and F7.</param>
    /// <param name="data1">0 to 127; must be 0 where the message has no data.</param>
    /// <param name="data2">0 to 127; must be 0 where the message has less than two data bytes.</param>
    /// <exception cref="ArgumentOutOfRangeException">MIDI has no such message.</exception>
    public static MidiMessage FromBytes(int status, int data1 = 0, int data2 = 0)
    {
        if (status is < 0x80 or > 0xFF or 0xF0 || !IsDefined(status))
            throw new ArgumentOutOfRangeException(nameof(status), $"{status:X2} does not start a short MIDI message.");
        var length = LengthOf(status);
        CheckData(data1, nameof(data1), length >= 1);
        CheckData(data2, nameof(data2), length >= 2);
        return new MidiMessage(status, data1, data2);
    }

    /// <summary>A note-on.</summary>
    /// <param name="channel">The channel.</param>
    /// <param name="key">Key number, 0 to 127; 60 is middle C.</param>
    /// <param name="velocity">1 to 127. A note-on of velocity 0 is a note-off: see <see cref="NoteOffAsOn"/>.</param>
    /// <exception cref="ArgumentOutOfRangeException">Key or velocity is out of range.</exception>
    public static MidiMessage NoteOn(Channel channel, int key, int velocity)
    {
        ArgumentOutOfRangeException.ThrowIfZero(velocity);
        return FromBytes(0x90 | channel.Index, key, velocity);
    }

    /// <summary>A note-off with a release velocity.</summary>
    /// <param name="channel">The channel.</param>
    /// <param name="key">Key number, 0 to 127.</param>
    /// <param name="velocity">Release velocity, 0 to 127; 64 where it is not measured.</param>
    /// <exception cref="ArgumentOutOfRangeException">Key or velocity is out of range.</exception>
    public static MidiMessage NoteOff(Channel channel, int key, int velocity = 64) => FromBytes(0x80 | channel.Index, key, velocity);

    /// <summary>A note-off in its other form: a note-on with velocity 0.</summary>
    /// <param name="channel">The channel.</param>
    /// <param name="key">Key number, 0 to 127.</param>
    /// <exception cref="ArgumentOutOfRangeException">The key is out of range.</exception>
    public static MidiMessage NoteOffAsOn(Channel channel, int key) => FromBytes(0x90 | channel.Index, key, 0);

    /// <summary>A control change, or a channel mode message for controllers 120 to 127.</summary>
    /// <param name="channel">The channel.</param>
    /// <param name="controller">0 to 127.</param>
    /// <param name="value">0 to 127.</param>
    /// <exception cref="ArgumentOutOfRangeException">Controller or value is out of range.</exception>
    public static MidiMessage ControlChange(Channel channel, int controller, int value) =>
        FromBytes(0xB0 | channel.Index, controller, value);

    /// <summary>A program change.</summary>
    /// <param name="channel">The channel.</param>
    /// <param name="program">The program as the wire carries it, 0 to 127: one less than on screen.</param>
    /// <exception cref="ArgumentOutOfRangeException">The program is out of range.</exception>
    public static MidiMessage ProgramChange(Channel channel, int program) => FromBytes(0xC0 | channel.Index, program);

    /// <summary>A channel pressure.</summary>
    /// <param name="channel">The channel.</param>
    /// <param name="pressure">0 to 127.</param>
    /// <exception cref="ArgumentOutOfRangeException">The pressure is out of range.</exception>
    public static MidiMessage ChannelPressure(Channel channel, int pressure) => FromBytes(0xD0 | channel.Index, pressure);

    /// <summary>A pitch bend.</summary>
    /// <param name="channel">The channel.</param>
    /// <param name="bend">−8192 to 8191; 0 is the middle.</param>
    /// <exception cref="ArgumentOutOfRangeException">The bend is out of range.</exception>
    public static MidiMessage PitchBend(Channel channel, int bend)
    {
        ArgumentOutOfRangeException.ThrowIfLessThan(bend, -8192);
        ArgumentOutOfRangeException.ThrowIfGreaterThan(bend, 8191);
        return FromBytes(0xE0 | channel.Index, (bend + 8192) & 0x7F, (bend + 8192) >> 7);
    }

    /// <summary>Active sensing.</summary>
    public static MidiMessage ActiveSensing { get; } = new(0xFE, 0, 0);

    /// <summary>Timing clock.</summary>
    public static MidiMessage Clock { get; } = new(0xF8, 0, 0);

    /// <summary>The same message on another channel.</summary>
    /// <param name="index">The channel as the wire carries it, 0 to 15.</param>
    internal MidiMessage OnChannelIndex(int index) => new(_bits & ~0x0Ful | (uint)index);

    /// <summary>The same message with another status of the same length, which the caller has checked.</summary>
    internal MidiMessage WithStatus(int status) => new(_bits & ~0xFFul | (uint)status);

    /// <summary>Whether this is a note-on or note-off.</summary>
    internal bool IsNote => (Status & 0xE0) == 0x80;

    /// <summary>Whether this is clock or active sensing.</summary>
    public bool IsBackground => Status is 0xF8 or 0xFE;

    /// <summary>Whether this keeps a song in time or says where in it to be: clock, start, continue, stop, song position.</summary>
    internal bool IsOfClock => Status is 0xF2 or 0xF8 or >= 0xFA and <= 0xFC;

    /// <summary>Whether this ends or puts to rest more than it names: a channel mode message other than local control, or reset.</summary>
    internal bool SilencesMore => (Status & 0xF0) == 0xB0 ? Data1 >= 120 && Data1 != 122 : Status == 0xFF;

    /// <summary>The same message with other data bytes, which the caller has checked.</summary>
    internal MidiMessage WithData(int data1, int data2) => new(Status, data1, data2, SysExHandle);

    private static void CheckData(int value, string name, bool used)
    {
        ArgumentOutOfRangeException.ThrowIfNegative(value, name);
        ArgumentOutOfRangeException.ThrowIfGreaterThan(value, used ? 127 : 0, name);
    }

    private string DebugText =>
        Status switch
        {
            0 => "no message",
            0xF0 => $"F0 (#{SysExHandle}) F7",
            _ => DataLength switch
            {
                0 => $"{Status:X2}",
                1 => $"{Status:X2} {Data1:X2}",
                _ => $"{Status:X2} {Data1:X2} {Data2:X2}",
            },
        };
}
