using CsCheck;
using Weiche.Core.Midi;
using Weiche.Core.Pulse;

namespace Weiche.Core.Tests.Pulse;

/// <summary>Clocks with known tempo, jitter, drops, bursts, steps and ramps: what is told of them, and the copies without jitter.</summary>
public sealed class SteadinessTests
{
    private const int Beat = Tempo.PulsesABeat;

    [Theory]
    [InlineData(40)]
    [InlineData(96)]
    [InlineData(120)]
    [InlineData(300)]
    public void The_tempo_of_an_even_clock_is_told_within_a_few_pulses(double bpm)
    {
        var estimate = new ClockEstimate();
        foreach (var time in Even(bpm, 8))
            estimate.Arrive(time);

        Assert.Equal(bpm, estimate.Bpm, bpm * 0.0005);
    }

    [Fact]
    public void After_four_beats_the_tempo_is_told_within_a_two_thousandth_whatever_jitter_late_pulses_and_gaps_there_are() =>
        Gen.Select(Gen.Double[40, 280], Gen.Double[0, 0.6], Gen.Bool, Gen.Bool, Gen.Int[0, 1_000_000])
            .Sample(
                (bpm, jitterMs, late, gaps, seed) =>
                {
                    var random = new Random(seed);
                    var interval = 2_500_000 / bpm;
                    var (estimate, run) = (new ClockEstimate(), 0);
                    for (var i = 0; i <= 4 * Beat; i++)
                    {
                        if (gaps && i is 30 or 31)
                            continue;
                        var off = (random.NextDouble() * 2 - 1) * jitterMs * 1000;
                        // Three in a row, each later than the one before, are another tempo as far as anybody can tell.
                        run = late && run < 2 && i is > 12 and < 4 * Beat - 2 and not (28 or 29) && random.Next(10) == 0 ? run + 1 : 0;
                        if (run > 0)
                            off += random.NextDouble() * 0.7 * interval;
                        estimate.Arrive(new MidiTime((long)(1e6 + i * interval + off)));
                    }
                    Assert.Equal(4 * Beat, estimate.Number);
                    // A two thousandth, where jitter of this size lets anybody know it: late pulses and gaps make it no worse.
                    Assert.InRange(estimate.Bpm / bpm, 1 - Bound(interval, jitterMs), 1 + Bound(interval, jitterMs));
                },
                iter: 2_000
            );

    private static double Bound(double interval, double jitterMs) =>
        Math.Max(0.0005, 5 * jitterMs * 1000 / 1.73 * Math.Sqrt(12) / Math.Pow(4 * Beat, 1.5) / interval);

    [Fact]
    public void A_gap_is_counted_along_and_a_burst_is_what_was_missed()
    {
        var estimate = new ClockEstimate();
        foreach (var time in Even(120, 48))
            estimate.Arrive(time);
        var interval = 2_500_000 / 120.0;
        // Three are late and come at once with the fourth.
        var at = 1_000_000 + (long)(51 * interval);
        for (var i = 0; i < 4; i++)
            estimate.Arrive(new MidiTime(at + i * 300));
        Assert.Equal(51, estimate.Number);
        // Two are lost.
        for (var i = 54; i < 96; i++)
            estimate.Arrive(new MidiTime(1_000_000 + (long)(i * interval)));

        Assert.Equal(95, estimate.Number);
        Assert.Equal(2, estimate.LostCount);
        Assert.Equal(120, estimate.Bpm, 0.05);
    }

    [Theory]
    [InlineData(120, 50)]
    [InlineData(200, 60)]
    [InlineData(60, 240)]
    public void A_clock_that_jumps_to_another_tempo_keeps_its_count(double before, double after)
    {
        var estimate = new ClockEstimate();
        var (time, count) = (1e6, 0);
        for (; count < 100; count++, time += 2_500_000 / before)
            estimate.Arrive(new MidiTime((long)time));
        for (; count < 200; count++, time += 2_500_000 / after)
            estimate.Arrive(new MidiTime((long)time));

        Assert.Equal(count - 1, estimate.Number);
        Assert.Equal(0, estimate.LostCount);
        Assert.Equal(after, estimate.Bpm, after * 0.001);
    }

    [Fact]
    public void From_three_milliseconds_of_jitter_to_a_fifth_of_one() =>
        Gen.Select(Gen.Double[60, 200], Gen.Int[0, 1_000_000])
            .Sample(
                (bpm, seed) =>
                {
                    var random = new Random(seed);
                    var interval = 2_500_000 / bpm;
                    var copy = Copy(Enumerable.Range(0, 40 * Beat).Select(i => 1e6 + i * interval + (random.NextDouble() * 2 - 1) * 3_000));
                    // Once it is settled: how far its intervals stray.
                    var intervals = copy.Skip(20 * Beat).Zip(copy.Skip((20 * Beat) + 1), (one, next) => next - one).ToList();
                    var mean = intervals.Average();
                    Assert.InRange(Math.Sqrt(intervals.Average(each => (each - mean) * (each - mean))), 0, 200);
                    Assert.InRange(intervals.Max(each => Math.Abs(each - mean)), 0, 400);
                    // And it is where the clock is.
                    Assert.InRange(
                        copy.Index().Skip(20 * Beat).Max(pulse => Math.Abs(pulse.Item - 1e6 - pulse.Index * interval)),
                        0,
                        1_500
                    );
                },
                iter: 100
            );

