using CsCheck;
using Weiche.Core.Live;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;
using static Weiche.Core.Tests.Rooms;

namespace Weiche.Core.Tests.Live;

/// <summary>Several clocks at one destination: one is heard at a time.</summary>
public class ClockTests
{
    private const byte Clock = 0xF8;
    private const byte Start = 0xFA;
    private const byte Stop = 0xFC;

    private static Studio Two() =>
        Of("x", "y", "keys", "synth", "other").Lay("x", "synth").Lay("y", "synth").Lay("keys", "synth").Lay("y", "other");

    [Fact]
    public void The_first_clock_is_heard_and_the_other_left_out_with_its_start_and_stop()
    {
        var rig = new Rig(Two());
        rig.Send("x", Clock);
        rig.Send("y", Clock, Start, 0xF2, 0, 0, Clock, Stop, 0xFB);
        rig.Send("x", Clock, Start);
        Assert.Equal(["F8", "F8", "FA"], rig.At("synth"));
        Assert.Equal(6, rig.Engine.Compiled.Meter(rig.Studio.To("synth"))!.OtherClock);
        // Where it is alone it is heard, with everything else of its own.
        Assert.Equal(["F8", "FA", "F20000", "F8", "FC", "FB"], rig.At("other"));
        rig.Send("y", 0x90, 60, 100);
        Assert.Equal("903C64", rig.At("synth")[^1]);
    }

    [Fact]
    public void A_source_without_a_clock_may_start_and_stop_what_another_keeps_in_time()
    {
        var rig = new Rig(Two());
        rig.Send("x", Clock);
        rig.Send("keys", Start, Stop, 0xF2, 1, 0);
        Assert.Equal(["F8", "FA", "FC", "F20100"], rig.At("synth"));
    }

    [Fact]
    public void When_the_first_falls_silent_the_other_is_heard()
    {
        var rig = new Rig(Two());
        rig.Send("x", Clock);
        rig.Wait(ClockChoice.Patience.Microseconds - 1);
        rig.Send("y", Clock);
        Assert.Equal(["F8"], rig.At("synth"));
        rig.Wait(1);
        rig.Send("y", Clock, Start);
        rig.Send("x", Clock, Stop);
        Assert.Equal(["F8", "F8", "FA"], rig.At("synth"));
    }

    [Fact]
    public void A_clock_that_is_led_elsewhere_or_pulled_out_makes_way_at_once()
    {
        var rig = new Rig(Two());
        rig.Send("x", Clock);
        rig.Edit(new SwitchRoute(rig.Studio.Routes[2].Id, false));
        rig.Send("y", Clock);
        Assert.Equal(["F8"], rig.At("synth"));
        rig.Edit(new SwitchRoute(rig.Studio.Routes[0].Id, false));
        rig.Send("y", Clock, Start);
        Assert.Equal(["F8", "F8", "FA"], rig.At("synth"));
        rig.Edit(new SwitchRoute(rig.Studio.Routes[0].Id, true));
        rig.Send("x", Clock);
        Assert.Equal(3, rig.At("synth").Count);
        rig.Engine.BreakOff(rig.Studio.From("y"), rig.Now);
        rig.Send("x", Clock);
        Assert.Equal(4, rig.At("synth").Count);
    }

    [Fact]
    public void One_clock_at_a_time_whatever_comes()
    {
        string[] sources = ["x", "y", "keys"];
        byte[] messages = [Clock, Clock, Clock, Start, Stop, 0xFB];
        Gen.Select(Gen.Int[0, 2], Gen.Int[0, messages.Length - 1], Gen.OneOf(Gen.Long[0, 30_000], Gen.Long[300_000, 700_000]))
            .Array[1, 60]
            .Sample(
                play =>
                {
                    var rig = new Rig(Two());
                    var (heard, heardAt, expected) = ("", 0L, new List<string>());
                    var lastClock = sources.ToDictionary(name => name, _ => long.MinValue / 2);
                    foreach (var (who, what, after) in play)
                    {
                        rig.Wait(after);
                        var (name, message) = (sources[who], messages[what]);
                        rig.Send(name, message);
                        var now = rig.Now.Microseconds;
                        if (message == Clock)
                            lastClock[name] = now;
                        var another = heard.Length > 0 && heard != name && now - heardAt <= ClockChoice.Patience.Microseconds;
                        if (another && now - lastClock[name] <= ClockChoice.Patience.Microseconds)
                            continue;
                        if (message == Clock)
                            (heard, heardAt) = (name, now);
                        expected.Add(message.ToString("X2", System.Globalization.CultureInfo.InvariantCulture));
                    }
                    Assert.Equal(expected, rig.At("synth"));
                },
                iter: 3_000
            );
    }
}
