using CsCheck;
using Weiche.Core.Live;
using Weiche.Core.Midi;
using Weiche.Core.Pulse;
using Weiche.Core.Sets;
using Weiche.Core.Stages;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;
using static Weiche.Core.Tests.Rooms;

namespace Weiche.Core.Tests.Live;

/// <summary>Patterns: each figure against another reading of what it should be, and every note ended whatever happens.</summary>
public sealed class PatternTests
{
    private static Studio Room(Stage stage, int hundredths = 12_000)
    {
        var studio = Of("box", "keys", "a").Lay("keys", "a", stage);
        return studio with { Time = studio.Time with { Master = ClockMaster.Own, Tempo = new Tempo(hundredths) } };
    }

    [Fact]
    public void A_figure_is_what_another_reading_of_its_rule_says() =>
        Gen.Select(Stages.AnyStage.Pattern, Gen.Int[30, 90].Array[1, 6], Gen.Int[3_000, 24_000])
            .Sample(
                (any, keys, hundredths) =>
                {
                    var pattern = (PatternStage)any;
                    keys = [.. keys.Distinct()];
                    var time = new Evening(Room(pattern, hundredths));
                    time.Do(TimeWork.Start);
                    foreach (var key in keys)
                        time.Send("keys", 0x90, (byte)key, (byte)(key + 5));
                    time.GoOn(12_000);
                    // The first pulse after the start is the second of the clock, whose first is at 0.
                    var interval = 250_000_000.0 / hundredths;
                    var (part, kind) = (pattern.Step.Part, pattern.Step.Kind);
                    var step =
                        96.0
                        / part
                        * (
                            kind == '.' ? 1.5
                            : kind == 't' ? 2.0 / 3
                            : 1
                        )
                        * interval;
                    var expected = new List<(double At, int Key, int Velocity, double Until)>();
                    var ladder = Enumerable
                        .Range(0, pattern.Octaves)
                        .SelectMany(octave =>
                            (pattern.Order == PatternOrder.AsPlayed ? keys : [.. keys.Order()]).Select(key => (key + 12 * octave, key + 5))
                        )
                        .ToList();
                    if (pattern.Order == PatternOrder.Down)
                        ladder.Reverse();
                    if (pattern.Order == PatternOrder.ThereAndBack)
                        ladder.AddRange(ladder.Skip(1).SkipLast(1).Reverse().ToList());
                    for (var n = 0; ; n++)
                    {
                        var at = interval + n * step + (n % 2 == 1 ? pattern.Swing / 100.0 * step : 0);
                        if (at > 11_000_000)
                            break;
                        var notes =
                            pattern.Order == PatternOrder.Chord
                                ? keys.Select(key => (key + 12 * (n % pattern.Octaves), key + 5)).ToList()
                                : [ladder[n % ladder.Count]];
                        expected.AddRange(
                            notes
                                .Where(note => note.Item1 <= 127)
                                .Select(note =>
                                    (
                                        at,
                                        note.Item1,
                                        note.Item2,
                                        at + Math.Min(pattern.Length, n % 2 == 1 ? 100 - pattern.Swing : 100) / 100.0 * step
                                    )
                                )
                        );
                    }
                    var begun = time.NotesAt("a").Where(note => note.On).Take(expected.Count).ToList();
                    Assert.Equal(expected.Select(each => (each.Key, each.Velocity)), begun.Select(note => (note.Key, note.Velocity)));
                    foreach (var (meant, note) in expected.Zip(begun))
                        Assert.InRange(note.At.Microseconds - meant.At, -3, 3);
                    // Each ends when its part of the step is over.
                    var all = time.NotesAt("a");
                    foreach (var meant in expected.Where(each => each.Until < 11_900_000))
                        Assert.Contains(all, note =>
                            !note.On && note.Key == meant.Key && Math.Abs(note.At.Microseconds - meant.Until) <= 4
                        );
                },
                iter: 400
            );

