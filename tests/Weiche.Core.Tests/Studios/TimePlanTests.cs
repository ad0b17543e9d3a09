using Weiche.Core.Checks;
using Weiche.Core.Midi;
using Weiche.Core.Pulse;
using Weiche.Core.Stages;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;
using Weiche.Core.Ways;
using Weiche.Files;
using static Weiche.Core.Tests.Rooms;

namespace Weiche.Core.Tests.Studios;

/// <summary>Who keeps the time and who follows, as a person sets it: edits, files, what is removed, levers; and what the checks and the
/// trace say of it.</summary>
public class TimePlanTests
{
    private static Studio Timed()
    {
        var studio = Of("box", "keys", "a", "b").Must(new AddLineup("One")).Must(new AddLineup("Two"));
        return studio
            .Must(new SetMaster(new ClockMaster(studio.From("box"))))
            .Must(new SetMaster(ClockMaster.Own, studio.Lineups[1].Id))
            .Must(new SetTempo(new Tempo(9_235), studio.Lineups[1].Id))
            .Must(new SetBarForm(new BarForm(7, 8)))
            .Must(new SetFollower(new Follower(studio.To("a"), ClockForm.Steadied, true, MidiSpan.FromMilliseconds(-12))))
            .Must(new SetFollower(new Follower(studio.To("b"), ClockForm.AsItCame, false, new MidiSpan(3_500))));
    }

    [Fact]
    public void Everything_about_time_comes_back_from_a_file()
    {
        var studio = Timed();
        studio = studio.Must(new SetTimeHabits(studio.Time with { CoastBars = 8, CountIn = 1, WaitsForBar = true, MovesOverBar = true }));
        foreach (var (i, what) in Enum.GetValues<TimeWork>().Index())
            studio = studio.Must(new AddLever(studio.From("keys"), new LeverTrigger(LeverKind.Key, 40 + i), new WorkTime(what)));
        var read = StudioJson.Read(StudioJson.Write(studio));
        Assert.Equal(StudioJson.Write(studio), StudioJson.Write(read));
        Assert.Equal(studio.Time with { Followers = [] }, read.Time with { Followers = [] });
        Assert.Equal(studio.Time.Followers, read.Time.Followers);
        Assert.Equal(studio.Lineups[1].Tempo, read.Lineups[1].Tempo);
        Assert.Equal(studio.Levers, read.Levers);
        // Numbered anew, everything still is what it was.
        var anew = (studio with { NextId = Studio.MaxIds }).Renumbered().Checked();
        Assert.Equal("box", anew.Time.Master!.Value.NameIn(anew));
        Assert.Equal(["a", "b"], anew.Time.Followers.Select(each => anew.FindPort(each.To)!.Value.Name));
    }

    [Theory]
    [InlineData("\"master\": { \"own\": true, \"from\": 2 }", "either “own” (true) or “from”")]
    [InlineData("\"master\": { \"own\": false }", "either “own” (true) or “from”")]
    [InlineData("\"master\": { \"from\": 99 }", "is not a source")]
    [InlineData("\"tempo\": \"1000\"", "out of reach")]
    [InlineData("\"tempo\": \"fast\"", "A tempo is a number")]
    [InlineData("\"bar\": \"4/5\"", "time signature")]
    [InlineData("\"coastBars\": 65", "coasts for at most 64")]
    [InlineData("\"countIn\": 9", "At most 4 bars")]
    [InlineData("\"followers\": [{ \"to\": 2, \"clock\": \"steadied\" }]", "not a destination")]
    [InlineData("\"followers\": [{ \"to\": 3, \"clock\": \"asItCame\", \"offset\": -5 }]", "cannot go out earlier than it came")]
    [InlineData("\"followers\": [{ \"to\": 3, \"clock\": \"steadied\", \"offset\": 900000 }]", "not possible")]
    [InlineData("\"followers\": [{ \"to\": 3, \"clock\": \"steadied\" }, { \"to\": 3, \"clock\": \"none\", \"starts\": true }]", "twice")]
    [InlineData("\"pulse\": 3", "pulse")]
    public void A_file_that_says_what_cannot_be_is_refused(string time, string says)
    {
        var text = StudioJson.Write(Of("a"));
        text = text.TrimEnd().TrimEnd('}').TrimEnd() + $", \"time\": {{ {time} }} }}";
        Assert.Contains(says, Assert.Throws<StudioFormatException>(() => StudioJson.Read(text)).Message, StringComparison.Ordinal);
    }

    [Fact]
    public void What_is_removed_keeps_no_time_and_follows_none()
    {
        var studio = Timed();
        studio = studio.Must(new SetMaster(new ClockMaster(studio.From("box")), studio.Lineups[0].Id));
        var without = studio
            .Must(new RemoveDevice(studio.Devices.Single(device => device.Name == "box").Id))
            .Must(new RemoveDevice(studio.Devices.Single(device => device.Name == "a").Id));
        Assert.Null(without.Time.Master);
        Assert.Null(without.Lineups[0].Master);
        Assert.Equal(ClockMaster.Own, without.Lineups[1].Master);
        Assert.Equal(["b"], without.Time.Followers.Select(each => without.FindPort(each.To)!.Value.Name));
        Assert.Null(StudioRules.Broken(without));
    }

