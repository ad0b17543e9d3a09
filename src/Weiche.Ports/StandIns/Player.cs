using Weiche.Core.Midi;

namespace Weiche.Ports.StandIns;

/// <summary>
/// The part of a stand-in that is played: keys, pads or pedals, fingers on a surface, faders, wheels, breath, sustain.
/// Several may play it at once (two browser windows, say), as several hands on one keyboard: a key sounds until the last
/// hand lets go.
/// </summary>
public sealed class Player : IDisposable
{
    // The standard asks for a message at least every 300 ms (MIDI 1.0 Detailed Specification, "Active Sensing").
    private static readonly TimeSpan SensingInterval = TimeSpan.FromMilliseconds(270);

    // A finger on a surface slides sharp by a semitone in this many steps of the bend (MPE 1.1: 48 semitones each way).
    private const double BendOfSemitone = 8192.0 / 48;
    private const int Slide = 74;
    private const int Brightest = 127;

    private readonly Lock _gate = new();
    private readonly BytesOut _out;
    private readonly Channel _channel;
    private readonly MessageWriter _writer = new(new SysExPool(1, 1));
    private readonly Dictionary<int, HashSet<string>> _down = [];
    private readonly Dictionary<string, (int Channel, int Key)> _fingers = [];
    private readonly HashSet<string> _sustaining = [];
    private readonly ITimer? _sensing;
    private int _nextMember;

    /// <summary>A player.</summary>
    /// <param name="bytesOut">Where its bytes go.</param>
    /// <param name="channel">The channel it sends on.</param>
    /// <param name="lowest">Its lowest key, 0 to 127.</param>
    /// <param name="highest">Its highest key, 0 to 127.</param>
    /// <param name="sensing">Where the time comes from for active sensing; null to send none.</param>
    public Player(BytesOut bytesOut, Channel channel, int lowest, int highest, TimeProvider? sensing = null)
    {
        _out = bytesOut;
        _channel = channel;
        Lowest = lowest;
        Highest = highest;
        _sensing = sensing?.CreateTimer(_ => Send(MidiMessage.ActiveSensing), null, SensingInterval, SensingInterval);
    }

    /// <summary>Its lowest key.</summary>
    public int Lowest { get; }

    /// <summary>Its highest key.</summary>
    public int Highest { get; }

    /// <summary>Whether each finger has a channel of its own, 2 to 16 (MPE 1.1, a lower zone of 15 members).</summary>
    public bool IsSurface { get; init; }

    /// <summary>Presses a key. A key that this hand holds already stays as it is.</summary>
    /// <param name="hand">Who presses it.</param>
    /// <param name="key">The key; one that the stand-in does not have is left alone.</param>
    /// <param name="velocity">How hard; brought between 1 and 127.</param>
    public void Press(string hand, int key, int velocity)
    {
        if (key < Lowest || key > Highest)
            return;
        if (IsSurface)
        {
            Touch(hand, key, key, velocity, 64);
            return;
        }
        lock (_gate)
        {
            if (!_down.TryGetValue(key, out var hands))
                _down.Add(key, hands = []);
            if (hands.Add(hand) && hands.Count == 1)
                Send(MidiMessage.NoteOn(_channel, key, Math.Clamp(velocity, 1, 127)));
        }
    }

    /// <summary>Lets a key go.</summary>
    /// <param name="hand">Who pressed it.</param>
    /// <param name="key">The key.</param>
    public void Release(string hand, int key)
    {
        if (IsSurface)
        {
            Lift(hand, key);
            return;
        }
        lock (_gate)
        {
            if (!_down.TryGetValue(key, out var hands) || !hands.Remove(hand) || hands.Count > 0)
                return;
            _down.Remove(key);
            Send(MidiMessage.NoteOff(_channel, key));
        }
    }

    /// <summary>Sets a finger down on the surface, or moves it there.</summary>
    /// <param name="hand">Whose hand.</param>
    /// <param name="finger">Which finger.</param>
    /// <param name="key">Where along the keys, in semitones, with the part of a semitone that it is sharp.</param>
    /// <param name="pressure">How hard it presses, 0 to 127; brought into range.</param>
    /// <param name="slide">Where across, 0 to 127; brought into range.</param>
    public void Touch(string hand, int finger, double key, int pressure, int slide)
    {
        if (!IsSurface || double.IsNaN(key) || key < Lowest - 1 || key > Highest + 1)
            return;
        lock (_gate)
        {
            var name = FingerName(hand, finger);
            var isNew = !_fingers.TryGetValue(name, out var touched);
            if (isNew)
            {
                if (_fingers.Count == Channel.Count - 1)
                    return;
                touched = (FreeMember(), Math.Clamp((int)Math.Round(key), Lowest, Highest));
                _fingers.Add(name, touched);
            }
            var channel = Channel.FromIndex(touched.Channel);
            // MPE 1.1, section 2.3: what a finger is like is sent before its note.
            Send(MidiMessage.PitchBend(channel, (int)Math.Clamp((key - touched.Key) * BendOfSemitone, -8192, 8191)));
            Send(MidiMessage.ControlChange(channel, Slide, Math.Clamp(slide, 0, Brightest)));
            if (isNew)
                Send(MidiMessage.NoteOn(channel, touched.Key, Math.Clamp(pressure, 1, 127)));
            Send(MidiMessage.ChannelPressure(channel, Math.Clamp(pressure, 0, 127)));
        }
    }

