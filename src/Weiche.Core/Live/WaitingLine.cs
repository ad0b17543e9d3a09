using Weiche.Core.Midi;

namespace Weiche.Core.Live;

/// <summary>The messages that wait for one destination, in the order in which they came. Of something that moves (<see cref="Thinnable"/>)
/// a newer value can take the place of an older one, unless a note or program stands between the two.</summary>
/// <remarks>It grows as needed and keeps its room. How many wait, its <see cref="Outlet"/> counts, which asks that with every
/// message.</remarks>
internal sealed class WaitingLine
{
    /// <summary>No place, or nothing that moves.</summary>
    internal const int None = -1;

    private const int FirstCapacity = 256;

    private readonly SysExPool _pool;
    private readonly long[] _barriers;
    private Node[] _nodes;
    private int[]? _newest;
    private int _free;
    private int _top;
    private int _head;
    private int _tail;
    private long _number;

    internal WaitingLine(SysExPool pool)
    {
        _pool = pool;
        _barriers = new long[Channel.Count];
        _nodes = new Node[FirstCapacity];
        _free = _head = _tail = None;
    }

    private struct Node
    {
        public MidiMessage Message;
        public long Number;
        public int Next;
        public int Previous;
        public int Slot;
    }

    /// <summary>The message that is next. There must be one.</summary>
    internal MidiMessage First => _nodes[_head].Message;

    /// <summary>What comes from now on does not take the place of what is here, on one channel.</summary>
    internal void Bar(int channel) => _barriers[channel] = _number;

    /// <summary>Takes out the value that waits for something that moves, if a newer one may take its place.</summary>
    /// <returns>Whether there was one.</returns>
    internal bool LeaveOutOlder(int slot, int channel)
    {
        if (_newest is null)
            return false;
        var older = _newest[slot] - 1;
        if (older == None || _nodes[older].Slot != slot || _nodes[older].Number <= _barriers[channel])
            return false;
        Remove(older);
        return true;
    }

    /// <summary>Puts a message at the end.</summary>
    /// <param name="message">The message.</param>
    /// <param name="slot">What it moves; <see cref="None"/> if it is never left out.</param>
    internal void Append(in MidiMessage message, int slot)
    {
        _pool.AddReference(message);
        int index;
        if (_free != None)
        {
            index = _free;
            _free = _nodes[index].Next;
        }
        else
        {
            if (_top == _nodes.Length)
                Array.Resize(ref _nodes, _nodes.Length * 2);
            index = _top++;
        }
        _nodes[index] = new Node
        {
            Message = message,
            Number = ++_number,
            Next = None,
            Previous = _tail,
            Slot = slot,
        };
        if (_tail == None)
            _head = index;
        else
            _nodes[_tail].Next = index;
        _tail = index;
        if (slot == None)
            return;
        _newest ??= new int[Thinnable.Slots];
        _newest[slot] = index + 1;
    }

    /// <summary>Takes out the message that is next.</summary>
    internal void RemoveFirst() => Remove(_head);

    private void Remove(int index)
    {
        ref var node = ref _nodes[index];
        if (node.Previous == None)
            _head = node.Next;
        else
            _nodes[node.Previous].Next = node.Next;
        if (node.Next == None)
            _tail = node.Previous;
        else
            _nodes[node.Next].Previous = node.Previous;
        if (node.Slot != None && _newest![node.Slot] == index + 1)
            _newest[node.Slot] = 0;
        _pool.Release(node.Message);
        node.Message = default;
        node.Slot = None;
        node.Next = _free;
        _free = index;
    }
}
