using System.Diagnostics.CodeAnalysis;
using System.Globalization;
using System.Text.Json;
using Weiche.Core.Midi;
using Weiche.Core.Sets;

namespace Weiche.Core.Stages;

/// <summary>
/// Lets what moves all the time (controllers, pressure, bend) pass at most so often a second, each for itself. The last
/// value always arrives, and a value that is the same as the last one is dropped. Notes, pedals, switches, parameter
/// numbers with their data, bank, and fine controllers with their pairs pass untouched.
/// </summary>
/// <remarks>What it lets pass depends on time; for the checks it counts as letting everything pass.</remarks>
public sealed record ThinStage : Stage
{
    /// <summary>What is to be known of Thin stages as a sort.</summary>
    public static StageSort AsSort { get; } = new ThinSort();

    /// <summary>A rate.</summary>
    /// <param name="perSecond">How often a second each control may pass, 1 to 1000.</param>
    /// <exception cref="ArgumentOutOfRangeException">The rate is out of range.</exception>
    public ThinStage(int perSecond)
    {
        ArgumentOutOfRangeException.ThrowIfLessThan(perSecond, 1);
        ArgumentOutOfRangeException.ThrowIfGreaterThan(perSecond, 1000);
        PerSecond = perSecond;
    }

    /// <summary>How often a second each control may pass, 1 to 1000.</summary>
    public int PerSecond { get; }

    /// <inheritdoc/>
    public override StageSort Sort => AsSort;

    /// <inheritdoc/>
    public override bool LetsAllPass => true;

    /// <inheritdoc/>
    public override bool LooksAtTime => true;

    /// <inheritdoc/>
    public override int? MostPerSecond => PerSecond;

    /// <inheritdoc/>
    public override string Sign(KeyNaming names) => string.Create(CultureInfo.InvariantCulture, $"≤ {PerSecond}/s");

    /// <inheritdoc/>
    public override string WhyStopped(in MidiMessage message, KeyNaming names) => "thinned: the same again, or a newer value follows";

    /// <inheritdoc/>
    public override int Apply(in MidiMessage message, Span<MidiMessage> results) => Pass(message, results);

    /// <inheritdoc/>
    public override MessageSet Image(MessageSet set) => set;

    /// <inheritdoc/>
    public override MessageSet PreImage(MessageSet set) => set;

    internal override CompiledStage Compile() => new Compiled(PerSecond);

    private sealed class Compiled(int perSecond) : CompiledStage
    {
        private const int None = -1;

        // Rounded up, so that never more than the rate passes in any second.
        private readonly MidiSpan _interval = new((MidiSpan.Second.Microseconds + perSecond - 1) / perSecond);
        private readonly Slot[] _slots = new Slot[Thinnable.Slots];
        private readonly uint[] _fineSeen = new uint[Channel.Count];

        // The slots that keep a message, the one that is due first at the head: all wait equally long.
        private int _head = None;

        private struct Slot
        {
            public bool Known;
            public bool Keeps;
            public MidiTime Last;
            public int Value;
            public MidiMessage Kept;
            public int Source;
            public int Next;
        }

        internal override bool KeepsTime => true;

        internal override MidiTime NextDue => _head == None ? MidiTime.Never : _slots[_head].Last + _interval;

        internal override int Apply(in MidiMessage message, MidiTime now, int source, Span<MidiMessage> results)
        {
            if (message.Kind == MessageKind.ControlChange && message.Data1 is >= 32 and < 64 && TakeFine(message, out var coarse))
            {
                // From now on the two are a pair and pass untouched: what waits of the one goes before the other.
                results[0] = coarse;
                return 1 + Pass(message, results[1..]);
            }
            if (!message.HasChannel || !Thinnable.TrySlot(message, _fineSeen[message.ChannelIndex], out var index))
                return Pass(message, results);
            ref var slot = ref _slots[index];
            var value = ValueOf(message);
            if (slot.Keeps)
            {
                slot.Kept = message;
                slot.Source = source;
                return 0;
            }
            if (slot.Known && slot.Value == value)
                return 0;
            if (slot.Known && now < slot.Last + _interval)
            {
                slot.Keeps = true;
                slot.Kept = message;
                slot.Source = source;
                Enqueue(index);
                return 0;
            }
            (slot.Known, slot.Last, slot.Value) = (true, now, value);
            return Pass(message, results);
        }

