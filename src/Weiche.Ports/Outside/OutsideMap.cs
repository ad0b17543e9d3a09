using System.Collections.Immutable;
using System.Globalization;
using Weiche.Bridge.Shared;

namespace Weiche.Ports.Outside;

/// <summary>A port of a system, as the system has it.</summary>
/// <param name="Address">By what the system tells it from all others, as a word (<see cref="Line"/>).</param>
/// <param name="Client">The program that it belongs to, as text.</param>
/// <param name="Name">What the program calls it, as text.</param>
/// <param name="IsSource">Whether messages come from it.</param>
/// <param name="Own">The number of Weiche's own port; 0 of another program's.</param>
/// <param name="IsHardware">Whether a device stands behind it.</param>
/// <param name="Card">The number of that device's card in the system; null where that is not told.</param>
public sealed record OutsidePort(string Address, string Client, string Name, bool IsSource, int Own, bool IsHardware, int? Card = null);

/// <summary>All ports of a system and what is connected to what, at one moment.</summary>
/// <param name="Ports">The ports.</param>
/// <param name="Cables">Address to address, from a source to a destination.</param>
public sealed record OutsideMap(ImmutableArray<OutsidePort> Ports, ImmutableHashSet<(string From, string To)> Cables)
{
    /// <summary>Nothing is there.</summary>
    public static OutsideMap Empty { get; } = new([], []);

    /// <summary>The port of an address, or null.</summary>
    /// <param name="address">The address.</param>
    public OutsidePort? Find(string address) => Ports.FirstOrDefault(port => port.Address == address);

    /// <summary>Weiche's own port of a number, or null.</summary>
    /// <param name="number">The number.</param>
    public OutsidePort? FindOwn(int number) => Ports.FirstOrDefault(port => port.Own == number);

    /// <summary>Reads the lines of a list.</summary>
    /// <param name="lines">The lines between "list" and "done"; one that means nothing is left out.</param>
    internal static OutsideMap Read(IEnumerable<string> lines)
    {
        var ports = ImmutableArray.CreateBuilder<OutsidePort>();
        var cables = ImmutableHashSet.CreateBuilder<(string, string)>();
        foreach (var line in lines)
        {
            switch (line.Split(' '))
            {
                case ["port", var address, var way, var own, var sort, var client, var name]
                    when int.TryParse(own, NumberStyles.None, CultureInfo.InvariantCulture, out var number):
                    ports.Add(
                        new OutsidePort(
                            address,
                            Line.Text(client),
                            Line.Text(name),
                            way == "source",
                            number,
                            sort.StartsWith("hardware", StringComparison.Ordinal),
                            sort.Split(':') is [_, var card]
                            && int.TryParse(card, NumberStyles.None, CultureInfo.InvariantCulture, out var which)
                                ? which
                                : null
                        )
                    );
                    break;
                case ["cable", var from, var to]:
                    cables.Add((from, to));
                    break;
            }
        }
        return new OutsideMap(ports.ToImmutable(), cables.ToImmutable());
    }
}
