using System.Text;
using CsCheck;
using NAudio.Midi;
using Weiche.Core.Midi;
using Weiche.Core.Takes;
using Weiche.Files;

namespace Weiche.Core.Tests.Takes;

public sealed class TakeFileTests
{
    [Fact]
    public void What_is_written_is_read_again_with_tracks_names_tempo_and_markers()
    {
        Played.AnyTake.Sample(
            take =>
            {
                var read = StandardMidiFile.ReadTake(StandardMidiFile.WriteTake(take, "all"));
                // What is closer than a tick cannot be told apart in a file.
                if (
                    take
                        .Tempo.Tempos.Zip(take.Tempo.Tempos.Skip(1), (one, other) => (other.At - one.At).Microseconds)
                        .Any(span => span < 400)
                )
                    return;
                // The first track has tempo and markers alone.
                Assert.Equal(take.Tracks.Select(track => track.Name).Prepend("all"), read.Tracks.Select(track => track.Name));
                Assert.Equal(take.Tempo.Tempos.Select(tempo => tempo.Quarter), read.Tempo.Tempos.Select(tempo => tempo.Quarter));
                Assert.Equal(take.Tempo.Bars[0] with { Number = 1 }, read.Tempo.Bars[0]);
                Assert.Equal(
                    take.Marks.Select(mark => mark.Text),
                    read.Marks.Where(mark => mark.Type == TakeMark.Marker).Select(mark => mark.Text)
                );
                for (var track = 0; track < 4; track++)
                {
                    var (meant, found) = (
                        take.Events.Where(each => each.Track == track).ToList(),
                        read.Events.Where(each => each.Track == track + 1).ToList()
                    );
                    Assert.Equal(meant.Select(each => Played.Text(each, track)), found.Select(each => Played.Text(each, track)));
                    // Half a tick of the slowest tempo is 157 µs.
                    for (var i = 0; i < meant.Count; i++)
                        Assert.InRange((found[i].At - meant[i].At).Length.Microseconds, 0, 160);
                }
            },
            iter: 400
        );
    }

    [Fact]
    public void A_second_time_through_a_file_nothing_changes_any_more()
    {
        Played.AnyTake.Sample(
            take =>
            {
                var once = StandardMidiFile.ReadTake(StandardMidiFile.WriteTake(take, "all"));
                var twice = StandardMidiFile.ReadTake(StandardMidiFile.WriteTake(once, "other"));
                Assert.Equal(once.Tracks.Select(track => track.Name), twice.Tracks.Select(track => track.Name));
                Assert.Equal(
                    once.Events.Select(each => (each.At, each.Track, Convert.ToHexString(each.Bytes))).Order(),
                    twice.Events.Select(each => (each.At, each.Track, Convert.ToHexString(each.Bytes))).Order()
                );
                Assert.Equal(once.Tempo.Tempos, twice.Tempo.Tempos);
                Assert.Equal(once.Length, twice.Length);
            },
            iter: 200
        );
    }

    [Fact]
    public void Another_library_reads_the_same_notes_names_and_tempo()
    {
        Played.Notes.Sample(
            take =>
            {
                var named = take with
                {
                    Tempo = new TempoMap([new TempoPoint(MidiSpan.Zero, 500_000), new TempoPoint(new MidiSpan(4_000_000), 750_000)], []),
                    Marks = [TakeMark.Of(new MidiSpan(1_000_000), "comet")],
                };
                var file = new MidiFile(new MemoryStream(StandardMidiFile.WriteTake(named, "all")), strictChecking: false);
                Assert.Equal(1, file.FileFormat);
                Assert.Equal(
                    ["all", "one", "other"],
                    file.Events.Select(track =>
                        track.OfType<TextEvent>().First(text => text.MetaEventType == MetaEventType.SequenceTrackName).Text
                    )
                );
                Assert.Equal([500_000, 750_000], file.Events[0].OfType<TempoEvent>().Select(tempo => tempo.MicrosecondsPerQuarterNote));
                Assert.Equal("comet", file.Events[0].OfType<TextEvent>().Single(text => text.MetaEventType == MetaEventType.Marker).Text);
                for (var track = 0; track < 2; track++)
                {
                    var meant = named
                        .Events.Where(each => each.Track == track && each.Message.IsNoteOn)
                        .Select(each => (Tick(named, each.At, file.DeltaTicksPerQuarterNote), (int)each.Message.Data1))
                        .Order();
                    var found = file.Events[track + 1]
                        .OfType<NoteOnEvent>()
                        .Where(note => note.Velocity > 0)
                        .Select(note => (note.AbsoluteTime, note.NoteNumber))
                        .Order();
                    Assert.Equal(meant, found);
                }
            },
            iter: 200
        );
    }

