using Weiche.Core.Midi;
using Weiche.Core.Pulse;

namespace Weiche.Ports.StandIns;

/// <summary>Where in a song something is that follows a clock, as it is told by start, continue, stop, song position and the pulses
/// themselves.</summary>
internal struct SongPlace
{
    /// <summary>Whether it runs.</summary>
    internal bool Runs { get; private set; }

    /// <summary>Pulses since the beginning; the next one is this many. Nothing before the first clock.</summary>
    internal long Next { get; private set; }

    /// <summary>The beat that it is in, from 0; null as long as it stands still.</summary>
    internal readonly int? Beat => Runs && Next > 0 ? (int)((Next - 1) / Tempo.PulsesABeat) : null;

    /// <summary>Takes a message.</summary>
    /// <returns>Whether it is in another beat, or stands still.</returns>
    internal bool Hear(in MidiMessage message)
    {
        var before = Beat;
        switch (message.Status)
        {
            case 0xF2:
                Next = (message.Data2 << 7 | message.Data1) * (long)Tempo.PulsesASixteenth;
                break;
            case 0xF8 when Runs:
                Next++;
                break;
            case 0xFA:
                (Runs, Next) = (true, 0);
                break;
            case 0xFB:
                Runs = true;
                break;
            case 0xFC:
                Runs = false;
                break;
        }
        return before != Beat;
    }
}
