using Weiche.Core.Midi;
using Weiche.Core.Stages;
using Weiche.Core.Studios;

namespace Weiche.Core.Live;

/// <summary>
/// A compiled studio with everything that one engine needs to put it in force, made beforehand: <see cref="Engine.Swap"/> then neither
/// allocates nor compiles, and takes microseconds.
/// </summary>
/// <remarks>What the engine keeps for a port goes on from what was in force when this was made. So whoever prepares one puts it in force
/// before preparing the next, or throws it away.</remarks>
public sealed class PreparedStudio
{
    private readonly Line?[] _byRoute;
    private readonly Arrangement[] _sources;

    // The routes that levers switch.
    private readonly Line[] _worked;
    private readonly (Outlet Outlet, Standing Standing)[] _outlets;

    /// <summary>How many sources a take can be played as.</summary>
    internal const int MostPlayers = 64;

    // What is above all ids of a studio moves seldom as it grows.
    private const int Rounding = 256;

    internal PreparedStudio(CompiledStudio compiled, PreparedStudio? before, SysExPool pool, MidiSpan wireLead, PortId[]? players = null)
    {
        Compiled = compiled;
        Before = before;
        Players = players ?? before?.Players ?? [];
        var size = (compiled.Studio.NextId + MostPlayers + Rounding - 1) / Rounding * Rounding;
        FirstPlayer = size - MostPlayers;
        (Sources, Outlets) = (new SourceState?[size], new Outlet?[size]);
        (HeldBy, HeldAt) = (new HeldBy?[size], new HeldAt?[size]);
        (Dirty, Ending) = (new int[size], new long[size]);
        _byRoute = new Line?[size];
        BySource = new Arrangement?[size];
        foreach (var port in compiled.Studio.Ports)
        {
            var id = port.Id.Value;
            var meter = compiled.Meter(port.Id)!;
            if (port.IsSource)
            {
                var source = Sources[id] = (before is null ? null : Find(before.Sources, id))
                    ?? new SourceState(port.Id, new StreamParser(pool), meter);
                HeldBy[id] = source.Holds;
                Volatile.Write(ref meter.Down, source.Down);
            }
            else
            {
                var outlet = Outlets[id] = (before is null ? null : Find(before.Outlets, id))
                    ?? new Outlet(port.Id, meter, pool, port.Port.Wire, wireLead);
                HeldAt[id] = outlet.Held;
                Volatile.Write(ref meter.HeldAt, outlet.Held);
                if (!port.Device.IsVirtualPort())
                    continue;
                // Its door has its id: as a source it is another thing than as a destination.
                var door = Sources[id] = (before is null ? null : Find(before.Sources, id))
                    ?? SourceState.OfDoor(port.Id, new StreamParser(pool));
                HeldBy[id] = door.Holds;
            }
        }
        for (var i = 0; i < Players.Length; i++)
        {
            if (compiled.Studio.FindPort(Players[i]) is not { IsSource: true })
                continue;
            var id = FirstPlayer + i;
            var source = Sources[id] = (before is not null && HasPlayersOf(before) ? Find(before.Sources, id) : null)
                ?? new SourceState(new PortId(id), new StreamParser(pool), new PortMeter(isSource: true), Players[i]);
            HeldBy[id] = source.Holds;
        }
        (Heads, Counts) = (Array.ConvertAll(HeldBy, held => held?.Heads), Array.ConvertAll(HeldAt, held => held?.Counts));
        Lines = [.. compiled.AllRoutes.Select(route => new Line(route, Outlets[route.Destination.Value]!))];
        foreach (var line in Lines)
            _byRoute[line.Id.Value] = line;
        Timed =
        [
            .. Lines.SelectMany(line => line.Stages.Index().Where(stage => stage.Item.KeepsTime).Select(stage => (line, stage.Index))),
        ];
        var levers = compiled.Studio.Levers.ToLookup(lever => lever.Source);
        _sources =
        [
            .. compiled
                .Studio.Sources.Concat(CompiledStudio.DoorsOf(compiled.Studio))
                .Select(port => Arranged(port, Sources[port.Id.Value]!, Standing.Of(port))),
            // What a take plays runs as if it came from there; nothing comes back by it.
            .. Players
                .Index()
                .Where(player => Sources[FirstPlayer + player.Index] is not null)
                .Select(player => Arranged(compiled.Studio.FindPort(player.Item)!.Value, Sources[FirstPlayer + player.Index]!, default)),
        ];
        foreach (var source in _sources)
            BySource[source.State.Id.Value] = source;
        _worked =
        [
            .. compiled
                .Studio.Levers.Select(lever => lever.Work)
                .OfType<SwitchRoutes>()
                .SelectMany(work => work.Routes)
                .Distinct()
                .Select(id => _byRoute[id.Value]!),
        ];
        Entries =
        [
            .. compiled.Studio.Lineups.Select(lineup => new Entry(
                lineup.Id,
                lineup.Cuts,
                [
                    .. lineup
                        .Sends.Where(sending => compiled.Studio.FindPort(sending.To) is { Port.On: true })
                        .Select(sending => (Outlets[sending.To.Value]!, sending.Bytes.ToArray())),
                ]
            )),
        ];
        _outlets = [.. compiled.Studio.Destinations.Select(port => (Outlets[port.Id.Value]!, Standing.Of(port)))];
        Mark = new MessageTap.Mark(compiled.Version);
        Time = new PreparedTime(compiled.Studio, id => Outlets[id.Value]!);
        Beating =
        [
            .. Lines.SelectMany(line =>
                line.Stages.Index().Where(stage => stage.Item.MakesNotes).Select(stage => (line, stage.Index, SourcesOf(line)))
            ),
        ];

        Arrangement Arranged(DevicePort port, SourceState state, Standing standing) =>
            new(
                state,
                port.Port.On,
                ListsOf(port.Id),
                LinesOf(compiled.ArrangedOf(port.Id)),
                standing,
                levers.Contains(port.Id) ? new LeverTable(compiled, [.. levers[port.Id]], id => _byRoute[id.Value]!) : null
            );
    }

