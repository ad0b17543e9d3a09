using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;

namespace Weiche.Core.Checks;

/// <summary>An edit that opens a circuit, and how the studio would be with what opens it switched off.</summary>
/// <param name="Circuit">The circuit.</param>
/// <param name="Waiting">The studio with the edit made and the routes that close the circuit switched off; null if that does not
/// help.</param>
/// <param name="Names">Those routes, in words.</param>
/// <param name="IsUndone">Whether nothing of the edit is left then: it only switched on what waits.</param>
/// <param name="Report">What is found of <paramref name="Waiting"/>.</param>
public sealed record Opening(Finding Circuit, Studio? Waiting, string Names, bool IsUndone, CheckReport Report)
{
    private const int MostRoutes = 16;

    /// <summary>What an edit opens.</summary>
    /// <param name="before">What was found before it.</param>
    /// <param name="after">What is found after it, where it opens a circuit.</param>
    public static Opening Of(CheckReport before, CheckReport after)
    {
        var circuit = New(before, after);
        var (studio, report) = (after.Studio, after);
        var off = new List<Route>();
        while (report.OpensCircuit(before) && off.Count < MostRoutes)
        {
            var open = New(before, report);
            // The route that the edit laid or changed waits; else the one in the ring that fewest sources share.
            var route = open
                .Routes.Select(id => studio.FindRoute(id)!)
                .Where(route => route.On)
                .OrderBy(route => ReferenceEquals(before.Studio.FindRoute(route.Id), route) ? 1 : 0)
                .ThenBy(route => studio.SourcesOf(route).Count())
                .ThenByDescending(route => route.Id.Value)
                .FirstOrDefault();
            if (route is null || Without(before.Studio, studio, route) is not { } safe)
                break;
            off.Add(route);
            (studio, report) = (safe, Checker.Check(safe, report));
        }
        var names = string.Join(", ", off.Select(after.Studio.Describe));
        var isUndone =
            off.TrueForAll(route => before.Studio.FindRoute(route.Id) is { On: false } was && (was with { On = true }).Equals(route))
            && studio.Devices == before.Studio.Devices
            && studio.Cables == before.Studio.Cables;
        // A route that the edit put on duty, and nothing else, is as it was.
        isUndone |=
            off.Count > 0
            && off.TrueForAll(route => before.Studio.FindRoute(route.Id) is { } was && IsPutOnDuty(before.Studio, was, route));
        return new Opening(circuit, report.OpensCircuit(before) ? null : studio, names, isUndone && off.Count > 0, report);
    }

    /// <summary>The studio with a route that closes a circuit taken away: one that was put on duty alone is off duty again, any other is
    /// switched off.</summary>
    private static Studio? Without(Studio before, Studio after, Route route) =>
        before.FindRoute(route.Id) is { } was && IsPutOnDuty(before, was, route)
            ? after.With(route, was)
            : new SwitchRoute(route.Id, false).Apply(after).Studio;

    private static bool IsPutOnDuty(Studio before, Route was, Route route) =>
        !was.Duty.IsOn(before.InForce) && route.Duty.IsOn(before.InForce) && (was with { Duty = route.Duty }).Equals(route);

    /// <summary>A circuit that was not there before, as far as that can be told by where it runs.</summary>
    private static Finding New(CheckReport before, CheckReport after) =>
        after.OpenCircuits.FirstOrDefault(circuit =>
            !before.OpenCircuits.Any(old => old.Routes.SequenceEqual(circuit.Routes) && old.Messages.Equals(circuit.Messages))
        ) ?? after.OpenCircuits.First();
}
