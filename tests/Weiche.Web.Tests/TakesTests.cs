using System.IO.Compression;
using System.Net;
using System.Text;
using AngleSharp.Html.Parser;
using Weiche.Core.Midi;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;
using Weiche.Core.Takes;
using Weiche.Files;
using Weiche.Web.Live;

namespace Weiche.Web.Tests;

/// <summary>The reel, takes, recording, playing back and the sheet, as pages and requests see them.</summary>
public class TakesTests
{
    [Fact]
    public async Task What_was_played_without_pressing_anything_is_on_the_reel_and_can_be_kept()
    {
        await using var house = await House.Open(dome: true);
        Assert.Contains(
            "Nothing has come in yet",
            (await house.Get("/takes")).QuerySelector(".reel-none")!.TextContent,
            StringComparison.Ordinal
        );
        var refused = await house.Post("/takes?handler=Keep");
        Assert.Equal(HttpStatusCode.UnprocessableEntity, refused.Status);
        var amsel = house.StandIn("Amsel 61").Player!;
        foreach (var key in new[] { 60, 64, 67 })
            amsel.Press("hand", key, 90);
        foreach (var key in new[] { 60, 64, 67 })
            amsel.Release("hand", key);
        await Heard(house, 6);
        var (status, page) = await house.Post("/takes?handler=Keep");
        Assert.Equal(HttpStatusCode.OK, status);
        Assert.Contains("Amsel 61", page.QuerySelector(".take-card.chosen small")!.TextContent, StringComparison.Ordinal);
        var take = Opened(house).Take;
        Assert.Equal([60, 64, 67], take.Events.Where(each => each.Message.IsNoteOn).Select(each => (int)each.Message.Data1));
        // What a virtual port passes on was played once.
        Assert.Equal(["Amsel 61"], take.Tracks.Select(track => track.Name));
        // Off, it keeps nothing and forgets what it had.
        await house.Post("/takes?handler=Reel", ("minutes", 0), ("take", 0));
        amsel.Press("hand", 62, 90);
        await Task.Delay(300);
        Assert.Equal(0, house.Shelf.Reel().Count);
        Assert.Contains("is off", (await house.Get("/takes")).QuerySelector(".reel")!.TextContent, StringComparison.Ordinal);
    }

    [Fact]
    public async Task Recorded_is_what_came_from_chosen_sources_and_what_went_to_chosen_destinations()
    {
        await using var house = await House.Open(dome: true);
        var zinn = house.Studio.Destinations.First(port => port.Name == "Zinn").Id;
        Assert.Equal(HttpStatusCode.OK, (await house.Post("/takes?handler=Record", ("ports", house.From("Kies")), ("ports", zinn))).Status);
        // Two windows: the second is told, and nothing is lost.
        var (status, page) = await house.Post("/takes?handler=Record");
        Assert.Equal(HttpStatusCode.UnprocessableEntity, status);
        Assert.Contains("recorded already", page.QuerySelector("#takes-problem")!.TextContent, StringComparison.Ordinal);
        house.StandIn("Amsel 61").Player!.Press("hand", 48, 90);
        house.StandIn("Amsel 61").Player!.Release("hand", 48);
        house.StandIn("Kies").Player!.Press("hand", 36, 90);
        house.StandIn("Kies").Player!.Release("hand", 36);
        await House.Until(() => house.Deck.Now is { Count: >= 6 }, "six messages");
        await house.Post("/takes?handler=Record", ("stop", "true"));
        var take = Opened(house).Take;
        Assert.Equal(["Kies", "to Zinn"], take.Tracks.Select(track => track.Name).Order());
        var to = take.Tracks.IndexOf(take.Tracks.First(track => track.WentOut));
        // The keyboard's low keys arrive an octave down on channel 5; it itself was not asked for.
        Assert.Contains(take.Events, each =>
            each.Track == to && each.Message.IsNoteOn && each.Message.Data1 == 36 && each.Message.ChannelIndex == 4
        );
        Assert.All(take.Events, each => Assert.True(each.At >= MidiSpan.Zero && each.At < take.Length));
        Assert.Equal(0, take.Missing);
        Assert.Equal(HttpStatusCode.UnprocessableEntity, (await house.Post("/takes?handler=Record", ("stop", "true"))).Status);
    }

