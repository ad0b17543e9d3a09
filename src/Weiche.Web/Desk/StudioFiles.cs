using System.Globalization;
using Weiche.Core.Studios;
using Weiche.Data;
using Weiche.Files;

namespace Weiche.Web.Desk;

/// <summary>Studios between files, the database and the pages.</summary>
internal static class StudioFiles
{
    /// <summary>Adds the studio of a file to the database, under its name or, where that is taken, with a number behind it.</summary>
    /// <param name="store">The database.</param>
    /// <param name="studio">The studio.</param>
    /// <param name="at">When, UTC.</param>
    /// <exception cref="StoreException">It could not be written; nothing was changed.</exception>
    internal static StoredStudio Import(this StudioStore store, Studio studio, DateTime at)
    {
        var name = FreeName(studio.Name, store.Names());
        var added = store.Add(name, StudioJson.Write(studio.Renumbered().Named(name)), at);
        if (studio.Current is not { } lineup)
            return added;
        store.Entered(added.Id, lineup.Id.Value);
        return added with { Lineup = lineup.Id.Value };
    }

    /// <summary>What was imported, in a sentence.</summary>
    /// <param name="studio">The studio of the file.</param>
    /// <param name="name">The name it was given.</param>
    internal static string Imported(Studio studio, string name) =>
        string.Create(
            CultureInfo.InvariantCulture,
            $"Imported “{name}”: {studio.Devices.Length} devices and virtual ports, {studio.Routes.Length} routes."
        );

    /// <summary>Why a version of a studio in the database cannot be read, in a sentence; null if it can.</summary>
    /// <param name="store">The database.</param>
    /// <param name="id">The studio's key.</param>
    /// <param name="version">The version; null for the one in force.</param>
    internal static string? WhyUnreadable(this StudioStore store, int id, int? version = null)
    {
        try
        {
            var document = version is { } number ? store.Document(id, number) : store.Find(id)?.Document;
            if (document is not null)
                _ = StudioJson.Read(document);
            return document is null ? "It is not in the database." : null;
        }
        catch (Exception exception) when (exception is StudioFormatException or StoreException)
        {
            return exception.Message;
        }
    }

    /// <summary>A name that no studio has yet: this one, or this one with a number.</summary>
    /// <param name="name">The name wished for.</param>
    /// <param name="taken">Those that are taken.</param>
    internal static string FreeName(string name, IReadOnlyList<string> taken)
    {
        for (var i = 1; ; i++)
        {
            var ending = i == 1 ? "" : string.Create(CultureInfo.InvariantCulture, $" {i}");
            var candidate = name[..Math.Min(name.Length, NameRule.MaxLength - ending.Length)].TrimEnd() + ending;
            if (!taken.Contains(candidate, StringComparer.OrdinalIgnoreCase))
                return candidate;
        }
    }
}
