using CsCheck;
using Weiche.Core.Live;
using Weiche.Core.Midi;
using Weiche.Core.Stages;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;
using Weiche.Core.Takes;

namespace Weiche.Core.Tests.Live;

public sealed class TakePlaybackTests
{
    private static readonly Studio Room = Studio
        .Empty("room")
        .Must(new AddDevice("Amsel, keyboard controller, channel 1"))
        .Must(new AddDevice("Zinn, sound module, channels all"))
        .Must(new AddDevice("Uhrwerk, clock"))
        .Lay("Amsel", "Zinn");

    [Fact]
    public void It_arrives_as_it_was_recorded_message_by_message_with_times()
    {
        Gen.Select(Takes.Played.AnyTake, Gen.OneOf(Gen.Const(25), Gen.Const(100), Gen.Const(150)))
            .Sample(
                (drawn, speed) =>
                {
                    var take = Whole(drawn);
                    var (direct, played) = (new Timed(Room), new Timed(Room));
                    foreach (var each in take.Events.Where(each => !each.Message.IsRealTime))
                        direct.Receive(each.Bytes, new MidiTime((long)Math.Ceiling(each.At.Microseconds * 100.0 / speed)));
                    played.Play(take, new PlayHow(MidiSpan.Zero, Speed: speed));
                    played.Until(new MidiTime(200_000_000));
                    // What is held at the end ends with the take.
                    Assert.Equal(direct.Heard, played.Heard.Take(direct.Heard.Count));
                    Assert.False(played.Engine.Played.Plays);
                    Assert.Equal(0, played.Engine.HeldCount);
                },
                iter: 300
            );
    }

    [Fact]
    public void Stopped_at_any_moment_looped_and_begun_anywhere_nothing_is_left_held()
    {
        Gen.Select(Takes.Played.AnyTake, Gen.Int[0, 20_000_000], Gen.Int[100_000, 9_000_000], Gen.Int[0, 40_000_000], Gen.Bool)
            .Sample(
                (drawn, from, length, stop, edits) =>
                {
                    var rig = new Timed(Room);
                    rig.Play(
                        Whole(drawn),
                        new PlayHow(new MidiSpan(from), new TakeRange(new MidiSpan(from), new MidiSpan((long)from + length)))
                    );
                    rig.Until(new MidiTime(stop / 2));
                    if (edits)
                        rig.Use(Room.Must(new AddDevice("Wolke, tablet")));
                    rig.Until(new MidiTime(stop));
                    rig.Engine.StopTake(rig.Now);
                    rig.Fetch();
                    Assert.Equal(0, rig.Engine.HeldCount);
                    Assert.Empty(rig.Sounding);
                    var silent = rig.Heard.Count;
                    rig.Until(new MidiTime(stop + 30_000_000));
                    Assert.Equal(silent, rig.Heard.Count);
                },
                iter: 500
            );
    }

    [Fact]
    public void Through_patterns_and_thinned_controllers_under_the_hands_of_a_player_nothing_is_left_held()
    {
        var studio = StageSorts
            .All.Where(sort => sort.Name is "Pattern" or "Thin")
            .Aggregate(Room.Must(new SetMaster(ClockMaster.Own)), (made, sort) => made.Must(new AddStage(made.Routes[0].Id, sort.Fresh)));
        Assert.Equal(2, studio.Routes[0].Stages.Length);
        Gen.Select(Takes.Played.AnyTake, Gen.Bool, Gen.Int[0, 12_000_000], Gen.Select(Gen.Int[0, 12_000_000], Gen.Int[0, 127]).Array[0, 12])
            .Sample(
                (drawn, inStep, stop, keys) =>
                {
                    var rig = new Timed(studio);
                    rig.Play(Whole(drawn), new PlayHow(MidiSpan.Zero, new TakeRange(MidiSpan.Zero, new MidiSpan(5_000_000)), inStep));
                    if (inStep)
                        rig.Engine.Do(TimeWork.Start, rig.Now);
                    foreach (var (at, key) in keys.OrderBy(each => each.Item1))
                    {
                        rig.Receive([0x90, (byte)key, 90], new MidiTime(at));
                        if (at % 5 == 0)
                            rig.Use(studio.Must(new AddDevice("Wolke, tablet")));
                        rig.Receive([0x80, (byte)key, 0], new MidiTime(at + 40_000));
                    }
                    rig.Until(new MidiTime(stop));
                    rig.Engine.StopTake(rig.Now);
                    rig.Engine.Do(TimeWork.Stop, rig.Now);
                    rig.Until(rig.Now + MidiSpan.Second * 5);
                    Assert.Equal(0, rig.Engine.HeldCount);
                    Assert.Empty(rig.Sounding);
                },
                iter: 200
            );
    }

