using System.Collections.Immutable;
using System.Globalization;
using Weiche.Core.Stages;

namespace Weiche.Core.Studios;

/// <summary>Where a route comes from: one source, a group of sources, or any source.</summary>
public abstract record RouteSource
{
    private const string GroupPrefix = "group-";
    private const string AnyText = "any";

    private protected RouteSource() { }

    /// <summary>A single source.</summary>
    /// <param name="port">The source.</param>
    public static implicit operator RouteSource(PortId port) => new OneSource(port);

    /// <summary>A single source.</summary>
    /// <param name="port">The source.</param>
    public static RouteSource FromPortId(PortId port) => new OneSource(port);

    /// <summary>The same without what one route sets for itself: what stands on the plan as one plate.</summary>
    public virtual RouteSource Plate => this;

    /// <summary>A short text for addresses and forms, which <see cref="Parse"/> reads: "7", "group-3", "any".</summary>
    public abstract string Key { get; }

    /// <summary>Its key.</summary>
    public sealed override string ToString() => Key;

    /// <summary>Reads a <see cref="Key"/>; null if it is none.</summary>
    /// <param name="key">The text.</param>
    public static RouteSource? Parse(string? key)
    {
        if (key == AnyText)
            return AnySource.Plain;
        var isGroup = key?.StartsWith(GroupPrefix, StringComparison.Ordinal) == true;
        if (
            !int.TryParse(
                isGroup ? key![GroupPrefix.Length..] : key,
                NumberStyles.AllowLeadingSign,
                CultureInfo.InvariantCulture,
                out var id
            )
        )
            return null;
        return isGroup ? new GroupSource(new GroupId(id)) : new OneSource(new PortId(id));
    }

    private protected static string GroupKey(GroupId id) => GroupPrefix + id;

    private protected static string AnyKey => AnyText;
}

/// <summary>One source.</summary>
/// <param name="Port">The source.</param>
public sealed record OneSource(PortId Port) : RouteSource
{
    /// <inheritdoc/>
    public override string Key => Port.ToString();
}

/// <summary>All sources of a group.</summary>
/// <param name="Group">The group.</param>
public sealed record GroupSource(GroupId Group) : RouteSource
{
    /// <inheritdoc/>
    public override string Key => GroupKey(Group);
}

/// <summary>
/// Every source there is, and every one that comes later, but the exceptions and but the sources of the destination's
/// own device.
/// </summary>
/// <param name="Except">The exceptions.</param>
/// <param name="OwnToo">Whether the sources of the destination's own device are taken all the same.</param>
public sealed record AnySource(ImmutableArray<PortId> Except, bool OwnToo) : RouteSource
{
    /// <summary>Any source without exceptions.</summary>
    public static AnySource Plain { get; } = new([], false);

    /// <inheritdoc/>
    public override RouteSource Plate => Plain;

    /// <inheritdoc/>
    public override string Key => AnyKey;

    /// <inheritdoc/>
    public bool Equals(AnySource? other) => other is not null && OwnToo == other.OwnToo && Except.SequenceEqual(other.Except);

    /// <inheritdoc/>
    public override int GetHashCode() => Except.Aggregate(OwnToo.GetHashCode(), HashCode.Combine);
}

/// <summary>A named set of sources, used like one.</summary>
/// <param name="Id">Its id.</param>
/// <param name="Name">Its name, unique among groups without regard to case.</param>
/// <param name="Members">Its sources.</param>
public sealed record SourceGroup(GroupId Id, string Name, ImmutableArray<PortId> Members);

/// <summary>The way from a source to one destination, through stages.</summary>
/// <param name="Id">Its id.</param>
/// <param name="From">Where it comes from.</param>
/// <param name="To">The destination.</param>
/// <param name="On">Whether it is switched on.</param>
/// <param name="Stages">The stages in the order in which messages run through them.</param>
/// <param name="Solo">Whether it is soloed: while any route that is on is, only soloed routes are live, and what carries them on from
/// virtual ports.</param>
/// <param name="Divert">Whether it takes what it lets through away from the source's other routes.</param>
public sealed record Route(
    RouteId Id,
    RouteSource From,
    PortId To,
    bool On,
    ImmutableArray<Stage> Stages,
    bool Solo = false,
    bool Divert = false
)
{
    /// <summary>The most stages a route, or an inner path, may have.</summary>
    public const int MaxStages = 16;

    /// <summary>In which lineups it is on duty.</summary>
    public Duty Duty { get; init; } = Duty.Standing;
}
