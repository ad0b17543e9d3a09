using System.Globalization;

namespace Weiche.Core.Studios;

/// <summary>Names a device within its studio, for ever: an id is never used again.</summary>
/// <param name="Value">1 or more.</param>
public readonly record struct DeviceId(int Value)
{
    /// <summary>The number.</summary>
    public override string ToString() => Value.ToString(CultureInfo.InvariantCulture);
}

/// <summary>Names a port within its studio, for ever: an id is never used again.</summary>
/// <param name="Value">1 or more.</param>
public readonly record struct PortId(int Value)
{
    /// <summary>The number.</summary>
    public override string ToString() => Value.ToString(CultureInfo.InvariantCulture);
}

/// <summary>Names a route within its studio, for ever: an id is never used again.</summary>
/// <param name="Value">1 or more.</param>
public readonly record struct RouteId(int Value)
{
    /// <summary>The number.</summary>
    public override string ToString() => Value.ToString(CultureInfo.InvariantCulture);
}

/// <summary>Names a group of sources within its studio, for ever: an id is never used again.</summary>
/// <param name="Value">1 or more.</param>
public readonly record struct GroupId(int Value)
{
    /// <summary>The number.</summary>
    public override string ToString() => Value.ToString(CultureInfo.InvariantCulture);
}

/// <summary>Names a jack within its studio, for ever: an id is never used again.</summary>
/// <param name="Value">1 or more.</param>
public readonly record struct JackId(int Value)
{
    /// <summary>The number.</summary>
    public override string ToString() => Value.ToString(CultureInfo.InvariantCulture);
}

/// <summary>Names an inner path within its studio, for ever: an id is never used again.</summary>
/// <param name="Value">1 or more.</param>
public readonly record struct InnerPathId(int Value)
{
    /// <summary>The number.</summary>
    public override string ToString() => Value.ToString(CultureInfo.InvariantCulture);
}

/// <summary>Names a lineup within its studio, for ever: an id is never used again.</summary>
/// <param name="Value">1 or more.</param>
public readonly record struct LineupId(int Value)
{
    /// <summary>The number.</summary>
    public override string ToString() => Value.ToString(CultureInfo.InvariantCulture);
}

/// <summary>Names a lever within its studio, for ever: an id is never used again.</summary>
/// <param name="Value">1 or more.</param>
public readonly record struct LeverId(int Value)
{
    /// <summary>The number.</summary>
    public override string ToString() => Value.ToString(CultureInfo.InvariantCulture);
}
