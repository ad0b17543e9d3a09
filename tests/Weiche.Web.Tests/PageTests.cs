using System.Net;
using System.Text.RegularExpressions;
using Weiche.Core.Midi;
using Weiche.Core.Stages;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;

namespace Weiche.Web.Tests;

/// <summary>The pages without a browser: what they show, what they refuse, what they keep.</summary>
public sealed partial class PageTests
{
    /// <summary>The pages in the head, by path.</summary>
    public static TheoryData<string, string> InTheHead { get; } =
        new()
        {
            { "/gear", "Gear" },
            { "/plan", "Plan" },
            { "/watch", "Watch" },
            { "/checks", "Checks" },
            { "/lineups", "Lineups" },
            { "/takes", "Takes" },
        };

    [Theory]
    [MemberData(nameof(InTheHead))]
    public async Task Every_page_has_its_title_one_main_landmark_and_its_place_in_the_head(string path, string name)
    {
        await using var house = await House.Open();
        var page = await house.Get(path);
        Assert.Equal($"{name} – Weiche", page.Title);
        Assert.Single(page.QuerySelectorAll("main"));
        Assert.Single(page.QuerySelectorAll("h1"));
        Assert.Equal(name, page.QuerySelector("nav a[aria-current=page]")!.TextContent);
        Assert.Equal(InTheHead.Count, page.QuerySelectorAll("header nav a").Length);
    }

    [Fact]
    public async Task Weiche_opens_on_its_plan_and_says_where_there_is_nothing()
    {
        await using var house = await House.Open();
        using var answer = await house.Client.GetAsync("/");
        Assert.Equal("/plan", answer.Headers.Location!.ToString());
        var lost = await house.Get("/nowhere", HttpStatusCode.NotFound);
        Assert.Equal("There is no such page", lost.QuerySelector("h1")!.TextContent);
    }

    [Fact]
    public async Task No_page_has_the_system_watch_a_file()
    {
        await using var house = await House.Open();
        await house.Get("/plan");
        await house.Get("/gear");
        var watchers = Directory
            .GetFiles("/proc/self/fd")
            .Count(fd => new FileInfo(fd).LinkTarget?.Contains("inotify", StringComparison.Ordinal) == true);
        Assert.Equal(0, watchers);
    }

    [Theory]
    [InlineData("/gear/cabling", "/gear")]
    [InlineData("/gear/files", "/gear")]
    [InlineData("/plan/stages", "/plan")]
    [InlineData("/plan/stages?handler=Nothing", "/plan")]
    public async Task What_only_takes_edits_leads_to_the_page_that_shows_them(string address, string page)
    {
        await using var house = await House.Open();
        using var answer = await house.Client.GetAsync(address);
        Assert.Equal((HttpStatusCode.Found, page), (answer.StatusCode, answer.Headers.Location!.OriginalString));
        await house.Get(page);
    }

    [Theory]
    [InlineData("/plan")]
    [InlineData("/plan/stages")]
    [InlineData("/gear")]
    [InlineData("/gear/cabling")]
    [InlineData("/gear/files")]
    [InlineData("/watch")]
    [InlineData("/checks")]
    [InlineData("/lineups")]
    [InlineData("/takes")]
    [InlineData("/history")]
    [InlineData("/studio")]
    public async Task What_is_posted_to_nothing_is_not_found_and_changes_nothing(string page)
    {
        await using var house = await House.Open();
        var before = house.Desk.State;
        foreach (var address in new[] { page, page + "?handler=Nothing" })
            Assert.Equal(HttpStatusCode.NotFound, (await house.Post(address)).Status);
        Assert.Same(before, house.Desk.State);
    }

    [Fact]
    public async Task Gear_shows_the_stand_ins_with_their_ports_and_the_virtual_ports()
    {
        await using var house = await House.Open();
        var text = Flat((await house.Get("/gear")).Body!.TextContent);
        foreach (
            var label in (string[])
                ["from Amsel 61", "from Tritt 13", "from Brandung", "to Brandung", "to Himmel", "to keys to stars", "from Bandhaus line"]
        )
            Assert.Contains(label, text, StringComparison.Ordinal);
    }

