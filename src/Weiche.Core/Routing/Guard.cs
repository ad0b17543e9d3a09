using System.Diagnostics.CodeAnalysis;
using System.Runtime.CompilerServices;
using Weiche.Core.Midi;
using Weiche.Core.Studios;

namespace Weiche.Core.Routing;

/// <summary>What the guard stopped: messages that came back again and again in spite of the plan.</summary>
/// <param name="Route">The route that carried them; on it, and only on it, they are stopped.</param>
/// <param name="Source">The source whose messages they are.</param>
/// <param name="Message">One of them, as it comes from the source.</param>
/// <param name="IsWhole">Whether all messages of its kind and channel are stopped, because too many of them went round; else only
/// those of its key, controller or program.</param>
/// <param name="To">The destination to which it was sent last.</param>
/// <param name="From">The source on which it came back.</param>
/// <param name="Time">When.</param>
/// <param name="Stopped">How many have been stopped since.</param>
public readonly record struct GuardTrip(RouteId Route, PortId Source, MidiMessage Message, bool IsWhole, PortId To, PortId From, MidiTime Time, long Stopped);

/// <summary>
/// Watches the live streams for messages that circulate in spite of the plan: an echo that nobody declared. What was sent is remembered
/// for a moment; what comes back as its echo is one generation older, and at a set generation the guard stops it.
/// </summary>
/// <remarks>
/// <para>Something is taken for the echo of what was sent where it is the same to the last byte, comes from a source by which something
/// could come back at all, soon enough, and was not taken for an echo of it there before. What "soon enough" is depends on the kind, so
/// that a player's fast repeated notes never trip it: a note-on counts for half a second while its key is still down at that source (no
/// player strikes a key that is down), and else for no longer than nobody can strike twice in. Most of all it must come from the device to
/// which it went; from another one only the former counts, and has to go round more often.</para>
/// <para>It begins to watch what is sent only when the same comes from one source twice within such a time; as long as that does not
/// happen, nothing goes round, and it costs next to nothing.</para>
/// <para>Moving values may repeat by themselves. They are stopped on trial: since the same value was sent a moment ago, nothing is missed.
/// If it goes on coming though nothing is sent, it was no echo, and it is let go.</para>
/// <para>It allocates nothing while messages run. It is called under the engine's lock.</para>
/// </remarks>
public sealed class Guard
{
    /// <summary>The generation at which it trips, unless set otherwise.</summary>
    public const int UsualGeneration = 4;

    /// <summary>The most that is stopped at once; beyond it whole kinds are stopped.</summary>
    public const int MaxTrips = 64;

    private const int Slots = 1 << 10;
    private const int HopsKept = 16;
    private const int EndsKept = 6;
    private const int SameKindMost = 6;

    // How long after it was sent something may be its echo, µs.
    private const long Quick = 25_000;
    private const long WhileDown = 500_000;
    private const long Moving = 40_000;
    private const long RealTime = 8_000;
    private const long Exclusive = 250_000;

    /// <summary>After so long, µs, nothing is an echo any more.</summary>
    internal const long LongestWindow = WhileDown;

    // Where it comes back by another device than the one it went to (a cable in a jack where nobody knows of it), only what no player
    // can do counts, and so many times as often; once such a way is known it is like any other.
    private const int ElsewhereTimes = 2;

    // When something that is stopped on trial is judged, µs after it was stopped.
    private const long JudgeFrom = 60_000;
    private const long JudgeUntil = 1_000_000;
    private const int JudgeAt = 8;

    // So long it goes on watching what is sent, after something came twice.
    private const long WatchesFor = 2_000_000;

    // What comes so long after it was stopped was not on its way any more.
    private const long StillComing = 500_000;

    private readonly Sent[] _sent = new Sent[Slots];
    private readonly Block[] _blocks = new Block[MaxTrips];
    private readonly Hop[] _hops = new Hop[HopsKept];
    private readonly (int To, int From)[] _known = new (int, int)[HopsKept];
    private int _count;
    private int _nextHop;
    private int _nextKnown;
    private long _tripped;
    private long _watchesUntil = long.MinValue;

