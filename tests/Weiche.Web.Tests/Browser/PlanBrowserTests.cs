using OpenQA.Selenium;
using OpenQA.Selenium.Interactions;
using Weiche.Core.Stages;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;

namespace Weiche.Web.Tests.Browser;

/// <summary>The signal box in a real browser: looking, choosing, narrowing, tracing, undoing.</summary>
public sealed class PlanBrowserTests(Window window) : IClassFixture<Window>
{
    [Fact]
    public async Task The_grid_is_set_with_arrows_shift_and_space_and_undone_with_one_key()
    {
        await using var house = await House.Open();
        window.Go(house, "/plan");
        window.Key("v");
        window.Until(() => window.Text(".way[aria-current]") == "Departures", "departures");
        window.Key("v");
        window.Until(() => window.Has("#grid-cells"), "the grid");
        Assert.EndsWith("/plan?view=grid", window.Driver.Url, StringComparison.Ordinal);
        window.Driver.ExecuteScript("document.getElementById('grid-cells').focus()");
        var (rows, columns) = (house.Studio.Sources.ToList(), house.Studio.Destinations.ToList());
        // The cursor is set down in the upper left corner and goes on from there.
        window.Key(Keys.ArrowUp);
        var (row, column) = (rows.FindIndex(port => port.Name == "Brandung"), columns.FindIndex(port => port.Name == "Himmel"));
        for (var i = 0; i < row; i++)
            window.Key(Keys.ArrowDown);
        for (var i = 0; i < column; i++)
            window.Key(Keys.ArrowRight);
        Assert.Equal("Brandung → Himmel: no route", window.Text("#grid-say"));
        window.Key(" ");
        window.Until(
            () => house.Studio.Routes.Any(route => route.From == house.From("Brandung") && route.To == house.To("Himmel")),
            "the route"
        );
        window.Until(() => window.Text("#grid-say") == "Brandung → Himmel: on", "the place said");
        var before = house.Studio.Routes.Length;
        new Actions(window.Driver).KeyDown(Keys.Shift).SendKeys(Keys.ArrowDown).SendKeys(Keys.ArrowRight).KeyUp(Keys.Shift).Perform();
        Assert.Equal("4 places: Space lays or switches them all.", window.Text("#grid-say"));
        window.Key(" ");
        window.Until(() => house.Studio.Routes.Length > before, "more routes");
        window.Until(
            () => window.Find("#undo").GetAttribute("title")!.StartsWith("Undo: Lay Brandung → keys to stars", StringComparison.Ordinal),
            "undo named"
        );
        window.Key("u");
        window.Until(() => house.Studio.Routes.Length == before, "all that was laid undone");
        window.Until(
            () => window.Text("#link-state").StartsWith("Undone: Lay Brandung → keys to stars", StringComparison.Ordinal),
            "what was undone"
        );
        window.Key("u");
        window.Until(() => house.Studio.Routes.Length == before - 1, "the first undone");
        window.Key("r");
        window.Until(() => house.Studio.Routes.Length == before, "made again");
    }

    [Fact]
    public async Task The_drawer_is_one_key_away_and_a_choice_by_keys_is_taken_with_Enter()
    {
        await using var house = await House.Open();
        var route = house.Route("Amsel 61", "Brandung").Id;
        window.Go(house, $"/plan?route={route}");
        window.Key("d");
        window.Until(() => window.Script<string>("return document.activeElement.id") == "relay-from", "the drawer");
        window.Key(Keys.Tab);
        window.Until(() => window.Script<string>("return document.activeElement.id") == "relay-to", "where it goes");
        var version = house.Desk.State.Version;
        window.Key("H");
        window.Until(
            () => window.Script<string>("return document.activeElement.selectedOptions[0].textContent") == "Himmel",
            "Himmel chosen"
        );
        window.Key(Keys.Escape);
        window.Until(
            () => window.Script<string>("return document.getElementById('relay-to').selectedOptions[0].textContent") == "Brandung",
            "as it was"
        );
        window.Driver.ExecuteScript("document.getElementById('relay-to').focus()");
        window.Key("H");
        Assert.Equal(version, house.Desk.State.Version);
        // What is changed elsewhere meanwhile takes nothing out of hand.
        window.ChangeElsewhere(house);
        window.Key(Keys.Enter);
        window.Until(() => house.Studio.FindRoute(route)!.To == house.To("Himmel"), "led to Himmel");
    }