    [Fact]
    public async Task A_virtual_port_is_made_renamed_switched_and_removed_and_is_there_again_after_a_restart()
    {
        var folder = House.FreshFolder();
        await using (var house = await House.Open(folder))
        {
            var (status, page) = await house.Post("/gear?handler=Add", ("name", " pads to  stars "));
            Assert.Equal(HttpStatusCode.OK, status);
            Assert.Equal("pads to stars", page.QuerySelector(".drawer h2")!.TextContent);
            var device = house.Device("pads to stars");
            await house.Post("/gear?handler=Rename", ("device", device.Id), ("name", "pads to sky"));
            await house.Post("/gear?handler=Switch", ("port", device.Ports[0].Id), ("on", "false"));
            await house.Post("/gear?handler=Add", ("name", "for a moment"));
            await house.Post("/gear?handler=Remove", ("device", house.Device("for a moment").Id));
        }
        await using var again = await House.Open(folder);
        again.TakesItsFolderAlong();
        Assert.DoesNotContain(again.Studio.Devices, device => device.Name == "for a moment");
        Assert.Equal([false, true], again.Device("pads to sky").Ports.Select(port => port.On));
        Assert.Contains("pads to sky", (await again.Get("/gear")).Body!.TextContent, StringComparison.Ordinal);
    }

    [Theory]
    [InlineData("", "at least one character")]
    [InlineData("<script>alert(1)</script>", "cannot contain")]
    [InlineData("brandung", "already something called “Brandung”")]
    [InlineData("0123456789012345678901234567890123456789x", "at most 40")]
    public async Task A_name_that_cannot_be_is_refused_beside_its_field_and_nothing_is_changed(string name, string reason)
    {
        await using var house = await House.Open();
        var before = house.Desk.State;
        var (status, page) = await house.Post("/gear?handler=Add", ("name", name));
        Assert.Equal(HttpStatusCode.UnprocessableEntity, status);
        Assert.Contains(reason, page.QuerySelector("#add-problem")!.TextContent, StringComparison.Ordinal);
        Assert.Equal(name, page.QuerySelector("#add-name")!.GetAttribute("value") ?? "");
        (status, page) = await house.Post("/gear?handler=Rename", ("device", house.Device("Himmel").Id), ("name", name));
        Assert.Equal(HttpStatusCode.UnprocessableEntity, status);
        Assert.Contains(reason, page.QuerySelector("#name-problem")!.TextContent, StringComparison.Ordinal);
        Assert.Same(before, house.Desk.State);
    }

    [Fact]
    public async Task Plan_draws_every_route_with_its_stages_as_signs()
    {
        await using var house = await House.Open();
        var page = await house.Get("/plan");
        Assert.Equal(house.Studio.Routes.Length, page.QuerySelectorAll("a.route").Length);
        Assert.Equal(
            ["no sensing", "ch 2 → 3"],
            page.QuerySelectorAll($"#track-{house.Route("Tritt 13", "Brandung").Id} .sign text").Select(text => text.TextContent)
        );
        Assert.Equal(house.Studio.Sources.Count() + 1, page.QuerySelectorAll("[data-side=source]").Length);
        Assert.Equal("off", page.QuerySelector($"#track-{house.Route("Tritt 13", "Himmel").Id} .count")!.TextContent);
    }

    [Fact]
    public async Task A_route_is_laid_switched_and_removed()
    {
        await using var house = await House.Open();
        var (status, page) = await house.Post("/plan?handler=Lay", ("from", house.From("Amsel 61")), ("to", house.To("Himmel")));
        Assert.Equal(HttpStatusCode.OK, status);
        var route = house.Route("Amsel 61", "Himmel");
        Assert.Equal(route.Id.ToString(), page.QuerySelector("#fragment")!.GetAttribute("data-route"));
        await house.Post("/plan?handler=Switch", ("route", route.Id), ("on", "false"));
        Assert.False(house.Route("Amsel 61", "Himmel").On);
        (_, page) = await house.Post("/plan?handler=Remove", ("route", route.Id));
        Assert.Null(page.QuerySelector($"#track-{route.Id}"));
        Assert.Null(house.Studio.FindRoute(route.Id));
    }