        internal override bool TryLetGo(MidiTime now, out int source, out MidiMessage message)
        {
            while (_head != None)
            {
                ref var slot = ref _slots[_head];
                if (slot.Last + _interval > now)
                    break;
                _head = slot.Next;
                slot.Keeps = false;
                (source, message) = (slot.Source, slot.Kept);
                var value = ValueOf(message);
                // It may have come back to where it was.
                if (value == slot.Value)
                    continue;
                (slot.Last, slot.Value) = (now, value);
                return true;
            }
            source = 0;
            message = default;
            return false;
        }

        /// <summary>A fine part came. Takes out the value of its control that waits, if there is one.</summary>
        private bool TakeFine(in MidiMessage fine, out MidiMessage coarse)
        {
            coarse = fine.WithData(fine.Data1 - 32, 0);
            ref var seen = ref _fineSeen[fine.ChannelIndex];
            var wasAlone = Thinnable.TrySlot(coarse, seen, out var index);
            seen |= 1u << (fine.Data1 - 32);
            ref var slot = ref _slots[index];
            if (!wasAlone || !slot.Keeps)
                return false;
            coarse = slot.Kept;
            slot.Keeps = false;
            ref var link = ref _head;
            while (link != index)
                link = ref _slots[link].Next;
            link = slot.Next;
            return ValueOf(coarse) != slot.Value;
        }

        private void Enqueue(int index)
        {
            // Kept in order of what is due first. Slots begin to wait at different times after their last value, so
            // the place is looked for from the head; few wait at a time.
            var due = _slots[index].Last;
            var before = None;
            for (var i = _head; i != None && _slots[i].Last <= due; i = _slots[i].Next)
                before = i;
            ref var next = ref before == None ? ref _head : ref _slots[before].Next;
            _slots[index].Next = next;
            next = index;
        }

        private static int ValueOf(in MidiMessage message) =>
            (message.Status & 0xF0) switch
            {
                0xD0 => message.Data1,
                0xE0 => message.Data2 << 7 | message.Data1,
                _ => message.Data2,
            };
    }

    private sealed class ThinSort()
        : StageSort<ThinStage>(
            "Thin",
            "thin",
            "Each control at most so often a second.",
            """
            "perSecond": { "type": "integer", "minimum": 1, "maximum": 1000 }
            """,
            "\"perSecond\""
        )
    {
        public override Stage Fresh => new ThinStage(100);

        public override string Example => "the last value always arrives";

        public override Stage Read(StageFields fields) => new ThinStage(fields.Number("perSecond", 1, 1000));

        public override bool TryRead(string? text, KeyNaming names, [NotNullWhen(true)] out Stage? stage, out string problem)
        {
            stage = TypedNumber.TryRead(text, 1, 1000, out var rate) ? new ThinStage(rate) : null;
            problem = stage is null ? "Write how often a second each control may pass, 1 to 1000." : "";
            return stage is not null;
        }

        public override bool TryRead(StageField field, KeyNaming names, [NotNullWhen(true)] out Stage? stage, out string problem) =>
            TryRead(field("perSecond"), names, out stage, out problem);

        private protected override string TextOf(ThinStage stage, KeyNaming names) =>
            stage.PerSecond.ToString(CultureInfo.InvariantCulture);

        private protected override void Write(ThinStage stage, Utf8JsonWriter writer) => writer.WriteNumber("perSecond", stage.PerSecond);
    }
}
