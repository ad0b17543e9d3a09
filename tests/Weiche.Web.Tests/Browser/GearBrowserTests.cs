using OpenQA.Selenium;
using OpenQA.Selenium.Interactions;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;
using Weiche.Files;

namespace Weiche.Web.Tests.Browser;

/// <summary>The first hours of a studio's life, in a real browser.</summary>
public sealed class GearBrowserTests(Window window) : IClassFixture<Window>
{
    private static string Jack(House house, string device, string jack) =>
        $"#jack-{house.Device(device).Jacks.First(each => each.Name == jack).Id}";

    private static List<string> Wiring(Studio studio) =>
        [
            .. studio
                .Cables.Select(cable =>
                    $"{studio.FindJack(cable.From)!.Value.Device.Name} {studio.FindJack(cable.From)!.Value.Jack.Name} → "
                    + $"{studio.FindJack(cable.To)!.Value.Device.Name} {studio.FindJack(cable.To)!.Value.Jack.Name}"
                )
                .Order(),
        ];

    private void Line(string line)
    {
        window.Find("#line").SendKeys(line + Keys.Enter);
        window.Until(() => window.Text(".drawer h2") == line.Split(',')[0] || window.Has("#line-problem"), line);
        Assert.False(window.Has("#line-problem"), window.Text("#line-problem"));
    }

    [Fact]
    public async Task From_the_empty_bench_to_the_wiring_of_the_dome_with_one_press_and_one_line_a_device()
    {
        await using var house = await House.Open(dome: true);
        house.Desk.Open(house.Desk.Studios.First(studio => studio.Name == "Werkbank").Id);
        window.Go(house, "/gear");
        var presses = 0;
        foreach (
            var (unit, line) in new[]
            {
                ("weiher-4x4", "Weiher 4×4, interface"),
                ("amsel-61", "Amsel 61, keyboard controller, channel 1"),
                ("kies", "Kies, pads, channel 10"),
                ("faecher", "Fächer, expressive surface"),
                ("halm", "Halm, breath controller, channel 4"),
                ("bandhaus", "Bandhaus, application"),
                ("himmel", "Himmel, display, channel 16"),
                ("wolke", "Wolke, tablet"),
            }
        )
        {
            window.Press($"#new-{unit}");
            presses++;
            window.Until(
                () => window.Script<string?>("return document.querySelector('.line [name=unit]').value") == unit,
                "its place in the line"
            );
            Line(line);
        }
        foreach (
            var line in (string[])
                [
                    "Tritt 13, pedals, on Weiher 1, channel 2",
                    "Brandung, keyboard with sound, on Weiher 3, channel 3",
                    "Zinn, sound module, on Weiher 2, channels 5-6",
                    "Paukenkiste, drum module, on Zinn THRU, channel 10",
                    "Uhrwerk, clock, on Weiher 4",
                ]
        )
            Line(line);
        var dome = DemoStudio.Create();
        Assert.Equal(Wiring(dome), Wiring(house.Studio));
        Assert.Equal(
            dome.Ports.Where(port => port.Device.Kind != DeviceKind.VirtualPort).Select(port => port.Tag).Order(),
            house.Studio.Ports.Select(port => port.Tag).Order()
        );
        Assert.Equal(8, presses);

        // Behind its back everything is plugged in elsewhere: it is itself all the same, and plays.
        house.Desk.StandIns.Room!.Plug("amsel-61", "hub 3");
        house.Desk.StandIns.Room.Plug("weiher-4x4", "hub 5");
        window.Until(() => window.Text(".roll").Contains("hub 5", StringComparison.Ordinal), "the new place");
        Assert.Equal(0, house.Desk.Park.State.Missing);
        Assert.Null(house.Desk.Apply(new LayRoute(house.From("Tritt 13"), house.To("Brandung"))).Problem);
        house.StandIn("Tritt 13").Player!.Press("me", 40, 90);
        await House.Until(() => house.Desk.Junction.Compiled.Meter(house.To("Brandung"))!.Held == 1, "a note through the moved interface");
    }

