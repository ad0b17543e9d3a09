using System.Collections.Concurrent;
using Weiche.Bridge.Sequencer;
using Weiche.Bridge.Shared;
using Weiche.Bridge.SoundServer;

namespace Weiche.Bridge;

/// <summary>Carries messages between Weiche and one system of this computer, in a process of its own: what a system's library does to it does not
/// happen to the music, and what Weiche throws away is not swept up while the system waits.</summary>
/// <remarks>It is started by Weiche with the system's name, the file of the memory that both share and whether its threads ask for urgency, is told what to do by lines, tells what
/// there is by lines, and ends with Weiche. docs/ports.md has the lines.</remarks>
internal static class Program
{
    /// <summary>Weiche and it do not speak the same lines.</summary>
    private const int Misused = 2;

    /// <summary>The system's library is not there.</summary>
    internal const int NoLibrary = 3;

    // How long nothing may be said before it looks by itself.
    private const int LookMilliseconds = 500;

    private static int Main(string[] words)
    {
        if (words is not [var system, var path, var priority]) return Misused;
        Urgent.IsWanted = priority == Urgent.Word;
        using var link = SharedLink.Open(path);
        using var told = new BlockingCollection<string?>();
        using var bridge = Make(system, link, () => told.TryAdd(""));
        if (bridge is null) return NoLibrary;
        new Thread(() => Listen(told)) { IsBackground = true, Name = "lines" }.Start();
        while (true)
        {
            if (!told.TryTake(out var line, LookMilliseconds)) line = "";
            if (line is null) return 0;
            if (line.Length > 0) bridge.Do(line.Split(' '));
            else bridge.Look();
        }
    }

    private static ISystemBridge? Make(string system, SharedLink link, Action changed) => system switch
    {
        "sound-server" => JackBridge.TryMake(link, changed),
        "sequencer" => SequencerBridge.TryMake(link, changed),
        _ => null,
    };

    private static void Listen(BlockingCollection<string?> told)
    {
        while (Console.In.ReadLine() is { } line) told.Add(line);
        // Weiche has gone.
        told.Add(null);
    }
}
