using System.Net;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;

namespace Weiche.Web.Tests;

/// <summary>The evening on its pages: the roster, Tonight, levers, programs by name; what is asked back, and what is remembered.</summary>
public class LineupsTests
{
    [Fact]
    public async Task The_roster_shows_who_is_on_duty_when_what_is_sent_and_what_comes_and_goes()
    {
        await using var house = await House.Open(dome: true);
        var page = await house.Get("/lineups");
        Assert.Equal(["Dusk", "Star field", "Dawn"], page.QuerySelectorAll(".card-name").Select(card => card.TextContent));
        Assert.Equal("Star field", page.QuerySelector(".lineup-card.in-force .card-name")!.TextContent);
        Assert.Equal("1 circuit", page.QuerySelector(".lineup-card.in-force .card-circuit")!.TextContent);
        Assert.Equal(["+ 7 − 0", "+ 0 − 6"], page.QuerySelectorAll(".card-change").Select(change => change.TextContent));
        Assert.Equal(house.Studio.Routes.Length, page.QuerySelectorAll(".roster-row").Length);
        Assert.Equal(["Standing", "Amsel 61"], page.QuerySelectorAll(".roster-group").Take(2).Select(group => group.TextContent));
        Assert.Contains("sends Zinn 5: 17 Glass · Zinn 6: 22 Choir · 1 more", page.Body!.TextContent, StringComparison.Ordinal);
        Assert.Equal("2 Star field", page.QuerySelector("#lineup-now")!.TextContent);
        // A studio without lineups shows nothing of all this.
        await using var small = await House.Open();
        var plan = await small.Get("/plan");
        Assert.True(plan.QuerySelector("#lineup-box")!.HasAttribute("hidden"));
        Assert.Null(plan.QuerySelector("#plan-lineup"));
        Assert.Single((await small.Get("/lineups")).QuerySelectorAll("#lineup-add"));
    }

    [Fact]
    public async Task A_place_is_pressed_and_taken_back_and_a_standing_route_leaves_one_lineup()
    {
        await using var house = await House.Open(dome: true);
        var (route, dusk) = (house.Route("Halm", "Brandung").Id, house.Studio.Lineups[0].Id);
        var (status, page) = await house.Post("/lineups?handler=Place", ("route", route), ("lineup", dusk), ("on", "true"));
        Assert.Equal(HttpStatusCode.OK, status);
        Assert.Equal("true", page.QuerySelector($"#place-{route}-{dusk}")!.GetAttribute("aria-pressed"));
        Assert.Equal("Put Halm → Brandung into 1 Dusk", house.Desk.State.Undo);
        Assert.Null(house.Desk.Undo().Problem);
        Assert.False(house.Studio.FindRoute(route)!.Duty.IsOn(dusk));
        var pads = house.Route("Kies", "Zinn").Id;
        await house.Post("/lineups?handler=Place", ("route", pads), ("lineup", dusk), ("on", "false"));
        Assert.Equal(Duty.In(house.Studio.Lineups[1].Id, house.Studio.Lineups[2].Id), house.Studio.FindRoute(pads)!.Duty);
        await house.Post("/lineups?handler=Standing", ("route", pads), ("on", "true"));
        Assert.True(house.Studio.FindRoute(pads)!.Duty.IsStanding);
    }

    [Fact]
    public async Task The_lineup_in_force_is_in_force_again_after_a_restart_and_is_no_edit()
    {
        var folder = House.FreshFolder();
        string? undo;
        await using (var house = await House.Open(folder, dome: true))
        {
            undo = house.Desk.State.Undo;
            Assert.Equal("2 Star field", house.Studio.NameOf(house.Studio.InForce!.Value));
            var (status, page) = await house.Post("/lineups?handler=Step", ("by", 1));
            Assert.Equal(HttpStatusCode.NoContent, status);
            Assert.Equal("3 Dawn", house.Studio.NameOf(house.Studio.InForce!.Value));
            Assert.Equal(house.Studio.InForce, house.Desk.Junction.InForce);
            Assert.Equal(undo, house.Desk.State.Undo);
            (status, _) = await house.Post("/lineups?handler=Step", ("by", 1));
            Assert.Equal(HttpStatusCode.NoContent, status);
        }
        await using (var house = await House.Open(folder, dome: true))
        {
            Assert.Equal("3 Dawn", house.Studio.NameOf(house.Studio.InForce!.Value));
            Assert.Equal(house.Studio.InForce, house.Desk.Junction.InForce);
        }
        Directory.Delete(folder, recursive: true);
    }