    /// <summary>Lifts a finger off the surface.</summary>
    /// <param name="hand">Whose hand.</param>
    /// <param name="finger">Which finger.</param>
    public void Lift(string hand, int finger)
    {
        lock (_gate)
            Lift(FingerName(hand, finger));
    }

    /// <summary>Moves the bend wheel.</summary>
    /// <param name="bend">−8192 to 8191; brought into range.</param>
    public void Bend(int bend)
    {
        lock (_gate)
            Send(MidiMessage.PitchBend(_channel, Math.Clamp(bend, -8192, 8191)));
    }

    /// <summary>Moves the modulation wheel.</summary>
    /// <param name="value">0 to 127; brought into range.</param>
    public void Modulate(int value) => Control(1, value);

    /// <summary>Moves a fader or knob.</summary>
    /// <param name="controller">The controller it sends, 0 to 119; any other is left alone.</param>
    /// <param name="value">0 to 127; brought into range.</param>
    public void Control(int controller, int value)
    {
        if (controller is < 0 or > 119)
            return;
        lock (_gate)
            Send(MidiMessage.ControlChange(_channel, controller, Math.Clamp(value, 0, 127)));
    }

    /// <summary>Chooses a program, as a button at the device does.</summary>
    /// <param name="program">0 to 127; any other is left alone.</param>
    public void Program(int program)
    {
        if (program is < 0 or > 127)
            return;
        lock (_gate)
            Send(MidiMessage.ProgramChange(_channel, program));
    }

    /// <summary>Blows, or presses all keys harder: controller 2 and the channel pressure.</summary>
    /// <param name="value">0 to 127; brought into range.</param>
    public void Blow(int value)
    {
        value = Math.Clamp(value, 0, 127);
        lock (_gate)
        {
            Send(MidiMessage.ControlChange(_channel, 2, value));
            Send(MidiMessage.ChannelPressure(_channel, value));
        }
    }

    /// <summary>Presses the sustain pedal or lets it up.</summary>
    /// <param name="hand">Whose foot.</param>
    /// <param name="down">Whether it goes down.</param>
    public void Sustain(string hand, bool down)
    {
        lock (_gate)
        {
            var before = _sustaining.Count > 0;
            if (down)
                _sustaining.Add(hand);
            else
                _sustaining.Remove(hand);
            var after = _sustaining.Count > 0;
            if (before != after)
                Send(MidiMessage.ControlChange(_channel, 64, after ? 127 : 0));
        }
    }

    /// <summary>Lets go of everything that a hand holds.</summary>
    /// <param name="hand">Whose hand.</param>
    public void LetGo(string hand)
    {
        lock (_gate)
        {
            foreach (var key in _down.Keys.ToList())
                Release(hand, key);
            foreach (var finger in _fingers.Keys.Where(name => name.StartsWith(hand + " ", StringComparison.Ordinal)).ToList())
                Lift(finger);
            Sustain(hand, false);
        }
    }

    /// <summary>Sends bytes as they are, as a device out of its mind might.</summary>
    /// <param name="bytes">Any bytes.</param>
    public void SendRaw(ReadOnlySpan<byte> bytes)
    {
        lock (_gate)
        {
            _out(bytes);
            _writer.Reset();
        }
    }

    /// <inheritdoc/>
    public void Dispose() => _sensing?.Dispose();

    private static string FingerName(string hand, int finger) =>
        string.Create(System.Globalization.CultureInfo.InvariantCulture, $"{hand} {finger}");

    /// <summary>The member channel that has rested longest, 1 to 15 as the wire carries it.</summary>
    private int FreeMember()
    {
        var taken = _fingers.Values.Select(finger => finger.Channel).ToHashSet();
        do _nextMember = _nextMember % (Channel.Count - 1) + 1;
        while (taken.Contains(_nextMember));
        return _nextMember;
    }

    private void Lift(string finger)
    {
        if (!_fingers.Remove(finger, out var touched))
            return;
        Send(MidiMessage.NoteOff(Channel.FromIndex(touched.Channel), touched.Key));
    }

    private void Send(in MidiMessage message)
    {
        lock (_gate)
        {
            Span<byte> bytes = stackalloc byte[MessageWriter.MaxShortLength];
            _writer.TryWrite(message, bytes, out var written);
            _out(bytes[..written]);
        }
    }
}
