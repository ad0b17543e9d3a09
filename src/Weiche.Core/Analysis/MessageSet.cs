using System.Numerics;
using Weiche.Core.Midi;
using Weiche.Core.Stages;
using Weiche.Core.Studios;

namespace Weiche.Core.Analysis;

/// <summary>
/// A set of messages, exact to the last value: for each kind with a channel every combination of its data bytes, and
/// one bit for each system message. A note is one message here: its note-off follows its note-on.
/// </summary>
/// <remarks>Immutable. Rows of bits are shared between sets, so most operations cost a few words.</remarks>
public sealed class MessageSet : IEquatable<MessageSet>
{
    internal const int RowKinds = 4;
    internal const int SingleKinds = 2;
    internal const int NoteRow = 0;
    internal const int PolyRow = 1;
    internal const int ControlRow = 2;
    internal const int BendRow = 3;
    internal const int ProgramSingle = 0;
    internal const int PressureSingle = 1;

    // Controllers 0 to 119 are control changes, 120 to 127 channel mode messages.
    internal static readonly UInt128 ControlFirsts = (UInt128.One << 120) - 1;

    private readonly DataRow?[] _rows;
    private readonly UInt128[] _singles;
    private readonly uint _system;

    private MessageSet(DataRow?[] rows, UInt128[] singles, uint system)
    {
        _rows = rows;
        _singles = singles;
        _system = system;
    }

    /// <summary>No message.</summary>
    public static MessageSet Empty { get; } = new Builder().ToSet();

    /// <summary>Every message there is.</summary>
    public static MessageSet All { get; } = MakeAll();

    /// <summary>Whether no message is in.</summary>
    public bool IsEmpty => _system == 0 && Array.TrueForAll(_rows, row => row is null) && !_singles.AsSpan().ContainsAnyExcept(UInt128.Zero);

    /// <summary>How many messages are in; each system message counts as one.</summary>
    public long Count => _rows.Sum(row => row?.Count() ?? 0) + _singles.Sum(single => (long)UInt128.PopCount(single)) + BitOperations.PopCount(_system);

    /// <summary>The set of one message. A note-off stands for its note, whose velocity is then taken to be 64.</summary>
    /// <param name="message">The message.</param>
    public static MessageSet Of(in MidiMessage message)
    {
        var builder = new Builder();
        builder.Add(message);
        return builder.ToSet();
    }

    /// <summary>Every message of some kinds on some channels, and every system message of those kinds.</summary>
    /// <param name="channels">The channels.</param>
    /// <param name="kinds">The kinds.</param>
    public static MessageSet Of(ChannelSet channels, KindSet kinds)
    {
        var builder = new Builder();
        foreach (var channel in channels.Members)
        {
            for (var kind = NoteRow; kind <= BendRow; kind++) builder.Add(kind, channel.Index, All.Row(kind, channel.Index));
            for (var kind = 0; kind < SingleKinds; kind++) builder.AddSingles(kind, channel.Index, UInt128.MaxValue);
        }
        builder.AddSystem(All.SystemBits);
        return new KindsStage(kinds).Image(builder.ToSet());
    }

    /// <summary>Whether the message is in. For a note-off: whether its note is, at velocity 64.</summary>
    /// <param name="message">The message.</param>
    public bool Contains(in MidiMessage message)
    {
        var channel = message.ChannelIndex;
        return message.Kind switch
        {
            MessageKind.Note => Has(NoteRow, channel, message.Data1, message.IsNoteOn ? message.Data2 : 64),
            MessageKind.PolyPressure => Has(PolyRow, channel, message.Data1, message.Data2),
            MessageKind.ControlChange or MessageKind.ChannelMode => Has(ControlRow, channel, message.Data1, message.Data2),
            MessageKind.PitchBend => Has(BendRow, channel, message.Data1, message.Data2),
            MessageKind.ProgramChange => (Single(ProgramSingle, channel) >> message.Data1 & 1) != 0,
            MessageKind.ChannelPressure => (Single(PressureSingle, channel) >> message.Data1 & 1) != 0,
            var kind => (_system >> (int)kind & 1) != 0,
        };
    }

    /// <summary>The messages that are in either.</summary>
    /// <param name="other">The other set.</param>
    public MessageSet Union(MessageSet other) => Combine(other, DataRow.Union, static (a, b) => a | b, _system | other._system);

    /// <summary>The messages that are in both.</summary>
    /// <param name="other">The other set.</param>
    public MessageSet Intersect(MessageSet other) => Combine(other, DataRow.Intersect, static (a, b) => a & b, _system & other._system);

    /// <summary>The messages that are in this set and not in the other.</summary>
    /// <param name="other">The other set.</param>
    public MessageSet Except(MessageSet other) => Combine(other, DataRow.Except, static (a, b) => a & ~b, _system & ~other._system);

    /// <inheritdoc/>
    public bool Equals(MessageSet? other) => other is not null
        && (ReferenceEquals(this, other)
            || (_system == other._system && _singles.AsSpan().SequenceEqual(other._singles) && _rows.Zip(other._rows).All(pair => Equals(pair.First, pair.Second))));

