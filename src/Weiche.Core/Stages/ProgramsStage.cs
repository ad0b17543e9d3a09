using System.Collections.Immutable;
using System.Globalization;
using System.Text.Json;
using Weiche.Core.Midi;
using Weiche.Core.Sets;

namespace Weiche.Core.Stages;

/// <summary>What becomes of one program.</summary>
/// <param name="From">The program that comes, as the wire carries it: 0 to 127, one less than on screen.</param>
/// <param name="To">The program that goes on, 0 to 127; null to stop it.</param>
/// <param name="Bank">The bank that is selected first, 0 to 16383 (controllers 0 and 32 together); null to leave the bank.</param>
public sealed record ProgramRule(int From, int? To, int? Bank = null);

/// <summary>Lets certain program changes pass and makes others of them, with their bank. All other messages pass.</summary>
public sealed record ProgramsStage : Stage
{
    /// <summary>What is to be known of Programs stages as a sort.</summary>
    public static StageSort AsSort { get; } = new ProgramsSort();

    private readonly ProgramRule?[] _rules = new ProgramRule?[128];

    /// <summary>A rule for programs.</summary>
    /// <param name="rules">What becomes of which program; each program at most once.</param>
    /// <param name="othersPass">Whether programs without a rule pass.</param>
    /// <exception cref="ArgumentException">A program or bank does not exist, or a program has two rules.</exception>
    public ProgramsStage(IEnumerable<ProgramRule> rules, bool othersPass = true)
    {
        // What is stopped has no bank.
        Rules = [.. rules.OrderBy(rule => rule.From).Select(rule => rule.To is null ? rule with { Bank = null } : rule)];
        OthersPass = othersPass;
        foreach (var rule in Rules)
        {
            if (rule.From is < 0 or > 127 || rule.To is < 0 or > 127)
                throw new ArgumentException("Programs go from 1 to 128.", nameof(rules));
            if (rule.Bank is < 0 or > 16383)
                throw new ArgumentException("Banks go from 0 to 16383.", nameof(rules));
            if (_rules[rule.From] is not null)
                throw new ArgumentException($"Program {rule.From + 1} has two rules.", nameof(rules));
            _rules[rule.From] = rule;
        }
    }

    /// <summary>What becomes of which program, by program.</summary>
    public ImmutableArray<ProgramRule> Rules { get; }

    /// <summary>Whether programs without a rule pass.</summary>
    public bool OthersPass { get; }

    internal override bool Renumbers => true;

    /// <inheritdoc/>
    public override StageSort Sort => AsSort;

    /// <inheritdoc/>
    public override string Sign(KeyNaming names)
    {
        if (Rules.Length == 0)
            return OthersPass ? "all programs" : "no program";
        if (Rules.Length > 1)
            return $"{Rules.Length} programs";
        var only = Rules[0];
        return string.Create(
            CultureInfo.InvariantCulture,
            $"prog {only.From + 1} → {(only.To is { } to ? (to + 1).ToString(CultureInfo.InvariantCulture) : "stop")}"
        );
    }

    /// <inheritdoc/>
    public bool Equals(ProgramsStage? other) => other is not null && OthersPass == other.OthersPass && Rules.SequenceEqual(other.Rules);

    /// <inheritdoc/>
    public override int GetHashCode() => Rules.Aggregate(OthersPass.GetHashCode(), HashCode.Combine);

    /// <inheritdoc/>
    public override string WhyStopped(in MidiMessage message, KeyNaming names) => $"program {message.Data1 + 1} does not pass";

    /// <inheritdoc/>
    public override int Apply(in MidiMessage message, Span<MidiMessage> results)
    {
        if (message.Kind != MessageKind.ProgramChange)
            return Pass(message, results);
        if (_rules[message.Data1] is not { } rule)
            return OthersPass ? Pass(message, results) : 0;
        if (rule.To is not { } to)
            return 0;
        var count = 0;
        if (rule.Bank is { } bank)
        {
            results[count++] = MidiMessage.Raw(0xB0 | message.ChannelIndex, 0, bank >> 7);
            results[count++] = MidiMessage.Raw(0xB0 | message.ChannelIndex, 32, bank & 127);
        }
        results[count++] = message.WithData(to, 0);
        return count;
    }

    /// <inheritdoc/>
    public override MessageSet Image(MessageSet set)
    {
        var builder = MessageSet.Builder.From(set);
        for (var channel = 0; channel < Channel.Count; channel++)
        {
            builder.ClearSingles(MessageSet.ProgramSingle, channel);
            for (var rest = set.Single(MessageSet.ProgramSingle, channel); rest != 0; rest &= rest - 1)
                Add(builder, channel, (int)UInt128.TrailingZeroCount(rest));
        }
        return builder.ToSet();
    }