    [Fact]
    public async Task What_one_window_does_the_other_shows_and_undoes()
    {
        await using var house = await House.Open();
        using var other = new Window();
        var route = house.Route("Amsel 61", "Brandung").Id;
        window.Go(house, $"/plan?route={route}");
        other.Go(house, "/plan?view=departures");
        window.Key("o");
        other.Until(() => other.Text($"#track-{route} .count") == "off", "off in the other window");
        other.Until(
            () => other.Find("#undo").GetAttribute("title") == "Undo: Switch Amsel 61 → Brandung off (u)",
            "undo named in the other window"
        );
        other.KeyDown("KeyZ", "u");
        other.KeyUp("KeyZ", "u");
        window.Until(() => window.Text("#route-switch").StartsWith("On", StringComparison.Ordinal), "on again here");
        Assert.True(house.Studio.FindRoute(route)!.On);
        Assert.EndsWith("/plan?view=departures", other.Driver.Url, StringComparison.Ordinal);
    }

    [Fact]
    public async Task What_is_begun_goes_on_when_something_changes_elsewhere_and_is_given_up_by_who_looks_elsewhere()
    {
        await using var house = await House.Open(dome: true);
        var (from, to) = (house.From("Tritt 13"), house.To("Himmel"));
        window.Go(house, "/plan");
        window.Press($"#plate-{from}");
        window.ChangeElsewhere(house);
        Assert.StartsWith("From Tritt 13", window.Text("#plan-say"), StringComparison.Ordinal);
        window.Press($"#plate-{to}");
        window.Until(() => house.Studio.Routes.Any(route => route.From == new OneSource(from) && route.To == to), "the route");

        var (low, high) = (house.Route("Amsel 61", "Zinn").Id, house.Route("Amsel 61", "Brandung").Id);
        window.Go(house, $"/plan?route={low}");
        if (window.Has(".stage.folded:has(#play-keys-0)"))
            window.Press(".stage:has(#play-keys-0) .unfold");
        window.Press("#play-keys-0");
        window.ChangeElsewhere(house);
        Assert.Equal("Press the lowest key …", window.Text("#play-keys-0"));
        house.StandIn("Amsel 61").Player!.Press("me", 40, 90);
        window.Until(() => window.Text("#play-keys-0") == "Now the other end.", "one end");
        // Another route is chosen: what is played there is music.
        window.Script<object?>(
            $"document.getElementById('track-{high}').dispatchEvent(new MouseEvent('click', {{ bubbles: true, cancelable: true }})); return null"
        );
        window.Until(() => window.Driver.Url.EndsWith($"route={high}", StringComparison.Ordinal) && window.Has("#play-keys-0"), "it");
        Assert.Equal("Play two keys", window.Text("#play-keys-0"));
        var (version, stages) = (house.Desk.State.Version, house.Studio.FindRoute(high)!.Stages);
        window.WatchLamps();
        house.StandIn("Amsel 61").Player!.Press("me", 72, 90);
        window.Until(() => window.HasLit($"lamp {house.From("Amsel 61")}"), "a frame with the key");
        Assert.Equal("Play two keys", window.Text("#play-keys-0"));
        Assert.Equal(stages, house.Studio.FindRoute(high)!.Stages);
        Assert.Equal(version, house.Desk.State.Version);
    }

    [Fact]
    public async Task Several_routes_are_chosen_with_shift_with_a_frame_and_with_a_find()
    {
        await using var house = await House.Open();
        window.Go(house, "/plan");
        var (one, other) = (house.Route("Amsel 61", "Brandung").Id, house.Route("Tritt 13", "Brandung").Id);
        Press($"#track-{one} .sign", shift: false);
        window.Until(() => window.Has($"#track-{one}.chosen"), "one chosen");
        Press($"#track-{other} .sign", shift: true);
        window.Until(() => window.Text(".many-head h2") == "2 routes", "two chosen");
        Assert.EndsWith($"/plan?route={one},{other}", window.Driver.Url, StringComparison.Ordinal);
        window.Press("#many-off");
        window.Until(() => !house.Studio.FindRoute(one)!.On && !house.Studio.FindRoute(other)!.On, "both off");
        window.Key(Keys.Escape);
        window.Until(() => !window.Has(".many-head"), "none chosen");

        // A frame from the empty ground around both rows.
        var boxes = new[] { one, other }.Select(id => window.Find($"#track-{id} .sign").Location.Y).Order().ToList();
        var x = window.Find($"#track-{one} .sign").Location.X;
        new Actions(window.Driver)
            .MoveToLocation(x - 6, boxes[0] - 5)
            .ClickAndHold()
            .MoveToLocation(x + 300, boxes[1] + 24)
            .Release()
            .Perform();
        window.Until(() => window.Text(".many-head h2") == "2 routes", "two in the frame");

        window.Key("/");
        window.Key("himmel");
        window.Until(() => window.Text("#find-matches").Contains("Choose all 2 routes", StringComparison.Ordinal), "what is found");
        window.Press("#find-matches .match:last-child");
        window.Until(
            () => window.Has($"#track-{house.Route("Tritt 13", "Himmel").Id}.chosen") && !window.Has($"#track-{one}.chosen"),
            "those found are chosen"
        );
        window.Key("/");
        window.Key("brandung" + Keys.Enter);
        window.Until(() => window.Text("#unfocus").StartsWith("Only Brandung", StringComparison.Ordinal), "Brandung alone");

        void Press(string css, bool shift)
        {
            var act = new Actions(window.Driver).MoveToElement(window.Find(css));
            if (shift)
                act.KeyDown(Keys.Shift);
            act.Click();
            if (shift)
                act.KeyUp(Keys.Shift);
            act.Perform();
        }
    }

