using Microsoft.Data.Sqlite;
using Microsoft.EntityFrameworkCore;
using SQLitePCL;

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
/// <param name="Lineup">The lineup that was in force last; null if none was.</param>
public sealed record StoredStudio(int Id, string Name, int Version, string Document, int NextId = 0, int? Lineup = null);

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
/// Keeps studios in an SQLite database in a folder. Each edit adds a version in one transaction, so what was
/// acknowledged is there after the process is killed, and every earlier version can be gone back to.
/// </summary>
/// <remarks>Of a version stands what differs from the one it was made on (<see cref="LineChanges"/>), and now and then the whole. How many
/// changes were ever written stands in the database and beside it: a log that was cut or removed is told (<see cref="Notice"/>). Called
/// from any thread; what is written is written one after the other.</remarks>
public sealed partial class StudioStore : IDisposable
{
    /// <summary>What opening a file says that another process has for itself alone: EWOULDBLOCK of flock(2).</summary>
    private const int HeldByAnother = 11;

    private readonly FileStream? _lock;
    private readonly WriteWitness? _witness;

    // The last connection that is closed copies the whole log back into the database. While this one stays open, an edit
    // does not wait for that.
    private readonly SqliteConnection? _open;
    private readonly DbContextOptions<WeicheContext> _options;

    private StudioStore(
        string file,
        FileStream? folderLock,
        DbContextOptions<WeicheContext> options,
        SqliteConnection? open = null,
        WriteWitness? witness = null
    )
    {
        _open = open;
        _witness = witness;
        DatabaseFile = file;
        _lock = folderLock;
        _options = options;
    }

    /// <summary>The database file.</summary>
    public string DatabaseFile { get; }

    /// <summary>What a person should know about what was found when it was opened, or null.</summary>
    public string? Notice { get; private init; }

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
        WriteWitness? witness = null;
        try
        {
            CheckLog(file);
            witness = WriteWitness.Open(file);
            var options = Options(file, SqliteOpenMode.ReadWriteCreate);
            Prepare(file, options, migrate: true);
            using var context = new WeicheContext(options);
            var (here, written) = (Changes(context), witness.Count);
            witness.Write(here);
            return new StudioStore(file, folderLock, options, KeepOpen(file), witness)
            {
                Notice = here < written ? Missing(file, here, written) : null,
            };
        }
        catch
        {
            witness?.Dispose();
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
        if (!File.Exists(file))
            throw new StoreException($"There is no database {file}. Choose the data folder with --data.");
        CheckLog(file);
        var options = Options(file, SqliteOpenMode.ReadWrite);
        Prepare(file, options, migrate: false);
        return new StudioStore(file, null, options);
    }

    /// <summary>The studio with this key, or null.</summary>
    /// <param name="id">The key.</param>
    /// <exception cref="StoreException">The database cannot be read.</exception>
    public StoredStudio? Find(int id) =>
        Explained(context =>
            context.Studios.AsNoTracking().FirstOrDefault(row => row.Id == id) is { } studio ? Read(context, studio) : null
        );

    /// <summary>The studio of this name, or null.</summary>
    /// <param name="name">The name, without regard to case.</param>
    /// <exception cref="StoreException">The database cannot be read.</exception>
    public StoredStudio? Find(string name) =>
        Explained(context =>
        {
            var studio = context
                .Studios.AsNoTracking()
                .AsEnumerable()
                .FirstOrDefault(row => string.Equals(row.Name, name, StringComparison.OrdinalIgnoreCase));
            return studio is null ? null : Read(context, studio);
        });

    private StoredStudio Read(WeicheContext context, StudioRow studio)
    {
        var document = DocumentOf(context, studio.Id, studio.CurrentVersion)
            ?? throw new StoreException(
                $"The version {studio.CurrentVersion} of “{studio.Name}” is not in the database. Nothing was changed."
            );
        return new StoredStudio(studio.Id, studio.Name, studio.CurrentVersion, document, studio.NextId, studio.Lineup);
    }

    /// <summary>The studios, by key and name, in the order in which they were added.</summary>
    /// <exception cref="StoreException">The database cannot be read.</exception>
    public IReadOnlyList<(int Id, string Name)> All() =>
        Explained(context =>
            context.Studios.AsNoTracking().OrderBy(row => row.Id).AsEnumerable().Select(row => (row.Id, row.Name)).ToList()
        );

