using Weiche.Core.Live;
using Weiche.Core.Midi;
using Weiche.Core.Sets;
using Weiche.Core.Stages;
using Weiche.Core.Studios.Edits;
using static Weiche.Core.Tests.Rooms;

namespace Weiche.Core.Tests.Live;

public class TapTests
{
    [Fact]
    public void The_tap_tells_what_came_and_what_became_of_it_for_each_destination()
    {
        var tap = new MessageTap();
        var rig = new Rig(
            Of("keys", "a", "b", "c")
                .Lay("keys", "a", new ChannelsStage(ChannelMap.Identity.With(Ch(1), ChannelSet.Of(3))))
                .Lay("keys", "b", new KindsStage(KindSet.All), new KindsStage(KindSet.All.With(MessageKind.Note, false)))
                .Lay("keys", "c"),
            tap
        );
        rig.Edit(new SwitchPort(rig.Studio.To("c"), false));
        rig.Send("keys", 0x90, 60, 100, 0xFE, 0xF8);
        var records = Read(tap);
        Assert.Equal(
            [TapEvent.Came, TapEvent.Delivered, TapEvent.Stopped, TapEvent.DestinationOff],
            records.Select(record => record.Event)
        );
        Assert.Equal("92 3C 64", MessageText.Hex(records[1].Message));
        Assert.Equal(rig.Studio.To("a"), records[1].Port);
        Assert.Equal(1, records[2].Stage);
        Assert.Equal(rig.Engine.Compiled.Version, tap.VersionAt(0));
        // What is written after an edit is of the next plan, and what was before stays of its own.
        rig.Edit(new SwitchPort(rig.Studio.To("c"), true));
        rig.Send("keys", 0x90, 60, 0);
        Assert.Equal(rig.Engine.Compiled.Version, tap.VersionAt(records.Length));
        Assert.Equal(rig.Engine.Compiled.Version - 1, tap.VersionAt(records.Length - 1));
    }

    [Fact]
    public void A_system_exclusive_is_told_with_its_length_and_first_bytes()
    {
        var tap = new MessageTap();
        var rig = new Rig(Of("keys"), tap);
        rig.Send("keys", [0xF0, .. Enumerable.Range(1, 20).Select(i => (byte)i), 0xF7]);
        var records = Read(tap);
        Assert.Equal([TapEvent.Came, TapEvent.Exclusive], records.Select(each => each.Event));
        var record = records[1];
        Assert.Equal(20, record.SysExLength);
        Assert.Equal(0x0807060504030201ul, record.SysExStart);
    }

    [Fact]
    public void A_reader_that_is_too_slow_is_told_how_much_it_lost_and_goes_on_with_the_newest()
    {
        var tap = new MessageTap(16);
        var rig = new Rig(Of("keys"), tap);
        for (var i = 0; i < 100; i++)
            rig.Send("keys", 0x90, 60, 100);
        var from = 0L;
        var records = new TapRecord[64];
        var count = tap.Read(ref from, records, out var lost);
        Assert.Equal(100, count + lost);
        Assert.InRange(count, 1, 16);
        Assert.Equal(100, from);
    }

    [Fact]
    public async Task A_reader_beside_a_running_writer_never_sees_a_torn_record()
    {
        var tap = new MessageTap(64);
        var stop = false;
        var studio = Of("keys");
        var engine = new Engine(CompiledStudio.Compile(studio), tap: tap);
        var writer = Task.Run(() =>
        {
            for (var i = 0; !Volatile.Read(ref stop); i++)
                engine.Receive(
                    studio.From("keys"),
                    [0x90, (byte)(i & 127), (byte)(1 + i % 127)],
                    new MidiTime((long)(i & 127) << 8 | (uint)(1 + i % 127))
                );
        });
        var from = 0L;
        var seen = 0L;
        var records = new TapRecord[48];
        while (seen < 200_000)
        {
            var count = tap.Read(ref from, records, out _);
            for (var i = 0; i < count; i++)
                Assert.Equal(records[i].Time.Microseconds, (long)records[i].Message.Data1 << 8 | records[i].Message.Data2);
            seen += count;
        }
        Volatile.Write(ref stop, true);
        await writer;
    }

    private static TapRecord[] Read(MessageTap tap)
    {
        var from = 0L;
        var records = new TapRecord[100];
        return records[..tap.Read(ref from, records, out _)];
    }
}
