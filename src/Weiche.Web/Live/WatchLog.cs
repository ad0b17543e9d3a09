using Weiche.Core.Live;
using Weiche.Core.Midi;
using Weiche.Core.Studios;
using Weiche.Web.Desk;

namespace Weiche.Web.Live;

/// <summary>Where one message ended: at a destination, or before it.</summary>
/// <param name="Event">What became of it.</param>
/// <param name="Port">The destination; none where none was meant.</param>
/// <param name="Destination">The destination's name, without direction; empty where none was meant.</param>
/// <param name="Words">What it became, or where it stopped and why.</param>
public sealed record WatchEnd(TapEvent Event, PortId Port, string Destination, string Words)
{
    /// <summary>Whether it arrived.</summary>
    public bool Arrived => Event == TapEvent.Delivered;
}

/// <summary>One message that came in, with all its ends.</summary>
/// <param name="Number">Counts up by one with each line.</param>
/// <param name="Time">When, as time of day.</param>
/// <param name="Port">The source.</param>
/// <param name="From">The source's name, without direction.</param>
/// <param name="Words">The message in words, with its channel.</param>
/// <param name="Bytes">Its bytes in hexadecimal.</param>
/// <param name="Ends">Where it ended.</param>
public sealed record WatchLine(
    long Number,
    DateTimeOffset Time,
    PortId Port,
    string From,
    string Words,
    string Bytes,
    IReadOnlyList<WatchEnd> Ends
);

/// <summary>Which lines are asked for.</summary>
/// <param name="Follow">Only those from this source, or meant for this destination; null for all.</param>
/// <param name="Find">Only those in which all of these words stand, anywhere; empty for all.</param>
public sealed record WatchFilter(PortId? Follow = null, string Find = "")
{
    private readonly string[] _words = Find.Split(' ', StringSplitOptions.RemoveEmptyEntries);

    /// <summary>Whether every line is asked for.</summary>
    public bool IsEverything => Follow is null && _words.Length == 0;

    /// <summary>Whether a line is asked for.</summary>
    /// <param name="line">The line.</param>
    public bool Takes(WatchLine line)
    {
        if (Follow is { } port && line.Port != port && line.Ends.All(end => end.Port != port))
            return false;
        return Array.TrueForAll(_words, word =>
            Has(line.From, word)
            || Has(line.Words, word)
            || Has(line.Bytes, word)
            || line.Ends.Any(end => Has(end.Destination, word) || Has(end.Words, word))
        );
    }

    private static bool Has(string text, string word) => text.Contains(word, StringComparison.OrdinalIgnoreCase);
}

/// <summary>
/// Reads the engine's tap some forty times a second and keeps the newest messages. The engine never waits for it; what comes
/// faster than it can be read is counted as left out. A message is put into words only when somebody asks for its line.
/// </summary>
/// <param name="desk">The running studio.</param>
public sealed class WatchLog(StudioDesk desk) : Ticker(Interval, TimeProvider.System)
{
    /// <summary>How many messages are kept.</summary>
    public const int Capacity = 4096;

    private const int RecentKept = 256;

    private static readonly TimeSpan Interval = TimeSpan.FromMilliseconds(25);

    private readonly Lock _gate = new();
    private readonly Kept?[] _kept = new Kept?[Capacity];
    private readonly TapRecord[] _buffer = new TapRecord[8192];
    private readonly List<TapRecord> _open = [];
    private readonly (PortId Port, MidiMessage Message)[] _recent = new (PortId, MidiMessage)[RecentKept];
    private readonly Dictionary<(int Studio, PortId Port), Kept> _lastFrom = [];
    private int _openStudio;
    private long _recentCount;
    private long _next;
    private bool _isMade;
    private long _count;
    private long _leftOut;

    /// <summary>The number of the newest line; 0 if there is none.</summary>
    public long Newest => Volatile.Read(ref _count);

    /// <summary>How many records of the engine were overwritten before they could be read.</summary>
    public long LeftOut => Volatile.Read(ref _leftOut);

    /// <summary>Whether clock and active sensing become lines too.</summary>
    public bool ListsBackground
    {
        get => desk.Junction.Tap.TakesBackground;
        set => desk.Junction.Tap.TakesBackground = value;
    }

