using System.Collections.Immutable;
using System.Globalization;
using System.Text.Json;
using Weiche.Core.Midi;
using Weiche.Core.Sets;

namespace Weiche.Core.Stages;

/// <summary>Something that moves and can be made another: a controller from 0 to 119, the pitch bend or the channel
/// pressure.</summary>
public readonly record struct Control
{
    private const int BendNumber = 128;
    private const int PressureNumber = 129;

    private Control(int number) => Number = number;

    /// <summary>The pitch bend.</summary>
    public static readonly Control Bend = new(BendNumber);

    /// <summary>The channel pressure.</summary>
    public static readonly Control Pressure = new(PressureNumber);

    /// <summary>0 to 119 for a controller; above for bend and pressure.</summary>
    internal int Number { get; }

    /// <summary>The number of the controller, 0 to 119; null for bend and pressure.</summary>
    public int? Controller => Number < 120 ? Number : null;

    /// <summary>A controller.</summary>
    /// <param name="number">0 to 119: 120 to 127 are channel mode messages and are left alone.</param>
    /// <exception cref="ArgumentOutOfRangeException">There is no such controller.</exception>
    public static Control Of(int number)
    {
        ArgumentOutOfRangeException.ThrowIfNegative(number);
        ArgumentOutOfRangeException.ThrowIfGreaterThan(number, 119);
        return new Control(number);
    }

    /// <summary>Reads "7", "bend" or "pressure".</summary>
    /// <param name="text">The text.</param>
    /// <param name="control">The control.</param>
    public static bool TryParse(string text, out Control control)
    {
        control = text switch
        {
            "bend" => Bend,
            "pressure" => Pressure,
            _ => default,
        };
        if (control != default)
            return true;
        if (!int.TryParse(text, NumberStyles.None, CultureInfo.InvariantCulture, out var number) || number > 119)
            return false;
        control = Of(number);
        return true;
    }

    /// <summary>"7", "bend" or "pressure".</summary>
    public override string ToString() =>
        Number switch
        {
            BendNumber => "bend",
            PressureNumber => "pressure",
            _ => Number.ToString(CultureInfo.InvariantCulture),
        };
}

/// <summary>What becomes of one control.</summary>
/// <param name="From">The control that comes.</param>
/// <param name="To">The control that goes on; null to stop it.</param>
/// <param name="InLow">The lower end of the values that come, 0 to 127; what is below counts as this.</param>
/// <param name="InHigh">The upper end of the values that come; what is above counts as this.</param>
/// <param name="OutLow">What the lower end becomes, 0 to 127.</param>
/// <param name="OutHigh">What the upper end becomes, 0 to 127. Below <paramref name="OutLow"/> the values are inverted.</param>
public sealed record ControlRule(Control From, Control? To, int InLow = 0, int InHigh = 127, int OutLow = 0, int OutHigh = 127)
{
    /// <summary>Whether the values stay as they are.</summary>
    public bool KeepsValues => (InLow, InHigh, OutLow, OutHigh) == (0, 127, 0, 127);

    /// <summary>What a bend becomes that stays a bend: all fourteen bits, between the ends in proportion, halves rounded up. Where the
    /// middle lies within both pairs of ends it stays the middle, and each side is in proportion by itself.</summary>
    /// <param name="bend">0 to 16383; the middle is 8192.</param>
    internal int MapBend(int bend)
    {
        const int Middle = 8192;
        var (inLow, inHigh, outLow, outHigh) = (Spread(InLow), Spread(InHigh), Spread(OutLow), Spread(OutHigh));
        if (inLow == inHigh)
            return bend < inLow ? outLow : outHigh;
        bend = Math.Clamp(bend, inLow, inHigh);
        if (inLow < Middle && Middle < inHigh && Math.Sign(outLow - Middle) == -Math.Sign(outHigh - Middle) && outLow != Middle)
        {
            if (bend < Middle)
                (inHigh, outHigh) = (Middle, Middle);
            else
                (inLow, outLow) = (Middle, Middle);
        }
        return (int)Math.Floor(outLow + (double)(bend - inLow) * (outHigh - outLow) / (inHigh - inLow) + 0.5);
    }

    /// <summary>Seven bits as fourteen: 0, 64 and 127 become 0, 8192 and 16383.</summary>
    /// <param name="value">0 to 127.</param>
    internal static int Spread(int value) => value <= 64 ? value << 7 : 8192 + (value - 64) * 8191 / 63;

