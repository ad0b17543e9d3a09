using Microsoft.EntityFrameworkCore;

namespace Weiche.Data;

/// <content>The versions of a studio: what is written of each, and how it is put together again.</content>
public sealed partial class StudioStore
{
    /// <summary>How many differences are put together at most, as long as each is small.</summary>
    private const int MostDifferences = 400;

    // The document that was read or written last: the next edit is most often made on it.
    private volatile KnownDocument? _newest;

    // The last version that was looked at to be written shorter.
    private (int Studio, int Version) _shrunk;

    /// <summary>Adds the version that an edit made, and puts it in force. On return it is on the disk.</summary>
    /// <param name="studioId">The studio's key.</param>
    /// <param name="edit">The edit in words.</param>
    /// <param name="document">The studio after it, as JSON.</param>
    /// <param name="at">When, UTC.</param>
    /// <param name="name">The studio's name from now on; null if it stays.</param>
    /// <param name="nextId">A number above every id in use; 0 if it stays.</param>
    /// <returns>The number of the new version.</returns>
    /// <exception cref="StoreException">It could not be written; nothing was changed.</exception>
    public int Append(int studioId, string edit, string document, DateTime at, string? name = null, int nextId = 0) =>
        Written(context =>
        {
            var studio = context.Studios.Single(row => row.Id == studioId);
            if (name is not null)
                studio.Name = name;
            studio.NextId = Math.Max(studio.NextId, nextId);
            var parent = studio.CurrentVersion;
            // After an undo the newest version is not the one in force: no number is given twice.
            studio.CurrentVersion = context.Versions.Where(row => row.StudioId == studioId).Max(row => row.Version) + 1;
            var (stored, onto, weight) = Difference(context, studioId, parent, document);
            context.Versions.Add(
                new VersionRow
                {
                    StudioId = studioId,
                    Version = studio.CurrentVersion,
                    Parent = parent,
                    Edit = edit,
                    At = at,
                    Document = stored,
                    Base = onto,
                    Weight = weight,
                }
            );
            context.SaveChanges();
            SetNext(context, studioId, parent, studio.CurrentVersion);
            _newest = new KnownDocument(studioId, studio.CurrentVersion, document);
            return studio.CurrentVersion;
        });

    /// <summary>Where a studio stands in its history.</summary>
    /// <param name="studioId">The studio's key.</param>
    /// <exception cref="StoreException">The database cannot be read.</exception>
    public HistoryPlace Place(int studioId) =>
        Explained(context =>
        {
            var current = context.Studios.Where(row => row.Id == studioId).Select(row => row.CurrentVersion).Single();
            var here = Slim(context, studioId, current)!;
            var next = here.Next is { } number ? Slim(context, studioId, number) : null;
            return new HistoryPlace(
                current,
                here.Parent is { } parent ? (parent, here.Edit) : null,
                next is null ? null : (next.Version, next.Edit)
            );
        });

    /// <summary>The versions of a studio, the newest first.</summary>
    /// <param name="studioId">The studio's key.</param>
    /// <param name="before">Only versions below this number; null for all.</param>
    /// <param name="count">At most how many.</param>
    /// <exception cref="StoreException">The database cannot be read.</exception>
    public IReadOnlyList<StoredVersion> History(int studioId, int? before, int count) =>
        Explained(context =>
            Slim(
                    context
                        .Versions.Where(row => row.StudioId == studioId && (before == null || row.Version < before))
                        .OrderByDescending(row => row.Version)
                        .Take(count)
                )
                .ToList()
        );

    /// <summary>A version of a studio as it was written, or null if there is none of that number.</summary>
    /// <param name="studioId">The studio's key.</param>
    /// <param name="version">Its number.</param>
    /// <exception cref="StoreException">The database cannot be read.</exception>
    public string? Document(int studioId, int version) => Explained(context => DocumentOf(context, studioId, version));

    /// <summary>Puts another version of a studio in force. No version is lost by that. On return it is on the disk.</summary>
    /// <param name="studioId">The studio's key.</param>
    /// <param name="version">The number of a version that is there.</param>
    /// <param name="name">The studio's name from now on.</param>
    /// <exception cref="StoreException">It could not be written; nothing was changed.</exception>
    public void GoTo(int studioId, int version, string name) =>
        Written(context =>
        {
            context
                .Studios.Where(row => row.Id == studioId)
                .ExecuteUpdate(set => set.SetProperty(row => row.CurrentVersion, version).SetProperty(row => row.Name, name));
            // Redo leads back here from all that came before.
            var known = context
                .Versions.AsNoTracking()
                .Where(row => row.StudioId == studioId)
                .Select(row => new
                {
                    row.Version,
                    row.Parent,
                    row.Next,
                })
                .ToDictionary(row => row.Version);
            for (var at = version; known[at].Parent is { } parent; at = parent)
            {
                if (known[parent].Next != at)
                    SetNext(context, studioId, parent, at);
            }
            return 0;
        });

