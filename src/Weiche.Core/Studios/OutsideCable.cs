namespace Weiche.Core.Studios;

/// <summary>A connection that another program has made: what comes from a source also gets to a destination, past Weiche.</summary>
/// <param name="From">The source; the default for a program that the studio does not know, which may send anything.</param>
/// <param name="To">The destination.</param>
public readonly record struct OutsideCable(PortId From, PortId To);
