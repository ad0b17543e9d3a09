using Weiche.Core.Live;
using Weiche.Core.Midi;
using Weiche.Core.Studios;
using Weiche.Ports.StandIns;
using Weiche.Web.Desk;

namespace Weiche.Web.Live;

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
    private readonly Dictionary<string, (long, bool, KeyNaming)> _hearings = [];
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
    private IReadOnlyList<SwitchedFrame> _switched = [];

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
        IReadOnlyList<SwitchedFrame>? switched = null
    )
    {
        var ports = new List<PortFrame>();
        var kinds = new List<KindFrame>();
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
                        kinds.Add(new KindFrame(port.Id.Value, (int)kind, count));
                }
            }
            // What comes from a port that is off is not heard: neither is the end of what was down.
            var now = (Messages: meter.Messages - meter.Background, Held: port.IsSource && !port.Port.On ? 0 : meter.Held);
            // The first frame tells what is held; what ran before the onlooker came is no news.
            var known = _ports.TryGetValue(port.Id, out var before);
            if (known ? now != before : now.Held > 0)
                ports.Add(new PortFrame(port.Id.Value, known && now.Messages != before.Messages, now.Held));
            _ports[port.Id] = now;
        }
        var routes = new List<RouteFrame>();
        var stages = new List<StageFrame>();
        foreach (var route in plan.Studio.Routes)
        {
            var meter = plan.Meter(route.Id)!;
            var passed = meter.Passed - meter.PassedBackground;
            if (_routes.TryGetValue(route.Id, out var before) && before != passed)
                routes.Add(new RouteFrame(route.Id.Value, passed));
            _routes[route.Id] = passed;
            for (var i = 0; i < meter.Stages.Count; i++)
            {
                var now = (meter.Stages[i].In, Stopped: meter.Stages[i].Stopped - meter.Stages[i].StoppedBackground);
                if (_stages.TryGetValue((route.Id, i), out var last) && last != now)
                    stages.Add(
                        new StageFrame(route.Id.Value, i, now.In, meter.Stages[i].Out, now.Stopped > last.Stopped, meter.Stages[i].Stopped)
                    );
                _stages[(route.Id, i)] = now;
            }
        }
        var hearings = new List<HeardFrame>();
        var names = plan.Studio.KeyNaming;
        foreach (var (key, standIn) in standIns)
        {
            if (standIn.Listener?.Heard is not { } hearing)
                continue;
            var now = (hearing.Version, standIn.IsLocal, names);
            if (_hearings.TryGetValue(key, out var seen) && seen == now)
                continue;
            _hearings[key] = now;
            hearings.Add(Told(key, standIn, hearing, names));
        }
        var spoke = new List<string>();
        foreach (var (unit, count) in unnamed ?? new Dictionary<string, long>())
        {
            if (_unnamed.TryGetValue(unit, out var last) ? last != count : _version >= 0)
                spoke.Add(unit);
            _unnamed[unit] = count;
        }
        var loads = new List<LoadFrame>();
        foreach (var port in load is null ? [] : plan.Studio.Ports)
        {
            var now = load!.Of(port.Id);
            if (now == _loads.GetValueOrDefault(port.Id))
                continue;
            _loads[port.Id] = now;
            loads.Add(new LoadFrame(port.Id.Value, now.Now, now.Highest));
        }
        var recent = new List<RecentFrame>();
        if (log is not null)
        {
            var begins = _recent < 0;
            foreach (var (port, message) in log.Recent(ref _recent, MostRecent))
            {
                if (!begins)
                    recent.Add(new RecentFrame(port.Value, message.Status, message.Data1, message.Data2));
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
                others
            );
    }

    /// <summary>The routes of a running studio that levers have switched otherwise than it has them.</summary>
    /// <param name="desk">The studio.</param>
    internal static IReadOnlyList<SwitchedFrame> SwitchedIn(StudioDesk desk)
    {
        // Where nothing was ever played otherwise nothing is asked.
        if (desk.Junction.PlayedVersion == 0)
            return [];
        var switched = new List<SwitchedFrame>();
        foreach (var route in desk.Junction.Compiled.Studio.Routes)
        {
            if (desk.Junction.SwitchedTo(route.Id) is { } on)
                switched.Add(new SwitchedFrame(route.Id.Value, on));
        }
        return switched;
    }

    private static HeardFrame Told(string key, StandIn standIn, Heard hearing, KeyNaming names)
    {
        var listens = standIn.Kit.Listens;
        var several = listens.Count > 1;
        string Name((int Channel, int Key, int Velocity) held) => several ? $"{held.Channel}:{names.Of(held.Key)}" : names.Of(held.Key);
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
