using CsCheck;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;
using Weiche.Files;
using static Weiche.Core.Tests.Rooms;
using AnyStage = Weiche.Core.Tests.Stages.AnyStage;

namespace Weiche.Core.Tests.Files;

public class StudioJsonTests
{
    [Fact]
    public void The_demo_studio_comes_back_as_it_was()
    {
        var text = StudioJson.Write(SmallStudio.Create());
        var read = StudioJson.Read(text);
        Assert.Equal(text, StudioJson.Write(read));
        Assert.Equal(
            ["from Amsel 61", "from Tritt 13", "from Brandung", "to Brandung", "to Himmel"],
            read.Ports.Take(5).Select(port => port.Label)
        );
        Assert.Equal(5, read.Routes.Length);
    }

    [Fact]
    public void Every_studio_comes_back_as_it_was()
    {
        Gen.Select(Gen.Int[1, 5], Gen.Select(Gen.Int[0, 6], Gen.Int[0, 4], AnyStage.Any, Gen.Bool).Array[0, 10])
            .Sample(
                (ports, routes) =>
                {
                    var names = Enumerable.Range(0, ports).Select(i => $"Ä “{i}” \\ 🎹").ToArray();
                    var studio = Of(names);
                    foreach (var (from, to, added, on) in routes)
                    {
                        RouteSource source = from switch
                        {
                            6 => AnySource.Plain,
                            5 when studio.Groups.Length > 0 => new GroupSource(studio.Groups[0].Id),
                            _ => studio.From(names[from % ports]),
                        };
                        var result = new LayRoute(source, studio.To(names[to % ports]), Another: true).Apply(studio);
                        if (result.Studio is null)
                            continue;
                        var id = new RouteId(result.NewId);
                        studio = result
                            .Studio.Must(new AddStage(id, added))
                            .Must(new SwitchRoute(id, on))
                            .Must(new SoloRoute(id, !on))
                            .Must(new DivertRoute(id, on));
                        if (new SetExceptions(id, [studio.From(names[0])], false).Apply(studio).Studio is { } excepted)
                            studio = excepted;
                        if (new AddGroup("g").Apply(studio).Studio is { } grouped)
                            studio = grouped.Must(new SetMember(grouped.Groups[0].Id, studio.From(names[0]), true));
                    }
                    var read = StudioJson.Read(StudioJson.Write(studio));
                    Assert.Equal(StudioJson.Write(studio), StudioJson.Write(read));
                    Assert.Equal(studio.NextId, read.NextId);
                    Assert.Equal(studio.Routes.SelectMany(route => route.Stages), read.Routes.SelectMany(route => route.Stages));
                },
                iter: 500
            );
    }

    [Theory]
    [InlineData("", "Line 1")]
    [InlineData("[]", "no “format” number")]
    [InlineData("{\"format\": \"1\"}", "no “format” number")]
    [InlineData("{\"format\": 1.5}", "no “format” number")]
    [InlineData("{\"format\": 4}", "reads up to format 3")]
    [InlineData("{\"format\": 0}", "no studio format 0")]
    [InlineData("{\"format\": 1}", "missing")]
    [InlineData(
        "{\"format\": 1,\n\"name\": \"x\",\n\"nextId\": 1, \"devices\": [], \"routes\": [],\n\"colour\": 1}",
        "Line 4: “colour” is no field that is known"
    )]
    [InlineData("{\"format\": 1, \"name\": \"x\"}", "Line 1: “nextId”, “devices”, “routes” are missing.")]
    [InlineData(
        "{\"format\": 1, \"name\": \"x\", \"nextId\": 1, \"devices\": [null], \"routes\": []}",
        "“devices” has a null in it, at place 1"
    )]
    [InlineData(
        "{\"format\": 1, \"name\": \"x\", \"nextId\": 9, \"devices\": [], \"routes\": [{\"id\": 1, \"any\": {\"except\": [2, "
            + "null], \"ownToo\": true}, \"to\": 3, \"on\": true, \"stages\": []}]}",
        "cannot be the value of routes[0].any.except[1]"
    )]
    [InlineData(
        "{\"format\": 1, \"name\": \"x\", \"name\": \"y\", \"nextId\": 1, \"devices\": [], \"routes\": []}",
        "“name” is there twice"
    )]
    [InlineData(
        "{\"format\": 1, \"name\": \"x\", \"nextId\": \"one\", \"devices\": [], \"routes\": []}",
        "Line 1: what stands there cannot be the value of nextId"
    )]
    [InlineData("{\"format\": 1, \"name\": \"<x>\", \"nextId\": 1, \"devices\": [], \"routes\": []}", "cannot contain <")]
    [InlineData("{\"format\": 1, \"name\": null, \"nextId\": 1, \"devices\": [], \"routes\": []}", "null")]
    [InlineData(
        "{\"format\": 1, \"name\": \"x\", \"nextId\": 9, \"devices\": [], \"routes\": [{\"id\": 1, \"from\": 2, \"to\": 3, \"on\": "
            + "true, \"stages\": []}]}",
        "not a source"
    )]
    public void What_is_not_a_studio_is_refused_with_the_reason(string text, string reason)
    {
        var problem = Assert.Throws<StudioFormatException>(() => StudioJson.Read(text));
        Assert.Contains(reason, problem.Message, StringComparison.Ordinal);
        Assert.DoesNotContain("Weiche.Files", problem.Message, StringComparison.Ordinal);
        Assert.DoesNotContain("System.", problem.Message, StringComparison.Ordinal);
    }

