using Microsoft.Data.Sqlite;
using Microsoft.EntityFrameworkCore;

namespace Weiche.Data;

/// <summary>The data folder or the database in it cannot be used. The message says which file, why, and what to do.</summary>
/// <param name="message">For a person, one line.</param>
/// <param name="inner">What found it, or null.</param>
public sealed class StoreException(string message, Exception? inner = null) : Exception(message, inner);

/// <summary>A studio as it was read from the database.</summary>
/// <param name="Id">The studio's key.</param>
/// <param name="Name">Its name.</param>
/// <param name="Version">The number of the version in force.</param>
/// <param name="Document">That version, in the product's own JSON.</param>
/// <param name="NextId">A number above every id that any of its versions uses; 0 where that is not known yet.</param>
public sealed record StoredStudio(int Id, string Name, int Version, string Document, int NextId = 0);

/// <summary>A version of a studio, without its document.</summary>
/// <param name="Version">Its number; counts up with each edit of the studio.</param>
/// <param name="Parent">The version that the edit was made on; null for the first.</param>
/// <param name="Next">Where redo leads from here; null if nowhere.</param>
/// <param name="Edit">The edit in words.</param>
/// <param name="At">When it was made, UTC.</param>
public sealed record StoredVersion(int Version, int? Parent, int? Next, string Edit, DateTime At);

/// <summary>Where a studio stands in its history.</summary>
/// <param name="Version">The version in force.</param>
/// <param name="Undo">What undo would take back: the version it leads to and the edit in words; null if there is nothing.</param>
/// <param name="Redo">What redo would make again; null if there is nothing.</param>
public sealed record HistoryPlace(int Version, (int Version, string Edit)? Undo, (int Version, string Edit)? Redo);

/// <summary>
/// Keeps studios in an SQLite database in a folder. Each edit adds a whole version in one transaction, so what was
/// acknowledged is there after the process is killed, and every earlier version can be gone back to.
/// </summary>
public sealed class StudioStore : IDisposable
{
    private readonly FileStream? _lock;
    // The last connection that is closed copies the whole log back into the database. While this one stays open, an edit
    // does not wait for that.
    private readonly SqliteConnection? _open;
    private readonly DbContextOptions<WeicheContext> _options;

    private StudioStore(string file, FileStream? folderLock, DbContextOptions<WeicheContext> options, SqliteConnection? open = null)
    {
        _open = open;
        DatabaseFile = file;
        _lock = folderLock;
        _options = options;
    }

    /// <summary>The database file.</summary>
    public string DatabaseFile { get; }

    /// <summary>
    /// Opens the database of a folder; makes both if they are not there. A database that cannot be used is left
    /// exactly as it is.
    /// </summary>
    /// <param name="folder">The data folder.</param>
    /// <exception cref="StoreException">The folder cannot be written, another Weiche uses it, or the database is
    /// damaged or was written by a newer version.</exception>
    public static StudioStore Open(string folder)
    {
        var file = Path.Combine(folder, "weiche.db");
        var folderLock = LockFolder(folder);
        try
        {
            var options = Options(file, SqliteOpenMode.ReadWriteCreate);
            Prepare(file, options, migrate: true);
            return new StudioStore(file, folderLock, options, KeepOpen(file));
        }
        catch
        {
            folderLock.Dispose();
            throw;
        }
    }

    /// <summary>Opens the database of a folder for reading alone, also while another Weiche uses it.</summary>
    /// <param name="folder">The data folder.</param>
    /// <exception cref="StoreException">There is no database, or it cannot be used.</exception>
    public static StudioStore OpenForReading(string folder)
    {
        var file = Path.Combine(folder, "weiche.db");
        if (!File.Exists(file)) throw new StoreException($"There is no database {file}. Choose the data folder with --data.");
        var options = Options(file, SqliteOpenMode.ReadWrite);
        Prepare(file, options, migrate: false);
        return new StudioStore(file, null, options);
    }

    /// <summary>The studio with this key, or null.</summary>
    /// <param name="id">The key.</param>
    /// <exception cref="StoreException">The database cannot be read.</exception>
    public StoredStudio? Find(int id) => Explained(context =>
        context.Studios.AsNoTracking().FirstOrDefault(row => row.Id == id) is { } studio ? Read(context, studio) : null);

