using System.Collections.Immutable;
using System.Globalization;
using Microsoft.Extensions.Primitives;
using Weiche.Core.Layout;
using Weiche.Core.Studios;

namespace Weiche.Web.Pages.Plan;

/// <summary>The ways of looking at the plan.</summary>
public enum PlanPage
{
    /// <summary>Tracks, by destination.</summary>
    Arrivals,

    /// <summary>Tracks, by source.</summary>
    Departures,

    /// <summary>A table of sources and destinations.</summary>
    Grid,
}

/// <summary>How the plan is looked at, all of which stands in its address: a reload shows the same.</summary>
/// <param name="Page">The way of looking.</param>
/// <param name="Focus">What alone is shown, or null.</param>
/// <param name="Folded">Whether what is idle is folded away.</param>
/// <param name="Routes">The chosen routes.</param>
/// <param name="Traces">Whether the trace is open.</param>
/// <param name="From">The source that is traced from, or 0.</param>
/// <param name="Message">The message that is traced, its bytes in hexadecimal; null for none.</param>
/// <param name="Reach">The destination of which is asked what can reach it, or 0.</param>
/// <param name="Balances">Whether the faders of all routes to the destination of the chosen one are shown.</param>
/// <param name="Lineup">The lineup that is looked at, or 0 for the one in force.</param>
/// <param name="OnDuty">Whether routes that are not in it are hidden.</param>
public sealed record PlanAddress(
    PlanPage Page = PlanPage.Arrivals,
    PlanFocus? Focus = null,
    bool Folded = false,
    ImmutableArray<RouteId> Routes = default,
    bool Traces = false,
    int From = 0,
    string? Message = null,
    int Reach = 0,
    bool Balances = false,
    int Lineup = 0,
    bool OnDuty = false
)
{
    private const int MostRoutes = 500;

    /// <summary>The chosen routes; none rather than nothing.</summary>
    public ImmutableArray<RouteId> Chosen => Routes.IsDefault ? [] : Routes;

    /// <summary>Where a request comes from: its own address, or that of the page that a form or script stood on.</summary>
    /// <param name="request">The request.</param>
    public static PlanAddress Of(HttpRequest request) => Parse(request.PageQuery("/plan"));

    private static PlanAddress Parse(Dictionary<string, StringValues> query)
    {
        string? Text(string name) => query.GetValueOrDefault(name).FirstOrDefault();
        int Number(string name) => int.TryParse(Text(name), NumberStyles.None, CultureInfo.InvariantCulture, out var number) ? number : 0;
        return new PlanAddress(
            Enum.TryParse<PlanPage>(Text("view"), ignoreCase: true, out var page) && Enum.IsDefined(page) ? page : PlanPage.Arrivals,
            PlanFocus.Parse(Text("focus")),
            Text("fold") == "1",
            ParseRoutes(Text("route")),
            Text("trace") == "1",
            Number("from"),
            Text("msg"),
            Number("reach"),
            Text("balance") == "1",
            Number("lineup"),
            Text("others") == "0"
        );
    }

    /// <summary>Reads routes as an address has them: "3,7".</summary>
    /// <param name="text">The text.</param>
    public static ImmutableArray<RouteId> ParseRoutes(string? text) =>
        [
            .. (text ?? "")
                .Split(',')
                .Select(part => int.TryParse(part, NumberStyles.None, CultureInfo.InvariantCulture, out var id) ? id : 0)
                .Where(id => id > 0)
                .Distinct()
                .Take(MostRoutes)
                .Select(id => new RouteId(id)),
        ];

    /// <summary>The address.</summary>
    public override string ToString()
    {
        var parts = new List<string>();
        if (Page != PlanPage.Arrivals)
            parts.Add($"view={Page.ToString().ToLowerInvariant()}");
        if (Focus is not null)
            parts.Add($"focus={Focus.Key}");
        if (Folded)
            parts.Add("fold=1");
        if (!Chosen.IsEmpty)
            parts.Add($"route={string.Join(',', Chosen)}");
        if (Traces)
            parts.Add("trace=1");
        if (From > 0)
            parts.Add($"from={From.ToString(CultureInfo.InvariantCulture)}");
        if (!string.IsNullOrEmpty(Message))
            parts.Add($"msg={Uri.EscapeDataString(Message)}");
        if (Reach > 0)
            parts.Add($"reach={Reach.ToString(CultureInfo.InvariantCulture)}");
        if (Balances)
            parts.Add("balance=1");
        if (Lineup > 0)
            parts.Add($"lineup={Lineup.ToString(CultureInfo.InvariantCulture)}");
        if (OnDuty)
            parts.Add("others=0");
        return parts.Count == 0 ? "/plan" : "/plan?" + string.Join('&', parts);
    }
}
