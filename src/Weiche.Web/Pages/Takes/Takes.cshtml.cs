using System.Text;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Weiche.Core.Live;
using Weiche.Core.Midi;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;
using Weiche.Core.Takes;
using Weiche.Data;
using Weiche.Files;
using Weiche.Web.Desk;
using Weiche.Web.Live;

namespace Weiche.Web.Pages.Takes;

/// <summary>Takes: the reel, what was kept and recorded, and what can be done with it.</summary>
/// <param name="desk">The running studio.</param>
/// <param name="shelf">Its takes.</param>
/// <param name="deck">What writes down what comes in.</param>
[RequestSizeLimit(MostUploaded)]
[RequestFormLimits(MultipartBodyLengthLimit = MostUploaded)]
public sealed class TakesModel(StudioDesk desk, TakeShelf shelf, TapeDeck deck) : PageModel
{
    private const string Fragment = "_Takes";
    private const long MostUploaded = TakeFiles.MaxLength + (1 << 16);
    private const int MostMinute = 60;

    /// <summary>What is shown.</summary>
    public TakesView View { get; private set; } = null!;

    /// <summary>The page.</summary>
    /// <param name="take">The take that is chosen.</param>
    public IActionResult OnGet(int? take)
    {
        Look(take ?? shelf.Chosen, null);
        return this.Show(Fragment, View);
    }

    /// <summary>The picture of a take, as numbers for the page's script.</summary>
    /// <param name="take">The take.</param>
    /// <param name="parts">If it is to be shown tidied: the grid.</param>
    /// <param name="ends">Whether ends are tidied as well.</param>
    /// <param name="strength">How far.</param>
    /// <param name="swing">The swing.</param>
    /// <param name="from">From where on, µs.</param>
    /// <param name="to">To where, µs.</param>
    public IActionResult OnGetPicture(int take, int? parts, bool ends, int strength, int swing, long? from, long? to)
    {
        if (shelf.Open(take, out var open) is not null)
            return NotFound();
        var (shown, was) = (open!.Take, open.Take);
        var tidy = new Tidy(parts ?? 0, ends, strength, swing);
        if (parts is not null && tidy.Check() is null)
            shown = tidy.Apply(open.Take, RangeOf(from, to), out _);
        else if (open.Undo is not null && open.Steps[open.Row.Place - 1] is TidyStep)
            was = open.Before;
        return File(TakePicture.Of(shown, was, desk.State.Studio), "application/octet-stream");
    }

    /// <summary>A take as a file.</summary>
    /// <param name="take">The take.</param>
    /// <param name="kind">mid, tracks, syx or csv.</param>
    public IActionResult OnGetOut(int take, string? kind)
    {
        if (shelf.Open(take, out var open) is { } problem)
            return Answer(take, problem);
        var name = TakeFiles.FileName(open!.Row.Name);
        return kind switch
        {
            "mid" => File(StandardMidiFile.WriteTake(open.Take, open.Row.Name), "audio/midi", $"{name}.mid"),
            "tracks" => File(TakeFiles.WriteTracks(open.Take), "application/zip", $"{name}.zip"),
            "syx" when TakeFiles.WriteSyx(open.Take) is { Length: > 0 } syx => File(syx, "application/octet-stream", $"{name}.syx"),
            "syx" => Answer(take, new Problem("out", "There is no system exclusive in this take: .syx holds nothing else.")),
            "csv" => File(Encoding.UTF8.GetBytes(TakeFiles.WriteCsv(open.Take, desk.State.Studio.KeyNaming)), "text/csv", $"{name}.csv"),
            _ => NotFound(),
        };
    }

    /// <summary>What a lineup would make of a take, in virtual time.</summary>
    /// <param name="take">The take.</param>
    /// <param name="lineup">The lineup; none for the one in force.</param>
    public IActionResult OnGetRehearse(int take, int? lineup)
    {
        if (shelf.Open(take, out var open) is { } problem)
            return Content(problem.Sentence);
        var studio = desk.State.Studio;
        var id = lineup is { } number ? new LineupId(number) : studio.InForce;
        return Partial("_Rehearsed", TakeRehearsal.Of(open!.Row.Name, open.Take, studio.In(id), desk.OwnPort));
    }

