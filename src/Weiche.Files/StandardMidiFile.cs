using System.Buffers.Binary;
using System.Text;
using Weiche.Core.Midi;

namespace Weiche.Files;

/// <summary>
/// Reads and writes Standard MIDI Files (Standard MIDI Files 1.0).
/// </summary>
/// <remarks>
/// A reader of our own rather than a package: it keeps the bytes of each message as they stand, gives every problem
/// with its place in the file, and takes no more memory than the file has, whatever the lengths in it claim.
/// Formats 0 and 1 are played all tracks at once, format 2 its tracks one after the other. Running status, system
/// exclusive in pieces (F7 events), tempo changes and SMPTE time are followed; a track that breaks off is an error. Running status that
/// goes on after system exclusive or a meta event, and bytes behind the last track, are read as other programs read them.
/// </remarks>
public static partial class StandardMidiFile
{
    private const int UsualTempo = 500_000;
    private const int NameMeta = 0x03;
    private const int LongestDelta = 0x0FFF_FFFF;

    /// <summary>The division that is written: ticks a quarter note. With the usual tempo a tick takes 50 µs.</summary>
    private const int WrittenDivision = 10_000;
    private const int WrittenTick = UsualTempo / WrittenDivision;

    private const int NoMeta = -1;
    private const int TempoMeta = 0x51;

    /// <summary>An event of a track.</summary>
    /// <param name="Tick">When.</param>
    /// <param name="Order">Its place in the file.</param>
    /// <param name="Track">The track, from 0.</param>
    /// <param name="Bytes">Bytes of a message, or of a meta event.</param>
    /// <param name="Meta">The type of a meta event; <see cref="NoMeta"/> for a message.</param>
    private readonly record struct FileEvent(long Tick, int Order, int Track, byte[] Bytes, int Meta = NoMeta)
    {
        /// <summary>A short message; its bytes are made of it when they are asked for.</summary>
        internal MidiMessage Short { get; init; }

        /// <summary>The bytes of whatever it is.</summary>
        internal byte[] Whole =>
            Bytes.Length > 0 || Meta != NoMeta ? Bytes
            : Short.DataLength == 1 ? [Short.Status, Short.Data1]
            : [Short.Status, Short.Data1, Short.Data2];

        /// <summary>µs of a quarter note from here on; 0 if it says nothing of that.</summary>
        internal int Tempo => Meta == TempoMeta && Bytes.Length == 3 ? Bytes[0] << 16 | Bytes[1] << 8 | Bytes[2] : 0;
    }

    /// <summary>A file as it stands.</summary>
    private sealed record FileParts(int Format, short Division, List<FileEvent> Events, List<long> Ends);

    /// <summary>Reads a file.</summary>
    /// <param name="file">Its bytes.</param>
    /// <returns>Every message with its time, in order.</returns>
    /// <exception cref="RecordingException">The file cannot be read; the message says at which byte.</exception>
    public static IReadOnlyList<TimedBytes> Read(ReadOnlySpan<byte> file)
    {
        var parts = ReadParts(file);
        var timed = new List<TimedBytes>();
        if (parts.Format != 2)
            Time(parts.Events, parts.Division, 0, 0, Add);
        else
            TimePatterns(parts, Add);
        return timed;

        void Add(FileEvent each, long at)
        {
            if (each.Meta == NoMeta)
                timed.Add(new TimedBytes(at, each.Whole));
        }
    }

    private static FileParts ReadParts(ReadOnlySpan<byte> file)
    {
        if (file.Length < 14 || !file[..4].SequenceEqual("MThd"u8))
            throw new RecordingException("byte 0: a Standard MIDI File begins with MThd");
        var headerLength = BinaryPrimitives.ReadUInt32BigEndian(file[4..]);
        if (headerLength < 6 || headerLength > file.Length - 8)
            throw new RecordingException($"byte 4: the header claims {headerLength} bytes");
        var format = BinaryPrimitives.ReadUInt16BigEndian(file[8..]);
        if (format > 2)
            throw new RecordingException($"byte 8: there is no format {format}");
        var division = BinaryPrimitives.ReadInt16BigEndian(file[12..]);
        if (division == 0)
            throw new RecordingException("byte 12: the division is 0");
        if (division < 0 && (-(division >> 8) is not (24 or 25 or 29 or 30) || (division & 0xFF) == 0))
            throw new RecordingException(
                $"byte 12: {-(division >> 8)} frames a second with {division & 0xFF} ticks each are no SMPTE time; there are 24, "
                    + "25, 29 and 30 frames, with 1 to 255 ticks"
            );
        var tracks = BinaryPrimitives.ReadUInt16BigEndian(file[10..]);
        var (events, ends) = (new List<FileEvent>(), new List<long>());
        var at = 8 + (int)headerLength;
        while (at < file.Length)
        {
            // What stands behind the tracks that the header counts, and is none, is nothing of the standard's: others put their own there.
            if (ends.Count >= tracks && !IsTrack(file[at..]))
                break;
            if (file.Length - at < 8)
                throw new RecordingException($"byte {at}: the file breaks off in the head of a track");
            var length = BinaryPrimitives.ReadUInt32BigEndian(file[(at + 4)..]);
            if (length > file.Length - at - 8)
                throw new RecordingException($"byte {at + 4}: the track claims {length} bytes; the file has {file.Length - at - 8} left");
            // Chunks of other kinds are passed over, as the standard asks.
            if (file.Slice(at, 4).SequenceEqual("MTrk"u8))
                ends.Add(ReadTrack(file, at + 8, at + 8 + (int)length, ends.Count, events));
            at += 8 + (int)length;
        }
        return new FileParts(format, division, events, ends);
    }

