using CsCheck;
using Weiche.Core.Checks;
using Weiche.Core.Live;
using Weiche.Core.Midi;
using Weiche.Core.Stages;
using Weiche.Core.Studios;
using Weiche.Core.Ways;

namespace Weiche.Core.Tests.Checks;

/// <summary>Doubles and silence against brute force, and the running engine against the verdicts.</summary>
public class OtherTrialTests(ITestOutputHelper output)
{
    [Fact]
    public void Doubles_are_those_that_following_every_message_along_every_way_finds()
    {
        var (rooms, doubled) = (0, 0);
        Gen.Select(AnyRoom.Room, AnyRoom.Messages)
            .Sample(
                (studio, messages) =>
                {
                    var flow = AnyRoom.FlowOf(studio, messages);
                    var search = WaySearch.Of(flow);
                    if (!search.IsWhole)
                        return;
                    var brute = BruteDoubles(flow, messages);
                    if (brute is null)
                        return;
                    var found = search
                        .Found.SelectMany(from => from.Ways)
                        .GroupBy(way => (way.Origin, way.Hearer.Id))
                        .Where(ways => Doubles.Find([.. ways]) is not null)
                        .Select(ways => ways.Key)
                        .ToHashSet();
                    Assert.True(brute.SetEquals(found), $"brute {string.Join(' ', brute)}, found {string.Join(' ', found)}");
                    Interlocked.Increment(ref rooms);
                    if (found.Count > 0)
                        Interlocked.Increment(ref doubled);
                },
                iter: 5_000
            );
        output.WriteLine($"{rooms} rooms, {doubled} with a double");
        Assert.True(rooms > 4_000 && doubled > rooms / 20, $"{rooms} rooms, {doubled} with a double: the trial sees too little");
    }

    [Fact]
    public void Silence_is_where_following_every_message_hears_nothing()
    {
        var (rooms, silent, heard) = (0, 0, 0);
        Gen.Select(AnyRoom.Room, AnyRoom.Messages)
            .Sample(
                (studio, messages) =>
                {
                    var flow = AnyRoom.FlowOf(studio, messages);
                    if (Brute.Follow(flow, messages) is not { } brute)
                        return;
                    var search = CircuitSearch.Of(flow);
                    var keys = Hearing
                        .Of(search)
                        .Where(finding => finding.Kind == FindingKind.Silence)
                        .Select(finding => finding.Key)
                        .ToHashSet();
                    if (studio.Routes.IsEmpty)
                        return;
                    foreach (var device in studio.Devices)
                    {
                        var ears = brute
                            .States.Where(state => flow.Places[state.Place] is { } end && RoomLinks.HearerAt(studio, end)?.Id == device.Id)
                            .ToList();
                        var hears = ears.Any(state => Listens(device, state.Message));
                        var canHear = flow.Places.Any(place => place is { } end && RoomLinks.HearerAt(studio, end)?.Id == device.Id);
                        Assert.Equal(canHear && !hears, keys.Contains($"unreached-{device.Id}"));
                        if (device.Kind is DeviceKind.Interface or DeviceKind.VirtualPort)
                            continue;
                        var sounds = false;
                        var sends = false;
                        foreach (
                            var place in Enumerable
                                .Range(0, flow.Places.Length)
                                .Where(place => flow.Places[place] is { } end && Owner(studio, end)?.Id == device.Id)
                        )
                        {
                            var sent = messages.Where(message => message.HasChannel && flow.Sent[place].Contains(message)).ToList();
                            sends |= sent.Count > 0;
                            sounds |= sent.Exists(message =>
                                Follow(flow, place, message)
                                    .Any(state =>
                                        flow.Places[state.Place] is { } end
                                        && RoomLinks.HearerAt(studio, end) is { Sounds: true } hearer
                                        && Listens(hearer, state.Message)
                                    )
                            );
                        }
                        Assert.Equal(sends && !sounds && device.LocalControl is not { On: true }, keys.Contains($"silent-{device.Id}"));
                    }
                    Interlocked.Increment(ref rooms);
                    if (keys.Count > 0)
                        Interlocked.Increment(ref silent);
                    else
                        Interlocked.Increment(ref heard);
                },
                iter: 3_000
            );
        Assert.True(rooms > 2_300 && silent > rooms / 10 && heard > rooms / 50, $"{rooms} rooms, {silent} with silence, {heard} without");
    }

