using Weiche.Core.Studios;

namespace Weiche.Ports.Carrying;

/// <summary>What reaches one sort of ports: knows what is plugged in, and opens it for a device of the studio.</summary>
/// <remarks>Bytes from a source go to <see cref="Junction.Receive(PortId, ReadOnlySpan{byte})"/> from a thread that carries messages, or by
/// an
/// <see cref="Inlet"/> from any other; those to a destination come by an <see cref="IByteSink"/> that it connects. To add
/// a driver, put it into a folder of its own and into the list that the desk makes.</remarks>
public interface IPortDriver : IDisposable
{
    /// <summary>Is raised when something came or went, so that the roll is called. A driver that cannot tell is asked once a second all the
    /// same.</summary>
    event Action? Changed;

    /// <summary>What is plugged in now and could be a device. Never throws: what cannot be read is not there.</summary>
    IReadOnlyList<Unit> Units { get; }

    /// <summary>Opens the ports of a device, if it is one of this driver's.</summary>
    /// <param name="device">The device.</param>
    /// <param name="unit">What it is of all that is plugged in; null if it is not there, or cannot be told.</param>
    /// <returns>The open ports; null if this driver has nothing to do with the device as it is now.</returns>
    IOpenPorts? Open(Device device, Unit? unit);
}

/// <summary>The ports of a device that a driver has opened. Disposing of them closes them: what their sources held ends, and what is sent
/// to their destinations is gone.</summary>
public interface IOpenPorts : IDisposable
{
    /// <summary>Whether the device is there; null where that is said by whether it is plugged in.</summary>
    Presence? Presence { get; }

    /// <summary>Goes on as those of a device as it is now, under another name perhaps.</summary>
    /// <param name="device">The device as it is now.</param>
    /// <param name="unit">What it is now of all that is plugged in, or null.</param>
    /// <returns>False if they are not its any more: they are closed and opened anew.</returns>
    bool TryFollow(Device device, Unit? unit);
}

/// <summary>Whether a device is there.</summary>
/// <param name="Present">Whether it is open.</param>
/// <param name="Since">Since when, UTC.</param>
/// <param name="Reason">Why it is not there; empty if it is.</param>
/// <param name="Urgency">How urgently the system runs the thread that reads it; null if it has none of its own.</param>
public sealed record Presence(bool Present, DateTimeOffset Since, string Reason, Urgency? Urgency = null);
