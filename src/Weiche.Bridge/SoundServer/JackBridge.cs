using System.Diagnostics;
using System.Globalization;
using System.Runtime.InteropServices;
using System.Text;
using Weiche.Bridge.Shared;

namespace Weiche.Bridge.SoundServer;

/// <summary>The way to a sound server of the JACK API.</summary>
/// <remarks>
/// <para>The callback, on the server's own real-time thread, only copies: from the server's ports into the memory that Weiche reads, and
/// from there into the server's ports. It allocates nothing, holds no lock and waits for nobody.</para>
/// <para>Times: an event at frame f of a cycle is told as the cycle's beginning plus f. What goes out stands at the frame that lies one
/// period after its time, so what comes in and goes out again in the next cycle stands at the very frame at which it came, and what anybody
/// plays in between arrives one period later, without jitter.</para>
/// </remarks>
internal sealed unsafe class JackBridge : ISystemBridge
{
    private const string ClientName = "Weiche";

    // How long a callback may still look at ports that were taken away.
    private const int SettleMilliseconds = 20;
    private const int MostSettling = 50;
    private const int LongestEvent = 16 * 1024;

    // µs: how far a cycle may stray before the count begins anew, and how far it is followed at once; what is further off than the
    // system's clock is uneven, as when the server has just begun or has left a cycle out, is followed by a part.
    private const double MostStraying = 20_000;
    private const double Uneven = 300;
    private const double MostFollowed = 1;
    private const double Part = 1.0 / 32;

    private static JackBridge? _one;

    private readonly SharedLink _link;
    private readonly Action _changed;
    private readonly SortedDictionary<int, OwnPort> _ports = [];
    private readonly byte[] _bytes = GC.AllocateArray<byte>(LongestEvent, pinned: true);
    private LibJack.Client? _client;
    private Slot[] _slots = [];
    private long _cycles;
    private long _lost;
    private long _late;
    private volatile bool _isShut;
    private volatile bool _isNew;
    private long _told = -1;
    private string? _reason;
    private nint _handle;
    private uint _rate = 48_000;
    private long _offset;
    private uint _begun;
    private double _begin;

    private JackBridge(SharedLink link, Action changed) => (_link, _changed, _one) = (link, changed, this);

    /// <summary>A port of Weiche's own, as the callback sees it.</summary>
    private struct Slot
    {
        public nint Port;
        public int Id;
        public bool Hears;
        public void* Buffer;
        public uint Last;
    }

    private sealed record OwnPort(int Id, bool Hears, string Name)
    {
        internal nint Handle { get; set; }
    }

    /// <summary>The way to the sound server; null if the library is not there, or lacks a function that is needed.</summary>
    internal static JackBridge? TryMake(SharedLink link, Action changed)
    {
        if (!LibJack.TryLoad())
            return null;
        LibJack.SetError(&Hush);
        LibJack.SetInfo(&Hush);
        return new JackBridge(link, changed);
    }

    /// <inheritdoc/>
    public void TellAgain()
    {
        _isNew = true;
        Look();
    }

    /// <inheritdoc/>
    public void Look()
    {
        if (_isShut)
            Leave();
        if (_client is null)
            Enter();
        if (_client is null)
            return;
        if (_isNew)
        {
            _isNew = false;
            Tell();
        }
        var (lost, late) = (Volatile.Read(ref _lost), Volatile.Read(ref _late));
        if (lost + late == _told)
            return;
        _told = lost + late;
        Program.Say(string.Create(CultureInfo.InvariantCulture, $"figures {lost} {late}"));
    }

    /// <inheritdoc/>
    public void Dispose()
    {
        if (_client is { } client)
        {
            EndNotes();
            client.Dispose();
        }
        _client = null;
    }

