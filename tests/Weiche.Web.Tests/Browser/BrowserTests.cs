using OpenQA.Selenium;
using OpenQA.Selenium.Interactions;
using Weiche.Core.Stages;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;

namespace Weiche.Web.Tests.Browser;

/// <summary>The main ways through, in a real browser: press, drag, type, reload, two windows.</summary>
public sealed class BrowserTests(Window window) : IClassFixture<Window>
{
    [Fact]
    public async Task Pressing_a_source_and_then_a_destination_lays_a_route_that_is_there_after_a_reload()
    {
        await using var house = await House.Open();
        window.Go(house, "/plan");
        window.Press(Plate(house.From("Amsel 61")));
        window.Until(
            () => window.Text("#plan-say").StartsWith("From Amsel 61", StringComparison.Ordinal),
            "the plan asking for a destination"
        );
        window.Press(Plate(house.To("Himmel")));
        window.Until(() => window.Text("#route-name").Contains("Himmel", StringComparison.Ordinal), "the new route in the drawer");
        var id = house.Route("Amsel 61", "Himmel").Id;
        Assert.EndsWith($"/plan?route={id}", window.Driver.Url, StringComparison.Ordinal);
        window.Driver.Navigate().Refresh();
        Assert.Contains("Himmel", window.Text("#route-name"), StringComparison.Ordinal);
        Assert.True(window.Has($"#track-{id}.chosen"));
    }

    [Fact]
    public async Task Dragging_from_a_source_to_a_destination_lays_a_route()
    {
        await using var house = await House.Open();
        window.Go(house, "/plan");
        new Actions(window.Driver)
            .MoveToElement(window.Find(Plate(house.From("Brandung"))))
            .ClickAndHold()
            .MoveByOffset(200, 40)
            .MoveToElement(window.Find(Plate(house.To("Himmel"))))
            .Release()
            .Perform();
        window.Until(
            () => house.Studio.Routes.Any(route => route.From == house.From("Brandung") && route.To == house.To("Himmel")),
            "the route"
        );
        window.Until(() => window.Text("#route-name").Contains("Brandung", StringComparison.Ordinal), "the new route in the drawer");
    }

    [Fact]
    public async Task With_a_few_letters_of_each_a_route_is_laid_from_any_page()
    {
        await using var house = await House.Open();
        window.Go(house, "/watch");
        window.Key("a");
        window.Until(() => window.Script<string>("return document.activeElement.id") == "lay-letters", "the field with the focus");
        window.Key("am him");
        window.Until(() => window.Text("#lay-matches").Contains("Himmel", StringComparison.Ordinal), "what the letters mean");
        window.Key(Keys.Enter);
        window.Until(() => window.Text("#route-name").Contains("Himmel", StringComparison.Ordinal), "the new route in the drawer");
        Assert.True(house.Route("Amsel 61", "Himmel").On);
        window.Key("am xyz" + Keys.Enter);
        window.Until(() => window.Text("#plan-say").Contains("No new route goes by “am xyz”", StringComparison.Ordinal), "the sentence");
        // What was refused is typed over; what is there already can have another beside it.
        window.Key("am him" + Keys.Enter);
        window.Until(() => window.Has("#lay-another"), "the offer of another");
        window.Press("#lay-another");
        window.Until(() => house.Studio.RoutesBetween(house.From("Amsel 61"), house.To("Himmel")).Count() == 2, "two routes");
    }

    [Fact]
    public async Task Everything_on_the_plan_can_be_done_with_the_keyboard_alone()
    {
        await using var house = await House.Open();
        window.Go(house, "/plan");
        Focus(Plate(house.From("Brandung")));
        window.Key(Keys.Enter);
        Focus(Plate(house.To("Himmel")));
        window.Key(Keys.Enter);
        window.Until(() => window.Text("#route-name").StartsWith("Brandung", StringComparison.Ordinal), "the new route in the drawer");
        window.Key("o");
        window.Until(() => window.Text("#route-switch").StartsWith("Off", StringComparison.Ordinal), "the route switched off");
        Assert.False(house.Route("Brandung", "Himmel").On);
        window.Key("o");
        window.Until(() => house.Route("Brandung", "Himmel").On, "the route switched on");
        window.Until(() => window.Text("#route-switch").StartsWith("On", StringComparison.Ordinal), "the switch");
        window.Key(Keys.Delete);
        window.Until(() => house.Studio.Routes.All(route => route.From != house.From("Brandung")), "the route removed");
        Focus($"#track-{house.Route("Amsel 61", "Brandung").Id}");
        window.Key(Keys.Enter);
        window.Until(() => window.Text("#route-name").StartsWith("Amsel", StringComparison.Ordinal), "the chosen route");
        foreach (
            var (key, page) in new[]
            {
                ("1", "/gear"),
                ("3", "/watch"),
                ("4", "/checks"),
                ("5", "/lineups"),
                ("6", "/takes"),
                ("2", "/plan"),
            }
        )
        {
            window.Key(key);
            window.Until(() => new Uri(window.Driver.Url).AbsolutePath == page, page);
            window.AwaitLive();
        }
        window.Key("?");
        window.Until(() => window.Script<bool>("return document.getElementById('keys').open"), "the list of keys");
        window.Key(Keys.Escape);

        void Focus(string css)
        {
            window.Until(() => window.Has(css), css);
            window.Driver.ExecuteScript($"document.querySelector('{css}').focus()");
        }
    }

