using System.Runtime.InteropServices;

namespace Weiche.Ports.Carrying;

/// <summary>A lock for threads that carry messages alone. Should one that holds it be less urgent than one that waits (the system may grant
/// urgency to one and not to another), it is run as if it were as urgent until it lets go (POSIX, PTHREAD_PRIO_INHERIT).</summary>
internal sealed class UrgentLock : IDisposable
{
    // More than any system needs for a mutex and for its attributes.
    private const int Room = 128;
    private const int InheritPriority = 1;

    private readonly nint _mutex = Zeroed();

    internal UrgentLock()
    {
        var attributes = Zeroed();
        _ = Libc.BeginMutexAttributes(attributes);
        _ = Libc.SetMutexProtocol(attributes, InheritPriority);
        if (Libc.BeginMutex(_mutex, attributes) != 0)
            _ = Libc.BeginMutex(_mutex, 0);
        _ = Libc.EndMutexAttributes(attributes);
        Marshal.FreeHGlobal(attributes);
    }

    internal void Enter() => _ = Libc.LockMutex(_mutex);

    internal void Exit() => _ = Libc.UnlockMutex(_mutex);

    public void Dispose()
    {
        _ = Libc.EndMutex(_mutex);
        Marshal.FreeHGlobal(_mutex);
    }

    private static nint Zeroed()
    {
        var memory = Marshal.AllocHGlobal(Room);
        for (var i = 0; i < Room; i++)
            Marshal.WriteByte(memory, i, 0);
        return memory;
    }
}
