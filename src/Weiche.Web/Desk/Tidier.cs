using Weiche.Data;

namespace Weiche.Web.Desk;

/// <summary>Writes the versions of a database that an older Weiche wrote whole as differences, a few at a time, beside the work.</summary>
/// <param name="desk">The running studio.</param>
/// <param name="time">Where the time comes from.</param>
public sealed class Tidier(StudioDesk desk, TimeProvider time) : BackgroundService
{
    private static readonly TimeSpan AfterStart = TimeSpan.FromSeconds(10);
    private static readonly TimeSpan Pause = TimeSpan.FromMilliseconds(60);

    /// <inheritdoc/>
    protected override async Task ExecuteAsync(CancellationToken stoppingToken)
    {
        try
        {
            await Task.Delay(AfterStart, time, stoppingToken);
            if (!desk.IsRoomy)
                return;
            while (desk.Tidy())
                await Task.Delay(Pause, time, stoppingToken);
        }
        catch (OperationCanceledException)
        {
            // Weiche stops; the rest is done the next time.
        }
        catch (StoreException exception)
        {
            await Console.Error.WriteLineAsync($"Old versions were not written shorter: {exception.Message}");
        }
    }
}