    [Fact]
    public async Task A_cable_is_plugged_by_press_and_press_by_drag_and_by_keys_and_taken_out()
    {
        await using var house = await House.Open(dome: true);
        window.Go(house, "/gear");
        window.Press(Jack(house, "Zinn", "OUT"));
        Assert.True(window.Has(".jack.fits"));
        window.Press(Jack(house, "Weiher 4×4", "IN 2"));
        window.Until(() => house.Studio.Sources.Any(port => port.Tag == "2 · from Zinn"), "Zinn on IN 2");
        window.Until(() => !window.Has(Jack(house, "Zinn", "OUT") + ".loose-end"), "the loose end gone");

        new Actions(window.Driver)
            .ClickAndHold(window.Find(Jack(house, "Brandung", "THRU")))
            .MoveByOffset(-100, 10)
            .MoveToElement(window.Find(Jack(house, "Weiher 4×4", "OUT 1")))
            .Release()
            .Perform();
        window.Until(() => window.Text("#cannot").Contains("both send", StringComparison.Ordinal), "why it cannot be");

        window.Script<object?>($"document.querySelector('{Jack(house, "Weiher 4×4", "IN 2")}').focus()");
        window.Key(Keys.Delete);
        window.Until(() => house.Studio.Cables.Length == DemoStudio.Create().Cables.Length, "the cable taken out");
        window.Until(() => window.Has(Jack(house, "Zinn", "OUT") + ".loose-end"), "the loose end back");
        window.Script<object?>($"document.querySelector('{Jack(house, "Zinn", "OUT")}').focus()");
        window.Key(Keys.Enter);
        window.Script<object?>($"document.querySelector('{Jack(house, "Weiher 4×4", "OUT 2")}').focus()");
        window.Key(Keys.Enter);
        window.Until(() => window.Has("#cannot-remedy"), "a remedy");
        window.Press("#cannot-remedy");
        window.Until(() => house.Studio.Sources.Any(port => port.Tag == "2 · from Zinn"), "the remedy made");
        window.Driver.Navigate().Refresh();
        Assert.Contains("from Zinn", window.Text(".jacks"), StringComparison.Ordinal);
        Assert.DoesNotContain(window.Errors(), error => error.Contains(house.Address.Authority, StringComparison.Ordinal));
    }

    [Fact]
    public async Task With_single_keys_a_port_is_found_tested_and_switched()
    {
        await using var house = await House.Open(dome: true);
        window.Go(house, "/gear");
        window.Key("f");
        window.Until(() => window.Has("#spoke"), "play anything");
        house.StandIn("Halm").Player!.Blow(80);
        window.Until(() => window.Text(".spoke .first").Contains("from Halm", StringComparison.Ordinal), "Halm on top by itself");
        window.Press(".spoke .first .button");
        window.Until(() => window.Text(".drawer h2") == "Halm", "chosen on the spot");
        window.Press($"#roll-{house.Device("Zinn").Id}");
        window.Until(() => window.Text(".drawer h2") == "Zinn", "Zinn chosen");
        window.Script<object?>("document.activeElement.blur()");
        window.Key("t");
        await House.Until(() => house.StandIn("Zinn").Listener!.Heard.Held.Count == 1, "the test note");
        window.Key("x");
        window.Until(() => house.Studio.Ports.Count(port => !port.Port.On) == 1 && window.Has("#step-next"), "one port off");
        var first = house.Studio.Ports.First(port => !port.Port.On).Id;
        window.Key("x");
        window.Until(
            () => house.Studio.Ports.Count(port => !port.Port.On) == 1 && house.Studio.FindPort(first)!.Value.Port.On,
            "the next one off"
        );
        window.Until(
            () => window.Text(".answers h2").Length > 0 && !window.Text(".answers h2").Contains("Amsel 61", StringComparison.Ordinal),
            "the page showing it"
        );
        window.Key(Keys.Escape);
        window.Until(() => house.Studio.Ports.All(port => port.Port.On), "all on again");
    }

