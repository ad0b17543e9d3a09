using CsCheck;
using Weiche.Core.Live;
using Weiche.Core.Midi;
using Weiche.Core.Sets;
using Weiche.Core.Stages;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;
using Weiche.Core.Tests.Midi;
using Weiche.Core.Tests.Stages;
using static Weiche.Core.Tests.Rooms;

namespace Weiche.Core.Tests.Live;

/// <summary>What happens where many sources meet at one destination, and on a wire that is slow.</summary>
public class MergeTests
{
    private const long ThreeBytes = 960;

    /// <summary>Sources x and y, both to “din”, which hangs on a DIN wire.</summary>
    private static Studio Din(WireKind wire = WireKind.Din)
    {
        var studio = Of("x", "y");
        var id = studio.NextId;
        var device = new Device(
            new DeviceId(id),
            "din",
            DeviceKind.KeyboardSynth,
            ChannelSet.All,
            ChannelSet.All,
            true,
            null,
            [new Port(new PortId(id + 1), PortDirection.Destination, "in", wire)]
        );
        return (studio with { Name = "Test", NextId = id + 2, Devices = studio.Devices.Add(device) }).Lay("x", "din").Lay("y", "din");
    }

    [Fact]
    public void A_parameter_number_is_kept_with_its_data_when_another_source_came_between()
    {
        var rig = new Rig(Of("x", "y", "a").Lay("x", "a").Lay("y", "a"));
        rig.Send("x", 0xB0, 101, 0, 100, 0);
        rig.Send("y", 0xB0, 99, 1, 98, 2, 6, 50);
        rig.Send("x", 0xB0, 6, 12);
        rig.Send("x", 0xB0, 38, 0);
        rig.Send("y", 0xB1, 6, 1);
        Assert.Equal(["B06500", "B06400", "B06301", "B06202", "B00632", "B06500", "B06400", "B0060C", "B02600", "B10601"], rig.At("a"));
    }

    [Fact]
    public void A_continue_stays_behind_the_song_position_that_it_is_for()
    {
        byte[] bytes = [0xF8, 0x90, 60, 100, 0xF2, 8, 0, 0xFB, 0xF8, 0xF3, 2, 0xFA];
        string[] messages = ["F8", "903C64", "F20800", "FB", "F8", "F302", "FA"];
        var rig = new Rig(Of("x", "a").Lay("x", "a"));
        rig.Send("x", bytes);
        Assert.Equal(messages, rig.At("a"));
        // On a slow wire too, as long as it keeps up.
        var slow = new Rig(Din());
        foreach (var message in messages)
        {
            slow.Send("x", Convert.FromHexString(message));
            slow.Wait(ThreeBytes);
        }
        Assert.Equal(messages, slow.At("din"));
    }

    [Fact]
    public void A_slow_wire_is_paced_and_running_status_saves_bytes()
    {
        var rig = new Rig(Din());
        for (var key = 60; key < 64; key++)
            rig.Send("x", 0x90, (byte)key, 100);
        Assert.Single(rig.At("din"));
        rig.Wait(ThreeBytes);
        Assert.Equal(2, rig.At("din").Count);
        rig.Wait(2 * 640);
        Assert.Equal(4, rig.At("din").Count);
        Assert.Equal(3 + 3 * 2, rig.Engine.Compiled.Meter(rig.Studio.To("din"))!.Bytes);
    }

    [Fact]
    public void While_a_slow_wire_is_busy_only_the_newest_value_waits_and_never_across_a_note()
    {
        var rig = new Rig(Din());
        rig.Send("x", 0x90, 60, 100);
        for (byte i = 0; i < 50; i++)
            rig.Send("x", 0xB0, 1, i, 0xE0, i, 64, 0xD0, i);
        rig.Send("x", 0x90, 62, 100);
        for (byte i = 50; i < 90; i++)
            rig.Send("x", 0xB0, 1, i);
        rig.Wait(1_000_000);
        Assert.Equal(["903C64", "B00131", "E03140", "D031", "903E64", "B00159"], rig.At("din"));
        Assert.Equal(3 * 49 + 39, rig.Engine.Compiled.Meter(rig.Studio.To("din"))!.Thinned);
    }

