using System.Globalization;
using Weiche.Core.Midi;
using Weiche.Core.Sets;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;
using static Weiche.Core.Checks.WayWords;

namespace Weiche.Core.Checks;

/// <summary>The same message reaching the same device twice: by two routes, by a route and another way through the room, or by a
/// keyboard's own keys and a way back to it.</summary>
/// <remarks>Two ways make a double where both bring something of the same message and channel, and of the same key, controller or
/// program. A layer an octave apart, or on another channel, is none. The velocity does not matter: the key is struck twice.</remarks>
internal static class Doubles
{
    /// <summary>Of the ways from one origin to one hearer the first two by which a message arrives twice, and that message; null if there
    /// are none.</summary>
    internal static (HeardWay One, HeardWay Other, MidiMessage Witness)? Find(List<HeardWay> ways)
    {
        foreach (var (one, other) in Pairs(ways))
        {
            if ((ReferenceEquals(one, other) ? one.Twice : Witness(one, other)) is { } witness)
                return (one, other, witness);
        }
        return null;
    }

    /// <summary>A message that arrives as the same by both ways, or, of a way and itself, twice by it; null if none does.</summary>
    internal static MidiMessage? Witness(HeardWay one, HeardWay other)
    {
        var itself = ReferenceEquals(one, other);
        var onAnyChannel = one.IsLocal || other.IsLocal;
        var channels = onAnyChannel
            ? ChannelSet.All
            : ChannelSet.FromBits(itself ? one.Shape.ChannelsTwice : one.Shape.ChannelsInCommon(other.Shape));
        var keys = itself ? one.Shape.KeysTwice : one.Shape.KeysInCommon(other.Shape);
        var renumbers = one.Shape.Renumbers || other.Shape.Renumbers;
        // Of a way and itself either the channels or the keys meet; of two ways both must.
        if (
            itself
                ? channels.Count == 0 && keys == 0 && !renumbers
                : channels.Count == 0 && !renumbers && one.Heard.Intersect(other.Heard).SystemBits == 0
        )
            return null;
        // Mostly one of the first that are sent is heard by both; only if none is, what is heard by both is worked out.
        foreach (var message in itself ? [] : InCommon(one.All).Take(FirstTried))
        {
            if (IsTwice(one, other, message, onAnyChannel))
                return message;
        }
        var both = one.Sent.Intersect(other.Sent);
        if (both.IsEmpty)
            return null;
        var sure = itself ? [] : InCommon(both);
        var rest = both.Members(MessageKinds.All.Where(kind => itself || renumbers || !kind.HasChannel()));
        foreach (var message in sure.Concat(rest))
        {
            if (IsTwice(one, other, message, onAnyChannel))
                return message;
        }
        return null;

        IEnumerable<MidiMessage> InCommon(MessageSet set) => set.Members(Plain, channels, keys);
    }

    private const int FirstTried = 24;

    private static readonly MessageKind[] Plain = [.. MessageKinds.All.Where(MessageKinds.HasChannel)];

    private static bool IsTwice(HeardWay one, HeardWay other, MidiMessage message, bool onAnyChannel)
    {
        var arriving = one.Arriving(message);
        if (!ReferenceEquals(one, other))
            return other.Arriving(message) is { Count: > 0 } twins
                && arriving.Exists(each => twins.Exists(twin => IsSame(each, twin, onAnyChannel)));
        return arriving.ConvertAll(Sort).Distinct().Count() < arriving.Count;
    }

    /// <summary>The findings.</summary>
    internal static IEnumerable<Finding> Of(Flow flow, WaySearch search) => search.Found.SelectMany(from => from.Doubled(flow));

    /// <summary>Devices that can be played, sound and are played from here, of which nobody has said whether their keys play their own
    /// sound: whether anything arrives twice there is not known.</summary>
    internal static IEnumerable<Finding> Unknown(Flow flow)
    {
        var (routes, memory) = (flow.Studio.Routes, flow.Room.Memory.Unknown);
        var known = memory.Find(routes, static (known, routes) => known.Routes == routes);
        return (known ?? memory.Keep(new RoomMemory.OfRoutes(routes, [.. Unknown(flow.Studio)]))).Findings;
    }

    private static IEnumerable<Finding> Unknown(Studio studio)
    {
        var played = studio.Routes.Select(route => studio.FindPort(route.To)?.Device.Id).ToHashSet();
        return from device in studio.Devices
               where device.PlaysItself && device.LocalControl is null && played.Contains(device.Id)
               select new Finding(
                   FindingKind.Asked,
                   Severity.Notice,
                   $"local-{device.Id}",
                   $"Does {device.Name} play its own sound?",
                   $"{device.Name} can be played and makes a sound, and nobody has said whether the two are joined in it (local control). "
                       + "Until then nobody can say whether what is sent to it sounds twice."
               )
               {
                   Proposed = [new SayLocalControl(device.Id, true), new SayLocalControl(device.Id, false)],
               };
    }

