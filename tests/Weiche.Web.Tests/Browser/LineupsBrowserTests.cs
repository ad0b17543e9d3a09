using OpenQA.Selenium;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;

namespace Weiche.Web.Tests.Browser;

/// <summary>The evening in a real browser: the roster by keys, entered while playing, Tonight beside it.</summary>
public sealed class LineupsBrowserTests(Window window) : IClassFixture<Window>
{
    [Fact]
    public async Task Of_many_lineups_the_one_in_force_is_brought_into_sight_and_what_is_scrolled_to_stays_through_an_edit()
    {
        await using var house = await House.Open(dome: true);
        for (var i = 4; i <= 16; i++)
            Assert.Null(house.Desk.Apply(new AddLineup($"Night {i}")).Problem);
        bool InSight(int number) =>
            window.Script<bool>(
                $"const card = document.querySelectorAll('.lineup-card')[{number - 1}].getBoundingClientRect();"
                    + "const names = document.querySelector('.roster-heads > span').getBoundingClientRect();"
                    + "return card.left >= names.right - 1 && card.right <= innerWidth;"
            );
        Assert.Null(house.Desk.Enter(house.Studio.Lineups[11].Id));
        window.Go(house, "/lineups");
        window.Until(() => InSight(12), "the twelfth, in force");
        // Whoever looks elsewhere is left there, also by an edit.
        window.Script<object?>("document.getElementById('roster').scrollLeft = 200; return null");
        var route = house.Route("Halm", "Brandung").Id;
        window.Driver.ExecuteScript($"document.querySelector('#place-{route}-{house.Studio.Lineups[3].Id}').click()");
        window.Until(() => house.Studio.FindRoute(route)!.Duty.IsOn(house.Studio.Lineups[3].Id), "Halm in the fourth");
        window.Until(
            () => window.Find($"#place-{route}-{house.Studio.Lineups[3].Id}").GetAttribute("aria-pressed") == "true",
            "it is shown"
        );
        Assert.Equal(200, window.Script<long>("return document.getElementById('roster').scrollLeft"));
        window.Key("n");
        window.Until(() => window.Text("#lineup-now") == "13 Night 13" && InSight(13), "the thirteenth");
    }

    [Fact]
    public async Task The_roster_is_set_by_keys_and_the_next_lineup_is_entered_by_key_pedal_and_program_while_a_chord_rings_on()
    {
        await using var house = await House.Open(dome: true);
        using var tonight = new Window();
        tonight.Go(house, "/tonight");
        window.Go(house, "/plan");
        window.Key("5");
        window.Until(() => window.Has("#roster"), "the roster");
        // By arrows to a place of the first column, and pressed.
        var halm = house.Route("Halm", "Brandung").Id;
        var dusk = house.Studio.Lineups[0].Id;
        var row = window.Find($"#place-{halm}-{dusk}").GetAttribute("data-place")!.Split(':')[0];
        window.Driver.ExecuteScript("document.querySelector('[data-place=\"0:0\"]').focus()");
        for (var i = 0; i < int.Parse(row, null); i++)
            window.Key(Keys.ArrowDown);
        window.Key(" ");
        window.Until(() => house.Studio.FindRoute(halm)!.Duty.IsOn(dusk), "Halm in Dusk");
        window.Until(
            () =>
                window.Find($"#place-{halm}-{dusk}").GetAttribute("aria-pressed") == "true"
                && window.Script<bool>($"return document.activeElement.id === 'place-{halm}-{dusk}'"),
            "the place, still in hand"
        );
        // A key is down in Star field: it rings on in Dawn, and ends with its own end.
        var (amsel, tritt) = (house.StandIn("Amsel 61").Player!, house.StandIn("Tritt 13").Player!);
        amsel.Press("hand", 50, 90);
        await House.Until(() => house.StandIn("Zinn").Listener!.Heard.Held.Count > 0, "the key at Zinn");
        window.Key("n");
        window.Until(() => window.Text("#lineup-now") == "3 Dawn", "Dawn in the head");
        tonight.Until(() => tonight.Text("h1") == "Dawn", "Dawn on Tonight");
        Assert.NotEmpty(house.StandIn("Zinn").Listener!.Heard.Held);
        amsel.Release("hand", 50);
        await House.Until(() => house.StandIn("Zinn").Listener!.Heard.Held.Count == 0, "the key ended");
        // By a program, and by the highest pedal.
        amsel.Program(0);
        window.Until(() => window.Text("#lineup-now") == "1 Dusk", "Dusk by program 1");
        tritt.Press("foot", 48, 100);
        tritt.Release("foot", 48);
        window.Until(() => window.Text("#lineup-now") == "2 Star field", "Star field by the pedal");
        tonight.Until(() => tonight.Text("h1") == "Star field", "Star field on Tonight");
        // By a finger on Tonight.
        tonight.Press("#tonight-back");
        window.Until(() => window.Text("#lineup-now") == "1 Dusk", "Dusk again");
        Assert.Equal(house.Studio.InForce, dusk);
    }

