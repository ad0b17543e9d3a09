using System.Collections.Immutable;
using System.Security.Cryptography;
using Weiche.Core.Midi;
using Weiche.Core.Studios;
using Weiche.Ports.Carrying;

namespace Weiche.Ports;

/// <summary>What came of asking who is there.</summary>
/// <param name="Asked">The destinations that were asked.</param>
/// <param name="Replies">The replies, each once.</param>
/// <param name="Unreadable">How many replies could not be read.</param>
/// <param name="At">When.</param>
public sealed record Inquiry(ImmutableArray<PortId> Asked, ImmutableArray<IdentityReply> Replies, int Unreadable, DateTimeOffset At);

/// <summary>What came of sounding.</summary>
/// <param name="Sounded">The destinations.</param>
/// <param name="Ways">The ways back, each once.</param>
/// <param name="At">When.</param>
public sealed record Soundings(ImmutableArray<PortId> Sounded, ImmutableArray<WayBack> Ways, DateTimeOffset At);

/// <summary>
/// Asks the room: who is there, what comes back, and does it sound. One question at a time; each waits for its answers
/// before the next is put, so that an answer is to the question before it.
/// </summary>
/// <remarks>A sounding is a system exclusive with the non-commercial id 7D, two letters and a random payload. The engine
/// keeps whatever begins so, so that none ever runs in circles. It may be asked from any thread; the answers come on the carriers' and wait
/// for nobody.</remarks>
public sealed class Scout : IDisposable
{
    /// <summary>How long an answer is waited for.</summary>
    public static readonly TimeSpan Patience = TimeSpan.FromMilliseconds(150);

    private const int Payload = 8;
    private static readonly TimeSpan TestNote = TimeSpan.FromMilliseconds(600);

    private readonly Lock _gate = new();
    private readonly SemaphoreSlim _oneAtATime = new(1, 1);
    private readonly Junction _junction;
    private readonly TimeProvider _time;
    private readonly List<IdentityReply> _replies = [];
    private readonly List<WayBack> _ways = [];
    private readonly byte[] _payload = new byte[Payload];
    private readonly Answers _answers = new();
    private int _asking;
    private PortId _sounding;
    private MidiTime _sent;
    private int _unreadable;

    /// <summary>A scout.</summary>
    /// <param name="junction">Where the ports meet.</param>
    /// <param name="time">Where the time comes from.</param>
    public Scout(Junction junction, TimeProvider time)
    {
        _junction = junction;
        _time = time;
        junction.Watch(Keep);
    }

    /// <summary>What came of the last inquiry, or null.</summary>
    public Inquiry? LastInquiry { get; private set; }

    /// <summary>What came of the last soundings, or null.</summary>
    public Soundings? LastSoundings { get; private set; }

    /// <summary>Forgets what came of both.</summary>
    public void Forget() => (LastInquiry, LastSoundings) = (null, null);

    /// <summary>Asks destinations who is there.</summary>
    /// <param name="destinations">The destinations.</param>
    public async Task<Inquiry> AskAsync(IEnumerable<PortId> destinations)
    {
        await _oneAtATime.WaitAsync();
        try
        {
            PortId[] asked = [.. destinations];
            lock (_gate)
            {
                _replies.Clear();
                _unreadable = 0;
            }
            foreach (var destination in asked)
            {
                lock (_gate)
                    Volatile.Write(ref _asking, destination.Value);
                _junction.Send(destination, DeviceIdentity.Request);
                await Task.Delay(Patience, _time);
                lock (_gate)
                    Read();
            }
            lock (_gate)
            {
                Volatile.Write(ref _asking, 0);
                return LastInquiry = new Inquiry([.. asked], [.. _replies], _unreadable, _time.GetUtcNow());
            }
        }
        finally
        {
            _oneAtATime.Release();
        }
    }

    /// <summary>Sounds destinations: learns which sources return what is sent there.</summary>
    /// <param name="destinations">The destinations.</param>
    public async Task<Soundings> SoundAsync(IEnumerable<PortId> destinations)
    {
        await _oneAtATime.WaitAsync();
        try
        {
            PortId[] sounded = [.. destinations];
            lock (_gate)
                _ways.Clear();
            foreach (var destination in sounded)
            {
                byte[] message;
                lock (_gate)
                {
                    RandomNumberGenerator.Fill(_payload);
                    for (var i = 0; i < Payload; i++)
                        _payload[i] &= 0x7F;
                    message = [0xF0, 0x7D, (byte)'W', (byte)'S', .. _payload, 0xF7];
                    _sounding = destination;
                    _sent = _junction.Clock.Now;
                }
                _junction.Send(destination, message);
                await Task.Delay(Patience, _time);
                lock (_gate)
                    Read();
            }
            lock (_gate)
            {
                _sounding = default;
                return LastSoundings = new Soundings([.. sounded], [.. _ways], _time.GetUtcNow());
            }
        }
        finally
        {
            _oneAtATime.Release();
        }
    }

    /// <summary>Sends a note to a destination and ends it.</summary>
    /// <param name="destination">The destination.</param>
    /// <param name="channel">The channel.</param>
    /// <param name="key">The key, 0 to 127.</param>
    public async Task PlayAsync(PortId destination, Channel channel, int key)
    {
        _junction.Send(destination, [(byte)(0x90 | channel.Index), (byte)key, 96]);
        try
        {
            await Task.Delay(TestNote, _time);
        }
        finally
        {
            _junction.Send(destination, [(byte)(0x80 | channel.Index), (byte)key, 64]);
        }
    }

    /// <inheritdoc/>
    public void Dispose()
    {
        _junction.Watch(null);
        _oneAtATime.Dispose();
    }

    /// <summary>Keeps what is an answer to a question of Weiche's own. It is called while messages are carried: it only writes down what
    /// came.</summary>
    private bool Keep(PortId source, ReadOnlySpan<byte> body)
    {
        var isSounding = body.Length == Payload + 3 && body.StartsWith("}WS"u8);
        var isReply =
            !isSounding && body.Length >= 4 && body[0] == 0x7E && body[2] == 0x06 && body[3] == 0x02 && Volatile.Read(ref _asking) != 0;
        if (isSounding || isReply)
            _answers.Write(source, body, _junction.Clock.Now);
        return isSounding || isReply;
    }

    /// <summary>Reads the answers that came since the last time. Under the gate.</summary>
    private void Read()
    {
        foreach (var (source, body, time) in _answers.ReadNew())
        {
            if (body[0] == 0x7E)
            {
                if (!DeviceIdentity.TryRead(body, out var identity))
                    _unreadable++;
                else if (!_replies.Exists(reply => reply.From == source && reply.Identity == identity))
                    _replies.Add(new IdentityReply(new PortId(_asking), source, identity));
            }
            else if (
                _sounding != default
                && body.AsSpan(3).SequenceEqual(_payload)
                && !_ways.Exists(way => way.To == _sounding && way.From == source)
            )
            {
                _ways.Add(new WayBack(_sounding, source, time - _sent));
            }
        }
    }
}