    [Fact]
    public async Task Recorded_with_the_clock_a_take_has_its_tempo_and_its_bars()
    {
        await using var house = await House.Open(dome: true);
        await house.Post("/time?handler=Master", ("clock", 0));
        await house.Post("/takes?handler=Record", ("start", "true"));
        await House.Until(() => house.Desk.Junction.Time is { IsPlaying: true, Position: > 150 }, "bar 2");
        var before = house.Desk.Junction.Time;
        house.StandIn("Amsel 61").Player!.Press("hand", 64, 90);
        await House.Until(() => house.Deck.Now is { Count: >= 1 }, "the note");
        var after = house.Desk.Junction.Time;
        await House.Until(() => house.Desk.Junction.Time.Position > after.Position + 50, "two beats more");
        await house.Post("/takes?handler=Record", ("stop", "true"));
        var take = Opened(house).Take;
        var note = take.Events.First(each => each.Message.IsNoteOn).At;
        Assert.InRange(take.Tempo.BpmAt(note), 83.8, 84.2);
        var place = take.Tempo.PlaceAt(note);
        Assert.InRange(((place.Bar - 1) * 4 + place.Beat - 1 + place.Part) * 24, before.Position - 1, after.Position + 2);
        Assert.Equal(["2 Star field"], take.Lineups.Select(lineup => lineup.Name));
    }

    [Fact]
    public async Task A_recording_is_no_double_and_a_source_that_goes_away_while_it_is_recorded_leaves_what_there_is()
    {
        await using var house = await House.Open(dome: true);
        var before = house.Desk.State.Findings.Length;
        await house.Post("/takes?handler=Record");
        house.StandIn("Amsel 61").Player!.Press("hand", 60, 90);
        await House.Until(() => house.Deck.Now is { Count: >= 1 }, "a note");
        Assert.Equal(before, house.Desk.State.Findings.Length);
        await house.Post("/gear?handler=Remove", ("device", house.Device("Amsel 61").Id));
        await house.Post("/takes?handler=Record", ("stop", "true"));
        var open = Opened(house);
        Assert.Equal("Amsel 61", open.Take.Tracks[0].From);
        Assert.True(open.Take.Events[0].Message.IsNoteOn);
    }

    [Fact]
    public async Task A_take_is_played_as_if_it_came_from_there_and_stopped_everything_is_silent()
    {
        await using var house = await House.Open(dome: true);
        await Bring(house, "tune.mid", StandardMidiFile.WriteTake(Tune(), "tune"));
        var id = house.Shelf.Chosen!.Value;
        // A file has come from no source: what would work is offered.
        var (status, page) = await house.Post("/takes?handler=Play", ("take", id));
        Assert.Equal(HttpStatusCode.UnprocessableEntity, status);
        Assert.NotNull(page.QuerySelector("#use-own"));
        var track = Opened(house).Take.Tracks.Select((each, index) => (each.Name, index)).First(each => each.Name == "keys").index;
        await house.Post("/takes?handler=PlayAs", ("take", id), ("track", track), ("source", house.From("Amsel 61")));
        var brandung = house.StandIn("Brandung").Listener!;
        await house.Post("/takes?handler=Play", ("take", id));
        await House.Until(() => brandung.Heard.Held.Any(), "the note at Brandung");
        await House.Until(() => house.Watch.Lines(0, 50).Any(line => line.From == "Amsel 61, a take"), "the line in Watch");
        await house.Post("/takes?handler=Stop", ("take", id));
        await House.Until(() => !brandung.Heard.Held.Any(), "silence");
        // What is played back is not what came in.
        Assert.Equal(0, house.Shelf.Reel().Count);
        // From a port of its own: the virtual port is made, and undo takes it away.
        await house.Post("/takes?handler=Play", ("take", id), ("source", -1));
        Assert.NotNull(house.Desk.OwnPort);
        Assert.Equal("Add virtual port Takes", house.Desk.State.Undo);
        await house.Post("/quiet");
        await House.Until(() => !house.Desk.Junction.Played.Plays, "all notes off stops it");
    }

