using System.Diagnostics;
using System.Globalization;
using System.Runtime.InteropServices;
using System.Text;
using Weiche.Bridge.Shared;

namespace Weiche.Bridge.Sequencer;

/// <summary>The way to the system's sequencer: to other programs, and to the devices that the kernel knows.</summary>
/// <remarks>One thread waits for events and tells them, with the time that the sequencer stamped on them; one waits for what Weiche sends
/// and gives it out at once. Most of that comes to it by itself (<see cref="ShortCut"/>). Each program has its own number there and ports
/// with numbers; both are an address, "129:0".</remarks>
internal sealed unsafe class SequencerBridge : ISystemBridge
{
    private const string ClientName = "Weiche";
    private const int LongestEvent = 16 * 1024;
    private const int WaitMilliseconds = 200;
    private const short PollIn = 1;

    // Numbers of ports go up to 253; that of the announcements is not among those that are tried first.
    private const int MostPorts = 250;
    private const int TriedFirst = 200;
    private const int FullOfPatience = 300;

    private readonly SharedLink _link;
    private readonly Action _changed;
    private readonly SortedDictionary<int, OwnPort> _ports = [];
    private LibAsound.Client? _client;

    // Who asks what is there, and connects: what plays does not wait while that goes on.
    private LibAsound.Client? _asking;
    private Thread? _reader;
    private Thread? _writer;
    private volatile OwnPort?[] _byNumber = new OwnPort?[256];
    private volatile bool _isNew;
    private volatile bool _stopped;
    private string? _reason;
    private int _id;
    private int _queue = -1;
    private long _offset;
    private long _lost;
    private long _told = -1;

    private SequencerBridge(SharedLink link, Action changed) => (_link, _changed) = (link, changed);

    private sealed record OwnPort(int Id, bool Hears, string Name)
    {
        internal int Number { get; set; } = -1;

        /// <summary>How many hear it.</summary>
        internal int Listeners { get; set; }

        /// <summary>Whether the one who hears it had its moment, and took nothing.</summary>
        internal bool IsStuck { get; set; }
    }

    /// <summary>The way to the sequencer; null if the library is not there, or lacks a function that is needed.</summary>
    internal static SequencerBridge? TryMake(SharedLink link, Action changed) =>
        LibAsound.TryLoad() ? new SequencerBridge(link, changed) : null;

    /// <inheritdoc/>
    public void TellAgain()
    {
        _isNew = true;
        Look();
    }

    /// <inheritdoc/>
    public void Look()
    {
        if (_client is null)
            Enter();
        if (_client is null)
            return;
        Compare();
        if (_isNew)
        {
            _isNew = false;
            Tell();
        }
        var lost = Volatile.Read(ref _lost);
        if (lost == _told)
            return;
        _told = lost;
        Program.Say(string.Create(CultureInfo.InvariantCulture, $"figures {lost} 0"));
    }

    /// <inheritdoc/>
    public void Dispose()
    {
        if (_client is null)
            return;
        Program.EndNotes(_link, _ports.Values.Where(port => !port.Hears).Select(port => port.Id));
        _link.Out.Wake();
        for (var i = 0; i < 20 && _link.Out.Count > 0; i++)
            Thread.Sleep(5);
        _stopped = true;
        _link.Out.Wake();
        _writer?.Join();
        _reader?.Join();
        _client.Dispose();
        _asking?.Dispose();
    }

    private void Enter()
    {
        var client = TryOpen();
        var asking = client is null ? null : TryOpen();
        if (client is null || asking is null)
        {
            client?.Dispose();
            if (_reason is not null)
                return;
            _reason = "the system sequencer is not there";
            Program.Say($"gone {Line.Word(_reason)}");
            return;
        }
        (_client, _asking, _reason) = (client, asking, null);
        // Ports are made and renamed here, and nothing goes out meanwhile.
        Program.AskForUrgency(behind: true);
        _id = LibAsound.IdOf(client);
        _queue = LibAsound.NewQueue(client);
        if (_queue >= 0)
        {
            _ = LibAsound.ControlQueue(client, _queue, LibAsound.Start, 0, 0);
            _ = LibAsound.Flush(client);
        }
        Compare();
        var announcements = Create("announcements", MostPorts, LibAsound.CanWrite | LibAsound.NoExport, stamps: false);
        if (announcements >= 0)
            _ = LibAsound.ConnectFrom(client, announcements, LibAsound.SystemClient, LibAsound.Announcements);
        _link.Out.Clear();
        foreach (var port in _ports.Values)
            Register(port);
        (_reader = new Thread(Hear) { IsBackground = true, Name = "hears" }).Start();
        (_writer = new Thread(Play) { IsBackground = true, Name = "plays" }).Start();
        LibAsound.PollEntry entry;
        _ = LibAsound.PollDescriptors(client, &entry, 1, PollIn);
        Program.Say($"here {Line.Word(ClientName)} 0");
        Program.Say(string.Create(CultureInfo.InvariantCulture, $"file {entry.Descriptor}"));
        _isNew = true;
    }