    [Fact]
    public async Task A_route_that_cannot_be_is_refused_with_a_sentence_and_nothing_is_changed()
    {
        await using var house = await House.Open();
        var gone = house.From("Bandhaus line");
        await house.Post("/gear?handler=Remove", ("device", house.Device("Bandhaus line").Id));
        var before = house.Desk.State;
        await Refused("already", ("from", house.From("Amsel 61")), ("to", house.To("Brandung")));
        await Refused("itself", ("from", house.From("keys to stars")), ("to", house.To("keys to stars")));
        await Refused("gone", ("from", gone), ("to", house.To("Himmel")));
        await Refused("gone", ("from", 0), ("to", -7));
        var (status, page) = await house.Post("/plan?handler=Remove", ("route", 9999));
        Assert.Equal(HttpStatusCode.UnprocessableEntity, status);
        Assert.Contains("gone already", page.QuerySelector("#plan-say")!.TextContent, StringComparison.Ordinal);
        Assert.Same(before, house.Desk.State);

        async Task Refused(string reason, params (string, object)[] values)
        {
            var (refused, answer) = await house.Post("/plan?handler=Lay", values);
            Assert.Equal(HttpStatusCode.UnprocessableEntity, refused);
            Assert.Contains(reason, answer.QuerySelector("[role=alert]")!.TextContent, StringComparison.Ordinal);
        }
    }

    [Fact]
    public async Task A_route_is_found_and_laid_by_a_few_letters()
    {
        await using var house = await House.Open();
        var matches = await house.Get("/plan?handler=Find&q=am%20him");
        Assert.Contains("Amsel 61", matches.QuerySelector(".match")!.TextContent, StringComparison.Ordinal);
        var (status, _) = await house.Post("/plan?handler=Letters", ("q", "am him"));
        Assert.Equal(HttpStatusCode.OK, status);
        Assert.True(house.Route("Amsel 61", "Himmel").On);
        (status, var page) = await house.Post("/plan?handler=Letters", ("q", "xyz"));
        Assert.Equal(HttpStatusCode.UnprocessableEntity, status);
        Assert.Contains("“xyz”", page.QuerySelector("#plan-say")!.TextContent, StringComparison.Ordinal);
    }

    [Fact]
    public async Task Stages_are_put_on_set_and_taken_off_in_the_drawer()
    {
        await using var house = await House.Open();
        var id = house.Route("Amsel 61", "keys to stars").Id;
        await house.Post("/plan/stages?handler=AddStage", ("route", id), ("name", "Channels"));
        await house.Post("/plan/stages?handler=Channel", ("route", id), ("stage", 1), ("from", 1), ("to", 5));
        await house.Post("/plan/stages?handler=Channel", ("route", id), ("stage", 1), ("from", 1), ("to", 6), ("also", "true"));
        Assert.Equal("1→5+6", Map(house, id)[..5]);
        await house.Post("/plan/stages?handler=Channel", ("route", id), ("stage", 1), ("from", 1), ("to", 5));
        Assert.Equal("1→6", Map(house, id)[..3]);
        var (_, page) = await house.Post("/plan/stages?handler=Channels", ("route", id), ("stage", 1), ("map", "1-2→4"));
        Assert.Equal("1→4, 2→4", Map(house, id));
        Assert.Equal(["notes", "ch 1 → 4, 2 → 4"], page.QuerySelectorAll($"#track-{id} .sign text").Select(text => text.TextContent));
        await house.Post("/plan/stages?handler=Kind", ("route", id), ("stage", 0), ("kind", "PitchBend"), ("pass", "true"));
        Assert.Equal(
            KindSet.Of(MessageKind.Note, MessageKind.PitchBend),
            Assert.IsType<KindsStage>(house.Studio.FindRoute(id)!.Stages[0]).Passing
        );
        await house.Post("/plan/stages?handler=Kind", ("route", id), ("stage", 0), ("pass", "false"));
        Assert.Equal(KindSet.None, Assert.IsType<KindsStage>(house.Studio.FindRoute(id)!.Stages[0]).Passing);
        await house.Post("/plan/stages?handler=RemoveStage", ("route", id), ("stage", 0), ("name", "Kinds"));
        Assert.IsType<ChannelsStage>(Assert.Single(house.Studio.FindRoute(id)!.Stages));
    }

