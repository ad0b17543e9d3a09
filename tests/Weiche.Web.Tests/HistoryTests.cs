using System.Net;
using Weiche.Core.Stages;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;
using Weiche.Files;

namespace Weiche.Web.Tests;

public sealed class HistoryTests
{
    [Fact]
    public async Task Undo_and_redo_say_what_they_do_and_are_there_after_a_restart()
    {
        var folder = House.FreshFolder();
        await using (var house = await House.Open(folder))
        {
            Assert.Null(house.Desk.State.Undo);
            Assert.Contains("nothing to undo", house.Desk.Undo().Problem!.Sentence, StringComparison.Ordinal);
            house.Desk.Apply(new AddStage(house.Route("Amsel 61", "Brandung").Id, new KeysStage(24, 47)));
            house.Desk.Apply(new SwitchRoute(house.Route("Tritt 13", "Himmel").Id, true));
            Assert.Equal("Switch Tritt 13 → Himmel on", house.Desk.State.Undo);
            Assert.Equal("Switch Tritt 13 → Himmel on", house.Desk.Undo().Done);
            Assert.False(house.Route("Tritt 13", "Himmel").On);
        }
        await using (var again = await House.Open(folder))
        {
            Assert.Equal("Switch Tritt 13 → Himmel on", again.Desk.State.Redo);
            Assert.Equal("Add Keys to Amsel 61 → Brandung", again.Desk.State.Undo);
            again.Desk.Undo();
            Assert.DoesNotContain(again.Route("Amsel 61", "Brandung").Stages, stage => stage is KeysStage);
            again.Desk.Redo();
            again.Desk.Redo();
            Assert.True(again.Route("Tritt 13", "Himmel").On);
            Assert.Null(again.Desk.State.Redo);
            Assert.Contains("nothing to redo", again.Desk.Redo().Problem!.Sentence, StringComparison.Ordinal);
        }
        Directory.Delete(folder, recursive: true);
    }

    [Fact]
    public async Task However_one_goes_back_and_forth_each_version_is_as_it_was()
    {
        var seed = Environment.TickCount;
        var random = new Random(seed);
        await using var house = await House.Open();
        // A model of the history: a tree of documents, and where redo leads from each.
        var documents = new Dictionary<int, string> { [1] = Document(house) };
        var parents = new Dictionary<int, int?> { [1] = null };
        var nexts = new Dictionary<int, int>();
        var (here, newest, highest) = (1, 1, house.Studio.NextId);
        for (var step = 0; step < 150; step++)
        {
            switch (random.Next(5))
            {
                case 0 or 1:
                    var edit =
                        random.Next(3) == 0 && house.Studio.Devices.Length < 20
                            ? (StudioEdit)new AddVirtualPort($"port {step}")
                            : new SwitchRoute(house.Studio.Routes[random.Next(house.Studio.Routes.Length)].Id, random.Next(2) == 0);
                    var result = house.Desk.Apply(edit);
                    Assert.Null(result.Problem);
                    if (result.NewId > 0)
                        Assert.True(result.NewId >= highest, $"The number {result.NewId} was used before (seed {seed}).");
                    highest = Math.Max(highest, house.Studio.NextId);
                    (parents[++newest], nexts[here], here) = (here, newest, newest);
                    documents[here] = Document(house);
                    break;
                case 2:
                    Assert.Equal(parents[here] is null, house.Desk.Undo().Problem is not null);
                    if (parents[here] is { } parent)
                        here = parent;
                    break;
                case 3:
                    Assert.Equal(!nexts.ContainsKey(here), house.Desk.Redo().Problem is not null);
                    if (nexts.TryGetValue(here, out var next))
                        here = next;
                    break;
                default:
                    here = random.Next(1, newest + 1);
                    Assert.Null(house.Desk.GoTo(here));
                    for (var at = here; parents[at] is { } before; at = before)
                        nexts[before] = at;
                    break;
            }
            Assert.True(documents[here] == Document(house), $"Version {here} is not as it was after step {step} (seed {seed}).");
        }
        Assert.NotNull(house.Desk.GoTo(newest + 1));

        // The numbers that are reserved differ; everything else must not.
        static string Document(House house) =>
            System.Text.RegularExpressions.Regex.Replace(StudioJson.Write(house.Studio), "\"nextId\": \\d+", "");
    }

    [Fact]
    public async Task The_history_shows_every_edit_and_goes_back_to_any()
    {
        await using var house = await House.Open();
        var route = house.Route("Amsel 61", "Brandung").Id;
        house.Desk.Apply(new SwitchRoute(route, false));
        house.Desk.Apply(new AddVirtualPort("one"));
        house.Desk.Undo();
        house.Desk.Apply(new AddVirtualPort("two"));
        var page = await house.Get("/history");
        Assert.Equal(
            ["Add virtual port two|now", "Add virtual port one|left aside", "Switch Amsel 61 → Brandung off|", "Begin|"],
            page.QuerySelectorAll(".version")
                .Select(line => $"{line.QuerySelector(".edit")!.TextContent}|{line.QuerySelector(".stand")!.TextContent}")
        );
        var (status, after) = await house.Post("/history?handler=Go", ("version", 1));
        Assert.Equal(HttpStatusCode.OK, status);
        Assert.True(house.Route("Amsel 61", "Brandung").On);
        Assert.Equal("now", after.QuerySelector("#version-1 .stand")!.TextContent);
        Assert.Equal("undone", after.QuerySelector("#version-4 .stand")!.TextContent);
        (status, after) = await house.Post("/history?handler=Go", ("version", 99));
        Assert.Equal(HttpStatusCode.UnprocessableEntity, status);
        Assert.Contains("no such version", after.QuerySelector("[role=alert]")!.TextContent, StringComparison.Ordinal);
    }

    [Fact]
    public async Task A_name_that_another_studio_has_taken_since_is_not_gone_back_to()
    {
        await using var house = await House.Open();
        house.Desk.Apply(new RenameStudio("Werft"));
        var first = house.Desk.State.StudioId;
        Assert.Null(house.Desk.Add(Studio.Empty("Kuppel")));
        house.Desk.Open(first);
        Assert.Contains("already a studio called “Kuppel”", house.Desk.Undo().Problem!.Sentence, StringComparison.Ordinal);
        Assert.Equal("Werft", house.Studio.Name);
    }

    [Fact]
    public async Task Undo_is_pressed_on_any_page()
    {
        await using var house = await House.Open();
        Assert.True((await house.Get("/plan")).QuerySelector("#undo")!.HasAttribute("disabled"));
        house.Desk.Apply(new SetMiddleC(true));
        Assert.Equal("Undo: Middle C is C4 (u)", (await house.Get("/studio")).QuerySelector("#undo")!.GetAttribute("title"));
        Assert.Equal(HttpStatusCode.NoContent, (await house.Post("/history?handler=Undo")).Status);
        Assert.False(house.Studio.MiddleIsC4);
        Assert.Equal(HttpStatusCode.UnprocessableEntity, (await house.Post("/history?handler=Undo")).Status);
    }
}
