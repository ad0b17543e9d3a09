using System.Net;
using AngleSharp.Dom;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;
using Weiche.Web.Live;

namespace Weiche.Web.Tests;

public sealed class WatchTests
{
    [Fact]
    public async Task One_source_or_destination_is_followed_and_words_are_found_anywhere_in_a_line()
    {
        await using var house = await House.Open();
        house.StandIn("Amsel 61").Player!.Press("me", 60, 96);
        house.StandIn("Tritt 13").Player!.Press("me", 40, 90);
        IDocument page = null!;
        for (var i = 0; i < 200 && (page is null || From(page).Count < 3); i++)
        {
            await Task.Delay(10);
            page = await house.Get("/watch");
        }
        Assert.Equal(["Amsel 61", "Tritt 13", "keys to stars"], From(page!).Distinct().Order(StringComparer.Ordinal));
        Assert.Equal(["Tritt 13"], From(await house.Get($"/watch?follow={house.From("Tritt 13")}")));
        Assert.Equal(["keys to stars"], From(await house.Get($"/watch?follow={house.To("Himmel")}")));
        Assert.Equal(["Amsel 61"], From(await house.Get("/watch?q=C3 \"ch 3\"".Replace("\"", "", StringComparison.Ordinal) + " Brandung")));
        var lines = await house.Client.GetStringAsync("/watch?handler=Lines&after=0&q=28 5a");
        Assert.Equal(1, lines.Split("<tr ").Length - 1);
        Assert.Contains("91 28 5A", lines, StringComparison.Ordinal);
        var none = await house.Get("/watch?q=trombone");
        Assert.Contains("has “trombone” in it", none.QuerySelector("#watch-empty")!.TextContent, StringComparison.Ordinal);
        Assert.False(none.QuerySelector("#watch-empty")!.HasAttribute("hidden"));
        Assert.Contains(
            "Nothing has come from Brandung lately",
            (await house.Get($"/watch?follow={house.From("Brandung")}")).QuerySelector("#watch-empty")!.TextContent,
            StringComparison.Ordinal
        );
        Assert.Equal("trombone", none.QuerySelector("#watch-find")!.GetAttribute("value"));

        using var csv = await house.Client.GetAsync("/watch?handler=Csv&q=C3 Brandung");
        Assert.Equal("text/csv", csv.Content.Headers.ContentType!.MediaType);
        var rows = (await csv.Content.ReadAsStringAsync()).Split("\r\n", StringSplitOptions.RemoveEmptyEntries);
        Assert.Equal("Time,From,Message,Bytes,To,Arrived,Became", rows[0]);
        Assert.Contains(rows, row =>
            row.EndsWith("Amsel 61,\"C3 on, 96 · ch 1\",90 3C 60,Brandung,yes,\"C3 on, 96 on ch 3\"", StringComparison.Ordinal)
        );
    }

    [Fact]
    public async Task Clock_and_active_sensing_are_counted_and_become_lines_only_when_asked_for()
    {
        await using var house = await House.Open(dome: true);
        // The pedals send active sensing all the time.
        await House.Until(() => house.Desk.Junction.Compiled.Meter(house.From("Tritt 13"))!.Background > 2, "active sensing");
        Assert.DoesNotContain(From(await house.Get("/watch")), name => name == "Tritt 13");
        var (status, page) = await house.Post("/watch?handler=Background", ("on", "true"));
        Assert.Equal(HttpStatusCode.OK, status);
        Assert.Equal("true", page.QuerySelector("#watch-background")!.GetAttribute("aria-pressed"));
        for (var i = 0; i < 300 && !From(page).Contains("Tritt 13"); i++)
        {
            await Task.Delay(10);
            page = await house.Get("/watch?q=sensing");
        }
        Assert.Contains("Tritt 13", From(page));
        await house.Post("/watch?handler=Background", ("on", "false"));
        var before = house.Desk.Junction.Compiled.Meter(house.From("Tritt 13"))!.Background;
        await Task.Delay(60);
        var newest = (await house.Get("/watch?q=sensing")).QuerySelector("#fragment")!.GetAttribute("data-newest");
        await House.Until(() => house.Desk.Junction.Compiled.Meter(house.From("Tritt 13"))!.Background > before + 2, "more active sensing");
        Assert.DoesNotContain(
            "<tr ",
            await house.Client.GetStringAsync($"/watch?handler=Lines&after={newest}&q=sensing"),
            StringComparison.Ordinal
        );
    }

    [Fact]
    public async Task The_load_of_a_wire_is_what_ran_in_the_last_second_and_the_highest_is_remembered()
    {
        await using var house = await House.Open();
        var meter = new LoadMeter(house.Desk, TimeProvider.System);
        meter.Look();
        var brandung = house.To("Brandung");
        for (var key = 40; key < 50; key++)
        {
            house.StandIn("Amsel 61").Player!.Press("me", key, 96);
            house.StandIn("Amsel 61").Player!.Release("me", key);
        }
        var figures = house.Desk.Junction.Compiled.Meter(house.From("Amsel 61"))!;
        await House.Until(() => figures.Messages == 20, "all of it");
        var bytes = figures.Bytes;
        Assert.True(bytes >= 20 * 3);
        meter.Look();
        Assert.Equal(new WireLoad(bytes, bytes), meter.Of(house.From("Amsel 61")));
        for (var i = 0; i < 5; i++)
            meter.Look();
        Assert.Equal(new WireLoad(0, bytes), meter.Of(house.From("Amsel 61")));
        Assert.Equal(default, meter.Of(new PortId(999)));
        var page = await house.Get("/watch");
        Assert.Equal("3125", page.QuerySelector($"[data-load='{brandung}']")!.GetAttribute("data-capacity"));
        Assert.Null(page.QuerySelector($"[data-load='{house.To("keys to stars")}']")!.GetAttribute("data-capacity"));
    }

