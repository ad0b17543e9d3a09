using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;
using Weiche.Data;
using Weiche.Files;

namespace Weiche.Web.Desk;

/// <content>The studios of the database: which one is open, others added and removed.</content>
public sealed partial class StudioDesk
{
    // An edit waits for no more than these.
    private const int VersionsAtOnce = 8;

    /// <summary>Every studio in the database, by key and name.</summary>
    public IReadOnlyList<(int Id, string Name)> Studios => _store.All();

    /// <summary>The database file.</summary>
    public string DatabaseFile => _store.DatabaseFile;

    /// <summary>Opens another studio of the database. What sounds ends.</summary>
    /// <param name="id">Its key.</param>
    /// <returns>Why it cannot be opened, or null if it is open.</returns>
    public Problem? Open(int id) => Open(id, null);

    private Problem? Open(int id, string? notice)
    {
        using var work = _sweeper.Work();
        lock (_gate)
        {
            if (id == _state.StudioId)
                return null;
            try
            {
                if (_store.Find(id) is not { } stored)
                    return Gone();
                var studio = Opened(stored);
                _store.Opened(id, _time.GetUtcNow().UtcDateTime);
                Junction.FallSilent();
                _isTried = false;
                // Ids of one studio say nothing in another: everything is taken away before it is set up anew.
                Park.Match(Studio.Empty(studio.Name));
                StandIns.Furnish(_withRoom || StandInUnits.AreIn(studio));
                Junction.Replace(studio);
                Remember(Junction.Compiled.Version, studio);
                Park.Match(studio);
                Scout.Forget();
                var version = Math.Max(_state.Version, stored.Version) + 1;
                Volatile.Write(ref _state, Begun(studio, version, id, notice));
                return null;
            }
            catch (Exception exception) when (exception is StoreException or StudioFormatException)
            {
                return new Problem("studio", exception.Message);
            }
        }
    }

    /// <summary>Why a studio of the database cannot be read as it is now, with the last version that can; null if it can be read.</summary>
    /// <param name="id">Its key.</param>
    /// <exception cref="StoreException">The database cannot be read.</exception>
    public (string Why, StoredVersion? Readable)? Unreadable(int id)
    {
        if (id == State.StudioId || _store.WhyUnreadable(id) is not { } why)
            return null;
        // The newest first, whether it was made on what cannot be read or beside it.
        return (why, _store.History(id, null, int.MaxValue).FirstOrDefault(version => _store.WhyUnreadable(id, version.Version) is null));
    }

    /// <summary>Puts the last version of a studio that can be read in force and opens it. Those that cannot be read stay in the
    /// database.</summary>
    /// <param name="id">Its key.</param>
    /// <returns>Why that cannot be, or null.</returns>
    public Problem? OpenReadable(int id)
    {
        using var work = _sweeper.Work();
        lock (_gate)
        {
            try
            {
                if (_store.All().All(studio => studio.Id != id))
                    return Gone();
                if (Unreadable(id) is not { } found)
                    return Open(id);
                if (found.Readable is not { } readable)
                    return new Problem("studio", $"No version of that studio can be read. {found.Why}");
                _store.GoTo(id, readable.Version, StudioJson.Read(_store.Document(id, readable.Version)!).Name);
                return Open(
                    id,
                    $"This is the last version that can be read: “{readable.Edit}”. What was done after it cannot: {found.Why}"
                );
            }
            catch (StoreException exception)
            {
                return new Problem("studio", exception.Message);
            }
        }
    }

    /// <summary>Adds the studio of a file to the database, under a name of its own, and opens it.</summary>
    /// <param name="studio">The studio.</param>
    /// <returns>Why that cannot be, or null.</returns>
    public Problem? Import(Studio studio)
    {
        using var work = _sweeper.Work();
        lock (_gate)
        {
            try
            {
                var before = _state.Studio.Name;
                var added = _store.Import(studio, _time.GetUtcNow().UtcDateTime);
                return Open(added.Id, $"{StudioFiles.Imported(studio, added.Name)} “{before}” is in the database as it was (Studio).");
            }
            catch (StoreException exception)
            {
                return new Problem("import", exception.Message);
            }
        }
    }

    /// <summary>Opens the demo studio, whose instruments stand in for real ones; adds it to the database if it is not there.</summary>
    /// <returns>Why that cannot be, or null.</returns>
    public Problem? OpenDemo()
    {
        var demo = DemoStudio.Create();
        var known = Studios.FirstOrDefault(studio => studio.Name == demo.Name);
        return known.Name is null ? Import(demo) : Open(known.Id);
    }

    /// <summary>Adds a studio to the database and opens it.</summary>
    /// <param name="studio">The studio.</param>
    /// <returns>Why that cannot be, or null.</returns>
    public Problem? Add(Studio studio)
    {
        using var work = _sweeper.Work();
        lock (_gate)
        {
            if (NameTaken(studio.Name, 0) is { } taken)
                return new Problem("studio", taken);
            try
            {
                return Open(_store.Add(studio.Name, StudioJson.Write(studio), _time.GetUtcNow().UtcDateTime).Id);
            }
            catch (StoreException exception)
            {
                return new Problem("studio", exception.Message);
            }
        }
    }

    /// <summary>Removes a studio, with all its versions, from the database. The one that is open stays.</summary>
    /// <param name="id">Its key.</param>
    /// <returns>Why that cannot be, or null.</returns>
    public Problem? Remove(int id)
    {
        using var work = _sweeper.Work();
        lock (_gate)
        {
            if (id == _state.StudioId)
                return new Problem("studio", "This studio is open. Open another one first.");
            try
            {
                if (_store.Find(id) is null)
                    return Gone();
                _store.Remove(id);
                return null;
            }
            catch (StoreException exception)
            {
                return new Problem("studio", exception.Message);
            }
        }
    }

    /// <summary>Writes some old versions shorter, between two edits.</summary>
    /// <returns>Whether there is more to do.</returns>
    public bool Tidy()
    {
        lock (_gate)
            return !_isClosed && _store.Shrink(VersionsAtOnce);
    }

    /// <summary>Whether old versions take more room than they must.</summary>
    public bool IsRoomy => _store.IsRoomy;

    private static Problem Gone() => new("studio", "That studio is gone: it was removed meanwhile.");

    private string? NameTaken(string name, int self)
    {
        try
        {
            return _store.All().Any(other => other.Id != self && string.Equals(other.Name, name, StringComparison.OrdinalIgnoreCase))
                ? $"There is already a studio called “{name}”. Choose another name."
                : null;
        }
        catch (StoreException exception)
        {
            return exception.Message;
        }
    }
}
