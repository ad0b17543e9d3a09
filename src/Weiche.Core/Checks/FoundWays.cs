using System.Collections.Immutable;
using Weiche.Core.Studios;

namespace Weiche.Core.Checks;

/// <summary>The places that a search passed, each once, and the steps from each of them.</summary>
/// <param name="Places">The places.</param>
/// <param name="OutOf">The steps from each.</param>
/// <param name="AreOfRoom">Whether none is one that only a route with several sources knows.</param>
internal readonly record struct PassedPlaces(int[] Places, Step[][] OutOf, bool AreOfRoom)
{
    internal static PassedPlaces Of(HashSet<int> places, Flow flow)
    {
        var (passed, outOf, areOfRoom, count) = (new int[places.Count], new Step[places.Count][], true, 0);
        foreach (var place in places)
        {
            (passed[count], outOf[count]) = (place, flow.OutOf[place]);
            areOfRoom &= flow.IsOfRoom(place);
            count++;
        }
        return new PassedPlaces(passed, outOf, areOfRoom);
    }

    /// <summary>Whether they lead on in a graph of the same room as they did.</summary>
    internal bool IsStill(Flow flow)
    {
        for (var i = 0; i < Places.Length; i++)
        {
            if (!ReferenceEquals(flow.OutOf[Places[i]], OutOf[i]))
                return false;
        }
        return true;
    }
}

/// <summary>What was found by way of one step from a place where a device sends by itself.</summary>
/// <param name="step">The step.</param>
/// <param name="passed">The places that were passed, without the first.</param>
/// <param name="ways">The ways to devices that hear.</param>
/// <param name="wires">The ways to destinations whose wire has an end to what it carries.</param>
/// <param name="steps">How many steps were looked at.</param>
internal sealed class WaysBehind(Step step, PassedPlaces passed, HeardWay[] ways, WireWay[] wires, int steps)
{
    internal int[] Places => passed.Places;

    internal HeardWay[] Ways => ways;

    internal WireWay[] Wires => wires;

    internal int Steps => steps;

    /// <summary>Whether it is what is found by way of a step in a graph of the same room too.</summary>
    internal bool IsStill(Step other, Flow flow) => ReferenceEquals(step, other) && passed.IsStill(flow);
}

/// <summary>What was found from a place where a device sends by itself.</summary>
/// <param name="from">The device.</param>
/// <param name="passed">The places that were passed.</param>
/// <param name="ways">The ways to devices that hear.</param>
/// <param name="wires">The ways to destinations whose wire has an end to what it carries.</param>
/// <param name="toHearers">The ways to each device that hears.</param>
/// <param name="steps">How many steps were looked at.</param>
internal sealed class WaysFrom(Device from, PassedPlaces passed, HeardWay[] ways, WireWay[] wires, WaysToHearer[] toHearers, int steps)
{
    private Told? _told;

    private sealed record Told(ImmutableArray<Route> Routes, ImmutableArray<SourceGroup> Groups, Finding[] Findings);

    internal Device From => from;

    internal HeardWay[] Ways => ways;

    internal WireWay[] Wires => wires;

    internal int Steps => steps;

    /// <summary>Whether it is what is found in a graph of the same room too.</summary>
    internal bool IsStill(Flow flow) => passed.IsStill(flow);

    /// <summary>What arrives twice by these ways.</summary>
    internal Finding[] Doubled(Flow flow)
    {
        var studio = flow.Studio;
        if (_told is { } told && (told.Findings.Length == 0 || told.Routes == studio.Routes && told.Groups == studio.Groups))
            return told.Findings;
        var findings = new List<Finding>();
        foreach (var each in toHearers)
        {
            if (each.Doubled(flow) is { } finding)
                findings.Add(finding);
        }
        _told = new Told(studio.Routes, studio.Groups, [.. findings]);
        return _told.Findings;
    }
}

/// <summary>All ways from a place to one device that hears, and whether anything arrives twice by them.</summary>
/// <param name="ways">The ways.</param>
internal sealed class WaysToHearer(List<HeardWay> ways)
{
    private Told? _told;

    /// <summary>What was found, with the names in it: a route's has that of its group, and its number among twins.</summary>
    private sealed record Told(Finding? Finding, ImmutableArray<Route> Routes, ImmutableArray<SourceGroup> Groups, string[] Names);

    /// <summary>Whether they are some others: what is heard of the same by the same steps is the same, in the same room.</summary>
    internal bool Has(List<HeardWay> others)
    {
        for (var i = 0; i < ways.Count; i++)
        {
            if (ways.Count != others.Count || !ways[i].Steps.AsSpan().SequenceEqual(others[i].Steps))
                return false;
        }
        return true;
    }

    /// <summary>What arrives twice, or null if nothing does.</summary>
    internal Finding? Doubled(Flow flow)
    {
        if (_told is not { } told || !IsStill(told, flow))
        {
            var finding = ways is [{ IsPlain: true }] ? null : Doubles.Of(flow, ways);
            _told = told = new Told(finding, flow.Studio.Routes, flow.Studio.Groups, finding is null ? [] : Names(flow));
        }
        return told.Finding;
    }

    private bool IsStill(Told told, Flow flow)
    {
        var studio = flow.Studio;
        if (told.Finding is null || told.Routes == studio.Routes && told.Groups == studio.Groups)
            return true;
        if (!told.Names.AsSpan().SequenceEqual(Names(flow)))
            return false;
        _told = told with { Routes = studio.Routes, Groups = studio.Groups };
        return true;
    }

    private string[] Names(Flow flow) =>
        [.. ways.SelectMany(way => way.Steps).Select(step => step.Route).OfType<Route>().Select(flow.Words.NameOf)];
}
