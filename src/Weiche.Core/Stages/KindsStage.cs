using Weiche.Core.Analysis;
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

    /// <inheritdoc/>
    public override int Apply(in MidiMessage message, Span<MidiMessage> results) =>
        Passing.Contains(message.Kind) ? Pass(message, results) : 0;

    /// <inheritdoc/>
    public override MessageSet Image(MessageSet set)
    {
        if (Passing == KindSet.All) return set;
        var builder = new MessageSet.Builder();
        var control = (Passing.Contains(MessageKind.ControlChange) ? MessageSet.ControlFirsts : 0)
            | (Passing.Contains(MessageKind.ChannelMode) ? ~MessageSet.ControlFirsts : 0);
        for (var channel = 0; channel < Channel.Count; channel++)
        {
            if (Passing.Contains(MessageKind.Note)) builder.Add(MessageSet.NoteRow, channel, set.Row(MessageSet.NoteRow, channel));
            if (Passing.Contains(MessageKind.PolyPressure)) builder.Add(MessageSet.PolyRow, channel, set.Row(MessageSet.PolyRow, channel));
            if (Passing.Contains(MessageKind.PitchBend)) builder.Add(MessageSet.BendRow, channel, set.Row(MessageSet.BendRow, channel));
            if (Passing.Contains(MessageKind.ProgramChange)) builder.AddSingles(MessageSet.ProgramSingle, channel, set.Single(MessageSet.ProgramSingle, channel));
            if (Passing.Contains(MessageKind.ChannelPressure)) builder.AddSingles(MessageSet.PressureSingle, channel, set.Single(MessageSet.PressureSingle, channel));
        }
        builder.AddMapped(set, MessageSet.ControlRow, row => row.Only(control));
        builder.AddSystem(set.SystemBits);
        var system = 0u;
        foreach (var kind in Passing.Members) system |= 1u << (int)kind;
        builder.KeepSystem(system);
        return builder.ToSet();
    }

    /// <inheritdoc/>
    public override MessageSet PreImage(MessageSet set) => Image(set);

    internal override CompiledStage Compile() =>
        // Controllers and channel mode share a status: where they part, a table of status bytes does not do.
        Passing.Contains(MessageKind.ControlChange) == Passing.Contains(MessageKind.ChannelMode)
            ? TableStage.OfStatus(status => Passing.Contains(MidiMessage.Raw(status, 0, 0).Kind) ? status : 0)
            : new RuleStage(this);
}
