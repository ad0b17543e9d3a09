using System.Collections.Immutable;
using System.Text.Json;
using System.Text.Json.Serialization;
using Weiche.Core.Midi;
using Weiche.Core.Studios;
using Weiche.Core.Takes;

namespace Weiche.Files;

/// <summary>What was done to a take, as JSON: a list of steps, as the database keeps it.</summary>
public static class TakeJson
{
    private static readonly JsonSerializerOptions Options = new()
    {
        PropertyNamingPolicy = JsonNamingPolicy.CamelCase,
        DefaultIgnoreCondition = JsonIgnoreCondition.WhenWritingNull,
        Converters = { new JsonStringEnumConverter(JsonNamingPolicy.CamelCase) },
    };

    /// <summary>Writes steps.</summary>
    /// <param name="steps">The steps.</param>
    /// <exception cref="ArgumentException">One of them is of a kind that has no words in a file.</exception>
    public static string Write(IEnumerable<TakeStep> steps) =>
        JsonSerializer.Serialize(
            steps.Select(step =>
                step switch
                {
                    TidyStep tidy => new StepDto(
                        "tidy",
                        tidy.Range.From.Microseconds,
                        tidy.Range.To.Microseconds,
                        tidy.Range.Track,
                        tidy.How.Parts,
                        tidy.How.Ends,
                        tidy.How.Strength,
                        tidy.How.Swing
                    ),
                    SplitStep split => new StepDto("split", By: split.By, Names: split.Names),
                    NameTrackStep name => new StepDto("name", Track: name.Track, Names: [name.Name]),
                    PlayAsStep play => new StepDto("playAs", Track: play.Track, Source: play.Source?.Value),
                    CutStep cut => new StepDto("cut", cut.Range.From.Microseconds, cut.Range.To.Microseconds),
                    MarkStep mark => new StepDto("mark", mark.At.Microseconds, Names: [mark.Text]),
                    _ => throw new ArgumentException($"A {step.GetType().Name} cannot be written down."),
                }
            ),
            Options
        );

    /// <summary>Reads steps.</summary>
    /// <param name="json">What <see cref="Write"/> wrote.</param>
    /// <exception cref="RecordingException">It is none of that.</exception>
    public static ImmutableArray<TakeStep> Read(string json)
    {
        try
        {
            return [.. (JsonSerializer.Deserialize<List<StepDto>>(json, Options) ?? []).Select(StepOf)];
        }
        catch (JsonException exception)
        {
            throw new RecordingException("what was done to this take cannot be read", exception);
        }
    }

    private static TakeStep StepOf(StepDto step)
    {
        var range = new TakeRange(new MidiSpan(step.From), new MidiSpan(step.To ?? long.MaxValue), step.Track ?? -1);
        return step.Step switch
        {
            "tidy" => new TidyStep(new Tidy(step.Parts ?? 16, step.Ends ?? false, step.Strength ?? 100, step.Swing ?? 50), range),
            "split" => new SplitStep(step.By ?? SplitBy.Channel, step.Names is { IsDefault: false } names ? names : []),
            "name" when step.Names is [var name] => new NameTrackStep(step.Track ?? 0, name),
            "playAs" => new PlayAsStep(step.Track ?? -1, step.Source is { } source ? new PortId(source) : null),
            "cut" => new CutStep(range),
            "mark" when step.Names is [var text] => new MarkStep(range.From, text),
            _ => throw new RecordingException($"“{step.Step}” is nothing that is done to a take"),
        };
    }

    private sealed record StepDto(
        string Step,
        long From = 0,
        long? To = null,
        int? Track = null,
        int? Parts = null,
        bool? Ends = null,
        int? Strength = null,
        int? Swing = null,
        SplitBy? By = null,
        ImmutableArray<string>? Names = null,
        int? Source = null
    );
}
