using System.Globalization;
using Weiche.Core.Midi;
using Weiche.Core.Sets;
using Weiche.Core.Stages;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;

namespace Weiche.Core.Checks;

/// <summary>Streams with a channel for each finger (MIDI Polyphonic Expression 1.1): kept whole all the way, or not.</summary>
internal static class MpeChecks
{
    internal static IEnumerable<Finding> Of(Flow flow, WaySearch search)
    {
        foreach (
            var pair in search
                .Found.Where(found => found.From.Zones.Length > 0)
                .SelectMany(found => found.Ways)
                .Where(way => !way.IsLocal && way.From.Id != way.Hearer.Id)
                .GroupBy(way => (way.From.Id, way.Hearer.Id))
        )
        {
            if (Lost([.. pair]) is { } lost)
                yield return lost;
            foreach (var way in pair)
            {
                var routes = WayWords.RoutesOf(way.Steps);
                var problem = way.Hearer.Zones.Length > 0 ? Broken(way) : Collapsed(way);
                if (problem is null)
                    continue;
                yield return new Finding(
                    FindingKind.Mpe,
                    way.Hearer.Zones.Length > 0 ? Severity.Warning : Severity.Notice,
                    $"mpe-{pair.Key.Item1}-{pair.Key.Item2}",
                    way.Hearer.Zones.Length > 0
                        ? $"{way.From.Name} does not get whole to {way.Hearer.Name}"
                        : $"{way.Hearer.Name} does not keep the fingers of {way.From.Name} apart",
                    problem
                )
                {
                    Routes = routes,
                    Proposed = [.. Mend(way)],
                };
                break;
            }
        }
    }

    /// <summary>Fingers that a plain sound does not hear, since it listens to few channels: merged to one of them all would
    /// sound.</summary>
    private static Finding? Lost(List<HeardWay> ways)
    {
        var (from, hearer) = (ways[0].From, ways[0].Hearer);
        var fingers = from.Zones.SelectMany(Members).Where(from.Sends.Contains).ToList();
        var heard = fingers.Count(channel => ways.Exists(way => way.Sent.NoteKeys(channel.Index) != 0));
        // A route that chooses channels means it, and what gets there through another device's sound or program is that one's business.
        var route = ways.Where(way =>
                way.Steps.All(step =>
                    step.Link?.Inner is null or { Kind: InnerPathKind.Thru } && !step.Stages.Any(stage => stage is ChannelsStage)
                )
            )
            .Select(way => way.Steps.LastOrDefault(step => step.Route is not null)?.Route)
            .FirstOrDefault(last => last is not null);
        if (route is null || hearer.Zones.Length > 0 || heard == 0 || heard == fingers.Count || hearer.Listens.Count is 0 or Channel.Count)
            return null;
        var merge = new ChannelsStage(ChannelMap.Nothing.Leading(ChannelSet.All, hearer.Listens.Members.First()));
        return new Finding(
            FindingKind.Mpe,
            Severity.Warning,
            $"mpe-lost-{from.Id}-{hearer.Id}",
            $"{hearer.Name} loses fingers of {from.Name}",
            string.Create(
                CultureInfo.InvariantCulture,
                $"{from.Name} plays each finger on a channel of its own, and {hearer.Name} listens to {(hearer.Listens.Count == 1 ? "channel" : "channels")} {hearer.Listens}: of {fingers.Count} fingers {heard} {(heard == 1 ? "is" : "are")} heard."
            )
        )
        {
            Routes = WayWords.RoutesOf(ways.SelectMany(way => way.Steps)),
            Proposed = [new AddStage(route.Id, merge)],
        };
    }

