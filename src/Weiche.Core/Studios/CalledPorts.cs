namespace Weiche.Core.Studios;

/// <summary>Ports by what a person types.</summary>
public static class CalledPorts
{
    /// <summary>The port that a person calls so: "Amsel 61", "from Amsel 61", or "ams" where no other begins so; null if there is none, or
    /// if several begin so.</summary>
    /// <param name="ports">The ports that are meant.</param>
    /// <param name="name">The name, without regard to case.</param>
    public static DevicePort? Called(this IEnumerable<DevicePort> ports, string name)
    {
        var (all, typed) = (ports.ToList(), name.Trim());
        if (typed.Length == 0)
            return null;
        var exact = all.FindAll(port => Is(port.Name) || Is(port.Label));
        if (exact.Count > 0)
            return exact[0];
        return all.FindAll(port => Begins(port.Name) || Begins(port.Label)) is [var only] ? only : null;

        bool Is(string called) => called.Equals(typed, StringComparison.OrdinalIgnoreCase);

        bool Begins(string called) => called.StartsWith(typed, StringComparison.OrdinalIgnoreCase);
    }
}
