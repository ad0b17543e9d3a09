using System.Collections.Immutable;
using System.Globalization;
using Weiche.Bridge.Sequencer;
using Weiche.Bridge.Shared;
using Weiche.Core.Midi;
using Weiche.Core.Studios;
using Weiche.Ports.Carrying;

namespace Weiche.Ports.Outside;

/// <summary>How it stands with a system.</summary>
/// <param name="IsHere">Whether Weiche is in it.</param>
/// <param name="Sentence">What there is, or what is not there and what would make it work.</param>
/// <param name="Map">What there is.</param>
/// <param name="Lost">How many messages had no room.</param>
/// <param name="Late">How often the system itself came late, as it says.</param>
public sealed record OutsideState(bool IsHere, string Sentence, OutsideMap Map, long Lost = 0, long Late = 0);

/// <summary>Other programs of this computer, and the devices that they reach, by a system that has them all: their ports are found and
/// joined, virtual ports are shown to them, and what they connect by themselves is seen.</summary>
/// <remarks>The system's library runs in a process of its own (<see cref="BridgeProcess"/>); between the two lie two ways through memory.
/// One thread that carries messages reads the one, the engine's carriers write the other, and nobody waits. Into the sequencer they write
/// themselves, where they may (<see cref="ShortCut"/>).</remarks>
public sealed class OutsideDriver : IPortDriver, IPublisher, IOutside
{
    // How long the reader sleeps at most: then it looks whether somebody waits for room.
    private const int ReaderMilliseconds = 100;
    private const int FullMilliseconds = 2;
    private const int LongestMessage = 16 * 1024;

    // A system exclusive goes out in pieces that any program has room for.
    private const int LongestPiece = 4 * 1024;
    private const int MostTries = 8;
    private const string Refused = "It is asked again every second: see that both run as the same user, or start it anew.";

    private readonly Lock _gate = new();
    private readonly Junction _junction;
    private readonly SharedLink? _link;
    private readonly BridgeProcess? _bridge;
    private readonly Thread? _reader;
    private readonly Dictionary<int, (string Words, string? Far, bool Hears)> _own = [];

    // How often the joining of an own port is still tried, by its number; a system that is busy may refuse it.
    private readonly Dictionary<int, int> _joining = [];
    private readonly List<string> _lines = [];
    private ImmutableArray<OutsideSink> _sinks = [];
    private ImmutableArray<Unit> _units = [];
    private OutsideState _state;
    private volatile ShortCut? _shortCut;
    private bool _listing;
    private bool _isEntered;
    private long _dropped;
    private volatile bool _stopped;

    /// <summary>A driver.</summary>
    /// <param name="junction">Where the ports meet.</param>
    /// <param name="system">The system.</param>
    public OutsideDriver(Junction junction, OutsideSystem system)
    {
        (_junction, System) = (junction, system);
        _state = new OutsideState(false, $"Looking for the {system.Title}.", OutsideMap.Empty);
        try
        {
            _link = SharedLink.Create(out var path);
            _reader = new Thread(Read) { IsBackground = true, Name = $"Weiche {system.Title}" };
            _reader.Start();
            _bridge = new BridgeProcess(system, path, junction.AsksForUrgency, Hear, Ended);
        }
        catch (Exception exception) when (exception is IOException or UnauthorizedAccessException)
        {
            _state = new OutsideState(
                false,
                $"The {system.Title} cannot be reached: there is no room for the memory that is shared with it "
                    + $"({exception.Message.TrimEnd('.')}).",
                OutsideMap.Empty
            );
        }
    }

    /// <inheritdoc/>
    public event Action? Changed;

    /// <summary>The system.</summary>
    public OutsideSystem System { get; }

    /// <summary>How it stands with the system.</summary>
    public OutsideState State
    {
        get
        {
            var (state, dropped) = (Volatile.Read(ref _state), Volatile.Read(ref _dropped));
            return dropped == 0 ? state : state with { Lost = state.Lost + dropped };
        }
    }

    /// <inheritdoc/>
    public IReadOnlyList<Unit> Units => State.IsHere ? _units : [];

