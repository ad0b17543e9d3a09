using Weiche.Core.Midi;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;
using Weiche.Files;
using static Weiche.Core.Tests.Rooms;

namespace Weiche.Core.Tests.Studios;

/// <summary>Lineups as a person arranges them: who is on duty where, what each sends, what works them; and what becomes of all that when
/// something is removed.</summary>
public class LineupTests
{
    private static Studio Evening() =>
        Of("a", "b", "c").Lay("a", "b").Lay("a", "c").Must(new AddLineup("Dusk")).Must(new AddLineup("Star field"));

    [Fact]
    public void The_first_lineup_changes_nothing_that_sounds()
    {
        var before = Of("a", "b", "c").Lay("a", "b").Lay("a", "c");
        var after = before.Must(new AddLineup("Dusk")).InAsIn(before);
        Assert.Equal("1 Dusk", after.NameOf(after.InForce!.Value));
        Assert.All(after.Routes, route =>
            Assert.Equal(RouteState.Live, LiveRoutes.Of(after).At(route, after.FindPort(after.From("a"))!.Value))
        );
    }

    [Fact]
    public void A_route_is_live_where_it_is_on_duty()
    {
        var studio = Evening();
        var (dusk, star) = (studio.Lineups[0].Id, studio.Lineups[1].Id);
        studio = studio.Must(new PlaceRoute(studio.Routes[0].Id, dusk, false));
        Assert.Equal(Duty.In(star), studio.Routes[0].Duty);
        Assert.Equal(RouteState.OffDuty, State(studio.In(dusk)));
        Assert.Equal(RouteState.Live, State(studio.In(star)));
        Assert.Equal(RouteState.OffDuty, State(studio.In(null)));
        studio = studio.Must(new PlaceRoute(studio.Routes[0].Id, star, false));
        Assert.Equal(RouteState.OffDuty, State(studio.In(star)));
        Assert.Equal(RouteState.Live, State(studio.Must(new SetDuty(studio.Routes[0].Id, Duty.Standing)).In(dusk)));

        static RouteState State(Studio studio) => LiveRoutes.Of(studio).At(studio.Routes[0], studio.FindPort(studio.From("a"))!.Value);
    }

    [Fact]
    public void A_solo_of_a_route_that_is_not_in_the_lineup_silences_nothing()
    {
        var studio = Evening();
        studio = studio
            .Must(new SetDuty(studio.Routes[0].Id, Duty.In(studio.Lineups[1].Id)))
            .Must(new SoloRoute(studio.Routes[0].Id, true));
        var other = studio.Routes[1];
        Assert.Equal(RouteState.Live, LiveRoutes.Of(studio.In(studio.Lineups[0].Id)).At(other, studio.FindPort(studio.From("a"))!.Value));
        Assert.Equal(
            RouteState.NotSoloed,
            LiveRoutes.Of(studio.In(studio.Lineups[1].Id)).At(other, studio.FindPort(studio.From("a"))!.Value)
        );
    }

    [Fact]
    public void What_is_laid_in_a_lineup_is_on_duty_there_alone()
    {
        var studio = Evening();
        var star = studio.Lineups[1].Id;
        Assert.Equal(Duty.In(star), studio.In(star).Lay("b", "c").Routes[^1].Duty);
        Assert.Equal(Duty.Standing, Of("a", "b").Lay("a", "b").Routes[^1].Duty);
    }

    [Fact]
    public void A_copy_has_the_routes_and_what_is_sent()
    {
        var studio = Evening();
        var dusk = studio.Lineups[0].Id;
        studio = studio
            .Must(new SetDuty(studio.Routes[0].Id, Duty.In(dusk)))
            .Must(new AddSending(dusk, new Sending(studio.To("b"), [0xC0, 5])));
        studio = studio.Must(new AddLineup(null, dusk));
        Assert.Equal("Lineup 3", studio.Lineups[2].Name);
        Assert.True(studio.Routes[0].Duty.IsOn(studio.Lineups[2].Id));
        Assert.Equal(studio.Lineups[0].Sends, studio.Lineups[2].Sends);
    }

