using Microsoft.AspNetCore.SignalR.Client;
using Weiche.Core.Midi;
using Weiche.Core.Studios.Edits;
using Weiche.Ports.StandIns;
using Weiche.Web.Live;

namespace Weiche.Web.Tests;

/// <summary>From a key pressed over the wire of the web to what the stand-ins hold, and what onlookers are told.</summary>
public class LiveTests
{
    [Fact]
    public async Task A_pressed_key_is_held_on_Brandung_and_lights_a_star_until_it_is_let_go()
    {
        await using var house = await House.Open();
        await using var hub = await house.Connect();
        await hub.SendAsync("Press", "amsel-61", 60, 96);
        await House.Until(() => Held(house, "Brandung") is [(60, 96)], "C3 held on Brandung");
        await House.Until(() => Held(house, "Himmel") is [(60, 96)], "C3 lit on Himmel, through the virtual port");
        await hub.SendAsync("Release", "amsel-61", 60);
        await House.Until(() => Held(house, "Brandung").Count == 0 && Held(house, "Himmel").Count == 0, "silence");
    }

    [Fact]
    public async Task Bend_modulation_and_sustain_arrive()
    {
        await using var house = await House.Open();
        await using var hub = await house.Connect();
        const string amsel = "amsel-61";
        await hub.SendAsync("Bend", amsel, 99_999);
        await hub.SendAsync("Control", amsel, 1, 64);
        await hub.SendAsync("Sustain", amsel, true);
        await House.Until(() => HeardBy(house, "Brandung") is { Bend: 8191, Modulation: 64, Sustained: true }, "all three");
        await hub.SendAsync("Press", amsel, 60, 96);
        await hub.SendAsync("Release", amsel, 60);
        await House.Until(() => Held(house, "Himmel").Count == 0 && Held(house, "Brandung") is [(60, 96)], "the pedal holding the note");
        await hub.SendAsync("Sustain", amsel, false);
        await House.Until(() => Held(house, "Brandung").Count == 0, "the note ending with the pedal");
    }

    [Theory]
    [InlineData("route off")]
    [InlineData("route removed")]
    [InlineData("source off")]
    [InlineData("destination off")]
    [InlineData("all notes off")]
    [InlineData("window closed")]
    public async Task Nothing_hangs_however_the_key_is_cut_off(string how)
    {
        await using var house = await House.Open();
        var hub = await house.Connect();
        await hub.SendAsync("Press", "amsel-61", 60, 96);
        await hub.SendAsync("Sustain", "amsel-61", true);
        await House.Until(() => HeardBy(house, "Brandung") is { Held.Count: 1, Sustained: true }, "a held note");
        var route = house.Route("Amsel 61", "Brandung").Id;
        StudioEdit? edit = how switch
        {
            "route off" => new SwitchRoute(route, false),
            "route removed" => new RemoveRoute(route),
            "source off" => new SwitchPort(house.From("Amsel 61"), false),
            "destination off" => new SwitchPort(house.To("Brandung"), false),
            _ => null,
        };
        if (edit is not null)
            Assert.Null(house.Desk.Apply(edit).Problem);
        else if (how == "all notes off")
            await house.Post("/quiet");
        else
            await hub.DisposeAsync();
        await House.Until(() => HeardBy(house, "Brandung") is { Held.Count: 0, Sustained: false }, "silence");
        await hub.DisposeAsync();
    }

    [Fact]
    public async Task A_key_held_from_two_windows_ends_when_the_last_lets_go()
    {
        await using var house = await House.Open();
        await using var one = await house.Connect();
        await using var two = await house.Connect();
        const string amsel = "amsel-61";
        await one.InvokeAsync("Press", amsel, 60, 96);
        await two.InvokeAsync("Press", amsel, 60, 50);
        await one.InvokeAsync("Release", amsel, 60);
        await House.Until(() => Held(house, "Brandung") is [(60, 96)], "held on");
        await two.InvokeAsync("Release", amsel, 60);
        await House.Until(() => Held(house, "Brandung").Count == 0, "let go");
    }

    [Fact]
    public async Task Playing_what_is_not_there_does_nothing()
    {
        await using var house = await House.Open();
        await using var hub = await house.Connect();
        var before = house.Desk.Junction.Compiled.Meter(house.From("Amsel 61"))!.Messages;
        await hub.InvokeAsync("Press", "nobody", 60, 96);
        await hub.InvokeAsync("Press", "himmel", 60, 96);
        await hub.InvokeAsync("Press", "amsel-61", 200, 96);
        await hub.InvokeAsync("Press", "amsel-61", -1, 96);
        await hub.InvokeAsync("Release", "amsel-61", 61);
        Assert.Equal(before, house.Desk.Junction.Compiled.Meter(house.From("Amsel 61"))!.Messages);
    }