    /// <summary>The process that the system's library runs in; null while there is none.</summary>
    internal int? BridgeId => _bridge?.Id;

    /// <summary>Whether what is played goes past the bridge.</summary>
    internal bool HasShortCut => _shortCut is not null;

    /// <inheritdoc/>
    public IReadOnlyList<OutsideCable> Cables
    {
        get
        {
            var map = State.Map;
            if (map.Cables.IsEmpty)
                return [];
            lock (_gate)
            {
                var (from, to) = Ends(map);
                var ours = map.Ports.Where(port => port.Own > 0).Select(port => port.Address).ToHashSet();
                // What a program sends that the studio does not know counts where it goes into a port of Weiche's.
                return
                [
                    .. map
                        .Cables.Where(cable => from.ContainsKey(cable.From) || (!ours.Contains(cable.From) && ours.Contains(cable.To)))
                        .Where(cable => to.ContainsKey(cable.To) && !IsJoin(cable, from, to))
                        .Select(cable => new OutsideCable(new PortId(from.GetValueOrDefault(cable.From)), new PortId(to[cable.To])))
                        .Distinct(),
                ];
            }
        }
    }

    /// <inheritdoc/>
    public int? CardOf(Unit unit) => State.Map.Ports.FirstOrDefault(port => port.Own == 0 && unit.Key == KeyOf(port.Client))?.Card;

    /// <inheritdoc/>
    public void Part(OutsideCable cable)
    {
        lock (_gate)
        {
            var (sources, destinations) = Ends(State.Map);
            foreach (var (from, to) in State.Map.Cables)
            {
                if (
                    sources.GetValueOrDefault(from) == cable.From.Value
                    && destinations.GetValueOrDefault(to) == cable.To.Value
                    && !IsJoin((from, to), sources, destinations)
                )
                    _bridge?.Say($"part {from} {to}");
            }
        }
    }

    /// <summary>Whether a connection is Weiche's own, between a device's port and the port that Weiche has for it.</summary>
    private static bool IsJoin((string From, string To) cable, Dictionary<string, int> from, Dictionary<string, int> to) =>
        from.TryGetValue(cable.From, out var id) && to.TryGetValue(cable.To, out var other) && id == other;

    /// <inheritdoc/>
    public IOpenPorts? Open(Device device, Unit? unit) =>
        unit is not null && unit.Key.StartsWith(System.Key + " ", StringComparison.Ordinal) ? new OpenProgram(this, device, unit) : null;

    /// <inheritdoc/>
    public IPublishedPort Publish(Device device) => new Shown(this, device);

    /// <inheritdoc/>
    public void Dispose()
    {
        _stopped = true;
        _link?.In.Wake();
        _reader?.Join();
        _bridge?.Dispose();
        _shortCut?.Dispose();
        _link?.Dispose();
    }

    /// <summary>The studio's ports by the addresses at which messages come from them and go to them: those of virtual ports that are shown,
    /// of programs that are devices, and those that Weiche hears and plays such a program by. Under the gate.</summary>
    private (Dictionary<string, int> From, Dictionary<string, int> To) Ends(OutsideMap map)
    {
        var (from, to) = (new Dictionary<string, int>(), new Dictionary<string, int>());
        foreach (var port in map.Ports)
        {
            // A virtual port is heard by the destination that it is, and speaks by the source. What gets to where Weiche hears a program
            // comes as if from that program, and what Weiche sends to one may be taken elsewhere from there.
            if (port.Own > 0 && _own.TryGetValue(port.Own, out var own))
                (own.Hears ? to : from).TryAdd(port.Address, port.Own);
        }
        foreach (var (id, own) in _own)
        {
            if (own.Far is { } far)
                (own.Hears ? from : to).TryAdd(far, id);
        }
        return (from, to);
    }

