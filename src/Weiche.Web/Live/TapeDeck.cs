using Weiche.Core.Live;
using Weiche.Core.Midi;
using Weiche.Core.Pulse;
using Weiche.Core.Studios;
using Weiche.Core.Takes;
using Weiche.Data;
using Weiche.Web.Desk;

namespace Weiche.Web.Live;

/// <summary>What is being recorded.</summary>
/// <param name="TakeId">The take.</param>
/// <param name="Begin">When it began, as tapes count.</param>
/// <param name="Since">The same as time of day.</param>
/// <param name="Count">How many messages there are.</param>
/// <param name="Missing">How many are missing, since the deck fell behind.</param>
public sealed record RecordingNow(int TakeId, long Begin, DateTimeOffset Since, int Count, long Missing);

/// <summary>
/// Reads the engine's tap and writes down on tape what comes in: on the reel always, on a take while it is recorded. It looks on; nothing
/// ever waits for it, and what it cannot follow is counted as missing.
/// </summary>
/// <remarks>A thread of its own reads; another writes to the database, four times a second. So a disk that is slow costs nothing but
/// memory, and of that no more than <see cref="MostUnwritten"/>.</remarks>
public sealed class TapeDeck : Ticker
{
    private const int ReadMilliseconds = 15;
    private const int PageLength = 16 << 10;
    private const int MostUnwritten = 32 << 20;

    // So often in a row the database may refuse before a recording is ended.
    private const int MostFailures = 12;

    private static readonly MidiSpan PageTime = MidiSpan.Second * 5;
    private static readonly TimeSpan WriteInterval = TimeSpan.FromMilliseconds(250);

    private readonly StudioDesk _desk;
    private readonly TimeProvider _time;
    private readonly Lock _gate = new();
    private readonly Lock _writing = new();
    private readonly TapRecord[] _buffer = new TapRecord[4096];
    private readonly Tape _reel;
    private readonly List<PageRow> _leftOver = [];
    private readonly long _epoch;
    private readonly Thread _reader;
    private Tape? _take;
    private Recording? _recording;
    private int _studioId;
    private int _minutes;
    private long _next;
    private long _trimmed;
    private int _failures;
    private MidiTime _last;

    // Of the message that is read: a system exclusive's bytes come right after it.
    private PortId _cameFrom;
    private MidiMessage _exclusive;
    private byte[]? _body;
    private bool _wanted;
    private bool _isMade;
    private volatile bool _stopped;

    private sealed record Recording(TakeRow Take, Func<PortId, bool> Sources, Func<PortId, bool> Destinations)
    {
        internal int Count { get; set; }

        internal long Missing { get; set; }
    }

    /// <summary>A deck for the running studio.</summary>
    /// <param name="desk">The running studio.</param>
    /// <param name="time">Where the time comes from.</param>
    public TapeDeck(StudioDesk desk, TimeProvider time)
        : base(WriteInterval, time)
    {
        (_desk, _time) = (desk, time);
        _epoch = OnTape(desk.Junction.Clock.TimeOfDay(MidiTime.Zero).UtcDateTime);
        _reel = new Tape(this, null);
        _next = desk.Junction.Tap.Published;
        _reader = new Thread(ReadOn)
        {
            IsBackground = true,
            Name = "Weiche reel",
            Priority = ThreadPriority.AboveNormal,
        };
        lock (_gate)
            OpenStudio();
        _reader.Start();
    }

    /// <summary>How far the reel goes back, in minutes; 0 if it is off.</summary>
    public int Minutes => Volatile.Read(ref _minutes);

    /// <summary>Why nothing is written down at the moment, in a sentence; null if all is well.</summary>
    public string? Fault { get; private set; }

    /// <summary>Why recording stopped by itself, in a sentence; null if it did not.</summary>
    public string? Ended { get; private set; }

    /// <summary>What is being recorded; null if nothing is.</summary>
    public RecordingNow? Now
    {
        get
        {
            lock (_gate)
                return _recording is { } now
                    ? new RecordingNow(now.Take.Id, now.Take.Begin, Local(now.Take.Begin), now.Count, now.Missing)
                    : null;
        }
    }

    /// <summary>Counts up with each page that is written.</summary>
    public long Written { get; private set; }

    /// <summary>Now, as tapes count: µs since 1970, UTC.</summary>
    public long NowOnTape => OnTape(_desk.Junction.Clock.Now);

    /// <summary>A moment as tapes count it.</summary>
    /// <param name="time">The moment.</param>
    public long OnTape(MidiTime time) => time.Microseconds + _epoch;

    /// <summary>A moment as tapes count it.</summary>
    /// <param name="at">The moment, UTC.</param>
    internal static long OnTape(DateTime at) => (at - DateTime.UnixEpoch).Ticks / TimeSpan.TicksPerMicrosecond;