    private static LibAsound.Client? TryOpen()
    {
        if (LibAsound.Open(out var client, "default", LibAsound.Duplex, LibAsound.NonBlocking) >= 0 && !client.IsInvalid)
        {
            _ = LibAsound.SetName(client, ClientName);
            return client;
        }
        client.Dispose();
        return null;
    }

    /// <summary>How the time of the sequencer's queue and that of the system lie to each other.</summary>
    private void Compare()
    {
        if (_queue < 0 || LibAsound.NewQueueStatus(out var status) < 0)
            return;
        if (LibAsound.QueueStatus(_asking!, _queue, status) >= 0)
        {
            var time = LibAsound.QueueTime(status);
            Volatile.Write(ref _offset, Now() - (time->Seconds * 1_000_000L + time->Nanoseconds / 1_000));
        }
        LibAsound.FreeQueueStatus(status);
    }

    private static long Now() => Stopwatch.GetTimestamp() / (Stopwatch.Frequency / 1_000_000);

    private int Create(string name, int number, uint capability, bool stamps)
    {
        if (LibAsound.NewPortInfo(out var info) < 0)
            return -1;
        LibAsound.SetPortName(info, name);
        LibAsound.SetCapability(info, capability);
        LibAsound.SetType(info, LibAsound.GenericMidi | LibAsound.Application | LibAsound.Port);
        LibAsound.SetChannels(info, 16);
        LibAsound.SetPortNumber(info, number);
        LibAsound.SetPortSpecified(info, 1);
        if (stamps && _queue >= 0)
        {
            LibAsound.SetStamps(info, 1);
            LibAsound.SetRealStamps(info, 1);
            LibAsound.SetStampQueue(info, _queue);
        }
        var made = LibAsound.CreatePort(_client!, info);
        number = made < 0 ? -1 : LibAsound.PortNumber(info);
        LibAsound.FreePortInfo(info);
        return number;
    }

    /// <inheritdoc/>
    public void Open(int id, bool hears, string name)
    {
        Close(id);
        var port = _ports[id] = new OwnPort(id, hears, name);
        if (_client is null)
            return;
        Register(port);
        TellAgain();
    }

    private void Register(OwnPort port)
    {
        // The same port has the same number again, as far as that goes: some programs keep numbers.
        var number = port.Id % TriedFirst;
        for (var tried = 0; tried < MostPorts && _byNumber[number] is not null; tried++)
            number = (number + 1) % MostPorts;
        port.Number = Create(
            port.Name,
            number,
            port.Hears ? LibAsound.CanWrite | LibAsound.SubscribeWrite : LibAsound.CanRead | LibAsound.SubscribeRead,
            stamps: port.Hears
        );
        if (port.Number < 0)
            return;
        var byNumber = (OwnPort?[])_byNumber.Clone();
        byNumber[port.Number] = port;
        _byNumber = byNumber;
    }

    /// <inheritdoc/>
    public void Rename(int id, string name)
    {
        if (!_ports.TryGetValue(id, out var port))
            return;
        _ports[id] = port with { Name = name, Number = port.Number };
        if (_client is null || port.Number < 0 || LibAsound.NewPortInfo(out var info) < 0)
            return;
        if (LibAsound.GetPortInfo(_client, port.Number, info) >= 0)
        {
            LibAsound.SetPortName(info, name);
            _ = LibAsound.SetPortInfo(_client, port.Number, info);
        }
        LibAsound.FreePortInfo(info);
        TellAgain();
    }

