using System.Collections.Immutable;
using System.Globalization;
using Weiche.Core.Live;
using Weiche.Core.Midi;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;
using Weiche.Core.Takes;
using Weiche.Data;
using Weiche.Files;
using Weiche.Web.Desk;

namespace Weiche.Web.Live;

/// <summary>A take as it is now: what was recorded, and what its steps make of it.</summary>
/// <param name="Row">As the database knows it.</param>
/// <param name="Steps">What was done to it; the first <see cref="TakeRow.Place"/> count.</param>
/// <param name="Take">What they make of it.</param>
/// <param name="Before">What it was before the last step.</param>
public sealed record OpenTake(TakeRow Row, ImmutableArray<TakeStep> Steps, Take Take, Take Before)
{
    /// <summary>What undo takes back, in words; null if there is nothing.</summary>
    public string? Undo => Row.Place > 0 ? Steps[Row.Place - 1].Title : null;

    /// <summary>What redo makes again, in words; null if there is nothing.</summary>
    public string? Redo => Row.Place < Steps.Length ? Steps[Row.Place].Title : null;
}

/// <summary>How many messages came in a time on the reel.</summary>
/// <param name="Begin">When it begins, µs since 1970, UTC.</param>
/// <param name="Counts">How many from which port.</param>
public sealed record ReelBar(long Begin, IReadOnlyList<(PortId Port, int Count)> Counts);

/// <summary>What is on the reel.</summary>
/// <param name="Bars">How many came when, the oldest first; times in which nothing came are left out.</param>
/// <param name="Count">How many messages there are.</param>
/// <param name="Bytes">How many bytes they take on the disk.</param>
/// <param name="Since">When what was played last began, after a silence; null if there is nothing.</param>
/// <param name="Last">When the last message came; null if there is none.</param>
public sealed record ReelSketch(IReadOnlyList<ReelBar> Bars, int Count, long Bytes, long? Since, long? Last);

/// <summary>The takes of the open studio: kept from the reel, recorded, brought as files; tidied, split, played.</summary>
/// <param name="desk">The running studio.</param>
/// <param name="deck">What writes down what comes in.</param>
/// <param name="time">Where the time comes from.</param>
public sealed class TakeShelf(StudioDesk desk, TapeDeck deck, TimeProvider time) : Ticker(Interval, TimeProvider.System)
{
    /// <summary>How long nothing comes until that is a silence.</summary>
    public const long Silence = 8_000_000;

    /// <summary>How long a bar of the reel's picture is, µs.</summary>
    public const long BarTime = 5_000_000;

    /// <summary>The most takes a studio has.</summary>
    public const int MostTakes = 500;

    private const int MostCached = 4;
    private const int MostSteps = 200;
    private static readonly TimeSpan Interval = TimeSpan.FromMilliseconds(25);

    private readonly Lock _gate = new();
    private readonly List<(int Id, string Sign, OpenTake Open)> _cache = [];
    private readonly Dictionary<int, (string Sign, Take Take)> _originals = [];
    private int _asked = desk.Junction.TakesAsked;
    private string? _ended;

    /// <summary>The take that was chosen last; null if none was.</summary>
    public int? Chosen { get; set; }

    /// <summary>The take that is played, or was last.</summary>
    public int? Playing { get; private set; }

    /// <summary>Tempo and bars of the take that is played, or was last; whether it goes in step with the clock.</summary>
    public (TempoMap Tempo, bool InStep) PlayedBy { get; private set; } = (TempoMap.Usual, false);

    /// <summary>The takes, the newest first.</summary>
    /// <exception cref="StoreException">The database cannot be read.</exception>
    public IReadOnlyList<TakeRow> All() => All(out _);

