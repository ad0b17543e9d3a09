using Weiche.Core.Live;
using Weiche.Core.Midi;
using Weiche.Core.Sets;
using Weiche.Core.Stages;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;
using static Weiche.Core.Tests.Rooms;

namespace Weiche.Core.Tests.Live;

public class EngineTests
{
    private static readonly KindsStage NoNotes = new(KindSet.All.With(MessageKind.Note, false));

    [Fact]
    public void One_source_reaches_every_destination_with_an_exact_copy()
    {
        var rig = new Rig(Of("keys", "a", "b").Lay("keys", "a").Lay("keys", "b"));
        rig.Send("keys", 0x90, 60, 100, 62, 90, 0xF0, 1, 2, 0xF7, 0x80, 60, 33, 0x90, 62, 0);
        string[] expected = ["903C64", "903E5A", "F00102F7", "803C21", "903E00"];
        Assert.Equal(expected, rig.At("a"));
        Assert.Equal(expected, rig.At("b"));
    }

    [Fact]
    public void A_note_ends_where_it_began_though_the_route_was_changed_meanwhile()
    {
        var rig = new Rig(Of("keys", "a").Lay("keys", "a", new ChannelsStage(ChannelMap.Identity.With(Ch(1), ChannelSet.Of(3)))));
        rig.Send("keys", 0x90, 60, 100);
        rig.Edit(new SetStage(rig.Studio.Routes[0].Id, 0, new ChannelsStage(ChannelMap.Identity.With(Ch(1), ChannelSet.Of(5)))));
        rig.Send("keys", 0x80, 60, 7);
        Assert.Equal(["923C64", "823C07"], rig.At("a"));
        rig.Edit(new AddStage(rig.Studio.Routes[0].Id, NoNotes));
        Assert.Equal(0, rig.Engine.HeldCount);
    }

    [Fact]
    public void A_note_ends_though_its_route_lets_no_notes_through_any_more()
    {
        var rig = new Rig(Of("keys", "a").Lay("keys", "a"));
        rig.Send("keys", 0x90, 60, 100);
        rig.Edit(new AddStage(rig.Studio.Routes[0].Id, NoNotes));
        Assert.Equal(["903C64"], rig.At("a"));
        rig.Send("keys", 0x90, 60, 0);
        Assert.Equal(["903C64", "903C00"], rig.At("a"));
    }

    [Fact]
    public void Switching_a_route_off_or_removing_it_ends_at_once_what_it_holds()
    {
        var rig = new Rig(Of("keys", "a", "b").Lay("keys", "a").Lay("keys", "b"));
        rig.Send("keys", 0x90, 60, 100, 0xB0, 64, 127);
        rig.Edit(new SwitchRoute(rig.Studio.Route("keys", "a").Id, false));
        Assert.Equal(["B04000", "803C40"], rig.At("a").Skip(2).Order().Reverse());
        rig.Edit(new RemoveRoute(rig.Studio.Route("keys", "b").Id));
        Assert.Equal(["B04000", "803C40"], rig.At("b").Skip(2).Order().Reverse());
        Assert.Equal(0, rig.Engine.HeldCount);
    }

    [Fact]
    public void Switching_a_port_off_ends_what_is_held_through_it_and_nothing_more_goes_through()
    {
        var rig = new Rig(Of("keys", "a").Lay("keys", "a"));
        rig.Send("keys", 0x90, 60, 100);
        rig.Edit(new SwitchPort(rig.Studio.To("a"), false));
        rig.Send("keys", 0x90, 62, 100);
        Assert.Equal(["903C64", "803C40"], rig.At("a"));
        rig.Edit(new SwitchPort(rig.Studio.To("a"), true));
        rig.Send("keys", 0x90, 64, 100);
        rig.Edit(new SwitchPort(rig.Studio.From("keys"), false));
        rig.Send("keys", 0x90, 65, 100);
        Assert.Equal(["903C64", "803C40", "904064", "804040"], rig.At("a"));
    }

    [Fact]
    public void A_key_held_by_two_sources_ends_when_the_last_lets_go()
    {
        var rig = new Rig(Of("x", "y", "a").Lay("x", "a").Lay("y", "a"));
        rig.Send("x", 0x90, 60, 100);
        rig.Send("y", 0x90, 60, 90);
        rig.Send("x", 0x80, 60, 1);
        rig.Send("x", 0x80, 60, 2);
        Assert.Equal(["903C64", "903C5A"], rig.At("a"));
        rig.Send("y", 0x80, 60, 3);
        Assert.Equal("803C03", rig.At("a")[^1]);
        Assert.Equal(3, rig.At("a").Count);
    }

