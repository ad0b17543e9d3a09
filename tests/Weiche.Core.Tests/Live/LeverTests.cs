using Weiche.Core.Live;
using Weiche.Core.Midi;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;
using static Weiche.Core.Tests.Rooms;

namespace Weiche.Core.Tests.Live;

/// <summary>Levers work inside the engine: what comes in the same read after one is routed as it has set things.</summary>
public class LeverTests
{
    /// <summary>Keys lead to b in the first lineup, to c in the second and third; pads always to d.</summary>
    private static Studio Stage(params (LeverTrigger Trigger, LeverWork Work)[] levers)
    {
        var studio = Of("keys", "pads", "b", "c", "d")
            .Lay("keys", "b")
            .Lay("keys", "c")
            .Lay("pads", "d")
            .Must(new AddLineup("One"))
            .Must(new AddLineup("Two"))
            .Must(new AddLineup("Three"));
        var ids = studio.Lineups.Select(lineup => lineup.Id).ToArray();
        studio = studio
            .Must(new SetDuty(studio.Routes[0].Id, Duty.In(ids[0])))
            .Must(new SetDuty(studio.Routes[1].Id, Duty.In(ids[1], ids[2])))
            .Must(new AddSending(ids[1], new Sending(studio.To("c"), [0xC0, 16])));
        foreach (var (trigger, work) in levers)
            studio = studio.Must(new AddLever(studio.From("keys"), trigger, work));
        return studio.In(ids[0]);
    }

    [Fact]
    public void What_comes_in_the_same_read_after_the_lever_goes_the_new_way_and_what_came_before_it_the_old()
    {
        var rig = new Rig(Stage((new LeverTrigger(LeverKind.Program, 1), new StepLineup(1))));
        rig.Send("keys", 0x90, 60, 100, 0xC0, 1, 0x90, 62, 100, 0x80, 60, 0);
        Assert.Equal(["903C64", "803C00"], rig.At("b"));
        // The program goes on, the way that is in force after it; what the lineup sends stands before everything.
        Assert.Equal(["C010", "C001", "903E64"], rig.At("c"));
        Assert.Equal(rig.Studio.Lineups[1].Id, rig.Engine.InForce);
    }

    [Fact]
    public void A_key_that_is_a_lever_is_swallowed_with_its_end()
    {
        var rig = new Rig(Stage((new LeverTrigger(LeverKind.Key, 48), new StepLineup(1))));
        rig.Send("keys", 0x90, 48, 100, 0x90, 48, 100, 0x90, 48, 0, 0x90, 60, 90);
        Assert.Equal(rig.Studio.Lineups[1].Id, rig.Engine.InForce);
        Assert.Equal(["C010", "903C5A"], rig.At("c"));
        Assert.Empty(rig.At("b"));
    }

    [Fact]
    public void A_key_that_was_down_before_it_became_a_lever_ends_as_a_note_and_one_that_is_none_any_more_ends_as_a_lever()
    {
        var rig = new Rig(Stage());
        rig.Send("keys", 0x90, 48, 100);
        rig.Edit(new AddLever(rig.Studio.From("keys"), new LeverTrigger(LeverKind.Key, 48), new StepLineup(1)));
        rig.Send("keys", 0x80, 48, 64);
        Assert.Equal(["903064", "803040"], rig.At("b"));
        rig.Send("keys", 0x90, 48, 100);
        rig.Edit(new RemoveLever(rig.Studio.Levers[0].Id));
        rig.Send("keys", 0x80, 48, 64);
        Assert.Equal(2, rig.At("b").Count);
        Assert.Equal(["C010"], rig.At("c"));
    }