    /// <summary>What a value becomes: between the ends in proportion, halves rounded up.</summary>
    /// <param name="value">0 to 127.</param>
    internal int Map(int value)
    {
        if (InLow == InHigh)
            return value < InLow ? OutLow : OutHigh;
        var along = Math.Clamp(value, InLow, InHigh) - InLow;
        return (int)Math.Floor(OutLow + (double)along * (OutHigh - OutLow) / (InHigh - InLow) + 0.5);
    }
}

/// <summary>
/// Lets certain controllers pass, renumbers, scales and inverts them, and makes bend or pressure of a controller and
/// back. Channel mode messages and all other kinds pass; bend and pressure pass where no rule names them.
/// </summary>
/// <remarks>
/// Values are those of a controller, 0 to 127. Of a bend that becomes something else the upper seven bits count; a value
/// that becomes a bend is spread so that 0, 64 and 127 become the lower end, the middle and the upper end. A bend that
/// stays a bend keeps all fourteen bits (<see cref="ControlRule.MapBend"/>). “Others” are controllers: bend and pressure
/// are stopped by a rule of their own, not with them.
/// </remarks>
public sealed record ControllersStage : Stage
{
    /// <summary>What is to be known of Controllers stages as a sort.</summary>
    public static StageSort AsSort { get; } = new ControllersSort();

    private const int Numbers = 130;

    private readonly ControlRule?[] _rules = new ControlRule?[Numbers];
    private readonly ValueMap?[] _maps = new ValueMap?[Numbers];
    private readonly RowMemo _bentTo = new();
    private readonly RowMemo _bentFrom = new();

    /// <summary>A rule for controls.</summary>
    /// <param name="rules">What becomes of which control; each control at most once.</param>
    /// <param name="othersPass">Whether controllers without a rule pass.</param>
    /// <exception cref="ArgumentException">A value is out of range, or a control has two rules.</exception>
    public ControllersStage(IEnumerable<ControlRule> rules, bool othersPass = true)
    {
        Rules = [.. rules.OrderBy(rule => rule.From.Number)];
        OthersPass = othersPass;
        foreach (var rule in Rules)
        {
            if (
                rule.InLow < 0
                || rule.InHigh > 127
                || rule.InLow > rule.InHigh
                || rule.OutLow is < 0 or > 127
                || rule.OutHigh is < 0 or > 127
            )
                throw new ArgumentException("Values go from 0 to 127, and what comes from low to high.", nameof(rules));
            if (_rules[rule.From.Number] is not null)
                throw new ArgumentException($"Control {rule.From} has two rules.", nameof(rules));
            _rules[rule.From.Number] = rule;
            _maps[rule.From.Number] = new ValueMap(rule.Map);
        }
    }

    /// <summary>What becomes of which control, by control.</summary>
    public ImmutableArray<ControlRule> Rules { get; }

    /// <summary>Whether controllers without a rule pass.</summary>
    public bool OthersPass { get; }

    internal override bool Renumbers => true;

    /// <inheritdoc/>
    public override StageSort Sort => AsSort;

    /// <inheritdoc/>
    public override string Sign(KeyNaming names)
    {
        if (Rules.Length == 0)
            return OthersPass ? "all controllers" : "no controller";
        if (Rules.Length > 1)
            return $"{Rules.Length} controllers";
        var only = Rules[0];
        return $"{(only.From.Controller is null ? "" : "cc ")}{only.From} → {(only.To is { } to ? to.ToString() : "stop")}";
    }

    /// <inheritdoc/>
    public bool Equals(ControllersStage? other) => other is not null && OthersPass == other.OthersPass && Rules.SequenceEqual(other.Rules);

    /// <inheritdoc/>
    public override int GetHashCode() => Rules.Aggregate(OthersPass.GetHashCode(), HashCode.Combine);

    /// <inheritdoc/>
    public override string WhyStopped(in MidiMessage message, KeyNaming names) =>
        message.Kind switch
        {
            MessageKind.PitchBend => "bend does not pass",
            MessageKind.ChannelPressure => "pressure does not pass",
            _ => $"controller {message.Data1} ({ControllerName.Of(message.Data1)}) does not pass",
        };

    /// <inheritdoc/>
    public override int Apply(in MidiMessage message, Span<MidiMessage> results)
    {
        var from = message.Kind switch
        {
            MessageKind.ControlChange => message.Data1,
            MessageKind.PitchBend => Control.Bend.Number,
            MessageKind.ChannelPressure => Control.Pressure.Number,
            _ => Numbers,
        };
        if (from == Numbers)
            return Pass(message, results);
        if (_rules[from] is not { } rule)
            return from >= 120 || OthersPass ? Pass(message, results) : 0;
        if (rule.To is not { } to)
            return 0;
        if (to == rule.From && rule.KeepsValues)
            return Pass(message, results);
        if (IsBent(rule))
            return Pass(MakeBend(message.ChannelIndex, rule.MapBend(message.Data2 << 7 | message.Data1)), results);
        var value = message.Kind == MessageKind.ChannelPressure ? message.Data1 : message.Data2;
        return Pass(Make(to, message.ChannelIndex, _maps[from]![value]), results);
    }

