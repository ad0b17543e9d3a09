using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Weiche.Core.Checks;
using Weiche.Core.Layout;
using Weiche.Core.Live;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;
using Weiche.Core.Ways;
using Weiche.Web.Desk;
using Weiche.Web.Live;
using Weiche.Web.Pages.Plan;

namespace Weiche.Web.Pages.Checks;

/// <summary>What Checks shows.</summary>
/// <param name="State">The studio, with what the checks say of it.</param>
/// <param name="Findings">The findings, worst first, those included that hold a circuit closed.</param>
/// <param name="Placed">The one that is looked at; null if there is none.</param>
/// <param name="Remedies">Its remedies; null while they are worked out.</param>
/// <param name="HeldDone">Whether what holds circuits closed has been looked for, and whether all of it was.</param>
/// <param name="Trips">What the guard stops.</param>
/// <param name="Learned">What the guard saw, as changes of the studio.</param>
/// <param name="Problem">What could not be done, or null.</param>
public sealed record ChecksView(
    DeskState State,
    IReadOnlyList<PlacedFinding> Findings,
    PlacedFinding? Placed,
    RemedyList? Remedies,
    (bool Done, bool Whole) HeldDone,
    IReadOnlyList<GuardTrip> Trips,
    IReadOnlyList<Proposal> Learned,
    Problem? Problem = null
)
{
    /// <summary>The finding that is looked at; null if there is none.</summary>
    public Finding? Chosen => Placed?.Finding;

    /// <summary>What was found, it among the rest: in the lineup in force, or in one where it is so.</summary>
    public CheckReport Report => Placed?.Report ?? State.Report;

    /// <summary>The load of a wire, measured: now and the highest, bytes a second; null if it is not about a wire.</summary>
    public (long Now, long Highest)? Measured { get; init; }

    /// <summary>Which findings are listed: those in which all of these words stand; empty for all.</summary>
    public string Find { get; init; } = "";

    /// <summary>The findings that are listed.</summary>
    public IReadOnlyList<PlacedFinding> Listed { get; init; } = [];
}

/// <summary>A remedy, shown on the plan before it is made.</summary>
/// <param name="Plan">The plan as it would be.</param>
/// <param name="Key">The finding, by its key.</param>
/// <param name="Remedy">The remedy.</param>
public sealed record CheckPreview(PlanView Plan, string Key, PricedRemedy Remedy);

/// <summary>Checks: no feedback, no doubles, silence explained, and what would mend it at which price.</summary>
/// <param name="desk">The running studio.</param>
/// <param name="held">Looks for what holds circuits closed.</param>
/// <param name="load">The loads of the wires.</param>
/// <param name="echoes">What came back while somebody played.</param>
public sealed class ChecksModel(StudioDesk desk, HeldFinder held, LoadMeter load, EchoWatch echoes) : PageModel
{
    private const string Fragment = "_Checks";

    /// <summary>Above so many places the remedies are worked out after the page is shown.</summary>
    private const int MostAtOnce = 150;

    /// <summary>What is shown.</summary>
    public ChecksView View { get; private set; } = null!;

    /// <summary>The remedy that is shown on the plan, or null.</summary>
    public CheckPreview? Preview { get; private set; }

    /// <summary>The page.</summary>
    /// <param name="finding">The finding that is looked at; the worst if none is named.</param>
    /// <param name="preview">A remedy of it that is shown on the plan.</param>
    public IActionResult OnGet(string? finding, string? preview)
    {
        if (
            preview is not null
            && Find(finding) is { } placed
            && RemedyOf(placed, preview) is { } remedy
            && remedy.Edit.Apply(placed.Report.Studio).Studio is { } after
        )
        {
            var state = desk.State with { Studio = after, Report = Checker.Check(after, placed.Report) };
            var plan = new PlanView(
                state,
                desk.Junction.Compiled,
                new PlanAddress(),
                PlanLayout.Compute(after, Request.Width() - 12, new PlanLook()),
                [.. Changed(after)]
            )
            {
                Room = desk.Park.State,
            };
            Preview = new CheckPreview(plan, placed.Key, remedy);
            return this.Show("_CheckPreview", Preview);
        }
        View = Look(finding, null);
        return this.Show(Fragment, View);
    }

    /// <summary>The remedies of a finding.</summary>
    /// <param name="finding">The finding.</param>
    public IActionResult OnGetRemedies(string? finding)
    {
        if (Find(finding) is not { } found)
            return NotFound();
        View = Look(finding, null) with { Remedies = RemedySearch.For(found.Report, found.Finding) };
        return Partial("_Remedies", View);
    }

    /// <summary>Makes a remedy.</summary>
    /// <param name="finding">The finding.</param>
    /// <param name="remedy">The remedy.</param>
    public IActionResult OnPostRemedy(string? finding, string? remedy)
    {
        var found = Find(finding);
        var chosen = found is null ? null : RemedyOf(found, remedy);
        var problem = chosen is null
            ? new Problem("remedy", "That remedy is not there any more: the studio was changed meanwhile. Nothing was changed.")
            : desk.Apply(chosen.Edit).Problem;
        if (problem is null)
            this.Say($"Done: {chosen!.Title}");
        View = Look(problem is null ? null : finding, problem);
        return this.Answer(problem, Fragment, View, "/checks");
    }