    [Fact]
    public void A_step_of_ten_bpm_is_followed_within_two_seconds_without_a_pulse_too_many_or_too_few() =>
        Gen.Select(Gen.Double[60, 200], Gen.Bool, Gen.Double[0, 3], Gen.Int[0, 1_000_000])
            .Sample(
                (bpm, up, jitterMs, seed) =>
                {
                    var random = new Random(seed);
                    var clock = new List<double>();
                    var time = 1e6;
                    for (var i = 0; i < 30 * Beat; i++)
                    {
                        clock.Add(time);
                        time += 2_500_000 / (i < 10 * Beat ? bpm : bpm + (up ? 10 : -10));
                    }
                    var copy = Copy(clock.Select(each => each + (random.NextDouble() * 2 - 1) * jitterMs * 1000));
                    var settled = clock[10 * Beat] + 2e6;
                    foreach (var (i, at) in copy.Index())
                    {
                        // Before anybody could know of it by little more than an interval, and after two seconds by a little more than the
                        // jitter at most.
                        Assert.InRange(Math.Abs(at - clock[i]), 0, 1.5 * 2_500_000 / bpm + 5_000);
                        if (at > settled)
                            Assert.InRange(Math.Abs(at - clock[i]), 0, 1_000 + jitterMs * 1000);
                    }
                    Assert.InRange(copy.Count, clock.Count - 1, clock.Count + 1);
                },
                iter: 300
            );

    [Fact]
    public void A_ramp_is_followed()
    {
        var clock = new List<double>();
        var (time, bpm) = (1e6, 90.0);
        while (bpm < 150)
        {
            clock.Add(time);
            time += 2_500_000 / bpm;
            bpm += 0.06;
        }
        var copy = Copy(clock);
        foreach (var (i, at) in copy.Index().Skip(2 * Beat))
            Assert.InRange(Math.Abs(at - clock[i]), 0, 3_000);
    }

    [Fact]
    public void An_own_clock_is_where_it_should_be_after_an_hour_whatever_its_tempo() =>
        Gen.Int[Tempo.Slowest, Tempo.Fastest]
            .Sample(
                hundredths =>
                {
                    var clock = new OwnClock(0, new MidiTime(7), new Tempo(hundredths));
                    var pulses = 3_600L * 24 * hundredths / 6_000;
                    Assert.Equal(
                        7 + (double)pulses * Tempo.IntervalTimesHundredths / hundredths,
                        clock.TimeOf(pulses).Microseconds,
                        0.5001
                    );
                    clock.Go(1_000, new Tempo(12_000));
                    Assert.Equal(clock.TimeOf(1_000).Microseconds + 62_500_000, clock.TimeOf(4_000).Microseconds);
                },
                iter: 2_000
            );

    [Fact]
    public void Taps_make_a_tempo_and_one_that_is_off_does_not_matter()
    {
        var tap = default(TapTempo);
        Assert.Null(tap.Tap(new MidiTime(5_000_000)));
        double? bpm = null;
        foreach (var at in new[] { 5_500, 6_010, 6_490, 7_200, 7_700, 8_200, 8_700 })
            bpm = tap.Tap(MidiTime.FromMilliseconds(at));

        Assert.Equal(120, bpm!.Value, 1.5);
        Assert.Null(tap.Tap(MidiTime.FromMilliseconds(20_000)));
    }

    [Theory]
    [InlineData("92.35", 9_235)]
    [InlineData(" 92,35 bpm", 9_235)]
    [InlineData("120", 12_000)]
    [InlineData("20", 2_000)]
    [InlineData("300", 30_000)]
    public void A_tempo_is_written_as_people_do(string text, int hundredths)
    {
        Assert.True(Tempo.TryParse(text, out var tempo, out _));
        Assert.Equal(hundredths, tempo.Hundredths);
    }

    [Theory]
    [InlineData("0")]
    [InlineData("1000")]
    [InlineData("fast")]
    [InlineData("")]
    [InlineData(null)]
    [InlineData("92.355")]
    [InlineData("-90")]
    [InlineData("9e1")]
    public void What_is_no_tempo_is_refused_with_a_sentence(string? text)
    {
        Assert.False(Tempo.TryParse(text, out _, out var problem));
        Assert.EndsWith(".", problem.Replace("92.35.", ".", StringComparison.Ordinal), StringComparison.Ordinal);
    }

    [Theory]
    [InlineData(0, 1, 1)]
    [InlineData(95, 1, 4)]
    [InlineData(96, 2, 1)]
    [InlineData(-1, 0, 4)]
    public void A_position_is_told_in_bars_and_beats(long pulses, long bar, int beat) =>
        Assert.Equal((bar, beat), BarForm.Usual.Of(pulses));

    private static IEnumerable<MidiTime> Even(double bpm, int count) =>
        Enumerable.Range(0, count).Select(i => new MidiTime(1_000_000 + (long)(i * 2_500_000 / bpm)));

    /// <summary>The times (µs) of the copy's pulses, numbered as the clock's.</summary>
    private static List<double> Copy(IEnumerable<double> clock)
    {
        var (estimate, copy) = (new ClockEstimate(), default(SteadiedClock));
        var sent = new List<double>();
        var begun = false;
        foreach (var time in clock.Order())
        {
            var now = new MidiTime((long)time);
            while (begun && copy.Due < now)
            {
                sent.Add(copy.Due.Microseconds);
                copy.Step(estimate);
            }
            estimate.Arrive(now);
            if (!begun)
                copy.Begin(estimate.Number, now);
            begun = true;
        }
        return sent;
    }
}