    [Fact]
    public void Of_a_lineup_that_is_removed_in_force_the_one_before_takes_over()
    {
        var studio = Evening().Must(new AddLineup("Dawn"));
        var ids = studio.Lineups.Select(lineup => lineup.Id).ToArray();
        Assert.Equal(ids[1], studio.Must(new RemoveLineup(ids[2])).InAsIn(studio.In(ids[2])).InForce);
        Assert.Equal(ids[1], studio.Must(new RemoveLineup(ids[0])).InAsIn(studio.In(ids[0])).InForce);
        Assert.Equal(ids[1], studio.Must(new RemoveLineup(ids[0])).InAsIn(studio.In(ids[1])).InForce);
    }

    [Fact]
    public void With_the_last_lineup_what_sounds_stays()
    {
        var studio = Evening();
        studio = studio.Must(new SetDuty(studio.Routes[0].Id, Duty.In(studio.Lineups[0].Id))).Must(new RemoveLineup(studio.Lineups[1].Id));
        studio = studio.Must(new SetDuty(studio.Routes[1].Id, Duty.In()));
        var after = studio.Must(new RemoveLineup(studio.Lineups[0].Id));
        Assert.All(after.Routes, route => Assert.True(route.Duty.IsStanding));
        Assert.Equal([true, false], after.Routes.Select(route => route.On));
    }

    [Fact]
    public void What_names_something_that_is_removed_goes_with_it()
    {
        var studio = Evening();
        var (dusk, star, first) = (studio.Lineups[0].Id, studio.Lineups[1].Id, studio.Routes[0].Id);
        studio = studio
            .Must(new AddSending(dusk, new Sending(studio.To("b"), [0xC0, 5])))
            .Must(new AddLever(studio.From("a"), new LeverTrigger(LeverKind.Program, 1), new EnterLineup(star)))
            .Must(new AddLever(studio.From("b"), new LeverTrigger(LeverKind.Key, 40), new StepLineup(1)))
            .Must(new AddLever(studio.From("a"), new LeverTrigger(LeverKind.Control, 80), new SwitchRoutes([first], LeverSwitch.Over)));
        Assert.Equal(2, studio.Must(new RemoveLineup(star)).Levers.Length);
        Assert.Equal(2, studio.Must(new RemoveRoute(first)).Levers.Length);
        var without = studio.Must(new RemoveDevice(studio.FindPort(studio.From("b"))!.Value.Device.Id, true));
        Assert.Empty(without.Lineups[0].Sends);
        Assert.Equal(studio.From("a"), Assert.Single(without.Levers).Source);
        Assert.Null(StudioRules.Broken(without));
        // And everything comes back from the file as it was.
        Assert.Equal(StudioJson.Write(studio), StudioJson.Write(StudioJson.Read(StudioJson.Write(studio))));
        Assert.Equal(studio.Levers, StudioJson.Read(StudioJson.Write(studio)).Levers);
    }

    [Fact]
    public void Two_levers_on_the_same_thing_are_refused_with_what_would_work()
    {
        var studio = Evening();
        var pedal = new LeverTrigger(LeverKind.Key, 48);
        studio = studio.Must(new AddLever(studio.From("a"), pedal, new StepLineup(1)));
        var problem = studio.Refused(new AddLever(studio.From("a"), pedal with { Channel = 3 }, new Silence()));
        Assert.Equal("a C2 is a lever already: next. One thing works one lever.", problem.Sentence);
        Assert.Empty(studio.Must(problem.Remedy!.Edit).Levers);
        // In other lineups the same thing may work something else.
        studio = studio.Must(new SetLeverWorks(studio.Levers[0].Id, Duty.In(studio.Lineups[0].Id)));
        Assert.Equal("lever", studio.Refused(new AddLever(studio.From("a"), pedal, new Silence())).Field);
        Assert.Equal("lever", studio.Refused(new SetLeverWorks(studio.Levers[0].Id, Duty.In())).Field);
        studio.Must(new AddLever(studio.From("b"), pedal, new Silence()));
    }

