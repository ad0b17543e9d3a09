using System.Net;
using Weiche.Core.Midi;
using Weiche.Core.Stages;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;
using Weiche.Web.Pages;
using Weiche.Web.Pages.Plan;

namespace Weiche.Web.Tests;

public sealed class PlanTests
{
    [Fact]
    public async Task Departures_show_the_same_routes_by_their_sources()
    {
        await using var house = await House.Open(dome: true);
        var (arrivals, departures) = (await house.Get("/plan"), await house.Get("/plan?view=departures"));
        Assert.Equal(
            arrivals.QuerySelectorAll("a.route").Select(route => route.Id!).Order(StringComparer.Ordinal),
            departures.QuerySelectorAll("a.route").Select(route => route.Id!).Order(StringComparer.Ordinal)
        );
        Assert.Equal("Departures", departures.QuerySelector(".way[aria-current]")!.TextContent);
        Assert.Equal(5, arrivals.QuerySelectorAll(".way-sign").Length);
        Assert.Equal(2, arrivals.QuerySelectorAll(".way-sign.off").Length);
        // The circuit that is open in the dome is red: two ways back, and the two routes between them.
        Assert.Equal(2, arrivals.QuerySelectorAll(".room-way.circling").Length);
        Assert.Equal(2, arrivals.QuerySelectorAll("g.circling:not(.room-way) > .bed").Length);
        Assert.StartsWith(
            "Way back from Brandung to Brandung,",
            arrivals
                .QuerySelectorAll(".way-sign")
                .Single(sign => sign.TextContent.Contains("sequencer", StringComparison.Ordinal))
                .TextContent.Trim(),
            StringComparison.Ordinal
        );
    }

    [Fact]
    public async Task What_a_stage_keeps_off_the_wire_is_told_in_bytes()
    {
        await using var house = await House.Open();
        var route = house.Route("Amsel 61", "Brandung");
        house.Desk.Apply(new AddStage(route.Id, new KindsStage(KindSet.Of(MessageKind.Note))));
        var stage = house.Studio.FindRoute(route.Id)!.Stages.Length - 1;
        string Kept(AngleSharp.Dom.IDocument page) => page.QuerySelector($"[data-stage-kept='{route.Id}:{stage}']")!.TextContent;
        Assert.Equal("", Kept(await house.Get($"/plan?route={route.Id}")));
        for (byte i = 0; i < 100; i++)
            house.Desk.Junction.Receive(house.From("Amsel 61"), [0xB0, 1, i]);
        Assert.Equal("−300 B", Kept(await house.Get($"/plan?route={route.Id}")));
        Assert.Equal(
            ("−1.2 kB", "−3.5 MB", ""),
            (Weiche.Web.Desk.Words.Kept(1_200), Weiche.Web.Desk.Words.Kept(3_500_000), Weiche.Web.Desk.Words.Kept(0.2))
        );
    }