    [Fact]
    public void Pedals_parameters_banks_programs_and_fine_pairs_are_never_left_out()
    {
        var rig = new Rig(Din());
        rig.Send("x", 0x90, 60, 100, 0xB0, 39, 0);
        byte[][] kept =
        [
            [0xB0, 64, 1],
            [0xB0, 64, 2],
            [0xB0, 0, 1],
            [0xB0, 0, 2],
            [0xB0, 98, 1],
            [0xB0, 98, 2],
            [0xB0, 6, 1],
            [0xB0, 6, 2],
            [0xB0, 7, 1],
            [0xB0, 7, 2],
            [0xC0, 1],
            [0xC0, 2],
        ];
        foreach (var message in kept)
            rig.Send("x", message);
        rig.Wait(1_000_000);
        Assert.Equal(kept.Select(Convert.ToHexString), rig.At("din").Skip(2));
    }

    [Fact]
    public void Active_sensing_is_left_out_while_anything_is_on_the_wire()
    {
        var rig = new Rig(Din());
        rig.Send("x", 0xFE);
        rig.Wait(10_000);
        rig.Send("x", 0x90, 60, 100);
        rig.Send("x", 0xFE, 0xFE);
        rig.Wait(10_000);
        Assert.Equal(["FE", "903C64"], rig.At("din"));
    }

    [Fact]
    public void Real_time_goes_into_a_running_system_exclusive_and_nothing_else_does()
    {
        var engine = new Engine(CompiledStudio.Compile(Din()));
        var studio = engine.Compiled.Studio;
        var raw = new List<byte>();
        var taker = new Taken(bytes => raw.AddRange(bytes));
        engine.Receive(studio.From("x"), [0xF0, .. Enumerable.Repeat((byte)5, 60), 0xF7], new MidiTime(0));
        for (var now = 0L; now < 200_000; now = Math.Min(engine.NextDue.Microseconds, 200_000))
        {
            engine.Tick(new MidiTime(now));
            if (now is > 3_000 and < 6_000)
                engine.Receive(studio.From("y"), [0xF8, 0x90, 60, 100], new MidiTime(now));
            engine.Drain(ref taker, new MidiTime(now));
        }
        var start = raw.IndexOf(0xF0);
        var end = raw.IndexOf(0xF7);
        Assert.Equal(60, raw[start..end].Count(value => value == 5));
        Assert.All(raw[(start + 1)..end], value => Assert.True(value is 5 or 0xF8));
        Assert.Contains((byte)0xF8, raw[start..end]);
        Assert.Contains((byte)0x90, raw[end..]);
    }

    [Fact]
    public void A_system_exclusive_that_never_ends_is_given_up_after_a_time_and_counted()
    {
        var rig = new Rig(Of("x", "y", "a").Lay("x", "a").Lay("y", "a"));
        rig.Send("x", 0xF0, 1, 2, 3);
        rig.Send("y", 0x90, 60, 100);
        Assert.Equal(["903C64"], rig.At("a"));
        rig.Wait(6_000_000);
        rig.Send("x", 4, 0xF7, 0x90, 62, 100);
        Assert.Equal(["903C64", "903E64"], rig.At("a"));
        Assert.Equal(6, rig.Engine.Compiled.Meter(rig.Studio.From("x"))!.ThrownBytes);
        Assert.Equal(0, rig.Engine.Pool.Count);
    }

    [Fact]
    public void Under_load_on_a_slow_wire_no_note_program_or_system_exclusive_is_lost_and_each_sources_order_is_kept()
    {
        var message = Gen.Frequency(
            (3, Gen.Select(Gen.Int[60, 64], Gen.Int[0, 100], (key, velocity) => MidiMessage.FromBytes(0x90, key, velocity))),
            (6, Gens.Short.Where(each => each.Kind is not (MessageKind.Note or MessageKind.ActiveSensing or MessageKind.Reset)))
        );
        Gen.Select(Gen.Bool, message, Gen.Int[0, 2000])
            .Array[0, 80]
            .Sample(
                steps =>
                {
                    var rig = new Rig(Din());
                    var sent = new Dictionary<string, List<string>> { ["x"] = [], ["y"] = [] };
                    foreach (var (isX, each, pause) in steps)
                    {
                        var source = isX ? "x" : "y";
                        // Each source on channels of its own, so that what arrives tells where it came from.
                        var moved = each.HasChannel ? each.OnChannelIndex(each.ChannelIndex & 7 | (isX ? 0 : 8)) : each;
                        rig.Send(rig.Studio.From(source), moved);
                        if (each.HasChannel)
                            sent[source].Add(Collected.Full(moved, rig.Engine.Pool));
                        rig.Wait(pause);
                    }
                    rig.Wait(10_000_000);
                    foreach (var (source, all) in sent)
                    {
                        var came = rig.At("din")
                            .Where(text => text[0] != 'F' && (Convert.ToInt32(text[1..2], 16) < 8) == (source == "x"))
                            .ToList();
                        Assert.True(IsWithin(came, all), "what arrives is what was sent, in order, with some values left out");
                        Assert.Equal(all.Where(text => text[0] is '9' or 'C').ToList(), came.Where(text => text[0] is '9' or 'C').ToList());
                        foreach (var last in all.GroupBy(Moves).Select(group => group.Last()))
                            Assert.Contains(last, came);
                    }
                },
                iter: 2_000
            );
    }

