using System.Collections.Immutable;
using System.Globalization;
using Weiche.Core.Midi;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;

namespace Weiche.Core.Checks;

/// <summary>A finding with the lineups in which it is so.</summary>
/// <param name="Key">Names it among all that were found: in each lineup a finding's own key stands for one thing, and here the lineup in
/// force goes before.</param>
/// <param name="Finding">The finding.</param>
/// <param name="Report">What was found, it among the rest, in the first of those lineups.</param>
/// <param name="Lineups">The lineups; empty for a studio without any.</param>
/// <param name="InAll">Whether it is so in all.</param>
public sealed record PlacedFinding(string Key, Finding Finding, CheckReport Report, ImmutableArray<LineupId> Lineups, bool InAll)
{
    /// <summary>Where it is so: "in 2 Star field", "in all"; empty for a studio without lineups.</summary>
    public string Where =>
        Lineups.IsEmpty ? ""
        : InAll ? "in all"
        : "in " + WordList.Of([.. Lineups.Select(Report.Studio.NameOf)]);
}

/// <summary>The checks of an evening: what is so in which lineup, and what lineups and levers have of their own.</summary>
public static class LineupChecks
{
    private const int MostHeldOff = 16;

    /// <summary>What was found in each lineup, as one list, worst first: what is so in the lineup in force before the rest.</summary>
    /// <param name="reports">What was found in each lineup that was looked at, the one in force first.</param>
    /// <param name="own">What lineups and levers have of their own.</param>
    public static ImmutableArray<PlacedFinding> Together(IReadOnlyList<CheckReport> reports, IEnumerable<Finding> own)
    {
        var all = new List<PlacedFinding>();
        foreach (
            var group in reports
                .SelectMany((report, index) => report.Findings.Select(finding => (Finding: finding, Report: report, Index: index)))
                .GroupBy(item => (item.Finding.Key, item.Finding.Title, item.Finding.Sentence))
        )
        {
            var first = group.First();
            var lineups = first.Report.Studio.InForce is null
                ? []
                : group
                    .Select(item => item.Report.Studio.InForce!.Value)
                    .Distinct()
                    .OrderBy(first.Report.Studio.NumberOf)
                    .ToImmutableArray();
            var inAll = lineups.Length > 0 && lineups.Length == first.Report.Studio.Lineups.Length;
            if (reports.Count > 1 && !inAll && IsRest(first.Report.Studio, first.Finding))
                continue;
            var key =
                first.Index == 0 || lineups.IsEmpty
                    ? first.Finding.Key
                    : string.Create(CultureInfo.InvariantCulture, $"{first.Finding.Key}.{lineups[0].Value}");
            all.Add(new PlacedFinding(key, first.Finding, first.Report, lineups, inAll));
        }
        all.AddRange(own.Select(finding => new PlacedFinding(finding.Key, finding, reports[0], [], false)));
        return [.. all.OrderBy(placed => placed.Finding.Severity).ThenBy(placed => placed.Finding.Kind)];
    }

    /// <summary>Whether something rests: in an evening not everything plays in each lineup. A keyboard that sounds nowhere is
    /// told.</summary>
    private static bool IsRest(Studio studio, Finding finding) =>
        finding is { Kind: FindingKind.Silence, Device: { } id }
        && (
            finding.Key.StartsWith("unreached-", StringComparison.Ordinal)
            || studio.FindDevice(id) is not { Kind: DeviceKind.KeyboardController or DeviceKind.KeyboardSynth }
        );

    /// <summary>Which routes a lineup would have to be entered without, so that no circuit is open in it that it alone closes: those that
    /// are in it, not standing; empty where none is open, or where standing routes close it by themselves.</summary>
    /// <param name="report">What was found in the lineup with all its routes.</param>
    /// <exception cref="ArgumentNullException"><paramref name="report"/> is null.</exception>
    public static ImmutableArray<RouteId> HeldOff(CheckReport report)
    {
        ArgumentNullException.ThrowIfNull(report);
        var (studio, held) = (report.Studio, ImmutableArray<RouteId>.Empty);
        if (studio.InForce is not { } lineup)
            return held;
        while (report.OpenCircuits.FirstOrDefault(circuit => Candidates(circuit).Any()) is { } open && held.Length < MostHeldOff)
        {
            var route = Candidates(open).OrderBy(each => studio.SourcesOf(each).Count()).ThenByDescending(each => each.Id.Value).First();
            held = held.Add(route.Id);
            report = Checker.Check(studio with { HeldOff = [.. held.Select(id => (lineup, id))] }, report);
        }
        return held;

        IEnumerable<Route> Candidates(Finding circuit) =>
            circuit.Routes.Select(id => studio.FindRoute(id)!).Where(route => !route.Duty.IsStanding && !held.Contains(route.Id));
    }

    /// <summary>What lineups and levers have of their own.</summary>
    /// <param name="studio">The studio.</param>
    public static IEnumerable<Finding> Of(Studio studio) =>
        Unheard(studio).Concat(Alike(studio)).Concat(Unreached(studio)).Concat(OfLevers(studio));

