using System.Collections.Concurrent;
using System.Collections.Immutable;
using Weiche.Core.Checks;
using Weiche.Core.Live;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;
using Weiche.Data;
using Weiche.Files;
using Weiche.Ports;
using Weiche.Ports.Browser;
using Weiche.Ports.Carrying;
using Weiche.Ports.Outside;
using Weiche.Ports.Raw;
using Weiche.Ports.StandIns;
using Weiche.Ports.Virtual;

namespace Weiche.Web.Desk;

/// <summary>The studio as it is now.</summary>
/// <param name="Studio">The studio.</param>
/// <param name="Version">Counts up with every change that pages show, whichever studio is open.</param>
/// <param name="StudioId">The studio's key in the database.</param>
/// <param name="Undo">The edit that undo takes back, in words; null if there is none.</param>
/// <param name="Redo">The edit that redo makes again, in words; null if there is none.</param>
public sealed record DeskState(Studio Studio, int Version, int StudioId, string? Undo = null, string? Redo = null)
{
    /// <summary>What a person should know about how the studio came to be as it is, until the next edit; null if nothing.</summary>
    public Notice? Notice { get; init; }

    /// <summary>What the checks say of the studio; while it <see cref="IsLooking"/>, of the studio as it was before the last
    /// edits.</summary>
    public required CheckReport Report { get; init; }

    /// <summary>Whether the checks of this very studio, in all its lineups, are not done yet.</summary>
    public bool IsLooking { get; init; }

    /// <summary>What the checks say of each lineup, in their running order; while it <see cref="IsLooking"/>, of before.</summary>
    public ImmutableArray<LineupLook> Looks { get; init; } = [];

    /// <summary>Since when the lineup in force is; null for as long as the studio is open.</summary>
    public DateTimeOffset? EnteredAt { get; init; }

    /// <summary>What was found, in all lineups, each thing once, the lineup in force first.</summary>
    public ImmutableArray<PlacedFinding> Findings =>
        Volatile.Read(ref _together) is { } known && ReferenceEquals(known.Report, Report) && known.Looks == Looks ? known.Findings : Put();

    // Replaced as a whole: several windows ask at once, and a state that was made from another has what was found there.
    private Together? _together;

    private sealed record Together(CheckReport Report, ImmutableArray<LineupLook> Looks, ImmutableArray<PlacedFinding> Findings);

    private ImmutableArray<PlacedFinding> Put()
    {
        var others = Looks
            .Where(look => look.Lineup != Studio.InForce || !ReferenceEquals(look.Report, Report))
            .Select(look => look.Report);
        var findings = LineupChecks.Together([Report, .. others], LineupChecks.Of(Studio));
        Volatile.Write(ref _together, new Together(Report, Looks, findings));
        return findings;
    }
}

/// <summary>Something that a person should know, whichever page is open.</summary>
/// <param name="Sentence">What.</param>
/// <param name="Version">The <see cref="DeskState.Version"/> with which it came: what is put away in one window is known by it.</param>
/// <param name="OfCircuit">Whether it is about a circuit: Checks say more.</param>
public sealed record Notice(string Sentence, int Version, bool OfCircuit = false);

/// <summary>
/// The one place where edits are made. An edit is checked, written to the database, put in force in the engine and
/// then shown, in that order, one after the other.
/// </summary>
/// <remarks>Edits may be asked for on any thread and are made one at a time; <see cref="State"/> is replaced as a whole and read without a
/// lock.</remarks>
public sealed partial class StudioDesk : IDisposable
{
    private const int RememberedPlans = 64;

    // So long a balance is heard that nobody moves on and nobody sets.
    private static readonly TimeSpan TrialTime = TimeSpan.FromSeconds(3);

    private readonly Lock _gate = new();
    private readonly Sweeper _sweeper;
    private readonly StudioStore _store;
    private readonly TimeProvider _time;
    private readonly bool _withRoom;
    private readonly ConcurrentDictionary<int, Studio> _plans = new();
    private readonly Prover _prover;
    private DeskState _state;
    private ITimer? _tried;
    private bool _isTried;
    private bool _isClosed;

    // The edit that was just held back because it would open a circuit: made again at once, it is meant.
    private StudioEdit? _heldBack;

