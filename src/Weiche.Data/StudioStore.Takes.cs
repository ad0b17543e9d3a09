using Microsoft.EntityFrameworkCore;

namespace Weiche.Data;

/// <summary>A page of a tape without its bytes.</summary>
/// <param name="Id">Its key.</param>
/// <param name="Begin">When it begins, µs since 1970, UTC.</param>
/// <param name="End">When the last thing on it was.</param>
/// <param name="Count">How many messages are on it.</param>
/// <param name="Ports">How many messages came from which port: "12:40,15:3".</param>
/// <param name="Length">How many bytes it has.</param>
public sealed record PageHead(int Id, long Begin, long End, int Count, string Ports, int Length)
{
    /// <summary>How many messages came from which port.</summary>
    public IEnumerable<(Weiche.Core.Studios.PortId Port, int Count)> Counts => PageRow.CountsOf(Ports);
}

/// <content>Takes and the reel: pages of tapes, each written while it is played.</content>
public sealed partial class StudioStore
{
    /// <summary>The most minutes that the reel goes back.</summary>
    public const int MostReelMinutes = 24 * 60;

    /// <summary>The most bytes that the reel of a studio has.</summary>
    public const long MostReelBytes = 128L << 20;

    /// <summary>How many takes that were thrown away can be brought back.</summary>
    public const int MostGone = 10;

    private const int PieceLength = 1 << 20;

    /// <summary>How far the reel of a studio goes back, in minutes; 0 if it is off.</summary>
    /// <param name="studioId">The studio's key.</param>
    public int ReelMinutes(int studioId) =>
        Explained(context => context.Studios.Where(row => row.Id == studioId).Select(row => row.ReelMinutes).FirstOrDefault());

    /// <summary>Sets how far the reel of a studio goes back.</summary>
    /// <param name="studioId">The studio's key.</param>
    /// <param name="minutes">Minutes; 0 for none at all.</param>
    /// <exception cref="StoreException">It could not be written; nothing was changed.</exception>
    public void SetReelMinutes(int studioId, int minutes) =>
        Written(context =>
            context.Studios.Where(row => row.Id == studioId).ExecuteUpdate(set => set.SetProperty(row => row.ReelMinutes, minutes))
        );

    /// <summary>The version that the sheet for the wall was last printed from, and when, UTC; null if it never was.</summary>
    /// <param name="studioId">The studio's key.</param>
    public (int Version, DateTime At)? SheetOf(int studioId) =>
        Explained(context =>
            context.Studios.AsNoTracking().FirstOrDefault(row => row.Id == studioId) is { SheetVersion: { } version, SheetAt: { } at }
                ? ((int, DateTime)?)(version, at)
                : null
        );

    /// <summary>Writes down that the sheet for the wall was printed from the version in force.</summary>
    /// <param name="studioId">The studio's key.</param>
    /// <param name="at">When, UTC.</param>
    /// <exception cref="StoreException">It could not be written; nothing was changed.</exception>
    public void SheetPrinted(int studioId, DateTime at) =>
        Written(context =>
            context
                .Studios.Where(row => row.Id == studioId)
                .ExecuteUpdate(set =>
                    set.SetProperty(row => row.SheetVersion, row => row.CurrentVersion).SetProperty(row => row.SheetAt, at)
                )
        );

    /// <summary>Writes pages down, or writes on in those that are there. A process that is killed afterwards has lost nothing of
    /// them.</summary>
    /// <param name="pages">The pages; new ones get their keys.</param>
    /// <exception cref="StoreException">They could not be written; what was there before is as it was.</exception>
    public void WritePages(IReadOnlyList<PageRow> pages) =>
        Explained(context =>
        {
            context.Database.OpenConnection();
            // What the process has handed over survives it; only when the power fails may the last moment be gone. The disk is spared.
            context.Database.ExecuteSqlRaw("PRAGMA synchronous=NORMAL");
            using var transaction = context.Database.BeginTransaction();
            foreach (var page in pages)
            {
                if (page.Id == 0)
                    context.Pages.Add(page);
                else
                    context.Pages.Update(page);
            }
            // A page has its key only when it is there: the disk may be full at the very end.
            context.SaveChanges(acceptAllChangesOnSuccess: false);
            transaction.Commit();
            context.ChangeTracker.AcceptAllChanges();
            return pages.Count;
        });

    /// <summary>The pages of the reel or of a take, without their bytes, in their order.</summary>
    /// <param name="studioId">The studio's key.</param>
    /// <param name="takeId">The take; null for the reel.</param>
    public IReadOnlyList<PageHead> PageHeads(int studioId, int? takeId) =>
        Explained(context =>
            context
                .Pages.AsNoTracking()
                .Where(row => row.StudioId == studioId && row.TakeId == takeId)
                .OrderBy(row => row.Id)
                .Select(row => new PageHead(row.Id, row.Begin, row.End, row.Count, row.Ports, row.Data.Length))
                .ToList()
        );

