using System.Collections.Concurrent;
using Weiche.Core.Studios;
using Weiche.Data;
using Weiche.Files;
using Weiche.Ports;

namespace Weiche.Web.Desk;

/// <summary>The studio as it is now.</summary>
/// <param name="Studio">The studio.</param>
/// <param name="Version">Its version in the database.</param>
public sealed record DeskState(Studio Studio, int Version);

/// <summary>
/// The one place where edits are made. An edit is checked, written to the database, put in force in the engine and
/// then shown, in that order, one after the other.
/// </summary>
public sealed class StudioDesk : IDisposable
{
    private const int RememberedPlans = 64;

    private readonly Lock _gate = new();
    private readonly StudioStore _store;
    private readonly int _studioId;
    private readonly TimeProvider _time;
    private readonly ConcurrentDictionary<int, Studio> _plans = new();
    private DeskState _state;

    /// <summary>A desk for a studio from the database.</summary>
    /// <param name="store">The database.</param>
    /// <param name="stored">The studio as it was read.</param>
    /// <param name="time">Where the time comes from.</param>
    /// <exception cref="StudioFormatException">The stored document is not a studio.</exception>
    public StudioDesk(StudioStore store, StoredStudio stored, TimeProvider time)
    {
        _store = store;
        _studioId = stored.Id;
        _time = time;
        var studio = StudioJson.Read(stored.Document);
        _state = new DeskState(studio, stored.Version);
        Junction = new Junction(studio, new StudioClock(time));
        Park = new PortPark(Junction, time);
        Park.Match(studio);
        _plans[Junction.Plan.Version] = studio;
    }

    /// <summary>Where the ports meet the engine.</summary>
    public Junction Junction { get; }

    /// <summary>What stands behind the ports.</summary>
    public PortPark Park { get; }

    /// <summary>The database file.</summary>
    public string DatabaseFile => _store.DatabaseFile;

    /// <summary>The studio as it is now.</summary>
    public DeskState State => Volatile.Read(ref _state);

    /// <summary>Makes an edit, or says why not. On return it is on the disk and in force.</summary>
    /// <param name="edit">The edit.</param>
    /// <returns>What became of it; its studio is the one now in force.</returns>
    public EditResult Apply(StudioEdit edit)
    {
        lock (_gate)
        {
            var before = _state.Studio;
            var result = edit.Apply(before);
            if (result.Studio is not { } studio) return result;
            var plan = Junction.Prepare(studio);
            int version;
            try
            {
                version = _store.Append(_studioId, edit.Title(before), StudioJson.Write(studio), _time.GetUtcNow().UtcDateTime);
            }
            catch (StoreException exception)
            {
                return EditResult.Refused("studio", exception.Message);
            }
            Remember(plan.Version, studio);
            Junction.Swap(plan);
            Park.Match(studio);
            Volatile.Write(ref _state, new DeskState(studio, version));
            return result;
        }
    }

    /// <summary>The studio from which a plan was made, if that was not too long ago.</summary>
    /// <param name="planVersion">The plan's version.</param>
    public Studio? StudioOfPlan(int planVersion) => _plans.GetValueOrDefault(planVersion);

    /// <inheritdoc/>
    public void Dispose()
    {
        Junction.AllNotesOff();
        Park.Dispose();
        Junction.Dispose();
        _store.Dispose();
    }

    private void Remember(int version, Studio studio)
    {
        _plans[version] = studio;
        _plans.TryRemove(version - RememberedPlans, out _);
    }
}