    [Fact]
    public void A_pedal_held_by_two_feet_is_up_when_the_last_is_up()
    {
        var rig = new Rig(Of("x", "y", "a").Lay("x", "a").Lay("y", "a"));
        rig.Send("x", 0xB0, 64, 127);
        rig.Send("y", 0xB0, 64, 100);
        rig.Send("x", 0xB0, 64, 0);
        Assert.Equal(["B0407F", "B04064"], rig.At("a"));
        rig.Send("y", 0xB0, 64, 10);
        Assert.Equal("B0400A", rig.At("a")[^1]);
    }

    [Fact]
    public void A_key_struck_twice_without_being_let_go_passes_as_it_is()
    {
        var rig = new Rig(Of("keys", "a").Lay("keys", "a"));
        rig.Send("keys", 0x90, 60, 100, 60, 90, 0x80, 60, 1, 60, 2);
        Assert.Equal(["903C64", "903C5A", "803C01", "803C02"], rig.At("a"));
    }

    [Fact]
    public void A_note_off_does_not_go_where_its_note_on_was_stopped()
    {
        var rig = new Rig(Of("keys", "a", "b").Lay("keys", "a").Lay("keys", "b", NoNotes));
        rig.Send("keys", 0x90, 60, 100);
        rig.Edit(new RemoveStage(rig.Studio.Route("keys", "b").Id, 0, "Kinds"));
        rig.Send("keys", 0x80, 60, 1);
        Assert.Empty(rig.At("b"));
    }

    [Fact]
    public void A_channel_that_becomes_several_is_held_and_ended_on_each()
    {
        var rig = new Rig(Of("keys", "a").Lay("keys", "a", new ChannelsStage(ChannelMap.Nothing.With(Ch(1), ChannelSet.Of(2, 4)))));
        rig.Send("keys", 0x90, 60, 100, 0x91, 60, 100);
        rig.Send("keys", 0xF8);
        rig.Send("keys", 0x80, 60, 9);
        Assert.Equal(["913C64", "933C64", "F8"], rig.At("a").Take(3));
        Assert.Equal(["813C09", "833C09"], rig.At("a").Skip(3).Order());
    }

    [Fact]
    public void All_notes_off_ends_what_is_held_and_quiets_every_channel_that_was_used()
    {
        var rig = new Rig(Of("keys", "a", "b").Lay("keys", "a", new ChannelsStage(ChannelMap.Gate(ChannelSet.Of(1, 2)))));
        rig.Send("keys", 0x90, 60, 100, 0xB1, 64, 127, 0x95, 60, 100);
        rig.AllNotesOff();
        Assert.Equal(0, rig.Engine.HeldCount);
        Assert.Empty(rig.At("b"));
        var after = rig.At("a").Skip(2).ToList();
        Assert.Equal(["803C40", "B14000"], after.Take(2).Order());
        foreach (var channel in "01")
        {
            string[] quiet =
            [
                $"B{channel}4000",
                $"B{channel}4200",
                $"B{channel}4300",
                $"B{channel}7B00",
                $"B{channel}7800",
                $"E{channel}0040",
                $"D{channel}00",
            ];
            Assert.Equal(quiet, after.Skip(2).Where(text => text[1] == channel));
        }
        Assert.Equal(2 + 14, after.Count);
    }

    [Fact]
    public void A_full_queue_refuses_new_notes_and_still_ends_every_old_one()
    {
        var studio = Of("keys", "a").Lay("keys", "a");
        var engine = new Engine(CompiledStudio.Compile(studio));
        var from = studio.From("keys");
        // Nobody fetches anything: the queue fills up to its bound.
        for (var i = 0; i < 1_100_000; i++)
        {
            engine.Receive(from, [(byte)(0x90 | i % 16), (byte)(i / 16 % 128), 100], new MidiTime(i));
            if (i % 16 < 8)
                engine.Receive(from, [(byte)(0x80 | i % 16), (byte)(i / 16 % 128), 64], new MidiTime(i));
        }
        Assert.True(engine.Compiled.Meter(studio.To("a"))!.Refused > 100_000);
        Assert.Equal(8 * 128, engine.HeldCount);
        engine.AllNotesOff(new MidiTime(20_000));
        var rig = new Dictionary<int, int>();
        var pool = new SysExPool();
        var parser = new StreamParser(pool);
        var sink = new Sounding(rig);
        var taker = new Taken(bytes => parser.Parse(bytes, ref sink));
        engine.Drain(ref taker, new MidiTime(30_000));
        Assert.NotEmpty(rig);
        Assert.All(rig.Values, velocity => Assert.Equal(0, velocity));
    }

