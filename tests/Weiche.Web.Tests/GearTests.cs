using System.Net;
using Microsoft.AspNetCore.SignalR.Client;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;
using Weiche.Files;

namespace Weiche.Web.Tests;

public class GearTests
{
    private static JackId Jack(House house, string device, string jack) => house.Device(device).Jacks.First(each => each.Name == jack).Id;

    private static PortId To(House house, string name) => house.Studio.Destinations.First(port => port.Name == name).Id;

    [Fact]
    public async Task The_dome_is_shown_jack_by_jack_with_a_tag_on_each_cable_end()
    {
        await using var house = await House.Open(dome: true);
        var page = await house.Get("/gear");
        Assert.Equal(
            ["from Tritt 13", "from Brandung", "from Uhrwerk", "to Zinn", "to Brandung"],
            page.QuerySelectorAll(".tag-name").Select(tag => tag.TextContent)
        );
        Assert.Contains(page.QuerySelectorAll(".tag-chain"), tag =>
            tag.TextContent.Contains("THRU → Paukenkiste", StringComparison.Ordinal)
        );
        Assert.Equal(
            ["Brandung THRU", "Zinn OUT", "Paukenkiste OUT", "Paukenkiste THRU"],
            page.QuerySelectorAll(".loose-end b").Select(end => end.TextContent)
        );
        Assert.Contains("Present · 13", page.Body!.TextContent, StringComparison.Ordinal);
    }

    [Fact]
    public async Task What_cannot_be_plugged_is_said_with_the_remedy_and_nothing_is_changed()
    {
        await using var house = await House.Open(dome: true);
        var cables = house.Studio.Cables.Length;
        var (status, page) = await house.Post(
            "/gear/cabling?handler=Plug",
            ("one", Jack(house, "Zinn", "OUT")),
            ("other", Jack(house, "Weiher 4×4", "OUT 2"))
        );
        Assert.Equal(HttpStatusCode.UnprocessableEntity, status);
        Assert.Contains("both send", page.QuerySelector("#cannot")!.TextContent, StringComparison.Ordinal);
        Assert.Equal("Plug into IN 2", page.QuerySelector("#cannot-remedy")!.TextContent);
        Assert.Equal(cables, house.Studio.Cables.Length);
        (status, _) = await house.Post(
            "/gear/cabling?handler=Unplug",
            ("jack", Jack(house, "Zinn", "IN")),
            ("device", house.Device("Zinn").Id)
        );
        Assert.Equal((HttpStatusCode.OK, cables - 1), (status, house.Studio.Cables.Length));
        (status, page) = await house.Post("/gear/cabling?handler=Unplug", ("jack", 99_999));
        Assert.Contains("no cable in that jack", page.Body!.TextContent, StringComparison.Ordinal);
    }

    [Theory]
    [InlineData("/gear?handler=Channels", "sends", "false", "channels", "17", "no channel 17")]
    [InlineData("/gear/cabling?handler=AddInner", "kind", "Echo", "delay", "-5", "Say where it begins")]
    [InlineData("/gear?handler=Zones", "lower", "99", "bend", "48", "member channels")]
    [InlineData("/gear?handler=Test", "channel", "17", "key", "C3", "no channel 17")]
    [InlineData("/gear?handler=Test", "channel", "1", "key", "H9", "is not a key")]
    [InlineData("/gear?handler=Is", "unit", "nobody", "x", "", "not plugged in any more")]
    [InlineData("/gear?handler=AddDevice", "line", "Zinn, sound module", "unit", "nobody", "not plugged in any more")]
    public async Task Bad_input_is_a_sentence_and_changes_nothing(
        string address,
        string one,
        string oneValue,
        string other,
        string otherValue,
        string sentence
    )
    {
        await using var house = await House.Open(dome: true);
        var before = StudioJson.Write(house.Studio);
        var (status, page) = await house.Post(
            address,
            ("device", house.Device("Brandung").Id),
            ("port", To(house, "Brandung")),
            (one, oneValue),
            (other, otherValue)
        );
        Assert.Equal(HttpStatusCode.UnprocessableEntity, status);
        Assert.Contains(sentence, page.Body!.TextContent, StringComparison.Ordinal);
        Assert.Equal(before, StudioJson.Write(house.Studio));
    }

