using System.Globalization;
using System.Text;
using CsvHelper;
using CsvHelper.Configuration;
using Weiche.Core.Midi;
using Weiche.Core.Studios;
using Weiche.Core.Takes;

namespace Weiche.Files;

/// <summary>One message of a take as a row of a table.</summary>
/// <param name="Microseconds">When, µs from the beginning of the take.</param>
/// <param name="Bar">Its bar and beat: "17.1".</param>
/// <param name="Track">The name of its track.</param>
/// <param name="Message">What it is, in words.</param>
/// <param name="Channel">Its channel, 1 to 16; empty for one that has none.</param>
/// <param name="Bytes">Its bytes in hexadecimal.</param>
public sealed record TakeCsvRow(long Microseconds, string Bar, string Track, string Message, string Channel, string Bytes);

/// <summary>Takes out as files and in from files.</summary>
public static class TakeFiles
{
    private static readonly MidiSpan DinByte = WireKind.Din.ByteTime();

    /// <summary>The largest file that is read: 64 MiB.</summary>
    public const long MaxLength = RehearsalFiles.MaxLength;

    /// <summary>The kinds of file that can be read.</summary>
    public static IReadOnlyList<string> Kinds { get; } = [".mid", ".midi", ".smf", ".syx", ".csv"];

    /// <summary>Reads a file as a take.</summary>
    /// <param name="name">The file's name: what stands behind the last dot says what it is, and the file itself must agree.</param>
    /// <param name="bytes">Its bytes.</param>
    /// <exception cref="RecordingException">It cannot be read; the message says at which byte or line.</exception>
    public static Take Read(string name, byte[] bytes)
    {
        if (bytes.Length == 0)
            throw new RecordingException("the file is empty");
        if (bytes.Length > MaxLength)
            throw new RecordingException($"the file has {bytes.Length} bytes; at most {MaxLength} are read");
        return Path.GetExtension(name).ToLowerInvariant() switch
        {
            ".mid" or ".midi" or ".smf" => StandardMidiFile.ReadTake(bytes),
            ".syx" => ReadSyx(name, bytes),
            ".csv" => ReadCsv(bytes),
            // Some have no ending, or another.
            _ when bytes.AsSpan().StartsWith("MThd"u8) => StandardMidiFile.ReadTake(bytes),
            "" => throw new RecordingException("it has no ending that says what it is: .mid, .syx and .csv are read"),
            var other => throw new RecordingException($"“{other}” is not a kind of file that is read: .mid, .syx and .csv are"),
        };
    }

    /// <summary>Each track of a take as a file, together in one archive.</summary>
    /// <param name="take">The take.</param>
    public static byte[] WriteTracks(Take take)
    {
        var byTrack = take.Events.ToLookup(each => each.Track);
        return Archive.Of(
            take.Tracks.Select(
                (track, index) =>
                {
                    var one = take with
                    {
                        Tracks = [track],
                        Events = [.. byTrack[index].Select(each => each with { Track = 0 })],
                        Marks = [.. take.Marks.Where(mark => mark.Track < 0)],
                    };
                    return (
                        string.Create(CultureInfo.InvariantCulture, $"{index + 1:D2} {FileName(track.Name)}.mid"),
                        StandardMidiFile.WriteTake(one, track.Name)
                    );
                }
            )
        );
    }

    /// <summary>The system exclusives of a take, one after the other.</summary>
    /// <param name="take">The take.</param>
    public static byte[] WriteSyx(Take take) => [.. take.Events.Where(each => each.Exclusive is not null).SelectMany(each => each.Bytes)];

    /// <summary>A take as comma-separated values (RFC 4180), with a line of headings first.</summary>
    /// <param name="take">The take.</param>
    /// <param name="names">How keys are called.</param>
    public static string WriteCsv(Take take, KeyNaming names) =>
        Csv.Write(
            take.Events.Select(each => new TakeCsvRow(
                each.At.Microseconds,
                take.Tempo.PlaceAt(each.At) is var place ? string.Create(CultureInfo.InvariantCulture, $"{place.Bar}.{place.Beat}") : "",
                take.Tracks[each.Track].Name,
                MessageText.Words(each.Message, names, each.Exclusive?.Length ?? 0),
                each.Message.HasChannel ? (each.Message.ChannelIndex + 1).ToString(CultureInfo.InvariantCulture) : "",
                Convert.ToHexString(each.Bytes)
            ))
        );