    [Fact]
    public async Task Frames_tell_what_ran_what_is_held_and_which_version_is_in_force()
    {
        await using var house = await House.Open();
        await using var hub = await house.Connect();
        using var stop = new CancellationTokenSource(TimeSpan.FromSeconds(30));
        var ports = new HashSet<long>();
        var routes = new HashSet<long>();
        var (held, version, watch) = (0L, 0, 0L);
        await hub.SendAsync("Press", "amsel-61", 60, 96, stop.Token);
        await foreach (var frame in hub.StreamAsync<LampFrame>("Lamps", stop.Token))
        {
            foreach (var port in frame.Ports)
            {
                if (port.Ran)
                    ports.Add(port.Port);
                if (port.Port == house.To("Brandung").Value)
                    held = port.Held;
            }
            foreach (var route in frame.Routes)
                routes.Add(route.Route);
            (version, watch) = (frame.Version, frame.Watch);
            if (ports.Count == 0)
                await hub.SendAsync("Press", "amsel-61", 62 + frame.Version % 20, 96, stop.Token);
            if (
                ports.IsSupersetOf([house.From("Amsel 61").Value, house.To("Brandung").Value])
                && routes.Contains(house.Route("Amsel 61", "Brandung").Id.Value)
                && held > 0
                && watch > 0
            )
                break;
        }
        Assert.Equal(house.Desk.State.Version, version);
    }

    [Fact]
    public async Task A_frame_says_each_thing_once_however_much_ran()
    {
        await using var house = await House.Open();
        var reader = new LampReader();
        var amsel = Instrument(house, "Amsel 61").Player!;
        Next(reader, house);
        for (var i = 0; i < 5_000; i++)
        {
            amsel.Press("me", 60, 96);
            amsel.Release("me", 60);
        }
        var route = house.Route("Amsel 61", "Brandung").Id;
        await House.Until(() => house.Desk.Junction.Compiled.Meter(route)!.Passed == 10_000, "all of it");
        var frame = Next(reader, house)!;
        var ports = frame.Ports.Select(port => port.Port).ToList();
        Assert.Equal(ports.Distinct(), ports);
        Assert.Equal(10_000, Assert.Single(frame.Routes, each => each.Route == route.Value).Passed);
    }

    [Fact]
    public async Task A_browser_that_sleeps_holds_nobody_up()
    {
        await using var house = await House.Open();
        await using var hub = await house.Connect();
        // A stream that nobody reads: its frames pile up at this end of the wire, not in the engine.
        using var stop = new CancellationTokenSource();
        _ = hub.StreamAsync<LampFrame>("Lamps", stop.Token);
        var amsel = Instrument(house, "Amsel 61").Player!;
        for (var i = 0; i < 20_000; i++)
            amsel.Bend(i % 8000);
        amsel.Press("me", 60, 96);
        await House.Until(() => Held(house, "Brandung") is [(60, 96)], "the note, behind twenty thousand bends");
        await stop.CancelAsync();
    }

    [Fact]
    public async Task Watch_has_one_line_for_a_message_with_each_destination_and_why_it_stopped()
    {
        await using var house = await House.Open();
        house.Desk.Apply(new LayRoute(house.From("Amsel 61"), house.To("Himmel")));
        house.Desk.Apply(
            new AddStage(house.Route("Amsel 61", "Himmel").Id, new Weiche.Core.Stages.KindsStage(KindSet.Of(MessageKind.PitchBend)))
        );
        Instrument(house, "Amsel 61").Player!.Press("me", 60, 96);
        var page = await house.Get("/watch");
        for (var i = 0; i < 500 && page.QuerySelectorAll("#watch-lines tr").Length < 2; i++)
        {
            await Task.Delay(10);
            page = await house.Get("/watch");
        }
        var line = page.QuerySelectorAll("#watch-lines tr").Single(row => row.QuerySelector(".from")!.TextContent == "Amsel 61");
        Assert.Equal("C3 on, 96 · ch 1", line.QuerySelector(".words")!.TextContent);
        Assert.Equal("90 3C 60", line.QuerySelector(".bytes")!.TextContent);
        Assert.Equal(
            ["Brandung: C3 on, 96 on ch 3", "Himmel: stopped by Kinds: only pitch bend", "keys to stars: as it came"],
            line.QuerySelectorAll(".ends li")
                .Select(end => $"{end.QuerySelector("b")!.TextContent}: {end.QuerySelector("span")!.TextContent}")
                .Order()
        );
        Assert.DoesNotContain("<tr ", await house.Client.GetStringAsync("/watch?handler=Lines&after=1000000"), StringComparison.Ordinal);
    }

