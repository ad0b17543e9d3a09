using Weiche.Ports.Raw;

namespace Weiche.Ports;

/// <summary>How urgently the system runs a thread.</summary>
public enum Urgency
{
    /// <summary>Like any other thread: while the machine is busy it waits for its turn, some milliseconds each time.</summary>
    Ordinary,

    /// <summary>Before most others.</summary>
    Raised,

    /// <summary>Before all that is not real-time itself, as soon as it has something to do.</summary>
    RealTime,
}

/// <summary>Asks the system to run the threads that carry messages before others. Who may have what is the system's to say (on Linux
/// <c>ulimit -r</c> and <c>ulimit -e</c>); without leave everything works as it did.</summary>
internal static class Urgent
{
    // Low among real-time threads: what plays sound comes first.
    private const int Priority = 10;
    private const int Nice = -11;

    private const int FirstInFirstOut = 1;
    private const int NotForChildren = 0x4000_0000;
    private const int ThisThread = 0;
    private const int OfProcess = 0;

    /// <summary>Asks for the calling thread, which must be one of its own and wait whenever it has nothing to do.</summary>
    /// <returns>What was given.</returns>
    internal static Urgency Ask()
    {
        if (Libc.SetScheduler(ThisThread, FirstInFirstOut | NotForChildren, Priority) == 0) return Urgency.RealTime;
        return Libc.SetPriority(OfProcess, ThisThread, Nice) == 0 ? Urgency.Raised : Urgency.Ordinary;
    }
}
