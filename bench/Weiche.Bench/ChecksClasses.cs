using BenchmarkDotNet.Attributes;
using Weiche.Core.Checks;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;
using Weiche.Files;

namespace Weiche.Bench;

/// <summary>The checks of the demo studio, for BenchmarkDotNet: looked at for the first time, and after an edit.</summary>
[MemoryDiagnoser]
public class ChecksClasses
{
    private Studio _studio = null!;
    private Studio _edited = null!;
    private CheckReport _before = null!;

    /// <summary>Makes the studio, and one with a route switched.</summary>
    [GlobalSetup]
    public void Setup()
    {
        _studio = DemoStudio.Create();
        var route = _studio.Routes[0];
        _edited = new SwitchRoute(route.Id, !route.On).Apply(_studio).Studio!;
        _before = Checker.Check(_studio);
    }

    /// <summary>Everything, of a studio that was never looked at.</summary>
    [Benchmark(Baseline = true)]
    public CheckReport Everything() => Checker.Check(_studio);

    /// <summary>Everything, after one route was switched.</summary>
    [Benchmark]
    public CheckReport AfterAnEdit() => Checker.Check(_edited, _before);
}
