using Weiche.Core.Midi;
using Weiche.Core.Pulse;
using Weiche.Core.Studios;

namespace Weiche.Core.Live;

/// <summary>Whether the time goes on.</summary>
public enum TimeState
{
    /// <summary>Nobody keeps the time.</summary>
    None,

    /// <summary>The master is silent.</summary>
    Silent,

    /// <summary>Pulses come.</summary>
    Running,

    /// <summary>The master is silent, and the time goes on at its last tempo.</summary>
    Coasting,
}

/// <summary>The time of a running studio at one moment.</summary>
/// <param name="Master">Who keeps it; null for nobody.</param>
/// <param name="State">Whether it goes on.</param>
/// <param name="IsPlaying">Whether it was started.</param>
/// <param name="Begins">Whether it was started and waits for its first pulse: a bar, or the end of the count-in.</param>
/// <param name="IsHeld">Whether the beat is held, to be let go on the downbeat.</param>
/// <param name="Position">Pulses since the beginning at the last pulse; below zero before it.</param>
/// <param name="Grid">The same whether it was started or not: what the lamp goes by.</param>
/// <param name="At">When the last pulse was.</param>
/// <param name="Interval">µs to the next pulse.</param>
/// <param name="Bar">The time signature.</param>
/// <param name="Tempo">The tempo of Weiche's own clock as it is played.</param>
public readonly record struct TimeNow(
    ClockMaster? Master,
    TimeState State,
    bool IsPlaying,
    bool Begins,
    bool IsHeld,
    long Position,
    long Grid,
    MidiTime At,
    double Interval,
    BarForm Bar,
    Tempo Tempo
)
{
    /// <summary>Beats a minute; 0 as long as there is no telling.</summary>
    public double Bpm => Interval > 0 && State != TimeState.None ? 60_000_000.0 / Tempo.PulsesABeat / Interval : 0;
}

/// <summary>A clock that is heard, as it is shown.</summary>
public sealed class ClockReport
{
    private readonly BeatDot[] _dots = new BeatDot[HeardClock.Kept];
    private int _dotCount;

    internal ClockReport() { }

    /// <summary>The source; null for Weiche's own clock.</summary>
    public PortId? Source { get; private set; }

    /// <summary>Beats a minute; 0 as long as there is no telling.</summary>
    public double Bpm { get; private set; }

    /// <summary>How far its pulses stray from an even beat: two in three lie within that.</summary>
    public MidiSpan Spread { get; private set; }

    /// <summary>Whether it has fallen silent.</summary>
    public bool IsLost { get; private set; }

    /// <summary>How many of its pulses were lost on the way.</summary>
    public long LostCount { get; private set; }

    /// <summary>Its last beats, the oldest first.</summary>
    public ReadOnlySpan<BeatDot> Dots => _dots.AsSpan(0, _dotCount);

    internal void Set(HeardClock clock, bool isLost)
    {
        var estimate = clock.Estimate;
        (Source, Bpm, Spread, IsLost, LostCount) = (
            clock.Source,
            estimate.IsKnown ? estimate.Bpm : 0,
            new MidiSpan((long)estimate.Spread),
            isLost,
            estimate.LostCount
        );
        _dotCount = clock.CopyTo(_dots);
    }

    internal void SetOwn(HeardClock beats, double interval)
    {
        (Source, Bpm, IsLost, LostCount) = (null, interval > 0 ? 60_000_000.0 / Tempo.PulsesABeat / interval : 0, false, 0);
        _dotCount = beats.CopyTo(_dots);
        var sum = 0.0;
        foreach (var dot in Dots)
            sum += dot.Off * (double)dot.Off;
        Spread = new MidiSpan(_dotCount == 0 ? 0 : (long)(Math.Sqrt(sum / _dotCount) * 1_000));
    }
}

/// <summary>The clocks of a studio, and how steady they leave. Made by whoever asks, and filled by the engine: nothing is allocated
/// there.</summary>
public sealed class TimeReport
{
    private const int MostLeaving = 256;

    private readonly ClockReport[] _clocks = new ClockReport[Conductor.MostClocks + 1];
    private readonly (PortId To, MidiSpan Spread)[] _leaves = new (PortId, MidiSpan)[MostLeaving];
    private int _clockCount;
    private int _leaveCount;

    /// <summary>An empty report.</summary>
    public TimeReport()
    {
        for (var i = 0; i < _clocks.Length; i++)
            _clocks[i] = new ClockReport();
    }

    /// <summary>When that was.</summary>
    public MidiTime At { get; private set; }

    /// <summary>Weiche's own clock if it keeps the time, and those that are heard.</summary>
    public ReadOnlySpan<ClockReport> Clocks => _clocks.AsSpan(0, _clockCount);

    /// <summary>For each destination that follows how far its pulses stray from an even beat; the first 256.</summary>
    public ReadOnlySpan<(PortId To, MidiSpan Spread)> Leaves => _leaves.AsSpan(0, _leaveCount);

    internal void Begin(MidiTime now) => (At, _clockCount, _leaveCount) = (now, 0, 0);

    internal void Add(HeardClock clock, bool isLost) => _clocks[_clockCount++].Set(clock, isLost);

    internal void AddOwn(HeardClock beats, double interval) => _clocks[_clockCount++].SetOwn(beats, interval);

    internal void Add(PortId to, MidiSpan spread)
    {
        if (_leaveCount < MostLeaving)
            _leaves[_leaveCount++] = (to, spread);
    }
}
