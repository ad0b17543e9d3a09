using System.Diagnostics.CodeAnalysis;
using System.Text.Json;
using Weiche.Core.Midi;

namespace Weiche.Core.Stages;

/// <summary>A field of a form or a line of a file: what a person has put in under a name; null if there is none.</summary>
/// <param name="name">The name of the field.</param>
public delegate string? StageField(string name);

/// <summary>
/// What is to be known of one sort of stage, apart from any single stage: how it is called, what it starts as, how it stands in a file, how
/// it is typed. Each sort stands in the file of its stage; <see cref="StageSorts.All"/> has them all. Files, forms, typed lines, the schema
/// and the tests go through that list.
/// </summary>
public abstract class StageSort
{
    private protected StageSort(string name, string word, string does, string schema, string? required = null)
    {
        (Name, Word, Does, Fields, Required) = (name, word, does, schema, required ?? "");
    }

    /// <summary>How it is called on screen: "Keys". Its part of a page has this name.</summary>
    public string Name { get; }

    /// <summary>What stands for it in a file: "keys".</summary>
    public string Word { get; }

    /// <summary>What it does, in a sentence, for the description of the format.</summary>
    public string Does { get; }

    /// <summary>Its fields in a file, as the properties of a JSON schema, without the outer braces.</summary>
    public string Fields { get; }

    /// <summary>The fields that must be there, quoted and separated by commas; empty if none must.</summary>
    public string Required { get; }

    /// <summary>A new stage as it is put on a route: one that changes little or nothing yet.</summary>
    public abstract Stage Fresh { get; }

    /// <summary>What can be typed as its rule, as an example beside the line; empty where its form explains itself.</summary>
    public virtual string Example => "";

    /// <summary>The words that a typed line may begin with to mean it: "keys C1 – B2".</summary>
    public virtual IReadOnlyList<string> LineWords => [Word];

    /// <summary>A stage's rule as it could be typed; empty for a sort that is not typed.</summary>
    /// <param name="stage">A stage of this sort.</param>
    /// <param name="names">How keys are called.</param>
    public virtual string TextOf(Stage stage, KeyNaming names) => "";

    /// <summary>Reads a rule as a person types it, what <see cref="TextOf"/> writes among others.</summary>
    /// <param name="text">What was typed.</param>
    /// <param name="names">How keys are called.</param>
    /// <param name="stage">The stage, if it could be read.</param>
    /// <param name="problem">Why it cannot be read, in a sentence.</param>
    public virtual bool TryRead(string? text, KeyNaming names, [NotNullWhen(true)] out Stage? stage, out string problem)
    {
        (stage, problem) = (null, "There is no such stage.");
        return false;
    }

    /// <summary>Reads a stage from the fields of its form; of a sort whose rule is typed, from the one field “rule”.</summary>
    /// <param name="field">The fields.</param>
    /// <param name="names">How keys are called.</param>
    /// <param name="stage">The stage, if it could be read.</param>
    /// <param name="problem">Why it cannot be read, in a sentence.</param>
    public virtual bool TryRead(StageField field, KeyNaming names, [NotNullWhen(true)] out Stage? stage, out string problem) =>
        TryRead(field("rule"), names, out stage, out problem);

    /// <summary>Reads the rest of a line that began with one of its words.</summary>
    /// <param name="word">The word, in small letters.</param>
    /// <param name="rest">What follows it.</param>
    /// <param name="names">How keys are called.</param>
    /// <param name="stage">The stage, if it could be read.</param>
    /// <param name="problem">Why it cannot be read; empty where there is nothing particular to say.</param>
    internal virtual bool TryReadLine(
        string word,
        string rest,
        KeyNaming names,
        [NotNullWhen(true)] out Stage? stage,
        out string problem
    ) => TryRead(rest, names, out stage, out problem);

    /// <summary>Reads a line that begins with none of the words: "-12", "C1 – B2".</summary>
    /// <param name="text">The line.</param>
    /// <param name="names">How keys are called.</param>
    internal virtual Stage? TryReadBare(string text, KeyNaming names) => null;

    /// <summary>Writes the fields of a stage into the object of a file that stands for it.</summary>
    /// <param name="stage">A stage of this sort.</param>
    /// <param name="writer">Where to.</param>
    public abstract void Write(Stage stage, Utf8JsonWriter writer);

    /// <summary>Reads a stage from the object of a file that stands for it.</summary>
    /// <param name="fields">Its fields.</param>
    /// <exception cref="FormatException">The fields do not make such a stage; the message says why, in a sentence.</exception>
    public abstract Stage Read(StageFields fields);
}

/// <summary>A sort of stage, with its stages by their type.</summary>
/// <typeparam name="TStage">The stages of the sort.</typeparam>
internal abstract class StageSort<TStage>(string name, string word, string does, string schema, string? required = null)
    : StageSort(name, word, does, schema, required)
    where TStage : Stage
{
    /// <inheritdoc/>
    public sealed override string TextOf(Stage stage, KeyNaming names) => TextOf((TStage)stage, names);

    /// <inheritdoc/>
    public sealed override void Write(Stage stage, Utf8JsonWriter writer) => Write((TStage)stage, writer);

    private protected virtual string TextOf(TStage stage, KeyNaming names) => "";

    private protected abstract void Write(TStage stage, Utf8JsonWriter writer);
}

/// <summary>All sorts of stage.</summary>
public static class StageSorts
{
    /// <summary>All of them, in the order in which they are offered.</summary>
    public static IReadOnlyList<StageSort> All { get; } =
    [
        KindsStage.AsSort,
        ChannelsStage.AsSort,
        KeysStage.AsSort,
        TransposeStage.AsSort,
        VelocityStage.AsSort,
        ControllersStage.AsSort,
        ProgramsStage.AsSort,
        ChordStage.AsSort,
        ThinStage.AsSort,
        PatternStage.AsSort,
    ];

    /// <summary>The sort of this name, or null.</summary>
    /// <param name="name">The name, as on screen.</param>
    public static StageSort? Named(string? name) => All.FirstOrDefault(sort => sort.Name == name);

    /// <summary>The sort that a word stands for in a file, or null.</summary>
    /// <param name="word">The word.</param>
    public static StageSort? OfWord(string? word) => All.FirstOrDefault(sort => sort.Word == word);

    /// <summary>The part of the format's JSON schema that says what a stage may be.</summary>
    public static string Schema =>
        "{ \"oneOf\": ["
        + string.Join(
            ", ",
            All.Select(sort =>
                $$"""
                    { "type": "object", "properties": { "stage": { "const": "{{sort.Word}}" }, {{sort.Fields}},
                      "off": { "type": "boolean", "description": "Whether it is switched off: everything passes it." } },
                      "required": ["stage"{{(
                        sort.Required.Length > 0 ? ", " + sort.Required : ""
                    )}}], "additionalProperties": false, "description": "{{sort.Does}}" }
                    """
            )
        )
        + "] }";
}
