using Weiche.Core.Analysis;
using Weiche.Core.Midi;

namespace Weiche.Core.Stages;

/// <summary>Moves notes and poly pressure up or down. What falls off the end of the 128 keys stops.</summary>
public sealed record TransposeStage : Stage
{
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

    /// <inheritdoc/>
    public override string Name => "Transpose";

    /// <inheritdoc/>
    public override string Sign => Semitones == 0 ? "±0" : MessageText.WithSign(Semitones);

    /// <inheritdoc/>
    public override string WhyStopped(in MidiMessage message) =>
        $"{KeyName.Of(message.Data1)} {MessageText.WithSign(Semitones)} is {(Semitones < 0 ? "below the lowest" : "above the highest")} key";

    /// <inheritdoc/>
    public override int Apply(in MidiMessage message, Span<MidiMessage> results)
    {
        if (message.Kind is not (MessageKind.Note or MessageKind.PolyPressure)) return Pass(message, results);
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
}