    /// <summary>The takes, the newest first.</summary>
    /// <param name="lastGone">The take that was thrown away last and can be brought back; null if there is none.</param>
    /// <exception cref="StoreException">The database cannot be read.</exception>
    public IReadOnlyList<TakeRow> All(out TakeRow? lastGone)
    {
        var rows = desk.Store.Takes(desk.State.StudioId);
        CloseCutOff(rows);
        lastGone = rows.Where(row => row.IsGone).MaxBy(row => row.Id);
        return [.. rows.Where(row => !row.IsGone)];
    }

    /// <summary>What is on the reel.</summary>
    /// <exception cref="StoreException">The database cannot be read.</exception>
    public ReelSketch Reel()
    {
        var heads = desk.Store.PageHeads(desk.State.StudioId, null);
        var bars = new SortedDictionary<long, Dictionary<PortId, int>>();
        foreach (var head in heads)
        {
            var bar = (head.Begin + head.End) / 2 / BarTime * BarTime;
            if (!bars.TryGetValue(bar, out var counts))
                bars.Add(bar, counts = []);
            foreach (var (port, count) in head.Counts)
                counts[port] = counts.GetValueOrDefault(port) + count;
        }
        long? since = null;
        for (var i = heads.Count - 1; i >= 0; i--)
        {
            if (since is { } begun && begun - heads[i].End >= Silence)
                break;
            since = heads[i].Begin;
        }
        return new ReelSketch(
            [.. bars.Select(bar => new ReelBar(bar.Key, [.. bar.Value.Select(count => (count.Key, count.Value))]))],
            heads.Sum(head => head.Count),
            heads.Sum(head => (long)head.Length),
            since,
            heads.Count > 0 ? heads.Max(head => head.End) : null
        );
    }

    /// <summary>Makes a take of a part of the reel.</summary>
    /// <param name="from">Where it begins, µs since 1970, UTC.</param>
    /// <param name="to">Where it ends.</param>
    /// <param name="kept">The take.</param>
    /// <returns>Why there is none, or null.</returns>
    public Problem? Keep(long from, long to, out TakeRow? kept)
    {
        kept = null;
        if (to <= from)
            return new Problem("reel", "The part of the reel that was chosen is empty: drag over what you want to keep.");
        try
        {
            deck.Flush();
            var pages = desk.Store.Pages(desk.State.StudioId, null, from, to);
            if (pages.Count == 0)
                return new Problem("reel", deck.Minutes == 0 ? "The reel is off: nothing was kept." : "Nothing came in then.");
            var take = Read(pages, from, to, out var isCut);
            if (take.Events.IsEmpty)
                return new Problem("reel", "Nothing came in then.");
            // The silence around it falls away; the beat stays where it is.
            var first = from + Math.Max(0, take.Events[0].At.Microseconds - 250_000);
            kept = Add(
                new TakeRow
                {
                    StudioId = desk.State.StudioId,
                    Name = NextName(),
                    At = time.GetUtcNow().UtcDateTime,
                    Begin = first,
                    End = to,
                    Steps = "[]",
                    Told = Told(take),
                },
                row => desk.Store.AddTake(row, pages)
            );
            return isCut ? new Problem("reel", $"It is cut: a take has at most {Take.MostEvents:N0} messages.") : null;
        }
        catch (Exception exception) when (exception is StoreException or TapeException)
        {
            return new Problem("reel", exception.Message);
        }
    }

    /// <summary>Makes a take of what was played since the last silence.</summary>
    /// <param name="kept">The take.</param>
    /// <returns>Why there is none, or null.</returns>
    public Problem? KeepSinceSilence(out TakeRow? kept)
    {
        kept = null;
        try
        {
            deck.Flush();
            var reel = Reel();
            return reel.Since is { } since
                ? Keep(since, reel.Last!.Value + 1, out kept)
                : new Problem(
                    "reel",
                    deck.Minutes == 0
                        ? "The reel is off: nothing was kept."
                        : "Nothing has been played yet: play, and press this afterwards."
                );
        }
        catch (StoreException exception)
        {
            return new Problem("reel", exception.Message);
        }
    }

