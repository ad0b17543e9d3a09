using System.Globalization;
using System.Text;
using Weiche.Core.Midi;
using Weiche.Core.Takes;

namespace Weiche.Files;

/// <summary>Bytes at a moment.</summary>
/// <param name="Microseconds">µs since the start.</param>
/// <param name="Bytes">One or more bytes.</param>
public readonly record struct TimedBytes(long Microseconds, byte[] Bytes);

/// <summary>A file that cannot be read as what it says it is.</summary>
/// <param name="message">What is wrong and at which byte or line, in a sentence.</param>
/// <param name="inner">What found it, or null.</param>
public sealed class RecordingException(string message, Exception? inner = null) : Exception(message, inner);

/// <summary>Reads recordings to rehearse with, and writes what a rehearsal gave.</summary>
public static class RehearsalFiles
{
    /// <summary>The largest file that is read: 64 MiB.</summary>
    public const long MaxLength = 64 << 20;

    private const long DinByte = 320;

    /// <summary>
    /// Reads a recording, by the end of its name: .mid (Standard MIDI File), .syx (system exclusive messages, as on a
    /// DIN wire one after the other), .bin (raw bytes, as on a DIN wire), .txt (lines of time in µs and hexadecimal
    /// bytes).
    /// </summary>
    /// <param name="path">The file.</param>
    /// <returns>What it holds, in order of time.</returns>
    /// <exception cref="RecordingException">It cannot be read; the message names the file and the place.</exception>
    public static IReadOnlyList<TimedBytes> Read(string path)
    {
        try
        {
            if (Directory.Exists(path))
                throw new RecordingException("this is a folder, not a file");
            var info = new FileInfo(path);
            if (!info.Exists)
                throw new RecordingException("there is no such file");
            if (info.Length > MaxLength)
                throw new RecordingException($"the file has {info.Length} bytes; at most {MaxLength} are read");
            var bytes = File.ReadAllBytes(path);
            return Path.GetExtension(path).ToLowerInvariant() switch
            {
                ".mid" or ".midi" or ".smf" => StandardMidiFile.Read(bytes),
                ".syx" => ReadSyx(bytes),
                ".bin" => Even(bytes, DinByte),
                ".txt" => ReadText(Encoding.UTF8.GetString(bytes)),
                var other => throw new RecordingException($"“{other}” is not a kind of recording: .mid, .syx, .bin and .txt are"),
            };
        }
        catch (RecordingException exception)
        {
            throw new RecordingException($"{path}: {exception.Message}.", exception);
        }
        catch (Exception exception) when (exception is IOException or UnauthorizedAccessException)
        {
            throw new RecordingException($"{path} cannot be read: {exception.Message}", exception);
        }
    }

    /// <summary>Reads lines of time in µs and hexadecimal bytes: "1500 90 3C 60". Empty lines and lines that begin with #
    /// are passed over.</summary>
    /// <param name="text">The text.</param>
    /// <exception cref="RecordingException">A line cannot be read.</exception>
    public static IReadOnlyList<TimedBytes> ReadText(string text)
    {
        var events = new List<TimedBytes>();
        var number = 0;
        var last = 0L;
        foreach (var line in text.TrimStart('\uFEFF').Split('\n'))
        {
            number++;
            var words = line.Split((char[]?)null, StringSplitOptions.RemoveEmptyEntries);
            if (words.Length == 0 || words[0].StartsWith('#'))
                continue;
            if (!long.TryParse(words[0], NumberStyles.None, CultureInfo.InvariantCulture, out var time) || time > long.MaxValue / 4)
                throw new RecordingException($"line {number}: “{Cut(words[0])}” is not a time in µs");
            if (time < last)
                throw new RecordingException($"line {number}: the time {time} is before that of the line above");
            last = time;
            var bytes = new byte[words.Length - 1];
            for (var i = 0; i < bytes.Length; i++)
            {
                if (
                    words[i + 1].Length > 2
                    || !byte.TryParse(words[i + 1], NumberStyles.AllowHexSpecifier, CultureInfo.InvariantCulture, out bytes[i])
                )
                    throw new RecordingException($"line {number}: “{Cut(words[i + 1])}” is not a byte in hexadecimal");
            }
            if (bytes.Length > 0)
                events.Add(new TimedBytes(time, bytes));
        }
        return events;
    }

    /// <summary>Writes events as lines of time and hexadecimal bytes, as <see cref="ReadText"/> reads them.</summary>
    /// <param name="events">The events.</param>
    public static string WriteText(IEnumerable<TimedBytes> events)
    {
        var text = new StringBuilder();
        foreach (var (time, bytes) in events)
        {
            text.Append(CultureInfo.InvariantCulture, $"{time}");
            foreach (var value in bytes)
                text.Append(CultureInfo.InvariantCulture, $" {value:X2}");
            text.Append('\n');
        }
        return text.ToString();
    }

    /// <summary>The messages in bytes, if nothing else is in them.</summary>
    internal static List<TakeEvent> WholeMessages(byte[] bytes)
    {
        var pool = new SysExPool(Math.Max(1, bytes.Length), 1 << 26);
        var parser = new StreamParser(pool);
        var sink = new MessageSink(pool, []);
        parser.Parse(bytes, ref sink);
        return parser.IsInsideMessage || parser.Counts.ThrownBytes > 0 ? [] : sink.Events;
    }

    private readonly struct MessageSink(SysExPool pool, List<TakeEvent> events) : IMessageSink
    {
        internal List<TakeEvent> Events => events;

        public void Accept(in MidiMessage message) =>
            events.Add(
                message.Status == 0xF0
                    ? TakeEvent.OfExclusive(MidiSpan.Zero, 0, pool.Bytes(message.SysExHandle).ToArray())
                    : new TakeEvent(MidiSpan.Zero, 0, message)
            );
    }

    /// <summary>Where the system exclusives of a file are.</summary>
    /// <exception cref="RecordingException">Something else is in it.</exception>
    internal static IEnumerable<(int Start, int Length)> ExclusivesOf(byte[] bytes)
    {
        for (var i = 0; i < bytes.Length;)
        {
            if (bytes[i] != 0xF0)
                throw new RecordingException($"byte {i}: a system exclusive begins with F0, here is {bytes[i]:X2}");
            var end = Array.FindIndex(bytes, i + 1, value => value >= 0x80);
            if (end < 0)
                throw new RecordingException($"byte {i}: the system exclusive that begins here does not end");
            if (bytes[end] != 0xF7)
                throw new RecordingException($"byte {end}: {bytes[end]:X2} stands inside a system exclusive");
            yield return (i, end + 1 - i);
            i = end + 1;
        }
    }

    private static List<TimedBytes> ReadSyx(byte[] bytes)
    {
        foreach (var _ in ExclusivesOf(bytes))
        {
            // Each is looked at.
        }
        return Even(bytes, DinByte);
    }

    private static List<TimedBytes> Even(byte[] bytes, long spacing) =>
        [.. bytes.Select((value, i) => new TimedBytes(i * spacing, [value]))];

    private static string Cut(string word) => word.Length <= 20 ? word : word[..20] + "…";
}
