using System.Collections.Immutable;
using Weiche.Core.Checks;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;
using Weiche.Data;

namespace Weiche.Web.Desk;

/// <content>Lineups as they are played: entered on screen or by a lever, remembered, and looked at before they are entered.</content>
public sealed partial class StudioDesk
{
    private readonly LineupLooker _looker;

    // Lineups whose open circuits somebody has seen and meant, each with what was open then.
    private readonly Dictionary<LineupId, string> _meant = [];

    // The lineup that was just asked back about: entered again at once, it is meant.
    private LineupId? _asked;
    private long _played;

    /// <summary>Enters a lineup. One that would open a circuit is asked back about once.</summary>
    /// <param name="id">The lineup.</param>
    /// <returns>Why it was not entered, or null.</returns>
    public Problem? Enter(LineupId id)
    {
        using var work = _sweeper.Work();
        lock (_gate)
        {
            var studio = _state.Studio;
            if (studio.FindLineup(id) is null)
                return new Problem("lineup", "That lineup is gone: it was removed meanwhile.");
            if (studio.HeldOff.Any(held => held.Lineup == id))
            {
                var look = _state.Looks.FirstOrDefault(each => each.Lineup == id);
                if (_asked != id)
                {
                    _asked = id;
                    return new Problem(
                        "lineup",
                        $"{studio.NameOf(id)} would open a circuit. {look?.Report.OpenCircuits.FirstOrDefault()?.Sentence} Enter "
                            + "it once more to have it all the same; Checks say what would mend it."
                    );
                }
                if (look is not null)
                    _meant[id] = SignOf(look.Report);
                studio = studio with { HeldOff = studio.HeldOff.Except(studio.HeldOff.Where(held => held.Lineup == id)) };
                Play(studio, Junction.Prepare(studio));
                Show(_state with { Studio = studio });
            }
            Junction.Enter(id);
            TakeOver();
            return null;
        }
    }

    /// <summary>Enters the lineup so many places on in the running order.</summary>
    /// <param name="by">1 for the next, −1 for the one before.</param>
    /// <returns>Why none was entered, or null.</returns>
    public Problem? EnterBeside(int by)
    {
        var studio = State.Studio;
        if (studio.Lineups.IsEmpty)
            return new Problem("lineup", "There are no lineups yet: Lineups (5) makes the first one.");
        return studio.Beside(by) is { } lineup
            ? Enter(lineup.Id)
            : new Problem(
                "lineup",
                by < 0
                    ? $"{studio.NameOf(studio.InForce!.Value)} is the first of the evening."
                    : $"{studio.NameOf(studio.InForce!.Value)} is the last of the evening."
            );
    }

    /// <summary>Takes over what levers have done since this was last asked. Asked a few times a second.</summary>
    public void FollowLevers()
    {
        if (Junction.PlayedVersion == Volatile.Read(ref _played))
            return;
        using var work = _sweeper.Work();
        lock (_gate)
        {
            if (!_isClosed)
                TakeOver();
        }
    }

    /// <summary>Shows and remembers what is in force in the engine.</summary>
    private void TakeOver()
    {
        Volatile.Write(ref _played, Junction.PlayedVersion);
        var studio = _state.Studio;
        if (Junction.InForce is not { } id || studio.FindLineup(id) is not { } lineup || id == studio.InForce)
        {
            // A lever has switched a route.
            Show(_state);
            return;
        }
        _asked = null;
        studio = studio.In(id);
        var held = studio.HeldOff.Where(each => each.Lineup == id).Select(each => studio.FindRoute(each.Route)).OfType<Route>().ToList();
        var known = _state.Looks.FirstOrDefault(look => look.Lineup == id)?.Report;
        var report = held.Count == 0 && known is not null ? known : _prover.TryProve(studio, known ?? _state.Report, mayOpen: true);
        var notice =
            held.Count == 0
                ? null
                : new Notice(
                    $"{studio.NameOf(id)} was entered without {string.Join(", ", held.Select(studio.Describe))}: it would open a "
                        + "circuit. Enter it here to have it all the same.",
                    _state.Version + 1,
                    OfCircuit: true
                );
        Show(
            Looked(
                _state with
                {
                    Studio = studio,
                    Report = report ?? _state.Report,
                    IsLooking = report is null,
                    Notice = notice,
                    EnteredAt = _time.GetLocalNow(),
                }
            )
        );
        Remember(lineup.Id);
        // What comes from now on is told as in this lineup.
        Remember(Junction.Compiled.Version, studio);
    }

    private void Remember(LineupId? lineup)
    {
        try
        {
            _store.Entered(_state.StudioId, lineup?.Value);
        }
        catch (StoreException exception)
        {
            // What is played goes on; only after a restart another lineup is in force.
            Console.Error.WriteLine($"Which lineup is in force was not written down: {exception.Message}");
        }
    }

    /// <summary>A state with what is known of all lineups, as far as that takes no more than a moment.</summary>
    private DeskState Looked(DeskState state)
    {
        if (state.Studio.Lineups.IsEmpty)
            return state with { Looks = [] };
        if (state.IsLooking)
            return state;
        var looks = _looker.TryLook(state.Studio, state.Report, state.Looks);
        return looks is { } found ? HoldingOff(state with { Looks = found }) : state with { IsLooking = true };
    }

    private void LineupsLooked(Studio studio, ImmutableArray<LineupLook>? looks)
    {
        using var work = _sweeper.Work();
        lock (_gate)
        {
            if (_isClosed || !ReferenceEquals(_state.Studio, studio))
                return;
            Show(
                looks is { } found
                    ? HoldingOff(_state with { Looks = found, IsLooking = false })
                    : _state with
                    {
                        IsLooking = false,
                        Notice = new Notice(
                            "The checks failed on a lineup of this studio: whether a circuit is open there is not known.",
                            _state.Version + 1
                        ),
                    }
            );
        }
    }

    /// <summary>Has each lineup that is not in force be entered without what would close a circuit there, unless that is meant.</summary>
    private DeskState HoldingOff(DeskState state)
    {
        var studio = state.Studio;
        var held = studio.HeldOff.Where(each => each.Lineup == studio.InForce).ToImmutableHashSet();
        foreach (var look in state.Looks)
        {
            // Who plays a lineup with an open circuit knows of it.
            if (look.Lineup == studio.InForce && held.IsEmpty)
                _meant[look.Lineup] = SignOf(look.Report);
            if (
                look.Lineup == studio.InForce
                || !studio.Safety.OpeningWaits
                || _meant.GetValueOrDefault(look.Lineup) == SignOf(look.Report)
            )
                continue;
            held = held.Union(look.HeldOff.Select(route => (look.Lineup, route)));
        }
        if (held.SetEquals(studio.HeldOff))
            return state;
        studio = studio with { HeldOff = held };
        Play(studio, Junction.Prepare(studio));
        return state with { Studio = studio };
    }

    private static string SignOf(CheckReport report) =>
        string.Join(' ', report.OpenCircuits.Select(circuit => circuit.Key).Order(StringComparer.Ordinal));
}
