using System.Diagnostics;
using System.Runtime.InteropServices;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;
using Weiche.Ports.Carrying;
using Weiche.Ports.Raw;

namespace Weiche.Bench;

/// <summary>A message from pipe to pipe: through port, engine and port; through a bare pump of two calls; through cat.</summary>
internal sealed class PassThrough : IDisposable
{
    private readonly string _folder = Directory.CreateTempSubdirectory("weiche-bench-").FullName;

    private int _pipes;

    public void Dispose() => Directory.Delete(_folder, recursive: true);

    /// <summary>Through Weiche, while onlookers read the tap and the meters as pages would.</summary>
    internal double[] Weiche(int messages, int pages)
    {
        var (input, output) = Pipes("weiche");
        using var junction = Between(input, output);
        var studio = junction.Compiled.Studio;
        using var from = new RawWire(junction, input, studio.Sources.First().Id, null, TimeProvider.System);
        using var to = new RawWire(junction, output, null, studio.Destinations.First().Id, TimeProvider.System);
        using var onlookers = new Onlookers(junction, pages);
        return Play(input, output, messages, () => SpinWait.SpinUntil(() => from.Presence.Present && to.Presence.Present));
    }

    private static Junction Between(string input, string output)
    {
        var studio = Apply(
            Apply(Studio.Empty("Bench"), new AddRawDevice("in", input, true, false)),
            new AddRawDevice("out", output, false, true)
        );
        studio = Apply(studio, new LayRoute(studio.Sources.First().Id, studio.Destinations.First().Id));
        return new Junction(studio, new StudioClock(TimeProvider.System));
    }

    /// <summary>Through a thread, as urgent as those of Weiche, that reads one pipe and writes the other, while as many onlookers read an
    /// idle junction.</summary>
    internal double[] BarePump(int messages, int pages)
    {
        var (input, output) = Pipes("pump");
        using var idle = Between(input, output);
        using var onlookers = new Onlookers(idle, pages);
        Pump(input, output).Start();
        return Play(input, output, messages, () => { });
    }

    /// <summary>The bare pump: a thread, as urgent as those of Weiche, that reads one pipe and writes the other.</summary>
    internal static Thread Pump(string input, string output) =>
        new(() =>
        {
            Urgent.Ask();
            using var reader = new FileStream(input, FileMode.Open, FileAccess.Read, FileShare.ReadWrite, 0);
            using var writer = new FileStream(output, FileMode.Open, FileAccess.Write, FileShare.ReadWrite, 0);
            var buffer = new byte[4096];
            for (var count = reader.Read(buffer); count > 0; count = reader.Read(buffer))
                writer.Write(buffer.AsSpan(0, count));
        })
        {
            IsBackground = true,
        };

    /// <summary>Through cat, at ordinary priority, with the same onlookers.</summary>
    internal double[] Cat(int messages, int pages)
    {
        var (input, output) = Pipes("cat");
        using var idle = Between(input, output);
        using var onlookers = new Onlookers(idle, pages);
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
        // Who plays and who listens are urgent, so that their own waiting is not taken for that of what lies between.
        var reading = new Thread(() =>
        {
            Urgent.Ask();
            using var reader = new FileStream(output, FileMode.Open, FileAccess.Read, FileShare.ReadWrite, 0);
            var message = new byte[3];
            for (var i = 0; i < messages; i++)
            {
                reader.ReadExactly(message);
                times[i] = Stopwatch.GetElapsedTime(Volatile.Read(ref sent[i])).TotalMicroseconds;
            }
        });
        var playing = new Thread(() =>
        {
            Urgent.Ask();
            using var writer = new FileStream(input, FileMode.Open, FileAccess.Write, FileShare.ReadWrite, 0);
            ready();
            Thread.Sleep(50);
            var next = Stopwatch.GetTimestamp();
            for (var i = 0; i < messages; i++)
            {
                next += Stopwatch.Frequency / 1000;
                while (Stopwatch.GetTimestamp() < next - Stopwatch.Frequency / 10_000)
                    Thread.Sleep(TimeSpan.FromMicroseconds(200));
                while (Stopwatch.GetTimestamp() < next)
                    Thread.SpinWait(20);
                Volatile.Write(ref sent[i], Stopwatch.GetTimestamp());
                writer.Write([0x90, (byte)(i % 128), (byte)(i % 2 == 0 ? 100 : 0)]);
            }
            reading.Join();
        });
        reading.Start();
        playing.Start();
        playing.Join();
        // The first hundred warm everything up.
        return times[Math.Min(100, messages / 10)..];
    }

    private (string Input, string Output) Pipes(string name)
    {
        _pipes++;
        return (MakePipe(_folder, $"{name}-in-{_pipes}"), MakePipe(_folder, $"{name}-out-{_pipes}"));
    }

    /// <summary>Makes a named pipe.</summary>
    internal static string MakePipe(string folder, string name)
    {
        var path = Path.Combine(folder, name);
        if (MakePipe(path, 0b110_000_000) != 0)
            throw new IOException("A named pipe could not be made.");
        return path;
    }

    internal static Studio Apply(Studio studio, StudioEdit edit) =>
        edit.Apply(studio).Studio ?? throw new InvalidOperationException(edit.Title(studio));

    [DllImport("libc", EntryPoint = "mkfifo", SetLastError = true)]
    private static extern int MakePipe([MarshalAs(UnmanagedType.LPUTF8Str)] string path, uint mode);
}