    /// <summary>The studio of this name, or null.</summary>
    /// <param name="name">The name, without regard to case.</param>
    /// <exception cref="StoreException">The database cannot be read.</exception>
    public StoredStudio? Find(string name) => Explained(context =>
    {
        var studio = context.Studios.AsNoTracking().AsEnumerable().FirstOrDefault(row => string.Equals(row.Name, name, StringComparison.OrdinalIgnoreCase));
        return studio is null ? null : Read(context, studio);
    });

    private static StoredStudio Read(WeicheContext context, StudioRow studio)
    {
        var version = context.Versions.AsNoTracking().Single(row => row.StudioId == studio.Id && row.Version == studio.CurrentVersion);
        return new StoredStudio(studio.Id, studio.Name, version.Version, version.Document, studio.NextId);
    }

    /// <summary>The studios, by key and name, in the order in which they were added.</summary>
    /// <exception cref="StoreException">The database cannot be read.</exception>
    public IReadOnlyList<(int Id, string Name)> All() => Explained(context =>
        context.Studios.AsNoTracking().OrderBy(row => row.Id).AsEnumerable().Select(row => (row.Id, row.Name)).ToList());

    /// <summary>Writes down that a studio was opened, so that it is the one opened next time.</summary>
    /// <param name="id">The studio's key.</param>
    /// <param name="at">When, UTC.</param>
    /// <exception cref="StoreException">It could not be written; nothing was changed.</exception>
    public void Opened(int id, DateTime at) => Explained(context => context.Studios.Where(row => row.Id == id).ExecuteUpdate(set => set.SetProperty(row => row.OpenedAt, at)));

    /// <summary>Removes a studio with all its versions.</summary>
    /// <param name="id">The studio's key.</param>
    /// <exception cref="StoreException">It could not be written; nothing was changed.</exception>
    public void Remove(int id) => Explained(context => context.Studios.Where(row => row.Id == id).ExecuteDelete());

    /// <summary>The names of the studios, in the order in which they were added.</summary>
    /// <exception cref="StoreException">The database cannot be read.</exception>
    public IReadOnlyList<string> Names() => Explained(context => context.Studios.AsNoTracking().OrderBy(row => row.Id).Select(row => row.Name).ToList());

    /// <summary>The studio that was worked on last, or null if there is none yet.</summary>
    /// <exception cref="StoreException">The database cannot be read.</exception>
    public StoredStudio? Load() => Explained(context =>
    {
        var current = context.Studios.AsNoTracking()
            .Join(context.Versions, studio => new { StudioId = studio.Id, Version = studio.CurrentVersion }, version => new { version.StudioId, version.Version },
                (studio, version) => new { studio.Id, studio.Name, version.Version, version.Document, version.At, studio.OpenedAt, studio.NextId })
            .OrderByDescending(row => row.OpenedAt).ThenByDescending(row => row.At).ThenBy(row => row.Id)
            .FirstOrDefault();
        return current is null ? null : new StoredStudio(current.Id, current.Name, current.Version, current.Document, current.NextId);
    });

    /// <summary>Adds a studio with its first version.</summary>
    /// <param name="name">Its name.</param>
    /// <param name="document">The version, as JSON.</param>
    /// <param name="at">When, UTC.</param>
    /// <exception cref="StoreException">It could not be written; nothing was changed.</exception>
    public StoredStudio Add(string name, string document, DateTime at) => Explained(context =>
    {
        var studio = new StudioRow { Name = name, CurrentVersion = 1 };
        using var transaction = context.Database.BeginTransaction();
        context.Studios.Add(studio);
        context.SaveChanges();
        context.Versions.Add(new VersionRow { StudioId = studio.Id, Version = 1, Edit = "Begin", At = at, Document = document });
        context.SaveChanges();
        transaction.Commit();
        return new StoredStudio(studio.Id, name, 1, document);
    });

