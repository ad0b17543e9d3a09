using System.Globalization;

namespace Weiche.Core.Stages;

/// <summary>Reads a whole number as a person types it: "12", "+7", "−12".</summary>
internal static class TypedNumber
{
    /// <summary>Reads a number.</summary>
    /// <param name="text">What was typed.</param>
    /// <param name="least">The least it may be.</param>
    /// <param name="most">The most it may be.</param>
    /// <param name="number">The number.</param>
    /// <returns>False if it is none, or out of range.</returns>
    internal static bool TryRead(string? text, int least, int most, out int number) =>
        int.TryParse(
            (text ?? "").Trim().Replace('−', '-').TrimStart('+', '±'),
            NumberStyles.AllowLeadingSign,
            CultureInfo.InvariantCulture,
            out number
        )
        && number >= least
        && number <= most;
}