    /// <summary>Writes down that a studio was opened, so that it is the one opened next time.</summary>
    /// <param name="id">The studio's key.</param>
    /// <param name="at">When, UTC.</param>
    /// <exception cref="StoreException">It could not be written; nothing was changed.</exception>
    public void Opened(int id, DateTime at) =>
        Explained(context => context.Studios.Where(row => row.Id == id).ExecuteUpdate(set => set.SetProperty(row => row.OpenedAt, at)));

    /// <summary>Writes down which lineup of a studio is in force. It is no edit: no version is made.</summary>
    /// <param name="id">The studio's key.</param>
    /// <param name="lineup">The lineup; null for none.</param>
    /// <exception cref="StoreException">It could not be written; nothing was changed.</exception>
    public void Entered(int id, int? lineup) =>
        Explained(context => context.Studios.Where(row => row.Id == id).ExecuteUpdate(set => set.SetProperty(row => row.Lineup, lineup)));

    /// <summary>Removes a studio with all its versions.</summary>
    /// <param name="id">The studio's key.</param>
    /// <exception cref="StoreException">It could not be written; nothing was changed.</exception>
    public void Remove(int id) => Written(context => context.Studios.Where(row => row.Id == id).ExecuteDelete());

    /// <summary>The names of the studios, in the order in which they were added.</summary>
    /// <exception cref="StoreException">The database cannot be read.</exception>
    public IReadOnlyList<string> Names() =>
        Explained(context => context.Studios.AsNoTracking().OrderBy(row => row.Id).Select(row => row.Name).ToList());

    /// <summary>The studio that was worked on last, or null if there is none yet.</summary>
    /// <exception cref="StoreException">The database cannot be read.</exception>
    public StoredStudio? Load() => ByLastWork() is [var last, ..] ? Find(last.Id) : null;

    /// <summary>The studios, by key and name, the one that was worked on last first.</summary>
    /// <exception cref="StoreException">The database cannot be read.</exception>
    public IReadOnlyList<(int Id, string Name)> ByLastWork() =>
        Explained(context =>
            context
                .Studios.AsNoTracking()
                .Join(
                    context.Versions,
                    studio => new { StudioId = studio.Id, Version = studio.CurrentVersion },
                    version => new { version.StudioId, version.Version },
                    (studio, version) =>
                        new
                        {
                            studio.Id,
                            studio.Name,
                            version.At,
                            studio.OpenedAt,
                        }
                )
                .OrderByDescending(row => row.OpenedAt)
                .ThenByDescending(row => row.At)
                .ThenBy(row => row.Id)
                .AsEnumerable()
                .Select(row => (row.Id, row.Name))
                .ToList()
        );

    /// <summary>Adds a studio with its first version.</summary>
    /// <param name="name">Its name.</param>
    /// <param name="document">The version, as JSON.</param>
    /// <param name="at">When, UTC.</param>
    /// <exception cref="StoreException">It could not be written; nothing was changed.</exception>
    public StoredStudio Add(string name, string document, DateTime at) =>
        Written(context =>
        {
            var studio = new StudioRow { Name = name, CurrentVersion = 1 };
            context.Studios.Add(studio);
            context.SaveChanges();
            context.Versions.Add(
                new VersionRow
                {
                    StudioId = studio.Id,
                    Version = 1,
                    Edit = "Begin",
                    At = at,
                    Document = document,
                }
            );
            context.SaveChanges();
            return new StoredStudio(studio.Id, name, 1, document);
        });

    /// <inheritdoc/>
    public void Dispose()
    {
        _open?.Dispose();
        _witness?.Dispose();
        _lock?.Dispose();
    }

    /// <summary>Writes in one transaction, counted; then the count is put down beside the database.</summary>
    private T Written<T>(Func<WeicheContext, T> work)
    {
        var (result, count) = Explained(context =>
        {
            using var transaction = context.Database.BeginTransaction();
            var done = work(context);
            context.Counts.ExecuteUpdate(set => set.SetProperty(row => row.Changes, row => row.Changes + 1));
            var count = Changes(context);
            transaction.Commit();
            return (done, count);
        });
        _witness?.Write(count);
        return result;
    }

