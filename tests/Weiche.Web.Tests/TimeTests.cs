using System.Net;
using Weiche.Core.Live;
using Weiche.Core.Midi;
using Weiche.Core.Studios;
using Weiche.Web.Live;

namespace Weiche.Web.Tests;

/// <summary>Time on its page and in the head: who keeps it, where it goes, started and stopped; what cannot be is said and changes
/// nothing.</summary>
public class TimeTests
{
    [Fact]
    public async Task The_page_shows_who_keeps_the_time_and_where_it_goes_and_the_head_says_it_everywhere()
    {
        await using var house = await House.Open(dome: true);
        var page = await house.Get("/time");
        Assert.Equal(["Uhrwerk", "Weiche"], page.QuerySelectorAll(".clock-name b").Select(name => name.TextContent));
        Assert.Equal(["Himmel", "Bandhaus"], page.QuerySelectorAll(".follower.on .follower-name").Select(name => name.TextContent));
        Assert.Equal("true", page.QuerySelector("#master-own")!.GetAttribute("aria-pressed"));
        foreach (var path in new[] { "/plan", "/gear", "/checks", "/takes" })
            Assert.Equal("waits", (await house.Get(path)).QuerySelector("#time-lamp [data-place]")!.TextContent);
        // Where nobody keeps the time nothing is shown but that.
        await using var small = await House.Open();
        Assert.Equal("no clock", (await small.Get("/plan")).QuerySelector("#time-lamp")!.TextContent.Trim());
        Assert.NotNull((await small.Get("/time")).QuerySelector("#master-0"));
    }

    [Fact]
    public async Task A_master_is_made_in_the_lineup_that_has_its_own_and_everything_starts_and_stops()
    {
        await using var house = await House.Open(dome: true);
        await house.Post("/time?handler=Master", ("clock", 0));
        Assert.Equal(ClockMaster.Own, house.Studio.Lineups[1].Master);
        var (status, _) = await house.Post("/time?handler=Work", ("what", "StartOrStop"));
        Assert.Equal(HttpStatusCode.NoContent, status);
        await House.Until(() => house.Desk.Junction.Time.IsPlaying, "that it runs");
        await House.Until(
            () => house.StandIn("Bandhaus").Listener!.Heard.Beat >= 1 && house.StandIn("Himmel").Listener!.Heard.Beat >= 1,
            "that both follow"
        );
        await house.Post("/time?handler=Work", ("what", "Stop"));
        await House.Until(
            () => house.StandIn("Bandhaus").Listener!.Heard.Beat is null && house.StandIn("Himmel").Listener!.Heard.Beat is null,
            "that both stand still"
        );
        // Entered, another lineup brings its own tempo.
        await house.Post("/lineups?handler=Step", ("by", 1));
        await House.Until(() => house.Desk.Junction.Time.Tempo.Hundredths == 7_200, "the tempo of Dawn");
        await house.Post("/time?handler=Scope", ("own", "true"));
        Assert.Equal(ClockMaster.Own, house.Studio.Lineups[2].Master);
        await house.Post("/time?handler=Scope", ("own", "false"));
        Assert.Null(house.Studio.Lineups[2].Master);
    }

    [Fact]
    public async Task A_tempo_is_written_down_where_it_belongs_and_one_that_is_none_is_refused()
    {
        await using var house = await House.Open(dome: true);
        await house.Post("/time?handler=Tempo", ("tempo", "92,35"));
        Assert.Equal(9_235, house.Studio.Time.Tempo.Hundredths);
        await house.Post("/time?handler=TempoScope", ("own", "true"));
        await house.Post("/time?handler=Tempo", ("tempo", "100"));
        Assert.Equal((9_235, 10_000), (house.Studio.Time.Tempo.Hundredths, house.Studio.Lineups[1].Tempo!.Value.Hundredths));
        foreach (var typed in new[] { "0", "1000", "fast", "" })
        {
            var (status, page) = await house.Post("/time?handler=Tempo", ("tempo", typed));
            Assert.Equal(HttpStatusCode.UnprocessableEntity, status);
            Assert.NotEmpty(page.QuerySelector(".time-say")!.TextContent.Trim());
        }
        Assert.Equal(10_000, house.Desk.Junction.Time.Tempo.Hundredths);
        Assert.Equal(HttpStatusCode.UnprocessableEntity, (await house.Post("/time?handler=Bar", ("bar", "4/5"))).Status);
        await house.Post("/time?handler=Bar", ("bar", "7/8"));
        Assert.Equal("7/8", house.Studio.Time.Bar.ToString());
    }

