using System.Buffers.Binary;

namespace Weiche.Files;

/// <summary>
/// Reads and writes Standard MIDI Files (Standard MIDI Files 1.0).
/// </summary>
/// <remarks>
/// A reader of our own rather than a package: it keeps the bytes of each message as they stand, gives every problem
/// with its place in the file, and takes no more memory than the file has, whatever the lengths in it claim.
/// Formats 0 and 1 are played all tracks at once, format 2 its tracks one after the other. Running status, system
/// exclusive in pieces (F7 events), tempo changes and SMPTE time are followed; a track that breaks off is an error.
/// </remarks>
public static class StandardMidiFile
{
    private const int UsualTempo = 500_000;

    /// <summary>The division that is written: ticks a quarter note. With the usual tempo a tick takes 50 µs.</summary>
    private const int WrittenDivision = 10_000;
    private const int WrittenTick = UsualTempo / WrittenDivision;

    private sealed record FileEvent(long Tick, int Order, byte[] Bytes, int Tempo);

    /// <summary>Reads a file.</summary>
    /// <param name="file">Its bytes.</param>
    /// <returns>Every message with its time, in order.</returns>
    /// <exception cref="RecordingException">The file cannot be read; the message says at which byte.</exception>
    public static IReadOnlyList<TimedBytes> Read(ReadOnlySpan<byte> file)
    {
        if (file.Length < 14 || !file[..4].SequenceEqual("MThd"u8)) throw new RecordingException("byte 0: a Standard MIDI File begins with MThd");
        var headerLength = BinaryPrimitives.ReadUInt32BigEndian(file[4..]);
        if (headerLength < 6 || headerLength > file.Length - 8) throw new RecordingException($"byte 4: the header claims {headerLength} bytes");
        var format = BinaryPrimitives.ReadUInt16BigEndian(file[8..]);
        if (format > 2) throw new RecordingException($"byte 8: there is no format {format}");
        var division = BinaryPrimitives.ReadInt16BigEndian(file[12..]);
        if (division == 0) throw new RecordingException("byte 12: the division is 0");
        var events = new List<FileEvent>();
        var at = 8 + (int)headerLength;
        var end = 0L;
        while (at < file.Length)
        {
            if (file.Length - at < 8) throw new RecordingException($"byte {at}: the file breaks off in the head of a track");
            var length = BinaryPrimitives.ReadUInt32BigEndian(file[(at + 4)..]);
            if (length > file.Length - at - 8) throw new RecordingException($"byte {at + 4}: the track claims {length} bytes; the file has {file.Length - at - 8} left");
            // Chunks of other kinds are passed over, as the standard asks.
            if (file.Slice(at, 4).SequenceEqual("MTrk"u8))
            {
                var last = ReadTrack(file, at + 8, at + 8 + (int)length, format == 2 ? end : 0, events);
                if (format == 2) end = last;
            }
            at += 8 + (int)length;
        }
        return Timed(events, division);
    }

    /// <summary>Writes events as a file of format 0, 50 µs a tick.</summary>
    /// <param name="name">The name of its track.</param>
    /// <param name="events">Whole messages in order of time. Those that a file cannot hold (real-time and system common)
    /// are written as escaped bytes (F7 events), as the standard provides.</param>
    public static byte[] Write(string name, IEnumerable<TimedBytes> events)
    {
        var track = new List<byte>();
        var nameBytes = System.Text.Encoding.UTF8.GetBytes(name);
        track.AddRange([0, 0xFF, 0x03, .. Length(nameBytes.Length), .. nameBytes]);
        var last = 0L;
        foreach (var (time, bytes) in events)
        {
            var tick = time / WrittenTick;
            track.AddRange(Length(tick - last));
            last = tick;
            if (bytes[0] == 0xF0) track.AddRange([0xF0, .. Length(bytes.Length - 1), .. bytes[1..]]);
            else if (bytes[0] > 0xF0) track.AddRange([0xF7, .. Length(bytes.Length), .. bytes]);
            else track.AddRange(bytes);
        }
        track.AddRange([0, 0xFF, 0x2F, 0]);
        var file = new byte[14 + 8 + track.Count];
        "MThd"u8.CopyTo(file);
        BinaryPrimitives.WriteUInt32BigEndian(file.AsSpan(4), 6);
        BinaryPrimitives.WriteUInt16BigEndian(file.AsSpan(10), 1);
        BinaryPrimitives.WriteUInt16BigEndian(file.AsSpan(12), WrittenDivision);
        "MTrk"u8.CopyTo(file.AsSpan(14));
        BinaryPrimitives.WriteUInt32BigEndian(file.AsSpan(18), (uint)track.Count);
        track.CopyTo(file, 22);
        return file;
    }

