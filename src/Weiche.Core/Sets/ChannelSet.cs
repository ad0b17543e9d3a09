using System.Numerics;
using Weiche.Core.Midi;

namespace Weiche.Core.Sets;

/// <summary>A set of channels, held as bits.</summary>
public readonly record struct ChannelSet
{
    private readonly ushort _bits;

    private ChannelSet(int bits) => _bits = (ushort)bits;

    /// <summary>No channel.</summary>
    public static readonly ChannelSet None;

    /// <summary>All sixteen.</summary>
    public static readonly ChannelSet All = new(0xFFFF);

    /// <summary>The set of the channels with these numbers.</summary>
    /// <param name="numbers">Each 1 to 16.</param>
    /// <exception cref="ArgumentOutOfRangeException">A number is not a channel.</exception>
    public static ChannelSet Of(params ReadOnlySpan<int> numbers)
    {
        var bits = 0;
        foreach (var number in numbers)
            bits |= 1 << Channel.FromNumber(number).Index;
        return new ChannelSet(bits);
    }

    /// <summary>A set of the given channels.</summary>
    /// <param name="channels">The channels.</param>
    public static ChannelSet Of(IEnumerable<Channel> channels) => channels.Aggregate(None, (all, channel) => all.With(channel, true));

    /// <summary>All channels that are in any of several sets.</summary>
    /// <param name="sets">The sets.</param>
    public static ChannelSet AnyOf(IEnumerable<ChannelSet> sets) => FromBits((ushort)sets.Aggregate(0, (all, set) => all | set.Bits));

    /// <summary>The set whose bit n stands for channel index n.</summary>
    /// <param name="bits">Sixteen bits.</param>
    public static ChannelSet FromBits(ushort bits) => new(bits);

    /// <summary>Bit n is set if channel index n (channel number n + 1) is in.</summary>
    public ushort Bits => _bits;

    /// <summary>How many channels are in.</summary>
    public int Count => BitOperations.PopCount(_bits);

    /// <summary>The members from low to high.</summary>
    public IEnumerable<Channel> Members
    {
        get
        {
            var set = this;
            return Channel.All.Where(channel => set.Contains(channel));
        }
    }

    /// <summary>Whether the channel is in.</summary>
    /// <param name="channel">The channel asked for.</param>
    public bool Contains(Channel channel) => (_bits >> channel.Index & 1) != 0;

    /// <summary>This set with one channel put in or taken out.</summary>
    /// <param name="channel">The channel.</param>
    /// <param name="present">Whether it shall be in.</param>
    public ChannelSet With(Channel channel, bool present) => new(present ? _bits | 1 << channel.Index : _bits & ~(1 << channel.Index));

    /// <summary>In figures, runs of three and more drawn together: "1, 2", "1–4, 10", "none".</summary>
    public override string ToString()
    {
        if (_bits == 0)
            return "none";
        var parts = new List<string>();
        for (var i = 0; i < Channel.Count; i++)
        {
            if ((_bits >> i & 1) == 0)
                continue;
            var end = i;
            while (end + 1 < Channel.Count && (_bits >> (end + 1) & 1) != 0)
                end++;
            if (end - i >= 2)
            {
                parts.Add($"{i + 1}–{end + 1}");
                i = end;
            }
            else
            {
                parts.Add($"{i + 1}");
            }
        }
        return string.Join(", ", parts);
    }
}
