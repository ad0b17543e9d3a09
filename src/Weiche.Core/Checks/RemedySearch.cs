using System.Collections.Immutable;
using Weiche.Core.Midi;
using Weiche.Core.Sets;
using Weiche.Core.Stages;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;

namespace Weiche.Core.Checks;

/// <summary>A change that removes a finding, and what it costs.</summary>
/// <param name="Key">Names it among the remedies of its finding, for forms.</param>
/// <param name="Title">What is done: "Switch off Brandung → Bandhaus".</param>
/// <param name="Edit">The change of the studio; one step, and one undo.</param>
/// <param name="AtDevice">Whether a person does it, at the device: then the change only says that it was done.</param>
/// <param name="Lost">The deliveries that would no longer happen.</param>
/// <param name="Cost">How much that is: a point for each pair of devices, kind and channel.</param>
public sealed record PricedRemedy(string Key, string Title, StudioEdit Edit, bool AtDevice, ImmutableArray<LostDelivery> Lost, int Cost)
{
    /// <summary>What it costs, in words.</summary>
    public string Price =>
        Lost.Length switch
        {
            0 => "costs nothing: everything still gets everywhere it got before",
            1 => $"costs 1 delivery: {Lost[0]}",
            _ => $"costs {Lost.Length} deliveries: "
                + $"{string.Join("; ", Lost.Take(2))}{(Lost.Length > 2 ? $"; and {Lost.Length - 2} more" : "")}",
        };
}

/// <summary>The remedies of a finding, the cheapest first.</summary>
/// <param name="Remedies">Each of them removes the finding by itself.</param>
/// <param name="IsProvedLeast">Whether no cheaper one can be put together of the changes that were looked at; else the first is good,
/// not proved least.</param>
public sealed record RemedyList(ImmutableArray<PricedRemedy> Remedies, bool IsProvedLeast);

/// <summary>Looks for what removes a finding at the least cost. Each candidate is tried on a copy of the studio, which is then
/// checked as a whole.</summary>
public static class RemedySearch
{
    /// <summary>The most candidates that are tried, and the most sets of them.</summary>
    private const int MaxCandidates = 40;
    private const int MaxSets = 128;
    private const int MaxShown = 6;

    // Each trial looks at the whole studio: so many steps are gone through in all, whatever the machine.
    private const int MostSteps = 40_000;

    // In a studio that is one large tangle each trial takes long: fewer are made, and prices are those of so many devices.
    private const int TangledSteps = 2_000;
    private const int TangledCandidates = 6;
    private const int TangledHearers = 16;

    private sealed record Candidate(string Title, StudioEdit Edit, bool AtDevice);

    private sealed record Tried(Candidate Candidate, bool Removes, List<LostDelivery> Lost, int Cost);

