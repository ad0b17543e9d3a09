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

    private const int WhiteWidth = 20;
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
            if (KeyName.IsBlack(key))
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
        // Sunflower order: evenly spread, and neighbours in number are not neighbours in the sky.
        var angle = star * 2.39996;
        var radius = 62 * Math.Sqrt((star + 0.5) / Count);
        var x = 75 + radius * Math.Cos(angle);
        var y = 76 - Math.Abs(radius * Math.Sin(angle));
        return (Format(x), Format(y));

        static string Format(double value) => value.ToString("0.0", System.Globalization.CultureInfo.InvariantCulture);
    }
}
