using System.Collections.Immutable;
using System.Globalization;
using Weiche.Core.Midi;
using Weiche.Core.Stages;
using Weiche.Core.Studios;

namespace Weiche.Core.Ways;

/// <summary>What becomes of messages at the end of a step.</summary>
public enum TraceEnd
{
    /// <summary>They go on from here: by a route, a cable or a way through a device.</summary>
    GoesOn,

    /// <summary>A device hears them and makes a sound of them.</summary>
    Sounds,

    /// <summary>A device hears them; there is no sound of them.</summary>
    Heard,

    /// <summary>They arrive at a device that does not listen to them.</summary>
    NotListened,

    /// <summary>A stage stops all of them, or a switch, a divert or a solo keeps them.</summary>
    Stopped,

    /// <summary>They have been here before: from here on the way repeats itself.</summary>
    Again,

    /// <summary>Nothing leads on from here.</summary>
    Nowhere,
}

/// <summary>One step that messages take.</summary>
/// <param name="After">The step before it, by its number in the list; −1 for the first ones.</param>
/// <param name="Route">The route it is, or null.</param>
/// <param name="Link">The cable, socket or inner path that it is, or null.</param>
/// <param name="Came">The messages before it.</param>
/// <param name="Became">The messages after it; empty if none is left.</param>
/// <param name="StoppedAt">The stage that stops all of them, from 0, or null.</param>
/// <param name="Device">The device that is reached, or that hears them; null if the step ends on the way.</param>
/// <param name="End">What becomes of them there.</param>
/// <param name="Words">What becomes of them, in words; empty where they just go on.</param>
/// <param name="Delay">How long they have been on their way at its end.</param>
public sealed record TraceStep(
    int After,
    Route? Route,
    Link? Link,
    ImmutableArray<MidiMessage> Came,
    ImmutableArray<MidiMessage> Became,
    int? StoppedAt,
    Device? Device,
    TraceEnd End,
    string Words,
    MidiSpan Delay
);

/// <summary>What would become of one message in the whole studio, worked out without sending it.</summary>
/// <remarks>It goes by the rules of the engine on routes (<see cref="RouteTrace"/>), and on through cables, sockets, thrus, echoes,
/// monitors and virtual ports that are open. A device's sound listens to its channels and kinds; what passes through the device
/// does so all the same. Delays are those of the wires (320 µs a byte on DIN, waited for where bytes are sent anew), the inner
/// paths and what the other wires usually take; the engine's own time is left out.</remarks>
public sealed record Trace
{
    /// <summary>The most steps that are followed.</summary>
    public const int MaxSteps = 4096;

    private Trace(DevicePort source, MidiMessage message, ImmutableArray<TraceStep> steps, bool isWhole, string sentence)
    {
        Source = source;
        Message = message;
        Steps = steps;
        IsWhole = isWhole;
        Sentence = sentence;
    }

    /// <summary>The source it comes from.</summary>
    public DevicePort Source { get; }

    /// <summary>The message.</summary>
    public MidiMessage Message { get; }

    /// <summary>The steps, each after the one that it goes on from.</summary>
    public ImmutableArray<TraceStep> Steps { get; }

    /// <summary>Whether all of the way was followed, or only its first <see cref="MaxSteps"/> steps.</summary>
    public bool IsWhole { get; }

    /// <summary>All of it in one sentence: "sounds on Brandung; stopped on the way to Zinn; nothing else".</summary>
    public string Sentence { get; }

    /// <summary>Follows a message.</summary>
    /// <param name="studio">The studio.</param>
    /// <param name="source">The source it comes from, one of the studio.</param>
    /// <param name="message">The message; not a system exclusive whose bytes matter, since no stage looks at them.</param>
    /// <exception cref="ArgumentException">The studio has no such source.</exception>
    public static Trace Of(Studio studio, PortId source, in MidiMessage message)
    {
        var port = studio.FindPort(source) is { IsSource: true } found
            ? found
            : throw new ArgumentException("There is no such source.", nameof(source));
        var walk = new Walk(studio);
        walk.Begin(port, message);
        return new Trace(port, message, [.. walk.Steps], walk.IsWhole, Say(studio, walk.Steps, message));
    }