    /// <summary>A name as a file may have it.</summary>
    /// <param name="name">The name.</param>
    public static string FileName(string name)
    {
        var safe = string.Concat(name.Select(each => char.IsLetterOrDigit(each) || each is ' ' or '-' or '_' or '+' ? each : '-'))
            .Trim(' ', '-');
        return safe.Length == 0 ? "take"
            : safe.Length > 60 ? safe[..60]
            : safe;
    }

    private static Take ReadSyx(string name, byte[] bytes)
    {
        var events = new List<TakeEvent>();
        var at = 0;
        // As fast as a DIN wire takes them: a device reads them as it would have sent them.
        foreach (var (start, length) in RehearsalFiles.ExclusivesOf(bytes))
        {
            if (events.Count == Take.MostEvents)
                throw new RecordingException($"the file has more than {Take.MostEvents} messages");
            events.Add(TakeEvent.OfExclusive(DinByte * at, 0, bytes[(start + 1)..(start + length - 1)]));
            at += length;
        }
        return new Take
        {
            Tracks = [new TakeTrack(Path.GetFileNameWithoutExtension(name))],
            Events = [.. events],
            Length = DinByte * at,
        };
    }

    private static Take ReadCsv(byte[] bytes)
    {
        var (events, names) = (new List<TakeEvent>(), new List<string>());
        using var csv = new CsvReader(
            new StreamReader(new MemoryStream(bytes), Encoding.UTF8),
            new CsvConfiguration(CultureInfo.InvariantCulture) { MissingFieldFound = null, BadDataFound = null }
        );
        try
        {
            if (
                !csv.Read()
                || !csv.ReadHeader()
                || csv.GetFieldIndex(nameof(TakeCsvRow.Microseconds), isTryGet: true) < 0
                || csv.GetFieldIndex(nameof(TakeCsvRow.Bytes), isTryGet: true) < 0
            )
                throw new RecordingException("line 1: the headings “Microseconds” and “Bytes” are missing");
            while (csv.Read())
            {
                var line = csv.Parser.RawRow;
                if (
                    !long.TryParse(
                        csv.GetField(nameof(TakeCsvRow.Microseconds)),
                        NumberStyles.None,
                        CultureInfo.InvariantCulture,
                        out var time
                    )
                    || time > Take.Longest.Microseconds
                )
                    throw new RecordingException(
                        $"line {line}: “{Cut(csv.GetField(nameof(TakeCsvRow.Microseconds)))}” is not a time in µs within a day"
                    );
                var track = csv.GetField(nameof(TakeCsvRow.Track)) is { Length: > 0 } name ? name : "take";
                var place = names.IndexOf(track);
                if (place < 0)
                {
                    if (names.Count == Take.MostTracks)
                        throw new RecordingException($"line {line}: a take has at most {Take.MostTracks} tracks");
                    place = names.Count;
                    names.Add(track);
                }
                if (events.Count == Take.MostEvents)
                    throw new RecordingException($"line {line}: a take has at most {Take.MostEvents} messages");
                events.Add(MessageOf(csv.GetField(nameof(TakeCsvRow.Bytes)) ?? "", new MidiSpan(time), place, line));
            }
        }
        catch (CsvHelperException exception)
        {
            throw new RecordingException($"line {csv.Parser.RawRow}: this is no table of comma-separated values", exception);
        }
        var inOrder = Take.InOrder(events);
        return new Take
        {
            Tracks = [.. names.Select(name => new TakeTrack(name))],
            Events = inOrder,
            Length = inOrder.IsEmpty ? MidiSpan.Zero : inOrder[^1].At,
        };
    }

    private static TakeEvent MessageOf(string hex, MidiSpan at, int track, int line)
    {
        byte[] bytes;
        try
        {
            bytes = Convert.FromHexString(hex.Replace(" ", "", StringComparison.Ordinal));
        }
        catch (FormatException)
        {
            throw new RecordingException($"line {line}: “{Cut(hex)}” are not bytes in hexadecimal");
        }
        var read = RehearsalFiles.WholeMessages(bytes);
        return read is [var one]
            ? one with
            {
                At = at,
                Track = track,
            }
            : throw new RecordingException($"line {line}: {Cut(hex)} is not one whole message");
    }

    private static string Cut(string? word) =>
        word is null ? ""
        : word.Length <= 20 ? word
        : word[..20] + "…";
}