    [Fact]
    public void A_source_that_breaks_off_in_the_middle_ends_what_it_held()
    {
        var rig = new Rig(Of("keys", "a").Lay("keys", "a"));
        rig.Send("keys", 0x90, 60, 100, 0xF0, 1, 2);
        rig.Engine.BreakOff(rig.Studio.From("keys"), new MidiTime(99));
        rig.Send("keys", 0xF7);
        Assert.Equal(["903C64", "803C40"], rig.At("a"));
    }

    [Fact]
    public void Bytes_for_a_port_that_is_gone_are_thrown_away()
    {
        var rig = new Rig(Of("keys", "a"));
        var gone = rig.Studio.From("keys");
        rig.Edit(new RemoveDevice(rig.Studio.Devices[0].Id));
        rig.Send(gone, 0x90, 60, 100);
        rig.Send(new PortId(99_999), 0x90, 60, 100);
        Assert.Equal(0, rig.Engine.HeldCount);
    }

    [Fact]
    public void Figures_go_on_counting_when_the_plan_is_changed()
    {
        var rig = new Rig(Of("keys", "a").Lay("keys", "a", NoNotes));
        rig.Send("keys", 0x90, 60, 100, 0xB0, 7, 1, 0xFE);
        rig.Edit(new AddVirtualPort("b"));
        rig.Send("keys", 0xB0, 7, 2);
        var meter = rig.Engine.Compiled.Meter(rig.Studio.Routes[0].Id)!;
        Assert.Equal((3, 1), (meter.Passed, meter.PassedBackground));
        Assert.Equal((4, 3, 1), (meter.Stages[0].In, meter.Stages[0].Out, meter.Stages[0].Stopped));
        var keys = rig.Engine.Compiled.Meter(rig.Studio.From("keys"))!;
        Assert.Equal((4, 1, 10), (keys.Messages, keys.Background, keys.Bytes));
    }

    [Fact]
    public void A_destination_tells_how_many_keys_it_holds()
    {
        var rig = new Rig(Of("x", "y", "a").Lay("x", "a").Lay("y", "a"));
        var meter = rig.Engine.Compiled.Meter(rig.Studio.To("a"))!;
        rig.Send("x", 0x90, 60, 100, 62, 100, 0xB0, 64, 127);
        rig.Send("y", 0x90, 60, 100);
        Assert.Equal(2, meter.Held);
        rig.Send("x", 0x80, 60, 0, 62, 0);
        Assert.Equal(1, meter.Held);
        rig.AllNotesOff();
        Assert.Equal(0, meter.Held);
    }

    [Fact]
    public void Messages_on_their_way_allocate_nothing()
    {
        var studio = Of("keys", "a", "b")
            .Lay(
                "keys",
                "a",
                new KindsStage(KindSet.All.With(MessageKind.Clock, false)),
                new ChannelsStage(ChannelMap.Nothing.With(Ch(1), ChannelSet.Of(2, 3)))
            )
            .Lay("keys", "b", NoNotes);
        var engine = new Engine(CompiledStudio.Compile(studio));
        var from = studio.From("keys");
        var taker = new Taken(_ => { });
        byte[] bytes = [0x90, 60, 100, 64, 100, 0xF8, 0xB0, 64, 127, 0xF0, 1, 2, 3, 0xF7, 0x80, 60, 0, 64, 0, 0xB0, 64, 0];
        Assert.Equal(
            0,
            Allocations.Of(() =>
            {
                for (var i = 0; i < 10_000; i++)
                {
                    engine.Receive(from, bytes, new MidiTime(i));
                    engine.Drain(ref taker, new MidiTime(30_000));
                }
            })
        );
    }

    private readonly struct Sounding(Dictionary<int, int> keys) : IMessageSink
    {
        public void Accept(in MidiMessage message)
        {
            if (message.Kind == MessageKind.Note)
                keys[message.ChannelIndex << 7 | message.Data1] = message.IsNoteOn ? message.Data2 : 0;
        }
    }
}