    /// <summary>What every lineup would make of every take.</summary>
    public IActionResult OnGetRehearseAll()
    {
        var studio = desk.State.Studio;
        var takes = new List<(string Name, Take Take)>();
        foreach (var row in shelf.All().Where(row => deck.Now?.TakeId != row.Id).Take(50))
        {
            if (shelf.Open(row.Id, out var open) is null)
                takes.Add((row.Name, open!.Take));
        }
        return Partial("_RehearsedAll", TakeRehearsal.All(studio, takes, desk.OwnPort));
    }

    /// <summary>Keeps a part of the reel.</summary>
    /// <param name="from">Where it begins, µs since 1970.</param>
    /// <param name="to">Where it ends.</param>
    /// <param name="seconds">Instead of these: so much before now.</param>
    /// <param name="elsewhere">Whether it is asked for from another page: nothing but a sentence comes back.</param>
    public IActionResult OnPostKeep(long? from, long? to, int? seconds, bool elsewhere)
    {
        TakeRow? kept;
        var problem = (from, to, seconds) switch
        {
            ({ } begin, { } end, null) => shelf.Keep(begin, end, out kept),
            (null, null, { } back and > 0 and <= StudioStore.MostReelMinutes * MostMinute) => shelf.Keep(
                deck.NowOnTape - back * 1_000_000L,
                deck.NowOnTape,
                out kept
            ),
            (null, null, null) => shelf.KeepSinceSilence(out kept),
            _ => Nothing(out kept),
        };
        // From another page the take is there, and is said so.
        if (kept is not null && elsewhere)
            this.Say($"Kept as “{kept.Name}”: {kept.Told}.");
        return elsewhere && Request.WantsFragment() ? Quietly(problem) : Answer(kept?.Id ?? shelf.Chosen, problem);

        static Problem Nothing(out TakeRow? kept)
        {
            kept = null;
            return new Problem("reel", "That is no part of the reel.");
        }
    }

    /// <summary>Begins to record, or stops.</summary>
    /// <param name="ports">From which sources and to which destinations; none for all sources.</param>
    /// <param name="start">Whether everything is started with it.</param>
    /// <param name="stop">Whether it stops: what the button said when it was pressed.</param>
    /// <param name="toggle">Whether it stops if something is recorded, and begins if not.</param>
    /// <param name="elsewhere">Whether it is asked for from another page.</param>
    public IActionResult OnPostRecord(int[]? ports, bool start, bool stop, bool toggle, bool elsewhere)
    {
        Problem? problem;
        if (stop || (toggle && deck.Now is not null))
            problem = shelf.StopRecording();
        else
        {
            problem = shelf.Record([.. (ports ?? []).Select(port => new PortId(port))]);
            if (problem is null && start)
                problem = desk.Work(TimeWork.Start);
        }
        return elsewhere && Request.WantsFragment() ? Quietly(problem) : Answer(shelf.Chosen, problem);
    }

    /// <summary>Brings a file.</summary>
    /// <param name="file">The file.</param>
    /// <param name="take">The take that is chosen.</param>
    public IActionResult OnPostBring(IFormFile? file, int? take)
    {
        if (file is null)
            return Answer(take, new Problem("file", "Choose a file first: a Standard MIDI File, .syx or .csv."));
        if (file.Length > TakeFiles.MaxLength)
            return Answer(
                take,
                new Problem(
                    "file",
                    $"{file.FileName} has {Words.Count(file.Length)} bytes; at most {Words.Count(TakeFiles.MaxLength)} are read."
                )
            );
        using var bytes = new MemoryStream();
        file.CopyTo(bytes);
        var problem = shelf.Bring(file.FileName, bytes.ToArray(), out var brought);
        return Answer(brought?.Id ?? take, problem);
    }

    /// <summary>Brings notes of a part of a take to a grid.</summary>
    /// <param name="take">The take.</param>
    /// <param name="parts">The grid.</param>
    /// <param name="ends">Whether ends are brought there too.</param>
    /// <param name="strength">How far, per cent.</param>
    /// <param name="swing">The swing, per cent.</param>
    /// <param name="from">From where on, µs.</param>
    /// <param name="to">To where, µs.</param>
    public IActionResult OnPostTidy(int take, int parts, bool ends, int strength, int swing, long? from, long? to) =>
        Answer(take, shelf.Do(take, new TidyStep(new Tidy(parts, ends, strength, swing), RangeOf(from, to))));

