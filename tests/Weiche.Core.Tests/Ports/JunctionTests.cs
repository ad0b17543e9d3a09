using Weiche.Core.Midi;
using Weiche.Core.Pulse;
using Weiche.Core.Sets;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;
using Weiche.Ports;
using Weiche.Ports.Carrying;
using Weiche.Ports.Raw;
using Weiche.Ports.StandIns;
using static Weiche.Core.Tests.Rooms;

namespace Weiche.Core.Tests.Ports;

public class JunctionTests
{
    private static readonly StudioClock Clock = new(TimeProvider.System);

    [Fact]
    public async Task A_pump_hands_over_every_byte_in_order_and_never_holds_more_than_its_bound()
    {
        var got = new List<byte>();
        using var gate = new SemaphoreSlim(0);
        using var ready = new SemaphoreSlim(0);
        var pump = new BytePump(
            bytes =>
            {
                gate.Wait();
                got.AddRange(bytes);
                gate.Release();
            },
            () => ready.Release()
        );
        var sent = new List<byte>();
        for (var taken = 1; taken > 0;)
        {
            byte[] piece = [.. Enumerable.Range(0, 1000).Select(i => (byte)(sent.Count + i))];
            taken = pump.Send(piece);
            sent.AddRange(piece[..taken]);
        }
        Assert.Equal(BytePump.Capacity, sent.Count);
        gate.Release();
        await ready.WaitAsync();
        Assert.Equal(3, pump.Send([1, 2, 3]));
        pump.Dispose();
        await pump.Finished;
        Assert.Equal([.. sent, 1, 2, 3], got);
    }

    [Fact]
    public async Task The_clock_is_due_on_the_beat_however_late_the_thread_is_and_earlier_where_everything_arrives_later()
    {
        var studio = Of("near", "program", "inside", "end").Lay("inside", "end");
        studio = studio.Must(new SetMaster(ClockMaster.Own)).Must(new SetTempo(Tempo.Nearest(250)));
        var delay = MidiSpan.FromMilliseconds(21);
        foreach (var name in (string[])["near", "program", "inside"])
            studio = studio.Must(new SetFollower(new Follower(studio.To(name), ClockForm.Steadied, false, MidiSpan.Zero)));
        using var junction = new Junction(studio, Clock);
        var sinks = new Dictionary<string, DueSink>();
        foreach (var name in (string[])["near", "program", "inside"])
            junction.Connect(studio.To(name), sinks[name] = new DueSink(junction));
        foreach (var name in (string[])["program", "inside"])
            junction.Delay(studio.To(name), delay);
        // The first ones were handed out before anybody said so.
        await Until(() => sinks["near"].Count > 100 && sinks["inside"].Count > 100);
        // A thread that is late by more than a pulse hands out two at once, at the time of the first.
        var beat = sinks["near"].Dues[20];
        Assert.All(sinks["near"].Dues.Skip(20), due => Assert.Equal(0, Off(due)));
        // The beat is the same one, handed out earlier by as much as everything arrives later; not where routes lead on inside.
        Assert.All(sinks["program"].Dues.Skip(20), due => Assert.Equal(0, Off(due + delay)));
        Assert.All(sinks["inside"].Dues.Skip(20), due => Assert.Equal(0, Off(due)));

        // µs off the grid of the beat, which is even to one.
        long Off(MidiTime due)
        {
            var off = Math.Abs((due - beat).Microseconds) % 10_000;
            return Math.Min(off, 10_000 - off) <= 1 ? 0 : off;
        }
    }

    [Fact]
    public async Task What_a_virtual_port_is_sent_comes_out_of_it_byte_for_byte_even_when_it_was_full()
    {
        var studio = Of("first", "second").Lay("first", "second");
        var junction = new Junction(studio, Clock);
        using var park = Park.Of(junction, TimeProvider.System);
        park.Match(studio);
        var slow = new SlowSink();
        studio = studio.Must(new AddVirtualPort("end")).Lay("second", "end");
        junction.Swap(junction.Prepare(studio));
        junction.Connect(studio.To("end"), slow);
        var expected = new List<byte>();
        for (var i = 0; i < 4000; i++)
        {
            byte[] bend = [0xE0, (byte)(i & 127), (byte)(i >> 7 & 127)];
            expected.AddRange(bend);
            junction.Receive(studio.From("first"), bend);
        }
        for (var i = 0; i < 5000 && slow.Bytes.Count < expected.Count; i++)
        {
            slow.Room += 7;
            junction.Resume(studio.To("end"));
            if (i % 50 == 0)
                await Task.Delay(1);
        }
        Assert.Equal(expected, slow.Bytes);
    }