    [Theory]
    [InlineData("a C2 → next", "C2", "next")]
    [InlineData("a pedal c2 -> back", "C2", "back")]
    [InlineData("a program 2 → Star field", "program 2", "2 Star field")]
    [InlineData("A prog 3 => 1", "program 3", "1 Dusk")]
    [InlineData("a sustain → all notes off", "sustain", "all notes off")]
    [InlineData("a cc 80 from 100 on 2 → a → b over", "controller 80 from 100 on channel 2", "a → b over")]
    [InlineData("a cc 80 → a -> c while held", "controller 80", "a → c while held")]
    [InlineData("a cc80 = a to c off", "controller 80", "a → c off")]
    [InlineData("a C2: prev", "C2", "back")]
    [InlineData("a program 2 to Star field", "program 2", "2 Star field")]
    [InlineData("a C2 → lineup 2", "C2", "2 Star field")]
    [InlineData("a C2 → first", "C2", "1 Dusk")]
    [InlineData("a C2 → sync", "C2", "back in step")]
    public void A_lever_is_typed_as_one_would_say_it(string line, string thing, string works)
    {
        var studio = Evening();
        Assert.True(LeverLine.TryParse(studio, line, out var edit, out var problem), problem);
        Assert.Equal((thing, works), (edit.Trigger.Words(KeyNaming.Usual), LeverWords.Of(studio, edit.Work)));
        studio.Must(edit);
    }

    [Theory]
    [InlineData("")]
    [InlineData("next")]
    [InlineData("nobody C2 → next")]
    [InlineData("a H9 → next")]
    [InlineData("a program 200 → next")]
    [InlineData("a cc 121 → next")]
    [InlineData("a C2 on 17 → next")]
    [InlineData("a cc 80 from 0 → next")]
    [InlineData("a C2 → Noon")]
    [InlineData("a C2 → a → b")]
    [InlineData("a pad 3 → next")]
    public void What_is_no_lever_is_said_with_what_would_be_one(string line)
    {
        Assert.False(LeverLine.TryParse(Evening(), line, out _, out var problem));
        Assert.NotEmpty(problem);
    }

    [Fact]
    public void A_lever_is_on_the_source_that_a_word_can_only_mean_and_a_key_may_have_its_own_name()
    {
        var studio = DemoStudio.Create();
        var kies = studio.Devices.Single(device => device.Name == "Kies");
        studio = studio.Must(new SetKeyNames(kies.Id, "36 = low drum"));
        Assert.Equal("Lever: Kies C1 → next", Title("kies LOW drum → next"));
        Assert.Equal("Lever: Tritt 13 C2 → next", Title("tritt c2: next"));
        Assert.Equal("Lever: Amsel 61 program 2 → 2 Star field", Title("amsel program 2 → star field"));
        Assert.Equal("Lever: Amsel 61 sustain → Amsel 61 → Brandung while held", Title("amsel pedal → amsel to brandung while held"));
        Assert.Contains("may be Bandhaus", Refused("band c1 → next"), StringComparison.Ordinal);
        Assert.Contains("Set a lever", Refused("kies pad 1 → next"), StringComparison.Ordinal);

        string Title(string line)
        {
            Assert.True(LeverLine.TryParse(studio, line, out var edit, out var problem), problem);
            return edit.Title(studio);
        }

        string Refused(string line)
        {
            Assert.False(LeverLine.TryParse(studio, line, out _, out var problem));
            return problem;
        }
    }

