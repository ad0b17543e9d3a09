using System.IO.Pipelines;

namespace Weiche.Ports;

/// <summary>Takes the bytes that go to a destination.</summary>
public interface IByteSink
{
    /// <summary>Takes as many bytes as it can right now, from the start. Returns at once.</summary>
    /// <param name="bytes">The bytes.</param>
    /// <returns>How many were taken.</returns>
    int Send(ReadOnlySpan<byte> bytes);
}

/// <summary>Handles bytes in the order in which they were sent.</summary>
/// <param name="bytes">One or more bytes, only lent.</param>
public delegate void BytesHandler(ReadOnlySpan<byte> bytes);

/// <summary>
/// A bounded length of wire within this process: what is sent into one end is handled at the other by a task of its
/// own, so that the sender never waits for the receiver.
/// </summary>
public sealed class BytePump : IByteSink, IDisposable
{
    /// <summary>The most bytes that may be on the wire at once; beyond it the sender is told to wait.</summary>
    public const int Capacity = 1 << 16;

    private readonly Pipe _pipe = new(new PipeOptions(pauseWriterThreshold: 0, useSynchronizationContext: false));
    private readonly BytesHandler _handle;
    private readonly Action _ready;
    private int _underWay;

    /// <summary>A wire with a handler at its far end.</summary>
    /// <param name="handle">Handles what arrives.</param>
    /// <param name="ready">Called after the wire was full and has room again.</param>
    public BytePump(BytesHandler handle, Action ready)
    {
        _handle = handle;
        _ready = ready;
        Finished = Task.Run(RunAsync);
    }

    /// <summary>Completes when the wire was closed and everything on it is handled.</summary>
    public Task Finished { get; }

    /// <inheritdoc/>
    public int Send(ReadOnlySpan<byte> bytes)
    {
        var count = Math.Min(bytes.Length, Capacity - Volatile.Read(ref _underWay));
        if (count <= 0) return 0;
        Interlocked.Add(ref _underWay, count);
        var writer = _pipe.Writer;
        bytes[..count].CopyTo(writer.GetSpan(count));
        writer.Advance(count);
        // Without a threshold a flush completes at once: it only wakes the reader.
#pragma warning disable CA2012 // Making a task of it would allocate on the live path.
        _ = writer.FlushAsync();
#pragma warning restore CA2012
        return count;
    }

    /// <summary>Closes the wire.</summary>
    public void Dispose() => _pipe.Writer.Complete();

    private async Task RunAsync()
    {
        var reader = _pipe.Reader;
        while (true)
        {
            var result = await reader.ReadAsync().ConfigureAwait(false);
            var buffer = result.Buffer;
            foreach (var segment in buffer) _handle(segment.Span);
            var handled = (int)buffer.Length;
            reader.AdvanceTo(buffer.End);
            var before = Interlocked.Add(ref _underWay, -handled) + handled;
            if (before >= Capacity) _ready();
            if (result.IsCompleted) break;
        }
        await reader.CompleteAsync().ConfigureAwait(false);
    }
}
