using CsCheck;
using Weiche.Core.Midi;
using Weiche.Core.Stages;
using Weiche.Core.Studios;
using Weiche.Core.Tests.Midi;
using static Weiche.Core.Tests.Rooms;

namespace Weiche.Core.Tests.Routing;

/// <summary>Random studios, streams and edits in the middle of play, held against a plain model of the rules.</summary>
public class EnginePropertyTests
{
    private static readonly string[] Names = ["p", "q", "r", "s"];

    private static readonly Gen<Stage> AnyStage = Gen.OneOf<Stage>(
        Gen.Int[0, (1 << MessageKinds.Count) - 1].Select(bits => (Stage)new KindsStage(
            KindSet.Of([.. MessageKinds.All.Where(kind => (bits >> (int)kind & 1) != 0)]))),
        Gen.Int[0, 7].Array[3].Select(rows => (Stage)new ChannelsStage(rows.Index().Aggregate(
            ChannelMap.Identity, (map, row) => map.With(Ch(row.Index + 1), ChannelSet.FromBits((ushort)row.Item))))));

    /// <summary>A message of a player with few keys on few channels, so that holds meet one another.</summary>
    private static readonly Gen<MidiMessage> Played = Gen.Frequency(
        (5, Gen.Select(Gen.Int[1, 3], Gen.Int[60, 62], Gen.Int[1, 127], (channel, key, velocity) => MidiMessage.NoteOn(Ch(channel), key, velocity))),
        (4, Gen.Select(Gen.Int[1, 3], Gen.Int[60, 62], Gen.Int[0, 127], (channel, key, velocity) => MidiMessage.NoteOff(Ch(channel), key, velocity))),
        (1, Gen.Select(Gen.Int[1, 3], Gen.Int[60, 62], (channel, key) => MidiMessage.NoteOffAsOn(Ch(channel), key))),
        (2, Gen.Select(Gen.Int[1, 3], Gen.Int[64, 67], Gens.Data, (channel, pedal, value) => MidiMessage.ControlChange(Ch(channel), pedal, value))),
        (2, Gens.Short));

    private static readonly Gen<Step> AnyStep = Gen.Frequency(
        (12, Gen.Select(Gen.Int[0, 3], Played, (source, message) => new Step(source, message, null))),
        (3, Gen.Select(Gen.Int[0, 6], Gen.Int[0, 3], Gen.Int[0, 3], AnyStage, Gen.Bool,
            (sort, a, b, stage, on) => new Step(0, default, new Change(sort, a, b, stage, on)))));

    private sealed record Change(int Sort, int A, int B, Stage Stage, bool On)
    {
        /// <summary>The edit it makes of this studio; null means all notes off.</summary>
        public StudioEdit? In(Studio studio)
        {
            var route = studio.Routes.Length == 0 ? new RouteId(9_999) : studio.Routes[(A * 4 + B) % studio.Routes.Length].Id;
            return Sort switch
            {
                0 or 1 => new LayRoute(studio.From(Names[A]), studio.To(Names[B])),
                2 => new SwitchRoute(route, On),
                3 => new RemoveRoute(route),
                4 => new SwitchPort(On ? studio.From(Names[A]) : studio.To(Names[A]), studio.NextId % 2 == 0),
                5 => new AddStage(route, Stage),
                _ => A == 0 ? null : new RemoveStage(route, 0, "Channels"),
            };
        }
    }

    private sealed record Step(int Source, MidiMessage Message, Change? Change);

