using System.Diagnostics;
using System.Runtime.InteropServices;
using Weiche.Core.Studios;
using Weiche.Ports;
using Weiche.Ports.Raw;

namespace Weiche.Bench;

/// <summary>A message from pipe to pipe: through port, engine and port; through a bare pump of two calls; through cat.</summary>
internal sealed class PassThrough : IDisposable
{
    private readonly string _folder = Directory.CreateTempSubdirectory("weiche-bench-").FullName;

    public void Dispose() => Directory.Delete(_folder, recursive: true);

    /// <summary>Through Weiche, while onlookers read the tap and the meters as three pages would.</summary>
    internal double[] Weiche(int messages, int pages)
    {
        var (input, output) = Pipes("weiche");
        var studio = Apply(Apply(Studio.Empty("Bench"), new AddRawDevice("in", input, true, false)), new AddRawDevice("out", output, false, true));
        studio = Apply(studio, new LayRoute(studio.Sources.First().Id, studio.Destinations.First().Id));
        using var junction = new Junction(studio, new StudioClock(TimeProvider.System));
        using var from = new RawWire(junction, input, studio.Sources.First().Id, null, TimeProvider.System);
        using var to = new RawWire(junction, output, null, studio.Destinations.First().Id, TimeProvider.System);
        using var stop = new CancellationTokenSource();
        for (var page = 0; page < pages; page++) _ = LookOnAsync(junction, stop.Token);
        var times = Play(input, output, messages, () => SpinWait.SpinUntil(() => from.Presence.Present && to.Presence.Present));
        stop.Cancel();
        return times;
    }

    /// <summary>Through a thread that reads one pipe and writes the other.</summary>
    internal double[] BarePump(int messages)
    {
        var (input, output) = Pipes("pump");
        var pump = new Thread(() =>
        {
            using var reader = new FileStream(input, FileMode.Open, FileAccess.Read, FileShare.ReadWrite, 0);
            using var writer = new FileStream(output, FileMode.Open, FileAccess.Write, FileShare.ReadWrite, 0);
            var buffer = new byte[4096];
            for (var count = reader.Read(buffer); count > 0; count = reader.Read(buffer)) writer.Write(buffer.AsSpan(0, count));
        })
        { IsBackground = true };
        pump.Start();
        return Play(input, output, messages, () => { });
    }

    /// <summary>Through cat.</summary>
    internal double[] Cat(int messages)
    {
        var (input, output) = Pipes("cat");
        using var cat = Process.Start(new ProcessStartInfo("/bin/sh") { ArgumentList = { "-c", $"exec cat '{input}' > '{output}'" } })!;
        var times = Play(input, output, messages, () => { });
        cat.WaitForExit();
        return times;
    }

    /// <summary>Sends a message each millisecond and takes the time until it is there, in µs.</summary>
    private static double[] Play(string input, string output, int messages, Action ready)
    {
        var times = new double[messages];
        var sent = new long[messages];
        var reading = new Thread(() =>
        {
            using var reader = new FileStream(output, FileMode.Open, FileAccess.Read, FileShare.ReadWrite, 0);
            var message = new byte[3];
            for (var i = 0; i < messages; i++)
            {
                reader.ReadExactly(message);
                times[i] = Stopwatch.GetElapsedTime(Volatile.Read(ref sent[i])).TotalMicroseconds;
            }
        });
        reading.Start();
        using (var writer = new FileStream(input, FileMode.Open, FileAccess.Write, FileShare.ReadWrite, 0))
        {
            ready();
            Thread.Sleep(50);
            var next = Stopwatch.GetTimestamp();
            for (var i = 0; i < messages; i++)
            {
                next += Stopwatch.Frequency / 1000;
                while (Stopwatch.GetTimestamp() < next - Stopwatch.Frequency / 10_000) Thread.Sleep(TimeSpan.FromMicroseconds(200));
                while (Stopwatch.GetTimestamp() < next) Thread.SpinWait(20);
                Volatile.Write(ref sent[i], Stopwatch.GetTimestamp());
                writer.Write([0x90, (byte)(i % 128), (byte)(i % 2 == 0 ? 100 : 0)]);
            }
            reading.Join();
        }
        // The first hundred warm everything up.
        return times[Math.Min(100, messages / 10)..];
    }

    private static async Task LookOnAsync(Junction junction, CancellationToken stop)
    {
        var records = new Weiche.Core.Routing.TapRecord[4096];
        var from = 0L;
        using var timer = new PeriodicTimer(TimeSpan.FromMilliseconds(34));
        try
        {
            while (await timer.WaitForNextTickAsync(stop).ConfigureAwait(false))
            {
                junction.Tap.Read(ref from, records, out _);
                foreach (var port in junction.Plan.Studio.Ports) _ = junction.Plan.Meter(port.Id)!.Messages;
            }
        }
        catch (OperationCanceledException)
        {
            // The bench is over.
        }
    }

    private (string Input, string Output) Pipes(string name)
    {
        var (input, output) = (Path.Combine(_folder, name + "-in"), Path.Combine(_folder, name + "-out"));
        if (MakePipe(input, 0b110_000_000) != 0 || MakePipe(output, 0b110_000_000) != 0) throw new IOException("A named pipe could not be made.");
        return (input, output);
    }

    private static Studio Apply(Studio studio, StudioEdit edit) => edit.Apply(studio).Studio ?? throw new InvalidOperationException(edit.Title(studio));

    [DllImport("libc", EntryPoint = "mkfifo", SetLastError = true)]
    private static extern int MakePipe([MarshalAs(UnmanagedType.LPUTF8Str)] string path, uint mode);
}