    /// <summary>A desk for a studio from the database.</summary>
    /// <param name="store">The database.</param>
    /// <param name="stored">The studio as it was read.</param>
    /// <param name="time">Where the time comes from.</param>
    /// <exception cref="StudioFormatException">The stored document is not a studio.</exception>
    /// <param name="places">Where raw devices are looked for.</param>
    /// <param name="withRoom">Whether the stand-ins stand in the room, to be found.</param>
    /// <param name="asksForUrgency">Whether the threads that carry messages ask the system to run them before others.</param>
    /// <param name="notice">What was found when the database was opened and a person should know; null if nothing.</param>
    /// <param name="systems">The systems by which other programs are reached.</param>
    public StudioDesk(
        StudioStore store,
        StoredStudio stored,
        TimeProvider time,
        RawPlaces places,
        bool withRoom,
        bool asksForUrgency,
        IReadOnlyList<OutsideSystem> systems,
        string? notice = null
    )
    {
        _store = store;
        _time = time;
        var studio = Opened(stored);
        Junction = new Junction(studio, new StudioClock(time), asksForUrgency);
        StandIns = new StandInDriver(Junction, time, withRoom || StandInUnits.AreIn(studio));
        _withRoom = withRoom;
        Systems = [.. systems.Select(system => new OutsideDriver(Junction, system))];
        Browsers = new BrowserDriver(Junction, time);
        Park = new PortPark(
            Junction,
            time,
            [new VirtualDriver(Junction, Systems), new RawDriver(Junction, places, time), .. Systems, Browsers, StandIns]
        );
        Park.OutsideChanged += LookOutside;
        Scout = new Scout(Junction, time);
        Park.Match(studio);
        Remember(Junction.Compiled.Version, studio);
        _sweeper = new Sweeper(asksForUrgency);
        _prover = new Prover(Proved);
        _looker = new LineupLooker(LineupsLooked);
        lock (_gate)
            _state = Begun(studio, stored.Version, stored.Id, notice);
    }

    /// <summary>The database.</summary>
    internal StudioStore Store => _store;

    /// <summary>Where the ports meet the engine.</summary>
    public Junction Junction { get; }

    /// <summary>What stands behind the ports.</summary>
    public PortPark Park { get; }

    /// <summary>The ways to other programs.</summary>
    public IReadOnlyList<OutsideDriver> Systems { get; }

    /// <summary>The way to the devices of pages.</summary>
    public BrowserDriver Browsers { get; }

    /// <summary>The stand-ins that can be played.</summary>
    public StandInDriver StandIns { get; }

    /// <summary>Asks the room who is there and what comes back.</summary>
    public Scout Scout { get; }

    /// <summary>The studio as it is now.</summary>
    public DeskState State => Volatile.Read(ref _state);

    /// <summary>Makes an edit, or says why not. On return it is on the disk and in force.</summary>
    /// <param name="edit">The edit.</param>
    /// <returns>What became of it; its studio is the one now in force.</returns>
    public EditResult Apply(StudioEdit edit)
    {
        using var work = _sweeper.Work();
        lock (_gate)
        {
            var before = _state.Studio;
            var result = edit.Apply(before);
            if (result.Studio is not { } edited)
                return result;
            foreach (var cable in before.Outside.Except(edited.Outside))
                Park.Part(cable);
            // Nothing of it is the studio's own: what becomes of it is seen in a moment.
            if (edit is PartOutside)
                return result;
            var studio = edited.InAsIn(before);
            // What is written down must be read again: an edit keeps every rule that a file must keep.
            if (StudioRules.Broken(studio) is { } broken)
                return EditResult.Refused("studio", broken);
            if (studio.Name != before.Name && NameTaken(studio.Name, _state.StudioId) is { } taken)
                return EditResult.Refused("studio", taken);
            var title = edit.Title(before);
            string? waiting = null;
            var isMeant = _heldBack is { } held && held.Equals(edit);
            _heldBack = null;
            var report = _prover.TryProve(studio, _state.Report, mayOpen: isMeant || !before.Safety.OpeningWaits);
            if (report?.OpensCircuit(_state.Report) == true)
            {
                var opened = Opening.Of(_state.Report, report);
                if (!before.Safety.OpeningWaits || isMeant || opened.Waiting is not { } safe)
                {
                    waiting = IsOpen(opened);
                }
                else if (opened.IsUndone)
                {
                    _heldBack = edit;
                    return EditResult.Refused(
                        "circuit",
                        $"It waits, switched off: it would open a circuit. {opened.Circuit.Sentence} Do it once more to have it "
                            + "all the same."
                    );
                }
                else
                {
                    (studio, report) = (safe, opened.Report);
                    waiting = Waits(opened);
                    title += ", waiting";
                    result = EditResult.Done(studio, result.NewId);
                }
            }
            var problem = Enforce(studio, report, waiting, () =>
                _store.Append(_state.StudioId, title, StudioJson.Write(studio), _time.GetUtcNow().UtcDateTime, studio.Name, studio.NextId)
            );
            return problem is null ? result : EditResult.Refused(problem.Field, problem.Sentence);
        }
    }

