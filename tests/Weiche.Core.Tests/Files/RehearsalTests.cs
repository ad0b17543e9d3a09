using System.Text;
using CsCheck;
using Weiche.Core.Midi;
using Weiche.Core.Pulse;
using Weiche.Core.Stages;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;
using Weiche.Core.Tests.Midi;
using Weiche.Files;
using static Weiche.Core.Tests.Rooms;

namespace Weiche.Core.Tests.Files;

public sealed class RehearsalTests : IDisposable
{
    private readonly string _folder = Directory.CreateTempSubdirectory("weiche-files-").FullName;

    public void Dispose() => Directory.Delete(_folder, recursive: true);

    [Fact]
    public void A_recording_is_played_through_the_studio_in_virtual_time_and_the_same_each_time()
    {
        var texts = Enumerable
            .Range(0, 2)
            .Select(_ =>
            {
                var studio = SmallStudio.Create();
                var rehearsal = new Rehearsal(studio);
                rehearsal.Play([
                    (studio.Sources.Called("from AMSEL 61")!.Value.Id, RehearsalFiles.ReadText("0 90 3C 60\n# let go\n\n5000 80 3C 40")),
                    (studio.Sources.Called("tritt")!.Value.Id, RehearsalFiles.ReadText("0 91 24 7F FE\n1000 91 24 00")),
                ]);
                Assert.Contains(
                    "Kinds: no sensing                        in 3, out 2, stopped 1",
                    rehearsal.Report(),
                    StringComparison.Ordinal
                );
                return RehearsalFiles.WriteText(rehearsal.ArrivedAt(studio.To("Brandung")))
                    + "|"
                    + RehearsalFiles.WriteText(rehearsal.ArrivedAt(studio.To("Himmel")));
            })
            .ToList();
        Assert.Equal(texts[0], texts[1]);
        // On the DIN wire a message takes its time; a status that is in force is left out.
        Assert.Equal("960 92 3C 60\n1600 92 24 7F\n2240 92 24 00\n5960 82 3C 40\n|0 9F 3C 60\n5000 8F 3C 40\n", texts[0]);
    }

    [Fact]
    public void A_rehearsal_follows_the_levers_that_the_recording_works()
    {
        var studio = DemoStudio.Create();
        // Dusk is in force; program 2 of Amsel enters Star field, where its notes go to the stars as well, program 1 goes back.
        studio = studio.In(studio.Lineups[0].Id);
        var rehearsal = new Rehearsal(studio);
        rehearsal.Play([
            (
                studio.Sources.Called("Amsel 61")!.Value.Id,
                RehearsalFiles.ReadText(
                    "0 90 3C 60\n100000 80 3C 40\n200000 C0 01\n300000 90 3E 60\n400000 80 3E 40\n500000 C0 00\n600000 90 40 "
                        + "60\n700000 80 40 40"
                )
            ),
        ]);
        var stars = RehearsalFiles.WriteText(rehearsal.ArrivedAt(studio.To("Himmel")));
        Assert.Contains("3E 60", stars, StringComparison.Ordinal);
        Assert.DoesNotContain("3C 60", stars, StringComparison.Ordinal);
        Assert.DoesNotContain("40 60", stars, StringComparison.Ordinal);
        // Of the standing routes nothing was cut.
        Assert.Equal(
            3,
            RehearsalFiles
                .WriteText(rehearsal.ArrivedAt(studio.To("Brandung")))
                .Split('\n')
                .Count(line => line.Contains(" 92 ", StringComparison.Ordinal))
        );
    }

    [Fact]
    public void What_a_rehearsal_wrote_as_a_midi_file_is_read_again()
    {
        Gens.Message.Array[0, 40]
            .Sample(
                messages =>
                {
                    var pool = new SysExPool();
                    var events = messages
                        .Select(
                            (each, i) =>
                                new TimedBytes(
                                    i * 12_350,
                                    Convert.FromHexString(Collected.Full(each.SysEx is null ? each.Short : pool.Add(each.SysEx), pool))
                                )
                        )
                        .ToList();
                    var read = StandardMidiFile.Read(StandardMidiFile.Write("all", events));
                    Assert.Equal(RehearsalFiles.WriteText(events), RehearsalFiles.WriteText(read));
                    Assert.Equal(
                        RehearsalFiles.WriteText(events),
                        RehearsalFiles.WriteText(RehearsalFiles.ReadText(RehearsalFiles.WriteText(events)))
                    );
                },
                iter: 1_000
            );
    }

