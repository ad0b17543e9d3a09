using Weiche.Core.Checks;
using Weiche.Core.Live;
using Weiche.Core.Midi;
using Weiche.Core.Studios;
using Weiche.Ports.StandIns;
using Weiche.Web.Desk;

namespace Weiche.Web.Live;

/// <summary>What changed since the frame before. Lists hold only what changed, as small arrays of numbers.</summary>
/// <param name="Version">The studio's version.</param>
/// <param name="Ports">For each port where messages ran or the held keys changed: id, 1 if messages ran, keys held.</param>
/// <param name="Routes">For each route that passed messages: id, how many in all.</param>
/// <param name="Stages">For each stage that messages came to: route, stage from 0, how many came and how many went on
/// in all, 1 if some were stopped that are worth a look (clock and active sensing are not), how many were stopped in all.</param>
/// <param name="Hearings">For each stand-in that now holds something else: its device and what it holds.</param>
/// <param name="Watch">The number of the newest line of Watch.</param>
/// <param name="Background">How much clock and active sensing came from all sources.</param>
/// <param name="Unnamed">What is plugged in, has no name yet and spoke.</param>
/// <param name="Roll">Counts up when something was plugged in or pulled out.</param>
/// <param name="Kinds">For each kind of message that came: source, kind, how many in all.</param>
/// <param name="Loads">For each port whose wire carries another load: id, bytes in the last second, the most in any second.</param>
/// <param name="Recent">The newest messages with a channel that came: source, status, first and second data byte.</param>
/// <param name="Guard">How many circuits are open, how many other findings want a look, and how much the guard stops.</param>
/// <param name="Lineup">The lineup in force: "2 Star field"; empty if there is none.</param>
/// <param name="Time">The time.</param>
/// <param name="Switched">The routes that levers have switched, where that is not as the studio has it: id, 1 for on; null where that is as
/// it was.</param>
public sealed record LampFrame(
    int Version,
    IReadOnlyList<long[]> Ports,
    IReadOnlyList<long[]> Routes,
    IReadOnlyList<long[]> Stages,
    IReadOnlyList<HeardFrame> Hearings,
    long Watch,
    long Background,
    IReadOnlyList<string> Unnamed,
    int Roll,
    IReadOnlyList<long[]> Kinds,
    IReadOnlyList<int[]> Recent,
    IReadOnlyList<long[]> Loads,
    GuardLamp Guard,
    string Lineup,
    TimeLamp? Time,
    IReadOnlyList<int[]>? Switched
);

/// <summary>The lamp of the guard in the head of each page.</summary>
/// <param name="Open">How many circuits are open.</param>
/// <param name="Warnings">How many other findings want a look: what will be heard or missed, and who is silent.</param>
/// <param name="Stopped">How many things the guard stops that went round in spite of the plan.</param>
/// <param name="IsLooking">Whether the studio, as it is now, is still looked at.</param>
/// <param name="Where">Where the open circuits are, if not in the lineup in force: " in 2 Star field"; else empty.</param>
public sealed record GuardLamp(int Open, int Warnings, int Stopped, bool IsLooking = false, string Where = "")
{
    /// <summary>What it says.</summary>
    public string Words =>
        Open > 0 ? (Open == 1 ? "1 circuit" : $"{Open} circuits") + (Where.Length == 0 ? " open" : Where)
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
            : $"Checks (4): {(Open + Stopped == 0 && Warnings > 0 ? "no circuit is open, " : "")}{Words.ToLowerInvariant()}{(Stopped > 0 ? $"; the guard stops {Stopped}" : "")}{(Warnings > 0 && Open + Stopped > 0 ? $"; {Warnings} more to look at" : "")}";

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
        var open = findings.Where(placed => placed.Finding.IsOpenCircuit).ToList();
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
            }
        );
    }
}

/// <summary>What a stand-in holds.</summary>
/// <param name="StandIn">The stand-in's key.</param>
/// <param name="Keys">The keys that sound.</param>
/// <param name="Names">Their names, with the channel where it listens to several.</param>
/// <param name="Sustained">Whether its sustain pedal is down.</param>
/// <param name="Bend">Its bend, −8192 to 8191.</param>
/// <param name="Modulation">Its modulation, 0 to 127.</param>
/// <param name="Programs">The program of each channel it listens to, in words.</param>
/// <param name="More">What else there is to say: where in the song it is, local control, bytes recorded.</param>
/// <param name="Beat">The beat that it is in, from 0, if it follows a clock; else null.</param>
public sealed record HeardFrame(
    string StandIn,
    int[] Keys,
    string[] Names,
    bool Sustained,
    int Bend,
    int Modulation,
    string Programs,
    string More,
    int? Beat
);

