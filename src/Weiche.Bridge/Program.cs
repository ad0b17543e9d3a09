using System.Collections.Concurrent;
using System.Globalization;
using Weiche.Bridge.Sequencer;
using Weiche.Bridge.Shared;
using Weiche.Bridge.SoundServer;

namespace Weiche.Bridge;

/// <summary>Carries messages between Weiche and one system of this computer, in a process of its own: what a system's library does to it
/// does not happen to the music, and what Weiche throws away is not swept up while the system waits.</summary>
/// <remarks>It is started by Weiche with the system's name, the file of the memory that both share and whether its threads ask for urgency,
/// is told what to do by lines, tells what there is by lines, and ends with Weiche. docs/ports.md has the lines.</remarks>
internal static class Program
{
    /// <summary>Weiche and it do not speak the same lines.</summary>
    private const int Misused = 2;

    /// <summary>The system's library is not there.</summary>
    internal const int NoLibrary = 3;

    // How long nothing may be said before it looks by itself.
    private const int LookMilliseconds = 500;

    private static bool _mayBeUrgent;

    private static int Main(string[] words)
    {
        if (words is not [var system, var path, var priority])
            return Misused;
        _mayBeUrgent = priority == RealTime.Word;
        using var link = SharedLink.Open(path);
        using var told = new BlockingCollection<string?>();
        using var bridge = Make(system, link, () => told.TryAdd(""));
        if (bridge is null)
            return NoLibrary;
        new Thread(() => Listen(told)) { IsBackground = true, Name = "lines" }.Start();
        while (true)
        {
            if (!told.TryTake(out var line, LookMilliseconds))
                line = "";
            if (line is null)
                return 0;
            if (line.Length > 0)
                Do(bridge, line.Split(' '));
            else
                bridge.Look();
        }
    }

    /// <summary>Asks the system to run the calling thread as urgently as Weiche's own that wait for it, where Weiche said so.</summary>
    /// <param name="behind">Whether it stands behind those: before all others, for it holds now and then what they need.</param>
    internal static void AskForUrgency(bool behind = false)
    {
        if (_mayBeUrgent)
            _ = RealTime.TryAsk(behind);
    }

    /// <summary>Says a line to Weiche.</summary>
    internal static void Say(string line)
    {
        Console.Out.WriteLine(line);
        Console.Out.Flush();
    }

    /// <summary>Weiche has gone without ending what sounds: pedals up and all notes off, on every channel, for whoever hears these
    /// ports.</summary>
    /// <param name="link">The way to them.</param>
    /// <param name="ports">The ports' numbers.</param>
    internal static void EndNotes(SharedLink link, IEnumerable<int> ports)
    {
        foreach (var port in ports)
        {
            for (var channel = 0; channel < 16; channel++)
            {
                foreach (var controller in (ReadOnlySpan<byte>)[64, 123])
                    _ = link.Out.TryWrite(port, 0, [(byte)(0xB0 | channel), controller, 0]);
            }
        }
    }

    /// <summary>Does what a line says; a line that means nothing does nothing.</summary>
    private static void Do(ISystemBridge bridge, string[] words)
    {
        switch (words)
        {
            case ["open", var id, var way, var name]:
                bridge.Open(Number(id), way == "in", Line.Text(name));
                break;
            case ["rename", var id, var name]:
                bridge.Rename(Number(id), Line.Text(name));
                break;
            case ["close", var id]:
                bridge.Close(Number(id));
                break;
            case ["join" or "part", var from, var to]:
                bridge.Connect(from, to, on: words[0] == "join");
                break;
            case ["tell"]:
                bridge.TellAgain();
                break;
        }
    }

    private static int Number(string word) => int.Parse(word, CultureInfo.InvariantCulture);

    private static ISystemBridge? Make(string system, SharedLink link, Action changed) =>
        system switch
        {
            "sound-server" => JackBridge.TryMake(link, changed),
            "sequencer" => SequencerBridge.TryMake(link, changed),
            _ => null,
        };

    private static void Listen(BlockingCollection<string?> told)
    {
        while (Console.In.ReadLine() is { } line)
            told.Add(line);
        // Weiche has gone.
        told.Add(null);
    }
}
