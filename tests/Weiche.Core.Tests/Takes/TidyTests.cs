using CsCheck;
using Weiche.Core.Midi;
using Weiche.Core.Takes;

namespace Weiche.Core.Tests.Takes;

public sealed class TidyTests
{
    private static readonly Gen<Tidy> AnyTidy = Gen.Select(
            Gen.OneOf(Gen.Const(4), Gen.Const(8), Gen.Const(16), Gen.Const(32), Gen.Const(6), Gen.Const(12), Gen.Const(24), Gen.Const(48)),
            Gen.Bool,
            Gen.Int[0, 100],
            Gen.Int[50, 75]
        )
        .Select((parts, ends, strength, swing) => new Tidy(parts, ends, strength, swing));

    [Fact]
    public void Every_note_stays_the_note_it_was_and_ends_after_it_began()
    {
        Gen.Select(Played.Notes, AnyTidy)
            .Sample(
                (take, tidy) =>
                {
                    var after = tidy.Apply(take, TakeRange.Everything, out _);
                    Assert.Equal(
                        take.Events.Select(each => Played.Text(each, each.Track)).Order(),
                        after.Events.Select(each => Played.Text(each, each.Track)).Order()
                    );
                    Assert.Equal(after.Events.Select(each => each.At).Order(), after.Events.Select(each => each.At));
                    var notes = TakeNote.Of(after);
                    Assert.All(notes, note => Assert.True(note.Off > note.On && note.End > note.Start));
                    Assert.All(after.Events, each => Assert.InRange(each.At.Microseconds, 0, after.Length.Microseconds));
                },
                iter: 3_000
            );
    }

    [Fact]
    public void At_full_strength_a_note_that_stands_alone_begins_on_the_grid_and_is_moved_no_further_than_half_of_it()
    {
        Gen.Select(Gen.Int[0, 30_000_000], Gen.Int[1, 2_000_000], AnyTidy)
            .Sample(
                (start, length, drawn) =>
                {
                    var tidy = drawn with { Strength = 100 };
                    var take = Note(start, length);
                    var after = TakeNote.Of(tidy.Apply(take, TakeRange.Everything, out _))[0];
                    Assert.Equal(after.Start, tidy.Nearest(take.Tempo, after.Start));
                    Assert.InRange(
                        (after.Start.Microseconds - (long)start) * (after.Start.Microseconds - start),
                        0,
                        Square(2_000_000L / tidy.Parts * 2 * tidy.Swing / 100 + 1)
                    );
                },
                iter: 3_000
            );

        static long Square(long value) => value * value;
    }

    [Fact]
    public void What_lies_on_the_grid_is_left_alone_and_so_is_what_was_not_chosen()
    {
        var take = Note(500_000, 250_000);
        Assert.Same(take, new Tidy(16, true).Apply(take, TakeRange.Everything, out var moved));
        Assert.Equal(0, moved);
        var late = Note(530_000, 250_000);
        Assert.Same(late, new Tidy(16, true).Apply(late, new TakeRange(MidiSpan.Zero, new MidiSpan(530_000)), out _));
        Assert.Equal(500_000, TakeNote.Of(new Tidy(16, false).Apply(late, TakeRange.Everything, out _))[0].Start.Microseconds);
    }

    [Theory]
    [InlineData(16, false, 100, 50, 540_000, 200_000, 500_000, 740_000)]
    [InlineData(16, true, 100, 50, 540_000, 200_000, 500_000, 750_000)]
    [InlineData(16, true, 50, 50, 540_000, 200_000, 520_000, 745_000)]
    [InlineData(4, true, 100, 50, 540_000, 20_000, 500_000, 1_000_000)]
    [InlineData(12, false, 100, 50, 640_000, 100_000, 666_667, 740_000)]
    [InlineData(8, false, 100, 66, 300_000, 400_000, 330_000, 700_000)]
    public void Notes_are_brought_where_the_grid_is(
        int parts,
        bool ends,
        int strength,
        int swing,
        int start,
        int length,
        int meantStart,
        int meantEnd
    )
    {
        var note = TakeNote.Of(new Tidy(parts, ends, strength, swing).Apply(Note(start, length), TakeRange.Everything, out _))[0];
        Assert.Equal((meantStart, meantEnd), (note.Start.Microseconds, note.End.Microseconds));
    }

    private static Take Note(long start, long length) =>
        new()
        {
            Tracks = [new TakeTrack("one")],
            Events =
            [
                new TakeEvent(new MidiSpan(start), 0, MidiMessage.FromBytes(0x90, 60, 80)),
                new TakeEvent(new MidiSpan(start + length), 0, MidiMessage.FromBytes(0x80, 60, 0)),
            ],
            Length = new MidiSpan(start + length),
        };
}