    /// <summary>How many changes were written to a database.</summary>
    private static int Changes(WeicheContext context) => context.Counts.Select(row => row.Changes).Single();

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
            throw Unusable(file, exception);
        }
    }

    private static string ConnectionText(string file, SqliteOpenMode mode) =>
        new SqliteConnectionStringBuilder
        {
            DataSource = file,
            Mode = mode,
            Pooling = false,
            ForeignKeys = true,
        }.ToString();

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
            throw new StoreException(
                $"The data folder {folder} cannot be written. Choose another with --data, or allow writing there.",
                exception
            );
        }
        catch (IOException exception) when (exception.HResult == HeldByAnother)
        {
            throw new StoreException(
                $"The data folder {folder} is in use by another Weiche. Stop that one, or choose another folder with --data.",
                exception
            );
        }
        catch (IOException exception)
        {
            throw new StoreException($"The data folder {folder} cannot be written: {exception.Message}", exception);
        }
    }

    private static DbContextOptions<WeicheContext> Options(string file, SqliteOpenMode mode) =>
        new DbContextOptionsBuilder<WeicheContext>().UseSqlite(ConnectionText(file, mode)).Options;

    private static void Prepare(string file, DbContextOptions<WeicheContext> options, bool migrate)
    {
        using var context = new WeicheContext(options);
        try
        {
            if (File.Exists(file))
                Check(file, context);
            if (migrate)
                context.Database.Migrate();
        }
        catch (SqliteException exception)
        {
            throw Unusable(file, exception);
        }
    }

    /// <summary>SQLite throws the log of an empty database away: it may hold everything there is.</summary>
    private static void CheckLog(string file)
    {
        var (database, log) = (new FileInfo(file), new FileInfo(file + "-wal"));
        if (database is { Exists: true, Length: > 0 } || log is not { Exists: true, Length: > 0 })
            return;
        throw new StoreException(
            $"The database {file} is {(database.Exists ? "empty" : "missing")}, and the log {log.Name} beside it still holds "
                + $"{log.Length} bytes. "
                + "Nothing was changed. Put a copy of the database back beside the log, or move the log elsewhere to begin anew."
        );
    }

    private static string Missing(string file, int here, int written)
    {
        var lost = written - here;
        return here == 0
            ? $"A new database {file} was begun, though {written} {(written == 1 ? "change" : "changes")} had been written to the "
                + "one that was here."
            : $"The last {(lost == 1 ? "change is" : $"{lost} changes are")} missing from {file}: its log was cut or removed, or "
                + "an older copy was put in its place.";
    }

    private static void Check(string file, WeicheContext context)
    {
        var verdict = context.Database.SqlQueryRaw<string>("PRAGMA quick_check(1)").AsEnumerable().FirstOrDefault();
        if (verdict != "ok")
            throw Damaged(file, verdict ?? "no answer", null);
        var known = context.Database.GetMigrations().ToHashSet();
        if (context.Database.GetAppliedMigrations().FirstOrDefault(applied => !known.Contains(applied)) is { } newer)
        {
            throw new StoreException(
                $"The database {file} was written by a newer Weiche (it has “{newer}”). Nothing was changed. Use that version, or "
                    + "another folder with --data."
            );
        }
    }

    private static StoreException Damaged(string file, string reason, Exception? inner) =>
        new(
            $"The database {file} is damaged ({reason.ReplaceLineEndings(" ").TrimEnd('.')}). Nothing was changed. Put a copy back "
                + "in its place, or choose another folder with --data.",
            inner
        );

    /// <summary>What is wrong when SQLite says no (sqlite.org, "Result and Error Codes"), and what would help.</summary>
    private static StoreException Unusable(string file, SqliteException exception) =>
        exception.SqliteErrorCode switch
        {
            raw.SQLITE_FULL => new($"The disk with {file} is full. Nothing was changed. Make room on it and try again.", exception),
            raw.SQLITE_READONLY or raw.SQLITE_CANTOPEN or raw.SQLITE_PERM or raw.SQLITE_AUTH => new(
                $"{file} cannot be written, or nothing can be written beside it. Nothing was changed. Allow writing in its folder, "
                    + "or choose another with --data.",
                exception
            ),
            raw.SQLITE_BUSY or raw.SQLITE_LOCKED => new(
                $"Another program holds {file}. Nothing was changed. Close that program and try again.",
                exception
            ),
            raw.SQLITE_IOERR => new(
                $"The disk with {file} is full or fails ({exception.Message.TrimEnd('.')}). Nothing was changed. Look after the "
                    + "disk and try again.",
                exception
            ),
            _ => Damaged(file, exception.Message, exception),
        };

    private T Explained<T>(Func<WeicheContext, T> work)
    {
        try
        {
            using var context = new WeicheContext(_options);
            return work(context);
        }
        catch (Exception exception) when ((exception as SqliteException ?? exception.InnerException) is SqliteException reason)
        {
            throw Unusable(DatabaseFile, reason);
        }
        catch (DbUpdateException exception)
        {
            throw new StoreException(
                $"The database {DatabaseFile} could not be used: {(exception.InnerException ?? exception).Message}. Nothing was changed.",
                exception
            );
        }
    }
}