    /// <summary>What a lineup sends to a channel, or as a kind, that its destination's device does not listen to.</summary>
    private static IEnumerable<Finding> Unheard(Studio studio)
    {
        foreach (var lineup in studio.Lineups)
        {
            foreach (var sending in lineup.Sends)
            {
                var to = studio.FindPort(sending.To)!.Value;
                // What hangs behind a thru hears it too.
                var hearers = to.Port.Jack is { } jack
                    ? studio.Chain(jack).Select(link => link.Device).Append(to.Device).DistinctBy(device => device.Id).ToArray()
                    : [to.Device];
                if (to.Device.IsVirtualPort() || !Sending.TryMessages(sending.Bytes.AsSpan(), out var messages, out _))
                    continue;
                if (
                    messages.FirstOrDefault(message => !Array.Exists(hearers, device => Hears(device, message)))
                    is not { Status: not 0 } lost
                )
                    continue;
                var what = SendingWords.Of(studio, sending);
                yield return new Finding(
                    FindingKind.Lineup,
                    Severity.Warning,
                    $"sent-{lineup.Id}-{to.Id}-{Convert.ToHexString(sending.Bytes.AsSpan())}",
                    $"{lineup.Name} sends what is not heard: {what}",
                    lost.HasChannel && !Array.Exists(hearers, device => device.Listens.Contains(Channel.FromIndex(lost.ChannelIndex)))
                        ? $"{studio.NameOf(lineup.Id)} sends {what} on entering, and "
                            + $"{WordList.Of([.. hearers.Select(device => device.Name)])} {(hearers.Length == 1 ? "does" : "do")} "
                            + $"not listen to channel {lost.ChannelIndex + 1}."
                        : $"{studio.NameOf(lineup.Id)} sends {what} on entering, and "
                            + $"{WordList.Of([.. hearers.Select(device => device.Name)])} {(hearers.Length == 1 ? "does" : "do")} "
                            + $"not listen to {lost.Kind.Name()}."
                )
                {
                    Port = to.Id,
                    Proposed = [new RemoveSending(lineup.Id, lineup.Sends.IndexOf(sending), sending)],
                };
            }
        }

        static bool Hears(Device device, MidiMessage message) =>
            device.ListensKinds.Contains(message.Kind)
            && (!message.HasChannel || device.Listens.Contains(Channel.FromIndex(message.ChannelIndex)));
    }

    /// <summary>Two lineups with the same routes that send the same.</summary>
    private static IEnumerable<Finding> Alike(Studio studio)
    {
        var known = new Dictionary<string, Lineup>();
        foreach (var lineup in studio.Lineups)
        {
            var routes = string.Join(',', studio.Routes.Where(route => route.Duty.IsOn(lineup.Id)).Select(route => route.Id));
            var what =
                $"{routes};{lineup.Cuts};{lineup.Master};{lineup.Tempo};{string.Join(',', lineup.Sends.Select(sending => $"{sending.To}:{Convert.ToHexString(sending.Bytes.AsSpan())}"))}";
            if (known.TryAdd(what, lineup))
                continue;
            yield return new Finding(
                FindingKind.Lineup,
                Severity.Notice,
                $"alike-{lineup.Id}",
                $"Two lineups are the same: {studio.NameOf(known[what].Id)} and {studio.NameOf(lineup.Id)}",
                $"{studio.NameOf(known[what].Id)} and {studio.NameOf(lineup.Id)} have the same routes on duty and send the same on "
                    + "entering."
            );
        }
    }

    /// <summary>Where levers are used, a lineup that none of them enters.</summary>
    private static IEnumerable<Finding> Unreached(Studio studio)
    {
        var works = studio.Levers.Select(lever => lever.Work).ToList();
        if (studio.Lineups.Length < 2 || !works.Any(work => work is EnterLineup) || works.Any(work => work is StepLineup))
            yield break;
        foreach (var lineup in studio.Lineups.Where(lineup => !works.Contains(new EnterLineup(lineup.Id))))
        {
            yield return new Finding(
                FindingKind.Lineup,
                Severity.Notice,
                $"no-lever-{lineup.Id}",
                $"No lever enters {studio.NameOf(lineup.Id)}",
                $"Other lineups are entered by levers, {studio.NameOf(lineup.Id)} is not, and no lever is “next” or “back”: it is "
                    + "entered on screen alone."
            );
        }
    }

    private static IEnumerable<Finding> OfLevers(Studio studio)
    {
        foreach (var lever in studio.Levers)
        {
            var source = studio.FindPort(lever.Source)!.Value;
            var (device, trigger) = (source.Device, lever.Trigger);
            var kind = trigger.Kind switch
            {
                LeverKind.Program => MessageKind.ProgramChange,
                LeverKind.Key => MessageKind.Note,
                _ => MessageKind.ControlChange,
            };
            var never =
                !device.SendsKinds.Contains(kind) ? kind.Name()
                : trigger.Channel is { } channel && !device.Sends.Contains(Channel.FromIndex(channel))
                    ? string.Create(CultureInfo.InvariantCulture, $"anything on channel {channel + 1}")
                : null;
            if (!device.IsVirtualPort() && never is not null)
            {
                yield return new Finding(
                    FindingKind.Lineup,
                    Severity.Warning,
                    $"lever-{lever.Id}",
                    $"A lever that cannot work: {LeverWords.Name(studio, lever)}",
                    $"{LeverWords.Name(studio, lever)} is a lever ({LeverWords.Of(studio, lever.Work)}), and {device.Name} is said "
                        + $"not to send {never}."
                )
                {
                    Port = source.Id,
                    Proposed = [new RemoveLever(lever.Id)],
                };
            }
            if (lever is { GoesOn: true, Trigger.Kind: LeverKind.Key } && LiveRoutes.Of(studio).From(source.Id).Count > 0)
            {
                yield return new Finding(
                    FindingKind.Lineup,
                    Severity.Notice,
                    $"lever-sounds-{lever.Id}",
                    $"A lever that sounds: {LeverWords.Name(studio, lever)}",
                    $"{LeverWords.Name(studio, lever)} is a lever ({LeverWords.Of(studio, lever.Work)}) and goes on through the "
                        + "routes: it plays its note as well."
                )
                {
                    Port = source.Id,
                    Proposed = [new SetLeverGoesOn(lever.Id, false)],
                };
            }
        }
    }
}
