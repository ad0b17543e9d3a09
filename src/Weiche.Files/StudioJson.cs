using System.Collections.Immutable;
using System.Text.Encodings.Web;
using System.Text.Json;
using System.Text.Json.Serialization;
using Weiche.Core.Midi;
using Weiche.Core.Stages;
using Weiche.Core.Studios;

namespace Weiche.Files;

/// <summary>What a file or document says cannot be a studio.</summary>
/// <param name="message">What is wrong and where, in a sentence.</param>
/// <param name="inner">What found it, or null.</param>
public sealed class StudioFormatException(string message, Exception? inner = null) : Exception(message, inner);

/// <summary>
/// A studio as JSON: readable, in a stable order, with a format number. Reading is strict: what it does not know it
/// refuses, with the line, rather than lose it silently.
/// </summary>
public static class StudioJson
{
    /// <summary>The format written, and the newest one read.</summary>
    public const int Format = 1;

    private static readonly JsonSerializerOptions Options = new()
    {
        PropertyNamingPolicy = JsonNamingPolicy.CamelCase,
        UnmappedMemberHandling = JsonUnmappedMemberHandling.Disallow,
        RespectNullableAnnotations = true,
        RespectRequiredConstructorParameters = true,
        DefaultIgnoreCondition = JsonIgnoreCondition.WhenWritingNull,
        Encoder = JavaScriptEncoder.UnsafeRelaxedJsonEscaping,
        WriteIndented = true,
        MaxDepth = 16,
        Converters = { new JsonStringEnumConverter(JsonNamingPolicy.CamelCase, allowIntegerValues: false) },
    };

    /// <summary>Writes a studio.</summary>
    /// <param name="studio">The studio.</param>
    /// <returns>The text, ending with a line feed.</returns>
    public static string Write(Studio studio) => JsonSerializer.Serialize(
        new StudioDto(
            Format,
            studio.Name,
            studio.NextId,
            [.. studio.Devices.Select(device => new DeviceDto(
                device.Id.Value,
                device.Name,
                device.Kind,
                device.Sends.ToString(),
                device.Listens.ToString(),
                device.Sounds,
                [.. device.Ports.Select(port => new PortDto(port.Id.Value, port.Direction, port.Part, port.Wire, port.On))],
                device.StandIn))],
            [.. studio.Routes.Select(route => new RouteDto(
                route.Id.Value,
                route.From.Value,
                route.To.Value,
                route.On,
                [.. route.Stages.Select(ToDto)]))]),
        Options) + "\n";

    /// <summary>Reads a studio.</summary>
    /// <param name="text">The JSON text.</param>
    /// <exception cref="StudioFormatException">The text is not a studio of a known format. The message says what is
    /// wrong, and in which line where that is known.</exception>
    public static Studio Read(string text)
    {
        try
        {
            CheckFormat(text);
            var dto = JsonSerializer.Deserialize<StudioDto>(text, Options) ?? throw new StudioFormatException("The file is empty.");
            return Studio.From(
                dto.Name,
                dto.NextId,
                [.. dto.Devices.Select(device => new Device(
                    new DeviceId(device.Id),
                    device.Name,
                    device.Kind,
                    Channels(device.Sends, device.Name),
                    Channels(device.Listens, device.Name),
                    device.Sounds,
                    device.StandIn,
                    [.. device.Ports.Select(port => new Port(new PortId(port.Id), port.Direction, port.Part, port.Wire, port.On))]))],
                [.. dto.Routes.Select(route => new Route(
                    new RouteId(route.Id),
                    new PortId(route.From),
                    new PortId(route.To),
                    route.On,
                    [.. route.Stages.Select(FromDto)]))]);
        }
        catch (JsonException exception)
        {
            var line = exception.LineNumber is { } number ? $"Line {number + 1}: " : "";
            throw new StudioFormatException(line + FirstSentence(exception.Message), exception);
        }
        catch (NotSupportedException exception)
        {
            throw new StudioFormatException("A stage does not say in “stage” what it is.", exception);
        }
        catch (ArgumentException exception)
        {
            throw new StudioFormatException(exception.Message, exception);
        }
    }

    private static void CheckFormat(string text)
    {
        using var document = JsonDocument.Parse(text, new JsonDocumentOptions { MaxDepth = 16 });
        if (document.RootElement.ValueKind != JsonValueKind.Object
            || !document.RootElement.TryGetProperty("format", out var format)
            || !format.TryGetInt32(out var number))
        {
            throw new StudioFormatException("This is not a studio: it has no “format” number.");
        }
        if (number > Format)
            throw new StudioFormatException($"This studio has format {number}; this version of Weiche reads up to format {Format}. Use a newer Weiche.");
        if (number < 1) throw new StudioFormatException($"There is no studio format {number}.");
    }

    private static string FirstSentence(string message)
    {
        var end = message.IndexOf(". ", StringComparison.Ordinal);
        return end < 0 ? message : message[..(end + 1)];
    }

    private static ChannelSet Channels(string text, string device)
    {
        if (text == ChannelSet.None.ToString()) return ChannelSet.None;
        if (!ChannelMap.TryParse(text, out var map, out var problem) || text.Contains('→', StringComparison.Ordinal))
            throw new StudioFormatException($"Device “{device}”: {(problem.Length > 0 ? problem : $"“{text}” is not a list of channels.")}");
        return Channel.All.Where(channel => map[channel].Count > 0).Aggregate(ChannelSet.None, (set, channel) => set.With(channel, true));
    }

    private static StageDto ToDto(Stage stage) => stage switch
    {
        KindsStage kinds => new KindsDto([.. kinds.Passing.Members]),
        ChannelsStage channels => new ChannelsDto(channels.Map.ToString()),
        _ => throw new NotSupportedException($"There is no JSON form of {stage.Name} stages."),
    };

    private static Stage FromDto(StageDto stage) => stage switch
    {
        KindsDto kinds => new KindsStage(KindSet.Of([.. kinds.Pass])),
        ChannelsDto channels => ChannelMap.TryParse(channels.Map, out var map, out var problem)
            ? new ChannelsStage(map)
            : throw new StudioFormatException($"A Channels stage: {problem}"),
        _ => throw new StudioFormatException("A stage does not say in “stage” what it is."),
    };

    private sealed record StudioDto(int Format, string Name, int NextId, ImmutableArray<DeviceDto> Devices, ImmutableArray<RouteDto> Routes);

    private sealed record DeviceDto(
        int Id, string Name, DeviceKind Kind, string Sends, string Listens, bool Sounds, ImmutableArray<PortDto> Ports, string? StandIn = null);

    private sealed record PortDto(int Id, PortDirection Direction, string Part, WireKind Wire, bool On);

    private sealed record RouteDto(int Id, int From, int To, bool On, ImmutableArray<StageDto> Stages);

    [JsonPolymorphic(TypeDiscriminatorPropertyName = "stage")]
    [JsonDerivedType(typeof(KindsDto), "kinds")]
    [JsonDerivedType(typeof(ChannelsDto), "channels")]
    private abstract record StageDto;

    private sealed record KindsDto(ImmutableArray<MessageKind> Pass) : StageDto;

    private sealed record ChannelsDto(string Map) : StageDto;
}