    [Fact]
    public void Whatever_happens_every_note_ends_and_nothing_comes_that_the_sets_do_not_know_of()
    {
        var begun = 0;
        Gen.Select(Stages.AnyStage.Pattern, Gen.Select(Gen.Int[0, 15], Gen.Int[0, 40], Gen.Int[0, 400]).Array[1, 60], Gen.Bool)
            .Sample(
                (stage, steps, beforeIt) =>
                {
                    var studio = Room(stage).Lay("box", "a").Must(new AddLineup("One")).Must(new AddLineup("Two"));
                    var route = studio.Routes[0].Id;
                    if (beforeIt)
                        studio = studio.Must(new AddStage(route, new TransposeStage(5))).Must(new MoveStage(route, 1, -1));
                    studio = studio.Must(new SetDuty(route, Duty.In(studio.Lineups[0].Id))).In(studio.Lineups[0].Id);
                    var time = new Evening(studio);
                    time.Do(TimeWork.Start);
                    var comes = MessageSet.Builder.From(MessageSet.Empty);
                    var known = new HashSet<int>();
                    foreach (var (what, number, wait) in steps)
                    {
                        switch (what)
                        {
                            case < 7:
                                known.Add(40 + number);
                                time.Send("keys", 0x90, (byte)(40 + number), (byte)(20 + number));
                                break;
                            case < 9:
                                time.Send("keys", 0x80, (byte)(40 + number), 0);
                                break;
                            case 9:
                                time.Edit(
                                    new SetStage(
                                        route,
                                        beforeIt ? 1 : 0,
                                        new PatternStage((PatternOrder)(number % 5), StepLength.All[number % 12], 1 + number % 4, 60)
                                    )
                                );
                                break;
                            case 10:
                                time.Edit(new SwitchRoute(route, number % 2 == 0));
                                break;
                            case 11:
                                time.Do(number % 2 == 0 ? TimeWork.Stop : TimeWork.Start);
                                break;
                            case 12:
                                time.Engine.Enter(time.Studio.Lineups[number % 2].Id, time.Now);
                                break;
                            case 13:
                                time.Engine.BreakOff(time.Studio.From("keys"), time.Now);
                                break;
                            case 14 when number % 3 == 0:
                                time.Edit(new SoloRoute(time.Studio.Routes[number % 2].Id, number % 4 < 2));
                                break;
                            case 14:
                                time.Edit(new SwitchPort(time.Studio.From("keys"), number % 2 == 0));
                                break;
                            default:
                                time.Send("keys", 0xB0, 123, 0);
                                break;
                        }
                        time.GoOn(wait);
                    }
                    time.Do(TimeWork.Stop);
                    time.GoOn(100);
                    var sounding = new Dictionary<int, int>();
                    foreach (var note in time.NotesAt("a"))
                    {
                        if (note.Key == Evening.AllKeys)
                            sounding.Clear();
                        else
                            sounding[note.Key] = note.On ? sounding.GetValueOrDefault(note.Key) + 1 : 0;
                        begun += note.On ? 1 : 0;
                        // A key, or it by octaves, with the velocity that it was struck with.
                        if (note.On)
                            Assert.Contains(known, key =>
                                (note.Key - key - (beforeIt ? 5 : 0)) is >= 0 and var up
                                && up % 12 == 0
                                && up < 48
                                && note.Velocity == key - 20
                            );
                    }
                    Assert.All(sounding, each => Assert.Equal(0, each.Value));
                    Assert.Equal(0, time.Engine.HeldCount);
                },
                iter: 3_000
            );
        Assert.True(begun > 10_000, $"{begun} notes");
    }

    [Fact]
    public void Another_step_while_it_runs_goes_on_with_what_is_held_and_other_edits_do_not_touch_it()
    {
        var time = new Evening(Room(new PatternStage(PatternOrder.Up, new StepLength(8, ' '))));
        time.Do(TimeWork.Start);
        time.Send("keys", 0x90, 60, 100, 0x90, 64, 100);
        time.GoOn(990);
        time.Edit(new RenameStudio("other"));
        time.GoOn(1_000);
        var before = time.NotesAt("a").Count(note => note.On);
        Assert.Equal(8, before);
        time.Edit(new SetStage(time.Studio.Routes[0].Id, 0, new PatternStage(PatternOrder.Up, new StepLength(16, ' '))));
        time.GoOn(1_000);
        Assert.Equal(8, time.NotesAt("a").Count(note => note.On) - before);
    }