    [Theory]
    [InlineData("ch 5 program 17", "C4 10", "5: 17 Glass")]
    [InlineData("channel 6, vol 100", "B5 07 64", "6: volume 100")]
    [InlineData("pan left", "B2 0A 00", "3: pan 0")]
    [InlineData("pedal down", "B2 40 7F", "3: sustain 127")]
    [InlineData("volume full", "B2 07 7F", "3: volume 127")]
    [InlineData("chorus off", "B2 5D 00", "3: chorus 0")]
    [InlineData("pedal off on 2", "B1 40 00", "2: sustain 0")]
    [InlineData("local off", "B2 7A 00", "3: local control off")]
    [InlineData("all notes off", "B2 7B 00", "3: all notes off")]
    [InlineData("reset controllers", "B2 79 00", "3: reset all controllers")]
    [InlineData("gm on", "F0 7E 7F 09 01 F7", "system exclusive, 6 bytes")]
    [InlineData("pitch bend range 2", "B2 65 00 B2 64 00 B2 06 02 B2 26 00", "3: bend range 2")]
    [InlineData("bank 1/2 program 4", "B2 00 01 B2 20 02 C2 03", "3: bank 130, program 4")]
    [InlineData("5: 17", "C4 10", "5: 17 Glass")]
    [InlineData("17 Glass on 5", "C4 10", "5: 17 Glass")]
    [InlineData("glass", "C2 10", "3: 17 Glass")]
    [InlineData("gla on channel 6", "C5 10", "6: 17 Glass")]
    [InlineData("program 4", "C2 03", "3: program 4")]
    [InlineData("bank 130 program 17", "B2 00 01 B2 20 02 C2 10", "3: bank 130, 17 Glass")]
    [InlineData("volume 100 on 6", "B5 07 64", "6: volume 100")]
    [InlineData("cc 7 = 100", "B2 07 64", "3: volume 100")]
    [InlineData("bend −8192 on 2", "E1 00 00", "2: bend −8192")]
    [InlineData("bend range 48", "B2 65 00 B2 64 00 B2 06 30 B2 26 00", "3: bend range 48")]
    [InlineData("pressure 0", "D2 00", "3: pressure 0")]
    [InlineData("f0 7e 7f 09 01 f7", "F0 7E 7F 09 01 F7", "system exclusive, 6 bytes")]
    public void What_is_sent_is_typed_as_one_would_say_it(string line, string bytes, string words)
    {
        var (studio, to) = Zinn();
        Assert.True(SendingLine.TryParse(line, to, out var read, out var problem), problem);
        Assert.Equal(bytes, string.Join(' ', read.Select(value => value.ToString("X2", null))));
        Assert.Equal(words, SendingWords.Messages(new Sending(to.Id, read), to.Device, KeyNaming.Usual));
        Assert.Null(Sending.Check(read));
    }

    [Theory]
    [InlineData("", "Type like this")]
    [InlineData("90 3C 40", "cannot send notes")]
    [InlineData("F8", "not understood")]
    [InlineData("C4 10 20 30 90", "whole messages")]
    [InlineData("program 129", "from 1 to 128")]
    [InlineData("17: 3", "from 1 to 16")]
    [InlineData("volume 128", "from 0 to 127")]
    [InlineData("bank 16384 program 1", "from 0 to 16383")]
    [InlineData("bank 1/128 program 1", "from 0 to 127")]
    [InlineData("g", "17 Glass or 18 Glow")]
    [InlineData("louder", "not understood")]
    [InlineData("volume up", "not understood")]
    [InlineData("volume down", "not understood")]
    [InlineData("reverb left", "not understood")]
    public void What_cannot_be_sent_is_said(string line, string problem)
    {
        Assert.False(SendingLine.TryParse(line, Zinn().To, out _, out var said));
        Assert.Contains(problem, said, StringComparison.Ordinal);
    }

    [Theory]
    [InlineData("17 Glass\n18 Glow", "17 Glass\n18 Glow")]
    [InlineData("number,name\r\n17,Glass\r\n\r\n18,\"Glow, warm\"\r\n", "17 Glass\n18 Glow, warm")]
    [InlineData("1;Piano\n2;Harp", "1 Piano\n2 Harp")]
    [InlineData("Piano\nHarp", "1 Piano\n2 Harp")]
    [InlineData("001. Piano\n128 - Gun", "1 Piano\n128 Gun")]
    [InlineData("", "")]
    public void A_list_of_programs_is_pasted_as_it_comes(string text, string list)
    {
        Assert.True(ProgramList.TryParse(text, out var programs, out var problem), problem);
        Assert.Equal(list, ProgramList.Text(programs));
    }

