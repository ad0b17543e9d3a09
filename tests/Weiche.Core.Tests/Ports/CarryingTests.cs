using Weiche.Core.Midi;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;
using Weiche.Ports.Carrying;
using static Weiche.Core.Tests.Rooms;

namespace Weiche.Core.Tests.Ports;

/// <summary>Who carries messages, and how everybody else gets what they want done.</summary>
public sealed class CarryingTests : IDisposable
{
    private readonly Studio _studio = Of("keys", "synth").Lay("keys", "synth");
    private readonly Junction _junction;
    private readonly Recorded _sink = new();

    public CarryingTests()
    {
        _junction = new Junction(_studio, new StudioClock(TimeProvider.System), asksForUrgency: false);
        _junction.Connect(_studio.To("synth"), _sink);
    }

    public void Dispose() => _junction.Dispose();

    [Fact]
    public void Whatever_is_asked_for_by_any_thread_is_done_by_one_that_carries_messages()
    {
        var seen = new List<bool>();
        _junction.Watch(
            (_, _) =>
            {
                lock (seen)
                    seen.Add(Urgent.IsHere);
                return false;
            }
        );
        _junction.Receive(_studio.From("keys"), [0xF0, 0x7D, 1, 0xF7, 0x90, 60, 100]);
        _junction.Send(_studio.To("synth"), [0x90, 62, 100]);
        _junction.Swap(_junction.Prepare(_studio.Must(new SwitchRoute(_studio.Routes[0].Id, false))));
        _junction.BreakOff(_studio.From("keys"));
        _junction.AllNotesOff();
        _junction.ResumeGuard();
        _junction.Resume(_studio.To("synth"));
        Assert.False(Urgent.IsHere);
        Assert.Equal([true], seen);
        Assert.NotEmpty(_sink.Bytes);
        Assert.True(_sink.AlwaysCarried);
        // The note ended because its route was switched off, and not before.
        Assert.Contains("90 3C 64", _sink.Text, StringComparison.Ordinal);
        Assert.Contains("80 3C 40", _sink.Text, StringComparison.Ordinal);
    }

    [Fact]
    public void Many_threads_at_once_get_what_they_asked_for_each_in_its_own_order()
    {
        const int Each = 4_000;
        var keys = _studio.From("keys");
        var threads = Enumerable
            .Range(0, 8)
            .Select(who => new Thread(() =>
            {
                for (var i = 0; i < Each; i++)
                    _junction.Send(_studio.To("synth"), [(byte)(0xB0 | who), (byte)(i & 63), (byte)(i >> 6)]);
            }))
            .ToList();
        threads.ForEach(thread => thread.Start());
        for (var i = 0; i < 200; i++)
        {
            _junction.Receive(keys, [0xBF, 7, (byte)(i & 127)]);
            if (i % 20 == 0)
                _ = _junction.Guarded();
        }
        threads.ForEach(thread => thread.Join());
        var messages = _sink.Bytes.Chunk(3).ToList();
        Assert.Equal(8 * Each + 200, messages.Count);
        for (var who = 0; who < 8; who++)
            Assert.Equal(
                Enumerable.Range(0, Each),
                messages.Where(message => message[0] == (0xB0 | who)).Select(message => message[1] | message[2] << 6)
            );
        Assert.True(_sink.AlwaysCarried);
    }

    [Fact]
    public void What_is_asked_for_after_the_end_is_done_all_the_same_and_nobody_waits_for_ever()
    {
        _junction.Dispose();
        _junction.Receive(_studio.From("keys"), [0x90, 60, 100]);
        _junction.AllNotesOff();
        Assert.Contains("90 3C 64", _sink.Text, StringComparison.Ordinal);
    }

    [Fact]
    public void A_studio_that_was_made_ready_too_early_is_refused_and_changes_nothing()
    {
        var (early, other) = (_junction.Prepare(_studio), _junction.Prepare(_studio.Must(new AddVirtualPort("more"))));
        _junction.Swap(other);
        Assert.Throws<InvalidOperationException>(() => _junction.Swap(early));
        Assert.Same(other.Compiled, _junction.Compiled);
        _junction.Receive(_studio.From("keys"), [0x90, 60, 100]);
        Assert.Contains("90 3C 64", _sink.Text, StringComparison.Ordinal);
    }

    [Fact]
    public async Task What_is_brought_through_an_inlet_arrives_whole_and_in_order_though_it_was_full()
    {
        using var inlet = _junction.Open(_studio.From("keys"));
        var sent = Enumerable.Range(0, 60_000).Select(i => new[] { (byte)0xB0, (byte)(i & 127), (byte)(i >> 7 & 127) }).ToList();
        await Task.Run(() => sent.ForEach(message => inlet.Bring(message)));
        for (var tries = 0; _sink.Bytes.Count < sent.Count * 3 && tries < 2_000; tries++)
            await Task.Delay(5);
        Assert.Equal(sent.SelectMany(each => each), _sink.Bytes);
        Assert.True(_sink.AlwaysCarried);
    }

    [Fact]
    public async Task A_circle_through_virtual_ports_leaves_the_machine_and_every_request_its_turn()
    {
        var studio = _studio.Must(new AddVirtualPort("one")).Must(new AddVirtualPort("other")).Must(new SetSafety(new Safety(false, 0)));
        studio = studio.Lay("keys", "one").Lay("one", "other").Lay("other", "one");
        _junction.Swap(_junction.Prepare(studio));
        using var one = _junction.Loop(studio.To("one"), studio.From("one"));
        using var other = _junction.Loop(studio.To("other"), studio.From("other"));
        _junction.Receive(studio.From("keys"), [0xB0, 7, 1]);
        var meter = _junction.Compiled.Meter(studio.Route("one", "other").Id)!;
        for (var tries = 0; meter.Passed < 100 && tries < 2_000; tries++)
            await Task.Delay(5);
        Assert.True(meter.Passed >= 100, "it runs in a circle");
        for (var i = 0; i < 50; i++)
            _junction.Send(studio.To("synth"), [0x90, (byte)i, 1]);
        Assert.Contains("90 31 01", _sink.Text, StringComparison.Ordinal);
        _junction.Swap(_junction.Prepare(studio.Must(new SwitchRoute(studio.Route("other", "one").Id, false))));
        var stopped = meter.Passed;
        await Task.Delay(50);
        Assert.InRange(meter.Passed - stopped, 0, 64);
    }

    /// <summary>Takes everything, and knows who brought it.</summary>
    private sealed class Recorded : IByteSink
    {
        private readonly List<byte> _bytes = [];

        internal bool AlwaysCarried { get; private set; } = true;

        internal IReadOnlyList<byte> Bytes
        {
            get
            {
                lock (_bytes)
                    return [.. _bytes];
            }
        }

        internal string Text =>
            string.Join(' ', Bytes.Select(each => each.ToString("X2", System.Globalization.CultureInfo.InvariantCulture)));

        public int Send(ReadOnlySpan<byte> bytes)
        {
            lock (_bytes)
            {
                AlwaysCarried &= Urgent.IsHere;
                _bytes.AddRange(bytes);
            }
            return bytes.Length;
        }
    }
}