    /// <summary>The newest lines, the newest first.</summary>
    /// <param name="after">Only lines with a number above this.</param>
    /// <param name="count">At most how many.</param>
    /// <param name="filter">Which; null for all.</param>
    public IReadOnlyList<WatchLine> Lines(long after, int count, WatchFilter? filter = null)
    {
        lock (_gate)
        {
            var lines = new List<WatchLine>();
            var studio = desk.State.StudioId;
            for (var number = _count; number > Math.Max(after, _count - Capacity) && lines.Count < count; number--)
            {
                var kept = _kept[number % Capacity]!;
                // What was played in another studio says nothing here.
                if (kept.StudioId != studio)
                    break;
                var line = Line(kept);
                if (filter is null || filter.Takes(line))
                    lines.Add(line);
            }
            return lines;
        }
    }

    /// <summary>The newest messages that came, with the ports that they came from.</summary>
    /// <param name="from">How many had come before; moved on to how many have come now.</param>
    /// <param name="most">At most how many; of more than these the newest.</param>
    public IReadOnlyList<(PortId Port, MidiMessage Message)> Recent(ref long from, int most)
    {
        lock (_gate)
        {
            var first = Math.Max(Math.Max(0, from), _recentCount - Math.Min(most, RecentKept));
            var recent = new List<(PortId, MidiMessage)>();
            for (var i = first; i < _recentCount; i++)
                recent.Add(_recent[i % RecentKept]);
            from = _recentCount;
            return recent;
        }
    }

    /// <summary>What each source of the open studio last sent: its words, when in µs, and the message.</summary>
    public IReadOnlyList<(PortId Port, string Words, long At, MidiMessage Message)> LastFrom()
    {
        lock (_gate)
        {
            return
            [
                .. _lastFrom
                    .Where(pair => pair.Key.Studio == desk.State.StudioId)
                    .Select(pair =>
                        (pair.Key.Port, Line(pair.Value).Words, pair.Value.Records[0].Time.Microseconds, pair.Value.Records[0].Message)
                    ),
            ];
        }
    }

    /// <summary>Takes over what the engine has written down since the last time.</summary>
    public void Read()
    {
        lock (_gate)
        {
            int count;
            do
            {
                count = desk.Junction.Tap.Read(ref _next, _buffer, out var lost);
                if (lost > 0)
                {
                    Volatile.Write(ref _leftOut, _leftOut + lost);
                    _open.Clear();
                    _isMade = false;
                }
                for (var i = 0; i < count; i++)
                {
                    ref readonly var record = ref _buffer[i];
                    // What Weiche makes by itself is no line, nor is its delivery, which follows.
                    var isMade = _isMade;
                    _isMade = record.Event == TapEvent.Made;
                    if (isMade || _isMade)
                        continue;
                    if (record.IsBeginning)
                    {
                        Close();
                        _openStudio = desk.Junction.Tap.VersionAt(_next - count + i);
                    }
                    if (record.IsBeginning || _open.Count > 0)
                        _open.Add(record);
                }
            } while (count == _buffer.Length);
            // The engine publishes a message together with all its ends, so what is open now is whole.
            Close();
        }
    }

    /// <inheritdoc/>
    private protected override void Tick() => Read();

    private void Close()
    {
        if (_open.Count == 0)
            return;
        var came = _open[0];
        var records = _open.ToArray();
        _open.Clear();
        if (desk.StudioOfPlan(_openStudio) is not { } studio)
            return;
        var kept = new Kept(_count + 1, records, studio, desk.State.StudioId);
        if (!came.Message.IsBackground)
            _lastFrom[(kept.StudioId, came.Port)] = kept;
        if (came.Message.HasChannel)
            _recent[_recentCount++ % RecentKept] = (came.Port, came.Message);
        _kept[kept.Number % Capacity] = kept;
        Volatile.Write(ref _count, kept.Number);
    }

    private WatchLine Line(Kept kept) => kept.Line ??= ToLine(kept);