    /// <summary>Begins to record.</summary>
    /// <param name="ports">From which sources, and to which destinations; empty for all sources.</param>
    /// <param name="at">From when on; now if null.</param>
    /// <returns>Why nothing is recorded, or null.</returns>
    public Problem? Record(IReadOnlyCollection<PortId> ports, MidiTime? at = null)
    {
        lock (_gate)
        {
            if (deck.Now is { } now)
                return new Problem("record", $"It is recorded already, since {now.Since:HH:mm:ss}: stop that first.");
            try
            {
                var begin = at is { } when ? deck.OnTape(when) : deck.NowOnTape;
                var row = Add(
                    new TakeRow
                    {
                        StudioId = desk.State.StudioId,
                        Name = NextName(),
                        At = time.GetUtcNow().UtcDateTime,
                        Begin = begin,
                        End = begin - 1,
                        Steps = "[]",
                        Told = "being recorded",
                    },
                    row => desk.Store.AddTake(row, (IReadOnlyList<PageRow>)[])
                );
                _ = deck.TryBegin(
                    row,
                    port =>
                        ports.Count == 0
                            ? desk.State.Studio.FindPort(port) is { } source && !source.Device.IsVirtualPort()
                            : ports.Contains(port),
                    ports.Contains
                );
                Chosen = row.Id;
            }
            catch (StoreException exception)
            {
                return new Problem("record", exception.Message);
            }
        }
        desk.Touch();
        return null;
    }

    /// <summary>Stops recording.</summary>
    /// <returns>What a person should know; null if nothing.</returns>
    public Problem? StopRecording()
    {
        try
        {
            if (deck.End() is not { } row)
                return new Problem("record", "Nothing is recorded at the moment.");
            Close(row);
            return null;
        }
        catch (StoreException exception)
        {
            return new Problem("record", exception.Message);
        }
        finally
        {
            desk.Touch();
        }
    }

    /// <summary>Brings a take from a file.</summary>
    /// <param name="name">The file's name.</param>
    /// <param name="bytes">Its bytes.</param>
    /// <param name="brought">The take.</param>
    /// <returns>Why there is none, or null.</returns>
    public Problem? Bring(string name, byte[] bytes, out TakeRow? brought)
    {
        brought = null;
        try
        {
            var take = TakeFiles.Read(name, bytes);
            var title = NameRule.Tidy(NameRule.WithoutHidden(Path.GetFileNameWithoutExtension(name)));
            if (NameRule.Check(title) is not null)
                title = "file";
            brought = Add(
                new TakeRow
                {
                    StudioId = desk.State.StudioId,
                    Name = title,
                    At = time.GetUtcNow().UtcDateTime,
                    File = Path.GetFileName(name),
                    Steps = "[]",
                    Told = Told(take),
                },
                row => desk.Store.AddTake(row, bytes)
            );
            return null;
        }
        catch (RecordingException exception)
        {
            return new Problem("file", $"{Path.GetFileName(name)}: {exception.Message}. Nothing was added.");
        }
        catch (StoreException exception)
        {
            return new Problem("file", exception.Message);
        }
    }

    /// <summary>A take as it is now.</summary>
    /// <param name="id">Its key.</param>
    /// <param name="open">The take.</param>
    /// <returns>Why it cannot be opened, or null.</returns>
    public Problem? Open(int id, out OpenTake? open)
    {
        open = null;
        try
        {
            if (desk.Store.FindTake(id) is not { IsGone: false } row || row.StudioId != desk.State.StudioId)
                return new Problem("take", "That take is gone: it was thrown away meanwhile.");
            var sign = $"{row.Place} {row.End} {row.Steps}";
            lock (_gate)
            {
                if (_cache.FirstOrDefault(each => each.Id == id && each.Sign == sign) is { Open: { } known })
                {
                    open = known with { Row = row };
                    return null;
                }
                var steps = TakeJson.Read(row.Steps);
                var original = OriginalOf(row);
                var (take, before) = (original, original);
                foreach (var step in steps.Take(row.Place))
                    (before, take) = (take, step.Apply(take));
                open = new OpenTake(row, steps, take, before);
                _cache.RemoveAll(each => each.Id == id);
                if (_cache.Count == MostCached)
                    _cache.RemoveAt(0);
                if (deck.Now?.TakeId != id)
                    _cache.Add((id, sign, open));
                return null;
            }
        }
        catch (Exception exception) when (exception is StoreException or RecordingException or TapeException)
        {
            return new Problem("take", $"This take cannot be read: {exception.Message}");
        }
    }