    [Fact]
    public void What_another_library_writes_is_read_as_it_meant_it()
    {
        Gen.Select(Gen.Int[0, 40_000], Gen.Int[1, 4_000], Gen.Int[0, 127], Gen.Int[1, 16])
            .Array[1, 60]
            .Sample(
                notes =>
                {
                    var events = new MidiEventCollection(1, 480);
                    events.AddTrack();
                    events.AddEvent(new TextEvent("conductor", MetaEventType.SequenceTrackName, 0), 0);
                    events.AddEvent(new TempoEvent(400_000, 0), 0);
                    events.AddEvent(new TempoEvent(600_000, 9_600), 0);
                    events.AddTrack();
                    events.AddEvent(new TextEvent("strings", MetaEventType.SequenceTrackName, 0), 1);
                    foreach (var (at, length, key, channel) in notes)
                    {
                        events.AddEvent(new NoteOnEvent(at, channel, key, 90, length), 1);
                        events.AddEvent(new NoteEvent(at + length, channel, MidiCommandCode.NoteOff, key, 0), 1);
                    }
                    foreach (var track in events)
                        track.Add(new MetaEvent(MetaEventType.EndTrack, 0, 60_000));
                    var path = Path.Combine(Path.GetTempPath(), $"weiche-{Guid.NewGuid():N}.mid");
                    try
                    {
                        MidiFile.Export(path, events);
                        var take = TakeFiles.Read(path, File.ReadAllBytes(path));
                        Assert.Equal(["conductor", "strings"], take.Tracks.Select(track => track.Name));
                        var meant = notes.Select(note => (At(note.Item1), 1, note.Item3)).Order();
                        Assert.Equal(
                            meant,
                            take.Events.Where(each => each.Message.IsNoteOn)
                                .Select(each => (each.At.Microseconds, each.Track, (int)each.Message.Data1))
                                .Order()
                        );
                    }
                    finally
                    {
                        File.Delete(path);
                    }
                },
                iter: 60
            );

        static long At(long tick) =>
            (long)Math.Round(tick <= 9_600 ? tick * 400_000m / 480 : 9_600m * 400_000 / 480 + (tick - 9_600) * 600_000m / 480);
    }

    [Fact]
    public void A_table_is_read_again_and_system_exclusive_alone()
    {
        Played.AnyTake.Sample(
            take =>
            {
                var read = TakeFiles.Read("a.csv", Encoding.UTF8.GetBytes(TakeFiles.WriteCsv(take, KeyNaming.Usual)));
                Assert.Equal(
                    take.Events.Select(each => (each.At, take.Tracks[each.Track].Name, Convert.ToHexString(each.Bytes))),
                    read.Events.Select(each => (each.At, read.Tracks[each.Track].Name, Convert.ToHexString(each.Bytes)))
                );
                var dump = TakeFiles.WriteSyx(take);
                if (dump.Length > 0)
                    Assert.Equal(
                        take.Events.Where(each => each.Exclusive is not null).Select(each => Convert.ToHexString(each.Bytes)),
                        TakeFiles.Read("a.syx", dump).Events.Select(each => Convert.ToHexString(each.Bytes))
                    );
            },
            iter: 200
        );
    }

    [Fact]
    public void Bytes_that_are_no_file_are_refused_with_a_sentence()
    {
        var whole = StandardMidiFile.WriteTake(Played.Two, "all");
        Gen.Select(
                Gen.OneOf(Gen.Const("a.mid"), Gen.Const("a.syx"), Gen.Const("a.csv"), Gen.Const("a.smf"), Gen.Const("a")),
                Gen.OneOf(
                    Gen.Byte.Array[0, 200],
                    Gen.Select(Gen.Int[0, whole.Length - 1], Gen.Byte)
                        .Array[1, 6]
                        .Select(changes =>
                        {
                            var bytes = whole.ToArray();
                            foreach (var (at, value) in changes)
                                bytes[at] = value;
                            return bytes;
                        }),
                    Gen.Int[0, whole.Length - 1].Select(length => whole[..length])
                )
            )
            .Sample(
                (name, bytes) =>
                {
                    try
                    {
                        var take = TakeFiles.Read(name, bytes);
                        Assert.True(take.Events.Length <= bytes.Length);
                    }
                    catch (RecordingException exception)
                    {
                        Assert.NotEmpty(exception.Message);
                    }
                },
                iter: 20_000
            );
    }

    [Fact]
    public void Each_track_is_a_file_of_its_own()
    {
        using var archive = new System.IO.Compression.ZipArchive(new MemoryStream(TakeFiles.WriteTracks(Played.Two)));
        Assert.Equal(["01 one.mid", "02 other.mid"], archive.Entries.Select(entry => entry.Name));
    }

    private static long Tick(Take take, MidiSpan at, int division) => (long)Math.Round(take.Tempo.QuartersAt(at) * division);
}
