using System.Diagnostics.CodeAnalysis;
using System.Text.Json;
using Weiche.Core.Midi;
using Weiche.Core.Sets;

namespace Weiche.Core.Stages;

/// <summary>Lets only messages of certain kinds pass.</summary>
/// <param name="Passing">The kinds that pass.</param>
public sealed record KindsStage(KindSet Passing) : Stage
{
    /// <summary>What is to be known of Kinds stages as a sort.</summary>
    public static StageSort AsSort { get; } = new KindsSort();

    /// <inheritdoc/>
    public override StageSort Sort => AsSort;

    /// <inheritdoc/>
    public override string Sign(KeyNaming names)
    {
        if (Passing == KindSet.All)
            return "all kinds";
        if (Passing.IsEmpty)
            return "nothing";
        var stopped = Passing.Complement;
        if (stopped.Count <= 2)
            return "no " + string.Join(", ", stopped.Members.Select(MessageKinds.ShortName));
        return Passing.Count <= 2
            ? string.Join(", ", Passing.Members.Select(MessageKinds.ShortName))
            : $"{Passing.Count} of {MessageKinds.Count} kinds";
    }

    /// <inheritdoc/>
    public override string WhyStopped(in MidiMessage message, KeyNaming names) =>
        Passing.Count is 1 or 2 ? $"only {string.Join(" and ", Passing.Members.Select(MessageKinds.Name))}" : $"no {message.Kind.Name()}";

    /// <inheritdoc/>
    public override int Apply(in MidiMessage message, Span<MidiMessage> results) =>
        Passing.Contains(message.Kind) ? Pass(message, results) : 0;

    /// <inheritdoc/>
    public override MessageSet Image(MessageSet set) => set.Of(Passing);

    /// <inheritdoc/>
    public override MessageSet PreImage(MessageSet set) => Image(set);

    internal override CompiledStage Compile() =>
        // Controllers and channel mode share a status: where they part, a table of status bytes does not do.
        Passing.Contains(MessageKind.ControlChange) == Passing.Contains(MessageKind.ChannelMode)
            ? TableStage.OfStatus(status => Passing.Contains(MidiMessage.Raw(status, 0, 0).Kind) ? status : 0)
            : new RuleStage(this);

    private sealed class KindsSort()
        : StageSort<KindsStage>(
            "Kinds",
            "kinds",
            "Lets only these kinds of message pass.",
            $$"""
            "pass": { "type": "array", "items": { "enum": [{{string.Join(
                ", ",
                MessageKinds.All.Select(kind => $"\"{WordOf(kind)}\"")
            )}}] } }
            """,
            "\"pass\""
        )
    {
        // What a musician says, and the kinds that it means.
        private static readonly Dictionary<string, MessageKind[]> Spoken = new(StringComparer.OrdinalIgnoreCase)
        {
            ["notes"] = [MessageKind.Note],
            ["note"] = [MessageKind.Note],
            ["clock"] = [MessageKind.Clock, MessageKind.Start, MessageKind.Continue, MessageKind.Stop],
            ["sensing"] = [MessageKind.ActiveSensing],
            ["active sensing"] = [MessageKind.ActiveSensing],
            ["bend"] = [MessageKind.PitchBend],
            ["pitch bend"] = [MessageKind.PitchBend],
            ["pressure"] = [MessageKind.ChannelPressure, MessageKind.PolyPressure],
            ["controllers"] = [MessageKind.ControlChange],
            ["aftertouch"] = [MessageKind.ChannelPressure, MessageKind.PolyPressure],
            ["pitchbend"] = [MessageKind.PitchBend],
            ["wheel"] = [MessageKind.PitchBend],
            ["controls"] = [MessageKind.ControlChange],
            ["cc"] = [MessageKind.ControlChange],
            ["clocks"] = [MessageKind.Clock],
            ["program"] = [MessageKind.ProgramChange],
            ["prog"] = [MessageKind.ProgramChange],
            ["pc"] = [MessageKind.ProgramChange],
            ["programs"] = [MessageKind.ProgramChange],
            ["program changes"] = [MessageKind.ProgramChange],
            ["system exclusive"] = [MessageKind.SystemExclusive],
            ["sysex"] = [MessageKind.SystemExclusive],
        };

        public override Stage Fresh => new KindsStage(KindSet.All);

        public override IReadOnlyList<string> LineWords => ["no", "only", "without", "just"];

        public override Stage Read(StageFields fields) => new KindsStage(KindSet.Of([.. fields.Texts("pass").Select(KindOf)]));

        internal override bool TryReadLine(
            string word,
            string rest,
            KeyNaming names,
            [NotNullWhen(true)] out Stage? stage,
            out string problem
        )
        {
            (stage, problem) = (null, "");
            var set = KindSet.None;
            foreach (
                var name in rest.Replace(" and ", ",", StringComparison.OrdinalIgnoreCase)
                    .Split(',', StringSplitOptions.TrimEntries | StringSplitOptions.RemoveEmptyEntries)
            )
            {
                if (!Spoken.TryGetValue(name, out var kinds))
                    return false;
                foreach (var kind in kinds)
                    set = set.With(kind, true);
            }
            if (set.IsEmpty)
                return false;
            stage = new KindsStage(word is "only" or "just" ? set : set.Complement);
            return true;
        }

        private protected override void Write(KindsStage stage, Utf8JsonWriter writer)
        {
            writer.WriteStartArray("pass");
            foreach (var kind in stage.Passing.Members)
                writer.WriteStringValue(WordOf(kind));
            writer.WriteEndArray();
        }

        private static readonly Dictionary<MessageKind, string> Words = MessageKinds.All.ToDictionary(
            kind => kind,
            kind => JsonNamingPolicy.CamelCase.ConvertName(kind.ToString())
        );

        private static string WordOf(MessageKind kind) => Words[kind];

        private static MessageKind KindOf(string word)
        {
            foreach (var kind in MessageKinds.All)
            {
                if (WordOf(kind) == word)
                    return kind;
            }
            throw new FormatException($"“{word}” is no kind of message.");
        }
    }
}