    /// <inheritdoc/>
    public void Close(int id)
    {
        if (!_ports.Remove(id, out var port) || port.Number < 0 || _client is null)
            return;
        var byNumber = (OwnPort?[])_byNumber.Clone();
        byNumber[port.Number] = null;
        _byNumber = byNumber;
        _ = LibAsound.DeletePort(_client, port.Number);
        TellAgain();
    }

    /// <inheritdoc/>
    public void Connect(string from, string to, bool on)
    {
        if (
            _asking is not { } asking
            || !TryRead(from, out var sender)
            || !TryRead(to, out var destination)
            || LibAsound.NewSubscription(out var subscription) < 0
        )
            return;
        LibAsound.SetSender(subscription, sender);
        LibAsound.SetDestination(subscription, destination);
        _ = on ? LibAsound.Subscribe(asking, subscription) : LibAsound.Unsubscribe(asking, subscription);
        LibAsound.FreeSubscription(subscription);
        TellAgain();
    }

    private static bool TryRead(string word, out LibAsound.Address address)
    {
        address = default;
        if (
            word.Split(':') is not [var client, var port]
            || !byte.TryParse(client, CultureInfo.InvariantCulture, out var one)
            || !byte.TryParse(port, CultureInfo.InvariantCulture, out var other)
        )
            return false;
        address = new LibAsound.Address { Client = one, Port = other };
        return true;
    }

    private void Tell()
    {
        var lines = new StringBuilder("list\n");
        _ = LibAsound.NewClientInfo(out var client);
        _ = LibAsound.NewPortInfo(out var port);
        _ = LibAsound.NewQuery(out var query);
        var names = new HashSet<string>();
        LibAsound.SetClientNumber(client, -1);
        while (LibAsound.NextClient(_asking!, client) >= 0)
        {
            var number = LibAsound.ClientNumber(client);
            if (number == LibAsound.SystemClient || number == LibAsound.IdOf(_asking!))
                continue;
            // Several may have one name: the later ones are told apart by a number.
            var name = Encoding.UTF8.GetString(Bytes(LibAsound.ClientName(client)));
            var unique = name;
            for (var more = 2; !names.Add(unique); more++)
                unique = string.Create(CultureInfo.InvariantCulture, $"{name} {more}");
            LibAsound.SetPortClient(port, number);
            LibAsound.SetPortNumber(port, -1);
            while (LibAsound.NextPort(_asking!, port) >= 0)
                TellPort(lines, query, number, LibAsound.CardOf(client), unique, port);
        }
        LibAsound.FreeQuery(query);
        LibAsound.FreePortInfo(port);
        LibAsound.FreeClientInfo(client);
        Program.Say(lines.Append("done").ToString());
    }

    private void TellPort(StringBuilder lines, nint query, int client, int card, string clientName, nint info)
    {
        var number = LibAsound.PortNumber(info);
        var capability = LibAsound.Capability(info);
        if ((capability & LibAsound.NoExport) != 0)
            return;
        var own = client == _id ? _byNumber[number] : null;
        // A program has no card.
        var hardware = card >= 0 ? string.Create(CultureInfo.InvariantCulture, $"hardware:{card}") : "program";
        var name = Line.Word(Bytes(LibAsound.PortName(info)));
        foreach (
            var (needed, way) in new[]
            {
                (LibAsound.CanRead | LibAsound.SubscribeRead, "source"),
                (LibAsound.CanWrite | LibAsound.SubscribeWrite, "destination"),
            }
        )
        {
            if ((capability & needed) == needed)
                lines.Append(
                    CultureInfo.InvariantCulture,
                    $"port {client}:{number} {way} {own?.Id ?? 0} {hardware} {Line.Word(clientName)} {name}\n"
                );
        }
        LibAsound.SetRoot(query, new LibAsound.Address { Client = (byte)client, Port = (byte)number });
        LibAsound.SetQueryType(query, 0);
        var index = 0;
        while (true)
        {
            LibAsound.SetIndex(query, index);
            if (LibAsound.Subscribers(_asking!, query) < 0)
                break;
            index++;
            var far = LibAsound.SubscriberAddress(query);
            lines.Append(CultureInfo.InvariantCulture, $"cable {client}:{number} {far->Client}:{far->Port}\n");
        }
        if (own is not null)
            own.Listeners = index;
    }

