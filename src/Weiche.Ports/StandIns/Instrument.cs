namespace Weiche.Ports.StandIns;

/// <summary>
/// A stand-in: a simulated device that speaks bytes over the same way as real hardware. It has something to play,
/// something that listens, or both.
/// </summary>
/// <param name="name">The name by which a device in a studio asks for it.</param>
/// <param name="player">What is played, or null.</param>
/// <param name="listener">What listens, or null.</param>
public sealed class Instrument(string name, Player? player, Listener? listener) : IDisposable
{
    /// <summary>The name by which a device in a studio asks for it.</summary>
    public string Name { get; } = name;

    /// <summary>What is played, or null.</summary>
    public Player? Player { get; } = player;

    /// <summary>What listens, or null.</summary>
    public Listener? Listener { get; } = listener;

    /// <inheritdoc/>
    public void Dispose()
    {
        Player?.Dispose();
        Listener?.Dispose();
    }
}
