using System.Globalization;

namespace Weiche.Core.Midi;

/// <summary>
/// What a device says it is in reply to an identity request (MIDI 1.0 Detailed Specification, "Device Inquiry": F0 7E
/// channel 06 02 …).
/// </summary>
/// <param name="Maker">The manufacturer's number: 1 to 127, or of three bytes, 0x010000 and above in one number with
/// a first byte of 0.</param>
/// <param name="Family">The family code, 0 to 16383.</param>
/// <param name="Member">The member code, 0 to 16383.</param>
/// <param name="Version">The software's revision: four bytes, the first in the highest place.</param>
public sealed record DeviceIdentity(int Maker, int Family, int Member, int Version)
{
    // What a long manufacturer number is told by: its first byte is 0, and it must differ from the short numbers.
    private const int Long = 0x10000;

    /// <summary>The universal identity request to whoever hears it (device number 7F, "all call"), whole.</summary>
    public static ReadOnlySpan<byte> Request => [0xF0, 0x7E, 0x7F, 0x06, 0x01, 0xF7];

    /// <summary>The maker's number as the makers' list writes it: "7D", "00 20 33".</summary>
    public string MakerText =>
        Maker >= Long
            ? string.Create(CultureInfo.InvariantCulture, $"00 {Maker >> 8 & 0x7F:X2} {Maker & 0x7F:X2}")
            : Maker.ToString("X2", CultureInfo.InvariantCulture);

    /// <summary>The version as four numbers: "1.4.0.0".</summary>
    public string VersionText =>
        string.Create(
            CultureInfo.InvariantCulture,
            $"{Version >> 24 & 0x7F}.{Version >> 16 & 0x7F}.{Version >> 8 & 0x7F}.{Version & 0x7F}"
        );

    /// <summary>Whether another reply comes from the same sort of device, whatever its software.</summary>
    /// <param name="other">The other.</param>
    public bool IsSameModel(DeviceIdentity? other) =>
        other is not null && (Maker, Family, Member) == (other.Maker, other.Family, other.Member);

    /// <summary>In words: "maker 7D, family 1, member 2, version 1.4.0.0".</summary>
    public override string ToString() =>
        string.Create(CultureInfo.InvariantCulture, $"maker {MakerText}, family {Family}, member {Member}, version {VersionText}");

    /// <summary>The reply a device of this identity gives, whole.</summary>
    /// <param name="device">Its device number, 0 to 127.</param>
    public byte[] ToReply(int device = 0) =>
        [
            0xF0,
            0x7E,
            (byte)device,
            0x06,
            0x02,
            .. Maker >= Long ? new[] { (byte)0, (byte)(Maker >> 8 & 0x7F), (byte)(Maker & 0x7F) } : [(byte)Maker],
            (byte)(Family & 0x7F),
            (byte)(Family >> 7),
            (byte)(Member & 0x7F),
            (byte)(Member >> 7),
            (byte)(Version >> 24 & 0x7F),
            (byte)(Version >> 16 & 0x7F),
            (byte)(Version >> 8 & 0x7F),
            (byte)(Version & 0x7F),
            0xF7,
        ];

    /// <summary>Reads a reply.</summary>
    /// <param name="body">The bytes between F0 and F7.</param>
    /// <param name="identity">What it says.</param>
    /// <returns>False if this is no identity reply, or one that is too short or too long.</returns>
    public static bool TryRead(ReadOnlySpan<byte> body, out DeviceIdentity identity)
    {
        identity = null!;
        if (body.Length < 5 || body[0] != 0x7E || body[2] != 0x06 || body[3] != 0x02)
            return false;
        var maker = (int)body[4];
        var rest = body[5..];
        if (maker == 0)
        {
            if (rest.Length < 2)
                return false;
            maker = Long | rest[0] << 8 | rest[1];
            rest = rest[2..];
        }
        if (rest.Length != 8 || rest.ContainsAnyInRange((byte)0x80, (byte)0xFF))
            return false;
        identity = new DeviceIdentity(
            maker,
            rest[0] | rest[1] << 7,
            rest[2] | rest[3] << 7,
            rest[4] << 24 | rest[5] << 16 | rest[6] << 8 | rest[7]
        );
        return true;
    }

    /// <summary>Whether these bytes ask who is there.</summary>
    /// <param name="body">The bytes between F0 and F7.</param>
    public static bool IsRequest(ReadOnlySpan<byte> body) => body.Length == 4 && body[0] == 0x7E && body[2] == 0x06 && body[3] == 0x01;
}
