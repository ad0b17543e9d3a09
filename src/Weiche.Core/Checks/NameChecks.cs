using Weiche.Core.Midi;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;

namespace Weiche.Core.Checks;

/// <summary>Names that mislead: two for one port, one for two.</summary>
internal static class NameChecks
{
    // In a short name another order of letters is another name.
    private const int ShortestSlip = 5;

    internal static IEnumerable<Finding> Of(Studio studio)
    {
        foreach (var port in studio.Ports.Where(port => port.Port.OwnLabel is not null))
        {
            var label = port.Port.OwnLabel!;
            if (
                studio.Devices.FirstOrDefault(device =>
                    device.Id != port.Device.Id && string.Equals(device.Name, label, StringComparison.OrdinalIgnoreCase)
                )
                is not { } other
            )
                continue;
            yield return new Finding(
                FindingKind.Name,
                Severity.Warning,
                $"label-{port.Id}",
                $"“{label}” is the name of another device",
                $"The port that leads {(port.IsSource ? "from" : "to")} {port.Device.Name} is labelled “{label}”, and there is a "
                    + "device of that name: who reads it is led astray."
            )
            {
                Port = port.Id,
                Proposed = [new SetPortLabel(port.Id, "")],
            };
        }
        foreach (var twins in studio.Ports.GroupBy(port => (port.IsSource, port.Name.ToUpperInvariant())).Where(group => group.Count() > 1))
        {
            var list = twins.ToList();
            yield return new Finding(
                FindingKind.Name,
                Severity.Warning,
                $"twins-{list[0].Id}",
                $"{list.Count} ports are called “{list[0].Label}”",
                $"{WordList.Of([.. list.Select(port => port.IsBehind || port.IsLoose ? port.Place : port.Owner.Name)])} cannot be "
                    + "told apart by name."
            )
            {
                Port = list[0].Id,
                Proposed = [.. list.Where(port => port.Port.OwnLabel is not null).Select(port => new SetPortLabel(port.Id, ""))],
            };
        }
        foreach (
            var same in studio
                .Devices.Where(device => device.Address is not null)
                .GroupBy(device => device.Address)
                .Concat(
                    studio
                        .Devices.Where(device => device.Known is { Pinned: true, Place.Length: > 0 })
                        .GroupBy(device => device.Known!.Place)!
                )
                .Where(group => group.Count() > 1)
        )
        {
            var list = same.ToList();
            yield return new Finding(
                FindingKind.Name,
                Severity.Warning,
                $"same-{list[0].Id}",
                $"{WordList.Of([.. list.Select(device => device.Name)])} are one and the same",
                $"Both stand for what is at {same.Key}: two names for one port. Remove one of them."
            );
        }
        var plain = studio.Devices.ToDictionary(device => device.Id, device => Plain(device.Name));
        var byName = studio.Devices.ToLookup(device => plain[device.Id]);
        foreach (var alike in byName.Where(group => group.Count() > 1))
        {
            var list = alike.ToList();
            yield return new Finding(
                FindingKind.Name,
                Severity.Notice,
                $"alike-{list[0].Id}",
                $"{WordList.Of([.. list.Select(device => $"“{device.Name}”")])} look alike",
                "They differ in spaces, dashes or accents only. On a dark stage they are one name."
            );
        }
        // Two letters that changed places are a slip of the fingers; one letter more or another may be meant.
        foreach (var device in studio.Devices)
        {
            foreach (var swapped in Swapped(plain[device.Id]))
            {
                if (byName[swapped].FirstOrDefault() is not { } other || other.Id.Value < device.Id.Value)
                    continue;
                yield return new Finding(
                    FindingKind.Name,
                    Severity.Notice,
                    $"slip-{device.Id}-{other.Id}",
                    $"“{device.Name}” and “{other.Name}” look alike",
                    "Two letters have changed places. If both are the same device, remove one; else call one of them something else."
                );
            }
        }
    }

    /// <summary>A plain name with two neighbours among its letters exchanged, in every way that makes another.</summary>
    private static IEnumerable<string> Swapped(string name)
    {
        if (name.Length < ShortestSlip)
            yield break;
        for (var i = 0; i + 1 < name.Length; i++)
        {
            if (name[i] != name[i + 1] && char.IsLetter(name[i]) && char.IsLetter(name[i + 1]))
                yield return $"{name[..i]}{name[i + 1]}{name[i]}{name[(i + 2)..]}";
        }
    }

    /// <summary>A name without what the eye passes over.</summary>
    private static string Plain(string name) =>
        string.Concat(name.Normalize(System.Text.NormalizationForm.FormD).Where(char.IsLetterOrDigit).Select(char.ToLowerInvariant));
}
