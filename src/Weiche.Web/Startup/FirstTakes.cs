using Weiche.Core.Midi;
using Weiche.Core.Studios;
using Weiche.Data;
using Weiche.Files;
using Weiche.Web.Live;

namespace Weiche.Web.Startup;

/// <summary>Puts what was played in the demo studio into a new database, so that Takes has something to show.</summary>
internal static class FirstTakes
{
    private static readonly MidiSpan Ago = MidiSpan.Second * 3_600;

    /// <summary>Adds takes and a reel.</summary>
    /// <param name="store">The database.</param>
    /// <param name="studioId">The studio.</param>
    /// <param name="studio">The same.</param>
    /// <param name="now">Now, UTC.</param>
    internal static void Add(StudioStore store, int studioId, Studio studio, DateTime now)
    {
        var time = new MidiTime(TapeDeck.OnTape(now));
        foreach (var stretch in DemoTakes.Takes(studio, time - Ago).Reverse())
        {
            var pages = RowsOf(stretch, studioId);
            var take = new TakeRow
            {
                StudioId = studioId,
                Name = stretch.Name,
                At = now,
                Begin = stretch.Begin.Microseconds,
                End = stretch.End.Microseconds,
                Steps = "[]",
                Told = "",
            };
            take.Told = TakeShelf.Told(TakeShelf.Read(take, pages));
            store.AddTake(take, pages);
        }
        foreach (var stretch in DemoTakes.Reel(studio, time))
            store.WritePages(RowsOf(stretch, studioId));
    }

    private static List<PageRow> RowsOf(DemoTakes.Stretch stretch, int studioId) =>
        [
            .. stretch.Pages.Select(page =>
                new PageRow
                {
                    StudioId = studioId,
                    Ports = "",
                    Data = [],
                }.Fill(page)
            ),
        ];
}