    private void Enter()
    {
        var client = LibJack.Open(ClientName, LibJack.NoStartServer, out _);
        if (client.IsInvalid)
        {
            client.Dispose();
            Away("no sound server runs");
            return;
        }
        _client = client;
        _handle = client.DangerousGetHandle();
        (_isShut, _rate) = (false, LibJack.SampleRate(client));
        // Both count from the same moment on most systems; where they do not, this is what lies between.
        _offset = Stopwatch.GetTimestamp() / (Stopwatch.Frequency / 1_000_000) - (long)LibJack.Time();
        // What waited for a server that is gone is not played to the next.
        _link.Out.Clear();
        System.Runtime.CompilerServices.RuntimeHelpers.PrepareMethod(
            typeof(JackBridge)
                .GetMethod(nameof(Carry), System.Reflection.BindingFlags.NonPublic | System.Reflection.BindingFlags.Instance)!
                .MethodHandle
        );
        _ = LibJack.SetProcess(client, &Process, 0);
        LibJack.OnShutdown(client, &Shut, 0);
        _ = LibJack.SetConnected(client, &Connected, 0);
        _ = LibJack.SetRegistered(client, &Registered, 0);
        _ = LibJack.SetOrdered(client, &Ordered, 0);
        _ = LibJack.SetLate(client, &Late, 0);
        if (LibJack.Activate(client) != 0)
        {
            Leave();
            Away("the sound server refuses to let Weiche in", "refused");
            return;
        }
        _reason = null;
        Program.Say(string.Create(CultureInfo.InvariantCulture, $"here {Line.Word(Text(LibJack.NameOf(client)))} {_rate}"));
        foreach (var port in _ports.Values)
            Register(port);
        Place();
        _isNew = true;
    }

    private void Leave()
    {
        // The library's own threads end with it; a server that is dead answers nobody.
        Volatile.Write(ref _slots, []);
        _client?.Dispose();
        _client = null;
        foreach (var port in _ports.Values)
            port.Handle = 0;
        _isShut = false;
    }

    private void Away(string reason, string how = "gone")
    {
        if (_reason == reason)
            return;
        _reason = reason;
        Program.Say($"{how} {Line.Word(reason)}");
    }

    /// <inheritdoc/>
    public void Open(int id, bool hears, string name)
    {
        Close(id);
        var port = _ports[id] = new OwnPort(id, hears, name);
        if (_client is null)
            return;
        Register(port);
        Place();
        TellAgain();
    }

    /// <inheritdoc/>
    public void Rename(int id, string name)
    {
        if (!_ports.TryGetValue(id, out var port))
            return;
        _ports[id] = port with { Name = name, Handle = port.Handle };
        if (port.Handle != 0)
            _ = LibJack.Rename(_client!, port.Handle, name);
    }

    private void Register(OwnPort port)
    {
        // A name that another port of Weiche's has is told apart by a number.
        for (var number = 1; number <= 9 && port.Handle == 0; number++)
        {
            var name = number == 1 ? port.Name : string.Create(CultureInfo.InvariantCulture, $"{port.Name} {number}");
            port.Handle = LibJack.Register(_client!, name, LibJack.MidiType, port.Hears ? LibJack.IsInput : LibJack.IsOutput, 0);
        }
    }

    /// <inheritdoc/>
    public void Close(int id)
    {
        if (!_ports.Remove(id, out var port) || port.Handle == 0)
            return;
        Place();
        // The callback may be in the middle of it; a server that stands still has none.
        var before = Volatile.Read(ref _cycles);
        for (var i = 0; i < MostSettling && !_isShut && Volatile.Read(ref _cycles) - before < 2; i++)
            Thread.Sleep(SettleMilliseconds / 10);
        _ = LibJack.Unregister(_client!, port.Handle);
        TellAgain();
    }

    private void Place() =>
        Volatile.Write(
            ref _slots,
            [
                .. _ports
                    .Values.Where(port => port.Handle != 0)
                    .Select(port => new Slot
                    {
                        Port = port.Handle,
                        Id = port.Id,
                        Hears = port.Hears,
                    }),
            ]
        );

    /// <inheritdoc/>
    public void Connect(string from, string to, bool on)
    {
        if (_client is not { } client)
            return;
        fixed (
            byte* source = Named(from),
                destination = Named(to)
        )
        {
            _ = on ? LibJack.Connect(client, source, destination) : LibJack.Disconnect(client, source, destination);
        }
        TellAgain();
    }

