namespace Weiche.Core.Midi;

/// <summary>
/// Keeps the bytes of system exclusive messages while they are on their way, and counts who still needs them.
/// </summary>
/// <remarks>
/// <para>Memory is bounded twice: one message may have at most <see cref="MaxMessageLength"/> bytes, and all
/// buffers together at most <see cref="MaxTotalLength"/>. What does not fit is refused by <see cref="TryAppend"/>,
/// and the caller counts it. Buffers are kept for reuse, so a steady stream allocates nothing.</para>
/// <para>Not safe for several threads: it is used under the lock of the engine it belongs to.</para>
/// </remarks>
public sealed class SysExPool
{
    /// <summary>The most bytes between F0 and F7 of a message that the engine takes.</summary>
    public const int Longest = 1 << 20;

    private const int SlotBits = 10;
    private const int MaxSlots = 1 << SlotBits;
    private const int FirstCapacity = 256;

    private readonly Slot[] _slots = new Slot[MaxSlots];
    private readonly Stack<int> _free = new(MaxSlots);
    private int _used;
    private int _total;

    private struct Slot
    {
        public byte[] Bytes;
        public int Length;
        public int References;
        public int Generation;
    }

    /// <summary>A pool with the given bounds.</summary>
    /// <param name="maxMessageLength">The most bytes one message may have between F0 and F7.</param>
    /// <param name="maxTotalLength">The most bytes all buffers may have together.</param>
    /// <exception cref="ArgumentOutOfRangeException">A bound is below 1.</exception>
    public SysExPool(int maxMessageLength = Longest, int maxTotalLength = 8 << 20)
    {
        ArgumentOutOfRangeException.ThrowIfLessThan(maxMessageLength, 1);
        ArgumentOutOfRangeException.ThrowIfLessThan(maxTotalLength, 1);
        MaxMessageLength = maxMessageLength;
        MaxTotalLength = maxTotalLength;
    }

    /// <summary>The most bytes one message may have between F0 and F7.</summary>
    public int MaxMessageLength { get; }

    /// <summary>The most bytes all buffers may have together.</summary>
    public int MaxTotalLength { get; }

    /// <summary>How many messages are kept now.</summary>
    public int Count => _used - _free.Count;

    /// <summary>How many bytes all buffers have now, the ones kept for reuse included.</summary>
    public int TotalLength => _total;

    /// <summary>Takes an empty message into the pool, with one reference held by the caller.</summary>
    /// <param name="handle">Its handle, never 0.</param>
    /// <returns>False if as many messages are under way as the pool can name.</returns>
    public bool TryBegin(out int handle)
    {
        if (!_free.TryPop(out var index))
        {
            if (_used == MaxSlots)
            {
                handle = 0;
                return false;
            }
            index = _used++;
            _slots[index].Bytes = [];
        }
        ref var slot = ref _slots[index];
        slot.Length = 0;
        slot.References = 1;
        slot.Generation = slot.Generation % 0x1F_FFFF + 1;
        handle = slot.Generation << SlotBits | index;
        return true;
    }

    /// <summary>Puts bytes at the end of a message that is still being received.</summary>
    /// <param name="handle">The message.</param>
    /// <param name="bytes">Data bytes, without F0 and F7.</param>
    /// <returns>False if a bound would be passed; the message is then as it was.</returns>
    public bool TryAppend(int handle, ReadOnlySpan<byte> bytes)
    {
        ref var slot = ref Find(handle);
        var length = slot.Length + bytes.Length;
        if (length > MaxMessageLength || (length > slot.Bytes.Length && !TryGrow(ref slot, length)))
            return false;
        bytes.CopyTo(slot.Bytes.AsSpan(slot.Length));
        slot.Length = length;
        return true;
    }

    /// <summary>The bytes between F0 and F7. Valid until the last reference is released.</summary>
    /// <param name="handle">The message.</param>
    public ReadOnlySpan<byte> Bytes(int handle)
    {
        ref var slot = ref Find(handle);
        return slot.Bytes.AsSpan(0, slot.Length);
    }

    /// <summary>Says that one more holder needs the message.</summary>
    /// <param name="message">Any message; only system exclusive is counted.</param>
    public void AddReference(in MidiMessage message)
    {
        if (message.SysExHandle != 0)
            Find(message.SysExHandle).References++;
    }

    /// <summary>Says that one holder no longer needs the message. The last one gives its buffer back.</summary>
    /// <param name="message">Any message; only system exclusive is counted.</param>
    public void Release(in MidiMessage message)
    {
        if (message.SysExHandle != 0)
            Release(message.SysExHandle);
    }

    /// <summary>Says that one holder no longer needs the message. The last one gives its buffer back.</summary>
    /// <param name="handle">The message.</param>
    public void Release(int handle)
    {
        ref var slot = ref Find(handle);
        if (--slot.References == 0)
            _free.Push(handle & (MaxSlots - 1));
    }

    /// <summary>Puts a whole system exclusive into the pool, with one reference held by the caller.</summary>
    /// <param name="data">The bytes between F0 and F7, each 0 to 127.</param>
    /// <returns>The message.</returns>
    /// <exception cref="ArgumentException">A byte is above 127, or the message does not fit.</exception>
    public MidiMessage Add(ReadOnlySpan<byte> data)
    {
        if (data.ContainsAnyInRange((byte)0x80, (byte)0xFF))
            throw new ArgumentException("The data of a system exclusive is 0 to 127 throughout.", nameof(data));
        if (!TryBegin(out var handle))
            throw new ArgumentException("The pool is full.", nameof(data));
        if (TryAppend(handle, data))
            return MidiMessage.SystemExclusive(handle);
        Release(handle);
        throw new ArgumentException("The system exclusive is longer than the pool allows.", nameof(data));
    }

    private ref Slot Find(int handle)
    {
        ref var slot = ref _slots[handle & (MaxSlots - 1)];
        if (slot.References == 0 || slot.Generation != handle >> SlotBits)
            throw new InvalidOperationException($"System exclusive {handle} is not in the pool any more.");
        return ref slot;
    }

    private bool TryGrow(ref Slot slot, int length)
    {
        var capacity = Math.Min(MaxMessageLength, Math.Max(FirstCapacity, Math.Max(length, slot.Bytes.Length * 2)));
        if (_total - slot.Bytes.Length + capacity > MaxTotalLength)
            DropFreeBuffers();
        if (_total - slot.Bytes.Length + capacity > MaxTotalLength)
            return false;
        _total += capacity - slot.Bytes.Length;
        Array.Resize(ref slot.Bytes, capacity);
        return true;
    }

    private void DropFreeBuffers()
    {
        foreach (var index in _free)
        {
            _total -= _slots[index].Bytes.Length;
            _slots[index].Bytes = [];
        }
    }
}
