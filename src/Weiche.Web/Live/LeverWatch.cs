using Weiche.Web.Desk;

namespace Weiche.Web.Live;

/// <summary>Looks at what levers have done in the engine, so that pages show it and the database remembers it. Nothing that is played waits for
/// this.</summary>
/// <param name="desk">The running studio.</param>
public sealed class LeverWatch(StudioDesk desk) : BackgroundService
{
    private static readonly TimeSpan Interval = TimeSpan.FromMilliseconds(25);

    /// <inheritdoc/>
    protected override async Task ExecuteAsync(CancellationToken stoppingToken)
    {
        using var timer = new PeriodicTimer(Interval);
        try
        {
            while (await timer.WaitForNextTickAsync(stoppingToken)) desk.FollowLevers();
        }
        catch (OperationCanceledException)
        {
            // Weiche stops.
        }
    }
}
