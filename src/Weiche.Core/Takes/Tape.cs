using System.Text;
using Weiche.Core.Midi;

namespace Weiche.Core.Takes;

/// <summary>A page of a tape cannot be read.</summary>
/// <param name="message">What is wrong and at which byte.</param>
public sealed class TapeException(string message) : Exception(message);

/// <summary>Where the beat was.</summary>
/// <param name="At">When.</param>
/// <param name="Pulse">Pulses of the clock since the beginning of the song; below zero before it.</param>
/// <param name="Beats">Beats in a bar.</param>
/// <param name="Unit">What a beat is, as a part of a whole note.</param>
public readonly record struct TapeBeat(MidiTime At, long Pulse, int Beats, int Unit);

/// <summary>What is read of a tape.</summary>
public interface ITapeReader
{
    /// <summary>From here on a number stands for a port.</summary>
    /// <param name="track">The number.</param>
    /// <param name="port">The id of the port.</param>
    /// <param name="wentOut">Whether messages went to it instead of coming from it.</param>
    /// <param name="name">What it is called.</param>
    void Named(int track, int port, bool wentOut, string name);

    /// <summary>A message.</summary>
    /// <param name="at">When.</param>
    /// <param name="track">The number of the port.</param>
    /// <param name="message">The message; of a system exclusive only what it is.</param>
    /// <param name="exclusive">Its bytes between F0 and F7.</param>
    void Message(MidiTime at, int track, MidiMessage message, ReadOnlySpan<byte> exclusive);

    /// <summary>Where the beat was.</summary>
    /// <param name="beat">Where.</param>
    void Beat(TapeBeat beat);

    /// <summary>The clock that kept the time stopped.</summary>
    /// <param name="at">When.</param>
    void Still(MidiTime at);

    /// <summary>A lineup came in force.</summary>
    /// <param name="at">When.</param>
    /// <param name="name">Its name with its number.</param>
    void Lineup(MidiTime at, string name);

    /// <summary>Messages that were not written down.</summary>
    /// <param name="at">Before when.</param>
    /// <param name="count">How many records were lost.</param>
    void Missing(MidiTime at, long count);
}

/// <summary>
/// A page of a tape: what came at which µs, in few bytes. Each page can be read by itself.
/// </summary>
/// <remarks>
/// A page begins with a version and its moment. Then stand records, each the µs since the one before (seven bits a byte, the lowest first),
/// a tag, and what belongs to it. A tag below 64 is the number of the port of a short message, of which the bytes follow. What is no
/// message has a time of its own, told from that.
/// </remarks>
public sealed class TapePage
{
    /// <summary>The most ports that a page tells apart.</summary>
    public const int MostTracks = 1 << 14;

    private const byte Version = 1;
    private const int Inline = 64;
    private const byte FarTag = 64;
    private const byte ExclusiveTag = 65;
    private const byte NameTag = 66;
    private const byte BeatTag = 67;
    private const byte StillTag = 68;
    private const byte LineupTag = 69;
    private const byte MissingTag = 70;
    private const int MostText = 400;

    private readonly Dictionary<int, int> _ports = [];
    private readonly SortedDictionary<int, int> _counts = [];
    private byte[] _bytes = new byte[4096];
    private int _length;
    private MidiTime _last;

    /// <summary>An empty page.</summary>
    /// <param name="begin">When it begins.</param>
    public TapePage(MidiTime begin)
    {
        (Begin, End, _last) = (begin, begin, begin);
        Add(Version);
        Number(begin.Microseconds);
    }

    /// <summary>When it begins.</summary>
    public MidiTime Begin { get; }

    /// <summary>When the last thing on it was.</summary>
    public MidiTime End { get; private set; }

    /// <summary>How many messages are on it.</summary>
    public int Count { get; private set; }

    /// <summary>How many messages there are of each port, by its id.</summary>
    public IReadOnlyDictionary<int, int> Counts => _counts;

    /// <summary>How many bytes it has.</summary>
    public int Length => _length;

    /// <summary>The bytes so far.</summary>
    public ReadOnlySpan<byte> Bytes => _bytes.AsSpan(0, _length);

    /// <summary>Writes down that from here on a number stands for a port.</summary>
    /// <param name="track">The number, below <see cref="MostTracks"/>.</param>
    /// <param name="port">The id of the port.</param>
    /// <param name="wentOut">Whether messages go to it instead of coming from it.</param>
    /// <param name="name">What it is called.</param>
    public void Name(int track, int port, bool wentOut, string name)
    {
        _ports[track] = port;
        Head(_last, NameTag);
        Number(track);
        Number((long)port << 1 | (wentOut ? 1L : 0));
        Text(name);
    }

