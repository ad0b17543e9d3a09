using System.Globalization;
using Weiche.Core.Studios;
using Weiche.Core.Takes;

namespace Weiche.Data;

/// <summary>A take as the database knows it.</summary>
public sealed class TakeRow
{
    /// <summary>Its key.</summary>
    public int Id { get; set; }

    /// <summary>The studio that it was played in.</summary>
    public int StudioId { get; set; }

    /// <summary>Its name.</summary>
    public required string Name { get; set; }

    /// <summary>When it was recorded, kept or brought, UTC.</summary>
    public DateTime At { get; set; }

    /// <summary>Of what is on tape: when it begins, µs since 1970, UTC.</summary>
    public long Begin { get; set; }

    /// <summary>Of what is on tape: when it ends; below the beginning as long as it is recorded.</summary>
    public long End { get; set; }

    /// <summary>The name of the file that it came from; null for what is on tape.</summary>
    public string? File { get; set; }

    /// <summary>What was done to it, in the product's own JSON: a list of steps.</summary>
    public required string Steps { get; set; }

    /// <summary>How many of the steps count: the others were taken back.</summary>
    public int Place { get; set; }

    /// <summary>What it is, in words, as a list shows it.</summary>
    public required string Told { get; set; }

    /// <summary>Whether it was thrown away, and can be brought back.</summary>
    public bool IsGone { get; set; }
}

/// <summary>A page of a tape, of the reel or of a take; or a piece of a file.</summary>
public sealed class PageRow
{
    /// <summary>Its key: counts up.</summary>
    public int Id { get; set; }

    /// <summary>The studio.</summary>
    public int StudioId { get; set; }

    /// <summary>The take; null for the reel.</summary>
    public int? TakeId { get; set; }

    /// <summary>When it begins, µs since 1970, UTC.</summary>
    public long Begin { get; set; }

    /// <summary>When the last thing on it was.</summary>
    public long End { get; set; }

    /// <summary>How many messages are on it.</summary>
    public int Count { get; set; }

    /// <summary>How many messages came from which port: "12:40,15:3".</summary>
    public required string Ports { get; set; }

    /// <summary>Its bytes.</summary>
    public required byte[] Data { get; set; }

    /// <summary>Takes over a page of a tape as it is now.</summary>
    /// <param name="page">The page.</param>
    public PageRow Fill(TapePage page)
    {
        (Begin, End, Count, Data) = (page.Begin.Microseconds, page.End.Microseconds, page.Count, page.Bytes.ToArray());
        Ports = string.Join(',', page.Counts.Select(count => string.Create(CultureInfo.InvariantCulture, $"{count.Key}:{count.Value}")));
        return this;
    }

    /// <summary>Reads <see cref="Ports"/>.</summary>
    /// <param name="ports">What it says.</param>
    internal static IEnumerable<(PortId Port, int Count)> CountsOf(string ports) =>
        ports
            .Split(',', StringSplitOptions.RemoveEmptyEntries)
            .Select(each => each.Split(':'))
            .Select(each =>
                (new PortId(int.Parse(each[0], CultureInfo.InvariantCulture)), int.Parse(each[1], CultureInfo.InvariantCulture))
            );
}
