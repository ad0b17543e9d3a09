namespace Weiche.Ports.Carrying;

/// <summary>
/// A bounded length of wire from the threads that carry messages to something that takes its time: what is sent into one end is handled at
/// the other by a thread of its own, so that the sender never waits for the receiver.
/// </summary>
public sealed class BytePump : IByteSink, IDisposable
{
    /// <summary>The most bytes that may be on the wire at once; beyond it the sender is told to wait.</summary>
    public const int Capacity = ByteRing.Capacity;

    private const int LongestPiece = 4096;

    private readonly ByteRing _ring = new();
    private readonly Waker _wake = new();
    private readonly BytesHandler _handle;
    private readonly Action _ready;
    private readonly TaskCompletionSource _finished = new(TaskCreationOptions.RunContinuationsAsynchronously);
    private volatile bool _full;
    private volatile bool _closed;

    /// <summary>A wire with a handler at its far end.</summary>
    /// <param name="handle">Handles what arrives.</param>
    /// <param name="ready">Called after the wire was full and has room again.</param>
    public BytePump(BytesHandler handle, Action ready)
    {
        _handle = handle;
        _ready = ready;
        new Thread(Run) { IsBackground = true, Name = "Weiche pump" }.Start();
    }

    /// <summary>Completes when the wire was closed and everything on it is handled.</summary>
    public Task Finished => _finished.Task;

    /// <inheritdoc/>
    public int Send(ReadOnlySpan<byte> bytes)
    {
        var count = _ring.Write(bytes);
        if (count < bytes.Length)
            _full = true;
        _wake.Wake();
        return count;
    }

    /// <summary>Closes the wire. What is on it is still handled.</summary>
    public void Dispose()
    {
        _closed = true;
        _wake.Wake();
    }

    private void Run()
    {
        while (true)
        {
            var isLast = _closed;
            for (var bytes = _ring.Peek(LongestPiece); bytes.Length > 0; bytes = _ring.Peek(LongestPiece))
            {
                _handle(bytes);
                _ring.Advance(bytes.Length);
            }
            if (_full)
            {
                _full = false;
                _ready();
                continue;
            }
            if (isLast)
                break;
            _wake.Wait(-1);
        }
        _finished.SetResult();
    }
}