    [Fact]
    public async Task A_lineup_that_would_open_a_circuit_is_said_before_asked_about_once_and_entered_by_a_lever_without_what_closes_it()
    {
        await using var house = await House.Open(dome: true);
        var (dusk, star, dawn) = (house.Studio.Lineups[0].Id, house.Studio.Lineups[1].Id, house.Studio.Lineups[2].Id);
        Assert.Null(house.Desk.Enter(dawn));
        Assert.Equal("1 circuit in 2 Star field", (await house.Get("/plan")).QuerySelector("#guard-lamp")!.TextContent);
        Assert.Contains(
            "In 2 Star field, not in 3 Dawn, which is in force",
            (await house.Get("/checks")).QuerySelector(".finding-in")!.TextContent,
            StringComparison.Ordinal
        );
        // Who left off in Star field knows of its circuit. In Dusk it is new.
        Assert.Null(house.Desk.Enter(star));
        Assert.Null(house.Desk.Enter(dawn));
        var back = house.Studio.Routes.Single(route => route.From is AnySource).Id;
        Assert.Null(house.Desk.Apply(new PlaceRoute(back, dusk, true)).Problem);
        Assert.Null(
            house
                .Desk.Apply(
                    new PlaceRoute(
                        house.Studio.Routes.Single(route => house.Studio.Describe(route) == "Bandhaus B → Brandung").Id,
                        dusk,
                        true
                    )
                )
                .Problem
        );
        var held = Assert.Single(house.Studio.HeldOff);
        Assert.Equal(dusk, held.Lineup);
        var (status, page) = await house.Post("/lineups?handler=Enter", ("lineup", dusk));
        Assert.Equal(HttpStatusCode.UnprocessableEntity, status);
        Assert.StartsWith("1 Dusk would open a circuit.", page.QuerySelector("[role=alert]")!.TextContent, StringComparison.Ordinal);
        Assert.Equal(dawn, house.Studio.InForce);
        // A lever does not ask: it is entered without what closes the circle, and that is said.
        house.StandIn("Amsel 61").Player!.Program(0);
        await House.Until(() => house.Studio.InForce == dusk, "Dusk in force");
        Assert.Empty(house.Desk.State.Report.OpenCircuits);
        Assert.StartsWith("1 Dusk was entered without ", house.Desk.State.Notice!.Sentence, StringComparison.Ordinal);
        Assert.Equal(RouteState.HeldOff, LiveRoutes.Of(house.Studio).StateOf(house.Studio.FindRoute(held.Route)!, _ => false));
        // On screen, the second time is meant.
        Assert.Null(house.Desk.Enter(dawn));
        Assert.NotNull(house.Desk.Enter(dusk));
        Assert.Null(house.Desk.Enter(dusk));
        Assert.NotEmpty(house.Desk.State.Report.OpenCircuits);
        // A remedy mends that lineup alone.
        var remedy = (await house.Get("/checks")).QuerySelectorAll(".remedy b").Select(each => each.TextContent).ToList();
        Assert.Contains(remedy, title => title.EndsWith("out of 1 Dusk", StringComparison.Ordinal));
    }

    [Fact]
    public async Task What_a_lineup_sends_is_there_before_the_first_note_and_programs_have_names()
    {
        await using var house = await House.Open(dome: true);
        var dawn = house.Studio.Lineups[2].Id;
        var (status, page) = await house.Post(
            "/gear?handler=Programs",
            ("device", house.Device("Zinn").Id),
            ("list", "1 Piano\n17 Glass\n17 Again")
        );
        Assert.Equal(HttpStatusCode.UnprocessableEntity, status);
        Assert.Contains("Line 3: program 17 has a name already", page.Body!.TextContent, StringComparison.Ordinal);
        (status, _) = await house.Post(
            "/gear?handler=Programs",
            ("device", house.Device("Zinn").Id),
            ("list", "number;name\n1;Piano\n17;Glass")
        );
        Assert.Equal((HttpStatusCode.OK, 2), (status, house.Device("Zinn").Programs.Count));
        (status, page) = await house.Post("/lineups?handler=Send", ("lineup", dawn), ("to", house.To("Zinn")), ("line", "90 3C 40"));
        Assert.Equal(HttpStatusCode.UnprocessableEntity, status);
        Assert.Contains("cannot send notes", page.Body!.TextContent, StringComparison.Ordinal);
        (status, page) = await house.Post("/lineups?handler=Send", ("lineup", dawn), ("to", house.To("Zinn")), ("line", "17 Glass on 5"));
        Assert.Equal(HttpStatusCode.OK, status);
        Assert.Contains("Zinn 5: 17 Glass", page.QuerySelector(".sends")!.TextContent, StringComparison.Ordinal);
        house.Desk.EnterBeside(1);
        await House.Until(() => house.StandIn("Zinn").Listener!.Heard.Programs[4] == 17, "the program at Zinn");
        (status, _) = await house.Post("/lineups?handler=Unsend", ("lineup", dawn), ("index", 0), ("was", "something else"));
        Assert.Equal(HttpStatusCode.UnprocessableEntity, status);
    }