/// <summary>
/// Makes frames for one onlooker. However much ran since the last frame, a frame says each thing once, so a slow
/// onlooker gets fewer frames and never older ones.
/// </summary>
internal sealed class LampReader
{
    private const int MostRecent = 48;

    private readonly Dictionary<PortId, (long Messages, int Held)> _ports = [];
    private readonly Dictionary<RouteId, long> _routes = [];
    private readonly Dictionary<(RouteId, int), (long In, long Stopped)> _stages = [];
    private readonly Dictionary<string, (long, bool)> _hearings = [];
    private readonly Dictionary<string, long> _unnamed = [];
    private readonly Dictionary<(PortId, MessageKind), long> _kinds = [];
    private readonly Dictionary<PortId, WireLoad> _loads = [];
    private long _recent = -1;
    private int _version = -1;
    private long _watch = -1;
    private long _background = -1;
    private int _roll = -1;
    private GuardLamp? _guard;
    private TimeLamp? _time;
    private IReadOnlyList<(RouteId Route, bool On)> _switched = [];

    /// <summary>The next frame, or null if nothing changed.</summary>
    /// <param name="version">The studio's version.</param>
    /// <param name="plan">The plan in force.</param>
    /// <param name="standIns">The stand-ins.</param>
    /// <param name="watch">The number of the newest line of Watch.</param>
    /// <param name="roll">Counts up when something was plugged in or pulled out.</param>
    /// <param name="unnamed">How often each thing without a name has spoken.</param>
    /// <param name="log">The messages that came, or null.</param>
    /// <param name="load">The loads of the wires, or null.</param>
    /// <param name="guard">The lamp of the guard; null for one that is clear.</param>
    /// <param name="lineup">The lineup in force, or null.</param>
    /// <param name="time">The time, or null.</param>
    /// <param name="switched">The routes that levers have switched otherwise than the studio has it.</param>
    internal LampFrame? Next(
        int version,
        CompiledStudio plan,
        IReadOnlyDictionary<string, StandIn> standIns,
        long watch,
        int roll,
        IReadOnlyDictionary<string, long>? unnamed = null,
        WatchLog? log = null,
        LoadMeter? load = null,
        GuardLamp? guard = null,
        LineupId? lineup = null,
        TimeLamp? time = null,
        IReadOnlyList<(RouteId Route, bool On)>? switched = null
    )
    {
        var ports = new List<long[]>();
        var kinds = new List<long[]>();
        var background = 0L;
        foreach (var port in plan.Studio.Ports)
        {
            var meter = plan.Meter(port.Id)!;
            if (port.IsSource)
            {
                background += meter.Background;
                foreach (var kind in MessageKinds.All)
                {
                    var count = meter.CountOf(kind);
                    if (count == _kinds.GetValueOrDefault((port.Id, kind)))
                        continue;
                    _kinds[(port.Id, kind)] = count;
                    if (kind is not (MessageKind.Clock or MessageKind.ActiveSensing))
                        kinds.Add([port.Id.Value, (int)kind, count]);
                }
            }
            // What comes from a port that is off is not heard: neither is the end of what was down.
            var now = (Messages: meter.Messages - meter.Background, Held: port.IsSource && !port.Port.On ? 0 : meter.Held);
            // The first frame tells what is held; what ran before the onlooker came is no news.
            var known = _ports.TryGetValue(port.Id, out var before);
            if (known ? now != before : now.Held > 0)
                ports.Add([port.Id.Value, known && now.Messages != before.Messages ? 1 : 0, now.Held]);
            _ports[port.Id] = now;
        }
        var routes = new List<long[]>();
        var stages = new List<long[]>();
        foreach (var route in plan.Studio.Routes)
        {
            var meter = plan.Meter(route.Id)!;
            var passed = meter.Passed - meter.PassedBackground;
            if (_routes.TryGetValue(route.Id, out var before) && before != passed)
                routes.Add([route.Id.Value, passed]);
            _routes[route.Id] = passed;
            for (var i = 0; i < meter.Stages.Count; i++)
            {
                var now = (meter.Stages[i].In, Stopped: meter.Stages[i].Stopped - meter.Stages[i].StoppedBackground);
                if (_stages.TryGetValue((route.Id, i), out var last) && last != now)
                    stages.Add([
                        route.Id.Value,
                        i,
                        now.In,
                        meter.Stages[i].Out,
                        now.Stopped > last.Stopped ? 1 : 0,
                        meter.Stages[i].Stopped,
                    ]);
                _stages[(route.Id, i)] = now;
            }
        }
        var hearings = new List<HeardFrame>();
        foreach (var (key, standIn) in standIns)
        {
            if (standIn.Listener?.Heard is not { } hearing)
                continue;
            var now = (hearing.Version, standIn.IsLocal);
            if (_hearings.TryGetValue(key, out var seen) && seen == now)
                continue;
            _hearings[key] = now;
            hearings.Add(Told(key, standIn, hearing));
        }
        var spoke = new List<string>();
        foreach (var (unit, count) in unnamed ?? new Dictionary<string, long>())
        {
            if (_unnamed.TryGetValue(unit, out var last) ? last != count : _version >= 0)
                spoke.Add(unit);
            _unnamed[unit] = count;
        }
        var loads = new List<long[]>();
        foreach (var port in load is null ? [] : plan.Studio.Ports)
        {
            var now = load!.Of(port.Id);
            if (now == _loads.GetValueOrDefault(port.Id))
                continue;
            _loads[port.Id] = now;
            loads.Add([port.Id.Value, now.Now, now.Highest]);
        }
        var recent = new List<int[]>();
        if (log is not null)
        {
            var begins = _recent < 0;
            foreach (var (port, message) in log.Recent(ref _recent, MostRecent))
            {
                if (!begins)
                    recent.Add([port.Value, message.Status, message.Data1, message.Data2]);
            }
        }
        var others = switched is not null && !switched.SequenceEqual(_switched) ? switched : null;
        _switched = others ?? _switched;
        var quiet =
            others is null
            && spoke.Count == 0
            && recent.Count == 0
            && kinds.Count == 0
            && loads.Count == 0
            && ports.Count == 0
            && routes.Count == 0
            && stages.Count == 0
            && hearings.Count == 0
            && guard == _guard
            && time == _time
            && version == _version
            && watch == _watch
            && background == _background
            && roll == _roll;
        (_guard, _time) = (guard, time);
        (_version, _watch, _background, _roll) = (version, watch, background, roll);
        return quiet
            ? null
            : new LampFrame(
                version,
                ports,
                routes,
                stages,
                hearings,
                watch,
                background,
                spoke,
                roll,
                kinds,
                recent,
                loads,
                guard ?? new GuardLamp(0, 0, 0),
                plan.Studio.InForce is not null && lineup is { } id ? plan.Studio.NameOf(id) : "",
                time,
                others?.Select(item => new[] { item.Route.Value, item.On ? 1 : 0 }).ToList()
            );
    }

