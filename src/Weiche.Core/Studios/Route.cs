using System.Collections.Immutable;
using Weiche.Core.Stages;

namespace Weiche.Core.Studios;

/// <summary>The way from one source to one destination, through stages.</summary>
/// <param name="Id">Its id.</param>
/// <param name="From">The source.</param>
/// <param name="To">The destination.</param>
/// <param name="On">Whether it is switched on.</param>
/// <param name="Stages">The stages in the order in which messages run through them.</param>
public sealed record Route(RouteId Id, PortId From, PortId To, bool On, ImmutableArray<Stage> Stages);
