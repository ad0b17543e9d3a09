using Weiche.Core.Midi;

namespace Weiche.Core.Stages;

/// <summary>Lets only messages of certain kinds pass.</summary>
/// <param name="Passing">The kinds that pass.</param>
public sealed record KindsStage(KindSet Passing) : Stage
{
    /// <inheritdoc/>
    public override string Name => "Kinds";

    /// <inheritdoc/>
    public override string Sign
    {
        get
        {
            if (Passing == KindSet.All) return "all kinds";
            if (Passing.IsEmpty) return "nothing";
            var stopped = Passing.Complement;
            if (stopped.Count <= 2) return "no " + string.Join(", ", stopped.Members.Select(MessageKinds.ShortName));
            return Passing.Count <= 2
                ? string.Join(", ", Passing.Members.Select(MessageKinds.ShortName))
                : $"{Passing.Count} of {MessageKinds.Count} kinds";
        }
    }

    /// <inheritdoc/>
    public override string WhyStopped(in MidiMessage message) =>
        Passing.Count is 1 or 2 ? $"only {string.Join(" and ", Passing.Members.Select(MessageKinds.Name))}" : $"no {message.Kind.Name()}";

    internal override CompiledStage Compile() => new Compiled(Passing);

    private sealed class Compiled(KindSet passing) : CompiledStage
    {
        internal override int Apply(in MidiMessage message, Span<MidiMessage> results)
        {
            if (!passing.Contains(message.Kind)) return 0;
            results[0] = message;
            return 1;
        }
    }
}