    [Fact]
    public async Task A_key_pressed_on_the_bench_lights_its_way_and_is_held_until_it_is_let_go()
    {
        await using var house = await House.Open();
        window.Go(house, "/plan");
        window.Key("b");
        window.Until(() => window.Find("#bench").Displayed, "the bench");
        Assert.True(
            window.Script<bool>(
                "return document.getElementById('bench').getBoundingClientRect().top >= "
                    + "document.querySelector('main').getBoundingClientRect().bottom - 1"
            ),
            "the bench is not below the page"
        );
        window.WatchLamps();
        window.Hold(BenchKey(60));
        window.Until(() => HeldBy(house, "Brandung") == "C3", "C3 on Brandung");
        window.Until(() => HeldBy(house, "Himmel") == "C3", "C3 on Himmel");
        Assert.True(window.Has("[data-star].lit"));
        foreach (
            var lit in (string[])
                [
                    $"lamp {house.From("Amsel 61")}",
                    $"lamp {house.To("Brandung")}",
                    $"track {house.Route("Amsel 61", "Brandung").Id}",
                    $"lamp {house.To("keys to stars")}",
                    $"lamp {house.From("keys to stars")}",
                    $"track {house.Route("keys to stars", "Himmel").Id}",
                    $"lamp {house.To("Himmel")}",
                ]
        )
        {
            window.Until(() => window.HasLit(lit), lit);
        }
        Assert.False(window.HasLit($"track {house.Route("Tritt 13", "Brandung").Id}"));
        window.LetGo();
        window.Until(() => HeldBy(house, "Brandung") == "nothing held" && HeldBy(house, "Himmel") == "no cue", "silence");
        Assert.Equal("2", window.Text($"[data-count='{house.Route("Amsel 61", "Brandung").Id}']"));
    }

    [Fact]
    public async Task The_bench_is_played_with_the_computers_keys_on_any_page()
    {
        await using var house = await House.Open();
        window.Go(house, "/gear");
        window.Key("b");
        window.Until(
            () => window.Script<bool>("return document.activeElement.classList.contains('keyboard')"),
            "the keyboard with the focus"
        );
        window.KeyDown("KeyZ", "z");
        window.KeyDown("KeyC", "c");
        window.Until(() => HeldBy(house, "Brandung") == "C3 E3", "two keys");
        window.KeyUp("KeyZ", "z");
        window.KeyUp("KeyC", "c");
        window.Until(() => HeldBy(house, "Brandung") == "nothing held", "silence");
        window.Key(Keys.ArrowRight);
        window.KeyDown("KeyZ", "z");
        window.Until(() => HeldBy(house, "Brandung") == "C4", "an octave up");
        window.KeyUp("KeyZ", "z");
        window.KeyDown("Space", " ");
        window.Until(
            () => window.Text($"[data-heard='brandung'] [data-held-more]").Contains("sustain", StringComparison.Ordinal),
            "sustain"
        );
        window.KeyUp("Space", " ");
        window.Until(
            () => !window.Text($"[data-heard='brandung'] [data-held-more]").Contains("sustain", StringComparison.Ordinal),
            "pedal up"
        );
        // Who has the keys is said; Esc gives them back to the page, where letters are shortcuts again.
        Assert.True(window.Find(".bench .with-keys").Displayed);
        window.Key(Keys.Escape);
        window.Until(() => window.Find(".bench .without-keys").Displayed && !window.Find(".bench .with-keys").Displayed, "the page's keys");
        Assert.True(window.Find("#bench").Displayed);
        window.Key("b");
        window.Until(() => !window.Find("#bench").Displayed, "the bench closed");
    }

