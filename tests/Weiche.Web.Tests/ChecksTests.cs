using System.Net;
using System.Text.RegularExpressions;
using Weiche.Core.Live;
using Weiche.Core.Midi;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;

namespace Weiche.Web.Tests;

public class ChecksTests
{
    [Fact]
    public async Task The_open_circuit_of_the_dome_is_found_followed_mended_and_taken_back()
    {
        await using var house = await House.Open(dome: true);
        var page = await house.Get("/checks");
        Assert.Equal("1 circuit open", page.QuerySelector("#guard-lamp")!.TextContent);
        Assert.Equal("Endless", page.QuerySelector(".finding .finding-sign")!.TextContent);
        Assert.Equal(4, page.QuerySelectorAll(".circuit .ring-place").Length);
        Assert.Contains("proved least", page.QuerySelector(".remedies h3")!.TextContent, StringComparison.Ordinal);
        Assert.StartsWith("/plan?focus=way-", page.QuerySelector("#see-on-plan")!.GetAttribute("href")!, StringComparison.Ordinal);

        // Shown on the plan first: nothing is made by looking.
        var preview = await house.Get(page.QuerySelector("#preview-1")!.GetAttribute("href")!);
        Assert.Contains("No circuit would be open", preview.QuerySelector(".preview-bar")!.TextContent, StringComparison.Ordinal);
        Assert.Empty(preview.QuerySelectorAll(".room-way.circling"));
        Assert.Single(house.Desk.State.Report.OpenCircuits);

        var remedy = page.QuerySelectorAll(".remedy")[1];
        Assert.Contains("Leave Brandung out of any source → Bandhaus", remedy.TextContent, StringComparison.Ordinal);
        string Value(string name) => remedy.QuerySelector($"input[name={name}]")!.GetAttribute("value")!;
        var (status, after) = await house.Post("/checks?handler=Remedy", ("finding", Value("finding")), ("remedy", Value("remedy")));
        Assert.Equal(HttpStatusCode.OK, status);
        Assert.Empty(house.Desk.State.Report.OpenCircuits);
        Assert.DoesNotContain("Endless", after.QuerySelector(".finding-list")!.TextContent, StringComparison.Ordinal);
        // Pressed twice by mistake, it says so and changes nothing.
        var version = house.Desk.State.Version;
        (status, _) = await house.Post("/checks?handler=Remedy", ("finding", Value("finding")), ("remedy", Value("remedy")));
        Assert.Equal((HttpStatusCode.UnprocessableEntity, version), (status, house.Desk.State.Version));
        Assert.Null(house.Desk.Undo().Problem);
        Assert.Single(house.Desk.State.Report.OpenCircuits);
    }

    [Fact]
    public async Task What_a_person_does_at_the_device_is_ticked_and_remembered()
    {
        await using var house = await House.Open(dome: true);
        var first = (await house.Get("/checks")).QuerySelector(".remedy")!;
        Assert.Equal("Done it", first.QuerySelector("button")!.TextContent);
        await house.Post(
            "/checks?handler=Remedy",
            [
                .. first
                    .QuerySelectorAll("input[type=hidden]")
                    .Where(input => input.GetAttribute("name") is "finding" or "remedy")
                    .Select(input => (input.GetAttribute("name")!, (object)input.GetAttribute("value")!)),
            ]
        );
        Assert.False(house.Device("Brandung").InnerPaths.Single(path => path.Name == "sequencer page").On);
        var lamp = (await house.Get("/plan")).QuerySelector("#guard-lamp")!;
        Assert.Equal(("3 to look at", "Checks (4): no circuit is open, 3 to look at"), (lamp.TextContent, lamp.GetAttribute("title")));
    }

