using Weiche.Core.Midi;
using Weiche.Core.Sets;

namespace Weiche.Core.Stages;

/// <summary>A stage that is switched off: everything passes it as it is, and it stays in its place with all that was set.</summary>
public sealed record OffStage : Stage
{
    /// <summary>A stage switched off.</summary>
    /// <param name="inner">The stage, which is itself not one that is switched off.</param>
    /// <exception cref="ArgumentException">It is switched off already.</exception>
    public OffStage(Stage inner)
    {
        if (inner is OffStage)
            throw new ArgumentException("The stage is switched off already.", nameof(inner));
        Inner = inner;
    }

    /// <summary>What it is when it is switched on.</summary>
    public Stage Inner { get; }

    /// <inheritdoc/>
    public override StageSort Sort => Inner.Sort;

    /// <inheritdoc/>
    public override bool LetsAllPass => true;

    /// <inheritdoc/>
    public override string Sign(KeyNaming names) => $"{Inner.Sign(names)} · off";

    /// <inheritdoc/>
    public override string WhyStopped(in MidiMessage message, KeyNaming names) => "it is switched off and stops nothing";

    /// <inheritdoc/>
    public override int Apply(in MidiMessage message, Span<MidiMessage> results) => Pass(message, results);

    /// <inheritdoc/>
    public override MessageSet Image(MessageSet set) => set;

    /// <inheritdoc/>
    public override MessageSet PreImage(MessageSet set) => set;

    internal override CompiledStage Compile() => TableStage.PassesAll;
}
