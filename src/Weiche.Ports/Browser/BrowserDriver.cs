using System.Collections.Concurrent;
using System.Collections.Immutable;
using System.Globalization;
using Weiche.Core.Midi;
using Weiche.Core.Studios;
using Weiche.Ports.Carrying;

namespace Weiche.Ports.Browser;

/// <summary>A port of a device that a page can reach (Web MIDI API, “MIDIPort”).</summary>
/// <param name="Id">By what the page tells it from others.</param>
/// <param name="Name">Its name.</param>
/// <param name="IsSource">Whether messages come from it.</param>
public sealed record BrowserPort(string Id, string Name, bool IsSource);

/// <summary>The devices of the computers and tablets on which a page is open.</summary>
/// <remarks>
/// <para>A page offers what it reaches, under the name of its browser; of several pages of one browser the one that offered last is the one
/// that plays. A page that goes takes with it what its devices hold; for a moment it may come back, as from one page to the next, before
/// they are missing.</para>
/// <para>What a page tells arrives now sooner, now later. It is held until a steady time after it was played, so that the beat is
/// kept.</para>
/// <para>Any thread may call anything here.</para>
/// </remarks>
public sealed class BrowserDriver : IPortDriver
{
    /// <summary>The most ports that a page may offer.</summary>
    public const int MostPorts = 64;

    /// <summary>The longest time that is smoothed over, ms.</summary>
    public const int LongestDelay = 50;

    private const int MostPages = 32;
    private const int MostWaiting = 4096;
    private const int LongestMessage = 4096;
    private const int LongestName = 60;
    private static readonly TimeSpan Grace = TimeSpan.FromSeconds(2);
    private static readonly MidiSpan Rest = MidiSpan.FromMilliseconds(500);

    private readonly Lock _gate = new();
    private readonly Junction _junction;
    private readonly TimeProvider _time;
    private readonly List<Page> _pages = [];
    private readonly ConcurrentQueue<Waiting> _arrived = [];
    private readonly Waker _wake = new();
    private readonly Thread _thread;
    private readonly ITimer _leaving;
    private ImmutableDictionary<string, PortId> _sources = ImmutableDictionary<string, PortId>.Empty;
    private ImmutableArray<Unit> _units = [];
    private int _waiting;
    private long _refused;
    private volatile bool _stopped;

    /// <summary>A driver.</summary>
    /// <param name="junction">Where the ports meet.</param>
    /// <param name="time">Where the time comes from.</param>
    public BrowserDriver(Junction junction, TimeProvider time)
    {
        (_junction, _time) = (junction, time);
        _leaving = time.CreateTimer(_ => SeeWhoLeft(), null, Timeout.InfiniteTimeSpan, Timeout.InfiniteTimeSpan);
        _thread = new Thread(Keep) { IsBackground = true, Name = "Weiche browsers" };
        _thread.Start();
    }

    /// <inheritdoc/>
    public event Action? Changed;

    /// <summary>Gives a page bytes for one of its ports: the page's connection, the port's id, whole messages.</summary>
    public Action<string, string, byte[]>? Tell { get; set; }

    /// <inheritdoc/>
    public IReadOnlyList<Unit> Units
    {
        get
        {
            lock (_gate)
                return _units;
        }
    }

    /// <summary>How it stands with browsers, in a sentence; null if no page offers anything.</summary>
    public string? Sentence
    {
        get
        {
            lock (_gate)
            {
                var there = _pages.Where(page => page.Left is null).ToList();
                if (there.Count == 0)
                    return null;
                var (devices, late, delay) = (
                    _units.Length,
                    there.Max(page => page.Clock.Late.Microseconds) / 1_000.0,
                    there.Max(page => page.Delay.Microseconds) / 1_000
                );
                var refused =
                    _refused > 0 ? $" {_refused.ToString(CultureInfo.InvariantCulture)} messages were no messages, or too many." : "";
                return string.Create(
                    CultureInfo.InvariantCulture,
                    $"{devices} {(devices == 1 ? "device is" : "devices are")} offered by pages; what they play is smoothed over {delay} ms, and {late:0.0} were needed of late.{refused}"
                );
            }
        }
    }

    /// <summary>A page offers what it reaches, instead of what it offered before.</summary>
    /// <param name="connection">The page's connection.</param>
    /// <param name="browser">Tells the browser from others, as long as it keeps its memory.</param>
    /// <param name="delay">Over how long what it plays is smoothed, ms; brought into range.</param>
    /// <param name="ports">Its ports.</param>
    /// <returns>Why it cannot, in a sentence; null if it can.</returns>
    public string? Offer(string connection, string browser, int delay, IReadOnlyList<BrowserPort> ports)
    {
        if (ports.Count > MostPorts)
            return $"A page offers {MostPorts} ports at most.";
        if (browser.Length is 0 or > LongestName || !browser.All(char.IsAsciiLetterOrDigit))
            return "The page does not say which browser it is in.";
        lock (_gate)
        {
            _pages.RemoveAll(page => page.Connection == connection || (page.Browser == browser && page.Left is not null));
            if (_pages.Count >= MostPages)
                return $"At most {MostPages} pages offer devices at once.";
            _pages.Add(new Page(connection, browser, MidiSpan.FromMilliseconds(Math.Clamp(delay, 0, LongestDelay)), Named(browser, ports)));
            _units = UnitsNow();
        }
        Changed?.Invoke();
        return null;
    }