    /// <summary>Lets everything run again that the guard stops.</summary>
    public IActionResult OnPostResume()
    {
        desk.Junction.ResumeGuard();
        View = Look(null, null);
        return this.Answer(null, Fragment, View, "/checks");
    }

    /// <summary>Writes down a way back that the guard saw.</summary>
    /// <param name="number">Which, from 0, of those that are shown.</param>
    /// <param name="sentence">What was shown of it.</param>
    public IActionResult OnPostLearn(int number, string? sentence)
    {
        var learned = Learned();
        var problem =
            number >= 0 && number < learned.Count && learned[number] is { Remedy: { } remedy } proposal && proposal.Sentence == sentence
                ? desk.Apply(remedy.Edit).Problem
                : new Problem("learn", "That is not there any more: the studio was changed meanwhile. Nothing was changed.");
        View = Look(null, problem);
        return this.Answer(problem, Fragment, View, "/checks");
    }

    /// <summary>Sets how the studio guards against circles.</summary>
    /// <param name="waits">Whether a route that would open a circuit waits; null to leave that.</param>
    /// <param name="rounds">At which generation the guard stops; null to leave that.</param>
    public IActionResult OnPostSafety(bool? waits, int? rounds)
    {
        var before = desk.State.Studio.Safety;
        var problem = desk.Apply(new SetSafety(new Safety(waits ?? before.OpeningWaits, rounds ?? before.Rounds))).Problem;
        View = Look(null, problem);
        return this.Answer(problem, Fragment, View, "/checks");
    }

    private PlacedFinding? Find(string? key) => All(out _).Find(placed => placed.Key == key);

    /// <summary>What was found in all lineups, and what holds a circuit closed in the one in force.</summary>
    private List<PlacedFinding> All(out (bool Done, bool Whole) heldDone)
    {
        var state = desk.State;
        var holding = held.Find(state.Report);
        heldDone = (holding is not null, holding?.IsWhole ?? false);
        return
        [
            .. state.Findings,
            .. (holding?.Findings ?? []).Select(finding => new PlacedFinding(finding.Key, finding, state.Report, [], false)),
        ];
    }

    private static PricedRemedy? RemedyOf(PlacedFinding placed, string? key) =>
        RemedySearch.For(placed.Report, placed.Finding).Remedies.FirstOrDefault(remedy => remedy.Key == key);

    private IEnumerable<Route> Changed(Studio after) =>
        after.Routes.Where(route => desk.State.Studio.FindRoute(route.Id) is { } before && !ReferenceEquals(before, route));

    private IReadOnlyList<Proposal> Learned()
    {
        var studio = desk.State.Studio;
        var known = RoomLinks
            .Of(studio)
            .RoomWays()
            .Where(way => way.IsBack && way.On)
            .Select(way => (way.Destination, way.Source))
            .ToHashSet();
        // What was counted says more than what was only seen while it went round.
        var ways = echoes
            .Found()
            .Concat(desk.Junction.Guarded() is { Trips.Length: > 0 } guarded ? guarded.Ways : [])
            .DistinctBy(way => (way.To, way.From));
        return
        [
            .. Proposals
                .Of(studio, ways.Where(way => !known.Contains((way.To, way.From))))
                .Where(proposal => proposal is { Agrees: false, Remedy: not null }),
        ];
    }

    private ChecksView Look(string? key, Problem? problem)
    {
        var state = desk.State;
        var findings = All(out var heldDone);
        // An answer to a press lists what was listed before it.
        var find = NameRule.Tidy(Request.PageQuery("/checks").GetValueOrDefault("q"));
        var words = find.Split(' ', StringSplitOptions.RemoveEmptyEntries);
        var listed = findings.FindAll(finding =>
            Array.TrueForAll(words, word =>
                $"{finding.Finding.Sign} {finding.Finding.Title} {finding.Finding.Sentence} {finding.Where}".Contains(
                    word,
                    StringComparison.OrdinalIgnoreCase
                )
            )
        );
        var chosen = findings.Find(finding => finding.Key == key)
            ?? (listed.Count > 0 ? listed[0] : null)
            ?? findings.Find(finding => finding.Finding.Kind != FindingKind.Held);
        var remedies =
            chosen is null ? new RemedyList([], false)
            : chosen.Report.Looked.Places <= MostAtOnce ? RemedySearch.For(chosen.Report, chosen.Finding)
            : null;
        var trips = desk.Junction.Guarded().Trips;
        return new ChecksView(state, findings, chosen, remedies, heldDone, trips, Learned(), problem)
        {
            Find = find,
            Listed = listed,
            Measured = chosen?.Finding is { Kind: FindingKind.Wire, Port: { } port } ? (load.Of(port).Now, load.Of(port).Highest) : null,
        };
    }
}
