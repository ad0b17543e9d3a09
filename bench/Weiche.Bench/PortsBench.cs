using System.Diagnostics;
using System.Globalization;
using System.Runtime.InteropServices;
using System.Text.RegularExpressions;
using Weiche.Bridge.SoundServer;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;
using Weiche.Ports;
using Weiche.Ports.Browser;
using Weiche.Ports.Carrying;
using Weiche.Ports.Outside;
using Weiche.Ports.Virtual;

namespace Weiche.Bench;

/// <summary>The way through other programs' systems: the sound server's own latency tool through a virtual port of Weiche, against a client
/// that does nothing but copy; and the way of a browser's devices.</summary>
internal static partial class PortsBench
{
    /// <summary>The word by which the bench starts itself as the plain client.</summary>
    internal const string Plain = "--plain-client";

    private const int Period = 128;

    /// <summary>What the latency tool says: frames on average, frames of jitter at most, how often the server came late, how many came
    /// back.</summary>
    internal readonly record struct Latency(double Average, double Jitter, long Late, long Back);

    /// <summary>Measures both, while this process collects all that is thrown away five times a second, or does not.</summary>
    /// <param name="count">How many messages.</param>
    /// <param name="busy">Whether it collects.</param>
    internal static (Latency Weiche, Latency Plain)? SoundServer(int count, bool busy)
    {
        if (!File.Exists("/usr/bin/jackd") || !File.Exists("/usr/bin/jack_midi_latency_test"))
            return null;
        var name = $"weiche-bench-{Environment.ProcessId}";
        // In real time, as it is run to be played through, where that is allowed.
        var server = Run(name, "jackd", "-R", "-P", "60", "-n", name, "-d", "dummy", "-r", "48000", "-p", $"{Period}");
        if (server.WaitForExit(1_500))
            server = Run(name, "jackd", "-r", "-n", name, "-d", "dummy", "-r", "48000", "-p", $"{Period}");
        try
        {
            // A message that comes back and is sent anew is a circle to the guard: here it is meant.
            var studio = Studio.Empty("Bench") with { Safety = new Safety(false, 0) };
            studio = new AddVirtualPort("loop").Apply(studio).Studio!;
            using var junction = new Junction(studio, new StudioClock(TimeProvider.System));
            var driver = new OutsideDriver(junction, OutsideSystem.SoundServer with { Server = name });
            using var park = new PortPark(junction, TimeProvider.System, new VirtualDriver(junction, driver), driver);
            park.Match(studio);
            while (!driver.State.Map.Ports.Any(port => port.Own > 0))
                Thread.Sleep(50);
            using var stop = new CancellationTokenSource();
            var litter = busy ? Task.Run(() => Litter(stop.Token)) : Task.CompletedTask;
            var own = Measure(name, count, "Weiche:to loop", "Weiche:from loop");
            using var plain = Run(
                name,
                Environment.ProcessPath!,
                [
                    .. Environment.ProcessPath!.EndsWith("dotnet", StringComparison.Ordinal)
                        ? [typeof(PortsBench).Assembly.Location]
                        : Array.Empty<string>(),
                    Plain,
                ]
            );
            _ = plain.StandardOutput.ReadLine();
            var copied = Measure(name, count, "Plain:to", "Plain:from");
            stop.Cancel();
            litter.Wait();
            plain.Kill();
            return (own, copied);
        }
        finally
        {
            Process.Start("kill", ["-TERM", server.Id.ToString(CultureInfo.InvariantCulture)]).WaitForExit();
            server.WaitForExit();
            server.Dispose();
        }
    }

