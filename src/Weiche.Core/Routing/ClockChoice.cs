using System.Diagnostics.CodeAnalysis;
using System.Runtime.CompilerServices;
using Weiche.Core.Midi;

namespace Weiche.Core.Routing;

/// <summary>
/// Which of several clocks goes out at one destination: the first that comes, until it falls silent. A source whose clock is left out is
/// left out with its start, stop, continue and song position too; one that sends no clock may start and stop what another keeps in time.
/// </summary>
internal struct ClockChoice
{
    /// <summary>A clock that has been silent for so long, µs, keeps no other out. At 24 a quarter note that is slower than five beats a
    /// minute.</summary>
    internal const long Patience = 500_000;

    private const int RivalsKept = 8;

    private int _from;
    private long _at;
    private Rivals _rivals;

    [InlineArray(RivalsKept)]
    private struct Rivals
    {
        private (int From, long At) _first;
    }

    /// <summary>Whose clock is heard, the id's value; 0 for none. It may have fallen silent.</summary>
    internal readonly int From => _from;

    /// <summary>Lets another clock be heard at once.</summary>
    internal void Forget() => _from = 0;

    /// <summary>Whether a message of a clock is left out; see <see cref="MidiMessage.IsOfClock"/>.</summary>
    /// <param name="message">The message.</param>
    /// <param name="source">The source, the id's value.</param>
    /// <param name="time">When it comes.</param>
    internal bool LeavesOut(MidiMessage message, int source, MidiTime time)
    {
        var now = time.Microseconds;
        var isClock = message == MidiMessage.Clock;
        if (_from == 0 || _from == source || now - _at > Patience)
        {
            if (isClock) (_from, _at) = (source, now);
            return false;
        }
        ref var rival = ref PlaceOf(source);
        if (isClock) rival = (source, now);
        return rival.From == source && now - rival.At <= Patience;
    }

    /// <summary>The place of a rival, or else that of the one which has been silent for longest.</summary>
    [UnscopedRef]
    private ref (int From, long At) PlaceOf(int source)
    {
        var oldest = 0;
        for (var i = 0; i < RivalsKept; i++)
        {
            if (_rivals[i].From == source) return ref _rivals[i];
            if (_rivals[i].At < _rivals[oldest].At) oldest = i;
        }
        return ref _rivals[oldest];
    }
}