    private void Read()
    {
        _ = Urgent.Become(_junction.AsksForUrgency);
        var ring = _link!.In;
        var bytes = new byte[LongestMessage];
        while (!_stopped)
        {
            while (ring.TryPeek(out var head))
            {
                var length = Math.Min(head.Length, LongestMessage);
                ring.Copy(head with { Length = length }, bytes);
                ring.Take(head);
                var due = _junction.Clock.OfSystem(head.Time);
                // What a system tells in a cycle was played in the one before.
                _junction.Receive(new PortId(head.Port), bytes.AsSpan(0, length), due - new MidiSpan(_link.Period), due);
            }
            var (anyFull, period) = (false, _link.Period);
            foreach (var sink in _sinks)
            {
                if (sink.Told != period)
                {
                    sink.Told = period;
                    _junction.Delay(sink.Destination, new MidiSpan(period));
                }
                if (!sink.IsFull)
                    continue;
                anyFull = true;
                if (sink.TakeRoom())
                    _junction.Resume(sink.Destination);
            }
            ring.Wait(anyFull ? FullMilliseconds : ReaderMilliseconds);
        }
    }

    /// <summary>A line of the bridge.</summary>
    private void Hear(string line)
    {
        if (_listing && line != "done")
        {
            _lines.Add(line);
            return;
        }
        switch (line.Split(' '))
        {
            case ["here", ..]:
                TellAll();
                break;
            case [("gone" or "refused") and var how, var reason]:
                Leave();
                var remedy = how == "gone" ? System.Away : Refused;
                Set(new OutsideState(false, $"{WordList.Capital(Line.Text(reason))}. {remedy}", OutsideMap.Empty));
                break;
            case ["file", var file] when _bridge?.Id is { } process:
                _shortCut = ShortCut.TryTake(process, int.Parse(file, CultureInfo.InvariantCulture));
                break;
            case ["list"]:
                _listing = true;
                _lines.Clear();
                break;
            case ["done"]:
                _listing = false;
                Take(OutsideMap.Read(_lines));
                break;
            case ["figures", var lost, var late]:
                Set(
                    _state with
                    {
                        Lost = long.Parse(lost, CultureInfo.InvariantCulture),
                        Late = long.Parse(late, CultureInfo.InvariantCulture),
                    }
                );
                break;
        }
    }

    private void Ended(bool noLibrary)
    {
        _listing = false;
        Leave();
        Set(
            new OutsideState(
                false,
                noLibrary ? System.NoLibrary : $"The way to the {System.Title} broke; it is tried again in a moment.",
                OutsideMap.Empty
            )
        );
    }

    private void Take(OutsideMap map)
    {
        lock (_gate)
        {
            _units = UnitsOf(map);
            var before = State.Map;
            foreach (var (id, own) in _own)
            {
                if (own.Far is not { } far)
                    continue;
                // What has come is joined; what somebody has parted since stays so.
                if (before.Find(far) is null || before.FindOwn(id) is null)
                    _joining[id] = MostTries;
                if (_joining.ContainsKey(id))
                    Join(map, id, far, own.Hears);
            }
        }
        foreach (var sink in _sinks)
            sink.Find(map);
        var programs = _units.Length;
        Set(
            _state with
            {
                IsHere = true,
                Map = map,
                Sentence =
                    programs == 0
                        ? $"It runs; no other program is in the {System.Title} yet."
                        : $"It runs; {programs} {(programs == 1 ? "program or device is" : "programs and devices are")} reached by it.",
            }
        );
    }

    /// <summary>What the bridge forgot, or never knew.</summary>
    private void TellAll()
    {
        lock (_gate)
        {
            _isEntered = true;
            foreach (var (_, own) in _own)
                _bridge?.Say(own.Words);
            _bridge?.Say("tell");
        }
    }

    private void Leave()
    {
        lock (_gate)
            _isEntered = false;
        var shortCut = _shortCut;
        _shortCut = null;
        shortCut?.Dispose();
        foreach (var sink in _sinks)
            sink.Find(OutsideMap.Empty);
    }

    private void Set(OutsideState state)
    {
        var before = _state;
        Volatile.Write(ref _state, state);
        if (_stopped)
            return;
        EndWhatIsGone(before, state);
        Changed?.Invoke();
    }

