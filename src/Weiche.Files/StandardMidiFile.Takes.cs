using System.Globalization;
using System.Numerics;
using System.Text;
using Weiche.Core.Midi;
using Weiche.Core.Takes;

namespace Weiche.Files;

/// <content>Takes as files, and files as takes: tracks with their names, tempo, time signatures, markers and whatever else stands in a
/// track.</content>
public static partial class StandardMidiFile
{
    // Ticks a quarter note of what was not read from a file: 52 µs at 120, and every grid falls on a tick.
    private const int TakeDivision = 9_600;
    private const int SignatureMeta = 0x58;
    private const int SecondsOfSilence = 86_400;

    private static readonly UTF8Encoding Strict = new(encoderShouldEmitUTF8Identifier: false, throwOnInvalidBytes: true);

    /// <summary>Reads a file as a take.</summary>
    /// <param name="file">Its bytes.</param>
    /// <exception cref="RecordingException">The file cannot be read, or has more in it than a take can have; the message says at which
    /// byte, or what.</exception>
    public static Take ReadTake(ReadOnlySpan<byte> file)
    {
        var parts = ReadParts(file);
        if (parts.Ends.Count > Take.MostTracks)
            throw new RecordingException($"the file has {parts.Ends.Count} tracks; a take has at most {Take.MostTracks}");
        var pool = new SysExPool(1 << 24, 1 << 26);
        var parsers = parts.Ends.Select(_ => new StreamParser(pool)).ToArray();
        var names = new string?[parts.Ends.Count];
        var (events, marks, tempos, signatures) = (
            new List<TakeEvent>(),
            new List<TakeMark>(),
            new List<TempoPoint>(),
            new List<(MidiSpan At, int Beats, int Unit)>()
        );
        var last =
            parts.Format == 2 ? TimePatterns(parts, Add) : Time(parts.Events, parts.Division, 0, parts.Ends.DefaultIfEmpty(0).Max(), Add);
        if (last > Take.Longest.Microseconds)
            throw new RecordingException($"the file lasts {last / 3_600_000_000} hours; a take lasts at most {SecondsOfSilence / 3600}");
        return new Take
        {
            Tracks = [.. names.Select((name, index) => new TakeTrack(name is { Length: > 0 } ? name : NameOfNone(index)))],
            Events = [.. events],
            Tempo = MapOf(tempos, signatures),
            Marks = [.. marks],
            Length = new MidiSpan(last),
            Division = parts.Division > 0 ? parts.Division : 0,
        };

        void Add(FileEvent each, long microseconds)
        {
            var at = new MidiSpan(microseconds);
            switch (each.Meta)
            {
                case NoMeta:
                    var parser = parsers[each.Track];
                    if (each.Bytes.Length == 0 && !parser.IsInsideMessage)
                    {
                        events.Add(new TakeEvent(at, each.Track, each.Short));
                    }
                    else
                    {
                        var sink = new TakeSink(pool, events, at, each.Track);
                        parser.Parse(each.Whole, ref sink);
                    }
                    if (events.Count > Take.MostEvents)
                        throw new RecordingException($"the file has more than {Take.MostEvents} messages; that is as many as a take has");
                    break;
                case NameMeta when names[each.Track] is null:
                    names[each.Track] = TextOf(each.Bytes);
                    break;
                case TempoMeta:
                    if (each.Tempo > 0)
                        tempos.Add(new TempoPoint(at, each.Tempo));
                    break;
                case SignatureMeta when each.Bytes is [var beats and > 0, var power and <= 7, ..]:
                    signatures.Add((at, beats, 1 << power));
                    break;
                default:
                    marks.Add(new TakeMark(at, each.Meta == TakeMark.Marker ? -1 : each.Track, each.Meta, [.. each.Bytes]));
                    break;
            }
        }
    }

