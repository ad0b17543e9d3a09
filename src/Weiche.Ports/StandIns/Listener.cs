using Weiche.Core.Midi;
using Weiche.Core.Studios;

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
    private readonly SortedDictionary<int, int> _held = [];
    private readonly HashSet<int> _ringing = [];
    private readonly BytePump _pump;
    private long _version;
    private bool _sustained;
    private int _program = 1;
    private int _bend;
    private int _modulation;
    private long _ignored;
    private Hearing? _last;

    /// <summary>A listener on a destination.</summary>
    /// <param name="junction">Where its bytes come from.</param>
    /// <param name="port">The destination it is.</param>
    /// <param name="channels">The channels it listens to.</param>
    public Listener(Junction junction, PortId port, ChannelSet channels)
    {
        _channels = channels;
        _parser = new StreamParser(_pool);
        _pump = new BytePump(Handle, () => junction.Resume(port));
        junction.Connect(port, _pump);
    }

    /// <summary>What it holds now. The same object as long as nothing has changed.</summary>
    public Hearing Hearing
    {
        get
        {
            lock (_gate)
            {
                if (_last?.Version == _version) return _last;
                return _last = new Hearing(
                    _version, [.. _held.Select(pair => (pair.Key, pair.Value))], _sustained, _program, _bend, _modulation, _ignored, _parser.Counts.ThrownBytes);
            }
        }
    }

    /// <inheritdoc/>
    public void Dispose() => _pump.Dispose();

    private void Handle(ReadOnlySpan<byte> bytes)
    {
        lock (_gate)
        {
            var sink = new Sink(this);
            _parser.Parse(bytes, ref sink);
            _version++;
        }
    }

    private void Take(in MidiMessage message)
    {
        if (!message.HasChannel) return;
        if (!_channels.Contains(Channel.FromIndex(message.ChannelIndex)))
        {
            _ignored++;
            return;
        }
        switch (message.Kind)
        {
            case MessageKind.Note when message.IsNoteOn:
                _held[message.Data1] = message.Data2;
                _ringing.Remove(message.Data1);
                break;
            case MessageKind.Note when _sustained:
                if (_held.ContainsKey(message.Data1)) _ringing.Add(message.Data1);
                break;
            case MessageKind.Note:
                _held.Remove(message.Data1);
                break;
            case MessageKind.ControlChange when message.Data1 == 1:
                _modulation = message.Data2;
                break;
            case MessageKind.ControlChange when message.Data1 == 64:
                _sustained = message.Data2 >= 64;
                if (!_sustained) StopRinging();
                break;
            case MessageKind.ChannelMode when message.Data1 == 120:
                _held.Clear();
                _ringing.Clear();
                break;
            case MessageKind.ChannelMode when message.Data1 == 123:
                foreach (var key in _held.Keys) _ringing.Add(key);
                if (!_sustained) StopRinging();
                break;
            case MessageKind.ProgramChange:
                _program = message.Data1 + 1;
                break;
            case MessageKind.PitchBend:
                _bend = message.BendValue;
                break;
        }
    }

    private void StopRinging()
    {
        foreach (var key in _ringing) _held.Remove(key);
        _ringing.Clear();
    }

    private readonly struct Sink(Listener listener) : IMessageSink
    {
        public void Accept(in MidiMessage message) => listener.Take(message);
    }
}