    [Fact]
    public async Task In_step_it_starts_with_the_clock_and_where_nobody_keeps_the_time_that_is_said()
    {
        await using var house = await House.Open(dome: true);
        await house.Post("/time?handler=Master", ("clock", 0));
        await Bring(house, "tune.mid", StandardMidiFile.WriteTake(Tune(), "tune"));
        var id = house.Shelf.Chosen!.Value;
        await house.Post("/takes?handler=PlayAs", ("take", id), ("track", -1), ("source", house.From("Amsel 61")));
        await house.Post("/takes?handler=Play", ("take", id), ("inStep", "true"));
        await House.Until(() => house.Desk.Junction is { Time.IsPlaying: true, Played.Plays: true, Played.Waits: false }, "that both run");
        await house.Post("/time?handler=Work", ("what", "Stop"));
        await House.Until(() => house.Desk.Junction.Played.Waits, "that it waits for the clock");
        await house.Post("/takes?handler=Stop", ("take", id));
        await house.Post("/time?handler=Master", ("clock", -1));
        await house.Post("/time?handler=Scope", ("own", "false"));
        if (house.Studio.MasterNow() is not null)
            await house.Post("/time?handler=Master", ("clock", -1));
        Assert.Equal(
            HttpStatusCode.UnprocessableEntity,
            (await house.Post("/takes?handler=Play", ("take", id), ("inStep", "true"))).Status
        );
    }

    [Fact]
    public async Task A_take_is_tidied_split_named_cut_and_all_of_it_taken_back()
    {
        await using var house = await House.Open(dome: true);
        await Bring(house, "tune.mid", StandardMidiFile.WriteTake(Tune(), "tune"));
        var id = house.Shelf.Chosen!.Value;
        var first = Signs(Opened(house).Take);
        await house.Post("/takes?handler=Tidy", ("take", id), ("parts", 16), ("ends", "true"), ("strength", 100), ("swing", 50));
        Assert.All(Opened(house).Take.Events.Where(each => each.Message.IsNoteOn), each => Assert.Equal(0, each.At.Microseconds % 125_000));
        var again = await house.Post(
            "/takes?handler=Tidy",
            ("take", id),
            ("parts", 16),
            ("ends", "true"),
            ("strength", 100),
            ("swing", 50)
        );
        Assert.Contains("lie on this grid already", again.Page.QuerySelector("#takes-problem")!.TextContent, StringComparison.Ordinal);
        await house.Post("/takes?handler=Split", ("take", id), ("by", "Key"));
        Assert.Contains("keys C3", Opened(house).Take.Tracks.Select(track => track.Name));
        await house.Post("/takes?handler=NameTrack", ("take", id), ("track", 0), ("name", "comet"));
        Assert.Equal("comet", Opened(house).Take.Tracks[0].Name);
        await house.Post("/takes?handler=Cut", ("take", id), ("from", 0), ("to", 400_000));
        Assert.Equal(400_000, Opened(house).Take.Length.Microseconds);
        await house.Post("/takes?handler=Mark", ("take", id), ("text", "here"), ("from", 100_000));
        Assert.Equal("here", Opened(house).Take.Marks[^1].Text);
        for (var i = 0; i < 5; i++)
            Assert.Equal(HttpStatusCode.OK, (await house.Post("/takes?handler=Step", ("take", id), ("by", -1))).Status);
        Assert.Equal(first, Signs(Opened(house).Take));
        Assert.Equal(HttpStatusCode.UnprocessableEntity, (await house.Post("/takes?handler=Step", ("take", id), ("by", -1))).Status);
        for (var i = 0; i < 5; i++)
            await house.Post("/takes?handler=Step", ("take", id), ("by", 1));
        Assert.Equal("here", Opened(house).Take.Marks[^1].Text);
        foreach (
            var (handler, values) in new (string, (string, object)[])[]
            {
                ("Tidy", [("parts", 5), ("ends", "true"), ("strength", 100), ("swing", 50)]),
                ("Tidy", [("parts", 16), ("ends", "true"), ("strength", 101), ("swing", 50)]),
                ("Cut", []),
                ("Name", [("name", "")]),
                ("Mark", [("text", " ")]),
            }
        )
            Assert.Equal(
                HttpStatusCode.UnprocessableEntity,
                (await house.Post($"/takes?handler={handler}", [("take", id), .. values])).Status
            );
    }