    [Fact]
    public void Data_of_a_source_that_has_selected_half_a_number_does_not_move_the_others_parameter()
    {
        var rig = new Rig(Of("x", "y", "a").Lay("x", "a").Lay("y", "a"));
        rig.Send("x", 0xB0, 101, 0, 100, 5);
        rig.Send("y", 0xB0, 101, 1, 6, 50, 6, 51);
        rig.Send("x", 0xB0, 6, 12);
        Assert.Equal(["B06500", "B06405", "B06501", "B06501", "B0647F", "B00632", "B00633", "B06500", "B06405", "B0060C"], rig.At("a"));
        // Alone it is left as it comes.
        var alone = new Rig(Of("x", "a").Lay("x", "a"));
        alone.Send("x", 0xB0, 101, 1, 6, 50);
        Assert.Equal(["B06501", "B00632"], alone.At("a"));
    }

    [Fact]
    public void What_comes_in_one_read_with_active_sensing_goes_on_with_it_where_the_wire_is_fast()
    {
        var rig = new Rig(Din(WireKind.Usb));
        rig.Send("x", 0xF8, 0xFE, 0xFA, 0xFE, 0xF8);
        Assert.Equal(["F8", "FE", "FA", "FE", "F8"], rig.At("din"));
    }

    [Fact]
    public void All_notes_off_of_one_source_ends_its_own_keys_and_leaves_the_others_alone()
    {
        var rig = new Rig(Of("x", "y", "a").Lay("x", "a").Lay("y", "a"));
        var a = rig.Studio.To("a");
        rig.Send("x", 0x90, 60, 100, 62, 100, 64, 100);
        rig.Send("y", 0x90, 60, 90, 65, 90);
        rig.NewAt(a);
        rig.Send("x", 0xB0, 123, 0);
        Assert.Equal(["803E40", "804040"], rig.NewAt(a));
        Assert.Equal(2, rig.Engine.HeldCount);
        Assert.Equal(1, rig.Engine.Compiled.Meter(a)!.OwnEnded);
        // Its keys are down no more; those that the other holds end when that lets go.
        rig.Send("x", 0x80, 60, 0);
        Assert.Empty(rig.NewAt(a));
        rig.Send("y", 0x80, 60, 0);
        rig.Send("y", 0xB0, 123, 0);
        Assert.Equal(["803C00", "B07B00"], rig.NewAt(a));
        Assert.Equal(0, rig.Engine.HeldCount);
        rig.Send("x", 0x90, 60, 100);
        Assert.Equal(["903C64"], rig.NewAt(a));
    }

    [Theory]
    [InlineData(0xB0, 121)]
    [InlineData(0xFF, -1)]
    public void Reset_of_one_source_puts_to_rest_what_it_moved_and_lifts_its_pedals(int status, int controller)
    {
        var rig = new Rig(Of("x", "y", "a").Lay("x", "a").Lay("y", "a"));
        var a = rig.Studio.To("a");
        byte[] reset = controller < 0 ? [(byte)status] : [(byte)status, (byte)controller, 0];
        rig.Send("x", 0xB0, 64, 127, 1, 50, 11, 30, 0xE0, 0, 100, 0xD0, 40);
        rig.Send("y", 0xB0, 64, 127, 1, 60);
        rig.NewAt(a);
        rig.Send("x", reset);
        Assert.Equal(["B00B7F", "D000", "E00040"], rig.NewAt(a));
        rig.Send("y", 0xB0, 1, 0, 64, 0);
        Assert.Equal(["B00100", "B04000"], rig.NewAt(a));
        rig.Send("x", 0xB0, 1, 9);
        rig.NewAt(a);
        rig.Send("x", reset);
        Assert.Single(rig.NewAt(a));
        Assert.Equal(0, rig.Engine.HeldCount);
    }

