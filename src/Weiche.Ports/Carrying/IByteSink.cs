namespace Weiche.Ports.Carrying;

/// <summary>Takes the bytes that go to a destination.</summary>
public interface IByteSink
{
    /// <summary>What is said in place of a number of bytes while nobody is at the far end.</summary>
    const int Away = Core.Live.IByteTaker.Away;

    /// <summary>Takes as many bytes as it can right now, from the start. Returns at once, allocates nothing and waits for no thread that is
    /// less urgent: it is called while messages are carried. One thread at a time calls it.</summary>
    /// <param name="bytes">The bytes.</param>
    /// <returns>How many were taken. The junction keeps the rest until it is told that there is room again
    /// (<see cref="Junction.Resume"/>). <see cref="Away"/> while nobody is at the far end: then the bytes are gone, and the ends among them
    /// are owed until somebody is (<see cref="Junction.Return"/>).</returns>
    int Send(ReadOnlySpan<byte> bytes);
}

/// <summary>Handles bytes in the order in which they were sent.</summary>
/// <param name="bytes">One or more bytes, only lent.</param>
public delegate void BytesHandler(ReadOnlySpan<byte> bytes);