    /// <summary>A page has gone: what its devices hold ends.</summary>
    /// <param name="connection">Its connection.</param>
    public void Gone(string connection)
    {
        PortId[] held;
        lock (_gate)
        {
            if (_pages.Find(each => each.Connection == connection && each.Left is null) is not { } page)
                return;
            page.Left = _time.GetUtcNow();
            held = IsPlaying(page)
                ? [.. page.Ports.Values.Select(port => _sources.GetValueOrDefault(port.Key)).Where(source => source != default)]
                : [];
            _leaving.Change(Grace, Timeout.InfiniteTimeSpan);
        }
        foreach (var source in held)
            _junction.BreakOff(source);
    }

    /// <summary>A device of a page was played.</summary>
    /// <param name="connection">The page's connection.</param>
    /// <param name="port">The port's id.</param>
    /// <param name="time">When, by the page's own clock, ms.</param>
    /// <param name="bytes">What it sent.</param>
    public void Played(string connection, string port, double time, byte[] bytes)
    {
        var now = _junction.Clock.Now;
        lock (_gate)
        {
            // Another page of the same browser hears the same device.
            if (_pages.Find(each => each.Connection == connection) is not { } page || !page.Ports.TryGetValue(port, out var known))
                return;
            if (!_sources.TryGetValue(known.Key, out var source) || !IsPlaying(page))
                return;
            if (bytes.Length is 0 or > LongestMessage || Volatile.Read(ref _waiting) >= MostWaiting)
            {
                _refused++;
                return;
            }
            var came = page.Clock.Map(time * 1_000, now);
            // Nothing overtakes what was played before it.
            page.LastDue = new[] { came + page.Delay, page.LastDue, now }.Max();
            Interlocked.Increment(ref _waiting);
            _arrived.Enqueue(new Waiting(source, bytes, page.LastDue));
        }
        _wake.Wake();
    }

    /// <inheritdoc/>
    public IOpenPorts? Open(Device device, Unit? unit) =>
        unit is not null && unit.Key.StartsWith("browser ", StringComparison.Ordinal) ? new OpenDevice(this, device, unit) : null;

    /// <inheritdoc/>
    public void Dispose()
    {
        _stopped = true;
        _wake.Wake();
        _thread.Join();
        _leaving.Dispose();
    }

    /// <summary>Of several pages of one browser the one that offered last plays.</summary>
    private bool IsPlaying(Page page) =>
        _pages.FindLast(each => each.Browser == page.Browser && each.Left is null) is not { } last || ReferenceEquals(last, page);

    private void SeeWhoLeft()
    {
        lock (_gate)
        {
            var now = _time.GetUtcNow();
            var gone = _pages.RemoveAll(page => page.Left is { } left && now - left >= Grace);
            // A timer may be early, and another may have left meanwhile.
            if (_pages.Exists(page => page.Left is not null))
                _leaving.Change(Grace / 4, Timeout.InfiniteTimeSpan);
            if (gone == 0)
                return;
            _units = UnitsNow();
        }
        Changed?.Invoke();
    }

    private ImmutableArray<Unit> UnitsNow() =>
        [
            .. _pages
                .GroupBy(page => page.Browser)
                .SelectMany(pages => pages.Last().Ports.Values)
                .GroupBy(port => port.Unit)
                .Select(ports => new Unit(
                    ports.Key,
                    ports.First().Says,
                    "",
                    "a browser",
                    [
                        .. ports
                            .OrderBy(port => port.IsSource ? 0 : 1)
                            .Select(port => new UnitPort(
                                port.IsSource ? PortDirection.Source : PortDirection.Destination,
                                "",
                                WireKind.Network
                            )),
                    ]
                )),
        ];

    /// <summary>A device has a port each way under one name; of several of a name the first of one way goes with the first of the
    /// other.</summary>
    private static ImmutableDictionary<string, PagePort> Named(string browser, IReadOnlyList<BrowserPort> ports)
    {
        var named = ImmutableDictionary.CreateBuilder<string, PagePort>();
        foreach (var alike in ports.GroupBy(port => (port.Name, port.IsSource)))
        {
            foreach (var (number, port) in alike.Index())
            {
                var says = NameRule.Said(port.Name);
                if (says.Length == 0)
                    says = "MIDI device";
                var unit = string.Create(CultureInfo.InvariantCulture, $"browser {browser} {Bridge.Shared.Line.Word(says)} {number}");
                named[port.Id] = new PagePort(
                    $"{unit} {(port.IsSource ? "from" : "to")}",
                    unit,
                    number == 0 ? says : string.Create(CultureInfo.InvariantCulture, $"{says} {number + 1}"),
                    port.IsSource,
                    port.Id
                );
            }
        }
        return named.ToImmutable();
    }

