using System.Collections.Concurrent;
using System.Collections.Immutable;
using System.Globalization;
using Weiche.Core.Midi;
using Weiche.Core.Stages;
using Weiche.Core.Studios;
using Weiche.Core.Ways;

namespace Weiche.Core.Checks;

/// <summary>Puts ways through the graph into words: which legs they have, what they take, how long.</summary>
/// <param name="flow">The graph.</param>
internal sealed class WayWords(Flow flow)
{
    // What was asked for is remembered: the same places and steps come in many ways.
    private readonly string?[] _names = new string?[flow.Places.Length];
    private readonly string?[] _says = new string?[flow.Places.Length];
    private readonly ConcurrentDictionary<RouteId, string> _routes = [];
    private readonly ConcurrentDictionary<Step, string> _signs = [];

    private KeyNaming Names => flow.Studio.KeyNaming;

    /// <summary>A step with the message before and after it.</summary>
    internal readonly record struct MessageStep(Step Step, MidiMessage Came, MidiMessage Became);

    /// <summary>A closed way as legs, from one of its sources on: the one that sends the message by itself if there is one.</summary>
    internal ImmutableArray<Leg> Ring(IReadOnlyList<MessageStep> strides)
    {
        var start = Find(stride =>
            IsSource(stride.Step.From)
            && flow.PortAt(stride.Step.From)!.Value.Device is var device
            && !device.IsVirtualPort()
            && !device.Kind.Facts().Monitors
        );
        if (start < 0)
            start = Find(stride => IsSource(stride.Step.From));
        if (start < 0)
            start = Find(stride => flow.PortAt(stride.Step.From) is not null);
        if (start < 0)
            start = Math.Max(0, Find(stride => flow.Places[stride.Step.From] is not null));
        return Legs([.. strides.Skip(start), .. strides.Take(start)]);

        int Find(Func<MessageStep, bool> wanted)
        {
            for (var i = 0; i < strides.Count; i++)
            {
                if (wanted(strides[i]))
                    return i;
            }
            return -1;
        }
    }

    /// <summary>A way as legs: from port to port where it meets ports, else from jack to jack.</summary>
    internal ImmutableArray<Leg> Legs(List<MessageStep> strides)
    {
        var legs = ImmutableArray.CreateBuilder<Leg>();
        var meetsPorts = strides.Any(stride => flow.PortAt(stride.Step.From) is not null);
        for (var i = 0; i < strides.Count;)
        {
            var first = i;
            do i++;
            while (
                i < strides.Count && (meetsPorts ? flow.PortAt(strides[i].Step.From) is null : flow.Places[strides[i].Step.From] is null)
            );
            var part = strides.GetRange(first, i - first);
            var delay = MidiSpan.Zero;
            foreach (var stride in part)
                delay += DelayOf(stride);
            var from = part[0].Step.From;
            legs.Add(
                new Leg(
                    NameOf(from),
                    SaysAt(from),
                    flow.PortAt(from)?.Id,
                    WayOf(part),
                    part.Find(stride => stride.Step.Route is not null).Step?.Route!.Id,
                    MessageAt(part[^1].Became, Names),
                    delay
                )
            );
        }
        return legs.ToImmutable();
    }

    /// <summary>How long a step takes for a message.</summary>
    internal MidiSpan DelayOf(MessageStep stride)
    {
        if (stride.Step.Link is { } link)
            return link.Delay + link.ByteTime * (1 + stride.Became.DataLength);
        return flow.PortAt(stride.Step.To) is { Port.Jack: null } to ? to.Port.Wire.UsualDelay() : MidiSpan.Zero;
    }

    internal string NameOf(int place) =>
        _names[place] ??= flow.Places[place] switch
        {
            { Kind: PlaceKind.Port or PlaceKind.Own } end => flow.Studio.FindPort(new PortId(end.Id))!.Value.Label,
            { Kind: PlaceKind.Jack } end when flow.Studio.FindJack(new JackId(end.Id)) is { } jack =>
                $"{jack.Device.Name} {jack.Jack.Name}",
            _ => "",
        };

    /// <summary>A route in words: "Amsel 61 → Zinn 5".</summary>
    internal string NameOf(Route route) =>
        _routes.GetOrAdd(route.Id, static (_, given) => given.Studio.Describe(given.Route), (flow.Studio, Route: route));

