using Weiche.Core.Analysis;
using Weiche.Core.Midi;

namespace Weiche.Core.Stages;

/// <summary>One step on a route: it lets messages pass, stops them or changes them.</summary>
/// <remarks>
/// A stage is a value that says what happens to one message (<see cref="Apply"/>), what becomes of a set of messages
/// (<see cref="Image"/>), which messages lead into a set (<see cref="PreImage"/>), and how the engine runs it
/// (<see cref="Compile"/>). All of these agree on every message; that is what the checks stand on. A stage that looks
/// at time (Thin) lets everything pass as far as <see cref="Apply"/> and the sets are concerned: the safe side.
/// </remarks>
public abstract record Stage
{
    /// <summary>The most messages that any stage makes of one.</summary>
    public const int MaxFanOut = 16;

    /// <summary>The stage's name: "Kinds", "Channels".</summary>
    public abstract string Name { get; }

    /// <summary>What it does, short enough for a sign beside a track: "no clock", "ch 1 → 3".</summary>
    public abstract string Sign { get; }

    /// <summary>Why it stops a message that it stops: "only notes".</summary>
    /// <param name="message">A message that this stage stops.</param>
    public abstract string WhyStopped(in MidiMessage message);

    /// <summary>What one message becomes.</summary>
    /// <param name="message">The message.</param>
    /// <param name="results">Room for <see cref="MaxFanOut"/> messages; what the message becomes is written to its start.</param>
    /// <returns>How many messages it becomes; 0 if it is stopped.</returns>
    public abstract int Apply(in MidiMessage message, Span<MidiMessage> results);

    /// <summary>What a set of messages becomes: everything that <see cref="Apply"/> makes of its members.</summary>
    /// <param name="set">The messages that come.</param>
    public abstract MessageSet Image(MessageSet set);

    /// <summary>The messages of which <see cref="Apply"/> makes at least one that is in a set.</summary>
    /// <param name="set">Messages that go on.</param>
    public abstract MessageSet PreImage(MessageSet set);

    /// <summary>The stage as the engine runs it.</summary>
    internal abstract CompiledStage Compile();

    private protected static int Pass(in MidiMessage message, Span<MidiMessage> results)
    {
        results[0] = message;
        return 1;
    }
}