    [Theory]
    [InlineData(1, true)]
    [InlineData(7, true)]
    [InlineData(20, false)]
    public async Task Who_brings_a_message_carries_it_through_virtual_ports_but_not_without_end(int ports, bool byItself)
    {
        // Those that were made last come first: each is one more round.
        string[] names = [.. Enumerable.Range(0, ports + 1).Select(i => $"p{i}").Reverse()];
        var studio = Of([.. names.Reverse()]);
        for (var i = 0; i < ports; i++)
            studio = studio.Lay(names[i], names[i + 1]);
        studio = studio.Must(new AddVirtualPort("end")).Lay(names[^1], "end");
        using var junction = new Junction(studio, Clock);
        using var park = Park.Of(junction, TimeProvider.System);
        park.Match(studio);
        var end = new SlowSink { Room = int.MaxValue };
        junction.Connect(studio.To("end"), end);
        var there = 0;
        var bringer = new Thread(() =>
        {
            Urgent.Become(asks: false);
            junction.Receive(studio.From(names[0]), [0xE0, 1, 2]);
            there = end.Bytes.Count;
        });
        bringer.Start();
        bringer.Join();
        if (byItself)
            Assert.Equal((3, bringer.ManagedThreadId), (there, end.Thread));
        await Until(() => end.Bytes.Count == 3);
        Assert.Equal([0xE0, 1, 2], end.Bytes);
        Assert.Equal(byItself, end.Thread == bringer.ManagedThreadId);
    }

    [Fact]
    public void Bytes_for_a_destination_with_nothing_connected_are_gone()
    {
        var studio = Of("a", "b").Lay("a", "b");
        var junction = new Junction(studio, Clock);
        for (var i = 0; i < 20_000; i++)
            junction.Receive(studio.From("a"), [0x90, 60, 100, 0x80, 60, 0]);
        Assert.Equal(0, junction.Compiled.Meter(studio.To("b"))!.Refused);
    }

    [Fact]
    public async Task A_listener_holds_what_it_hears_on_its_channels_only()
    {
        var studio = Of("keys", "synth").Lay("keys", "synth");
        var junction = new Junction(studio, Clock);
        using var listener = new Listener(ChannelSet.Of(3));
        using var pump = new BytePump(listener.Hear, () => junction.Resume(studio.To("synth")));
        junction.Connect(studio.To("synth"), pump);
        junction.Receive(studio.From("keys"), [0x92, 60, 100, 0x95, 61, 100, 0xC2, 11, 0xE2, 0, 0, 0xB2, 1, 9, 0x01]);
        await Until(() => listener.Heard.Modulation == 9);
        Assert.Equal([(3, 60, 100)], listener.Heard.Held.ToList());
        Assert.Equal((12, -8192, 1L), (listener.Heard.Programs[2], listener.Heard.Bend, listener.Heard.Ignored));
        junction.Receive(studio.From("keys"), [0xB2, 64, 127, 0x82, 60, 0, 0x92, 62, 90]);
        await Until(() => listener.Heard.Held is [(3, 60, 100), (3, 62, 90)]);
        junction.Receive(studio.From("keys"), [0xB2, 64, 0]);
        await Until(() => listener.Heard.Held is [(3, 62, 90)]);
        junction.Receive(studio.From("keys"), [0xB2, 123, 0]);
        await Until(() => listener.Heard.Held.Count == 0);
    }

    [Fact]
    public async Task A_listener_survives_any_bytes()
    {
        var studio = Of("keys", "synth").Lay("keys", "synth");
        var junction = new Junction(studio, Clock);
        using var listener = new Listener(ChannelSet.All);
        using var pump = new BytePump(listener.Hear, () => junction.Resume(studio.To("synth")));
        junction.Connect(studio.To("synth"), pump);
        var random = new Random(7);
        var bytes = new byte[10_000];
        random.NextBytes(bytes);
        junction.Receive(studio.From("keys"), bytes);
        junction.AllNotesOff();
        junction.Receive(studio.From("keys"), [0xF7, 0xC0, 41, 0x90, 60, 100]);
        await Until(() => listener.Heard.Programs[0] == 42);
        await Until(() => listener.Heard.Held is [(1, 60, 100)]);
    }

