using Weiche.Core.Midi;
using Weiche.Core.Pulse;
using Weiche.Core.Studios;

namespace Weiche.Core.Live;

/// <summary>A clock that comes from a source: what is known of it, and how its last beats lay.</summary>
internal sealed class HeardClock
{
    /// <summary>The beats that are kept: thirty seconds of 300 bpm.</summary>
    internal const int Kept = 150;

    private readonly BeatDot[] _dots = new BeatDot[Kept];
    private int _dotCount;

    /// <summary>The source; none for a place that is free.</summary>
    internal PortId Source { get; private set; }

    /// <summary>What is known of it.</summary>
    internal ClockEstimate Estimate { get; private set; } = new();

    /// <summary>Whether the source broke off since its last pulse.</summary>
    internal bool IsGone { get; set; }

    /// <summary>Whether nothing comes any more.</summary>
    internal bool IsLost(MidiTime now) => IsGone || Estimate.IsLost(now);

    /// <summary>Begins with another source.</summary>
    internal void Begin(PortId source)
    {
        (Source, _dotCount, IsGone) = (source, 0, false);
        Estimate.Clear();
    }

    /// <summary>Keeps how a beat lay.</summary>
    internal void Keep(MidiTime at, double off) => _dots[_dotCount++ % Kept] = new BeatDot(at, (float)(off / 1000));

    /// <summary>Copies the last beats, the oldest first.</summary>
    /// <returns>How many there are.</returns>
    internal int CopyTo(BeatDot[] dots)
    {
        var count = Math.Min(_dotCount, Kept);
        for (var i = 0; i < count; i++)
            dots[i] = _dots[(_dotCount - count + i) % Kept];
        return count;
    }
}

/// <summary>A beat of a clock as it lay.</summary>
/// <param name="At">When it came.</param>
/// <param name="Off">ms by which it came late; below zero early. Of the master against its own even beat, of others against the
/// studio's.</param>
public readonly record struct BeatDot(MidiTime At, float Off);