    /// <summary>Does something to a take.</summary>
    /// <param name="id">Its key.</param>
    /// <param name="step">What.</param>
    /// <returns>Why it was not done, or null.</returns>
    public Problem? Do(int id, TakeStep step)
    {
        // Two windows: one after the other.
        lock (_gate)
        {
            if (Open(id, out var open) is { } problem)
                return problem;
            if (deck.Now?.TakeId == id)
                return new Problem("take", "It is being recorded: stop that first.");
            if (step is TidyStep tidy && tidy.How.Check() is { } wrong)
                return new Problem("tidy", wrong);
            var after = step.Apply(open!.Take);
            if (step is TidyStep && ReferenceEquals(after, open.Take))
                return new Problem(
                    "tidy",
                    TakeNote.Of(open.Take).IsEmpty
                        ? "There are no notes in it that could be moved."
                        : "All notes that are chosen lie on this grid already: nothing was moved."
                );
            if (after.Tracks.Length > Take.MostTracks)
                return new Problem("split", $"That would be {after.Tracks.Length} tracks; a take has at most {Take.MostTracks}.");
            if (step is SplitStep && after.Tracks.Length == open.Take.Tracks.Length)
                return new Problem("split", "It is split like that already: every track has one of these alone.");
            if (after.Events.IsEmpty && !open.Take.Events.IsEmpty)
                return new Problem("take", "Nothing would be left of it: choose a part with something in it.");
            if (open.Row.Place >= MostSteps)
                return new Problem(
                    "take",
                    $"So much was done to this take that no more can be kept ({MostSteps} steps). Write it as a file and bring that back."
                );
            return Set(open.Row, row =>
            {
                row.Steps = TakeJson.Write(open.Steps.Take(row.Place).Append(step));
                row.Place++;
                row.Told = Told(after);
            });
        }
    }

    /// <summary>Takes back what was done last to a take, or makes it again.</summary>
    /// <param name="id">Its key.</param>
    /// <param name="by">−1 to take back, 1 to make again.</param>
    /// <returns>Why there was nothing, or null.</returns>
    public Problem? Step(int id, int by)
    {
        // Two windows: one after the other.
        lock (_gate)
        {
            if (Open(id, out var open) is { } problem)
                return problem;
            if (open!.Row.Place + by < 0)
                return new Problem("take", "There is nothing to take back in this take: this is how it was recorded.");
            if (open.Row.Place + by > open.Steps.Length)
                return new Problem("take", "There is nothing to make again in this take.");
            return Set(open.Row, row =>
            {
                row.Place += by;
                row.Told = Told(open.Steps.Take(row.Place).Aggregate(OriginalOf(row), (take, step) => step.Apply(take)));
            });
        }
    }

    /// <summary>Names a take.</summary>
    /// <param name="id">Its key.</param>
    /// <param name="name">The name.</param>
    /// <returns>Why that cannot be, or null.</returns>
    public Problem? Name(int id, string? name)
    {
        // Two windows: one after the other.
        lock (_gate)
        {
            if (Open(id, out var open) is { } problem)
                return problem;
            var tidy = NameRule.Tidy(name ?? "");
            return NameRule.Check(tidy) is { } wrong ? new Problem("name", wrong) : Set(open!.Row, row => row.Name = tidy);
        }
    }

