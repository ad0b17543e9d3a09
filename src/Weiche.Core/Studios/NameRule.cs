namespace Weiche.Core.Studios;

/// <summary>What may be a name: of a device, a virtual port, a studio.</summary>
public static class NameRule
{
    /// <summary>The most characters a name may have.</summary>
    public const int MaxLength = 40;

    /// <summary>The name as it is kept: without blanks around it, and single blanks within.</summary>
    /// <param name="name">As it was typed; null counts as empty.</param>
    public static string Tidy(string? name) =>
        string.Join(' ', (name ?? "").Split((char[]?)null, StringSplitOptions.RemoveEmptyEntries));

    /// <summary>Why this cannot be a name, in a sentence, or null if it can.</summary>
    /// <param name="name">A tidied name.</param>
    public static string? Check(string name)
    {
        if (name.Length == 0) return "A name needs at least one character.";
        if (name.Length > MaxLength) return $"A name has at most {MaxLength} characters; this one has {name.Length}.";
        if (name.AsSpan().ContainsAny('<', '>')) return "A name cannot contain < or >.";
        if (name.Any(char.IsControl) || !IsPaired(name)) return "A name cannot contain control characters.";
        return null;
    }

    /// <summary>Why this cannot be the name of a device that gets it now, in a sentence, or null if it can.</summary>
    /// <param name="studio">The studio.</param>
    /// <param name="name">A tidied name.</param>
    /// <param name="self">The device itself, if it is there already.</param>
    public static string? CheckFor(Studio studio, string name, DeviceId? self)
    {
        if (Check(name) is { } problem) return problem;
        var other = studio.Devices.FirstOrDefault(device =>
            device.Id != self && string.Equals(device.Name, name, StringComparison.OrdinalIgnoreCase));
        return other is null ? null : $"There is already something called “{other.Name}”. Choose another name.";
    }

    private static bool IsPaired(string name)
    {
        for (var i = 0; i < name.Length; i++)
        {
            if (!char.IsSurrogate(name[i])) continue;
            if (i + 1 == name.Length || !char.IsSurrogatePair(name[i], name[i + 1])) return false;
            i++;
        }
        return true;
    }
}
