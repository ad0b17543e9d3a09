using System.Collections.Immutable;
using System.Globalization;
using Weiche.Core.Midi;
using Weiche.Core.Stages;
using Weiche.Core.Studios;

namespace Weiche.Core.Layout;

/// <summary>A table of the sheet.</summary>
/// <param name="Key">What it is, as a file is named: "jacks", "plan-2".</param>
/// <param name="Title">Its title.</param>
/// <param name="Headings">What its columns are.</param>
/// <param name="Rows">Its rows.</param>
public sealed record SheetTable(string Key, string Title, ImmutableArray<string> Headings, ImmutableArray<ImmutableArray<string>> Rows);

/// <summary>A track on the sheet: a route of a lineup.</summary>
/// <param name="From">Where it comes from.</param>
/// <param name="Signs">Its stages.</param>
/// <param name="To">Where it leads.</param>
/// <param name="More">What else is to be known: "off", "waits"; may be empty.</param>
public sealed record SheetTrack(string From, ImmutableArray<string> Signs, string To, string More);

/// <summary>The plan of a lineup on the sheet.</summary>
/// <param name="Key">What it is, as a file is named.</param>
/// <param name="Title">The lineup with its number; the studio's name where there are none.</param>
/// <param name="Note">What is sent and done on entering it, and what the player should not forget; may be empty.</param>
/// <param name="Tracks">Its routes, destination by destination.</param>
public sealed record SheetPlan(string Key, string Title, string Note, ImmutableArray<SheetTrack> Tracks);