    /// <summary>The generation at which it trips, 2 or more; 0 where it does nothing.</summary>
    public int Generation { get; set; } = UsualGeneration;

    /// <summary>Counts up with everything that changes what it stops.</summary>
    public long Version => Volatile.Read(ref _tripped);

    internal bool IsOn => Generation > 0;

    private struct Sent
    {
        internal uint Key;
        internal int Generation;
        internal long Time;
        internal long Run;
        internal MidiMessage Origin;
        internal int Source;
        internal int Claimed;
        internal int Count;
        internal Ends Ends;
    }

    /// <summary>Where it went, by which route, and to which device.</summary>
    private struct End
    {
        internal int Route;
        internal int Destination;
        internal int Device;
        internal bool MayCross;
    }

    [InlineArray(EndsKept)]
    private struct Ends
    {
        private End _first;
    }

    private struct Block
    {
        internal int Route;
        internal int Source;
        internal MidiMessage Origin;
        internal bool IsWhole;
        internal int To;
        internal int From;
        internal uint Key;
        internal long Time;
        internal long Stopped;
        internal int ByItself;
        internal long Lifted;
    }

    private struct Hop
    {
        internal int To;
        internal int From;
        internal long Time;
    }

    /// <summary>Everything that is stopped, the oldest first. Under the engine's lock.</summary>
    internal GuardTrip[] Trips()
    {
        var trips = new List<GuardTrip>();
        for (var i = 0; i < _count; i++)
        {
            ref var block = ref _blocks[i];
            if (block.Lifted == 0) trips.Add(new GuardTrip(new RouteId(block.Route), new PortId(block.Source), block.Origin, block.IsWhole, new PortId(block.To), new PortId(block.From), new MidiTime(block.Time), block.Stopped));
        }
        return [.. trips];
    }

    /// <summary>The ways back that were seen while something went round: from which destination to which source, and how long it took, µs.</summary>
    internal WayBack[] Learned()
    {
        var ways = new List<WayBack>();
        foreach (var hop in _hops)
        {
            if (hop.To != 0) ways.Add(new WayBack(new PortId(hop.To), new PortId(hop.From), hop.Time));
        }
        return [.. ways];
    }

    /// <summary>Lets everything go that is stopped.</summary>
    internal void Resume()
    {
        _count = 0;
        Array.Clear(_hops);
        Array.Clear(_sent);
        _tripped++;
    }

    /// <summary>Whether anything of a route is stopped.</summary>
    internal bool Concerns(int route)
    {
        for (var i = 0; i < _count; i++)
        {
            if (_blocks[i].Route == route && _blocks[i].Lifted == 0) return true;
        }
        return false;
    }

    /// <summary>Remembers what is sent.</summary>
    /// <param name="message">What is sent.</param>
    /// <param name="exclusive">A number for the bytes of a system exclusive; else 0.</param>
    /// <param name="origin">The message that came, of which it was made.</param>
    /// <param name="generation">How often that had gone round.</param>
    /// <param name="run">The number of that message.</param>
    /// <param name="source">Where it came from.</param>
    /// <param name="route">By which route it goes.</param>
    /// <param name="destination">Where it goes.</param>
    /// <param name="device">The device there.</param>
    /// <param name="mayCross">Whether what goes there could come back by another device: over jacks anything may be plugged anywhere.</param>
    /// <param name="now">The time, µs.</param>
    internal void Remember(in MidiMessage message, uint exclusive, in MidiMessage origin, int generation, long run, int source, int route, int destination, int device, bool mayCross, long now)
    {
        var key = KeyOf(message, exclusive);
        ref var sent = ref PlaceOf(key);
        if (sent.Key != key || sent.Run != run)
        {
            // What goes round keeps its age, though a player strikes the same again in between.
            if (sent.Key == key && sent.Generation > generation && now - sent.Time <= Quick) return;
            sent.Key = key;
            sent.Generation = generation;
            sent.Time = now;
            sent.Run = run;
            sent.Origin = origin;
            sent.Source = source;
            sent.Claimed = 0;
            sent.Count = 0;
        }
        if (sent.Count == EndsKept) return;
        ref var end = ref sent.Ends[sent.Count++];
        end.Route = route;
        end.Destination = destination;
        end.Device = device;
        end.MayCross = mayCross;
    }

