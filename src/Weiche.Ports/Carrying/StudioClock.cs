using Weiche.Core.Midi;

namespace Weiche.Ports.Carrying;

/// <summary>The one clock of a running Weiche: it only runs forward, and knows what time of day a moment was.</summary>
public sealed class StudioClock
{
    private readonly TimeProvider _provider;
    private readonly long _start;
    private readonly DateTimeOffset _startOfDay;
    private readonly long _startOfSystem;

    /// <summary>A clock that starts now.</summary>
    /// <param name="provider">Where the time comes from.</param>
    public StudioClock(TimeProvider provider)
    {
        _provider = provider;
        _start = provider.GetTimestamp();
        _startOfDay = provider.GetLocalNow();
        _startOfSystem = System.Diagnostics.Stopwatch.GetTimestamp() / (System.Diagnostics.Stopwatch.Frequency / 1_000_000);
    }

    /// <summary>Now.</summary>
    public MidiTime Now => new(_provider.GetElapsedTime(_start).Ticks / TimeSpan.TicksPerMicrosecond);

    /// <summary>A moment as the system's clock that only runs forward counts it, as drivers tell it.</summary>
    /// <param name="microseconds">µs.</param>
    public MidiTime OfSystem(long microseconds) => new(microseconds - _startOfSystem);

    /// <summary>A moment as that clock counts it, µs.</summary>
    /// <param name="time">The moment.</param>
    public long ToSystem(MidiTime time) => time.Microseconds + _startOfSystem;

    /// <summary>What time of day a moment was, in this computer's time zone.</summary>
    /// <param name="time">The moment.</param>
    public DateTimeOffset TimeOfDay(MidiTime time) => _startOfDay.AddTicks(time.Microseconds * TimeSpan.TicksPerMicrosecond);
}
