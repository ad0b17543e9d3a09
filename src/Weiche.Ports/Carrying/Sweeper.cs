namespace Weiche.Ports.Carrying;

/// <summary>
/// Collects what is not used any more, between two edits and on an urgent thread. A collection stops every thread of the process for a
/// moment. Begun by whoever happens to need memory, it comes in the middle of an edit, when most of what the edit has made is still in use
/// and has to be looked through, on a thread that may be put aside in favour of other programs while the music waits. Between edits little
/// is in use, and an urgent thread is not put aside.
/// </summary>
/// <remarks>Any thread may call anything here. That collections seldom begin by themselves is up to how Weiche is started: with a first
/// generation larger than what is swept at a time and an edit together.</remarks>
public sealed class Sweeper : IDisposable
{
    // Some edits' worth: seldom enough, and far below the first generation that the launcher asks for (128 MiB).
    private const long WorthIt = 64 << 20;

    // What has lived through this many is looked at as well.
    private const int OlderEvery = 32;

    private const int LookEveryMilliseconds = 250;

    private readonly Waker _wake = new();
    private readonly Thread _thread;
    private int _working;
    private volatile bool _stopped;

    /// <summary>A sweeper that has begun.</summary>
    /// <param name="asksForUrgency">Whether its thread asks the system to be run before others.</param>
    public Sweeper(bool asksForUrgency)
    {
        _thread = new Thread(() => Run(asksForUrgency)) { IsBackground = true, Name = "Weiche sweeper" };
        _thread.Start();
    }

    /// <summary>How often it has swept.</summary>
    internal int Times { get; private set; }

    /// <summary>Says that work has begun that needs memory: nothing is swept until what is returned is disposed of.</summary>
    public Working Work()
    {
        Interlocked.Increment(ref _working);
        return new Working(this);
    }

    /// <inheritdoc/>
    public void Dispose()
    {
        _stopped = true;
        _wake.Wake();
        _thread.Join();
    }

    private void Run(bool asksForUrgency)
    {
        if (asksForUrgency)
            _ = Urgent.Ask();
        // What the start has left is out of the way before somebody plays.
        GC.Collect();
        var swept = GC.GetTotalAllocatedBytes();
        while (!_stopped)
        {
            _wake.Wait(LookEveryMilliseconds);
            if (Volatile.Read(ref _working) > 0 || GC.GetTotalAllocatedBytes() - swept < WorthIt)
                continue;
            GC.Collect((Times + 1) % OlderEvery == 0 ? 1 : 0, GCCollectionMode.Forced, blocking: true);
            swept = GC.GetTotalAllocatedBytes();
            Times++;
        }
    }

    /// <summary>Work under way.</summary>
    /// <param name="sweeper">Whom it holds off.</param>
    public readonly struct Working(Sweeper sweeper) : IDisposable
    {
        /// <summary>The work is done.</summary>
        public void Dispose()
        {
            if (Interlocked.Decrement(ref sweeper._working) == 0)
                sweeper._wake.Wake();
        }
    }
}
