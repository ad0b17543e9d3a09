using Weiche.Core.Midi;

namespace Weiche.Web.Pages;

/// <summary>A keyboard of all 128 keys, small enough for the drawer. Measures in pixels.</summary>
internal static class KeyDrawing
{
    internal const double Height = 44;
    private const double White = 5.4;
    private const double Black = 3.6;
    private const double BlackHeight = 28;
    private const int Whites = 75;

    internal const double Width = Whites * White;

    /// <summary>The keys in the order in which they are drawn: black ones over white ones.</summary>
    internal static readonly int[] WhiteFirst = [.. Enumerable.Range(0, 128).OrderBy(key => KeyNaming.IsBlack(key) ? 1 : 0)];

    /// <summary>Where a key is drawn.</summary>
    internal static (double X, double Width, double Height) Place(int key)
    {
        var whitesBelow = Enumerable.Range(0, key).Count(each => !KeyNaming.IsBlack(each));
        return KeyNaming.IsBlack(key) ? (whitesBelow * White - Black / 2, Black, BlackHeight) : (whitesBelow * White, White, Height);
    }

    internal static double Middle(int key) => Place(key) is var (x, wide, _) ? x + wide / 2 : 0;
}
