using System.Diagnostics.CodeAnalysis;
using System.Globalization;
using System.Text.Json;
using Weiche.Core.Midi;
using Weiche.Core.Sets;

namespace Weiche.Core.Stages;

/// <summary>
/// Lets notes and poly pressure of certain keys pass: those from the lowest to the highest, or those outside. All
/// other messages pass.
/// </summary>
public sealed record KeysStage : Stage
{
    /// <summary>What is to be known of Keys stages as a sort.</summary>
    public static StageSort AsSort { get; } = new KeysSort();

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
    public override StageSort Sort => AsSort;

    /// <inheritdoc/>
    public override string Sign(KeyNaming names) =>
        (Outside ? "not " : "") + (Lowest == Highest ? names.Of(Lowest) : names.Range(Lowest, Highest));

    internal override UInt128 KeepsKeys
    {
        get
        {
            var inside = (UInt128.MaxValue >> (127 - Highest)) & (UInt128.MaxValue << Lowest);
            return Outside ? ~inside : inside;
        }
    }

    /// <inheritdoc/>
    public override string WhyStopped(in MidiMessage message, KeyNaming names)
    {
        var key = names.Of(message.Data1);
        if (Outside)
            return $"{key} is within {names.Of(Lowest)} to {names.Of(Highest)}";
        return message.Data1 < Lowest ? $"{key} is below {names.Of(Lowest)}" : $"{key} is above {names.Of(Highest)}";
    }

    /// <inheritdoc/>
    public override int Apply(in MidiMessage message, Span<MidiMessage> results) =>
        message.Kind is not (MessageKind.Note or MessageKind.PolyPressure)
        || (message.Data1 >= Lowest && message.Data1 <= Highest) != Outside
            ? Pass(message, results)
            : 0;

    /// <inheritdoc/>
    public override MessageSet Image(MessageSet set) => KeepsKeys == UInt128.MaxValue ? set : set.OnlyKeys(KeepsKeys);

    /// <inheritdoc/>
    public override MessageSet PreImage(MessageSet set) => Image(set);

    internal override CompiledStage Compile() => TableStage.OfKeys(key => (KeepsKeys >> key & 1) != 0 ? key : -1);

    private sealed class KeysSort()
        : StageSort<KeysStage>(
            "Keys",
            "keys",
            "Keys from low to high pass, or those outside.",
            """
            "low": { "type": "integer", "minimum": 0, "maximum": 127 }, "high": { "type": "integer", "minimum": 0, "maximum": 127 }, "outside": { "type": "boolean" }
            """,
            "\"low\", \"high\""
        )
    {
        public override Stage Fresh => new KeysStage(0, 127);

        public override IReadOnlyList<string> LineWords => ["keys", "key"];

        public override Stage Read(StageFields fields)
        {
            var low = fields.Number("low", 0, 127);
            return new KeysStage(low, fields.Number("high", low, 127), fields.Flag("outside", false));
        }

        /// <summary>"C1-B2", "C1 – B2", "36-59", a single key, or "not C1-B2" for the keys outside.</summary>
        public override bool TryRead(string? text, KeyNaming names, [NotNullWhen(true)] out Stage? stage, out string problem)
        {
            stage = null;
            problem = "Write the lowest and the highest key, like C1 – B2 or 36 – 59; “not” before it for the keys outside.";
            var typed = (text ?? "").Trim();
            var outside = typed.StartsWith("not ", StringComparison.OrdinalIgnoreCase);
            if (outside)
                typed = typed[4..].Trim();
            if (!TryRange(typed, names, out var low, out var high))
                return false;
            if (low > high)
            {
                problem = $"The range is upside down: {names.Of(low)} is above {names.Of(high)}.";
                return false;
            }
            (stage, problem) = (new KeysStage(low, high, outside), "");
            return true;
        }

        // A bare number may be anything.
        internal override Stage? TryReadBare(string text, KeyNaming names) =>
            !int.TryParse(text, NumberStyles.None, CultureInfo.InvariantCulture, out _) && TryRead(text, names, out var stage, out _)
                ? stage
                : null;

        private protected override string TextOf(KeysStage stage, KeyNaming names) =>
            $"{(stage.Outside ? "not " : "")}{names.Range(stage.Lowest, stage.Highest)}";

        private protected override void Write(KeysStage stage, Utf8JsonWriter writer)
        {
            writer.WriteNumber("low", stage.Lowest);
            writer.WriteNumber("high", stage.Highest);
            if (stage.Outside)
                writer.WriteBoolean("outside", true);
        }

        private static bool TryRange(string text, KeyNaming names, out int low, out int high)
        {
            low = high = 0;
            if (names.TryParse(text, out low))
            {
                high = low;
                return true;
            }
            // A dash may be the sign of an octave too: every place is tried.
            for (var i = 1; i < text.Length - 1; i++)
            {
                if (text[i] is '-' or '–' && names.TryParse(text[..i].Trim(), out low) && names.TryParse(text[(i + 1)..].Trim(), out high))
                    return true;
            }
            return false;
        }
    }
}