    [Fact]
    public async Task A_device_removed_in_another_window_is_said()
    {
        await using var house = await House.Open(dome: true);
        var (zinn, jack) = (house.Device("Zinn").Id, Jack(house, "Zinn", "OUT"));
        Assert.Null(house.Desk.Apply(new RemoveDevice(zinn, true)).Problem);
        var (status, page) = await house.Post("/gear/cabling?handler=Plug", ("one", jack), ("other", Jack(house, "Weiher 4×4", "IN 2")));
        Assert.Equal(HttpStatusCode.UnprocessableEntity, status);
        Assert.Contains("jack is gone", page.QuerySelector("#cannot")!.TextContent, StringComparison.Ordinal);
        (_, page) = await house.Post("/gear?handler=Rename", ("device", zinn), ("name", "x"));
        Assert.Contains("gone", page.Body!.TextContent, StringComparison.Ordinal);
    }

    [Fact]
    public async Task Who_is_there_proposes_and_a_press_makes_it_so()
    {
        await using var house = await House.Open(dome: true);
        var (_, page) = await house.Post("/gear?handler=Who");
        Assert.Contains("4 answered", page.QuerySelector(".answers")!.TextContent, StringComparison.Ordinal);
        Assert.Null(house.Device("Brandung").Known?.Identity);
        var sentence = page.QuerySelectorAll(".proposals li")
            .First(each => each.TextContent.Contains("Brandung", StringComparison.Ordinal))
            .QuerySelector("input[name=sentence]")!
            .GetAttribute("value")!;
        (_, page) = await house.Post("/gear?handler=Propose", ("sentence", sentence));
        Assert.Equal(1, house.Device("Brandung").Known!.Identity!.Member);
        Assert.Contains("Brandung is itself", page.QuerySelector(".proposals .agrees")!.TextContent, StringComparison.Ordinal);
        (_, page) = await house.Post("/gear?handler=Forget");
        Assert.Null(page.QuerySelector(".answers"));
    }

    [Fact]
    public async Task Sounding_one_destination_proposes_the_way_back_that_is_open()
    {
        await using var house = await House.Open(dome: true);
        house.StandIn("Brandung").Switch("sequencer page", true);
        var echo = house.Device("Brandung").InnerPaths.Single(path => path.Kind == InnerPathKind.Echo);
        await house.Post("/gear/cabling?handler=Inner", ("device", house.Device("Brandung").Id), ("path", echo.Id), ("on", false));
        var (_, page) = await house.Post("/gear?handler=SoundOut", ("port", To(house, "Brandung")));
        Assert.Contains("1 way back", page.QuerySelector(".answers")!.TextContent, StringComparison.Ordinal);
        Assert.Equal("Say so: sequencer page on", page.QuerySelector(".proposals .button")!.TextContent);
    }

    [Fact]
    public async Task What_speaks_stands_on_top_whether_it_has_a_name_or_not()
    {
        await using var house = await House.Open(dome: true);
        Assert.Null(house.Desk.Apply(new RemoveDevice(house.Device("Fächer").Id, true)).Problem);
        house.StandIn("Kies").Player!.Press("me", 40, 100);
        await House.Until(() => First(house).Result.Contains("from Kies", StringComparison.Ordinal), "Kies on top");
        Assert.Contains("E1 on, 100 · ch 10", await First(house), StringComparison.Ordinal);
        house.StandIn("Fächer").Player!.Press("me", 60, 100);
        await House.Until(() => First(house).Result.Contains("says “Faecher”", StringComparison.Ordinal), "the nameless one on top");

        static async Task<string> First(House house) =>
            (await house.Get("/gear?find=true")).QuerySelector(".spoke .first")?.TextContent ?? "";
    }