    private static byte[] Named(string word) => [.. Line.Bytes(word), 0];

    /// <summary>Tells all ports and connections as they are.</summary>
    private void Tell()
    {
        var lines = new StringBuilder("list\n");
        var own = _ports.Values.Where(port => port.Handle != 0).ToDictionary(port => port.Handle, port => port.Id);
        var names = LibJack.Ports(_client!, null, LibJack.MidiType, 0);
        for (var i = 0; names is not null && names[i] is not null; i++)
        {
            var handle = LibJack.Find(_client!, names[i]);
            if (handle == 0)
                continue;
            var flags = (nuint)LibJack.FlagsOf(handle);
            var sends = (flags & LibJack.IsOutput) != 0;
            lines.Append(
                CultureInfo.InvariantCulture,
                $"port {Line.Word(Bytes(names[i]))} {(sends ? "source" : "destination")} {own.GetValueOrDefault(handle)} {((flags & LibJack.IsPhysical) != 0 ? "hardware" : "program")} {ClientAndName(handle, names[i])}\n"
            );
            if (!sends)
                continue;
            var far = LibJack.ConnectionsOf(_client!, handle);
            for (var j = 0; far is not null && far[j] is not null; j++)
                lines.Append(CultureInfo.InvariantCulture, $"cable {Line.Word(Bytes(names[i]))} {Line.Word(Bytes(far[j]))}\n");
            if (far is not null)
                LibJack.Free(far);
        }
        if (names is not null)
            LibJack.Free(names);
        Program.Say(lines.Append("done").ToString());
    }

    /// <summary>Whose a port is, and what that calls it. What stands behind a port of the server's own is told by its other name, if it has
    /// one.</summary>
    private static string ClientAndName(nint port, byte* name)
    {
        var alias = ((nuint)LibJack.FlagsOf(port) & LibJack.IsPhysical) != 0 ? AliasOf(port) : "%";
        if (alias != "%")
            return $"{alias} {Line.Word(Bytes(name))}";
        var whole = Bytes(name);
        var colon = whole.IndexOf((byte)':');
        return colon < 0 ? $"{Line.Word(whole)} %" : $"{Line.Word(whole[..colon])} {Line.Word(whole[(colon + 1)..])}";
    }

    private static string AliasOf(nint port)
    {
        const int Room = 512;
        byte* one = stackalloc byte[Room],
            other = stackalloc byte[Room];
        var both = stackalloc byte*[] { one, other };
        return LibJack.AliasesOf(port, both) > 0 ? Line.Word(Bytes(one)) : "%";
    }

    private static ReadOnlySpan<byte> Bytes(byte* text) => MemoryMarshal.CreateReadOnlySpanFromNullTerminated(text);

    private static string Text(byte* text) => Encoding.UTF8.GetString(Bytes(text));

    /// <summary>Weiche has gone without ending what sounds: whoever hears it ends it.</summary>
    private void EndNotes()
    {
        if (_isShut)
            return;
        Program.EndNotes(_link, _ports.Values.Where(port => !port.Hears).Select(port => port.Id));
        var before = Volatile.Read(ref _cycles);
        for (var i = 0; i < MostSettling && !_isShut && (_link.Out.Count > 0 || Volatile.Read(ref _cycles) - before < 2); i++)
            Thread.Sleep(SettleMilliseconds / 10);
    }

