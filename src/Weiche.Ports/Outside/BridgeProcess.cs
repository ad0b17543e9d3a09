using System.Diagnostics;
using System.Runtime.InteropServices;
using Weiche.Bridge.Shared;

namespace Weiche.Ports.Outside;

/// <summary>Keeps a bridge running: starts it, reads its lines, starts it again when it ends.</summary>
internal sealed class BridgeProcess : IDisposable
{
    // A bridge that ends at once is not started more often than this.
    private const int AgainMilliseconds = 1_000;

    // A library may be installed while Weiche runs.
    private const int LibraryMilliseconds = 60_000;
    private const int NoLibrary = 3;
    private const int PartingMilliseconds = 2_000;

    private readonly Lock _gate = new();
    private readonly OutsideSystem _system;
    private readonly string _link;
    private readonly bool _isUrgent;
    private readonly Action<string> _said;
    private readonly Action<bool> _ended;
    private readonly Thread _thread;
    private readonly ManualResetEventSlim _stop = new();
    private Process? _process;

    /// <summary>A bridge to a system.</summary>
    /// <param name="system">The system.</param>
    /// <param name="link">The file of the memory that both share.</param>
    /// <param name="isUrgent">Whether its threads that carry messages ask the system to run them before others.</param>
    /// <param name="said">Is told each line.</param>
    /// <param name="ended">Is told that it ended, and whether for want of the system's library.</param>
    internal BridgeProcess(OutsideSystem system, string link, bool isUrgent, Action<string> said, Action<bool> ended)
    {
        (_system, _link, _isUrgent, _said, _ended) = (system, link, isUrgent, said, ended);
        _thread = new Thread(Run) { IsBackground = true, Name = $"Weiche bridge {system.Title}" };
        _thread.Start();
    }

    /// <summary>The bridge's process; null while there is none.</summary>
    internal int? Id
    {
        get
        {
            lock (_gate)
                return _process?.Id;
        }
    }

    /// <summary>Says a line to it. A bridge that is not there hears nothing: it is told all when it says that it is.</summary>
    internal void Say(string line)
    {
        lock (_gate)
        {
            try
            {
                _process?.StandardInput.WriteLine(line);
                _process?.StandardInput.Flush();
            }
            catch (Exception exception) when (exception is IOException or InvalidOperationException or ObjectDisposedException)
            {
                // It has just ended.
            }
        }
    }

    /// <inheritdoc/>
    public void Dispose()
    {
        _stop.Set();
        Process? process;
        lock (_gate)
            process = _process;
        try
        {
            // It ends what sounds when its lines end.
            process?.StandardInput.Close();
            if (process?.WaitForExit(PartingMilliseconds) == false)
                process.Kill();
        }
        catch (Exception exception) when (exception is IOException or InvalidOperationException or ObjectDisposedException)
        {
            // It has ended.
        }
        // Who is still reading sees it later.
        _thread.Join(PartingMilliseconds);
    }

    private void Run()
    {
        while (!_stop.IsSet)
        {
            var wait = AgainMilliseconds;
            try
            {
                using var process = Start();
                lock (_gate)
                    _process = process;
                while (process.StandardOutput.ReadLine() is { } line)
                    _said(line);
                process.WaitForExit();
                var noLibrary = process.ExitCode == NoLibrary;
                if (noLibrary)
                    wait = LibraryMilliseconds;
                lock (_gate)
                    _process = null;
                if (!_stop.IsSet)
                    _ended(noLibrary);
            }
            catch (Exception exception) when (exception is IOException or InvalidOperationException or System.ComponentModel.Win32Exception)
            {
                lock (_gate)
                    _process = null;
                if (!_stop.IsSet)
                    _ended(false);
            }
            _stop.Wait(wait);
        }
    }

    private Process Start()
    {
        var folder = Path.GetDirectoryName(typeof(Line).Assembly.Location)!;
        // The same runtime as this process has.
        var host = Path.GetFullPath(Path.Combine(RuntimeEnvironment.GetRuntimeDirectory(), "..", "..", "..", "dotnet"));
        var start = new ProcessStartInfo(File.Exists(host) ? host : "dotnet")
        {
            RedirectStandardInput = true,
            RedirectStandardOutput = true,
            RedirectStandardError = true,
            UseShellExecute = false,
        };
        foreach (var word in (string[])[Path.Combine(folder, "Weiche.Bridge.dll"), _system.Key, _link, _isUrgent ? RealTime.Word : "ordinary"])
            start.ArgumentList.Add(word);
        // What it throws away is less than this in a long evening, so nothing is swept there.
        start.Environment["DOTNET_GCgen0size"] = "1000000";
        if (_system.Server is { } server)
            start.Environment["JACK_DEFAULT_SERVER"] = server;
        var process = Process.Start(start)!;
        // What a library grumbles is nobody's.
        process.ErrorDataReceived += (_, _) => { };
        process.BeginErrorReadLine();
        return process;
    }
}