    /// <summary>Lets a balance be heard for a moment. Nothing is written down or shown; the next edit, or the moment's end, takes its
    /// place.</summary>
    /// <param name="balance">The balance.</param>
    /// <returns>Why that cannot be, or null.</returns>
    public Problem? Try(SetBalance balance)
    {
        using var work = _sweeper.Work();
        lock (_gate)
        {
            if (_isClosed)
                return null;
            var result = balance.Apply(_state.Studio);
            if (result.Studio is not { } studio)
                return result.Problem;
            Play(studio, Junction.Prepare(studio));
            _tried ??= _time.CreateTimer(_ => EndTrial(), null, Timeout.InfiniteTimeSpan, Timeout.InfiniteTimeSpan);
            _tried.Change(TrialTime, Timeout.InfiniteTimeSpan);
            _isTried = true;
            return null;
        }
    }

    /// <summary>Whoever moved the fader has gone: what is written down is heard again.</summary>
    private void EndTrial()
    {
        using var work = _sweeper.Work();
        lock (_gate)
        {
            if (_isClosed || !_isTried)
                return;
            Play(_state.Studio, Junction.Prepare(_state.Studio));
        }
    }

    /// <summary>Has the engine play a studio.</summary>
    private void Play(Studio studio, PreparedStudio prepared)
    {
        Remember(prepared.Compiled.Version, studio);
        Junction.Swap(prepared);
        _isTried = false;
    }

    /// <summary>The versions of the open studio, the newest first.</summary>
    /// <param name="before">Only versions below this number; null for all.</param>
    /// <param name="count">At most how many.</param>
    public IReadOnlyList<StoredVersion> History(int? before, int count) => _store.History(State.StudioId, before, count);

    /// <summary>Where the open studio stands in its history.</summary>
    public HistoryPlace Place => _store.Place(State.StudioId);

    /// <summary>Takes the last edit back.</summary>
    /// <returns>What was taken back, in words, or why that cannot be.</returns>
    public (string? Done, Problem? Problem) Undo() =>
        Step(place => place.Undo, "There is nothing to undo: this is how the studio began.", _state.Undo);

    /// <summary>Makes the edit again that was taken back last.</summary>
    /// <returns>What was made again, in words, or why that cannot be.</returns>
    public (string? Done, Problem? Problem) Redo() => Step(place => place.Redo, "There is nothing to redo.", _state.Redo);

    /// <summary>Goes to any version of the open studio. None is lost by that.</summary>
    /// <param name="version">Its number.</param>
    /// <returns>Why that cannot be, or null.</returns>
    public Problem? GoTo(int version)
    {
        using var work = _sweeper.Work();
        lock (_gate)
        {
            try
            {
                if (_store.Document(_state.StudioId, version) is not { } document)
                    return new Problem("history", "There is no such version of this studio.");
                var studio = StudioJson.Read(document).Reserving(_state.Studio.NextId).InAsIn(_state.Studio);
                if (NameTaken(studio.Name, _state.StudioId) is { } taken)
                    return new Problem("history", taken);
                return Enforce(studio, _prover.TryProve(studio, _state.Report, mayOpen: true), null, () =>
                    _store.GoTo(_state.StudioId, version, studio.Name)
                );
            }
            catch (Exception exception) when (exception is StoreException or StudioFormatException)
            {
                return new Problem("history", exception.Message);
            }
        }
    }