    /// <inheritdoc/>
    public override MessageSet Image(MessageSet set) =>
        Through(set, _bentTo, BendImage, (from, to, channel, builder) =>
            AddValues(to, channel, _maps[from.Number]!.Image(ValuesOf(set, from, channel)), builder)
        );

    /// <inheritdoc/>
    public override MessageSet PreImage(MessageSet set) => Through(set, _bentFrom, BendPreImage, (from, to, channel, builder) =>
        {
            var values = _maps[from.Number]!.PreImage(ValuesInto(set, to, channel));
            if (from == Control.Bend)
                AddBends(channel, values, builder);
            else
                AddValues(from, channel, values, builder);
        });

    internal override CompiledStage Compile() => new RuleStage(this);

    /// <summary>What passes as it is, and what a function adds for each rule that changes something.</summary>
    private MessageSet Through(
        MessageSet set,
        RowMemo bent,
        Func<DataRow, ControlRule, DataRow?> bend,
        Action<Control, Control, int, MessageSet.Builder> addChanged
    )
    {
        var builder = MessageSet.Builder.From(set, MessageSet.ControlRow, MessageSet.BendRow);
        for (var channel = 0; channel < Channel.Count; channel++)
            builder.ClearSingles(MessageSet.PressureSingle, channel);
        for (var channel = 0; channel < Channel.Count; channel++)
        {
            // Most channels of a set are alike: what becomes of them is worked out once.
            if (channel > 0 && IsAlike(set, channel, channel - 1))
            {
                builder.Add(MessageSet.ControlRow, channel, builder.Row(MessageSet.ControlRow, channel - 1));
                builder.Add(MessageSet.BendRow, channel, builder.Row(MessageSet.BendRow, channel - 1));
                builder.AddSingles(MessageSet.PressureSingle, channel, builder.Single(MessageSet.PressureSingle, channel - 1));
                continue;
            }
            AddUnruled(set, channel, builder);
            foreach (var rule in Rules)
            {
                if (rule.To is not { } to)
                    continue;
                if (to == rule.From && rule.KeepsValues)
                    AddAsItIs(set, rule.From, channel, builder);
                else if (IsBent(rule))
                    builder.Add(
                        MessageSet.BendRow,
                        channel,
                        set.Row(MessageSet.BendRow, channel) is { } row ? bent.Get(row, comes => bend(comes, rule)) : null
                    );
                else
                    addChanged(rule.From, to, channel, builder);
            }
        }
        return builder.ToSet();
    }

    private static bool IsAlike(MessageSet set, int one, int other) =>
        ReferenceEquals(set.Row(MessageSet.ControlRow, one), set.Row(MessageSet.ControlRow, other))
        && ReferenceEquals(set.Row(MessageSet.BendRow, one), set.Row(MessageSet.BendRow, other))
        && set.Single(MessageSet.PressureSingle, one) == set.Single(MessageSet.PressureSingle, other);

    private static MidiMessage Make(Control control, int channel, int value)
    {
        if (control == Control.Pressure)
            return MidiMessage.Raw(0xD0 | channel, value, 0);
        if (control != Control.Bend)
            return MidiMessage.Raw(0xB0 | channel, control.Number, value);
        return MakeBend(channel, ControlRule.Spread(value));
    }

    private static MidiMessage MakeBend(int channel, int bend) => MidiMessage.Raw(0xE0 | channel, bend & 127, bend >> 7);

    private void AddUnruled(MessageSet set, int channel, MessageSet.Builder builder)
    {
        var firsts = ~MessageSet.ControlFirsts;
        for (var number = 0; number < 120; number++)
        {
            if (OthersPass && _rules[number] is null)
                firsts |= UInt128.One << number;
        }
        builder.Add(MessageSet.ControlRow, channel, set.Row(MessageSet.ControlRow, channel)?.Only(firsts));
        if (_rules[Control.Bend.Number] is null)
            AddAsItIs(set, Control.Bend, channel, builder);
        if (_rules[Control.Pressure.Number] is null)
            AddAsItIs(set, Control.Pressure, channel, builder);
    }

