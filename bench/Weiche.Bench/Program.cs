using System.Diagnostics;
using System.Globalization;
using System.Runtime.InteropServices;
using BenchmarkDotNet.Running;
using Weiche.Bench;
using Weiche.Core.Layout;
using Weiche.Files;

const int Seed = 2030;
if (args is [EditedPlay.Serve or EditedPlay.Pump, ..])
{
    EditedPlay.RunInner(args);
    return;
}
if (args is [PortsBench.Plain])
{
    Environment.ExitCode = PortsBench.RunPlain();
    return;
}
if (args is [SequencerBench.Plain])
{
    Environment.ExitCode = SequencerBench.RunPlain();
    return;
}
if (args.Contains("--classes"))
{
    BenchmarkSwitcher.FromAssembly(typeof(Bytes).Assembly).Run([.. args.Where(word => word != "--classes")]);
    return;
}
if (args is ["--soak", var length])
{
    if (!double.TryParse(length, CultureInfo.InvariantCulture, out var minutes) || minutes is <= 0 or > 10_000)
    {
        Console.Error.WriteLine($"--soak takes a number of minutes, not “{length}”.");
        Environment.ExitCode = 2;
        return;
    }
    var folder = Directory.CreateTempSubdirectory("weiche-soak-");
    Environment.ExitCode = Soak.Run(minutes, folder.FullName) ? 0 : 1;
    folder.Delete(recursive: true);
    return;
}
if (
    args.Any(word =>
        word is not ("--quick" or "--engine" or "--plan" or "--checks" or "--lineups" or "--time" or "--takes" or "--ports" or "--edits")
    )
)
{
    Console.Error.WriteLine(
        "bench takes --quick, --engine (nothing but the engine), --plan (nothing but Plan and Watch), --checks (nothing but the "
            + "checks), --lineups (nothing but lineups), --time (nothing but the clock), --takes (nothing but takes), --ports "
            + "(nothing but other programs and browsers), --edits (nothing but playing while it is edited), --soak MINUTES, or "
            + "--classes with what BenchmarkDotNet takes."
    );
    Environment.ExitCode = 2;
    return;
}

var quick = args.Contains("--quick");
var seconds = quick ? 1.0 : 6.0;
var table = new Table();
Console.WriteLine(
    $"{RuntimeInformation.OSDescription}, {RuntimeInformation.FrameworkDescription}, {Environment.ProcessorCount} cores, seed {Seed}"
);

var generated = Studios.Generate(64, 1000, Seed);
if (args.Contains("--plan"))
{
    await PlanAndWatchAsync();
    Console.WriteLine(table.ToMarkdown());
    return;
}
if (args.Contains("--edits"))
{
    Edits();
    Console.WriteLine(table.ToMarkdown());
    return;
}
if (args.Contains("--checks"))
{
    Checks();
    Console.WriteLine(table.ToMarkdown());
    return;
}
if (args.Contains("--time"))
{
    Time();
    Console.WriteLine(table.ToMarkdown());
    return;
}
if (args.Contains("--takes"))
{
    Takes();
    Console.WriteLine(table.ToMarkdown());
    return;
}
if (args.Contains("--ports"))
{
    Ports();
    Console.WriteLine(table.ToMarkdown());
    return;
}
if (args.Contains("--lineups"))
{
    Lineups();
    Console.WriteLine(table.ToMarkdown());
    return;
}
foreach (
    var (name, bench) in new[]
    {
        ("demo studio", new EngineBench(DemoStudio.Create())),
        ("64 devices, 256 ports, 1000 routes", new EngineBench(generated)),
    }
)
{
    var (engine, loop) = bench.Measure(seconds);
    table.Add($"engine, {name}: ns a delivery", Ns(engine), Ns(loop) + " hand-written loop", Table.Number(engine / loop), "≤ 3");
    table.Add(
        $"engine, {name}: million deliveries a second",
        Table.Number(1e-6 / engine),
        Table.Number(1e-6 / loop) + " hand-written loop",
        Table.Number(loop / engine),
        "> 5 million"
    );
    var (guarded, unguarded) = bench.MeasureGuard(seconds);
    table.Add(
        $"guard, {name}: ns a delivery",
        Ns(guarded),
        Ns(unguarded) + " without it",
        Table.Number(guarded / unguarded, "0.###"),
        "≤ 1.03"
    );
    table.Add(
        $"engine, {name}: bytes allocated a pass of {bench.Messages} messages",
        bench.Allocated().ToString(CultureInfo.InvariantCulture),
        "0",
        "–",
        "0"
    );
}