    private (string? Done, Problem? Problem) Step(Func<HistoryPlace, (int Version, string Edit)?> where, string nothing, string? known)
    {
        using var work = _sweeper.Work();
        lock (_gate)
        {
            if (known is null)
                return (null, new Problem("history", nothing));
            try
            {
                if (where(_store.Place(_state.StudioId)) is not { } step)
                    return (null, new Problem("history", nothing));
                return GoTo(step.Version) is { } problem ? (null, problem) : (known, null);
            }
            catch (StoreException exception)
            {
                return (null, new Problem("history", exception.Message));
            }
        }
    }

    /// <summary>A studio that took longer to look at is proved: that is shown, and what opens a circuit waits from now on.</summary>
    private void Proved(Proof proof)
    {
        using var work = _sweeper.Work();
        lock (_gate)
        {
            // Closed, another studio, or edited meanwhile: the newest is looked at then.
            if (_isClosed || !ReferenceEquals(_state.Studio, proof.Studio))
                return;
            if (proof.Report is not { } report)
            {
                Show(
                    _state with
                    {
                        Notice = new Notice(
                            "The checks failed on this studio: whether a circuit is open is not known.",
                            _state.Version + 1
                        ),
                    }
                );
                return;
            }
            if (proof.Opened is not { } opened)
            {
                Show(Looked(_state with { Report = report, IsLooking = false }));
                return;
            }
            if (!proof.MayOpen && opened.Waiting is { } safe)
            {
                if (report.Studio.Routes.FirstOrDefault(route => safe.FindRoute(route.Id) is { On: false } && route.On) is { } held)
                    _heldBack = new SwitchRoute(held.Id, true);
                if (
                    Enforce(safe, opened.Report, Waits(opened), () =>
                        _store.Append(
                            _state.StudioId,
                            $"{opened.Names} waits",
                            StudioJson.Write(safe),
                            _time.GetUtcNow().UtcDateTime,
                            safe.Name,
                            safe.NextId
                        )
                    )
                    is null
                )
                    return;
            }
            Show(
                Looked(
                    _state with
                    {
                        Report = report,
                        IsLooking = false,
                        Notice = new Notice(IsOpen(opened), _state.Version + 1, OfCircuit: true),
                    }
                )
            );
        }
    }

    /// <summary>What other programs have connected is part of what is looked at, as soon as it is seen.</summary>
    private void LookOutside() =>
        ThreadPool.QueueUserWorkItem(_ =>
        {
            lock (_gate)
            {
                if (_isClosed)
                    return;
                var studio = _state.Studio.WithOutside(Park.State.Outside);
                if (ReferenceEquals(studio, _state.Studio))
                    return;
                var known = _state.Report;
                var report = _prover.TryProve(studio, known, mayOpen: true);
                Show(
                    Looked(
                        _state with
                        {
                            Studio = studio,
                            Report = report ?? known,
                            IsLooking = report is null,
                            Notice =
                                report?.OpensCircuit(known) == true
                                    ? new Notice(
                                        $"Another program has closed a circuit: {Opening.Of(known, report).Circuit.Sentence}",
                                        _state.Version + 1,
                                        OfCircuit: true
                                    )
                                    : _state.Notice,
                        }
                    )
                );
            }
        });

    /// <summary>Tells what was measured while the studio is played: where it changes what the checks say, that is shown.</summary>
    /// <param name="studioId">The studio that was played.</param>
    /// <param name="measured">What was measured.</param>
    /// <returns>Whether it was taken; while the checks look, it is to be told again.</returns>
    public bool TryTell(int studioId, Measured measured)
    {
        var state = State;
        if (state.IsLooking || state.StudioId != studioId)
            return false;
        var report = state.Report.With(measured);
        if (ReferenceEquals(report, state.Report))
            return true;
        lock (_gate)
        {
            if (_isClosed || !ReferenceEquals(_state.Report, state.Report) || _state.IsLooking)
                return false;
            Show(_state with { Report = report });
        }
        return true;
    }

    private static string Waits(Opening opened) =>
        $"{opened.Names} waits, switched off: it would open a circuit. {opened.Circuit.Sentence}";

    private static string IsOpen(Opening opened) => $"A circuit is open now: {opened.Circuit.Sentence}";

    private void Show(DeskState state) => Volatile.Write(ref _state, state with { Version = _state.Version + 1 });

