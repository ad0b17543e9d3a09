using System.Collections.Immutable;

namespace Weiche.Core.Studios.Edits;

/// <summary>Why an edit cannot be made.</summary>
/// <param name="Field">The field it concerns ("name", "to" …), so that the sentence can stand beside it.</param>
/// <param name="Sentence">What is wrong and what would be right, for a person.</param>
/// <param name="Remedy">What would work instead, or null.</param>
public sealed record Problem(string Field, string Sentence, Remedy? Remedy = null);

/// <summary>What would work instead of an edit that cannot be made.</summary>
/// <param name="Label">What stands on its button.</param>
/// <param name="Edit">The edit that it makes.</param>
public sealed record Remedy(string Label, StudioEdit Edit);

/// <summary>What became of an edit: a new studio, or a problem and nothing changed.</summary>
public sealed record EditResult
{
    private EditResult(Studio? studio, Problem? problem, int newId)
    {
        Studio = studio;
        Problem = problem;
        NewId = newId;
    }

    /// <summary>The studio after the edit; null if it could not be made.</summary>
    public Studio? Studio { get; }

    /// <summary>Why it could not be made; null if it was.</summary>
    public Problem? Problem { get; }

    /// <summary>The id of what the edit added (a route, a device); 0 if it added nothing.</summary>
    public int NewId { get; }

    /// <summary>The edit was made.</summary>
    /// <param name="studio">The studio after it.</param>
    /// <param name="newId">The id of what was added, or 0.</param>
    public static EditResult Done(Studio studio, int newId = 0) => new(studio, null, newId);

    /// <summary>The edit cannot be made.</summary>
    /// <param name="field">The field it concerns.</param>
    /// <param name="sentence">Why, for a person.</param>
    /// <param name="remedy">What would work instead, or null.</param>
    public static EditResult Refused(string field, string sentence, Remedy? remedy = null) => Refused(new Problem(field, sentence, remedy));

    /// <summary>The edit cannot be made.</summary>
    /// <param name="problem">Why.</param>
    public static EditResult Refused(Problem problem) => new(null, problem, 0);
}

/// <summary>One change of a studio, as a value: it can be named before it is made, and made on any studio.</summary>
public abstract record StudioEdit
{
    /// <summary>The edit in words, for the history: "Lay Amsel 61 → Brandung".</summary>
    /// <param name="studio">The studio before the edit.</param>
    public abstract string Title(Studio studio);

    /// <summary>Makes the edit, or says why it cannot be made. Never throws on what a person can do.</summary>
    /// <param name="studio">The studio before the edit; it stays as it is.</param>
    public abstract EditResult Apply(Studio studio);

    private protected static string PortName(Studio studio, PortId id) => studio.FindPort(id)?.Label ?? "a port that is gone";

    private protected static string RouteName(Studio studio, RouteId id) =>
        studio.FindRoute(id) is { } route ? studio.Describe(route) : "a route that is gone";

    private protected static EditResult RouteGone() =>
        EditResult.Refused("route", "That route is gone: it was removed meanwhile. Nothing was changed.");

    /// <summary>The same with one moved so many places, no further than to an end.</summary>
    private protected static ImmutableArray<T> Moved<T>(ImmutableArray<T> all, int at, int by) =>
        all.RemoveAt(at).Insert((int)Math.Clamp((long)at + by, 0, all.Length - 1), all[at]);

    private protected static EditResult LineupGone() =>
        EditResult.Refused("lineup", "That lineup is gone: it was removed meanwhile. Nothing was changed.");

    private protected static EditResult Change(Studio studio, LineupId id, Func<Lineup, Lineup> how) =>
        studio.FindLineup(id) is { } lineup
            ? EditResult.Done(studio with { Lineups = studio.Lineups.Replace(lineup, how(lineup)) })
            : LineupGone();

    private protected static EditResult Change(Studio studio, LeverId id, Func<Lever, Lever> how)
    {
        if (studio.FindLever(id) is not { } lever)
            return EditResult.Refused("lever", "That lever is gone: it was removed meanwhile. Nothing was changed.");
        var after = how(lever);
        return AddLever.CheckClash(studio, after) is { } clash
            ? EditResult.Refused(clash)
            : EditResult.Done(studio with { Levers = studio.Levers.Replace(lever, after) });
    }

    private protected static EditResult ReplaceRoute(Studio studio, Route before, Route after) =>
        EditResult.Done(studio.With(before, after));
}

/// <summary>Several edits as one: all of them are made, or none. One undo takes them back.</summary>
/// <param name="Edits">The edits, in their order.</param>
/// <param name="Words">What they do together, in words.</param>
public sealed record ManyEdits(ImmutableArray<StudioEdit> Edits, string Words) : StudioEdit
{
    /// <summary>The most that are made at once.</summary>
    public const int Most = 1024;

    /// <inheritdoc/>
    public override string Title(Studio studio) => Words;

    /// <inheritdoc/>
    public override EditResult Apply(Studio studio)
    {
        if (Edits.IsEmpty)
            return EditResult.Refused("many", "Nothing is chosen.");
        if (Edits.Length > Most)
            return EditResult.Refused("many", $"That would be {Edits.Length} changes at once; at most {Most} are made. Choose fewer.");
        var after = studio;
        foreach (var edit in Edits)
        {
            var result = edit.Apply(after);
            if (result.Problem is { } problem)
                return EditResult.Refused(problem);
            after = result.Studio!;
        }
        return EditResult.Done(after);
    }
}
