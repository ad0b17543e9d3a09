using System.Text.RegularExpressions;
using Weiche.Core.Studios;

namespace Weiche.Ports.Raw;

/// <summary>Where raw MIDI devices are looked for.</summary>
/// <param name="DeviceFolder">The folder with the device files midiC*D*.</param>
/// <param name="CardListing">The system's list of sound cards, which has their names.</param>
public sealed record RawPlaces(string DeviceFolder = "/dev/snd", string CardListing = "/proc/asound/cards");

/// <summary>A raw MIDI device that the system has.</summary>
/// <param name="Path">Its device file.</param>
/// <param name="Name">Its name in the system's list, or one made of its number.</param>
public sealed record FoundDevice(string Path, string Name);

/// <summary>Lists the raw MIDI devices of this computer.</summary>
public static partial class RawListing
{
    /// <summary>The devices that are there now, in order of card and device. Never throws: what cannot be read is not there.</summary>
    /// <param name="places">Where to look.</param>
    public static IReadOnlyList<FoundDevice> Find(RawPlaces places)
    {
        try
        {
            if (!Directory.Exists(places.DeviceFolder))
                return [];
            var cards = ReadCards(places.CardListing);
            return
            [
                .. Directory
                    .EnumerateFileSystemEntries(places.DeviceFolder, "midiC*D*")
                    .Select(path => (Path: path, Match: DeviceFile().Match(Path.GetFileName(path))))
                    .Where(item => item.Match.Success)
                    .Select(item =>
                        (
                            item.Path,
                            Card: int.Parse(item.Match.Groups[1].ValueSpan, provider: null),
                            Device: int.Parse(item.Match.Groups[2].ValueSpan, provider: null)
                        )
                    )
                    .OrderBy(item => item.Card)
                    .ThenBy(item => item.Device)
                    .Select(item => new FoundDevice(item.Path, NameOf(cards, item.Card, item.Device))),
            ];
        }
        catch (Exception exception) when (exception is IOException or UnauthorizedAccessException)
        {
            return [];
        }
    }

    private static string NameOf(Dictionary<int, string> cards, int card, int device)
    {
        var name = cards.TryGetValue(card, out var known) ? known : $"MIDI card {card}";
        if (device > 0)
            name += $" {device + 1}";
        return name.Length <= NameRule.MaxLength ? name : name[..NameRule.MaxLength].Trim();
    }

    /// <summary>Lines such as " 1 [Keys           ]: USB-Audio - Keys 61".</summary>
    private static Dictionary<int, string> ReadCards(string listing)
    {
        var cards = new Dictionary<int, string>();
        if (!File.Exists(listing))
            return cards;
        foreach (var line in File.ReadLines(listing))
        {
            if (CardLine().Match(line) is { Success: true } match)
                cards.TryAdd(
                    int.Parse(match.Groups[1].ValueSpan, provider: null),
                    NameRule.Tidy(match.Groups[2].Value.Replace('<', ' ').Replace('>', ' '))
                );
        }
        return cards;
    }

    [GeneratedRegex(@"^midiC(\d{1,4})D(\d{1,4})$")]
    private static partial Regex DeviceFile();

    [GeneratedRegex(@"^\s*(\d{1,4})\s+\[[^\]]*\]:\s*\S+\s+-\s+(.+)$")]
    private static partial Regex CardLine();
}
