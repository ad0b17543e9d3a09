using Weiche.Core.Midi;

namespace Weiche.Core.Sets;

/// <summary>Sets of messages in a musician's words.</summary>
public static class SetWords
{
    private static readonly MessageKind[] WithChannel =
    [
        MessageKind.PolyPressure,
        MessageKind.ControlChange,
        MessageKind.ChannelMode,
        MessageKind.ProgramChange,
        MessageKind.ChannelPressure,
        MessageKind.PitchBend,
    ];

    /// <summary>What is in a set: "notes C3 – G8 on channel 1; control change, pitch bend on channel 1".</summary>
    /// <param name="set">The set.</param>
    /// <param name="names">How keys are called.</param>
    public static string Of(MessageSet set, KeyNaming names)
    {
        if (set.IsEmpty)
            return "nothing";
        if (set.Equals(MessageSet.All))
            return "everything";
        var parts = new List<string>();
        var notes = set.ChannelsOf(MessageKind.Note);
        if (
            notes.Count > 0
            && notes.Members.All(channel => set.NoteKeys(channel.Index) == UInt128.MaxValue)
            && WithChannel.All(kind => set.ChannelsOf(kind) == notes)
        )
            parts.Add($"everything on {On(notes.Members)}");
        else
            AddKinds(set, names, parts);
        var system = MessageKinds
            .All.Where(kind => !kind.HasChannel() && (set.SystemBits >> (int)kind & 1) != 0)
            .Select(kind => kind.Name())
            .ToList();
        if (system.Count > 0)
            parts.Add(
                system.Count == MessageKinds.All.Count(kind => !kind.HasChannel()) ? "all system messages"
                : system.Count > 4 ? $"{system.Count} kinds of system message"
                : string.Join(", ", system)
            );
        return string.Join("; ", parts);
    }

    private static void AddKinds(MessageSet set, KeyNaming names, List<string> parts)
    {
        foreach (var keys in Channel.All.Where(channel => set.NoteKeys(channel.Index) != 0).GroupBy(channel => set.NoteKeys(channel.Index)))
            parts.Add($"{(keys.Key == UInt128.MaxValue ? "notes" : "notes " + Ranges(keys.Key, names))} on {On(keys)}");
        foreach (
            var channels in WithChannel
                .Select(kind => (Kind: kind, On: ChannelsOf(set, kind)))
                .Where(item => item.On.Count > 0)
                .GroupBy(item => item.On)
        )
            parts.Add($"{string.Join(", ", channels.Select(item => item.Kind.Name()))} on {On(channels.Key.Members)}");
    }

    /// <summary>Keys as ranges: "C1 – B2, C8".</summary>
    /// <param name="keys">A bit for each key.</param>
    /// <param name="names">How keys are called.</param>
    public static string Ranges(UInt128 keys, KeyNaming names)
    {
        var ranges = RangesOf(keys)
            .Select(range => range.First == range.Last ? names.Of(range.First) : names.Range(range.First, range.Last))
            .ToList();
        return ranges.Count <= 4 ? string.Join(", ", ranges) : $"{string.Join(", ", ranges.Take(3))} and {ranges.Count - 3} more ranges";
    }

    /// <summary>Keys as ranges, from the lowest to the highest.</summary>
    /// <param name="keys">A bit for each key.</param>
    public static IEnumerable<(int First, int Last)> RangesOf(UInt128 keys)
    {
        for (var key = 0; key < 128; key++)
        {
            if ((keys >> key & 1) == 0)
                continue;
            var first = key;
            while (key < 127 && (keys >> (key + 1) & 1) != 0)
                key++;
            yield return (first, key);
        }
    }

    private static string On(IEnumerable<Channel> channels)
    {
        var set = ChannelSet.Of(channels);
        return set.Count == Channel.Count ? "every channel"
            : set.Count == 1 ? $"channel {set}"
            : $"channels {set}";
    }