    /// <summary>A message in words without its value, which does not matter here: "C3 on channel 3", "controller 1 on channel 4".</summary>
    internal static string MessageAt(in MidiMessage message, KeyNaming names)
    {
        var what = message.Kind switch
        {
            MessageKind.Note => names.Of(message.Data1),
            MessageKind.PolyPressure => $"pressure of {names.Of(message.Data1)}",
            MessageKind.ControlChange or MessageKind.ChannelMode => string.Create(
                CultureInfo.InvariantCulture,
                $"controller {message.Data1}"
            ),
            MessageKind.ProgramChange => string.Create(CultureInfo.InvariantCulture, $"program {message.Data1 + 1}"),
            var kind => kind.Name(),
        };
        return message.HasChannel ? string.Create(CultureInfo.InvariantCulture, $"{what} on channel {message.ChannelIndex + 1}") : what;
    }

    /// <summary>The connections of other programs on a way.</summary>
    internal static ImmutableArray<OutsideCable> OutsideOf(IEnumerable<Step> steps) =>
        [.. steps.Select(step => step.Link?.Outside).OfType<OutsideCable>().Distinct()];

    /// <summary>The inner paths on a way.</summary>
    internal static ImmutableArray<(DeviceId, InnerPathId)> PathsOf(IEnumerable<Step> steps) =>
        [.. steps.Where(step => step.Link?.Inner is not null).Select(step => (step.Link!.Device.Id, step.Link.Inner!.Id)).Distinct()];

    internal static ImmutableArray<RouteId> RoutesOf(IEnumerable<Step> steps) =>
        [.. steps.Select(step => step.Route?.Id).OfType<RouteId>().Distinct()];

    /// <summary>What stands where a step stops everything of a message: "no clock", "a route that diverts".</summary>
    internal static string StopOf(Studio studio, Step step, in MidiMessage message)
    {
        if (step.Taken.Contains(message))
            return step.Followed.Contains(message.Kind) ? "the studio's clock" : "a route that diverts";
        _ = Stage.Run(step.Stages, [message], out var at, out _);
        return at is { } stage ? step.Stages[stage].Sign(studio.KeyNaming) : "";
    }

    private bool IsSource(int place) => flow.PortAt(place) is { IsSource: true };

    private string SaysAt(int place) => _says[place] ??= Says(place);

    private string Says(int place)
    {
        if (flow.PortAt(place) is not { } port)
            return "";
        if (port.Device.IsVirtualPort())
            return "virtual port";
        var channels =
            port.Channels.Count == Channel.Count ? ""
            : port.Channels.Count == 0 ? "no channel"
            : $"ch {port.Channels}";
        var does =
            port.IsSource ? "sends"
            : port.Device.Sounds ? "sounds"
            : "listens";
        return channels.Length == 0
            ? does
            : $"{does} {(port.IsSource ? "" : "to ")}{channels}".Replace("sounds to", "sounds", StringComparison.Ordinal);
    }

    /// <summary>An inner path in words: "echo · sequencer page".</summary>
    private static string Sort(InnerPath path) =>
        path.Kind switch
        {
            InnerPathKind.Thru => "thru",
            InnerPathKind.Echo => $"echo · {path.Name}",
            InnerPathKind.Monitor => $"monitor · {path.Name}",
            _ => path.Name,
        };

    /// <summary>What the stages of a step do: "no clock · ch 1 → 3"; empty for none.</summary>
    private string SignsOf(Step step) =>
        string.Join(" · ", step.Stages.Where(stage => stage is not OffStage).Select(stage => stage.Sign(Names)));

    private string WayOf(List<MessageStep> part)
    {
        if (part.FindLast(stride => stride.Step.Route is not null).Step is { Route: { } route } step)
        {
            var signs = _signs.GetOrAdd(step, SignsOf);
            var from = route.From is OneSource ? "route" : $"route of {flow.Studio.NameOf(route.From)}";
            return signs.Length > 0 ? $"{from} · {signs}" : from;
        }
        var inner = part.Where(stride => stride.Step.Link is { Kind: LinkKind.Inner })
            .Select(stride =>
                $"{Sort(stride.Step.Link!.Inner!)}{string.Concat(stride.Step.Stages.Select(stage => " · " + stage.Sign(Names)))}"
            )
            .ToList();
        if (inner.Count > 0)
            return string.Join(", ", inner);
        if (part.Any(stride => stride.Step.Link?.Outside is not null))
            return "another program";
        return part.Any(stride => stride.Step.Link is { Kind: LinkKind.Virtual }) ? "comes out again" : "cable";
    }
}