    [Fact]
    public async Task A_balance_is_heard_while_it_is_moved_and_written_down_once()
    {
        await using var house = await House.Open(dome: true);
        var route = house.Route("Kies", "Zinn");
        var page = await house.Get($"/plan?route={route.Id}&balance=1");
        Assert.Equal(house.Studio.Routes.Count(each => each.To == route.To), page.QuerySelectorAll("[data-balance]").Length);
        Assert.Equal("100", page.QuerySelector($"#balance-{route.Id}")!.GetAttribute("value"));
        var versions = house.Desk.History(null, 100).Count;
        foreach (var percent in new[] { 90, 70, 50 })
            Assert.Equal(
                HttpStatusCode.NoContent,
                (await house.Post("/plan/balance?handler=Try", ("route", route.Id), ("percent", percent))).Status
            );
        // The engine plays it so, and nobody has written it down.
        Assert.Equal(50, SetBalance.Of(house.Desk.Junction.Compiled.Studio.FindRoute(route.Id)!));
        Assert.Equal((100, versions), (SetBalance.Of(house.Studio.FindRoute(route.Id)!), house.Desk.History(null, 100).Count));
        var (_, set) = await house.Post("/plan/balance?handler=Set", ("route", route.Id), ("percent", 60));
        Assert.Equal(60, SetBalance.Of(house.Studio.FindRoute(route.Id)!));
        Assert.Equal(60, SetBalance.Of(house.Desk.Junction.Compiled.Studio.FindRoute(route.Id)!));
        Assert.Equal(versions + 1, house.Desk.History(null, 100).Count);
        house.Desk.Undo();
        Assert.Equal(100, SetBalance.Of(house.Studio.FindRoute(route.Id)!));
        Assert.Equal(
            HttpStatusCode.BadRequest,
            (await house.Post("/plan/balance?handler=Try", ("route", route.Id), ("percent", 500))).Status
        );
        // Who goes away while moving a fader leaves nothing behind.
        await house.Post("/plan/balance?handler=Try", ("route", route.Id), ("percent", 10));
        await House.Until(
            () => SetBalance.Of(house.Desk.Junction.Compiled.Studio.FindRoute(route.Id)!) == 100,
            "what is written down to be heard again"
        );
    }

    [Fact]
    public async Task The_grid_has_a_sign_for_each_route_and_says_what_it_means()
    {
        await using var house = await House.Open();
        var twice = house.Desk.Apply(new LayRoute(AnySource.Plain, house.To("Brandung"))).NewId;
        house.Desk.Apply(new DivertRoute(house.Route("Amsel 61", "keys to stars").Id, true));
        var page = await house.Get("/plan?view=grid");
        string Sign(Route route) => page.QuerySelector($"[data-cell-route='{route.Id}'] text")!.TextContent;
        string Words(Route route) => page.QuerySelector($"[data-cell-route='{route.Id}']")!.GetAttribute("data-words")!;
        Assert.Equal(house.Studio.Routes.Length, page.QuerySelectorAll("[data-cell-route]").Length);
        Assert.Equal("2×", Sign(house.Route("Amsel 61", "Brandung")));
        Assert.Contains("a double", Words(house.Route("Amsel 61", "Brandung")), StringComparison.Ordinal);
        Assert.Equal("»", Sign(house.Route("Amsel 61", "keys to stars")));
        // Where there is room the places say it in words; in a narrow window with a sign.
        Assert.Equal("off", Sign(house.Route("Tritt 13", "Himmel")));
        Assert.Equal(house.Route("keys to stars", "Himmel").Stages[0].Sign(KeyNaming.Usual), Sign(house.Route("keys to stars", "Himmel")));
        using var narrow = new HttpClient(new HttpClientHandler { UseCookies = false }) { BaseAddress = house.Address };
        narrow.DefaultRequestHeaders.Add("Cookie", "weiche-width=400");
        var wide = page;
        page = new AngleSharp.Html.Parser.HtmlParser().ParseDocument(await narrow.GetStringAsync("/plan?view=grid"));
        Assert.Equal("–", Sign(house.Route("Tritt 13", "Himmel")));
        Assert.Equal("~", Sign(house.Route("keys to stars", "Himmel")));
        page = wide;
        Assert.Equal("", Sign(house.Studio.FindRoute(new RouteId(twice))!));
        Assert.Equal(
            house.Studio.SourcesOf(house.Studio.FindRoute(new RouteId(twice))!).Count(),
            page.QuerySelectorAll("[data-by='any source']").Length
        );
    }