    /// <summary>What programs held through a port of Weiche's ends when one of them is not connected any more: whose it was nobody can
    /// tell.</summary>
    private void EndWhatIsGone(OutsideState before, OutsideState now)
    {
        if (ReferenceEquals(before.Map, now.Map))
            return;
        // By number: a port that was renamed has another address, and what is connected to it is the same.
        foreach (var id in Feeding(before.Map).Except(Feeding(now.Map)).Select(cable => cable.Own).Distinct().ToList())
        {
            bool isOwn;
            lock (_gate)
                isOwn = _own.ContainsKey(id);
            if (isOwn)
                _junction.BreakOff(new PortId(id));
        }
    }

    private static HashSet<(string From, int Own)> Feeding(OutsideMap map)
    {
        var own = map.Ports.Where(port => port.Own > 0 && !port.IsSource).ToDictionary(port => port.Address, port => port.Own);
        return [.. map.Cables.Where(cable => own.ContainsKey(cable.To)).Select(cable => (cable.From, own[cable.To]))];
    }

    private ImmutableArray<Unit> UnitsOf(OutsideMap map) =>
        [
            .. map
                .Ports.Where(port => port.Own == 0)
                .GroupBy(port => port.Client)
                .Select(program => new Unit(KeyOf(program.Key), NameRule.Said(program.Key), "", System.Place, [.. PortsOf(program)]))
                .Where(unit => unit.Says.Length > 0),
        ];

    /// <summary>The key of a program, by its name.</summary>
    private string KeyOf(string client) => $"{System.Key} {Line.Word(client)}";

    private static IEnumerable<UnitPort> PortsOf(IEnumerable<OutsidePort> ports) =>
        ports
            .Select(port => new UnitPort(
                port.IsSource ? PortDirection.Source : PortDirection.Destination,
                NameRule.Said(port.Name),
                port.IsHardware ? WireKind.Usb : WireKind.Virtual
            ))
            .DistinctBy(port => (port.Direction, port.Part));

    private OutsidePort? Find(Unit unit, UnitPort port) =>
        State.Map.Ports.FirstOrDefault(each =>
            each.Own == 0
            && unit.Key == KeyOf(each.Client)
            && each.IsSource == (port.Direction == PortDirection.Source)
            && NameRule.Said(each.Name) == port.Part
        );

    private void Join(OutsideMap map, int id, string far, bool hears)
    {
        if (map.Find(far) is null || map.FindOwn(id) is not { } own)
            return;
        var (from, to) = hears ? (far, own.Address) : (own.Address, far);
        if (map.Cables.Contains((from, to)) || _joining[id]-- == 0)
            _joining.Remove(id);
        // What is there is told again after it, so that it is seen whether that came to be.
        else
            _bridge?.Say($"join {from} {to}");
    }

    /// <summary>Makes a port of Weiche's own.</summary>
    /// <param name="id">Its number: that of the studio's port.</param>
    /// <param name="hears">Whether Weiche hears on it.</param>
    /// <param name="name">Its name.</param>
    /// <param name="far">The other program's port that it is joined to; null for one that others connect.</param>
    private void Make(PortId id, bool hears, string name, string? far)
    {
        lock (_gate)
        {
            var words = $"open {id.Value.ToString(CultureInfo.InvariantCulture)} {(hears ? "in" : "out")} {Line.Word(PortName(name))}";
            _own[id.Value] = (words, far, hears);
            // Who is not there is told all of it when it is.
            if (!_isEntered)
                return;
            _bridge?.Say(words);
            if (far is not null)
                _bridge?.Say("tell");
        }
    }

    private void Rename(PortId id, string name)
    {
        lock (_gate)
        {
            if (!_own.TryGetValue(id.Value, out var own))
                return;
            _own[id.Value] = own with { Words = $"{own.Words[..own.Words.LastIndexOf(' ')]} {Line.Word(PortName(name))}" };
            _bridge?.Say($"rename {id.Value.ToString(CultureInfo.InvariantCulture)} {Line.Word(PortName(name))}");
        }
    }

    private void Remove(PortId id)
    {
        lock (_gate)
        {
            _joining.Remove(id.Value);
            if (_own.Remove(id.Value))
                _bridge?.Say($"close {id.Value.ToString(CultureInfo.InvariantCulture)}");
        }
    }