    [Fact]
    public async Task Out_and_in_again_it_is_the_same_take_and_what_is_no_file_is_refused_with_a_sentence()
    {
        await using var house = await House.Open(dome: true);
        await Bring(house, "tune.mid", StandardMidiFile.WriteTake(Tune(), "tune"));
        var id = house.Shelf.Chosen!.Value;
        var take = Opened(house).Take;
        var file = await house.Client.GetByteArrayAsync($"/takes?handler=Out&take={id}&kind=mid");
        await Bring(house, "again.mid", file);
        Assert.Equal(Signs(take), Signs(Opened(house).Take));
        await Bring(house, "table.csv", await house.Client.GetByteArrayAsync($"/takes?handler=Out&take={id}&kind=csv"));
        Assert.Equal(take.Events.Length, Opened(house).Take.Events.Length);
        using var archive = new ZipArchive(
            new MemoryStream(await house.Client.GetByteArrayAsync($"/takes?handler=Out&take={id}&kind=tracks"))
        );
        Assert.Contains(archive.Entries, entry => entry.Name.Contains("keys", StringComparison.Ordinal));
        Assert.Equal(
            HttpStatusCode.UnprocessableEntity,
            (await house.Client.GetAsync($"/takes?handler=Out&take={id}&kind=syx")).StatusCode
        );
        var count = house.Shelf.All().Count;
        foreach (
            var (name, bytes) in new (string, byte[])[]
            {
                ("a.mid", Encoding.UTF8.GetBytes("no music")),
                ("b.mid", file[..(file.Length / 2)]),
                ("c.txt", file[4..]),
                ("d.syx", [0xF0, 1, 2]),
                ("e.csv", [1, 2, 3]),
                ("f.mid", []),
            }
        )
        {
            var (status, page) = await Bring(house, name, bytes);
            Assert.Equal(HttpStatusCode.UnprocessableEntity, status);
            Assert.StartsWith(name, page.QuerySelector("#takes-problem")!.TextContent.Trim(), StringComparison.Ordinal);
        }
        Assert.Equal(count, house.Shelf.All().Count);
        // Thrown away it can be brought back; of a take that is gone everything is refused.
        await house.Post("/takes?handler=Throw", ("take", id));
        Assert.Equal(count - 1, house.Shelf.All().Count);
        Assert.Equal(HttpStatusCode.UnprocessableEntity, (await house.Post("/takes?handler=Play", ("take", id))).Status);
        await house.Post("/takes?handler=Throw", ("take", id), ("back", "true"));
        Assert.Equal(count, house.Shelf.All().Count);
        foreach (var path in new[] { "/takes?handler=Picture&take=9999", "/takes?handler=Out&take=1&kind=other" })
            Assert.Equal(HttpStatusCode.NotFound, (await house.Client.GetAsync(path)).StatusCode);
    }