    [Fact]
    public void The_engine_delivers_what_the_rules_say_and_every_note_ends_whatever_is_edited_meanwhile()
    {
        AnyStep.Array[1, 60].Sample(
            steps =>
            {
                var rig = new Rig(Of(Names).Lay("p", "q").Lay("p", "r").Lay("q", "r"));
                var model = new Model(rig.Studio);
                foreach (var step in steps)
                {
                    if (step.Change is null)
                    {
                        var from = rig.Studio.From(Names[step.Source]);
                        rig.Send(from, step.Message);
                        model.Send(from, step.Message);
                    }
                    else if (step.Change.In(rig.Studio) is not { } edit)
                    {
                        rig.AllNotesOff();
                        model.AllNotesOff();
                    }
                    else if (edit.Apply(rig.Studio).Studio is { } studio)
                    {
                        rig.Use(studio);
                        model.Use(studio);
                    }
                    Compare(rig, model);
                }
                // The players let go of everything: then nothing sounds anywhere, and the ledger is empty.
                foreach (var (source, message) in model.LettingGo())
                {
                    rig.Send(source, message);
                    model.Send(source, message);
                }
                Compare(rig, model);
                Assert.Equal(0, rig.Engine.HeldCount);
                foreach (var to in rig.Studio.Destinations) AssertSilent(rig.At(to.Id));
                Assert.Equal(0, rig.Engine.Pool.Count);
            },
            iter: 5_000);
    }

    [Fact]
    public void A_route_without_stages_is_the_identity()
    {
        Gens.Message.Array[0, 60].Sample(
            messages =>
            {
                var rig = new Rig(Of("keys", "a").Lay("keys", "a"));
                var pool = new SysExPool();
                var writer = new MessageWriter(pool);
                var buffer = new byte[2000];
                var expected = new List<string>();
                foreach (var (brief, data) in messages)
                {
                    var message = data is null ? brief : pool.Add(data);
                    expected.Add(Collected.Full(message, pool));
                    Assert.True(writer.TryWrite(message, buffer, out var written));
                    rig.Send("keys", buffer[..written]);
                }
                Assert.Equal(expected, rig.At("a"));
            },
            iter: 2_000);
    }

    private static void Compare(Rig rig, Model model)
    {
        foreach (var to in rig.Studio.Destinations)
            Assert.Equal(model.NewAt(to.Id).Order(), rig.NewAt(to.Id).Order());
    }

    private static void AssertSilent(IReadOnlyList<string> arrived)
    {
        var sounding = new HashSet<string>();
        foreach (var text in arrived)
        {
            var (status, channel) = (text[0], text[1]);
            if (status == '9' && text[4..] != "00") sounding.Add($"{channel}{text[2..4]}");
            else if (status is '8' or '9') sounding.Remove($"{channel}{text[2..4]}");
            else if (status == 'B' && text[2..4] is "40" or "42" or "43")
            {
                if (Convert.ToInt32(text[4..], 16) >= 64) sounding.Add($"{channel}p{text[2..4]}");
                else sounding.Remove($"{channel}p{text[2..4]}");
            }
        }
        Assert.Empty(sounding);
    }

    /// <summary>The rules of routes, stages and the ledger, as plainly as they can be said.</summary>
    private sealed class Model(Studio studio)
    {
        private readonly Dictionary<PortId, List<string>> _new = [];
        private readonly Dictionary<PortId, SortedSet<int>> _used = [];
        private readonly HashSet<Hold> _holds = [];
        private readonly HashSet<(PortId Source, string Origin)> _down = [];
        private Studio _studio = studio;

        private sealed record Hold(PortId Source, string Origin, RouteId Route, PortId To, string Sounding);

        public List<string> NewAt(PortId to)
        {
            _new.Remove(to, out var texts);
            return texts ?? [];
        }

        public void Use(Studio studio)
        {
            _studio = studio;
            Drop(hold => !IsLive(hold.Route));
        }

        public void AllNotesOff()
        {
            Drop(_ => true);
            foreach (var (to, channels) in _used)
            {
                foreach (var c in channels)
                {
                    _new.TryAdd(to, []);
                    _new[to].AddRange([$"B{c:X}4000", $"B{c:X}4200", $"B{c:X}4300", $"B{c:X}7B00", $"B{c:X}7800", $"E{c:X}0040", $"D{c:X}00"]);
                }
            }
        }

