using System.Numerics;
using Weiche.Core.Midi;

namespace Weiche.Core.Stages;

/// <summary>
/// Lets certain channels pass and moves them to others: one to one, one to several, several to one. Messages
/// without a channel (system messages) always pass.
/// </summary>
/// <param name="Map">Where each channel goes on.</param>
public sealed record ChannelsStage(ChannelMap Map) : Stage
{
    private const int LongestSign = 18;

    /// <inheritdoc/>
    public override string Name => "Channels";

    /// <inheritdoc/>
    public override string Sign
    {
        get
        {
            if (Map.Equals(ChannelMap.Identity)) return "all channels";
            if (Map.Equals(ChannelMap.Nothing)) return "no channel";
            var text = "ch " + Map.ToString().Replace("→", " → ", StringComparison.Ordinal);
            if (text.Length <= LongestSign) return text;
            var passing = Channel.All.Where(channel => Map[channel].Count > 0).ToList();
            var targets = passing.Aggregate(0, (bits, channel) => bits | Map[channel].Bits);
            return BitOperations.PopCount((uint)targets) == 1
                ? $"{passing.Count} ch → {BitOperations.TrailingZeroCount(targets) + 1}"
                : $"{passing.Count} of 16 ch";
        }
    }

    /// <inheritdoc/>
    public override string WhyStopped(in MidiMessage message) => $"channel {message.ChannelIndex + 1} does not pass";

    internal override CompiledStage Compile() => new Compiled(Map);

    private sealed class Compiled(ChannelMap map) : CompiledStage
    {
        private readonly ushort[] _targets = [.. Channel.All.Select(channel => map[channel].Bits)];

        internal override int Apply(in MidiMessage message, Span<MidiMessage> results)
        {
            if (!message.HasChannel)
            {
                results[0] = message;
                return 1;
            }
            var count = 0;
            for (var left = (uint)_targets[message.ChannelIndex]; left != 0; left &= left - 1)
                results[count++] = message.OnChannelIndex(BitOperations.TrailingZeroCount(left));
            return count;
        }
    }
}
