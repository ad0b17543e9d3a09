using Weiche.Core.Studios;

namespace Weiche.Ports.Carrying;

/// <summary>Sees what other programs connect past Weiche.</summary>
public interface IOutside
{
    /// <summary>The connections that Weiche did not make, between ports that are open.</summary>
    IReadOnlyList<OutsideCable> Cables { get; }

    /// <summary>Takes one of them off.</summary>
    /// <param name="cable">The connection; one that is not there is left alone.</param>
    void Part(OutsideCable cable);
}
