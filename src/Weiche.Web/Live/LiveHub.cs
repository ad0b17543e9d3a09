using System.Runtime.CompilerServices;
using Microsoft.AspNetCore.SignalR;
using Weiche.Core.Studios;
using Weiche.Ports.StandIns;
using Weiche.Web.Desk;

namespace Weiche.Web.Live;

/// <summary>What is live between a page and the studio: lamps to the page, playing from it.</summary>
/// <param name="desk">The running studio.</param>
/// <param name="watch">The lines of Watch.</param>
public sealed class LiveHub(StudioDesk desk, WatchLog watch) : Hub
{
    /// <summary>The time between two frames: at most 30 a second.</summary>
    internal static readonly TimeSpan FrameInterval = TimeSpan.FromMilliseconds(34);

    /// <summary>
    /// Frames for one page, as long as it looks on. Each frame is made when the page is ready for it: a page that is
    /// slow or asleep holds nobody up and costs nothing.
    /// </summary>
    /// <param name="cancellation">Ends the stream.</param>
    public async IAsyncEnumerable<LampFrame> Lamps([EnumeratorCancellation] CancellationToken cancellation)
    {
        var reader = new LampReader();
        using var timer = new PeriodicTimer(FrameInterval);
        do
        {
            var state = desk.State;
            if (reader.Next(state.Version, desk.Junction.Plan, desk.Park.Instruments, watch.Newest, desk.Park.Missing) is { } frame) yield return frame;
        }
        while (await timer.WaitForNextTickAsync(cancellation));
    }

    /// <summary>Presses a key of a stand-in.</summary>
    /// <param name="device">The device's id.</param>
    /// <param name="key">The key, 0 to 127.</param>
    /// <param name="velocity">How hard, 1 to 127.</param>
    public void Press(int device, int key, int velocity) => Find(device)?.Press(Context.ConnectionId, key, velocity);

    /// <summary>Lets a key of a stand-in go.</summary>
    /// <param name="device">The device's id.</param>
    /// <param name="key">The key, 0 to 127.</param>
    public void Release(int device, int key) => Find(device)?.Release(Context.ConnectionId, key);

    /// <summary>Moves the bend wheel of a stand-in.</summary>
    /// <param name="device">The device's id.</param>
    /// <param name="bend">−8192 to 8191.</param>
    public void Bend(int device, int bend) => Find(device)?.Bend(bend);

    /// <summary>Moves the modulation wheel of a stand-in.</summary>
    /// <param name="device">The device's id.</param>
    /// <param name="value">0 to 127.</param>
    public void Modulate(int device, int value) => Find(device)?.Modulate(value);

    /// <summary>Presses the sustain pedal of a stand-in or lets it up.</summary>
    /// <param name="device">The device's id.</param>
    /// <param name="down">Whether it goes down.</param>
    public void Sustain(int device, bool down) => Find(device)?.Sustain(Context.ConnectionId, down);

    /// <inheritdoc/>
    public override Task OnDisconnectedAsync(Exception? exception)
    {
        // A window that is closed, or a tablet that falls asleep, must not leave keys pressed.
        foreach (var instrument in desk.Park.Instruments.Values) instrument.Player?.LetGo(Context.ConnectionId);
        return base.OnDisconnectedAsync(exception);
    }

    private Player? Find(int device) => desk.Park.Instruments.GetValueOrDefault(new DeviceId(device))?.Player;
}
