using System.Runtime.CompilerServices;
using Weiche.Core.Midi;

namespace Weiche.Core.Routing;

/// <summary>
/// Keeps, for every note-on and every pedal that went down, where it went and as what, so that its end follows it
/// there whatever was edited in between. Knows for each destination how many hold the same key or pedal.
/// </summary>
/// <remarks>
/// What holds and what is held is named by one number, <see cref="Held"/>: channel × 256 + item, where item 0 to 127 is
/// a key, 128 to 247 a controller, 248 the channel pressure and 249 the bend. Held are keys and the sustain, sostenuto
/// and soft pedal (controllers 64, 66, 67); anything may hold a pedal, since a stage can make one of it. Room is made
/// once; nothing here allocates while messages run.
/// </remarks>
internal sealed class Ledger
{
    /// <summary>No entry.</summary>
    internal const int None = -1;

    private readonly Entry[] _entries;
    private int[]?[] _heads = [];
    private ushort[]?[] _counts = [];
    private int[] _keys = [];
    private int[] _controls = [];
    private int _free = None;
    private int _top;

    internal Ledger(int capacity) => _entries = new Entry[capacity];

    /// <summary>How many things are held.</summary>
    internal int Count { get; private set; }

    internal struct Entry
    {
        internal int Next;

        /// <summary>The route; 0 where the place is free.</summary>
        internal int Route;
        internal int Source;
        internal int Destination;
        internal ushort Origin;
        internal ushort Sounding;

        /// <summary>The message with which it was last held on: the number of its run.</summary>
        internal long Run;
    }

    /// <summary>Makes room for ports with ids below <paramref name="size"/>. Called between messages.</summary>
    internal void MakeRoom(int size)
    {
        if (size <= _heads.Length) return;
        Array.Resize(ref _heads, size);
        Array.Resize(ref _counts, size);
        Array.Resize(ref _keys, size);
        Array.Resize(ref _controls, size);
    }

    internal void AddSource(int source)
    {
        if (_heads[source] is not null) return;
        _heads[source] = new int[Held.Size];
        _heads[source].AsSpan().Fill(None);
    }

    internal void AddDestination(int destination) => _counts[destination] ??= new ushort[Held.Size];

    /// <summary>How many keys are held at each destination, by its id, each key of each channel once. Another array as soon as room is
    /// made for more.</summary>
    internal int[] KeysHeld => _keys;

    /// <summary>Whether anything but a key of this source holds something: a controller, the bend or the pressure.</summary>
    internal bool HoldsByControls(int source) => _controls[source] > 0;

    /// <summary>How many entries hold this at the destination.</summary>
    internal int CountAt(int destination, int sounding) => _counts[destination]![sounding];

    /// <summary>Whether anything this source's key or pedal started is still held.</summary>
    internal bool HoldsAny(int source, int origin) => _heads[source]![origin] != None;

    /// <summary>Enters that a source's key or pedal holds something at a destination. What it holds already it holds on.</summary>
    /// <param name="source">The source.</param>
    /// <param name="origin">Its key or pedal.</param>
    /// <param name="route">The route it holds through.</param>
    /// <param name="destination">The destination.</param>
    /// <param name="sounding">What is held there.</param>
    /// <param name="run">The message it holds with.</param>
    /// <param name="heldNothing">Whether it held nothing when this message came: what is there of this route then stands
    /// in front.</param>
    /// <returns>False if the ledger is full.</returns>
    internal bool TryEnter(int source, int origin, int route, int destination, int sounding, long run, bool heldNothing = false)
    {
        for (var i = _heads[source]![origin]; i != None; i = _entries[i].Next)
        {
            ref var entry = ref _entries[i];
            if (heldNothing && entry.Route != route) break;
            if (entry.Route != route || entry.Destination != destination || entry.Sounding != sounding) continue;
            entry.Run = run;
            return true;
        }
        int index;
        if (_free != None)
        {
            index = _free;
            _free = _entries[index].Next;
        }
        else if (_top < _entries.Length)
        {
            index = _top++;
        }
        else
        {
            return false;
        }
        ref var head = ref _heads[source]![origin];
        ref var added = ref _entries[index];
        added.Next = head;
        added.Route = route;
        added.Source = source;
        added.Destination = destination;
        added.Origin = (ushort)origin;
        added.Sounding = (ushort)sounding;
        added.Run = run;
        head = index;
        if (_counts[destination]![sounding]++ == 0 && Held.IsKey(sounding)) _keys[destination]++;
        if (!Held.IsKey(origin)) _controls[source]++;
        Count++;
        return true;
    }

    /// <summary>
    /// Takes out everything that a source's key holds. First all of it stops counting, so that <see cref="CountAt"/> tells what
    /// others hold, and its routes are marked; then each entry is handed out by <see cref="TryNext"/>.
    /// </summary>
    /// <param name="source">The source.</param>
    /// <param name="origin">The key.</param>
    /// <param name="routes">The marks, by the route's id.</param>
    /// <param name="stamp">The mark.</param>
    /// <returns>Where to begin with <see cref="TryNext"/>; <see cref="None"/> if nothing is held.</returns>
    internal int TakeAll(int source, int origin, long[] routes, long stamp)
    {
        ref var head = ref _heads[source]![origin];
        var first = head;
        for (var i = first; i != None;)
        {
            ref var entry = ref _entries[i];
            Uncount(entry);
            routes[entry.Route] = stamp;
            i = entry.Next;
        }
        head = None;
        return first;
    }