    [Fact]
    public async Task A_stage_that_cannot_be_set_so_is_refused_with_a_sentence_and_nothing_is_changed()
    {
        await using var house = await House.Open();
        var id = house.Route("Amsel 61", "Brandung").Id;
        var before = house.Desk.State;
        (string Handler, (string, object)[] Values, string Reason)[] wrong =
        [
            ("Channels", [("stage", 0), ("map", "17")], "no channel 17"),
            ("Channels", [("stage", 0), ("map", "8-5")], "upside down"),
            ("Channels", [("stage", 7), ("map", "1")], "not there any more"),
            ("Channel", [("stage", 0), ("from", 0), ("to", 17)], "from 1 to 16"),
            ("Kind", [("stage", 0), ("kind", "Note"), ("pass", "true")], "not there any more"),
            ("RemoveStage", [("stage", 0), ("name", "Kinds")], "not there any more"),
            ("AddStage", [("name", "Teleport")], "no such stage"),
        ];
        foreach (var (handler, values, reason) in wrong)
        {
            var (status, page) = await house.Post($"/plan/stages?handler={handler}", [("route", id), .. values]);
            Assert.Equal(HttpStatusCode.UnprocessableEntity, status);
            Assert.Contains(reason, page.QuerySelector("[role=alert]")!.TextContent, StringComparison.Ordinal);
        }
        Assert.Same(before, house.Desk.State);
    }

    [Theory]
    [InlineData("Keys", "rule", "C1 – B2", "C1 – B2")]
    [InlineData("Transpose", "semitones", "-12", "−12")]
    [InlineData("Controllers", "rule", "1→bend, others stop", "cc 1 → bend")]
    [InlineData("Programs", "rule", "1→5 bank 128", "prog 1 → 5")]
    [InlineData("Chord", "rule", "0 4 7", "chord 0 +4 +7")]
    [InlineData("Thin", "perSecond", "50", "≤ 50/s")]
    public async Task Every_stage_is_put_on_and_set_as_it_is_typed(string name, string field, string typed, string sign)
    {
        await using var house = await House.Open();
        var id = house.Route("keys to stars", "Himmel").Id;
        await house.Post("/plan/stages?handler=AddStage", ("route", id), ("name", name));
        var (status, page) = await house.Post("/plan/stages?handler=Set", ("route", id), ("stage", 1), ("name", name), (field, typed));
        Assert.Equal(HttpStatusCode.OK, status);
        Assert.Equal(sign, page.QuerySelectorAll($"#track-{id} .sign text")[^1].TextContent);
        (status, page) = await house.Post("/plan/stages?handler=Set", ("route", id), ("stage", 1), ("name", name), (field, "upside down"));
        Assert.Equal(HttpStatusCode.UnprocessableEntity, status);
        Assert.NotEqual("", page.QuerySelector(".stage [role=alert]")!.TextContent);
        Assert.Equal(sign, house.Studio.FindRoute(id)!.Stages[1].Sign(KeyNaming.Usual));
        await house.Post("/plan/stages?handler=MoveStage", ("route", id), ("stage", 1), ("by", -1));
        Assert.Equal(name, house.Studio.FindRoute(id)!.Stages[0].Name);
    }

    [Fact]
    public async Task Velocities_are_set_and_a_range_upside_down_is_refused()
    {
        await using var house = await House.Open();
        var id = house.Route("keys to stars", "Himmel").Id;
        await house.Post("/plan/stages?handler=AddStage", ("route", id), ("name", "Velocity"));
        (string, object)[] rest = [("scale", 80), ("offset", 5), ("curve", 0)];
        await house.Post(
            "/plan/stages?handler=Set",
            [("route", id), ("stage", 1), ("name", "Velocity"), ("low", 20), ("high", 100), .. rest]
        );
        Assert.Equal(new VelocityStage(20, 100, 80, 5), house.Studio.FindRoute(id)!.Stages[1]);
        var (status, _) = await house.Post(
            "/plan/stages?handler=Set",
            [("route", id), ("stage", 1), ("name", "Velocity"), ("low", 100), ("high", 20), .. rest]
        );
        Assert.Equal(HttpStatusCode.UnprocessableEntity, status);
    }

