using Weiche.Core.Midi;
using Weiche.Core.Studios;

namespace Weiche.Ports.StandIns;

/// <summary>
/// The part of a stand-in that is played: keys or pedals, bend, modulation and sustain. Several may play it at once
/// (two browser windows, say), as several hands on one keyboard: a key sounds until the last hand lets go.
/// </summary>
public sealed class Player : IDisposable
{
    // The standard asks for a message at least every 300 ms (MIDI 1.0 Detailed Specification, "Active Sensing").
    private static readonly TimeSpan SensingInterval = TimeSpan.FromMilliseconds(270);

    private readonly Lock _gate = new();
    private readonly Junction _junction;
    private readonly PortId _port;
    private readonly Channel _channel;
    private readonly MessageWriter _writer = new(new SysExPool(1, 1));
    private readonly Dictionary<int, HashSet<string>> _down = [];
    private readonly HashSet<string> _sustaining = [];
    private readonly ITimer? _sensing;

    /// <summary>A player on a source.</summary>
    /// <param name="junction">Where its bytes go.</param>
    /// <param name="port">The source it is.</param>
    /// <param name="channel">The channel it sends on.</param>
    /// <param name="lowest">Its lowest key, 0 to 127.</param>
    /// <param name="highest">Its highest key, 0 to 127.</param>
    /// <param name="sensing">Where the time comes from for active sensing; null to send none.</param>
    public Player(Junction junction, PortId port, Channel channel, int lowest, int highest, TimeProvider? sensing = null)
    {
        _junction = junction;
        _port = port;
        _channel = channel;
        Lowest = lowest;
        Highest = highest;
        _sensing = sensing?.CreateTimer(_ => Send(MidiMessage.ActiveSensing), null, SensingInterval, SensingInterval);
    }

    /// <summary>Its lowest key.</summary>
    public int Lowest { get; }

    /// <summary>Its highest key.</summary>
    public int Highest { get; }

    /// <summary>Presses a key. A key that this hand holds already stays as it is.</summary>
    /// <param name="hand">Who presses it.</param>
    /// <param name="key">The key; one that the stand-in does not have is left alone.</param>
    /// <param name="velocity">How hard; brought between 1 and 127.</param>
    public void Press(string hand, int key, int velocity)
    {
        if (key < Lowest || key > Highest) return;
        lock (_gate)
        {
            if (!_down.TryGetValue(key, out var hands)) _down.Add(key, hands = []);
            if (hands.Add(hand) && hands.Count == 1) Send(MidiMessage.NoteOn(_channel, key, Math.Clamp(velocity, 1, 127)));
        }
    }

    /// <summary>Lets a key go.</summary>
    /// <param name="hand">Who pressed it.</param>
    /// <param name="key">The key.</param>
    public void Release(string hand, int key)
    {
        lock (_gate)
        {
            if (!_down.TryGetValue(key, out var hands) || !hands.Remove(hand) || hands.Count > 0) return;
            _down.Remove(key);
            Send(MidiMessage.NoteOff(_channel, key));
        }
    }

    /// <summary>Moves the bend wheel.</summary>
    /// <param name="bend">−8192 to 8191; brought into range.</param>
    public void Bend(int bend)
    {
        lock (_gate) Send(MidiMessage.PitchBend(_channel, Math.Clamp(bend, -8192, 8191)));
    }

    /// <summary>Moves the modulation wheel.</summary>
    /// <param name="value">0 to 127; brought into range.</param>
    public void Modulate(int value)
    {
        lock (_gate) Send(MidiMessage.ControlChange(_channel, 1, Math.Clamp(value, 0, 127)));
    }

    /// <summary>Presses the sustain pedal or lets it up.</summary>
    /// <param name="hand">Whose foot.</param>
    /// <param name="down">Whether it goes down.</param>
    public void Sustain(string hand, bool down)
    {
        lock (_gate)
        {
            var before = _sustaining.Count > 0;
            if (down) _sustaining.Add(hand);
            else _sustaining.Remove(hand);
            var after = _sustaining.Count > 0;
            if (before != after) Send(MidiMessage.ControlChange(_channel, 64, after ? 127 : 0));
        }
    }

    /// <summary>Lets go of everything that a hand holds.</summary>
    /// <param name="hand">Whose hand.</param>
    public void LetGo(string hand)
    {
        lock (_gate)
        {
            foreach (var key in _down.Keys.ToList()) Release(hand, key);
            Sustain(hand, false);
        }
    }

    /// <summary>Sends bytes as they are, as a device out of its mind might.</summary>
    /// <param name="bytes">Any bytes.</param>
    public void SendRaw(ReadOnlySpan<byte> bytes)
    {
        lock (_gate)
        {
            _junction.Receive(_port, bytes);
            _writer.Reset();
        }
    }

    /// <inheritdoc/>
    public void Dispose() => _sensing?.Dispose();

    private void Send(in MidiMessage message)
    {
        lock (_gate)
        {
            Span<byte> bytes = stackalloc byte[MessageWriter.MaxShortLength];
            _writer.TryWrite(message, bytes, out var written);
            _junction.Receive(_port, bytes[..written]);
        }
    }
}