    /// <summary>The trace as lines, each step under the one that it goes on from. Steps that only lead from a port to its socket
    /// and say nothing are left out.</summary>
    /// <param name="studio">The studio.</param>
    public IEnumerable<(int Depth, string Way, string Words, TraceStep Step)> Lines(Studio studio) => Under(studio, -1, 0);

    private IEnumerable<(int Depth, string Way, string Words, TraceStep Step)> Under(Studio studio, int after, int depth)
    {
        for (var i = 0; i < Steps.Length; i++)
        {
            if (Steps[i].After != after)
                continue;
            var step = Steps[i];
            var shown = step.Link is not { Kind: LinkKind.Socket } || step.Words.Length > 0;
            if (shown)
                yield return (
                    depth,
                    WayOf(studio, step),
                    step.Words.Length > 0
                        ? step.Words
                        : WordList.Of([.. step.Became.Select(each => Spoken(each, studio.KeyNaming)).Distinct()]),
                    step
                );
            foreach (var line in Under(studio, i, shown ? depth + 1 : depth))
                yield return line;
        }
    }

    private static string WayOf(Studio studio, TraceStep step)
    {
        if (step.Route is { } route)
            return $"route to {studio.FindPort(route.To)!.Value.Name}";
        var link = step.Link!;
        return link.Kind switch
        {
            LinkKind.Cable when studio.FindJack(new JackId(link.To.Id)) is { } jack => $"cable to {jack.Device.Name} {jack.Jack.Name}",
            LinkKind.Inner => $"{link.Device.Name}: {link.Inner!.Name}",
            LinkKind.Virtual => $"out of {link.Device.Name}",
            LinkKind.Outside when studio.FindPort(new PortId(link.To.Id)) is { } port =>
                $"{(port.IsSource ? "as if from" : "to")} {port.Name}, connected by another program",
            _ => link.Device.Name,
        };
    }

    private static string Say(Studio studio, List<TraceStep> steps, in MidiMessage message)
    {
        var parts = new List<string>();
        var told = new HashSet<DeviceId>();
        void Tell(string lead, IEnumerable<Device> devices)
        {
            var names = devices.Where(device => told.Add(device.Id)).Select(device => device.Name).ToList();
            if (names.Count > 0)
                parts.Add($"{lead} {WordList.Of(names)}");
        }
        var isNote = message.Kind == MessageKind.Note;
        Tell("sounds on", Ending(TraceEnd.Sounds));
        Tell(isNote ? "heard without a sound by" : "heard by", Ending(TraceEnd.Heard));
        Tell("not listened to by", Ending(TraceEnd.NotListened));
        Tell("stopped on the way to", steps.Where(step => step.End == TraceEnd.Stopped).Select(step => step.Device).OfType<Device>());
        if (steps.Exists(step => step.End == TraceEnd.Again))
            parts.Add("goes round in a circle");
        parts.Add(parts.Count == 0 ? "goes nowhere: no route leads on from here" : "nothing else");
        return string.Join("; ", parts);

        IEnumerable<Device> Ending(TraceEnd end) => steps.Where(step => step.End == end).Select(step => step.Device).OfType<Device>();
    }

    private sealed class Walk(Studio studio)
    {
        private readonly RoomLinks _links = RoomLinks.Of(studio);
        private readonly HashSet<(Place, MidiMessage)> _seen = [];
        private readonly Queue<(int After, Place At, ImmutableArray<MidiMessage> Messages, MidiSpan Delay)> _next = new();

        internal List<TraceStep> Steps { get; } = [];

        internal bool IsWhole { get; private set; } = true;

