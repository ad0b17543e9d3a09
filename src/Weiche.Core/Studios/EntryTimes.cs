using Weiche.Core.Midi;

namespace Weiche.Core.Studios;

/// <summary>How long what a lineup sends takes on each wire: what is played meanwhile waits behind it there.</summary>
public static class EntryTimes
{
    // What nobody notices is not told.
    private static readonly MidiSpan Noticed = MidiSpan.FromMilliseconds(5);

    /// <summary>The destinations where it is noticed, the slowest first.</summary>
    /// <param name="studio">The studio.</param>
    /// <param name="lineup">The lineup.</param>
    public static IReadOnlyList<(DevicePort To, MidiSpan Takes)> Of(Studio studio, Lineup lineup) =>
        [
            .. lineup
                .Sends.GroupBy(sending => sending.To)
                .Select(group => (To: studio.FindPort(group.Key)!.Value, Bytes: group.Sum(sending => sending.Bytes.Length)))
                .Select(item => (item.To, Takes: new MidiSpan(item.Bytes * item.To.Port.Wire.ByteTime().Microseconds)))
                .Where(item => item.Takes >= Noticed)
                .OrderByDescending(item => item.Takes.Microseconds),
        ];
}
