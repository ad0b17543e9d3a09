using CsCheck;
using Weiche.Core.Live;
using Weiche.Core.Midi;
using Weiche.Core.Pulse;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;
using static Weiche.Core.Tests.Rooms;

namespace Weiche.Core.Tests.Live;

/// <summary>The time as the engine keeps it: pulses, starts and stops at who follows, byte for byte with their times. An hour is played in
/// milliseconds.</summary>
public sealed class ConductorTests
{
    private const int Bar = 4 * Tempo.PulsesABeat;

    private static Studio Own(Func<TimePlan, TimePlan>? how = null) =>
        Set(
            Of("box", "keys", "a", "b"),
            plan => (how ?? (same => same))(plan with { Master = ClockMaster.Own }),
            ("a", ClockForm.Steadied, 0),
            ("b", ClockForm.Steadied, 0)
        );

    private static Studio Followed(ClockForm form = ClockForm.Steadied, Func<TimePlan, TimePlan>? how = null)
    {
        var studio = Of("box", "keys", "a", "b");
        return Set(
            studio,
            plan => (how ?? (same => same))(plan with { Master = new ClockMaster(studio.From("box")) }),
            ("a", form, 0),
            ("b", ClockForm.AsItCame, 0)
        );
    }

    private static Studio Set(Studio studio, Func<TimePlan, TimePlan> how, params (string To, ClockForm Form, long OffsetMs)[] followers)
    {
        studio = studio with { Time = how(studio.Time) };
        foreach (var (to, form, offset) in followers)
            studio = studio.Must(new SetFollower(new Follower(studio.To(to), form, true, MidiSpan.FromMilliseconds(offset))));
        return studio.Checked();
    }

    [Fact]
    public void After_an_hour_the_own_clock_is_where_its_tempo_says_whatever_that_is() =>
        Gen.Int[Tempo.Slowest, Tempo.Fastest]
            .Sample(
                hundredths =>
                {
                    var time = new Evening(Own(plan => plan with { Tempo = new Tempo(hundredths) }));
                    time.GoOn(3_600_000);
                    var pulses = time.PulsesAt("a");
                    Assert.Equal(3_600L * 24 * hundredths / 6_000 + 1, pulses.Count);
                    foreach (var (n, at) in pulses.Index())
                        Assert.InRange(at.Microseconds - (double)n * Tempo.IntervalTimesHundredths / hundredths, -0.51, 0.51);
                },
                iter: 6
            );

    [Fact]
    public void One_start_begins_all_who_want_it_in_the_same_pulse()
    {
        var time = new Evening(Set(Own(), plan => plan, ("b", ClockForm.Steadied, -12)));
        time.GoOn(1_000);
        time.Do(TimeWork.Start);
        time.GoOn(1_000);
        time.Do(TimeWork.Stop);
        time.GoOn(200);

        var (a, b) = (time.BytesAt("a"), time.BytesAt("b"));
        Assert.Equal(1, a.Count(each => each.Byte == 0xFA));
        // So many pulses since the start at the one as at the other; the one that gets them early is ahead by one at most.
        var (since, early) = (Since(a), Since(b));
        Assert.InRange(early - since, 0, 1);
        // Each pulse goes out twelve milliseconds before the other's.
        var (first, firstEarly) = (First(a), First(b));
        Assert.Equal(12_000, (first - firstEarly).Microseconds);
        Assert.False(time.Engine.Time.IsPlaying);

        static int Since(List<(MidiTime At, byte Byte)> bytes) =>
            bytes.SkipWhile(each => each.Byte != 0xFA).TakeWhile(each => each.Byte != 0xFC).Count(each => each.Byte == 0xF8);
        static MidiTime First(List<(MidiTime At, byte Byte)> bytes) =>
            bytes.SkipWhile(each => each.Byte != 0xFA).First(each => each.Byte == 0xF8).At;
    }

