namespace Weiche.Core.Studios;

/// <summary>A connection that another program has made, past Weiche.</summary>
/// <param name="From">What goes on: what a source brings, or, of a destination, what is sent to it; the default for a program that the
/// studio does not know, which may send anything.</param>
/// <param name="To">Where it gets to besides: a destination; or a source, as which it comes then.</param>
public readonly record struct OutsideCable(PortId From, PortId To);
