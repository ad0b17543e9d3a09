using System.Numerics;
using Weiche.Core.Midi;

namespace Weiche.Core.Live;

/// <summary>
/// What has gone through a port. Written by the engine, read by anybody at any time: each figure is right, though
/// two of them may be a moment apart.
/// </summary>
/// <remarks>Background means clock and active sensing, which would otherwise drown everything else.</remarks>
public sealed class PortMeter
{
    private static readonly long[] NoKinds = new long[MessageKinds.Count];

    internal long MessageCount;
    internal long BackgroundCount;

    /// <summary>For a source: how many messages of each kind came. They are counted here alone.</summary>
    internal readonly long[] KindCounts;

    /// <summary>A meter.</summary>
    /// <param name="isSource">Whether it is that of a source.</param>
    internal PortMeter(bool isSource) => KindCounts = isSource ? new long[MessageKinds.Count] : NoKinds;

    internal long ByteCount;
    internal long ThrownByteCount;
    internal long RefusedCount;
    internal long ThinnedCount;
    internal long OtherClockCount;
    internal long OwnEndedCount;

    /// <summary>For a destination: where the engine counts how many keys are held.</summary>
    internal HeldAt? HeldAt;

    /// <summary>Messages, background included.</summary>
    public long Messages
    {
        get
        {
            var count = Volatile.Read(ref MessageCount);
            for (var i = 0; i < KindCounts.Length; i++)
                count += Volatile.Read(ref KindCounts[i]);
            return count;
        }
    }

    /// <summary>For a source: how many messages of a kind came.</summary>
    /// <param name="kind">The kind.</param>
    public long CountOf(MessageKind kind) => Volatile.Read(ref KindCounts[(int)kind]);

    /// <summary>Clock and active sensing.</summary>
    public long Background => Volatile.Read(ref BackgroundCount) + CountOf(MessageKind.Clock) + CountOf(MessageKind.ActiveSensing);

    /// <summary>Bytes on the wire.</summary>
    public long Bytes => Volatile.Read(ref ByteCount);

    /// <summary>Bytes that a source sent and that belong to no message.</summary>
    public long ThrownBytes => Volatile.Read(ref ThrownByteCount);

    /// <summary>Messages that could not be taken because a bound was met.</summary>
    public long Refused => Volatile.Read(ref RefusedCount);

    /// <summary>For a destination: messages left out because a newer value, or anything at all, was waiting.</summary>
    public long Thinned => Volatile.Read(ref ThinnedCount);

    /// <summary>For a destination: messages of a second clock, left out because another source gives the clock there.</summary>
    public long OtherClock => Volatile.Read(ref OtherClockCount);

    /// <summary>For a destination: channel mode messages and resets that ended only what was their own source's, since others held
    /// something.</summary>
    public long OwnEnded => Volatile.Read(ref OwnEndedCount);

    /// <summary>For a source: a bit for each key of each channel that is down, which the engine keeps.</summary>
    internal ulong[]? Down;

    /// <summary>For a destination: how many notes it holds now, each key of each channel once. For a source: how many of its keys
    /// are down.</summary>
    public int Held
    {
        get
        {
            if (Volatile.Read(ref HeldAt) is { } held)
                return Volatile.Read(ref held.Keys);
            if (Volatile.Read(ref Down) is not { } down)
                return 0;
            var count = 0;
            for (var i = 0; i < down.Length; i++)
                count += BitOperations.PopCount(Volatile.Read(ref down[i]));
            return count;
        }
    }
}

/// <summary>What has gone through a route and each of its stages. Written by the engine, read by anybody.</summary>
public sealed class RouteMeter
{
    internal long PassedCount;
    internal long PassedBackgroundCount;
    internal readonly StageMeter[] StageMeters;

    /// <summary>A meter.</summary>
    /// <param name="firsts">For each stage the first of those it is run together with; itself if it is run alone.</param>
    internal RouteMeter(ReadOnlySpan<int> firsts)
    {
        StageMeters = new StageMeter[firsts.Length];
        for (var i = 0; i < firsts.Length; i++)
            StageMeters[i] = new StageMeter(firsts[i] < i ? StageMeters[firsts[i]] : null);
    }

    /// <summary>Whether the stages are run together in the same way.</summary>
    /// <param name="firsts">As in the constructor.</param>
    internal bool IsFor(ReadOnlySpan<int> firsts)
    {
        if (firsts.Length != StageMeters.Length)
            return false;
        for (var i = 0; i < firsts.Length; i++)
        {
            if (!StageMeters[i].IsLedBy(StageMeters[firsts[i]]))
                return false;
        }
        return true;
    }

    /// <summary>Messages delivered, background included.</summary>
    public long Passed => Volatile.Read(ref PassedCount);

    /// <summary>Clock and active sensing delivered.</summary>
    public long PassedBackground => Volatile.Read(ref PassedBackgroundCount);

    /// <summary>The stages in their order.</summary>
    public IReadOnlyList<StageMeter> Stages => StageMeters;
}

/// <summary>What has gone through one stage.</summary>
/// <remarks>Stages that the engine runs together count what comes through all of them once, in the meter of the first.</remarks>
public sealed class StageMeter
{
    private readonly StageMeter _first;

    internal StageMeter(StageMeter? first) => _first = first ?? this;

    internal bool IsLedBy(StageMeter first) => _first == first;

    internal long InCount;
    internal long OutCount;
    internal long ThroughCount;
    internal long StoppedCount;
    internal long StoppedBackgroundCount;

    /// <summary>Messages that came to the stage.</summary>
    public long In => Volatile.Read(ref InCount) + Volatile.Read(ref _first.ThroughCount);

    /// <summary>Messages that went on.</summary>
    public long Out => Volatile.Read(ref OutCount) + Volatile.Read(ref _first.ThroughCount);

    /// <summary>Messages that went no further, background included.</summary>
    public long Stopped => Volatile.Read(ref StoppedCount);

    /// <summary>Clock and active sensing that went no further.</summary>
    public long StoppedBackground => Volatile.Read(ref StoppedBackgroundCount);

    /// <summary>Begins with the figures of another. Before the engine knows of it.</summary>
    internal void GoOnFrom(StageMeter other)
    {
        (InCount, OutCount) = (other.In, other.Out);
        (StoppedCount, StoppedBackgroundCount) = (other.Stopped, other.StoppedBackground);
    }
}