    /// <summary>The remedies of a finding.</summary>
    /// <param name="report">The report that it is in.</param>
    /// <param name="finding">The finding.</param>
    public static RemedyList For(CheckReport report, Finding finding)
    {
        if (finding.Opens is { } opens)
            return ForWaiting(report, opens);
        var studio = report.Studio;
        var flow = report.Search.Flow;
        var tangled = flow.Steps.Length > TangledSteps || !report.Looked.IsWhole;
        var trials = Math.Clamp(MostSteps / Math.Max(1, flow.Steps.Length), TangledCandidates, MaxCandidates + MaxSets);
        var most = tangled ? TangledCandidates : Math.Min(MaxCandidates, trials);
        var all = Candidates(studio, finding).DistinctBy(candidate => candidate.Title);
        // Where few can be tried, what stands on the ring itself comes first, and switching off before what narrows.
        if (tangled)
            all = all.OrderBy(candidate =>
                SwitchedOff(candidate.Edit) is { } off
                    ? finding.Ring.Any(leg => leg.Route == off)
                        ? 0
                        : 2
                    : candidate.Edit is SwitchInnerPath or PartOutside
                        ? 1
                        : 3
            );
        var candidates = all.Take(most + 1).ToList();
        var hearers = Deliveries
            .HearersBehind(flow, StepsOf(flow, finding))
            .Distinct()
            .Take(tangled ? TangledHearers : int.MaxValue)
            .ToHashSet();
        var before = Deliveries.Of(flow, hearers);
        var tried = candidates.Take(most).Select(candidate => Try(candidate)).OfType<Tried>().ToList();
        var complete = tried.Where(each => each.Removes).ToList();
        var least = complete.Count > 0 ? complete.Min(each => each.Cost) : int.MaxValue;
        // What does not do alone may do together, and for less. No set costs less than the dearest of its members.
        var parts = tried.Where(each => !each.Removes && each.Cost < least).OrderBy(each => each.Cost).ToList();
        var isWhole = !tangled && candidates.Count <= most && (least == 0 || parts.Count <= 6);
        var sets = 0;
        // A set that does needs nothing more.
        var enough = new List<List<Tried>>();
        foreach (var set in least == 0 || tangled ? [] : Sets(parts.Take(12).ToList()))
        {
            if (sets++ >= Math.Min(MaxSets, trials - tried.Count))
            {
                isWhole = false;
                break;
            }
            if (set.Max(each => each.Cost) >= least || enough.Exists(smaller => smaller.TrueForAll(set.Contains)))
                continue;
            var together = new Candidate(
                WordList.Capital(
                    WordList.Of([.. set.Select(each => char.ToLowerInvariant(each.Candidate.Title[0]) + each.Candidate.Title[1..])])
                ),
                new ManyEdits([.. set.Select(each => each.Candidate.Edit)], $"Remedy: {finding.Title}"),
                set.Exists(each => each.Candidate.AtDevice)
            );
            if (Try(together) is not { Removes: true } found)
                continue;
            enough.Add(set);
            complete.Add(found);
            least = Math.Min(least, found.Cost);
        }
        var shown = complete
            .OrderBy(each => each.Cost)
            .ThenBy(each => each.Lost.Count)
            .ThenBy(each => each.Candidate.AtDevice ? 0 : 1)
            .Take(MaxShown)
            .Select(each => new PricedRemedy(
                KeyOf(each.Candidate.Title),
                each.Candidate.Title,
                each.Candidate.Edit,
                each.Candidate.AtDevice,
                [.. each.Lost],
                each.Cost
            ));
        return new RemedyList([.. shown], isWhole && complete.Count > 0);

        Tried? Try(Candidate candidate)
        {
            if (candidate.Edit.Apply(studio).Studio is not { } after)
                return null;
            // Of a circuit only circuits matter, of a double only doubles; of anything else all that is found.
            var then = finding.IsOpenCircuit || finding.Kind == FindingKind.Doubled ? null : Checker.Check(after, report);
            var search = then?.Search ?? CircuitSearch.Of(Flow.Of(after, report.Search.Flow), report.Search);
            var removes =
                then is not null ? then.Findings.All(other => other.Key != finding.Key)
                : finding.Kind == FindingKind.Doubled
                    ? Doubles.Of(search.Flow, WaySearch.Of(search.Flow)).All(other => other.Key != finding.Key)
                : !StillRuns(finding, report.Search, search);
            search.Forget();
            if (search.OpensMoreThan(report.Search))
                return null;
            var lost = before.LostIn(Deliveries.Of(search.Flow, hearers));
            return new Tried(candidate, removes, lost, Deliveries.CostOf(lost));
        }
    }

    private static RouteId? SwitchedOff(StudioEdit edit) =>
        edit switch
        {
            SwitchRoute off => off.Id,
            PlaceRoute off => off.Id,
            _ => null,
        };

    /// <summary>A route that waits, since it would open a circuit: what would keep that closed with the route switched on.</summary>
    private static RemedyList ForWaiting(CheckReport report, SwitchRoute opens)
    {
        var none = new RemedyList([], false);
        if (report.Studio.FindRoute(opens.Id) is not { } route || opens.Apply(report.Studio).Studio is not { } after)
            return none;
        var then = Checker.Check(after, report);
        var known = report.OpenCircuits.Select(finding => finding.Key).ToHashSet();
        if (then.OpenCircuits.FirstOrDefault(finding => !known.Contains(finding.Key)) is not { } circuit)
            return none;
        var list = For(then, circuit);
        var name = report.Studio.Describe(route);
        return list with
        {
            Remedies =
            [
                .. list
                    .Remedies.Where(remedy => remedy.Edit is not SwitchRoute off || off.Id != opens.Id)
                    .Select(remedy =>
                    {
                        var title = $"{remedy.Title}, and switch {name} on";
                        return remedy with { Key = KeyOf(title), Title = title, Edit = new ManyEdits([remedy.Edit, opens], title) };
                    }),
            ],
        };
    }