    [Fact]
    public void An_edit_that_cannot_be_is_refused_with_what_would_work()
    {
        var studio = Timed();
        var problem = studio.Refused(
            new SetFollower(new Follower(studio.To("b"), ClockForm.AsItCame, false, MidiSpan.FromMilliseconds(-5)))
        );
        Assert.Equal("Steady it", problem.Remedy!.Label);
        Assert.Equal(ClockForm.Steadied, studio.Must(problem.Remedy.Edit).Time.Of(studio.To("b"))!.Form);
        studio.Refused(new SetMaster(new ClockMaster(studio.To("a"))));
        studio.Refused(new SetFollower(new Follower(studio.From("keys"), ClockForm.Steadied, true, MidiSpan.Zero)));
        studio.Refused(new SetTimeHabits(studio.Time with { CoastBars = -1 }));
        // What gets nothing follows no more.
        Assert.Single(studio.Must(new SetFollower(new Follower(studio.To("b"), ClockForm.None, false, MidiSpan.Zero))).Time.Followers);
    }

    [Theory]
    [InlineData("keys D1 → start", TimeWork.Start)]
    [InlineData("keys D1 → go", TimeWork.Start)]
    [InlineData("keys sustain → hold and let go", TimeWork.HoldAndLetGo)]
    [InlineData("keys cc 80 → tap tempo", TimeWork.Tap)]
    [InlineData("keys program 9 → back in step", TimeWork.BackInStep)]
    [InlineData("keys C1 → start/stop", TimeWork.StartOrStop)]
    public void A_lever_for_the_time_is_typed_as_one_says_it(string line, TimeWork what)
    {
        Assert.True(LeverLine.TryParse(Of("keys"), line, out var edit, out var problem), problem);
        Assert.Equal(new WorkTime(what), edit.Work);
    }

    [Fact]
    public void The_trace_and_the_checks_know_what_the_studios_clock_goes_to()
    {
        var studio = Studio
            .Empty("Room")
            .Must(new AddDevice("box, clock"))
            .Must(new AddDevice("other, clock"))
            .Must(new AddDevice("app, application"))
            .Lay("box", "app")
            .Lay("other", "app");
        Assert.Equal("Two clocks at app", Clock(studio)?.Title);
        // The studio's clock alone: what routes bring is left out there.
        var followed = studio
            .Must(new SetMaster(new ClockMaster(studio.From("box"))))
            .Must(new SetFollower(new Follower(studio.To("app"), ClockForm.Steadied, true, MidiSpan.Zero)));
        Assert.Null(Clock(followed));
        Assert.All(RouteTrace.Follow(followed, followed.From("other"), MidiMessage.Clock), end =>
            Assert.Equal("app follows the studio's clock, which is box", end.Why)
        );
        Assert.DoesNotContain(RouteTrace.Follow(followed.Must(new SetMaster(null)), followed.From("other"), MidiMessage.Clock), end =>
            end.Arrives.IsEmpty
        );
        // One that keeps the time and follows it.
        var circle = studio
            .Must(new SetMaster(new ClockMaster(studio.Sources.First(port => port.Device.Name == "app").Id)))
            .Must(new SetFollower(new Follower(studio.To("app"), ClockForm.Steadied, true, MidiSpan.Zero)));
        var found = Assert.Single(Checker.Check(circle).Findings, finding =>
            finding.Key.StartsWith("clock-circle-", StringComparison.Ordinal)
        );
        Assert.Equal("app keeps the time, and the time goes to app: it would follow itself, and every hitch would add up.", found.Sentence);
        Assert.DoesNotContain(Checker.Check(circle.Must(found.Proposed[0])).Findings, finding =>
            finding.Key.StartsWith("clock-circle-", StringComparison.Ordinal)
        );
        // Where a clock is wanted and none is, the remedy makes Weiche's own go there.
        var stars = Studio.Empty("Room").Must(new AddDevice("stars, display"));
        stars = stars.Must(new SetKinds(stars.Devices[0].Id, false, KindSet.Of(MessageKind.Clock, MessageKind.Start)));
        var none = Clock(stars)!;
        Assert.Equal("No clock reaches stars", none.Title);
        stars = stars.Must(none.Proposed[0]);
        Assert.Null(Clock(stars));
        Assert.True(stars.Time.Of(stars.To("stars"))!.Starts);
        // A pattern that nobody keeps the time for.
        var pattern = Of("keys", "a").Lay("keys", "a", new PatternStage(PatternOrder.Up, new StepLength(16, ' ')));
        Assert.Equal("A pattern without time: keys → a", Clock(pattern)?.Title);
        Assert.Null(Clock(pattern.Must(Clock(pattern)!.Proposed[0])));

        static Finding? Clock(Studio room) => Checker.Check(room).Findings.FirstOrDefault(finding => finding.Kind == FindingKind.Clock);
    }

    [Fact]
    public void In_the_demo_a_clock_gets_where_it_is_wanted_in_each_lineup()
    {
        var demo = DemoStudio.Create();
        foreach (var lineup in demo.Lineups)
            Assert.DoesNotContain(Checker.Check(demo.In(lineup.Id)).Findings, finding => finding.Kind == FindingKind.Clock);
        Assert.Equal(["Weiche", "Uhrwerk", "Weiche"], demo.Lineups.Select(lineup => demo.MasterIn(lineup.Id)!.Value.NameIn(demo)));
    }
}