    /// <summary>The compiled studio.</summary>
    public CompiledStudio Compiled { get; }

    /// <summary>The sources that a take is played as. What each plays has an id of its own: it holds notes for itself.</summary>
    internal PortId[] Players { get; }

    /// <summary>The id of what plays the first of them; the others follow.</summary>
    internal int FirstPlayer { get; }

    /// <summary>Whether takes are played here as they are in another, by the same ids.</summary>
    internal bool HasPlayersOf(PreparedStudio other) => FirstPlayer == other.FirstPlayer && Players.AsSpan().SequenceEqual(other.Players);

    /// <summary>The sources as this studio has them, each at the place of its id.</summary>
    internal Arrangement?[] BySource { get; }

    /// <summary>The same in a row.</summary>
    internal ReadOnlySpan<Arrangement> Arrangements => _sources;

    /// <summary>What entering each lineup takes, in their running order.</summary>
    internal Entry[] Entries { get; }

    /// <summary>What was in force when this was made.</summary>
    internal PreparedStudio? Before { get; private set; }

    /// <summary>What is kept for each source, at the place of its id.</summary>
    internal SourceState?[] Sources { get; }

    /// <summary>What is kept for each destination, at the place of its id.</summary>
    internal Outlet?[] Outlets { get; }

    internal HeldBy?[] HeldBy { get; }

    internal HeldAt?[] HeldAt { get; }

    internal int[]?[] Heads { get; }

    internal ushort[]?[] Counts { get; }

    /// <summary>Room for the destinations that have something to send.</summary>
    internal int[] Dirty { get; }

    /// <summary>For each route the last note-off whose note it holds, as the number of its run.</summary>
    internal long[] Ending { get; }

    /// <summary>Every route.</summary>
    internal Line[] Lines { get; }

    /// <summary>The stages that keep messages for later.</summary>
    internal (Line Line, int Stage)[] Timed { get; }

    internal MessageTap.Mark Mark { get; }

    /// <summary>How the time is kept.</summary>
    internal PreparedTime Time { get; }

    /// <summary>The stages that do something with each beat.</summary>
    internal (Line Line, int Stage, bool[] Sources)[] Beating { get; }

    /// <summary>The route of an id, or null.</summary>
    internal Line? Find(RouteId id) => (uint)id.Value < (uint)_byRoute.Length ? _byRoute[id.Value] : null;

    /// <summary>The destination of an id, or null.</summary>
    internal Outlet? FindOutlet(PortId id) => Find(Outlets, id.Value);

    /// <summary>The source of an id, or null.</summary>
    internal SourceState? FindSource(PortId id) => Find(Sources, id.Value);

    /// <summary>Whether a route carries on what a source holds through it: the route, both ports and the source are on, and no other route
    /// is soloed. Whether it is on duty does not matter: what began before rings on.</summary>
    internal bool Carries(RouteId route, PortId source, int lineup) =>
        Find(route) is { IsLive: true, IsOff: false } line
        && (uint)source.Value < (uint)BySource.Length
        && BySource[source.Value] is { On: true } each
        && Array.IndexOf(each.All, line) >= 0
        && (!Compiled.AnySolo || !line.IsIn[lineup] || Array.IndexOf(each.Lines[lineup], line) >= 0);

    /// <summary>Whether anything of a source that is switched on is carried to a destination.</summary>
    internal bool Leads(PortId source, Outlet outlet)
    {
        if ((uint)source.Value >= (uint)BySource.Length || BySource[source.Value] is not { On: true } each)
            return false;
        foreach (var line in each.State.Lines)
        {
            if (line is { IsLive: true, IsOff: false } && line.Outlet == outlet)
                return true;
        }
        return false;
    }

    /// <summary>The place of a lineup; of one that is not there, that of the one that the studio is looked at in.</summary>
    internal int PlaceOf(LineupId? lineup)
    {
        if (lineup is { } id)
        {
            for (var i = 0; i < Entries.Length; i++)
            {
                if (Entries[i].Lineup == id)
                    return i;
            }
        }
        return Compiled.PlaceOf(Compiled.Studio.InForce);
    }

