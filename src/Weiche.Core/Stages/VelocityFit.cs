using System.Globalization;

namespace Weiche.Core.Stages;

/// <summary>Finds the velocity rule that comes closest to a line drawn by hand.</summary>
public static class VelocityFit
{
    private const int MostPoints = 512;

    /// <summary>Reads a line: "1:20,64:80,127:127", for each velocity that comes what shall become of it.</summary>
    /// <param name="text">The text.</param>
    /// <returns>Null if it is none: fewer than two places, or numbers that are no velocities.</returns>
    public static IReadOnlyList<(int Comes, int Becomes)>? TryParse(string? text)
    {
        var line = new List<(int, int)>();
        foreach (var part in (text ?? "").Split(',', StringSplitOptions.RemoveEmptyEntries))
        {
            var ends = part.Split(':');
            if (ends.Length != 2 || !Value(ends[0], out var comes) || !Value(ends[1], out var becomes) || line.Count == MostPoints)
                return null;
            line.Add((comes, becomes));
        }
        return line.Select(point => point.Item1).Distinct().Count() < 2 ? null : line;
    }

    /// <summary>The rule whose curve, scale and offset come closest to a line, in the sum of squares; the limits stay.</summary>
    /// <param name="before">The rule whose limits are kept.</param>
    /// <param name="line">The line, at least two different velocities that come.</param>
    public static VelocityStage Find(VelocityStage before, IReadOnlyList<(int Comes, int Becomes)> line)
    {
        var (best, least) = (before, double.MaxValue);
        for (var curve = -100; curve <= 100; curve += 5)
        {
            var bent = line.Select(point => 127 * Math.Pow(point.Comes / 127.0, Math.Pow(2, curve / 50.0))).ToArray();
            var (meanX, meanY) = (bent.Average(), line.Average(point => point.Becomes));
            var spread = bent.Sum(x => (x - meanX) * (x - meanX));
            var slope = spread < 1e-9 ? 0 : bent.Zip(line).Sum(pair => (pair.First - meanX) * (pair.Second.Becomes - meanY)) / spread;
            var scale = (int)Math.Clamp(Math.Round(slope * 100), 0, 400);
            var offset = (int)Math.Clamp(Math.Round(meanY - scale / 100.0 * meanX), -127, 127);
            var found = new VelocityStage(before.Lowest, before.Highest, scale, offset, curve);
            var error = line.Sum(point => Math.Pow(found.Bend(point.Comes) - point.Becomes, 2)) + Math.Abs(curve) * 1e-3;
            if (error < least)
                (best, least) = (found, error);
        }
        return best;
    }

    private static bool Value(string text, out int value) =>
        int.TryParse(text, NumberStyles.None, CultureInfo.InvariantCulture, out value) && value is >= 1 and <= 127;
}