int[] sizes = [10, 100, 1_000, 10_000];
var costs = EngineBench.MeasureTogether(
    [.. sizes.Select(routes => new EngineBench(Studios.Generate(Math.Max(4, routes / 16), routes, Seed, eachSource: 8)))],
    seconds * 2
);
table.Add(
    "engine: ns a delivery with 10, 100, 1000, 10000 routes, up to 8 a source",
    string.Join(", ", costs.Select(Ns)),
    Ns(costs[0]) + " with 10",
    Table.Number(costs.Max() / costs.Min()),
    "≤ 1.5"
);

if (args.Contains("--engine"))
{
    Console.WriteLine(table.ToMarkdown());
    return;
}

var bytes = new Bytes();
var (copy, parse, write) = (Rate(() => bytes.CopyLoop()), Rate(() => bytes.Parse()), Rate(() => bytes.ParseAndWrite()));
table.Add("parser: MB a second", Table.Number(parse, "0"), Table.Number(copy, "0") + " copy loop", Table.Number(copy / parse), "–");
table.Add(
    "parser and writer: MB a second",
    Table.Number(write, "0"),
    Table.Number(copy, "0") + " copy loop",
    Table.Number(copy / write),
    "–"
);

using (var pass = new PassThrough())
{
    // Turn by turn, so that a machine that is busy for a while is so for all three.
    var (rounds, messages) = quick ? (3, 1_100) : (8, 3_100);
    var (pump, weiche, cat) = (new List<double>(), new List<double>(), new List<double>());
    for (var round = 0; round < rounds; round++)
    {
        pump.AddRange(pass.BarePump(messages, pages: 3));
        weiche.AddRange(pass.Weiche(messages, pages: 3));
        cat.AddRange(pass.Cat(messages, pages: 3));
    }
    foreach (var (share, name, toReach) in new[] { (0.5, "median", "≤ 1.5"), (0.99, "99th", "≤ 2"), (0.999, "99.9th", "< 1000 µs") })
    {
        var (w, p, c) = (Table.Percentile(weiche, share), Table.Percentile(pump, share), Table.Percentile(cat, share));
        table.Add(
            $"pipe to pipe, three onlookers: µs, {name}",
            Table.Number(w, "0"),
            $"{Table.Number(p, "0")} bare pump, {Table.Number(c, "0")} cat",
            Table.Number(w / p),
            toReach
        );
    }
}

var gear = await GearPage.MeasureAsync(quick ? 25 : 100);
table.Add(
    "Gear, 64 devices, 256 ports: ms to open",
    Table.Number(gear.Open),
    Table.Number(gear.Empty) + " a page with nothing on it",
    Table.Number(gear.Open / gear.Empty),
    "< 300 ms"
);
table.Add(
    "Gear, 64 devices, 256 ports: ms an edit",
    Table.Number(gear.Edit),
    Table.Number(gear.Empty) + " a page with nothing on it",
    Table.Number(gear.Edit / gear.Empty),
    "< 50 ms"
);

await PlanAndWatchAsync();
Checks();
Lineups();
Time();

var overload = Overload.Run(quick ? 120 : 3600);
table.Add(
    $"overload, {(quick ? "two minutes" : "an hour")} simulated: notes lost, hanging",
    $"{overload.Lost}, {overload.Hanging}",
    $"{overload.Notes} sent, {overload.Thinned} values thinned",
    "–",
    "0, 0"
);
table.Add("overload: memory grown, KiB", Table.Number(overload.Grown / 1024.0, "0"), "0", "–", "flat");
Console.WriteLine();
Console.WriteLine(table.ToMarkdown());

