using Weiche.Core.Midi;
using Weiche.Core.Studios;

namespace Weiche.Ports;

/// <summary>System exclusives that were kept from going on, in the order in which they came. A thread that carries messages writes them
/// down and waits for nobody; who reads too late misses the oldest.</summary>
internal sealed class Answers
{
    private const int Kept = 256;
    private const int Longest = 64;

    private readonly Answer[] _ring = [.. Enumerable.Range(0, Kept).Select(_ => new Answer())];
    private long _written;
    private long _read;

    private sealed class Answer
    {
        internal readonly byte[] Body = new byte[Longest];
        internal int Length;
        internal PortId Source;
        internal MidiTime Time;
    }

    /// <summary>Writes one down. One thread at a time.</summary>
    internal void Write(PortId source, ReadOnlySpan<byte> body, MidiTime time)
    {
        var answer = _ring[(int)_written & (Kept - 1)];
        answer.Length = Math.Min(body.Length, Longest);
        body[..answer.Length].CopyTo(answer.Body);
        (answer.Source, answer.Time) = (source, time);
        Volatile.Write(ref _written, _written + 1);
    }

    /// <summary>Those that came since this was called last. One thread at a time.</summary>
    internal IReadOnlyList<(PortId Source, byte[] Body, MidiTime Time)> ReadNew()
    {
        var found = new List<(PortId, byte[], MidiTime)>();
        var end = Volatile.Read(ref _written);
        for (_read = Math.Max(_read, end - Kept); _read < end; _read++)
        {
            var answer = _ring[(int)_read & (Kept - 1)];
            found.Add((answer.Source, answer.Body.AsSpan(0, answer.Length).ToArray(), answer.Time));
        }
        // What was overwritten while it was read is not shown.
        var torn = (int)Math.Clamp(Volatile.Read(ref _written) - Kept - (end - found.Count), 0, found.Count);
        return found[torn..];
    }
}