    [Fact]
    public async Task Places_of_the_grid_are_set_together_and_undone_together()
    {
        await using var house = await House.Open();
        var before = house.Studio.Routes.Length;
        var cells =
            $"{house.From("Amsel 61")}:{house.To("Brandung")},{house.From("Amsel 61")}:{house.To("Himmel")},{house.From("Tritt 13")}:{house.To("Himmel")}";
        Assert.Equal(HttpStatusCode.OK, (await house.Post("/plan?handler=Cells", ("cells", cells), ("on", "true"))).Status);
        Assert.Equal(before + 1, house.Studio.Routes.Length);
        Assert.True(house.Route("Tritt 13", "Himmel").On && house.Route("Amsel 61", "Himmel").On);
        Assert.Equal("Lay or switch on 2 routes", house.Desk.State.Undo);
        await house.Post("/plan?handler=Cells", ("cells", cells), ("on", "false"));
        Assert.All(
            house.Studio.Routes.Where(route =>
                route.To == house.To("Himmel") && route.From is OneSource { Port: var port } && port != house.From("keys to stars")
            ),
            route => Assert.False(route.On)
        );
        house.Desk.Undo();
        house.Desk.Undo();
        Assert.Equal(before, house.Studio.Routes.Length);
        Assert.Equal(HttpStatusCode.BadRequest, (await house.Post("/plan?handler=Cells", ("cells", "nonsense"), ("on", "true"))).Status);
        var state = house.Desk.State;
        var itself = $"{house.From("keys to stars")}:{house.To("keys to stars")}";
        var (status, page) = await house.Post("/plan?handler=Cells", ("cells", itself), ("on", "true"));
        Assert.Equal(HttpStatusCode.UnprocessableEntity, status);
        Assert.Contains("itself", page.QuerySelector("#plan-say")!.TextContent, StringComparison.Ordinal);
        Assert.Same(state, house.Desk.State);
        // Of several places those where no route can be are left out.
        Assert.Equal(
            HttpStatusCode.OK,
            (
                await house.Post(
                    "/plan?handler=Cells",
                    ("cells", $"{itself},{house.From("Brandung")}:{house.To("Himmel")}"),
                    ("on", "true")
                )
            ).Status
        );
        Assert.Equal(before + 1, house.Studio.Routes.Length);
    }

    [Fact]
    public async Task A_find_names_devices_ports_and_routes_or_says_that_there_are_none()
    {
        await using var house = await House.Open();
        var found = await house.Get("/plan?handler=Search&q=amsel");
        Assert.Equal(
            [
                "Amsel 61 keyboard controller",
                "Amsel 61 → Brandung ch 1 → 3",
                "Amsel 61 → keys to stars notes",
                "Choose all 2 routes that fit",
            ],
            found
                .QuerySelectorAll(".match")
                .Select(match => string.Join(' ', match.TextContent.Split((char[]?)null, StringSplitOptions.RemoveEmptyEntries)))
        );
        Assert.Contains(
            "Nothing goes by “xylophone”",
            (await house.Get("/plan?handler=Search&q=xylophone")).Body!.TextContent,
            StringComparison.Ordinal
        );
        Assert.Empty((await house.Get("/plan?handler=Search&q=")).QuerySelectorAll(".match"));
        var off = await house.Get("/plan?handler=Search&q=himmel off");
        Assert.Contains("Tritt 13 → Himmel", Assert.Single(off.QuerySelectorAll(".match")).TextContent, StringComparison.Ordinal);
    }

    [Fact]
    public async Task A_focus_shows_what_touches_a_device_and_one_that_is_gone_shows_everything()
    {
        await using var house = await House.Open();
        var page = await house.Get($"/plan?focus=device-{house.Device("Himmel").Id}");
        Assert.Equal("Only Himmel ×", page.QuerySelector("#unfocus")!.TextContent);
        Assert.Equal(2, page.QuerySelectorAll("a.route").Length);
        page = await house.Get("/plan?focus=device-999");
        Assert.Null(page.QuerySelector("#unfocus"));
        Assert.Equal(house.Studio.Routes.Length, page.QuerySelectorAll("a.route").Length);
        page = await house.Get("/plan?fold=1");
        Assert.Contains("idle", page.QuerySelector(".fold")!.TextContent, StringComparison.Ordinal);
    }