    [Fact]
    public void A_player_sends_a_key_once_however_many_hands_hold_it()
    {
        var studio = Of("keys", "out").Lay("keys", "out");
        var junction = new Junction(studio, Clock);
        var sink = new SlowSink { Room = int.MaxValue };
        junction.Connect(studio.To("out"), sink);
        using var player = new Player(bytes => junction.Receive(studio.From("keys"), bytes), Ch(2), 36, 96);
        player.Press("left", 60, 200);
        player.Press("left", 60, 50);
        player.Press("right", 60, 50);
        player.Press("left", 20, 50);
        player.Release("left", 60);
        player.Sustain("left", true);
        player.Sustain("right", true);
        player.LetGo("left");
        player.LetGo("right");
        Assert.Equal("913C7FB1407F813C40B14000", Convert.ToHexString([.. sink.Bytes]));
    }

    [Fact]
    public void A_device_that_is_removed_ends_what_it_held()
    {
        var studio = Of("keys", "synth").Lay("keys", "synth");
        var junction = new Junction(studio, Clock);
        var sink = new SlowSink { Room = int.MaxValue };
        junction.Connect(studio.To("synth"), sink);
        junction.Receive(studio.From("keys"), [0x90, 60, 100]);
        junction.BreakOff(studio.From("keys"));
        Assert.Equal("903C64803C40", Convert.ToHexString([.. sink.Bytes]));
    }

    [Fact]
    public async Task The_pedals_send_active_sensing_all_the_time_and_a_stage_keeps_it_off()
    {
        var time = new HandTime();
        var studio = SmallStudio.Create();
        var junction = new Junction(studio, new StudioClock(time));
        using var park = Park.Of(junction, time);
        park.Match(studio);
        for (var i = 0; i < 10; i++)
            time.Tick();
        // What a stand-in sends is carried on by a thread of its own.
        await Until(() => junction.Compiled.Meter(studio.Route("Tritt 13", "Brandung").Id)!.Stages[0].StoppedBackground == 10);
        Assert.Equal(10, junction.Compiled.Meter(studio.From("Tritt 13"))!.Background);
        Assert.Equal(0, junction.Compiled.Meter(studio.To("Brandung"))!.Messages);
        Assert.Equal(10, junction.Compiled.Meter(studio.Route("Tritt 13", "Brandung").Id)!.Stages[0].StoppedBackground);
    }

    [Fact]
    public void The_clock_runs_forward_and_knows_the_time_of_day()
    {
        var clock = new StudioClock(TimeProvider.System);
        var first = clock.Now;
        Assert.True(clock.Now >= first);
        Assert.Equal(TimeSpan.FromSeconds(1), clock.TimeOfDay(MidiTime.FromMilliseconds(1000)) - clock.TimeOfDay(MidiTime.Zero));
    }

    private static async Task Until(Func<bool> isSo)
    {
        for (var i = 0; i < 1000 && !isSo(); i++)
            await Task.Delay(10);
        Assert.True(isSo());
    }

    /// <summary>A sink that takes as much as it has room for.</summary>
    private sealed class SlowSink : IByteSink
    {
        public List<byte> Bytes { get; } = [];

        public int Room { get; set; }

        /// <summary>The thread that was here last.</summary>
        public int Thread { get; private set; }

        public int Send(ReadOnlySpan<byte> bytes)
        {
            Thread = Environment.CurrentManagedThreadId;
            var count = Math.Min(Room, bytes.Length);
            Bytes.AddRange(bytes[..count]);
            if (Room != int.MaxValue)
                Room -= count;
            return count;
        }
    }

    /// <summary>A time whose timers fire when told to.</summary>
    private sealed class HandTime : TimeProvider
    {
        private readonly List<(TimerCallback Callback, object? State)> _timers = [];

        public void Tick() => _timers.ForEach(timer => timer.Callback(timer.State));

        public override ITimer CreateTimer(TimerCallback callback, object? state, TimeSpan dueTime, TimeSpan period)
        {
            _timers.Add((callback, state));
            return new Nothing();
        }

        private sealed class Nothing : ITimer
        {
            public bool Change(TimeSpan dueTime, TimeSpan period) => true;

            public void Dispose()
            {
                // A timer by hand has nothing to let go of.
            }

            public ValueTask DisposeAsync() => ValueTask.CompletedTask;
        }
    }

    /// <summary>Keeps when each pulse of the clock was due.</summary>
    private sealed class DueSink(Junction junction) : IByteSink
    {
        private readonly List<MidiTime> _dues = [];

        public int Count
        {
            get
            {
                lock (_dues)
                    return _dues.Count;
            }
        }

        public MidiTime[] Dues
        {
            get
            {
                lock (_dues)
                    return [.. _dues];
            }
        }

        public int Send(ReadOnlySpan<byte> bytes)
        {
            lock (_dues)
            {
                foreach (var one in bytes)
                {
                    if (one == 0xF8)
                        _dues.Add(junction.Due);
                }
            }
            return bytes.Length;
        }
    }
}
