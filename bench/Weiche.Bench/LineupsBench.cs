using System.Diagnostics;
using System.Globalization;
using Weiche.Core.Checks;
using Weiche.Core.Live;
using Weiche.Core.Midi;
using Weiche.Core.Studios;

namespace Weiche.Bench;

/// <summary>What lineups cost: entering one with and without keys held, compiling and checking many of them, against a studio that has
/// one.</summary>
internal static class LineupsBench
{
    /// <summary>µs, each the median.</summary>
    /// <param name="Enter">Entering a lineup.</param>
    /// <param name="Worst">The slowest hundredth of the entries.</param>
    /// <param name="Swap">Putting a studio in force that was made ready, in an engine that keeps one plan.</param>
    /// <param name="Bytes">What one entry allocates.</param>
    internal sealed record Entering(double Enter, double Worst, double Swap, long Bytes);

    /// <summary>A studio whose routes are on duty in some of many lineups, one in five in all.</summary>
    private static Studio Evening(int devices, int routes, int lineups, int seed)
    {
        var random = new Random(seed);
        var studio = Studios.Generate(devices, routes, seed);
        var made = Enumerable
            .Range(0, lineups)
            .Select(i => new Lineup(new LineupId(studio.NextId + i), string.Create(CultureInfo.InvariantCulture, $"Lineup {i + 1}")))
            .ToList();
        return (
            studio with
            {
                NextId = studio.NextId + lineups,
                Lineups = [.. made],
                Routes =
                [
                    .. studio.Routes.Select(route =>
                        random.Next(5) == 0
                            ? route
                            : route with
                            {
                                Duty = Duty.In(made.Where(_ => random.Next(2) == 0).Select(lineup => lineup.Id)),
                            }
                    ),
                ],
            }
        )
            .Checked()
            .In(made[0].Id);
    }

    internal static Entering MeasureEntering(int rounds, int keys)
    {
        var studio = Evening(64, 1000, 50, 2030);
        var engine = new Engine(CompiledStudio.Compile(studio));
        var one = new Engine(
            CompiledStudio.Compile(
                studio with
                {
                    Lineups = [],
                    Routes = [.. studio.Routes.Select(route => route with { Duty = Duty.Standing })],
                }
            )
        );
        var sources = studio.Sources.Select(source => source.Id).ToArray();
        var now = MidiTime.Zero;
        for (var key = 0; key < keys; key++)
            engine.Receive(sources[key % sources.Length], [0x90, (byte)(key % 128), 100, 0xE0, 0, 90], now);
        var (enter, swap) = (new List<double>(), new List<double>());
        var lineups = studio.Lineups.Select(lineup => lineup.Id).ToArray();
        var round = 0;
        foreach (var counts in Warmth.Of(rounds))
        {
            now += MidiSpan.FromMilliseconds(1);
            var prepared = one.Prepare(one.Compiled);
            var swapped = Microseconds(() => one.Swap(prepared, now));
            var lineup = lineups[round++ * 7 % lineups.Length];
            var entered = Microseconds(() => engine.Enter(lineup, now));
            if (!counts)
                continue;
            swap.Add(swapped);
            enter.Add(entered);
        }
        var bytes = long.MaxValue;
        for (var i = 0; i < 20; i++)
        {
            var before = GC.GetAllocatedBytesForCurrentThread();
            engine.Enter(lineups[i], now);
            bytes = Math.Min(bytes, GC.GetAllocatedBytesForCurrentThread() - before);
        }
        return new Entering(Table.Median(enter), Table.Percentile(enter, 0.99), Table.Median(swap), bytes);
    }

    /// <summary>Milliseconds to compile a studio of 1 000 routes anew after an edit: with 50 lineups, and with one.</summary>
    internal static (double Many, double One) MeasureCompiling(int rounds) =>
        (Compile(Evening(64, 1000, 50, 2030), rounds), Compile(Evening(64, 1000, 1, 2030), rounds));

    /// <summary>Milliseconds to look at 30 lineups of 300 routes, and at one of them.</summary>
    internal static (double Many, double One) MeasureChecks(int rounds)
    {
        var studio = Evening(64, 300, 30, 2030);
        var (many, one) = (new List<double>(), new List<double>());
        foreach (var counts in Warmth.Of(rounds))
        {
            var alone = Microseconds(() => Checker.Check(studio.In(studio.Lineups[0].Id))) / 1000;
            var all = Microseconds(() =>
            {
                CheckReport? report = null;
                foreach (var lineup in studio.Lineups)
                    report = Checker.Check(studio.In(lineup.Id), report);
            });
            if (!counts)
                continue;
            one.Add(alone);
            many.Add(all / 1000);
        }
        return (Table.Median(many), Table.Median(one));
    }

    private static double Compile(Studio studio, int rounds)
    {
        var (times, compiled, round) = (new List<double>(), CompiledStudio.Compile(studio), 0);
        foreach (var counts in Warmth.Of(rounds))
        {
            var route = studio.Routes[round++ * 37 % studio.Routes.Length];
            var edited = studio with { Routes = studio.Routes.Replace(route, route with { On = !route.On }) };
            var took = Microseconds(() => CompiledStudio.Compile(edited, compiled)) / 1000;
            if (counts)
                times.Add(took);
        }
        return Table.Median(times);
    }

    private static double Microseconds(Action work)
    {
        var start = Stopwatch.GetTimestamp();
        work();
        return Stopwatch.GetElapsedTime(start).TotalMicroseconds;
    }
}
