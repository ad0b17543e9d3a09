using System.Runtime.CompilerServices;
using Weiche.Core.Midi;
using Weiche.Core.Studios;

namespace Weiche.Core.Live;

/// <summary>One message on its way through the routes of its source.</summary>
internal struct Run
{
    internal readonly PortId Source;
    internal readonly MidiMessage Message;
    internal readonly MidiTime Time;
    internal readonly bool Background;

    /// <summary>Counts up by one with each message.</summary>
    internal readonly long Number;

    /// <summary>What moved at the source, as the ledger names it. For a note from the first, else as soon as it is asked for.</summary>
    internal int Origin;

    /// <summary>Whether this is the note-off of a note whose beginning was seen.</summary>
    internal bool EndsNote;

    /// <summary>What it ends: the place of the first in the ledger.</summary>
    internal int Ending;

    /// <summary>Whether this is the note-on of a key that held nothing before.</summary>
    internal bool HeldNothing;

    /// <summary>Whether anything came through the route that it runs through.</summary>
    internal bool CameThrough;

    /// <summary>Whether a pedal went up through the route that it runs through.</summary>
    internal bool PedalUp;

    /// <summary>Whether it runs through routes that are not live any more: nothing new begins there.</summary>
    internal bool Rings;

    /// <summary>How many rounds it has gone already, as far as the guard knows.</summary>
    internal int Rounds;

    /// <summary>A number for the bytes of a system exclusive, for the guard; else 0.</summary>
    internal uint Exclusive;

    /// <summary>Whether the tap gets no line: it has had it already, or takes none of the background.</summary>
    internal bool Quiet;

    /// <summary>Whether Weiche itself made it: then the tap is told of what arrives alone.</summary>
    internal bool IsMade;

    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    internal Run(PortId source, in MidiMessage message, MidiTime time, long number)
    {
        Number = number;
        Source = source;
        Message = message;
        Time = time;
        Background = message.IsBackground;
        if (message.IsNote)
            Origin = Held.OfNote(message);
    }
}