    /// <summary>Splits a take.</summary>
    /// <param name="take">The take.</param>
    /// <param name="by">By what.</param>
    public IActionResult OnPostSplit(int take, SplitBy by)
    {
        if (shelf.Open(take, out var open) is { } problem)
            return Answer(take, problem);
        if (by == SplitBy.Lineup && open!.Take.Lineups.Length < 2)
            return Answer(take, new Problem("split", "One lineup was in force all the time: there is nothing to split by."));
        var parts = Split.PartsOf(open!.Take, by);
        if (parts.Length > Take.MostTracks)
            return Answer(take, new Problem("split", $"That would be {parts.Length} tracks; a take has at most {Take.MostTracks}."));
        return Answer(
            take,
            shelf.Do(take, new SplitStep(by, [.. parts.Select(part => Split.NameOf(open.Take, by, part, desk.State.Studio))]))
        );
    }

    /// <summary>Leaves only a part of a take.</summary>
    /// <param name="take">The take.</param>
    /// <param name="from">From where on, µs.</param>
    /// <param name="to">To where, µs.</param>
    public IActionResult OnPostCut(int take, long? from, long? to) =>
        Answer(
            take,
            from is null || to is null
                ? new Problem("take", "Choose a part first: drag over the picture, or Shift with the arrow keys.")
                : shelf.Do(take, new CutStep(RangeOf(from, to)))
        );

    /// <summary>Sets a marker.</summary>
    /// <param name="take">The take.</param>
    /// <param name="text">What it says.</param>
    /// <param name="from">Where, µs.</param>
    public IActionResult OnPostMark(int take, string? text, long? from)
    {
        var words = NameRule.Tidy(text);
        return Answer(
            take,
            NameRule.Check(words) is { } wrong
                ? new Problem("mark", wrong)
                : shelf.Do(take, new MarkStep(new MidiSpan(Math.Max(0, from ?? 0)), words))
        );
    }

    /// <summary>Takes back what was done last to a take, or makes it again.</summary>
    /// <param name="take">The take.</param>
    /// <param name="by">−1 or 1.</param>
    public IActionResult OnPostStep(int take, int by) => Answer(take, shelf.Step(take, by < 0 ? -1 : 1));

    /// <summary>Names a take.</summary>
    /// <param name="take">The take.</param>
    /// <param name="name">The name.</param>
    public IActionResult OnPostName(int take, string? name) => Answer(take, shelf.Name(take, name), name);

    /// <summary>Names a track.</summary>
    /// <param name="take">The take.</param>
    /// <param name="track">The track, from 0.</param>
    /// <param name="name">The name.</param>
    public IActionResult OnPostNameTrack(int take, int track, string? name)
    {
        var tidy = NameRule.Tidy(name);
        return Answer(
            take,
            NameRule.Check(tidy) is { } wrong ? new Problem("track", wrong) : shelf.Do(take, new NameTrackStep(track, tidy)),
            name
        );
    }

    /// <summary>Says as which source a track is played.</summary>
    /// <param name="take">The take.</param>
    /// <param name="track">The track, from 0.</param>
    /// <param name="source">The source; 0 for the one it came from, or the take's own port.</param>
    public IActionResult OnPostPlayAs(int take, int track, int source) =>
        Answer(take, shelf.Do(take, new PlayAsStep(track, source == 0 ? null : new PortId(source))));

    /// <summary>Throws a take away, or brings it back.</summary>
    /// <param name="take">The take.</param>
    /// <param name="back">Whether it comes back.</param>
    public IActionResult OnPostThrow(int take, bool back)
    {
        var problem = shelf.Throw(take, !back);
        if (!back && problem is null)
            shelf.Chosen = null;
        return Answer(back ? take : null, problem);
    }