    /// <inheritdoc/>
    public override MessageSet PreImage(MessageSet set)
    {
        var builder = MessageSet.Builder.From(set);
        Span<MidiMessage> results = stackalloc MidiMessage[MaxFanOut];
        for (var channel = 0; channel < Channel.Count; channel++)
        {
            builder.ClearSingles(MessageSet.ProgramSingle, channel);
            for (var program = 0; program < 128; program++)
            {
                var message = MidiMessage.Raw(0xC0 | channel, program, 0);
                var count = Apply(message, results);
                for (var i = 0; i < count; i++)
                {
                    if (set.Contains(results[i]))
                        builder.Add(message);
                }
            }
        }
        return builder.ToSet();
    }

    internal override MessageSet PreImageTwice(MessageSet once, MessageSet twice)
    {
        var builder = MessageSet.Builder.From(PreImage(twice));
        Span<MidiMessage> results = stackalloc MidiMessage[MaxFanOut];
        foreach (var rule in Rules.Where(rule => rule.Bank is not null && rule.To is not null))
        {
            for (var channel = 0; channel < Channel.Count; channel++)
            {
                var ways = 0;
                var message = MidiMessage.Raw(0xC0 | channel, rule.From, 0);
                for (var i = Apply(message, results) - 1; i >= 0; i--)
                    ways += once.Contains(results[i]) ? 1 : 0;
                if (ways > 1)
                    builder.Add(message);
            }
        }
        return builder.ToSet();
    }

    internal override CompiledStage Compile() => new RuleStage(this);

    private void Add(MessageSet.Builder builder, int channel, int program)
    {
        Span<MidiMessage> results = stackalloc MidiMessage[MaxFanOut];
        var count = Apply(MidiMessage.Raw(0xC0 | channel, program, 0), results);
        for (var i = 0; i < count; i++)
            builder.Add(results[i]);
    }

    private sealed class ProgramsSort()
        : RuleListSort<ProgramsStage, ProgramRule, int>(
            "Programs",
            "programs",
            "Makes other programs of programs.",
            """
            "rules": { "type": "array", "items": { "type": "object", "properties": { "from": { "type": "integer", "minimum": 1, "maximum": 128 },
              "to": { "type": "integer", "minimum": 1, "maximum": 128 }, "bank": { "type": "integer", "minimum": 0, "maximum": 16383 } },
              "required": ["from"], "additionalProperties": false, "description": "Programs as on screen, 1 to 128. Without \"to\" the program is stopped." } },
            "others": { "type": "boolean" }
            """
        )
    {
        public override string Example => "1→5, 2 stop, 3→10 bank 128, others stop";

        public override IReadOnlyList<string> LineWords => ["program", "programs", "prog", "pc"];

        // Programs from 1 to 128: "1→5", "2 stop", "3→10 bank 128", "others stop".
        private protected override string Examples => "1→5, 2 stop, 3→10 bank 128, or others stop; programs go from 1 to 128";

        private protected override ProgramsStage Make(IReadOnlyList<ProgramRule> rules, bool othersPass) => new(rules, othersPass);

        private protected override (IEnumerable<ProgramRule> Rules, bool OthersPass) PartsOf(ProgramsStage stage) =>
            (stage.Rules, stage.OthersPass);

        private protected override int FromOf(ProgramRule rule) => rule.From;

        private protected override string NameOf(ProgramRule rule) => $"Program {rule.From + 1}";

        private protected override ProgramRule ReadRule(StageFields fields) =>
            new(fields.Number("from", 1, 128) - 1, fields.NumberOrNull("to", 1, 128) - 1, fields.NumberOrNull("bank", 0, 16383));

        private protected override void WriteRule(ProgramRule rule, Utf8JsonWriter writer)
        {
            writer.WriteNumber("from", rule.From + 1);
            if (rule.To is { } to)
                writer.WriteNumber("to", to + 1);
            if (rule.Bank is { } bank)
                writer.WriteNumber("bank", bank);
        }

        private protected override string TextOf(ProgramRule rule)
        {
            if (rule.To is not { } to)
                return $"{rule.From + 1} {Stop}";
            return $"{rule.From + 1}→{to + 1}" + (rule.Bank is { } bank ? $" bank {bank}" : "");
        }

        private protected override ProgramRule? RuleOf(string text)
        {
            var words = text.Replace("→", " → ", StringComparison.Ordinal).Split(' ', StringSplitOptions.RemoveEmptyEntries);
            if (words.Length < 2 || !TypedNumber.TryRead(words[0], 1, 128, out var from))
                return null;
            if (words.Length == 2 && words[1].Equals(Stop, StringComparison.OrdinalIgnoreCase))
                return new ProgramRule(from - 1, null);
            if (words.Length is not (3 or 5) || words[1] != "→" || !TypedNumber.TryRead(words[2], 1, 128, out var to))
                return null;
            if (words.Length == 3)
                return new ProgramRule(from - 1, to - 1);
            return words[3].Equals("bank", StringComparison.OrdinalIgnoreCase) && TypedNumber.TryRead(words[4], 0, 16383, out var bank)
                ? new ProgramRule(from - 1, to - 1, bank)
                : null;
        }
    }
}