    [Fact]
    public async Task A_file_of_many_megabytes_is_read_and_two_windows_that_do_something_at_once_lose_nothing()
    {
        await using var house = await House.Open(dome: true);
        var large = Tune() with { Events = [TakeEvent.OfExclusive(MidiSpan.Zero, 0, new byte[6 << 20]), .. Tune().Events] };
        Assert.Equal(HttpStatusCode.OK, (await Bring(house, "large.mid", StandardMidiFile.WriteTake(large, "large"))).Status);
        Assert.Equal((6 << 20) + 2, Opened(house).Take.Events[0].Length);
        var id = house.Shelf.Chosen!.Value;
        await Task.WhenAll(
            Enumerable
                .Range(0, 8)
                .Select(number => Task.Run(() => Assert.Null(house.Shelf.Do(id, new MarkStep(new MidiSpan(number), $"mark {number}")))))
        );
        Assert.Equal(
            8,
            Opened(house).Take.Marks.Count(mark => mark.Type == TakeMark.Marker && mark.Text.StartsWith("mark", StringComparison.Ordinal))
        );
    }

    [Fact]
    public async Task A_dump_is_kept_whole_and_written_as_it_came()
    {
        await using var house = await House.Open(dome: true);
        byte[] dump = [0xF0, 0x7D, .. Enumerable.Range(0, 3_000).Select(each => (byte)(each % 128)), 0xF7];
        house.Desk.Junction.Receive(house.From("Amsel 61"), dump);
        await Heard(house, 1);
        await house.Post("/takes?handler=Keep");
        Assert.Equal(dump, await house.Client.GetByteArrayAsync($"/takes?handler=Out&take={house.Shelf.Chosen}&kind=syx"));
        Assert.Contains(
            "3 003 bytes",
            (await house.Get("/takes")).QuerySelector(".take-card.chosen small")!.TextContent.Replace('\u202f', ' '),
            StringComparison.Ordinal
        );
    }

    [Fact]
    public async Task Levers_record_keep_and_play_and_a_keyboard_records_itself_from_that_moment_on()
    {
        await using var house = await House.Open(dome: true);
        foreach (var (line, key) in new[] { ("Kies F1 → record", 41), ("Kies G1 → keep", 43), ("Kies A1 → play the take", 45) })
            Assert.Equal(HttpStatusCode.OK, (await house.Post("/lineups/levers?handler=Line", ("line", line))).Status);
        var pads = house.StandIn("Kies").Player!;
        Strike(41);
        await House.Until(() => house.Deck.Now is not null, "that it records");
        house.StandIn("Amsel 61").Player!.Press("hand", 64, 90);
        await House.Until(() => house.Deck.Now is { Count: >= 1 }, "the note");
        Strike(41);
        await House.Until(() => house.Deck.Now is null, "that it stops");
        Assert.Contains(Opened(house).Take.Events, each => each.Message.IsNoteOn && each.Message.Data1 == 64);
        Strike(43);
        await House.Until(() => house.Shelf.All().Count == 2, "what was kept");
        Strike(45);
        await House.Until(() => house.Desk.Junction.Played.Number > 0, "that it plays");

        void Strike(int key)
        {
            pads.Press("hand", key, 100);
            pads.Release("hand", key);
        }
    }

    [Fact]
    public async Task Without_sound_a_lineup_says_what_it_makes_of_a_take_and_all_of_all()
    {
        await using var house = await House.Open(dome: true);
        await Bring(house, "tune.mid", StandardMidiFile.WriteTake(Tune(), "tune"));
        var id = house.Shelf.Chosen!.Value;
        await house.Post("/takes?handler=PlayAs", ("take", id), ("track", -1), ("source", house.From("Amsel 61")));
        var page = await house.Get($"/takes?handler=Rehearse&take={id}&lineup={house.Studio.Lineups[2].Id}");
        Assert.Equal(["Brandung"], page.QuerySelectorAll(".rehearsed-table td:first-child").Select(cell => cell.TextContent));
        var all = await house.Get("/takes?handler=RehearseAll");
        Assert.Equal(["take", "1 Dusk", "2 Star field", "3 Dawn"], all.QuerySelectorAll("th").Select(cell => cell.TextContent));
        Assert.Single(all.QuerySelectorAll("tbody tr"));
    }