    /// <summary>How often something that comes has gone round already; when that is too often, what carried it is stopped.</summary>
    /// <param name="message">What comes.</param>
    /// <param name="exclusive">A number for the bytes of a system exclusive; else 0.</param>
    /// <param name="source">The source.</param>
    /// <param name="device">The device there.</param>
    /// <param name="mayCross">Whether something that went to another device could come back here.</param>
    /// <param name="isDown">Whether it is the note-on of a key that is down there already.</param>
    /// <param name="now">The time, µs.</param>
    /// <param name="tripped">Whether something was stopped just now: the last of <see cref="Trips"/>.</param>
    internal int GenerationOf(in MidiMessage message, uint exclusive, int source, int device, bool mayCross, bool isDown, long now, out bool tripped)
    {
        tripped = false;
        var key = KeyOf(message, exclusive);
        ref var sent = ref PlaceOf(key);
        if (sent.Key != key || sent.Claimed == source || !TryFindEnd(sent, message, source, device, mayCross, isDown, now - sent.Time, out var at))
        {
            if (_count > 0) Judge(key, source, now);
            return 0;
        }
        sent.Claimed = source;
        Learn(sent.Ends[at].Destination, source, now - sent.Time);
        var generation = sent.Generation + 1;
        var known = sent.Ends[at].Device == device || IsKnown(sent.Ends[at].Destination, source);
        if (generation < (known ? Generation : Generation * ElsewhereTimes)) return generation;
        if (!known) _known[_nextKnown++ & (HopsKept - 1)] = (sent.Ends[at].Destination, source);
        // The way by which it most likely came is stopped. If that was done long ago and it comes all the same, it was another one.
        for (var i = 0; i < sent.Count && !tripped; i++)
        {
            var end = sent.Ends[(at + i) % sent.Count];
            if (StoppedSince(end.Route, sent.Source, sent.Origin) is { } since && now - since < StillComing) break;
            tripped = Stop(sent, end, source, key, now);
        }
        // What is still on its way is cut off where it was stopped. Should it go round elsewhere too, it is counted anew.
        return 0;
    }

    private void Learn(int to, int from, long time)
    {
        var at = 0;
        while (at < HopsKept && (_hops[at].To != to || _hops[at].From != from)) at++;
        if (at < HopsKept) return;
        _hops[_nextHop++ & (HopsKept - 1)] = new Hop { To = to, From = from, Time = time };
    }

    /// <summary>Since when something of a sort is stopped on a route; null if it is not.</summary>
    private long? StoppedSince(int route, int source, in MidiMessage origin)
    {
        for (var i = 0; i < _count; i++)
        {
            ref var block = ref _blocks[i];
            if (block.Route == route && block.Source == source && block.Lifted == 0 && IsOfOneSort(block.Origin, origin, block.IsWhole)) return block.Time;
        }
        return null;
    }

    /// <summary>Finds the destination from which something may have come back: the device itself before all others.</summary>
    private bool TryFindEnd(in Sent sent, in MidiMessage message, int source, int device, bool mayCross, bool isDown, long after, out int at)
    {
        if (after <= Window(message, isDown))
        {
            for (at = 0; at < sent.Count; at++)
            {
                if (sent.Ends[at].Device == device || IsKnown(sent.Ends[at].Destination, source)) return true;
            }
        }
        for (at = 0; isDown && mayCross && after <= WhileDown && at < sent.Count; at++)
        {
            if (sent.Ends[at].MayCross) return true;
        }
        return false;
    }