    [Fact]
    public async Task The_bench_is_played_with_several_fingers_and_slides_from_key_to_key()
    {
        await using var house = await House.Open();
        window.Go(house, "/watch");
        window.Key("b");
        window.Until(() => window.Find("#bench").Displayed, "the bench");
        Touch("touchStart", (0, 60), (1, 64));
        window.Until(() => HeldBy(house, "Brandung") == "C3 E3", "two fingers");
        Touch("touchMove", (0, 62), (1, 64));
        window.Until(() => HeldBy(house, "Brandung") == "D3 E3", "one finger moved on");
        Touch("touchEnd");
        window.Until(() => HeldBy(house, "Brandung") == "nothing held", "silence");

        void Touch(string type, params (int Finger, int Key)[] points) =>
            window.Driver.ExecuteCdpCommand(
                "Input.dispatchTouchEvent",
                new Dictionary<string, object?>
                {
                    ["type"] = type,
                    ["touchPoints"] = points
                        .Select(point =>
                        {
                            var box = window.Script<Dictionary<string, object>>(
                                $"const b = document.querySelector('{BenchKey(point.Key)}').getBoundingClientRect(); return {{ x: "
                                    + "b.x + b.width / 2, y: b.bottom - 8 }"
                            );
                            return new Dictionary<string, object?>
                            {
                                ["x"] = box["x"],
                                ["y"] = box["y"],
                                ["id"] = point.Finger,
                            };
                        })
                        .ToArray(),
                }
            );
    }

    [Fact]
    public async Task Switching_off_or_removing_the_route_of_a_held_key_ends_the_note()
    {
        await using var house = await House.Open();
        var id = house.Route("Amsel 61", "Brandung").Id;
        foreach (var (code, key) in new[] { ("KeyO", "o"), ("Delete", "Delete") })
        {
            window.Go(house, $"/plan?route={id}");
            OpenBench();
            window.KeyDown("KeyZ", "z");
            window.Until(() => HeldBy(house, "Brandung") == "C3", "a held note");
            window.KeyDown(code, key);
            window.Until(() => HeldBy(house, "Brandung") == "nothing held", $"silence by {key}");
            window.KeyUp(code, key);
            window.KeyUp("KeyZ", "z");
            house.Desk.Apply(new SwitchRoute(id, true));
        }
        Assert.Null(house.Studio.FindRoute(id));
    }

    [Fact]
    public async Task The_full_stop_ends_every_note_everywhere()
    {
        await using var house = await House.Open();
        window.Go(house, "/plan");
        OpenBench();
        window.KeyDown("KeyZ", "z");
        window.Until(() => HeldBy(house, "Brandung") == "C3" && HeldBy(house, "Himmel") == "C3", "held notes");
        window.KeyDown("Period", ".");
        window.Until(() => HeldBy(house, "Brandung") == "nothing held" && HeldBy(house, "Himmel") == "no cue", "silence");
        window.KeyUp("Period", ".");
        window.KeyUp("KeyZ", "z");
    }

    [Fact]
    public async Task Stages_are_set_in_the_drawer_and_stand_on_the_row()
    {
        await using var house = await House.Open();
        var id = house.Route("keys to stars", "Himmel").Id;
        window.Go(house, "/plan");
        window.Press($"#track-{id} .sign");
        window.Press("#add-kinds");
        window.Press("#kind-1-PitchBend");
        window.Until(() => Signs(id) == "ch 1 → 16|no bend", "no bend");
        window.Press("#from-0-1");
        window.Press("#to-0-5");
        window.Until(() => Signs(id).StartsWith("ch 1 → 5", StringComparison.Ordinal), "1 to 5");
        window.Find("#map-0").Clear();
        window.Find("#map-0").SendKeys("1→99" + Keys.Enter);
        window.Until(() => window.Text(".channels .problem").Contains("no channel 99", StringComparison.Ordinal), "the sentence");
        window.Find("#map-0").Clear();
        window.Find("#map-0").SendKeys("1-16>16" + Keys.Enter);
        window.Until(() => Signs(id).StartsWith("16 ch → 16", StringComparison.Ordinal), "all to 16");
        window.Press("#kind-1-Note");
        window.Until(() => Signs(id).EndsWith("no notes, bend", StringComparison.Ordinal), "no notes");
        OpenBench();
        window.WatchLamps();
        window.KeyDown("KeyZ", "z");
        window.Until(() => window.HasLit($"sign {id}:1"), "the sign flashing where the note stops");
        window.KeyUp("KeyZ", "z");
        Assert.Equal("no cue", HeldBy(house, "Himmel"));
        Assert.IsType<KindsStage>(house.Studio.FindRoute(id)!.Stages[1]);
    }