    /// <summary>In format 2 each track is a pattern with a tempo of its own, one after the other.</summary>
    /// <returns>When the last one ends, µs.</returns>
    private static long TimePatterns(FileParts parts, Action<FileEvent, long> add)
    {
        var end = 0L;
        var byTrack = parts.Events.ToLookup(each => each.Track);
        for (var i = 0; i < parts.Ends.Count; i++)
            end = Time(byTrack[i], parts.Division, end, parts.Ends[i], add);
        return end;
    }

    /// <summary>Writes events as a file of format 0, 50 µs a tick.</summary>
    /// <param name="name">The name of its track.</param>
    /// <param name="events">Whole messages in order of time. Those that a file cannot hold (real-time and system common)
    /// are written as escaped bytes (F7 events), as the standard provides.</param>
    public static byte[] Write(string name, IEnumerable<TimedBytes> events)
    {
        var track = new TrackWriter();
        track.Meta(0, NameMeta, Encoding.UTF8.GetBytes(name));
        foreach (var (time, bytes) in events)
            track.Message(time / WrittenTick, bytes);
        return File(0, WrittenDivision, [track.End(0)]);
    }

    private static byte[] File(int format, int division, List<byte[]> tracks)
    {
        var file = new byte[14 + tracks.Sum(track => 8 + track.Length)];
        "MThd"u8.CopyTo(file);
        BinaryPrimitives.WriteUInt32BigEndian(file.AsSpan(4), 6);
        BinaryPrimitives.WriteUInt16BigEndian(file.AsSpan(8), (ushort)format);
        BinaryPrimitives.WriteUInt16BigEndian(file.AsSpan(10), (ushort)tracks.Count);
        BinaryPrimitives.WriteUInt16BigEndian(file.AsSpan(12), (ushort)division);
        var at = 14;
        foreach (var track in tracks)
        {
            "MTrk"u8.CopyTo(file.AsSpan(at));
            BinaryPrimitives.WriteUInt32BigEndian(file.AsSpan(at + 4), (uint)track.Length);
            track.CopyTo(file, at + 8);
            at += 8 + track.Length;
        }
        return file;
    }

    /// <summary>Writes the events of one track, in order of time.</summary>
    private sealed class TrackWriter
    {
        private readonly List<byte> _bytes = [];
        private long _last;

        internal void Meta(long tick, int type, ReadOnlySpan<byte> data)
        {
            Begin(tick);
            _bytes.AddRange([0xFF, (byte)type, .. Length(data.Length)]);
            _bytes.AddRange(data);
        }

        internal void Message(long tick, ReadOnlySpan<byte> bytes)
        {
            Begin(tick);
            if (bytes[0] == 0xF0)
                _bytes.AddRange([0xF0, .. Length(bytes.Length - 1), .. bytes[1..]]);
            else if (bytes[0] > 0xF0)
                _bytes.AddRange([0xF7, .. Length(bytes.Length), .. bytes]);
            else
                _bytes.AddRange(bytes);
        }

        /// <summary>The whole track, to a tick.</summary>
        internal byte[] End(long tick)
        {
            Meta(Math.Max(tick, _last), 0x2F, []);
            return [.. _bytes];
        }

        private void Begin(long tick)
        {
            // A time has at most four bytes: what is further away is reached by texts that say nothing.
            while (tick - _last > LongestDelta)
            {
                _bytes.AddRange([.. Length(LongestDelta), 0xFF, 0x01, 0]);
                _last += LongestDelta;
            }
            _bytes.AddRange(Length(tick - _last));
            _last = tick;
        }
    }

    private static bool IsTrack(ReadOnlySpan<byte> file) =>
        file.Length >= 8 && file[..4].SequenceEqual("MTrk"u8) && BinaryPrimitives.ReadUInt32BigEndian(file[4..]) <= file.Length - 8;

