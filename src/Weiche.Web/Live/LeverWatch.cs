using Weiche.Web.Desk;

namespace Weiche.Web.Live;

/// <summary>Looks at what levers have done in the engine, so that pages show it and the database remembers it. Nothing that is played waits
/// for this.</summary>
/// <param name="desk">The running studio.</param>
public sealed class LeverWatch(StudioDesk desk) : Ticker(Interval, TimeProvider.System)
{
    private static readonly TimeSpan Interval = TimeSpan.FromMilliseconds(25);

    /// <inheritdoc/>
    private protected override void Tick() => desk.FollowLevers();
}
