using System.Diagnostics.CodeAnalysis;
using System.Runtime.CompilerServices;
using Weiche.Core.Midi;
using Weiche.Core.Studios;

namespace Weiche.Core.Live;

/// <summary>
/// Which of several clocks goes out at one destination: the first that comes, until it falls silent. A source whose clock is left out is
/// left out with its start, stop, continue and song position too; one that sends no clock may start and stop what another keeps in time.
/// </summary>
internal struct ClockChoice
{
    /// <summary>A clock that has been silent for so long keeps no other out. At 24 a quarter note that is slower than five beats a
    /// minute.</summary>
    internal static readonly MidiSpan Patience = MidiSpan.FromMilliseconds(500);

    private const int RivalsKept = 8;

    private PortId _from;
    private MidiTime _at;
    private Rivals _rivals;

    [InlineArray(RivalsKept)]
    private struct Rivals
    {
        private (PortId From, MidiTime At) _first;
    }

    /// <summary>Whose clock is heard; none if there is none. It may have fallen silent.</summary>
    internal readonly PortId From => _from;

    /// <summary>Lets another clock be heard at once.</summary>
    internal void Forget() => _from = default;

    /// <summary>Whether a message of a clock is left out; see <see cref="MidiMessage.IsOfClock"/>.</summary>
    /// <param name="message">The message.</param>
    /// <param name="source">The source.</param>
    /// <param name="now">When it comes.</param>
    internal bool LeavesOut(MidiMessage message, PortId source, MidiTime now)
    {
        var isClock = message == MidiMessage.Clock;
        if (_from == default || _from == source || now - _at > Patience)
        {
            if (isClock)
                (_from, _at) = (source, now);
            return false;
        }
        ref var rival = ref PlaceOf(source);
        if (isClock)
            rival = (source, now);
        return rival.From == source && now - rival.At <= Patience;
    }

    /// <summary>The place of a rival, or else that of the one which has been silent for longest.</summary>
    [UnscopedRef]
    private ref (PortId From, MidiTime At) PlaceOf(PortId source)
    {
        var oldest = 0;
        for (var i = 0; i < RivalsKept; i++)
        {
            if (_rivals[i].From == source)
                return ref _rivals[i];
            if (_rivals[i].At < _rivals[oldest].At)
                oldest = i;
        }
        return ref _rivals[oldest];
    }
}
