using Weiche.Core.Studios;

namespace Weiche.Ports.Carrying;

/// <summary>Shows virtual ports to the other programs of this computer.</summary>
public interface IPublisher
{
    /// <summary>Shows a virtual port: what programs send to it comes in by its destination, what it is sent goes out to them.</summary>
    /// <param name="device">The virtual port.</param>
    /// <returns>What it is shown by; disposed of, it is not shown any more.</returns>
    IPublishedPort Publish(Device device);
}

/// <summary>A virtual port as other programs see it.</summary>
public interface IPublishedPort : IByteSink, IDisposable
{
    /// <summary>Gives it another name. What is connected to it stays so.</summary>
    /// <param name="name">The name.</param>
    void Rename(string name);
}
