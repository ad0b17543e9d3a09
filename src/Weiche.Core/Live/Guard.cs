using System.Runtime.CompilerServices;
using Weiche.Core.Midi;
using Weiche.Core.Studios;

namespace Weiche.Core.Live;

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
public readonly record struct GuardTrip(
    RouteId Route,
    PortId Source,
    MidiMessage Message,
    bool IsWhole,
    PortId To,
    PortId From,
    MidiTime Time,
    long Stopped
);

/// <summary>
/// Watches the live streams for messages that circulate in spite of the plan: an echo that nobody declared. What was sent is remembered
/// for a moment; what comes back as its echo has gone one round more, and after a set number of rounds the guard stops it.
/// </summary>
/// <remarks>
/// <para>Something is taken for the echo of what was sent where it is the same to the last byte, comes from a source by which something
/// could come back at all, soon enough, and was not taken for an echo of it there before. What "soon enough" is depends on the kind, so
/// that a player's fast repeated notes never trip it: a note-on counts for half a second while its key is still down at that source (no
/// player strikes a key that is down), and else for no longer than nobody can strike twice in. Most of all it must come from the device to
/// which it went; from another one only the former counts, and has to go round more often.</para>
/// <para>It begins to watch what is sent only when the same comes from one source twice within such a time; as long as that does not
/// happen, nothing goes round, and it costs next to nothing.</para>
/// <para>It proves before it stops. An echo needs what was sent, a player and a device do not: what is suspected is withheld once. If the
/// same comes again though nothing was sent, it comes by itself: what was withheld is sent at once, and it is not suspected again while it
/// goes on. If it does not come again, it was a circuit, and is stopped.</para>
/// <para>It allocates nothing while messages run. It is called under the engine's lock.</para>
/// </remarks>
public sealed partial class Guard
{
    /// <summary>The most that is stopped at once; beyond it whole kinds are stopped.</summary>
    public const int MaxTrips = 64;

    private const int Slots = 1 << 10;

    /// <summary>The most ways back that it keeps in mind.</summary>
    public const int MaxWays = HopsKept;

    private const int HopsKept = 16;
    private const int EndsKept = 6;
    private const int SameKindMost = 6;

    // How long after it was sent something may be its echo.
    private static readonly MidiSpan Quick = MidiSpan.FromMilliseconds(25);
    private static readonly MidiSpan WhileDown = MidiSpan.FromMilliseconds(500);
    private static readonly MidiSpan Moving = MidiSpan.FromMilliseconds(40);
    private static readonly MidiSpan RealTime = MidiSpan.FromMilliseconds(8);
    private static readonly MidiSpan Exclusive = MidiSpan.FromMilliseconds(250);

    /// <summary>After so long nothing is an echo any more.</summary>
    internal static readonly MidiSpan LongestWindow = WhileDown;

    // Where it comes back by another device than the one it went to (a cable in a jack where nobody knows of it), only what no player
    // can do counts, and so many times as often; once such a way is known it is like any other.
    private const int ElsewhereTimes = 2;

    // How many messages of a suspect are kept while it is on trial.
    private const int WithheldMost = 16;

    // How long it is waited for a suspect to come again: some of its own rounds, but within bounds.
    private const int TrialRounds = 4;
    private static readonly MidiSpan ShortestTrial = MidiSpan.FromMilliseconds(80);
    private static readonly MidiSpan LongestTrial = MidiSpan.FromMilliseconds(1_200);

    // By how much more than half as long again it may be on its way.
    private static readonly MidiSpan Unsteady = MidiSpan.FromMilliseconds(3);

    // What was found to come by itself may do so until it has been away for so long.
    private static readonly MidiSpan Acquitted = MidiSpan.FromMilliseconds(10_000);

    // How often something of the same sort must come by itself where it is not quite the same, or after it was stopped.
    private const int ByItselfTimes = 2;

    // So long it goes on watching what is sent, after something came twice.
    private static readonly MidiSpan WatchesFor = MidiSpan.FromMilliseconds(2_000);

    // What comes so long after it was stopped was not on its way any more.
    private static readonly MidiSpan StillComing = MidiSpan.FromMilliseconds(500);

    private readonly SysExPool _pool;
    private readonly Sent[] _sent = new Sent[Slots];
    private readonly Block[] _blocks = new Block[MaxTrips];
    private readonly Hop[] _hops = new Hop[HopsKept];
    private readonly (PortId To, PortId From)[] _known = new (PortId, PortId)[HopsKept];
    private WayBack[] _changing = [];
    private int _count;
    private int _nextHop;
    private int _nextKnown;
    private long _tripped;
    private MidiTime _watchesUntil = new(long.MinValue);

    internal Guard(SysExPool pool) => _pool = pool;

    /// <summary>After how many rounds it trips, 2 or more; 0 where it does nothing.</summary>
    public int Rounds { get; set; } = Safety.UsualRounds;

    /// <summary>Counts up with everything that changes what it stops.</summary>
    public long Version => Volatile.Read(ref _tripped);

