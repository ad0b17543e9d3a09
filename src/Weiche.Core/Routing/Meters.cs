namespace Weiche.Core.Routing;

/// <summary>
/// What has gone through a port. Written by the engine, read by anybody at any time: each figure is right, though
/// two of them may be a moment apart.
/// </summary>
/// <remarks>Background means clock and active sensing, which would otherwise drown everything else.</remarks>
public sealed class PortMeter
{
    internal long MessageCount;
    internal long BackgroundCount;
    internal long ByteCount;
    internal long ThrownByteCount;
    internal long RefusedCount;
    internal long ThinnedCount;
    internal int HeldCount;

    /// <summary>Messages, background included.</summary>
    public long Messages => Volatile.Read(ref MessageCount);

    /// <summary>Clock and active sensing.</summary>
    public long Background => Volatile.Read(ref BackgroundCount);

    /// <summary>Bytes on the wire.</summary>
    public long Bytes => Volatile.Read(ref ByteCount);

    /// <summary>Bytes that a source sent and that belong to no message.</summary>
    public long ThrownBytes => Volatile.Read(ref ThrownByteCount);

    /// <summary>Messages that could not be taken because a bound was met.</summary>
    public long Refused => Volatile.Read(ref RefusedCount);

    /// <summary>For a destination: messages left out because a newer value, or anything at all, was waiting.</summary>
    public long Thinned => Volatile.Read(ref ThinnedCount);

    /// <summary>For a destination: how many notes it holds now, each key of each channel once.</summary>
    public int Held => Volatile.Read(ref HeldCount);
}

/// <summary>What has gone through a route and each of its stages. Written by the engine, read by anybody.</summary>
public sealed class RouteMeter
{
    internal long PassedCount;
    internal long PassedBackgroundCount;
    internal readonly StageMeter[] StageMeters;

    internal RouteMeter(int stages) => StageMeters = [.. Enumerable.Range(0, stages).Select(_ => new StageMeter())];

    /// <summary>Messages delivered, background included.</summary>
    public long Passed => Volatile.Read(ref PassedCount);

    /// <summary>Clock and active sensing delivered.</summary>
    public long PassedBackground => Volatile.Read(ref PassedBackgroundCount);

    /// <summary>The stages in their order.</summary>
    public IReadOnlyList<StageMeter> Stages => StageMeters;
}

/// <summary>What has gone through one stage.</summary>
public sealed class StageMeter
{
    internal long InCount;
    internal long OutCount;
    internal long StoppedCount;
    internal long StoppedBackgroundCount;

    /// <summary>Messages that came to the stage.</summary>
    public long In => Volatile.Read(ref InCount);

    /// <summary>Messages that went on.</summary>
    public long Out => Volatile.Read(ref OutCount);

    /// <summary>Messages that went no further, background included.</summary>
    public long Stopped => Volatile.Read(ref StoppedCount);

    /// <summary>Clock and active sensing that went no further.</summary>
    public long StoppedBackground => Volatile.Read(ref StoppedBackgroundCount);
}