    /// <summary>What stands here in the place of a stage that plays in time, if everything before it is as it was.</summary>
    /// <param name="before">The route as it was.</param>
    /// <param name="stage">Which of its stages.</param>
    /// <param name="lineup">The place of the lineup in force.</param>
    /// <param name="sources">For each source, by its id, whether it leads there.</param>
    internal CompiledStage? PlaysOn(Line before, int stage, int lineup, out bool[] sources)
    {
        sources = [];
        if (
            Find(before.Id) is not { IsLive: true } line
            || line.Outlet != before.Outlet
            || line.IsMeantOn != before.IsMeantOn
            || !line.IsIn[lineup]
        )
            return null;
        if (
            stage >= line.Rules.Length
            || !line.Rules.AsSpan(0, stage).SequenceEqual(before.Rules.AsSpan(0, stage))
            || !line.Stages[stage].MakesNotes
        )
            return null;
        foreach (var beating in Beating)
        {
            if (beating.Line == line)
                sources = beating.Sources;
        }
        return line.Stages[stage];
    }

    /// <summary>Takes over how levers have switched routes, where the studio has them as before.</summary>
    internal void GoOnFrom(PreparedStudio before)
    {
        foreach (var line in _worked)
        {
            if (before.Find(line.Id) is { } old && old.IsMeantOn == line.IsMeantOn && old.IsOff != line.IsOff)
                line.IsOff = old.IsOff;
        }
    }

    /// <summary>Sets every port as this studio has it. Called between two messages.</summary>
    /// <param name="lineup">The place of the lineup in force.</param>
    internal void Set(int lineup)
    {
        foreach (var source in _sources)
            source.Set(lineup);
        foreach (var (outlet, standing) in _outlets)
            outlet.Standing = standing;
        // What was before is not kept by what is after.
        Before = null;
    }

    /// <summary>Has a stage forget what sources hold that do not lead there while others are soloed.</summary>
    internal void ForgetUnsoloed(CompiledStage stage, RouteId route, int lineup)
    {
        if (!Compiled.AnySolo || Find(route) is not { } line)
            return;
        foreach (var source in _sources)
        {
            if (Array.IndexOf(source.Lines[lineup], line) < 0)
                stage.Forget(source.State.Id.Value);
        }
    }

    private bool[] SourcesOf(Line line)
    {
        var leads = new bool[Sources.Length];
        foreach (var source in _sources)
            leads[source.State.Id.Value] = source.On && Array.IndexOf(source.All, line) >= 0;
        return leads;
    }

    private Line[] LinesOf(CompiledRoute[] routes) => Array.ConvertAll(routes, route => _byRoute[route.Id.Value]!);

    /// <summary>The lines of a source for each lineup; where a lineup leads it like the one before, it is the same list.</summary>
    private Line[][] ListsOf(PortId source)
    {
        var lists = new Line[Compiled.LineupCount][];
        for (var i = 0; i < lists.Length; i++)
        {
            var routes = Compiled.RoutesOf(source, i);
            lists[i] = i > 0 && routes == Compiled.RoutesOf(source, i - 1) ? lists[i - 1] : LinesOf(routes);
        }
        return lists;
    }

    private static T? Find<T>(T?[] all, int id)
        where T : class => (uint)id < (uint)all.Length ? all[id] : null;
}

/// <summary>What is sent and done on entering a lineup.</summary>
/// <param name="Lineup">The lineup.</param>
/// <param name="Cuts">Whether what leaves ends at once.</param>
/// <param name="Sends">What is sent, in order, to destinations that are on.</param>
internal sealed record Entry(LineupId Lineup, bool Cuts, (Outlet Outlet, byte[] Bytes)[] Sends);

/// <summary>A source as a studio has it.</summary>
internal sealed class Arrangement
{
    internal readonly SourceState State;
    internal readonly bool On;

    /// <summary>For each lineup the routes that its messages run through.</summary>
    internal readonly Line[][] Lines;

    /// <summary>All its routes that are on, or that a lever may switch on.</summary>
    internal readonly Line[] All;

    private readonly Standing _standing;
    private readonly LeverTable? _levers;
    private readonly Line[] _ringing;

    internal Arrangement(SourceState state, bool on, Line[][] lines, Line[] all, Standing standing, LeverTable? levers)
    {
        (State, On, Lines, All, _standing, _levers) = (state, on, lines, all, standing, levers);
        _ringing = new Line[all.Length];
    }

    /// <summary>Sets the source as this has it.</summary>
    internal void Set(int lineup)
    {
        (State.On, State.Lines, State.Standing) = (On, Lines[lineup], _standing);
        // What rings on is looked for anew right after.
        (State.Ringing, State.RingingCount) = (_ringing, 0);
        _levers?.GoOnFrom(State.Levers);
        State.Levers = _levers;
    }
}
