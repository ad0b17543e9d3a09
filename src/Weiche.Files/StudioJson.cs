using System.Collections.Immutable;
using System.Globalization;
using System.Text;
using System.Text.Encodings.Web;
using System.Text.Json;
using System.Text.Json.Serialization;
using Weiche.Core.Midi;
using Weiche.Core.Pulse;
using Weiche.Core.Sets;
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
    public const int Format = 3;

    private static readonly JsonSerializerOptions Options = new()
    {
        PropertyNamingPolicy = JsonNamingPolicy.CamelCase,
        UnmappedMemberHandling = JsonUnmappedMemberHandling.Disallow,
        RespectNullableAnnotations = true,
        AllowDuplicateProperties = false,
        RespectRequiredConstructorParameters = true,
        DefaultIgnoreCondition = JsonIgnoreCondition.WhenWritingNull,
        Encoder = JavaScriptEncoder.UnsafeRelaxedJsonEscaping,
        WriteIndented = true,
        MaxDepth = 16,
        AllowOutOfOrderMetadataProperties = true,
        Converters = { new StageConverter(), new JsonStringEnumConverter(JsonNamingPolicy.CamelCase, allowIntegerValues: false) },
    };

    private static readonly UTF8Encoding Strict = new(encoderShouldEmitUTF8Identifier: false, throwOnInvalidBytes: true);

    /// <summary>Writes a studio.</summary>
    /// <param name="studio">The studio.</param>
    /// <returns>The text, ending with a line feed.</returns>
    public static string Write(Studio studio)
    {
        var bytes = JsonSerializer.SerializeToUtf8Bytes(DtoOf(studio), Options);
        return string.Create(Encoding.UTF8.GetCharCount(bytes) + 1, bytes, static (text, bytes) =>
        {
            Encoding.UTF8.GetChars(bytes, text);
            text[^1] = '\n';
        });
    }

    /// <summary>Writes one stage.</summary>
    /// <param name="stage">The stage.</param>
    public static string Write(Stage stage) => JsonSerializer.Serialize(stage, Options);

    /// <summary>Reads a studio.</summary>
    /// <param name="text">The JSON text.</param>
    /// <exception cref="StudioFormatException">The text is not a studio of a known format. The message says what is
    /// wrong, and in which line where that is known.</exception>
    public static Studio Read(string text)
    {
        try
        {
            using var document = JsonDocument.Parse(text, new JsonDocumentOptions { MaxDepth = 16 });
            CheckFormat(document.RootElement);
            // From the text, not from the document: what is wrong has a line there.
            var dto = JsonSerializer.Deserialize<StudioDto>(text, Options) ?? throw new StudioFormatException("The file is empty.");
            CheckNulls(document.RootElement, "");
            return StudioOf(dto).Checked();
        }
        catch (JsonException exception)
        {
            throw new StudioFormatException(JsonWords.Of(exception), exception);
        }
        catch (ArgumentException exception)
        {
            throw new StudioFormatException(exception.Message, exception);
        }
    }

    /// <summary>Reads a studio from a file's bytes.</summary>
    /// <param name="bytes">The bytes: UTF-8, with or without a byte order mark.</param>
    /// <exception cref="StudioFormatException">They are not UTF-8, or not a studio.</exception>
    public static Studio Read(ReadOnlySpan<byte> bytes)
    {
        try
        {
            return Read(Strict.GetString(bytes.StartsWith(Encoding.UTF8.Preamble) ? bytes[Encoding.UTF8.Preamble.Length..] : bytes));
        }
        catch (DecoderFallbackException exception)
        {
            throw new StudioFormatException(
                $"It is not UTF-8: the byte {exception.BytesUnknown?.FirstOrDefault():X2} at {exception.Index + 1} belongs to no "
                    + "character. Save it as UTF-8.",
                exception
            );
        }
    }

    private static StudioDto DtoOf(Studio studio) =>
        new(
            Format,
            studio.Name,
            studio.NextId,
            [
                .. studio.Devices.Select(device => new DeviceDto(
                    device.Id.Value,
                    device.Name,
                    device.Kind,
                    device.Sends.ToString(),
                    device.Listens.ToString(),
                    device.Sounds,
                    [
                        .. device.Ports.Select(port => new PortDto(
                            port.Id.Value,
                            port.Direction,
                            port.Part,
                            port.Wire,
                            port.On,
                            port.Jack?.Value,
                            port.OwnLabel
                        )),
                    ],
                    device.StandIn,
                    device.Address,
                    device.Jacks.IsEmpty ? null : [.. device.Jacks.Select(jack => new JackDto(jack.Id.Value, jack.Role, jack.Name))],
                    device.InnerPaths.IsEmpty
                        ? null
                        :
                        [
                            .. device.InnerPaths.Select(path => new InnerPathDto(
                                path.Id.Value,
                                path.Kind,
                                path.Name,
                                path.From.ToString(),
                                path.To.ToString(),
                                path.On,
                                path.Delay.Microseconds,
                                path.Stages
                            )),
                        ],
                    device.SendsKinds == KindSet.All ? null : [.. device.SendsKinds.Members],
                    device.ListensKinds == KindSet.All ? null : [.. device.ListensKinds.Members],
                    device.Audio.Length == 0 ? null : device.Audio,
                    device.Zones.IsEmpty ? null : [.. device.Zones.Select(zone => new ZoneDto(zone.Lower, zone.Members, zone.BendRange))],
                    device.Programs.IsEmpty ? null : [.. device.Programs.Select(program => new ProgramDto(program.Key + 1, program.Value))],
                    device.Keys.IsEmpty ? null : [.. device.Keys.Select(key => new KeyNameDto(key.Key, key.Value))],
                    device.WorstRates.IsEmpty ? null : [.. device.WorstRates.Select(rate => new RateDto(rate.Key, rate.Value))],
                    device.Known is { } known
                        ? new KnownDto(
                            known.Says,
                            known.Serial,
                            known.Place,
                            known.Pinned,
                            known.Identity is { } identity
                                ? new IdentityDto(identity.Maker, identity.Family, identity.Member, identity.Version)
                                : null
                        )
                        : null,
                    device.StaysInside ? true : null
                )),
            ],
            [
                .. studio.Routes.Select(route => new RouteDto(
                    route.Id.Value,
                    route.To.Value,
                    route.On,
                    route.Stages,
                    (route.From as OneSource)?.Port.Value,
                    (route.From as GroupSource)?.Group.Value,
                    route.From is AnySource any ? new AnyDto([.. any.Except.Select(id => id.Value)], any.OwnToo) : null,
                    route.Solo ? true : null,
                    route.Divert ? true : null,
                    route.Duty.IsStanding ? null : [.. route.Duty.Lineups.Select(id => id.Value)]
                )),
            ],
            [.. studio.Groups.Select(group => new GroupDto(group.Id.Value, group.Name, [.. group.Members.Select(id => id.Value)]))],
            [.. studio.Cables.Select(cable => new CableDto(cable.From.Value, cable.To.Value))],
            studio.MiddleIsC4 ? true : null,
            studio.Safety == Safety.Usual ? null : new SafetyDto(studio.Safety.OpeningWaits, studio.Safety.Rounds),
            studio.Lineups.IsEmpty
                ? null
                :
                [
                    .. studio.Lineups.Select(lineup => new LineupDto(
                        lineup.Id.Value,
                        lineup.Name,
                        lineup.Note.Length == 0 ? null : lineup.Note,
                        lineup.Cuts ? true : null,
                        lineup.Sends.IsEmpty
                            ? null
                            : [.. lineup.Sends.Select(sending => new SendingDto(sending.To.Value, HexOf(sending.Bytes)))],
                        DtoOf(lineup.Master),
                        lineup.Tempo?.Digits
                    )),
                ],
            studio.Levers.IsEmpty ? null : [.. studio.Levers.Select(DtoOf)],
            studio.Time.IsUsual ? null : DtoOf(studio.Time)
        );

    private static TimeDto DtoOf(TimePlan time) =>
        new(
            DtoOf(time.Master),
            time.Tempo.Digits,
            time.Bar.ToString(),
            time.CoastBars == 0 ? null : time.CoastBars,
            time.WaitsForBar ? true : null,
            time.CountIn == 0 ? null : time.CountIn,
            time.MovesOverBar ? true : null,
            time.Followers.IsEmpty
                ? null
                :
                [
                    .. time.Followers.Select(each => new FollowerDto(
                        each.To.Value,
                        each.Form,
                        each.Starts ? true : null,
                        each.Offset == MidiSpan.Zero ? null : each.Offset.Microseconds
                    )),
                ]
        );

    private static MasterDto? DtoOf(ClockMaster? master) =>
        master is { } known
            ? known.Source is { } source
                ? new MasterDto(From: source.Value)
                : new MasterDto(Own: true)
            : null;

    private static LeverDto DtoOf(Lever lever) =>
        new(
            lever.Id.Value,
            lever.Source.Value,
            lever.Work switch
            {
                EnterLineup => LeverWord.Enter,
                StepLineup step => step.By < 0 ? LeverWord.Back : LeverWord.Next,
                Silence => LeverWord.AllNotesOff,
                WorkTime time => Enum.Parse<LeverWord>(time.What.ToString()),
                WorkTakes { What: TakeWork.Record } => LeverWord.Record,
                WorkTakes { What: TakeWork.Keep } => LeverWord.Keep,
                WorkTakes => LeverWord.PlayTake,
                _ => LeverWord.Switch,
            },
            Number(lever, LeverKind.Program) is { } program ? program + 1 : null,
            Number(lever, LeverKind.Key),
            Number(lever, LeverKind.Control),
            lever.Trigger.Channel is { } channel ? channel + 1 : null,
            lever.Trigger.Threshold == LeverTrigger.UsualThreshold ? null : lever.Trigger.Threshold,
            (lever.Work as EnterLineup)?.Lineup.Value,
            lever.Work is SwitchRoutes routes ? [.. routes.Routes.Select(id => id.Value)] : null,
            (lever.Work as SwitchRoutes)?.How,
            lever.GoesOn == Lever.UsuallyGoesOn(lever.Trigger.Kind) ? null : lever.GoesOn,
            lever.Works.IsStanding ? null : [.. lever.Works.Lineups.Select(id => id.Value)]
        );

    private static int? Number(Lever lever, LeverKind kind) => lever.Trigger.Kind == kind ? lever.Trigger.Number : null;

    private static string HexOf(ImmutableArray<byte> bytes) =>
        string.Join(' ', bytes.Select(value => value.ToString("X2", CultureInfo.InvariantCulture)));

    private static Studio StudioOf(StudioDto dto) =>
        new()
        {
            Name = NameRule.WithoutHidden(dto.Name),
            NextId = dto.NextId,
            Devices = [.. dto.Devices.Select(DeviceOf)],
            Routes = [.. dto.Routes.Select(RouteOf)],
            Groups =
            [
                .. (dto.Groups.IsDefault ? [] : dto.Groups).Select(group => new SourceGroup(
                    new GroupId(group.Id),
                    NameRule.WithoutHidden(group.Name),
                    [.. group.Members.Select(id => new PortId(id))]
                )),
            ],
            Cables = [.. (dto.Cables.IsDefault ? [] : dto.Cables).Select(cable => new Cable(new JackId(cable.From), new JackId(cable.To)))],
            MiddleIsC4 = dto.MiddleIsC4 ?? false,
            Safety = dto.Safety is { } safety ? new Safety(safety.OpeningWaits, safety.Rounds) : Safety.Usual,
            Lineups = [.. (dto.Lineups ?? []).Select(LineupOf)],
            Levers = [.. (dto.Levers ?? []).Select(LeverOf)],
            Time = dto.Time is { } time ? TimeOf(time) : TimePlan.Usual,
        };

    private static TimePlan TimeOf(TimeDto time) =>
        new()
        {
            Master = MasterOf(time.Master, "“time”"),
            Tempo = TempoOf(time.Tempo) ?? Tempo.Usual,
            Bar =
                time.Bar is null ? BarForm.Usual
                : BarForm.TryParse(time.Bar, out var bar, out var problem) ? bar
                : throw new StudioFormatException(problem),
            CoastBars = time.CoastBars ?? 0,
            WaitsForBar = time.WaitsForBar ?? false,
            CountIn = time.CountIn ?? 0,
            MovesOverBar = time.MovesOverBar ?? false,
            Followers =
            [
                .. (time.Followers ?? []).Select(each => new Follower(
                    new PortId(each.To),
                    each.Clock,
                    each.Starts ?? false,
                    new MidiSpan(each.Offset ?? 0)
                )),
            ],
        };

    private static Tempo? TempoOf(string? text) =>
        text is null ? null
        : Tempo.TryParse(text, out var tempo, out var problem) ? tempo
        : throw new StudioFormatException(problem);

    private static ClockMaster? MasterOf(MasterDto? master, string of) =>
        (master?.Own, master?.From) switch
        {
            (null, null) when master is null => null,
            (true, null) => ClockMaster.Own,
            (null, { } from) => new ClockMaster(new PortId(from)),
            _ => throw new StudioFormatException($"The master of {of} is either “own” (true) or “from” a source."),
        };

    private static Lineup LineupOf(LineupDto lineup) =>
        new(new LineupId(lineup.Id), NameRule.WithoutHidden(lineup.Name))
        {
            Note = lineup.Note ?? "",
            Cuts = lineup.Cuts ?? false,
            Sends = [.. (lineup.Sends ?? []).Select(sending => new Sending(new PortId(sending.To), BytesOf(sending.Bytes, lineup.Name)))],
            Master = MasterOf(lineup.Master, $"lineup “{lineup.Name}”"),
            Tempo = TempoOf(lineup.Tempo),
        };

    private static ImmutableArray<byte> BytesOf(string hex, string lineup)
    {
        try
        {
            return [.. Convert.FromHexString(hex.Replace(" ", "", StringComparison.Ordinal))];
        }
        catch (FormatException exception)
        {
            throw new StudioFormatException($"Lineup “{lineup}” sends “{hex}”, which is not bytes in hexadecimal.", exception);
        }
    }

    private static Lever LeverOf(LeverDto lever)
    {
        var trigger = (lever.Program, lever.Key, lever.Controller) switch
        {
            ({ } program, null, null) => new LeverTrigger(LeverKind.Program, program - 1),
            (null, { } key, null) => new LeverTrigger(LeverKind.Key, key),
            (null, null, { } controller) => new LeverTrigger(
                LeverKind.Control,
                controller,
                Threshold: lever.Threshold ?? LeverTrigger.UsualThreshold
            ),
            _ => throw new StudioFormatException($"Lever {lever.Id} needs exactly one of “program”, “key” and “controller”."),
        };
        if (lever.Threshold is not null && trigger.Kind != LeverKind.Control)
            throw new StudioFormatException($"Lever {lever.Id} has a threshold, and only controllers have one.");
        LeverWork work = (lever.Works, lever.Lineup, lever.Routes, lever.How) switch
        {
            (LeverWord.Enter, { } id, null, null) => new EnterLineup(new LineupId(id)),
            (LeverWord.Next, null, null, null) => new StepLineup(1),
            (LeverWord.Back, null, null, null) => new StepLineup(-1),
            (LeverWord.AllNotesOff, null, null, null) => new Silence(),
            (LeverWord.Record, null, null, null) => new WorkTakes(TakeWork.Record),
            (LeverWord.Keep, null, null, null) => new WorkTakes(TakeWork.Keep),
            (LeverWord.PlayTake, null, null, null) => new WorkTakes(TakeWork.Play),
            ({ } word, null, null, null) when Enum.TryParse<TimeWork>(word.ToString(), out var what) => new WorkTime(what),
            (LeverWord.Switch, null, { } routes, { } how) => new SwitchRoutes([.. routes.Select(id => new RouteId(id))], how),
            _ => throw new StudioFormatException(
                $"Lever {lever.Id}: “lineup” belongs to “enter”, “routes” and “how” to “switch”, and nothing else."
            ),
        };
        return new Lever(new LeverId(lever.Id), new PortId(lever.Source), trigger with { Channel = lever.Channel - 1 }, work)
        {
            GoesOn = lever.GoesOn ?? Lever.UsuallyGoesOn(trigger.Kind),
            Works = DutyOf(lever.Lineups),
        };
    }

    private static Duty DutyOf(IReadOnlyList<int>? lineups) =>
        lineups is null ? Duty.Standing : Duty.In(lineups.Select(id => new LineupId(id)));

    private static Device DeviceOf(DeviceDto device) =>
        new(
            new DeviceId(device.Id),
            NameRule.WithoutHidden(device.Name),
            device.Kind,
            Channels(device.Sends, device.Name),
            Channels(device.Listens, device.Name),
            device.Sounds,
            device.StandIn,
            [
                .. device.Ports.Select(port => new Port(
                    new PortId(port.Id),
                    port.Direction,
                    port.Part,
                    port.Wire,
                    port.On,
                    port.Jack is { } jack ? new JackId(jack) : null,
                    port.Label is { } label ? NameRule.WithoutHidden(label) : null
                )),
            ],
            device.Address
        )
        {
            Jacks = [.. (device.Jacks ?? []).Select(jack => new Jack(new JackId(jack.Id), jack.Role, NameRule.WithoutHidden(jack.Name)))],
            InnerPaths =
            [
                .. (device.InnerPaths ?? []).Select(path => new InnerPath(
                    new InnerPathId(path.Id),
                    path.Kind,
                    NameRule.WithoutHidden(path.Name),
                    End(path.From),
                    End(path.To),
                    path.On,
                    new MidiSpan(path.Delay),
                    path.Stages
                )),
            ],
            SendsKinds = device.SendsKinds is { } sends ? KindSet.Of([.. sends]) : KindSet.All,
            ListensKinds = device.ListensKinds is { } listens ? KindSet.Of([.. listens]) : KindSet.All,
            Audio = device.Audio ?? "",
            Zones = [.. (device.Zones ?? []).Select(zone => new MpeZone(zone.Lower, zone.Members, zone.BendRange))],
            Programs = ProgramsOf(device),
            Keys = KeysOf(device),
            WorstRates = RatesOf(device),
            StaysInside = device.Inside ?? false,
            Known = device.Known is { } known
                ? new KnownAs(
                    known.Says,
                    known.Serial,
                    known.Place,
                    known.Pinned,
                    known.Identity is { } identity
                        ? new DeviceIdentity(identity.Maker, identity.Family, identity.Member, identity.Version)
                        : null
                )
                : null,
        };

    private static ImmutableSortedDictionary<MessageKind, int> RatesOf(DeviceDto device)
    {
        var rates = ImmutableSortedDictionary.CreateBuilder<MessageKind, int>();
        foreach (var rate in device.WorstRates ?? [])
        {
            if (!rates.TryAdd(rate.Kind, rate.PerSecond))
                throw new StudioFormatException($"The device {device.Name} has two worst rates for {rate.Kind.Name()}.");
        }
        return rates.ToImmutable();
    }

    private static ImmutableSortedDictionary<int, string> ProgramsOf(DeviceDto device)
    {
        var programs = ImmutableSortedDictionary.CreateBuilder<int, string>();
        foreach (var program in device.Programs ?? [])
        {
            if (!programs.TryAdd(program.Number - 1, NameRule.WithoutHidden(program.Name)))
                throw new StudioFormatException($"The device {device.Name} has two names for program {program.Number}.");
        }
        return programs.ToImmutable();
    }

    private static ImmutableSortedDictionary<int, string> KeysOf(DeviceDto device)
    {
        var keys = ImmutableSortedDictionary.CreateBuilder<int, string>();
        foreach (var key in device.Keys ?? [])
        {
            if (!keys.TryAdd(key.Key, NameRule.WithoutHidden(key.Name)))
                throw new StudioFormatException($"The device {device.Name} has two names for key {key.Key}.");
        }
        return keys.ToImmutable();
    }

    private static Route RouteOf(RouteDto route) =>
        new(
            new RouteId(route.Id),
            SourceOf(route),
            new PortId(route.To),
            route.On,
            route.Stages,
            route.Solo ?? false,
            route.Divert ?? false
        )
        {
            Duty = DutyOf(route.Lineups),
        };

    private static void CheckFormat(JsonElement root)
    {
        if (
            root.ValueKind != JsonValueKind.Object
            || !root.TryGetProperty("format", out var format)
            || format.ValueKind != JsonValueKind.Number
            || !format.TryGetInt32(out var number)
        )
        {
            throw new StudioFormatException("This is not a studio: it has no “format” number.");
        }
        if (number > Format)
            throw new StudioFormatException(
                $"This studio has format {number}; this version of Weiche reads up to format {Format}. Use a newer Weiche."
            );
        if (number < 1)
            throw new StudioFormatException($"There is no studio format {number}.");
    }

    /// <summary>What is nothing cannot be read as something: the annotations do not reach into lists.</summary>
    private static void CheckNulls(JsonElement element, string path)
    {
        if (element.ValueKind == JsonValueKind.Object)
        {
            foreach (var field in element.EnumerateObject())
                CheckNulls(field.Value, path.Length == 0 ? field.Name : $"{path}.{field.Name}");
        }
        else if (element.ValueKind == JsonValueKind.Array)
        {
            foreach (var (index, item) in element.EnumerateArray().Index())
            {
                if (item.ValueKind == JsonValueKind.Null)
                    throw new StudioFormatException($"“{path}” has a null in it, at place {index + 1}. Take it out.");
                CheckNulls(item, path);
            }
        }
    }

    private static ChannelSet Channels(string text, string device)
    {
        return ChannelMap.TryParseList(text, out var set, out var problem)
            ? set
            : throw new StudioFormatException($"Device “{device}”: {problem}");
    }

    private static Place End(string text) =>
        Place.TryParse(text, out var end)
            ? end
            : throw new StudioFormatException($"“{text}” is no end of an inner path: write “jack 7”, “port 9”, “keys” or “sound”.");

    private static RouteSource SourceOf(RouteDto route) =>
        (route.From, route.Group, route.Any) switch
        {
            ({ } port, null, null) => new PortId(port),
            (null, { } group, null) => new GroupSource(new GroupId(group)),
            (null, null, { } any) => new AnySource([.. any.Except.Select(id => new PortId(id))], any.OwnToo),
            _ => throw new StudioFormatException($"Route {route.Id} needs exactly one of “from”, “group” and “any”."),
        };

    private sealed record StudioDto(
        int Format,
        string Name,
        int NextId,
        ImmutableArray<DeviceDto> Devices,
        ImmutableArray<RouteDto> Routes,
        ImmutableArray<GroupDto> Groups = default,
        ImmutableArray<CableDto> Cables = default,
        bool? MiddleIsC4 = null,
        SafetyDto? Safety = null,
        IReadOnlyList<LineupDto>? Lineups = null,
        IReadOnlyList<LeverDto>? Levers = null,
        TimeDto? Time = null
    );

    private sealed record TimeDto(
        MasterDto? Master = null,
        string? Tempo = null,
        string? Bar = null,
        int? CoastBars = null,
        bool? WaitsForBar = null,
        int? CountIn = null,
        bool? MovesOverBar = null,
        IReadOnlyList<FollowerDto>? Followers = null
    );

    private sealed record MasterDto(bool? Own = null, int? From = null);

    private sealed record FollowerDto(int To, ClockForm Clock, bool? Starts = null, long? Offset = null);

    private sealed record SafetyDto(bool OpeningWaits, int Rounds);

    private sealed record DeviceDto(
        int Id,
        string Name,
        DeviceKind Kind,
        string Sends,
        string Listens,
        bool Sounds,
        ImmutableArray<PortDto> Ports,
        string? StandIn = null,
        string? Address = null,
        IReadOnlyList<JackDto>? Jacks = null,
        IReadOnlyList<InnerPathDto>? InnerPaths = null,
        IReadOnlyList<MessageKind>? SendsKinds = null,
        IReadOnlyList<MessageKind>? ListensKinds = null,
        string? Audio = null,
        IReadOnlyList<ZoneDto>? Zones = null,
        IReadOnlyList<ProgramDto>? Programs = null,
        IReadOnlyList<KeyNameDto>? Keys = null,
        IReadOnlyList<RateDto>? WorstRates = null,
        KnownDto? Known = null,
        bool? Inside = null
    );

    private sealed record PortDto(
        int Id,
        PortDirection Direction,
        string Part,
        WireKind Wire,
        bool On,
        int? Jack = null,
        string? Label = null
    );

    private sealed record JackDto(int Id, JackRole Role, string Name);

    private sealed record CableDto(int From, int To);

    private sealed record InnerPathDto(
        int Id,
        InnerPathKind Kind,
        string Name,
        string From,
        string To,
        bool On,
        long Delay,
        ImmutableArray<Stage> Stages
    );

    private sealed record ZoneDto(bool Lower, int Members, int BendRange);

    private sealed record ProgramDto(int Number, string Name);

    private sealed record KeyNameDto(int Key, string Name);

    private sealed record LineupDto(
        int Id,
        string Name,
        string? Note = null,
        bool? Cuts = null,
        IReadOnlyList<SendingDto>? Sends = null,
        MasterDto? Master = null,
        string? Tempo = null
    );

    private sealed record SendingDto(int To, string Bytes);

    private enum LeverWord
    {
        Enter,
        Next,
        Back,
        AllNotesOff,
        Switch,
        Record,
        Keep,
        PlayTake,
        Start,
        Stop,
        StartOrStop,
        Continue,
        Tap,
        BackInStep,
        HoldAndLetGo,
        Faster,
        Slower,
    }

    private sealed record LeverDto(
        [property: JsonPropertyOrder(0)] int Id,
        [property: JsonPropertyOrder(1)] int Source,
        [property: JsonPropertyOrder(7)] LeverWord Works,
        [property: JsonPropertyOrder(2)] int? Program = null,
        [property: JsonPropertyOrder(3)] int? Key = null,
        [property: JsonPropertyOrder(4)] int? Controller = null,
        [property: JsonPropertyOrder(5)] int? Channel = null,
        [property: JsonPropertyOrder(6)] int? Threshold = null,
        [property: JsonPropertyOrder(8)] int? Lineup = null,
        [property: JsonPropertyOrder(9)] IReadOnlyList<int>? Routes = null,
        [property: JsonPropertyOrder(10)] LeverSwitch? How = null,
        [property: JsonPropertyOrder(11)] bool? GoesOn = null,
        [property: JsonPropertyOrder(12)] IReadOnlyList<int>? Lineups = null
    );

    private sealed record RateDto(MessageKind Kind, int PerSecond);

    private sealed record KnownDto(string Says, string Serial, string Place, bool Pinned, IdentityDto? Identity = null);

    private sealed record IdentityDto(int Maker, int Family, int Member, int Version);

    private sealed record GroupDto(int Id, string Name, ImmutableArray<int> Members);

    private sealed record RouteDto(
        [property: JsonPropertyOrder(0)] int Id,
        [property: JsonPropertyOrder(4)] int To,
        [property: JsonPropertyOrder(5)] bool On,
        [property: JsonPropertyOrder(8)] ImmutableArray<Stage> Stages,
        [property: JsonPropertyOrder(1)] int? From = null,
        [property: JsonPropertyOrder(2)] int? Group = null,
        [property: JsonPropertyOrder(3)] AnyDto? Any = null,
        [property: JsonPropertyOrder(6)] bool? Solo = null,
        [property: JsonPropertyOrder(7)] bool? Divert = null,
        [property: JsonPropertyOrder(9)] IReadOnlyList<int>? Lineups = null
    );

    private sealed record AnyDto(ImmutableArray<int> Except, bool OwnToo);

    /// <summary>A stage stands as an object whose “stage” says of which sort it is; what else is in it, the sort knows.</summary>
    private sealed class StageConverter : JsonConverter<Stage>
    {
        private const string Sort = "stage";
        private const string Off = "off";

        public override bool HandleNull => true;

        public override bool CanConvert(Type typeToConvert) => typeToConvert.IsAssignableTo(typeof(Stage));

        public override Stage Read(ref Utf8JsonReader reader, Type typeToConvert, JsonSerializerOptions options)
        {
            var element = JsonElement.ParseValue(ref reader);
            try
            {
                var sort = StageSorts.OfWord(
                    element.ValueKind == JsonValueKind.Object
                    && element.TryGetProperty(Sort, out var word)
                    && word.ValueKind == JsonValueKind.String
                        ? word.GetString()
                        : null
                ) ?? throw new FormatException("A stage does not say in “stage” what it is.");
                var fields = new StageFields(element, $"a {sort.Name} stage");
                _ = fields.Text(Sort);
                var isOff = fields.Flag(Off, false);
                var stage = sort.Read(fields);
                fields.End();
                return isOff ? new OffStage(stage) : stage;
            }
            catch (Exception exception) when (exception is FormatException or ArgumentException)
            {
                throw new JsonException(exception.Message, exception);
            }
        }

        public override void Write(Utf8JsonWriter writer, Stage value, JsonSerializerOptions options)
        {
            writer.WriteStartObject();
            writer.WriteString(Sort, value.Sort.Word);
            value.Sort.Write(value is OffStage off ? off.Inner : value, writer);
            if (value is OffStage)
                writer.WriteBoolean(Off, true);
            writer.WriteEndObject();
        }
    }
}