    [Fact]
    public async Task Watch_gets_a_line_for_each_message_as_it_comes_and_can_be_held_still()
    {
        await using var house = await House.Open();
        window.Go(house, "/watch");
        Assert.True(window.Find("#watch-empty").Displayed);
        OpenBench();
        window.KeyDown("KeyZ", "z");
        window.Until(() => Line("Amsel 61").Contains("C3 on, 96", StringComparison.Ordinal), "the line");
        Assert.Contains("C3 on, 96 on ch 3", Line("Amsel 61"), StringComparison.Ordinal);
        window.KeyUp("KeyZ", "z");
        window.Until(() => Line("Amsel 61").Contains("C3 off", StringComparison.Ordinal), "the line of the note-off on top");
        window.Press("#watch-freeze");
        var lines = window.Driver.FindElements(By.CssSelector("#watch-lines tr")).Count;
        house.StandIn("Tritt 13").Player!.Press("me", 40, 96);
        await House.Until(() => house.Desk.Junction.Compiled.Meter(house.To("Brandung"))!.Held == 1, "a note while the list is held still");
        Assert.Equal(lines, window.Driver.FindElements(By.CssSelector("#watch-lines tr")).Count);
        // It stands still when something is changed elsewhere, too.
        window.ChangeElsewhere(house);
        Assert.Equal(lines, window.Driver.FindElements(By.CssSelector("#watch-lines tr")).Count);
        window.Press("#watch-freeze");
        window.Until(() => Line("Tritt 13").Contains("E1 on, 96", StringComparison.Ordinal), "what came meanwhile");
        window.Until(() => window.Text($"[data-held='{house.To("Brandung")}']") == "1 held", "the held note counted");

        string Line(string from) =>
            window.Script<string?>(
                "return [...document.querySelectorAll('#watch-lines tr')].find((row) => row.querySelector('.from').textContent "
                    + $"=== '{from}')?.textContent ?? null"
            ) ?? "";
    }

    [Fact]
    public async Task Virtual_ports_are_made_and_switched_on_Gear_and_a_wrong_name_is_said_beside_the_field()
    {
        await using var house = await House.Open();
        window.Go(house, "/gear");
        window.Find("#add-name").SendKeys("Himmel" + Keys.Enter);
        window.Until(
            () => window.Text("#add-problem").Contains("already something called “Himmel”", StringComparison.Ordinal),
            "the sentence"
        );
        Assert.Equal("Himmel", window.Find("#add-name").GetAttribute("value"));
        window.Find("#add-name").Clear();
        window.Find("#add-name").SendKeys("pads to stars" + Keys.Enter);
        window.Until(() => window.Text(".drawer h2") == "pads to stars", "the new port in the drawer");
        var port = house.From("pads to stars");
        window.Press($"#switch-{port}");
        window.Until(() => window.Find($"#switch-{port}").GetAttribute("aria-pressed") == "false", "the port switched off");
        window.Find("#device-name").Clear();
        window.Find("#device-name").SendKeys("pads to sky" + Keys.Enter);
        window.Until(() => window.Text(".drawer h2") == "pads to sky", "the new name");
        window.Driver.Navigate().Refresh();
        Assert.Contains("pads to sky", window.Text("main"), StringComparison.Ordinal);
        Assert.Equal("false", window.Find($"#switch-{port}").GetAttribute("aria-pressed"));
    }

    [Fact]
    public async Task What_was_typed_and_opened_and_not_yet_sent_stays_when_the_studio_is_changed_elsewhere()
    {
        await using var house = await House.Open(dome: true);
        var zinn = house.Device("Zinn");
        window.Go(house, $"/gear?device={zinn.Id}");
        window.Press("#programs-open");
        window.Find("#programs").SendKeys("\n99 Rain");
        Assert.Null(house.Desk.Apply(new RenameStudio("By night")).Problem);
        // Typing is not disturbed; the rest is shown when it has ended.
        window.Script<object?>("document.activeElement.blur(); return null");
        window.Until(() => window.Version() == house.Desk.State.Version, "what was changed elsewhere");
        Assert.EndsWith("99 Rain", window.Find("#programs").GetAttribute("value"), StringComparison.Ordinal);
        window.Press("#programs-set");
        window.Until(() => house.Device("Zinn").Programs.ContainsValue("Rain"), "the program");
    }