    [Fact]
    public async Task A_recording_goes_on_through_a_restart_as_far_as_it_was_written()
    {
        var folder = House.FreshFolder();
        try
        {
            await using (var house = await House.Open(folder, dome: true))
            {
                await house.Post("/takes?handler=Record");
                house.StandIn("Amsel 61").Player!.Press("hand", 60, 90);
                await House.Until(() => house.Deck.Now is { Count: >= 1 }, "a note");
            }
            await using var anew = await House.Open(folder, dome: true);
            var row = Assert.Single(anew.Shelf.All());
            Assert.Equal("Amsel 61 · 0:00", row.Told);
            Assert.Null(anew.Deck.Now);
            Assert.NotEqual(0, anew.Shelf.Reel().Count);
        }
        finally
        {
            Directory.Delete(folder, recursive: true);
        }
    }

    [Fact]
    public async Task Where_nothing_can_be_written_it_is_said_at_once_and_what_was_played_meanwhile_is_there_afterwards()
    {
        await using var house = await House.Open(dome: true);
        await house.Post("/takes?handler=Record");
        Strike(60);
        await House.Until(() => house.Deck.Written > 0, "the first page");
        Refuse(true);
        Strike(62);
        await House.Until(() => house.Deck.Fault is not null, "that it is known");
        Assert.Contains(
            "Nothing is written down at the moment",
            (await house.Get("/takes")).QuerySelector("#takes-problem")!.TextContent,
            StringComparison.Ordinal
        );
        Refuse(false);
        await House.Until(() => house.Deck.Fault is null, "that it is written again");
        Assert.NotNull(house.Deck.Now);
        // For longer, recording stops with a sentence, and playing goes on.
        Refuse(true);
        Strike(64);
        await House.Until(() => house.Deck.Now is null, "that it stops");
        Assert.StartsWith("Recording stopped", house.Deck.Ended, StringComparison.Ordinal);
        Refuse(false);
        await House.Until(
            () => house.Desk.State.Notice?.Sentence.StartsWith("Recording stopped", StringComparison.Ordinal) == true,
            "that it is said"
        );
        Strike(67);
        await House.Until(() => house.StandIn("Brandung").Listener!.Heard.Version > 0, "that playing goes on");
        Assert.Equal([60, 62], Opened(house).Take.Events.Where(each => each.Message.IsNoteOn).Select(each => (int)each.Message.Data1));

        void Strike(int key)
        {
            house.StandIn("Amsel 61").Player!.Press("hand", key, 90);
            house.StandIn("Amsel 61").Player!.Release("hand", key);
        }

        void Refuse(bool on)
        {
            using var connection = new Microsoft.Data.Sqlite.SqliteConnection($"Data Source={house.Desk.DatabaseFile};Pooling=False");
            connection.Open();
            using var command = connection.CreateCommand();
            command.CommandText = on
                ? "CREATE TRIGGER no_room BEFORE INSERT ON Pages BEGIN SELECT RAISE(FAIL, 'no room'); END; CREATE TRIGGER no_more "
                    + "BEFORE UPDATE ON Pages BEGIN SELECT RAISE(FAIL, 'no room'); END"
                : "DROP TRIGGER no_room; DROP TRIGGER no_more";
            command.ExecuteNonQuery();
        }
    }

    [Fact]
    public async Task The_sheet_says_what_has_changed_since_it_was_printed()
    {
        await using var house = await House.Open(dome: true);
        var page = await house.Get("/sheet");
        Assert.Null(page.QuerySelector("#sheet-since"));
        Assert.Equal(["1 Dusk", "2 Star field", "3 Dawn"], page.QuerySelectorAll(".paper-plan h3").Select(title => title.TextContent));
        await house.Post("/sheet?handler=Printed");
        Assert.Contains("still true", (await house.Get("/sheet")).QuerySelector("#sheet-since")!.TextContent, StringComparison.Ordinal);
        Assert.Null(house.Desk.Apply(new SwitchRoute(house.Route("Kies", "Himmel").Id, false)).Problem);
        Assert.Contains(
            "Changed since the sheet was printed",
            (await house.Get("/sheet")).QuerySelector("#sheet-since")!.TextContent,
            StringComparison.Ordinal
        );
        Assert.StartsWith("<svg", await house.Client.GetStringAsync("/sheet?handler=Drawing"), StringComparison.Ordinal);
        using var archive = new ZipArchive(new MemoryStream(await house.Client.GetByteArrayAsync("/sheet?handler=Tables")));
        Assert.Contains(archive.Entries, entry => entry.Name == "plan-2.csv");
    }