    [Fact]
    public async Task The_checks_hear_of_what_was_measured_and_forget_it_with_the_routes()
    {
        await using var house = await House.Open(dome: true);
        var (surface, zinn) = (house.Device("Fächer"), house.To("Zinn"));
        foreach (var kind in surface.SendsKinds.Members)
            house.Desk.Apply(new SetWorstRate(surface.Id, kind, "2"));
        bool IsFull() => house.Desk.State.Report.Findings.Any(finding => finding.Port == zinn);
        Assert.False(IsFull());
        var meter = new LoadMeter(house.Desk, TimeProvider.System);
        meter.Look();
        var figures = house.Desk.Junction.Compiled.Meter(zinn)!;
        for (var i = 0; i < 1_600; i++)
            house.Desk.Junction.Send(zinn, [0x94, (byte)(i / 2 & 0x7F), (byte)(i % 2 == 0 ? 64 : 0)]);
        await House.Until(() => figures.Bytes > 2_900, "the wire to be full for a second");
        for (var i = 0; i < 8; i++)
            meter.Look();
        await House.Until(IsFull, "the checks to hear of it");
        Assert.Contains("measured", (await house.Get($"/checks?finding=wire-{zinn}")).Body!.TextContent, StringComparison.Ordinal);
        // Another route there: what ran before says nothing of it.
        house.Desk.Apply(new SwitchRoute(house.Studio.Routes.First(route => route.To == zinn).Id, false));
        Assert.True(meter.Of(zinn).Highest > 2_900);
        meter.Look();
        Assert.True(meter.Of(zinn).Highest < 2_900);
    }

    [Fact]
    public async Task Keys_that_are_down_are_seen_at_the_source_and_what_is_held_at_the_destination()
    {
        await using var house = await House.Open();
        var (from, to) = (house.From("Amsel 61"), house.To("Brandung"));
        house.StandIn("Amsel 61").Player!.Press("me", 60, 96);
        house.StandIn("Amsel 61").Player!.Press("me", 64, 96);
        await Until(("2 held", "2 held"));
        house.StandIn("Amsel 61").Player!.Release("me", 60);
        await Until(("1 held", "1 held"));
        house.Desk.Apply(new SwitchPort(from, false));
        await Until(("", ""));

        // What a stand-in plays is carried on by threads of its own.
        async Task Until((string, string) held)
        {
            for (var i = 0; i < 500 && await Held() != held; i++)
                await Task.Delay(10);
            Assert.Equal(held, await Held());
        }

        async Task<(string, string)> Held()
        {
            var page = await house.Get("/watch");
            return (
                page.QuerySelector($".held[data-held='{from}']")!.TextContent,
                page.QuerySelector($".held[data-held='{to}']")!.TextContent
            );
        }
    }

    [Fact]
    public async Task The_newest_messages_are_handed_on_once_and_at_most_as_many_as_asked_for()
    {
        await using var house = await House.Open();
        var log = new WatchLog(house.Desk);
        var from = 0L;
        log.Read();
        Assert.Empty(log.Recent(ref from, 10));
        for (var key = 40; key < 72; key++)
            house.StandIn("Amsel 61").Player!.Press("me", key, 96);
        // What a stand-in plays is carried on by threads of its own, and through the virtual port once more.
        await House.Until(
            () =>
            {
                log.Read();
                return log.Newest >= 64;
            },
            "all of it written down"
        );
        var recent = log.Recent(ref from, 10);
        Assert.Equal(10, recent.Count);
        Assert.Empty(log.Recent(ref from, 10));
        Assert.True(log.Newest >= 30);
        Assert.Equal(log.Newest, log.Lines(0, 1).Single().Number);
        Assert.Empty(log.Lines(log.Newest, 10));
    }

    private static List<string> From(IDocument page) => [.. page.QuerySelectorAll("td.from").Select(cell => cell.TextContent)];

    [Theory]
    [InlineData("=1+1")]
    [InlineData("+49")]
    [InlineData("-2")]
    [InlineData("@sum")]
    [InlineData("\t=1")]
    public void A_cell_that_begins_as_a_formula_is_a_text(string name)
    {
        var csv = Weiche.Files.WatchCsv.Write([new("12:00", name, "C3 on", "90 3C 60", "Zinn", "yes", "")]);
        Assert.DoesNotContain($",{name},", csv, StringComparison.Ordinal);
        Assert.Contains("'" + name.Trim(), csv.Replace("\t", "", StringComparison.Ordinal), StringComparison.Ordinal);
    }
}