    [Fact]
    public async Task Several_routes_are_switched_narrowed_and_removed_together()
    {
        await using var house = await House.Open();
        var routes = $"{house.Route("Amsel 61", "Brandung").Id},{house.Route("Tritt 13", "Brandung").Id}";
        var page = await house.Get($"/plan?route={routes}");
        Assert.Equal("2 routes", page.QuerySelector(".many-head h2")!.TextContent);
        Assert.Equal(2, page.QuerySelectorAll("a.route.chosen").Length);
        await house.Post("/plan?handler=Many", ("what", "off"), ("routes", routes));
        Assert.False(house.Route("Amsel 61", "Brandung").On || house.Route("Tritt 13", "Brandung").On);
        await house.Post("/plan?handler=Many", ("what", "stage"), ("routes", routes), ("line", "keys C1 – B2"));
        Assert.Equal(new KeysStage(36, 59), house.Route("Tritt 13", "Brandung").Stages[^1]);
        Assert.Equal("Keys “C1 – B2” on 2 routes", house.Desk.State.Undo);
        var state = house.Desk.State;
        var (status, refused) = await house.Post("/plan?handler=Many", ("what", "stage"), ("routes", routes), ("line", "keys B2 – C1"));
        Assert.Equal(HttpStatusCode.UnprocessableEntity, status);
        Assert.Equal("keys B2 – C1", refused.QuerySelector("#many-line")!.GetAttribute("value"));
        Assert.Equal(
            HttpStatusCode.UnprocessableEntity,
            (await house.Post("/plan?handler=Many", ("what", "dance"), ("routes", routes))).Status
        );
        Assert.Same(state, house.Desk.State);
        await house.Post("/plan?handler=Many", ("what", "remove"), ("routes", routes));
        Assert.DoesNotContain(house.Studio.Routes, route => route.To == house.To("Brandung"));
    }

    [Fact]
    public async Task A_route_is_led_elsewhere_copied_and_its_stages_switched_and_copied()
    {
        await using var house = await House.Open();
        var route = house.Route("Amsel 61", "Brandung").Id;
        var (_, page) = await house.Post("/plan?handler=Relay", ("route", route), ("to", house.To("Himmel")));
        Assert.Equal("Amsel 61 → Himmel", page.QuerySelector("#route-name")!.TextContent);
        await house.Post("/plan?handler=Relay", ("route", route), ("from", house.From("Brandung")));
        Assert.Equal([new ChannelsStage(Map("1→3"))], house.Route("Brandung", "Himmel").Stages);
        (_, page) = await house.Post("/plan?handler=Copy", ("route", route), ("to", house.To("keys to stars")));
        var copy = house.Route("Brandung", "keys to stars");
        Assert.Equal(copy.Id.ToString(), page.QuerySelector("#fragment")!.GetAttribute("data-route"));
        (_, page) = await house.Post("/plan/stages?handler=StageOn", ("route", route), ("stage", 0), ("name", "Channels"), ("on", "false"));
        Assert.Contains("Switched off", page.QuerySelector(".stage.aside")!.TextContent, StringComparison.Ordinal);
        Assert.IsType<OffStage>(house.Studio.FindRoute(route)!.Stages[0]);
        await house.Post("/plan/stages?handler=CopyStage", ("route", copy.Id), ("stage", 0), ("other", route));
        Assert.Equal(2, house.Studio.FindRoute(route)!.Stages.Length);
    }

    [Fact]
    public async Task A_drawer_that_another_window_made_stale_changes_nothing_and_says_so()
    {
        await using var house = await House.Open();
        var route = house.Route("Amsel 61", "Brandung").Id;
        house.Desk.Apply(new AddStage(route, new KeysStage(24, 47)));
        var was = (await house.Get($"/plan?route={route}")).QuerySelectorAll("input[name=was]")[^1].GetAttribute("value")!;
        house.Desk.Apply(new SetStage(route, 1, new KeysStage(30, 40)));
        var (status, page) = await house.Post(
            "/plan/stages?handler=Set",
            ("route", route),
            ("stage", 1),
            ("name", "Keys"),
            ("was", was),
            ("rule", "C5")
        );
        Assert.Equal(HttpStatusCode.UnprocessableEntity, status);
        Assert.Contains(
            "Another window has set this Keys stage to “F#0 – E1”",
            page.QuerySelector("#plan-say")!.TextContent,
            StringComparison.Ordinal
        );
        Assert.Equal(new KeysStage(30, 40), house.Studio.FindRoute(route)!.Stages[1]);
    }

