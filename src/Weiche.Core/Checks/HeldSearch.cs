using Weiche.Core.Midi;
using Weiche.Core.Sets;
using Weiche.Core.Stages;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;

namespace Weiche.Core.Checks;

/// <summary>Finds the circuits that are closed but for exactly one thing: a stage, a switch, or what a device is said to send. No
/// fault, but that one thing must not be touched.</summary>
/// <remarks>Each thing that lies on a way which would be closed if everything were open is opened by itself, and the studio checked again.
/// That takes a while in a large studio; it is done after the rest is on screen.</remarks>
public static class HeldSearch
{
    /// <summary>The most things that are opened, one after the other; in a large studio fewer.</summary>
    public const int MaxThings = 400;

    // Each thing means a search of the whole graph: so many steps are gone through in all.
    private const int MostSteps = 80_000;

    /// <summary>The findings.</summary>
    /// <param name="report">What was found otherwise.</param>
    /// <param name="cancel">Ends the search early.</param>
    /// <returns>The findings, and whether all things were looked at, or only the first <see cref="MaxThings"/>.</returns>
    public static (IReadOnlyList<Finding> Findings, bool IsWhole) Of(CheckReport report, CancellationToken cancel = default)
    {
        var studio = report.Studio;
        var open = Flow.Of(EverythingOpen(studio), report.Search.Flow);
        var closed = open.Components.Where(component => component.IsClosed).SelectMany(component => component.Places).ToHashSet();
        if (closed.Count == 0)
            return ([], true);
        var routes = open.Steps.Where(step => step.Route is not null && open.IsWithin(step)).Select(step => step.Route!.Id).ToHashSet();
        var paths = open
            .Steps.Where(step => step.Link?.Inner is not null && open.IsWithin(step))
            .Select(step => step.Link!.Inner!.Id)
            .ToHashSet();
        var findings = new List<Finding>();
        var openPorts = report.OpenCircuits.SelectMany(finding => finding.Ring).Select(leg => leg.Place).ToHashSet();
        var count = 0;
        var most = Math.Clamp(MostSteps / Math.Max(1, open.Steps.Length), 8, MaxThings);
        foreach (var (key, thing, after, onRoutes) in Things(studio, routes, paths))
        {
            if (++count > most || cancel.IsCancellationRequested)
                return (findings, false);
            if (after is null)
                continue;
            var search = CircuitSearch.Of(Flow.Of(after, report.Search.Flow), report.Search);
            search.Forget();
            if (!search.OpensMoreThan(report.Search))
                continue;
            // What is open in any case is told as such.
            var circuit = Circuits
                .Of(search)
                .FirstOrDefault(finding => finding.IsOpenCircuit && !finding.Ring.Any(leg => openPorts.Contains(leg.Place)));
            if (circuit is null)
                continue;
            var names = string.Join(" – ", Circuits.NamesOf(circuit.Ring));
            findings.Add(
                new Finding(
                    FindingKind.Held,
                    Severity.Notice,
                    $"held-{key}",
                    $"{names} is closed but for one thing",
                    $"{thing}: leave it there."
                )
                {
                    Ring = circuit.Ring,
                    Round = circuit.Round,
                    Routes = onRoutes,
                    Opens = onRoutes is [var route] && studio.FindRoute(route) is { On: false } ? new SwitchRoute(route, true) : null,
                    Runs = [.. circuit.Runs.Where(run => run.Runs).Select(run => run with { Verdict = "would run" })],
                    Evidence = ["No fault: nothing goes round. If this one thing were changed, it would."],
                }
            );
        }
        return (findings, true);
    }

    /// <summary>The same studio with every route and way open, nothing soloed, diverted or stopped.</summary>
    private static Studio EverythingOpen(Studio studio) =>
        studio with
        {
            Devices =
            [
                .. studio.Devices.Select(device =>
                    device with
                    {
                        Ports = [.. device.Ports.Select(port => port with { On = true })],
                        InnerPaths = [.. device.InnerPaths.Select(path => path with { On = true, Stages = [] })],
                    }
                ),
            ],
            Routes = [.. studio.Routes.Select(route => route with { On = true, Solo = false, Divert = false, Stages = [] })],
        };