    /// <summary>One cycle of the server. On its real-time thread.</summary>
    private void Carry(uint frames)
    {
        var slots = Volatile.Read(ref _slots);
        uint begun;
        ulong now,
            next;
        float period;
        if (LibJack.CycleTimes(_handle, &begun, &now, &next, &period) != 0)
            (begun, now) = (_begun + frames, (ulong)(Stopwatch.GetTimestamp() / (Stopwatch.Frequency / 1_000_000) - _offset));
        var frame = 1e6 / _rate;
        var begin = BeginOf(begun, (long)now + _offset, frame);
        _link.Period = (int)(frames * frame);
        var any = false;
        for (var i = 0; i < slots.Length; i++)
        {
            ref var slot = ref slots[i];
            slot.Buffer = LibJack.Buffer(slot.Port, frames);
            slot.Last = 0;
            if (slot.Buffer is null || !slot.Hears)
                continue;
            var count = LibJack.Count(slot.Buffer);
            for (var each = 0u; each < count; each++)
            {
                LibJack.MidiEvent heard;
                if (LibJack.Get(&heard, slot.Buffer, each) != 0)
                    continue;
                if (
                    _link.In.TryWrite(
                        slot.Id,
                        (long)(begin + heard.Time * frame),
                        new ReadOnlySpan<byte>(heard.Bytes, (int)Math.Min(heard.Size, LongestEvent))
                    )
                )
                    any = true;
                else
                    _lost++;
            }
        }
        // Only now: where one of these ports is connected to another, what was sent in the last cycle is heard from the same buffer.
        foreach (ref var slot in slots.AsSpan())
        {
            if (!slot.Hears && slot.Buffer is not null)
                LibJack.Clear(slot.Buffer);
        }
        Send(slots, begin - frames * frame, frame, frames);
        // Only now: what answers at once is for the next cycle.
        if (any)
            _link.In.Wake();
        Volatile.Write(ref _cycles, _cycles + 1);
    }

    /// <summary>When a cycle begins. Frames are counted evenly, and what the system's clock says of them is followed slowly: from cycle to
    /// cycle the two differ by less than half a frame, so that a message leaves at the very frame at which it came.</summary>
    private double BeginOf(uint begun, long now, double frame)
    {
        var even = _begin + (int)(begun - _begun) * frame;
        var strays = now - even;
        _begun = begun;
        return _begin =
            Math.Abs(strays) > MostStraying
                ? now
                : even + (Math.Abs(strays) > Uneven ? strays * Part : Math.Clamp(strays, -MostFollowed, MostFollowed));
    }

    private void Send(Slot[] slots, double from, double frame, uint frames)
    {
        while (_link.Out.TryPeek(out var head))
        {
            var at = 0;
            while (at < slots.Length && slots[at].Id != head.Port)
                at++;
            // What goes to a port that was taken away, or is no event at all, is gone.
            if (at == slots.Length || slots[at].Hears || slots[at].Buffer is null || head.Length is 0 or > LongestEvent)
            {
                _link.Out.Take(head);
                continue;
            }
            ref var slot = ref slots[at];
            // Rounded to the nearest frame.
            var meant = (head.Time - from) / frame + 0.5;
            // A cycle that is run late sees what is for the next one already.
            if (meant >= frames && meant < 2.0 * frames)
                return;
            // Never before what went out already.
            var place = (uint)Math.Clamp(meant, slot.Last, frames - 1);
            _link.Out.Copy(head, _bytes);
            fixed (byte* bytes = _bytes)
            {
                // What has no room any more waits for the next cycle.
                if (LibJack.Write(slot.Buffer, place, bytes, (nuint)head.Length) != 0)
                {
                    if (slot.Last > 0 || LibJack.Count(slot.Buffer) > 0)
                        return;
                    _lost++;
                }
            }
            slot.Last = place;
            _link.Out.Take(head);
        }
    }

    [UnmanagedCallersOnly]
    private static int Process(uint frames, nint argument)
    {
        _one!.Carry(frames);
        return 0;
    }

    [UnmanagedCallersOnly]
    private static void Shut(int status, byte* reason, nint argument)
    {
        _one!._isShut = true;
        _one._changed();
    }

    [UnmanagedCallersOnly]
    private static void Connected(uint one, uint other, int isConnected, nint argument) => Changed();

    [UnmanagedCallersOnly]
    private static void Registered(uint port, int isRegistered, nint argument) => Changed();

    [UnmanagedCallersOnly]
    private static int Ordered(nint argument)
    {
        Changed();
        return 0;
    }

    [UnmanagedCallersOnly]
    private static int Late(nint argument)
    {
        Interlocked.Increment(ref _one!._late);
        return 0;
    }

    [UnmanagedCallersOnly]
    private static void Hush(byte* text) { }

    private static void Changed()
    {
        if (_one!._isNew)
            return;
        _one._isNew = true;
        _one._changed();
    }
}
