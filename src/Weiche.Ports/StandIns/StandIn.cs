using Weiche.Core.Midi;
using Weiche.Core.Studios;

namespace Weiche.Ports.StandIns;

/// <summary>Takes bytes that something sends.</summary>
/// <param name="bytes">The bytes, valid during the call only.</param>
public delegate void BytesOut(ReadOnlySpan<byte> bytes);

/// <summary>
/// A stand-in: a simulated device that speaks bytes over the same way as real hardware, with the habits and faults that
/// such devices have. It has something to play, something that listens, or both.
/// </summary>
public sealed class StandIn : IDisposable
{
    // A song of a bar, an eighth each: the bass on channel 1, two voices on channel 2, drums on channel 10. 0 is a rest.
    private static readonly (Channel Channel, byte[] Keys)[] Song =
    [
        (Channel.FromNumber(1), [36, 0, 43, 36, 0, 36, 41, 43]),
        (Channel.FromNumber(2), [48, 55, 60, 55, 48, 55, 62, 59]),
        (Channel.FromNumber(10), [36, 42, 38, 42, 36, 36, 38, 46]),
    ];
    private const int PulsesAnEighth = 12;

    private readonly Lock _gate = new();
    private readonly IOutlets _outlets;
    private readonly Dictionary<string, bool> _switches;
    private readonly bool[] _monitors;
    private readonly ClockBox? _clock;
    private readonly byte[] _sung = new byte[Song.Length];
    private long _recorded;
    private volatile bool _local = true;

    /// <summary>A stand-in.</summary>
    /// <param name="kit">What it is made of.</param>
    /// <param name="outlets">Where what it sends goes.</param>
    /// <param name="time">Where its time comes from.</param>
    internal StandIn(Kit kit, IOutlets outlets, TimeProvider time)
    {
        Kit = kit;
        _outlets = outlets;
        _switches = kit.Switches.ToDictionary(each => each.Name, each => each.On);
        _monitors = new bool[kit.Tracks.Count];
        if (kit.Sends > 0)
            Player = new Player(Play, Channel.FromNumber(kit.Sends), kit.Lowest, kit.Highest, kit.Senses ? time : null)
            {
                IsSurface = kit.Look == Look.Surface,
            };
        if (kit.Listens.Count > 0)
        {
            Listener = new Listener(kit.Listens)
            {
                Asked = kit.Member > 0 ? () => Speak(StandInUnits.IdentityOf(kit.Member).ToReply(), 0) : null,
                LocalSwitched = on => _local = on,
                Moved = kit.Switches.Any(each => each.Name == Kit.Song) ? Sing : null,
            };
        }
        if (Player is not null)
            Styles = new Styles(Player, time);
        if (kit.Look == Look.Clock)
            _clock = new ClockBox(() => Speak([0xF8], 0), time);
    }

    /// <summary>What it is made of.</summary>
    public Kit Kit { get; }

    /// <summary>What is played, or null.</summary>
    public Player? Player { get; }

    /// <summary>What listens, or null.</summary>
    public Listener? Listener { get; }

    /// <summary>What plays by itself, for a hand that is busy; null if nothing is played.</summary>
    public Styles? Styles { get; }

    /// <summary>Whether its keys sound by themselves.</summary>
    public bool IsLocal => _local;

    /// <summary>How many messages' bytes an application has recorded.</summary>
    public long RecordedBytes => Volatile.Read(ref _recorded);

    /// <summary>Where a stand-in's bytes go.</summary>
    internal interface IOutlets
    {
        /// <summary>To a port of this computer.</summary>
        void ToHost(string key, string part, ReadOnlySpan<byte> bytes);

        /// <summary>Out of a jack.</summary>
        void ToJack(string key, string jack, ReadOnlySpan<byte> bytes);
    }

    /// <summary>Whether something is switched on.</summary>
    /// <param name="name">A switch or a track.</param>
    public bool IsOn(string name)
    {
        lock (_gate)
            return _switches.TryGetValue(name, out var on) ? on : Track(name) is >= 0 and var track && _monitors[track];
    }