    /// <summary>Throws a take away, so that it can be brought back; or brings it back.</summary>
    /// <param name="id">Its key.</param>
    /// <param name="away">Whether it goes.</param>
    /// <returns>Why that cannot be, or null.</returns>
    public Problem? Throw(int id, bool away)
    {
        // Two windows: one after the other.
        lock (_gate)
        {
            if (deck.Now?.TakeId == id)
                return new Problem("take", "It is being recorded: stop that first.");
            if (away && Playing == id)
                desk.Junction.StopTake();
            return desk.Store.FindTake(id) is { } row && row.StudioId == desk.State.StudioId
                ? Set(row, each => each.IsGone = away)
                : new Problem("take", "That take is gone for good.");
        }
    }

    /// <summary>Plays a take.</summary>
    /// <param name="id">Its key.</param>
    /// <param name="how">How.</param>
    /// <returns>What a person should know; null if nothing.</returns>
    public Problem? Play(int id, PlayHow how)
    {
        if (Open(id, out var open) is { } problem)
            return problem;
        (Playing, Chosen, PlayedBy) = (id, id, (open!.Take.Tempo, how.InStep));
        return desk.Play(open.Take, how with { Own = how.Own ?? desk.OwnPort });
    }

    /// <summary>A take put together from its pages as it was recorded, or read from its file.</summary>
    private Take OriginalOf(TakeRow row)
    {
        var sign = $"{row.Begin} {row.End}";
        if (_originals.TryGetValue(row.Id, out var known) && known.Sign == sign)
            return known.Take;
        var take = Original(row, desk.Store.Pages(row.StudioId, row.Id));
        if (_originals.Count >= MostCached)
            _originals.Clear();
        if (deck.Now?.TakeId != row.Id)
            _originals[row.Id] = (sign, take);
        return take;
    }

    /// <summary>A take as it is now.</summary>
    /// <param name="row">As the database knows it.</param>
    /// <param name="pages">Its pages.</param>
    /// <exception cref="TapeException">A page is broken.</exception>
    /// <exception cref="RecordingException">The file that it came from cannot be read.</exception>
    internal static Take Read(TakeRow row, IReadOnlyList<PageRow> pages) =>
        TakeJson.Read(row.Steps).Take(row.Place).Aggregate(Original(row, pages), (take, step) => step.Apply(take));

    private static Take Original(TakeRow row, IReadOnlyList<PageRow> pages)
    {
        if (row.File is { } file)
            return TakeFiles.Read(file, [.. pages.SelectMany(page => page.Data)]);
        // What was cut off by a kill, or is being recorded, goes as far as its pages do.
        return Read(
            pages,
            row.Begin,
            row.End >= row.Begin ? row.End
                : pages.Count > 0 ? pages.Max(page => page.End) + 1
                : row.Begin,
            out _
        );
    }

    /// <summary>Ends takes that were recorded when Weiche was stopped.</summary>
    /// <param name="rows">The takes of the open studio.</param>
    private void CloseCutOff(IReadOnlyList<TakeRow> rows)
    {
        foreach (var row in rows)
        {
            if (row.File is not null || row.End >= row.Begin || deck.Now?.TakeId == row.Id)
                continue;
            row.End = desk.Store.PageHeads(row.StudioId, row.Id).Select(page => page.End + 1).Append(row.Begin).Max();
            try
            {
                Close(row);
            }
            catch (StoreException)
            {
                // It is shown as what it is, and closed when the database takes it.
            }
        }
    }