    private static void AddAsItIs(MessageSet set, Control control, int channel, MessageSet.Builder builder)
    {
        if (control == Control.Bend)
            builder.Add(MessageSet.BendRow, channel, set.Row(MessageSet.BendRow, channel));
        else if (control == Control.Pressure)
            builder.AddSingles(MessageSet.PressureSingle, channel, set.Single(MessageSet.PressureSingle, channel));
        else
            builder.Add(MessageSet.ControlRow, channel, set.Row(MessageSet.ControlRow, channel)?.Only(UInt128.One << control.Number));
    }

    /// <summary>The values that a control has in a set; of a bend the upper seven bits.</summary>
    private static UInt128 ValuesOf(MessageSet set, Control control, int channel)
    {
        if (control == Control.Pressure)
            return set.Single(MessageSet.PressureSingle, channel);
        if (control != Control.Bend)
            return set.Row(MessageSet.ControlRow, channel)?[control.Number] ?? 0;
        var values = UInt128.Zero;
        for (var low = 0; low < 128; low++)
            values |= set.Row(MessageSet.BendRow, channel)?[low] ?? 0;
        return values;
    }

    /// <summary>The values which, made into a control, are in a set.</summary>
    private static UInt128 ValuesInto(MessageSet set, Control control, int channel)
    {
        if (control != Control.Bend)
            return ValuesOf(set, control, channel);
        var values = UInt128.Zero;
        for (var value = 0; value < 128; value++)
        {
            if (set.Contains(Make(control, channel, value)))
                values |= UInt128.One << value;
        }
        return values;
    }

    private static void AddValues(Control control, int channel, UInt128 values, MessageSet.Builder builder)
    {
        if (values == 0)
            return;
        if (control == Control.Pressure)
        {
            builder.AddSingles(MessageSet.PressureSingle, channel, values);
            return;
        }
        var row = new UInt128[DataRow.Size];
        if (control == Control.Bend)
        {
            for (var rest = values; rest != 0; rest &= rest - 1)
            {
                var bend = ControlRule.Spread((int)UInt128.TrailingZeroCount(rest));
                row[bend & 127] |= UInt128.One << (bend >> 7);
            }
            builder.Add(MessageSet.BendRow, channel, new DataRow(row));
            return;
        }
        row[control.Number] = values;
        builder.Add(MessageSet.ControlRow, channel, new DataRow(row));
    }

    /// <summary>Whether a rule makes other bends of bends.</summary>
    private static bool IsBent(ControlRule rule) => rule.From == Control.Bend && rule.To == Control.Bend && !rule.KeepsValues;

    private static DataRow? BendImage(DataRow row, ControlRule rule)
    {
        var values = new UInt128[DataRow.Size];
        for (var bend = 0; bend < DataRow.Size * DataRow.Size; bend++)
        {
            if ((row[bend & 127] >> (bend >> 7) & 1) == 0)
                continue;
            var became = rule.MapBend(bend);
            values[became & 127] |= UInt128.One << (became >> 7);
        }
        return new DataRow(values).NullIfEmpty();
    }

    private static DataRow? BendPreImage(DataRow row, ControlRule rule)
    {
        var values = new UInt128[DataRow.Size];
        for (var bend = 0; bend < DataRow.Size * DataRow.Size; bend++)
        {
            var becomes = rule.MapBend(bend);
            if ((row[becomes & 127] >> (becomes >> 7) & 1) != 0)
                values[bend & 127] |= UInt128.One << (bend >> 7);
        }
        return new DataRow(values).NullIfEmpty();
    }

    /// <summary>Every bend whose upper seven bits are in a set.</summary>
    private static void AddBends(int channel, UInt128 values, MessageSet.Builder builder)
    {
        if (values == 0)
            return;
        var row = new UInt128[DataRow.Size];
        Array.Fill(row, values);
        builder.Add(MessageSet.BendRow, channel, new DataRow(row));
    }

