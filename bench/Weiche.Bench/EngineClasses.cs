using BenchmarkDotNet.Attributes;

namespace Weiche.Bench;

/// <summary>The engine and the hand-written loop on generated studios, for BenchmarkDotNet.</summary>
[MemoryDiagnoser]
public class EngineClasses
{
    private EngineBench _bench = null!;

    /// <summary>How many routes the studio has.</summary>
    [Params(10, 100, 1000)]
    public int Routes { get; set; }

    /// <summary>Makes the studio.</summary>
    [GlobalSetup]
    public void Setup() => _bench = new EngineBench(Studios.Generate(64, Routes, seed: 1));

    /// <summary>The hand-written loop.</summary>
    [Benchmark(Baseline = true)]
    public void HandWrittenLoop() => _bench.RunLoop();

    /// <summary>The engine.</summary>
    [Benchmark]
    public void Engine() => _bench.RunEngine();
}
