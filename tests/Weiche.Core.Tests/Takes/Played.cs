using System.Collections.Immutable;
using CsCheck;
using Weiche.Core.Midi;
using Weiche.Core.Takes;

namespace Weiche.Core.Tests.Takes;

/// <summary>Takes drawn at random.</summary>
internal static class Played
{
    private static readonly Gen<MidiMessage> AnyMessage = Gen.OneOf(
        Gen.Select(Gen.Int[0, 15], Gen.Int[0, 127], Gen.Int[1, 127])
            .Select((channel, key, velocity) => MidiMessage.FromBytes(0x90 | channel, key, velocity)),
        Gen.Select(Gen.Int[0, 15], Gen.Int[0, 127], Gen.Int[0, 127])
            .Select((channel, key, velocity) => MidiMessage.FromBytes(0x80 | channel, key, velocity)),
        Gen.Select(Gen.Int[0, 15], Gen.Int[0, 127], Gen.Int[0, 127])
            .Select((channel, control, value) => MidiMessage.FromBytes(0xB0 | channel, control, value)),
        Gen.Select(Gen.Int[0, 15], Gen.Int[0, 127]).Select((channel, program) => MidiMessage.FromBytes(0xC0 | channel, program)),
        Gen.Select(Gen.Int[0, 15], Gen.Int[0, 127], Gen.Int[0, 127])
            .Select((channel, low, high) => MidiMessage.FromBytes(0xE0 | channel, low, high))
    );

    private static readonly Gen<TakeEvent> AnyEvent = Gen.Frequency(
        (
            9,
            Gen.Select(AnyMessage, Gen.Int[0, 20_000_000], Gen.Int[0, 3])
                .Select((message, at, track) => new TakeEvent(new MidiSpan(at), track, message))
        ),
        (
            1,
            Gen.Select(Gen.Byte[0, 127].Array[0, 40], Gen.Int[0, 20_000_000], Gen.Int[0, 3])
                .Select((body, at, track) => TakeEvent.OfExclusive(new MidiSpan(at), track, body))
        )
    );

    private static readonly Gen<string> Name = Gen.Char["abc äöü→12"]
        .Array[1, 12]
        .Select(letters => new string(letters).Trim())
        .Select(name => name.Length == 0 ? "x" : name);

    /// <summary>A take with four tracks, tempos, time signatures and markers.</summary>
    internal static readonly Gen<Take> AnyTake = Gen.Select(
            AnyEvent.Array[0, 120],
            Name.Array[4],
            Gen.Select(Gen.Int[0, 20_000_000], Gen.Int[100_000, 3_000_000]).Array[0, 6],
            Gen.Select(Gen.Int[0, 20_000_000], Name).Array[0, 4],
            Gen.Int[1, 12]
        )
        .Select(
            (events, names, tempos, marks, beats) =>
                new Take
                {
                    Tracks = [.. names.Select(name => new TakeTrack(name))],
                    Events = Take.InOrder(events),
                    Tempo = new TempoMap(
                        tempos.Select(each => new TempoPoint(new MidiSpan(each.Item1), each.Item2)),
                        [new BarPoint(MidiSpan.Zero, 1, beats, 8)]
                    ),
                    Marks = [.. marks.OrderBy(each => each.Item1).Select(each => TakeMark.Of(new MidiSpan(each.Item1), each.Item2))],
                    Length = new MidiSpan(20_000_001),
                }
        );

    /// <summary>Notes one after the other and over each other, each with an end.</summary>
    internal static readonly Gen<Take> Notes = Gen.Select(Gen.Int[0, 20_000_000], Gen.Int[1, 3_000_000], Gen.Int[60, 66], Gen.Int[0, 1])
        .Array[1, 60]
        .Select(notes =>
        {
            var events = notes.SelectMany(note =>
                new[]
                {
                    new TakeEvent(new MidiSpan(note.Item1), note.Item4, MidiMessage.FromBytes(0x90, note.Item3, 80)),
                    new TakeEvent(new MidiSpan(note.Item1 + note.Item2), note.Item4, MidiMessage.FromBytes(0x80, note.Item3, 64)),
                }
            );
            return new Take
            {
                Tracks = [new TakeTrack("one"), new TakeTrack("other")],
                Events = Take.InOrder(events),
                Length = new MidiSpan(24_000_000),
            };
        });

    /// <summary>Two tracks with a note each.</summary>
    internal static Take Two { get; } =
        new()
        {
            Tracks = [new TakeTrack("one"), new TakeTrack("other")],
            Events =
            [
                .. new[] { (0, 0, 0x90), (100_000, 1, 0x91), (400_000, 0, 0x80), (900_000, 1, 0x81) }.Select(each => new TakeEvent(
                    new MidiSpan(each.Item1),
                    each.Item2,
                    MidiMessage.FromBytes(each.Item3, 60, 80)
                )),
            ],
            Length = new MidiSpan(1_000_000),
        };

    /// <summary>An event in words, for comparing.</summary>
    internal static string Text(in TakeEvent each, int track) => $"{track} {Convert.ToHexString(each.Bytes)}";
}