    [Fact]
    public async Task Ports_are_switched_off_one_after_the_other_and_all_are_on_again_at_the_end()
    {
        await using var house = await House.Open(dome: true);
        var seen = new List<string>();
        var port = 0;
        for (var i = 0; i < 60; i++)
        {
            var (_, page) = await house.Post("/gear?handler=Step", ("port", port));
            if (page.QuerySelector("[data-stepping]")?.GetAttribute("data-stepping") is not { Length: > 0 } next)
                break;
            port = int.Parse(next, System.Globalization.CultureInfo.InvariantCulture);
            Assert.Equal([port], house.Studio.Ports.Where(each => !each.Port.On).Select(each => each.Id.Value));
            seen.Add(house.Studio.FindPort(new PortId(port))!.Value.Label);
        }
        Assert.Contains("to Zinn", seen);
        Assert.Equal(house.Studio.Ports.Count(each => !each.IsLoose), seen.Count);
        Assert.All(house.Studio.Ports, each => Assert.True(each.Port.On));
    }

    [Fact]
    public async Task Local_control_is_switched_from_here_and_a_test_note_sounds()
    {
        await using var house = await House.Open(dome: true);
        var brandung = house.Device("Brandung");
        await house.Post("/gear/cabling?handler=Inner", ("device", brandung.Id), ("path", brandung.LocalControl!.Id), ("on", "false"));
        await House.Until(() => !house.StandIn("Brandung").IsLocal, "local control off");
        await house.Post(
            "/gear?handler=Test",
            ("port", To(house, "Zinn")),
            ("channel", 6),
            ("key", "C2"),
            ("device", house.Device("Zinn").Id)
        );
        await House.Until(() => house.StandIn("Zinn").Listener!.Heard.Held is [(6, 48, 96)], "the test note");
        await House.Until(() => house.StandIn("Zinn").Listener!.Heard.Held.Count == 0, "its end");
    }

    [Fact]
    public async Task A_missing_device_keeps_its_routes_and_comes_back_elsewhere()
    {
        await using var house = await House.Open(dome: true);
        var room = house.Desk.StandIns.Room!;
        room.Plug("halm", null);
        var page = await house.Get("/gear");
        Assert.Contains("Missing · 1", page.Body!.TextContent, StringComparison.Ordinal);
        Assert.Equal("Halm", page.QuerySelector(".roll-plate.missing b")!.TextContent);
        Assert.Contains(house.Studio.Routes, route => route.From == house.From("Halm"));
        var plan = await house.Get("/plan");
        Assert.Equal("Halm", plan.QuerySelector(".plate.waiting .plate-name")!.TextContent);
        Assert.Equal(
            "waits",
            plan.QuerySelector($"[data-count='{house.Studio.Routes.First(route => route.From == house.From("Halm")).Id}']")!.TextContent
        );
        room.Plug("halm", "Bluetooth");
        Assert.Null((await house.Get("/gear")).QuerySelector(".roll-plate.missing"));
    }

    [Fact]
    public async Task Two_that_cannot_be_told_apart_are_asked_about()
    {
        await using var house = await House.Open(dome: true);
        // A second set of pads that say the same, and neither is pinned any more.
        var kies = house.Device("Kies");
        Assert.Null(house.Desk.Apply(new SetKnown(kies.Id, new KnownAs("USB pads", "", "hub 9"))).Problem);
        Assert.Null(house.Desk.Apply(new AddDevice("Kies 2, pads", new Unit("x", "USB pads", "", "hub 8", []))).Problem);
        var page = await house.Get("/gear");
        Assert.Contains("Cannot be told apart", page.Body!.TextContent, StringComparison.Ordinal);
        Assert.Equal(["Kies", "Kies 2"], page.QuerySelectorAll(".unclear button").Select(button => button.TextContent));
        await house.Post("/gear?handler=Is", ("device", kies.Id), ("unit", "kies"));
        Assert.True(house.Desk.Park.PresenceOf(kies.Id)!.Present);
        Assert.Equal("Kies 2", (await house.Get("/gear")).QuerySelector(".roll-plate.missing b")!.TextContent);
    }

