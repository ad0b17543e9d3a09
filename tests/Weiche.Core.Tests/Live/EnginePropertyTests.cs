using CsCheck;
using Weiche.Core.Midi;
using Weiche.Core.Sets;
using Weiche.Core.Stages;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;
using Weiche.Core.Tests.Midi;
using Weiche.Core.Ways;
using static Weiche.Core.Tests.Rooms;
using AnyStage = Weiche.Core.Tests.Stages.AnyStage;

namespace Weiche.Core.Tests.Live;

/// <summary>Random studios, streams and edits in the middle of play, held against a plain model of the rules.</summary>
public class EnginePropertyTests
{
    private static readonly string[] Names = ["p", "q", "r", "s"];

    /// <summary>A message of a player with few keys on few channels, so that holds meet one another.</summary>
    private static readonly Gen<MidiMessage> Played = Gen.Frequency(
        (
            5,
            Gen.Select(Gen.Int[1, 3], Gen.Int[60, 62], Gen.Int[1, 127], (channel, key, velocity) =>
                MidiMessage.NoteOn(Ch(channel), key, velocity)
            )
        ),
        (
            4,
            Gen.Select(Gen.Int[1, 3], Gen.Int[60, 62], Gen.Int[0, 127], (channel, key, velocity) =>
                MidiMessage.NoteOff(Ch(channel), key, velocity)
            )
        ),
        (1, Gen.Select(Gen.Int[1, 3], Gen.Int[60, 62], (channel, key) => MidiMessage.NoteOffAsOn(Ch(channel), key))),
        (
            2,
            Gen.Select(Gen.Int[1, 3], Gen.Int[64, 67], Gens.Data, (channel, pedal, value) =>
                MidiMessage.ControlChange(Ch(channel), pedal, value)
            )
        ),
        (
            1,
            Gen.Select(Gen.Int[1, 3], Gen.OneOf(1, 11, 65, 120, 121, 123, 124), Gen.OneOf(0, 64, 127), (channel, controller, value) =>
                MidiMessage.ControlChange(Ch(channel), controller, value)
            )
        ),
        (1, Gen.Select(Gen.Int[1, 3], Gen.OneOf(-8192, 0, 100), (channel, bend) => MidiMessage.PitchBend(Ch(channel), bend))),
        (2, Gens.Short)
    );

    private static readonly Gen<Step> AnyStep = Gen.Frequency(
        (12, Gen.Select(Gen.Int[0, 3], Played, (source, message) => new Step(source, message, null))),
        (
            4,
            Gen.Select(Gen.Int[0, 13], Gen.Int[0, 3], Gen.Int[0, 3], AnyStage.WithoutTime, Gen.Bool, (sort, a, b, stage, on) =>
                new Step(0, default, new Change(sort, a, b, stage, on))
            )
        )
    );

    private sealed record Change(int Sort, int A, int B, Stage Stage, bool On)
    {
        /// <summary>The edit it makes of this studio; null means all notes off.</summary>
        public StudioEdit? In(Studio studio)
        {
            var route = studio.Routes.Length == 0 ? new RouteId(9_999) : studio.Routes[(A * 4 + B) % studio.Routes.Length].Id;
            var group = studio.Groups.FirstOrDefault()?.Id ?? new GroupId(9_999);
            return Sort switch
            {
                0 or 1 => new LayRoute(studio.From(Names[A]), studio.To(Names[B]), Another: On),
                2 => new SwitchRoute(route, On),
                3 => new RemoveRoute(route),
                4 => new SwitchPort(On ? studio.From(Names[A]) : studio.To(Names[A]), studio.NextId % 2 == 0),
                5 or 6 => new AddStage(route, Stage),
                7 => new RemoveStage(route, 0, studio.FindRoute(route)?.Stages.FirstOrDefault()?.Name ?? ""),
                8 => new LayRoute(On ? AnySource.Plain : new GroupSource(group), studio.To(Names[B])),
                9 => On ? new AddGroup("g") : new SetMember(group, studio.From(Names[A]), B > 0),
                10 => new SoloRoute(route, On),
                11 => new DivertRoute(route, On),
                12 => On ? new MoveRoute(route, B - 1) : new SetExceptions(route, [studio.From(Names[A])], B == 0),
                _ => A == 0 ? null : new SetMember(group, studio.From(Names[A]), true),
            };
        }
    }