    /// <summary>A moment of a tape as time of day.</summary>
    /// <param name="at">µs since 1970, UTC.</param>
    public DateTimeOffset Local(long at) =>
        TimeZoneInfo.ConvertTime(
            new DateTimeOffset(DateTime.UnixEpoch.AddTicks(at * TimeSpan.TicksPerMicrosecond), TimeSpan.Zero),
            _time.LocalTimeZone
        );

    /// <summary>Sets how far the reel goes back.</summary>
    /// <param name="minutes">Minutes; 0 for none at all: what is on it is forgotten.</param>
    /// <exception cref="StoreException">It could not be written.</exception>
    public void SetMinutes(int minutes)
    {
        lock (_writing)
        {
            _desk.Store.SetReelMinutes(_studioId, minutes);
            lock (_gate)
            {
                Volatile.Write(ref _minutes, minutes);
                if (minutes == 0)
                    _reel.Forget();
            }
            Trim(force: true);
        }
    }

    /// <summary>Forgets all that is on the reel.</summary>
    /// <exception cref="StoreException">It could not be written.</exception>
    public void ForgetReel()
    {
        lock (_writing)
        {
            lock (_gate)
                _reel.Forget();
            _desk.Store.TrimReel(_studioId, long.MaxValue);
        }
    }

    /// <summary>Begins to record.</summary>
    /// <param name="take">The take, which is in the database already.</param>
    /// <param name="sources">Which sources are recorded.</param>
    /// <param name="destinations">Which destinations are recorded.</param>
    /// <returns>False if something is recorded already.</returns>
    public bool TryBegin(TakeRow take, Func<PortId, bool> sources, Func<PortId, bool> destinations)
    {
        lock (_gate)
        {
            if (_recording is not null)
                return false;
            Ended = null;
            _recording = new Recording(take, sources, destinations);
            _take = new Tape(this, take.Id);
            return true;
        }
    }

    /// <summary>Stops recording. All of it is written down on return.</summary>
    /// <returns>The take; null if nothing was recorded.</returns>
    /// <exception cref="StoreException">It could not be written; what was written before stays.</exception>
    public TakeRow? End()
    {
        TakeRow take;
        lock (_writing)
        {
            // What was played up to this moment is on its way through the tap.
            Read();
            lock (_gate)
            {
                if (_recording is not { } recording)
                    return null;
                take = recording.Take;
                take.End = NowOnTape;
            }
            WriteOut();
            lock (_gate)
                (_recording, _take) = (null, null);
        }
        return take;
    }

    /// <summary>Writes down what was read so far.</summary>
    /// <exception cref="StoreException">It could not be written.</exception>
    public void Flush()
    {
        lock (_writing)
        {
            Read();
            WriteOut();
        }
    }

    /// <summary>Reads on in the tap.</summary>
    public void Read()
    {
        lock (_gate)
        {
            if (_desk.State.StudioId != _studioId)
                OpenStudio();
            FollowBeat();
            int count;
            do
            {
                count = _desk.Junction.Tap.Read(ref _next, _buffer, out var lost);
                if (lost > 0)
                    Lose(lost);
                foreach (ref readonly var record in _buffer.AsSpan(0, count))
                    Take(record);
            } while (count == _buffer.Length);
        }
    }

    /// <inheritdoc/>
    private protected override void Tick()
    {
        try
        {
            lock (_writing)
            {
                WriteOut();
                Trim(force: false);
                (Fault, _failures) = (null, 0);
            }
        }
        catch (StoreException exception)
        {
            Fault = exception.Message;
            // What cannot be written for a moment is kept for the next. A recording that cannot be kept for longer says so and stops; what
            // there is of it stays, and playing goes on.
            if (++_failures < MostFailures)
                return;
            lock (_gate)
            {
                if (_recording is null)
                    return;
                Ended = $"Recording stopped: {exception.Message} What was written down before is kept.";
                (_recording, _take) = (null, null);
            }
        }
    }

    /// <inheritdoc/>
    public override void Dispose()
    {
        _stopped = true;
        _reader.Join();
        try
        {
            Flush();
        }
        catch (StoreException)
        {
            // What was written down before stays.
        }
        base.Dispose();
    }

    private void ReadOn()
    {
        while (!_stopped)
        {
            Read();
            Thread.Sleep(ReadMilliseconds);
        }
    }

    private void OpenStudio()
    {
        // What is not written yet belongs to the studio that was open.
        if (_studioId > 0)
            _leftOver.AddRange([.. _reel.TakeUnwritten(_studioId), .. _take?.TakeUnwritten(_studioId) ?? []]);
        _studioId = _desk.State.StudioId;
        _reel.Forget();
        if (_recording is not null)
            Ended = "Recording stopped: another studio was opened. What was recorded is kept.";
        (_recording, _take) = (null, null);
        _next = _desk.Junction.Tap.Published;
        try
        {
            Volatile.Write(ref _minutes, _desk.Store.ReelMinutes(_studioId));
        }
        catch (StoreException exception)
        {
            (Fault, _minutes) = (exception.Message, 0);
        }
    }