    [Fact]
    public async Task A_lever_is_set_by_pressing_it()
    {
        await using var house = await House.Open(dome: true);
        window.Go(house, "/lineups");
        window.Until(() => window.Script<string>("return document.documentElement.dataset.link ?? ''") == "up", "the link");
        window.Press("#lever-set");
        window.Until(() => window.Text("#lever-set") == "Now press it …", "that it waits");
        house.StandIn("Kies").Player!.Press("hand", 36, 100);
        house.StandIn("Kies").Player!.Release("hand", 36);
        window.Until(() => window.Has("#lever-work"), "what it shall work");
        Assert.Contains("Kies C1", window.Text(".levers .pressed"), StringComparison.Ordinal);
        window.Script<object?>("document.getElementById('lever-work').value = 'all notes off'; return null");
        window.Press("#lever-take");
        window.Until(() => house.Studio.Levers.Any(lever => lever.Work is Silence), "the lever");
    }

    [Fact]
    public async Task What_a_lever_switches_is_seen_on_plan_where_it_is_played_and_not_in_the_studio()
    {
        await using var house = await House.Open(dome: true);
        Assert.True(LeverLine.TryParse(house.Studio, "Kies C1 → Amsel 61 → Brandung over", out var lever, out var problem), problem);
        Assert.Null(house.Desk.Apply(lever).Problem);
        var route = ((SwitchRoutes)lever.Work).Routes[0];
        var track = $"#track-{route}";
        window.Go(house, $"/plan?route={route}");
        window.Until(() => window.Script<string>("return document.documentElement.dataset.link ?? ''") == "up", "the link");
        Assert.False(window.Has(".switched"));
        Press();
        window.Until(() => window.Has($"{track}.off") && window.Has("path.switched.off"), "the track broken");
        Assert.Equal("lever: off", window.Text($"{track} .count"));
        Assert.Equal("off by a lever", window.Text(".by-lever"));
        Assert.True(house.Studio.FindRoute(route)!.On);
        // It stays so for who comes later.
        window.Go(house, "/plan");
        window.Until(() => window.Has($"{track}.off"), "it after a reload");
        Press();
        window.Until(() => !window.Has($"{track}.off") && !window.Has(".switched"), "the track whole");
        Assert.DoesNotContain("lever", window.Text($"{track} .count"), StringComparison.Ordinal);

        void Press()
        {
            house.StandIn("Kies").Player!.Press("hand", 36, 100);
            house.StandIn("Kies").Player!.Release("hand", 36);
        }
    }

