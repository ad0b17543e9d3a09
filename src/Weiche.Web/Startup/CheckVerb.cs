using System.CommandLine;
using System.Globalization;
using Weiche.Core.Checks;
using Weiche.Core.Midi;
using Weiche.Core.Sets;

namespace Weiche.Web.Startup;

/// <summary>The checks without a page: <c>weiche check</c>.</summary>
internal static class CheckVerb
{
    // A studio may have a thousand circuits; each remedy is tried on the whole of it.
    private const int MaxMended = 10;
    private const int MaxMendedOfMany = 3;
    private const int ManyRoutes = 1_500;
    private const int CircuitOpen = 1;

    internal static Command Make()
    {
        var file = new Argument<string>("STUDIO") { Description = "a studio as a file (see export)" };
        var json = new Option<bool>("--json") { Description = "print JSON (docs/check.schema.json)" };
        var lineup = FileVerbs.LineupOption("look at one lineup alone, by number or name; at all if left out");
        var verb = new Command(
            "check",
            "say whether messages can run in circles, what arrives twice, and what never sounds; exit code 1 if a circuit is open"
        )
        {
            file,
            lineup,
            json,
        };
        verb.SetAction(result =>
        {
            var open = false;
            var code = FileVerbs.Guarded(() =>
            {
                var studio = FileVerbs.ReadStudio(result.GetValue(file)!);
                var reports = ReportsOf(studio, result.GetValue(lineup));
                var report = reports[0];
                // What holds a circuit closed is looked for where most is live.
                var fullest = reports.MaxBy(each => each.Looked.Routes)!;
                var (held, heldWhole) = HeldSearch.Of(fullest);
                var own = result.GetValue(lineup) is null ? LineupChecks.Of(studio) : [];
                var findings = LineupChecks
                    .Together(reports, own)
                    .Concat(
                        held.Select(finding => new PlacedFinding(
                            finding.Key,
                            finding,
                            fullest,
                            fullest.Studio.InForce is { } id && reports.Count > 1 ? [id] : [],
                            false
                        ))
                    )
                    .ToList();
                open = findings.Exists(placed => placed.Finding.IsCircuit);
                var mended = findings
                    .Where(placed => placed.Finding.Kind != FindingKind.Held)
                    .Take(studio.Routes.Length > ManyRoutes || !report.Looked.IsWhole ? MaxMendedOfMany : MaxMended)
                    .DistinctBy(placed => placed.Key)
                    .ToDictionary(placed => placed.Key, placed => RemedySearch.For(placed.Report, placed.Finding));
                if (result.GetValue(json))
                    Print(report, findings, mended, heldWhole);
                else
                    Say(report, findings, mended, heldWhole);
            });
            return code != 0 ? code
                : open ? CircuitOpen
                : 0;
        });
        return verb;
    }

    /// <summary>What is found in one lineup, or in all, the first of them first.</summary>
    private static List<CheckReport> ReportsOf(Core.Studios.Studio studio, string? lineup)
    {
        if (lineup is not null || studio.Lineups.Length < 2)
            return [Checker.Check(FileVerbs.InLineup(studio, lineup))];
        var reports = new List<CheckReport>();
        foreach (var each in studio.Lineups)
            reports.Add(Checker.Check(studio.In(each.Id), reports.Count > 0 ? reports[^1] : null));
        return reports;
    }

