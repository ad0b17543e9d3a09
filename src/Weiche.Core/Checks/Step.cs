using System.Collections.Immutable;
using Weiche.Core.Midi;
using Weiche.Core.Sets;
using Weiche.Core.Stages;
using Weiche.Core.Studios;
using Weiche.Core.Ways;

namespace Weiche.Core.Checks;

/// <summary>A step of the graph that messages run through: a route, or one of the ways in the room.</summary>
/// <remarks>It remembers what it made of sets. One that is the same in the next version of a studio is taken from the version before,
/// memory and all.</remarks>
/// <param name="from">The place where it begins, by number.</param>
/// <param name="to">The place where it ends, by number.</param>
/// <param name="route">The route, or null. A route with several sources is a step from each of them to a place of its own, and
/// one step from there on, so that its stages are gone through once.</param>
/// <param name="link">The way in the room, or null.</param>
/// <param name="stages">What messages go through on it.</param>
/// <param name="taken">What never gets onto it: what routes that divert take away before, and what the studio's clock brings instead.</param>
/// <param name="followed">The kinds that the studio's clock brings to where it ends, and no route.</param>
/// <param name="alike">One of another version with the same stages, which takes the same; null for none.</param>
internal sealed class Step(
    int from,
    int to,
    Route? route,
    Link? link,
    ImmutableArray<Stage> stages,
    MessageSet taken,
    KindSet followed = default,
    Step? alike = null
)
{
    private readonly SetMemo _images = alike?._images ?? new SetMemo();
    private readonly SetMemo _preImages = alike?._preImages ?? new SetMemo();
    private KnownLoss? _losses;
    private KnownMeeting? _meets;
    private KnownMeeting? _metBefore;
    private WayShape? _shape;

    // The number of its controller; 0 for none, less while nobody has asked.
    private int _leftDown = -1;

    internal int From => from;

    internal int To => to;

    internal Route? Route => route;

    internal Link? Link => link;

    internal ImmutableArray<Stage> Stages => stages;

    internal MessageSet Taken => taken;

    internal KindSet Followed => followed;

    /// <summary>Whether everything that begins it ends it as it was.</summary>
    internal bool IsPlain => stages.IsEmpty && taken.IsEmpty;

    internal MessageSet Image(MessageSet set) =>
        IsPlain || set.IsEmpty ? set : _images.Find(set) ?? _images.Keep(set, Stage.ImageOf(stages, set.Except(taken)));

    internal MessageSet PreImage(MessageSet set) =>
        IsPlain || set.IsEmpty ? set : _preImages.Find(set) ?? _preImages.Keep(set, Stage.PreImageOf(stages, set).Except(taken));

    /// <summary>What it does to channels and keys.</summary>
    internal WayShape Shape => _shape ??= WayShape.Of(stages);

    /// <summary>A pedal that goes down on it and never comes up again, as its controller's number; null for none.</summary>
    internal int? PedalLeftDown
    {
        get
        {
            if (_leftDown < 0)
                _leftDown = StuckRisks.LeftDown(this) ?? 0;
            return _leftDown > 0 ? _leftDown : null;
        }
    }

    /// <summary>What a step brings to where it ends that is not heard there, where whole channels are lost; null where none is.</summary>
    /// <param name="came">What can be where it begins.</param>
    /// <param name="heard">What is heard of what is where it ends.</param>
    internal Loss? LostWith(MessageSet came, MessageSet heard)
    {
        if (_losses is { } known && ReferenceEquals(known.Came, came) && ReferenceEquals(known.Heard, heard))
            return known.Loss;
        var loss = Find();
        _losses = new KnownLoss(came, heard, loss);
        return loss;

        Loss? Find()
        {
            var arrives = Image(came);
            if (heard.HasAllOf(arrives))
                return null;
            var brings = arrives.Intersect(MessageSet.OnChannels);
            var lost = brings.Except(heard);
            var heardOn = brings.Except(lost).ChannelsIn();
            return lost.ChannelsIn().Members.All(heardOn.Contains) ? null : new Loss(brings, lost, heardOn);
        }
    }

    /// <summary>Whether any of what a step brings to where it ends is among some messages.</summary>
    /// <param name="came">What can be where it begins.</param>
    /// <param name="wanted">The messages.</param>
    internal bool BringsAnyOf(MessageSet came, MessageSet wanted)
    {
        // What sounds and what is listened to are asked for in turn.
        var (last, before) = (_meets, _metBefore);
        if (last?.IsOf(came, wanted) == true)
            return last.Any;
        if (before?.IsOf(came, wanted) == true)
            return before.Any;
        var now = new KnownMeeting(came, wanted, Image(came).Overlaps(wanted));
        (_metBefore, _meets) = (last, now);
        return now.Any;
    }

    private sealed record KnownMeeting(MessageSet Came, MessageSet Wanted, bool Any)
    {
        internal bool IsOf(MessageSet came, MessageSet wanted) => ReferenceEquals(Came, came) && ReferenceEquals(Wanted, wanted);
    }

    /// <summary>What is lost at the end of a step.</summary>
    /// <param name="Brings">What the step brings on channels.</param>
    /// <param name="Lost">What of that is not heard.</param>
    /// <param name="HeardOn">The channels on which something is heard.</param>
    internal sealed record Loss(MessageSet Brings, MessageSet Lost, ChannelSet HeardOn);

    private sealed record KnownLoss(MessageSet Came, MessageSet Heard, Loss? Loss);

    /// <summary>The messages from which at least two ways lead on (<see cref="Stage.PreImageTwice"/>).</summary>
    internal MessageSet PreImageTwice(MessageSet once, MessageSet twice)
    {
        for (var i = stages.Length - 1; i >= 0; i--)
        {
            twice = stages[i].PreImageTwice(once, twice);
            once = stages[i].PreImage(once);
        }
        return twice.Except(taken);
    }

    /// <summary>What one message becomes on it, each as often as it does.</summary>
    internal ImmutableArray<MidiMessage> Run(in MidiMessage message) =>
        taken.Contains(message) ? [] : Stage.Run(stages, [message], out _, out _);

    /// <summary>What one message becomes on steps one after the other, each as often as it does.</summary>
    internal static List<MidiMessage> Run(Step[] steps, MidiMessage message)
    {
        // Most stages make one of one: then nothing is put together on the way.
        Span<MidiMessage> results = stackalloc MidiMessage[Stage.MaxFanOut];
        var one = message;
        foreach (var step in steps)
        {
            if (step.Taken.Contains(one))
                return [];
            foreach (var stage in step.Stages)
            {
                var count = stage.Apply(one, results);
                if (count == 0)
                    return [];
                if (count > 1)
                    return Spread(steps, message);
                one = results[0];
            }
        }
        return [one];

        static List<MidiMessage> Spread(Step[] steps, MidiMessage message)
        {
            var here = new List<MidiMessage> { message };
            foreach (var step in steps)
                here = [.. here.SelectMany(each => step.Run(each))];
            return here;
        }
    }
}