    [Fact]
    public async Task A_route_is_soloed_diverted_moved_and_laid_from_any_source_with_exceptions()
    {
        await using var house = await House.Open();
        await house.Post("/plan?handler=Lay", ("from", "any"), ("to", house.To("Bandhaus line")));
        var any = house.Studio.Routes[^1];
        var (_, page) = await house.Post("/plan?handler=Except", ("route", any.Id), ("port", house.From("Tritt 13")), ("take", "false"));
        Assert.Equal("false", page.QuerySelector($"#take-{house.From("Tritt 13")}")!.GetAttribute("aria-pressed"));
        Assert.DoesNotContain(house.Studio.SourcesOf(house.Studio.Routes[^1]), source =>
            source.Device.Name is "Tritt 13" or "Bandhaus line"
        );
        await house.Post("/plan?handler=Solo", ("route", any.Id), ("on", "true"));
        await house.Post("/plan?handler=Divert", ("route", any.Id), ("on", "true"));
        await house.Post("/plan?handler=Move", ("route", any.Id), ("by", -99));
        Assert.True(house.Studio.Routes[0] is { Solo: true, Divert: true });
        Assert.Contains(
            "solo · diverts",
            (await house.Get("/plan")).QuerySelector($"#track-{any.Id}")!.TextContent,
            StringComparison.Ordinal
        );
        var (status, _) = await house.Post("/plan?handler=Lay", ("from", "nonsense"), ("to", house.To("Himmel")));
        Assert.Equal(HttpStatusCode.UnprocessableEntity, status);
    }

    [Fact]
    public async Task A_group_is_made_filled_used_and_removed()
    {
        await using var house = await House.Open();
        var (status, page) = await house.Post("/gear?handler=AddGroup", ("name", "feet and hands"));
        Assert.Equal(HttpStatusCode.OK, status);
        var group = house.Studio.Groups[0].Id;
        await house.Post("/gear?handler=Member", ("group", group), ("port", house.From("Tritt 13")), ("present", "true"));
        await house.Post("/plan?handler=Lay", ("from", $"group-{group}"), ("to", house.To("Bandhaus line")));
        Assert.Contains("feet and hands", (await house.Get("/plan")).QuerySelector(".tracks")!.TextContent, StringComparison.Ordinal);
        (status, page) = await house.Post("/gear?handler=RemoveGroup", ("group", group));
        Assert.Equal(HttpStatusCode.UnprocessableEntity, status);
        Assert.Contains("in use", page.QuerySelector(".pop-body [role=alert]")!.TextContent, StringComparison.Ordinal);
        (status, _) = await house.Post("/gear?handler=AddGroup", ("name", "Feet and Hands"));
        Assert.Equal(HttpStatusCode.UnprocessableEntity, status);
    }

    [Fact]
    public async Task A_raw_device_is_added_found_missing_with_the_reason_and_removed()
    {
        await using var house = await House.Open();
        var path = Path.Combine(house.Folder, "nowhere");
        var (status, page) = await house.Post("/gear?handler=AddRaw", ("name", "old box"), ("address", path), ("way", "to"));
        Assert.Equal(HttpStatusCode.OK, status);
        Assert.Single(house.Device("old box").Ports);
        await House.Until(
            () => house.Desk.Park.PresenceOf(house.Device("old box").Id) is { Present: false, Reason: "there is no such device file" },
            "missing"
        );
        Assert.Contains(
            "no such device file",
            (await house.Get("/gear")).QuerySelector(".missing-why")!.TextContent,
            StringComparison.Ordinal
        );
        (status, page) = await house.Post("/gear?handler=AddRaw", ("name", "other"), ("address", "relative"), ("way", "both"));
        Assert.Equal(HttpStatusCode.UnprocessableEntity, status);
        Assert.Contains("begins with /", page.QuerySelector("#raw-problem")!.TextContent, StringComparison.Ordinal);
        await house.Post("/gear?handler=Remove", ("device", house.Device("old box").Id));
        Assert.Null(house.Studio.Devices.FirstOrDefault(device => device.Name == "old box"));
    }