    [Fact]
    public async Task Two_windows_show_the_same_and_what_one_removed_the_other_cannot_use()
    {
        await using var house = await House.Open();
        using var other = new Window();
        window.Go(house, "/plan");
        other.Go(house, "/gear");
        other.Find("#add-name").SendKeys("from the other" + Keys.Enter);
        other.Until(() => other.Text(".drawer h2") == "from the other", "the new port");
        var port = house.From("from the other");
        window.Until(() => window.Has(Plate(port)), "the new port in the first window");
        // The first window holds on to the source while the other removes it.
        window.Press(Plate(port));
        other.Press("#remove-device");
        other.Until(() => house.Studio.FindPort(port) is null, "the port removed");
        window.Until(() => !window.Has(Plate(port)), "the port gone from the first window");
        window.Driver.ExecuteScript(
            $"htmx.ajax('POST', '/plan?handler=Lay', {{ source: document.querySelector('.plan'), target: '#fragment', swap: "
                + $"'outerHTML', values: {{ from: {port}, to: {house.To("Himmel")} }} }})"
        );
        window.Until(() => window.Text("#plan-say").Contains("is gone", StringComparison.Ordinal), "the sentence");
    }

    [Fact]
    public async Task A_name_being_typed_is_not_taken_away_by_an_edit_in_another_window()
    {
        await using var house = await House.Open();
        window.Go(house, "/gear");
        window.Find("#add-name").SendKeys("half a na");
        house.Desk.Apply(new AddVirtualPort("meanwhile"));
        window.WatchLamps();
        house.StandIn("Amsel 61").Player!.Press("me", 60, 96);
        window.Until(() => window.HasLit($"lamp {house.From("Amsel 61")}"), "a frame later than the edit");
        Assert.Equal("half a na", window.Find("#add-name").GetAttribute("value"));
        window.Find("#add-name").SendKeys("me" + Keys.Enter);
        window.Until(() => window.Text(".drawer h2") == "half a name", "the new port");
        Assert.Contains("meanwhile", window.Text("main"), StringComparison.Ordinal);
    }

    [Fact]
    public async Task Without_scripts_pages_can_be_read_and_forms_still_work()
    {
        await using var house = await House.Open();
        using var plain = new Window();
        plain.Driver.ExecuteCdpCommand("Emulation.setScriptExecutionDisabled", new Dictionary<string, object?> { ["value"] = true });
        plain.Driver.Navigate().GoToUrl(new Uri(house.Address, "/gear"));
        plain.Find("#add-name").SendKeys("by hand" + Keys.Enter);
        await House.Until(() => house.Studio.Devices.Any(device => device.Name == "by hand"), "the port");
        plain.Driver.Navigate().GoToUrl(new Uri(house.Address, $"/plan?route={house.Route("Amsel 61", "Brandung").Id}"));
        plain.Find("#route-switch").Click();
        await House.Until(() => !house.Route("Amsel 61", "Brandung").On, "the route switched off");
    }

    [Fact]
    public async Task The_theme_follows_the_system_and_can_be_switched_for_good()
    {
        await using var house = await House.Open();
        window.Driver.Navigate().GoToUrl(new Uri(house.Address, "/plan"));
        window.Driver.Manage().Cookies.DeleteAllCookies();
        window.Dark(true);
        window.Go(house, "/plan");
        var dark = Background();
        window.Dark(false);
        Assert.NotEqual(dark, Background());
        window.Press("#theme");
        Assert.Equal(dark, Background());
        window.Driver.Navigate().Refresh();
        Assert.Equal(dark, Background());
        window.Press("#theme");
        window.Driver.Manage().Cookies.DeleteAllCookies();

        string Background() => window.Script<string>("return getComputedStyle(document.body).backgroundColor");
    }