    [Fact]
    public async Task Who_follows_is_set_in_its_row_and_what_cannot_be_offers_what_can()
    {
        await using var house = await House.Open(dome: true);
        var zinn = house.Studio.Destinations.First(port => port.Name == "Zinn").Id;
        await house.Post("/time?handler=Follow", ("to", zinn), ("form", "AsItCame"));
        Assert.Equal(new Follower(zinn, ClockForm.AsItCame, true, default), house.Studio.Time.Of(zinn));
        var (status, page) = await house.Post("/time?handler=Follow", ("to", zinn), ("offset", "−12"));
        Assert.Equal(HttpStatusCode.UnprocessableEntity, status);
        Assert.Contains("Steady it", page.QuerySelector(".time-say")!.TextContent, StringComparison.Ordinal);
        await house.Post("/time?handler=Follow", ("to", zinn), ("form", "Steadied"), ("offset", "-12"));
        Assert.Equal(-12_000, house.Studio.Time.Of(zinn)!.Offset.Microseconds);
        foreach (var offset in new[] { "soon", "9999999", "500" })
            Assert.Equal(
                HttpStatusCode.UnprocessableEntity,
                (await house.Post("/time?handler=Follow", ("to", zinn), ("offset", offset))).Status
            );
        await house.Post("/time?handler=Follow", ("to", zinn), ("form", "None"));
        Assert.Null(house.Studio.Time.Of(zinn));
        Assert.Equal(HttpStatusCode.UnprocessableEntity, (await house.Post("/time?handler=InStep", ("to", zinn))).Status);
        Assert.Equal(
            HttpStatusCode.UnprocessableEntity,
            (await house.Post("/time?handler=Follow", ("to", 99_999), ("form", "Steadied"))).Status
        );
        Assert.Equal(HttpStatusCode.UnprocessableEntity, (await house.Post("/time?handler=Work", ("what", "Fly"))).Status);
    }

    [Fact]
    public async Task A_virtual_port_follows_for_the_program_that_listens_to_it_and_is_no_clock_of_its_own()
    {
        await using var house = await House.Open();
        Assert.Contains(
            "stands here as soon as it is heard",
            (await house.Get("/time")).QuerySelector("main")!.TextContent,
            StringComparison.Ordinal
        );
        await house.Post("/gear?handler=Add", ("name", "to the program"));
        var device = house.Studio.Devices.Single(each => each.Name == "to the program");
        var (source, to) = (device.FirstPort(PortDirection.Source)!.Value, device.FirstPort(PortDirection.Destination)!.Value);
        var page = await house.Get("/time?all=1");
        Assert.Equal("to the program", page.QuerySelector($"[data-follower='{to}'] .follower-name")!.TextContent);
        await house.Post("/time?handler=Master", ("clock", "0"));
        await house.Post("/time?handler=Follow", ("to", to), ("form", "Steadied"));
        await House.Until(
            () => house.Desk.Junction.Compiled.Meter(source)!.CountOf(MessageKind.Clock) > 24,
            "that the clock comes out of the virtual port"
        );
        page = await house.Get("/time");
        Assert.Null(page.QuerySelector($"[data-clock='{source}']"));
        var frame = ClocksFrame.Of(house.Desk, new TimeReport());
        Assert.DoesNotContain(frame.Clocks, clock => clock.Id == source.Value);
        // Made master it would follow itself.
        await house.Post("/time?handler=Master", ("clock", source));
        await House.Until(() => !house.Desk.State.IsLooking, "that the checks are done");
        Assert.Contains(house.Desk.State.Findings, found => found.Finding.Title.Contains("in a circle", StringComparison.Ordinal));
    }

    [Fact]
    public async Task A_master_that_is_silent_is_said_to_be_and_what_is_pressed_begins_with_it()
    {
        await using var house = await House.Open(dome: true);
        await house.Post("/time?handler=Work", ("what", "Start"));
        Assert.Equal((TimeState.Silent, true), (house.Desk.Junction.Time.State, house.Desk.Junction.Time.Begins));
        house.StandIn("Uhrwerk").Switch("running", true);
        await House.Until(() => house.Desk.Junction.Time is { State: TimeState.Running, IsPlaying: true }, "that it runs");
        await House.Until(() => house.Desk.Junction.Time.Bpm is > 94 and < 98, "its tempo");
        // Pulled out, it is lost at once; plugged in again it is taken up.
        house.Desk.StandIns.Room!.Plug("weiher-4x4", null);
        await House.Until(() => house.Desk.Junction.Time.State == TimeState.Silent, "that it is lost");
        house.Desk.StandIns.Room!.Plug("weiher-4x4", "socket 1");
        await House.Until(() => house.Desk.Junction.Time.State == TimeState.Running, "that it is back");
    }
}
