using System.Collections.Immutable;
using System.Diagnostics.CodeAnalysis;
using System.Text.Json;
using Weiche.Core.Midi;
using Weiche.Core.Sets;

namespace Weiche.Core.Stages;

/// <summary>Moves notes and poly pressure up or down. What falls off the end of the 128 keys stops.</summary>
public sealed record TransposeStage : Stage
{
    /// <summary>What is to be known of Transpose stages as a sort.</summary>
    public static StageSort AsSort { get; } = new TransposeSort();

    private readonly RowMemo _image = new();
    private readonly RowMemo _preImage = new();

    /// <summary>A shift.</summary>
    /// <param name="semitones">−127 to 127.</param>
    /// <exception cref="ArgumentOutOfRangeException">The shift is out of range.</exception>
    public TransposeStage(int semitones)
    {
        ArgumentOutOfRangeException.ThrowIfGreaterThan(Math.Abs(semitones), 127, nameof(semitones));
        Semitones = semitones;
    }

    /// <summary>By how much, −127 to 127.</summary>
    public int Semitones { get; }

    internal override ImmutableArray<int> MovesKeysBy => [Semitones];

    /// <inheritdoc/>
    public override StageSort Sort => AsSort;

    /// <inheritdoc/>
    public override string Sign(KeyNaming names) => Semitones == 0 ? "±0" : MessageText.WithSign(Semitones);

    /// <inheritdoc/>
    public override string WhyStopped(in MidiMessage message, KeyNaming names) =>
        $"{names.Of(message.Data1)} {MessageText.WithSign(Semitones)} is "
        + $"{(Semitones < 0 ? "below the lowest" : "above the highest")} key";

    /// <inheritdoc/>
    public override int Apply(in MidiMessage message, Span<MidiMessage> results)
    {
        if (message.Kind is not (MessageKind.Note or MessageKind.PolyPressure))
            return Pass(message, results);
        var key = message.Data1 + Semitones;
        return key is >= 0 and <= 127 ? Pass(message.WithData(key, message.Data2), results) : 0;
    }

    /// <inheritdoc/>
    public override MessageSet Image(MessageSet set) => Shift(set, Semitones, _image);

    /// <inheritdoc/>
    public override MessageSet PreImage(MessageSet set) => Shift(set, -Semitones, _preImage);

    internal override CompiledStage Compile() => TableStage.OfKeys(key => key + Semitones <= 127 ? key + Semitones : -1);

    private static MessageSet Shift(MessageSet set, int by, RowMemo memo)
    {
        var builder = MessageSet.Builder.From(set, MessageSet.NoteRow, MessageSet.PolyRow);
        builder.AddMapped(set, MessageSet.NoteRow, row => memo.Get(row, from => from.Shift(by)));
        builder.AddMapped(set, MessageSet.PolyRow, row => row.Shift(by));
        return builder.ToSet();
    }

    private sealed class TransposeSort()
        : StageSort<TransposeStage>(
            "Transpose",
            "transpose",
            "Moves notes; what falls off the end stops.",
            """
            "semitones": { "type": "integer", "minimum": -127, "maximum": 127 }
            """,
            "\"semitones\""
        )
    {
        public override Stage Fresh => new TransposeStage(0);

        public override string Example => "notes that fall off the end stop";

        public override Stage Read(StageFields fields) => new TransposeStage(fields.Number("semitones", -127, 127));

        public override bool TryRead(string? text, KeyNaming names, [NotNullWhen(true)] out Stage? stage, out string problem)
        {
            stage = TypedNumber.TryRead(text, -127, 127, out var semitones) ? new TransposeStage(semitones) : null;
            problem = stage is null ? "Semitones go from −127 to 127." : "";
            return stage is not null;
        }

        // A button sets the number that it shows, whatever stands in the line.
        public override bool TryRead(StageField field, KeyNaming names, [NotNullWhen(true)] out Stage? stage, out string problem) =>
            TryRead(field("set") ?? field("semitones"), names, out stage, out problem);

        // What is a number with a sign is a transposition.
        internal override Stage? TryReadBare(string text, KeyNaming names) =>
            text[0] is '+' or '-' or '−' or '±' && TryRead(text, names, out var stage, out _) ? stage : null;

        private protected override string TextOf(TransposeStage stage, KeyNaming names) => MessageText.WithSign(stage.Semitones);

        private protected override void Write(TransposeStage stage, Utf8JsonWriter writer) =>
            writer.WriteNumber("semitones", stage.Semitones);
    }
}