    /// <summary>The pages of the reel or of a take that something between two moments may be on, in their order.</summary>
    /// <param name="studioId">The studio's key.</param>
    /// <param name="takeId">The take; null for the reel.</param>
    /// <param name="from">µs since 1970.</param>
    /// <param name="to">µs since 1970.</param>
    public IReadOnlyList<PageRow> Pages(int studioId, int? takeId, long from = long.MinValue, long to = long.MaxValue) =>
        Explained(context =>
            context
                .Pages.AsNoTracking()
                .Where(row => row.StudioId == studioId && row.TakeId == takeId && row.End >= from && row.Begin <= to)
                .OrderBy(row => row.Id)
                .ToList()
        );

    /// <summary>Lets the oldest pages of the reel fall off.</summary>
    /// <param name="studioId">The studio's key.</param>
    /// <param name="before">Those that ended before this moment, µs since 1970.</param>
    /// <exception cref="StoreException">It could not be written; nothing was changed.</exception>
    public int TrimReel(int studioId, long before) =>
        Explained(context =>
        {
            var gone = context.Pages.Where(row => row.StudioId == studioId && row.TakeId == null && row.End < before).ExecuteDelete();
            var total = context.Pages.Where(row => row.StudioId == studioId && row.TakeId == null).Sum(row => (long)row.Data.Length);
            if (total <= MostReelBytes)
                return gone;
            foreach (
                var page in context
                    .Pages.AsNoTracking()
                    .Where(row => row.StudioId == studioId && row.TakeId == null)
                    .OrderBy(row => row.Id)
                    .Select(row => new { row.Id, row.Data.Length })
                    .ToList()
            )
            {
                if (total <= MostReelBytes)
                    break;
                total -= page.Length;
                gone += context.Pages.Where(row => row.Id == page.Id).ExecuteDelete();
            }
            return gone;
        });

    /// <summary>The takes of a studio, the newest first.</summary>
    /// <param name="studioId">The studio's key.</param>
    public IReadOnlyList<TakeRow> Takes(int studioId) =>
        Explained(context => context.Takes.AsNoTracking().Where(row => row.StudioId == studioId).OrderByDescending(row => row.Id).ToList());

    /// <summary>A take, or null.</summary>
    /// <param name="id">Its key.</param>
    public TakeRow? FindTake(int id) => Explained(context => context.Takes.AsNoTracking().FirstOrDefault(row => row.Id == id));

    /// <summary>Adds a take, with pages that are its own from now on.</summary>
    /// <param name="take">The take; it gets its key.</param>
    /// <param name="pages">Its pages; copies of those of the reel, or none yet.</param>
    /// <exception cref="StoreException">It could not be written; nothing was changed.</exception>
    public TakeRow AddTake(TakeRow take, IReadOnlyList<PageRow> pages) =>
        Written(context =>
        {
            context.Takes.Add(take);
            context.SaveChanges();
            foreach (var page in pages)
                context.Pages.Add(
                    new PageRow
                    {
                        StudioId = take.StudioId,
                        TakeId = take.Id,
                        Begin = page.Begin,
                        End = page.End,
                        Count = page.Count,
                        Ports = page.Ports,
                        Data = page.Data,
                    }
                );
            context.SaveChanges();
            return take;
        });

    /// <summary>Adds a take that comes from a file.</summary>
    /// <param name="take">The take; it gets its key.</param>
    /// <param name="file">The file's bytes.</param>
    /// <exception cref="StoreException">It could not be written; nothing was changed.</exception>
    public TakeRow AddTake(TakeRow take, byte[] file) =>
        AddTake(
            take,
            [
                .. file.Chunk(PieceLength)
                    .Select(
                        (piece, index) =>
                            new PageRow
                            {
                                StudioId = take.StudioId,
                                Begin = index,
                                End = index,
                                Ports = "",
                                Data = piece,
                            }
                    ),
            ]
        );

    /// <summary>Writes down how a take is now: its name, its end, its steps, what is told of it, whether it is gone.</summary>
    /// <param name="take">The take.</param>
    /// <exception cref="StoreException">It could not be written; nothing was changed.</exception>
    public void SetTake(TakeRow take) =>
        Written(context =>
        {
            context.Takes.Update(take);
            context.SaveChanges();
            // Of those that were thrown away the last ones can be brought back.
            var old = context
                .Takes.Where(row => row.StudioId == take.StudioId && row.IsGone)
                .OrderByDescending(row => row.Id)
                .Skip(MostGone)
                .Select(row => row.Id)
                .ToList();
            if (take.IsGone && old.Count > 0)
                context.Takes.Where(row => old.Contains(row.Id)).ExecuteDelete();
            return 0;
        });
}
