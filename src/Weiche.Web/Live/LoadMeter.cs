using System.Collections.Concurrent;
using System.Collections.Immutable;
using Weiche.Core.Checks;
using Weiche.Core.Live;
using Weiche.Core.Midi;
using Weiche.Core.Studios;
using Weiche.Web.Desk;

namespace Weiche.Web.Live;

/// <summary>How much runs on a port's wire.</summary>
/// <param name="Now">Bytes in the last second.</param>
/// <param name="Highest">The most bytes in a second since the studio was opened, or the routes to the port were changed.</param>
public readonly record struct WireLoad(long Now, long Highest);

/// <summary>Measures, four times a second, how many bytes ran on each port's wire in the second before, and how many messages of each kind
/// came from each source; the checks hear of the most there was.</summary>
/// <remarks>It counts on a timer's thread; loads may be read from any.</remarks>
/// <param name="desk">The running studio.</param>
/// <param name="time">Where the time comes from.</param>
public sealed class LoadMeter(StudioDesk desk, TimeProvider time) : Ticker(TimeSpan.FromSeconds(1) / Steps, time)
{
    private const int Steps = 4;

    // The checks hear of it every two seconds: often enough for a page that somebody reads.
    private const int StepsToTell = 2 * Steps;

    private readonly Dictionary<PortId, Marks> _before = [];
    private readonly ConcurrentDictionary<PortId, WireLoad> _loads = new();
    private readonly ImmutableDictionary<(PortId Source, MessageKind Kind), int>.Builder _rates = ImmutableDictionary.CreateBuilder<
        (PortId Source, MessageKind Kind),
        int
    >();
    private ImmutableArray<Route> _routes = [];
    private Measured _told = Measured.Nothing;
    private int _studio;
    private int _step;

    /// <summary>What had been counted at a port a second ago, three quarters of one, and so on.</summary>
    private sealed class Marks(PortMeter meter)
    {
        internal long[] Bytes { get; } = [.. Enumerable.Repeat(meter.Bytes, Steps)];

        internal long[][] Kinds { get; } = [.. Enumerable.Range(0, Steps).Select(_ => MessageKinds.All.Select(meter.CountOf).ToArray())];
    }

    /// <summary>How much runs on a port's wire.</summary>
    /// <param name="port">The port.</param>
    public WireLoad Of(PortId port) => _loads.GetValueOrDefault(port);

    /// <summary>Looks once: call it <see cref="Steps"/> times a second.</summary>
    public void Look()
    {
        var state = desk.State;
        if (state.StudioId != _studio)
        {
            _before.Clear();
            _loads.Clear();
            _rates.Clear();
            (_routes, _told) = (state.Studio.Routes, Measured.Nothing);
            _studio = state.StudioId;
        }
        ForgetWhereRoutesChanged(state.Studio);
        var plan = desk.Junction.Compiled;
        var slot = _step++ % Steps;
        foreach (var port in plan.Studio.Ports)
        {
            var meter = plan.Meter(port.Id)!;
            if (!_before.TryGetValue(port.Id, out var marks))
                _before.Add(port.Id, marks = new Marks(meter));
            // What stands in this slot was counted a second ago.
            var bytes = meter.Bytes;
            var now = Math.Max(0, bytes - marks.Bytes[slot]);
            marks.Bytes[slot] = bytes;
            var before = Of(port.Id);
            var load = new WireLoad(now, Math.Max(now, before.Highest));
            if (load != before)
                _loads[port.Id] = load;
            if (port.IsSource)
                CountKinds(port.Id, meter, marks.Kinds[slot]);
        }
        if (_step % StepsToTell == 0)
            Tell(state.StudioId, plan.Studio);
    }

    private void CountKinds(PortId port, PortMeter meter, long[] marks)
    {
        foreach (var kind in MessageKinds.All)
        {
            var count = meter.CountOf(kind);
            var now = (int)Math.Clamp(count - marks[(int)kind], 0, int.MaxValue);
            marks[(int)kind] = count;
            if (now > _rates.GetValueOrDefault((port, kind)))
                _rates[(port, kind)] = now;
        }
    }

    /// <summary>What ran on a wire while other routes led there says nothing of those that do now.</summary>
    private void ForgetWhereRoutesChanged(Studio studio)
    {
        if (studio.Routes == _routes)
            return;
        var before = _routes.ToLookup(route => route.To);
        var after = studio.Routes.ToLookup(route => route.To);
        foreach (var (port, load) in _loads)
        {
            if (!before[port].SequenceEqual(after[port]))
                _loads[port] = load with { Highest = load.Now };
        }
        _routes = studio.Routes;
    }

    private void Tell(int studioId, Studio studio)
    {
        var loads = studio
            .Ports.Where(port => !port.IsSource && Of(port.Id).Highest > 0)
            .ToImmutableDictionary(port => port.Id, port => (int)Math.Min(Of(port.Id).Highest, int.MaxValue));
        var measured = new Measured(_rates.ToImmutable(), loads);
        if (
            measured.Rates == _told.Rates
            && loads.Count == _told.Loads.Count
            && loads.All(load => _told.Loads.TryGetValue(load.Key, out var told) && told == load.Value)
        )
            return;
        if (desk.TryTell(studioId, measured))
            _told = measured;
    }

    /// <inheritdoc/>
    private protected override void Tick() => Look();
}