    private WatchLine ToLine(Kept kept)
    {
        var (records, studio) = (kept.Records, kept.Studio);
        var came = records[0];
        var channel = came.Message.HasChannel ? $" · ch {came.Message.ChannelIndex + 1}" : "";
        var exclusive = records.Length > 1 && records[1].Event == TapEvent.Exclusive ? records[1] : default;
        var length = exclusive.Event == TapEvent.Exclusive ? exclusive.SysExLength : 0;
        Span<byte> start = stackalloc byte[Math.Min(8, length)];
        for (var i = 0; i < start.Length; i++)
            start[i] = (byte)(exclusive.SysExStart >> (8 * i));
        return new WatchLine(
            kept.Number,
            desk.Junction.Clock.TimeOfDay(came.Time),
            came.Port,
            (studio.FindPort(came.Port)?.Name ?? "a port that is gone") + (came.Event == TapEvent.Played ? ", a take" : ""),
            MessageText.Words(came.Message, studio.KeyNaming, length) + channel,
            MessageText.Hex(came.Message, start, length),
            [
                .. records
                    .Skip(1)
                    .Where(record => record.Event != TapEvent.Exclusive)
                    .Select(record => ToEnd(record, came.Message, studio))
                    .DefaultIfEmpty(new WatchEnd(TapEvent.Stopped, default, "", WhyNowhere(came.Port, studio))),
            ]
        );
    }

    private static WatchEnd ToEnd(in TapRecord record, in MidiMessage came, Studio studio)
    {
        var id = record.Port;
        var to = studio.FindPort(id)?.Name ?? "a port that is gone";
        var stage = studio.FindRoute(record.Route)?.Stages.ElementAtOrDefault(record.Stage);
        return record.Event switch
        {
            TapEvent.Delivered => new WatchEnd(record.Event, id, to, Became(record.Message, came, studio.KeyNaming)),
            TapEvent.Stopped => new WatchEnd(record.Event, id, to, stage?.StoppedWords(record.Message, studio.KeyNaming) ?? "stopped"),
            TapEvent.Kept => new WatchEnd(record.Event, default, "", "kept by Weiche: the answer to a question of its own"),
            TapEvent.SourceOff => new WatchEnd(record.Event, default, "", $"{to} is switched off"),
            TapEvent.DestinationOff => new WatchEnd(record.Event, id, to, $"{to} is switched off"),
            TapEvent.NotBegunHere => new WatchEnd(record.Event, id, to, "nothing to end: it did not begin here"),
            TapEvent.HeldByOther => new WatchEnd(record.Event, id, to, "another source still holds it"),
            TapEvent.OwnEnded => new WatchEnd(record.Event, id, to, "ended only what is its own: others hold something here"),
            TapEvent.OtherClock => new WatchEnd(
                record.Event,
                id,
                to,
                studio.FollowedAt(id).Contains(came.Kind)
                    ? "left out: the studio's clock goes here"
                    : "left out: another source gives the clock here"
            ),
            TapEvent.Guarded => new WatchEnd(record.Event, id, to, "stopped by the guard: it went round"),
            TapEvent.Withheld => new WatchEnd(record.Event, id, to, "kept for a moment by the guard: it may go round"),
            TapEvent.Lever => new WatchEnd(record.Event, default, "", LeverText(studio, record.Route)),
            _ => new WatchEnd(record.Event, id, to, "refused: too much is waiting here"),
        };
    }

    private static string LeverText(Studio studio, RouteId id) =>
        studio.FindLever(new LeverId(id.Value)) is { } lever ? $"a lever: {LeverWords.Of(studio, lever.Work)}" : "let go of a lever";

    private static string WhyNowhere(PortId source, Studio studio)
    {
        var live = LiveRoutes.Of(studio);
        if (live.From(source).Any(live.IsOnDuty))
            return "another route is soloed";
        if (live.From(source).Count > 0 && studio.Current is { } lineup)
            return $"no route from here is in {studio.NameOf(lineup.Id)}";
        return studio.Routes.Count(route => studio.SourcesOf(route).Any(each => each.Id == source)) switch
        {
            0 => "no route leads on from here",
            1 => "the route from here is switched off",
            _ => "all routes from here are switched off",
        };
    }

    private static string Became(in MidiMessage message, in MidiMessage came, KeyNaming names)
    {
        if (message == came)
            return "as it came";
        var words = MessageText.Words(message, names);
        return message.HasChannel ? $"{words} on ch {message.ChannelIndex + 1}" : words;
    }

    /// <summary>A message that came, with what became of it, as the engine wrote it down.</summary>
    private sealed class Kept(long number, TapRecord[] records, Studio studio, int studioId)
    {
        internal long Number { get; } = number;

        internal TapRecord[] Records { get; } = records;

        internal Studio Studio { get; } = studio;

        internal int StudioId { get; } = studioId;

        internal WatchLine? Line { get; set; }
    }
}