    /// <summary>A name that any system takes: there a colon stands between program and port.</summary>
    private static string PortName(string name) => NameRule.Said(name.Replace(':', ' '));

    private OutsideSink SinkTo(PortId port, PortId destination)
    {
        var sink = new OutsideSink(this, _link, port, destination);
        ImmutableInterlocked.Update(ref _sinks, sinks => sinks.Add(sink));
        return sink;
    }

    private void Forget(OutsideSink sink) => ImmutableInterlocked.Update(ref _sinks, sinks => sinks.Remove(sink));

    /// <summary>The way out to a port of the system.</summary>
    private sealed class OutsideSink : IByteSink
    {
        // So much room there must be for bytes: each may be a message with its head.
        private const int RoomAByte = 24;

        private readonly OutsideDriver _driver;
        private readonly SharedLink? _link;
        private readonly int _port;
        private readonly SysExPool _pool = new();
        private readonly StreamParser _parser;
        private volatile bool _full;

        // Its number in the sequencer, as far as it is known, and whether more than one hears it.
        private volatile int _number = -1;
        private volatile bool _hasSeveral;

        internal OutsideSink(OutsideDriver driver, SharedLink? link, PortId port, PortId destination)
        {
            (_driver, _link, _port, Destination) = (driver, link, port.Value, destination);
            _parser = new StreamParser(_pool);
        }

        internal PortId Destination { get; }

        internal bool IsFull => _full;

        /// <summary>The period that was told as its delay last, µs. For the reader.</summary>
        internal int Told { get; set; }

        public int Send(ReadOnlySpan<byte> bytes)
        {
            if (_link is null || !Volatile.Read(ref _driver._state).IsHere)
                return IByteSink.Away;
            var taken = 0;
            while (taken < bytes.Length)
            {
                var piece = bytes.Slice(taken, Math.Min(bytes.Length - taken, LongestMessage));
                if (SharedRing.Capacity - _link.Out.Count < piece.Length * RoomAByte)
                {
                    _full = true;
                    // Whoever reads looks from now on whether there is room.
                    _link.In.Wake();
                    break;
                }
                var sink = new Frames(this);
                _parser.Parse(piece, ref sink);
                taken += piece.Length;
            }
            if (_link.Out.Count > 0)
                _link.Out.Wake();
            return taken;
        }

        /// <summary>Looks where the system has its port.</summary>
        internal void Find(OutsideMap map)
        {
            var address = map.FindOwn(_port)?.Address;
            _hasSeveral = address is not null && map.Cables.Count(cable => cable.From == address) > 1;
            _number =
                address?.Split(':') is [_, var number] && byte.TryParse(number, CultureInfo.InvariantCulture, out var known) ? known : -1;
        }

        /// <summary>Whether there is room again for who waited for it.</summary>
        internal bool TakeRoom()
        {
            if (_link is null || _link.Out.Count > SharedRing.Capacity / 2)
                return false;
            _full = false;
            return true;
        }

        private void Write(in MidiMessage message)
        {
            var due = _driver._junction.Clock.ToSystem(_driver._junction.Due);
            if (message.SysExHandle != 0)
            {
                WriteExclusive(_pool.Bytes(message.SysExHandle), due);
                return;
            }
            if (TryShortCut(message))
                return;
            Span<byte> bytes = [message.Status, message.Data1, message.Data2];
            if (!_link!.Out.TryWrite(_port, due, bytes[..(1 + message.DataLength)]))
                Interlocked.Increment(ref _driver._dropped);
        }

        /// <summary>Gives a message out past the bridge, where nothing that was played before is still on its way there.</summary>
        private bool TryShortCut(in MidiMessage message)
        {
            if (_driver._shortCut is not { } shortCut || _number is not (>= 0 and var number) || _link!.Out.Count > 0)
                return false;
            switch (shortCut.Send((byte)number, message.Status, message.Data1, message.Data2))
            {
                case ShortCut.Outcome.Sent:
                    return true;
                case ShortCut.Outcome.Full when _hasSeveral:
                    // The others would hear it twice.
                    Interlocked.Increment(ref _driver._dropped);
                    return true;
                default:
                    // The bridge waits for room.
                    return false;
            }
        }