    [Fact]
    public void A_diverting_route_takes_what_it_lets_through_and_the_note_off_with_it()
    {
        var rig = new Rig(
            Of("keys", "a", "b", "c").Lay("keys", "a").Lay("keys", "b", new VelocityStage(100, 127)).Lay("keys", "c", new KeysStage(60, 60))
        );
        rig.Edit(new DivertRoute(rig.Studio.Route("keys", "b").Id, true));
        rig.Edit(new DivertRoute(rig.Studio.Route("keys", "c").Id, true));
        rig.Send("keys", 0x90, 60, 120, 60, 0, 60, 50, 60, 0, 61, 50, 61, 0);
        Assert.Equal(["903D32", "903D00"], rig.At("a"));
        Assert.Equal(["903C78", "903C00"], rig.At("b"));
        Assert.Equal(["903C32", "903C00"], rig.At("c"));
        rig.Edit(new MoveRoute(rig.Studio.Route("keys", "c").Id, -9));
        rig.Send("keys", 0x90, 60, 120);
        Assert.Equal("903C78", rig.At("c")[^1]);
    }

    [Fact]
    public void Any_source_takes_all_but_the_exceptions_and_the_destinations_own_and_new_ones_at_once()
    {
        var rig = new Rig(Of("x", "y", "a"));
        rig.Edit(new LayRoute(new AnySource([rig.Studio.From("y")], false), rig.Studio.To("a")));
        rig.Edit(new AddVirtualPort("new"));
        foreach (var source in (string[])["x", "y", "a", "new"])
            rig.Send(source, 0xB0, 7, (byte)source[0]);
        Assert.Equal(["B00778", "B0076E"], rig.At("a"));
    }

    [Fact]
    public void A_soloed_route_silences_the_others_and_ends_what_they_hold()
    {
        var rig = new Rig(Of("keys", "a", "b").Lay("keys", "a").Lay("keys", "b"));
        rig.Send("keys", 0x90, 60, 100);
        rig.Edit(new SoloRoute(rig.Studio.Route("keys", "b").Id, true));
        rig.Send("keys", 0x90, 62, 100);
        Assert.Equal(["903C64", "803C40"], rig.At("a"));
        Assert.Equal(["903C64", "903E64"], rig.At("b"));
        rig.Edit(new SwitchRoute(rig.Studio.Route("keys", "b").Id, false));
        rig.Send("keys", 0x90, 64, 100);
        Assert.Equal("904064", rig.At("a")[^1]);
    }

    [Fact]
    public void Overlapping_chords_end_each_key_when_its_last_cause_is_let_go()
    {
        var rig = new Rig(Of("keys", "a").Lay("keys", "a", new ChordStage(0, 4)));
        rig.Send("keys", 0x90, 60, 100, 64, 100);
        rig.Send("keys", 0x80, 60, 1);
        Assert.Equal(["903C64", "904064", "904064", "904464", "803C01"], rig.At("a"));
        rig.Send("keys", 0x80, 64, 2);
        Assert.Equal(["804002", "804402"], rig.At("a").Skip(5).Order());
    }

    [Fact]
    public void Thin_lets_each_control_pass_so_often_and_the_last_value_always_arrives()
    {
        var rig = new Rig(Of("keys", "a").Lay("keys", "a", new ThinStage(10)));
        for (byte i = 0; i < 100; i++)
        {
            rig.Send("keys", 0xB0, 1, i, 0x90, 60, 100);
            rig.Wait(10_000);
        }
        rig.Wait(1_000_000);
        var values = rig.At("a").Where(text => text.StartsWith("B001", StringComparison.Ordinal)).ToList();
        Assert.InRange(values.Count, 10, 12);
        Assert.Equal("B00163", values[^1]);
        Assert.Equal(100, rig.At("a").Count(text => text[0] == '9'));
        rig.Send("keys", 0xB0, 1, 99);
        Assert.Equal(values.Count, rig.At("a").Count(text => text.StartsWith("B001", StringComparison.Ordinal)));
        var meter = rig.Engine.Compiled.Meter(rig.Studio.Routes[0].Id)!.Stages[0];
        Assert.Equal(meter.In, meter.Out + meter.Stopped);
    }