    [Fact]
    public void A_midi_file_of_several_tracks_with_running_status_tempo_and_pieces_of_system_exclusive_is_followed()
    {
        byte[] file =
        [
            .. "MThd"u8,
            0,
            0,
            0,
            6,
            0,
            1,
            0,
            2,
            0,
            96,
            .. Track(0, 0xFF, 0x51, 3, 0x07, 0xA1, 0x20, 96, 0xFF, 0x51, 3, 0x0F, 0x42, 0x40, 0, 0xFF, 0x2F, 0),
            .. "junk"u8,
            0,
            0,
            0,
            2,
            1,
            2,
            .. Track(0, 0x90, 60, 100, 96, 60, 0, 96, 0xF0, 3, 1, 2, 3, 0, 0xF7, 2, 4, 0xF7, 0, 0xFF, 0x2F, 0),
        ];
        Assert.Equal(
            "0 90 3C 64\n500000 90 3C 00\n1500000 F0 01 02 03\n1500000 04 F7\n",
            RehearsalFiles.WriteText(StandardMidiFile.Read(file))
        );
    }

    [Fact]
    public void A_midi_file_is_read_as_others_read_it()
    {
        // Running status goes on behind a name and behind system exclusive; bytes behind the last track are somebody's own.
        byte[] file =
        [
            .. "MThd"u8,
            0,
            0,
            0,
            6,
            0,
            0,
            0,
            1,
            0,
            96,
            .. Track(0, 0x90, 60, 100, 0, 0xFF, 1, 1, 65, 96, 60, 0, 0, 0xF0, 2, 1, 0xF7, 96, 62, 100, 0, 0xFF, 0x2F, 0),
            1,
            2,
            3,
        ];
        const string Expected = "0 90 3C 64\n500000 90 3C 00\n500000 F0 01 F7\n1000000 90 3E 64\n";
        Assert.Equal(Expected, RehearsalFiles.WriteText(StandardMidiFile.Read(file)));
        Assert.Equal(Expected, RehearsalFiles.WriteText(StandardMidiFile.Read([.. file, 9, 9, 9, 9, 9, 9, 9, 9, 9])));
        // A track more than the header counts is a track.
        byte[] more = [.. file[..^3], .. Track(0, 0x91, 60, 100, 0, 0xFF, 0x2F, 0)];
        Assert.Contains("91 3C 64", RehearsalFiles.WriteText(StandardMidiFile.Read(more)), StringComparison.Ordinal);
        // Patterns come one after the other, each in its own tempo: the first twice as fast, the second as usual.
        byte[] patterns =
        [
            .. "MThd"u8,
            0,
            0,
            0,
            6,
            0,
            2,
            0,
            2,
            0,
            96,
            .. Track(0, 0xFF, 0x51, 3, 0x03, 0xD0, 0x90, 96, 0x90, 60, 100, 96, 0xFF, 0x2F, 0),
            .. Track(96, 0x90, 62, 100, 0, 0xFF, 0x2F, 0),
        ];
        Assert.Equal("250000 90 3C 64\n1000000 90 3E 64\n", RehearsalFiles.WriteText(StandardMidiFile.Read(patterns)));
    }

    [Fact]
    public void A_text_with_a_byte_order_mark_is_a_text()
    {
        var path = Path.Combine(_folder, "marked.txt");
        File.WriteAllText(path, "0 90 3C 60\n", new UTF8Encoding(encoderShouldEmitUTF8Identifier: true));
        Assert.Equal("0 90 3C 60\n", RehearsalFiles.WriteText(RehearsalFiles.Read(path)));
    }

    [Fact]
    public void A_clock_is_not_waited_for_and_the_time_starts_with_the_recording_and_stops_a_bar_after_it()
    {
        var studio = Of("keys", "box", "lights").Lay("keys", "box");
        studio = studio with { Time = studio.Time with { Master = ClockMaster.Own, Tempo = new Tempo(12_000) } };
        studio = studio
            .Must(new SetFollower(new Follower(studio.To("lights"), ClockForm.Steadied, true, MidiSpan.Zero)))
            .Must(new AddStage(studio.Routes[0].Id, new PatternStage(PatternOrder.Up, new StepLength(8, ' '))));
        // Held for two beats, and never let go; the pattern has a step each half beat.
        TimedBytes[] held = [new(0, [0x90, 60, 100]), new(1_000_000, [0xB0, 1, 64])];

        var still = new Rehearsal(studio);
        still.Play([(studio.From("keys"), held)]);
        Assert.InRange(still.ArrivedAt(studio.To("lights")).Count, 45, 55);
        Assert.DoesNotContain(still.ArrivedAt(studio.To("box")), each => each.Bytes[0] == 0x90);

        var started = new Rehearsal(studio);
        started.Play([(studio.From("keys"), held)], starts: true);
        var lights = started.ArrivedAt(studio.To("lights")).Select(each => each.Bytes[0]).ToList();
        Assert.Equal((1, 1, (byte)0xFC), (lights.Count(each => each == 0xFA), lights.Count(each => each == 0xFC), lights[^1]));
        // Two beats and a bar of four.
        Assert.InRange(lights.Count(each => each == 0xF8), 6 * 24, 6 * 24 + 3);
        var box = started.ArrivedAt(studio.To("box")).Where(each => each.Bytes[0] is 0x80 or 0x90).ToList();
        Assert.InRange(box.Count(each => each.Bytes[0] == 0x90 && each.Bytes[2] > 0), 11, 13);
        Assert.Equal(0, started.MeterOf(studio.To("box")).Held);
    }