    private static void Say(CheckReport report, List<PlacedFinding> findings, Dictionary<string, RemedyList> mended, bool heldWhole)
    {
        var open = findings.Count(placed => placed.Finding.IsOpenCircuit);
        var byLevers = findings.Count(placed => placed.Finding.Kind == FindingKind.LeverCircuit);
        Console.WriteLine(
            open == 0
                ? $"{report.Studio.Name}: no circuit is open{(byLevers > 0 ? ", but levers would close one" : "")}."
                : string.Create(
                    CultureInfo.InvariantCulture,
                    $"{report.Studio.Name}: {open} {(open == 1 ? "circuit is" : "circuits are")} open."
                )
        );
        Console.WriteLine(
            string.Create(
                CultureInfo.InvariantCulture,
                $"Looked at {report.Looked.Routes} routes, {report.Looked.Places} ports and jacks, {report.Looked.WaysBack} ways back."
            )
        );
        if (!report.Looked.IsWhole)
            Console.WriteLine(
                "There are too many ways to follow each of them: doubles and loads are told from the first ones. Circuits were all "
                    + "looked at."
            );
        if (!heldWhole)
            Console.WriteLine("What holds a circuit closed was looked for among the first things only.");
        if (report.Studio.Lineups.Length > 1)
            Console.WriteLine($"Lineups: {string.Join(", ", report.Studio.Lineups.Select(lineup => report.Studio.NameOf(lineup.Id)))}.");
        foreach (var placed in findings)
        {
            var finding = placed.Finding;
            Console.WriteLine();
            Console.WriteLine(
                $"{finding.Sign.ToUpperInvariant()}  {finding.Title}{(placed.Where.Length == 0 ? "" : $"  ({placed.Where})")}"
            );
            Console.WriteLine($"  {finding.Sentence}");
            foreach (var leg in finding.Ring)
                Say(leg);
            foreach (var run in finding.Runs)
                Console.WriteLine($"    {run.Kind.Name()}{(run.Which.Length > 0 ? $" ({run.Which})" : "")}: {run.Verdict}");
            foreach (var way in finding.Ways)
            {
                Console.WriteLine($"  by {way.Name}, {way.Delay.InMilliseconds(2)}");
                foreach (var leg in way.Legs)
                    Say(leg);
            }
            foreach (var line in finding.Evidence)
                Console.WriteLine($"  {line}");
            if (!mended.TryGetValue(placed.Key, out var list))
                continue;
            foreach (var (remedy, i) in list.Remedies.Select((remedy, i) => (remedy, i)))
                Console.WriteLine(
                    $"  {(i == 0 ? $"remedy ({(list.IsProvedLeast ? "proved least" : "good, not proved least")})" : "or")}: "
                        + $"{remedy.Title}{(remedy.AtDevice ? " (at the device)" : "")}; {remedy.Price}"
                );
        }
    }

    private static void Say(Leg leg) =>
        Console.WriteLine($"    {leg.Place.PadRight(26)} {leg.Way.PadRight(40)} {leg.Delay.InMilliseconds(2),9}  {leg.Message}");

    private static void Print(CheckReport report, List<PlacedFinding> findings, Dictionary<string, RemedyList> mended, bool heldWhole) =>
        VerbJson.Print(
            new
            {
                format = 1,
                studio = report.Studio.Name,
                clear = !findings.Exists(placed => placed.Finding.IsCircuit),
                looked = new
                {
                    routes = report.Looked.Routes,
                    places = report.Looked.Places,
                    waysBack = report.Looked.WaysBack,
                    whole = report.Looked.IsWhole,
                    heldWhole,
                },
                findings = findings
                    .Select(placed => (placed, finding: placed.Finding))
                    .Select(item => (item.placed, item.finding, list: mended.GetValueOrDefault(item.placed.Key)))
                    .Select(item => new
                    {
                        kind = VerbJson.Word(item.finding.Kind),
                        severity = VerbJson.Word(item.finding.Severity),
                        key = item.placed.Key,
                        title = item.finding.Title,
                        sentence = item.finding.Sentence,
                        lineups = item.placed.Lineups.IsEmpty ? null : item.placed.Lineups.Select(item.placed.Report.Studio.NameOf),
                        round = item.finding.Ring.IsEmpty ? (long?)null : item.finding.Round.Microseconds,
                        rounds = item.finding.Rounds == 0 ? (int?)null : item.finding.Rounds,
                        ring = item.finding.Ring.Select(LegOf),
                        runs = item.finding.Runs.Select(run => new
                        {
                            kind = VerbJson.Word(run.Kind),
                            which = run.Which,
                            runs = run.Runs,
                            verdict = run.Verdict,
                        }),
                        ways = item.finding.Ways.Select(way => new
                        {
                            name = way.Name,
                            delay = way.Delay.Microseconds,
                            legs = way.Legs.Select(LegOf),
                        }),
                        evidence = item.finding.Evidence,
                        routes = item.finding.Routes.Select(route => route.Value),
                        remedies = item.list is { } list
                            ? list.Remedies.Select(remedy => new
                            {
                                title = remedy.Title,
                                atDevice = remedy.AtDevice,
                                cost = remedy.Cost,
                                price = remedy.Price,
                                lost = remedy.Lost.Select(lost => new
                                {
                                    from = lost.From.Name,
                                    to = lost.To.Name,
                                    messages = SetWords.Of(lost.Messages, report.Studio.KeyNaming),
                                }),
                            })
                            : null,
                        provedLeast = item.list?.IsProvedLeast,
                    }),
                loads = report.Loads.Select(load => new
                {
                    destination = report.Studio.FindPort(load.Port)!.Value.Name,
                    capacity = load.Capacity,
                    worst = load.Worst,
                    by = load.By.Select(item => new { device = item.Device.Name, bytes = item.Bytes }),
                }),
            }
        );

    private static object LegOf(Leg leg) =>
        new
        {
            place = leg.Place,
            says = leg.Says,
            way = leg.Way,
            route = leg.Route?.Value,
            message = leg.Message,
            delay = leg.Delay.Microseconds,
        };
}
