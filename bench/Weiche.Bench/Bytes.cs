using BenchmarkDotNet.Attributes;
using Weiche.Core.Midi;

namespace Weiche.Bench;

/// <summary>Parser and writer against a loop that copies the same bytes one by one.</summary>
[MemoryDiagnoser]
public class Bytes
{
    private readonly byte[] _stream = Stream();
    private readonly byte[] _copy = new byte[1 << 20];
    private readonly StreamParser _parser;
    private readonly SysExPool _pool = new();
    private Rewriting _rewriting;

    /// <summary>A parser that gives on to a writer.</summary>
    public Bytes()
    {
        _parser = new StreamParser(_pool);
        _rewriting = new Rewriting(new MessageWriter(_pool), new byte[4096]);
    }

    /// <summary>How many bytes one pass has.</summary>
    internal int Length => _stream.Length;

    /// <summary>The bare copy loop.</summary>
    [Benchmark(Baseline = true)]
    public byte CopyLoop()
    {
        for (var i = 0; i < _stream.Length; i++)
            _copy[i] = _stream[i];
        return _copy[_stream.Length / 2];
    }

    /// <summary>Reads the stream.</summary>
    [Benchmark]
    public long Parse()
    {
        var nothing = new Nothing();
        _parser.Parse(_stream, ref nothing);
        return _parser.Counts.Messages;
    }

    /// <summary>Reads the stream and writes every message again.</summary>
    [Benchmark]
    public long ParseAndWrite()
    {
        _parser.Parse(_stream, ref _rewriting);
        return _parser.Counts.Messages;
    }

    private static byte[] Stream()
    {
        var random = new Random(1);
        var bytes = new List<byte>();
        while (bytes.Count < 1 << 18)
        {
            bytes.AddRange([
                0x90,
                (byte)random.Next(128),
                100,
                (byte)random.Next(128),
                0,
                0xB0,
                7,
                (byte)random.Next(128),
                0xF8, 0xE0, 0, 64,
            ]);
            if (random.Next(20) == 0)
                bytes.AddRange([0xF0, .. Enumerable.Repeat((byte)1, 40), 0xF7]);
        }
        return [.. bytes];
    }

    private readonly struct Nothing : IMessageSink
    {
        public void Accept(in MidiMessage message)
        {
            // The baseline does nothing with its bytes either.
        }
    }

    private readonly struct Rewriting(MessageWriter writer, byte[] buffer) : IMessageSink
    {
        public void Accept(in MidiMessage message) => writer.TryWrite(message, buffer, out _);
    }
}
