using System.Collections.Immutable;
using Weiche.Core.Midi;
using Weiche.Core.Sets;
using Weiche.Core.Stages;

namespace Weiche.Core.Checks;

/// <summary>What a way does to channels and to keys, which stages treat apart from one another: so two ways are compared at a glance,
/// without following every message.</summary>
internal sealed class WayShape
{
    // What a way begins as; what a stage changes is made anew.
    private static readonly ushort[] Itself = [.. Enumerable.Range(0, Channel.Count).Select(channel => (ushort)(1 << channel))];
    private static readonly ushort[] NoChannels = new ushort[Channel.Count];
    private static readonly Dictionary<int, UInt128> AllKeys = new() { [0] = UInt128.MaxValue };
    private static readonly Dictionary<int, UInt128> NoKeys = [];

    private ushort[] _channels = Itself;
    private ushort[] _channelsTwice = NoChannels;
    private Dictionary<int, UInt128> _keys = AllKeys;
    private Dictionary<int, UInt128> _keysTwice = NoKeys;

    private WayShape() { }

    /// <summary>Whether it makes one controller, bend, pressure or program of another: then those must be followed one by one.</summary>
    internal bool Renumbers { get; private set; }

    internal static WayShape Of(IEnumerable<Stage> stages)
    {
        var shape = new WayShape();
        foreach (var stage in stages)
            shape.Add(stage);
        return shape;
    }

    /// <summary>What becomes of a channel.</summary>
    internal ChannelSet ChannelsOf(Channel channel) => ChannelSet.FromBits(_channels[channel.Index]);

    /// <summary>The keys, as they are sent, of which both ways make the same one.</summary>
    internal UInt128 KeysInCommon(WayShape other)
    {
        var common = UInt128.Zero;
        foreach (var (offset, keys) in _keys)
            common |= keys & other._keys.GetValueOrDefault(offset);
        return common;
    }

    /// <summary>The channels, as they are sent, of which both ways make the same one; a bit for each.</summary>
    internal ushort ChannelsInCommon(WayShape other)
    {
        var common = 0;
        for (var channel = 0; channel < Channel.Count; channel++)
            common |= (_channels[channel] & other._channels[channel]) != 0 ? 1 << channel : 0;
        return (ushort)common;
    }

    /// <summary>The keys of which this way makes the same one twice.</summary>
    internal UInt128 KeysTwice => _keysTwice.Values.Aggregate(UInt128.Zero, (all, keys) => all | keys);

    /// <summary>The channels of which this way makes the same one twice; a bit for each.</summary>
    internal ushort ChannelsTwice =>
        (ushort)Enumerable.Range(0, Channel.Count).Aggregate(0, (all, channel) => _channelsTwice[channel] != 0 ? all | 1 << channel : all);

    private void Add(Stage stage)
    {
        if (stage.MapsChannels is { } map)
            Map(map);
        if (stage.KeepsKeys != UInt128.MaxValue)
            (_keys, _keysTwice) = (Kept(_keys, stage.KeepsKeys), Kept(_keysTwice, stage.KeepsKeys));
        if (stage.MovesKeysBy is var moves and not [0])
            Move(moves);
        Renumbers |= stage.Renumbers;
    }

    private void Map(ChannelMap map)
    {
        var (mapped, mappedTwice) = (new ushort[Channel.Count], new ushort[Channel.Count]);
        for (var from = 0; from < Channel.Count; from++)
        {
            var (once, twice) = (0, 0);
            for (var at = 0; at < Channel.Count; at++)
            {
                if ((_channels[from] >> at & 1) == 0)
                    continue;
                var targets = map[Channel.FromIndex(at)].Bits;
                twice |= once & targets;
                if ((_channelsTwice[from] >> at & 1) != 0)
                    twice |= targets;
                once |= targets;
            }
            (mapped[from], mappedTwice[from]) = ((ushort)once, (ushort)twice);
        }
        (_channels, _channelsTwice) = (mapped, mappedTwice);
    }

    private void Move(ImmutableArray<int> offsets)
    {
        var (once, twice) = (new Dictionary<int, UInt128>(), new Dictionary<int, UInt128>());
        foreach (var by in offsets)
        {
            foreach (var (offset, keys) in _keys)
            {
                var moved = keys & Within(offset + by);
                if (moved == 0)
                    continue;
                var known = once.GetValueOrDefault(offset + by);
                if ((known & moved) != 0)
                    twice[offset + by] = twice.GetValueOrDefault(offset + by) | (known & moved);
                once[offset + by] = known | moved;
            }
            foreach (var (offset, keys) in _keysTwice)
            {
                if ((keys & Within(offset + by)) != 0)
                    twice[offset + by] = twice.GetValueOrDefault(offset + by) | (keys & Within(offset + by));
            }
        }
        (_keys, _keysTwice) = (once, twice);
    }

    /// <summary>The keys that are still keys after being moved.</summary>
    private static UInt128 Within(int offset) =>
        offset >= 128 || offset <= -128 ? 0
        : offset >= 0 ? UInt128.MaxValue >> offset
        : UInt128.MaxValue << -offset;

    private static Dictionary<int, UInt128> Kept(Dictionary<int, UInt128> all, UInt128 passing)
    {
        var kept = new Dictionary<int, UInt128>();
        foreach (var (offset, moved) in all)
        {
            // The keys as they are sent that are in the range by now.
            var keys = moved & (offset >= 0 ? passing >> offset : passing << -offset);
            if (keys != 0)
                kept.Add(offset, keys);
        }
        return kept;
    }
}
