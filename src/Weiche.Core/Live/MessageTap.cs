using System.Runtime.CompilerServices;
using Weiche.Core.Midi;
using Weiche.Core.Studios;

namespace Weiche.Core.Live;

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

    /// <summary>It would have silenced what others hold there: it ended only what is its source's own.</summary>
    OwnEnded,

    /// <summary>It is of a clock, and another source gives the clock there.</summary>
    OtherClock,

    /// <summary>The guard stopped it: it went round in spite of the plan.</summary>
    Guarded,

    /// <summary>The guard keeps it for a moment, to see whether the same comes again by itself. Then it is sent after all.</summary>
    Withheld,

    /// <summary>A bound was met: the destination's queue or the ledger is full.</summary>
    Refused,

    /// <summary>It worked a lever, or is the rest of what did, and was swallowed.</summary>
    Lever,

    /// <summary>A message of a take was played back as if it came from a source. What became of it follows, as after
    /// <see cref="Came"/>.</summary>
    Played,

    /// <summary>Weiche itself made a message: a stage that plays in time or kept a value, or the end of what nothing carries any more. One
    /// record follows, of its delivery; then it goes on with what was before.</summary>
    Made,
}

/// <summary>One record of the tap: 16 bytes, since one is written for every message and every delivery.</summary>
/// <remarks>The studio that was in force is told by <see cref="MessageTap.VersionAt"/>: it changes with an edit, not with a
/// record.</remarks>
public readonly struct TapRecord
{
    // From the lowest bits up: the message's status and data, 32 bits (of an exclusive its length); what it says, 8; then, where it came,
    // the source, 24; else the stage, 8. An id is below Studio.MaxIds, which 24 bits hold.
    private readonly ulong _what;

    // Where it came, the time; of an exclusive, its first bytes; else port and route, 32 bits each.
    private readonly ulong _where;

    private TapRecord(ulong what, ulong where) => (_what, _where) = (what, where);

    /// <summary>A message that came.</summary>
    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    internal static TapRecord OfArrival(in MidiMessage message, PortId source, MidiTime time, TapEvent what = TapEvent.Came) =>
        new(message.ShortBytes | (ulong)what << 32 | (ulong)(uint)source.Value << 40, (ulong)time.Microseconds);

    /// <summary>What became of it on a route.</summary>
    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    internal static TapRecord OfEnd(TapEvent what, in MidiMessage message, PortId port, RouteId route, int stage) =>
        new(message.ShortBytes | (ulong)what << 32 | (ulong)(uint)stage << 40, (uint)port.Value | (ulong)(uint)route.Value << 32);

    /// <summary>The bytes of a system exclusive.</summary>
    /// <param name="bytes">The bytes between F0 and F7.</param>
    /// <param name="place">Where they begin in the tap's ring of bytes; the lowest 24 bits of it are kept.</param>
    internal static TapRecord OfExclusive(ReadOnlySpan<byte> bytes, long place)
    {
        var start = 0ul;
        for (var i = Math.Min(8, bytes.Length) - 1; i >= 0; i--)
            start = start << 8 | bytes[i];
        return new((uint)bytes.Length | (ulong)TapEvent.Exclusive << 32 | (ulong)place << 40, start);
    }

    /// <summary>What it says.</summary>
    public TapEvent Event => (TapEvent)(byte)(_what >> 32);

    /// <summary>Whether a message begins here: it came, was played back, or was made.</summary>
    public bool IsBeginning => Event is TapEvent.Came or TapEvent.Played or TapEvent.Made;

    /// <summary>Where a message begins: when; else the start of the clock.</summary>
    public MidiTime Time => IsBeginning ? new((long)_where) : MidiTime.Zero;

    /// <summary>The message: as it came, or as it was delivered. Of a system exclusive without its bytes.</summary>
    public MidiMessage Message =>
        Event == TapEvent.Exclusive ? default : MidiMessage.Raw((byte)_what, (byte)(_what >> 8), (byte)(_what >> 16));

    /// <summary>The source it came from, or the destination it was meant for.</summary>
    public PortId Port =>
        new(
            Event switch
            {
                TapEvent.Came or TapEvent.Played or TapEvent.Made => (int)(_what >> 40),
                TapEvent.Exclusive => 0,
                _ => (int)_where,
            }
        );

    /// <summary>The route; none where it came.</summary>
    public RouteId Route => new(IsBeginning || Event == TapEvent.Exclusive ? 0 : (int)(_where >> 32));

    /// <summary>The stage that stopped it, from 0.</summary>
    public int Stage => IsBeginning ? 0 : (byte)(_what >> 40);

    /// <summary>For <see cref="TapEvent.Exclusive"/>: how many bytes the system exclusive has between F0 and F7.</summary>
    public int SysExLength => Event == TapEvent.Exclusive ? (int)_what : 0;

    /// <summary>For <see cref="TapEvent.Exclusive"/>: its first eight bytes, the first in the lowest place.</summary>
    public ulong SysExStart => Event == TapEvent.Exclusive ? _where : 0;

    /// <summary>For <see cref="TapEvent.Exclusive"/>: the lowest 24 bits of where its bytes begin in the ring of bytes.</summary>
    internal int SysExPlace => (int)(_what >> 40);
}