    /// <summary>The routes of a running studio that levers have switched otherwise than it has them.</summary>
    /// <param name="desk">The studio.</param>
    internal static IReadOnlyList<(RouteId Route, bool On)> SwitchedIn(StudioDesk desk)
    {
        // Where nothing was ever played otherwise nothing is asked.
        if (desk.Junction.PlayedVersion == 0)
            return [];
        var switched = new List<(RouteId, bool)>();
        foreach (var route in desk.Junction.Compiled.Studio.Routes)
        {
            if (desk.Junction.SwitchedTo(route.Id) is { } on)
                switched.Add((route.Id, on));
        }
        return switched;
    }

    private static HeardFrame Told(string key, StandIn standIn, Heard hearing)
    {
        var listens = standIn.Kit.Listens;
        var several = listens.Count > 1;
        string Name((int Channel, int Key, int Velocity) held) => several ? $"{held.Channel}:{KeyName.Of(held.Key)}" : KeyName.Of(held.Key);
        var programs = listens.Members.Select(channel => (channel.Number, Program: hearing.Programs[channel.Index])).ToList();
        var words = !several
            ? $"program {programs[0].Program}"
            : string.Join(
                ", ",
                programs.Where(item => item.Program != 1).Take(3).Select(item => $"program {item.Program} on {item.Number}")
            );
        var more = new List<string>();
        if (hearing.Beat is { } at)
            more.Add($"in time, {at / 4 + 1}.{at % 4 + 1}");
        if (!standIn.IsLocal)
            more.Add("local off");
        if (standIn.Kit.Tracks.Count > 0 && standIn.RecordedBytes > 0)
            more.Add($"{Words.Count(standIn.RecordedBytes)} bytes recorded");
        return new HeardFrame(
            key,
            [.. hearing.Held.Select(held => held.Key)],
            [.. hearing.Held.Select(Name)],
            hearing.Sustained,
            hearing.Bend,
            hearing.Modulation,
            words,
            string.Join(" · ", more),
            hearing.Beat
        );
    }
}