    /// <summary>ms from a page's telling to the engine, the median, and how far off even it then is at most for nine in ten, smoothed over
    /// some time.</summary>
    /// <param name="count">How many messages.</param>
    /// <param name="delay">The time, ms.</param>
    internal static (double Median, double Jitter) Browser(int count, int delay)
    {
        var studio = Studio.Empty("Bench");
        using var junction = new Junction(studio, new StudioClock(TimeProvider.System));
        var driver = new BrowserDriver(junction, TimeProvider.System);
        using var park = new PortPark(junction, TimeProvider.System, driver);
        _ = driver.Offer("page", "bench", delay, [new BrowserPort("i", "Keys", true)]);
        studio = new AddDevice("Keys, keyboard", park.State.Call.New[0]).Apply(studio).Studio!;
        junction.Swap(junction.Prepare(studio));
        park.Match(studio);
        var next = junction.Tap.Published;
        var random = new Random(7);
        var (told, begun) = (new double[count], junction.Clock.Now);
        for (var i = 0; i < count; i++)
        {
            var played = i * 10.0;
            while ((junction.Clock.Now - begun).Microseconds < played * 1_000 + random.Next(0, 3_000))
                Thread.SpinWait(20);
            told[i] = junction.Clock.Now.Microseconds;
            driver.Played("page", "i", played, [0xB0, 1, (byte)(i & 127)]);
        }
        Thread.Sleep(200);
        var records = new Weiche.Core.Live.TapRecord[count * 4];
        var read = junction.Tap.Read(ref next, records, out _);
        var came = records[..read]
            .Where(record => record.Event == Weiche.Core.Live.TapEvent.Came)
            .Select(record => (double)record.Time.Microseconds)
            .ToArray();
        var late = came.Zip(told, (arrived, sent) => (arrived - sent) / 1_000).Order().ToArray();
        var strays = came.Skip(count / 4)
            .Zip(came.Skip(count / 4 + 1), (one, other) => Math.Abs(other - one - 10_000) / 1_000)
            .Order()
            .ToArray();
        return (late[late.Length / 2], strays[strays.Length * 9 / 10]);
    }

    /// <summary>A client that copies what it hears to what it plays, in the callback, and nothing else.</summary>
    internal static int RunPlain()
    {
        if (!LibJack.TryLoad())
            return 3;
        PlainClient.Open();
        Console.WriteLine("here");
        Thread.Sleep(Timeout.Infinite);
        return 0;
    }

    private static void Litter(CancellationToken stop)
    {
        var kept = new byte[64][];
        for (var i = 0; !stop.IsCancellationRequested; i++)
        {
            for (var j = 0; j < 2_000; j++)
                kept[j & 63] = new byte[10_000];
            GC.Collect(2, GCCollectionMode.Forced, blocking: true);
            stop.WaitHandle.WaitOne(200);
        }
    }

    private static Latency Measure(string server, int count, string to, string from)
    {
        using var tool = Run(server, "jack_midi_latency_test", "-s", $"{count}", to, from);
        var said = tool.StandardOutput.ReadToEnd();
        tool.WaitForExit();
        return new Latency(
            Read(said, @"Average latency:.*\((-?[\d.]+) frames\)"),
            Read(said, @"Peak MIDI jitter:.*\((-?[\d.]+) frames\)"),
            (long)Read(said, @"Xruns:\s*(\d+)"),
            (long)Read(said, @"Messages received:\s*(\d+)")
        );
    }

    private static double Read(string said, string what) =>
        Regex.Match(said, what) is { Success: true } match
            ? double.Parse(match.Groups[1].ValueSpan, CultureInfo.InvariantCulture)
            : double.NaN;

    private static Process Run(string server, string program, params string[] words)
    {
        var start = new ProcessStartInfo(program) { RedirectStandardOutput = true, RedirectStandardError = true };
        foreach (var word in words)
            start.ArgumentList.Add(word);
        start.Environment["JACK_DEFAULT_SERVER"] = server;
        start.Environment["JACK_NO_START_SERVER"] = "1";
        var process = Process.Start(start)!;
        process.ErrorDataReceived += (_, _) => { };
        process.BeginErrorReadLine();
        return process;
    }

    private static unsafe class PlainClient
    {
        private static nint _in;
        private static nint _out;

        internal static void Open()
        {
            var client = LibJack.Open("Plain", LibJack.NoStartServer, out _);
            _ = LibJack.SetProcess(client, &Process, 0);
            _in = LibJack.Register(client, "to", LibJack.MidiType, LibJack.IsInput, 0);
            _out = LibJack.Register(client, "from", LibJack.MidiType, LibJack.IsOutput, 0);
            _ = LibJack.Activate(client);
            GC.KeepAlive(client);
            GCHandle.Alloc(client);
        }

        [UnmanagedCallersOnly]
        private static int Process(uint frames, nint argument)
        {
            var (heard, played) = ((nint)LibJack.Buffer(_in, frames), (nint)LibJack.Buffer(_out, frames));
            LibJack.Clear((void*)played);
            var count = LibJack.Count((void*)heard);
            for (var i = 0u; i < count; i++)
            {
                LibJack.MidiEvent each;
                if (LibJack.Get(&each, (void*)heard, i) == 0)
                    _ = LibJack.Write((void*)played, each.Time, each.Bytes, each.Size);
            }
            return 0;
        }
    }
}
