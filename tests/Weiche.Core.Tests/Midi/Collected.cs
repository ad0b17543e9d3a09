using Weiche.Core.Midi;

namespace Weiche.Core.Tests.Midi;

/// <summary>A sink that keeps what it takes, each message as its full bytes in hexadecimal.</summary>
internal readonly struct Collected(SysExPool pool) : IMessageSink
{
    private readonly List<string> _texts = [];

    public IReadOnlyList<string> Texts => _texts;

    public void Accept(in MidiMessage message) => _texts.Add(Full(message, pool));

    public static string Full(in MidiMessage message, SysExPool pool) =>
        message.Status == 0xF0
            ? "F0" + Convert.ToHexString(pool.Bytes(message.SysExHandle)) + "F7"
            : MessageText.Hex(message).Replace(" ", "", StringComparison.Ordinal);

    /// <summary>What a fresh parser makes of the bytes, given in one piece.</summary>
    public static IReadOnlyList<string> Parse(params byte[] bytes) => Parse(bytes, out _);

    public static IReadOnlyList<string> Parse(byte[] bytes, out ParserCounts counts)
    {
        var pool = new SysExPool();
        var parser = new StreamParser(pool);
        var sink = new Collected(pool);
        parser.Parse(bytes, ref sink);
        counts = parser.Counts;
        return sink.Texts;
    }
}
