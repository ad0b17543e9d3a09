namespace Weiche.Core.Layout;

/// <summary>How wide text is on a sign: Overpass, semi-bold, 12 pixels. Good to within a pixel or two.</summary>
internal static class TextWidth
{
    private const double Usual = 6.9;

    /// <summary>The width in pixels.</summary>
    internal static double Of(string text) => text.Sum(Of);

    private static double Of(char c) =>
        c switch
        {
            ' ' => 3,
            'i' or 'l' or 'j' or 'I' or '.' or ',' or ':' or '|' or '\'' => 3.4,
            'f' or 't' or 'r' or '-' or '(' or ')' => 4.6,
            'm' or 'w' or 'M' or 'W' => 10.2,
            '→' => 11,
            >= 'A' and <= 'Z' => 7.9,
            _ => Usual,
        };
}