    [Fact]
    public async Task A_lever_that_would_close_a_circuit_is_red_before_it_is_worked_and_says_so_where_it_is_set()
    {
        await using var house = await House.Open(dome: true);
        var back = house.Studio.Routes.Single(route => route.From is AnySource).Id;
        Assert.Null(house.Desk.Apply(new SwitchRoute(back, false)).Problem);
        Assert.Empty(house.Desk.State.Report.OpenCircuits);
        Assert.Null(
            house
                .Desk.Apply(
                    new AddLever(house.From("Tritt 13"), new LeverTrigger(LeverKind.Key, 40), new SwitchRoutes([back], LeverSwitch.On))
                )
                .Problem
        );
        Assert.Equal("1 lever circuit", (await house.Get("/plan")).QuerySelector("#guard-lamp")!.TextContent);
        var sign = (await house.Get("/lineups")).QuerySelector("#levers .card-circuit")!;
        var page = await house.Get(sign.GetAttribute("href")!);
        Assert.Contains("Tritt 13 E1 would close a circuit", page.Body!.TextContent, StringComparison.Ordinal);
        Assert.Contains(page.QuerySelectorAll(".remedy b"), title => title.TextContent.StartsWith("Take off ", StringComparison.Ordinal));
        Assert.NotNull(page.QuerySelector("svg.circuit.open"));
        Assert.Null(house.Desk.Apply(new RemoveLever(house.Studio.Levers[^1].Id)).Problem);
        Assert.DoesNotContain("circuit", (await house.Get("/plan")).QuerySelector("#guard-lamp")!.TextContent, StringComparison.Ordinal);
    }

    [Fact]
    public async Task A_route_that_would_open_a_circuit_waits_until_a_person_decides()
    {
        await using var house = await House.Open();
        Studio Now() => house.Studio;
        await house.Post("/gear?handler=Add", ("name", "loop a"));
        await house.Post("/gear?handler=Add", ("name", "loop b"));
        await house.Post("/plan?handler=Lay", ("from", house.From("loop a")), ("to", house.To("loop b")));
        var keys = Now().Sources.First(port => port.Device.Kind == DeviceKind.KeyboardController).Id;
        await house.Post("/plan?handler=Lay", ("from", keys), ("to", house.To("loop a")));
        var (status, page) = await house.Post("/plan?handler=Lay", ("from", house.From("loop b")), ("to", house.To("loop a")));
        Assert.Equal(HttpStatusCode.OK, status);
        Assert.Contains(
            "loop b → loop a waits, switched off: it would open a circuit.",
            page.QuerySelector("#fragment")!.GetAttribute("data-notice"),
            StringComparison.Ordinal
        );
        Assert.False(house.Route("loop b", "loop a").On);
        Assert.Empty(house.Desk.State.Report.OpenCircuits);

        // Once is asked back, twice is meant.
        var id = house.Route("loop b", "loop a").Id;
        (status, page) = await house.Post("/plan?handler=Switch", ("route", id), ("on", true));
        Assert.Equal(HttpStatusCode.UnprocessableEntity, status);
        Assert.Contains("Do it once more to have it all the same", page.QuerySelector("#plan-say")!.TextContent, StringComparison.Ordinal);
        Assert.False(house.Route("loop b", "loop a").On);
        (status, page) = await house.Post("/plan?handler=Switch", ("route", id), ("on", true));
        Assert.Equal(HttpStatusCode.OK, status);
        Assert.Contains(
            "A circuit is open now",
            (await house.Get("/gear")).QuerySelector("#notice-text")!.TextContent,
            StringComparison.Ordinal
        );
        Assert.True(house.Route("loop b", "loop a").On);

        // Somewhere else the guard would catch it all the same: what goes round ends by itself.
        house.Desk.Junction.Receive(keys, [0x90, 60, 100]);
        await House.Until(() => house.Desk.Junction.Guarded().Trips.Length > 0, "the guard trips");
        Assert.Equal("1 circuit open", (await house.Get("/checks")).QuerySelector("#guard-lamp")!.TextContent);
        Assert.NotNull((await house.Get("/checks")).QuerySelector("#guard #resume"));
        await house.Post("/checks?handler=Resume");
        Assert.Empty(house.Desk.Junction.Guarded().Trips);
        house.Desk.Junction.Receive(keys, [0x80, 60, 64]);

        // Without the setting nothing waits.
        Assert.Null(house.Desk.Undo().Problem);
        await house.Post("/checks?handler=Safety", ("waits", false));
        Assert.False(Now().Safety.OpeningWaits);
        (status, _) = await house.Post("/plan?handler=Switch", ("route", id), ("on", true));
        Assert.Equal(HttpStatusCode.OK, status);
        Assert.True(house.Route("loop b", "loop a").On);
        (status, page) = await house.Post("/checks?handler=Safety", ("rounds", 1));
        Assert.Equal(HttpStatusCode.UnprocessableEntity, status);
        Assert.Contains("2nd to 64th", page.QuerySelector(".problem")!.TextContent, StringComparison.Ordinal);
    }

