using System.Collections.Immutable;
using Weiche.Core.Midi;
using Weiche.Core.Sets;

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

    private static readonly ImmutableArray<int> Unmoved = [0];

    /// <summary>Of which sort it is.</summary>
    public abstract StageSort Sort { get; }

    /// <summary>How stages of its sort are called: "Kinds", "Channels".</summary>
    public string Name => Sort.Name;

    /// <summary>Whether everything passes it as it is, as far as <see cref="Apply"/> and the sets are concerned: it is switched off, or
    /// looks at time alone.</summary>
    public virtual bool LetsAllPass => false;

    /// <summary>Whether what passes it depends on time: then <see cref="Apply"/> and the sets say what may pass.</summary>
    public virtual bool LooksAtTime => false;

    /// <summary>How often a second each control passes at most; null where that is not limited.</summary>
    public virtual int? MostPerSecond => null;

    /// <summary>What it does, short enough for a sign beside a track: "no clock", "ch 1 → 3".</summary>
    /// <param name="names">How keys are called.</param>
    public abstract string Sign(KeyNaming names);

    /// <summary>Why it stops a message that it stops: "only notes".</summary>
    /// <param name="message">A message that this stage stops.</param>
    /// <param name="names">How keys are called.</param>
    public abstract string WhyStopped(in MidiMessage message, KeyNaming names);

    /// <summary>That the stage stops a message, and why: "stopped by Keys: …".</summary>
    /// <param name="message">A message that it stops.</param>
    /// <param name="names">How keys are called.</param>
    /// <param name="of">The inner path that the stage is on; null for a stage of a route.</param>
    public string StoppedWords(in MidiMessage message, KeyNaming names, string? of = null) =>
        $"stopped by {Name}{(of is null ? "" : " of " + of)}: {WhyStopped(message, names)}";

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

    /// <summary>The messages from which at least two ways lead on, where ways are counted: each message that
    /// <see cref="Apply"/> makes is a way, or two if two lead on from it.</summary>
    /// <param name="once">Messages from which at least one way leads on.</param>
    /// <param name="twice">Those of them from which at least two do.</param>
    internal virtual MessageSet PreImageTwice(MessageSet once, MessageSet twice) => PreImage(twice);

    /// <summary>The keys of notes that it lets pass, a bit for each; all but for stages that look at keys.</summary>
    internal virtual UInt128 KeepsKeys => UInt128.MaxValue;

    /// <summary>By how many semitones it moves what it makes of a note, one for each note that it makes; by none, once, but for stages
    /// that move keys.</summary>
    internal virtual ImmutableArray<int> MovesKeysBy => Unmoved;

    /// <summary>To which channels it sends what comes on each; null if it leaves them.</summary>
    internal virtual ChannelMap? MapsChannels => null;

    /// <summary>Whether it makes one controller, bend, pressure or program of another.</summary>
    internal virtual bool Renumbers => false;

    /// <summary>The stage as the engine runs it.</summary>
    internal abstract CompiledStage Compile();

    /// <summary>Runs messages through stages one after the other.</summary>
    /// <param name="stages">The stages.</param>
    /// <param name="messages">The messages that come.</param>
    /// <param name="stoppedAt">The stage after which none is left, from 0; null if some are.</param>
    /// <param name="last">The messages before that stage; what comes out if there is none.</param>
    /// <returns>What comes out, in order, each as often as it does.</returns>
    public static ImmutableArray<MidiMessage> Run(
        ImmutableArray<Stage> stages,
        ImmutableArray<MidiMessage> messages,
        out int? stoppedAt,
        out ImmutableArray<MidiMessage> last
    )
    {
        (stoppedAt, last) = (null, messages);
        Span<MidiMessage> results = stackalloc MidiMessage[MaxFanOut];
        for (var i = 0; i < stages.Length; i++)
        {
            var next = ImmutableArray.CreateBuilder<MidiMessage>();
            foreach (var each in last)
                next.AddRange(results[..stages[i].Apply(each, results)]);
            if (next.Count == 0)
            {
                stoppedAt = i;
                return [];
            }
            last = next.ToImmutable();
        }
        return last;
    }

    /// <summary>What a set of messages becomes of stages one after the other.</summary>
    /// <param name="stages">The stages.</param>
    /// <param name="set">The messages that come.</param>
    public static MessageSet ImageOf(ImmutableArray<Stage> stages, MessageSet set)
    {
        foreach (var stage in stages)
        {
            if (set.IsEmpty)
                break;
            set = stage.Image(set);
        }
        return set;
    }

    /// <summary>The messages of which stages one after the other make at least one that is in a set.</summary>
    /// <param name="stages">The stages.</param>
    /// <param name="set">The messages that go on.</param>
    public static MessageSet PreImageOf(ImmutableArray<Stage> stages, MessageSet set)
    {
        for (var i = stages.Length - 1; i >= 0 && !set.IsEmpty; i--)
            set = stages[i].PreImage(set);
        return set;
    }

    private protected static int Pass(in MidiMessage message, Span<MidiMessage> results)
    {
        results[0] = message;
        return 1;
    }
}