    private bool IsKnown(int destination, int source)
    {
        foreach (var way in _known)
        {
            if (way == (destination, source)) return true;
        }
        return false;
    }

    /// <summary>Whether a message is stopped on a route.</summary>
    internal bool Stops(int route, int source, in MidiMessage message)
    {
        for (var i = 0; i < _count; i++)
        {
            ref var block = ref _blocks[i];
            if (block.Route != route || block.Source != source || block.Lifted != 0 || !IsOfOneSort(block.Origin, message, block.IsWhole)) continue;
            block.Stopped++;
            return true;
        }
        return false;
    }

    /// <summary>The route and source of what was stopped last, and a message of it.</summary>
    internal void LastStopped(out int route, out int source, out MidiMessage origin, out bool isWhole)
    {
        ref var last = ref _blocks[_count - 1];
        (route, source, origin, isWhole) = (last.Route, last.Source, last.Origin, last.IsWhole);
    }

    /// <summary>Forgets what concerns routes that are gone.</summary>
    internal void Keep(Predicate<int> isThere)
    {
        var kept = 0;
        for (var i = 0; i < _count; i++)
        {
            if (isThere(_blocks[i].Route)) _blocks[kept++] = _blocks[i];
        }
        if (kept < _count) _tripped++;
        _count = kept;
    }

    internal static bool IsOfOneSort(in MidiMessage one, in MidiMessage other, bool isWhole)
    {
        if (one.Kind != other.Kind) return false;
        if (!one.HasChannel) return true;
        if (one.ChannelIndex != other.ChannelIndex) return false;
        return isWhole || one.Kind is MessageKind.PitchBend or MessageKind.ChannelPressure || one.Data1 == other.Data1;
    }

    private static long Window(in MidiMessage message, bool isDown) => message.Kind switch
    {
        MessageKind.Note => isDown ? WhileDown : Quick,
        MessageKind.SystemExclusive => Exclusive,
        MessageKind.Clock or MessageKind.QuarterFrame => RealTime,
        _ => Moving,
    };

    private bool Stop(in Sent sent, in End end, int source, uint key, long now)
    {
        var alike = 0;
        for (var i = 0; i < _count; i++)
        {
            ref var block = ref _blocks[i];
            if (block.Route != end.Route || block.Source != sent.Source) continue;
            if (IsOfOneSort(block.Origin, sent.Origin, block.IsWhole))
            {
                // It is stopped already, or was found to repeat by itself.
                return false;
            }
            if (IsOfOneSort(block.Origin, sent.Origin, isWhole: true)) alike++;
        }
        var isWhole = alike >= SameKindMost || _count >= MaxTrips - 1;
        if (isWhole)
        {
            // Too many of one kind and channel go round to stop them one by one.
            var kept = 0;
            for (var i = 0; i < _count; i++)
            {
                if (_blocks[i].Route != end.Route || _blocks[i].Source != sent.Source || !IsOfOneSort(_blocks[i].Origin, sent.Origin, isWhole: true)) _blocks[kept++] = _blocks[i];
            }
            _count = Math.Min(kept, MaxTrips - 1);
        }
        _blocks[_count++] = new Block { Route = end.Route, Source = sent.Source, Origin = sent.Origin, IsWhole = isWhole, To = end.Destination, From = source, Key = key, Time = now };
        _tripped++;
        return true;
    }

    /// <summary>Something came that nothing sent explains. If it is what was stopped on trial, it repeats by itself.</summary>
    private void Judge(uint key, int source, long now)
    {
        for (var i = 0; i < _count; i++)
        {
            ref var block = ref _blocks[i];
            if (block.Key != key || block.From != source || block.Lifted != 0 || !IsOnTrial(block.Origin) || now - block.Time < JudgeFrom || now - block.Time > JudgeUntil) continue;
            if (++block.ByItself < JudgeAt) continue;
            block.Lifted = now;
            _tripped++;
        }
    }