    [Theory]
    [InlineData("0 Zero", "Line 1: programs go from 1 to 128")]
    [InlineData("1 One\n129 More", "Line 2: programs go from 1 to 128")]
    [InlineData("1 One\n1 Two", "Line 2: program 1 has a name already")]
    [InlineData("1 One\nTwo", "Line 2: “Two” has no number")]
    [InlineData("1 <b>", "Line 1: A name cannot contain")]
    public void A_list_that_lies_is_refused_with_its_line(string text, string problem)
    {
        Assert.False(ProgramList.TryParse(text, out var programs, out var said));
        Assert.Contains(problem, said, StringComparison.Ordinal);
        Assert.Empty(programs);
    }

    [Theory]
    [InlineData("\"lineups\": [\n        12", "\"lineups\": [\n        99", "is in lineup 99, which is not there")]
    [InlineData("\"Star field\"", "\"dusk\"", "The lineup name “dusk” is used twice")]
    [InlineData("C0 05", "90 3C 40", "cannot send notes")]
    [InlineData("C0 05", "C0", "whole messages")]
    [InlineData("C0 05", "pling", "not bytes in hexadecimal")]
    [InlineData("\"works\": \"enter\",\n      \"lineup\": 13", "\"works\": \"enter\"", "“lineup” belongs to “enter”")]
    [InlineData("\"lineup\": 13", "\"lineup\": 98", "enters lineup 98, which is not there")]
    [InlineData("\"program\": 2", "\"program\": 2,\n      \"key\": 3", "exactly one of")]
    [InlineData("\"program\": 2", "\"program\": 2,\n      \"threshold\": 3", "has a threshold")]
    public void A_file_that_lies_is_refused(string right, string wrong, string problem)
    {
        var studio = Evening();
        studio = studio
            .Must(new SetDuty(studio.Routes[0].Id, Duty.In(studio.Lineups[0].Id)))
            .Must(new AddSending(studio.Lineups[0].Id, new Sending(studio.To("b"), [0xC0, 5])))
            .Must(new AddLever(studio.From("a"), new LeverTrigger(LeverKind.Program, 1), new EnterLineup(studio.Lineups[1].Id)));
        var text = StudioJson.Write(studio);
        Assert.Contains(right, text, StringComparison.Ordinal);
        Assert.Contains(
            problem,
            Assert.Throws<StudioFormatException>(() => StudioJson.Read(text.Replace(right, wrong, StringComparison.Ordinal))).Message,
            StringComparison.Ordinal
        );
    }

    [Fact]
    public void Numbers_are_given_anew_with_everything_that_names_them()
    {
        var studio = Evening();
        studio = studio
            .Must(new SetDuty(studio.Routes[0].Id, Duty.In(studio.Lineups[0].Id)))
            .Must(new AddSending(studio.Lineups[0].Id, new Sending(studio.To("b"), [0xC0, 5])))
            .Must(
                new AddLever(
                    studio.From("a"),
                    new LeverTrigger(LeverKind.Control, 80),
                    new SwitchRoutes([studio.Routes[1].Id], LeverSwitch.WhileHeld)
                )
            )
            .Must(new SetNote(studio.Lineups[0].Id, "wait for the comet"));
        var anew = studio.Reserving(Studio.MaxIds - 1).Renumbered();
        Assert.Null(StudioRules.Broken(anew));
        Assert.Equal(
            studio.Lineups.Select(lineup => (lineup.Name, lineup.Note)),
            anew.Lineups.Select(lineup => (lineup.Name, lineup.Note))
        );
        Assert.Equal(LeverWords.Of(studio, studio.Levers[0].Work), LeverWords.Of(anew, anew.Levers[0].Work));
    }

    private static (Studio Studio, DevicePort To) Zinn()
    {
        var studio = Studio.Empty("Test").Must(new AddDevice("Zinn, sound module, channels 3-6", null));
        studio = studio.Must(new SetPrograms(studio.Devices[0].Id, "17 Glass\n18 Glow"));
        return (studio, studio.Destinations.First());
    }
}