    /// <summary>What is not as the zones of both ends need it, or null.</summary>
    private static string? Broken(HeardWay way)
    {
        foreach (var zone in way.From.Zones)
        {
            if (way.Hearer.Zones.FirstOrDefault(other => other.Lower == zone.Lower) is not { } other)
                return $"{way.From.Name} plays in the {(zone.Lower ? "lower" : "upper")} zone, and {way.Hearer.Name} has none.";
            foreach (var channel in Members(zone))
            {
                if (!way.From.Sends.Contains(channel))
                    continue;
                foreach (
                    var message in (ReadOnlySpan<MidiMessage>)
                        [
                            MidiMessage.NoteOn(channel, 60, 96),
                            MidiMessage.Raw(0xE0 | channel.Index, 0, 64),
                            MidiMessage.Raw(0xD0 | channel.Index, 64, 0),
                        ]
                )
                {
                    if (!way.From.SendsKinds.Contains(message.Kind) || message.Kind == MessageKind.Note)
                        continue;
                    if (Step.Run(way.Steps, message) is not [var one] || one.ChannelIndex != channel.Index)
                        return string.Create(
                            CultureInfo.InvariantCulture,
                            $"The {message.Kind.Name()} of channel {channel} is stopped or moved on the way: each finger needs its own channel, from end to end."
                        );
                }
                var keys =
                    way.Shape.ChannelsOf(channel) == ChannelSet.None.With(channel, true)
                        ? (int)UInt128.PopCount(way.Sent.NoteKeys(channel.Index))
                        : 0;
                if (keys == 0)
                    return string.Create(
                        CultureInfo.InvariantCulture,
                        $"Channel {channel} is stopped or moved on the way: each finger needs its own channel, from end to end."
                    );
                if (keys < 128)
                    return string.Create(
                        CultureInfo.InvariantCulture,
                        $"Of channel {channel} only some keys get through, while its bend and pressure do: a finger's note is cut off from its movement."
                    );
            }
            if (other.BendRange != zone.BendRange)
                return $"The bend range is not agreed: {zone.BendRange} semitones at {way.From.Name}, {other.BendRange} at "
                    + $"{way.Hearer.Name}. Every bend is out of tune.";
            if (other.Members < zone.Members)
                return $"{way.From.Name} uses {zone.Members} channels for its fingers, {way.Hearer.Name} listens to {other.Members}.";
        }
        return null;
    }

    private static string? Collapsed(HeardWay way)
    {
        var members = way.From.Zones.SelectMany(Members).Where(way.From.Sends.Contains).ToList();
        var sent = members.Where(channel => way.Sent.NoteKeys(channel.Index) != 0).ToList();
        if (sent.Count < 2)
            return null;
        var arrive = sent.SelectMany(channel => way.Shape.ChannelsOf(channel).Members).Distinct().Count();
        if (arrive >= sent.Count)
            return null;
        return string.Create(
            CultureInfo.InvariantCulture,
            $"{way.From.Name} plays each finger on a channel of its own, {sent.Count} in all; {way.Hearer.Name} does not speak MPE and hears {(arrive <= 1 ? "them on one" : $"them on {arrive}")}: the bend of one finger bends all."
        );
    }

    private static IEnumerable<StudioEdit> Mend(HeardWay way)
    {
        foreach (var step in way.Steps.Where(step => step.Route is not null))
        {
            for (var i = 0; i < step.Stages.Length; i++)
            {
                if (step.Stages[i] is ChannelsStage { KeepWhole: false } channels && way.Hearer.Zones.Length > 0)
                    yield return new SetStage(step.Route!.Id, i, channels with { KeepWhole = true });
                if (step.Stages[i] is KeysStage && way.Hearer.Zones.Length > 0)
                    yield return new RemoveStage(step.Route!.Id, i, step.Stages[i].Name);
            }
        }
        if (
            way.From.Zones is [var zone]
            && way.Hearer.Zones is [var other]
            && zone.Lower == other.Lower
            && zone.BendRange != other.BendRange
        )
            yield return new SetZones(way.Hearer.Id, other.Lower ? other.Members : 0, other.Lower ? 0 : other.Members, zone.BendRange);
    }

    private static IEnumerable<Channel> Members(MpeZone zone) =>
        Channel.All.Where(channel =>
            zone.Lower ? channel.Index >= 1 && channel.Index <= zone.Members : channel.Index <= 14 && channel.Index >= 15 - zone.Members
        );
}