    [Fact]
    public void What_is_played_by_hand_and_by_a_take_are_two_of_whom_the_last_lets_go()
    {
        var rig = new Timed(Room);
        rig.Play(Of((0, 0x90, 60, 80), (1_000_000, 0x80, 60, 0)), new PlayHow(MidiSpan.Zero));
        rig.Until(new MidiTime(500_000));
        rig.Receive([0x90, 60, 90], new MidiTime(500_000));
        rig.Until(new MidiTime(2_000_000));
        Assert.Equal([60], rig.Sounding);
        rig.Receive([0x80, 60, 0], new MidiTime(2_100_000));
        Assert.Empty(rig.Sounding);
    }

    [Fact]
    public void In_step_it_begins_with_the_bar_and_keeps_to_the_beat_whatever_the_tempo_does()
    {
        var studio = Room.Must(new SetMaster(ClockMaster.Own)).Must(new SetTempo(new Weiche.Core.Pulse.Tempo(12_000)));
        var rig = new Timed(studio);
        // Sixteen quarters at 100 a minute, as it was recorded.
        var events = Enumerable
            .Range(0, 16)
            .SelectMany(beat => new[] { ((long)beat * 600_000, 0x90, 40 + beat, 80), ((long)beat * 600_000 + 300_000, 0x80, 40 + beat, 0) })
            .ToArray();
        rig.Play(
            Of(events) with
            {
                Tempo = new TempoMap([new TempoPoint(MidiSpan.Zero, 600_000)], []),
            },
            new PlayHow(MidiSpan.Zero, InStep: true)
        );
        rig.Until(new MidiTime(700_000));
        Assert.Empty(rig.Heard);
        Assert.True(rig.Engine.Played.Waits);
        rig.Engine.Do(TimeWork.Start, rig.Now);
        rig.Until(new MidiTime(4_600_000));
        rig.Engine.SetTempo(new Weiche.Core.Pulse.Tempo(24_000), rig.Now);
        rig.Until(new MidiTime(9_000_000));
        var ons = rig.Heard.Where(heard => heard.Bytes.StartsWith("90", StringComparison.Ordinal)).Select(heard => heard.At).ToList();
        Assert.Equal(16, ons.Count);
        var spans = ons.Zip(ons.Skip(1), (one, other) => other - one).ToList();
        Assert.All(spans.Take(7), span => Assert.InRange(span, 499_999, 500_001));
        Assert.All(spans.Skip(9), span => Assert.InRange(span, 249_999, 250_001));
        Assert.Empty(rig.Sounding);
    }

    [Theory]
    [InlineData(30_000, 0)]
    [InlineData(1_000_000, 1_000_000)]
    [InlineData(1_999_000, 1_000)]
    public void In_step_its_bars_lie_on_the_bars_of_the_clock_wherever_in_a_bar_it_begins(long firstBar, long begins)
    {
        var studio = Room.Must(new SetMaster(ClockMaster.Own)).Must(new SetTempo(new Weiche.Core.Pulse.Tempo(12_000)));
        var rig = new Timed(studio);
        // A bar takes two seconds; a note at its beginning, and one on each bar line.
        var tempo = new TempoMap([], [new BarPoint(MidiSpan.Zero, 1, 4, 4), new BarPoint(new MidiSpan(firstBar), 2, 4, 4)]);
        var take = Of((0, 0x90, 40, 80), (firstBar, 0x90, 50, 80), (firstBar + 2_000_000, 0x90, 51, 80)) with { Tempo = tempo };
        rig.Play(take, new PlayHow(MidiSpan.Zero, InStep: true));
        rig.Engine.Do(TimeWork.Start, rig.Now);
        var begun = rig.Engine.Time.At.Microseconds;
        rig.Until(new MidiTime(9_000_000));
        var heard = rig
            .Heard.Where(each => each.Bytes.StartsWith("90", StringComparison.Ordinal))
            .ToDictionary(each => Convert.ToInt32(each.Bytes[2..4], 16), each => each.At);
        var phase = (heard[51] - heard[50], (heard[50] - begun) % 2_000_000);
        Assert.InRange(phase.Item1, 1_999_998, 2_000_002);
        Assert.InRange(Math.Min(phase.Item2, 2_000_000 - phase.Item2), 0, 25_000);
        // What is a little before its bar comes with it.
        Assert.InRange(heard[50] - heard[40], (begins == 0 ? 0 : firstBar) - 2, (begins == 0 ? 0 : firstBar) + 2);
    }