    [Fact]
    public async Task An_echo_that_the_plan_does_not_know_is_stopped_and_becomes_a_proposal()
    {
        await using var house = await House.Open(dome: true);
        var echo = house.Device("Brandung").InnerPaths.Single(path => path.Name == "sequencer page");
        await house.Post("/gear/cabling?handler=Inner", ("device", house.Device("Brandung").Id), ("path", echo.Id), ("on", false));
        Assert.Empty(house.Desk.State.Report.OpenCircuits);
        house.StandIn("Brandung").Switch("sequencer page", true);
        house.StandIn("Bandhaus").Switch("track 4", true);
        var amsel = house.StandIn("Amsel 61").Player!;
        amsel.Press("test", 72, 100);
        await House.Until(() => house.Desk.Junction.Guarded().Trips.Length > 0, "the guard trips");
        amsel.Release("test", 72);
        await House.Until(
            () => house.StandIn("Brandung").Listener!.Heard.Held.Count == 0 && house.StandIn("Bandhaus").Listener!.Heard.Held.Count == 0,
            "the note ends"
        );
        // All else plays on.
        amsel.Press("test", 40, 100);
        await House.Until(() => house.StandIn("Zinn").Listener!.Heard.Held.Count > 0, "Zinn plays");
        amsel.Release("test", 40);
        await House.Until(() => house.StandIn("Zinn").Listener!.Heard.Held.Count == 0, "Zinn falls silent");
        var page = await house.Get("/checks");
        Assert.Contains("stopped", page.QuerySelector("#guard-lamp")!.TextContent, StringComparison.Ordinal);
        var learn = page.QuerySelector("#learn-0")!.Closest("form")!;
        Assert.Contains("Brandung", learn.TextContent, StringComparison.Ordinal);
        var (status, _) = await house.Post(
            "/checks?handler=Learn",
            ("number", 0),
            ("sentence", learn.QuerySelector("input[name=sentence]")!.GetAttribute("value")!)
        );
        Assert.Equal(HttpStatusCode.OK, status);
        Assert.True(house.Device("Brandung").InnerPaths.Single(path => path.Name == "sequencer page").On);
    }

    [Fact]
    public async Task Many_findings_are_filtered_by_their_sign_and_by_words()
    {
        await using var house = await House.Open(dome: true);
        for (var i = 0; i < 12; i++)
            house.Desk.Apply(new AddDevice($"Rest {i}, sound module"));
        var all = await house.Get("/checks");
        var count = all.QuerySelectorAll("a.finding").Length;
        Assert.True(count > 12);
        var silent = await house.Get("/checks?q=silence");
        Assert.Equal(13, silent.QuerySelectorAll("a.finding").Length);
        Assert.Equal("true", silent.QuerySelector(".finding-find .kind[href*='Silence']")!.GetAttribute("aria-pressed"));
        // The first of those that are listed is looked at, and stays with the words in the address.
        Assert.Contains("reaches", silent.QuerySelector(".finding-view h2")!.TextContent, StringComparison.OrdinalIgnoreCase);
        Assert.Contains("q=silence", silent.QuerySelector("#fragment")!.GetAttribute("data-address")!, StringComparison.Ordinal);
        Assert.Single((await house.Get("/checks?q=silence%20rest%207")).QuerySelectorAll("a.finding"));
        Assert.Contains("None of the", (await house.Get("/checks?q=nowhere%20at%20all")).Body!.TextContent, StringComparison.Ordinal);
    }

