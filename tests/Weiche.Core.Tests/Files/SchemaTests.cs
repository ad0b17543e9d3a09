using System.Text.Json;
using System.Text.RegularExpressions;
using Weiche.Core.Studios;
using Weiche.Files;
using static Weiche.Core.Tests.Rooms;

namespace Weiche.Core.Tests.Files;

/// <summary>What is written is what the schema in the docs says. The checker knows the few words that schema uses.</summary>
public class SchemaTests
{
    private static readonly JsonElement Schema = JsonDocument.Parse(File.ReadAllText(Path.Combine(Root(), "docs", "studio.schema.json"))).RootElement;

    [Fact]
    public void The_demo_studio_and_one_with_everything_in_it_are_as_the_schema_says()
    {
        Check(StudioJson.Write(SmallStudio.Create()));
        Check(StudioJson.Write(DemoStudio.Create()));
        var studio = Of("a", "b", "c").Must(new AddGroup("g")).Must(new AddRawDevice("raw", "/dev/x"));
        studio = studio.Must(new SetMember(studio.Groups[0].Id, studio.From("a"), true))
            .Must(new LayRoute(new GroupSource(studio.Groups[0].Id), studio.To("c")))
            .Must(new LayRoute(new AnySource([studio.From("b"), studio.From("c")], false), studio.To("raw")));
        foreach (var stage in (Core.Stages.Stage[])
        [
            new Core.Stages.KindsStage(Core.Midi.KindSet.All), new Core.Stages.ChannelsStage(Core.Stages.ChannelMap.Identity, true), new Core.Stages.KeysStage(1, 2, true),
            new Core.Stages.TransposeStage(-12), new Core.Stages.VelocityStage(2, 3, 4, 5, 6), new Core.Stages.ThinStage(50), new Core.Stages.ChordStage(0, 4),
            new Core.Stages.ControllersStage([new(Core.Stages.Control.Bend, Core.Stages.Control.Of(1)), new(Core.Stages.Control.Of(7), null)], false),
            new Core.Stages.ProgramsStage([new(0, 127, 16383), new(5, null)]),
        ]) studio = studio.Must(new AddStage(studio.Routes[0].Id, stage));
        Check(StudioJson.Write(studio.Must(new SoloRoute(studio.Routes[0].Id, true)).Must(new DivertRoute(studio.Routes[0].Id, true))));
    }

    [Theory]
    [InlineData("\"format\": 2", "\"format\": 3")]
    [InlineData("\"wire\": \"din\"", "\"wire\": \"string\"")]
    [InlineData("\"sounds\": true", "\"sounds\": \"loud\"")]
    [InlineData("\"map\": \"1→3\"", "\"map\": \"1→3\", \"colour\": 1")]
    public void The_checker_sees_what_is_wrong(string right, string wrong)
    {
        var text = StudioJson.Write(SmallStudio.Create());
        Assert.Contains(right, text, StringComparison.Ordinal);
        Assert.NotEmpty(Problems(JsonDocument.Parse(text.Replace(right, wrong, StringComparison.Ordinal)).RootElement, Schema, "$"));
    }

    private static void Check(string text) => Assert.Empty(Problems(JsonDocument.Parse(text).RootElement, Schema, "$"));

    private static IEnumerable<string> Problems(JsonElement value, JsonElement schema, string path)
    {
        if (schema.TryGetProperty("$ref", out var reference))
            return Problems(value, reference.GetString()!.Split('/').Skip(1).Aggregate(Schema, (element, name) => element.GetProperty(name)), path);
        if (schema.TryGetProperty("oneOf", out var choices))
            return choices.EnumerateArray().Count(choice => !Problems(value, choice, path).Any()) == 1 ? [] : [$"{path}: not exactly one choice"];
        var problems = new List<string>();
        if (schema.TryGetProperty("const", out var constant) && constant.ToString() != value.ToString()) problems.Add($"{path}: not {constant}");
        if (schema.TryGetProperty("enum", out var names) && names.EnumerateArray().All(name => name.ToString() != value.ToString())) problems.Add($"{path}: {value} is not a choice");
        if (schema.TryGetProperty("type", out var type) && !IsOf(value, type.GetString()!)) return [$"{path}: not of type {type}"];
        if (value.ValueKind == JsonValueKind.Number)
        {
            if (schema.TryGetProperty("minimum", out var least) && value.GetInt64() < least.GetInt64()) problems.Add($"{path}: below {least}");
            if (schema.TryGetProperty("maximum", out var most) && value.GetInt64() > most.GetInt64()) problems.Add($"{path}: above {most}");
        }
        if (value.ValueKind == JsonValueKind.String && schema.TryGetProperty("pattern", out var pattern) && !Regex.IsMatch(value.GetString()!, pattern.GetString()!))
            problems.Add($"{path}: not like {pattern}");
        if (value.ValueKind == JsonValueKind.Array && schema.TryGetProperty("items", out var items))
            problems.AddRange(value.EnumerateArray().SelectMany((item, i) => Problems(item, items, $"{path}[{i}]")));
        if (value.ValueKind == JsonValueKind.Object && schema.TryGetProperty("properties", out var properties))
        {
            foreach (var property in value.EnumerateObject())
            {
                if (properties.TryGetProperty(property.Name, out var inner)) problems.AddRange(Problems(property.Value, inner, $"{path}.{property.Name}"));
                else problems.Add($"{path}.{property.Name}: not known");
            }
            problems.AddRange(schema.GetProperty("required").EnumerateArray().Where(name => !value.TryGetProperty(name.GetString()!, out _)).Select(name => $"{path}.{name}: missing"));
        }
        return problems;
    }

    private static bool IsOf(JsonElement value, string type) => type switch
    {
        "object" => value.ValueKind == JsonValueKind.Object,
        "array" => value.ValueKind == JsonValueKind.Array,
        "string" => value.ValueKind == JsonValueKind.String,
        "boolean" => value.ValueKind is JsonValueKind.True or JsonValueKind.False,
        _ => value.ValueKind == JsonValueKind.Number && value.TryGetInt64(out _),
    };

    private static string Root()
    {
        var folder = new DirectoryInfo(AppContext.BaseDirectory);
        while (!File.Exists(Path.Combine(folder!.FullName, "Weiche.slnx"))) folder = folder.Parent;
        return folder.FullName;
    }
}
