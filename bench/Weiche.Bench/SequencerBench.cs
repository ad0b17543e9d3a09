using System.Diagnostics;
using System.Globalization;
using Weiche.Bridge.Sequencer;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;
using Weiche.Ports;
using Weiche.Ports.Carrying;
using Weiche.Ports.Outside;
using Weiche.Ports.Virtual;

namespace Weiche.Bench;

/// <summary>The way through the system's sequencer and a virtual port of Weiche, against a program that does nothing but pass events on
/// with the same library. It needs a kernel that has the sequencer: tests/kernel/run boots one.</summary>
internal static unsafe class SequencerBench
{
    /// <summary>The word by which the bench starts itself as the plain program.</summary>
    internal const string Plain = "--plain-sequencer";

    private const short PollIn = 1;
    private const int Patience = 2_000;
    private const int Turns = 10;

    /// <summary>µs from sending an event to having it back, the median, by Weiche and by the plain program; null where there is no
    /// sequencer.</summary>
    /// <param name="count">How many events.</param>
    internal static (double Weiche, double Plain)? Run(int count)
    {
        if (!File.Exists("/dev/snd/seq") || !LibAsound.TryLoad())
            return null;
        var studio = Studio.Empty("Bench") with { Safety = new Safety(false, 0) };
        studio = new AddVirtualPort("loop").Apply(studio).Studio!;
        using var junction = new Junction(studio, new StudioClock(TimeProvider.System));
        var driver = new OutsideDriver(junction, OutsideSystem.Sequencer);
        using var park = new PortPark(junction, TimeProvider.System, new VirtualDriver(junction, driver), driver);
        park.Match(studio);
        while (driver.State.Map.Ports.Count(port => port.Own > 0) < 2)
            Thread.Sleep(50);
        var own = driver.State.Map.Ports.Where(port => port.Own > 0).ToList();
        var (to, from) = (own.Single(port => !port.IsSource).Address, own.Single(port => port.IsSource).Address);
        var host = Environment.ProcessPath!;
        var start = new ProcessStartInfo(host) { RedirectStandardOutput = true };
        if (host.EndsWith("dotnet", StringComparison.Ordinal))
            start.ArgumentList.Add(typeof(SequencerBench).Assembly.Location);
        start.ArgumentList.Add(Plain);
        using var plain = Process.Start(start)!;
        var client = plain.StandardOutput.ReadLine();
        var (weiche, bare) = (new List<double>(), new List<double>());
        // In turn: a machine that others share is faster now, slower then.
        for (var turn = 0; turn < Turns; turn++)
        {
            weiche.AddRange(Measure(count / Turns, to, from));
            bare.AddRange(Measure(count / Turns, $"{client}:0", $"{client}:1"));
        }
        plain.Kill();
        return (Table.Median(weiche), Table.Median(bare));
    }

    /// <summary>Passes on what comes, and nothing else.</summary>
    internal static int RunPlain()
    {
        if (!LibAsound.TryLoad())
            return 3;
        using var client = Open("Plain");
        _ = Port(client, LibAsound.CanWrite | LibAsound.SubscribeWrite);
        var to = Port(client, LibAsound.CanRead | LibAsound.SubscribeRead);
        Console.WriteLine(LibAsound.IdOf(client));
        while (true)
        {
            var heard = Await(client, Timeout.Infinite);
            if (heard is not null)
                Send(client, to, *heard);
        }
    }

    private static List<double> Measure(int count, string to, string from)
    {
        using var client = Open("Probe");
        var (sends, hears) = (
            Port(client, LibAsound.CanRead | LibAsound.SubscribeRead),
            Port(client, LibAsound.CanWrite | LibAsound.SubscribeWrite)
        );
        var id = LibAsound.IdOf(client);
        Join(client, $"{id}:{sends}", to);
        Join(client, from, $"{id}:{hears}");
        var times = new List<double>();
        for (var i = 0; i < count + 20; i++)
        {
            // Notes on and off in turn, each key for itself.
            LibAsound.Event note = default;
            note.Type = (byte)(i % 2 == 0 ? 6 : 7);
            (note.Data[1], note.Data[2]) = ((byte)(i / 2 % 128), 90);
            var begun = Stopwatch.GetTimestamp();
            Send(client, sends, note);
            if (Await(client, Patience) is null)
                throw new InvalidOperationException("An event did not come back.");
            // The first are compiled on their way.
            if (i >= 20)
                times.Add(Stopwatch.GetElapsedTime(begun).TotalMicroseconds);
            Thread.Sleep(3);
        }
        return times;
    }

    private static LibAsound.Client Open(string name)
    {
        if (LibAsound.Open(out var client, "default", LibAsound.Duplex, LibAsound.NonBlocking) < 0)
            throw new InvalidOperationException("There is no sequencer.");
        _ = LibAsound.SetName(client, name);
        return client;
    }

    private static int Port(LibAsound.Client client, uint capability)
    {
        _ = LibAsound.NewPortInfo(out var info);
        LibAsound.SetPortName(info, "port");
        LibAsound.SetCapability(info, capability);
        LibAsound.SetType(info, LibAsound.GenericMidi | LibAsound.Application);
        _ = LibAsound.CreatePort(client, info);
        var number = LibAsound.PortNumber(info);
        LibAsound.FreePortInfo(info);
        return number;
    }

    private static void Join(LibAsound.Client client, string from, string to)
    {
        _ = LibAsound.NewSubscription(out var subscription);
        LibAsound.SetSender(subscription, Read(from));
        LibAsound.SetDestination(subscription, Read(to));
        _ = LibAsound.Subscribe(client, subscription);
        LibAsound.FreeSubscription(subscription);
    }

    private static LibAsound.Address Read(string address)
    {
        var parts = address.Split(':');
        return new LibAsound.Address
        {
            Client = byte.Parse(parts[0], CultureInfo.InvariantCulture),
            Port = byte.Parse(parts[1], CultureInfo.InvariantCulture),
        };
    }

    private static void Send(LibAsound.Client client, int port, LibAsound.Event sent)
    {
        (sent.Queue, sent.Flags, sent.Source.Port) = (LibAsound.Directly, 0, (byte)port);
        (sent.Destination.Client, sent.Destination.Port) = (LibAsound.ToSubscribers, LibAsound.Unknown);
        _ = LibAsound.Output(client, ref sent);
    }

    private static LibAsound.Event* Await(LibAsound.Client client, int milliseconds)
    {
        while (true)
        {
            if (LibAsound.Input(client, out var heard) >= 0 && heard is not null)
            {
                // That a port was connected is told, too.
                if (heard->Type is 6 or 7)
                    return heard;
                continue;
            }
            LibAsound.PollEntry entry;
            _ = LibAsound.PollDescriptors(client, &entry, 1, PollIn);
            if (LibAsound.Poll(&entry, 1, milliseconds) == 0)
                return null;
        }
    }
}