    /// <summary>Writes a message down. Of two the later one is never before.</summary>
    /// <param name="at">When.</param>
    /// <param name="track">The number of its port.</param>
    /// <param name="message">The message.</param>
    /// <param name="exclusive">Of a system exclusive its bytes between F0 and F7.</param>
    public void Write(MidiTime at, int track, in MidiMessage message, ReadOnlySpan<byte> exclusive = default)
    {
        Count++;
        if (_ports.TryGetValue(track, out var port))
            _counts[port] = _counts.GetValueOrDefault(port) + 1;
        if (message.Status == 0xF0)
        {
            Head(at, ExclusiveTag);
            Number(track);
            Number(exclusive.Length);
            Add(exclusive);
            return;
        }
        Head(at, track < Inline ? (byte)track : FarTag);
        if (track >= Inline)
            Number(track);
        Add(message.Status);
        if (message.DataLength > 0)
            Add(message.Data1);
        if (message.DataLength > 1)
            Add(message.Data2);
    }

    /// <summary>Writes down where the beat was.</summary>
    /// <param name="beat">Where.</param>
    public void Write(TapeBeat beat)
    {
        Beside(beat.At, BeatTag);
        Signed(beat.Pulse);
        Number(beat.Beats);
        Number(beat.Unit);
    }

    /// <summary>Writes down that the clock stopped.</summary>
    /// <param name="at">When.</param>
    public void WriteStill(MidiTime at) => Beside(at, StillTag);

    /// <summary>Writes down that a lineup came in force.</summary>
    /// <param name="at">When.</param>
    /// <param name="name">Its name with its number.</param>
    public void WriteLineup(MidiTime at, string name)
    {
        Beside(at, LineupTag);
        Text(name);
    }

    /// <summary>Writes down that messages are missing.</summary>
    /// <param name="at">Before when.</param>
    /// <param name="count">How many.</param>
    public void WriteMissing(MidiTime at, long count)
    {
        Beside(at, MissingTag);
        Number(count);
    }

    /// <summary>Reads a page.</summary>
    /// <param name="bytes">Its bytes.</param>
    /// <param name="reader">What takes what is on it, in the order in which it was written.</param>
    /// <exception cref="TapeException">It is not a page, or broken; what was read before is right.</exception>
    public static void Read(ReadOnlySpan<byte> bytes, ITapeReader reader)
    {
        var at = 0;
        if (bytes.Length == 0 || bytes[at++] != Version)
            throw new TapeException("byte 0: this is not a page of a tape");
        var now = new MidiTime(TakeNumber(bytes, ref at));
        while (at < bytes.Length)
        {
            now = new MidiTime(Math.Min(now.Microseconds + TakeNumber(bytes, ref at), long.MaxValue / 4));
            if (at >= bytes.Length)
                throw new TapeException($"byte {at}: the page breaks off after a time");
            var tag = bytes[at++];
            switch (tag)
            {
                case < Inline:
                    reader.Message(now, tag, TakeShort(bytes, ref at), default);
                    break;
                case FarTag:
                    var far = TakeTrack(bytes, ref at);
                    reader.Message(now, far, TakeShort(bytes, ref at), default);
                    break;
                case ExclusiveTag:
                    var track = TakeTrack(bytes, ref at);
                    var body = TakeBytes(bytes, ref at);
                    if (body.ContainsAnyInRange((byte)0x80, (byte)0xFF))
                        throw new TapeException($"byte {at - body.Length}: a status stands inside a system exclusive");
                    reader.Message(now, track, MidiMessage.Raw(0xF0, 0, 0), body);
                    break;
                case NameTag:
                    var named = TakeTrack(bytes, ref at);
                    var port = TakeNumber(bytes, ref at);
                    reader.Named(named, (int)Math.Min(port >> 1, int.MaxValue), (port & 1) != 0, TakeText(bytes, ref at));
                    break;
                case BeatTag:
                    var when = TakeMoment(bytes, ref at, now);
                    var pulse = TakeSigned(bytes, ref at);
                    var (beats, unit) = (TakeNumber(bytes, ref at), TakeNumber(bytes, ref at));
                    if (beats is < 1 or > 255 || unit is < 1 or > 128)
                        throw new TapeException($"byte {at}: {beats}/{unit} is no time signature");
                    reader.Beat(new TapeBeat(when, pulse, (int)beats, (int)unit));
                    break;
                case StillTag:
                    reader.Still(TakeMoment(bytes, ref at, now));
                    break;
                case LineupTag:
                    reader.Lineup(TakeMoment(bytes, ref at, now), TakeText(bytes, ref at));
                    break;
                case MissingTag:
                    reader.Missing(TakeMoment(bytes, ref at, now), TakeNumber(bytes, ref at));
                    break;
                default:
                    throw new TapeException($"byte {at - 1}: {tag} is no tag of a tape");
            }
        }
    }