    /// <summary>What arrives twice by the ways from one origin to one hearer, or null.</summary>
    internal static Finding? Of(Flow flow, List<HeardWay> ways)
    {
        if (Find(ways) is not var (one, other, witness))
            return null;
        var told = new[] { one, other }.Select(way => Told(flow, way, witness)).ToArray();
        var apart = (told[0].Delay - told[1].Delay).Length;
        var own = one.From.Id == one.Hearer.Id;
        var title = own ? $"{one.Hearer.Name} plays its own keys twice" : $"{one.From.Name} reaches {one.Hearer.Name} twice";
        var distance = apart == MidiSpan.Zero ? "at the same time" : $"{apart.Exactly()} apart";
        var by = ReferenceEquals(one, other) ? $"twice by {told[0].Name}" : $"by {told[0].Name} and by {told[1].Name}";
        Step[] steps = [.. one.Steps, .. other.Steps];
        return new Finding(
            FindingKind.Doubled,
            Severity.Warning,
            string.Create(CultureInfo.InvariantCulture, $"double-{flow.Places[one.Origin]!.Value.Id}-{one.Hearer.Id}"),
            title,
            $"{WordList.Capital(MessageAt(witness, flow.Studio.KeyNaming))} gets to {one.Hearer.Name} {by}, {distance}."
        )
        {
            Ways = [.. told],
            Routes = RoutesOf(steps),
            Paths = [.. PathsOf(steps), .. Local(one), .. Local(other)],
            Outside = OutsideOf(steps),
            Evidence = [Harm(witness.Kind, apart)],
        };
    }

    /// <summary>What it does to hear a message of a kind twice.</summary>
    private static string Harm(MessageKind kind, MidiSpan apart) =>
        kind switch
        {
            MessageKind.Note => apart.Microseconds is > 0 and < 30_000
                ? "So close together it is one sound that is too loud and hollow: each note cancels part of itself."
                : "Each note is struck twice, and a note-off ends only one of the two.",
            MessageKind.SystemExclusive =>
                "Each dump is taken in twice: it costs the wire twice the time, and the second may come while the first is still "
                    + "being stored.",
            MessageKind.Clock or MessageKind.QuarterFrame => "What follows it counts every beat twice: it runs at double tempo.",
            MessageKind.Start or MessageKind.Continue or MessageKind.Stop or MessageKind.SongPosition or MessageKind.SongSelect =>
                "It is told twice to start or to go somewhere: the second may set it back to the beginning.",
            MessageKind.ProgramChange => "The sound is called up twice: what is held may be cut the second time.",
            MessageKind.ActiveSensing => "It does no harm to what sounds, and costs the wire twice the time.",
            _ => "Each value is set twice: it costs the wire twice the time, and steps that count up or down are counted twice.",
        };

    private static IEnumerable<(DeviceId, InnerPathId)> Local(HeardWay way) =>
        way.IsLocal ? [(way.From.Id, way.From.LocalControl!.Id)] : [];

    private static FoundWay Told(Flow flow, HeardWay way, MidiMessage witness)
    {
        if (way.IsLocal)
            return new FoundWay("its own keys (local control)", [], way.From.LocalControl!.Delay);
        var strides = new List<MessageStep>();
        var here = witness;
        foreach (var step in way.Steps)
        {
            var became = step.Run(here);
            if (became.IsEmpty)
                break;
            strides.Add(new MessageStep(step, here, became[0]));
            here = became[0];
        }
        var legs = flow.Words.Legs(strides);
        var begin = flow.PortAt(way.Origin) is { IsSource: true } port ? port.Port.Wire.UsualDelay() : MidiSpan.Zero;
        var name = string.Join(
            ", then ",
            way.Steps.Where(step => step.Route is not null && flow.Places[step.To] is not null)
                .Select(step => $"the route {flow.Words.NameOf(step.Route!)}")
        );
        return new FoundWay(name.Length > 0 ? name : "the cables", legs, begin + MidiSpan.Sum(legs.Select(leg => leg.Delay)));
    }

    private static IEnumerable<(HeardWay, HeardWay)> Pairs(List<HeardWay> ways)
    {
        // Who gets to a place by more ways than this hears of the first pair among them soon enough.
        for (var i = 0; i < Math.Min(ways.Count, 16); i++)
        {
            if (ways[i].Steps.Any(step => !step.Stages.IsEmpty))
                yield return (ways[i], ways[i]);
            for (var j = i + 1; j < Math.Min(ways.Count, 16); j++)
                yield return (ways[i], ways[j]);
        }
    }

    /// <summary>Whether two messages are the same but for their values. Keys play their own sound whatever channel they send on.</summary>
    private static bool IsSame(MidiMessage one, MidiMessage other, bool onAnyChannel) =>
        Sort(onAnyChannel && one.HasChannel ? one.OnChannelIndex(0) : one)
        == Sort(onAnyChannel && other.HasChannel ? other.OnChannelIndex(0) : other);

    /// <summary>What makes two messages the same: all but the value.</summary>
    private static (MessageKind, int, int) Sort(MidiMessage message) =>
        message.Kind switch
        {
            MessageKind.PitchBend or MessageKind.ChannelPressure => (message.Kind, message.ChannelIndex, 0),
            _ when message.HasChannel => (message.Kind, message.ChannelIndex, message.Data1),
            _ => (message.Kind, 0, 0),
        };
}