    [Fact]
    public async Task Watch_says_where_a_message_goes_nowhere_and_where_a_port_is_off()
    {
        await using var house = await House.Open();
        Instrument(house, "Brandung").Player!.Press("me", 60, 96);
        house.Desk.Apply(new SwitchPort(house.From("Amsel 61"), false));
        Instrument(house, "Amsel 61").Player!.Press("me", 60, 96);
        house.Desk.Apply(new SwitchPort(house.To("Brandung"), false));
        Instrument(house, "Tritt 13").Player!.Press("me", 40, 96);
        IReadOnlyList<string> words = [];
        var watch = new WatchLog(house.Desk);
        await House.Until(
            () =>
            {
                watch.Read();
                words = [.. watch.Lines(0, 100).SelectMany(line => line.Ends.Select(end => $"{line.From}: {end.Words}"))];
                return words.Any(each => each.StartsWith("Tritt 13", StringComparison.Ordinal));
            },
            "the line of the last one that played"
        );
        Assert.Contains("Brandung: no route leads on from here", words);
        Assert.Contains("Amsel 61: Amsel 61 is switched off", words);
        Assert.Contains("Tritt 13: Brandung is switched off", words);
    }

    [Fact]
    public async Task Ten_thousand_random_bytes_from_a_device_out_of_its_mind_harm_nothing()
    {
        await using var house = await House.Open();
        var random = new Random(2031);
        var bytes = new byte[10_000];
        random.NextBytes(bytes);
        var tritt = Instrument(house, "Tritt 13").Player!;
        foreach (var chunk in bytes.Chunk(37))
            tritt.SendRaw(chunk);
        await house.Post("/quiet");
        tritt.SendRaw([0xF7]);
        Instrument(house, "Amsel 61").Player!.Press("me", 60, 96);
        await House.Until(() => Held(house, "Brandung") is [(60, 96)], "a note as if nothing had been");
        Assert.True(house.Desk.Junction.Compiled.Meter(house.From("Tritt 13"))!.ThrownBytes > 0);
        Assert.Contains((await house.Get("/watch")).QuerySelectorAll(".thrown"), each =>
            each.TextContent.Contains("bytes belong to no message", StringComparison.Ordinal)
        );
        Assert.Contains(
            "bytes belong to no message",
            (await house.Get($"/gear?device={house.Device("Tritt 13").Id}")).QuerySelector(".facts")!.TextContent,
            StringComparison.Ordinal
        );
    }

    [Fact]
    public async Task Edits_from_many_sides_at_once_are_all_made_and_all_kept()
    {
        var folder = House.FreshFolder();
        await using (var house = await House.Open(folder))
        {
            var amsel = Instrument(house, "Amsel 61").Player!;
            await Task.WhenAll(
                Task.Run(() =>
                    Enumerable.Range(0, 20).ToList().ForEach(i => Assert.Null(house.Desk.Apply(new AddVirtualPort($"left {i}")).Problem))
                ),
                Task.Run(() =>
                    Enumerable.Range(0, 20).ToList().ForEach(i => Assert.Null(house.Desk.Apply(new AddVirtualPort($"right {i}")).Problem))
                ),
                Task.Run(() =>
                    Enumerable
                        .Range(0, 2000)
                        .ToList()
                        .ForEach(i => amsel.Press(i.ToString(System.Globalization.CultureInfo.InvariantCulture), 60, 96))
                )
            );
        }
        await using var again = await House.Open(folder);
        again.TakesItsFolderAlong();
        Assert.Equal(
            40,
            again.Studio.Devices.Count(device =>
                device.Name.StartsWith("left", StringComparison.Ordinal) || device.Name.StartsWith("right", StringComparison.Ordinal)
            )
        );
    }

    private static StandIn Instrument(House house, string name) => house.StandIn(name);

    private static Heard HeardBy(House house, string name) => Instrument(house, name).Listener!.Heard;

    private static IReadOnlyList<(int Key, int Velocity)> Held(House house, string name) =>
        [.. HeardBy(house, name).Held.Select(held => (held.Key, held.Velocity))];

    private static LampFrame? Next(LampReader reader, House house) =>
        reader.Next(house.Desk.State.Version, house.Desk.Junction.Compiled, house.Desk.StandIns.All, 0, 0);
}