    private void Take(in TapRecord record)
    {
        var isMade = _isMade;
        _isMade = record.Event == TapEvent.Made;
        if (record.IsBeginning)
            _last = record.Time;
        switch (record.Event)
        {
            case TapEvent.Came:
                // The time is kept by the clock that is master, and written down as such.
                _wanted = !record.Message.IsBackground;
                if (!_wanted)
                    return;
                if (record.Message.Status == 0xF0)
                    _exclusive = record.Message;
                else
                    Came(record.Port, record.Message, default);
                _cameFrom = record.Port;
                break;
            case TapEvent.Played:
                _wanted = false;
                break;
            case TapEvent.Exclusive:
                _body = _desk.Junction.Tap.ReadExclusive(record);
                if (_body is null)
                    Lose(1);
                else if (_wanted)
                    Came(_cameFrom, _exclusive, _body);
                break;
            case TapEvent.Delivered when _recording is { } recording && recording.Destinations(record.Port):
                if (record.Message.IsBackground || (isMade && record.Message.Status == 0xF0))
                    return;
                if (record.Message.Status == 0xF0 && _body is null)
                    return;
                Write(_take!, record.Port, true, record.Message, record.Message.Status == 0xF0 ? _body : default);
                recording.Count++;
                break;
        }
    }

    private void Came(PortId source, in MidiMessage message, ReadOnlySpan<byte> body)
    {
        // What comes out of a virtual port was played somewhere else, but what another program sends to it was not.
        var port = _desk.State.Studio.FindPort(source);
        if (port is { IsSource: false, Device: var published })
            source = published.FirstPort(PortDirection.Source) ?? source;
        else if (port?.Device.IsVirtualPort() == true)
            port = null;
        if (_minutes > 0 && port is not null)
            Write(_reel, source, false, message, body);
        if (_recording is not { } recording || !recording.Sources(source) || OnTape(_last) < recording.Take.Begin)
            return;
        Write(_take!, source, false, message, body);
        recording.Count++;
    }

    private void Write(Tape tape, PortId port, bool wentOut, in MidiMessage message, ReadOnlySpan<byte> body) =>
        tape.Write(new MidiTime(OnTape(_last)), port, wentOut, message, body, () =>
            _desk.State.Studio.FindPort(port)?.Name ?? "a port that is gone"
        );

    private void Lose(long records)
    {
        _body = null;
        if (_minutes > 0)
            _reel.Missing(new MidiTime(OnTape(_last)), records);
        if (_recording is not { } recording)
            return;
        _take!.Missing(new MidiTime(OnTape(_last)), records);
        recording.Missing += records;
    }

    private void FollowBeat()
    {
        var (time, studio) = (_desk.Junction.Time, _desk.State.Studio);
        var lineup = _desk.Junction.InForce is { } id ? studio.NameOf(id) : "";
        var runs = time.State is TimeState.Running or TimeState.Coasting;
        var beat = runs
            ? new TapeBeat(
                new MidiTime(OnTape(time.At)),
                time.IsPlaying || time.Begins ? time.Position : time.Grid,
                time.Bar.Beats,
                time.Bar.Unit
            )
            : default;
        if (_minutes > 0)
            _reel.Follow(beat, runs, lineup);
        _take?.Follow(beat, runs, lineup);
    }

    /// <summary>Writes what is new to the database.</summary>
    private void WriteOut()
    {
        List<PageRow> rows;
        TakeRow? ended = null;
        WriteLeftOver();
        lock (_gate)
        {
            rows = [.. _reel.TakeUnwritten(_studioId), .. _take?.TakeUnwritten(_studioId) ?? []];
            if (_recording?.Take is { } take && take.End >= take.Begin)
                ended = take;
        }
        try
        {
            if (rows.Count > 0)
                _desk.Store.WritePages(rows);
            if (rows.Count > 0)
                Written++;
            if (ended is not null)
                _desk.Store.SetTake(ended);
        }
        catch (StoreException)
        {
            lock (_gate)
            {
                _reel.Keep(rows, MostUnwritten);
                _take?.Keep(rows, MostUnwritten);
            }
            throw;
        }
    }

    private void WriteLeftOver()
    {
        List<PageRow> rows;
        lock (_gate)
        {
            rows = [.. _leftOver];
            _leftOver.Clear();
        }
        try
        {
            if (rows.Count > 0)
                _desk.Store.WritePages(rows);
        }
        catch (StoreException)
        {
            // The studio that was open was removed meanwhile, with all that was its own.
        }
    }

