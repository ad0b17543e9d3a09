using Weiche.Core.Studios;
using Weiche.Web.Desk;

namespace Weiche.Web.Pages.Plan;

/// <summary>Something that a few letters mean.</summary>
/// <param name="Name">What it is called.</param>
/// <param name="What">What it is: "device", "port", "route".</param>
/// <param name="Parameter">The part of Plan's address that shows it: "focus".</param>
/// <param name="Value">Its value: "device-3".</param>
public sealed record Found(string Name, string What, string Parameter, string Value);

/// <summary>What a few letters find on the plan.</summary>
/// <param name="Letters">The letters.</param>
/// <param name="Items">Devices first, then routes; at most <see cref="PlanFind.Most"/>.</param>
/// <param name="Routes">Every route that is found, as an address has them: "3,7".</param>
/// <param name="Count">How many routes are found.</param>
public sealed record FoundList(string Letters, IReadOnlyList<Found> Items, string Routes, int Count);

/// <summary>Finds devices, ports and routes by a few letters of their names, or of what stands on a route's signs.</summary>
internal static class PlanFind
{
    internal const int Most = 9;

    internal static FoundList Find(Studio studio, string? letters)
    {
        var words = (letters ?? "").Split([' ', '→'], StringSplitOptions.RemoveEmptyEntries);
        if (words.Length is 0 or > 12)
            return new FoundList("", [], "", 0);
        bool Fits(string text) => words.All(word => text.Contains(word, StringComparison.OrdinalIgnoreCase));
        var devices = studio
            .Devices.Where(device => Fits(device.Name))
            .Select(device => new Found(device.Name, device.Kind.InWords(), "focus", $"device-{device.Id}"));
        var ports = studio
            .Ports.Where(port => port.Name != port.Device.Name && Fits(port.Label))
            .Select(port => new Found(port.Label, "port", "focus", $"port-{port.Id}"));
        var routes = studio
            .Routes.Where(route =>
                Fits(
                    $"{studio.Describe(route)} "
                        + $"{string.Join(' ', route.Stages.Select(stage => stage.Sign(studio.KeyNaming)))}{(route.On ? "" : " off")}{(route.Solo ? " solo" : "")}{(route.Divert ? " diverts" : "")}"
                )
            )
            .ToList();
        var found = devices.Concat(ports).Take(Most - 3).ToList();
        return new FoundList(
            letters!.Trim(),
            [
                .. found,
                .. routes
                    .Take(Most - found.Count)
                    .Select(route => new Found(
                        studio.Describe(route),
                        string.Join(" · ", route.Stages.Select(stage => stage.Sign(studio.KeyNaming))),
                        "route",
                        route.Id.ToString()
                    )),
            ],
            string.Join(',', routes.Take(500).Select(route => route.Id)),
            routes.Count
        );
    }
}
