using System.Diagnostics;
using System.Globalization;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;
using Weiche.Data;
using Weiche.Files;
using Weiche.Ports.Carrying;
using Weiche.Ports.Raw;
using Weiche.Web.Desk;

namespace Weiche.Bench;

/// <summary>
/// A message from pipe to pipe while the studio is edited again and again and four other programs keep the machine busy. Weiche and
/// the bare pump are processes of their own, and so is who plays and listens: what holds up the one holds up none of the others. Messages
/// go turn by turn to both, so that each has the same moments.
/// </summary>
internal static class EditedPlay
{
    internal const string Serve = "--inner-serve";
    internal const string Pump = "--inner-pump";

    private const int BusyPrograms = 4;
    private const int WarmUp = 500;

    // What the launcher sets for Weiche.
    private static readonly (string Name, string Value)[] Launched =
    [
        ("DOTNET_GCgen0size", "8000000"),
        ("DOTNET_GCLOHThreshold", "1000000"),
    ];

    /// <summary>What was measured, µs.</summary>
    /// <param name="Weiche">Through Weiche.</param>
    /// <param name="Pump">Through the bare pump.</param>
    /// <param name="Edits">How many edits were made meanwhile.</param>
    internal sealed record Result(double[] Weiche, double[] Pump, int Edits);

    /// <summary>Measures.</summary>
    /// <param name="messages">How many messages to each.</param>
    /// <param name="routes">How many routes the studio has besides.</param>
    /// <param name="editEvery">How long from one edit to the next, ms; 0 for none.</param>
    internal static Result Measure(int messages, int routes, int editEvery)
    {
        var folder = Directory.CreateTempSubdirectory("weiche-edited-").FullName;
        var pipes = Array.ConvertAll<string, string>(["weiche-in", "weiche-out", "pump-in", "pump-out"], name =>
            PassThrough.MakePipe(folder, name)
        );
        var ready = Path.Combine(folder, "ready");
        using var weiche = Inner(
            Serve,
            pipes[0],
            pipes[1],
            routes.ToString(CultureInfo.InvariantCulture),
            editEvery.ToString(CultureInfo.InvariantCulture),
            ready
        );
        using var pump = Inner(Pump, pipes[2], pipes[3]);
        List<Process> busy = [];
        try
        {
            while (!File.Exists(ready))
            {
                if (weiche.HasExited)
                    throw new InvalidOperationException("The inner process ended early.");
                Thread.Sleep(50);
            }
            for (var i = 0; i < BusyPrograms; i++)
                busy.Add(Process.Start("/bin/sh", ["-c", "while :; do :; done"]));
            Thread.Sleep(200);
            var (one, other) = Play(pipes, messages + WarmUp);
            weiche.StandardInput.Close();
            var edits = int.Parse(weiche.StandardOutput.ReadToEnd().Trim(), CultureInfo.InvariantCulture);
            return new Result(one[WarmUp..], other[WarmUp..], edits);
        }
        finally
        {
            foreach (var program in busy)
                program.Kill();
            busy.ForEach(program => program.Dispose());
            if (!weiche.WaitForExit(10_000))
                weiche.Kill();
            if (!pump.WaitForExit(10_000))
                pump.Kill();
            Directory.Delete(folder, recursive: true);
        }
    }

    /// <summary>The inner processes, by the words that they are started with.</summary>
    internal static void RunInner(string[] args)
    {
        if (args[0] == Pump)
            RunPump(args[1], args[2]);
        else
            RunServe(
                args[1],
                args[2],
                int.Parse(args[3], CultureInfo.InvariantCulture),
                int.Parse(args[4], CultureInfo.InvariantCulture),
                args[5]
            );
    }

    private static Process Inner(params string[] words)
    {
        var start = new ProcessStartInfo(Environment.ProcessPath!) { RedirectStandardInput = true, RedirectStandardOutput = true };
        if (Path.GetFileNameWithoutExtension(Environment.ProcessPath) == "dotnet")
            start.ArgumentList.Add(typeof(EditedPlay).Assembly.Location);
        foreach (var word in words)
            start.ArgumentList.Add(word);
        // As the launcher starts Weiche.
        foreach (var (name, value) in Launched)
            start.Environment[name] = value;
        return Process.Start(start)!;
    }