    /// <summary>Writes a studio down, puts it in force in the engine and shows it; or changes nothing.</summary>
    /// <param name="studio">The studio.</param>
    /// <param name="report">What the checks say of it; null while they look.</param>
    /// <param name="waiting">What is to be said of a circuit, or null.</param>
    /// <param name="write">Writes it down.</param>
    private Problem? Enforce(Studio studio, CheckReport? report, string? waiting, Action write)
    {
        var before = _state.Studio;
        var prepared = Junction.Prepare(studio);
        try
        {
            write();
        }
        catch (StoreException exception)
        {
            return new Problem("studio", exception.Message);
        }
        Play(studio, prepared);
        Park.Match(studio);
        var gone =
            before.Current is { } was && studio.FindLineup(was.Id) is null
                ? $"{before.NameOf(was.Id)} is gone; "
                    + $"{(studio.InForce is { } now ? $"{studio.NameOf(now)} is in force now." : "every route is standing now.")}"
                : null;
        Show(
            Looked(
                Placed(
                    _state with
                    {
                        Studio = studio,
                        Report = report ?? _state.Report,
                        IsLooking = report is null,
                        Notice = (waiting ?? gone) is { } said
                            ? new Notice(said, _state.Version + 1, OfCircuit: waiting is not null)
                            : null,
                        EnteredAt = studio.InForce == before.InForce ? _state.EnteredAt : _time.GetLocalNow(),
                    }
                )
            )
        );
        if (studio.InForce != before.InForce)
            Remember(studio.InForce);
        SendLocalControl(before, studio);
        return null;
    }

    /// <summary>A studio as it was read, in the lineup that was in force last, or the first.</summary>
    private static Studio Opened(StoredStudio stored)
    {
        var studio = StudioJson.Read(stored.Document).Reserving(stored.NextId);
        return studio.InAsIn(studio.In(stored.Lineup is { } id ? new LineupId(id) : null));
    }

    /// <summary>A studio as it is when it is opened: nothing is known of it yet but what is found at once.</summary>
    private DeskState Begun(Studio studio, int version, int id, string? notice)
    {
        var report = _prover.TryProve(studio, Prover.Unknown, mayOpen: true);
        _meant.Clear();
        _asked = null;
        LookOutside();
        return Looked(
            Placed(
                new DeskState(studio, version, id)
                {
                    Report = report ?? Prover.Unknown,
                    IsLooking = report is null,
                    Notice = notice is null ? null : new Notice(notice, version),
                }
            )
        );
    }

    private DeskState Placed(DeskState state)
    {
        try
        {
            var place = _store.Place(state.StudioId);
            return state with { Undo = place.Undo?.Edit, Redo = place.Redo?.Edit };
        }
        catch (StoreException)
        {
            // The edit itself is on the disk: only what could be undone is not known.
            return state with { Undo = null, Redo = null };
        }
    }

    /// <summary>Local control is switched by controller 122 (MIDI 1.0 Detailed Specification, "Channel Mode Messages"), on each
    /// channel that the device sends on, wherever it can be reached.</summary>
    private void SendLocalControl(Studio before, Studio after)
    {
        if (before.Devices == after.Devices)
            return;
        foreach (var device in after.Devices)
        {
            if (device.LocalControl is not { } local || before.FindDevice(device.Id)?.LocalControl is not { } old || old.On == local.On)
                continue;
            foreach (var port in after.PortsOf(device.Id).Where(port => !port.IsSource))
            {
                foreach (var channel in device.Sends.Members)
                    Junction.Send(port.Id, [(byte)(0xB0 | channel.Index), 122, local.On ? (byte)127 : (byte)0]);
            }
        }
    }

    /// <summary>The studio from which a plan was made, if that was not too long ago.</summary>
    /// <param name="planVersion">The plan's version.</param>
    public Studio? StudioOfPlan(int planVersion) => _plans.GetValueOrDefault(planVersion);

    /// <inheritdoc/>
    public void Dispose()
    {
        lock (_gate)
            _isClosed = true;
        _tried?.Dispose();
        Junction.AllNotesOff();
        Scout.Dispose();
        Park.Dispose();
        Junction.Dispose();
        _sweeper.Dispose();
        _store.Dispose();
    }

    private void Remember(int version, Studio studio)
    {
        _plans[version] = studio.ToKeep();
        _plans.TryRemove(version - RememberedPlans, out _);
    }
}