        internal void Begin(DevicePort source, in MidiMessage message)
        {
            if (source.Device.LocalControl is { } local && source.IsSource && !source.Device.IsInterface())
            {
                var link = new Link(Place.Keys, Place.Sound, LinkKind.Inner, source.Device, local, local.Delay, MidiSpan.Zero);
                if (local.On)
                    Through(-1, link, [message], MidiSpan.Zero);
                else
                    Add(
                        new TraceStep(
                            -1,
                            null,
                            link,
                            [message],
                            [],
                            null,
                            source.Device,
                            TraceEnd.Stopped,
                            "its keys do not play its own sound: local control is off",
                            MidiSpan.Zero
                        )
                    );
            }
            var origin = RoomLinks.OriginOf(studio, source);
            _seen.Add((origin, message));
            _next.Enqueue((-1, origin, [message], origin == Place.At(source.Id) ? source.Port.Wire.UsualDelay() : MidiSpan.Zero));
            while (_next.TryDequeue(out var here))
            {
                if (Steps.Count >= MaxSteps)
                {
                    IsWhole = false;
                    return;
                }
                GoOn(here.After, here.At, here.Messages, here.Delay);
            }
        }

        private void GoOn(int after, Place at, ImmutableArray<MidiMessage> messages, MidiSpan delay)
        {
            foreach (var link in _links.From(at).Where(link => link.On))
                Through(after, link, messages, delay);
            if (at.Kind is not (PlaceKind.Port or PlaceKind.Own) || studio.FindPort(new PortId(at.Id)) is not { IsSource: true } source)
                return;
            foreach (var message in messages)
            {
                foreach (var end in RouteTrace.Follow(studio, source.Id, message))
                    Along(after, source, message, end, delay);
            }
        }

        /// <summary>A route.</summary>
        private void Along(int after, DevicePort source, in MidiMessage message, RouteEnd end, MidiSpan delay)
        {
            var to = studio.FindPort(end.Route.To)!.Value;
            if (end.Arrives.IsEmpty)
            {
                Add(new TraceStep(after, end.Route, null, [message], [], end.StoppedAt, to.Device, TraceEnd.Stopped, end.Why, delay));
                return;
            }
            var arrives = delay + (to.Port.Jack is null ? to.Port.Wire.UsualDelay() : MidiSpan.Zero);
            Arrive(
                new TraceStep(after, end.Route, null, [message], end.Arrives, null, null, TraceEnd.GoesOn, "", arrives),
                Place.At(to.Id),
                to.Device
            );
        }

        /// <summary>A cable, a socket, an inner path or a virtual port.</summary>
        private void Through(int after, Link link, ImmutableArray<MidiMessage> messages, MidiSpan delay)
        {
            var became = Stage.Run(link.Stages, messages, out var stoppedAt, out var last);
            if (stoppedAt is { } at)
            {
                Add(
                    new TraceStep(
                        after,
                        null,
                        link,
                        messages,
                        [],
                        at,
                        link.Device,
                        TraceEnd.Stopped,
                        link.Stages[at].StoppedWords(last[0], studio.KeyNaming, link.Inner!.Name),
                        delay
                    )
                );
                return;
            }
            var bytes = became.Sum(message => 1 + message.DataLength);
            Arrive(
                new TraceStep(
                    after,
                    null,
                    link,
                    messages,
                    became,
                    null,
                    null,
                    TraceEnd.GoesOn,
                    "",
                    delay + link.Delay + link.ByteTime * bytes
                ),
                link.To,
                link.Kind == LinkKind.Inner && link.To == Place.Sound ? link.Device : null
            );
        }

        /// <summary>The end of a step: who hears it there, and whether it goes on.</summary>
        private void Arrive(TraceStep step, Place at, Device? toward)
        {
            var hearer = at == Place.Sound ? step.Link!.Device : RoomLinks.HearerAt(studio, at);
            var goesOn = at != Place.Sound && (_links.From(at).Any(link => link.On) || LeadsOn(at));
            var fresh = at == Place.Sound ? step.Became : [.. step.Became.Where(message => _seen.Add((at, message)))];
            if (fresh.IsEmpty)
            {
                Add(
                    step with
                    {
                        Device = hearer ?? toward,
                        End = TraceEnd.Again,
                        Words = "it has been here before: from here on it goes round",
                    }
                );
                return;
            }
            var (end, words) = hearer is null
                ? (goesOn ? TraceEnd.GoesOn : TraceEnd.Nowhere, goesOn ? "" : Nothing(at))
                : Hearing(hearer, fresh, isLocal: at == Place.Sound);
            var number = Add(step with { Device = hearer ?? (goesOn ? null : toward), End = end, Words = words });
            if (goesOn)
                _next.Enqueue((number, at, fresh, step.Delay));
            // What a route brings may be taken elsewhere by others as well.
            if (step.Route is { } route && _links.From(Place.Own(route.To)).Any())
                _next.Enqueue((number, Place.Own(route.To), fresh, step.Delay));
        }