    /// <summary>Names a remedy by what it does, so that a form still means the same after the list was made anew.</summary>
    private static string KeyOf(string title)
    {
        var hash = 14695981039346656037ul;
        foreach (var letter in title)
            hash = (hash ^ letter) * 1099511628211ul;
        return hash.ToString("x16", System.Globalization.CultureInfo.InvariantCulture);
    }

    /// <summary>Whether anything still goes round on the ways of a circuit that is open now. What another circuit sends through the same
    /// places does not: that one is a finding of its own.</summary>
    private static bool StillRuns(Finding finding, CircuitSearch before, CircuitSearch after)
    {
        // The routes of a circuit may carry others too: its ways are those of the ring that it is.
        var (routes, paths, outside) = (
            finding.Routes.ToHashSet(),
            finding.Paths.Select(path => path.Path).ToHashSet(),
            finding.Outside.ToHashSet()
        );
        var own = Enumerable
            .Range(0, before.Flow.Components.Length)
            .Where(component => before.Flow.Components[component].IsClosed)
            .SelectMany(component => Circuits.Rings(before, component))
            .Select(ring => ring.Running.ConvertAll(item => item.Step))
            .Where(steps =>
                routes.SetEquals(steps.Select(step => step.Route?.Id).OfType<RouteId>())
                && paths.SetEquals(steps.Select(step => step.Link?.Inner?.Id).OfType<InnerPathId>())
                && outside.SetEquals(WayWords.OutsideOf(steps))
            )
            .SelectMany(steps => steps)
            .ToList();
        var ways = (own.Count > 0 ? own : StepsOf(before.Flow, finding)).Select(step => WayOf(before.Flow, step)).ToHashSet();
        var components = ways.SelectMany(way => new[] { way.From, way.To })
            .OfType<Place>()
            .Select(place => after.Flow.Number(place))
            .OfType<int>()
            .Select(number => after.Flow.ComponentOf[number])
            .Distinct();
        return components
            .Where(component => after.Flow.Components[component].IsClosed)
            .SelectMany(component => Circuits.Rings(after, component))
            .Any(ring => ring.Running.Exists(item => ways.Contains(WayOf(after.Flow, item.Step))));
    }

    private static (RouteId? Route, InnerPathId? Path, Place? From, Place? To) WayOf(Flow flow, Step step) =>
        (step.Route?.Id, step.Link?.Inner?.Id, flow.Places[step.From], flow.Places[step.To]);

    private static IEnumerable<Step> StepsOf(Flow flow, Finding finding)
    {
        var routes = finding.Routes.ToHashSet();
        var paths = finding.Paths.Select(path => path.Path).ToHashSet();
        return flow.Steps.Where(step =>
            WayWords.OutsideOf([step]) is [var cable]
                ? finding.Outside.Contains(cable)
                : (step.Route is not null && routes.Contains(step.Route.Id)) || (step.Link?.Inner is { } inner && paths.Contains(inner.Id))
        );
    }

    private static IEnumerable<List<Tried>> Sets(List<Tried> parts)
    {
        for (var size = 2; size <= parts.Count; size++)
        {
            foreach (var set in Choose(parts, size, 0))
                yield return set;
        }

        static IEnumerable<List<Tried>> Choose(List<Tried> from, int size, int start)
        {
            if (size == 0)
            {
                yield return [];
                yield break;
            }
            for (var i = start; i <= from.Count - size; i++)
            {
                foreach (var rest in Choose(from, size - 1, i + 1))
                    yield return [from[i], .. rest];
            }
        }
    }