    [Fact]
    public void A_pedal_works_once_a_press_however_it_chatters()
    {
        var rig = new Rig(Stage((new LeverTrigger(LeverKind.Control, 80), new StepLineup(1))));
        rig.Send("keys", 0xB0, 80, 30, 0xB0, 80, 64, 0xB0, 80, 62, 0xB0, 80, 65, 0xB0, 80, 61, 0xB0, 80, 127);
        Assert.Equal(rig.Studio.Lineups[1].Id, rig.Engine.InForce);
        rig.Send("keys", 0xB0, 80, 59, 0xB0, 80, 64);
        Assert.Equal(rig.Studio.Lineups[2].Id, rig.Engine.InForce);
        // At the end of the running order nothing happens.
        rig.Send("keys", 0xB0, 80, 0, 0xB0, 80, 127);
        Assert.Equal(rig.Studio.Lineups[2].Id, rig.Engine.InForce);
        Assert.Equal(["C010"], rig.At("c"));
    }

    [Fact]
    public void A_sustain_pedal_that_was_down_before_it_became_a_lever_comes_up()
    {
        var rig = new Rig(Stage());
        rig.Send("keys", 0xB0, 64, 127);
        rig.Edit(new AddLever(rig.Studio.From("keys"), new LeverTrigger(LeverKind.Control, 64), new StepLineup(1)));
        rig.Send("keys", 0xB0, 64, 0);
        Assert.Equal(["B0407F", "B04000"], rig.At("b"));
        rig.Send("keys", 0xB0, 64, 127, 0xB0, 64, 0);
        Assert.Equal(2, rig.At("b").Count);
        Assert.Equal(rig.Studio.Lineups[1].Id, rig.Engine.InForce);
    }

    [Fact]
    public void A_storm_of_programs_enters_each_in_order_and_the_last_wins()
    {
        var studio = Stage();
        foreach (var (index, lineup) in studio.Lineups.Index())
            studio = studio.Must(new AddLever(studio.From("keys"), new LeverTrigger(LeverKind.Program, index), new EnterLineup(lineup.Id)));
        var rig = new Rig(studio);
        rig.Send("keys", [.. Enumerable.Range(0, 100).SelectMany(i => new byte[] { 0xC0, (byte)(i % 3) })]);
        Assert.Equal(rig.Studio.Lineups[0].Id, rig.Engine.InForce);
        Assert.Equal(33, rig.At("c").Count(text => text == "C010"));
    }

    [Fact]
    public void A_lever_works_in_its_lineups_alone()
    {
        var studio = Stage((new LeverTrigger(LeverKind.Key, 48), new StepLineup(1)));
        var rig = new Rig(studio.Must(new SetLeverWorks(studio.Levers[0].Id, Duty.In(studio.Lineups[0].Id))));
        rig.Send("keys", 0x90, 48, 100, 0x80, 48, 0, 0x90, 48, 100, 0x80, 48, 0);
        Assert.Equal(rig.Studio.Lineups[1].Id, rig.Engine.InForce);
        Assert.Equal(["C010", "903064", "803000"], rig.At("c"));
    }

    [Fact]
    public void A_lever_switches_a_route_as_long_as_it_is_held_and_a_lever_that_is_pulled_out_is_let_go()
    {
        var studio = Of("keys", "b", "c").Lay("keys", "b").Lay("keys", "c");
        studio = studio
            .Must(new SwitchRoute(studio.Routes[1].Id, false))
            .Must(
                new AddLever(
                    studio.From("keys"),
                    new LeverTrigger(LeverKind.Key, 48),
                    new SwitchRoutes([studio.Routes[1].Id], LeverSwitch.WhileHeld)
                )
            );
        var rig = new Rig(studio);
        rig.Send("keys", 0x90, 60, 1, 0x90, 48, 100, 0x90, 62, 2);
        Assert.Equal(["903E02"], rig.At("c"));
        rig.Send("keys", 0x80, 48, 0);
        // Switched off, it ends what it holds.
        Assert.Equal(["903E02", "803E40"], rig.At("c"));
        rig.Send("keys", 0x90, 48, 100);
        Assert.False(rig.Engine.IsOff(studio.Routes[1].Id));
        rig.BreakOff(studio.From("keys"));
        Assert.True(rig.Engine.IsOff(studio.Routes[1].Id));
    }

