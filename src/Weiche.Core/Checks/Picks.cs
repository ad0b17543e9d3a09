using Weiche.Core.Midi;
using Weiche.Core.Sets;
using Weiche.Core.Stages;

namespace Weiche.Core.Checks;

/// <summary>Takes single messages and kinds out of sets.</summary>
internal static class Picks
{
    private const int UsualVelocity = 96;
    private const int UsualController = 1;

    private static readonly KindsStage[] Only = [.. MessageKinds.All.Select(kind => new KindsStage(KindSet.Of(kind)))];

    /// <summary>The messages of one kind.</summary>
    internal static MessageSet OfKind(this MessageSet set, MessageKind kind) => Only[(int)kind].Image(set);

    /// <summary>The kinds of which something is in.</summary>
    internal static KindSet KindsIn(this MessageSet set)
    {
        var kinds = KindSet.None;
        if (set.IsEmpty)
            return kinds;
        foreach (var kind in MessageKinds.All)
        {
            var any = !kind.HasChannel() && (set.SystemBits >> (int)kind & 1) != 0;
            for (var channel = 0; !any && kind.HasChannel() && channel < Channel.Count; channel++)
                any = set.HasAny(kind, channel);
            if (any)
                kinds = kinds.With(kind, true);
        }
        return kinds;
    }

    /// <summary>The channels on which something is in.</summary>
    internal static ChannelSet ChannelsIn(this MessageSet set) =>
        MessageKinds
            .All.Where(MessageKinds.HasChannel)
            .Aggregate(ChannelSet.None, (all, kind) => ChannelSet.FromBits((ushort)(all.Bits | set.ChannelsOf(kind).Bits)));

    /// <summary>A message that a musician would think of: a note near the middle, else the modulation wheel, and so on.</summary>
    internal static MidiMessage Usual(this MessageSet set) => set.Members(MessageKinds.All).First();

    /// <summary>A message of one kind, of which there is one in the set.</summary>
    internal static MidiMessage Usual(this MessageSet set, MessageKind kind) => set.Members([kind]).First();

    /// <summary>Members of a set, one for each channel and number of each kind; a note of each key near the middle first. The values of
    /// keyed kinds, which no stage turns into another number, are left at one.</summary>
    internal static IEnumerable<MidiMessage> Members(this MessageSet set, IEnumerable<MessageKind> kinds) =>
        set.Members(kinds, ChannelSet.All, UInt128.MaxValue);

    /// <summary>Those on some channels and, where they have a key, with some keys.</summary>
    internal static IEnumerable<MidiMessage> Members(this MessageSet set, IEnumerable<MessageKind> kinds, ChannelSet channels, UInt128 keys)
    {
        foreach (var kind in kinds)
        {
            if (!kind.HasChannel())
            {
                if ((set.SystemBits >> (int)kind & 1) != 0)
                    yield return kind == MessageKind.SystemExclusive
                        ? MidiMessage.SystemExclusive(0)
                        : MidiMessage.Raw(StatusOf(kind), 0, 0);
                continue;
            }
            for (var channel = 0; channel < Channel.Count; channel++)
            {
                if (!channels.Contains(Channel.FromIndex(channel)))
                    continue;
                switch (kind)
                {
                    case MessageKind.ProgramChange or MessageKind.ChannelPressure:
                        var singles = set.Single(
                            kind == MessageKind.ProgramChange ? MessageSet.ProgramSingle : MessageSet.PressureSingle,
                            channel
                        );
                        for (var value = 0; value < DataRow.Size && singles != 0; value++)
                        {
                            if ((singles >> value & 1) != 0)
                                yield return MidiMessage.Raw((kind == MessageKind.ProgramChange ? 0xC0 : 0xD0) | channel, value, 0);
                        }
                        break;
                    case MessageKind.PitchBend:
                        if (set.Row(MessageSet.BendRow, channel) is not { } bends)
                            break;
                        var low = Enumerable.Range(0, DataRow.Size).First(first => bends[first] != 0);
                        yield return MidiMessage.Raw(0xE0 | channel, low, Nearest(bends[low], UsualVelocity));
                        break;
                    default:
                        var (row, status) = kind switch
                        {
                            MessageKind.Note => (MessageSet.NoteRow, 0x90),
                            MessageKind.PolyPressure => (MessageSet.PolyRow, 0xA0),
                            _ => (MessageSet.ControlRow, 0xB0),
                        };
                        if (set.Row(row, channel) is not { } values)
                            break;
                        var firsts = values.Firsts & (row == MessageSet.ControlRow ? UInt128.MaxValue : keys);
                        if (firsts == 0)
                            break;
                        foreach (
                            var first in kind switch
                            {
                                MessageKind.ControlChange => Controllers,
                                MessageKind.ChannelMode => Modes,
                                _ => Keys,
                            }
                        )
                        {
                            if ((firsts >> first & 1) != 0)
                                yield return MidiMessage.Raw(status | channel, first, Nearest(values[first], UsualVelocity));
                        }
                        break;
                }
            }
        }
    }

    /// <summary>The keys from the middle outward.</summary>
    private static readonly int[] Keys = [.. Enumerable.Range(0, 128).OrderBy(key => Math.Abs(key - 60))];

    private static readonly int[] Controllers = [UsualController, .. Enumerable.Range(0, 120).Where(number => number != UsualController)];

    private static readonly int[] Modes = [.. Enumerable.Range(120, 8)];

    private static int StatusOf(MessageKind kind) =>
        kind switch
        {
            MessageKind.QuarterFrame => 0xF1,
            MessageKind.SongPosition => 0xF2,
            MessageKind.SongSelect => 0xF3,
            MessageKind.TuneRequest => 0xF6,
            MessageKind.Clock => 0xF8,
            MessageKind.Start => 0xFA,
            MessageKind.Continue => 0xFB,
            MessageKind.Stop => 0xFC,
            MessageKind.ActiveSensing => 0xFE,
            _ => 0xFF,
        };

    private static int Nearest(UInt128 values, int wanted)
    {
        for (var off = 0; off < DataRow.Size; off++)
        {
            if (wanted - off >= 0 && (values >> (wanted - off) & 1) != 0)
                return wanted - off;
            if (wanted + off < DataRow.Size && (values >> (wanted + off) & 1) != 0)
                return wanted + off;
        }
        return 0;
    }
}
