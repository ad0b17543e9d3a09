using System.Runtime.CompilerServices;
using Weiche.Core.Studios;

namespace Weiche.Core.Live;

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

    // What is asked for with every note stands in arrays of their own.
    private int[]?[] _heads = [];
    private ushort[]?[] _counts = [];
    private HeldBy?[] _sources = [];
    private HeldAt?[] _destinations = [];
    private int _free = None;
    private int _top;

    internal Ledger(int capacity) => _entries = new Entry[capacity];

    /// <summary>How many things are held.</summary>
    internal int Count { get; private set; }

    internal struct Entry
    {
        internal int Next;

        /// <summary>The route; none where the place is free.</summary>
        internal RouteId Route;
        internal PortId Source;
        internal PortId Destination;
        internal ushort Origin;
        internal ushort Sounding;

        /// <summary>The message with which it was last held on: the number of its run.</summary>
        internal long Run;
    }

    /// <summary>Keeps what is held by these sources and at these destinations from now on, each at the place of its id. What is kept for a
    /// port that is in both is the same object in both. Nothing may be held any more at a port that is left out.</summary>
    internal void Use(HeldBy?[] sources, HeldAt?[] destinations, int[]?[] heads, ushort[]?[] counts) =>
        (_sources, _destinations, _heads, _counts) = (sources, destinations, heads, counts);

    /// <summary>Whether anything but a key of this source holds something: a controller, the bend or the pressure.</summary>
    internal static bool HoldsByControls(HeldBy source) => source.Controls > 0;

    /// <summary>How many entries hold this at the destination.</summary>
    internal int CountAt(PortId destination, int sounding) => _counts[destination.Value]![sounding];

    /// <summary>Whether any other source holds anything at a destination. It looks at every entry: for messages that are rare.</summary>
    /// <param name="destination">The destination.</param>
    /// <param name="source">The source that is left out.</param>
    /// <param name="channel">The channel, from 0; below 0 for all.</param>
    internal bool HoldsOther(PortId destination, PortId source, int channel)
    {
        for (var i = 0; i < _top; i++)
        {
            ref var entry = ref _entries[i];
            if (
                entry.Route != default
                && entry.Destination == destination
                && entry.Source != source
                && (channel < 0 || entry.Sounding >> 8 == channel)
            )
                return true;
        }
        return false;
    }

    /// <summary>Whether a source holds anything through a route. It looks at every entry: for what is rare.</summary>
    /// <param name="route">The route.</param>
    /// <param name="source">The source.</param>
    /// <param name="channel">The channel on which it began, from 0; <see cref="None"/> for all.</param>
    /// <param name="origin">The key with which it began; <see cref="None"/> for any.</param>
    internal bool Holds(RouteId route, PortId source, int channel, int origin)
    {
        for (var i = 0; i < _top; i++)
        {
            ref var entry = ref _entries[i];
            if (
                entry.Route == route
                && entry.Source == source
                && (channel == None || entry.Origin >> 8 == channel)
                && (origin == None || entry.Origin == origin)
            )
                return true;
        }
        return false;
    }

    /// <summary>Says by which source and through which route the next entry at or after a place is held.</summary>
    internal bool TryNextHeld(ref int cursor, out RouteId route, out PortId source)
    {
        for (; cursor < _top; cursor++)
        {
            ref var entry = ref _entries[cursor];
            if (entry.Route == default)
                continue;
            (route, source) = (entry.Route, entry.Source);
            cursor++;
            return true;
        }
        (route, source) = (default, default);
        return false;
    }

    /// <summary>Whether anything this source's key or pedal started is still held.</summary>
    internal bool HoldsAny(PortId source, int origin) => _heads[source.Value]![origin] != None;

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
    internal bool TryEnter(PortId source, int origin, RouteId route, PortId destination, int sounding, long run, bool heldNothing = false)
    {
        ref var head = ref _heads[source.Value]![origin];
        for (var i = head; i != None; i = _entries[i].Next)
        {
            ref var entry = ref _entries[i];
            if (heldNothing && entry.Route != route)
                break;
            if (entry.Route != route || entry.Destination != destination || entry.Sounding != sounding)
                continue;
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
        ref var added = ref _entries[index];
        added.Next = head;
        added.Route = route;
        added.Source = source;
        added.Destination = destination;
        added.Origin = (ushort)origin;
        added.Sounding = (ushort)sounding;
        added.Run = run;
        head = index;
        if (_counts[destination.Value]![sounding]++ == 0 && Held.IsKey(sounding))
            _destinations[destination.Value]!.Keys++;
        if (!Held.IsKey(origin))
            _sources[source.Value]!.Controls++;
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
    internal int TakeAll(PortId source, int origin, long[] routes, long stamp)
    {
        ref var head = ref _heads[source.Value]![origin];
        var first = head;
        for (var i = first; i != None;)
        {
            ref var entry = ref _entries[i];
            Uncount(entry);
            routes[entry.Route.Value] = stamp;
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

    /// <summary>Takes out one thing that a source's control holds, through one route or any (none), since before a run.</summary>
    internal bool TryTakeOlder(PortId source, int origin, RouteId route, long run, out Entry taken)
    {
        ref var link = ref _heads[source.Value]![origin];
        while (link != None)
        {
            ref var entry = ref _entries[link];
            if ((route == default || entry.Route == route) && entry.Run < run)
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
    internal void TakeExactly(PortId source, int origin, RouteId route, PortId destination, int sounding)
    {
        ref var link = ref _heads[source.Value]![origin];
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
            if (entry.Route == default || !condition(entry, state))
                continue;
            ref var link = ref _heads[entry.Source.Value]![entry.Origin];
            while (link != cursor)
                link = ref _entries[link].Next;
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
        if (--_counts[entry.Destination.Value]![entry.Sounding] == 0 && Held.IsKey(entry.Sounding))
            _destinations[entry.Destination.Value]!.Keys--;
        if (!Held.IsKey(entry.Origin))
            _sources[entry.Source.Value]!.Controls--;
    }

    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    private void Free(int index)
    {
        ref var entry = ref _entries[index];
        entry.Route = default;
        entry.Next = _free;
        _free = index;
        Count--;
    }
}

/// <summary>What the keys and controls of one source hold: for each of them where its entries begin in the ledger.</summary>
internal sealed class HeldBy
{
    internal readonly int[] Heads = new int[Held.Size];

    /// <summary>How many entries are held by controls, not keys.</summary>
    internal int Controls;

    internal HeldBy() => Heads.AsSpan().Fill(Ledger.None);
}

/// <summary>What is held at one destination: for each key and control by how many entries.</summary>
internal sealed class HeldAt
{
    internal readonly ushort[] Counts = new ushort[Held.Size];

    /// <summary>How many keys are held, each key of each channel once.</summary>
    internal int Keys;
}