    [Fact]
    public void A_null_in_the_place_of_anything_in_a_list_is_refused()
    {
        var text = StudioJson.Write(DemoStudio.Create());
        // Each item of each list, one after the other: an object that is alone on its lines, or a number.
        var lines = text.Split('\n');
        var places = lines.Index().Where(line => line.Item.Trim() == "{" && line.Index > 0).Select(line => line.Index).ToList();
        Assert.InRange(places.Count, 90, 10_000);
        foreach (var place in places)
        {
            var indent = lines[place].Length - 1;
            var end = Array.FindIndex(lines, place, line => line.Length > indent && line[indent] == '}' && line.Trim() is "}" or "},");
            var broken = string.Join('\n', [.. lines[..place], "null" + (lines[end].EndsWith(',') ? "," : ""), .. lines[(end + 1)..]]);
            Assert.Matches(
                "has a null in it|A stage does not say",
                Assert.Throws<StudioFormatException>(() => StudioJson.Read(broken)).Message
            );
        }
    }

    [Fact]
    public void A_file_is_utf_8_with_or_without_a_mark_and_nothing_else()
    {
        var text = StudioJson.Write(DemoStudio.Create());
        byte[] plain = System.Text.Encoding.UTF8.GetBytes(text);
        Assert.Equal(text, StudioJson.Write(StudioJson.Read(plain)));
        Assert.Equal(text, StudioJson.Write(StudioJson.Read([0xEF, 0xBB, 0xBF, .. plain])));
        var problem = Assert.Throws<StudioFormatException>(() => StudioJson.Read(System.Text.Encoding.Latin1.GetBytes(text)));
        Assert.Contains("It is not UTF-8: the byte", problem.Message, StringComparison.Ordinal);
    }

    [Fact]
    public void A_damaged_text_is_refused_or_read_and_never_breaks_the_reader()
    {
        var text = StudioJson.Write(SmallStudio.Create());
        Gen.Select(Gen.Int[0, text.Length - 1], Gen.Int[0, 40], Gen.OneOf("", "9", "\"", "}", "null", "-1", "[", "\u0000"))
            .Array[1, 4]
            .Sample(
                cuts =>
                {
                    var damaged = text;
                    foreach (var (at, length, with) in cuts)
                    {
                        var start = Math.Min(at, damaged.Length);
                        damaged = damaged[..start] + with + damaged[Math.Min(damaged.Length, start + length)..];
                    }
                    try
                    {
                        StudioJson.Write(StudioJson.Read(damaged));
                    }
                    catch (StudioFormatException)
                    {
                        // Refused with a sentence: that is what is asked for.
                    }
                },
                iter: 3_000
            );
    }
}
