using Weiche.Core.Midi;
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
    private readonly (SourceState State, bool On, Line[] Lines, Standing Standing)[] _sources;
    private readonly (Outlet Outlet, Standing Standing)[] _outlets;

    internal PreparedStudio(CompiledStudio compiled, PreparedStudio? before, SysExPool pool, MidiSpan wireLead)
    {
        Compiled = compiled;
        Before = before;
        var size = compiled.Studio.NextId;
        (Sources, Outlets) = (new SourceState?[size], new Outlet?[size]);
        (HeldBy, HeldAt) = (new HeldBy?[size], new HeldAt?[size]);
        (Dirty, Ending) = (new int[size], new long[size]);
        _byRoute = new Line?[size];
        foreach (var port in compiled.Studio.Ports)
        {
            var id = port.Id.Value;
            var meter = compiled.Meter(port.Id)!;
            if (port.IsSource)
            {
                var source = Sources[id] = (before is null ? null : Find(before.Sources, id)) ?? new SourceState(port.Id, new StreamParser(pool), meter);
                HeldBy[id] = source.Holds;
                Volatile.Write(ref meter.Down, source.Down);
            }
            else
            {
                var outlet = Outlets[id] = (before is null ? null : Find(before.Outlets, id)) ?? new Outlet(port.Id, meter, pool, port.Port.Wire, wireLead);
                HeldAt[id] = outlet.Held;
                Volatile.Write(ref meter.HeldAt, outlet.Held);
            }
        }
        (Heads, Counts) = (Array.ConvertAll(HeldBy, held => held?.Heads), Array.ConvertAll(HeldAt, held => held?.Counts));
        Lines = [.. compiled.AllRoutes.Select(route => new Line(route, Outlets[route.Destination.Value]!))];
        foreach (var line in Lines) _byRoute[line.Id.Value] = line;
        Timed = [.. Lines.SelectMany(line => line.Stages.Index().Where(stage => stage.Item.KeepsTime).Select(stage => (line, stage.Index)))];
        _sources = [.. compiled.Studio.Sources.Select(port =>
            (Sources[port.Id.Value]!, port.Port.On, Array.ConvertAll(compiled.RoutesOf(port.Id), route => _byRoute[route.Id.Value]!), Standing.Of(port)))];
        _outlets = [.. compiled.Studio.Destinations.Select(port => (Outlets[port.Id.Value]!, Standing.Of(port)))];
        Mark = new MessageTap.Mark(compiled.Version);
    }

    /// <summary>The compiled studio.</summary>
    public CompiledStudio Compiled { get; }

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

    /// <summary>The route of an id, or null.</summary>
    internal Line? Find(RouteId id) => (uint)id.Value < (uint)_byRoute.Length ? _byRoute[id.Value] : null;

    /// <summary>The destination of an id, or null.</summary>
    internal Outlet? FindOutlet(PortId id) => Find(Outlets, id.Value);

    /// <summary>The source of an id, or null.</summary>
    internal SourceState? FindSource(PortId id) => Find(Sources, id.Value);

    /// <summary>Whether a route carries what a source sends: it takes part, and both ports are switched on.</summary>
    internal bool Carries(RouteId route, PortId source)
    {
        if (Find(route) is not { IsLive: true } line) return false;
        foreach (var each in _sources)
        {
            if (each.State.Id == source) return each.On && Array.IndexOf(each.Lines, line) >= 0;
        }
        return false;
    }

    /// <summary>Whether anything of a source that is switched on is carried to a destination.</summary>
    internal bool Leads(PortId source, Outlet outlet)
    {
        foreach (var each in _sources)
        {
            if (each.State.Id != source || !each.On) continue;
            foreach (var line in each.Lines)
            {
                if (line.IsLive && line.Outlet == outlet) return true;
            }
        }
        return false;
    }

    /// <summary>Sets every port as this studio has it. Called between two messages.</summary>
    internal void Set()
    {
        foreach (var (state, on, lines, standing) in _sources) (state.On, state.Lines, state.Standing) = (on, lines, standing);
        foreach (var (outlet, standing) in _outlets) outlet.Standing = standing;
        // What was before is not kept by what is after.
        Before = null;
    }

    private static T? Find<T>(T?[] all, int id)
        where T : class => (uint)id < (uint)all.Length ? all[id] : null;
}