    [Fact]
    public async Task A_velocity_curve_is_drawn_and_zones_of_the_source_are_seen_together()
    {
        await using var house = await House.Open();
        var route = house.Route("Amsel 61", "Brandung").Id;
        await house.Post("/plan?handler=Many", ("what", "stage"), ("routes", route), ("line", "velocity 10-120"));
        var (status, page) = await house.Post("/plan/stages?handler=Draw", ("route", route), ("stage", 1), ("points", "1:64,64:64,127:64"));
        Assert.Equal(HttpStatusCode.OK, status);
        var drawn = Assert.IsType<VelocityStage>(house.Studio.FindRoute(route)!.Stages[1]);
        Assert.Equal((10, 120, 64), (drawn.Lowest, drawn.Highest, drawn.Bend(100)));
        Assert.Equal(
            HttpStatusCode.UnprocessableEntity,
            (await house.Post("/plan/stages?handler=Draw", ("route", route), ("stage", 1), ("points", "x"))).Status
        );
        await house.Post("/plan?handler=Many", ("what", "stage"), ("routes", route), ("line", "C3 – G8"));
        page = await house.Get($"/plan?route={route}");
        Assert.Equal(["→ Brandung", "→ keys to sta…"], page.QuerySelectorAll(".zone-name").Select(name => name.TextContent));
        Assert.Equal(128, page.QuerySelectorAll("[data-map-key]").Length);
        await house.Post(
            "/plan/stages?handler=Kind",
            ("route", route),
            ("stage", 0),
            ("kind", nameof(MessageKind.Note)),
            ("pass", "false")
        );
        await house.Post("/plan?handler=Many", ("what", "stage"), ("routes", route), ("line", "only clock"));
        await house.Post("/plan?handler=Many", ("what", "stage"), ("routes", route), ("line", "only notes"));
        page = await house.Get($"/plan?route={route}");
        Assert.Contains(
            "Nothing gets past Kinds “notes”",
            page.QuerySelector(".drawer-head .problem")!.TextContent,
            StringComparison.Ordinal
        );
    }

    [Fact]
    public async Task A_trace_lights_the_way_and_says_each_end()
    {
        await using var house = await House.Open();
        house.Desk.Apply(new AddStage(house.Route("Amsel 61", "Brandung").Id, new KeysStage(60, 127)));
        var page = await house.Get($"/plan?trace=1&from={house.From("Amsel 61")}&msg=90%203C%2060");
        Assert.Equal(
            "C3 on, 96 on channel 1 from Amsel 61: sounds on Brandung; heard without a sound by Himmel; nothing else.",
            Plain(page.QuerySelector(".trace-sentence")!.TextContent)
        );
        Assert.True(page.QuerySelector($"#track-{house.Route("Amsel 61", "keys to stars").Id} .count.traced")!.TextContent.Length > 0);
        page = await house.Get(
            $"/plan?handler=Trace&trace=1&from={house.From("Amsel 61")}&key=C2&velocity=96&channel=1",
            HttpStatusCode.Redirect
        );
        page = await house.Get($"/plan?trace=1&from={house.From("Amsel 61")}&msg=90%2030%2060");
        Assert.Contains("stopped on the way to Brandung", page.QuerySelector(".trace-sentence")!.TextContent, StringComparison.Ordinal);
        Assert.NotNull(page.QuerySelector($"#track-{house.Route("Amsel 61", "Brandung").Id} .sign.stopped-here"));
        page = await house.Get($"/plan?trace=1&reach={house.To("Himmel")}");
        Assert.Contains("Amsel 61", page.QuerySelector(".trace-steps")!.TextContent, StringComparison.Ordinal);
        page = await house.Get("/plan?trace=1&from=999&msg=90%203C%2060");
        Assert.Contains("gone", page.QuerySelector(".drawer .problem")!.TextContent, StringComparison.Ordinal);
        page = await house.Get(
            $"/plan?handler=Trace&from={house.From("Amsel 61")}&key=H9&velocity=96&channel=1",
            HttpStatusCode.UnprocessableEntity
        );
        Assert.Contains("“H9” is no key", page.QuerySelector(".drawer .problem")!.TextContent, StringComparison.Ordinal);

        static string Plain(string text) => string.Join(' ', text.Split((char[]?)null, StringSplitOptions.RemoveEmptyEntries));
    }