    [Fact]
    public async Task Studios_are_chosen_copied_renamed_and_removed_and_the_one_chosen_last_is_there_after_a_restart()
    {
        var folder = House.FreshFolder();
        await using (var house = await House.Open(folder, dome: true))
        {
            Assert.Equal("Kuppel", house.Studio.Name);
            house.StandIn("Amsel 61").Player!.Press("me", 60, 100);
            await House.Until(() => house.StandIn("Brandung").Listener!.Heard.Held.Count == 1, "a held note");
            await house.Post("/studio?handler=Open", ("id", house.Desk.Studios.First(studio => studio.Name == "Werkbank").Id));
            Assert.Equal("Werkbank", house.Studio.Name);
            await House.Until(() => house.StandIn("Brandung").Listener!.Heard.Held.Count == 0, "silence");
            var page = await house.Get("/gear");
            Assert.Contains("New · 8", page.Body!.TextContent, StringComparison.Ordinal);
            await house.Post("/studio?handler=Copy", ("name", "Werkbank, Tuesday"));
            Assert.Equal("Werkbank, Tuesday", house.Studio.Name);
            var (status, refused) = await house.Post("/studio?handler=Rename", ("name", "kuppel"));
            Assert.Equal(HttpStatusCode.UnprocessableEntity, status);
            Assert.Contains("already a studio called", refused.Body!.TextContent, StringComparison.Ordinal);
            await house.Post("/studio?handler=Rename", ("name", "Tuesday"));
            await house.Post("/studio?handler=Middle", ("c4", "true"));
            Assert.Equal(["Kuppel", "Tuesday", "Werkbank"], house.Desk.Studios.Select(studio => studio.Name).Order());
            await house.Post("/studio?handler=Remove", ("id", house.Desk.Studios.First(studio => studio.Name == "Werkbank").Id));
            (status, _) = await house.Post("/studio?handler=Remove", ("id", house.Desk.State.StudioId));
            Assert.Equal(HttpStatusCode.UnprocessableEntity, status);
        }
        await using var again = await House.Open(folder, dome: true);
        again.TakesItsFolderAlong();
        Assert.Equal("Tuesday", again.Studio.Name);
        Assert.True(again.Studio.MiddleIsC4);
        Assert.Contains("C4", (await again.Get("/gear")).QuerySelector("#bench")!.TextContent, StringComparison.Ordinal);
        Assert.Equal(["Kuppel", "Tuesday"], again.Desk.Studios.Select(studio => studio.Name).Order());
    }

    [Fact]
    public async Task The_hub_plays_what_can_be_played_and_switches_what_can_be_switched()
    {
        await using var house = await House.Open(dome: true);
        await using var hub = await house.Connect();
        await hub.InvokeAsync("Touch", "faecher", 1, 60.4, 90, 64);
        await House.Until(() => house.StandIn("Wolke").Listener!.Heard.Held is [(_, 60, 90)], "a finger");
        await hub.InvokeAsync("Lift", "faecher", 1);
        await House.Until(() => house.StandIn("Wolke").Listener!.Heard.Held.Count == 0, "lifted");
        await hub.InvokeAsync("Blow", "halm", 90);
        await hub.InvokeAsync("Control", "amsel-61", 1, 33);
        await House.Until(() => house.StandIn("Brandung").Listener!.Heard.Modulation == 33, "the wheel");
        await hub.InvokeAsync("Style", "kies", "hold", true);
        await House.Until(() => house.StandIn("Paukenkiste").Listener!.Heard.Held.Count == 1, "a style");
        await hub.InvokeAsync("Style", "kies", "hold", false);
        await hub.InvokeAsync("Style", "kies", "no such style", true);
        await hub.InvokeAsync("Switch", "bandhaus", "track 4", true);
        Assert.True(house.StandIn("Bandhaus").IsOn("track 4"));
        await hub.InvokeAsync("Switch", "bandhaus", "no such track", true);
        await hub.InvokeAsync("Plug", "amsel-61", "");
        Assert.False(house.Desk.Park.PresenceOf(house.Device("Amsel 61").Id)!.Present);
        await hub.InvokeAsync("Touch", "faecher", 1, 1e300, 90, 64);
        await hub.InvokeAsync("Touch", "amsel-61", 1, 60.0, 90, 64);
    }