    [Fact]
    public async Task Nothing_is_missing_at_ten_thousand_messages_a_second()
    {
        await using var house = await House.Open(dome: true);
        await house.Post("/takes?handler=Record");
        var amsel = house.From("Amsel 61");
        const int seconds = 3;
        await Task.Run(async () =>
        {
            var clock = System.Diagnostics.Stopwatch.StartNew();
            var sent = 0;
            while (sent < 10_000 * seconds)
            {
                for (var due = Math.Min(10_000 * seconds, (int)(clock.ElapsedMilliseconds * 10)); sent < due; sent++)
                    house.Desk.Junction.Receive(amsel, [0xB0, 16, (byte)(sent & 127)]);
                await Task.Delay(1);
            }
        });
        // However slow the machine is: as long as more of them come.
        for (var before = -1L; house.Deck.Now!.Count is < 10_000 * seconds and var now && now > before; before = now)
            await Task.Delay(3_000);
        Assert.Equal((10_000 * seconds, 0), (house.Deck.Now!.Count, house.Deck.Now!.Missing));
        await house.Post("/takes?handler=Record", ("stop", "true"));
        var take = Opened(house).Take;
        Assert.Equal(10_000 * seconds, take.Events.Length);
        Assert.Equal(Enumerable.Range(0, 10_000 * seconds).Select(each => each & 127), take.Events.Select(each => (int)each.Message.Data2));
        var reel = house.Shelf.Reel();
        Assert.InRange(reel.Bytes / (double)reel.Count, 1, 12);
    }

    private static IEnumerable<string> Signs(Take take) =>
        take.Events.Select(each => $"{each.At.Microseconds} {take.Tracks[each.Track].Name} {Convert.ToHexString(each.Bytes)}").Order();

    private static OpenTake Opened(House house)
    {
        Assert.Null(house.Shelf.Open(house.Shelf.Chosen!.Value, out var open));
        return open!;
    }

    private static async Task Heard(House house, int count) =>
        await House.Until(
            () =>
            {
                house.Deck.Flush();
                return house.Shelf.Reel().Count >= count;
            },
            "what was played on the reel"
        );

    /// <summary>Eight notes that are a little late, in a track of its own.</summary>
    private static Take Tune() =>
        new()
        {
            Tracks = [new TakeTrack("keys")],
            Events =
            [
                .. Enumerable
                    .Range(0, 8)
                    .SelectMany(beat =>
                        new[]
                        {
                            new TakeEvent(new MidiSpan(beat * 500_000 + 20_000), 0, MidiMessage.FromBytes(0x90, 60 + beat, 80)),
                            new TakeEvent(new MidiSpan(beat * 500_000 + 420_000), 0, MidiMessage.FromBytes(0x80, 60 + beat, 0)),
                        }
                    ),
            ],
            Length = new MidiSpan(4_000_000),
        };

    private static async Task<(HttpStatusCode Status, AngleSharp.Dom.IDocument Page)> Bring(House house, string name, byte[] bytes)
    {
        var page = await house.Get("/gear");
        using var request = new HttpRequestMessage(HttpMethod.Post, "/takes?handler=Bring");
        request.Headers.Add("HX-Request", "true");
        request.Headers.Add("HX-Target", "fragment");
        request.Headers.Add("X-Weiche-Token", House.Token(page));
        request.Content = new MultipartFormDataContent { { new ByteArrayContent(bytes), "file", name } };
        using var answer = await house.Client.SendAsync(request);
        return (answer.StatusCode, await new HtmlParser().ParseDocumentAsync(await answer.Content.ReadAsStringAsync()));
    }
}