    [Fact]
    public async Task The_last_one_played_is_traced()
    {
        await using var house = await House.Open();
        Assert.Contains(
            "Nothing has been played yet",
            (await house.Get("/plan?handler=Last", HttpStatusCode.UnprocessableEntity)).QuerySelector(".drawer .problem")!.TextContent,
            StringComparison.Ordinal
        );
        house.StandIn("Amsel 61").Player!.Press("me", 64, 90);
        HttpResponseMessage? answer = null;
        await House.Until(
            () => (answer = house.Client.GetAsync("/plan?handler=Last").Result).StatusCode == HttpStatusCode.Redirect,
            "something played"
        );
        Assert.Equal($"/plan?trace=1&from={house.From("Amsel 61")}&msg=90%2040%205A", answer!.Headers.Location!.OriginalString);
    }

    [Fact]
    public void An_address_says_all_that_is_looked_at_and_is_read_again()
    {
        var address = new PlanAddress(
            PlanPage.Departures,
            new Weiche.Core.Layout.DeviceFocus(new DeviceId(3)),
            true,
            [new RouteId(4), new RouteId(7)],
            true,
            2,
            "90 3C 60",
            0
        );
        Assert.Equal("/plan?view=departures&focus=device-3&fold=1&route=4,7&trace=1&from=2&msg=90%203C%2060", address.ToString());
        var context = new Microsoft.AspNetCore.Http.DefaultHttpContext();
        context.Request.Method = "POST";
        context.Request.Headers["HX-Current-URL"] = "http://127.0.0.1" + address;
        Assert.Equal(address.ToString(), PlanAddress.Of(context.Request).ToString());
        context.Request.Headers["HX-Current-URL"] = "http://127.0.0.1/gear?route=3";
        Assert.Equal("/plan", PlanAddress.Of(context.Request).ToString());
        context.Request.Headers["HX-Current-URL"] = "http://127.0.0.1/plan?view=99&route=x,,-3,8&focus=way-1&from=abc&fold=yes";
        Assert.Equal("/plan?route=8", PlanAddress.Of(context.Request).ToString());
    }

    private static ChannelMap Map(string text) => ChannelMap.TryParse(text, out var map, out _) ? map : throw new ArgumentException(text);

    [Fact]
    public async Task Where_a_route_leads_already_another_is_offered_and_both_are_seen()
    {
        await using var house = await House.Open();
        var (from, to) = (house.From("Amsel 61"), house.To("Brandung"));
        var (status, page) = await house.Post("/plan?handler=Lay", ("from", from), ("to", to));
        Assert.Equal(HttpStatusCode.UnprocessableEntity, status);
        Assert.Contains("already", page.QuerySelector("#plan-say")!.TextContent, StringComparison.Ordinal);
        Assert.Contains("\"another\": true", page.QuerySelector("#lay-another")!.GetAttribute("hx-vals"), StringComparison.Ordinal);
        (status, page) = await house.Post("/plan?handler=Lay", ("from", from), ("to", to), ("another", true));
        Assert.Equal(HttpStatusCode.OK, status);
        var both = house.Studio.RoutesBetween(from, to).ToList();
        Assert.Equal(["Amsel 61 → Brandung (1)", "Amsel 61 → Brandung (2)"], both.Select(house.Studio.Describe));
        Assert.All(both, route => Assert.NotNull(page.QuerySelector($"#track-{route.Id}")));
        var cell = (await house.Get("/plan?view=grid")).QuerySelector($"[data-cell-route='{both[0].Id}']")!;
        Assert.Equal("2 routes", cell.QuerySelector("text")!.TextContent);
        Assert.StartsWith("2 routes: ", cell.GetAttribute("data-words"), StringComparison.Ordinal);
        // One press in the grid switches both.
        await house.Post("/plan?handler=Cells", ("cells", $"{from}:{to}"), ("on", false));
        Assert.All(house.Studio.RoutesBetween(from, to), route => Assert.False(route.On));
        // The letters lead there too.
        (_, page) = await house.Post("/plan?handler=Letters", ("q", "amsel bra"));
        Assert.NotNull(page.QuerySelector("#lay-another"));
        await house.Post("/plan?handler=Letters", ("q", "another amsel bra"));
        Assert.Equal(3, house.Studio.RoutesBetween(from, to).Count());
        Assert.Equal(3, Weiche.Files.StudioJson.Read(Weiche.Files.StudioJson.Write(house.Studio)).RoutesBetween(from, to).Count());
    }