    private static IEnumerable<Candidate> Candidates(Studio studio, Finding finding)
    {
        foreach (var edit in finding.Proposed)
            yield return new Candidate(TitleOf(studio, edit), edit, false);
        // What reaches nothing, or is named badly, is not mended by switching anything off.
        if (finding.Kind is FindingKind.Silence or FindingKind.Name or FindingKind.Held)
            yield break;
        foreach (var cable in finding.Outside)
        {
            var edit = new PartOutside(cable);
            yield return new Candidate(edit.Title(studio), edit, false);
        }
        foreach (var (id, pathId) in finding.Paths)
        {
            if (
                studio.FindDevice(id) is not { } device
                || device.InnerPaths.FirstOrDefault(path => path.Id == pathId) is not { } path
                || path.Kind == InnerPathKind.Thru
            )
                continue;
            var title = path.Kind switch
            {
                InnerPathKind.LocalControl => $"Switch off local control of {device.Name}",
                InnerPathKind.Monitor => $"Switch off monitoring on {path.Name} of {device.Name}",
                InnerPathKind.Routing => $"Switch off “{path.Name}” in {device.Name}",
                _ => $"Close “{path.Name}” of {device.Name}",
            };
            yield return new Candidate(title, new SwitchInnerPath(id, pathId, false), !path.IsSwitchedHere);
        }
        foreach (var id in finding.Routes)
        {
            if (studio.FindRoute(id) is not { } route)
                continue;
            foreach (var candidate in Stops(studio, finding, route))
                yield return candidate;
            if (route.From is AnySource any)
            {
                // The sources by which it comes round are left out of "any source".
                foreach (var leg in finding.Ring.Where(leg => leg.Route == id && leg.Port is not null))
                {
                    var port = studio.FindPort(leg.Port!.Value)!.Value;
                    yield return new Candidate(
                        $"Leave {port.Name} out of {studio.Describe(route)}",
                        new SetExceptions(id, any.Except.Add(port.Id), any.OwnToo),
                        false
                    );
                }
            }
            // What is wrong in this lineup may be right in the others.
            if (studio.Lineups.Length > 1 && studio.InForce is { } lineup)
                yield return new Candidate(
                    $"Take {studio.Describe(route)} out of {studio.NameOf(lineup)}",
                    new PlaceRoute(id, lineup, false),
                    false
                );
            else
                yield return new Candidate($"Switch off {studio.Describe(route)}", new SwitchRoute(id, false), false);
        }
    }

    /// <summary>Stages that stop on a route just what goes round.</summary>
    private static IEnumerable<Candidate> Stops(Studio studio, Finding finding, Route route)
    {
        var set = finding.Circulating.FirstOrDefault(item => item.Route == route.Id).Messages ?? finding.Messages;
        if (set.IsEmpty || !(finding.IsCircuit || finding.Kind == FindingKind.DyingOut))
            yield break;
        var name = studio.Describe(route);
        var kinds = set.KindsIn();
        if (kinds != KindSet.All)
            yield return new Candidate(
                $"Stop {SetWords.Names(kinds)} on {name}",
                new AddStage(route.Id, new KindsStage(kinds.Complement)),
                false
            );
        var channels = set.ChannelsIn();
        if (channels.Count is > 0 and < Channel.Count && kinds.Members.All(MessageKinds.HasChannel))
        {
            var map = channels.Members.Aggregate(ChannelMap.Identity, (all, channel) => all.With(channel, ChannelSet.None));
            yield return new Candidate($"Stop channel {channels} on {name}", new AddStage(route.Id, new ChannelsStage(map)), false);
        }
        if (kinds == KindSet.Of(MessageKind.Note) || kinds == KindSet.Of(MessageKind.Note, MessageKind.PolyPressure))
        {
            var keys = channels.Members.Aggregate(UInt128.Zero, (all, channel) => all | set.NoteKeys(channel.Index));
            if (keys != UInt128.MaxValue && SetWords.RangesOf(keys).ToList() is [var (first, last)])
                yield return new Candidate(
                    $"Stop the keys {studio.KeyNaming.Of(first)} to {studio.KeyNaming.Of(last)} on {name}",
                    new AddStage(route.Id, new KeysStage(first, last, true)),
                    false
                );
        }
    }

    private static string Moved(ChannelMap map)
    {
        var moved = Channel.All.Where(channel => map[channel] != ChannelSet.None.With(channel, true)).ToList();
        var from = ChannelSet.Of(moved);
        if (Channel.All.All(channel => map[channel] == map[moved[0]]))
            return $"all channels to {map[moved[0]]}";
        return $"{(from.Count == 1 ? "channel" : "channels")} {from} to {map[moved[0]]}";
    }

    private static string TitleOf(Studio studio, StudioEdit edit) =>
        edit switch
        {
            AddStage { Stage: ThinStage thin } add =>
                $"Thin {studio.Describe(studio.FindRoute(add.Id)!)} to {thin.PerSecond} values a second",
            AddStage { Stage: KindsStage kinds } add =>
                $"Stop {SetWords.Names(kinds.Passing.Complement)} on {studio.Describe(studio.FindRoute(add.Id)!)}",
            AddStage { Stage: ChannelsStage channels } add => $"Move {Moved(channels.Map)} on {studio.Describe(studio.FindRoute(add.Id)!)}",
            _ => edit.Title(studio),
        };
}