    [Fact]
    public void The_running_engine_without_its_guard_does_what_the_verdict_says()
    {
        var (rooms, endless, growing) = (0, 0, 0);
        Gen.Select(AnyRoom.Room, AnyRoom.Messages)
            .Sample(
                (studio, messages) =>
                {
                    var flow = AnyRoom.FlowOf(studio, messages);
                    if (flow.Steps.Any(step => step.Stages.Any(stage => stage.LooksAtTime)))
                        return;
                    var search = CircuitSearch.Of(flow);
                    foreach (var port in studio.Sources)
                    {
                        if (flow.Number(Place.At(port.Id)) is not { } place)
                            continue;
                        foreach (
                            var message in messages.Where(message =>
                                flow.Sent[place].Contains(message)
                                && !(message.Kind == MessageKind.ControlChange && message.Data1 is 64 or 66 or 67)
                            )
                        )
                        {
                            var states = Follow(flow, place, message);
                            var runs = states.Any(state => search.Endless[state.Place].Contains(state.Message));
                            // A pedal is merged with the one that is down already: what goes round as a pedal is not told here.
                            if (states.Any(state => state.Message is { Kind: MessageKind.ControlChange, Data1: 64 or 66 or 67 }))
                                continue;
                            // What ends may still become many before it does: then its turns say nothing.
                            if (!runs && Comings(flow, (place, message), []) >= 350)
                                continue;
                            var turns = new Loop(flow).Play(port.Id, message, 400);
                            Assert.True(
                                runs == (turns >= 400),
                                $"{Trace.Spoken(message, KeyNaming.Usual)} {port.Label}: the verdict says {runs}, the engine made {turns} turns"
                            );
                            Interlocked.Increment(ref rooms);
                            if (runs)
                                Interlocked.Increment(ref endless);
                        }
                    }
                    if (Array.Exists(search.Grows, grows => grows))
                        Interlocked.Increment(ref growing);
                },
                iter: 1_500
            );
        output.WriteLine($"{rooms} plays: {endless} for ever; {growing} rooms growing");
        Assert.True(rooms > 500 && endless > 100, $"{rooms} plays, {endless} for ever: the trial sees too little");
    }

    /// <summary>The engine, with the ways in the room played by hand: what comes to a destination goes through jacks and devices and comes
    /// to sources again.</summary>
    private sealed class Loop(Flow flow) : IByteTaker
    {
        private readonly Engine _engine = new(CompiledStudio.Compile(flow.Studio)) { Guard = { Rounds = 0 } };
        private readonly Queue<(PortId Source, MidiMessage Message)> _coming = new();
        private bool _forever;
        private readonly Dictionary<PortId, StreamParser> _readers = [];

        /// <summary>How many messages came to sources, up to a bound.</summary>
        internal int Play(PortId source, MidiMessage message, int most)
        {
            var turns = 0;
            var now = 0L;
            _coming.Enqueue((source, message));
            while (turns < most && _coming.TryDequeue(out var next))
            {
                turns++;
                _engine.Receive(
                    next.Source,
                    Convert.FromHexString(MessageText.Hex(next.Message).Replace(" ", "", StringComparison.Ordinal)),
                    new MidiTime(now += 1_000_000)
                );
                var self = this;
                _engine.Drain(ref self, new MidiTime(now));
                while (_engine.NextDue.Microseconds <= now + 500_000)
                {
                    now = Math.Max(now, _engine.NextDue.Microseconds);
                    _engine.Tick(new MidiTime(now));
                    _engine.Drain(ref self, new MidiTime(now));
                }
            }
            return _forever ? most : turns;
        }

        public int Take(PortId destination, ReadOnlySpan<byte> bytes)
        {
            if (!_readers.TryGetValue(destination, out var reader))
                _readers.Add(destination, reader = new StreamParser(new SysExPool()));
            var sink = new ListSink([]);
            reader.Parse(bytes, ref sink);
            foreach (var message in sink.Messages)
                Through(flow.Number(Place.At(destination))!.Value, message, 0);
            return bytes.Length;
        }

        private void Through(int place, MidiMessage message, int depth)
        {
            // Cables and thrus that run in a ring by themselves never come to the engine. What is a key higher or a little softer with each
            // round ends after 127 of them, of a dozen places each.
            if (_forever || depth > 2_000)
            {
                _forever = true;
                return;
            }
            foreach (var step in flow.OutOf[place].Where(step => step.Link is not null))
            {
                foreach (var became in step.Run(message))
                {
                    if (flow.PortAt(step.To) is { IsSource: true } port)
                        _coming.Enqueue((port.Id, became));
                    Through(step.To, became, depth + 1);
                }
            }
        }
    }

