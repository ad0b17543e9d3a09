namespace Weiche.Core.Live;

/// <summary>A value that one thread at a time writes, within the engine, and any thread reads whole without a lock.</summary>
/// <typeparam name="T">The value.</typeparam>
internal sealed class Shown<T>
    where T : struct
{
    private int _writing;
    private T _value;

    /// <summary>The value as it was written last.</summary>
    internal T Value
    {
        get
        {
            while (true)
            {
                var before = Volatile.Read(ref _writing);
                var value = _value;
                Interlocked.MemoryBarrier();
                if ((before & 1) == 0 && before == Volatile.Read(ref _writing))
                    return value;
            }
        }
        set
        {
            Interlocked.Increment(ref _writing);
            _value = value;
            Interlocked.Increment(ref _writing);
        }
    }
}
