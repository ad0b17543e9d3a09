using Weiche.Core.Studios;
using Weiche.Core.Takes;

namespace Weiche.Files;

/// <summary>What arrived at a destination in a rehearsal.</summary>
/// <param name="Port">The destination.</param>
/// <param name="Name">What it is called.</param>
/// <param name="Messages">How many messages.</param>
/// <param name="Notes">How many of them began a note.</param>
/// <param name="Held">How many notes were still held at the end.</param>
/// <param name="Refused">How many messages did not fit.</param>
public sealed record ArrivedRow(PortId Port, string Name, int Messages, int Notes, long Held, long Refused);

/// <summary>What a lineup makes of a take.</summary>
/// <param name="Take">The take.</param>
/// <param name="Lineup">The lineup, with its number; the studio's name where there are none.</param>
/// <param name="Notes">How many notes the take has, as far as it is played.</param>
/// <param name="LeftOut">Tracks that are not played, since what they came from is not in the studio.</param>
/// <param name="Rows">What arrived where; destinations at which nothing arrived are left out.</param>
/// <param name="Report">What passed and what stopped where, as a table in plain text.</param>
public sealed record RehearsedTake(
    string Take,
    string Lineup,
    int Notes,
    IReadOnlyList<string> LeftOut,
    IReadOnlyList<ArrivedRow> Rows,
    string Report
)
{
    /// <summary>Notes that arrived, each at each destination.</summary>
    public int Arrived => Rows.Sum(row => row.Notes);

    /// <summary>What is wrong, in a few words; empty if nothing is.</summary>
    public string Wrong =>
        Notes == 0 && Rows.Count == 0 ? "nothing is played"
        : Notes > 0 && Arrived == 0 ? "no note arrives"
        : Rows.Sum(row => row.Refused) is > 0 and var refused ? $"{refused} messages did not fit"
        : Rows.Sum(row => row.Held) is > 0 and var held ? $"{held} {(held == 1 ? "note hangs" : "notes hang")}"
        : "";
}

/// <summary>Plays takes through a studio in virtual time.</summary>
public static class TakeRehearsal
{
    /// <summary>What a studio makes of a take, as it is now or in the lineup that it is looked at in.</summary>
    /// <param name="name">The name of the take.</param>
    /// <param name="take">The take.</param>
    /// <param name="studio">The studio.</param>
    /// <param name="own">The source as which tracks are played that came from none; null to leave them out.</param>
    public static RehearsedTake Of(string name, Take take, Studio studio, PortId? own = null)
    {
        var rehearsal = new Rehearsal(studio);
        var sources = take
            .Tracks.Select(track => track.PlayedFrom(own))
            .Select(port => port is { } id && studio.FindPort(id) is { IsSource: true } ? id : (PortId?)null)
            .ToList();
        var played = take.Events.Where(each => sources[each.Track] is not null && each.IsPlayed).ToList();
        rehearsal.Play(
            played
                .GroupBy(each => sources[each.Track]!.Value)
                .Select(group =>
                    (group.Key, (IReadOnlyList<TimedBytes>)[.. group.Select(each => new TimedBytes(each.At.Microseconds, each.Bytes))])
                )
        );
        var rows = studio
            .Destinations.Select(port =>
            {
                // What the clock brings has nothing to do with the take.
                var arrived = rehearsal.ArrivedAt(port.Id).Where(each => each.Bytes[0] < 0xF8).ToList();
                var meter = rehearsal.MeterOf(port.Id);
                return new ArrivedRow(
                    port.Id,
                    port.Name,
                    arrived.Count,
                    arrived.Count(each => (each.Bytes[0] & 0xF0) == 0x90 && each.Bytes[2] > 0),
                    meter.Held,
                    meter.Refused
                );
            })
            .Where(row => row.Messages > 0)
            .ToList();
        return new RehearsedTake(
            name,
            studio.Current is { } lineup ? studio.NameOf(lineup.Id) : studio.Name,
            played.Count(each => each.Message.IsNoteOn),
            [
                .. take
                    .Tracks.Where((_, index) => sources[index] is null && take.Events.Any(each => each.Track == index))
                    .Select(track => track.Name)
                    .Distinct(),
            ],
            rows,
            rehearsal.Report()
        );
    }

    /// <summary>What every lineup of a studio makes of every take; of a studio without lineups what it makes of each as it is.</summary>
    /// <param name="studio">The studio.</param>
    /// <param name="takes">The takes with their names.</param>
    /// <param name="own">The source as which tracks are played that came from none.</param>
    public static IReadOnlyList<RehearsedTake> All(Studio studio, IEnumerable<(string Name, Take Take)> takes, PortId? own = null) =>
        [
            .. takes.SelectMany(take =>
                studio.Lineups.IsEmpty
                    ? [Of(take.Name, take.Take, studio, own)]
                    : studio.Lineups.Select(lineup => Of(take.Name, take.Take, studio.In(lineup.Id), own))
            ),
        ];
}