    [Theory]
    [InlineData(ClockForm.Steadied, false)]
    [InlineData(ClockForm.None, true)]
    [InlineData(ClockForm.None, false)]
    public void Who_was_started_and_follows_no_more_is_stopped_once_and_goes_along_again_from_a_bar(ClockForm form, bool starts)
    {
        var time = new Evening(Own());
        time.Do(TimeWork.Start);
        time.GoOn(1_000);
        time.Edit(new SetFollower(new Follower(time.Studio.To("b"), form, starts, MidiSpan.Zero)));
        time.GoOn(5_000);
        Assert.Equal(starts ? 0 : 1, time.BytesAt("b").Count(each => each.Byte == 0xFC));
        // The other one plays on; so does one that gets no pulses but is still told.
        Assert.DoesNotContain(time.BytesAt("a"), each => each.Byte == 0xFC);
        time.Edit(new SetFollower(new Follower(time.Studio.To("b"), ClockForm.Steadied, true, MidiSpan.Zero)));
        time.GoOn(5_000);
        Assert.Equal(starts ? 0 : 1, time.BytesAt("b").Count(each => each.Byte == 0xFB));
        Assert.Equal(starts ? 0 : 1, time.BytesAt("b").Count(each => each.Byte == 0xFC));
    }

    [Fact]
    public void A_start_may_wait_for_the_bar_and_count_in()
    {
        var time = new Evening(Own(plan => plan with { WaitsForBar = true, CountIn = 1, Tempo = new Tempo(12_000) }));
        time.GoOn(100);
        time.Do(TimeWork.Start);
        Assert.True(time.Engine.Time is { Begins: true, IsPlaying: false });
        time.GoOn(3_890);
        // The bar begins after two seconds, and another one is counted in.
        Assert.False(time.Engine.Time.IsPlaying);
        Assert.Equal((0, 4), time.Engine.Time.Bar.Of(time.Engine.Time.Position));
        time.GoOn(20);
        Assert.True(time.Engine.Time.IsPlaying);
        Assert.Equal(4_000_000, time.BytesAt("a").SkipWhile(each => each.Byte != 0xFA).First(each => each.Byte == 0xF8).At.Microseconds);
    }

    [Fact]
    public void Continue_says_where()
    {
        var time = new Evening(Own());
        time.Do(TimeWork.Start);
        time.GoOn(2_100);
        time.Do(TimeWork.Stop);
        time.GoOn(300);
        time.Do(TimeWork.Continue);
        time.GoOn(100);
        // 2.1 s are 100.8 pulses: the next sixteenth is the seventeenth.
        Assert.Equal(["FA", "FC", "F2 11 00", "FB"], time.OrdersAt("a"));
        Assert.Equal(time.OrdersAt("a"), time.OrdersAt("b"));
    }

    [Fact]
    public void Back_in_step_stops_and_goes_on_at_the_next_bar_at_the_right_place()
    {
        var time = new Evening(Own());
        time.Do(TimeWork.Start);
        time.GoOn(2_500);
        time.Engine.BackInStep(time.Studio.To("b"), time.Now);
        time.GoOn(2_000);
        Assert.Equal(["FA"], time.OrdersAt("a"));
        Assert.Equal(["FA", "FC", "F2 20 00", "FB"], time.OrdersAt("b"));
        // The continue stands right before the pulse with which the third bar begins.
        var after = time.BytesAt("b").SkipWhile(each => each.Byte != 0xFB).First(each => each.Byte == 0xF8).At;
        Assert.Equal(4_020_833, after.Microseconds);
        Assert.Equal(time.PulsesAt("a").Count, time.PulsesAt("b").Count);
    }

    [Theory]
    [InlineData(false)]
    [InlineData(true)]
    public void Held_and_let_go_the_beat_is_where_the_hand_says(bool overBar)
    {
        var time = new Evening(Own(plan => plan with { MovesOverBar = overBar }));
        time.Do(TimeWork.Start);
        time.GoOn(2_100);
        time.Do(TimeWork.HoldAndLetGo);
        time.GoOn(90);
        time.LetGo(TimeWork.HoldAndLetGo);
        // Let go at 2.19 s, 190 ms after the bar: bars are there from now on.
        time.GoOn(8_000);
        var pulses = time.PulsesAt("a");
        Assert.Contains(pulses, at => Math.Abs(at.Microseconds - 4_190_000) < 30 * (overBar ? 1 : 0) + 2);
        Assert.Contains(pulses, at => Math.Abs(at.Microseconds - 6_190_000) < 30 * (overBar ? 1 : 0) + 2);
        var position = time.Engine.Time;
        Assert.Equal(0, Math.Round((6_190_000 - position.At.Microseconds) / position.Interval + position.Position) % Bar);
        // Over a bar nobody is stopped, and no pulse is left out or made twice.
        Assert.Equal(overBar ? ["FA"] : ["FA", "FC", "F2 10 00", "FB"], time.OrdersAt("a"));
    }

