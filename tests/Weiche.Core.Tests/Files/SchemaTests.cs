using System.Text.Json;
using CsCheck;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;
using Weiche.Core.Tests.Stages;
using Weiche.Files;
using static Weiche.Core.Tests.Rooms;

namespace Weiche.Core.Tests.Files;

/// <summary>What is written is what the schema in the docs says.</summary>
public class SchemaTests
{
    private static readonly SchemaChecker Schema = SchemaChecker.Of("studio.schema.json");

    [Fact]
    public void The_demo_studio_and_one_with_everything_in_it_are_as_the_schema_says()
    {
        Check(StudioJson.Write(SmallStudio.Create()));
        Check(StudioJson.Write(DemoStudio.Create()));
        var studio = Of("a", "b", "c").Must(new AddGroup("g")).Must(new AddRawDevice("raw", "/dev/x"));
        studio = studio
            .Must(new SetMember(studio.Groups[0].Id, studio.From("a"), true))
            .Must(new LayRoute(new GroupSource(studio.Groups[0].Id), studio.To("c")))
            .Must(new LayRoute(new AnySource([studio.From("b"), studio.From("c")], false), studio.To("raw")));
        AnyStage
            .Any.Array[0, Route.MaxStages]
            .Sample(
                stages =>
                    Check(StudioJson.Write(stages.Aggregate(studio, (made, stage) => made.Must(new AddStage(made.Routes[0].Id, stage))))),
                iter: 200
            );
        var rated = DemoStudio.Create();
        rated = rated
            .Must(new SetWorstRate(rated.Devices[0].Id, Weiche.Core.Midi.MessageKind.PitchBend, "400"))
            .Must(new SetWorstRate(rated.Devices[0].Id, Weiche.Core.Midi.MessageKind.Note, "0"));
        Check(StudioJson.Write(rated));
        Assert.Equal(rated.Devices[0].WorstRates, StudioJson.Read(StudioJson.Write(rated)).Devices[0].WorstRates);
        Check(StudioJson.Write(studio.Must(new SoloRoute(studio.Routes[0].Id, true)).Must(new DivertRoute(studio.Routes[0].Id, true))));
    }

    [Theory]
    [InlineData("\"format\": 3", "\"format\": 2")]
    [InlineData("\"wire\": \"din\"", "\"wire\": \"string\"")]
    [InlineData("\"sounds\": true", "\"sounds\": \"loud\"")]
    [InlineData("\"map\": \"1→3\"", "\"map\": \"1→3\", \"colour\": 1")]
    public void The_checker_sees_what_is_wrong(string right, string wrong)
    {
        var text = StudioJson.Write(SmallStudio.Create());
        Assert.Contains(right, text, StringComparison.Ordinal);
        Assert.NotEmpty(Schema.Problems(JsonDocument.Parse(text.Replace(right, wrong, StringComparison.Ordinal)).RootElement));
    }

    private static void Check(string text) => Assert.Empty(Schema.Problems(JsonDocument.Parse(text).RootElement));
}