    [Fact]
    public async Task A_studio_is_exported_and_imported_whole_and_a_file_that_is_none_changes_nothing()
    {
        await using var house = await House.Open();
        var text = await house.Client.GetStringAsync("/gear/files?handler=Export");
        Assert.Equal(Weiche.Files.StudioJson.Write(house.Studio), text);
        house.Desk.Apply(new AddVirtualPort("later"));
        var (name, id) = (house.Studio.Name, house.Desk.State.StudioId);
        Assert.Equal(HttpStatusCode.NoContent, await Import(text));
        Assert.Equal(name + " 2", house.Studio.Name);
        Assert.Contains(name + " 2", (await house.Get("/gear")).QuerySelector(".studio")!.TextContent, StringComparison.Ordinal);
        Assert.Contains(
            $"“{name}” is in the database as it was",
            (await house.Get("/gear")).QuerySelector("#notice-text")!.TextContent,
            StringComparison.Ordinal
        );
        Assert.Equal(
            ["Amsel 61", "Tritt 13", "Brandung", "Himmel", "keys to stars", "Bandhaus line"],
            house.Studio.Devices.Select(device => device.Name)
        );
        Assert.Equal(["ch 1 → 3"], house.Route("Amsel 61", "Brandung").Stages.Select(stage => stage.Sign(KeyNaming.Usual)));
        house.StandIn("Amsel 61").Player!.Press("me", 60, 96);
        await House.Until(() => house.StandIn("Brandung").Listener!.Heard.Held.Count == 1, "the imported studio playing");
        var before = house.Desk.State;
        Assert.Equal(HttpStatusCode.UnprocessableEntity, await Import("""{"format": 1}"""));
        Assert.Equal(HttpStatusCode.UnprocessableEntity, await Import(""));
        Assert.Same(before, house.Desk.State);
        // The one that was open is as it was left.
        Assert.Null(house.Desk.Open(id));
        Assert.Equal("later", house.Studio.Devices[^1].Name);

        async Task<HttpStatusCode> Import(string file)
        {
            using var request = new HttpRequestMessage(HttpMethod.Post, "/gear/files?handler=Import");
            request.Headers.Add("X-Weiche-Token", House.Token(await house.Get("/gear")));
            request.Headers.Add("HX-Request", "true");
            using var content = new MultipartFormDataContent { { new StringContent(file), "file", "studio.json" } };
            request.Content = content;
            using var answer = await house.Client.SendAsync(request);
            return answer.StatusCode;
        }
    }

    [Fact]
    public async Task An_edit_that_could_not_be_read_again_is_refused_and_the_way_out_works()
    {
        await using var house = await House.Open();
        var text = Weiche
            .Files.StudioJson.Write(house.Studio)
            .Replace($"\"nextId\": {house.Studio.NextId}", "\"nextId\": 999990", StringComparison.Ordinal);
        Assert.Null(house.Desk.Add(Weiche.Files.StudioJson.Read(text).Named("high")));
        var refused = Enumerable
            .Range(0, 20)
            .Select(i => house.Desk.Apply(new AddVirtualPort($"port {i}")).Problem)
            .OfType<Weiche.Core.Studios.Edits.Problem>()
            .ToList();
        Assert.NotEmpty(refused);
        Assert.All(refused, problem => Assert.Contains("Export it and import the file", problem.Sentence, StringComparison.Ordinal));
        Assert.Null(house.Desk.Import(house.Studio));
        Assert.InRange(house.Studio.NextId, 1, 1000);
        Assert.Null(house.Desk.Apply(new AddVirtualPort("one more")).Problem);
    }