    [Fact]
    public void A_value_that_waits_goes_before_the_fine_part_that_makes_a_pair_of_its_control()
    {
        var rig = new Rig(Of("keys", "a").Lay("keys", "a", new ThinStage(1)));
        rig.Send("keys", 0xB0, 1, 1, 1, 2, 2, 7, 2, 8, 33, 5, 1, 9, 33, 6);
        Assert.Equal(["B00101", "B00207", "B00102", "B02105", "B00109", "B02106"], rig.At("a"));
        rig.Wait(5_000_000);
        Assert.Equal("B00208", rig.At("a")[^1]);
        Assert.Equal(7, rig.At("a").Count);
        var meter = rig.Engine.Compiled.Meter(rig.Studio.Routes[0].Id)!.Stages[0];
        Assert.Equal(meter.In, meter.Out + meter.Stopped);
    }

    [Fact]
    public void A_bend_stays_fine_and_its_middle_the_middle_under_a_rule()
    {
        var rig = new Rig(
            Of("keys", "a", "b")
                .Lay("keys", "a", new ControllersStage([new ControlRule(Control.Bend, Control.Bend, OutLow: 127, OutHigh: 0)]))
                .Lay("keys", "b", new ControllersStage([new ControlRule(Control.Bend, Control.Bend, OutLow: 32, OutHigh: 96)]))
        );
        foreach (var bend in (int[])[-8192, -8191, -1, 0, 1, 8191])
            rig.Send(rig.Studio.From("keys"), MidiMessage.PitchBend(Ch(1), bend));
        Assert.Equal([8191, 8190, 1, 0, -1, -8192], rig.At("a").Select(Bend));
        Assert.Equal([-4096, -4095, 0, 0, 1, 4160], rig.At("b").Select(Bend));

        static int Bend(string text) => (Convert.ToInt32(text[4..], 16) << 7 | Convert.ToInt32(text[2..4], 16)) - 8192;
    }

    [Fact]
    public void What_a_stage_keeps_arrives_when_the_plan_is_changed_before_it_is_due()
    {
        var rig = new Rig(Of("keys", "a").Lay("keys", "a", new ThinStage(1)));
        rig.Send("keys", 0xB0, 1, 1, 1, 2, 1, 3);
        rig.Edit(new AddVirtualPort("b"));
        Assert.Equal(["B00101", "B00103"], rig.At("a"));
        rig.Wait(5_000_000);
        Assert.Equal(2, rig.At("a").Count);
    }

    [Fact]
    public void No_sort_of_stage_leaves_a_note_behind_once_the_keys_are_up() =>
        Gen.Select(AnyStage.Any.Array[1, 3], Gen.Select(Gen.Int[0, 127], Gen.Int[1, 127], Gen.Int[0, 15], Gen.Int[0, 400_000]).Array[1, 8])
            .Sample(
                (stages, notes) =>
                {
                    var rig = new Rig(Of("keys", "a").Lay("keys", "a", stages));
                    foreach (var (key, velocity, channel, time) in notes)
                    {
                        rig.Send("keys", (byte)(0x90 | channel), (byte)key, (byte)velocity);
                        rig.Wait(time);
                    }
                    foreach (var (key, velocity, channel, time) in notes)
                    {
                        rig.Send("keys", (byte)(0x80 | channel), (byte)key, (byte)velocity);
                        rig.Wait(time);
                    }
                    rig.Wait(20_000_000);
                    var sounding = new HashSet<string>();
                    foreach (var text in rig.At("a").Where(text => text[0] is '8' or '9'))
                    {
                        if (text[0] == '9')
                            sounding.Add(text[1..4]);
                        else
                            sounding.Remove(text[1..4]);
                    }
                    Assert.Empty(sounding);
                },
                iter: 3_000
            );

    private static bool IsWithin(List<string> part, List<string> all)
    {
        var at = 0;
        foreach (var each in part)
        {
            at = all.IndexOf(each, at) + 1;
            if (at == 0)
                return false;
        }
        return true;
    }

    /// <summary>What a message moves: what it has in common with newer values of the same.</summary>
    private static string Moves(string text) => text[0] is 'D' or 'E' or 'C' ? text[..2] : text[..4];
}
