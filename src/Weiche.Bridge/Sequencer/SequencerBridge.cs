using Weiche.Bridge.Shared;

namespace Weiche.Bridge.Sequencer;

internal static class SequencerBridge
{
    internal static ISystemBridge? TryMake(SharedLink link, Action changed) => null;
}
