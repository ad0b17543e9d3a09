using System.Collections.Immutable;
using Weiche.Core.Midi;
using Weiche.Core.Studios;

namespace Weiche.Core.Checks;

/// <summary>What was measured while the studio was played: where it is more than anybody said, the checks take it for the worst there is.
/// Immutable.</summary>
/// <param name="Rates">For a source and a kind the most messages in a second.</param>
/// <param name="Loads">For a destination the most bytes in a second, since the routes to it are what they are.</param>
public sealed record Measured(ImmutableDictionary<(PortId Source, MessageKind Kind), int> Rates, ImmutableDictionary<PortId, int> Loads)
{
    /// <summary>Nothing was measured yet.</summary>
    public static Measured Nothing { get; } =
        new(ImmutableDictionary<(PortId, MessageKind), int>.Empty, ImmutableDictionary<PortId, int>.Empty);
}