    [Fact]
    public async Task A_lever_is_set_by_doing_and_a_second_one_on_the_same_thing_is_told_why_not()
    {
        await using var house = await House.Open(dome: true);
        var tritt = house.From("Tritt 13");
        using var request = new HttpRequestMessage(HttpMethod.Get, $"/lineups/levers?source={tritt}&status=145&number=36");
        request.Headers.Add("HX-Request", "true");
        using var answer = await house.Client.SendAsync(request);
        Assert.Contains("Tritt 13 C1", await answer.Content.ReadAsStringAsync(), StringComparison.Ordinal);
        var (status, _) = await house.Post("/lineups/levers?handler=Pressed", ("source", tritt), ("thing", "C1"), ("work", "back"));
        Assert.Equal(HttpStatusCode.OK, status);
        Assert.Equal(new StepLineup(-1), house.Studio.Levers[^1].Work);
        (status, var page) = await house.Post(
            "/lineups/levers?handler=Pressed",
            ("source", tritt),
            ("thing", "C1"),
            ("work", "all notes off")
        );
        Assert.Equal(HttpStatusCode.UnprocessableEntity, status);
        Assert.Contains(
            "Tritt 13 C1 is a lever already: back. One thing works one lever.",
            page.QuerySelector("#lever-problem")!.TextContent,
            StringComparison.Ordinal
        );
        (status, _) = await house.Post("/lineups/levers?handler=Remove", ("lever", house.Studio.Levers[^1].Id));
        Assert.Equal((HttpStatusCode.OK, 4), (status, house.Studio.Levers.Length));
        (status, page) = await house.Post("/gear?handler=Lever", ("device", house.Device("Kies").Id), ("line", "Kies C1 → all notes off"));
        Assert.Equal((HttpStatusCode.OK, 5), (status, house.Studio.Levers.Length));
    }

    [Fact]
    public async Task A_lineup_that_is_removed_in_force_makes_way_for_the_one_before_and_undo_brings_it_back()
    {
        await using var house = await House.Open(dome: true);
        var star = house.Studio.InForce!.Value;
        var (status, _) = await house.Post("/lineups?handler=Remove", ("lineup", star));
        Assert.Equal(HttpStatusCode.OK, status);
        Assert.Equal("2 Star field is gone; 1 Dusk is in force now.", house.Desk.State.Notice!.Sentence);
        Assert.Equal(house.Studio.InForce, house.Desk.Junction.InForce);
        Assert.Equal(3, house.Studio.Levers.Length);
        Assert.Null(house.Desk.Undo().Problem);
        Assert.Equal((3, 4), (house.Studio.Lineups.Length, house.Studio.Levers.Length));
        Assert.Equal("1 Dusk", house.Studio.NameOf(house.Studio.InForce!.Value));
    }

    [Fact]
    public async Task Tonight_says_what_is_in_force_what_comes_and_how_and_steps()
    {
        await using var house = await House.Open(dome: true);
        var page = await house.Get("/tonight");
        Assert.Equal(
            ("2", "Star field", "wait for the comet, then pedal down"),
            (
                page.QuerySelector(".tonight-number")!.TextContent,
                page.QuerySelector("h1")!.TextContent,
                page.QuerySelector(".tonight-now p")!.TextContent
            )
        );
        Assert.Contains("or Tritt 13 C2", page.QuerySelector("#tonight-next")!.TextContent, StringComparison.Ordinal);
        Assert.Contains("1 circuit open", page.QuerySelector(".tonight-lamp")!.TextContent, StringComparison.Ordinal);
        var (status, after) = await house.Post("/tonight?handler=Step", ("by", 1));
        Assert.Equal((HttpStatusCode.OK, "Dawn"), (status, after.QuerySelector("h1")!.TextContent));
        (status, after) = await house.Post("/tonight?handler=Step", ("by", 1));
        Assert.Equal(HttpStatusCode.UnprocessableEntity, status);
        Assert.Contains("3 Dawn is the last of the evening.", after.QuerySelector("[role=alert]")!.TextContent, StringComparison.Ordinal);
    }