    private sealed record Step(int Source, MidiMessage Message, Change? Change);

    [Fact]
    public void The_engine_delivers_what_the_rules_say_and_every_note_ends_whatever_is_edited_meanwhile()
    {
        AnyStep
            .Array[1, 60]
            .Sample(
                steps =>
                {
                    // Without the guard, of which the model knows nothing: the same message every µs, where a way back is laid, is kept for
                    // a moment.
                    var rig = new Rig(
                        Of(Names).Lay("p", "q").Lay("p", "r").Lay("q", "r") with
                        {
                            Safety = Safety.Usual with { Rounds = 0 },
                        }
                    );
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
                    Assert.Equal(model.HeldPedals, rig.Engine.HeldCount);
                    rig.AllNotesOff();
                    Assert.Equal(0, rig.Engine.HeldCount);
                    foreach (var to in rig.Studio.Destinations)
                        AssertSilent(rig.At(to.Id));
                    Assert.Equal(0, rig.Engine.Pool.Count);
                },
                iter: 5_000
            );
    }

    /// <summary>What a hand, a foot or a breath moves, beside notes and pedals.</summary>
    private static readonly Gen<MidiMessage> PlayedWithWheels = Gen.Frequency(
        (6, Played),
        (
            1,
            Gen.Select(Gen.Int[1, 3], Gen.OneOf(1, 2, 4, 33, 34, 36), Gen.OneOf(0, 64, 127), (channel, controller, value) =>
                MidiMessage.ControlChange(Ch(channel), controller, value)
            )
        ),
        (1, Gen.Select(Gen.Int[1, 3], Gen.OneOf(0, 100), (channel, pressure) => MidiMessage.ChannelPressure(Ch(channel), pressure))),
        (
            1,
            Gen.Select(Gen.Int[1, 3], Gen.Int[60, 62], Gen.OneOf(0, 100), (channel, key, pressure) =>
                MidiMessage.FromBytes(0xA0 | (channel - 1), key, pressure)
            )
        ),
        (1, Gen.Select(Gen.Int[1, 3], Gen.OneOf(-8192, 0, 100), (channel, bend) => MidiMessage.PitchBend(Ch(channel), bend)))
    );

    /// <summary>A message; else an entry; else an edit, which may also be of lineups.</summary>
    private static readonly Gen<(Step Step, int Enter, int Sort)> AnyEveningStep = Gen.Select(
        Gen.Frequency((8, Gen.Select(Gen.Int[0, 3], PlayedWithWheels, (source, message) => new Step(source, message, null))), (1, AnyStep)),
        Gen.Frequency((5, Gen.Const(-1)), (1, Gen.Int[0, 3])),
        Gen.Int[0, 30]
    );

    /// <summary>Three lineups; some routes are standing, others in one or two; the third sends something, the second may cut.</summary>
    private static Studio Evening(bool cuts)
    {
        var studio = Of(Names)
            .Lay("p", "q", new ChannelsStage(ChannelMap.Identity.Leading(ChannelSet.Of(1), Ch(2))))
            .Lay("p", "r")
            .Lay("q", "r")
            .Lay("p", "s")
            .Lay("q", "s", new KeysStage(60, 61))
            .Lay("r", "q", new TransposeStage(2));
        foreach (var name in new[] { "a", "b", "c" })
            studio = studio.Must(new AddLineup(name));
        var ids = studio.Lineups.Select(lineup => lineup.Id).ToArray();
        studio = studio
            .Must(new SetDuty(studio.Routes[0].Id, Duty.In(ids[0])))
            .Must(new SetDuty(studio.Routes[1].Id, Duty.In(ids[1])))
            .Must(new SetDuty(studio.Routes[2].Id, Duty.In(ids[0], ids[2])))
            .Must(new SetDuty(studio.Routes[5].Id, Duty.In(ids[2])));
        if (cuts)
            studio = studio.Must(new SetCuts(ids[1], true));
        return studio.Must(new AddSending(ids[2], new Sending(studio.To("r"), [0xC0, 5, 0xB0, 1, 64, 0xE1, 0, 64]))).In(ids[0]);
    }