    /// <summary>Which messages of one kind are in a set: "ch 3, all keys"; "ch 3, all keys, velocity 127"; for system messages
    /// nothing.</summary>
    /// <param name="set">The set.</param>
    /// <param name="kind">The kind.</param>
    /// <param name="names">How keys are called.</param>
    public static string Which(MessageSet set, MessageKind kind, KeyNaming names)
    {
        if (!kind.HasChannel())
            return "";
        var channels = set.ChannelsOf(kind);
        var text = channels.Count == Channel.Count ? "every channel" : $"ch {channels}";
        if (kind == MessageKind.Note)
        {
            var keys = channels.Members.Aggregate(UInt128.Zero, (all, channel) => all | set.NoteKeys(channel.Index));
            text = $"{text}, {(keys == UInt128.MaxValue ? "all keys" : Ranges(keys, names))}";
        }
        if (kind is MessageKind.Note or MessageKind.ControlChange)
        {
            var row = kind == MessageKind.Note ? MessageSet.NoteRow : MessageSet.ControlRow;
            var values = channels.Members.Aggregate(UInt128.Zero, (all, channel) => all | Seconds(set.Row(row, channel.Index)!));
            text += Only(kind, values, ", ");
        }
        return text;

        UInt128 Seconds(DataRow row)
        {
            var all = UInt128.Zero;
            for (var first = 0; first < (kind == MessageKind.Note ? DataRow.Size : 120); first++)
                all |= row[first];
            return all;
        }
    }

    /// <summary>With which values a message is in a set, where not with all of them: " with velocity 127", " with the values 0 – 63"; else
    /// nothing.</summary>
    /// <param name="set">The set.</param>
    /// <param name="message">The message.</param>
    internal static string OnlyValues(MessageSet set, in MidiMessage message)
    {
        if (message.Kind is not (MessageKind.Note or MessageKind.ControlChange))
            return "";
        var row = set.Row(message.Kind == MessageKind.Note ? MessageSet.NoteRow : MessageSet.ControlRow, message.ChannelIndex);
        return row is null ? "" : Only(message.Kind, row[message.Data1], " with ");
    }

    private static string Only(MessageKind kind, UInt128 values, string before)
    {
        if (values == 0 || values == (kind == MessageKind.Note ? UInt128.MaxValue << 1 : UInt128.MaxValue))
            return "";
        var ranges = RangesOf(values).ToList();
        var text = string.Join(
            ", ",
            ranges.Take(3).Select(range => range.First == range.Last ? $"{range.First}" : $"{range.First} – {range.Last}")
        );
        return $"{before}{(kind == MessageKind.Note ? "velocity" : "value")} {text}{(ranges.Count > 3 ? " and others" : "")}";
    }

    /// <summary>Where kinds are named: "notes, controllers", "everything", "5 kinds".</summary>
    /// <param name="kinds">The kinds.</param>
    public static string Names(KindSet kinds) =>
        kinds == KindSet.All ? "everything"
        : kinds.Count > 4 ? $"{kinds.Members.First().Name()} and {kinds.Count - 1} other kinds"
        : WordList.Of([.. kinds.Members.Select(MessageKinds.Name)]);

    internal static ChannelSet ChannelsOf(this MessageSet set, MessageKind kind)
    {
        var bits = 0;
        for (var channel = 0; channel < Channel.Count; channel++)
        {
            if (set.HasAny(kind, channel))
                bits |= 1 << channel;
        }
        return ChannelSet.FromBits((ushort)bits);
    }

    /// <summary>Whether anything of a kind is in a set on a channel, from 0.</summary>
    internal static bool HasAny(this MessageSet set, MessageKind kind, int channel) =>
        kind switch
        {
            MessageKind.Note => set.Row(MessageSet.NoteRow, channel) is not null,
            MessageKind.PolyPressure => set.Row(MessageSet.PolyRow, channel) is not null,
            MessageKind.ControlChange => set.Row(MessageSet.ControlRow, channel) is { } controls
                && (controls.Firsts & MessageSet.ControlFirsts) != 0,
            MessageKind.ChannelMode => set.Row(MessageSet.ControlRow, channel) is { } modes
                && (modes.Firsts & ~MessageSet.ControlFirsts) != 0,
            MessageKind.PitchBend => set.Row(MessageSet.BendRow, channel) is not null,
            MessageKind.ProgramChange => set.Single(MessageSet.ProgramSingle, channel) != 0,
            _ => set.Single(MessageSet.PressureSingle, channel) != 0,
        };
}