    [Fact]
    public void Taps_set_the_tempo_and_a_nudge_lasts_as_long_as_it_is_held()
    {
        var time = new Evening(Own());
        foreach (var _ in Enumerable.Range(0, 5))
        {
            time.Do(TimeWork.Tap);
            time.GoOn(600);
        }
        Assert.Equal(10_000, time.Engine.Time.Tempo.Hundredths);
        var before = time.PulsesAt("a").Count;
        time.Do(TimeWork.Faster);
        time.GoOn(6_000);
        time.LetGo(TimeWork.Faster);
        Assert.InRange(time.PulsesAt("a").Count - before, 243, 246);
        Assert.Equal(100, time.Engine.Time.Bpm, 0.01);
    }

    [Fact]
    public void A_followed_clock_goes_out_as_it_came_or_steadied_and_the_count_is_the_masters() =>
        Gen.Select(Gen.Double[40, 240], Gen.Double[0, 3], Gen.Bool, Gen.Int[0, 1_000_000])
            .Sample(
                (bpm, jitterMs, starts, seed) =>
                {
                    var random = new Random(seed);
                    var time = new Evening(Followed());
                    var interval = 2_500_000 / bpm;
                    var sent = new List<MidiTime>();
                    for (var i = 0; i < 480; i++)
                    {
                        time.GoTo(
                            new MidiTime(
                                (long)(1e6 + i * interval + (random.NextDouble() * 2 - 1) * Math.Min(jitterMs * 1000, interval / 3))
                            )
                        );
                        if (starts && i == 240)
                            time.Send("box", 0xFA);
                        time.Send("box", 0xF8);
                        sent.Add(time.Now);
                    }
                    time.GoOn(2_000);
                    // What comes as it came is what came.
                    Assert.Equal(sent, time.PulsesAt("b"));
                    var (a, b) = (time.BytesAt("a"), time.BytesAt("b"));
                    if (starts)
                    {
                        (a, b) = ([.. a.SkipWhile(each => each.Byte != 0xFA)], [.. b.SkipWhile(each => each.Byte != 0xFA)]);
                        Assert.Equal(240, b.Count(each => each.Byte == 0xF8));
                    }
                    // The copy has made no pulse more than the few by which it may be ahead, and none less.
                    Assert.InRange(a.Count(each => each.Byte == 0xF8) - b.Count(each => each.Byte == 0xF8), 0, 7);
                    Assert.Equal(TimeState.Silent, time.Engine.Time.State);
                },
                iter: 200
            );

    [Fact]
    public void When_the_master_falls_silent_it_is_said_at_once_and_taken_up_again_where_it_is()
    {
        foreach (var coasts in new[] { false, true })
        {
            var time = new Evening(Followed(how: plan => coasts ? plan with { CoastBars = 8 } : plan));
            var interval = 2_500_000 / 120.0;
            time.Send("box", 0xFA);
            for (var i = 0; i < 960; i++)
            {
                time.GoTo(new MidiTime((long)(1e6 + i * interval)));
                // For two seconds, ninety-six pulses, nothing comes.
                if (i is < 400 or >= 496)
                    time.Send("box", 0xF8);
                else if (i == 450)
                    Assert.Equal(coasts ? TimeState.Coasting : TimeState.Silent, time.Engine.Time.State);
            }
            Assert.Equal(TimeState.Running, time.Engine.Time.State);
            if (!coasts)
                continue;
            Assert.Equal(960, time.PulsesAt("a").Count, 1.0);
            // Who gets it as it came gets what coasts as well, once each.
            Assert.Equal(960, time.PulsesAt("b").Count, 1.0);
            Assert.Equal(959, time.Engine.Time.Position, 1.0);
            Assert.InRange(
                time.PulsesAt("a").Zip(time.PulsesAt("a").Skip(1), (one, next) => (next - one).Microseconds).Skip(96).Max(),
                20_000,
                22_000
            );
        }
    }

