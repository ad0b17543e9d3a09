using CsCheck;
using Weiche.Core.Midi;

namespace Weiche.Core.Tests.Midi;

/// <summary>Generators of what runs on a MIDI wire.</summary>
internal static class Gens
{
    public static readonly Gen<int> Data = Gen.Int[0, 127];

    /// <summary>Any message other than a system exclusive, each status about as often.</summary>
    public static readonly Gen<MidiMessage> Short = Gen.Select(
        Gen.Frequency((8, Gen.Int[0x80, 0xEF]), (2, Gen.OneOf(0xF1, 0xF2, 0xF3, 0xF6)), (2, Gen.OneOf(0xF8, 0xFA, 0xFB, 0xFC, 0xFE, 0xFF))),
        Data,
        Data,
        (status, data1, data2) =>
            MidiMessage.FromBytes(
                status,
                status is >= 0xF6 ? 0 : data1,
                status is >= 0xF6 or 0xF1 or 0xF3 or (>= 0xC0 and < 0xE0) ? 0 : data2
            )
    );

    /// <summary>The data of a system exclusive, mostly short, now and then long.</summary>
    public static readonly Gen<byte[]> SysExData = Gen.Frequency((9, Gen.Byte[0, 127].Array[0, 12]), (1, Gen.Byte[0, 127].Array[200, 700]));

    /// <summary>Either a short message, or the data of a system exclusive.</summary>
    public static readonly Gen<(MidiMessage Short, byte[]? SysEx)> Message = Gen.Frequency(
        (9, Short.Select(message => (message, (byte[]?)null))),
        (1, SysExData.Select(data => (default(MidiMessage), (byte[]?)data)))
    );

    /// <summary>Bytes as a broken, odd or hostile sender may send them: every byte, statuses and real-time often.</summary>
    public static readonly Gen<byte[]> Bytes = Gen.Frequency(
        (5, Gen.Byte[0, 127]),
        (4, Gen.Byte[0x80, 0xFF]),
        (1, Gen.OneOf((byte)0xF0, (byte)0xF7))
    ).Array[0, 80];

    /// <summary>Places at which to cut something of this length into pieces, in order.</summary>
    public static Gen<int[]> Cuts(int length) => Gen.Int[0, length].Array[0, 8].Select(cuts => cuts.Order().ToArray());
}
