using System.Collections.Immutable;
using Weiche.Core.Midi;
using Weiche.Core.Studios;

namespace Weiche.Core.Live;

/// <summary>What the guard stops and has learned, copied at one moment. Whoever asks brings it, so that the engine allocates
/// nothing.</summary>
public sealed class GuardReport
{
    private readonly GuardTrip[] _trips = new GuardTrip[Guard.MaxTrips];
    private readonly (PortId To, PortId From, MidiSpan Time)[] _ways = new (PortId, PortId, MidiSpan)[Guard.MaxWays];
    private int _tripCount;
    private int _wayCount;

    /// <summary>What is stopped, the oldest first.</summary>
    public ImmutableArray<GuardTrip> Trips => [.. _trips.AsSpan(0, _tripCount)];

    /// <summary>The ways back that were seen while something went round.</summary>
    public ImmutableArray<WayBack> Ways => [.. _ways.Take(_wayCount).Select(way => new WayBack(way.To, way.From, way.Time))];

    internal void Clear() => _tripCount = _wayCount = 0;

    internal void Add(in GuardTrip trip) => _trips[_tripCount++] = trip;

    internal void Add((PortId To, PortId From, MidiSpan Time) way) => _ways[_wayCount++] = way;
}
