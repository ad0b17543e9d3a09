using Weiche.Core.Analysis;
using Weiche.Core.Midi;

namespace Weiche.Core.Stages;

/// <summary>
/// Lets notes and poly pressure of certain keys pass: those from the lowest to the highest, or those outside. All
/// other messages pass.
/// </summary>
public sealed record KeysStage : Stage
{
    /// <summary>A range of keys.</summary>
    /// <param name="lowest">0 to 127.</param>
    /// <param name="highest">0 to 127, not below the lowest.</param>
    /// <param name="outside">Whether the keys outside the range pass instead.</param>
    /// <exception cref="ArgumentOutOfRangeException">A key does not exist, or the range is upside down.</exception>
    public KeysStage(int lowest, int highest, bool outside = false)
    {
        ArgumentOutOfRangeException.ThrowIfNegative(lowest);
        ArgumentOutOfRangeException.ThrowIfGreaterThan(highest, 127);
        ArgumentOutOfRangeException.ThrowIfLessThan(highest, lowest);
        (Lowest, Highest, Outside) = (lowest, highest, outside);
    }

    /// <summary>The lowest key of the range, 0 to 127.</summary>
    public int Lowest { get; }

    /// <summary>The highest key of the range, 0 to 127.</summary>
    public int Highest { get; }

    /// <summary>Whether the keys outside the range pass instead.</summary>
    public bool Outside { get; }

    /// <inheritdoc/>
    public override string Name => "Keys";

    /// <inheritdoc/>
    public override string Sign => (Outside ? "not " : "") + (Lowest == Highest ? KeyName.Of(Lowest) : $"{KeyName.Of(Lowest)} – {KeyName.Of(Highest)}");

    private UInt128 Passing
    {
        get
        {
            var inside = (UInt128.MaxValue >> (127 - Highest)) & (UInt128.MaxValue << Lowest);
            return Outside ? ~inside : inside;
        }
    }

    /// <inheritdoc/>
    public override string WhyStopped(in MidiMessage message)
    {
        var key = KeyName.Of(message.Data1);
        if (Outside) return $"{key} is within {KeyName.Of(Lowest)} to {KeyName.Of(Highest)}";
        return message.Data1 < Lowest ? $"{key} is below {KeyName.Of(Lowest)}" : $"{key} is above {KeyName.Of(Highest)}";
    }

    /// <inheritdoc/>
    public override int Apply(in MidiMessage message, Span<MidiMessage> results) =>
        message.Kind is not (MessageKind.Note or MessageKind.PolyPressure) || (message.Data1 >= Lowest && message.Data1 <= Highest) != Outside
            ? Pass(message, results)
            : 0;

    /// <inheritdoc/>
    public override MessageSet Image(MessageSet set) => Passing == UInt128.MaxValue ? set : set.OnlyKeys(Passing);

    /// <inheritdoc/>
    public override MessageSet PreImage(MessageSet set) => Image(set);

    internal override CompiledStage Compile() => TableStage.OfKeys(key => (Passing >> key & 1) != 0 ? key : -1);
}