    /// <summary>Plays a take, or stops it if it is played.</summary>
    /// <param name="take">The take.</param>
    /// <param name="from">From where on, µs.</param>
    /// <param name="to">To where it goes if it loops, µs.</param>
    /// <param name="loop">Whether the chosen part is played again and again.</param>
    /// <param name="inStep">Whether it goes with the clock.</param>
    /// <param name="source">As which source all of it is played; 0 for where it came, below 0 for the take's own port.</param>
    /// <param name="speed">How fast, per cent.</param>
    public IActionResult OnPostPlay(int take, long? from, long? to, bool loop, bool inStep, int source, int speed = 100)
    {
        var range = RangeOf(from, to);
        if (source < 0 && desk.OwnPort is null && desk.Apply(new AddVirtualPort(StudioDesk.OwnPortName)).Problem is { } problem)
            return Answer(take, problem);
        var whole = to is null || range.To <= range.From;
        return Answer(
            take,
            shelf.Play(
                take,
                new PlayHow(
                    range.From,
                    loop ? new TakeRange(whole ? MidiSpan.Zero : range.From, whole ? LengthOf(take) : range.To) : null,
                    inStep,
                    speed,
                    source > 0 ? new PortId(source) : null,
                    AsOwn: source != 0
                )
            )
        );
    }

    /// <summary>Stops what is played.</summary>
    /// <param name="take">The take that is chosen.</param>
    public IActionResult OnPostStop(int? take)
    {
        desk.Junction.StopTake();
        return Answer(take, null);
    }

    /// <summary>Sets how far the reel goes back.</summary>
    /// <param name="minutes">Minutes; 0 for off.</param>
    /// <param name="take">The take that is chosen.</param>
    public IActionResult OnPostReel(int minutes, int? take) => Try(take, () =>
        {
            if (minutes is < 0 or > StudioStore.MostReelMinutes)
                return new Problem("reel", "The reel goes back a day at most.");
            deck.SetMinutes(minutes);
            return null;
        });

    /// <summary>Forgets what is on the reel.</summary>
    /// <param name="take">The take that is chosen.</param>
    public IActionResult OnPostForget(int? take) => Try(take, () =>
        {
            deck.ForgetReel();
            return null;
        });

    private MidiSpan LengthOf(int take) => shelf.Open(take, out var open) is null ? open!.Take.Length : MidiSpan.Zero;

    private static TakeRange RangeOf(long? from, long? to) => new(new MidiSpan(Math.Max(0, from ?? 0)), new MidiSpan(to ?? long.MaxValue));

    private IActionResult Try(int? take, Func<Problem?> what)
    {
        Problem? problem;
        try
        {
            problem = what();
            desk.Touch();
        }
        catch (StoreException exception)
        {
            problem = new Problem("reel", exception.Message);
        }
        return Answer(take, problem);
    }

    private NoContentResult Quietly(Problem? problem)
    {
        if (problem is not null)
            this.Say(problem.Sentence);
        return new NoContentResult();
    }

    private IActionResult Answer(int? take, Problem? problem, string? typed = null)
    {
        Look(take, problem, problem is null ? null : typed);
        return this.Answer(problem, Fragment, View, View.Address);
    }

    private void Look(int? take, Problem? problem, string? typed = null)
    {
        ReelSketch? reel = null;
        IReadOnlyList<TakeRow> takes = [];
        TakeRow? gone = null;
        OpenTake? open = null;
        // Before the reel is read: what is written meanwhile is told once more, not left out.
        var written = deck.Written;
        try
        {
            (reel, takes) = (shelf.Reel(), shelf.All(out gone));
            var chosen = takes.FirstOrDefault(row => row.Id == take) ?? (takes.Count > 0 ? takes[0] : null);
            if (chosen is not null && shelf.Open(chosen.Id, out open) is { } unread)
                problem ??= unread;
            if (open is not null)
                shelf.Chosen = open.Row.Id;
        }
        catch (StoreException exception)
        {
            problem ??= new Problem("take", exception.Message);
        }
        if (problem is null && deck.Fault is { } fault)
            problem = new Problem("reel", $"Nothing is written down at the moment: {fault}");
        View = new TakesView(desk.State, reel, deck.Minutes, deck.NowOnTape, takes, open, deck.Now, desk.Junction.Played, shelf.Playing)
        {
            Written = written,
            Problem = problem,
            Typed = typed,
            LastGone = gone,
            Own = desk.OwnPort,
            HasMaster = desk.Junction.Time.Master is not null,
        };
    }
}