    [Fact]
    public void Soloed_it_plays_on_and_with_another_soloed_it_ends()
    {
        var time = new Evening(Room(new PatternStage(PatternOrder.Up, new StepLength(8, ' '))).Lay("box", "a"));
        time.Do(TimeWork.Start);
        time.Send("keys", 0x90, 60, 100);
        time.GoOn(1_000);
        time.Edit(new SoloRoute(time.Studio.Routes[0].Id, true));
        var before = time.NotesAt("a").Count(note => note.On);
        time.GoOn(1_000);
        Assert.Equal(4, time.NotesAt("a").Count(note => note.On) - before);
        time.Edit(new SoloRoute(time.Studio.Routes[0].Id, false));
        time.Edit(new SoloRoute(time.Studio.Routes[1].Id, true));
        before = time.NotesAt("a").Count(note => note.On);
        time.GoOn(1_000);
        Assert.Equal(0, time.NotesAt("a").Count(note => note.On) - before);
        Assert.Equal(0, time.Engine.HeldCount);
    }

    [Fact]
    public void With_a_latch_it_plays_on_until_other_keys_are_pressed()
    {
        var time = new Evening(Room(new PatternStage(PatternOrder.Up, new StepLength(8, ' '), latch: true)));
        time.Do(TimeWork.Start);
        time.Send("keys", 0x90, 60, 100, 0x90, 64, 100);
        time.GoOn(100);
        time.Send("keys", 0x80, 60, 0, 0x80, 64, 0);
        time.GoOn(2_000);
        Assert.Equal([60, 64], time.NotesAt("a").TakeLast(8).Select(note => note.Key).Distinct().Order());
        time.Send("keys", 0x90, 72, 100);
        time.GoOn(1_000);
        Assert.Equal([72], time.NotesAt("a").TakeLast(4).Select(note => note.Key).Distinct());
    }

    [Fact]
    public void It_rests_while_the_time_does_and_begins_with_the_beat()
    {
        var time = new Evening(Room(new PatternStage(PatternOrder.Up, new StepLength(4, ' '))));
        time.Send("keys", 0x90, 60, 100);
        time.GoOn(2_000);
        Assert.Empty(time.NotesAt("a"));
        time.Do(TimeWork.Start);
        time.GoOn(600);
        Assert.Equal(2, time.NotesAt("a").Count(note => note.On));
        time.Do(TimeWork.Stop);
        Assert.Equal(0, time.Engine.HeldCount);
    }

    [Theory]
    [InlineData("up 1/16", "up 1/16, length 50")]
    [InlineData("there and back 1/8 triplet 2 octaves", "there and back 1/8t, 2 octaves, length 50")]
    [InlineData("as played 1/4., length 80 %, swing 20, latch", "as played 1/4., length 80, swing 20, latch")]
    [InlineData("1/8", "up 1/8, length 50")]
    public void It_is_typed_as_one_says_it(string text, string rule)
    {
        Assert.True(PatternStage.AsSort.TryRead(text, KeyNaming.Usual, out var stage, out var problem), problem);
        Assert.Equal(rule, PatternStage.AsSort.TextOf(stage, KeyNaming.Usual));
    }

    [Theory]
    [InlineData("up")]
    [InlineData("up 1/5")]
    [InlineData("up 1/8, 9 octaves")]
    [InlineData("up 1/8, swing 90")]
    [InlineData("sideways 1/8")]
    public void What_is_no_pattern_is_refused(string text)
    {
        Assert.False(PatternStage.AsSort.TryRead(text, KeyNaming.Usual, out _, out var problem));
        Assert.NotEmpty(problem);
    }
}