    /// <summary>Adds the version that an edit made, and puts it in force. On return it is on the disk.</summary>
    /// <param name="studioId">The studio's key.</param>
    /// <param name="edit">The edit in words.</param>
    /// <param name="document">The studio after it, as JSON.</param>
    /// <param name="at">When, UTC.</param>
    /// <param name="name">The studio's name from now on; null if it stays.</param>
    /// <param name="nextId">A number above every id in use; 0 if it stays.</param>
    /// <returns>The number of the new version.</returns>
    /// <exception cref="StoreException">It could not be written; nothing was changed.</exception>
    public int Append(int studioId, string edit, string document, DateTime at, string? name = null, int nextId = 0) => Explained(context =>
    {
        var studio = context.Studios.Single(row => row.Id == studioId);
        if (name is not null) studio.Name = name;
        studio.NextId = Math.Max(studio.NextId, nextId);
        var parent = studio.CurrentVersion;
        // After an undo the newest version is not the one in force: no number is given twice.
        studio.CurrentVersion = context.Versions.Where(row => row.StudioId == studioId).Max(row => row.Version) + 1;
        context.Versions.Add(new VersionRow { StudioId = studioId, Version = studio.CurrentVersion, Parent = parent, Edit = edit, At = at, Document = document });
        using var transaction = context.Database.BeginTransaction();
        context.SaveChanges();
        SetNext(context, studioId, parent, studio.CurrentVersion);
        transaction.Commit();
        return studio.CurrentVersion;
    });

    /// <summary>Where a studio stands in its history.</summary>
    /// <param name="studioId">The studio's key.</param>
    /// <exception cref="StoreException">The database cannot be read.</exception>
    public HistoryPlace Place(int studioId) => Explained(context =>
    {
        var current = context.Studios.Where(row => row.Id == studioId).Select(row => row.CurrentVersion).Single();
        var here = Slim(context, studioId, current)!;
        var next = here.Next is { } number ? Slim(context, studioId, number) : null;
        return new HistoryPlace(
            current,
            here.Parent is { } parent ? (parent, here.Edit) : null,
            next is null ? null : (next.Version, next.Edit));
    });

    /// <summary>The versions of a studio, the newest first.</summary>
    /// <param name="studioId">The studio's key.</param>
    /// <param name="before">Only versions below this number; null for all.</param>
    /// <param name="count">At most how many.</param>
    /// <exception cref="StoreException">The database cannot be read.</exception>
    public IReadOnlyList<StoredVersion> History(int studioId, int? before, int count) => Explained(context =>
        Slim(context.Versions.Where(row => row.StudioId == studioId && (before == null || row.Version < before)).OrderByDescending(row => row.Version).Take(count)).ToList());

    /// <summary>A version of a studio as it was written, or null if there is none of that number.</summary>
    /// <param name="studioId">The studio's key.</param>
    /// <param name="version">Its number.</param>
    /// <exception cref="StoreException">The database cannot be read.</exception>
    public string? Document(int studioId, int version) => Explained(context => context.Versions.AsNoTracking()
        .Where(row => row.StudioId == studioId && row.Version == version).Select(row => row.Document).FirstOrDefault());

    /// <summary>Puts another version of a studio in force. No version is lost by that. On return it is on the disk.</summary>
    /// <param name="studioId">The studio's key.</param>
    /// <param name="version">The number of a version that is there.</param>
    /// <param name="name">The studio's name from now on.</param>
    /// <exception cref="StoreException">It could not be written; nothing was changed.</exception>
    public void GoTo(int studioId, int version, string name) => Explained(context =>
    {
        using var transaction = context.Database.BeginTransaction();
        context.Studios.Where(row => row.Id == studioId).ExecuteUpdate(set => set.SetProperty(row => row.CurrentVersion, version).SetProperty(row => row.Name, name));
        // Redo leads back here from all that came before.
        var known = context.Versions.AsNoTracking().Where(row => row.StudioId == studioId).Select(row => new { row.Version, row.Parent, row.Next }).ToDictionary(row => row.Version);
        for (var at = version; known[at].Parent is { } parent; at = parent)
        {
            if (known[parent].Next != at) SetNext(context, studioId, parent, at);
        }
        transaction.Commit();
        return 0;
    });

    private static IQueryable<StoredVersion> Slim(IQueryable<VersionRow> rows) =>
        rows.AsNoTracking().Select(row => new StoredVersion(row.Version, row.Parent, row.Next, row.Edit, row.At));