    /// <summary>Switches something, as a person at the device would.</summary>
    /// <param name="name">A switch, or a track whose monitoring is meant; anything else is left alone.</param>
    /// <param name="on">On or off.</param>
    public void Switch(string name, bool on)
    {
        lock (_gate)
        {
            if (_switches.TryGetValue(name, out var before))
            {
                _switches[name] = on;
                if (_clock is not null && before != on)
                    Switch(_clock, name, on);
            }
            else if (Track(name) is >= 0 and var track)
            {
                _monitors[track] = on;
            }
        }
    }

    /// <summary>Takes bytes that come to a jack.</summary>
    internal void HearJack(string jack, ReadOnlySpan<byte> bytes)
    {
        if (Kit.Look == Look.Interface)
        {
            if (jack == "IN 3" && IsOn(Kit.OwnRouting))
                _outlets.ToJack(Kit.Key, "OUT 3", bytes);
            _outlets.ToHost(Kit.Key, jack, bytes);
            return;
        }
        if (Kit.HasThru)
            _outlets.ToJack(Kit.Key, Kit.Thru, bytes);
        Hear(bytes);
    }

    /// <summary>Takes bytes that this computer sends to one of its ports.</summary>
    internal void HearHost(string part, ReadOnlySpan<byte> bytes)
    {
        if (Kit.Look == Look.Interface)
            _outlets.ToJack(Kit.Key, part, bytes);
        else
            Hear(bytes);
    }

    /// <inheritdoc/>
    public void Dispose()
    {
        Styles?.Dispose();
        Player?.Dispose();
        Listener?.Dispose();
        _clock?.Dispose();
    }

    private void Hear(ReadOnlySpan<byte> bytes)
    {
        Listener?.Hear(bytes);
        if (Kit.Switches.Any(each => each.Name == Kit.Echo) && IsOn(Kit.Echo))
            Speak(bytes, 0);
        if (_monitors.Length == 0)
            return;
        Interlocked.Add(ref _recorded, bytes.Length);
        // Tracks 1 and 2 play out of A, 3 and 4 out of B.
        for (var output = 0; output < 2; output++)
        {
            if (IsOn(Kit.Tracks[output * 2]) || IsOn(Kit.Tracks[output * 2 + 1]))
                Speak(bytes, output);
        }
    }

    private void Play(ReadOnlySpan<byte> bytes)
    {
        Speak(bytes, 0);
        // The keys of a synth sound by themselves while local control is on.
        if (Kit.Sounds && _local)
            Listener?.HearOwn(bytes);
    }

    private void Speak(ReadOnlySpan<byte> bytes, int output)
    {
        if (Kit.Unit is not { } unit)
            _outlets.ToJack(Kit.Key, "OUT", bytes);
        else if (unit.Ports.Where(port => port.Direction == PortDirection.Source).ElementAtOrDefault(output) is { } port)
            _outlets.ToHost(Kit.Key, port.Part, bytes);
    }

    private void Switch(ClockBox clock, string name, bool on)
    {
        switch (name)
        {
            case Kit.Running:
                Speak([on ? (byte)0xFA : (byte)0xFC], 0);
                clock.Run(on);
                break;
            case Kit.Drifting:
                clock.Drifts = on;
                break;
            case Kit.Dropping:
                clock.Drops = on;
                break;
            case Kit.Jumping:
                clock.Jumps = on;
                break;
        }
    }

    /// <summary>Plays the song of its own as far as the clock has come.</summary>
    private void Sing(SongPlace place)
    {
        var ends = !place.Runs || !IsOn(Kit.Song);
        if (!ends && (place.Next - 1) % PulsesAnEighth != 0)
            return;
        foreach (var (part, (channel, keys)) in Song.Index())
        {
            if (_sung[part] > 0)
                Play([(byte)(0x80 | channel.Index), _sung[part], 64]);
            _sung[part] = ends || place.Next == 0 ? (byte)0 : keys[(place.Next - 1) / PulsesAnEighth % keys.Length];
            if (_sung[part] > 0)
                Play([(byte)(0x90 | channel.Index), _sung[part], 90]);
        }
    }

    private int Track(string name) => Kit.Tracks.ToList().IndexOf(name);
}
