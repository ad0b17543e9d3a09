namespace Weiche.Web.Live;

/// <summary>Does one thing again and again, as long as Weiche runs.</summary>
/// <param name="interval">How often.</param>
/// <param name="time">Where the time comes from.</param>
public abstract class Ticker(TimeSpan interval, TimeProvider time) : BackgroundService
{
    /// <summary>The thing. It is done on a thread of its own, once at a time.</summary>
    private protected abstract void Tick();

    /// <inheritdoc/>
    protected sealed override async Task ExecuteAsync(CancellationToken stoppingToken)
    {
        using var timer = new PeriodicTimer(interval, time);
        try
        {
            while (await timer.WaitForNextTickAsync(stoppingToken))
                Tick();
        }
        catch (OperationCanceledException)
        {
            // Weiche stops.
        }
    }
}