    [Fact]
    public void A_source_that_breaks_off_is_lost_at_once()
    {
        var time = new Evening(Followed());
        for (var i = 0; i < 100; i++)
        {
            time.GoOn(20);
            time.Send("box", 0xF8);
        }
        Assert.Equal(TimeState.Running, time.Engine.Time.State);
        time.Engine.BreakOff(time.Studio.From("box"), time.Now);
        Assert.Equal(TimeState.Silent, time.Engine.Time.State);
    }

    [Fact]
    public void Start_start_stop_continue_in_any_order_and_in_one_read_have_a_defined_end() =>
        Gen.Select(Gen.Int[0, 4].Select(i => new byte[] { 0xFA, 0xFB, 0xFC, 0xF8, 0xF2 }[i]).Array[1, 40], Gen.Bool, Gen.Int[0, 40])
            .Sample(
                (bytes, oneRead, gap) =>
                {
                    var time = new Evening(Followed());
                    for (var i = 0; i < 60; i++)
                    {
                        time.GoOn(20);
                        time.Send("box", 0xF8);
                    }
                    byte[] all = [.. bytes.SelectMany(each => each == 0xF2 ? [each, 16, 0] : new[] { each })];
                    if (oneRead)
                    {
                        time.Send("box", all);
                    }
                    else
                    {
                        foreach (var each in all)
                        {
                            time.GoOn(gap);
                            time.Send("box", each);
                        }
                    }
                    for (var i = 0; i < 30; i++)
                    {
                        time.GoOn(20);
                        time.Send("box", 0xF8);
                    }
                    var last = bytes.LastOrDefault(each => each is 0xFA or 0xFB or 0xFC);
                    Assert.Equal(last is 0xFA or 0xFB, time.Engine.Time.IsPlaying);
                    foreach (var to in new[] { "a", "b" })
                    {
                        // Each is told stop before it is started again, and what it was told last is what is so.
                        var orders = time.OrdersAt(to).Where(each => !each.StartsWith("F2", StringComparison.Ordinal)).ToList();
                        foreach (var (one, next) in orders.Zip(orders.Skip(1)))
                            Assert.True((one == "FC") != (next == "FC"), string.Join(' ', orders));
                        Assert.Equal(time.Engine.Time.IsPlaying, orders.LastOrDefault() is "FA" or "FB");
                    }
                },
                iter: 1_000
            );

    [Fact]
    public void Who_comes_late_or_comes_back_goes_along_from_the_next_bar()
    {
        var time = new Evening(Own());
        time.Edit(new SetFollower(new Follower(time.Studio.To("b"), ClockForm.Steadied, false, MidiSpan.Zero)));
        time.Do(TimeWork.Start);
        time.GoOn(2_500);
        Assert.Empty(time.OrdersAt("b"));
        time.Edit(new SetFollower(new Follower(time.Studio.To("b"), ClockForm.Steadied, true, MidiSpan.Zero)));
        time.GoOn(2_000);
        Assert.Equal(["F2 20 00", "FB"], time.OrdersAt("b"));
        // Pulled out and plugged in again it is told anew; the others are left alone.
        time.Away = time.Studio.To("b");
        time.GoOn(500);
        time.Away = default;
        time.Engine.Return(time.Studio.To("b"), time.Now);
        time.GoOn(2_000);
        Assert.Equal(["F2 20 00", "FB", "FC", "F2 30 00", "FB"], time.OrdersAt("b"));
        Assert.Equal(["FA"], time.OrdersAt("a"));
    }

