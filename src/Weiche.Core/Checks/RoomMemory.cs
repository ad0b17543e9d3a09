using System.Collections.Concurrent;
using System.Collections.Immutable;
using System.Numerics;
using Weiche.Core.Sets;
using Weiche.Core.Studios;

namespace Weiche.Core.Checks;

/// <summary>What was worked out in a room with some routes or others, to be taken from here where it comes again: an edit changes a few of
/// them, a lineup has some of those of another.</summary>
/// <remarks>Each thing is kept with all that it follows from, and taken only where that is the very same. Safe to use from several
/// threads.</remarks>
/// <param name="places">How many places the room has.</param>
internal sealed class RoomMemory(int places)
{
    private const int Versions = 8;

    // Of ends between which more ways lead, one version alone is kept.
    private const int ManyWays = 4;

    // After so many all are let go of but those that are known with all the ways from their place: in a tangle an edit makes thousands.
    private const int MostToHearers = 8_192;
    private int _toHearers;

    private readonly ConcurrentDictionary<(int Origin, DeviceId Hearer), Lately<WaysToHearer>> _hearers = [];

    /// <summary>For each place the steps from it.</summary>
    internal AtPlaces<Step[]> OutOf { get; } = new(places);

    /// <summary>For each place the steps to it.</summary>
    internal AtPlaces<Step[]> Into { get; } = new(places);

    /// <summary>For each place what can be there, by what leads to it.</summary>
    internal AtPlaces<Gathered> Reach { get; } = new(places);

    /// <summary>For each place what of it is heard, by where it leads.</summary>
    internal AtPlaces<Gathered> Heard { get; } = new(places);

    /// <summary>For each place the ways from there.</summary>
    internal AtPlaces<WaysFrom> Ways { get; } = new(places);

    /// <summary>For each place the ways by one step or another from there.</summary>
    internal AtPlaces<WaysBehind> Behind { get; } = new(places);

    /// <summary>For each place the steps of the routes that begin there.</summary>
    internal AtPlaces<Laid> LaidFrom { get; } = new(places);

    /// <summary>Of which devices it is not known whether they play themselves, by the routes of all lineups.</summary>
    internal Lately<OfRoutes> Unknown { get; } = new(2);

    /// <summary>The ways from a place to a hearer, the same ones as before where they are the same.</summary>
    /// <param name="origin">The place.</param>
    /// <param name="hearer">The device that hears.</param>
    /// <param name="ways">The ways.</param>
    internal WaysToHearer To(int origin, DeviceId hearer, List<HeardWay> ways)
    {
        var known = _hearers.GetOrAdd((origin, hearer), static _ => new Lately<WaysToHearer>(Versions));
        if (known.Find(ways, static (each, ways) => each.Has(ways)) is { } found)
            return found;
        if (Interlocked.Increment(ref _toHearers) > MostToHearers)
        {
            _hearers.Clear();
            _toHearers = 0;
        }
        return ways.Count > ManyWays ? known.KeepAlone(new WaysToHearer(ways)) : known.Keep(new WaysToHearer(ways));
    }

    /// <summary>For each place the last few of something; most places have none.</summary>
    /// <param name="places">How many places there are.</param>
    internal sealed class AtPlaces<T>(int places)
        where T : class
    {
        private readonly Lately<T>?[] _lists = new Lately<T>?[places];

        // Of two threads that begin one at once one begins it anew: it forgets what the other has kept.
        internal Lately<T> this[int place] => _lists[place] ??= new Lately<T>(Versions);
    }

    /// <summary>The steps of the routes on which messages of a source run.</summary>
    /// <param name="routes">Those routes, in the order in which they are asked.</param>
    /// <param name="followers">Who followed the studio's clock: it leaves something out at their destinations.</param>
    /// <param name="steps">The steps.</param>
    internal sealed class Laid(Route[] routes, ImmutableArray<Follower> followers, Step[] steps)
    {
        internal Step[] Steps => steps;

        internal int Routes => routes.Length;

        /// <summary>The ways that were found by them last, where they are few; null for none.</summary>
        internal WaysFrom? Ways { get; set; }

        /// <summary>The steps of some of a source's routes.</summary>
        /// <param name="all">The routes of the source.</param>
        /// <param name="live">Which of them are live, as bits.</param>
        /// <param name="followers">Who follows the studio's clock.</param>
        /// <param name="steps">The steps.</param>
        internal static Laid Of(Route[] all, ulong live, ImmutableArray<Follower> followers, Step[] steps)
        {
            var routes = new Route[BitOperations.PopCount(live)];
            for (var i = 0; i < routes.Length; i++, live &= live - 1)
                routes[i] = all[BitOperations.TrailingZeroCount(live)];
            return new Laid(routes, followers, steps);
        }

        /// <summary>Whether they are those of some of a source's routes.</summary>
        /// <param name="all">The routes of the source.</param>
        /// <param name="live">Which of them are live, as bits.</param>
        /// <param name="followersNow">Who follows the studio's clock.</param>
        internal bool IsOf(Route[] all, ulong live, ImmutableArray<Follower> followersNow)
        {
            if (followers != followersNow || BitOperations.PopCount(live) != routes.Length)
                return false;
            foreach (var route in routes)
            {
                if (!ReferenceEquals(route, all[BitOperations.TrailingZeroCount(live)]))
                    return false;
                live &= live - 1;
            }
            return true;
        }
    }

    /// <summary>What was found of routes, whether they are live or not.</summary>
    internal sealed record OfRoutes(ImmutableArray<Route> Routes, ImmutableArray<Finding> Findings);

    /// <summary>What steps bring together at a place, and what is there without them.</summary>
    /// <param name="memory">What was brought together there before; null if that is not kept.</param>
    /// <param name="own">What is there without them.</param>
    /// <param name="steps">The steps, each with its near end at the place.</param>
    /// <param name="sets">For each place the set that is there.</param>
    /// <param name="far">The far end of a step.</param>
    /// <param name="carry">What a step makes of a set at its far end.</param>
    internal static MessageSet Gather(
        Lately<Gathered>? memory,
        MessageSet own,
        Step[] steps,
        MessageSet[] sets,
        Func<Step, int> far,
        Func<Step, MessageSet, MessageSet> carry
    )
    {
        if (steps.Length == 0)
            return own;
        if (memory?.Find((own, steps, sets, far), static (known, now) => known.IsOf(now.own, now.steps, now.sets, now.far)) is { } known)
            return known.Set;
        var (set, others) = (own, memory is null ? [] : new MessageSet[steps.Length]);
        for (var i = 0; i < steps.Length; i++)
        {
            var other = sets[far(steps[i])];
            set = set.Union(carry(steps[i], other));
            if (memory is not null)
                others[i] = other;
        }
        memory?.Keep(new Gathered(own, steps, others, set));
        return set;
    }

    /// <summary>A set that steps brought together.</summary>
    /// <param name="Own">What was there without them.</param>
    /// <param name="Steps">The steps.</param>
    /// <param name="Others">For each the set at its far end.</param>
    /// <param name="Set">What they made.</param>
    internal sealed record Gathered(MessageSet Own, Step[] Steps, MessageSet[] Others, MessageSet Set)
    {
        internal bool IsOf(MessageSet own, Step[] steps, MessageSet[] sets, Func<Step, int> far)
        {
            if (!ReferenceEquals(Steps, steps) || !ReferenceEquals(Own, own))
                return false;
            for (var i = 0; i < steps.Length; i++)
            {
                if (!ReferenceEquals(Others[i], sets[far(steps[i])]))
                    return false;
            }
            return true;
        }
    }
}