    [Fact]
    public void What_goes_round_through_virtual_ports_is_let_go_and_told()
    {
        var studio = Of("keys", "stars", "one", "two").Lay("keys", "one").Lay("one", "two").Lay("two", "one").Lay("two", "stars");
        var rehearsal = new Rehearsal(studio);
        rehearsal.Play([(studio.From("keys"), [new TimedBytes(0, [0x90, 60, 100]), new TimedBytes(10, [0x80, 60, 0])])]);
        Assert.Contains("is in a circuit", rehearsal.Report(), StringComparison.Ordinal);
        Assert.NotEmpty(rehearsal.ArrivedAt(studio.To("stars")));
        // A chain of them that ends is followed to its end, however long.
        var names = Enumerable.Range(0, 40).Select(i => $"port {i}").ToArray();
        var chain = names
            .Zip(names.Skip(1))
            .Aggregate(Of(["keys", "stars", .. names]).Lay("keys", names[0]).Lay(names[^1], "stars"), (all, pair) =>
                all.Lay(pair.First, pair.Second)
            );
        rehearsal = new Rehearsal(chain);
        rehearsal.Play([(chain.From("keys"), [new TimedBytes(0, [0x90, 60, 100])])]);
        Assert.Equal("0 90 3C 64\n", RehearsalFiles.WriteText(rehearsal.ArrivedAt(chain.To("stars"))));
        Assert.DoesNotContain("circuit", rehearsal.Report(), StringComparison.Ordinal);
    }

    [Theory]
    [InlineData("", "begins with MThd")]
    [InlineData("4D546864000000060000000100004D54726B00000000", "division is 0")]
    [InlineData("4D546864000000060003000100604D54726B00000000", "no format 3")]
    [InlineData("4D546864FFFFFFFF0000000100604D54726B00000000", "header claims 4294967295")]
    [InlineData("4D546864000000060000000100604D54726B7FFFFFFF00", "track claims 2147483647")]
    [InlineData("4D546864000000060000000100604D54726B00000003003C40", "data without a status")]
    [InlineData("4D546864000000060000000100604D54726B0000000300903C", "breaks off in a message")]
    [InlineData("4D546864000000060000000100604D54726B0000000400903C90", "90 is not data")]
    [InlineData("4D546864000000060000000100604D54726B00000005FFFFFFFFFF", "more than four bytes")]
    [InlineData("4D546864000000060000000100604D54726B0000000300F07F", "event claims 127")]
    [InlineData("4D546864000000060000000100604D54726B0000000200F8", "cannot stand in a track")]
    [InlineData("4D54686400000006000000018001", "128 frames a second with 1 ticks each are no SMPTE time")]
    [InlineData("4D5468640000000600000001E700", "25 frames a second with 0 ticks each are no SMPTE time")]
    public void A_midi_file_that_is_damaged_is_refused_with_the_place(string hex, string reason) =>
        Assert.Contains(
            reason,
            Assert.Throws<RecordingException>(() => StandardMidiFile.Read(Convert.FromHexString(hex))).Message,
            StringComparison.Ordinal
        );

    [Theory]
    [InlineData("a.txt", "x 90", "line 1: “x” is not a time")]
    [InlineData("a.txt", "5 90\n4 90", "line 2: the time 4 is before")]
    [InlineData("a.txt", "5 9X", "line 1: “9X” is not a byte")]
    [InlineData("a.txt", "-5 90", "line 1: “-5” is not a time")]
    [InlineData("a.syx", "hello", "byte 0: a system exclusive begins with F0")]
    [InlineData("a.wav", "hello", "“.wav” is not a kind of recording")]
    public void A_recording_that_cannot_be_read_is_refused_with_file_and_place(string name, string text, string reason)
    {
        var path = Path.Combine(_folder, name);
        File.WriteAllText(path, text);
        var problem = Assert.Throws<RecordingException>(() => RehearsalFiles.Read(path)).Message;
        Assert.Contains(path, problem, StringComparison.Ordinal);
        Assert.Contains(reason, problem, StringComparison.Ordinal);
    }