    [Fact]
    public async Task On_Plan_another_lineup_is_looked_at_without_being_entered_and_what_is_laid_there_is_there_alone()
    {
        await using var house = await House.Open(dome: true);
        var (dusk, star) = (house.Studio.Lineups[0].Id, house.Studio.Lineups[1].Id);
        var page = await house.Get($"/plan?lineup={dusk}");
        Assert.Equal("1 Dusk", page.QuerySelector("#plan-lineup option[selected]")!.TextContent);
        Assert.Equal(7, page.QuerySelectorAll("[data-count]").Count(count => count.TextContent == "off duty"));
        Assert.DoesNotContain((await house.Get($"/plan?lineup={dusk}&others=0")).QuerySelectorAll("[data-count]"), count =>
            count.TextContent == "off duty"
        );
        var route = house.Route("Halm", "Brandung");
        await house.Post("/plan?handler=Duty", ("routes", route.Id));
        Assert.Equal(Duty.In(star), house.Studio.FindRoute(route.Id)!.Duty);
        await house.Post("/plan?handler=Duty", ("routes", route.Id));
        Assert.True(house.Studio.FindRoute(route.Id)!.Duty.IsStanding);
        Assert.Equal("Halm → Brandung is standing", house.Desk.State.Undo);
    }

    [Fact]
    public async Task What_a_lineup_sends_to_a_device_that_is_missing_waits_and_is_sent_when_it_is_back()
    {
        await using var house = await House.Open(dome: true);
        var studio = house.Studio;
        var dawn = studio.Lineups.Single(lineup => lineup.Name == "Dawn");
        var sending = dawn.Sends.First(each => studio.FindPort(each.To)!.Value.Name == "Zinn");
        var said = SendingWords.Of(studio, sending);
        house.Desk.StandIns.Room!.Plug("weiher-4x4", null);
        await House.Until(() => house.Desk.Park.State.Missing == 1, "it to be missing");
        Assert.Null(house.Desk.Enter(dawn.Id));
        var page = await house.Get("/lineups");
        Assert.Contains(page.QuerySelectorAll(".sends li"), each =>
            each.QuerySelector(".waits") is not null && each.TextContent.Contains(said, StringComparison.Ordinal)
        );
        // Zinn is sent something there, and the pedals are the lever that goes on; no route of it needs them.
        var tonight = (await house.Get("/tonight")).QuerySelector(".tonight-lamp")!.TextContent;
        Assert.Contains("Zinn", tonight, StringComparison.Ordinal);
        Assert.Contains("Tritt 13", tonight, StringComparison.Ordinal);
        Assert.Equal(1, house.StandIn("Zinn").Listener!.Heard.Programs[4]);
        house.Desk.StandIns.Room!.Plug("weiher-4x4", "socket 1");
        await House.Until(() => house.StandIn("Zinn").Listener!.Heard.Programs[4] == 3, "the program at Zinn");
        await House.Until(() => house.Desk.Park.State.Missing == 0, "it to be back");
        Assert.Null((await house.Get("/lineups")).QuerySelector(".sends .waits"));
    }

    [Fact]
    public async Task A_lever_of_a_device_that_is_missing_is_said_to_wait()
    {
        await using var house = await House.Open(dome: true);
        Assert.Null((await house.Get("/lineups")).QuerySelector(".levers .waits"));
        // The pedals are met through the interface: without it they are missing as well.
        house.Desk.StandIns.Room!.Plug("weiher-4x4", null);
        var pedals = house.Studio.Levers.Single(lever => lever.Work is StepLineup).Id;
        await House.Until(() => house.Desk.Park.State.Missing == 1, "it to be missing");
        var waits = (await house.Get("/lineups")).QuerySelectorAll(".levers .waits");
        Assert.Equal([$"lever-{pedals}"], waits.Select(each => each.ParentElement!.Id));
    }
}