        private bool LeadsOn(Place at) =>
            at.Kind is PlaceKind.Port or PlaceKind.Own
            && studio.FindPort(new PortId(at.Id)) is { IsSource: true } source
            && studio.Routes.Any(route => LiveRoutes.Of(studio).SourcesOf(route).Any(each => each.Id == source.Id));

        private string Nothing(Place at) =>
            at.Kind switch
            {
                PlaceKind.Jack when studio.FindJack(new JackId(at.Id)) is { Jack.Sends: true } jack =>
                    $"nothing is plugged into {jack.Device.Name} {jack.Jack.Name}",
                PlaceKind.Port or PlaceKind.Own when studio.FindPort(new PortId(at.Id)) is { IsSource: true } port =>
                    $"no route leads on {port.Label}",
                _ => "nothing leads on from here",
            };

        private (TraceEnd End, string Words) Hearing(Device device, ImmutableArray<MidiMessage> messages, bool isLocal)
        {
            // A keyboard's own keys play its sound on whatever channel it listens to.
            var heard = isLocal ? messages : [.. messages.Where(message => Listens(device, message))];
            if (heard.IsEmpty)
                return (TraceEnd.NotListened, WhyNot(device, messages[0]));
            var what = WordList.Of([.. heard.Select(each => Spoken(each, studio.KeyNaming)).Distinct()]);
            if (heard[0].Kind != MessageKind.Note)
                return (TraceEnd.Heard, $"{device.Name} hears {what}");
            if (!device.Sounds)
            {
                var facts = device.Kind.Facts();
                return (
                    TraceEnd.Heard,
                    facts.OnlyShows ? $"{device.Name} is a display: it makes no sound"
                    : facts.ShowsWhatItHears ? $"{device.Name} shows it: it makes no sound of its own"
                    : $"{device.Name} hears {what}; it makes no sound of its own"
                );
            }
            var audio = device.Audio.Length > 0 ? $", audio {device.Audio}" : "";
            return (TraceEnd.Sounds, isLocal ? $"its own keys play its sound{audio}" : $"sounds: {what}{audio}");
        }

        private static bool Listens(Device device, in MidiMessage message) =>
            device.ListensKinds.Contains(message.Kind)
            && (!message.HasChannel || device.Listens.Contains(Channel.FromIndex(message.ChannelIndex)));

        private static string WhyNot(Device device, in MidiMessage message)
        {
            if (!device.ListensKinds.Contains(message.Kind))
                return $"arrives as {message.Kind.Name()}, which {device.Name} does not listen to";
            var listens =
                device.Listens.Count == 0 ? "no channel" : WordList.Of([.. device.Listens.Members.Select(channel => channel.ToString())]);
            return string.Create(
                CultureInfo.InvariantCulture,
                $"arrives on channel {message.ChannelIndex + 1}, {device.Name} listens to {listens}"
            );
        }

        private int Add(TraceStep step)
        {
            Steps.Add(step);
            return Steps.Count - 1;
        }
    }

    /// <summary>A message in words with its channel: "C3 on, 96 on channel 3".</summary>
    /// <param name="message">The message.</param>
    /// <param name="names">How keys are called.</param>
    public static string Spoken(MidiMessage message, KeyNaming names) =>
        MessageText.Words(message, names)
        + (message.HasChannel ? string.Create(CultureInfo.InvariantCulture, $" on channel {message.ChannelIndex + 1}") : "");
}