    [Fact]
    public async Task A_strip_that_is_too_wide_folds_and_faders_are_moved_by_keys()
    {
        await using var house = await House.Open(dome: true);
        var route = house.Route("Amsel 61", "Zinn");
        window.Go(house, $"/plan?route={route.Id}");
        window.Until(() => window.Has(".stage-keys.folded"), "the first stage to fold");
        Assert.True(window.Script<bool>("const strip = document.querySelector('.strip'); return strip.scrollWidth <= strip.clientWidth"));
        window.Press(".stage-keys .unfold");
        window.Until(() => !window.Has(".stage-keys.folded") && window.Has(".stage-channels.folded"), "another one to fold instead");
        Assert.True(window.Script<bool>("const strip = document.querySelector('.strip'); return strip.scrollWidth <= strip.clientWidth"));
        window.Press(".stage.add .unfold");
        window.Until(() => window.Find("#add-velocity").Displayed, "what can be added");

        window.Driver.ExecuteScript("document.activeElement.blur()");
        window.Key("m");
        window.Until(() => window.Has($"#balance-{route.Id}"), "the faders");
        var versions = house.Desk.History(null, 100).Count;
        window.Driver.ExecuteScript($"document.getElementById('balance-{route.Id}').focus()");
        window.Key(Keys.ArrowLeft);
        window.Until(() => SetBalance.Of(house.Studio.FindRoute(route.Id)!) == 99, "one per cent softer");
        window.Until(() => window.Text($"#balance-{route.Id} ~ output") == "99 %", "it to be said");
        Assert.Equal(versions + 1, house.Desk.History(null, 100).Count);
        window.Driver.ExecuteScript("document.activeElement.blur()");
        window.Key("m");
        window.Until(() => window.Has(".strip"), "the stages again");
        window.Key("u");
        window.Until(() => SetBalance.Of(house.Studio.FindRoute(route.Id)!) == 100, "it taken back");
    }

    [Fact]
    public async Task A_zone_is_dragged_on_the_keys_or_played_and_a_curve_is_drawn()
    {
        await using var house = await House.Open();
        var route = house.Route("Amsel 61", "Brandung").Id;
        window.Go(house, $"/plan?route={route}");
        window.Press("#add-keys");
        window.Until(() => window.Has("[data-map-key='60']"), "the keys");
        new Actions(window.Driver)
            .MoveToElement(window.Find("[data-map-key='60']"))
            .ClickAndHold()
            .MoveToElement(window.Find("[data-map-key='71']"))
            .Release()
            .Perform();
        window.Until(() => KeysOf(house, route) is { Lowest: 60, Highest: 71 }, "C3 to B3");
        window.Until(() => window.Find("#rule-1").GetAttribute("value") == "C3 – B3", "the field");
        window.Press("#play-keys-1");
        house.StandIn("Amsel 61").Player!.Press("me", 55, 90);
        window.Until(() => window.Text("#play-keys-1") == "Now the other end.", "one end played");
        house.StandIn("Amsel 61").Player!.Press("me", 48, 90);
        window.Until(() => KeysOf(house, route) is { Lowest: 48, Highest: 55 }, "C2 to G2");

        if (window.Has(".stage.add.folded"))
            window.Press(".stage.add .unfold");
        window.Press("#add-velocity");
        window.Until(() => window.Has("[data-velocity-stage] svg"), "the curve");
        // What was played last is seen as dots.
        window.Until(() => window.Has("[data-velocity-dots] circle"), "the dots");
        var svg = window.Find("[data-velocity-stage] svg");
        var box = svg.Size;
        new Actions(window.Driver)
            .MoveToElement(svg, -box.Width / 2 + 6, 0)
            .ClickAndHold()
            .MoveByOffset(box.Width / 3, 0)
            .MoveByOffset(box.Width / 3, 0)
            .MoveByOffset(box.Width / 4, 0)
            .Release()
            .Perform();
        window.Until(
            () =>
                house.Studio.FindRoute(route)!.Stages[^1] is VelocityStage drawn
                && Math.Abs(drawn.Bend(10) - drawn.Bend(110)) < 8
                && Math.Abs(drawn.Bend(64) - 64) < 12,
            "all about as hard"
        );

        if (window.Has(".stage-keys.folded"))
            window.Press(".stage-keys .unfold");
        window.Press("#stageon-1-off");
        window.Until(() => house.Studio.FindRoute(route)!.Stages[1] is OffStage, "the zone switched off");
        window.Until(() => window.Has(".stage.aside"), "seen as off");

        static KeysStage? KeysOf(House house, RouteId route) => house.Studio.FindRoute(route)!.Stages.OfType<KeysStage>().SingleOrDefault();
    }