        public IEnumerable<(PortId Source, MidiMessage Message)> LettingGo() => _down.ToList().Select(down =>
        {
            var channel = Channel.FromIndex(Convert.ToInt32(down.Origin[..1], 16));
            var number = Convert.ToInt32(down.Origin[2..], 16);
            return (down.Source, down.Origin[1] == 'k' ? MidiMessage.NoteOff(channel, number) : MidiMessage.ControlChange(channel, number, 0));
        });

        public void Send(PortId from, in MidiMessage message)
        {
            var (origin, starts) = Read(message);
            if (origin is not null)
            {
                if (starts) _down.Add((from, origin));
                else _down.Remove((from, origin));
            }
            if (!_studio.FindPort(from)!.Value.Port.On) return;
            var mine = _holds.Where(hold => hold.Source == from && hold.Origin == origin).ToList();
            if (origin is not null && !starts && mine.Count > 0)
            {
                _holds.ExceptWith(mine);
                foreach (var hold in mine.Where(hold => !_holds.Any(other => other.To == hold.To && other.Sounding == hold.Sounding)))
                    Arrive(hold.To, EndOf(hold.Sounding, message));
                return;
            }
            foreach (var route in _studio.Routes.Where(route => route.From == from && IsLive(route.Id)))
            {
                foreach (var result in Through(route, message))
                {
                    var (sounding, _) = Read(result);
                    if (sounding is not null && starts) _holds.Add(new Hold(from, origin!, route.Id, route.To, sounding));
                    else if (sounding is not null && _holds.Any(hold => hold.To == route.To && hold.Sounding == sounding)) continue;
                    Arrive(route.To, Collected.Full(result, new SysExPool()));
                }
            }
        }

        private bool IsLive(RouteId id) =>
            _studio.FindRoute(id) is { On: true } route
            && _studio.FindPort(route.From)!.Value.Port.On
            && _studio.FindPort(route.To)!.Value.Port.On;

        private void Drop(Func<Hold, bool> which)
        {
            var gone = _holds.Where(which).ToList();
            _holds.ExceptWith(gone);
            foreach (var (to, sounding) in gone.Select(hold => (hold.To, hold.Sounding)).Distinct())
            {
                if (_holds.Any(hold => hold.To == to && hold.Sounding == sounding)) continue;
                Arrive(to, sounding[1] == 'k' ? $"8{sounding[0]}{sounding[2..]}40" : $"B{sounding[0]}{sounding[2..]}00");
            }
        }

        private void Arrive(PortId to, string text)
        {
            _new.TryAdd(to, []);
            _new[to].Add(text);
            if (text[0] == 'F') return;
            _used.TryAdd(to, []);
            _used[to].Add(Convert.ToInt32(text[1..2], 16));
        }

        private static (string? What, bool Starts) Read(in MidiMessage message) => message.Kind switch
        {
            MessageKind.Note => ($"{message.ChannelIndex:X}k{message.Data1:X2}", message.IsNoteOn),
            MessageKind.ControlChange when message.Data1 is 64 or 66 or 67 => ($"{message.ChannelIndex:X}p{message.Data1:X2}", message.Data2 >= 64),
            _ => (null, false),
        };

        private static string EndOf(string sounding, in MidiMessage cause) => sounding[1] == 'k'
            ? $"{cause.Status >> 4:X}{sounding[0]}{sounding[2..]}{cause.Data2:X2}"
            : $"B{sounding[0]}{sounding[2..]}{cause.Data2:X2}";

        private static List<MidiMessage> Through(Route route, MidiMessage message)
        {
            List<MidiMessage> messages = [message];
            foreach (var stage in route.Stages)
            {
                messages = [.. messages.SelectMany(each => stage switch
                {
                    KindsStage kinds => kinds.Passing.Members.Contains(each.Kind) ? [each] : [],
                    ChannelsStage channels => each.HasChannel
                        ? channels.Map[Channel.FromIndex(each.ChannelIndex)].Members
                            .Select(target => MidiMessage.FromBytes(each.Status & 0xF0 | target.Index, each.Data1, each.Data2))
                        : [each],
                    _ => Array.Empty<MidiMessage>(),
                })];
            }
            return messages;
        }
    }
}