    [Fact]
    public async Task The_bench_plays_pads_fingers_and_styles_and_shows_what_is_held_where()
    {
        await using var house = await House.Open(dome: true);
        window.Go(house, "/gear");
        window.Key("b");
        window.Press("[data-play='kies']");
        window.Hold("[data-player='kies'] [data-key='40']");
        window.Until(
            () => window.Text("[data-heard='paukenkiste'] [data-held-keys]").Contains("E1", StringComparison.Ordinal),
            "the pad on Paukenkiste"
        );
        Assert.Contains("E1", window.Text("[data-heard='himmel'] [data-held-keys]"), StringComparison.Ordinal);
        window.LetGo();
        window.Until(() => window.Text("[data-heard='paukenkiste'] [data-held-keys]") == "nothing held", "let go");
        window.Press("[data-play='faecher']");
        window.Hold("[data-player='faecher'] .surface");
        window.Until(
            () => window.Text("[data-heard='wolke'] [data-held-keys]").Contains("2:F#3", StringComparison.Ordinal),
            "a finger on a channel of its own"
        );
        window.LetGo();
        window.Until(() => window.Text("[data-heard='wolke'] [data-held-keys]") == "nothing held", "lifted");
        window.Press("[data-player='faecher'] [data-style='Hold']");
        window.Until(() => window.Text("[data-heard='wolke'] [data-held-keys]") != "nothing held", "held by itself");
        window.Press("[data-player='faecher'] [data-style='Hold']");
        window.Until(() => window.Text("[data-heard='wolke'] [data-held-keys]") == "nothing held", "let go");
        window.Press("[data-play='bandhaus']");
        window.Press("[data-player='bandhaus'] [data-switch='track 4']");
        window.Until(() => house.StandIn("Bandhaus").IsOn("track 4"), "a track that monitors");
        window.Press("[data-heard='zinn'] [data-sound]");
        Assert.Equal("true", window.Find("[data-heard='zinn'] [data-sound]").GetAttribute("aria-pressed"));
        Assert.DoesNotContain(window.Errors(), error => error.Contains(house.Address.Authority, StringComparison.Ordinal));
    }

    [Fact]
    public async Task What_is_typed_after_a_new_plate_was_pressed_stands_in_the_line_and_a_refused_line_is_typed_over()
    {
        await using var house = await House.Open(dome: true);
        house.Desk.Open(house.Desk.Studios.First(studio => studio.Name == "Werkbank").Id);
        window.Go(house, "/gear");
        window.Press("#new-kies");
        // At once, as fast as the hand goes: "x", "b" and "h" would do something on the page.
        window.Key("box h, nonsense");
        window.Until(() => window.Find("#line").GetAttribute("value") == "box h, nonsense", "the line");
        Assert.EndsWith("/gear", new Uri(window.Driver.Url).AbsolutePath, StringComparison.Ordinal);
        window.Key(Keys.Enter);
        window.Until(() => window.Has("#line-problem"), "refused");
        window.Until(() => window.Script<string>("return document.activeElement.id") == "line", "the cursor in the line");
        window.Key("Kies, pads");
        window.Key(Keys.Enter);
        window.Until(() => house.Studio.Devices.Any(device => device.Name == "Kies"), "the device");
    }

    [Fact]
    public async Task Enter_in_the_name_of_a_virtual_port_renames_it_and_makes_no_other()
    {
        await using var house = await House.Open();
        var port = house.Device("keys to stars");
        var count = house.Studio.Devices.Length;
        window.Go(house, $"/gear?device={port.Id}");
        window.Find("#device-name").Clear();
        window.Find("#device-name").SendKeys("keys to dome" + Keys.Enter);
        window.Until(() => house.Studio.FindDevice(port.Id)!.Name == "keys to dome", "the new name");
        window.Until(() => window.Text(".drawer h2") == "keys to dome", "the name in the drawer");
        window.Press("#add-name");
        window.Key("pads to dome" + Keys.Enter + Keys.Enter);
        window.Until(() => house.Studio.Devices.Any(device => device.Name == "pads to dome"), "the new port");
        window.Until(() => window.Find("#add-name").GetAttribute("value") == "", "an empty line");
        window.Press("#add-name");
        window.Key(Keys.Enter);
        window.Until(() => window.Has("#add-problem"), "a name is asked for");
        Assert.Equal(count + 1, house.Studio.Devices.Length);
    }

    [Fact]
    public async Task Whoever_leaves_while_ports_are_stepped_through_leaves_none_off()
    {
        await using var house = await House.Open();
        window.Go(house, "/gear");
        window.Key("x");
        window.Until(() => house.Studio.Ports.Count(port => !port.Port.On) == 1, "one off");
        window.Until(() => window.Has(".gear[data-stepping]"), "the page says which");
        window.Go(house, "/plan");
        window.Until(() => house.Studio.Ports.All(port => port.Port.On), "all on again");
    }
}
