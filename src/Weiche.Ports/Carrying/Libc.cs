using System.Runtime.InteropServices;

namespace Weiche.Ports.Carrying;

/// <summary>The calls of the system that .NET does not offer: device files, pipes and terminals without blocking, a wait that can be woken
/// without a lock, urgency, and a lock that passes it on.</summary>
internal static class Libc
{
    internal const int ReadOnly = 0;
    internal const int WriteOnly = 1;
    internal const int NonBlocking = 0x800;
    internal const int NoControllingTerminal = 0x100;
    internal const int CloseOnExec = 0x80000;

    internal const short PollIn = 1;
    internal const short PollOut = 4;
    internal const short PollError = 8;
    internal const short PollHangUp = 16;

    internal const int Again = 11;
    internal const int Interrupted = 4;

    private const int TermiosRoom = 256;
    private const int SetNow = 0;

    [StructLayout(LayoutKind.Sequential)]
    internal struct PollEntry
    {
        public int Descriptor;
        public short Events;
        public short Returned;
    }

    [DllImport("libc", EntryPoint = "open", SetLastError = true)]
    internal static extern int Open([MarshalAs(UnmanagedType.LPUTF8Str)] string path, int flags);

    [DllImport("libc", EntryPoint = "close", SetLastError = true)]
    internal static extern int Close(int descriptor);

    [DllImport("libc", EntryPoint = "read", SetLastError = true)]
    internal static extern nint Read(int descriptor, ref byte buffer, nint count);

    [DllImport("libc", EntryPoint = "write", SetLastError = true)]
    internal static extern nint Write(int descriptor, ref readonly byte buffer, nint count);

    [DllImport("libc", EntryPoint = "poll", SetLastError = true)]
    internal static extern int Poll([In, Out] PollEntry[] entries, nuint count, int timeout);

    [StructLayout(LayoutKind.Sequential)]
    internal struct TimeSpec
    {
        public nint Seconds;
        public nint Nanoseconds;
    }

    [DllImport("libc", EntryPoint = "ppoll", SetLastError = true)]
    internal static extern int Poll([In, Out] PollEntry[] entries, nuint count, in TimeSpec timeout, nint signals);

    [DllImport("libc", EntryPoint = "eventfd", SetLastError = true)]
    internal static extern int EventDescriptor(uint start, int flags);

    [DllImport("libc", EntryPoint = "setpriority", SetLastError = true)]
    internal static extern int SetPriority(int which, int who, int priority);

    [DllImport("libc", EntryPoint = "pthread_mutexattr_init")]
    internal static extern int BeginMutexAttributes(nint attributes);

    [DllImport("libc", EntryPoint = "pthread_mutexattr_setprotocol")]
    internal static extern int SetMutexProtocol(nint attributes, int protocol);

    [DllImport("libc", EntryPoint = "pthread_mutexattr_destroy")]
    internal static extern int EndMutexAttributes(nint attributes);

    [DllImport("libc", EntryPoint = "pthread_mutex_init")]
    internal static extern int BeginMutex(nint mutex, nint attributes);

    [DllImport("libc", EntryPoint = "pthread_mutex_lock")]
    internal static extern int LockMutex(nint mutex);

    [DllImport("libc", EntryPoint = "pthread_mutex_unlock")]
    internal static extern int UnlockMutex(nint mutex);

    [DllImport("libc", EntryPoint = "pthread_mutex_destroy")]
    internal static extern int EndMutex(nint mutex);

    [DllImport("libc", EntryPoint = "isatty", SetLastError = true)]
    private static extern int IsTerminal(int descriptor);

    [DllImport("libc", EntryPoint = "tcgetattr", SetLastError = true)]
    private static extern int GetTerminal(int descriptor, byte[] attributes);

    [DllImport("libc", EntryPoint = "tcsetattr", SetLastError = true)]
    private static extern int SetTerminal(int descriptor, int when, byte[] attributes);

    [DllImport("libc", EntryPoint = "cfmakeraw")]
    private static extern void MakeRaw(byte[] attributes);

    /// <summary>Waits for a time, without a lock of the runtime.</summary>
    internal static void Pause(int milliseconds) => _ = Poll([], 0, milliseconds);

    /// <summary>Switches off what a terminal does to bytes: echo, line endings, control keys.</summary>
    internal static void LeaveBytesAlone(int descriptor)
    {
        if (IsTerminal(descriptor) != 1)
            return;
        var attributes = new byte[TermiosRoom];
        if (GetTerminal(descriptor, attributes) != 0)
            return;
        MakeRaw(attributes);
        _ = SetTerminal(descriptor, SetNow, attributes);
    }
}
