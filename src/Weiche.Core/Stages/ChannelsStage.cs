using System.Diagnostics.CodeAnalysis;
using System.Numerics;
using System.Text.Json;
using Weiche.Core.Midi;
using Weiche.Core.Sets;

namespace Weiche.Core.Stages;

/// <summary>
/// Lets certain channels pass and moves them to others: one to one, one to several, several to one. Messages
/// without a channel (system messages) always pass.
/// </summary>
/// <param name="Map">Where each channel goes on.</param>
/// <param name="KeepWhole">Whether the stream is an MPE stream, which uses a channel for each finger: then every channel
/// goes on as it is, whatever the map says (MIDI Polyphonic Expression 1.1).</param>
public sealed record ChannelsStage(ChannelMap Map, bool KeepWhole = false) : Stage
{
    /// <summary>What is to be known of Channels stages as a sort.</summary>
    public static StageSort AsSort { get; } = new ChannelsSort();

    private const int LongestSign = 18;

    private ChannelMap InForce => KeepWhole ? ChannelMap.Identity : Map;

    internal override ChannelMap? MapsChannels => KeepWhole ? null : Map;

    /// <inheritdoc/>
    public override StageSort Sort => AsSort;

    /// <inheritdoc/>
    public override string Sign(KeyNaming names)
    {
        if (KeepWhole)
            return "MPE kept whole";
        if (Map.Equals(ChannelMap.Identity))
            return "all channels";
        if (Map.Equals(ChannelMap.Nothing))
            return "no channel";
        var text = "ch " + Map.ToString().Replace("→", " → ", StringComparison.Ordinal);
        if (text.Length <= LongestSign)
            return text;
        var passing = Channel.All.Where(channel => Map[channel].Count > 0).ToList();
        var targets = passing.Aggregate(0, (bits, channel) => bits | Map[channel].Bits);
        return BitOperations.PopCount((uint)targets) == 1
            ? $"{passing.Count} ch → {BitOperations.TrailingZeroCount(targets) + 1}"
            : $"{passing.Count} of 16 ch";
    }

    /// <inheritdoc/>
    public override string WhyStopped(in MidiMessage message, KeyNaming names) => $"channel {message.ChannelIndex + 1} does not pass";

    /// <inheritdoc/>
    public override int Apply(in MidiMessage message, Span<MidiMessage> results)
    {
        return message.HasChannel
            ? FanOut(message, InForce[Channel.FromIndex(message.ChannelIndex)].Bits, results)
            : Pass(message, results);
    }

    /// <inheritdoc/>
    public override MessageSet Image(MessageSet set) => KeepWhole ? set : Through(set, forward: true);

    /// <inheritdoc/>
    public override MessageSet PreImage(MessageSet set) => KeepWhole ? set : Through(set, forward: false);

    internal override MessageSet PreImageTwice(MessageSet once, MessageSet twice)
    {
        var builder = MessageSet.Builder.From(PreImage(twice));
        foreach (var from in Channel.All)
        {
            var targets = InForce[from].Members.ToList();
            for (var one = 0; one < targets.Count; one++)
            {
                for (var other = one + 1; other < targets.Count; other++)
                {
                    for (var kind = 0; kind < MessageSet.RowKinds; kind++)
                        builder.Add(
                            kind,
                            from.Index,
                            DataRow.Intersect(once.Row(kind, targets[one].Index), once.Row(kind, targets[other].Index))
                        );
                    for (var kind = 0; kind < MessageSet.SingleKinds; kind++)
                        builder.AddSingles(
                            kind,
                            from.Index,
                            once.Single(kind, targets[one].Index) & once.Single(kind, targets[other].Index)
                        );
                }
            }
        }
        return builder.ToSet();
    }

    internal override CompiledStage Compile() =>
        Channel.All.All(channel => InForce[channel].Count <= 1)
            ? TableStage.OfStatus(status =>
                status >= 0xF0 ? status
                : InForce[Channel.FromIndex(status & 15)] is { Count: 1 } one ? status & 0xF0 | one.Members.First().Index
                : 0
            )
            : new Compiled(InForce);

