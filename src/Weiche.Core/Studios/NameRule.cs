using System.Globalization;

namespace Weiche.Core.Studios;

/// <summary>What may be a name: of a device, a virtual port, a studio.</summary>
public static class NameRule
{
    /// <summary>The most characters a name may have.</summary>
    public const int MaxLength = 40;

    private const int LongestSaid = 60;

    // Letters and signs that are drawn as nothing: fillers of Hangul, the empty pattern of Braille.
    private const string DrawnAsNothing = "\u115F\u1160\u3164\uFFA0\u2800";

    // They join or part the letters and pictures beside them: a family in one picture is made with the first.
    private const string Joiners = "\u200D\u200C";

    /// <summary>The name as it is kept: without blanks around it, single blanks within, and without what cannot be seen.</summary>
    /// <param name="name">As it was typed; null counts as empty.</param>
    public static string Tidy(string? name) =>
        string.Join(' ', WithoutHidden(name ?? "").Split((char[]?)null, StringSplitOptions.RemoveEmptyEntries));

    /// <summary>The name without characters that cannot be seen or turn the direction of writing (Unicode, general category Cf): they come
    /// along with what is copied, and make two names look like one.</summary>
    /// <param name="name">A name.</param>
    public static string WithoutHidden(string name) => name.Any(IsHidden) ? new string([.. name.Where(c => !IsHidden(c))]) : name;

    private static bool IsHidden(char c) =>
        char.GetUnicodeCategory(c) == UnicodeCategory.Format && !Joiners.Contains(c, StringComparison.Ordinal);

    /// <summary>What something calls itself, as it can be written down: any text without what is not seen, and not too long.</summary>
    /// <param name="name">What it calls itself.</param>
    public static string Said(string name)
    {
        // Pictures beyond the first plane are two halves, of which a cut may leave one.
        var said = Tidy(
            new string([
                .. name.Select(letter => letter is '<' or '>' || char.IsControl(letter) || char.IsSurrogate(letter) ? ' ' : letter),
            ])
        );
        return said.Length <= LongestSaid ? said : said[..LongestSaid].Trim();
    }

    /// <summary>Why this cannot be a name, in a sentence, or null if it can.</summary>
    /// <param name="name">A tidied name.</param>
    public static string? Check(string name)
    {
        if (name.Length == 0)
            return "A name needs at least one character.";
        if (name.Length > MaxLength)
            return $"A name has at most {MaxLength} characters; this one has {name.Length}.";
        if (name.AsSpan().ContainsAny('<', '>'))
            return "A name cannot contain < or >.";
        if (name.Any(char.IsControl) || !IsPaired(name))
            return "A name cannot contain control characters.";
        if (
            name.Any(IsHidden)
            || name.All(c =>
                char.IsWhiteSpace(c)
                || Joiners.Contains(c, StringComparison.Ordinal)
                || DrawnAsNothing.Contains(c, StringComparison.Ordinal)
            )
        )
            return "A name must be seen: it cannot be made of characters that are drawn as nothing.";
        return null;
    }

    /// <summary>Why this cannot be the name of a device that gets it now, in a sentence, or null if it can.</summary>
    /// <param name="studio">The studio.</param>
    /// <param name="name">A tidied name.</param>
    /// <param name="self">The device itself, if it is there already.</param>
    public static string? CheckFor(Studio studio, string name, DeviceId? self)
    {
        if (Check(name) is { } problem)
            return problem;
        var other = studio.Devices.FirstOrDefault(device =>
            device.Id != self && string.Equals(device.Name, name, StringComparison.OrdinalIgnoreCase)
        );
        return other is null ? null : $"There is already something called “{other.Name}”. Choose another name.";
    }

    private static bool IsPaired(string name)
    {
        for (var i = 0; i < name.Length; i++)
        {
            if (!char.IsSurrogate(name[i]))
                continue;
            if (i + 1 == name.Length || !char.IsSurrogatePair(name[i], name[i + 1]))
                return false;
            i++;
        }
        return true;
    }
}