    private static long ReadTrack(ReadOnlySpan<byte> file, int at, int end, long tick, List<FileEvent> events)
    {
        var running = 0;
        while (at < end)
        {
            tick += Variable(file, ref at, end);
            if (at >= end) throw new RecordingException($"byte {at}: the track breaks off after a time");
            int status = file[at];
            if (status < 0x80)
            {
                if (running == 0) throw new RecordingException($"byte {at}: data without a status");
                status = running;
            }
            else
            {
                at++;
            }
            if (status == 0xFF)
            {
                if (at >= end) throw new RecordingException($"byte {at}: the track breaks off in a meta event");
                var type = file[at++];
                var data = Take(file, ref at, end);
                if (type == 0x51 && data.Length == 3)
                {
                    var tempo = data[0] << 16 | data[1] << 8 | data[2];
                    if (tempo > 0) events.Add(new FileEvent(tick, events.Count, [], tempo));
                }
                if (type == 0x2F) break;
            }
            else if (status is 0xF0 or 0xF7)
            {
                var data = Take(file, ref at, end);
                byte[] bytes = status == 0xF0 ? [0xF0, .. data] : data.ToArray();
                if (bytes.Length > 0) events.Add(new FileEvent(tick, events.Count, bytes, 0));
                running = 0;
            }
            else if (status >= 0xF0)
            {
                throw new RecordingException($"byte {at - 1}: {status:X2} cannot stand in a track");
            }
            else
            {
                running = status;
                var length = status is >= 0xC0 and < 0xE0 ? 1 : 2;
                if (end - at < length) throw new RecordingException($"byte {at}: the track breaks off in a message");
                for (var i = 0; i < length; i++)
                {
                    if (file[at + i] >= 0x80) throw new RecordingException($"byte {at + i}: {file[at + i]:X2} is not data");
                }
                events.Add(new FileEvent(tick, events.Count, [(byte)status, .. file.Slice(at, length)], 0));
                at += length;
            }
        }
        return tick;
    }

    private static List<TimedBytes> Timed(List<FileEvent> events, short division)
    {
        var timed = new List<TimedBytes>();
        var (tempo, lastTick, time) = ((long)UsualTempo, 0L, 0m);
        // Negative: frames a second (−24, −25, −29, −30) and ticks a frame; 29 stands for 30 dropped, 29.97 a second.
        var frames = -(division >> 8);
        var perSecond = frames == 29 ? 30_000m / 1001 : frames;
        foreach (var each in events.OrderBy(each => each.Tick).ThenBy(each => each.Order))
        {
            var ticks = each.Tick - lastTick;
            if (division > 0) time += (decimal)ticks * tempo / division;
            else time += ticks * 1_000_000m / (Math.Max(1, perSecond) * Math.Max(1, division & 0xFF));
            lastTick = each.Tick;
            if (each.Tempo > 0) tempo = each.Tempo;
            if (each.Bytes.Length > 0) timed.Add(new TimedBytes((long)Math.Min(time, long.MaxValue / 4), each.Bytes));
        }
        return timed;
    }

    private static long Variable(ReadOnlySpan<byte> file, ref int at, int end)
    {
        var value = 0L;
        for (var i = 0; i < 4; i++)
        {
            if (at >= end) throw new RecordingException($"byte {at}: the track breaks off in a number");
            var next = file[at++];
            value = value << 7 | (uint)(next & 0x7F);
            if (next < 0x80) return value;
        }
        throw new RecordingException($"byte {at}: a number has more than four bytes");
    }

    private static ReadOnlySpan<byte> Take(ReadOnlySpan<byte> file, ref int at, int end)
    {
        var length = Variable(file, ref at, end);
        if (length > end - at) throw new RecordingException($"byte {at}: the event claims {length} bytes; the track has {end - at} left");
        var data = file.Slice(at, (int)length);
        at += (int)length;
        return data;
    }

    private static byte[] Length(long value)
    {
        var bytes = new List<byte> { (byte)(value & 0x7F) };
        for (value >>= 7; value > 0; value >>= 7) bytes.Insert(0, (byte)(value & 0x7F | 0x80));
        return [.. bytes];
    }
}