async Task PlanAndWatchAsync()
{
    foreach (var side in Enum.GetValues<PlanSide>())
    {
        var growth = Enumerable
            .Range(0, 3)
            .Select(step => 30 * (int)Math.Pow(10, step))
            .Select(routes => PlanPage.Layout(Studios.Generate(Math.Max(8, routes / 5), routes, Seed), side))
            .ToList();
        table.Add(
            $"layout, {side.ToString().ToLowerInvariant()}: ms with 30, 300, 3000 routes",
            string.Join(", ", growth.Select(time => Table.Number(time))),
            Table.Number(growth[0]) + " with 30",
            $"exponents {Table.Number(PlanPage.Exponent(growth[0], growth[1], 10))}, "
                + $"{Table.Number(PlanPage.Exponent(growth[1], growth[2], 10))}",
            "n log n: ≤ 1.2"
        );
        table.Add(
            $"layout, {side.ToString().ToLowerInvariant()}: ms with 64 devices, 300 routes",
            Table.Number(PlanPage.Layout(Studios.Generate(64, 300, Seed), side)),
            Table.Number(growth[0]) + " with 30 routes",
            "–",
            "< 30 ms"
        );
    }
    foreach (
        var (name, studio, most) in new[]
        {
            ("demo studio", DemoStudio.Create(), 100),
            ("64 devices, 300 routes", Studios.Generate(64, 300, Seed), 300),
        }
    )
    {
        var plan = await PlanPage.MeasureAsync(studio, quick ? 25 : 100);
        table.Add(
            $"Plan, {name}: ms an edit to its new picture, without the browser",
            Table.Number(plan.Edit),
            Table.Number(plan.Empty) + " a page with nothing on it",
            Table.Number(plan.Edit / plan.Empty),
            $"< {most} ms"
        );
    }
    var (alone, watched) = Watched.Measure(seconds);
    table.Add(
        "engine, 10 000 messages a second through the demo studio: µs a message, while Watch and three pages read",
        Table.Number(watched),
        Table.Number(alone) + " with nobody reading",
        Table.Number(watched / alone),
        "≤ 1.05"
    );
}

void Edits()
{
    foreach (
        var (routes, editEvery, name) in new[]
        {
            (0, 0, "no edit"),
            (0, 100, "an edit every 100 ms"),
            (1000, 100, "1000 routes, an edit every 100 ms"),
        }
    )
    {
        var result = EditedPlay.Measure(quick ? 5_000 : 30_000, routes, editEvery);
        foreach (
            var (share, which, toReach) in new[]
            {
                (0.5, "median", "–"),
                (0.99, "99th", "–"),
                (0.999, "99.9th", "≤ 2"),
                (1.0, "worst", "≤ 3"),
            }
        )
        {
            var (w, p) = (Table.Percentile(result.Weiche, share), Table.Percentile(result.Pump, share));
            table.Add(
                $"pipe to pipe, four busy programs, {name} ({result.Edits}): µs, {which}",
                Table.Number(w, "0"),
                Table.Number(p, "0") + " bare pump",
                Table.Number(w / p),
                toReach
            );
        }
    }
}

void Checks()
{
    foreach (
        var (name, studio, most, edited) in new[]
        {
            ("demo studio", DemoStudio.Create(), 3, 3),
            ("64 devices, 256 ports, 1000 routes", generated, 60, 15),
            ("the same with a way back in every fourth device", Studios.Generate(64, 1000, Seed, echoes: 4), 120, 30),
        }
    )
    {
        var result = ChecksBench.Measure(studio, quick ? 5 : 15);
        var found = $"{result.Circuits} circuits, {result.Findings} findings";
        table.Add(
            $"checks, {name}: ms for everything ({found})",
            Table.Number(result.Whole),
            Table.Number(result.Components, "0.###") + " components alone",
            Table.Number(result.Whole / result.Components, "0"),
            $"< {most} ms"
        );
        table.Add(
            $"checks, {name}: ms after an edit",
            Table.Number(result.Edited),
            Table.Number(result.Whole) + " for everything",
            Table.Number(result.Edited / result.Whole),
            $"< {edited} ms"
        );
    }
    var growth = Enumerable
        .Range(2, 3)
        .Select(power => (int)Math.Pow(10, power))
        .Select(routes => ChecksBench.Measure(Studios.Generate(Math.Max(8, routes / 16), routes, Seed, echoes: 16), 3).Whole)
        .ToList();
    table.Add(
        "checks: ms with 100, 1000, 10000 routes",
        string.Join(", ", growth.Select(time => Table.Number(time))),
        Table.Number(growth[0]) + " with 100",
        $"exponents {Table.Number(PlanPage.Exponent(growth[0], growth[1], 10))}, "
            + $"{Table.Number(PlanPage.Exponent(growth[1], growth[2], 10))}",
        "near 1"
    );
}