    /// <summary>Hands out the next entry that was taken out, and frees its place.</summary>
    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    internal bool TryNext(ref int cursor, out Entry entry)
    {
        if (cursor == None)
        {
            entry = default;
            return false;
        }
        var index = cursor;
        entry = _entries[index];
        cursor = entry.Next;
        Free(index);
        return true;
    }

    /// <summary>Takes out one thing that a source's control holds, through one route or (0) any, since before a run.</summary>
    internal bool TryTakeOlder(int source, int origin, int route, long run, out Entry taken)
    {
        ref var link = ref _heads[source]![origin];
        while (link != None)
        {
            ref var entry = ref _entries[link];
            if ((route == 0 || entry.Route == route) && entry.Run < run)
            {
                taken = TakeAt(ref link);
                return true;
            }
            link = ref entry.Next;
        }
        taken = default;
        return false;
    }

    /// <summary>Takes out exactly this, if a source's control holds it.</summary>
    internal void TakeExactly(int source, int origin, int route, int destination, int sounding)
    {
        ref var link = ref _heads[source]![origin];
        while (link != None)
        {
            ref var entry = ref _entries[link];
            if (entry.Route == route && entry.Destination == destination && entry.Sounding == sounding)
            {
                TakeAt(ref link);
                return;
            }
            link = ref entry.Next;
        }
    }

    /// <summary>Takes out the entry that a link leads to.</summary>
    private Entry TakeAt(ref int link)
    {
        var index = link;
        var taken = _entries[index];
        link = taken.Next;
        Uncount(taken);
        Free(index);
        return taken;
    }

    /// <summary>Takes out the next entry at or after a place that meets a condition. For edits: it looks at every entry.</summary>
    internal bool TryTakeWhere<TState>(ref int cursor, TState state, Func<Entry, TState, bool> condition, out Entry taken)
    {
        for (; cursor < _top; cursor++)
        {
            ref var entry = ref _entries[cursor];
            if (entry.Route == 0 || !condition(entry, state)) continue;
            ref var link = ref _heads[entry.Source]![entry.Origin];
            while (link != cursor) link = ref _entries[link].Next;
            taken = TakeAt(ref link);
            cursor++;
            return true;
        }
        taken = default;
        return false;
    }

    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    private void Uncount(in Entry entry)
    {
        if (--_counts[entry.Destination]![entry.Sounding] == 0 && Held.IsKey(entry.Sounding)) _keys[entry.Destination]--;
        if (!Held.IsKey(entry.Origin)) _controls[entry.Source]--;
    }

    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    private void Free(int index)
    {
        ref var entry = ref _entries[index];
        entry.Route = 0;
        entry.Next = _free;
        _free = index;
        Count--;
    }
}

/// <summary>The number that names a key, a controller, the pressure or the bend of a channel within the ledger.</summary>
internal static class Held
{
    private const int Items = 256;
    private const int FirstController = 128;
    private const int Pressure = 248;
    private const int Bend = 249;
    private const int NoItem = -1;

    /// <summary>How many numbers there are.</summary>
    internal const int Size = Channel.Count * Items;

    /// <summary>What a message moves; false for a message that moves nothing which could hold.</summary>
    internal static bool TryOrigin(in MidiMessage message, out int held)
    {
        var item = (message.Status & 0xF0) switch
        {
            0x80 or 0x90 => message.Data1,
            0xB0 when message.Data1 < 120 => FirstController + message.Data1,
            0xD0 => Pressure,
            0xE0 => Bend,
            _ => NoItem,
        };
        held = message.ChannelIndex * Items + item;
        return item != NoItem;
    }

    /// <summary>The number of the key that a note plays.</summary>
    internal static int OfNote(in MidiMessage note) => note.ChannelIndex * Items + note.Data1;

    /// <summary>Whether this is one of the three pedals that are held: sustain, sostenuto, soft.</summary>
    internal static bool IsPedal(in MidiMessage message) => (message.Status & 0xF0) == 0xB0 && message.Data1 is 64 or 66 or 67;

    /// <summary>Whether the value of what moves is in its lower half, where a pedal is up.</summary>
    internal static bool IsLow(in MidiMessage message) => ((message.Status & 0xF0) == 0xD0 ? message.Data1 : message.Data2) < 64;

    /// <summary>Whether the number stands for a key.</summary>
    internal static bool IsKey(int held) => (held & FirstController) == 0;

    /// <summary>Whether two numbers are of one channel, and both keys or both controllers.</summary>
    internal static bool IsOnChannelOf(int held, int other) => held >> 8 == other >> 8 && IsKey(held) == IsKey(other);

    /// <summary>The message that ends a held thing, at the place where it went: the note-off that came, or else one
    /// without a measured release; a pedal quite up.</summary>
    internal static MidiMessage End(int held, in MidiMessage cause)
    {
        var (channel, item) = (held >> 8, held & (Items - 1));
        if (item >= FirstController) return MidiMessage.Raw(0xB0 | channel, item - FirstController, 0);
        return cause.Kind == MessageKind.Note && cause.Status != 0
            ? MidiMessage.Raw(cause.Status & 0xF0 | channel, item, cause.Data2)
            : MidiMessage.Raw(0x80 | channel, item, 64);
    }
}
