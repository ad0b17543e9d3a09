using Weiche.Core.Studios.Edits;

namespace Weiche.Web.Tests.Browser;

/// <summary>The checks in a real browser: a newcomer finds the open circuit, follows it, mends it and takes it back.</summary>
public sealed class ChecksBrowserTests(Window window) : IClassFixture<Window>
{
    [Fact]
    public async Task The_circuit_is_found_followed_mended_and_taken_back_and_every_window_shows_it()
    {
        await using var house = await House.Open(dome: true);
        using var other = new Window();
        window.Go(house, "/plan");
        other.Go(house, "/watch");
        Assert.Equal("1 circuit open", window.Text("#guard-lamp"));
        Assert.Equal("1 circuit open", other.Text("#guard-lamp"));
        window.Key("4");
        window.Until(() => window.Has(".circuit"), "the ring");
        Assert.Equal("from Brandung", window.Text(".ring-name"));
        window.Press("#see-on-plan");
        window.Until(() => window.Has(".room-way.circling"), "the circuit on the plan");
        window.Driver.Navigate().Back();
        window.Until(() => window.Has("#remedy-0"), "the remedies");
        // The page was loaded anew: keys are taken as soon as its scripts run.
        window.AwaitLive();
        window.Press("#remedy-0");
        window.Until(() => window.Text("#guard-lamp") == "3 to look at", "no circuit here");
        other.Until(() => other.Text("#guard-lamp") == "3 to look at", "no circuit in the other window");
        window.Until(() => !window.Text(".finding-list").Contains("Endless", StringComparison.Ordinal), "the finding gone");
        window.Key("u");
        window.Until(() => window.Text("#guard-lamp") == "1 circuit open", "open again here");
        other.Until(() => other.Text("#guard-lamp") == "1 circuit open", "open again in the other window");
        // Another finding by one press, and a reload shows the same.
        window.Until(() => window.Has(".finding.doubled"), "the double in the list");
        window.Press(".finding.doubled");
        window.Until(() => window.Has(".two-ways"), "both ways of the double");
        window.Driver.Navigate().Refresh();
        window.Until(() => window.Has(".two-ways"), "the same after a reload");
    }

    [Fact]
    public async Task A_route_that_would_open_a_circuit_says_so_where_it_is_laid_and_o_decides()
    {
        await using var house = await House.Open();
        window.Go(house, "/plan");
        foreach (var name in new[] { "loop a", "loop b" })
            await house.Post("/gear?handler=Add", ("name", name));
        await house.Post("/plan?handler=Lay", ("from", house.From("Amsel 61")), ("to", house.To("loop a")));
        await house.Post("/plan?handler=Lay", ("from", house.From("loop a")), ("to", house.To("loop b")));
        window.Go(house, "/plan");
        window.Press($"#plate-{house.From("loop b")}");
        window.Press($"#plate-{house.To("loop a")}");
        window.Until(
            () => window.Text("#notice-text").Contains("loop b → loop a waits, switched off", StringComparison.Ordinal),
            "that it waits"
        );
        window.Press("#notice-away");
        window.Until(() => !window.Find("#notice").Displayed, "put away");
        Assert.DoesNotContain("circuit", window.Text("#guard-lamp"), StringComparison.Ordinal);
        window.Key("o");
        window.Until(() => window.Text("#plan-say").Contains("Do it once more", StringComparison.Ordinal), "asked back");
        window.Key("o");
        window.Until(() => window.Text("#guard-lamp") == "1 circuit open", "open, since it was meant");
        Assert.True(house.Route("loop b", "loop a").On);
    }

    [Fact]
    public async Task What_the_guard_stops_is_told_by_Checks_and_Tonight_while_they_are_open()
    {
        await using var house = await House.Open(dome: true);
        using var other = new Window();
        var echo = house.Device("Brandung").InnerPaths.Single(path => path.Name == "sequencer page");
        Assert.Null(house.Desk.Apply(new SwitchInnerPath(house.Device("Brandung").Id, echo.Id, false)).Problem);
        window.Go(house, "/checks");
        other.Go(house, "/tonight");
        Assert.False(window.Has("#guard"));
        // Nobody told the plan.
        house.StandIn("Brandung").Switch("sequencer page", true);
        house.StandIn("Bandhaus").Switch("track 4", true);
        house.StandIn("Amsel 61").Player!.Press("test", 72, 100);
        window.Until(() => window.Has("#guard #resume") && window.Has("#learn-0"), "what was stopped, and what it learned");
        other.Until(() => other.Text(".tonight-lamp").Contains("stopped", StringComparison.Ordinal), "it on Tonight");
        house.StandIn("Amsel 61").Player!.Release("test", 72);
        house.StandIn("Brandung").Switch("sequencer page", false);
        window.Press("#resume");
        window.Until(() => !window.Has("#guard"), "it runs again");
        other.Until(() => !other.Text(".tonight-lamp").Contains("stopped", StringComparison.Ordinal), "nothing is stopped");
    }
}
