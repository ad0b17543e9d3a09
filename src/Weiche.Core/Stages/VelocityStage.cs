using System.Diagnostics.CodeAnalysis;
using System.Globalization;
using System.Text.Json;
using System.Text.RegularExpressions;
using Weiche.Core.Midi;
using Weiche.Core.Sets;

namespace Weiche.Core.Stages;

/// <summary>
/// Changes how hard notes are struck: note-ons outside the limits stop; those within are bent by the curve, scaled,
/// shifted, and kept from 1 to 127, so that a note-on never becomes a note-off. Note-offs and all other messages pass
/// as they are.
/// </summary>
public sealed partial record VelocityStage : Stage
{
    /// <summary>What is to be known of Velocity stages as a sort.</summary>
    public static StageSort AsSort { get; } = new VelocitySort();

    private readonly RowMemo _image = new();
    private readonly RowMemo _preImage = new();
    private readonly ValueMap _map;

    /// <summary>A rule for velocities.</summary>
    /// <param name="lowest">The softest that passes, 1 to 127.</param>
    /// <param name="highest">The hardest that passes, 1 to 127, not below the softest.</param>
    /// <param name="scale">Per cent, 0 to 400.</param>
    /// <param name="offset">Added after scaling, −127 to 127.</param>
    /// <param name="curve">−100 (soft touch: all comes out louder) to 100 (hard touch); 0 is a straight line.</param>
    /// <exception cref="ArgumentOutOfRangeException">A value is out of range.</exception>
    public VelocityStage(int lowest = 1, int highest = 127, int scale = 100, int offset = 0, int curve = 0)
    {
        ArgumentOutOfRangeException.ThrowIfLessThan(lowest, 1);
        ArgumentOutOfRangeException.ThrowIfGreaterThan(highest, 127);
        ArgumentOutOfRangeException.ThrowIfLessThan(highest, lowest);
        ArgumentOutOfRangeException.ThrowIfNegative(scale);
        ArgumentOutOfRangeException.ThrowIfGreaterThan(scale, 400);
        ArgumentOutOfRangeException.ThrowIfGreaterThan(Math.Abs(offset), 127, nameof(offset));
        ArgumentOutOfRangeException.ThrowIfGreaterThan(Math.Abs(curve), 100, nameof(curve));
        (Lowest, Highest, Scale, Offset, Curve) = (lowest, highest, scale, offset, curve);
        _map = new ValueMap(Map);
    }

    /// <summary>The softest that passes, 1 to 127.</summary>
    public int Lowest { get; }

    /// <summary>The hardest that passes, 1 to 127.</summary>
    public int Highest { get; }

    /// <summary>Per cent, 0 to 400.</summary>
    public int Scale { get; }

    /// <summary>Added after scaling, −127 to 127.</summary>
    public int Offset { get; }

    /// <summary>−100 to 100; 0 is a straight line.</summary>
    public int Curve { get; }

    /// <inheritdoc/>
    public override StageSort Sort => AsSort;

    /// <inheritdoc/>
    public override string Sign(KeyNaming names)
    {
        var parts = new List<string>();
        if (Lowest > 1 || Highest < 127)
            parts.Add(string.Create(CultureInfo.InvariantCulture, $"{Lowest}–{Highest}"));
        if (Scale != 100)
            parts.Add(string.Create(CultureInfo.InvariantCulture, $"× {Scale} %"));
        if (Offset != 0)
            parts.Add(MessageText.WithSign(Offset));
        if (Curve != 0)
            parts.Add("curve " + MessageText.WithSign(Curve));
        return parts.Count == 0 ? "vel as it is" : "vel " + string.Join(' ', parts);
    }

    /// <inheritdoc/>
    public bool Equals(VelocityStage? other) =>
        other is not null
        && (Lowest, Highest, Scale, Offset, Curve) == (other.Lowest, other.Highest, other.Scale, other.Offset, other.Curve);

    /// <inheritdoc/>
    public override int GetHashCode() => HashCode.Combine(Lowest, Highest, Scale, Offset, Curve);

    /// <inheritdoc/>
    public override string WhyStopped(in MidiMessage message, KeyNaming names) =>
        message.Data2 < Lowest ? $"{message.Data2} is softer than {Lowest}" : $"{message.Data2} is harder than {Highest}";

    /// <inheritdoc/>
    public override int Apply(in MidiMessage message, Span<MidiMessage> results)
    {
        if (!message.IsNoteOn)
            return Pass(message, results);
        var velocity = _map[message.Data2];
        return velocity == ValueMap.Stopped ? 0 : Pass(message.WithData(message.Data1, velocity), results);
    }

    /// <inheritdoc/>
    public override MessageSet Image(MessageSet set) => Through(set, _map.Image, _image);

    /// <inheritdoc/>
    public override MessageSet PreImage(MessageSet set) => Through(set, _map.PreImage, _preImage);

    internal override CompiledStage Compile() => TableStage.OfVelocities(velocity => _map[velocity]);

    private int Map(int velocity)
    {
        if (velocity < Lowest || velocity > Highest)
            return ValueMap.Stopped;
        return Bend(velocity);
    }

