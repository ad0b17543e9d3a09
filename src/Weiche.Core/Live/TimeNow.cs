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
/// <param name="Version">Counts up with everything but pulses.</param>
public readonly record struct TimeNow(
    ClockMaster? Master, TimeState State, bool IsPlaying, bool Begins, bool IsHeld, long Position, long Grid, MidiTime At, double Interval, BarForm Bar, Tempo Tempo, long Version)
{
    /// <summary>Beats a minute; 0 as long as there is no telling.</summary>
    public double Bpm => Interval > 0 && State != TimeState.None ? 60_000_000.0 / Tempo.PulsesABeat / Interval : 0;
}

/// <summary>A clock that is heard, as it is shown.</summary>
/// <param name="Source">The source; none for Weiche's own clock.</param>
/// <param name="Bpm">Beats a minute; 0 as long as there is no telling.</param>
/// <param name="Spread">How far its pulses stray from an even beat: two in three lie within that.</param>
/// <param name="IsLost">Whether it has fallen silent.</param>
/// <param name="LostCount">How many of its pulses were lost on the way.</param>
/// <param name="Dots">Its last beats, the oldest first.</param>
public sealed record ClockReport(PortId? Source, double Bpm, MidiSpan Spread, bool IsLost, long LostCount, IReadOnlyList<BeatDot> Dots);

/// <summary>The clocks of a studio, and how steady they leave.</summary>
/// <param name="At">When that was.</param>
/// <param name="Clocks">Those that are heard, and Weiche's own if it runs.</param>
/// <param name="Leaves">For each destination that follows how far its pulses stray from an even beat.</param>
public sealed record TimeReport(MidiTime At, IReadOnlyList<ClockReport> Clocks, IReadOnlyDictionary<PortId, MidiSpan> Leaves);
