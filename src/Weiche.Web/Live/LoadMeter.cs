using System.Collections.Concurrent;
using Weiche.Core.Studios;
using Weiche.Web.Desk;

namespace Weiche.Web.Live;

/// <summary>How much runs on a port's wire.</summary>
/// <param name="Now">Bytes in the last second.</param>
/// <param name="Highest">The most bytes in a second since the studio was opened.</param>
public readonly record struct WireLoad(long Now, long Highest);

/// <summary>Measures, four times a second, how many bytes ran on each port's wire in the second before.</summary>
/// <param name="desk">The running studio.</param>
/// <param name="time">Where the time comes from.</param>
public sealed class LoadMeter(StudioDesk desk, TimeProvider time) : BackgroundService
{
    private const int Steps = 4;

    private readonly Dictionary<PortId, long[]> _before = [];
    private readonly ConcurrentDictionary<PortId, WireLoad> _loads = new();
    private int _studio;
    private int _step;

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
            _studio = state.StudioId;
        }
        var plan = desk.Junction.Compiled;
        var slot = _step++ % Steps;
        foreach (var port in plan.Studio.Ports)
        {
            var bytes = plan.Meter(port.Id)!.Bytes;
            if (!_before.TryGetValue(port.Id, out var marks))
            {
                marks = new long[Steps];
                Array.Fill(marks, bytes);
                _before.Add(port.Id, marks);
            }
            // What stands in this slot was counted a second ago.
            var now = Math.Max(0, bytes - marks[slot]);
            marks[slot] = bytes;
            var before = Of(port.Id);
            var load = new WireLoad(now, Math.Max(now, before.Highest));
            if (load != before) _loads[port.Id] = load;
        }
    }

    /// <inheritdoc/>
    protected override async Task ExecuteAsync(CancellationToken stoppingToken)
    {
        using var timer = new PeriodicTimer(TimeSpan.FromSeconds(1) / Steps, time);
        try
        {
            while (await timer.WaitForNextTickAsync(stoppingToken)) Look();
        }
        catch (OperationCanceledException)
        {
            // Weiche stops.
        }
    }
}