    private readonly struct ListSink(List<MidiMessage> messages) : IMessageSink
    {
        internal List<MidiMessage> Messages => messages;

        public void Accept(in MidiMessage message) => messages.Add(message);
    }

    private static bool Listens(Device device, MidiMessage message) =>
        device.ListensKinds.Contains(message.Kind)
        && (!message.HasChannel || device.Listens.Contains(Channel.FromIndex(message.ChannelIndex)));

    private static Device? Owner(Studio studio, Place end) =>
        end.Kind == PlaceKind.Jack
            ? studio.FindJack(new JackId(end.Id)) is { Jack.Role: JackRole.Out } jack
                ? jack.Device
                : null
            : studio.FindPort(new PortId(end.Id)) is { IsSource: true } port
                ? port.Owner
                : null;

    /// <summary>How many messages come to sources of one that ends, at most a thousand.</summary>
    private static int Comings(Flow flow, (int Place, MidiMessage Message) state, Dictionary<(int, MidiMessage), int> known)
    {
        if (known.TryGetValue(state, out var count))
            return count;
        count = flow.PortAt(state.Place) is { IsSource: true } ? 1 : 0;
        foreach (var step in flow.OutOf[state.Place])
        {
            foreach (var became in step.Run(state.Message))
                count = Math.Min(1_000, count + Comings(flow, (step.To, became), known));
        }
        return known[state] = count;
    }

    private static HashSet<(int Place, MidiMessage Message)> Follow(Flow flow, int place, MidiMessage message)
    {
        var seen = new HashSet<(int, MidiMessage)> { (place, message) };
        var next = new Queue<(int Place, MidiMessage Message)>([(place, message)]);
        while (next.TryDequeue(out var here) && seen.Count < 30_000)
        {
            foreach (var step in flow.OutOf[here.Place])
            {
                foreach (var became in step.Run(here.Message))
                {
                    if (seen.Add((step.To, became)))
                        next.Enqueue((step.To, became));
                }
            }
        }
        return seen;
    }

    /// <summary>The pairs of origin and hearer where something arrives twice; null if there are too many ways.</summary>
    private static HashSet<(int, DeviceId)>? BruteDoubles(Flow flow, MidiMessage[] messages)
    {
        var pairs = new HashSet<(int, DeviceId)>();
        var budget = 200_000;
        foreach (var device in flow.Studio.Devices)
        {
            for (var origin = 0; origin < flow.Places.Length; origin++)
            {
                if (
                    device.Kind is DeviceKind.Interface or DeviceKind.VirtualPort
                    || flow.Places[origin] is not { } end
                    || Owner(flow.Studio, end)?.Id != device.Id
                )
                    continue;
                foreach (var message in messages.Where(message => flow.Sent[origin].Contains(message)))
                {
                    var arriving = new List<(DeviceId Hearer, MidiMessage Message, bool IsLocal)>();
                    if (device.LocalControl is { On: true } && message.HasChannel)
                        arriving.Add((device.Id, message, true));
                    Walk(origin, message, [origin]);
                    foreach (var hearer in arriving.GroupBy(item => item.Hearer))
                    {
                        var list = hearer.ToList();
                        for (var i = 0; i < list.Count; i++)
                        {
                            for (var j = i + 1; j < list.Count; j++)
                            {
                                if (IsSame(list[i].Message, list[j].Message, list[i].IsLocal || list[j].IsLocal))
                                    pairs.Add((origin, hearer.Key));
                            }
                        }
                    }

                    void Walk(int place, MidiMessage here, List<int> path)
                    {
                        if (--budget < 0)
                            return;
                        if (
                            path.Count > 1
                            && flow.Places[place] is { } at
                            && RoomLinks.HearerAt(flow.Studio, at) is { } ear
                            && Listens(ear, here)
                        )
                            arriving.Add((ear.Id, here, false));
                        foreach (var step in flow.OutOf[place].Where(step => !path.Contains(step.To)))
                        {
                            foreach (var became in step.Run(here))
                                Walk(step.To, became, [.. path, step.To]);
                        }
                    }
                }
            }
        }
        return budget < 0 ? null : pairs;
    }

    private static bool IsSame(MidiMessage one, MidiMessage other, bool onAnyChannel)
    {
        if (one.Kind != other.Kind)
            return false;
        if (!one.HasChannel)
            return true;
        if (!onAnyChannel && one.ChannelIndex != other.ChannelIndex)
            return false;
        return one.Kind is MessageKind.PitchBend or MessageKind.ChannelPressure || one.Data1 == other.Data1;
    }
}
