using System.Runtime.InteropServices;

namespace Weiche.Bridge.Shared;

/// <summary>Asks the system to run a thread before all that is not real-time itself, with one priority on both sides of a bridge. Who may
/// have that is the system's to say (on Linux <c>ulimit -r</c>); without leave the thread runs as it did.</summary>
public static partial class RealTime
{
    /// <summary>The word with which Weiche tells a bridge that it may be asked for.</summary>
    public const string Word = "urgent";

    // Low among real-time threads: what plays sound comes first.
    private const int Priority = 10;
    private const int Behind = 1;
    private const int FirstInFirstOut = 1;
    private const int NotForChildren = 0x4000_0000;
    private const int ThisThread = 0;

    /// <summary>Asks for the calling thread.</summary>
    /// <param name="behind">Whether it stands behind those that carry messages.</param>
    /// <returns>Whether it was given.</returns>
    public static bool TryAsk(bool behind = false) =>
        SetScheduler(ThisThread, FirstInFirstOut | NotForChildren, behind ? Behind : Priority) == 0;

    [LibraryImport("libc", EntryPoint = "sched_setscheduler", SetLastError = true)]
    private static partial int SetScheduler(int thread, int policy, in int priority);
}