    private static StoredVersion? Slim(WeicheContext context, int studioId, int version) =>
        Slim(context.Versions.Where(row => row.StudioId == studioId && row.Version == version)).SingleOrDefault();

    private static void SetNext(WeicheContext context, int studioId, int version, int next) => context.Versions
        .Where(row => row.StudioId == studioId && row.Version == version)
        .ExecuteUpdate(set => set.SetProperty(row => row.Next, next));

    /// <inheritdoc/>
    public void Dispose()
    {
        _open?.Dispose();
        _lock?.Dispose();
    }

    private static SqliteConnection KeepOpen(string file)
    {
        var connection = new SqliteConnection(ConnectionText(file, SqliteOpenMode.ReadWrite));
        try
        {
            connection.Open();
            // A connection counts once it has read.
            using var read = connection.CreateCommand();
            read.CommandText = "SELECT COUNT(*) FROM Studios";
            read.ExecuteScalar();
            return connection;
        }
        catch (SqliteException exception)
        {
            connection.Dispose();
            throw Damaged(file, exception.Message, exception);
        }
    }

    private static string ConnectionText(string file, SqliteOpenMode mode) =>
        new SqliteConnectionStringBuilder { DataSource = file, Mode = mode, Pooling = false, ForeignKeys = true }.ToString();

    private static FileStream LockFolder(string folder)
    {
        try
        {
            Directory.CreateDirectory(folder);
        }
        catch (Exception exception) when (exception is IOException or UnauthorizedAccessException)
        {
            throw new StoreException($"The data folder {folder} cannot be made: {exception.Message}", exception);
        }
        try
        {
            return new FileStream(Path.Combine(folder, "weiche.lock"), FileMode.OpenOrCreate, FileAccess.ReadWrite, FileShare.None);
        }
        catch (UnauthorizedAccessException exception)
        {
            throw new StoreException($"The data folder {folder} cannot be written. Choose another with --data, or allow writing there.", exception);
        }
        catch (IOException exception) when (Directory.Exists(folder) && File.Exists(Path.Combine(folder, "weiche.lock")))
        {
            throw new StoreException($"The data folder {folder} is in use by another Weiche. Stop that one, or choose another folder with --data.", exception);
        }
        catch (IOException exception)
        {
            throw new StoreException($"The data folder {folder} cannot be written: {exception.Message}", exception);
        }
    }

    private static DbContextOptions<WeicheContext> Options(string file, SqliteOpenMode mode) => new DbContextOptionsBuilder<WeicheContext>()
        .UseSqlite(ConnectionText(file, mode)).Options;

    private static void Prepare(string file, DbContextOptions<WeicheContext> options, bool migrate)
    {
        using var context = new WeicheContext(options);
        try
        {
            if (File.Exists(file)) Check(file, context);
            if (migrate) context.Database.Migrate();
        }
        catch (SqliteException exception)
        {
            throw Damaged(file, exception.Message, exception);
        }
    }

    private static void Check(string file, WeicheContext context)
    {
        var verdict = context.Database.SqlQueryRaw<string>("PRAGMA quick_check(1)").AsEnumerable().FirstOrDefault();
        if (verdict != "ok") throw Damaged(file, verdict ?? "no answer", null);
        var known = context.Database.GetMigrations().ToHashSet();
        if (context.Database.GetAppliedMigrations().FirstOrDefault(applied => !known.Contains(applied)) is { } newer)
        {
            throw new StoreException(
                $"The database {file} was written by a newer Weiche (it has “{newer}”). Nothing was changed. Use that version, or another folder with --data.");
        }
    }

    private static StoreException Damaged(string file, string reason, Exception? inner) =>
        new($"The database {file} is damaged ({reason.ReplaceLineEndings(" ").TrimEnd('.')}). Nothing was changed. Put a copy back in its place, or choose another folder with --data.", inner);

    private T Explained<T>(Func<WeicheContext, T> work)
    {
        try
        {
            using var context = new WeicheContext(_options);
            return work(context);
        }
        catch (Exception exception) when (exception is SqliteException or DbUpdateException)
        {
            throw new StoreException($"The database {DatabaseFile} could not be used: {(exception.InnerException ?? exception).Message}. Nothing was changed.", exception);
        }
    }
}
