using Weiche.Core.Midi;
using Weiche.Core.Sets;
using Weiche.Ports.StandIns;

namespace Weiche.Core.Tests.Ports;

/// <summary>Stand-ins that keep time or follow it.</summary>
public sealed class ClockStandInTests
{
    [Fact]
    public void One_that_follows_knows_where_it_is_and_changes_only_with_the_beat()
    {
        using var listener = new Listener(ChannelSet.Of(16));
        Pulses(listener, 30);
        Assert.Null(listener.Heard.Beat);
        listener.Hear([0xFA]);
        Pulses(listener, 1);
        var first = listener.Heard;
        Assert.Equal(0, first.Beat);
        Pulses(listener, 23);
        Assert.Same(first, listener.Heard);
        Pulses(listener, 1);
        Assert.Equal(1, listener.Heard.Beat);
        listener.Hear([0xFC]);
        Assert.Null(listener.Heard.Beat);
        // Four bars on: 64 sixteenths.
        listener.Hear([0xF2, 64, 0, 0xFB]);
        Pulses(listener, 1);
        Assert.Equal(16, listener.Heard.Beat);
    }

    [Fact]
    public void Its_own_song_is_played_in_time_and_ends_with_the_clock()
    {
        var outlets = new Heard();
        using var app = new StandIn(Kit.Find("bandhaus")!, outlets, TimeProvider.System);
        app.Switch("its own song", true);
        app.HearHost("", [0xFA]);
        for (var i = 0; i < 96; i++)
            app.HearHost("", [0xF8]);
        app.HearHost("", [0xFC]);
        var notes = outlets.Bytes;
        foreach (var (channel, count) in new[] { (1, 6), (2, 8), (10, 8) })
        {
            Assert.Equal(count, notes.Count(each => each[0] == (0x90 | channel - 1)));
            Assert.Equal(count, notes.Count(each => each[0] == (0x80 | channel - 1)));
        }
        Assert.Empty(app.Listener!.Heard.Held);
    }

    [Fact]
    public async Task A_clock_box_sends_its_pulses_and_leaves_some_out_if_it_is_told_to()
    {
        var outlets = new Heard();
        using var box = new StandIn(Kit.Find("uhrwerk")!, outlets, TimeProvider.System);
        box.Switch("at 108", true);
        box.Switch("drifts", true);
        box.Switch("running", true);
        for (var i = 0; i < 500 && outlets.Bytes.Count < 30; i++)
            await Task.Delay(20);
        box.Switch("running", false);
        var sent = outlets.Bytes;
        Assert.Equal(0xFA, sent[0][0]);
        Assert.Contains(sent, each => each[0] == 0xFC);
        Assert.True(sent.Count(each => each[0] == 0xF8) >= 20);
    }

    private static void Pulses(Listener listener, int count)
    {
        for (var i = 0; i < count; i++)
            listener.Hear([0xF8]);
    }

    private sealed class Heard : StandIn.IOutlets
    {
        private readonly List<byte[]> _bytes = [];

        internal List<byte[]> Bytes
        {
            get
            {
                lock (_bytes)
                    return [.. _bytes];
            }
        }

        public void ToHost(string key, string part, ReadOnlySpan<byte> bytes)
        {
            lock (_bytes)
                _bytes.Add(bytes.ToArray());
        }

        public void ToJack(string key, string jack, ReadOnlySpan<byte> bytes) => ToHost(key, jack, bytes);
    }
}