    /// <summary>Writes a take as a file of format 1: a track with tempo, time signatures and markers, and one for each of the
    /// take's.</summary>
    /// <param name="take">The take.</param>
    /// <param name="name">Its name: that of the first track.</param>
    public static byte[] WriteTake(Take take, string name)
    {
        var division = take.Division > 0 ? take.Division : TakeDivision;
        var ticks = new TickMap(take.Tempo, division);
        var end = ticks.Of(take.Length);
        var first = new TrackWriter();
        first.Meta(0, NameMeta, Encoding.UTF8.GetBytes(name));
        var beside = new List<(long Tick, int Type, byte[] Data)>();
        foreach (var (tick, quarter) in ticks.Tempos)
            beside.Add((tick, TempoMeta, [(byte)(quarter >> 16), (byte)(quarter >> 8), (byte)quarter]));
        // 24 clocks a quarter note's click and 8 thirty-seconds a quarter: the usual (Standard MIDI Files 1.0, "Time Signature").
        foreach (var bar in take.Tempo.Bars)
            beside.Add(
                (
                    ticks.Of(bar.At),
                    SignatureMeta,
                    [(byte)bar.Beats, (byte)BitOperations.Log2((uint)bar.Unit), (byte)Math.Min(255, 96 / bar.Unit), 8]
                )
            );
        foreach (var lineup in take.Lineups)
            beside.Add((ticks.Of(lineup.At), 7, Encoding.UTF8.GetBytes($"lineup {lineup.Name}")));
        foreach (var mark in take.Marks.Where(mark => mark.Track < 0))
            beside.Add((ticks.Of(mark.At), mark.Type, [.. mark.Data]));
        foreach (var (tick, type, data) in beside.OrderBy(each => each.Tick))
            first.Meta(tick, type, data);
        var tracks = new List<byte[]> { first.End(end) };
        var byTrack = take.Events.ToLookup(each => each.Track);
        var marks = take.Marks.ToLookup(mark => mark.Track);
        for (var i = 0; i < take.Tracks.Length; i++)
        {
            // What a file had in a first track of its own stands in this file's first.
            if (i == 0 && take.Division > 0 && !byTrack[i].Any() && take.Tracks.Length > 1)
            {
                tracks[0] = WithMarks(take.Tracks[0].Name, beside, marks[i]);
                continue;
            }
            var writer = new TrackWriter();
            // What has no name in a file is called so when it is read; it is given none when it goes out again.
            if (take.Tracks[i].Name != NameOfNone(tracks.Count))
                writer.Meta(0, NameMeta, Encoding.UTF8.GetBytes(take.Tracks[i].Name));
            var rows = byTrack[i]
                .Select(each => (Tick: ticks.Of(each.At), Type: NoMeta, Data: each.Bytes))
                .Concat(marks[i].Select(mark => (Tick: ticks.Of(mark.At), mark.Type, Data: mark.Data.ToArray())));
            foreach (var (tick, type, data) in rows.OrderBy(each => each.Tick).ThenBy(each => each.Type == NoMeta ? 1 : 0))
            {
                if (type == NoMeta)
                    writer.Message(tick, data);
                else
                    writer.Meta(tick, type, data);
            }
            tracks.Add(writer.End(end));
        }
        return File(1, division, tracks);

        byte[] WithMarks(string title, List<(long Tick, int Type, byte[] Data)> all, IEnumerable<TakeMark> more)
        {
            var writer = new TrackWriter();
            if (title != NameOfNone(0))
                writer.Meta(0, NameMeta, Encoding.UTF8.GetBytes(title));
            foreach (
                var (tick, type, data) in all.Concat(more.Select(mark => (ticks.Of(mark.At), mark.Type, mark.Data.ToArray())))
                    .OrderBy(each => each.Item1)
            )
                writer.Meta(tick, type, data);
            return writer.End(end);
        }
    }

    private static string NameOfNone(int index) => string.Create(CultureInfo.InvariantCulture, $"track {index + 1}");

    /// <summary>Times as ticks of a file. A tempo stands at a whole tick, which is not quite where it was meant: ticks are counted by the
    /// tempos as they stand in the file, so that no time is further off than half a tick.</summary>
    private sealed class TickMap
    {
        private readonly (double Time, long Tick, int Quarter)[] _points;
        private readonly int _division;

        internal TickMap(TempoMap tempo, int division)
        {
            _division = division;
            _points = new (double, long, int)[tempo.Tempos.Length];
            var before = (Time: 0.0, Tick: 0L, Quarter: tempo.Tempos[0].Quarter);
            for (var i = 0; i < _points.Length; i++)
            {
                var tick = Math.Max(
                    before.Tick,
                    Math.Round(before.Tick + (tempo.Tempos[i].At.Microseconds - before.Time) * division / before.Quarter)
                );
                _points[i] = before = (before.Time + (tick - before.Tick) * before.Quarter / division, (long)tick, tempo.Tempos[i].Quarter);
            }
        }

        /// <summary>The tempos, each with the tick that it stands at.</summary>
        internal IEnumerable<(long Tick, int Quarter)> Tempos => _points.Select(point => (point.Tick, point.Quarter));

        internal long Of(MidiSpan at)
        {
            var (low, high) = (0, _points.Length - 1);
            while (low < high)
            {
                var middle = (low + high + 1) / 2;
                if (_points[middle].Time <= at.Microseconds)
                    low = middle;
                else
                    high = middle - 1;
            }
            var point = _points[low];
            return point.Tick + (long)Math.Round((at.Microseconds - point.Time) * _division / point.Quarter);
        }
    }

    /// <summary>Texts are UTF-8 in files of today; in others each byte is a letter (ISO 8859-1).</summary>
    private static string TextOf(byte[] bytes)
    {
        string text;
        try
        {
            text = Strict.GetString(bytes);
        }
        catch (DecoderFallbackException)
        {
            text = Encoding.Latin1.GetString(bytes);
        }
        return string.Concat(text.Where(each => !char.IsControl(each))).Trim();
    }

    private static TempoMap MapOf(List<TempoPoint> tempos, List<(MidiSpan At, int Beats, int Unit)> signatures)
    {
        var map = new TempoMap(tempos, []);
        var bars = new List<BarPoint>();
        foreach (var (at, beats, unit) in signatures.OrderBy(each => each.At))
        {
            var before = bars.Count > 0 ? bars[^1] : new BarPoint(MidiSpan.Zero, 1, 4, 4);
            // A bar that is cut short counts as one.
            var passed = (int)Math.Min(1_000_000, Math.Ceiling((map.QuartersAt(at) - map.QuartersAt(before.At)) / before.Length - 1e-6));
            bars.Add(new BarPoint(at, before.Number + Math.Max(0, passed), beats, unit));
        }
        return new TempoMap(tempos, bars);
    }

    private readonly ref struct TakeSink(SysExPool pool, List<TakeEvent> events, MidiSpan at, int track) : IMessageSink
    {
        public void Accept(in MidiMessage message) =>
            events.Add(
                message.Status == 0xF0
                    ? TakeEvent.OfExclusive(at, track, pool.Bytes(message.SysExHandle).ToArray())
                    : new TakeEvent(at, track, message)
            );
    }
}