    [Fact]
    public async Task What_comes_back_once_while_somebody_plays_becomes_a_proposal_with_its_evidence()
    {
        await using var house = await House.Open(dome: true);
        var echo = house.Device("Brandung").InnerPaths.Single(path => path.Name == "sequencer page");
        await house.Post("/gear/cabling?handler=Inner", ("device", house.Device("Brandung").Id), ("path", echo.Id), ("on", false));
        Assert.Null((await house.Get("/checks")).QuerySelector("#learned"));
        // In the room it is open all the same; nothing leads on from there into a circle.
        house.StandIn("Brandung").Switch("sequencer page", true);
        var amsel = house.StandIn("Amsel 61").Player!;
        var figures = house.Desk.Junction.Compiled.Meter(house.From("Brandung"))!;
        var learned = "";
        // On a busy machine some come too unevenly to be counted.
        for (var i = 0; i < 100 && !Regex.IsMatch(learned, "[0-9]+ of [0-9]+ notes sent to Brandung came back from Brandung, after"); i++)
        {
            // High keys: those go to Brandung. In leaps, so that none looks like the one before it, changed.
            amsel.Press("test", 72 + i * 7 % 16, 100);
            amsel.Release("test", 72 + i * 7 % 16);
            var messages = 2 * (i + 1);
            await House.Until(() => figures.Messages >= messages, "the note to come back");
            if (i >= EchoLearner.TimesToKnow - 1)
                learned = (await house.Get("/checks")).QuerySelector("#learned")?.TextContent ?? "";
        }
        Assert.Matches("[0-9]+ of [0-9]+ notes sent to Brandung came back from Brandung, after", learned);
        Assert.Contains("sequencer page of Brandung is open", learned, StringComparison.Ordinal);
        Assert.Empty(house.Desk.Junction.Guarded().Trips);
    }

    [Fact]
    public async Task A_large_studio_is_edited_at_once_and_looked_at_beside_that_and_what_opens_a_circuit_waits_then()
    {
        await using var house = await House.Open();
        Assert.Null(house.Desk.Add(Tangle(20).Named("large")));
        await House.Until(() => !house.Desk.State.IsLooking, "the first look");
        Assert.Empty(house.Desk.State.Report.OpenCircuits);
        // The edit that closes a circle is answered before that can be known; edits that follow are looked at together.
        var (from, to) = (house.From("d0"), house.To("d0"));
        Assert.Null(house.Desk.Apply(new LayRoute(from, to)).Problem);
        var route = house.Studio.Routes[^1].Id;
        Assert.Null(house.Desk.Apply(new AddVirtualPort("one more")).Problem);
        await House.Until(() => !house.Desk.State.IsLooking, "looked at");
        Assert.False(house.Studio.FindRoute(route)!.On);
        Assert.Empty(house.Desk.State.Report.OpenCircuits);
        Assert.Same(house.Studio, house.Desk.State.Report.Studio);
        Assert.Contains(house.Desk.History(null, 10), version => version.Edit.Contains("wait", StringComparison.Ordinal));
        Assert.Equal("one more", house.Studio.Devices[^1].Name);
        // Switched on it is asked back, at once or as soon as it is known, where it was not already; once more it is meant.
        for (var i = 0; i < 2 && !house.Studio.FindRoute(route)!.On; i++)
        {
            house.Desk.Apply(new SwitchRoute(route, true));
            await House.Until(() => !house.Desk.State.IsLooking, "looked at again");
        }
        Assert.True(house.Studio.FindRoute(route)!.On);
        Assert.NotEmpty(house.Desk.State.Report.OpenCircuits);
    }

    /// <summary>Applications of which each leads to all others; the first passes on what it hears.</summary>
    private static Studio Tangle(int count)
    {
        var studio = Enumerable
            .Range(0, count)
            .Aggregate(Studio.Empty("Tangle"), (all, i) => Made(all, new AddDevice($"d{i}, application")));
        var first = studio.Devices[0];
        studio = Made(
            studio,
            new AddInnerPath(
                first.Id,
                InnerPathKind.Echo,
                "echo",
                Place.At(first.Ports.First(port => port.Direction == PortDirection.Destination).Id),
                Place.At(first.Ports.First(port => port.Direction == PortDirection.Source).Id),
                MidiSpan.FromMilliseconds(1)
            )
        );
        foreach (var from in studio.Sources.Skip(1))
        {
            foreach (var to in studio.Destinations.Where(to => to.Device.Id != from.Device.Id))
                studio = Made(studio, new LayRoute(from.Id, to.Id));
        }
        return studio;

        static Studio Made(Studio studio, StudioEdit edit) =>
            edit.Apply(studio) is { Studio: { } made } ? made : throw new InvalidOperationException(edit.Title(studio));
    }
}