    /// <summary>Holds what was played until it is due. On a thread that carries messages.</summary>
    private void Keep()
    {
        _ = Urgent.Become(_junction.AsksForUrgency);
        var waiting = new PriorityQueue<Waiting, (long Due, long Number)>(MostWaiting);
        var number = 0L;
        while (!_stopped)
        {
            while (_arrived.TryDequeue(out var arrived))
                waiting.Enqueue(arrived, (arrived.Due.Microseconds, number++));
            var now = _junction.Clock.Now;
            while (waiting.TryPeek(out var next, out _) && next.Due <= now)
            {
                waiting.Dequeue();
                Interlocked.Decrement(ref _waiting);
                _junction.Receive(next.Source, next.Bytes, next.Due, next.Due);
            }
            var wait = waiting.TryPeek(out var later, out _) ? MidiSpan.Shorter(later.Due - now, Rest) : Rest;
            if (_arrived.IsEmpty && wait > MidiSpan.Zero)
                _wake.Wait(wait);
        }
    }

    /// <summary>The page that reaches a device now, and by which of its ports.</summary>
    private (string Connection, string Port)? WhereIs(string unit)
    {
        lock (_gate)
        {
            foreach (var page in Enumerable.Reverse(_pages))
            {
                if (page.Left is null && page.Ports.Values.FirstOrDefault(port => port.Unit == unit && !port.IsSource) is { } port)
                    return (page.Connection, port.Id);
            }
        }
        return null;
    }

    private readonly record struct Waiting(PortId Source, byte[] Bytes, MidiTime Due);

    /// <summary>A port of a page.</summary>
    private sealed record PagePort(string Key, string Unit, string Says, bool IsSource, string Id);

    /// <summary>A page that offers devices.</summary>
    private sealed class Page(string connection, string browser, MidiSpan delay, ImmutableDictionary<string, PagePort> ports)
    {
        internal string Connection => connection;

        internal string Browser => browser;

        internal MidiSpan Delay => delay;

        internal ImmutableDictionary<string, PagePort> Ports => ports;

        internal PageClock Clock { get; } = new();

        /// <summary>When the last thing that was played is due.</summary>
        internal MidiTime LastDue { get; set; }

        /// <summary>When it went; null while it is there.</summary>
        internal DateTimeOffset? Left { get; set; }
    }

    private sealed class OpenDevice : IOpenPorts
    {
        private readonly BrowserDriver _driver;
        private readonly Unit _unit;
        private readonly PortId? _source;
        private readonly PortId? _destination;
        private readonly BytePump? _pump;
        private readonly StreamParser _parser;
        private readonly SysExPool _pool = new();
        private readonly MessageWriter _writer;

        internal OpenDevice(BrowserDriver driver, Device device, Unit unit)
        {
            (_driver, _unit) = (driver, unit);
            (_parser, _writer) = (new StreamParser(_pool), new MessageWriter(_pool));
            foreach (var (port, id) in UnitPorts.Of(device, unit))
            {
                if (port.Direction == PortDirection.Source)
                {
                    _source = id;
                    lock (driver._gate)
                        driver._sources = driver._sources.SetItem($"{unit.Key} from", id);
                    continue;
                }
                _destination = id;
                _pump = new BytePump(Say, () => driver._junction.Resume(id));
                driver._junction.Connect(id, _pump);
            }
        }

        public Presence? Presence => null;

        public bool TryFollow(Device device, Unit? unit) =>
            unit?.Key == _unit.Key
            && device.FirstPort(PortDirection.Source) == _source
            && device.FirstPort(PortDirection.Destination) == _destination;

        public void Dispose()
        {
            if (_source is { } source)
            {
                lock (_driver._gate)
                    _driver._sources = _driver._sources.Remove($"{_unit.Key} from");
                _driver._junction.BreakOff(source);
            }
            if (_destination is not { } destination)
                return;
            _driver._junction.Connect(destination, null);
            _pump!.Dispose();
        }

        /// <summary>Tells the page, message by message: a page takes no running status.</summary>
        private void Say(ReadOnlySpan<byte> bytes)
        {
            var sink = new Messages(this);
            _parser.Parse(bytes, ref sink);
        }

        private void Say(in MidiMessage message)
        {
            if (_driver.WhereIs(_unit.Key) is not { } where)
                return;
            var bytes = message.SysExHandle != 0 ? [0xF0, .. _pool.Bytes(message.SysExHandle), 0xF7] : Short(message);
            _driver.Tell?.Invoke(where.Connection, where.Port, bytes);
        }

        private byte[] Short(in MidiMessage message)
        {
            _writer.Reset();
            Span<byte> bytes = stackalloc byte[MessageWriter.MaxShortLength];
            _writer.TryWrite(message, bytes, out var written);
            return bytes[..written].ToArray();
        }

        private readonly struct Messages(OpenDevice device) : IMessageSink
        {
            public void Accept(in MidiMessage message) => device.Say(message);
        }
    }
}