    [Fact]
    public async Task What_is_pulled_out_is_told_on_Tonight_and_beside_what_is_sent_there_without_a_reload()
    {
        await using var house = await House.Open(dome: true);
        using var tonight = new Window();
        tonight.Go(house, "/tonight");
        window.Go(house, "/lineups");
        Assert.DoesNotContain("missing", tonight.Text(".tonight-lamp"), StringComparison.Ordinal);
        house.Desk.StandIns.Room!.Plug("weiher-4x4", null);
        tonight.Until(() => tonight.Text(".tonight-lamp").Contains("Zinn", StringComparison.Ordinal), "Zinn is missing");
        window.Until(() => window.Has(".sends .waits"), "what is sent waits");
        house.Desk.StandIns.Room!.Plug("weiher-4x4", "socket 1");
        tonight.Until(() => !tonight.Text(".tonight-lamp").Contains("missing", StringComparison.Ordinal), "nothing is missing");
        window.Until(() => !window.Has(".sends .waits"), "nothing waits");
    }

    [Theory]
    [InlineData("/tonight", "#tonight-next", "h1")]
    [InlineData("/lineups", "#lineup-next", "#lineup-now")]
    public async Task A_press_is_not_lost_when_the_page_would_be_drawn_anew_under_the_finger(string page, string button, string name)
    {
        await using var house = await House.Open(dome: true);
        var first = house.Studio.InForce;
        window.Go(house, page);
        window.HoldAnswers();
        Assert.Null(house.Desk.Apply(new RenameStudio("Dome by night")).Problem);
        window.Until(() => window.HasHeldAnswer(), "that the page is asked for anew");
        window.Hold(button);
        window.LetAnswersCome();
        window.LetGo();
        window.Until(() => window.Text(name).EndsWith("Dawn", StringComparison.Ordinal), "the next lineup");
        Assert.NotEqual(first, house.Studio.InForce);
        // A second time nothing is pressed: what was fetched while a finger lay on the page is fetched anew after it.
        window.HoldAnswers();
        Assert.Null(house.Desk.Apply(new RenameStudio("Dome by day")).Problem);
        window.Until(() => window.HasHeldAnswer(), "that the page is asked for anew");
        window.Hold(name == "h1" ? "h1" : "#fragment");
        window.LetAnswersCome();
        window.LetGo();
        window.Until(() => window.Version() == house.Desk.State.Version, "what was changed elsewhere");
    }

    [Theory]
    [InlineData("/tonight", "#tonight-next", "h1", false)]
    [InlineData("/lineups", "#lineup-next", "#lineup-now", true)]
    public async Task A_second_press_is_not_lost_when_the_answer_to_the_first_comes_in_the_middle_of_it(
        string page,
        string button,
        string name,
        bool byKeys
    )
    {
        await using var house = await House.Open(dome: true);
        PressAndHoldTheAnswer(house, page, button);
        if (byKeys)
        {
            window.Script<object?>($"document.querySelector('{button}').focus()");
            window.KeyDown("Space", " ");
        }
        else
        {
            window.Hold(button);
        }
        window.LetAnswersCome();
        Assert.Equal(house.Studio.Lineups[1].Id, house.Studio.InForce);
        if (byKeys)
            window.KeyUp("Space", " ");
        else
            window.LetGo();
        window.Until(() => window.Text(name).EndsWith("Dawn", StringComparison.Ordinal), "the lineup after the next");
    }

    [Theory]
    [InlineData("/tonight", "#tonight-next", "h1")]
    [InlineData("/lineups", "#lineup-next", "#lineup-now")]
    [InlineData("/plan", "#next-lineup", "#lineup-now")]
    public async Task What_is_pressed_twice_before_the_first_answer_steps_twice(string page, string button, string name)
    {
        await using var house = await House.Open(dome: true);
        PressAndHoldTheAnswer(house, page, button);
        window.Press(button);
        window.LetAnswersCome();
        window.Until(() => window.Text(name).EndsWith("Dawn", StringComparison.Ordinal), "the lineup after the next");
    }

    /// <summary>Presses in the first lineup; the answer comes when it is let come.</summary>
    private void PressAndHoldTheAnswer(House house, string page, string button)
    {
        Assert.Null(house.Desk.Enter(house.Studio.Lineups[0].Id));
        window.Go(house, page);
        window.HoldAnswers(sent: true);
        window.Press(button);
        window.Until(() => window.HasHeldAnswer(), "that the first press is sent");
    }
}