    private sealed class ControllersSort()
        : RuleListSort<ControllersStage, ControlRule, Control>(
            "Controllers",
            "controllers",
            "Renumbers, scales, inverts and stops controllers, bend and pressure.",
            $$"""
            "rules": { "type": "array", "items": { "type": "object", "properties": { "from": {{ControlSchema}}, "to": {{ControlSchema}},
              "inLow": {{ValueSchema}}, "inHigh": {{ValueSchema}}, "outLow": {{ValueSchema}}, "outHigh": {{ValueSchema}} },
              "required": ["from"], "additionalProperties": false, "description": "Without \"to\" the control is stopped." } },
            "others": { "type": "boolean", "description": "Whether controllers without a rule pass." }
            """
        )
    {
        private const string ControlSchema = """{ "type": "string", "pattern": "^([0-9]|[1-9][0-9]|10[0-9]|11[0-9]|bend|pressure)$" }""";
        private const string ValueSchema = """{ "type": "integer", "minimum": 0, "maximum": 127 }""";
        private const string Inverted = "inverted";

        public override string Example => "1→11, 7 stop, 74→bend, 1→7 (20-100), 11→11 inverted, others stop";

        public override IReadOnlyList<string> LineWords => ["cc", "controller", "controllers"];

        // "1→11", "7 stop", "74→bend", "bend→1", "1→7 20-100", "11→11 inverted", "1 (10-90)→11 (20-100)", "others stop".
        private protected override string Examples => "1→11, 7 stop, 74→bend, 1→7 20-100, 11→11 inverted, or others stop";

        private protected override ControllersStage Make(IReadOnlyList<ControlRule> rules, bool othersPass) => new(rules, othersPass);

        private protected override (IEnumerable<ControlRule> Rules, bool OthersPass) PartsOf(ControllersStage stage) =>
            (stage.Rules, stage.OthersPass);

        private protected override Control FromOf(ControlRule rule) => rule.From;

        private protected override string NameOf(ControlRule rule) => $"Control {rule.From}";

        private protected override ControlRule ReadRule(StageFields fields)
        {
            var (from, to) = (ControlOf(fields.Text("from")), fields.TextOrNull("to") is { } text ? ControlOf(text) : (Control?)null);
            return new ControlRule(
                from,
                to,
                fields.Number("inLow", 0, 127, 0),
                fields.Number("inHigh", 0, 127, 127),
                fields.Number("outLow", 0, 127, 0),
                fields.Number("outHigh", 0, 127, 127)
            );
        }

        private protected override void WriteRule(ControlRule rule, Utf8JsonWriter writer)
        {
            writer.WriteString("from", rule.From.ToString());
            if (rule.To is { } to)
                writer.WriteString("to", to.ToString());
            writer.WriteNumber("inLow", rule.InLow);
            writer.WriteNumber("inHigh", rule.InHigh);
            writer.WriteNumber("outLow", rule.OutLow);
            writer.WriteNumber("outHigh", rule.OutHigh);
        }

        private static Control ControlOf(string text) =>
            Control.TryParse(text, out var control)
                ? control
                : throw new FormatException($"“{text}” is not a control: write a controller from 0 to 119, “bend” or “pressure”.");

        private protected override string TextOf(ControlRule rule)
        {
            if (rule.To is not { } to)
                return $"{rule.From} {Stop}";
            var comes = (rule.InLow, rule.InHigh) == (0, 127) ? "" : $" ({rule.InLow}-{rule.InHigh})";
            var goes = (rule.OutLow, rule.OutHigh) switch
            {
                (0, 127) => "",
                (127, 0) => " " + Inverted,
                var (low, high) => $" ({low}-{high})",
            };
            return $"{rule.From}{comes}→{to}{goes}";
        }

        private protected override ControlRule? RuleOf(string text)
        {
            if (text.EndsWith(" " + Stop, StringComparison.OrdinalIgnoreCase))
                return Control.TryParse(text[..^(Stop.Length + 1)].Trim(), out var stopped) ? new ControlRule(stopped, null) : null;
            var sides = text.Split('→', StringSplitOptions.TrimEntries);
            if (sides.Length != 2 || !TrySide(sides[0], out var from, out var inLow, out var inHigh) || inLow > inHigh)
                return null;
            return TrySide(sides[1], out var to, out var outLow, out var outHigh)
                ? new ControlRule(from, to, inLow, inHigh, outLow, outHigh)
                : null;
        }

        private static bool TrySide(string text, out Control control, out int low, out int high)
        {
            (low, high) = (0, 127);
            var words = text.Replace("(", " ", StringComparison.Ordinal)
                .Replace(")", " ", StringComparison.Ordinal)
                .Split(' ', StringSplitOptions.RemoveEmptyEntries);
            if (words.Length is 0 or > 2 || !Control.TryParse(words[0], out control))
            {
                control = default;
                return false;
            }
            if (words.Length == 1)
                return true;
            if (words[1].Equals(Inverted, StringComparison.OrdinalIgnoreCase))
            {
                (low, high) = (127, 0);
                return true;
            }
            var ends = words[1].Split('-', '–');
            return ends.Length == 2 && TypedNumber.TryRead(ends[0], 0, 127, out low) & TypedNumber.TryRead(ends[1], 0, 127, out high);
        }
    }
}