    private static long ReadTrack(ReadOnlySpan<byte> file, int at, int end, int track, List<FileEvent> events)
    {
        var (tick, running) = (0L, 0);
        while (at < end)
        {
            tick += Variable(file, ref at, end);
            if (at >= end)
                throw new RecordingException($"byte {at}: the track breaks off after a time");
            int status = file[at];
            if (status < 0x80)
            {
                if (running == 0)
                    throw new RecordingException($"byte {at}: data without a status");
                status = running;
            }
            else
            {
                at++;
            }
            if (status == 0xFF)
            {
                if (at >= end)
                    throw new RecordingException($"byte {at}: the track breaks off in a meta event");
                var type = file[at++];
                var data = TakeData(file, ref at, end);
                if (type == 0x2F)
                    break;
                events.Add(new FileEvent(tick, events.Count, track, data.ToArray(), type));
            }
            else if (status is 0xF0 or 0xF7)
            {
                var data = TakeData(file, ref at, end);
                byte[] bytes = status == 0xF0 ? [0xF0, .. data] : data.ToArray();
                // The standard ends running status here; files that go on with it are plain enough.
                if (bytes.Length > 0)
                    events.Add(new FileEvent(tick, events.Count, track, bytes));
            }
            else if (status >= 0xF0)
            {
                throw new RecordingException($"byte {at - 1}: {status:X2} cannot stand in a track");
            }
            else
            {
                running = status;
                var length = status is >= 0xC0 and < 0xE0 ? 1 : 2;
                if (end - at < length)
                    throw new RecordingException($"byte {at}: the track breaks off in a message");
                for (var i = 0; i < length; i++)
                {
                    if (file[at + i] >= 0x80)
                        throw new RecordingException($"byte {at + i}: {file[at + i]:X2} is not data");
                }
                events.Add(
                    new FileEvent(tick, events.Count, track, [])
                    {
                        Short = MidiMessage.FromBytes(status, file[at], length > 1 ? file[at + 1] : 0),
                    }
                );
                at += length;
            }
        }
        return tick;
    }

    /// <summary>Gives events their times, from <paramref name="start"/> on; says when <paramref name="lastTick"/> is, both in µs.</summary>
    private static long Time(IEnumerable<FileEvent> events, short division, long start, long lastTick, Action<FileEvent, long> add)
    {
        var (tempo, tick, time) = ((long)UsualTempo, 0L, (decimal)start);
        // Negative: frames a second and ticks a frame; 29 stands for 30 dropped, 29.97 a second.
        var frames = -(division >> 8);
        var perSecond = frames == 29 ? 30_000m / 1001 : frames;
        foreach (var each in InOrder(events))
        {
            Pass(each.Tick);
            if (each.Tempo > 0)
                tempo = each.Tempo;
            add(each, Whole());
        }
        Pass(Math.Max(tick, lastTick));
        return Whole();

        void Pass(long until)
        {
            time +=
                division > 0 ? (decimal)(until - tick) * tempo / division : (until - tick) * 1_000_000m / (perSecond * (division & 0xFF));
            tick = until;
        }

        long Whole() => (long)Math.Min(Math.Round(time), long.MaxValue / 4);
    }

    /// <summary>Events of several tracks in the order of their times; of one moment as they stand in the file.</summary>
    private static List<FileEvent> InOrder(IEnumerable<FileEvent> events)
    {
        var list = events as List<FileEvent> ?? [.. events];
        var isSorted = true;
        for (var i = 1; i < list.Count && isSorted; i++)
            isSorted = list[i].Tick >= list[i - 1].Tick;
        if (!isSorted)
            list.Sort((one, other) => one.Tick != other.Tick ? one.Tick.CompareTo(other.Tick) : one.Order.CompareTo(other.Order));
        return list;
    }

    private static long Variable(ReadOnlySpan<byte> file, ref int at, int end)
    {
        var value = 0L;
        for (var i = 0; i < 4; i++)
        {
            if (at >= end)
                throw new RecordingException($"byte {at}: the track breaks off in a number");
            var next = file[at++];
            value = value << 7 | (uint)(next & 0x7F);
            if (next < 0x80)
                return value;
        }
        throw new RecordingException($"byte {at}: a number has more than four bytes");
    }

    private static ReadOnlySpan<byte> TakeData(ReadOnlySpan<byte> file, ref int at, int end)
    {
        var length = Variable(file, ref at, end);
        if (length > end - at)
            throw new RecordingException($"byte {at}: the event claims {length} bytes; the track has {end - at} left");
        var data = file.Slice(at, (int)length);
        at += (int)length;
        return data;
    }

    private static byte[] Length(long value)
    {
        var bytes = new List<byte> { (byte)(value & 0x7F) };
        for (value >>= 7; value > 0; value >>= 7)
            bytes.Insert(0, (byte)(value & 0x7F | 0x80));
        return [.. bytes];
    }
}
