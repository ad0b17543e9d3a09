using System.Globalization;
using System.Text;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Weiche.Core.Live;
using Weiche.Core.Studios;
using Weiche.Files;
using Weiche.Web.Desk;
using Weiche.Web.Live;

namespace Weiche.Web.Pages.Watch;

/// <summary>What Watch shows beside the lines.</summary>
/// <param name="State">The studio.</param>
/// <param name="Figures">The plan in force, with its figures.</param>
/// <param name="Lines">The newest lines, the newest first.</param>
/// <param name="Newest">The number of the newest message, shown or not.</param>
/// <param name="LeftOut">How many records came too fast to be kept.</param>
/// <param name="Filter">Which lines are asked for.</param>
/// <param name="ListsBackground">Whether clock and active sensing become lines.</param>
public sealed record WatchView(
    DeskState State,
    CompiledStudio Figures,
    IReadOnlyList<WatchLine> Lines,
    long Newest,
    long LeftOut,
    WatchFilter Filter,
    bool ListsBackground
)
{
    /// <summary>The loads of the wires.</summary>
    public required LoadMeter Load { get; init; }

    /// <summary>How much clock and active sensing came from all sources.</summary>
    public long Background => State.Studio.Sources.Sum(port => Figures.Meter(port.Id)?.Background ?? 0);

    /// <summary>The port that is followed, or null.</summary>
    public DevicePort? Followed => Filter.Follow is { } port ? State.Studio.FindPort(port) : null;

    /// <summary>The page's address with its filter.</summary>
    public string Address => Query("/watch");

    /// <summary>The filter behind an address.</summary>
    /// <param name="path">The path.</param>
    public string Query(string path)
    {
        var parts = new List<string>();
        if (Filter.Follow is { } port)
            parts.Add($"follow={port}");
        if (Filter.Find.Length > 0)
            parts.Add($"q={Uri.EscapeDataString(Filter.Find)}");
        return parts.Count == 0 ? path : $"{path}{(path.Contains('?', StringComparison.Ordinal) ? '&' : '?')}{string.Join('&', parts)}";
    }
}

/// <summary>Watch: one line for each message that came, with what became of it.</summary>
/// <param name="desk">The running studio.</param>
/// <param name="watch">The lines.</param>
/// <param name="load">The loads of the wires.</param>
public sealed class WatchModel(StudioDesk desk, WatchLog watch, LoadMeter load) : PageModel
{
    private const int FirstLines = 100;
    private const int MoreLines = 16;
    private const int LongestFind = 100;

    /// <summary>What is shown.</summary>
    public WatchView View { get; private set; } = null!;

    /// <summary>The page.</summary>
    /// <param name="follow">Only what comes from this source or is meant for this destination.</param>
    /// <param name="q">Only lines in which these words stand.</param>
    public IActionResult OnGet(int? follow, string? q)
    {
        Look(Filter(follow, q));
        return this.Show("_Watch", View);
    }

    /// <summary>The lines that came since.</summary>
    /// <param name="after">The number of the newest message that is known already.</param>
    /// <param name="follow">Only what comes from this source or is meant for this destination.</param>
    /// <param name="q">Only lines in which these words stand.</param>
    public IActionResult OnGetLines(long after, int? follow, string? q)
    {
        var filter = Filter(follow, q);
        var newest = watch.Newest;
        var lines = watch.Lines(after, MoreLines, filter);
        // What a filter leaves out is not missed; what came too fast to be listed is said.
        var skipped = filter.IsEverything && lines.Count > 0 ? Math.Max(0, lines[^1].Number - after - 1) : 0;
        Response.Headers["X-Weiche-Skipped"] = skipped.ToString(CultureInfo.InvariantCulture);
        Response.Headers["X-Weiche-Newest"] = Math.Max(newest, lines.Count > 0 ? lines[0].Number : 0)
            .ToString(CultureInfo.InvariantCulture);
        return Partial("_WatchLines", lines);
    }

    /// <summary>What is kept, as a table for a spreadsheet.</summary>
    /// <param name="follow">Only what comes from this source or is meant for this destination.</param>
    /// <param name="q">Only lines in which these words stand.</param>
    public IActionResult OnGetCsv(int? follow, string? q)
    {
        var rows = watch
            .Lines(0, WatchLog.Capacity, Filter(follow, q))
            .Reverse()
            .SelectMany(line =>
                line.Ends.Select(end => new WatchCsvRow(
                    line.Time.ToString("HH:mm:ss.fff", CultureInfo.InvariantCulture),
                    line.From,
                    line.Words,
                    line.Bytes,
                    end.Destination,
                    end.Arrived ? "yes" : "no",
                    end.Words
                ))
            );
        return File(Encoding.UTF8.GetBytes(WatchCsv.Write(rows)), "text/csv", "watch.csv");
    }

    /// <summary>Lists clock and active sensing too, or counts them alone again.</summary>
    /// <param name="on">Whether they are listed.</param>
    /// <param name="follow">The filter, kept.</param>
    /// <param name="q">The filter, kept.</param>
    public IActionResult OnPostBackground(bool on, int? follow, string? q)
    {
        watch.ListsBackground = on;
        Look(Filter(follow, q));
        return this.Answer(null, "_Watch", View, View.Address);
    }

    private void Look(WatchFilter filter) =>
        View = new WatchView(
            desk.State,
            desk.Junction.Compiled,
            watch.Lines(0, FirstLines, filter),
            watch.Newest,
            watch.LeftOut,
            filter,
            watch.ListsBackground
        )
        {
            Load = load,
        };

    private static WatchFilter Filter(int? follow, string? q) =>
        new(
            follow is > 0 and var port ? new PortId(port) : null,
            (q ?? "").Trim() is var words && words.Length > LongestFind ? words[..LongestFind] : words
        );
}
