using System.Diagnostics.CodeAnalysis;
using System.Text.Json;
using Weiche.Core.Midi;

namespace Weiche.Core.Stages;

/// <summary>A sort of stage that is a list of rules, at most one for each thing, and says what becomes of the things without one. It is
/// typed with commas: "1→11, 7 stop, others stop". What one rule is, the sort knows.</summary>
/// <typeparam name="TStage">The stages of the sort.</typeparam>
/// <typeparam name="TRule">What a rule is.</typeparam>
/// <typeparam name="TFrom">What a rule is for.</typeparam>
internal abstract class RuleListSort<TStage, TRule, TFrom>(string name, string word, string does, string schema)
    : StageSort<TStage>(name, word, does, schema, "\"rules\", \"others\"")
    where TStage : Stage
    where TRule : class
{
    private protected const string Stop = "stop";
    private const string OthersStop = "others stop";
    private const int MaxLength = 2000;

    public sealed override Stage Fresh => Make([], true);

    /// <summary>What can be written, for the sentence that says so.</summary>
    private protected abstract string Examples { get; }

    public sealed override Stage Read(StageFields fields) =>
        Make(fields.List("rules", $"a rule of a {Name} stage", ReadRule), fields.Flag("others"));

    public sealed override bool TryRead(string? text, KeyNaming names, [NotNullWhen(true)] out Stage? stage, out string problem)
    {
        (stage, problem) = (null, "");
        var typed = (text ?? "").Replace("->", "→", StringComparison.Ordinal).Replace('>', '→');
        if (typed.Length > MaxLength)
        {
            problem = $"That is too long: at most {MaxLength} characters.";
            return false;
        }
        var (rules, seen, othersPass) = (new List<TRule>(), new HashSet<TFrom>(), true);
        foreach (var part in typed.Split(',', StringSplitOptions.TrimEntries | StringSplitOptions.RemoveEmptyEntries))
        {
            if (part.Equals(OthersStop, StringComparison.OrdinalIgnoreCase))
            {
                othersPass = false;
                continue;
            }
            if (RuleOf(part) is not { } rule)
                problem = $"“{part}” is not a rule. Write {Examples}.";
            else if (!seen.Add(FromOf(rule)))
                problem = $"{NameOf(rule)} has two rules.";
            else
                rules.Add(rule);
            if (problem.Length > 0)
                return false;
        }
        stage = Make(rules, othersPass);
        return true;
    }

    private protected sealed override string TextOf(TStage stage, KeyNaming names)
    {
        var (rules, othersPass) = PartsOf(stage);
        return string.Join(", ", rules.Select(TextOf).Concat(othersPass ? [] : [OthersStop]));
    }

    private protected sealed override void Write(TStage stage, Utf8JsonWriter writer)
    {
        var (rules, othersPass) = PartsOf(stage);
        writer.WriteStartArray("rules");
        foreach (var rule in rules)
        {
            writer.WriteStartObject();
            WriteRule(rule, writer);
            writer.WriteEndObject();
        }
        writer.WriteEndArray();
        writer.WriteBoolean("others", othersPass);
    }

    private protected abstract TStage Make(IReadOnlyList<TRule> rules, bool othersPass);

    private protected abstract (IEnumerable<TRule> Rules, bool OthersPass) PartsOf(TStage stage);

    /// <summary>What a rule is for: there is one rule for each.</summary>
    private protected abstract TFrom FromOf(TRule rule);

    /// <summary>What a rule is for, in words.</summary>
    private protected abstract string NameOf(TRule rule);

    /// <summary>Reads one rule as it is typed; null if it is none.</summary>
    private protected abstract TRule? RuleOf(string text);

    private protected abstract string TextOf(TRule rule);

    private protected abstract TRule ReadRule(StageFields fields);

    private protected abstract void WriteRule(TRule rule, Utf8JsonWriter writer);
}
