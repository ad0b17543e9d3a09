using System.Collections.Immutable;

namespace Weiche.Core.Studios;

/// <summary>What a studio must be so that everything else can rely on it: ids are used once, names tell things apart, cables lead from
/// what sends to what receives, routes from a source that is there to a destination that is there.</summary>
/// <remarks>What is read from a file is checked as a whole (<see cref="Checked"/>), and so is what an edit makes before it is written down
/// (<see cref="Broken"/>): what is written can be read.</remarks>
public static class StudioRules
{
    /// <summary>Checks a studio that was put together from parts.</summary>
    /// <param name="studio">The studio.</param>
    /// <exception cref="ArgumentNullException"><paramref name="studio"/> is null.</exception>
    /// <exception cref="ArgumentException">The parts do not fit together; the message says how, in a sentence.</exception>
    /// <returns>The studio.</returns>
    public static Studio Checked(this Studio studio)
    {
        ArgumentNullException.ThrowIfNull(studio);
        CheckIds(studio);
        CheckNames(studio);
        CheckWiring(studio.Devices, studio.Cables);
        if (studio.Safety.Check() is { } unsafeText)
            throw new ArgumentException(unsafeText);
        CheckGroups(studio);
        CheckRoutes(studio);
        CheckLineups(studio);
        CheckLevers(studio);
        CheckTime(studio);
        return studio;
    }

    /// <summary>Which rule a studio breaks, in a sentence; null if none.</summary>
    /// <param name="studio">The studio after an edit.</param>
    public static string? Broken(Studio studio)
    {
        if (studio.NextId > Studio.MaxIds)
            return "This studio has used up its numbers, so nothing more can be added. Export it and import the file: the copy is "
                + "numbered anew.";
        try
        {
            studio.Checked();
            return null;
        }
        catch (ArgumentException exception)
        {
            return exception.Message;
        }
    }

    /// <summary>The number of everything in a studio.</summary>
    internal static IEnumerable<int> IdsOf(Studio studio) =>
        studio
            .Devices.Select(device => device.Id.Value)
            .Concat(studio.Devices.SelectMany(device => device.Ports).Select(port => port.Id.Value))
            .Concat(studio.Devices.SelectMany(device => device.Jacks).Select(jack => jack.Id.Value))
            .Concat(studio.Devices.SelectMany(device => device.InnerPaths).Select(path => path.Id.Value))
            .Concat(studio.Routes.Select(route => route.Id.Value))
            .Concat(studio.Groups.Select(group => group.Id.Value))
            .Concat(studio.Lineups.Select(lineup => lineup.Id.Value))
            .Concat(studio.Levers.Select(lever => lever.Id.Value));

    private static void CheckIds(Studio studio)
    {
        var (seen, nextId) = (new HashSet<int>(), studio.NextId);
        foreach (var id in IdsOf(studio))
        {
            if (!seen.Add(id))
                throw new ArgumentException($"The id {id} is used twice.");
            if (id < 1 || id >= nextId)
                throw new ArgumentException($"The id {id} is not between 1 and {nextId - 1}.");
        }
        if (nextId > Studio.MaxIds)
            throw new ArgumentException($"The next id is {nextId}; at most {Studio.MaxIds} are possible.");
    }

    private static void CheckNames(Studio studio)
    {
        foreach (
            var (what, names) in new[]
            {
                ("studio", [studio.Name]),
                ("device", studio.Devices.Select(device => device.Name)),
                ("group", studio.Groups.Select(group => group.Name)),
                ("lineup", studio.Lineups.Select(lineup => lineup.Name)),
            }
        )
        {
            var seen = new HashSet<string>(StringComparer.OrdinalIgnoreCase);
            foreach (var each in names)
            {
                if (NameRule.Check(each) is { } problem)
                    throw new ArgumentException($"The {what} “{each}”: {problem}");
                if (!seen.Add(each))
                    throw new ArgumentException($"The {what} name “{each}” is used twice.");
            }
        }
    }

    private static void CheckWiring(ImmutableArray<Device> devices, ImmutableArray<Cable> cables)
    {
        var jacks = devices.SelectMany(device => device.Jacks.Select(jack => (device, jack))).ToDictionary(item => item.jack.Id);
        foreach (var device in devices)
        {
            if (DeviceRule.Check(device) is { } problem)
                throw new ArgumentException($"Device “{device.Name}”: {problem}");
        }
        var plugged = new HashSet<JackId>();
        foreach (var cable in cables)
        {
            if (!jacks.TryGetValue(cable.From, out var from) || !jacks.TryGetValue(cable.To, out var to))
                throw new ArgumentException($"A cable leads from jack {cable.From} to jack {cable.To}, and one of them is not there.");
            if (!from.jack.Sends || to.jack.Sends)
                throw new ArgumentException(
                    $"A cable leads from {from.device.Name} {from.jack.Name} to {to.device.Name} {to.jack.Name}; it must lead from "
                        + "a jack that sends to one that receives."
                );
            if (from.device.Id == to.device.Id)
                throw new ArgumentException($"A cable leads from {from.device.Name} to itself.");
            if (!plugged.Add(cable.From) || !plugged.Add(cable.To))
                throw new ArgumentException(
                    $"Two cables are plugged into one jack: {from.device.Name} {from.jack.Name} or {to.device.Name} {to.jack.Name}."
                );
        }
    }