    [Fact]
    public void Lineups_are_entered_as_the_rules_say_and_nothing_is_cut_stuck_or_left_behind()
    {
        Gen.Select(AnyEveningStep.Array[1, 60], Gen.Bool)
            .Sample(
                (steps, cuts) =>
                {
                    // The model knows no guard: here too, one message may be its own echo's echo by chance, since each comes a
                    // microsecond after the last.
                    var rig = new Rig(Evening(cuts) with { Safety = Safety.Usual with { Rounds = 0 } });
                    var model = new Model(rig.Studio);
                    foreach (var (step, enter, sort) in steps)
                    {
                        if (enter >= 0 && rig.Studio.Lineups.Length > 0)
                        {
                            var id = rig.Studio.Lineups[enter % rig.Studio.Lineups.Length].Id;
                            rig.Enter(id);
                            model.Enter(id);
                        }
                        else if (step.Change is null)
                        {
                            var from = rig.Studio.From(Names[step.Source]);
                            rig.Send(from, step.Message);
                            model.Send(from, step.Message);
                        }
                        else if ((sort < 6 ? OfLineups(rig.Studio, step.Change, sort) : step.Change.In(rig.Studio)) is not { } edit)
                        {
                            rig.AllNotesOff();
                            model.AllNotesOff();
                        }
                        else if (edit.Apply(rig.Studio).Studio is { } edited)
                        {
                            var studio = edited.InAsIn(rig.Studio);
                            rig.Use(studio);
                            model.Use(studio);
                        }
                        Compare(rig, model);
                        Assert.Equal(rig.Studio.InForce, rig.Engine.InForce);
                    }
                    foreach (var (source, message) in model.LettingGo().Concat(PedalsUp(rig.Studio)).ToList())
                    {
                        rig.Send(source, message);
                        model.Send(source, message);
                    }
                    Compare(rig, model);
                    if (model.IsQuiet)
                        Assert.Empty(model.LeftBehind);
                    rig.AllNotesOff();
                    foreach (var to in rig.Studio.Destinations)
                        AssertSilent(rig.At(to.Id));
                },
                iter: 5_000
            );

        static IEnumerable<(PortId, MidiMessage)> PedalsUp(Studio studio) =>
            studio.Sources.SelectMany(source =>
                Enumerable
                    .Range(1, 3)
                    .SelectMany(channel =>
                        new[] { 64, 66, 67 }.Select(pedal => (source.Id, MidiMessage.ControlChange(Ch(channel), pedal, 0)))
                    )
            );

        static StudioEdit OfLineups(Studio studio, Change change, int sort)
        {
            var route = studio.Routes.Length == 0 ? new RouteId(9_999) : studio.Routes[(change.A * 4 + change.B) % studio.Routes.Length].Id;
            var lineup = studio.Lineups.Length == 0 ? new LineupId(9_999) : studio.Lineups[change.B % studio.Lineups.Length].Id;
            return sort switch
            {
                0 => new AddLineup(null, change.On && studio.Lineups.Length > 0 ? lineup : null),
                1 => new RemoveLineup(lineup),
                2 => new MoveLineup(lineup, change.A - 2),
                3 => new SetDuty(route, change.On ? Duty.Standing : Duty.In()),
                _ => new PlaceRoute(route, lineup, change.On),
            };
        }
    }

    [Fact]
    public void The_engine_lets_through_what_the_trace_says_and_nothing_else()
    {
        Gen.Select(
                AnyStep.Array[0, 25],
                Gen.Int[0, 3],
                Played.Where(message => message.IsNoteOn || message.Kind is not (MessageKind.Note or MessageKind.ControlChange))
            )
            .Sample(
                (steps, from, message) =>
                {
                    var studio = Of(Names).Lay("p", "q").Lay("p", "r").Lay("q", "r");
                    foreach (var step in steps)
                    {
                        if (step.Change?.In(studio) is { } edit && edit.Apply(studio).Studio is { } edited)
                            studio = edited;
                    }
                    var rig = new Rig(studio);
                    var source = studio.From(Names[from]);
                    rig.Send(source, message);
                    var ends = RouteTrace.Follow(studio, source, message);
                    foreach (var to in studio.Destinations)
                    {
                        var expected = ends.Where(end => end.Route.To == to.Id)
                            .SelectMany(end => end.Arrives)
                            .Select(each => Collected.Full(each, rig.Engine.Pool));
                        Assert.Equal(expected.Order(), rig.At(to.Id).Order());
                    }
                    Assert.All(ends, end => Assert.Equal(end.Arrives.Length == 0, end.Why.Length > 0));
                },
                iter: 5_000
            );
    }