/// <summary>What hangs on the wall: the room jack by jack, what is plugged into what, the plan of each lineup, levers, programs, what must
/// not be touched. It is told in words alone, so that what has changed since can be told as well.</summary>
/// <param name="Studio">The name of the studio.</param>
/// <param name="Plans">The plan of each lineup.</param>
/// <param name="Tables">All else.</param>
/// <param name="Untouched">What must not be touched, and why.</param>
public sealed record Sheet(
    string Studio,
    ImmutableArray<SheetPlan> Plans,
    ImmutableArray<SheetTable> Tables,
    ImmutableArray<(string What, string Why)> Untouched
)
{
    /// <summary>The sheet of a studio.</summary>
    /// <param name="studio">The studio.</param>
    /// <param name="untouched">What must not be touched, and why: what holds circuits closed.</param>
    public static Sheet Of(Studio studio, IEnumerable<(string What, string Why)> untouched)
    {
        var lineups = studio.Lineups.IsEmpty ? [(LineupId?)null] : studio.Lineups.Select(lineup => (LineupId?)lineup.Id);
        ImmutableArray<SheetTable> tables =
        [
            Jacks(studio),
            Sockets(studio),
            Inside(studio),
            Devices(studio),
            Levers(studio),
            Time(studio),
            Named(studio, "programs", "Programs by name", "program", device =>
                device.Programs.Select(each => (Number(each.Key + 1), each.Value))
            ),
            Named(studio, "keys", "Keys by name", "key", device =>
                device.Keys.Select(each => ($"{Number(each.Key)} {studio.KeyNaming.Of(each.Key)}", each.Value))
            ),
        ];
        return new Sheet(
            studio.Name,
            [.. lineups.Select((id, index) => PlanOf(studio.In(id), id, index))],
            [.. tables.Where(table => !table.Rows.IsEmpty)],
            [.. untouched]
        );
    }

    /// <summary>What is otherwise than on another sheet, in words, each with a sign: "+" for what is new, "−" for what is gone.</summary>
    /// <param name="printed">The sheet that hangs on the wall.</param>
    public IReadOnlyList<string> Since(Sheet printed)
    {
        var (before, now) = (printed.Lines().ToList(), Lines().ToList());
        return [.. before.Except(now).Select(line => $"− {line}"), .. now.Except(before).Select(line => $"+ {line}")];
    }

    /// <summary>Every row in words, with where it stands.</summary>
    private IEnumerable<string> Lines() =>
        Plans
            .SelectMany(plan =>
                plan.Tracks.Select(track =>
                        $"{plan.Title}: {track.From} → "
                        + $"{string.Concat(track.Signs.Select(sign => $"{sign} → "))}{track.To}{(track.More.Length > 0 ? $", {track.More}" : "")}"
                    )
                    .Concat(plan.Note.Length > 0 ? [$"{plan.Title}: {plan.Note}"] : [])
            )
            .Concat(
                Tables.SelectMany(table =>
                    table.Rows.Select(row => $"{table.Title}: {string.Join(" · ", row.Where(cell => cell.Length > 0))}")
                )
            )
            .Concat(Untouched.Select(each => $"Leave alone: {each.What}"));

    private static SheetPlan PlanOf(Studio studio, LineupId? id, int index)
    {
        var live = LiveRoutes.Of(studio);
        var tracks = studio
            .Routes.Where(live.IsOnDuty)
            .OrderBy(route => studio.FindPort(route.To)!.Value.Name, StringComparer.CurrentCultureIgnoreCase)
            .Select(route => new SheetTrack(
                studio.NameOf(route.From),
                [
                    .. route.Stages.Select(stage =>
                        stage is OffStage off ? $"{off.Sign(studio.KeyNaming)} (off)" : stage.Sign(studio.KeyNaming)
                    ),
                ],
                studio.FindPort(route.To)!.Value.Name,
                string.Join(
                    ", ",
                    new[] { route.On ? "" : "off", route.Divert ? "takes it from those below" : "", route.Solo ? "solo" : "" }.Where(word =>
                        word.Length > 0
                    )
                )
            ));
        var lineup = id is { } known ? studio.FindLineup(known) : null;
        var sends = lineup?.Sends.Select(sending => SendingWords.Of(studio, sending)) ?? [];
        string[] said =
        [
            .. sends,
            lineup?.Tempo is { } tempo ? tempo.ToString() : "",
            lineup?.Master is { } master ? $"time from {master.NameIn(studio)}" : "",
            lineup?.Note ?? "",
        ];
        return new SheetPlan(
            $"plan-{index + 1}",
            lineup is null ? studio.Name : studio.NameOf(lineup.Id),
            string.Join("; ", said.Where(each => each.Length > 0)),
            [.. tracks]
        );
    }

    /// <summary>The room jack by jack, with the tag that hangs on each cable end.</summary>
    private static SheetTable Jacks(Studio studio) =>
        new(
            "jacks",
            "Jack by jack",
            ["at", "jack", "plugged into", "tag", "channels"],
            [
                .. studio
                    .Devices.SelectMany(device => device.Jacks.Select(jack => (device, jack)))
                    .Select(each =>
                    {
                        var far = studio.OtherEnd(each.jack.Id);
                        var port = studio.Ports.FirstOrDefault(port => port.Port.Jack == each.jack.Id);
                        var chain = each.jack.Sends ? studio.Chain(each.jack.Id) : [];
                        var tag =
                            port.Device is null ? ""
                            : port.IsLoose ? ""
                            : port.Tag;
                        if (chain.Count > 1)
                            tag += $"; its THRU → {string.Join(" → ", chain.Skip(1).Select(link => link.Device.Name))}";
                        return ImmutableArray.Create(
                            each.device.Name,
                            each.jack.Name,
                            far is { } end ? $"{end.Device.Name} {end.Jack.Name}" : "–",
                            tag,
                            port.Device is null || port.IsLoose ? "" : port.Channels.ToString()
                        );
                    }),
            ]
        );

    private static SheetTable Sockets(Studio studio) =>
        new(
            "ports",
            "At this computer",
            ["port", "part", "wire", "channels", "state"],
            [
                .. studio
                    .Ports.Where(port => port.Port.Jack is null)
                    .Select(port =>
                        ImmutableArray.Create(
                            port.Label,
                            port.Port.Part,
                            port.Device.Known?.Place is { Length: > 0 } place
                                ? $"{port.Port.Wire.ToString().ToLowerInvariant()} at {place}"
                                : port.Port.Wire.ToString().ToLowerInvariant(),
                            port.Channels.ToString(),
                            port.Port.On ? "" : "off"
                        )
                    ),
            ]
        );

    private static SheetTable Inside(Studio studio) =>
        new(
            "inside",
            "Ways inside devices",
            ["device", "way", "set to"],
            [
                .. studio.Devices.SelectMany(device =>
                    device.InnerPaths.Select(path => ImmutableArray.Create(device.Name, path.Name, path.On ? "on" : "off"))
                ),
            ]
        );

    private static SheetTable Devices(Studio studio) =>
        new(
            "devices",
            "Devices",
            ["device", "sends on", "listens to", "sound comes back at"],
            [
                .. studio
                    .Devices.Where(device => !device.IsVirtualPort())
                    .Select(device =>
                        ImmutableArray.Create(
                            device.Name,
                            device.Sends.Count > 0 && device.Ports.Any(port => port.Direction == PortDirection.Source)
                            || device.Jacks.Any(jack => jack.Sends)
                                ? device.Sends.ToString()
                                : "",
                            device.Listens.ToString(),
                            device.Audio
                        )
                    ),
            ]
        );

    private static SheetTable Levers(Studio studio) =>
        new(
            "levers",
            "Levers",
            ["press", "works", "in"],
            [
                .. studio.Levers.Select(lever =>
                    ImmutableArray.Create(
                        LeverWords.Name(studio, lever),
                        LeverWords.Of(studio, lever.Work),
                        lever.Works.IsStanding ? "" : string.Join(", ", lever.Works.Lineups.Select(studio.NameOf))
                    )
                ),
            ]
        );

    private static SheetTable Time(Studio studio) =>
        new(
            "time",
            "Time",
            ["what", "how"],
            studio.Time.IsUsual
                ? []
                :
                [
                    ["kept by", studio.Time.Master is { } master ? master.NameIn(studio) : "nobody"],
                    ["tempo", studio.Time.Tempo.ToString()],
                    .. studio
                        .Time.Followers.Where(follower => follower.GetsAnything)
                        .Select(follower =>
                            ImmutableArray.Create(
                                $"to {studio.FindPort(follower.To)?.Name}",
                                string.Join(
                                    ", ",
                                    new[]
                                    {
                                        follower.Form switch
                                        {
                                            ClockForm.Steadied => "clock, steadied",
                                            ClockForm.AsItCame => "clock as it came",
                                            _ => "",
                                        },
                                        follower.Starts ? "started and stopped" : "",
                                        follower.Offset == MidiSpan.Zero
                                            ? ""
                                            : $"{(follower.Offset < MidiSpan.Zero ? "early by" : "late by")} {follower.Offset.Length}",
                                    }.Where(word => word.Length > 0)
                                )
                            )
                        ),
                ]
        );

    private static SheetTable Named(
        Studio studio,
        string key,
        string title,
        string what,
        Func<Device, IEnumerable<(string Number, string Name)>> names
    ) =>
        new(
            key,
            title,
            ["device", what, "name"],
            [
                .. studio.Devices.SelectMany(device =>
                    names(device).Select(each => ImmutableArray.Create(device.Name, each.Number, each.Name))
                ),
            ]
        );

    private static string Number(int number) => number.ToString(CultureInfo.InvariantCulture);
}
