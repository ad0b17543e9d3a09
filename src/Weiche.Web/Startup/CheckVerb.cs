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
        var verb = new Command("check", "say whether messages can run in circles, what arrives twice, and what never sounds; exit code 1 if a circuit is open") { file, json };
        verb.SetAction(result =>
        {
            var open = false;
            var code = FileVerbs.Guarded(() =>
            {
                var studio = FileVerbs.ReadStudio(result.GetValue(file)!);
                KeyName.CurrentMiddleOctave = studio.MiddleOctave;
                var report = Checker.Check(studio);
                var (held, heldWhole) = HeldSearch.Of(report);
                open = report.OpenCircuits.Any();
                var findings = report.Findings.Concat(held).ToList();
                var mended = findings.Where(finding => finding.Kind != FindingKind.Held).Take(studio.Routes.Length > ManyRoutes || !report.Looked.IsWhole ? MaxMendedOfMany : MaxMended).ToDictionary(finding => finding.Key, finding => RemedySearch.For(report, finding));
                if (result.GetValue(json)) Print(report, findings, mended, heldWhole);
                else Say(report, findings, mended, heldWhole);
            });
            return code != 0 ? code : open ? CircuitOpen : 0;
        });
        return verb;
    }

    private static void Say(CheckReport report, List<Finding> findings, Dictionary<string, RemedyList> mended, bool heldWhole)
    {
        var open = report.OpenCircuits.Count();
        Console.WriteLine(open == 0 ? $"{report.Studio.Name}: no circuit is open." : string.Create(CultureInfo.InvariantCulture, $"{report.Studio.Name}: {open} {(open == 1 ? "circuit is" : "circuits are")} open."));
        Console.WriteLine(string.Create(CultureInfo.InvariantCulture, $"Looked at {report.Looked.Routes} routes, {report.Looked.Places} ports and jacks, {report.Looked.WaysBack} ways back."));
        if (!report.Looked.IsWhole) Console.WriteLine("There are too many ways to follow each of them: doubles and loads are told from the first ones. Circuits were all looked at.");
        if (!heldWhole) Console.WriteLine("What holds a circuit closed was looked for among the first things only.");
        foreach (var finding in findings)
        {
            Console.WriteLine();
            Console.WriteLine($"{finding.Sign.ToUpperInvariant()}  {finding.Title}");
            Console.WriteLine($"  {finding.Sentence}");
            foreach (var leg in finding.Ring) Say(leg);
            foreach (var run in finding.Runs) Console.WriteLine($"    {run.Kind.Name()}{(run.Which.Length > 0 ? $" ({run.Which})" : "")}: {run.Verdict}");
            foreach (var way in finding.Ways)
            {
                Console.WriteLine($"  by {way.Name}, {way.Delay.InMilliseconds(2)}");
                foreach (var leg in way.Legs) Say(leg);
            }
            foreach (var line in finding.Evidence) Console.WriteLine($"  {line}");
            if (!mended.TryGetValue(finding.Key, out var list)) continue;
            foreach (var (remedy, i) in list.Remedies.Select((remedy, i) => (remedy, i)))
                Console.WriteLine($"  {(i == 0 ? $"remedy ({(list.IsProvedLeast ? "proved least" : "good, not proved least")})" : "or")}: {remedy.Title}{(remedy.AtDevice ? " (at the device)" : "")}; {remedy.Price}");
        }
    }

    private static void Say(Leg leg) => Console.WriteLine($"    {leg.Place.PadRight(26)} {leg.Way.PadRight(40)} {leg.Delay.InMilliseconds(2),9}  {leg.Message}");

    private static void Print(CheckReport report, List<Finding> findings, Dictionary<string, RemedyList> mended, bool heldWhole) => VerbJson.Print(new
    {
        format = 1,
        studio = report.Studio.Name,
        clear = !report.OpenCircuits.Any(),
        looked = new { routes = report.Looked.Routes, places = report.Looked.Places, waysBack = report.Looked.WaysBack, whole = report.Looked.IsWhole, heldWhole },
        findings = findings.Select(finding => new
        {
            kind = VerbJson.Word(finding.Kind),
            severity = VerbJson.Word(finding.Severity),
            key = finding.Key,
            title = finding.Title,
            sentence = finding.Sentence,
            round = finding.Ring.IsEmpty ? (long?)null : finding.Round.Microseconds,
            rounds = finding.Rounds == 0 ? (int?)null : finding.Rounds,
            ring = finding.Ring.Select(LegOf),
            runs = finding.Runs.Select(run => new { kind = VerbJson.Word(run.Kind), which = run.Which, runs = run.Runs, verdict = run.Verdict }),
            ways = finding.Ways.Select(way => new { name = way.Name, delay = way.Delay.Microseconds, legs = way.Legs.Select(LegOf) }),
            evidence = finding.Evidence,
            routes = finding.Routes.Select(route => route.Value),
            remedies = mended.TryGetValue(finding.Key, out var list) ? list.Remedies.Select(remedy => new
            {
                title = remedy.Title,
                atDevice = remedy.AtDevice,
                cost = remedy.Cost,
                price = remedy.Price,
                lost = remedy.Lost.Select(lost => new { from = lost.From.Name, to = lost.To.Name, messages = SetWords.Of(lost.Messages) }),
            }) : null,
            provedLeast = list?.IsProvedLeast,
        }),
        loads = report.Loads.Select(load => new
        {
            destination = report.Studio.FindPort(load.Port)!.Value.Name,
            capacity = load.Capacity,
            worst = load.Worst,
            by = load.By.Select(item => new { device = item.Device.Name, bytes = item.Bytes }),
        }),
    });

    private static object LegOf(Leg leg) => new { place = leg.Place, says = leg.Says, way = leg.Way, route = leg.Route?.Value, message = leg.Message, delay = leg.Delay.Microseconds };
}