    [Fact]
    public async Task An_edit_draws_anew_what_it_changes_and_leaves_the_rest_where_it_was()
    {
        await using var house = await House.Open(dome: true);
        var route = house.Route("Amsel 61", "Zinn");
        window.Go(house, $"/plan?route={route.Id}");
        window.Driver.ExecuteScript(
            "document.querySelector('.board').scrollTop = 60; window.tracks = document.querySelector('.tracks'); window.other = "
                + "document.querySelector('#track-"
                + house.Route("Fächer", "Wolke").Id
                + "')"
        );
        window.Press("#step-up-1");
        window.Until(() => house.Studio.FindRoute(route.Id)!.Stages[1] is TransposeStage { Semitones: -11 }, "a semitone up");
        window.Until(() => window.Text($"#track-{route.Id} .sign[data-sign='{route.Id}:1'] text") == "−11", "the sign");
        Assert.True(
            window.Script<bool>(
                "return !document.querySelector('.stage-transpose').matches('.folded') && "
                    + "document.querySelector('.stage-keys').matches('.folded') && document.querySelector('.board').scrollTop === 60"
            )
        );
        Assert.True(
            window.Script<bool>("return window.tracks.isConnected && window.other.isConnected"),
            "what did not change is as it was"
        );
        Assert.Equal("step-up-1", window.Script<string>("return document.activeElement.id"));
        // Laid out otherwise, the whole picture is a new one.
        window.Press("#route-remove");
        window.Until(() => window.Script<bool>("return !window.tracks.isConnected"), "a new picture");
    }

    [Fact]
    public async Task Silence_is_explained_with_three_presses_and_the_last_one_played_with_one()
    {
        await using var house = await House.Open(dome: true);
        window.Go(house, "/plan");
        window.Press($"#plate-{house.From("Amsel 61")}");
        window.Press("#pick-trace");
        window.Until(() => window.Has("#trace-go"), "the trace");
        window.Press("#trace-go");
        window.Until(() => window.Text(".trace-sentence").Contains("stopped on the way to Zinn", StringComparison.Ordinal), "the sentence");
        Assert.True(window.Has(".glow.traced") && window.Has(".sign.stopped-here"));
        window.Driver.Navigate().Refresh();
        Assert.Contains("sounds on", window.Text(".trace-sentence"), StringComparison.Ordinal);
        window.AwaitLive();
        house.StandIn("Kies").Player!.Press("me", 38, 90);
        window.Until(() => house.Desk.Junction.Compiled.Meter(house.From("Kies"))!.Messages > 0, "a pad");
        Thread.Sleep(100);
        window.Press("#trace-last");
        window.Until(() => window.Text(".trace-sentence").Contains("from Kies", StringComparison.Ordinal), "the pad's way");
        Assert.Contains("display", window.Text(".trace-steps"), StringComparison.Ordinal);
        window.Key("t");
        window.Until(() => !window.Has("#trace-go"), "the trace closed");
        Assert.DoesNotContain(window.Errors(), error => error.Contains(house.Address.Authority, StringComparison.Ordinal));
    }

    [Fact]
    public async Task Watch_follows_and_finds_as_one_types()
    {
        await using var house = await House.Open();
        window.Go(house, "/watch");
        house.StandIn("Amsel 61").Player!.Press("me", 60, 90);
        house.StandIn("Tritt 13").Player!.Press("me", 40, 90);
        window.Until(() => window.Driver.FindElements(By.CssSelector("#watch-lines tr")).Count == 3, "three lines");
        window.Key("/");
        window.Key("tritt");
        window.Until(() => window.Driver.FindElements(By.CssSelector("#watch-lines tr")).Count == 1, "one line");
        window.Until(() => window.Driver.Url.EndsWith("q=tritt", StringComparison.Ordinal), "the address");
        house.StandIn("Amsel 61").Player!.Press("me", 62, 90);
        house.StandIn("Tritt 13").Player!.Press("me", 41, 90);
        window.Until(() => window.Driver.FindElements(By.CssSelector("#watch-lines tr")).Count == 2, "only the pedal joins");
        Assert.All(window.Driver.FindElements(By.CssSelector("#watch-lines td.from")), cell => Assert.Equal("Tritt 13", cell.Text));
    }
}