        private void WriteExclusive(ReadOnlySpan<byte> body, long due)
        {
            // All of it or nothing: half of one is none.
            if (SharedRing.Capacity - _link!.Out.Count < body.Length + (body.Length / LongestPiece + 2) * RoomAByte)
            {
                Interlocked.Increment(ref _driver._dropped);
                return;
            }
            Span<byte> piece = stackalloc byte[LongestPiece];
            var length = 1;
            piece[0] = 0xF0;
            while (true)
            {
                var count = Math.Min(body.Length, LongestPiece - length);
                body[..count].CopyTo(piece[length..]);
                body = body[count..];
                length += count;
                if (body.IsEmpty && length < LongestPiece)
                {
                    piece[length++] = 0xF7;
                    _ = _link!.Out.TryWrite(_port, due, piece[..length]);
                    return;
                }
                _ = _link!.Out.TryWrite(_port, due, piece[..length]);
                length = 0;
            }
        }

        private readonly struct Frames(OutsideSink sink) : IMessageSink
        {
            public void Accept(in MidiMessage message) => sink.Write(message);
        }
    }

    /// <summary>A program or device that is one of the studio's.</summary>
    private sealed class OpenProgram : IOpenPorts
    {
        private readonly OutsideDriver _driver;
        private readonly Unit _unit;
        private readonly ImmutableArray<Port> _ports;
        private readonly List<PortId> _sources = [];
        private readonly List<(PortId Id, OutsideSink Sink)> _destinations = [];

        internal OpenProgram(OutsideDriver driver, Device device, Unit unit)
        {
            (_driver, _unit, _ports) = (driver, unit, device.Ports);
            foreach (var (port, id) in UnitPorts.Of(device, unit))
            {
                if (driver.Find(unit, port) is not { } far)
                    continue;
                var hears = port.Direction == PortDirection.Source;
                if (hears)
                {
                    _sources.Add(id);
                }
                else
                {
                    var sink = driver.SinkTo(id, id);
                    _destinations.Add((id, sink));
                    driver._junction.Connect(id, sink);
                }
                driver.Make(id, hears, $"{(hears ? "hears" : "plays")} {far.Client} {far.Name}", far.Address);
            }
        }

        public Presence? Presence => null;

        public bool TryFollow(Device device, Unit? unit) =>
            unit?.Key == _unit.Key
            && unit.Ports.SequenceEqual(_unit.Ports)
            && device.Ports.Select(port => (port.Id, port.Part)).SequenceEqual(_ports.Select(port => (port.Id, port.Part)));

        public void Dispose()
        {
            foreach (var source in _sources)
            {
                _driver.Remove(source);
                _driver._junction.BreakOff(source);
            }
            foreach (var (id, sink) in _destinations)
            {
                _driver._junction.Connect(id, null);
                _driver.Forget(sink);
                _driver.Remove(id);
            }
        }
    }

    /// <summary>A virtual port as other programs see it: "to keys to stars" and "from keys to stars".</summary>
    private sealed class Shown : IPublishedPort
    {
        private readonly OutsideDriver _driver;
        private readonly PortId _to;
        private readonly PortId _from;
        private readonly OutsideSink _sink;

        internal Shown(OutsideDriver driver, Device device)
        {
            _driver = driver;
            (_to, _from) = (device.FirstPort(PortDirection.Destination)!.Value, device.FirstPort(PortDirection.Source)!.Value);
            _sink = driver.SinkTo(_from, _to);
            driver.Make(_to, true, $"to {device.Name}", null);
            driver.Make(_from, false, $"from {device.Name}", null);
        }

        public void Rename(string name)
        {
            _driver.Rename(_to, $"to {name}");
            _driver.Rename(_from, $"from {name}");
        }

        public int Send(ReadOnlySpan<byte> bytes) => _sink.Send(bytes);

        public void Dispose()
        {
            _driver.Forget(_sink);
            _driver.Remove(_to);
            _driver.Remove(_from);
        }
    }
}
