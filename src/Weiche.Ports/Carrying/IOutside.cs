using Weiche.Core.Studios;

namespace Weiche.Ports.Carrying;

/// <summary>Sees what other programs connect past Weiche.</summary>
public interface IOutside
{
    /// <summary>The connections that Weiche did not make, between ports that are open.</summary>
    IReadOnlyList<OutsideCable> Cables { get; }

    /// <summary>The number of the card in the system that something which is reached is; null where it is none, or that is not
    /// told.</summary>
    /// <param name="unit">What is reached.</param>
    int? CardOf(Unit unit);

    /// <summary>Takes one of them off.</summary>
    /// <param name="cable">The connection; one that is not there is left alone.</param>
    void Part(OutsideCable cable);
}
