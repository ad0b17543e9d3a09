namespace Weiche.Core.Midi;

/// <summary>
/// Which messages are one value of something that moves, so that a newer one makes an older one superfluous: poly
/// and channel pressure, pitch bend, and controllers other than those that belong together or switch something.
/// </summary>
internal static class Thinnable
{
    /// <summary>How many different things there are that move: each has a slot.</summary>
    internal const int Slots = Channel.Count * PerChannel;

    private const int PerChannel = 128 + 128 + 2;

    /// <summary>
    /// The slot of what a message moves.
    /// </summary>
    /// <param name="message">The message.</param>
    /// <param name="fineSeen">For the message's channel: bit n is set if controller n + 32, the fine part of
    /// controller n, has been used. Such a pair is never thinned.</param>
    /// <param name="slot">0 to <see cref="Slots"/> − 1.</param>
    /// <returns>False if the message may not be thinned.</returns>
    internal static bool TrySlot(in MidiMessage message, uint fineSeen, out int slot)
    {
        var channel = message.ChannelIndex * PerChannel;
        switch (message.Status & 0xF0)
        {
            case 0xA0:
                slot = channel + 128 + message.Data1;
                return true;
            case 0xB0 when MayThin(message.Data1, fineSeen):
                slot = channel + message.Data1;
                return true;
            case 0xD0:
                slot = channel + 256;
                return true;
            case 0xE0:
                slot = channel + 257;
                return true;
            default:
                slot = 0;
                return false;
        }
    }

    // Bank 0 and 32, data entry and parameter numbers 6, 38, 96 to 101, the fine parts 32 to 63, pedals and switches
    // 64 to 69, and channel mode 120 to 127 are never thinned.
    private static bool MayThin(int controller, uint fineSeen) =>
        controller switch
        {
            0 or 6 => false,
            < 32 => (fineSeen >> controller & 1) == 0,
            < 64 => false,
            < 70 => false,
            < 96 => true,
            < 102 => false,
            < 120 => true,
            _ => false,
        };
}