    /// <inheritdoc/>
    public override bool Equals(object? obj) => Equals(obj as MessageSet);

    /// <inheritdoc/>
    public override int GetHashCode() => HashCode.Combine(_system, _singles[0], _rows[0], _rows[16], _rows[32], _rows[48]);

    internal uint SystemBits => _system;

    internal DataRow? Row(int kind, int channel) => _rows[kind * Channel.Count + channel];

    internal UInt128 Single(int kind, int channel) => _singles[kind * Channel.Count + channel];

    /// <summary>The keys of which a note of any velocity is in, on one channel; a bit for each key.</summary>
    internal UInt128 NoteKeys(int channel)
    {
        var keys = UInt128.Zero;
        for (var key = 0; Row(NoteRow, channel) is { } row && key < DataRow.Size; key++)
        {
            if (row[key] != 0) keys |= UInt128.One << key;
        }
        return keys;
    }

    private bool Has(int kind, int channel, int first, int second) => Row(kind, channel) is { } row && (row[first] >> second & 1) != 0;

    private MessageSet Combine(MessageSet other, Func<DataRow?, DataRow?, DataRow?> rows, Func<UInt128, UInt128, UInt128> singles, uint system)
    {
        var combined = new DataRow?[_rows.Length];
        for (var i = 0; i < combined.Length; i++) combined[i] = rows(_rows[i], other._rows[i]);
        var single = new UInt128[_singles.Length];
        for (var i = 0; i < single.Length; i++) single[i] = singles(_singles[i], other._singles[i]);
        return new MessageSet(combined, single, system);
    }

    private static MessageSet MakeAll()
    {
        var builder = new Builder();
        for (var channel = 0; channel < Channel.Count; channel++)
        {
            builder.Add(NoteRow, channel, DataRow.FullOfNotes);
            for (var kind = PolyRow; kind <= BendRow; kind++) builder.Add(kind, channel, DataRow.Full);
            for (var kind = 0; kind < SingleKinds; kind++) builder.AddSingles(kind, channel, UInt128.MaxValue);
        }
        foreach (var kind in MessageKinds.All.Where(kind => !kind.HasChannel())) builder.AddSystem(1u << (int)kind);
        return builder.ToSet();
    }

    /// <summary>Puts a set together. What is added is united with what is there.</summary>
    internal sealed class Builder
    {
        private readonly DataRow?[] _rows = new DataRow?[RowKinds * Channel.Count];
        private readonly UInt128[] _singles = new UInt128[SingleKinds * Channel.Count];
        private uint _system;

        /// <summary>Adds all of a set but some kinds of row or single, which the caller deals with.</summary>
        internal static Builder From(MessageSet set, params ReadOnlySpan<int> withoutRows)
        {
            var builder = new Builder();
            for (var i = 0; i < set._rows.Length; i++)
            {
                if (!withoutRows.Contains(i / Channel.Count)) builder._rows[i] = set._rows[i];
            }
            set._singles.CopyTo(builder._singles, 0);
            builder._system = set._system;
            return builder;
        }

        internal void Add(int kind, int channel, DataRow? row)
        {
            ref var place = ref _rows[kind * Channel.Count + channel];
            place = DataRow.Union(place, row);
        }

        internal void AddSingles(int kind, int channel, UInt128 values) => _singles[kind * Channel.Count + channel] |= values;

        internal void ClearSingles(int kind, int channel) => _singles[kind * Channel.Count + channel] = 0;

        internal void AddSystem(uint bits) => _system |= bits;

        internal void KeepSystem(uint bits) => _system &= bits;

        internal void Add(in MidiMessage message)
        {
            var channel = message.ChannelIndex;
            switch (message.Kind)
            {
                case MessageKind.Note:
                    AddOne(NoteRow, channel, message.Data1, message.IsNoteOn ? message.Data2 : 64);
                    break;
                case MessageKind.PolyPressure:
                    AddOne(PolyRow, channel, message.Data1, message.Data2);
                    break;
                case MessageKind.ControlChange or MessageKind.ChannelMode:
                    AddOne(ControlRow, channel, message.Data1, message.Data2);
                    break;
                case MessageKind.PitchBend:
                    AddOne(BendRow, channel, message.Data1, message.Data2);
                    break;
                case MessageKind.ProgramChange:
                    AddSingles(ProgramSingle, channel, UInt128.One << message.Data1);
                    break;
                case MessageKind.ChannelPressure:
                    AddSingles(PressureSingle, channel, UInt128.One << message.Data1);
                    break;
                default:
                    AddSystem(1u << (int)message.Kind);
                    break;
            }
        }

        internal void AddOne(int kind, int channel, int first, int second)
        {
            var values = new UInt128[DataRow.Size];
            values[first] = UInt128.One << second;
            Add(kind, channel, new DataRow(values));
        }

        internal MessageSet ToSet() => new(_rows, _singles, _system);
    }
}
