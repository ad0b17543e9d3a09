using Weiche.Core.Checks;

namespace Weiche.Web.Live;

/// <summary>The lamp of the guard in the head of each page.</summary>
/// <param name="Open">How many circuits are open.</param>
/// <param name="Warnings">How many other findings want a look: what will be heard or missed, and who is silent.</param>
/// <param name="Stopped">How many things the guard stops that went round in spite of the plan.</param>
/// <param name="IsLooking">Whether the studio, as it is now, is still looked at.</param>
/// <param name="Where">Where the open circuits are, if not in the lineup in force: " in 2 Star field"; else empty.</param>
/// <param name="ByLever">Whether they are not open, but would be as soon as a lever is worked.</param>
public sealed record GuardLamp(int Open, int Warnings, int Stopped, bool IsLooking = false, string Where = "", bool ByLever = false)
{
    /// <summary>What it says.</summary>
    public string Words =>
        Open > 0 && ByLever ? (Open == 1 ? "1 lever circuit" : $"{Open} lever circuits")
        : Open > 0 ? (Open == 1 ? "1 circuit" : $"{Open} circuits") + (Where.Length == 0 ? " open" : Where)
        : Stopped > 0
            ? Stopped == 1 ? "1 circuit stopped"
                : $"{Stopped} stopped"
        : IsLooking ? "Looking …"
        : Warnings > 0 ? $"{Warnings} to look at"
        : "All clear";

    /// <summary>What it says where there is room for more.</summary>
    public string Title =>
        IsLooking
            ? "Checks (4): the studio is being looked at; what they say is of before the last edits"
            : $"Checks (4): {(Open + Stopped == 0 && Warnings > 0 ? "no circuit is open, " : "")}{(ByLever ? "no circuit is open, but a lever would close one" : Words.ToLowerInvariant())}{(Stopped > 0 ? $"; the guard stops {Stopped}" : "")}{(Warnings > 0 && Open + Stopped > 0 ? $"; {Warnings} more to look at" : "")}";

    /// <summary>How it looks: "open", "stopped", "warn" or "clear".</summary>
    public string Look =>
        Open > 0 ? "open"
        : Stopped > 0 ? "stopped"
        : IsLooking ? "looking"
        : Warnings > 0 ? "warn"
        : "clear";

    /// <summary>The lamp of a running studio: the worst of all its lineups.</summary>
    /// <param name="desk">The studio.</param>
    public static GuardLamp Of(Desk.StudioDesk desk)
    {
        var (state, findings) = (desk.State, desk.State.Findings);
        var open = findings.Where(placed => placed.Finding.IsCircuit).ToList();
        var byLever = open.Count > 0 && open.TrueForAll(placed => !placed.Finding.IsOpenCircuit);
        // Where only other lineups have one, it says which.
        var elsewhere =
            open.Count > 0
            && open.TrueForAll(placed => !placed.Lineups.IsEmpty && state.Studio.InForce is { } id && !placed.Lineups.Contains(id))
                ? open.SelectMany(placed => placed.Lineups).Distinct().ToList()
                : [];
        return new GuardLamp(
            open.Count,
            findings.Count(placed => placed.Finding.Severity == Severity.Warning || placed.Finding.Kind == FindingKind.Silence),
            desk.Junction.Guarded().Trips.Length,
            state.IsLooking,
            elsewhere switch
            {
                [] => "",
                [var one] => $" in {state.Studio.NameOf(one)}",
                _ => " in other lineups",
            },
            byLever
        );
    }
}
