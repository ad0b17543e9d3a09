using System.Globalization;
using System.Text;

namespace Weiche.Bridge.Shared;

/// <summary>A line that the two processes say to each other: words with a space between. A name is a word whatever bytes it has: all but
/// letters and digits are written as % and two hexadecimal digits, as in a URI (RFC 3986, section 2.1).</summary>
public static class Line
{
    /// <summary>Bytes as a word.</summary>
    /// <param name="bytes">The bytes.</param>
    public static string Word(ReadOnlySpan<byte> bytes)
    {
        // An empty word would be none.
        if (bytes.IsEmpty)
            return "%";
        var word = new StringBuilder(bytes.Length + 8);
        foreach (var each in bytes)
        {
            if (char.IsAsciiLetterOrDigit((char)each) || each is (byte)'_' or (byte)'-' or (byte)':')
                word.Append((char)each);
            else
                word.Append(CultureInfo.InvariantCulture, $"%{each:X2}");
        }
        return word.ToString();
    }

    /// <summary>Text as a word.</summary>
    /// <param name="text">The text.</param>
    public static string Word(string text) => Word(Encoding.UTF8.GetBytes(text));

    /// <summary>The bytes of a word.</summary>
    /// <param name="word">The word.</param>
    public static byte[] Bytes(string word)
    {
        var bytes = new List<byte>(word.Length);
        for (var i = 0; i < word.Length; i++)
        {
            if (word[i] != '%')
                bytes.Add((byte)word[i]);
            else if (
                i + 2 < word.Length
                && byte.TryParse(word.AsSpan(i + 1, 2), NumberStyles.HexNumber, CultureInfo.InvariantCulture, out var value)
            )
            {
                bytes.Add(value);
                i += 2;
            }
        }
        return [.. bytes];
    }

    /// <summary>The text of a word; bytes that are none (UTF-8) are shown as U+FFFD.</summary>
    /// <param name="word">The word.</param>
    public static string Text(string word) => Encoding.UTF8.GetString(Bytes(word));
}
