using Weiche.Core.Live;
using Weiche.Core.Midi;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;
using Weiche.Core.Tests.Midi;

namespace Weiche.Core.Tests.Live;

/// <summary>An engine on a test bench: messages go in as bytes, and what comes out is read back from bytes.</summary>
internal sealed class Rig : IByteTaker
{
    private readonly Queue<PortId> _halfTaken = [];
    private readonly Dictionary<PortId, (StreamParser Parser, Collected Sink)> _readers = [];
    private readonly SysExPool _readPool = new();
    private readonly Dictionary<PortId, int> _seen = [];
    private readonly HashSet<PortId> _away = [];
    private long _now;

    public Rig(Studio studio, MessageTap? tap = null)
    {
        Studio = studio;
        Engine = new Engine(CompiledStudio.Compile(studio), tap: tap);
    }

    public Engine Engine { get; }

    public MidiTime Now => new(_now);

    /// <summary>Lets time pass, doing what is due on the way, each thing at its own moment.</summary>
    public void Wait(long microseconds)
    {
        var end = _now + microseconds;
        while (Engine.NextDue.Microseconds <= end)
        {
            _now = Math.Max(_now, Engine.NextDue.Microseconds);
            Engine.Tick(Now);
            Fetch();
        }
        _now = end;
    }

    public Studio Studio { get; private set; }

    public void Edit(StudioEdit edit) => Use(Studio.Must(edit));

    public void Use(Studio studio)
    {
        Studio = studio;
        Engine.Swap(Engine.Prepare(CompiledStudio.Compile(studio, Engine.Compiled)), new MidiTime(++_now));
        Fetch();
    }

    public void Enter(LineupId lineup)
    {
        Studio = Studio.In(lineup);
        Assert.True(Engine.Enter(lineup, new MidiTime(++_now)));
        Fetch();
    }

    public void Send(string from, params byte[] bytes) => Send(Studio.From(from), bytes);

    public void Send(PortId from, params byte[] bytes)
    {
        Engine.Receive(from, bytes, new MidiTime(++_now));
        Fetch();
    }

    public void Send(PortId from, in MidiMessage message) =>
        Send(from, Convert.FromHexString(MessageText.Hex(message).Replace(" ", "", StringComparison.Ordinal)));

    public void AllNotesOff()
    {
        Engine.AllNotesOff(new MidiTime(++_now));
        Fetch();
    }

    /// <summary>From now on nobody takes what is sent to a destination.</summary>
    public void Leave(PortId to)
    {
        _away.Add(to);
        Engine.Leave(to);
    }

    /// <summary>Somebody takes it again.</summary>
    public void Return(PortId to)
    {
        if (!_away.Remove(to))
            return;
        Engine.Return(to, new MidiTime(++_now));
        Fetch();
    }

    public void BreakOff(PortId from)
    {
        Engine.BreakOff(from, new MidiTime(++_now));
        Fetch();
    }

    /// <summary>Everything that arrived at a destination so far.</summary>
    public IReadOnlyList<string> At(string to) => At(Studio.To(to));

    public IReadOnlyList<string> At(PortId to) => _readers.TryGetValue(to, out var reader) ? reader.Sink.Texts : [];

    /// <summary>What arrived at a destination since this was last asked.</summary>
    public IReadOnlyList<string> NewAt(PortId to)
    {
        var all = At(to);
        var from = _seen.GetValueOrDefault(to);
        _seen[to] = all.Count;
        return all.Skip(from).ToList();
    }

    private void Fetch()
    {
        var rig = this;
        Engine.Drain(ref rig, Now);
        while (_halfTaken.TryDequeue(out var to))
            Engine.Drain(to, ref rig, Now);
        foreach (var (parser, _) in _readers.Values)
        {
            Assert.Equal(0, parser.Counts.ThrownBytes);
            Assert.False(parser.IsInsideMessage);
        }
    }

    int IByteTaker.Take(PortId destination, ReadOnlySpan<byte> bytes)
    {
        if (_away.Contains(destination))
            return IByteTaker.Away;
        if (!_readers.TryGetValue(destination, out var reader))
        {
            reader = (new StreamParser(_readPool), new Collected(_readPool));
            _readers.Add(destination, reader);
        }
        // A wire takes what it can: here one half, then the rest in halves.
        var part = Math.Max(1, bytes.Length / 2);
        reader.Parser.Parse(bytes[..part], ref reader.Sink);
        if (part < bytes.Length)
            _halfTaken.Enqueue(destination);
        return part;
    }
}
