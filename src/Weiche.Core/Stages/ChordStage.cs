using System.Collections.Immutable;
using System.Diagnostics.CodeAnalysis;
using System.Text.Json;
using Weiche.Core.Midi;
using Weiche.Core.Sets;

namespace Weiche.Core.Stages;

/// <summary>
/// Makes several keys of one: for each offset the key that lies so far above or below. Poly pressure goes with its
/// key. What falls off the end of the 128 keys stops. All other messages pass.
/// </summary>
public sealed record ChordStage : Stage
{
    /// <summary>What is to be known of Chord stages as a sort.</summary>
    public static StageSort AsSort { get; } = new ChordSort();

    /// <summary>The most keys that one key may become.</summary>
    public const int MaxOffsets = 8;

    /// <summary>A chord.</summary>
    /// <param name="offsets">1 to 8 different offsets in semitones, each −127 to 127. 0 is the key itself.</param>
    /// <exception cref="ArgumentException">There are none, too many, two of the same, or one is out of range.</exception>
    public ChordStage(params IEnumerable<int> offsets)
    {
        Offsets = [.. offsets.Order()];
        if (Offsets.Length is 0 or > MaxOffsets)
            throw new ArgumentException($"A chord has 1 to {MaxOffsets} offsets.", nameof(offsets));
        if (Offsets[0] < -127 || Offsets[^1] > 127)
            throw new ArgumentException("Offsets go from −127 to 127.", nameof(offsets));
        if (Offsets.Distinct().Count() != Offsets.Length)
            throw new ArgumentException("A chord has each offset once.", nameof(offsets));
    }

    /// <summary>The offsets in semitones, ascending.</summary>
    public ImmutableArray<int> Offsets { get; }

    internal override ImmutableArray<int> MovesKeysBy => Offsets;

    /// <inheritdoc/>
    public override StageSort Sort => AsSort;

    /// <inheritdoc/>
    public override string Sign(KeyNaming names) => "chord " + string.Join(' ', Offsets.Select(MessageText.WithSign));

    /// <inheritdoc/>
    public bool Equals(ChordStage? other) => other is not null && Offsets.SequenceEqual(other.Offsets);

    /// <inheritdoc/>
    public override int GetHashCode() => Offsets.Aggregate(0, HashCode.Combine);

    /// <inheritdoc/>
    public override string WhyStopped(in MidiMessage message, KeyNaming names) =>
        $"every key of the chord on {names.Of(message.Data1)} is beyond the last key";

    /// <inheritdoc/>
    public override int Apply(in MidiMessage message, Span<MidiMessage> results)
    {
        if (message.Kind is not (MessageKind.Note or MessageKind.PolyPressure))
            return Pass(message, results);
        var count = 0;
        foreach (var offset in Offsets)
        {
            if (message.Data1 + offset is >= 0 and <= 127)
                results[count++] = message.WithData(message.Data1 + offset, message.Data2);
        }
        return count;
    }

    /// <inheritdoc/>
    public override MessageSet Image(MessageSet set) => Through(set, 1);

    /// <inheritdoc/>
    public override MessageSet PreImage(MessageSet set) => Through(set, -1);

    internal override MessageSet PreImageTwice(MessageSet once, MessageSet twice)
    {
        var builder = MessageSet.Builder.From(PreImage(twice));
        foreach (var kind in (ReadOnlySpan<int>)[MessageSet.NoteRow, MessageSet.PolyRow])
            builder.AddMapped(once, kind, row => Meeting(row, Offsets));
        return builder.ToSet();
    }

    /// <summary>The keys from which two ways lead on: those of two offsets lead into a row.</summary>
    internal static DataRow? Meeting(DataRow row, ImmutableArray<int> offsets)
    {
        var (any, both) = ((DataRow?)null, (DataRow?)null);
        foreach (var offset in offsets)
        {
            var back = row.Shift(-offset);
            both = DataRow.Union(both, DataRow.Intersect(any, back));
            any = DataRow.Union(any, back);
        }
        return both;
    }

    /// <summary>The keys of a row moved by each offset, in one direction or the other.</summary>
    internal static DataRow? Moved(DataRow row, ImmutableArray<int> offsets, int direction) =>
        offsets.Aggregate((DataRow?)null, (all, offset) => DataRow.Union(all, row.Shift(offset * direction)));

    internal override CompiledStage Compile() => new RuleStage(this);

    private MessageSet Through(MessageSet set, int direction)
    {
        var builder = MessageSet.Builder.From(set, MessageSet.NoteRow, MessageSet.PolyRow);
        builder.AddMapped(set, MessageSet.NoteRow, row => Moved(row, Offsets, direction));
        builder.AddMapped(set, MessageSet.PolyRow, row => Moved(row, Offsets, direction));
        return builder.ToSet();
    }

    private sealed class ChordSort()
        : StageSort<ChordStage>(
            "Chord",
            "chord",
            "Several keys of one.",
            """
            "offsets": { "type": "array", "items": { "type": "integer", "minimum": -127, "maximum": 127 }, "minItems": 1, "maxItems": 8 }
            """,
            "\"offsets\""
        )
    {
        public override Stage Fresh => new ChordStage(0);

        public override string Example => "semitones: 0 4 7";

        public override Stage Read(StageFields fields) => new ChordStage(fields.Numbers("offsets", -127, 127));

        /// <summary>"0 4 7", "0, +4, −5".</summary>
        public override bool TryRead(string? text, KeyNaming names, [NotNullWhen(true)] out Stage? stage, out string problem)
        {
            stage = null;
            problem = $"Write 1 to {MaxOffsets} different offsets in semitones, like 0 4 7.";
            var offsets = new List<int>();
            foreach (var part in (text ?? "").Split([' ', ','], StringSplitOptions.RemoveEmptyEntries))
            {
                if (!TypedNumber.TryRead(part, -127, 127, out var offset) || offsets.Contains(offset) || offsets.Count == MaxOffsets)
                    return false;
                offsets.Add(offset);
            }
            if (offsets.Count == 0)
                return false;
            (stage, problem) = (new ChordStage(offsets), "");
            return true;
        }

        private protected override string TextOf(ChordStage stage, KeyNaming names) =>
            string.Join(' ', stage.Offsets.Select(MessageText.WithSign));

        private protected override void Write(ChordStage stage, Utf8JsonWriter writer)
        {
            writer.WriteStartArray("offsets");
            foreach (var offset in stage.Offsets)
                writer.WriteNumberValue(offset);
            writer.WriteEndArray();
        }
    }
}