    private MessageSet Through(MessageSet set, bool forward)
    {
        var builder = new MessageSet.Builder();
        for (var from = 0; from < Channel.Count; from++)
        {
            for (var rest = (uint)InForce[Channel.FromIndex(from)].Bits; rest != 0; rest &= rest - 1)
            {
                var to = BitOperations.TrailingZeroCount(rest);
                if (forward)
                    Move(set, from, to, builder);
                else
                    Move(set, to, from, builder);
            }
        }
        builder.AddSystem(set.SystemBits);
        return builder.ToSet();
    }

    /// <summary>The message on each of the channels whose bits are set.</summary>
    private static int FanOut(in MidiMessage message, uint targets, Span<MidiMessage> results)
    {
        var count = 0;
        for (var left = targets; left != 0; left &= left - 1)
            results[count++] = message.OnChannelIndex(BitOperations.TrailingZeroCount(left));
        return count;
    }

    private static void Move(MessageSet set, int from, int to, MessageSet.Builder builder)
    {
        for (var kind = 0; kind < MessageSet.RowKinds; kind++)
            builder.Add(kind, to, set.Row(kind, from));
        for (var kind = 0; kind < MessageSet.SingleKinds; kind++)
            builder.AddSingles(kind, to, set.Single(kind, from));
    }

    private sealed class Compiled(ChannelMap map) : CompiledStage
    {
        private readonly ushort[] _targets = [.. Channel.All.Select(channel => map[channel].Bits)];

        internal override int Apply(in MidiMessage message, MidiTime now, int source, Span<MidiMessage> results) =>
            message.HasChannel ? FanOut(message, _targets[message.ChannelIndex], results) : Pass(message, results);
    }

    private sealed class ChannelsSort()
        : StageSort<ChannelsStage>(
            "Channels",
            "channels",
            "Channels that pass, and where to.",
            """
            "map": { "type": "string", "description": "Where channels go on: \"all\", \"none\", \"1→3, 5-8\", \"2→5+6\"." },
            "keepWhole": { "type": "boolean", "description": "An MPE stream: every channel goes on as it is." }
            """,
            "\"map\""
        )
    {
        public override Stage Fresh => new ChannelsStage(ChannelMap.Identity);

        public override IReadOnlyList<string> LineWords => ["ch", "channel", "channels", Mpe];

        private const string Mpe = "mpe";

        internal override bool TryReadLine(
            string word,
            string rest,
            KeyNaming names,
            [NotNullWhen(true)] out Stage? stage,
            out string problem
        )
        {
            if (word != Mpe)
                return TryRead(rest, names, out stage, out problem);
            (stage, problem) = (
                rest.ToLowerInvariant() is "" or "kept whole" or "whole" ? new ChannelsStage(ChannelMap.Identity, true) : null,
                ""
            );
            return stage is not null;
        }

        public override Stage Read(StageFields fields) =>
            TryRead(fields.Text("map"), KeyNaming.Usual, out var stage, out var problem)
                ? (ChannelsStage)stage with
                {
                    KeepWhole = fields.Flag("keepWhole", false),
                }
                : throw new FormatException($"A Channels stage: {problem}");

        public override bool TryRead(string? text, KeyNaming names, [NotNullWhen(true)] out Stage? stage, out string problem)
        {
            stage = ChannelMap.TryParse(text, out var map, out problem) ? new ChannelsStage(map) : null;
            return stage is not null;
        }

        public override bool TryRead(StageField field, KeyNaming names, [NotNullWhen(true)] out Stage? stage, out string problem) =>
            TryRead(field("map"), names, out stage, out problem);

        private protected override string TextOf(ChannelsStage stage, KeyNaming names) => stage.Map.ToString();

        private protected override void Write(ChannelsStage stage, Utf8JsonWriter writer)
        {
            writer.WriteString("map", stage.Map.ToString());
            if (stage.KeepWhole)
                writer.WriteBoolean("keepWhole", true);
        }
    }
}