    [Fact]
    public async Task A_route_that_nobody_hears_says_so_where_it_is_laid_with_the_button_that_mends_it()
    {
        await using var house = await House.Open(dome: true);
        var (_, page) = await house.Post(
            "/plan?handler=Lay",
            ("from", house.From("Halm")),
            ("to", house.Studio.Destinations.First(port => port.Name == "Zinn").Id)
        );
        Assert.Equal("Nobody listens to channel 4.", page.QuerySelector("#route-unheard")!.TextContent);
        Assert.Equal("Move channel 4 to 5", page.QuerySelector("#route-mend")!.TextContent);
        var route = house.Studio.Routes[^1];
        (_, page) = await house.Post("/plan?handler=Mend", ("route", route.Id));
        Assert.Null(page.QuerySelector("#route-unheard"));
        Assert.Equal(
            ["ch 4 → 5, 1–3, 5–16"],
            house
                .Studio.FindRoute(route.Id)!
                .Stages.Select(stage => stage.Sign(KeyNaming.Usual).Replace("16 of 16 ch", "ch 4 → 5, 1–3, 5–16", StringComparison.Ordinal))
        );
        Assert.Equal(HttpStatusCode.UnprocessableEntity, (await house.Post("/plan?handler=Mend", ("route", route.Id))).Status);
    }

    [Fact]
    public async Task Lines_of_the_studio_before_are_not_shown_in_the_next()
    {
        await using var house = await House.Open();
        house.StandIn("Amsel 61").Player!.Press("me", 60, 96);
        var watch = house.Watch;
        await House.Until(() => watch.Lines(0, 10).Count > 0, "a line");
        var first = house.Desk.State.StudioId;
        Assert.Null(house.Desk.Add(Studio.Empty("other")));
        Assert.Empty(watch.Lines(0, 10));
        Assert.Null(house.Desk.Open(first));
    }

    [Fact]
    public async Task Keys_that_are_played_are_those_that_come_to_the_stage()
    {
        await using var house = await House.Open();
        var route = house.Desk.Apply(new LayRoute(house.From("Tritt 13"), house.To("keys to stars"))).NewId;
        house.Desk.Apply(new AddStage(new RouteId(route), new KeysStage(0, 127)));
        Assert.Equal("", (await house.Get($"/plan?route={route}")).QuerySelector(".keys-stage")!.GetAttribute("data-arrives"));
        house.Desk.Apply(new AddStage(new RouteId(route), new TransposeStage(-12)));
        house.Desk.Apply(new MoveStage(new RouteId(route), 1, -1));
        var arrives = (await house.Get($"/plan?route={route}"))
            .QuerySelector(".keys-stage")!
            .GetAttribute("data-arrives")!
            .Split(' ')
            .Select(int.Parse)
            .ToList();
        Assert.Equal((-1, 0, 48), (arrives[5], arrives[12], arrives[60]));
    }
}