    /// <inheritdoc/>
    private protected override void Tick()
    {
        while (_asked != desk.Junction.TakesAsked)
        {
            var (what, at) = desk.Junction.TakeAsked(_asked++);
            var problem = what switch
            {
                TakeWork.Record => deck.Now is null ? Record([], at) : StopRecording(),
                TakeWork.Keep => KeepSinceSilence(out _),
                _ when desk.Junction.Played.Plays => StopPlaying(),
                _ => Chosen is { } id
                    ? Play(id, new PlayHow(MidiSpan.Zero))
                    : new Problem("play", "No take was chosen that could be played: choose one on Takes (6)."),
            };
            if (problem is not null)
                desk.Say(problem.Sentence);
        }
        if (deck.Ended == _ended)
            return;
        _ended = deck.Ended;
        if (_ended is null)
            return;
        desk.Say(_ended);
        try
        {
            CloseCutOff(desk.Store.Takes(desk.State.StudioId));
        }
        catch (StoreException)
        {
            // It is closed when it can be read.
        }
    }

    private Problem? StopPlaying()
    {
        desk.Junction.StopTake();
        return null;
    }

    private static Take Read(IEnumerable<PageRow> pages, long from, long to, out bool isCut)
    {
        var reader = new TapeTake(new MidiTime(from), new MidiTime(to));
        foreach (var page in pages)
            TapePage.Read(page.Data, reader);
        isCut = reader.IsCut;
        return reader.Make(new MidiSpan(Math.Max(0, to - from)));
    }

    private TakeRow Add(TakeRow row, Func<TakeRow, TakeRow> add)
    {
        if (desk.Store.Takes(row.StudioId).Count(each => !each.IsGone) >= MostTakes)
            throw new StoreException($"There are {MostTakes} takes already: throw some away first.");
        var added = add(row);
        Chosen = added.Id;
        desk.Touch();
        return added;
    }

    private Problem? Set(TakeRow row, Action<TakeRow> change)
    {
        try
        {
            change(row);
            desk.Store.SetTake(row);
            desk.Touch();
            return null;
        }
        catch (StoreException exception)
        {
            return new Problem("take", exception.Message);
        }
    }

    private void Close(TakeRow row)
    {
        try
        {
            row.Told = Told(OriginalOf(row));
        }
        catch (TapeException)
        {
            row.Told = "cannot be read";
        }
        desk.Store.SetTake(row);
    }

    private string NextName()
    {
        var rows = desk.Store.Takes(desk.State.StudioId);
        var number = rows.Select(row =>
                row.Name.StartsWith("Take ", StringComparison.Ordinal)
                && int.TryParse(row.Name.AsSpan(5), NumberStyles.None, CultureInfo.InvariantCulture, out var taken)
                    ? taken
                    : 0
            )
            .DefaultIfEmpty(0)
            .Max();
        return string.Create(CultureInfo.InvariantCulture, $"Take {number + 1}");
    }

    /// <summary>What a take is, in words: "Amsel 61, Fächer · 4:58".</summary>
    internal static string Told(Take take)
    {
        var sizes = take.Events.CountBy(each => each.Track).ToDictionary();
        var names = take.Tracks.Index().Where(track => sizes.ContainsKey(track.Index)).Select(track => track.Item.Name).Distinct().ToList();
        var what = names.Count <= 2 ? string.Join(", ", names) : $"{names.Count} tracks";
        if (take.Events.IsEmpty)
            return "nothing was played";
        if (take.Events.All(each => each.Exclusive is not null))
            return $"{what} · {Words.Count(take.Events.Length)} system exclusive, "
                + $"{Words.Count(take.Events.Sum(each => (long)each.Length))} bytes";
        return $"{what} · {LengthOf(take.Length)}";
    }

    /// <summary>A length in minutes and seconds: "4:58".</summary>
    internal static string LengthOf(MidiSpan length)
    {
        var seconds = length.Microseconds / 1_000_000;
        return seconds >= 3600
            ? string.Create(CultureInfo.InvariantCulture, $"{seconds / 3600}:{seconds / 60 % 60:D2}:{seconds % 60:D2}")
            : string.Create(CultureInfo.InvariantCulture, $"{seconds / 60}:{seconds % 60:D2}");
    }
}