    [Fact]
    public void Who_comes_or_comes_back_before_the_beginning_begins_with_the_rest()
    {
        // During the count-in.
        var time = new Evening(Own(plan => plan with { CountIn = 1 }));
        time.Edit(new SetFollower(new Follower(time.Studio.To("b"), ClockForm.Steadied, false, MidiSpan.Zero)));
        time.Do(TimeWork.Start);
        time.GoOn(500);
        time.Edit(new SetFollower(new Follower(time.Studio.To("b"), ClockForm.Steadied, true, MidiSpan.Zero)));
        time.GoOn(3_000);
        Assert.Equal(["FA"], time.OrdersAt("b"));
        Assert.Equal(StartOf("a"), StartOf("b"));

        // Between a master's start and its first pulse: what was told meanwhile was told to nobody.
        time = new Evening(Followed());
        time.Away = time.Studio.To("a");
        time.Send("box", 0xF8);
        time.GoOn(700);
        time.Send("box", 0xFA);
        time.GoOn(50);
        time.Away = default;
        time.Engine.Return(time.Studio.To("a"), time.Now);
        for (var i = 0; i < Bar; i++)
        {
            time.Send("box", 0xF8);
            time.GoOn(20);
        }
        Assert.Equal("FA", time.OrdersAt("a")[^1]);
        Assert.Equal(["FA"], time.OrdersAt("b"));

        MidiTime StartOf(string who) => time.BytesAt(who).First(each => each.Byte == 0xFA).At;
    }

    [Fact]
    public void A_pedal_holds_the_beat_and_lets_it_go_and_one_that_is_pulled_out_moves_nothing()
    {
        var studio = Own();
        studio = studio
            .Must(new AddLever(studio.From("keys"), new LeverTrigger(LeverKind.Control, 64), new WorkTime(TimeWork.HoldAndLetGo)))
            .Must(new AddLever(studio.From("keys"), new LeverTrigger(LeverKind.Key, 40), new WorkTime(TimeWork.StartOrStop)));
        studio.Refused(new AddLever(studio.From("keys"), new LeverTrigger(LeverKind.Program, 3), new WorkTime(TimeWork.HoldAndLetGo)));
        var time = new Evening(studio);
        time.Send("keys", 0x90, 40, 100, 0x80, 40, 0);
        time.GoOn(2_100);
        time.Send("keys", 0xB0, 64, 127);
        Assert.True(time.Engine.Time.IsHeld);
        time.GoOn(100);
        time.Send("keys", 0xB0, 64, 0);
        Assert.False(time.Engine.Time.IsHeld);
        Assert.Equal(["FA", "FC", "F2 10 00", "FB"], time.OrdersAt("a"));
        Assert.Contains(time.PulsesAt("a"), at => at.Microseconds == 2_200_000);
        time.Send("keys", 0xB0, 64, 127);
        time.GoOn(100);
        time.Engine.BreakOff(time.Studio.From("keys"), time.Now);
        Assert.False(time.Engine.Time.IsHeld);
        time.Send("keys", 0xB0, 64, 127);
        time.Edit(new RemoveLever(time.Studio.Levers[0].Id));
        Assert.False(time.Engine.Time.IsHeld);
        Assert.Equal(4, time.OrdersAt("a").Count);
        time.Send("keys", 0x90, 40, 100);
        Assert.False(time.Engine.Time.IsPlaying);
    }

    [Theory]
    [InlineData(1_000, 1)]
    [InlineData(3, 1)]
    [InlineData(100_000, 1)]
    [InlineData(1_000, 500)]
    public void A_clock_that_is_none_holds_nobody_up(double bpm, int atOnce)
    {
        foreach (var coasts in new[] { 0, 4 })
        {
            var studio = Set(Followed(how: plan => plan with { CoastBars = coasts }), plan => plan, ("a", ClockForm.Steadied, -50));
            var time = new Evening(studio);
            for (var i = 0; i < 200; i++)
            {
                time.GoTo(time.Now + new MidiSpan((long)(2_500_000 / bpm)));
                time.Send("box", [.. Enumerable.Repeat((byte)0xF8, atOnce)]);
            }
            time.GoOn(20_000);
            // As it came it goes on; the copy is no faster than what is a tempo.
            var seconds = time.Now.Microseconds / 1e6;
            Assert.InRange(time.PulsesAt("a").Count, 1, seconds * 340 + 100);
        }
    }

