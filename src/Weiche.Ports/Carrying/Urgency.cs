using Weiche.Bridge.Shared;

namespace Weiche.Ports.Carrying;

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
public static class Urgent
{
    private const int Nice = -11;
    private const int ThisThread = 0;
    private const int OfProcess = 0;

    [ThreadStatic]
    private static bool _carries;

    /// <summary>Whether the calling thread is one that carries messages: it may enter the engine itself. All others leave
    /// requests.</summary>
    internal static bool IsHere => _carries;

    /// <summary>Makes the calling thread one that carries messages. It must be one of its own, and wait whenever it has nothing to
    /// do.</summary>
    /// <param name="asks">Whether the system is asked to run it before others.</param>
    /// <returns>What was given.</returns>
    internal static Urgency Become(bool asks)
    {
        _carries = true;
        return asks ? Ask() : Urgency.Ordinary;
    }

    /// <summary>Asks the system to run all of this process a little before other programs: what stops every thread for a moment (the
    /// collection of what is not used any more) is then not put aside in the middle, while messages wait for it. Threads that are begun
    /// later are run like those that begin them.</summary>
    public static void LiftProcess()
    {
        try
        {
            foreach (var thread in Directory.EnumerateDirectories("/proc/self/task"))
            {
                if (int.TryParse(Path.GetFileName(thread), out var id))
                    _ = Libc.SetPriority(OfProcess, id, Nice);
            }
        }
        catch (IOException)
        {
            // A system without it leaves everything as it is.
        }
    }

    /// <summary>Asks the system to run the calling thread before others.</summary>
    /// <returns>What was given.</returns>
    internal static Urgency Ask()
    {
        if (RealTime.TryAsk())
            return Urgency.RealTime;
        return Libc.SetPriority(OfProcess, ThisThread, Nice) == 0 ? Urgency.Raised : Urgency.Ordinary;
    }
}