    private static (double[] One, double[] Other) Play(string[] pipes, int messages)
    {
        var times = new[] { new double[messages], new double[messages] };
        var sent = new[] { new long[messages], new long[messages] };
        var readers = new Thread[2];
        for (var each = 0; each < 2; each++)
        {
            var which = each;
            readers[which] = new Thread(() =>
            {
                Urgent.Ask();
                using var reader = new FileStream(pipes[which * 2 + 1], FileMode.Open, FileAccess.Read, FileShare.ReadWrite, 0);
                var message = new byte[3];
                for (var i = 0; i < messages; i++)
                {
                    reader.ReadExactly(message);
                    times[which][i] = Stopwatch.GetElapsedTime(Volatile.Read(ref sent[which][i])).TotalMicroseconds;
                }
            });
            readers[which].Start();
        }
        var player = new Thread(() =>
        {
            Urgent.Ask();
            var writers = Array.ConvertAll([0, 1], which => new FileStream(
                pipes[which * 2],
                FileMode.Open,
                FileAccess.Write,
                FileShare.ReadWrite,
                0
            ));
            var message = new byte[3];
            // Weiche looks a few times a second whether anybody reads what it writes.
            Thread.Sleep(1500);
            var next = Stopwatch.GetTimestamp();
            for (var i = 0; i < messages; i++)
            {
                for (var which = 0; which < 2; which++)
                {
                    next += Stopwatch.Frequency / 1000;
                    var rest = next - Stopwatch.GetTimestamp();
                    if (rest > 0)
                        Thread.Sleep(TimeSpan.FromTicks(rest * TimeSpan.TicksPerSecond / Stopwatch.Frequency));
                    (message[0], message[1], message[2]) = (0x90, (byte)(i % 128), (byte)(i % 2 == 0 ? 100 : 0));
                    Volatile.Write(ref sent[which][i], Stopwatch.GetTimestamp());
                    writers[which].Write(message);
                }
            }
            foreach (var reader in readers)
                reader.Join();
            foreach (var writer in writers)
                writer.Dispose();
        });
        player.Start();
        player.Join();
        return (times[0], times[1]);
    }

    private static void RunPump(string input, string output)
    {
        var pump = PassThrough.Pump(input, output);
        pump.Start();
        pump.Join();
    }

    /// <summary>A desk with its database, as it runs; routes are switched off and on, and stages come and go, until standard input
    /// ends.</summary>
    private static void RunServe(string input, string output, int routes, int editEvery, string ready)
    {
        // As Weiche starts.
        Urgent.LiftProcess();
        var studio = routes > 0 ? Studios.Generate(64, routes, 2030) : Studio.Empty("Edited");
        studio = PassThrough.Apply(
            PassThrough.Apply(studio, new AddRawDevice("in", input, true, false)),
            new AddRawDevice("out", output, false, true)
        );
        var (from, to) = (studio.Ports.Single(port => port.Name == "in").Id, studio.Ports.Single(port => port.Name == "out").Id);
        studio = PassThrough.Apply(studio, new LayRoute(from, to));
        // What is edited lies aside from what is played.
        foreach (var name in (string[])["one", "other"])
            studio = PassThrough.Apply(studio, new AddVirtualPort(name));
        studio = PassThrough.Apply(
            studio,
            new LayRoute(studio.Sources.Single(port => port.Name == "one").Id, studio.Destinations.Single(port => port.Name == "other").Id)
        );
        var edited = studio.Routes[^1].Id;
        var folder = Directory.CreateTempSubdirectory("weiche-edited-data-").FullName;
        using var store = StudioStore.Open(folder);
        var stored = store.Add(studio.Name, StudioJson.Write(studio), DateTime.UtcNow);
        using var desk = new StudioDesk(store, stored, TimeProvider.System, new RawPlaces(folder), false, true, []);
        // The writing end opens as soon as somebody reads.
        Thread.Sleep(1000);
        File.WriteAllText(ready, "");
        var ended = Task.Run(() => Console.In.ReadToEnd());
        var count = 0;
        while (!ended.Wait(editEvery > 0 ? editEvery : 1000))
        {
            if (editEvery == 0)
                continue;
            desk.Apply(new SwitchRoute(edited, count % 2 == 1));
            count++;
        }
        Console.WriteLine(count);
        Directory.Delete(folder, recursive: true);
    }
}
