using System.Runtime.CompilerServices;
using Weiche.Core.Midi;

namespace Weiche.Core.Routing;

/// <summary>What a record of the tap says.</summary>
public enum TapEvent : byte
{
    /// <summary>A message came from a source. What became of it follows, up to the next of these.</summary>
    Came,

    /// <summary>Right after a system exclusive came: its length and first bytes.</summary>
    Exclusive,

    /// <summary>It was delivered to a destination.</summary>
    Delivered,

    /// <summary>A stage stopped it.</summary>
    Stopped,

    /// <summary>Weiche kept it: a sounding of its own that came back.</summary>
    Kept,

    /// <summary>The source is switched off.</summary>
    SourceOff,

    /// <summary>The destination is switched off.</summary>
    DestinationOff,

    /// <summary>It ends a note or pedal that did not begin on this route.</summary>
    NotBegunHere,

    /// <summary>It ends a note or pedal that another one still holds there.</summary>
    HeldByOther,

    /// <summary>The guard stopped it: it went round in spite of the plan.</summary>
    Guarded,

    /// <summary>A bound was met: the destination's queue or the ledger is full.</summary>
    Refused,
}

/// <summary>One record of the tap: 32 bytes, since two are written for every delivery.</summary>
public struct TapRecord
{
    internal long Number;
    internal MidiMessage Carried;
    internal int PortId;
    internal int RouteId;
    internal int Plan;
    internal TapEvent What;
    internal byte StageIndex;

    /// <summary>What it says.</summary>
    public readonly TapEvent Event => What;

    /// <summary>When the message came.</summary>
    public readonly MidiTime Time => new(Number);

    /// <summary>The message: as it came, or as it was delivered.</summary>
    public readonly MidiMessage Message => Carried;

    /// <summary>The source it came from, or the destination it was meant for; the id's value.</summary>
    public readonly int Port => PortId;

    /// <summary>The route; 0 where it came.</summary>
    public readonly int Route => RouteId;

    /// <summary>The stage that stopped it, from 0.</summary>
    public readonly int Stage => StageIndex;

    /// <summary>The plan that was in force.</summary>
    public readonly int PlanVersion => Plan;

    /// <summary>For <see cref="TapEvent.Exclusive"/>: how many bytes the system exclusive has between F0 and F7.</summary>
    public readonly int SysExLength => RouteId;

    /// <summary>For <see cref="TapEvent.Exclusive"/>: its first eight bytes, the first in the lowest place.</summary>
    public readonly ulong SysExStart => (ulong)Number;
}

/// <summary>
/// A ring in which the engine writes down what came and what became of it. Readers look on without ever holding
/// the engine up: one that is too slow loses the oldest records and is told how many.
/// </summary>
/// <remarks>One thread at a time writes (under the engine's lock); any number of threads read.</remarks>
public sealed class MessageTap
{
    private readonly TapRecord[] _ring;
    private long _written;
    private long _published;
    private bool _takesBackground;

    /// <summary>A ring with room for a number of records.</summary>
    /// <param name="capacity">A power of two.</param>
    /// <exception cref="ArgumentException">It is not a power of two.</exception>
    public MessageTap(int capacity = 1 << 13)
    {
        if (!System.Numerics.BitOperations.IsPow2(capacity)) throw new ArgumentException("The capacity is a power of two.", nameof(capacity));
        _ring = new TapRecord[capacity];
    }

    /// <summary>Whether clock and active sensing are written down too. Mostly they are not: they would drown everything
    /// else.</summary>
    public bool TakesBackground
    {
        get => Volatile.Read(ref _takesBackground);
        set => Volatile.Write(ref _takesBackground, value);
    }

    /// <summary>How many records have been published since the start.</summary>
    public long Published => Volatile.Read(ref _published);

    /// <summary>The place of the next record, to be filled in; <see cref="Written"/> says that it is.</summary>
    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    internal ref TapRecord Next() => ref _ring[_written & (_ring.Length - 1)];

    // The count goes up before the next slot is overwritten: a reader that sees it knows what may be torn.
    internal void Written() => Volatile.Write(ref _written, _written + 1);

    internal void Publish() => Volatile.Write(ref _published, _written);

    /// <summary>Copies published records from a place on.</summary>
    /// <param name="from">The number of the first record wanted; moved on past what was copied or lost.</param>
    /// <param name="records">Room for the copies.</param>
    /// <param name="lost">How many records were overwritten before they could be copied.</param>
    /// <returns>How many were copied.</returns>
    public int Read(ref long from, Span<TapRecord> records, out long lost)
    {
        var end = Volatile.Read(ref _published);
        var oldest = Volatile.Read(ref _written) - _ring.Length + 1;
        lost = Math.Max(0, oldest - from);
        from += lost;
        var count = (int)Math.Clamp(end - from, 0, records.Length);
        for (var i = 0; i < count; i++) records[i] = _ring[(from + i) & (_ring.Length - 1)];
        Interlocked.MemoryBarrier();
        // What the writer has reached meanwhile may be torn: it is lost, not shown wrong.
        var torn = (int)Math.Clamp(Volatile.Read(ref _written) - _ring.Length + 1 - from, 0, count);
        if (torn > 0) records[torn..count].CopyTo(records);
        lost += torn;
        from += count;
        return count - torn;
    }
}