void Lineups()
{
    foreach (var keys in new[] { 0, 100 })
    {
        var entering = LineupsBench.MeasureEntering(quick ? 500 : 5_000, keys);
        table.Add(
            $"lineups, 1000 routes, 50 of them, {keys} keys held: µs to enter one",
            Table.Number(entering.Enter),
            Table.Number(entering.Swap) + " a studio put in force that was made ready",
            Table.Number(entering.Enter / entering.Swap),
            "≤ 20 µs"
        );
        table.Add("the same: µs, 99th; bytes allocated", $"{Table.Number(entering.Worst)}; {entering.Bytes}", "–", "–", "0 bytes");
    }
    var (many, one) = LineupsBench.MeasureCompiling(quick ? 10 : 40);
    table.Add(
        "lineups: ms to compile 1000 routes after an edit, with 50",
        Table.Number(many),
        Table.Number(one) + " with 1",
        Table.Number(many / one),
        "≤ 3"
    );
    var checks = LineupsBench.MeasureChecks(quick ? 30 : 150);
    table.Add(
        "lineups: ms to look at 30 of 300 routes",
        Table.Number(checks.Many),
        Table.Number(checks.One) + " one of them",
        Table.Number(checks.Many / checks.One),
        "≤ 5"
    );
}

void Time()
{
    foreach (var busy in new[] { 0, 4 })
    {
        var (own, loop, drift) = TimeBench.Lateness(
            quick ? 30
                : busy > 0 ? 60
                : 600,
            busy
        );
        foreach (var (name, share) in new[] { ("99th", 0.99), ("99.9th", 0.999) })
        {
            var (weiche, bare) = (Table.Percentile(own, share), Table.Percentile(loop, share));
            table.Add(
                $"own clock at 120 bpm, three onlookers, {busy} busy programs: µs late, {name}",
                Table.Number(weiche, "0"),
                Table.Number(bare, "0") + " a loop that sleeps until each moment",
                Table.Number(weiche / bare),
                share < 0.995 ? "≤ 1.5" : "–"
            );
        }
        table.Add($"the same: µs of drift after {own.Length / 48.0 / 60:0.#} min", Table.Number(drift, "0"), "0", "–", "< 1000");
    }
    var (came, left) = TimeBench.Steadied();
    table.Add(
        "± 3 ms of jitter, steadied: µs that intervals stray",
        Table.Number(left, "0"),
        Table.Number(came, "0") + " as it came",
        Table.Number(left / came, "0.000"),
        "≤ 200 µs"
    );
    var (pulse, writes, bytes) = TimeBench.Cost();
    table.Add(
        "a pulse to 16 destinations: ns; bytes allocated",
        $"{Table.Number(pulse, "0")}; {bytes}",
        Table.Number(writes, "0") + " 16 bytes into 16 arrays",
        Table.Number(pulse / writes),
        "0 bytes"
    );
}