    [Fact]
    public void Files_that_are_not_there_folders_and_giants_are_refused()
    {
        Assert.Contains(
            "no such file",
            Assert.Throws<RecordingException>(() => RehearsalFiles.Read(Path.Combine(_folder, "no.mid"))).Message,
            StringComparison.Ordinal
        );
        Assert.Contains(
            "a folder",
            Assert.Throws<RecordingException>(() => RehearsalFiles.Read(_folder)).Message,
            StringComparison.Ordinal
        );
        var giant = Path.Combine(_folder, "giant.syx");
        using (var stream = File.Create(giant))
            stream.SetLength(RehearsalFiles.MaxLength + 1);
        Assert.Contains("at most", Assert.Throws<RecordingException>(() => RehearsalFiles.Read(giant)).Message, StringComparison.Ordinal);
    }

    [Fact]
    public void Raw_and_system_exclusive_files_come_as_on_a_din_wire()
    {
        var path = Path.Combine(_folder, "a.bin");
        File.WriteAllBytes(path, [0x90, 60]);
        Assert.Equal("0 90\n320 3C\n", RehearsalFiles.WriteText(RehearsalFiles.Read(path)));
        path = Path.Combine(_folder, "a.syx");
        File.WriteAllBytes(path, [0xF0, 1, 0xF7, 0xF0, 0xF7]);
        Assert.Equal(5, RehearsalFiles.Read(path).Count);
        File.WriteAllBytes(path, [0xF0, 1, 0x90]);
        Assert.Contains(
            "byte 2: 90 stands inside",
            Assert.Throws<RecordingException>(() => RehearsalFiles.Read(path)).Message,
            StringComparison.Ordinal
        );
    }

    [Fact]
    public void Mutated_recordings_and_studios_never_break_the_rehearsal()
    {
        var good = StandardMidiFile.Write("x", [new(0, [0x90, 60, 100]), new(5_000, [0xF0, 1, 2, 0xF7]), new(9_000, [0x80, 60, 0])]);
        var studio = SmallStudio.Create();
        Gen.Select(Gen.Select(Gen.Int[0, good.Length - 1], Gen.Byte).Array[0, 6], Gen.Int[0, good.Length])
            .Sample(
                (changes, length) =>
                {
                    var file = (byte[])good.Clone();
                    foreach (var (at, value) in changes)
                        file[at] = value;
                    try
                    {
                        var rehearsal = new Rehearsal(studio);
                        rehearsal.Play([(studio.From("Amsel 61"), StandardMidiFile.Read(file.AsSpan(0, length)))]);
                    }
                    catch (RecordingException)
                    {
                        // Refused with the place: that is what is asked for.
                    }
                },
                iter: 1_000
            );
    }

    [Fact]
    public void A_system_exclusive_of_a_hundred_megabytes_takes_no_more_memory_than_the_bound()
    {
        var studio = Of("a", "b").Lay("a", "b");
        var engine = new Core.Live.Engine(Core.Live.CompiledStudio.Compile(studio));
        var piece = new byte[1 << 20];
        engine.Receive(studio.From("a"), [0xF0], default);
        for (var i = 0; i < 100; i++)
            engine.Receive(studio.From("a"), piece, default);
        engine.Receive(studio.From("a"), [0xF7, 0x90, 60, 100], default);
        Assert.True(engine.Pool.TotalLength <= engine.Pool.MaxTotalLength);
        Assert.Equal(1, engine.Compiled.Meter(studio.To("b"))!.Messages);
    }

    [Fact]
    public void A_dense_recording_on_a_slow_wire_loses_no_note()
    {
        var studio = SmallStudio.Create();
        var text = new StringBuilder();
        for (var i = 0; i < 3_000; i++)
            text.Append(
                System.Globalization.CultureInfo.InvariantCulture,
                $"{i * 100} 90 {36 + i % 60:X2} 40 80 {36 + i % 60:X2} 40 B0 01 {i % 128:X2}\n"
            );
        var rehearsal = new Rehearsal(studio);
        rehearsal.Play([(studio.From("Amsel 61"), RehearsalFiles.ReadText(text.ToString()))]);
        var arrived = rehearsal.ArrivedAt(studio.To("Brandung"));
        Assert.Equal(3_000, arrived.Count(each => each.Bytes[0] == 0x92));
        Assert.Equal(3_000, arrived.Count(each => each.Bytes[0] == 0x82));
        Assert.True(arrived[^1].Microseconds > 3_000 * 960L);
    }

    private static byte[] Track(params byte[] data) => [.. "MTrk"u8, 0, 0, (byte)(data.Length >> 8), (byte)data.Length, .. data];
}
