using System.Collections.Concurrent;
using System.Numerics;
using Weiche.Core.Midi;

namespace Weiche.Core.Sets;

/// <summary>
/// A set of messages, exact to the last value: for each kind with a channel every combination of its data bytes, and
/// one bit for each system message. A note is one message here: its note-off follows its note-on.
/// </summary>
/// <remarks>Immutable, so any number of threads may use it. Rows of bits are shared between sets, so most operations cost a few words.
/// </remarks>
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
    private int _hash;

    private MessageSet(DataRow?[] rows, UInt128[] singles, uint system)
    {
        _rows = rows;
        _singles = singles;
        _system = system;
        var isEmpty = system == 0;
        for (var i = 0; isEmpty && i < rows.Length; i++)
            isEmpty = rows[i] is null;
        for (var i = 0; isEmpty && i < singles.Length; i++)
            isEmpty = singles[i] == 0;
        IsEmpty = isEmpty;
    }

    private const int MostUsual = 512;
    private static readonly ConcurrentDictionary<(ChannelSet, KindSet), MessageSet> Usual = [];

    /// <summary>No message.</summary>
    public static MessageSet Empty { get; } = new Builder().ToSet();

    /// <summary>Every message there is.</summary>
    public static MessageSet All { get; } = MakeAll();

    /// <summary>Every message that is sent on a channel.</summary>
    public static MessageSet OnChannels { get; } = Of(ChannelSet.All, KindSet.Of([.. MessageKinds.All.Where(MessageKinds.HasChannel)]));

    /// <summary>Whether no message is in.</summary>
    public bool IsEmpty { get; }

    /// <summary>How many messages are in; each system message counts as one.</summary>
    public long Count =>
        _rows.Sum(row => row?.Count() ?? 0) + _singles.Sum(single => (long)UInt128.PopCount(single)) + BitOperations.PopCount(_system);

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
        // What devices send and hear is asked for again and again, and sets that are one are told to be equal at once.
        if (Usual.TryGetValue((channels, kinds), out var known))
            return known;
        if (Usual.Count >= MostUsual)
            Usual.Clear();
        return Usual[(channels, kinds)] = Make(channels, kinds);
    }

    private static MessageSet Make(ChannelSet channels, KindSet kinds)
    {
        var builder = new Builder();
        foreach (var channel in channels.Members)
        {
            for (var kind = NoteRow; kind <= BendRow; kind++)
                builder.Add(kind, channel.Index, All.Row(kind, channel.Index));
            for (var kind = 0; kind < SingleKinds; kind++)
                builder.AddSingles(kind, channel.Index, UInt128.MaxValue);
        }
        builder.AddSystem(All.SystemBits);
        var set = builder.ToSet().Of(kinds);
        return set.Equals(All) ? All : set;
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

    /// <summary>Those of some kinds.</summary>
    /// <param name="kinds">The kinds.</param>
    public MessageSet Of(KindSet kinds)
    {
        if (kinds == KindSet.All)
            return this;
        var builder = new Builder();
        var control =
            (kinds.Contains(MessageKind.ControlChange) ? ControlFirsts : 0)
            | (kinds.Contains(MessageKind.ChannelMode) ? ~ControlFirsts : 0);
        for (var channel = 0; channel < Channel.Count; channel++)
        {
            if (kinds.Contains(MessageKind.Note))
                builder.Add(NoteRow, channel, Row(NoteRow, channel));
            if (kinds.Contains(MessageKind.PolyPressure))
                builder.Add(PolyRow, channel, Row(PolyRow, channel));
            if (kinds.Contains(MessageKind.PitchBend))
                builder.Add(BendRow, channel, Row(BendRow, channel));
            if (kinds.Contains(MessageKind.ProgramChange))
                builder.AddSingles(ProgramSingle, channel, Single(ProgramSingle, channel));
            if (kinds.Contains(MessageKind.ChannelPressure))
                builder.AddSingles(PressureSingle, channel, Single(PressureSingle, channel));
        }
        builder.AddMapped(this, ControlRow, row => row.Only(control));
        builder.AddSystem(SystemBits);
        var system = 0u;
        foreach (var kind in kinds.Members)
            system |= 1u << (int)kind;
        builder.KeepSystem(system);
        return builder.ToSet();
    }

    /// <summary>The messages that are in either.</summary>
    /// <param name="other">The other set.</param>
    public MessageSet Union(MessageSet other)
    {
        if (ReferenceEquals(this, other) || other.IsEmpty)
            return this;
        if (IsEmpty)
            return other;
        return Join<Either>(other, _system | other._system);
    }

    /// <summary>The messages that are in both.</summary>
    /// <param name="other">The other set.</param>
    public MessageSet Intersect(MessageSet other)
    {
        if (ReferenceEquals(this, other) || ReferenceEquals(other, All) || IsEmpty)
            return this;
        if (ReferenceEquals(this, All) || other.IsEmpty)
            return other;
        return Join<Both>(other, _system & other._system);
    }

    /// <summary>The messages that are in this set and not in the other.</summary>
    /// <param name="other">The other set.</param>
    public MessageSet Except(MessageSet other)
    {
        if (ReferenceEquals(this, other))
            return Empty;
        if (IsEmpty || other.IsEmpty)
            return this;
        return Join<One>(other, _system & ~other._system);
    }

    /// <summary>Whether any message is in both.</summary>
    /// <param name="other">The other set.</param>
    public bool Overlaps(MessageSet other)
    {
        if (IsEmpty || other.IsEmpty)
            return false;
        if (ReferenceEquals(this, other) || (_system & other._system) != 0)
            return true;
        for (var i = 0; i < _singles.Length; i++)
        {
            if ((_singles[i] & other._singles[i]) != 0)
                return true;
        }
        for (var i = 0; i < _rows.Length; i++)
        {
            if (!IsAlike(other, i) && DataRow.Overlap(_rows[i], other._rows[i]))
                return true;
        }
        return false;
    }

    /// <summary>Whether every message of the other set is in this one.</summary>
    /// <param name="other">The other set.</param>
    public bool HasAllOf(MessageSet other)
    {
        if (ReferenceEquals(this, other) || ReferenceEquals(this, All) || other.IsEmpty)
            return true;
        if (IsEmpty || (other._system & ~_system) != 0)
            return false;
        for (var i = 0; i < _singles.Length && !ReferenceEquals(_singles, other._singles); i++)
        {
            if ((other._singles[i] & ~_singles[i]) != 0)
                return false;
        }
        for (var i = 0; i < _rows.Length; i++)
        {
            if (!IsAlike(other, i) && !DataRow.HasAllOf(_rows[i], other._rows[i]))
                return false;
        }
        return true;
    }

    /// <inheritdoc/>
    public bool Equals(MessageSet? other) =>
        other is not null
        && (
            ReferenceEquals(this, other)
            || (
                Hash == other.Hash
                && _system == other._system
                && _singles.AsSpan().SequenceEqual(other._singles)
                && SameRows(_rows, other._rows)
            )
        );

    /// <inheritdoc/>
    public override bool Equals(object? obj) => Equals(obj as MessageSet);

    /// <inheritdoc/>
    public override int GetHashCode() => Hash;

    /// <summary>The same for equal sets, and hardly ever for others: mostly it is enough to see that two are not equal.</summary>
    private int Hash
    {
        get
        {
            if (_hash != 0)
                return _hash;
            var hash = new HashCode();
            hash.Add(_system);
            foreach (var single in _singles)
                hash.Add(single);
            foreach (var row in _rows)
                hash.Add(row?.Hash ?? 0);
            // 0 stands for not worked out yet.
            return _hash = hash.ToHashCode() is var known and not 0 ? known : 1;
        }
    }

    internal uint SystemBits => _system;

    internal DataRow? Row(int kind, int channel) => _rows[kind * Channel.Count + channel];

    internal UInt128 Single(int kind, int channel) => _singles[kind * Channel.Count + channel];

    /// <summary>The same without the notes and pressures of other keys.</summary>
    internal MessageSet OnlyKeys(UInt128 keys)
    {
        var builder = Builder.From(this, NoteRow, PolyRow);
        builder.AddMapped(this, NoteRow, row => row.Only(keys));
        builder.AddMapped(this, PolyRow, row => row.Only(keys));
        return builder.ToSet();
    }

    /// <summary>The keys of which a note of any velocity is in, on one channel; a bit for each key.</summary>
    internal UInt128 NoteKeys(int channel) => Row(NoteRow, channel)?.Firsts ?? 0;

    private bool Has(int kind, int channel, int first, int second) => Row(kind, channel) is { } row && (row[first] >> second & 1) != 0;

    /// <summary>Whether a row and its counterpart are the same as the ones before: most channels are alike.</summary>
    private bool IsAlike(MessageSet other, int row) =>
        row > 0 && ReferenceEquals(_rows[row], _rows[row - 1]) && ReferenceEquals(other._rows[row], other._rows[row - 1]);

    /// <summary>Joins this set and another row by row. What comes out like one of the two is that one: equal sets stay one, and nothing is
    /// made for them.</summary>
    private MessageSet Join<T>(MessageSet other, uint system)
        where T : IJoin
    {
        // Sets often share what is alike in them.
        Span<UInt128> joined = stackalloc UInt128[SingleKinds * Channel.Count];
        var (ownSingles, othersSingles) = (true, true);
        if (!T.OfOneIsIt || !ReferenceEquals(_singles, other._singles))
        {
            for (var i = 0; i < joined.Length; i++)
                joined[i] = T.Join(_singles[i], other._singles[i]);
            (ownSingles, othersSingles) = (joined.SequenceEqual(_singles), joined.SequenceEqual(other._singles));
        }
        var rows = new JoinedRows();
        var (isOwn, isOthers) = (true, true);
        for (var i = 0; i < RowKinds * Channel.Count && (!T.OfOneIsIt || !ReferenceEquals(_rows, other._rows)); i++)
        {
            rows[i] = IsAlike(other, i) ? rows[i - 1] : T.Join(_rows[i], other._rows[i]);
            isOwn &= ReferenceEquals(rows[i], _rows[i]);
            isOthers &= ReferenceEquals(rows[i], other._rows[i]);
        }
        if (isOwn && ownSingles && system == _system)
            return this;
        if (isOthers && othersSingles && system == other._system)
            return other;
        return new MessageSet(
            isOwn ? _rows
                : isOthers ? other._rows
                : ((ReadOnlySpan<DataRow?>)rows).ToArray(),
            ownSingles ? _singles
                : othersSingles ? other._singles
                : joined.ToArray(),
            system
        );
    }

    private static bool SameRows(DataRow?[] one, DataRow?[] other)
    {
        for (var i = 0; i < one.Length; i++)
        {
            if (!ReferenceEquals(one[i], other[i]) && !Equals(one[i], other[i]))
                return false;
        }
        return true;
    }

    private static MessageSet MakeAll()
    {
        var builder = new Builder();
        for (var channel = 0; channel < Channel.Count; channel++)
        {
            builder.Add(NoteRow, channel, DataRow.FullOfNotes);
            for (var kind = PolyRow; kind <= BendRow; kind++)
                builder.Add(kind, channel, DataRow.Full);
            for (var kind = 0; kind < SingleKinds; kind++)
                builder.AddSingles(kind, channel, UInt128.MaxValue);
        }
        foreach (var kind in MessageKinds.All.Where(kind => !kind.HasChannel()))
            builder.AddSystem(1u << (int)kind);
        return builder.ToSet();
    }

    /// <summary>What becomes of two sets, row by row.</summary>
    private interface IJoin
    {
        /// <summary>Whether something joined with itself is itself.</summary>
        static abstract bool OfOneIsIt { get; }

        static abstract DataRow? Join(DataRow? one, DataRow? other);

        static abstract UInt128 Join(UInt128 one, UInt128 other);
    }

    private readonly struct Either : IJoin
    {
        public static bool OfOneIsIt => true;

        public static DataRow? Join(DataRow? one, DataRow? other) => DataRow.Union(one, other);

        public static UInt128 Join(UInt128 one, UInt128 other) => one | other;
    }

    private readonly struct Both : IJoin
    {
        public static bool OfOneIsIt => true;

        public static DataRow? Join(DataRow? one, DataRow? other) => DataRow.Intersect(one, other);

        public static UInt128 Join(UInt128 one, UInt128 other) => one & other;
    }

    private readonly struct One : IJoin
    {
        public static bool OfOneIsIt => false;

        public static DataRow? Join(DataRow? one, DataRow? other) => DataRow.Except(one, other);

        public static UInt128 Join(UInt128 one, UInt128 other) => one & ~other;
    }

    [System.Runtime.CompilerServices.InlineArray(RowKinds * Channel.Count)]
    private struct JoinedRows
    {
        private DataRow? _first;
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
            set._rows.CopyTo(builder._rows, 0);
            foreach (var kind in withoutRows)
                builder._rows.AsSpan(kind * Channel.Count, Channel.Count).Clear();
            set._singles.CopyTo(builder._singles, 0);
            builder._system = set._system;
            return builder;
        }

        internal DataRow? Row(int kind, int channel) => _rows[kind * Channel.Count + channel];

        internal UInt128 Single(int kind, int channel) => _singles[kind * Channel.Count + channel];

        internal void Add(int kind, int channel, DataRow? row)
        {
            ref var place = ref _rows[kind * Channel.Count + channel];
            place = DataRow.Union(place, row);
        }

        /// <summary>Adds what a function makes of the rows of one kind. Channels that share a row share what becomes of it.</summary>
        internal void AddMapped(MessageSet set, int kind, Func<DataRow, DataRow?> map)
        {
            var (last, mapped) = ((DataRow?)null, (DataRow?)null);
            for (var channel = 0; channel < Channel.Count; channel++)
            {
                if (set.Row(kind, channel) is not { } row)
                    continue;
                if (!ReferenceEquals(row, last))
                    (last, mapped) = (row, map(row));
                Add(kind, channel, mapped);
            }
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
