using Weiche.Core.Midi;

namespace Weiche.Core.Studios;

/// <summary>A reply to an identity request.</summary>
/// <param name="Asked">The destination that was asked.</param>
/// <param name="From">The source on which the reply came.</param>
/// <param name="Identity">What it says.</param>
public sealed record IdentityReply(PortId Asked, PortId From, DeviceIdentity Identity);

/// <summary>A way back that a sounding found.</summary>
/// <param name="To">The destination to which it was sent.</param>
/// <param name="From">The source on which it came back.</param>
/// <param name="Delay">How long it took.</param>
public sealed record WayBack(PortId To, PortId From, MidiSpan Delay);
