using Weiche.Core.Midi;
using Weiche.Core.Sets;

namespace Weiche.Ports.StandIns;

/// <summary>
/// The part of a stand-in that listens: it parses the bytes that reach it, as a device would, and knows what it
/// holds.
/// </summary>
public sealed class Listener : IDisposable
{
    private readonly Lock _gate = new();
    private readonly ChannelSet _channels;
    private readonly SysExPool _pool = new(1 << 16, 1 << 18);
    private readonly StreamParser _parser;
    private readonly StreamParser _own;
    private readonly SortedDictionary<(int Channel, int Key), int> _held = [];
    private readonly HashSet<(int Channel, int Key)> _ringing = [];
    private readonly int[] _programs = new int[Channel.Count];
    private long _version;
    private ushort _sustained;
    private int _bend;
    private int _modulation;
    private long _ignored;
    private SongPlace _song;
    private bool _changed;
    private Heard? _last;

    /// <summary>A listener.</summary>
    /// <param name="channels">The channels it listens to.</param>
    public Listener(ChannelSet channels)
    {
        _channels = channels;
        _parser = new StreamParser(_pool);
        _own = new StreamParser(_pool);
        Array.Fill(_programs, 1);
    }

    /// <summary>What it does when it is asked who it is; null if it does not answer.</summary>
    public Action? Asked { get; init; }

    /// <summary>Is told when local control (controller 122) is switched.</summary>
    public Action<bool>? LocalSwitched { get; init; }

    /// <summary>Is told where in the song it is, if it follows a clock.</summary>
    internal Action<SongPlace>? Moved { get; init; }

    /// <summary>What it holds now. The same object as long as nothing has changed.</summary>
    public Heard Heard
    {
        get
        {
            lock (_gate)
            {
                if (_last?.Version == _version)
                    return _last;
                return _last = new Heard(
                    _version,
                    [.. _held.Select(pair => (pair.Key.Channel + 1, pair.Key.Key, pair.Value))],
                    _sustained != 0,
                    [.. _programs],
                    _bend,
                    _modulation,
                    _ignored,
                    _parser.Counts.ThrownBytes,
                    _song.Beat
                );
            }
        }
    }

    /// <inheritdoc/>
    public void Dispose()
    {
        lock (_gate)
        {
            _held.Clear();
            _ringing.Clear();
        }
    }

    /// <summary>Takes bytes that reach it.</summary>
    /// <param name="bytes">The bytes.</param>
    public void Hear(ReadOnlySpan<byte> bytes)
    {
        bool asked;
        SongPlace before,
            now;
        lock (_gate)
        {
            (_asked, _changed, before) = (false, false, _song);
            var sink = new Sink(this);
            _parser.Parse(bytes, ref sink);
            if (_changed)
                _version++;
            (asked, now) = (_asked, _song);
        }
        if (asked)
            Asked?.Invoke();
        if (Moved is { } moved && (now.Runs != before.Runs || now.Next != before.Next))
            moved(now);
    }

    /// <summary>Takes what its own keys send, while local control is on.</summary>
    /// <param name="bytes">The bytes.</param>
    public void HearOwn(ReadOnlySpan<byte> bytes)
    {
        lock (_gate)
        {
            var sink = new Sink(this);
            _own.Parse(bytes, ref sink);
            _version++;
        }
    }

    private bool _asked;

    private void Take(in MidiMessage message)
    {
        if (message.SysExHandle != 0)
            _asked |= DeviceIdentity.IsRequest(_pool.Bytes(message.SysExHandle));
        if (!message.HasChannel && message.SysExHandle == 0)
        {
            _changed |= _song.Hear(message);
            return;
        }
        _changed = true;
        if (!message.HasChannel)
            return;
        if (!_channels.Contains(Channel.FromIndex(message.ChannelIndex)))
        {
            _ignored++;
            return;
        }
        var channel = message.ChannelIndex;
        var key = (channel, (int)message.Data1);
        var sustained = (_sustained >> channel & 1) != 0;
        switch (message.Kind)
        {
            case MessageKind.Note when message.IsNoteOn:
                _held[key] = message.Data2;
                _ringing.Remove(key);
                break;
            case MessageKind.Note when sustained:
                if (_held.ContainsKey(key))
                    _ringing.Add(key);
                break;
            case MessageKind.Note:
                _held.Remove(key);
                break;
            case MessageKind.ControlChange when message.Data1 == 1:
                _modulation = message.Data2;
                break;
            case MessageKind.ControlChange when message.Data1 == 64:
                _sustained = (ushort)(message.Data2 >= 64 ? _sustained | 1 << channel : _sustained & ~(1 << channel));
                if (message.Data2 < 64)
                    StopRinging(channel);
                break;
            case MessageKind.ChannelMode when message.Data1 == 120:
                foreach (var sounding in _held.Keys.Where(each => each.Channel == channel).ToList())
                    _held.Remove(sounding);
                _ringing.RemoveWhere(each => each.Channel == channel);
                break;
            case MessageKind.ChannelMode when message.Data1 == 122:
                LocalSwitched?.Invoke(message.Data2 >= 64);
                break;
            case MessageKind.ChannelMode when message.Data1 == 123:
                foreach (var sounding in _held.Keys.Where(each => each.Channel == channel))
                    _ringing.Add(sounding);
                if (!sustained)
                    StopRinging(channel);
                break;
            case MessageKind.ProgramChange:
                _programs[channel] = message.Data1 + 1;
                break;
            case MessageKind.PitchBend:
                _bend = message.BendValue;
                break;
        }
    }

    private void StopRinging(int channel)
    {
        foreach (var key in _ringing.Where(each => each.Channel == channel).ToList())
        {
            _held.Remove(key);
            _ringing.Remove(key);
        }
    }

    private readonly struct Sink(Listener listener) : IMessageSink
    {
        public void Accept(in MidiMessage message) => listener.Take(message);
    }
}