    internal bool IsOn => Rounds > 0;

    /// <summary>When the next that is on trial is found to go round; never if none is.</summary>
    internal MidiTime Due { get; private set; } = MidiTime.Never;

    private struct Sent
    {
        internal uint Key;
        internal int Rounds;
        internal MidiTime Time;
        internal long Run;
        internal MidiMessage Origin;
        internal PortId Source;
        internal PortId Claimed;
        internal int Count;
        internal Ends Ends;
    }

    /// <summary>Where it went, by which route, and to which device.</summary>
    private struct End
    {
        internal RouteId Route;
        internal PortId Destination;
        internal Standing Standing;
    }

    [InlineArray(EndsKept)]
    private struct Ends
    {
        private End _first;
    }

    private struct Hop
    {
        internal PortId To;
        internal PortId From;
        internal MidiSpan Time;
    }

    /// <summary>Copies what is stopped, the oldest first, and the ways back that were seen while something went round.</summary>
    /// <param name="into">Where to.</param>
    internal void Report(GuardReport into)
    {
        into.Clear();
        for (var i = 0; i < _count; i++)
        {
            ref var block = ref _blocks[i];
            if (block.Phase == Phase.Stopped)
                into.Add(
                    new GuardTrip(block.Route, block.Source, block.Origin, block.IsWhole, block.To, block.From, block.Time, block.Stopped)
                );
        }
        foreach (var hop in _hops)
        {
            if (hop.To != default)
                into.Add((hop.To, hop.From, hop.Time));
        }
    }

    /// <summary>Lets everything go that is stopped.</summary>
    internal void Resume()
    {
        for (var i = 0; i < _count; i++)
            Drop(ref _blocks[i]);
        _count = 0;
        SetDue();
        Array.Clear(_hops);
        Array.Clear(_sent);
        _tripped++;
    }

    /// <summary>Whether anything of a route is stopped.</summary>
    internal bool Concerns(RouteId route)
    {
        for (var i = 0; i < _count; i++)
        {
            if (_blocks[i].Route == route && _blocks[i].Holds)
                return true;
        }
        return false;
    }

    /// <summary>Remembers what is sent.</summary>
    /// <param name="message">What is sent.</param>
    /// <param name="run">The message that came, of which it was made.</param>
    /// <param name="route">By which route it goes.</param>
    /// <param name="outlet">Where it goes.</param>
    internal void Remember(in MidiMessage message, in Run run, RouteId route, Outlet outlet)
    {
        for (var i = 0; i < _count; i++)
        {
            ref var block = ref _blocks[i];
            if (
                block.Holds
                && (block.Device == outlet.Standing.Device || block.To == outlet.Id)
                && IsOfOneSort(block.Goes, message, block.IsWhole)
            )
                block.SentAt = run.Time;
        }
        var key = KeyOf(message, run.Exclusive);
        ref var sent = ref PlaceOf(key);
        if (sent.Key != key || sent.Run != run.Number)
        {
            // What goes round keeps its age, though a player strikes the same again in between.
            if (sent.Key == key && sent.Rounds > run.Rounds && run.Time - sent.Time <= Quick)
                return;
            sent.Key = key;
            sent.Rounds = run.Rounds;
            sent.Time = run.Time;
            sent.Run = run.Number;
            sent.Origin = run.Message;
            sent.Source = run.Source;
            sent.Claimed = default;
            sent.Count = 0;
        }
        if (sent.Count == EndsKept)
            return;
        ref var end = ref sent.Ends[sent.Count++];
        end.Route = route;
        end.Destination = outlet.Id;
        end.Standing = outlet.Standing;
    }

    /// <summary>How many rounds something that comes has gone already; when that is too many, what carried it is put on trial.</summary>
    /// <param name="run">What comes.</param>
    /// <param name="source">The source it comes from.</param>
    /// <param name="isDown">Whether it is the note-on of a key that is down there already.</param>
    internal int RoundsOf(in Run run, SourceState source, bool isDown)
    {
        var key = KeyOf(run.Message, run.Exclusive);
        var goes = run.Message;
        ref var sent = ref PlaceOf(key);
        var found = IsEcho(key, sent, run, source, isDown, out var at);
        // Or as what it must have been before a change that is known.
        for (var i = 0; !found && i < _changing.Length; i++)
        {
            if (_changing[i].From != source.Id || _changing[i].Change!.Value.Before(run.Message) is not { } before)
                continue;
            goes = before;
            sent = ref PlaceOf(KeyOf(before, 0));
            found = IsEcho(KeyOf(before, 0), sent, run, source, isDown, out at);
        }
        if (!found)
        {
            if (_count > 0)
                Judge(key, run);
            return 0;
        }
        sent.Claimed = source.Id;
        Learn(sent.Ends[at].Destination, source.Id, run.Time - sent.Time);
        var rounds = sent.Rounds + 1;
        var known = sent.Ends[at].Standing.Device == source.Standing.Device || IsKnown(sent.Ends[at].Destination, source.Id);
        if (rounds < (known ? Rounds : Rounds * ElsewhereTimes))
            return rounds;
        if (!known)
            _known[_nextKnown++ & (HopsKept - 1)] = (sent.Ends[at].Destination, source.Id);
        // The way by which it most likely came is stopped. If that was done long ago and it comes all the same, it was another one.
        for (var i = 0; i < sent.Count; i++)
        {
            var end = sent.Ends[(at + i) % sent.Count];
            if (StoppedSince(end.Route, sent.Source, sent.Origin) is { } since && run.Time - since < StillComing)
                break;
            if (Suspect(sent, end, source.Id, key, goes, run))
                break;
        }
        // What is still on its way is cut off where it was stopped. Should it go round elsewhere too, it is counted anew.
        return 0;
    }