    [Fact]
    public void A_route_without_stages_is_the_identity()
    {
        Gens.Message.Array[0, 60]
            .Sample(
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
                iter: 2_000
            );
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
            if (status == '9' && text[4..] != "00")
                sounding.Add($"{channel}{text[2..4]}");
            else if (status is '8' or '9')
                sounding.Remove($"{channel}{text[2..4]}");
            else if (status == 'B' && text[2..4] is "40" or "42" or "43")
            {
                if (Convert.ToInt32(text[4..], 16) >= 64)
                    sounding.Add($"{channel}p{text[2..4]}");
                else
                    sounding.Remove($"{channel}p{text[2..4]}");
            }
            else if (text == "FF")
                sounding.Clear();
            else if (status == 'B' && text[2..4] is "79")
                sounding.RemoveWhere(item => item[0] == channel && item[1] == 'p');
            else if (status == 'B' && text[2] == '7' && text[2..4] is "78" or "7B" or "7C" or "7D" or "7E" or "7F")
                sounding.RemoveWhere(item => item[0] == channel && item[1] != 'p');
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
        private readonly Dictionary<(PortId To, PortId Source, char Channel), string> _selected = [];
        private readonly Dictionary<PortId, PortId> _clock = [];
        private readonly HashSet<(PortId To, PortId Source)> _otherClocks = [];

        // Who moved what away from rest: "0c01", "0p", "0b", and of a key "0a3C".
        private readonly Dictionary<(PortId To, string Item), (PortId Source, RouteId Route)> _moved = [];
        private readonly HashSet<(RouteId Route, PortId Source)> _rings = [];
        private Studio _studio = studio;

        private sealed record Hold(PortId Source, string Origin, RouteId Route, PortId To, string Sounding);

        public int HeldPedals => _holds.Count(hold => hold.Sounding[1] == 'c');

        public List<string> NewAt(PortId to)
        {
            _new.Remove(to, out var texts);
            return texts ?? [];
        }

        public void Use(Studio studio)
        {
            _studio = studio;
            Drop(hold => !Carries(hold.Route, hold.Source));
            if (!studio.Lineups.IsEmpty)
                Settle();
            ForgetClocks();
        }

        public void Enter(LineupId id)
        {
            var lineup = _studio.FindLineup(id)!;
            foreach (var sending in lineup.Sends.Where(sending => _studio.FindPort(sending.To)!.Value.Port.On))
            {
                Assert.True(Sending.TryMessages(sending.Bytes.AsSpan(), out var messages, out _));
                foreach (var message in messages)
                    Arrive(default, sending.To, Collected.Full(message, new SysExPool()));
            }
            _studio = _studio.In(id);
            if (lineup.Cuts)
                Drop(hold => !Runs(hold.Route, hold.Source));
            Settle();
            ForgetClocks();
        }

        public bool IsQuiet => _holds.Count == 0;

        /// <summary>What is off its rest though no live route put it there.</summary>
        public IEnumerable<string> LeftBehind =>
            _moved
                .Where(moved => moved.Key.Item[1..] is not ("c0B" or "c41") && !Runs(moved.Value.Route, moved.Value.Source))
                .Select(moved => moved.Key.Item);

        private void Settle()
        {
            _rings.Clear();
            _rings.UnionWith(_holds.Where(hold => !Runs(hold.Route, hold.Source)).Select(hold => (hold.Route, hold.Source)));
            foreach (var to in _studio.Destinations)
                Rest(to.Id);
        }

        private void Rest(PortId to)
        {
            foreach (var (item, by) in _moved.Where(moved => moved.Key.To == to).Select(moved => (moved.Key.Item, moved.Value)).ToList())
            {
                if (item[1..] is "c0B" or "c41" || Runs(by.Route, by.Source) || _rings.Contains((by.Route, by.Source)))
                    continue;
                Arrive(by.Source, to, RestOf(item));
            }
        }

        private static string RestOf(string item) =>
            item[1] switch
            {
                'p' => $"D{item[0]}00",
                'b' => $"E{item[0]}0040",
                'a' => $"A{item[0]}{item[2..]}00",
                _ => $"B{item[0]}{item[2..]}{(item[2..] == "0B" ? "7F" : "00")}",
            };

        private bool Runs(RouteId route, PortId source) => Routes(source).Any(each => each.Id == route);

        private void LookWhatRings(PortId source)
        {
            foreach (
                var ring in _rings
                    .Where(ring => ring.Source == source && !_holds.Any(hold => hold.Route == ring.Route && hold.Source == source))
                    .ToList()
            )
            {
                _rings.Remove(ring);
                Rest(_studio.FindRoute(ring.Route)!.To);
            }
        }

        private void ForgetClocks()
        {
            var studio = _studio;
            foreach (
                var (to, _) in _clock
                    .Where(heard =>
                        !studio.Routes.Any(route => route.To == heard.Key && Runs(route.Id, heard.Value) && Carries(route.Id, heard.Value))
                    )
                    .ToList()
            )
                _clock.Remove(to);
        }

        public void AllNotesOff()
        {
            Drop(_ => true);
            foreach (var source in _rings.Select(ring => ring.Source).Distinct().ToList())
                LookWhatRings(source);
            foreach (
                var (to, item) in _moved
                    .Keys.Where(moved =>
                        moved.Item[1] is 'p' or 'b'
                        && _used.GetValueOrDefault(moved.To)?.Contains(Convert.ToInt32(moved.Item[..1], 16)) == true
                    )
                    .ToList()
            )
                _moved.Remove((to, item));
            foreach (var (to, channels) in _used)
            {
                _new.TryAdd(to, []);
                foreach (var c in channels)
                    _new[to]
                        .AddRange([$"B{c:X}4000", $"B{c:X}4200", $"B{c:X}4300", $"B{c:X}7B00", $"B{c:X}7800", $"E{c:X}0040", $"D{c:X}00"]);
            }
        }

        public IEnumerable<(PortId Source, MidiMessage Message)> LettingGo() =>
            _down
                .Concat(_holds.Where(hold => hold.Origin[1] == 'k').Select(hold => (hold.Source, hold.Origin)))
                .Distinct()
                .ToList()
                .Select(down =>
                    (
                        down.Source,
                        MidiMessage.NoteOff(Channel.FromIndex(Convert.ToInt32(down.Origin[..1], 16)), Convert.ToInt32(down.Origin[2..], 16))
                    )
                );

        public void Send(PortId from, in MidiMessage message)
        {
            if (!_studio.FindPort(from)!.Value.Port.On)
                return;
            var origin = Origin(message);
            var isNote = message.Kind == MessageKind.Note;
            var mine = _holds.Where(hold => hold.Source == from && hold.Origin == origin).ToList();
            var endsNote = isNote && !message.IsNoteOn && (mine.Count > 0 || _down.Contains((from, origin!)));
            if (isNote && message.IsNoteOn)
                _down.Add((from, origin!));
            else if (isNote)
                _down.Remove((from, origin!));
            if (Silences(message))
                Lift(from, message);
            var touched = new HashSet<Hold>();
            foreach (var route in Routes(from))
            {
                var results = Through(route, message);
                var pedalUp = false;
                if (IsLive(route.Id) && !endsNote)
                {
                    foreach (var result in results)
                    {
                        if (Silences(result) && !MaySilence(from, route.To, result))
                            continue;
                        var hold = new Hold(from, origin ?? "", route.Id, route.To, Origin(result) ?? "");
                        var held = result.Kind == MessageKind.Note || (origin is not null && IsPedal(result));
                        if (held && (result.Kind == MessageKind.Note ? result.IsNoteOn : result.Data2 >= 64))
                        {
                            _holds.Add(hold);
                            touched.Add(hold);
                        }
                        else if (held)
                        {
                            pedalUp |= result.Kind != MessageKind.Note;
                            if (result.Kind != MessageKind.Note)
                                _holds.Remove(hold);
                            if (IsHeld(route.To, hold.Sounding))
                                continue;
                        }
                        Arrive(from, route.To, Collected.Full(result, new SysExPool()), route.Id);
                    }
                }
                if (pedalUp)
                    Drop(hold => hold.Source == from && hold.Origin == origin && hold.Route == route.Id && !touched.Contains(hold));
                if (route.Divert && results.Count > 0 && IsLive(route.Id))
                    break;
            }
            if (endsNote)
            {
                _holds.ExceptWith(mine);
                foreach (var hold in mine.Where(hold => !IsHeld(hold.To, hold.Sounding)))
                    Arrive(from, hold.To, $"{message.Status >> 4:X}{hold.Sounding[0]}{hold.Sounding[2..]}{message.Data2:X2}");
            }
            else if (!isNote && origin is not null && (message.Kind == MessageKind.ChannelPressure ? message.Data1 : message.Data2) < 64)
            {
                Drop(hold => hold.Source == from && hold.Origin == origin && !touched.Contains(hold));
            }
            FollowRings(from, message);
        }

        private void FollowRings(PortId from, MidiMessage message)
        {
            var moves = message.Kind is MessageKind.PitchBend or MessageKind.ChannelPressure or MessageKind.PolyPressure;
            foreach (
                var (id, _) in _rings
                    .Where(ring => ring.Source == from && (moves || Silences(message)))
                    .OrderBy(ring => ring.Route.Value)
                    .ToList()
            )
            {
                var holds = _holds
                    .Where(hold => hold.Route == id && hold.Source == from && (!moves || hold.Origin[0] == $"{message.ChannelIndex:X}"[0]))
                    .ToList();
                if (message.Kind == MessageKind.PolyPressure)
                    holds.RemoveAll(hold => hold.Origin != $"{message.ChannelIndex:X}k{message.Data1:X2}");
                if (holds.Count == 0 || !IsLive(id))
                    continue;
                var route = _studio.FindRoute(id)!;
                foreach (var result in Through(route, message))
                {
                    if (Silences(result) && !MaySilence(from, route.To, result))
                        continue;
                    // Nothing new begins there.
                    if (IsPedal(result) && result.Data2 >= 64)
                        continue;
                    if (IsPedal(result))
                    {
                        _holds.Remove(new Hold(from, Origin(message)!, id, route.To, Origin(result)!));
                        if (IsHeld(route.To, Origin(result)!))
                            continue;
                    }
                    Arrive(from, route.To, Collected.Full(result, new SysExPool()), id);
                }
            }
            if (!moves)
                LookWhatRings(from);
        }

        private void Lift(PortId from, MidiMessage message) =>
            _down.RemoveWhere(down =>
                down.Source == from
                && (message.Status == 0xFF || (message.Data1 != 121 && down.Origin[0] == $"{message.ChannelIndex:X}"[0]))
            );

        private static bool Silences(in MidiMessage message) =>
            message.Status == 0xFF || (message.Kind == MessageKind.ChannelMode && message.Data1 != 122);

        /// <summary>What silences more than it names ends what its source holds, and goes on where no other holds or has moved what it
        /// reaches.</summary>
        private bool MaySilence(PortId from, PortId to, MidiMessage message)
        {
            bool Reaches(string item) => message.Status == 0xFF || item[0] == $"{message.ChannelIndex:X}"[0];
            var (resets, all) = (message.Kind == MessageKind.ChannelMode && message.Data1 == 121, message.Status == 0xFF);
            var isAlone =
                !_holds.Any(hold => hold.To == to && hold.Source != from && Reaches(hold.Sounding))
                && !(
                    (resets || all)
                    && _moved.Any(moved =>
                        moved.Key.To == to && moved.Value.Source != from && Reaches(moved.Key.Item) && IsReset(moved.Key.Item)
                    )
                );
            var own = _holds
                .Where(hold => hold.To == to && hold.Source == from && Reaches(hold.Sounding) && (all || hold.Sounding[1] == 'c' == resets))
                .ToHashSet();
            var rests = _moved
                .Where(moved =>
                    (resets || all)
                    && moved.Key.To == to
                    && moved.Value.Source == from
                    && Reaches(moved.Key.Item)
                    && IsReset(moved.Key.Item)
                )
                .Select(moved => moved.Key.Item)
                .ToList();
            foreach (var item in rests)
                _moved.Remove((to, item));
            if (isAlone)
            {
                _holds.ExceptWith(own);
                return true;
            }
            Drop(own.Contains);
            foreach (var item in rests)
                Arrive(from, to, RestOf(item));
            return false;
        }

        /// <summary>Whether it is of what reset all controllers puts to rest.</summary>
        private static bool IsReset(string item) => item[1..] is "c01" or "c0B" or "c41" or "p" or "b";

        private void Move(PortId from, RouteId route, PortId to, string text)
        {
            var (item, isAtRest) = (text[0], text[2..4]) switch
            {
                ('B', "01") => ($"{text[1]}c01", text[4..] == "00"),
                // The fine half of modulation moves it too; at nothing it says nothing of the coarse one.
                ('B', "21") => (text[4..] == "00" ? "" : $"{text[1]}c01", false),
                ('B', "22") => (text[4..] == "00" ? "" : $"{text[1]}c02", false),
                ('B', "24") => (text[4..] == "00" ? "" : $"{text[1]}c04", false),
                ('B', "02") => ($"{text[1]}c02", text[4..] == "00"),
                ('B', "04") => ($"{text[1]}c04", text[4..] == "00"),
                ('A', var key) => ($"{text[1]}a{key}", text[4..] == "00"),
                ('B', "0B") => ($"{text[1]}c0B", text[4..] == "7F"),
                ('B', "41") => ($"{text[1]}c41", Convert.ToInt32(text[4..], 16) < 64),
                ('D', _) => ($"{text[1]}p", text[2..] == "00"),
                ('E', _) => ($"{text[1]}b", text[2..] == "0040"),
                _ => ("", true),
            };
            if (item.Length == 0)
                return;
            // What Weiche sends by itself is nobody's.
            if (isAtRest || from == default)
                _moved.Remove((to, item));
            else
                _moved[(to, item)] = (from, route);
        }

        private IEnumerable<Route> Routes(PortId from)
        {
            var routes = _studio.Routes.Where(route => route.On && route.Duty.IsOn(_studio.InForce)).ToList();
            var solo = routes.Any(route => route.Solo);
            // What carries on what is soloed is live too, for what comes from the virtual port that was reached.
            var reached = routes.Where(route => route.Solo).Select(route => route.To).ToHashSet();
            while (
                routes
                    .Where(route => _studio.SourcesOf(route).Any(source => reached.Any(to => IsOtherSide(to, source.Id))))
                    .Select(route => route.To)
                    .ToList()
                    is { } next
                && next.Any(reached.Add)
            ) { }
            var carriesOn = reached.Any(to => IsOtherSide(to, from));
            var mine = routes
                .Where(route => (!solo || route.Solo || carriesOn) && _studio.SourcesOf(route).Any(source => source.Id == from))
                .ToList();
            return mine.Where(route => route.Divert).Concat(mine.Where(route => !route.Divert));
        }

        private bool IsOtherSide(PortId destination, PortId source) =>
            _studio.FindPort(destination)!.Value is { Device.Kind: DeviceKind.VirtualPort } to
            && to.Device.Ports.Any(port => port.Id == source);

        private bool IsLive(RouteId id) => _studio.FindPort(_studio.FindRoute(id)!.To)!.Value.Port.On;

        private bool Carries(RouteId id, PortId source) =>
            _studio.FindRoute(id) is { On: true } route
            && IsLive(id)
            && _studio.FindPort(source)!.Value.Port.On
            && _studio.SourcesOf(route).Any(each => each.Id == source)
            && (!route.Duty.IsOn(_studio.InForce) || Runs(id, source));

        private bool IsHeld(PortId to, string sounding) => _holds.Any(hold => hold.To == to && hold.Sounding == sounding);

        private void Drop(Func<Hold, bool> which)
        {
            var gone = _holds.Where(which).ToList();
            _holds.ExceptWith(gone);
            foreach (var (to, sounding) in gone.Select(hold => (hold.To, hold.Sounding)).Distinct())
            {
                if (IsHeld(to, sounding))
                    continue;
                Arrive(default, to, sounding[1] == 'k' ? $"8{sounding[0]}{sounding[2..]}40" : $"B{sounding[0]}{sounding[2..]}00");
            }
        }

        private void Arrive(PortId from, PortId to, string text, RouteId route = default)
        {
            _new.TryAdd(to, []);
            if (IsOfOtherClock(from, to, text))
                return;
            if (text[0] == 'B')
                Select(from, to, text[1], Convert.ToInt32(text[2..4], 16), text[4..]);
            _new[to].Add(text);
            if (text[0] == 'F')
                return;
            Move(from, route, to, text);
            _used.TryAdd(to, []);
            _used[to].Add(Convert.ToInt32(text[1..2], 16));
        }

        /// <summary>One clock is heard at a time; all of this takes less than a clock is waited for.</summary>
        private bool IsOfOtherClock(PortId from, PortId to, string text)
        {
            if (text is not ("F8" or "FA" or "FB" or "FC") && !text.StartsWith("F2", StringComparison.Ordinal))
                return false;
            if (!_clock.TryGetValue(to, out var heard) || heard == from)
            {
                if (text == "F8")
                    _clock[to] = from;
                return false;
            }
            if (text == "F8")
                _otherClocks.Add((to, from));
            return _otherClocks.Contains((to, from));
        }

        /// <summary>A parameter number is kept with its data: "R0102" is what is selected, "R--02" half of it.</summary>
        private void Select(PortId from, PortId to, char channel, int controller, string value)
        {
            var all = new PortId(-1);
            if (controller is >= 98 and <= 101)
            {
                foreach (var who in (PortId[])[from, all])
                {
                    var sort = controller < 100 ? "N" : "R";
                    var before = _selected.GetValueOrDefault((to, who, channel), "");
                    if (!before.StartsWith(sort, StringComparison.Ordinal))
                        before = sort + "----";
                    _selected[(to, who, channel)] = controller % 2 == 1 ? before[..1] + value + before[3..] : before[..3] + value;
                }
            }
            else if (controller is 6 or 38 or 96 or 97)
            {
                var own = _selected.GetValueOrDefault((to, from, channel), "-");
                if (own == "-" || own == _selected.GetValueOrDefault((to, all, channel)))
                    return;
                _selected[(to, all, channel)] = own;
                own = own.Replace("--", "7F", StringComparison.Ordinal);
                _new[to].Add($"B{channel}{(own[0] == 'N' ? 99 : 101):X2}{own[1..3]}");
                _new[to].Add($"B{channel}{(own[0] == 'N' ? 98 : 100):X2}{own[3..]}");
            }
        }

        private static bool IsPedal(in MidiMessage message) =>
            message.Kind == MessageKind.ControlChange && (message.Data1 is 64 or 66 or 67);

        /// <summary>What moves: a key "0k3C", a controller "0c40", the pressure "0p", the bend "0b".</summary>
        private static string? Origin(in MidiMessage message) =>
            message.Kind switch
            {
                MessageKind.Note => $"{message.ChannelIndex:X}k{message.Data1:X2}",
                MessageKind.ControlChange => $"{message.ChannelIndex:X}c{message.Data1:X2}",
                MessageKind.ChannelPressure => $"{message.ChannelIndex:X}p",
                MessageKind.PitchBend => $"{message.ChannelIndex:X}b",
                _ => null,
            };

        private static List<MidiMessage> Through(Route route, MidiMessage message)
        {
            List<MidiMessage> messages = [message];
            foreach (var stage in route.Stages)
                messages = [.. messages.SelectMany(each => Results(stage, each))];
            return messages;
        }

        private static MidiMessage[] Results(Stage stage, in MidiMessage message)
        {
            var results = new MidiMessage[Stage.MaxFanOut];
            return results[..stage.Apply(message, results)];
        }
    }
}