    [Fact]
    public void Stopped_with_the_clock_it_is_silent_and_begins_anew_with_it()
    {
        var studio = Room.Must(new SetMaster(ClockMaster.Own));
        var rig = new Timed(studio);
        rig.Play(Of((0, 0x90, 60, 80), (9_000_000, 0x80, 60, 0)), new PlayHow(MidiSpan.Zero, InStep: true));
        rig.Engine.Do(TimeWork.Start, rig.Now);
        rig.Until(new MidiTime(1_000_000));
        Assert.Equal([60], rig.Sounding);
        rig.Engine.Do(TimeWork.Stop, rig.Now);
        rig.Fetch();
        Assert.Empty(rig.Sounding);
        rig.Engine.Do(TimeWork.Start, rig.Now);
        rig.Until(new MidiTime(4_000_000));
        Assert.Equal([60], rig.Sounding);
        rig.Engine.AllNotesOff(rig.Now);
        rig.Fetch();
        Assert.Empty(rig.Sounding);
        Assert.False(rig.Engine.Played.Plays);
    }

    [Fact]
    public void Begun_in_the_middle_programs_and_pedals_are_there_and_no_note_from_before()
    {
        var rig = new Timed(Room);
        rig.Play(
            Of((0, 0xC0, 7, 0), (0, 0xB0, 64, 127), (10, 0x90, 60, 80), (2_000_000, 0x90, 62, 80), (3_000_000, 0x80, 60, 0)),
            new PlayHow(new MidiSpan(1_000_000))
        );
        rig.Until(new MidiTime(900_000));
        Assert.Equal(["C007", "B0407F"], rig.Heard.Select(heard => heard.Bytes));
        rig.Until(new MidiTime(1_500_000));
        Assert.Equal([62], rig.Sounding);
    }

    [Fact]
    public void A_lever_in_a_take_works_nothing_and_what_was_swallowed_is_swallowed()
    {
        var studio = Room.Must(new AddLineup("one")).Must(new AddLineup("two"));
        studio = studio.Must(new AddLever(studio.From("Amsel"), new LeverTrigger(LeverKind.Key, 36), new StepLineup(1)));
        var rig = new Timed(studio.In(studio.Lineups[0].Id));
        rig.Play(Of((0, 0x90, 36, 80), (100, 0x80, 36, 0), (200, 0x90, 60, 80)), new PlayHow(MidiSpan.Zero));
        rig.Until(new MidiTime(10_000));
        Assert.Equal(studio.Lineups[0].Id, rig.Engine.InForce);
        Assert.Equal(["90", "80"], rig.Heard.Select(heard => heard.Bytes[..2]));
        Assert.DoesNotContain(rig.Heard, heard => heard.Bytes.Contains("24", StringComparison.Ordinal));
    }

    [Fact]
    public void Playing_allocates_nothing()
    {
        var rig = new Timed(Room);
        rig.Play(
            Of([.. Enumerable.Range(0, 4_000).Select(index => ((long)index * 100, index % 2 == 0 ? 0x90 : 0x80, 60, 80))]),
            new PlayHow(MidiSpan.Zero, new TakeRange(MidiSpan.Zero, new MidiSpan(400_000)))
        );
        var taker = new Nobody();
        long at = 1;
        for (var i = 0; i < 20_000; i++)
            Step();
        Assert.Equal(
            0,
            Allocations.Of(() =>
            {
                for (var i = 0; i < 20_000; i++)
                    Step();
            })
        );

        void Step()
        {
            rig.Engine.Tick(new MidiTime(at += 100));
            rig.Engine.Drain(ref taker, new MidiTime(at));
        }
    }