    private void Head(MidiTime at, byte tag)
    {
        var since = Math.Max(0, (at - _last).Microseconds);
        _last += new MidiSpan(since);
        End = _last;
        Number(since);
        Add(tag);
    }

    /// <summary>What is no message may be known earlier or later than the messages around it: its time stands with it.</summary>
    private void Beside(MidiTime at, byte tag)
    {
        Head(_last, tag);
        Signed((at - _last).Microseconds);
    }

    private void Signed(long value) => Number(value << 1 ^ value >> 63);

    private void Number(long value)
    {
        for (var rest = (ulong)value; ; rest >>= 7)
        {
            if (rest < 0x80)
            {
                Add((byte)rest);
                return;
            }
            Add((byte)(rest | 0x80));
        }
    }

    private void Text(string text)
    {
        var bytes = Encoding.UTF8.GetBytes(text.Length > MostText ? text[..MostText] : text);
        Number(bytes.Length);
        Add(bytes);
    }

    private void Add(byte value)
    {
        if (_length == _bytes.Length)
            Array.Resize(ref _bytes, _length * 2);
        _bytes[_length++] = value;
    }

    private void Add(ReadOnlySpan<byte> bytes)
    {
        while (_length + bytes.Length > _bytes.Length)
            Array.Resize(ref _bytes, _bytes.Length * 2);
        bytes.CopyTo(_bytes.AsSpan(_length));
        _length += bytes.Length;
    }

    private static long TakeNumber(ReadOnlySpan<byte> bytes, ref int at)
    {
        var value = 0UL;
        for (var shift = 0; shift < 63; shift += 7)
        {
            if (at >= bytes.Length)
                throw new TapeException($"byte {at}: the page breaks off in a number");
            var next = bytes[at++];
            value |= (ulong)(next & 0x7F) << shift;
            if (next < 0x80)
                return (long)value;
        }
        // A number below zero would have a tenth byte; none that is written has.
        throw new TapeException($"byte {at}: a number is too long");
    }

    private static long TakeSigned(ReadOnlySpan<byte> bytes, ref int at) =>
        TakeNumber(bytes, ref at) is var value ? value >> 1 ^ -(value & 1) : 0;

    private static MidiTime TakeMoment(ReadOnlySpan<byte> bytes, ref int at, MidiTime now) =>
        new(Math.Clamp(now.Microseconds + TakeSigned(bytes, ref at), 0, long.MaxValue / 4));

    private static int TakeTrack(ReadOnlySpan<byte> bytes, ref int at)
    {
        var track = TakeNumber(bytes, ref at);
        return track < MostTracks ? (int)track : throw new TapeException($"byte {at}: there is no port {track} on a tape");
    }

    private static ReadOnlySpan<byte> TakeBytes(ReadOnlySpan<byte> bytes, ref int at)
    {
        var length = TakeNumber(bytes, ref at);
        if (length > bytes.Length - at)
            throw new TapeException($"byte {at}: {length} bytes are claimed; the page has {bytes.Length - at} left");
        at += (int)length;
        return bytes.Slice(at - (int)length, (int)length);
    }

    private static string TakeText(ReadOnlySpan<byte> bytes, ref int at) => Encoding.UTF8.GetString(TakeBytes(bytes, ref at));

    private static MidiMessage TakeShort(ReadOnlySpan<byte> bytes, ref int at)
    {
        var status = at < bytes.Length ? bytes[at++] : 0;
        if (!MidiMessage.IsDefined(status) || status == 0xF0)
            throw new TapeException($"byte {at - 1}: {status:X2} is no status of a short message");
        var length = MidiMessage.LengthOf(status);
        if (bytes.Length - at < length)
            throw new TapeException($"byte {at}: the page breaks off in a message");
        var (data1, data2) = (length > 0 ? bytes[at] : 0, length > 1 ? bytes[at + 1] : 0);
        if (data1 >= 0x80 || data2 >= 0x80)
            throw new TapeException($"byte {at}: a status stands where data should");
        at += length;
        return MidiMessage.Raw(status, data1, data2);
    }
}
