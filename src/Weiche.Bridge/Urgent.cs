using System.Runtime.InteropServices;

namespace Weiche.Bridge;

/// <summary>Asks the system to run a thread that carries messages before others, as Weiche's own are; without leave it runs as it
/// did.</summary>
internal static partial class Urgent
{
    /// <summary>The word with which Weiche says that it may be asked for.</summary>
    internal const string Word = "urgent";

    // Like the threads of Weiche that wait for it.
    private const int Priority = 10;
    private const int FirstInFirstOut = 1;
    private const int NotForChildren = 0x4000_0000;

    /// <summary>Whether it may be asked for.</summary>
    internal static bool IsWanted { get; set; }

    /// <summary>Asks for the calling thread.</summary>
    internal static void Ask()
    {
        if (IsWanted)
            _ = SetScheduler(0, FirstInFirstOut | NotForChildren, Priority);
    }

    [LibraryImport("libc", EntryPoint = "sched_setscheduler", SetLastError = true)]
    private static partial int SetScheduler(int thread, int policy, in int priority);
}
