using System.Collections.Immutable;
using Weiche.Core.Live;
using Weiche.Core.Midi;
using Weiche.Core.Stages;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;
using Weiche.Core.Takes;

namespace Weiche.Ports.Carrying;

/// <summary>A walk through all that the engine does, on a copy that nobody hears.</summary>
internal static class WarmUpWalk
{
    // So often the compiler takes a method for one that is worth its best.
    private const int Rounds = 40;

    private static readonly byte[] Phrase =
    [
        0x90, 60, 100, 0xA0, 60, 40, 0xB0, 64, 127, 0xB0, 1, 20, 0xB0, 33, 1, 0xC0, 5, 0xD0, 60, 0xE0, 0, 70,
        0xB0, 101, 0, 100, 0, 6, 2, 0xB0, 7, 90, 0xB0, 64, 0, 0x80, 60, 64, 0xF8, 0xFE, 0xFA, 0xF2, 0, 0,
        0xFB, 0xFC, 0xF0, 0x7D, 1, 2, 3, 0xF7, 0x90, 62, 100, 0x90, 62, 0, 0xB0, 123, 0, 0xFF,
    ];

    /// <summary>Walks.</summary>
    internal static void Run()
    {
        var studio = Studio.Empty("walk");
        foreach (var wire in new[] { WireKind.Usb, WireKind.Din })
        {
            studio = studio with
            {
                NextId = studio.NextId + 3,
                Devices = studio.Devices.Add(
                    new Device(
                        new DeviceId(studio.NextId),
                        $"walk {wire}",
                        DeviceKind.Tablet,
                        Core.Sets.ChannelSet.All,
                        Core.Sets.ChannelSet.All,
                        false,
                        null,
                        [
                            new Port(new PortId(studio.NextId + 1), PortDirection.Source, "", wire),
                            new Port(new PortId(studio.NextId + 2), PortDirection.Destination, "", wire),
                        ]
                    )
                ),
            };
        }
        studio = With(studio, new LayRoute(studio.Sources.First().Id, studio.Destinations.Last().Id));
        studio = With(studio, new LayRoute(studio.Sources.Last().Id, studio.Destinations.First().Id));
        studio = With(studio, new LayRoute(AnySource.Plain, studio.Destinations.First().Id));
        var staged = StageSorts.All.Aggregate(studio, (made, sort) => With(made, new AddStage(made.Routes[0].Id, sort.Fresh)));
        staged = With(With(staged, new AddStage(staged.Routes[1].Id, new ChordStage(0, 4))), new DivertRoute(staged.Routes[2].Id, true));
        // A clock that is followed, to one that gets it steadied and one that gets it as it came; and Weiche's own.
        staged = staged with { Time = staged.Time with { Master = new ClockMaster(staged.Sources.First().Id), CoastBars = 1 } };
        staged = With(
            staged,
            new SetFollower(new Follower(staged.Destinations.First().Id, ClockForm.Steadied, true, MidiSpan.FromMilliseconds(-5)))
        );
        staged = With(
            staged,
            new SetFollower(new Follower(staged.Destinations.Last().Id, ClockForm.AsItCame, true, MidiSpan.FromMilliseconds(5)))
        );
        studio = studio with { Time = studio.Time with { Master = ClockMaster.Own } };
        ImmutableArray<Studio> turns = [studio, staged, With(staged, new SwitchRoute(staged.Routes[0].Id, false))];
        var engine = new Engine(CompiledStudio.Compile(studio));
        var (now, report) = (MidiTime.Zero, new GuardReport());
        for (var round = 0; round < Rounds; round++)
        {
            foreach (var source in studio.Sources)
            {
                engine.Receive(source.Id, Phrase, now += MidiSpan.FromMilliseconds(3));
                foreach (var each in Phrase)
                    engine.Receive(source.Id, [each], now);
                engine.Receive(source.Id, [0x90, 64, 90], now);
                Fetch(engine, now += MidiSpan.FromMilliseconds(40));
                engine.Tick(now += MidiSpan.Second);
                Fetch(engine, now);
                engine.Receive(source.Id, [0x91, 64, 90], now);
            }
            foreach (var what in Enum.GetValues<TimeWork>())
            {
                engine.Do(what, now);
                Beats(engine, studio, ref now);
                engine.LetGo(what, now);
            }
            engine.Swap(engine.Prepare(CompiledStudio.Compile(turns[round % turns.Length], engine.Compiled)), now);
            PlayTake(engine, turns[round % turns.Length], round, ref now);
            engine.Send(studio.Destinations.First().Id, [0x90, 1, 1, 0x80, 1, 1], now);
            engine.Report(report);
            engine.Resume();
            if (round % 4 == 0)
                engine.BreakOff(studio.Sources.First().Id, now);
            if (round % 5 == 0)
                engine.AllNotesOff(now);
            Fetch(engine, now);
        }
    }

    /// <summary>A take, looped, by its own times and in step, stopped in the middle.</summary>
    private static void PlayTake(Engine engine, Studio studio, int round, ref MidiTime now)
    {
        var take = new Take
        {
            Tracks = [new TakeTrack("walk", studio.Sources.First().Id)],
            Events =
            [
                new TakeEvent(MidiSpan.Zero, 0, MidiMessage.FromBytes(0x90, 61, 80)),
                TakeEvent.OfExclusive(MidiSpan.FromMilliseconds(20), 0, [1, 2]),
                new TakeEvent(MidiSpan.FromMilliseconds(40), 0, MidiMessage.FromBytes(0xE0, 1, 70)),
                new TakeEvent(MidiSpan.FromMilliseconds(90), 0, MidiMessage.FromBytes(0x80, 61, 0)),
            ],
            Length = MidiSpan.FromMilliseconds(120),
        };
        var how = new PlayHow(
            MidiSpan.FromMilliseconds(round % 3 * 30),
            new TakeRange(MidiSpan.Zero, MidiSpan.FromMilliseconds(120)),
            InStep: round % 2 == 1
        );
        if (PreparedTake.TryMake(take, how, studio, out var prepared, out _) is not null)
            return;
        engine.Swap(engine.Prepare(CompiledStudio.Compile(studio, engine.Compiled), prepared!.Sources), now);
        engine.PlayTake(prepared, now);
        Beats(engine, studio, ref now);
        engine.StopTake(now);
        Fetch(engine, now);
    }

    private static void Beats(Engine engine, Studio studio, ref MidiTime now)
    {
        for (var pulse = 0; pulse < 30; pulse++)
        {
            now += MidiSpan.FromMilliseconds(20);
            engine.Receive(studio.Sources.First().Id, [0xF8], now);
            engine.Tick(now);
            Fetch(engine, now);
        }
    }

    private static Studio With(Studio studio, StudioEdit edit) => edit.Apply(studio).Studio ?? studio;

    private static void Fetch(Engine engine, MidiTime now)
    {
        var taker = default(Nowhere);
        engine.Drain(ref taker, now);
    }

    private readonly struct Nowhere : IByteTaker
    {
        public int Take(PortId destination, ReadOnlySpan<byte> bytes) => bytes.Length;
    }
}