void Ports()
{
    // First, while no server runs beside it.
    if (SequencerBench.Run(quick ? 200 : 1_000) is var (through, bare))
        table.Add(
            "system sequencer, through a virtual port: µs from sending to having it back, median",
            Table.Number(through, "0"),
            Table.Number(bare, "0") + " a program that only passes events on",
            Table.Number(through / bare),
            "≤ 2"
        );
    else
        Console.WriteLine("There is no sequencer here: ./weiche test --kernel has one. Its row is left out.");
    foreach (var busy in new[] { false, true })
    {
        if (PortsBench.SoundServer(quick ? 300 : 2_000, busy) is not var (own, plain))
        {
            Console.WriteLine("There is no sound server here (Debian's jackd2): its rows are left out.");
            break;
        }
        var with = busy ? ", this process collecting all that is thrown away five times a second" : "";
        table.Add(
            $"sound server, 128 frames at 48 kHz, its own latency tool through a virtual port{with}: frames round, on average",
            Table.Number(own.Average),
            Table.Number(plain.Average) + " a client that only copies",
            Table.Number(own.Average / plain.Average),
            "≤ 128 frames more"
        );
        table.Add(
            $"the same{with}: frames of jitter at most; messages that came back",
            $"{Table.Number(own.Jitter)}; {own.Back}",
            $"{Table.Number(plain.Jitter)}; {plain.Back}",
            "–",
            "–"
        );
        table.Add($"the same{with}: cycles that came late, by the server", $"{own.Late}", $"{plain.Late}", "–", "not more often");
    }
    foreach (var delay in new[] { 0, 5 })
    {
        var (median, jitter) = PortsBench.Browser(quick ? 200 : 1_000, delay);
        table.Add(
            $"a page's device, told up to 3 ms late, smoothed over {delay} ms: ms from telling to the engine, median; off even at "
                + "most for nine in ten",
            $"{Table.Number(median)}; {Table.Number(jitter)}",
            "up to 3 as told",
            Table.Number(jitter / 3),
            delay > 0 ? "< 1 ms off" : "–"
        );
    }
}

void Takes()
{
    var (with, without, bytes, missing) = TakesBench.Reel(quick ? 6 : 40);
    table.Add(
        "engine, demo studio, 10 000 messages a second with the reel written beside it: ns a message",
        Table.Number(with, "0"),
        Table.Number(without, "0") + " without",
        Table.Number(with / without),
        "≤ 1.05"
    );
    table.Add(
        "the reel at that: bytes a message; messages missed",
        $"{Table.Number(bytes)}; {missing}",
        "3 as they came",
        Table.Number(bytes / 3),
        "≤ 12 bytes"
    );
    foreach (var busy in new[] { 0, 4 })
    {
        var (own, loop) = TakesBench.Lateness(quick ? 20 : 60, busy);
        foreach (var (name, share) in new[] { ("99th", 0.99), ("99.9th", 0.999) })
        {
            var (weiche, bare) = (Table.Percentile(own, share), Table.Percentile(loop, share));
            table.Add(
                $"a take played, three onlookers, {busy} busy programs: µs late, {name}",
                Table.Number(weiche, "0"),
                Table.Number(bare, "0") + " a loop that sleeps until each moment",
                Table.Number(weiche / bare),
                share < 0.995 ? "≤ 1.5" : "–"
            );
        }
    }
    var (read, other, length, tidy, split) = TakesBench.Files();
    table.Add(
        $"a file of {length / 1e6:0.0} MB, 100 000 notes, read: ms",
        Table.Number(read, "0"),
        Table.Number(other, "0") + " NAudio.Midi",
        Table.Number(read / other),
        "< 100 ms a MB"
    );
    table.Add(
        "the same tidied; split by keys: ms",
        $"{Table.Number(tidy, "0")}; {Table.Number(split, "0")}",
        Table.Number(read, "0") + " reading it",
        Table.Number((tidy + split) / read),
        "–"
    );
}

string Ns(double each) => Table.Number(each * 1e9, "0.0");

double Rate(Action pass)
{
    for (var i = 0; i < 20; i++)
        pass();
    var rates = new List<double>();
    for (var round = 0; round < 9; round++)
    {
        var start = Stopwatch.GetTimestamp();
        var count = 0;
        do
        {
            pass();
            count++;
        } while (Stopwatch.GetElapsedTime(start).TotalSeconds < seconds / 30);
        rates.Add(bytes.Length * (double)count / Stopwatch.GetElapsedTime(start).TotalSeconds / 1e6);
    }
    return Table.Median(rates);
}