    [Fact]
    public async Task A_studio_that_cannot_be_read_leaves_the_others_open_and_offers_its_last_readable_version()
    {
        var folder = House.FreshFolder();
        int id;
        await using (var house = await House.Open(folder))
        {
            id = house.Desk.State.StudioId;
            house.Desk.Add(Studio.Empty("other"));
            house.Desk.Open(id);
            house.Desk.Apply(new AddVirtualPort("good"));
            house.Desk.Apply(new AddVirtualPort("bad"));
        }
        Microsoft.Data.Sqlite.SqliteConnection.ClearAllPools();
        using (
            var connection = new Microsoft.Data.Sqlite.SqliteConnection($"Data Source={Path.Combine(folder, "weiche.db")};Pooling=False")
        )
        {
            connection.Open();
            using var spoil = connection.CreateCommand();
            spoil.CommandText =
                $"UPDATE Versions SET Document = '{{\"format\": 2}}', Base = NULL WHERE StudioId = {id} AND Version = (SELECT "
                + $"MAX(Version) FROM Versions WHERE StudioId = {id})";
            Assert.Equal(1, spoil.ExecuteNonQuery());
        }
        await using (var house = await House.Open(folder))
        {
            Assert.Equal("other", house.Studio.Name);
            Assert.Contains(
                "cannot be read",
                (await house.Get("/plan")).QuerySelector("#notice-text")!.TextContent,
                StringComparison.Ordinal
            );
            var page = await house.Get("/studio");
            Assert.Contains(
                "Its last version that can be read: “Add virtual port good”",
                page.QuerySelector($"#unreadable-{id}")!.TextContent,
                StringComparison.Ordinal
            );
            await house.Post("/studio?handler=OpenReadable", ("id", id));
            Assert.Equal("good", house.Studio.Devices[^1].Name);
            Assert.Contains(
                "What was done after it cannot",
                (await house.Get("/gear")).QuerySelector("#notice-text")!.TextContent,
                StringComparison.Ordinal
            );
            Assert.Null(house.Desk.Apply(new AddVirtualPort("again")).Problem);
        }
        Directory.Delete(folder, recursive: true);
    }

    [Fact]
    public async Task A_value_that_is_none_changes_nothing_wherever_it_is_posted()
    {
        await using var house = await House.Open();
        var before = house.Desk.State;
        var tried = 0;
        foreach (var (address, takes) in house.PostHandlers())
        {
            foreach (var parameter in takes)
            {
                var type = Nullable.GetUnderlyingType(parameter.ParameterType) ?? parameter.ParameterType;
                if (!type.IsEnum && type != typeof(int) && type != typeof(bool))
                    continue;
                foreach (var value in type.IsEnum ? (string[])["Banana", "99"] : ["banana", "1e99", "99999999999"])
                {
                    var (status, page) = await house.Post(address, (parameter.Name!, value));
                    Assert.True(status == HttpStatusCode.UnprocessableEntity, $"{address} took {parameter.Name}={value}: {status}");
                    Assert.Contains(
                        $"“{value}” is not possible as “{parameter.Name}”. Nothing was changed.",
                        page.Body!.TextContent,
                        StringComparison.Ordinal
                    );
                    tried++;
                }
            }
        }
        Assert.InRange(tried, 100, 1000);
        Assert.Same(before, house.Desk.State);
    }

    [Fact]
    public async Task What_is_downloaded_and_shown_is_not_kept_by_the_browser_and_styles_are()
    {
        await using var house = await House.Open();
        foreach (var path in new[] { "/gear/files?handler=Export", "/watch?handler=Csv", "/plan" })
        {
            using var answer = await house.Client.GetAsync(path);
            Assert.True(answer.Headers.CacheControl!.NoStore, path);
        }
        var style = (await house.Get("/plan")).QuerySelector("link[rel=stylesheet]")!.GetAttribute("href")!;
        using var sheet = await house.Client.GetAsync(style);
        Assert.False(sheet.Headers.CacheControl!.NoStore);
        Assert.InRange(sheet.Headers.CacheControl.MaxAge!.Value.TotalDays, 300, 400);
    }

    [Fact]
    public async Task A_place_where_something_is_plugged_in_is_not_taken_from_it_unasked()
    {
        await using var house = await House.Open(dome: true);
        var kies = house.Device("Kies");
        var (status, page) = await house.Post("/gear?handler=AddDevice", ("line", "Pads, pads, on HUB 2, ch 9"));
        Assert.Equal(HttpStatusCode.UnprocessableEntity, status);
        Assert.StartsWith(
            "Kies is plugged in on HUB 2. Is Pads somewhere else?",
            page.QuerySelector("#line-problem")!.TextContent,
            StringComparison.Ordinal
        );
        Assert.Equal(kies, house.Device("Kies"));
        await house.Post(
            "/gear?handler=AddDevice",
            ("line", page.QuerySelector("#line-problem ~ form input[name=line]")!.GetAttribute("value")!)
        );
        Assert.Null(house.Device("Pads").Known);
        Assert.Equal("9", house.Device("Pads").Sends.ToString());
    }

