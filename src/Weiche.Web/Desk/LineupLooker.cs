using System.Collections.Immutable;
using Weiche.Core.Checks;
using Weiche.Core.Studios;

namespace Weiche.Web.Desk;

/// <summary>What the checks say of a lineup.</summary>
/// <param name="Lineup">The lineup.</param>
/// <param name="Report">What they say, with all its routes.</param>
/// <param name="HeldOff">The routes that it would be entered without, since they close a circuit there.</param>
public sealed record LineupLook(LineupId Lineup, CheckReport Report, ImmutableArray<RouteId> HeldOff);

/// <summary>Looks at the lineups that are not in force: a few small ones before an edit is answered, else beside the work, of the studios
/// that follow one another the newest.</summary>
/// <param name="looked">Takes what was found later, on a thread of its own; null if the checks failed.</param>
internal sealed class LineupLooker(Action<Studio, ImmutableArray<LineupLook>?> looked)
{
    /// <summary>With so many routes, over all lineups, a look is no matter of a moment.</summary>
    private const int ManyRoutes = 150;

    private readonly Lock _gate = new();
    private (Studio Studio, CheckReport Report, ImmutableArray<LineupLook> Known)? _next;
    private bool _isLooking;

    /// <summary>Looks at all lineups of a studio; returns what was found, or null if it is told later.</summary>
    /// <param name="studio">The studio, in the lineup in force.</param>
    /// <param name="report">What was found in that.</param>
    /// <param name="known">What was found of lineups before.</param>
    internal ImmutableArray<LineupLook>? TryLook(Studio studio, CheckReport report, ImmutableArray<LineupLook> known)
    {
        lock (_gate)
        {
            if (!_isLooking && studio.Routes.Length * studio.Lineups.Length < ManyRoutes)
                return Look(studio, report, known);
            _next = (studio, report, known);
            if (_isLooking)
                return null;
            _isLooking = true;
        }
        Task.Run(GoOn);
        return null;
    }

    private void GoOn()
    {
        while (true)
        {
            (Studio Studio, CheckReport Report, ImmutableArray<LineupLook> Known) now;
            lock (_gate)
            {
                if (_next is not { } next)
                {
                    _isLooking = false;
                    return;
                }
                (now, _next) = (next, null);
            }
            try
            {
                var looks = Look(now.Studio, now.Report, now.Known);
                lock (_gate)
                {
                    if (_next is not null)
                        continue;
                }
                looked(now.Studio, looks);
            }
            catch (Exception exception)
            {
                Console.Error.WriteLine($"The checks failed on a lineup of {now.Studio.Name}: {exception}");
                looked(now.Studio, null);
            }
        }
    }

    private static ImmutableArray<LineupLook> Look(Studio studio, CheckReport report, ImmutableArray<LineupLook> known)
    {
        var whole = studio with { HeldOff = [] };
        var looks = ImmutableArray.CreateBuilder<LineupLook>(studio.Lineups.Length);
        foreach (var lineup in studio.Lineups)
        {
            var isInForce = lineup.Id == studio.InForce && studio.HeldOff.All(held => held.Lineup != lineup.Id);
            var before = known.FirstOrDefault(look => look.Lineup == lineup.Id)?.Report;
            var found = isInForce ? report : Checker.Check(whole.In(lineup.Id), before ?? report);
            looks.Add(new LineupLook(lineup.Id, found, LineupChecks.HeldOff(found)));
        }
        return looks.ToImmutable();
    }
}
