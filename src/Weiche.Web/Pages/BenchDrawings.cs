using Weiche.Core.Midi;

namespace Weiche.Web.Pages;

/// <summary>One key of a drawn keyboard, in pixels from the upper left.</summary>
/// <param name="Number">The key, 0 to 127.</param>
/// <param name="Black">Whether it is a black one.</param>
/// <param name="X">Its left edge.</param>
/// <param name="Width">How wide it is.</param>
/// <param name="Height">How high it is.</param>
internal sealed record DrawnKey(int Number, bool Black, int X, int Width, int Height);

/// <summary>A keyboard as it is drawn: white keys side by side, black ones over the gaps.</summary>
internal sealed class KeyboardDrawing
{
    /// <summary>How high the drawing is.</summary>
    internal const int Height = 132;

    private const int WhiteWidth = 18;
    private const int FewKeysWidth = 40;
    private const int FewKeys = 25;

    /// <summary>A keyboard from one key to another, both white.</summary>
    internal KeyboardDrawing(int lowest, int highest)
    {
        var white = highest - lowest < FewKeys ? FewKeysWidth : WhiteWidth;
        var whites = new List<DrawnKey>();
        var blacks = new List<DrawnKey>();
        var x = 0;
        for (var key = lowest; key <= highest; key++)
        {
            if (KeyNaming.IsBlack(key))
            {
                blacks.Add(new DrawnKey(key, true, x - white * 3 / 10, white * 6 / 10, Height * 62 / 100));
                continue;
            }
            whites.Add(new DrawnKey(key, false, x, white, Height));
            x += white;
        }
        Width = x;
        Keys = [.. whites, .. blacks];
    }

    /// <summary>How wide the drawing is.</summary>
    internal int Width { get; }

    /// <summary>The keys, the black ones last so that they lie above.</summary>
    internal IReadOnlyList<DrawnKey> Keys { get; }
}

/// <summary>Where the stars of the star projection stand. A cue lights the star of its key.</summary>
internal static class StarChart
{
    /// <summary>How many stars there are.</summary>
    internal const int Count = 24;

    /// <summary>Where a star stands on the dome, in pixels.</summary>
    /// <param name="star">Which star, from 0.</param>
    internal static (string X, string Y) Place(int star)
    {
        // Sunflower order over the whole disc, of which the upper half is the sky: evenly spread, and neighbours in
        // number are not neighbours in the sky.
        var (x, y) = (0.0, 0.0);
        for (int seed = 0, found = -1; found < star; seed++)
        {
            var angle = seed * 2.39996;
            var radius = 64 * Math.Sqrt((seed + 0.5) / (2 * Count + 2));
            (x, y) = (75 + radius * Math.Cos(angle), 79 - radius * Math.Sin(angle));
            if (y < 75)
                found++;
        }
        return (Format(x), Format(y));

        static string Format(double value) => value.ToString("0.0", System.Globalization.CultureInfo.InvariantCulture);
    }
}