    private void Trim(bool force)
    {
        var now = NowOnTape;
        if (!force && now - _trimmed < PageTime.Microseconds * 2)
            return;
        _trimmed = now;
        _desk.Store.TrimReel(_studioId, Minutes == 0 ? long.MaxValue : now - Minutes * 60_000_000L);
    }

    /// <summary>A tape: the page that is written on, and those that are not in the database yet.</summary>
    private sealed class Tape(TapeDeck deck, int? takeId)
    {
        private readonly List<PageRow> _unwritten = [];
        private readonly Dictionary<(PortId Port, bool WentOut), int> _tracks = [];
        private TapePage? _page;
        private PageRow? _row;
        private bool _isNew;
        private long _pulse = long.MinValue;
        private bool _ran;
        private string _lineup = "";
        private TapeBeat _beat;

        internal void Write(MidiTime at, PortId port, bool wentOut, in MidiMessage message, ReadOnlySpan<byte> body, Func<string> name)
        {
            var page = PageFor(at);
            if (!_tracks.TryGetValue((port, wentOut), out var track))
            {
                if (_tracks.Count == TapePage.MostTracks)
                    return;
                _tracks.Add((port, wentOut), track = _tracks.Count);
                page.Name(track, port.Value, wentOut, name());
            }
            page.Write(at, track, message, body);
            _isNew = true;
        }

        internal void Missing(MidiTime at, long count)
        {
            PageFor(at).WriteMissing(at, count);
            _isNew = true;
        }

        /// <summary>Follows the beat and the lineup. Nothing is written for that alone but on a page that is there.</summary>
        internal void Follow(TapeBeat beat, bool runs, string lineup)
        {
            if (lineup != _lineup)
            {
                _lineup = lineup;
                if (_page is { } page && lineup.Length > 0)
                    page.WriteLineup(new MidiTime(deck.NowOnTape), lineup);
                _isNew |= _page is not null;
            }
            if (!runs)
            {
                if (_ran)
                    _page?.WriteStill(new MidiTime(deck.NowOnTape));
                (_ran, _pulse) = (false, long.MinValue);
                return;
            }
            (_ran, _beat) = (true, beat);
            // What is recorded has its beat even where nothing is played.
            if (_page is null && takeId is not null)
                _ = PageFor(new MidiTime(deck.NowOnTape));
            // Once a beat is enough: between two it goes evenly.
            if (_page is null || (_pulse != long.MinValue && beat.Pulse >= _pulse && beat.Pulse < _pulse + Tempo.PulsesABeat))
                return;
            _page.Write(beat);
            _isNew = true;
            _pulse = beat.Pulse;
        }

        internal void Forget()
        {
            _unwritten.Clear();
            Close();
            _isNew = false;
        }

        /// <summary>What is to be written to the database: whole pages, and the one that is written on as it is now.</summary>
        internal List<PageRow> TakeUnwritten(int studioId)
        {
            List<PageRow> rows = [.. _unwritten];
            _unwritten.Clear();
            if (_page is not null && _isNew)
                rows.Add(_row!.Fill(_page));
            _isNew = false;
            foreach (var row in rows)
                row.StudioId = studioId;
            // With nothing more to come the page ends: else what comes much later would stand on it.
            if (_page is { } page && deck.NowOnTape - page.Begin.Microseconds > PageTime.Microseconds)
                Close();
            return rows;
        }

        /// <summary>What could not be written is kept for the next time, as far as there is room.</summary>
        internal void Keep(List<PageRow> rows, int most)
        {
            var mine = rows.Where(row => row.TakeId == takeId && row != _row).ToList();
            _isNew |= _page is not null;
            var length = 0;
            _unwritten.InsertRange(0, mine.AsEnumerable().Reverse().TakeWhile(row => (length += row.Data.Length) <= most).Reverse());
        }

        private TapePage PageFor(MidiTime at)
        {
            if (_page is { } open && (open.Length >= PageLength || at - open.Begin >= PageTime))
            {
                if (_isNew)
                    _unwritten.Add(_row!.Fill(open));
                Close();
            }
            if (_page is { } page)
                return page;
            _page = new TapePage(at);
            _isNew = true;
            _row = new PageRow
            {
                TakeId = takeId,
                Ports = "",
                Data = [],
            };
            // Each page can be read by itself.
            if (_lineup.Length > 0)
                _page.WriteLineup(at, _lineup);
            if (_ran)
                _page.Write(_beat);
            _pulse = _ran ? _beat.Pulse : long.MinValue;
            return _page;
        }

        private void Close()
        {
            (_page, _row, _pulse) = (null, null, long.MinValue);
            _tracks.Clear();
        }
    }
}