    /// <summary>What becomes of a velocity, the limits aside.</summary>
    /// <param name="velocity">1 to 127.</param>
    /// <returns>1 to 127.</returns>
    public int Bend(int velocity)
    {
        var bent = Curve == 0 ? velocity : 127 * Math.Pow(velocity / 127.0, Math.Pow(2, Curve / 50.0));
        return Math.Clamp((int)Math.Round(bent * Scale / 100, MidpointRounding.AwayFromZero) + Offset, 1, 127);
    }

    private static MessageSet Through(MessageSet set, Func<UInt128, UInt128> map, RowMemo memo)
    {
        var builder = MessageSet.Builder.From(set, MessageSet.NoteRow);
        builder.AddMapped(set, MessageSet.NoteRow, row => memo.Get(row, from => from.MapValues(map)));
        return builder.ToSet();
    }

    private sealed partial class VelocitySort()
        : StageSort<VelocityStage>(
            "Velocity",
            "velocity",
            "Note-ons outside low to high stop; the others are bent, scaled (per cent) and shifted.",
            """
            "low": { "type": "integer", "minimum": 1, "maximum": 127 }, "high": { "type": "integer", "minimum": 1, "maximum": 127 },
            "scale": { "type": "integer", "minimum": 0, "maximum": 400 }, "offset": { "type": "integer", "minimum": -127, "maximum": 127 },
            "curve": { "type": "integer", "minimum": -100, "maximum": 100 }
            """
        )
    {
        public override Stage Fresh => new VelocityStage();

        public override string Example => "note-offs pass as they are";

        public override IReadOnlyList<string> LineWords => ["velocity", "vel"];

        public override Stage Read(StageFields fields)
        {
            var low = fields.Number("low", 1, 127, 1);
            return new VelocityStage(
                low,
                fields.Number("high", low, 127, 127),
                fields.Number("scale", 0, 400, 100),
                fields.Number("offset", -127, 127, 0),
                fields.Number("curve", -100, 100, 0)
            );
        }

        public override bool TryRead(StageField field, KeyNaming names, [NotNullWhen(true)] out Stage? stage, out string problem)
        {
            stage =
                TypedNumber.TryRead(field("low"), 1, 127, out var low)
                && TypedNumber.TryRead(field("high"), low, 127, out var high)
                && TypedNumber.TryRead(field("scale"), 0, 400, out var scale)
                && TypedNumber.TryRead(field("offset"), -127, 127, out var offset)
                && TypedNumber.TryRead(field("curve"), -100, 100, out var curve)
                    ? new VelocityStage(low, high, scale, offset, curve)
                    : null;
            problem = stage is null
                ? "The limits go from 1 to 127, softest first; the scale from 0 to 400 %, the offset from −127 to 127, the curve "
                    + "from −100 to 100."
                : "";
            return stage is not null;
        }

        internal override bool TryReadLine(
            string word,
            string rest,
            KeyNaming names,
            [NotNullWhen(true)] out Stage? stage,
            out string problem
        )
        {
            (stage, problem) = (null, "");
            var (low, high, scale, offset, curve, any) = (1, 127, 100, 0, 0, false);
            // As the sign has it: limits, "× 50 %", a number with its sign, "curve +20"; a bare number is what all become.
            foreach (Match part in Part().Matches(rest))
            {
                any = true;
                var said = part.Groups;
                var ok =
                    said["first"].Success
                        ? TypedNumber.TryRead(said["first"].Value, 1, 127, out low)
                            && TypedNumber.TryRead(said["last"].Value, low, 127, out high)
                    : said["percent"].Success ? TypedNumber.TryRead(said["percent"].Value, 0, 400, out scale)
                    : said["curve"].Success ? TypedNumber.TryRead(said["curve"].Value, -100, 100, out curve)
                    : said["shift"].Success
                        ? TypedNumber.TryRead(said["shift"].Value.Replace(" ", "", StringComparison.Ordinal), -127, 127, out offset)
                    : said["all"].Success && TypedNumber.TryRead(said["all"].Value, 1, 127, out offset) && (scale = 0) == 0;
                if (!ok)
                    return false;
            }
            stage = any ? new VelocityStage(low, high, scale, offset, curve) : null;
            return stage is not null;
        }

        [GeneratedRegex(
            @"\G\s*(?:(?<first>\d+)\s*[-–]\s*(?<last>\d+)|(?:×|x|\*)?\s*(?<percent>\d+)\s*%|curve\s*(?<curve>[+−-]?\d+)|(?<shift>[+−-]\s*\d+)|(?<all>\d+)$|(?<other>\S))",
            RegexOptions.IgnoreCase | RegexOptions.CultureInvariant
        )]
        private static partial Regex Part();

        private protected override void Write(VelocityStage stage, Utf8JsonWriter writer)
        {
            writer.WriteNumber("low", stage.Lowest);
            writer.WriteNumber("high", stage.Highest);
            writer.WriteNumber("scale", stage.Scale);
            writer.WriteNumber("offset", stage.Offset);
            writer.WriteNumber("curve", stage.Curve);
        }
    }
}