/// <summary>
/// A ring in which the engine writes down what came and what became of it. Readers look on without ever holding
/// the engine up: one that is too slow loses the oldest records and is told how many.
/// </summary>
/// <remarks>One thread at a time writes (under the engine's lock); any number of threads read.</remarks>
public sealed class MessageTap
{
    private const int MarksKept = 64;
    private const int BytesBits = 21;
    private const int PlaceMask = (1 << 24) - 1;

    private readonly TapRecord[] _ring;

    // The bytes of system exclusives, one after the other; a record knows 24 bits of where its own begin.
    private readonly byte[] _bytes = new byte[1 << BytesBits];
    private long _bytesWritten;
    private readonly Mark?[] _marks = new Mark?[MarksKept];
    private int _nextMark;
    private long _written;
    private long _published;
    private bool _takesBackground;

    /// <summary>A ring with room for a number of records.</summary>
    /// <param name="capacity">A power of two.</param>
    /// <exception cref="ArgumentException">It is not a power of two.</exception>
    public MessageTap(int capacity = 1 << 13)
    {
        if (!System.Numerics.BitOperations.IsPow2(capacity))
            throw new ArgumentException("The capacity is a power of two.", nameof(capacity));
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

    /// <summary>Writes a record down.</summary>
    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    internal void Write(in TapRecord record)
    {
        var ring = _ring;
        var written = _written;
        ring[(int)written & (ring.Length - 1)] = record;
        // The count goes up before the next slot is overwritten: a reader that sees it knows what may be torn.
        Volatile.Write(ref _written, written + 1);
    }

    /// <summary>Writes the bytes of a system exclusive down.</summary>
    /// <param name="bytes">The bytes between F0 and F7.</param>
    internal void WriteExclusive(ReadOnlySpan<byte> bytes)
    {
        var place = _bytesWritten;
        // Counted before they are overwritten: a reader that sees the count knows what may be torn.
        Volatile.Write(ref _bytesWritten, place + bytes.Length);
        Interlocked.MemoryBarrier();
        var at = (int)place & (_bytes.Length - 1);
        var first = Math.Min(bytes.Length, _bytes.Length - at);
        bytes[..first].CopyTo(_bytes.AsSpan(at));
        bytes[first..].CopyTo(_bytes);
        Write(TapRecord.OfExclusive(bytes, place));
    }

    /// <summary>Copies the bytes of a system exclusive.</summary>
    /// <param name="record">Its record, as it was read a moment ago.</param>
    /// <returns>The bytes between F0 and F7; null if they have been overwritten meanwhile.</returns>
    public byte[]? ReadExclusive(in TapRecord record)
    {
        var copy = new byte[record.SysExLength];
        if (copy.Length == 0)
            return copy;
        var written = Volatile.Read(ref _bytesWritten);
        var place = written - ((written - record.SysExPlace) & PlaceMask);
        if (place + copy.Length > written)
            return null;
        var at = (int)place & (_bytes.Length - 1);
        var first = Math.Min(copy.Length, _bytes.Length - at);
        _bytes.AsSpan(at, first).CopyTo(copy);
        _bytes.AsSpan(0, copy.Length - first).CopyTo(copy.AsSpan(first));
        Interlocked.MemoryBarrier();
        return Volatile.Read(ref _bytesWritten) - place <= _bytes.Length ? copy : null;
    }

    /// <summary>The place in the ring from which on another studio is in force.</summary>
    /// <param name="version">The version of the studio's compiled form.</param>
    internal sealed class Mark(int version)
    {
        internal readonly int Version = version;
        internal long From;
    }

    /// <summary>Says that from here on another studio is in force.</summary>
    /// <param name="mark">Of that studio; each is used once.</param>
    internal void Begin(Mark mark)
    {
        mark.From = _written;
        Volatile.Write(ref _marks[_nextMark++ & (MarksKept - 1)], mark);
    }

    /// <summary>The version of the compiled studio that was in force when a record was written; of the oldest that is known, if it was
    /// before that; 0 if there has been none.</summary>
    /// <param name="number">The record's number, from 0: what <see cref="Read"/> was given, and one more for each.</param>
    public int VersionAt(long number)
    {
        var (found, oldest) = ((Mark?)null, (Mark?)null);
        for (var i = 0; i < MarksKept; i++)
        {
            if (Volatile.Read(ref _marks[i]) is not { } mark)
                continue;
            if (mark.From <= number && (found is null || mark.Version > found.Version))
                found = mark;
            if (oldest is null || mark.Version < oldest.Version)
                oldest = mark;
        }
        return (found ?? oldest)?.Version ?? 0;
    }

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
        for (var i = 0; i < count; i++)
            records[i] = _ring[(from + i) & (_ring.Length - 1)];
        Interlocked.MemoryBarrier();
        // What the writer has reached meanwhile may be torn: it is lost, not shown wrong.
        var torn = (int)Math.Clamp(Volatile.Read(ref _written) - _ring.Length + 1 - from, 0, count);
        if (torn > 0)
            records[torn..count].CopyTo(records);
        lost += torn;
        from += count;
        return count - torn;
    }
}