    private static IQueryable<StoredVersion> Slim(IQueryable<VersionRow> rows) =>
        rows.AsNoTracking().Select(row => new StoredVersion(row.Version, row.Parent, row.Next, row.Edit, row.At));

    private static StoredVersion? Slim(WeicheContext context, int studioId, int version) =>
        Slim(context.Versions.Where(row => row.StudioId == studioId && row.Version == version)).SingleOrDefault();

    private static void SetNext(WeicheContext context, int studioId, int version, int next) =>
        context
            .Versions.Where(row => row.StudioId == studioId && row.Version == version)
            .ExecuteUpdate(set => set.SetProperty(row => row.Next, next));

    /// <summary>A version as it was written: itself, or made of the whole version below it and the differences since.</summary>
    private string? DocumentOf(WeicheContext context, int studioId, int version)
    {
        if (_newest is { } newest && newest.StudioId == studioId && newest.Version == version)
            return newest.Document;
        var chain = context
            .Versions.FromSql(
                $"""
                WITH RECURSIVE chain AS (
                  SELECT * FROM Versions WHERE StudioId = {studioId} AND Version = {version}
                  UNION ALL
                  SELECT below.* FROM Versions AS below
                  JOIN chain ON below.StudioId = chain.StudioId AND below.Version = chain.Base AND below.Version < chain.Version)
                SELECT * FROM chain
                """
            )
            .AsNoTracking()
            .AsEnumerable()
            .OrderBy(row => row.Version)
            .ToList();
        if (chain.Count == 0)
            return null;
        try
        {
            if (chain[0].Base is { } missing)
                throw new FormatException($"version {missing} is missing");
            var document = LineChanges.Apply(chain[0].Document, chain.Skip(1).Select(row => row.Document));
            _newest = new KnownDocument(studioId, version, document);
            return document;
        }
        catch (FormatException exception)
        {
            throw new StoreException(
                $"The version {version} of a studio in {DatabaseFile} cannot be put together: {exception.Message}. Nothing was changed.",
                exception
            );
        }
    }

    /// <summary>What is written of a version: what differs from the one it was made on; the whole document where that is shorter, or where
    /// putting it together would take long.</summary>
    private (string Stored, int? Base, int Weight) Difference(WeicheContext context, int studioId, int parent, string document)
    {
        var changes = LineChanges.Between(DocumentOf(context, studioId, parent)!, document);
        var weight =
            context.Versions.Where(row => row.StudioId == studioId && row.Version == parent).Select(row => row.Weight).Single()
            + Math.Max(changes.Length, document.Length / MostDifferences);
        return weight > document.Length ? (document, null, 0) : (changes, parent, weight);
    }

    /// <summary>Whether a database was written before versions stood as differences, so that most of its versions stand whole.</summary>
    /// <exception cref="StoreException">The database cannot be read.</exception>
    public bool IsRoomy =>
        Explained(context => context.Versions.Count(row => row.Base == null && row.Parent != null) * 4 > context.Versions.Count());

    /// <summary>Writes some versions that stand whole as what differs from the one they were made on. What each of them says stays the
    /// same, and what is not done yet is done the next time.</summary>
    /// <param name="most">At most how many.</param>
    /// <returns>Whether there are more to look at.</returns>
    /// <exception cref="StoreException">It could not be written; nothing was changed.</exception>
    public bool Shrink(int most) =>
        Explained(context =>
        {
            var (studio, after) = _shrunk;
            var rows = context
                .Versions.Where(row =>
                    row.Base == null && row.Parent != null && (row.StudioId > studio || (row.StudioId == studio && row.Version > after))
                )
                .OrderBy(row => row.StudioId)
                .ThenBy(row => row.Version)
                .Take(most)
                .ToList();
            if (rows.Count == 0)
            {
                // What became free is given back.
                context.Database.ExecuteSql($"VACUUM");
                return false;
            }
            using var transaction = context.Database.BeginTransaction();
            foreach (var row in rows)
            {
                var parent = DocumentOf(context, row.StudioId, row.Parent!.Value);
                _shrunk = (row.StudioId, row.Version);
                if (parent is null)
                    continue;
                var (stored, onto, weight) = Difference(context, row.StudioId, row.Parent.Value, row.Document);
                if (onto is null || LineChanges.Apply(parent, [stored]) != row.Document)
                    continue;
                (row.Document, row.Base, row.Weight) = (stored, onto, weight);
                context.SaveChanges();
                context.Database.ExecuteSql(
                    $"""
                    WITH RECURSIVE later AS (
                      SELECT StudioId, Version FROM Versions WHERE StudioId = {row.StudioId} AND Base = {row.Version}
                      UNION
                      SELECT next.StudioId, next.Version FROM Versions AS next
                      JOIN later ON next.StudioId = later.StudioId AND next.Base = later.Version)
                    UPDATE Versions SET Weight = Weight + {weight} WHERE (StudioId, Version) IN (SELECT StudioId, Version FROM later)
                    """
                );
            }
            transaction.Commit();
            return true;
        });

    private sealed record KnownDocument(int StudioId, int Version, string Document);
}
