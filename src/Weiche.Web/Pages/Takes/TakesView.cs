using System.Globalization;
using Weiche.Core.Live;
using Weiche.Core.Midi;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;
using Weiche.Data;
using Weiche.Web.Desk;
using Weiche.Web.Live;

namespace Weiche.Web.Pages.Takes;

/// <summary>What the page Takes shows.</summary>
/// <param name="State">The studio.</param>
/// <param name="Reel">What is on the reel; null if it cannot be read.</param>
/// <param name="Minutes">How far the reel goes back; 0 if it is off.</param>
/// <param name="Now">Now, as tapes count.</param>
/// <param name="Takes">The takes, the newest first.</param>
/// <param name="Open">The chosen take, or null.</param>
/// <param name="Recording">What is recorded, or null.</param>
/// <param name="Played">What is played back.</param>
/// <param name="Playing">Which take that is.</param>
public sealed record TakesView(
    DeskState State,
    ReelSketch? Reel,
    int Minutes,
    long Now,
    IReadOnlyList<TakeRow> Takes,
    OpenTake? Open,
    RecordingNow? Recording,
    PlayedNow Played,
    int? Playing
)
{
    /// <summary>Across how many units the reel's picture is drawn.</summary>
    public const double ReelWidth = 1200;

    /// <summary>How high it is.</summary>
    public const double ReelHeight = 52;

    /// <summary>How often something had been written on the reel when it was looked at.</summary>
    public long Written { get; init; }

    /// <summary>What could not be done; null if nothing.</summary>
    public Problem? Problem { get; init; }

    /// <summary>What was typed for it.</summary>
    public string? Typed { get; init; }

    /// <summary>What was thrown away last, or null.</summary>
    public TakeRow? LastGone { get; init; }

    /// <summary>The source that takes are played from which came from none; null if there is none yet.</summary>
    public PortId? Own { get; init; }

    /// <summary>Whether anybody keeps the time.</summary>
    public bool HasMaster { get; init; }

    /// <summary>The page.</summary>
    public string Address => Open is { } open ? $"/takes?take={open.Row.Id}" : "/takes";

    /// <summary>Whether the chosen take is being recorded.</summary>
    public bool IsRecorded => Open is { } open && Recording?.TakeId == open.Row.Id;

    /// <summary>How many µs the reel's picture shows.</summary>
    public long ReelSpan => Math.Max(1, Minutes) * 60_000_000L;

    /// <summary>The sources that are on the reel, those that came most first.</summary>
    public IReadOnlyList<PortId> ReelPorts =>
        [
            .. (Reel?.Bars ?? [])
                .SelectMany(bar => bar.Counts)
                .GroupBy(count => count.Port)
                .OrderByDescending(group => group.Sum(count => count.Count))
                .Select(group => group.Key),
        ];

    /// <summary>What was played since the last silence, in words: "4:58 · Amsel 61, Fächer".</summary>
    public string SinceWords
    {
        get
        {
            if (Reel is not { Since: { } since, Last: { } last })
                return "";
            var names = Reel
                .Bars.Where(bar => bar.Begin + TakeShelf.BarTime > since)
                .SelectMany(bar => bar.Counts)
                .GroupBy(count => count.Port)
                .OrderByDescending(group => group.Sum(count => count.Count))
                .Select(group => NameOf(group.Key))
                .ToList();
            return $"{TakeShelf.LengthOf(new MidiSpan(last - since))} · "
                + $"{(names.Count <= 2 ? string.Join(", ", names) : $"{names.Count} sources")}";
        }
    }

    /// <summary>The colour of a source, the same on the reel and in takes: one of six.</summary>
    public int StripOf(PortId port) => StripOf(State.Studio, port);

    /// <summary>The colour of a source: one of six.</summary>
    internal static int StripOf(Studio studio, PortId port) =>
        Math.Max(
            0,
            studio
                .Sources.Where(source => !source.IsLoose)
                .OrderBy(source => source.IsBehind)
                .Select(source => source.Id)
                .ToList()
                .IndexOf(port)
        ) % 6;

    /// <summary>The name of a port, as it is now.</summary>
    public string NameOf(PortId port) => State.Studio.FindPort(port)?.Name ?? "a port that is gone";

    /// <summary>The bars of the reel's picture: where each part of one is, and the colour of its source.</summary>
    public IEnumerable<(double X, double Y, double Width, double Height, int Place)> ReelBars()
    {
        if (Reel is null || Reel.Bars.Count == 0)
            yield break;
        var ports = ReelPorts;
        var most = Reel.Bars.Max(bar => bar.Counts.Sum(count => count.Count));
        foreach (var bar in Reel.Bars)
        {
            var x = ReelX(bar.Begin);
            var width = ReelWidth * TakeShelf.BarTime / ReelSpan;
            if (x + width < 0)
                continue;
            var y = ReelHeight;
            foreach (var (port, count) in bar.Counts.OrderBy(count => ports.Index().First(each => each.Item == count.Port).Index))
            {
                // Few beside very many are to be seen as well.
                var height =
                    Math.Sqrt(bar.Counts.Sum(each => each.Count) / (double)most)
                    * (ReelHeight - 4)
                    * count
                    / bar.Counts.Sum(each => each.Count);
                y -= height;
                yield return (x, y, Math.Max(1, width - 1), height, StripOf(port));
            }
        }
    }

    /// <summary>Where a moment is in the reel's picture.</summary>
    /// <param name="at">µs since 1970.</param>
    public double ReelX(long at) => ReelWidth * (1 - (Now - at) / (double)ReelSpan);

    /// <summary>A number as attributes want it.</summary>
    public static string Number(double value) => value.ToString("0.##", CultureInfo.InvariantCulture);
}
