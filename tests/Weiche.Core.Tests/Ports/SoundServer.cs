using System.Diagnostics;
using System.Text;

namespace Weiche.Core.Tests.Ports;

/// <summary>A sound server with its dummy driver, under a name of its own, and its own small clients, which know nothing of
/// Weiche.</summary>
internal sealed class SoundServer : IDisposable
{
    private readonly List<Process> _clients = [];
    private readonly string _period;
    private Process? _server;

    /// <summary>One that is not started yet.</summary>
    internal SoundServer(int period = 128) => _period = period.ToString(System.Globalization.CultureInfo.InvariantCulture);

    /// <summary>Its name: one for all tests of a run, which start one after the other. The system's list of servers has room for few, and
    /// one that is killed leaves its place to the next of its name alone.</summary>
    internal static string Name { get; } = $"weiche-{Environment.ProcessId}";

    internal async Task Start()
    {
        _server = Run("jackd", "-R", "-P", "60", "-n", Name, "-d", "dummy", "-r", "48000", "-p", _period);
        for (var i = 0; i < 200 && !(await Ports()).Contains("system:playback_1"); i++)
            await Task.Delay(50);
    }

    /// <summary>Takes it away without a word.</summary>
    internal void Kill()
    {
        _server?.Kill();
        _server?.WaitForExit();
        _server = null;
    }

    /// <summary>The names of all ports.</summary>
    internal async Task<IReadOnlyList<string>> Ports() => (await Said("jack_lsp")).Split('\n', StringSplitOptions.RemoveEmptyEntries);

    /// <summary>What a port is connected to.</summary>
    internal Task<string> Connected(string port) => Said("jack_lsp", "-c", port);

    /// <summary>Connects two ports, as soon as that is allowed: a program shows its ports a moment before it takes part.</summary>
    internal async Task Connect(string from, string to)
    {
        for (var tried = 0; tried < 100 && !(await Connected(from)).Contains(to, StringComparison.Ordinal); tried++)
        {
            await Said("jack_connect", from, to);
            await Task.Delay(20);
        }
    }

    internal Task Disconnect(string from, string to) => Said("jack_disconnect", from, to);

    /// <summary>A program that plays notes again and again: two a half second.</summary>
    internal Process Plays(string name) => Run("jack_midiseq", name, "24000", "0", "60", "8000", "12000", "63", "8000");

    /// <summary>A program that writes down what it hears.</summary>
    internal Dump Listens()
    {
        var dump = new Dump(Run("stdbuf", "-oL", "jack_midi_dump"));
        return dump;
    }

    /// <summary>A client of the server, which ends with it.</summary>
    internal Process Run(string program, params string[] words)
    {
        var start = new ProcessStartInfo(program)
        {
            RedirectStandardOutput = true,
            RedirectStandardError = true,
            RedirectStandardInput = true,
        };
        foreach (var word in words)
            start.ArgumentList.Add(word);
        start.Environment["JACK_DEFAULT_SERVER"] = Name;
        start.Environment["JACK_NO_START_SERVER"] = "1";
        var process = Process.Start(start)!;
        process.ErrorDataReceived += (_, _) => { };
        process.BeginErrorReadLine();
        _clients.Add(process);
        return process;
    }

    public void Dispose()
    {
        // The server last: what it does with what is left of its clients takes its time.
        _clients.Reverse();
        foreach (var client in _clients)
        {
            // Asked to end, a server takes its name off the list of all servers, which has room for few.
            if (!client.HasExited)
                Process.Start("kill", ["-TERM", client.Id.ToString(System.Globalization.CultureInfo.InvariantCulture)]).WaitForExit();
            if (!client.WaitForExit(5_000))
                client.Kill();
            client.Dispose();
        }
    }

    private async Task<string> Said(string program, params string[] words)
    {
        var process = Run(program, words);
        var output = await process.StandardOutput.ReadToEndAsync();
        await process.WaitForExitAsync();
        return output;
    }

    /// <summary>What a program has heard: lines such as "  64: 90 3c 40 note on (channel 0): ...".</summary>
    internal sealed class Dump
    {
        private readonly StringBuilder _text = new();

        internal Dump(Process process)
        {
            Process = process;
            process.OutputDataReceived += (_, line) =>
            {
                lock (_text)
                    _text.AppendLine(line.Data);
            };
            process.BeginOutputReadLine();
        }

        internal Process Process { get; }

        /// <summary>The bytes of each message, "90 3c 40".</summary>
        internal IReadOnlyList<string> Messages =>
            [
                .. Lines.Select(line =>
                    string.Join(
                        ' ',
                        line.Split(':')[1].Split(' ', StringSplitOptions.RemoveEmptyEntries).TakeWhile(word => word.Length == 2)
                    )
                ),
            ];

        /// <summary>At which frame of a cycle each message stood, and its bytes.</summary>
        internal IReadOnlyList<string> Lines
        {
            get
            {
                lock (_text)
                    return [.. _text.ToString().Split('\n').Where(line => line.Contains(':', StringComparison.Ordinal))];
            }
        }
    }
}