    [Fact]
    public void What_the_clock_goes_to_gets_no_other_by_a_route()
    {
        var time = new Evening(Followed().Lay("box", "a").Lay("keys", "a"));
        for (var i = 0; i < 100; i++)
        {
            time.GoOn(20);
            time.Send("box", 0xF8);
            time.Send("keys", 0xF8, 0xFA);
        }
        Assert.Equal(100, time.PulsesAt("a").Count, 3.0);
        Assert.Empty(time.OrdersAt("a"));
    }

    [Fact]
    public void A_lineup_has_its_own_master_and_tempo_and_positions_go_on()
    {
        var studio = Followed().Must(new AddLineup("One")).Must(new AddLineup("Two")).Must(new AddLineup("Three"));
        studio = studio
            .Must(new SetMaster(ClockMaster.Own, studio.Lineups[1].Id))
            .Must(new SetTempo(new Tempo(6_000), studio.Lineups[1].Id))
            .In(studio.Lineups[0].Id);
        var time = new Evening(studio);
        time.Send("box", 0xFA);
        for (var i = 0; i < 200; i++)
        {
            time.GoOn(20);
            time.Send("box", 0xF8);
        }
        var before = time.Engine.Time.Position;
        time.Engine.Enter(studio.Lineups[1].Id, time.Now);
        time.GoOn(1_000);
        Assert.Equal(60, time.Engine.Time.Bpm, 0.01);
        Assert.Equal(before + 24, time.Engine.Time.Position, 1.0);
        Assert.True(time.Engine.Time.IsPlaying);
        time.Engine.Enter(studio.Lineups[2].Id, time.Now);
        Assert.Equal(TimeState.Silent, time.Engine.Time.State);
        time.Send("box", 0xF8);
        Assert.Equal(TimeState.Running, time.Engine.Time.State);
    }

    [Fact]
    public void Edits_while_it_runs_leave_out_no_pulse_and_make_none_twice() =>
        Gen.Select(Gen.Int[-40, 60], Gen.Int[1, 200], Gen.Int[0, 4])
            .Sample(
                (offset, at, what) =>
                {
                    var time = new Evening(Own());
                    time.Do(TimeWork.Start);
                    time.GoOn(1_000);
                    time.GoOn(at);
                    time.Edit(
                        what switch
                        {
                            0 => new RenameStudio("other"),
                            1 => new SetTempo(new Tempo(9_000)),
                            2 => new SetFollower(new Follower(time.Studio.To("a"), ClockForm.AsItCame, true, MidiSpan.Zero)),
                            3 => new SetFollower(
                                new Follower(time.Studio.To("b"), ClockForm.Steadied, true, MidiSpan.FromMilliseconds(offset))
                            ),
                            _ => new SetFollower(new Follower(time.Studio.To("b"), ClockForm.None, false, MidiSpan.Zero)),
                        }
                    );
                    time.GoOn(2_000);
                    var pulses = time.PulsesAt("a");
                    foreach (var (one, next) in pulses.Zip(pulses.Skip(1)))
                        Assert.InRange((next - one).Microseconds, 20_832, 27_779);
                    Assert.InRange(pulses.Count, 110, 160);
                    if (what == 3)
                        Assert.Equal(pulses.Count, time.PulsesAt("b").Count, 1 + Math.Abs(offset) / 20.0);
                },
                iter: 300
            );

    [Fact]
    public void While_time_runs_nothing_is_allocated()
    {
        var time = new Evening(Followed(how: plan => plan with { CoastBars = 4 })) { Keeps = false };
        byte[] pulse = [0xF8];
        void Play()
        {
            for (var i = 0; i < 2_000; i++)
            {
                time.GoOn(20);
                time.Engine.Receive(time.Box, pulse, time.Now);
                if (i % 500 == 100)
                    time.Do(TimeWork.Start);
                if (i % 500 == 300)
                    time.Do(TimeWork.Stop);
            }
        }
        Play();
        Assert.Equal(0, Allocations.Of(Play));
    }
}
