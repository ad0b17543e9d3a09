using System.Runtime.InteropServices;

namespace Weiche.Bridge.Shared;

/// <summary>Sleeping on a number in memory that two processes share, and waking who sleeps on it, without a lock on the way (Linux,
/// <c>futex(2)</c>).</summary>
internal static unsafe partial class Futex
{
    private const int WaitFor = 0;
    private const int WakeUp = 1;

    // The number of the call is the system's, by the machine it runs on.
    private static readonly nint Call = RuntimeInformation.ProcessArchitecture switch
    {
        Architecture.X64 => 202,
        Architecture.X86 or Architecture.Arm => 240,
        _ => 98,
    };

    [StructLayout(LayoutKind.Sequential)]
    private struct TimeSpec
    {
        public nint Seconds;
        public nint Nanoseconds;
    }

    [LibraryImport("libc", EntryPoint = "syscall", SetLastError = true)]
    private static partial nint SystemCall(nint call, int* at, nint operation, nint value, TimeSpec* timeout, nint second, nint third);

    /// <summary>Sleeps as long as a number is what it was.</summary>
    internal static void Wait(int* at, int value, int milliseconds)
    {
        var timeout = new TimeSpec { Seconds = milliseconds / 1_000, Nanoseconds = milliseconds % 1_000 * 1_000_000 };
        _ = SystemCall(Call, at, WaitFor, value, &timeout, 0, 0);
    }

    /// <summary>Wakes one who sleeps.</summary>
    internal static void Wake(int* at) => _ = SystemCall(Call, at, WakeUp, 1, null, 0, 0);
}