    private static ReadOnlySpan<byte> Bytes(byte* text) => MemoryMarshal.CreateReadOnlySpanFromNullTerminated(text);

    /// <summary>Waits for events and tells them.</summary>
    private void Hear()
    {
        Program.AskForUrgency();
        _ = LibAsound.NewCoder(LongestEvent, out var coder);
        LibAsound.NoRunningStatus(coder, 1);
        LibAsound.PollEntry entry;
        _ = LibAsound.PollDescriptors(_client!, &entry, 1, PollIn);
        var bytes = (byte*)NativeMemory.Alloc(LongestEvent);
        while (!_stopped)
        {
            _ = LibAsound.Poll(&entry, 1, WaitMilliseconds);
            var any = false;
            do
            {
                if (LibAsound.Input(_client!, out var heard) < 0)
                    break;
                if (heard is null)
                    continue;
                if (heard->Type is >= LibAsound.FirstAnnouncement and <= LibAsound.LastAnnouncement)
                {
                    _isNew = true;
                    _changed();
                    continue;
                }
                if (_byNumber[heard->Destination.Port] is not { Hears: true } port)
                    continue;
                var count = LibAsound.Decode(coder, bytes, LongestEvent, heard);
                if (count <= 0)
                    continue;
                var time =
                    (heard->Flags & LibAsound.RealTime) != 0 && _queue >= 0
                        ? heard->Seconds * 1_000_000L + heard->Nanoseconds / 1_000 + Volatile.Read(ref _offset)
                        : Now();
                if (_link.In.TryWrite(port.Id, time, new ReadOnlySpan<byte>(bytes, (int)count)))
                    any = true;
                else
                    Interlocked.Increment(ref _lost);
                // What has come since is asked for once Weiche is awake.
            } while (LibAsound.Pending(_client!, 0) > 0);
            if (any)
                _link.In.Wake();
        }
        NativeMemory.Free(bytes);
    }

    /// <summary>Waits for what Weiche sends and gives it out.</summary>
    private void Play()
    {
        Program.AskForUrgency();
        _ = LibAsound.NewCoder(LongestEvent, out var coder);
        var bytes = GC.AllocateArray<byte>(LongestEvent, pinned: true);
        while (!_stopped)
        {
            while (_link.Out.TryPeek(out var head))
            {
                var length = Math.Min(head.Length, LongestEvent);
                _link.Out.Copy(head with { Length = length }, bytes);
                if (Find(head.Port) is { } port)
                    Play(coder, port, bytes.AsSpan(0, length));
                // Not before it has gone out: what takes the short cut must not overtake it.
                _link.Out.Take(head);
            }
            _link.Out.Wait(WaitMilliseconds);
        }
    }

    private OwnPort? Find(int id)
    {
        foreach (var port in _byNumber)
        {
            if (port is { Hears: false } && port.Id == id)
                return port;
        }
        return null;
    }

    private void Play(nint coder, OwnPort port, ReadOnlySpan<byte> bytes)
    {
        fixed (byte* all = bytes)
        {
            for (var at = 0; at < bytes.Length;)
            {
                LibAsound.Event sent = default;
                var count = LibAsound.Encode(coder, all + at, bytes.Length - at, ref sent);
                if (count <= 0)
                    return;
                at += (int)count;
                // No event yet: more bytes belong to it.
                if (sent.Type is 0 or 255)
                    continue;
                (sent.Queue, sent.Source.Port) = (LibAsound.Directly, (byte)port.Number);
                (sent.Destination.Client, sent.Destination.Port) = (LibAsound.ToSubscribers, LibAsound.Unknown);
                // A listener that has no room has a moment, if it is the only one: the others would hear it again each time.
                var result = LibAsound.Output(_client!, ref sent);
                for (var tried = 0; result == LibAsound.Again && port is { Listeners: < 2, IsStuck: false }; tried++)
                {
                    port.IsStuck = tried == FullOfPatience;
                    Thread.Sleep(1);
                    result = LibAsound.Output(_client!, ref sent);
                }
                if (result == LibAsound.Again)
                    Interlocked.Increment(ref _lost);
                else
                    port.IsStuck = false;
            }
        }
    }
}