    [Fact]
    public async Task An_empty_studio_begins_on_Gear_and_is_led_to_its_first_route_in_three_presses()
    {
        await using var house = await House.Open(demo: false, room: true);
        Assert.Equal("/gear", (await house.Client.GetAsync("/")).Headers.Location!.ToString());
        Assert.NotNull((await house.Get("/gear")).QuerySelector("#first-steps li.now #plays-amsel-61"));
        var (_, page) = await house.Post("/gear?handler=Take", ("unit", "amsel-61"), ("sounds", false));
        Assert.NotNull(page.QuerySelector("#first-steps li.now #sounds-wolke"));
        // A device that is no program is not taken for one, and an interface is none of the two.
        Assert.Null(page.QuerySelector("#sounds-weiher-4x4"));
        (_, page) = await house.Post("/gear?handler=Take", ("unit", "wolke"), ("sounds", true));
        var lay = page.QuerySelector("#first-steps li.now #first-lay")!;
        Assert.Contains("Amsel 61 → Wolke", lay.TextContent, StringComparison.Ordinal);
        (_, page) = await house.Post("/gear?handler=FirstRoute", ("from", house.From("Amsel 61")), ("to", house.To("Wolke")));
        Assert.Contains("The first route is laid", page.QuerySelector("#first-steps")!.TextContent, StringComparison.Ordinal);
        house.StandIn("Amsel 61").Player!.Press("hand", 60, 90);
        await House.Until(() => house.StandIn("Wolke").Listener!.Heard.Held.Count == 1, "the first note");
        Assert.Equal("/plan", (await house.Client.GetAsync("/")).Headers.Location!.ToString());
        await house.Post("/gear?handler=Add", ("name", "one"));
        await house.Post("/plan?handler=Lay", ("from", house.From("one")), ("to", house.To("Wolke")));
        Assert.Null((await house.Get("/gear")).QuerySelector("#first-steps"));
    }

    [Fact]
    public async Task The_demo_is_opened_beside_an_own_studio_with_its_stand_ins_and_goes_with_them()
    {
        await using var house = await House.Open(demo: false);
        Assert.Null(house.Desk.StandIns.Room);
        var (status, _) = await house.Post("/gear?handler=Demo");
        Assert.Equal(HttpStatusCode.Redirect, status);
        Assert.Equal("Kuppel", house.Studio.Name);
        Assert.NotNull(house.Desk.StandIns.Room);
        Assert.True(house.Desk.Park.PresenceOf(house.Device("Amsel 61").Id) is { Present: true });
        var own = house.Desk.Studios.Single(studio => studio.Name == "My studio").Id;
        Assert.Null(house.Desk.Open(own));
        Assert.Null(house.Desk.StandIns.Room);
        Assert.Empty(house.Desk.Park.State.Call.New);
        await house.Post("/gear?handler=Demo");
        Assert.Equal(2, house.Desk.Studios.Count);
        Assert.NotNull(house.Desk.StandIns.Room);
    }

    [Fact]
    public async Task What_is_not_there_any_more_is_neither_taken_in_nor_taken_off()
    {
        await using var house = await House.Open();
        foreach (
            var (path, values, sentence) in new (string, (string, object)[], string)[]
            {
                ("/gear?handler=Take", [("unit", "nothing")], "not there any more"),
                ("/gear?handler=Part", [("from", 1), ("to", 2)], "gone already"),
                ("/gear?handler=FirstRoute", [("from", 1), ("to", 99_999)], ""),
                (
                    "/gear?handler=Inside",
                    [("device", house.Studio.Devices.First(device => !device.IsVirtualPort()).Id), ("inside", true)],
                    "is no virtual port"
                ),
            }
        )
        {
            var before = house.Studio;
            var (status, page) = await house.Post(path, values);
            Assert.Equal(HttpStatusCode.UnprocessableEntity, status);
            Assert.Contains(sentence, page.Body!.TextContent, StringComparison.Ordinal);
            Assert.Same(before, house.Studio);
        }
    }
}