    private bool IsEcho(uint key, in Sent sent, in Run run, SourceState source, bool isDown, out int at)
    {
        at = 0;
        return sent.Key == key && sent.Claimed != source.Id && TryFindEnd(sent, run, source, isDown, out at);
    }

    /// <summary>Follows echoes that change what they repeat, in the same way each round.</summary>
    /// <param name="ways">The ways back with their changes; these alone, from now on.</param>
    internal void Follow(WayBack[] ways) => _changing = ways;

    private void Learn(PortId to, PortId from, MidiSpan time)
    {
        var at = 0;
        while (at < HopsKept && (_hops[at].To != to || _hops[at].From != from))
            at++;
        if (at < HopsKept)
        {
            // Of several that are on their way at once the time of one is taken for that of another: the longest is nearest to the truth.
            if (_hops[at].Time < time)
                _hops[at].Time = time;
            return;
        }
        _hops[_nextHop++ & (HopsKept - 1)] = new Hop
        {
            To = to,
            From = from,
            Time = time,
        };
    }

    /// <summary>Finds the destination from which something may have come back: the device itself before all others.</summary>
    private bool TryFindEnd(in Sent sent, in Run run, SourceState source, bool isDown, out int at)
    {
        var after = run.Time - sent.Time;
        if (after <= Window(run.Message, isDown))
        {
            for (at = 0; at < sent.Count; at++)
            {
                if (sent.Ends[at].Standing.Device == source.Standing.Device || IsKnown(sent.Ends[at].Destination, source.Id))
                    return true;
            }
        }
        for (at = 0; isDown && source.Standing.Crosses && after <= WhileDown && at < sent.Count; at++)
        {
            if (sent.Ends[at].Standing.Crosses)
                return true;
        }
        return false;
    }

    private bool IsKnown(PortId destination, PortId source)
    {
        foreach (var way in _known)
        {
            if (way == (destination, source))
                return true;
        }
        return false;
    }

    /// <summary>Forgets what concerns routes that are gone.</summary>
    internal void Keep(PreparedStudio prepared)
    {
        var before = _count;
        RemoveWhere(prepared, static (in Block block, PreparedStudio next) => next.Find(block.Route) is null);
        if (_count < before)
            _tripped++;
    }

    internal static bool IsOfOneSort(in MidiMessage one, in MidiMessage other, bool isWhole)
    {
        if (one.Kind != other.Kind)
            return false;
        if (!one.HasChannel)
            return true;
        if (one.ChannelIndex != other.ChannelIndex)
            return false;
        return isWhole || one.Kind is MessageKind.PitchBend or MessageKind.ChannelPressure || one.Data1 == other.Data1;
    }

    private static MidiSpan Window(in MidiMessage message, bool isDown) =>
        message.Kind switch
        {
            MessageKind.Note => isDown ? WhileDown : Quick,
            MessageKind.SystemExclusive => Exclusive,
            MessageKind.Clock or MessageKind.QuarterFrame => RealTime,
            _ => Moving,
        };

    /// <summary>Whether what comes is a reason to begin to watch: the same came from that source so shortly before that it may be an
    /// echo.</summary>
    internal bool Begins(MidiSpan? since, in MidiMessage message, bool isDown, MidiTime now)
    {
        if (since is null || since > Window(message, isDown))
            return false;
        var watched = IsWatching(now);
        if (_watchesUntil < now + WatchesFor)
            _watchesUntil = now + WatchesFor;
        return !watched;
    }

    /// <summary>Whether it watches what is sent now.</summary>
    internal bool IsWatching(MidiTime now) => _count > 0 || now <= _watchesUntil;

    internal static uint KeyOf(in MidiMessage message, uint exclusive) =>
        message.SysExHandle != 0 ? exclusive | 0x8000_0000u : message.ShortBytes;

    /// <summary>The place of what was sent, or of what is to make way for it: the older of two, so that a note-on and its note-off never
    /// push each other out.</summary>
    private ref Sent PlaceOf(uint key)
    {
        var slot = (int)(key * 2654435769u >> 22) & (Slots - 1);
        ref var one = ref _sent[slot];
        ref var other = ref _sent[slot ^ 1];
        if (one.Key == key)
            return ref one;
        if (other.Key == key)
            return ref other;
        return ref one.Time <= other.Time ? ref one : ref other;
    }
}