    private static void CheckGroups(Studio studio)
    {
        foreach (var group in studio.Groups)
        {
            foreach (var member in group.Members)
                CheckSource(studio, member, $"Group “{group.Name}” has");
            if (group.Members.Distinct().Count() < group.Members.Length)
                throw new ArgumentException($"Group “{group.Name}” has a source twice.");
        }
    }

    private static void CheckRoutes(Studio studio)
    {
        foreach (var route in studio.Routes)
        {
            if (route.From is OneSource one)
                CheckSource(studio, one.Port, $"Route {route.Id} comes from");
            if (route.From is AnySource any)
            {
                foreach (var except in any.Except)
                    CheckSource(studio, except, $"Route {route.Id} excepts");
            }
            if (route.From is GroupSource group && studio.FindGroup(group.Group) is null)
                throw new ArgumentException($"Route {route.Id} comes from group {group.Group}, which is not there.");
            if (studio.FindPort(route.To) is not { IsSource: false })
                throw new ArgumentException($"Route {route.Id} goes to {route.To}, which is not a destination.");
            if (route.Stages.Length > Route.MaxStages)
                throw new ArgumentException($"Route {route.Id} has {route.Stages.Length} stages; at most {Route.MaxStages} are possible.");
        }
    }

    private static void CheckLineups(Studio studio)
    {
        if (studio.Lineups.Length > Lineup.Most)
            throw new ArgumentException($"The studio has {studio.Lineups.Length} lineups; at most {Lineup.Most} are possible.");
        var known = studio.Lineups.Select(lineup => lineup.Id).ToHashSet();
        foreach (var lineup in studio.Lineups)
        {
            if (Lineup.CheckNote(lineup.Note) is { } problem)
                throw new ArgumentException($"Lineup “{lineup.Name}”: {problem}");
            if (Lineup.CheckSends(lineup.Sends) is { } wrong)
                throw new ArgumentException($"Lineup “{lineup.Name}”: {wrong}");
            foreach (var sending in lineup.Sends)
            {
                if (studio.FindPort(sending.To) is not { IsSource: false })
                    throw new ArgumentException($"Lineup “{lineup.Name}” sends to {sending.To}, which is not a destination.");
            }
        }
        foreach (var route in studio.Routes)
        {
            foreach (var id in route.Duty.Lineups)
            {
                if (!known.Contains(id))
                    throw new ArgumentException($"Route {route.Id} is in lineup {id}, which is not there.");
            }
        }
    }

    private static void CheckLevers(Studio studio)
    {
        if (studio.Levers.Length > Lever.Most)
            throw new ArgumentException($"The studio has {studio.Levers.Length} levers; at most {Lever.Most} are possible.");
        for (var i = 0; i < studio.Levers.Length; i++)
        {
            var lever = studio.Levers[i];
            CheckSource(studio, lever.Source, $"Lever {lever.Id} is on");
            if (lever.Trigger.Check() is { } problem)
                throw new ArgumentException($"Lever {lever.Id}: {problem}");
            // A file of before this was known may have a program that switches while held: that never lets go.
            if (lever.Work is WorkTime && Lever.CheckHeld(lever.Trigger, lever.Work) is { } held)
                throw new ArgumentException($"Lever {lever.Id}: {held}");
            foreach (var id in lever.Works.Lineups)
            {
                if (studio.FindLineup(id) is null)
                    throw new ArgumentException($"Lever {lever.Id} works in lineup {id}, which is not there.");
            }
            if (lever.Work is EnterLineup enter && studio.FindLineup(enter.Lineup) is null)
                throw new ArgumentException($"Lever {lever.Id} enters lineup {enter.Lineup}, which is not there.");
            if (lever.Work is SwitchRoutes routes && (routes.Routes.IsEmpty || routes.Routes.Any(id => studio.FindRoute(id) is null)))
                throw new ArgumentException($"Lever {lever.Id} switches a route that is not there, or none.");
            if (studio.Levers.Take(i).FirstOrDefault(other => Clash(other, lever)) is { } other)
                throw new ArgumentException(
                    $"Lever {lever.Id} and lever {other.Id} are both {lever.Trigger.Words(studio.KeyNaming)} of {studio.FindPort(lever.Source)?.Name}."
                );
        }
    }

    private static void CheckTime(Studio studio)
    {
        if (studio.Time.Check() is { } problem)
            throw new ArgumentException(problem);
        foreach (var follower in studio.Time.Followers)
        {
            if (studio.FindPort(follower.To) is not { IsSource: false })
                throw new ArgumentException($"The clock goes to {follower.To}, which is not a destination.");
        }
        if (studio.Time.Master?.Source is { } master)
            CheckSource(studio, master, "The clock comes from");
        foreach (var lineup in studio.Lineups)
        {
            if (lineup.Master?.Source is { } own)
                CheckSource(studio, own, $"In lineup “{lineup.Name}” the clock comes from");
        }
    }

    /// <summary>Whether one thing on a source would work two levers at once.</summary>
    internal static bool Clash(Lever one, Lever other) =>
        one.Source == other.Source
        && one.Trigger.Meets(other.Trigger)
        && (one.Works.IsStanding || other.Works.IsStanding || one.Works.Lineups.Any(other.Works.Lineups.Contains));

    private static void CheckSource(Studio studio, PortId id, string what)
    {
        if (studio.FindPort(id) is not { IsSource: true })
            throw new ArgumentException($"{what} {id}, which is not a source.");
    }
}