    [Fact]
    public void What_a_lever_has_switched_stays_through_edits_until_the_route_itself_is_switched()
    {
        var studio = Of("keys", "b", "c").Lay("keys", "b").Lay("keys", "c");
        studio = studio.Must(
            new AddLever(
                studio.From("keys"),
                new LeverTrigger(LeverKind.Key, 48),
                new SwitchRoutes([.. studio.Routes.Select(route => route.Id)], LeverSwitch.Over)
            )
        );
        studio = studio.Must(new SwitchRoute(studio.Routes[1].Id, false));
        var rig = new Rig(studio);
        rig.Send("keys", 0x90, 48, 100, 0x80, 48, 0, 0x90, 60, 1, 0x80, 60, 0);
        Assert.Equal((0, 2), (rig.At("b").Count, rig.At("c").Count));
        rig.Edit(new AddVirtualPort("d"));
        rig.Send("keys", 0x90, 60, 1, 0x80, 60, 0);
        Assert.Equal((0, 4), (rig.At("b").Count, rig.At("c").Count));
        rig.Edit(new SwitchRoute(studio.Routes[1].Id, true));
        Assert.False(rig.Engine.IsOff(studio.Routes[1].Id));
        rig.Edit(new RemoveLever(rig.Studio.Levers[0].Id));
        Assert.False(rig.Engine.IsOff(studio.Routes[0].Id));
    }

    [Fact]
    public void What_a_lineup_sends_into_a_slow_wire_is_paced_and_what_is_played_waits_behind_it_there_alone()
    {
        var studio = Of("keys", "b").Must(new AddDevice("Weiher, interface", null));
        studio = studio.Must(new AddDevice("Zinn, sound module, on Weiher 1", null));
        var zinn = studio.Destinations.First(port => port.Device.Name == "Zinn").Id;
        studio = studio
            .Must(new LayRoute(studio.From("keys"), zinn))
            .Lay("keys", "b")
            .Must(new AddLineup("One"))
            .Must(new AddLineup("Two"));
        // Five hundred controllers of three bytes, of which running status saves one each but the first.
        var sends = Enumerable.Range(0, 500).Select(i => new Sending(zinn, [0xB0, 7, (byte)(i % 128)]));
        studio = studio with { Lineups = studio.Lineups.SetItem(1, studio.Lineups[1] with { Sends = [.. sends] }) };
        var rig = new Rig(studio.In(studio.Lineups[0].Id));
        rig.Enter(studio.Lineups[1].Id);
        rig.Send("keys", 0x90, 60, 100);
        Assert.Equal(["903C64"], rig.At("b"));
        Assert.InRange(rig.At(zinn).Count, 0, 20);
        rig.Wait(400_000);
        // Nothing of it is left out, and the note comes behind all of it.
        Assert.Equal(501, rig.At(zinn).Count);
        Assert.Equal("903C64", rig.At(zinn)[^1]);
        Assert.Equal(480, EntryTimes.Of(studio, studio.Lineups[1]).Single().Takes.Microseconds / 1000);
    }

    [Fact]
    public void Entering_allocates_nothing()
    {
        var studio = Stage(
            (new LeverTrigger(LeverKind.Program, 0), new StepLineup(-1)),
            (new LeverTrigger(LeverKind.Program, 1), new StepLineup(1))
        );
        var engine = new Engine(CompiledStudio.Compile(studio));
        byte[] evening = [0x90, 60, 100, 0xE0, 0, 100, 0xB0, 1, 90, 0xC0, 1, 0x90, 62, 100, 0x80, 60, 0, 0xC0, 0, 0x80, 62, 0];
        var taker = new Taken(_ => { });
        var (now, keys) = (MidiTime.Zero, studio.From("keys"));
        Assert.Equal(
            0,
            Allocations.Of(() =>
            {
                for (var i = 0; i < 100; i++)
                {
                    engine.Receive(keys, evening, now += MidiSpan.FromMilliseconds(1));
                    engine.Drain(ref taker, now);
                }
            })
        );
        Assert.True(engine.PlayedVersion >= 1600);
    }
}
