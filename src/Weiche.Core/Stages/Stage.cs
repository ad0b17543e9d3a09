using Weiche.Core.Midi;

namespace Weiche.Core.Stages;

/// <summary>One step on a route: it lets messages pass, stops them or changes them.</summary>
/// <remarks>A stage is a value and says what shall happen. <see cref="Compile"/> makes the form that the engine
/// runs, which is the one place where the stage's rule on a message is written down.</remarks>
public abstract record Stage
{
    /// <summary>The stage's name: "Kinds", "Channels".</summary>
    public abstract string Name { get; }

    /// <summary>What it does, short enough for a sign beside a track: "no clock", "ch 1 → 3".</summary>
    public abstract string Sign { get; }

    /// <summary>Why it stops a message that it stops: "only notes".</summary>
    /// <param name="message">A message that this stage stops.</param>
    public abstract string WhyStopped(in MidiMessage message);

    /// <summary>The stage as the engine runs it.</summary>
    internal abstract CompiledStage Compile();
}

/// <summary>A stage in the form that the engine runs: no allocation, no lock, no state that others see.</summary>
internal abstract class CompiledStage
{
    /// <summary>The most messages that any stage makes of one.</summary>
    internal const int MaxFanOut = 16;

    /// <summary>
    /// Runs one message through.
    /// </summary>
    /// <param name="message">The message.</param>
    /// <param name="results">Room for <see cref="MaxFanOut"/> messages; what the message becomes is written to its start.</param>
    /// <returns>How many messages it becomes; 0 if it is stopped.</returns>
    internal abstract int Apply(in MidiMessage message, Span<MidiMessage> results);
}