    /// <summary>Every single thing, and the studio without it.</summary>
    private static IEnumerable<(
        string Key,
        string Thing,
        Studio? After,
        System.Collections.Immutable.ImmutableArray<RouteId> Routes
    )> Things(Studio studio, HashSet<RouteId> routes, HashSet<InnerPathId> paths)
    {
        foreach (var route in studio.Routes.Where(route => routes.Contains(route.Id)))
        {
            var name = studio.Describe(route);
            if (!route.On)
                yield return (
                    $"route-{route.Id}",
                    $"{name} is switched off",
                    new SwitchRoute(route.Id, true).Apply(studio).Studio,
                    [route.Id]
                );
            else
            {
                for (var i = 0; i < route.Stages.Length; i++)
                {
                    if (route.Stages[i].LetsAllPass)
                        continue;
                    yield return (
                        $"stage-{route.Id}-{i}",
                        $"{route.Stages[i].Name} “{route.Stages[i].Sign(studio.KeyNaming)}” on {name}",
                        With(studio, route, route with { Stages = route.Stages.SetItem(i, new OffStage(route.Stages[i])) }),
                        [route.Id]
                    );
                }
            }
        }
        // A route that diverts need not lie on the way that it keeps closed.
        foreach (var route in studio.Routes.Where(route => route is { On: true, Divert: true }))
            yield return (
                $"divert-{route.Id}",
                $"{studio.Describe(route)} diverts",
                With(studio, route, route with { Divert = false }),
                [route.Id]
            );
        if (studio.Routes.Any(route => route is { On: true, Solo: true }))
        {
            var soloed = studio.Routes.Where(route => route.Solo).ToList();
            yield return (
                "solo",
                $"{WordList.Of([.. soloed.Take(3).Select(studio.Describe)])} {(soloed.Count == 1 ? "is" : "are")} soloed",
                studio with
                {
                    Routes = [.. studio.Routes.Select(route => route with { Solo = false })],
                },
                [.. soloed.Select(route => route.Id)]
            );
        }
        foreach (var device in studio.Devices)
        {
            foreach (var path in device.InnerPaths.Where(path => paths.Contains(path.Id)))
            {
                if (!path.On)
                    yield return (
                        $"path-{path.Id}",
                        $"“{path.Name}” of {device.Name} is closed",
                        studio.With(device, device with { InnerPaths = device.InnerPaths.Replace(path, path with { On = true }) }),
                        []
                    );
                for (var i = 0; path.On && i < path.Stages.Length; i++)
                {
                    if (path.Stages[i].LetsAllPass)
                        continue;
                    var opened = path with { Stages = path.Stages.SetItem(i, new OffStage(path.Stages[i])) };
                    yield return (
                        $"stage-{path.Id}-{i}",
                        $"{path.Stages[i].Name} “{path.Stages[i].Sign(studio.KeyNaming)}” of “{path.Name}” in {device.Name}",
                        studio.With(device, device with { InnerPaths = device.InnerPaths.Replace(path, opened) }),
                        []
                    );
                }
            }
            foreach (var port in device.Ports.Where(port => !port.On))
                yield return (
                    $"port-{port.Id}",
                    $"{studio.FindPort(port.Id)!.Value.Label} is switched off",
                    studio.With(device, device with { Ports = device.Ports.Replace(port, port with { On = true }) }),
                    []
                );
            if (!device.PassesOn() && device.Sends.Count is > 0 and < Channel.Count)
                yield return (
                    $"sends-{device.Id}",
                    $"{device.Name} sends on channel {device.Sends} only",
                    studio.With(device, device with { Sends = ChannelSet.All }),
                    []
                );
        }
    }

    private static Studio With(Studio studio, Route before, Route after) => studio with { Routes = studio.Routes.Replace(before, after) };
}
