using System.Text.Json;
using System.Text.Json.Nodes;
using CsCheck;
using Weiche.Core.Midi;
using Weiche.Core.Stages;
using Weiche.Files;

namespace Weiche.Core.Tests.Stages;

/// <summary>Every sort of stage is described whole: in files, in the docs, in the tests.</summary>
public class StageSortTests
{
    public static TheoryData<string> Names => [.. StageSorts.All.Select(sort => sort.Name)];

    [Fact]
    public void Every_stage_there_is_belongs_to_a_sort_of_the_list()
    {
        var types = typeof(Stage).Assembly.GetTypes().Where(type => type.IsSubclassOf(typeof(Stage)) && type != typeof(OffStage)).ToList();
        Assert.Equal(types.Select(type => type.Name).Order(), StageSorts.All.Select(sort => sort.Fresh.GetType().Name).Order());
        Assert.All(StageSorts.All, sort => Assert.Same(sort, sort.Fresh.Sort));
    }

    [Fact]
    public void Names_words_and_the_words_of_lines_are_each_used_once()
    {
        Assert.Distinct(StageSorts.All.Select(sort => sort.Name));
        Assert.Distinct(StageSorts.All.Select(sort => sort.Word));
        Assert.Distinct(StageSorts.All.SelectMany(sort => sort.LineWords));
    }

    [Theory]
    [MemberData(nameof(Names))]
    public void What_is_written_is_read_from_a_file_and_where_it_is_typed_from_a_line(string name)
    {
        var sort = StageSorts.Named(name)!;
        AnyStage
            .BySort[name]
            .Sample(
                stage =>
                {
                    Assert.Same(sort, stage.Sort);
                    var fields = new StageFields(JsonDocument.Parse(StudioJson.Write(stage)).RootElement, "a stage");
                    Assert.Equal(sort.Word, fields.Text("stage"));
                    Assert.Equal(stage, sort.Read(fields));
                    fields.End();
                    foreach (var names in new[] { KeyNaming.Usual, new KeyNaming(4) })
                    {
                        if (sort.TextOf(stage, names) is not { Length: > 0 } text || stage is ChannelsStage { KeepWhole: true })
                            return;
                        Assert.True(sort.TryRead(text, names, out var read, out var problem), problem);
                        Assert.Equal(stage, read);
                    }
                },
                iter: 300
            );
    }

    [Fact]
    public void The_schema_in_the_docs_says_of_each_what_it_says_itself()
    {
        var schema = JsonNode.Parse(File.ReadAllText(SchemaChecker.PathOf("studio.schema.json")))!["$defs"]!["stage"];
        Assert.True(JsonNode.DeepEquals(JsonNode.Parse(StageSorts.Schema), schema), $"$defs.stage should be: {StageSorts.Schema}");
    }

    [Theory]
    [MemberData(nameof(Names))]
    public void The_description_of_the_format_has_a_row_for_each(string name) =>
        Assert.Contains(
            $"| `{StageSorts.Named(name)!.Word}` |",
            File.ReadAllText(SchemaChecker.PathOf("studio-format.md")),
            StringComparison.Ordinal
        );

    [Theory]
    [InlineData("""{ "stage": "keys", "low": 3 }""", "“high” is missing in a Keys stage.")]
    [InlineData("""{ "stage": "keys", "low": 3, "high": 128 }""", "“high” of a Keys stage is a whole number from 3 to 127.")]
    [InlineData("""{ "stage": "keys", "low": 3, "high": 2.5 }""", "“high” of a Keys stage is a whole number from 3 to 127.")]
    [InlineData("""{ "stage": "keys", "low": 3, "low": 4, "high": 5 }""", "“low” stands twice in a Keys stage.")]
    [InlineData("""{ "stage": "keys", "low": 3, "high": 5, "colour": 1 }""", "There is no “colour” in a Keys stage.")]
    [InlineData("""{ "stage": "keys", "low": 3, "high": 5, "off": 1 }""", "“off” of a Keys stage is true or false.")]
    [InlineData("""{ "stage": "kinds", "pass": ["noise"] }""", "“noise” is no kind of message.")]
    [InlineData("""{ "stage": "kinds", "pass": "note" }""", "“pass” of a Kinds stage is a list.")]
    [InlineData("""{ "stage": "kinds", "pass": [null] }""", "“pass” of a Kinds stage is a list of texts.")]
    [InlineData("""{ "stage": "channels", "map": "17" }""", "A Channels stage: There is no channel 17: channels go from 1 to 16.")]
    [InlineData("""{ "stage": "chord", "offsets": [0, 0] }""", "A chord has each offset once.")]
    [InlineData("""{ "stage": "controllers", "others": true, "rules": [{ "from": "120" }] }""", "“120” is not a control")]
    [InlineData(
        """{ "stage": "programs", "others": true, "rules": [{ "from": 0 }] }""",
        "“from” of a rule of a Programs stage is a whole number from 1 to 128."
    )]
    [InlineData("""{ "stage": "echo" }""", "A stage does not say in “stage” what it is.")]
    [InlineData("null", "A stage does not say in “stage” what it is.")]
    [InlineData("7", "A stage does not say in “stage” what it is.")]
    public void What_is_no_stage_is_refused_with_a_sentence_and_the_line(string stage, string sentence)
    {
        var text = StudioJson.Write(SmallStudio.Create());
        var at = text.IndexOf("\"stages\": [", StringComparison.Ordinal) + "\"stages\": [".Length;
        var broken = text[..at] + stage + (text[at..].TrimStart().StartsWith(']') ? "" : ",") + text[at..];
        var problem = Assert.Throws<StudioFormatException>(() => StudioJson.Read(broken)).Message;
        Assert.Contains(sentence, problem, StringComparison.Ordinal);
        Assert.StartsWith($"Line {text[..at].Count(c => c == '\n') + 1}: ", problem, StringComparison.Ordinal);
    }
}
