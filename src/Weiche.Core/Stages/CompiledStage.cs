using Weiche.Core.Midi;

namespace Weiche.Core.Stages;

/// <summary>A stage in the form that the engine runs: no allocation, no lock.</summary>
internal abstract class CompiledStage
{
    /// <summary>Runs one message through.</summary>
    /// <param name="message">The message.</param>
    /// <param name="now">The time.</param>
    /// <param name="source">The source it came from: handed back with what is let go later.</param>
    /// <param name="results">Room for <see cref="Stage.MaxFanOut"/> messages.</param>
    /// <returns>How many messages it becomes; 0 if it is stopped or kept for later.</returns>
    internal abstract int Apply(in MidiMessage message, MidiTime now, int source, Span<MidiMessage> results);

    /// <summary>Whether it may keep messages for later.</summary>
    internal virtual bool KeepsTime => false;

    /// <summary>When the next message that was kept is due; <see cref="long.MaxValue"/> if none is kept.</summary>
    internal virtual long NextDue => long.MaxValue;

    /// <summary>Lets go of one kept message that is due.</summary>
    /// <param name="now">The time.</param>
    /// <param name="source">The source it came from.</param>
    /// <param name="message">The message.</param>
    /// <returns>False if none is due.</returns>
    internal virtual bool TryLetGo(MidiTime now, out int source, out MidiMessage message)
    {
        source = 0;
        message = default;
        return false;
    }
}

/// <summary>A stage without time, run by its rule.</summary>
/// <param name="stage">The stage.</param>
internal sealed class RuleStage(Stage stage) : CompiledStage
{
    internal override int Apply(in MidiMessage message, MidiTime now, int source, Span<MidiMessage> results) => stage.Apply(message, results);
}