    [Fact]
    public void A_system_exclusive_longer_than_the_engine_takes_is_left_out_and_counted()
    {
        var take = Of((0, 0x90, 60, 90), (2, 0x80, 60, 0)) with
        {
            Events =
            [
                TakeEvent.OfExclusive(MidiSpan.Zero, 0, new byte[SysExPool.Longest]),
                TakeEvent.OfExclusive(new MidiSpan(1), 0, new byte[SysExPool.Longest + 1]),
            ],
        };
        Assert.Null(PreparedTake.TryMake(take, new PlayHow(MidiSpan.Zero), Room, out var prepared, out _));
        Assert.Equal(1, prepared!.TooLong);
        Assert.Single(prepared.Exclusives);
    }

    private struct Nobody : IByteTaker
    {
        public readonly int Take(PortId destination, ReadOnlySpan<byte> bytes) => bytes.Length;
    }

    private static Take Whole(Take take) =>
        take with
        {
            Tracks = [.. take.Tracks.Select(track => track with { Port = Room.From("Amsel") })],
        };

    private static Take Of(params (long At, int Status, int Data1, int Data2)[] events) =>
        new()
        {
            Tracks = [new TakeTrack("Amsel", Room.From("Amsel"), "Amsel")],
            Events =
            [
                .. events.Select(each => new TakeEvent(
                    new MidiSpan(each.At),
                    0,
                    MidiMessage.FromBytes(each.Status, each.Data1, each.Status >= 0xC0 && each.Status < 0xE0 ? 0 : each.Data2)
                )),
            ],
            Length = new MidiSpan(events[^1].At + 1),
        };

    /// <summary>An engine whose every message is heard with its time.</summary>
    private sealed class Timed(Studio studio) : IByteTaker
    {
        private readonly StreamParser _parser = new(new SysExPool());
        private readonly HashSet<int> _sounding = [];
        private Studio _studio = studio;

        internal Engine Engine { get; } = new(CompiledStudio.Compile(studio));

        internal MidiTime Now { get; private set; }

        internal List<(long At, string Bytes)> Heard { get; } = [];

        internal IEnumerable<int> Sounding => _sounding.Select(key => key & 127);

        internal void Play(Take take, PlayHow how)
        {
            Assert.Null(PreparedTake.TryMake(take, how, _studio, out var prepared, out _));
            Engine.Swap(Engine.Prepare(CompiledStudio.Compile(_studio, Engine.Compiled), prepared!.Sources), Now);
            Engine.PlayTake(prepared, Now);
            Fetch();
        }

        internal void Use(Studio studio)
        {
            _studio = studio;
            Engine.Swap(Engine.Prepare(CompiledStudio.Compile(studio, Engine.Compiled)), Now);
            Fetch();
        }

        internal void Receive(byte[] bytes, MidiTime at)
        {
            Until(at);
            Engine.Receive(_studio.From("Amsel"), bytes, Now);
            Fetch();
        }

        internal void Until(MidiTime end)
        {
            while (Engine.NextDue <= end)
            {
                Now = MidiTime.Later(Now, Engine.NextDue);
                Engine.Tick(Now);
                Fetch();
            }
            Now = MidiTime.Later(Now, end);
        }

        internal void Fetch()
        {
            var taker = this;
            Engine.Drain(ref taker, Now);
        }

        int IByteTaker.Take(PortId destination, ReadOnlySpan<byte> bytes)
        {
            if (destination == _studio.To("Zinn"))
            {
                var sink = new Sink(this);
                _parser.Parse(bytes, ref sink);
            }
            return bytes.Length;
        }

        private readonly struct Sink(Timed rig) : IMessageSink
        {
            public void Accept(in MidiMessage message)
            {
                var key = message.ChannelIndex << 7 | message.Data1;
                if (message.IsNoteOn)
                    rig._sounding.Add(key);
                else if (message.IsNoteOff)
                    rig._sounding.Remove(key);
                else if (message.Kind == MessageKind.ChannelMode && message.Data1 is not (121 or 122))
                    rig._sounding.RemoveWhere(each => each >> 7 == (key >> 7));
                rig.Heard.Add((rig.Now.Microseconds, MessageText.Hex(message).Replace(" ", "", StringComparison.Ordinal)));
            }
        }
    }
}