    [Fact]
    public async Task Without_scripts_a_form_answers_with_the_page_anew()
    {
        await using var house = await House.Open();
        var page = await house.Get("/gear");
        using var answer = await house.Client.PostAsync(
            "/gear?handler=Add",
            new FormUrlEncodedContent([
                new("name", "plain"),
                new("__RequestVerificationToken", page.QuerySelector("input[name=__RequestVerificationToken]")!.GetAttribute("value")),
            ])
        );
        Assert.Equal(HttpStatusCode.Redirect, answer.StatusCode);
        Assert.Equal($"/gear?device={house.Device("plain").Id}", answer.Headers.Location!.ToString());
    }

    [Fact]
    public async Task A_change_without_the_pages_token_is_refused()
    {
        await using var house = await House.Open();
        await house.Get("/gear");
        var before = house.Desk.State;
        foreach (var path in (string[])["/gear?handler=Add", "/gear?handler=Remove", "/plan?handler=Lay", "/plan?handler=Remove", "/quiet"])
        {
            using var answer = await house.Client.PostAsync(path, new FormUrlEncodedContent([new("name", "x")]));
            Assert.Equal(HttpStatusCode.BadRequest, answer.StatusCode);
        }
        Assert.Same(before, house.Desk.State);
    }

    [Theory]
    [InlineData("Origin", "http://elsewhere.example")]
    [InlineData("Origin", "null")]
    [InlineData("Sec-Fetch-Site", "cross-site")]
    public async Task A_request_from_another_sites_page_is_refused(string header, string value)
    {
        await using var house = await House.Open();
        foreach (var path in (string[])["/plan", "/live"])
        {
            using var request = new HttpRequestMessage(HttpMethod.Get, path);
            request.Headers.Add(header, value);
            using var answer = await house.Client.SendAsync(request);
            Assert.Equal(HttpStatusCode.Forbidden, answer.StatusCode);
        }
    }

    [Fact]
    public async Task Only_this_machines_names_are_answered_to()
    {
        await using var house = await House.Open();
        using var request = new HttpRequestMessage(HttpMethod.Get, "/plan");
        request.Headers.Host = "studio.example";
        using var answer = await house.Client.SendAsync(request);
        Assert.Equal(HttpStatusCode.BadRequest, answer.StatusCode);
        Assert.Equal(IPAddress.Loopback.ToString(), house.Address.Host);
    }

    [Fact]
    public async Task Pages_carry_a_strict_policy_and_nothing_inline()
    {
        await using var house = await House.Open();
        foreach (var path in (string[])["/gear?device=1", $"/plan?route={house.Route("Tritt 13", "Brandung").Id}", "/watch", "/checks"])
        {
            using var answer = await house.Client.GetAsync(path);
            var policy = Assert.Single(answer.Headers.GetValues("Content-Security-Policy"));
            Assert.Contains("script-src 'self';", policy, StringComparison.Ordinal);
            Assert.DoesNotContain("unsafe", policy, StringComparison.Ordinal);
            var text = await answer.Content.ReadAsStringAsync();
            Assert.DoesNotMatch(Inline(), text);
            Assert.DoesNotContain("https://", text, StringComparison.Ordinal);
        }
    }

    [Fact]
    public async Task Nonsense_in_the_address_shows_the_page_without_it()
    {
        await using var house = await House.Open();
        foreach (var path in (string[])["/plan?route=99999", "/plan?route=x", "/gear?device=-1", "/watch?handler=Lines&after=x"])
            await house.Get(path);
    }

    [GeneratedRegex("<script(?![^>]*src=)|<style|\\son[a-z]+=|\\sstyle=", RegexOptions.IgnoreCase)]
    private static partial Regex Inline();

    [GeneratedRegex(@"\s+")]
    private static partial Regex Blanks();

    private static string Flat(string text) => Blanks().Replace(text, " ");

    private static string Map(House house, RouteId id) =>
        house.Studio.FindRoute(id)!.Stages.OfType<ChannelsStage>().Single().Map.ToString();
}
