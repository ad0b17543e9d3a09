using CsCheck;
using Weiche.Core.Live;
using Weiche.Core.Midi;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;

namespace Weiche.Core.Tests.Live;

/// <summary>What other programs send to a virtual port comes in by the destination that it is.</summary>
public sealed class DoorTests
{
    [Fact]
    public void What_comes_by_a_door_is_merged_with_what_routes_bring_and_each_holds_for_itself()
    {
        var studio = Rooms.Of("keys", "stars").Lay("keys", "stars");
        var rig = new Rig(studio);
        rig.Receive(studio.From("keys"), 0x90, 60, 90);
        rig.Receive(studio.To("stars"), 0x90, 60, 70);
        rig.Receive(studio.From("keys"), 0x80, 60, 0);
        Assert.Equal(["90 3C 5A", "90 3C 46"], rig.At(studio.To("stars")));
        // Only when both have let go.
        rig.Receive(studio.To("stars"), 0x80, 60, 0);
        Assert.Equal(3, rig.At(studio.To("stars")).Count);
        Assert.StartsWith("80 3C", rig.At(studio.To("stars"))[^1], StringComparison.Ordinal);
    }

    [Fact]
    public void What_a_program_held_ends_when_it_has_gone_and_nothing_of_others()
    {
        var studio = Rooms.Of("keys", "stars").Lay("keys", "stars");
        var rig = new Rig(studio);
        rig.Receive(studio.From("keys"), 0x90, 64, 90);
        rig.Receive(studio.To("stars"), 0x90, 60, 70);
        rig.Engine.BreakOff(studio.To("stars"), rig.Now);
        rig.Fetch();
        Assert.StartsWith("80 3C", rig.At(studio.To("stars"))[^1], StringComparison.Ordinal);
        Assert.Equal(3, rig.At(studio.To("stars")).Count);
    }

    [Fact]
    public void A_door_stays_open_through_edits_lineups_and_solo_and_is_shut_with_its_port()
    {
        var studio = Rooms.Of("keys", "far", "stars").Lay("keys", "stars").Lay("keys", "far");
        studio = studio.Must(new AddLineup("one")).Must(new AddLineup("two"));
        var rig = new Rig(studio);
        var edits = new Func<Studio, Studio>[]
        {
            room => room,
            room => room.Must(new SoloRoute(room.Routes[1].Id, true)),
            room => room.In(room.Lineups[1].Id),
            room => room.Must(new AddVirtualPort("more")),
            room => room.Must(new RemoveDevice(room.Devices[0].Id, WithRoutes: true)),
        };
        foreach (var (number, edit) in edits.Index())
        {
            rig.Use(studio = edit(studio));
            rig.Receive(studio.To("stars"), 0x90, 60 + number, 90);
            Assert.Equal($"90 {60 + number:X2} 5A", rig.At(studio.To("stars"))[^1]);
        }
        var count = rig.At(studio.To("stars")).Count;
        rig.Use(studio = studio.Must(new SwitchPort(studio.To("stars"), false)));
        rig.Receive(studio.To("stars"), 0x90, 90, 90);
        Assert.DoesNotContain("90 5A 5A", rig.At(studio.To("stars")).Skip(count));
    }

    [Fact]
    public void Whatever_programs_and_players_do_nothing_is_left_held()
    {
        var studio = Rooms.Of("keys", "stars", "far").Lay("keys", "stars").Lay("stars", "far");
        var doors = new[] { studio.From("keys"), studio.To("stars"), studio.To("far") };
        Gen.Select(Gen.Int[0, 2], Gen.Int[0, 4], Gen.Int[60, 63])
            .Array[1, 60]
            .Sample(
                steps =>
                {
                    var rig = new Rig(studio with { Safety = studio.Safety with { Rounds = 0 } });
                    var down = new HashSet<(int, int)>();
                    foreach (var (who, what, key) in steps)
                    {
                        if (what == 4)
                        {
                            rig.Engine.BreakOff(doors[who], rig.Now);
                            rig.Fetch();
                            down.RemoveWhere(each => each.Item1 == who);
                        }
                        else
                        {
                            rig.Receive(doors[who], what < 2 ? 0x90 : 0x80, key, 90);
                            if (what < 2)
                                down.Add((who, key));
                            else
                                down.Remove((who, key));
                        }
                        // "stars" goes on to "far" by its source; both hold what either of their players holds.
                        Assert.Equal(
                            down.Where(each => each.Item1 != 2).Select(each => each.Item2).Distinct().Order(),
                            rig.Sounding(studio.To("stars"))
                        );
                    }
                },
                iter: 2_000
            );
    }

    private sealed class Rig : IByteTaker
    {
        private readonly Dictionary<PortId, List<string>> _heard = [];
        private readonly Dictionary<PortId, (StreamParser Parser, HashSet<int> Down)> _parsers = [];
        private readonly Queue<(PortId Source, byte[] Bytes)> _later = new();
        private Studio _studio;

        internal Rig(Studio studio)
        {
            _studio = studio;
            Engine = new Engine(CompiledStudio.Compile(studio));
        }

        internal Engine Engine { get; }

        internal MidiTime Now { get; private set; }

        internal List<string> At(PortId port) => _heard.GetValueOrDefault(port) ?? [];

        internal IEnumerable<int> Sounding(PortId port) => _parsers.TryGetValue(port, out var known) ? known.Down.Order() : [];

        internal void Use(Studio studio)
        {
            _studio = studio;
            Engine.Swap(Engine.Prepare(CompiledStudio.Compile(studio, Engine.Compiled)), Now);
            if (studio.InForce is { } lineup)
                Engine.Enter(lineup, Now);
            Fetch();
        }

        internal void Receive(PortId port, int status, int key, int velocity)
        {
            Now += new MidiSpan(1_000);
            Engine.Receive(port, [(byte)status, (byte)key, (byte)velocity], Now);
            Fetch();
        }

        internal void Fetch()
        {
            var self = this;
            Engine.Drain(ref self, Now);
            while (_later.TryDequeue(out var back))
            {
                Engine.Receive(back.Source, back.Bytes, Now);
                Engine.Drain(ref self, Now);
            }
        }

        public int Take(PortId destination, ReadOnlySpan<byte> bytes)
        {
            if (!_parsers.TryGetValue(destination, out var known))
                _parsers.Add(destination, known = (new StreamParser(new SysExPool()), []));
            if (!_heard.TryGetValue(destination, out var heard))
                _heard.Add(destination, heard = []);
            var sink = new Sink(heard, known.Down);
            known.Parser.Parse(bytes, ref sink);
            // A virtual port: what it is sent comes out of it.
            if (_studio.FindPort(destination)?.Device.FirstPort(PortDirection.Source) is { } source)
                _later.Enqueue((source, bytes.ToArray()));
            return bytes.Length;
        }

        private readonly struct Sink(List<string> heard, HashSet<int> down) : IMessageSink
        {
            public void Accept(in MidiMessage message)
            {
                heard.Add($"{message.Status:X2} {message.Data1:X2} {message.Data2:X2}");
                if (message.IsNoteOn)
                    down.Add(message.Data1);
                else if (message.Kind == MessageKind.Note)
                    down.Remove(message.Data1);
            }
        }
    }
}