    private static bool IsOnTrial(in MidiMessage message) => message.Kind is MessageKind.ControlChange or MessageKind.PitchBend or MessageKind.ChannelPressure or MessageKind.PolyPressure;

    /// <summary>What came from a source of late, to see whether the same comes again. The last of all are in its places: what goes round
    /// in few messages is seen the second time. Where so much goes round that they push each other out, one message, drawn now and then, is
    /// kept for longer: it will come again.</summary>
    internal struct Seen
    {
        private const int PlaceBits = 4;
        private const uint DrawnOnceIn = 64;

        private Places _places;
        private (uint Key, uint Time) _drawn;

        internal readonly bool HasDrawn(uint key) => _drawn.Key == key;

        /// <summary>The place of a message.</summary>
        [UnscopedRef]
        [MethodImpl(MethodImplOptions.AggressiveInlining)]
        internal ref Place PlaceOf(uint key) => ref _places[(int)(key * 2654435769u >> 32 - PlaceBits)];

        /// <summary>How long ago a message came that is here, µs; of times the lower half is kept. No time at all stands for never.</summary>
        internal readonly uint? Since(in Place place, uint key, MidiTime now)
        {
            if (place.Newer.Key == key) return (uint)now.Microseconds - place.Newer.Time;
            if (place.Older.Key == key) return (uint)now.Microseconds - place.Older.Time;
            return HasDrawn(key) ? (uint)now.Microseconds - _drawn.Time : null;
        }

        /// <summary>Keeps a message in mind.</summary>
        /// <param name="place">Its place.</param>
        /// <param name="key">What it is.</param>
        /// <param name="now">When it comes.</param>
        /// <param name="number">Counts up with each message, which chance is made of: no rhythm of messages goes with it.</param>
        [MethodImpl(MethodImplOptions.AggressiveInlining)]
        internal void Take(ref Place place, uint key, MidiTime now, long number)
        {
            var taken = (key, (uint)now.Microseconds);
            if (place.Newer.Key != key) place.Older = place.Newer;
            place.Newer = taken;
            if ((uint)number * 2654435769u < uint.MaxValue / DrawnOnceIn) _drawn = taken;
        }

        [InlineArray(1 << PlaceBits)]
        private struct Places
        {
            private Place _first;
        }
    }

    /// <summary>Two messages that came, the newer one first, so that a note-on and its note-off never push each other out.</summary>
    internal struct Place
    {
        internal (uint Key, uint Time) Newer;
        internal (uint Key, uint Time) Older;

        internal readonly bool Has(uint key) => Newer.Key == key || Older.Key == key;
    }

    /// <summary>Whether what comes is a reason to begin to watch: the same came from that source so shortly before that it may be an
    /// echo.</summary>
    internal bool Begins(bool again, long since, in MidiMessage message, bool isDown, long now)
    {
        if (!again || since > Window(message, isDown)) return false;
        var watched = IsWatching(now);
        _watchesUntil = Math.Max(_watchesUntil, now + WatchesFor);
        return !watched;
    }

    /// <summary>Whether it watches what is sent now.</summary>
    internal bool IsWatching(long now) => _count > 0 || now <= _watchesUntil;

    internal static uint KeyOf(in MidiMessage message, uint exclusive) =>
        message.SysExHandle != 0 ? exclusive | 0x8000_0000u : message.ShortBytes;

    /// <summary>The place of what was sent, or of what is to make way for it: the older of two, so that a note-on and its note-off never
    /// push each other out.</summary>
    private ref Sent PlaceOf(uint key)
    {
        var slot = (int)(key * 2654435769u >> 22) & (Slots - 1);
        ref var one = ref _sent[slot];
        ref var other = ref _sent[slot ^ 1];
        if (one.Key == key) return ref one;
        if (other.Key == key) return ref other;
        return ref one.Time <= other.Time ? ref one : ref other;
    }
}