    [Fact]
    public async Task No_request_leaves_the_machine_and_no_page_reports_an_error()
    {
        await using var house = await House.Open();
        using var fresh = new Window();
        foreach (
            var path in (string[])
                ["/gear?device=1", $"/plan?route={house.Route("Tritt 13", "Brandung").Id}", "/watch", "/checks", "/lineups", "/takes"]
        )
        {
            fresh.Go(house, path);
            Assert.Equal(
                "Overpass",
                fresh.Script<string>(
                    "return [...document.fonts].some((f) => f.family.includes('Overpass') && f.status === 'loaded') ? 'Overpass' : ''"
                )
            );
        }
        fresh.Key("b");
        fresh.Until(() => fresh.Find("#bench").Displayed, "the bench");
        Assert.Equal(["127.0.0.1"], fresh.HostsAsked());
        Assert.Empty(fresh.Errors());
    }

    [Theory]
    [InlineData(false, false)]
    [InlineData(true, false)]
    [InlineData(false, true)]
    [InlineData(true, true)]
    public async Task Every_page_is_free_of_serious_barriers(bool dark, bool dome)
    {
        await using var house = await House.Open(dome: dome);
        house.Desk.Apply(new SwitchPort(house.From("Brandung"), false));
        house.Desk.StandIns.Room?.Plug("halm", null);
        house.StandIn("Amsel 61").Player!.Press("me", 60, 96);
        using var stream = typeof(BrowserTests).Assembly.GetManifestResourceStream("axe.min.js")!;
        using var reader = new StreamReader(stream);
        var axe = await reader.ReadToEndAsync();
        window.Dark(dark);
        foreach (
            var path in (string[])
                [
                    "/gear",
                    "/gear?find=true",
                    $"/gear?device={house.Device("Brandung").Id}",
                    "/studio",
                    "/plan",
                    $"/plan?route={house.Studio.Routes[1].Id}",
                    "/plan?view=departures",
                    "/plan?view=grid",
                    $"/plan?route={house.Studio.Routes[0].Id},{house.Studio.Routes[1].Id}",
                    $"/plan?trace=1&from={house.From("Amsel 61")}&msg=90%203C%2060",
                    "/history",
                    "/watch",
                    "/checks",
                    "/lineups",
                    "/tonight",
                    "/takes",
                    "/nowhere",
                ]
        )
        {
            window.Go(house, path);
            if (window.Script<bool>("return document.getElementById('bench')?.hidden ?? false"))
                window.Press("#bench-button");
            window.Driver.ExecuteScript(axe);
            var found = (string)
                window.Driver.ExecuteAsyncScript(
                    """
                    const done = arguments[arguments.length - 1];
                    const said = (node) => node.target + " " + (node.any[0]?.message ?? "");
                    axe.run(document, { resultTypes: ["violations"] }).then((result) => done(result.violations
                      .filter((violation) => violation.impact === "serious" || violation.impact === "critical")
                      .map((violation) => `${violation.id}: ${violation.nodes.map(said).join("; ")}`).join("\n")));
                    """
                )!;
            Assert.True(found.Length == 0, $"{path}, {(dark ? "dark" : "light")}:\n{found}");
        }
        window.Dark(false);
    }

    [Theory]
    [InlineData(1280, 800, true)]
    [InlineData(1280, 800, false)]
    [InlineData(1024, 768, false)]
    [InlineData(1920, 1080, true)]
    public async Task A_studio_fits_the_screen_without_scrolling(int width, int height, bool dome)
    {
        await using var house = await House.Open(dome: dome);
        window.Resize(width, height);
        foreach (var path in (string[])["/gear", "/plan", "/plan?view=grid", "/watch"])
        {
            window.Go(house, path);
            window.Until(
                () =>
                    window.Script<bool>(
                        "return [...document.querySelectorAll('html, main, .board, .gear-panels, .roll, .loose, "
                            + ".watch-ports')].every((e) => e.scrollWidth <= e.clientWidth && e.scrollHeight <= e.clientHeight)"
                    ),
                $"{path} whole at {width} × {height}"
            );
        }
        window.Resize(1280, 800);
    }

    private void OpenBench()
    {
        if (window.Script<bool>("return document.getElementById('bench').hidden"))
            window.Press("#bench-button");
        window.Driver.ExecuteScript("document.querySelector('[data-player]:not([hidden]) .keyboard').focus()");
    }

    private string Signs(RouteId id) =>
        window.Script<string>($"return [...document.querySelectorAll('#track-{id} .sign text')].map((text) => text.textContent).join('|')");

    private string HeldBy(House house, string device) => window.Text($"[data-heard='{house.StandIn(device).Kit.Key}'] [data-held-keys]");

    private static string Plate(PortId id) => $"#plate-{id}";

    private static string BenchKey(int key) => $"[data-player]:not([hidden]) [data-key=\"{key}\"]";
}
