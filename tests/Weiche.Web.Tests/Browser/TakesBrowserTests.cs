using OpenQA.Selenium;
using Weiche.Core.Takes;
using Weiche.Files;

namespace Weiche.Web.Tests.Browser;

/// <summary>Takes in a real browser: kept by one key, dragged over, tidied and taken back, a file dropped, played and stopped, recorded in
/// two windows.</summary>
public sealed class TakesBrowserTests(Window window) : IClassFixture<Window>
{
    [Fact]
    public async Task Played_without_pressing_anything_it_is_kept_by_one_key_from_any_page_and_seen_as_notes()
    {
        await using var house = await House.Open(dome: true);
        var amsel = house.StandIn("Amsel 61").Player!;
        for (var key = 60; key < 68; key++)
        {
            amsel.Press("hand", key, 90);
            await Task.Delay(40);
            amsel.Release("hand", key);
        }
        window.Go(house, "/plan");
        window.Key("w");
        window.Until(() => window.Text("#link-state").StartsWith("Kept as “Take 1”", StringComparison.Ordinal), "what was kept");
        window.Key("6");
        window.Until(
            () => window.Has(".take-card.chosen") && window.Text("#part-count").StartsWith("8 notes", StringComparison.Ordinal),
            "the notes of the take"
        );
        Assert.Contains(
            "strip-0",
            window.Script<string>("return document.querySelector('.reel-picture rect').getAttribute('class')"),
            StringComparison.Ordinal
        );
        // On the reel a part is chosen by dragging and kept.
        window.Script<object?>(
            """
            const reel = document.getElementById('reel'), box = reel.getBoundingClientRect();
            const where = (part) => ({ clientX: box.left + box.width * part, clientY: box.top + 9 });
            const event = (what, part) => new PointerEvent(what, { bubbles: true, button: 0, pointerId: 1, ...where(part) });
            const at = (what, part) => reel.dispatchEvent(event(what, part));
            reel.setPointerCapture = () => {};
            at('pointerdown', 0.9); at('pointermove', 0.95); at('pointermove', 1); at('pointerup', 1);
            return null
            """
        );
        window.Until(() => window.Script<bool>("return !document.getElementById('keep-part').hidden"), "the part to keep");
        window.Press("#keep-part");
        window.Until(() => house.Shelf.All().Count == 2, "the second take");
        Assert.DoesNotContain(window.Errors(), error => error.Contains(house.Address.Authority, StringComparison.Ordinal));
    }

    [Fact]
    public async Task A_file_is_dropped_tidied_with_what_it_was_as_outlines_and_taken_back_by_keys()
    {
        await using var house = await House.Open(dome: true);
        window.Go(house, "/takes");
        Drop("late.mid", StandardMidiFile.WriteTake(Late(), "late"));
        window.Until(
            () =>
                window.Text(".take-card.chosen b") == "late" && window.Text("#part-count").StartsWith("16 notes", StringComparison.Ordinal),
            "the file as a take"
        );
        // By keys alone: two bars are chosen, looked at and tidied.
        window.Find("#take-canvas").SendKeys(Keys.Shift + Keys.ArrowRight + Keys.ArrowRight);
        window.Until(() => window.Text("#part-title") == "Bars 1 to 2", "two bars");
        window.Press("#tidy-look");
        window.Press("#tidy-do");
        window.Until(() => house.Shelf.Open(house.Shelf.Chosen!.Value, out var open) is null && open!.Row.Place == 1, "that it is tidied");
        Assert.Null(house.Shelf.Open(house.Shelf.Chosen!.Value, out var tidied));
        Assert.Equal(8, tidied!.Take.Events.Count(each => each.Message.IsNoteOn && each.At.Microseconds % 125_000 == 0));
        window.Key(Keys.Escape);
        window.Script<object?>("document.activeElement.blur(); return null");
        window.Key("u");
        window.Until(
            () => house.Shelf.Open(house.Shelf.Chosen!.Value, out var open) is null && open!.Row.Place == 0,
            "that it is taken back"
        );
        // What is no file is refused with a sentence, and nothing is added.
        Drop("odd.mid", [1, 2, 3]);
        window.Until(() => window.Text("#takes-problem").StartsWith("odd.mid", StringComparison.Ordinal), "the sentence");
        Assert.Single(house.Shelf.All());
    }

    [Fact]
    public async Task Space_plays_and_stops_and_what_is_recorded_is_seen_in_another_window()
    {
        await using var house = await House.Open(dome: true);
        using var other = new Window();
        window.Go(house, "/takes");
        Drop("late.mid", StandardMidiFile.WriteTake(Late(), "late"));
        window.Until(() => window.Text(".take-card.chosen b") == "late", "the file as a take");
        window.Key(" ");
        window.Until(() => window.Has("#use-own"), "that a port of its own is offered");
        window.Press("#use-own");
        window.Until(
            () => house.Desk.Junction.Played.Plays && window.Text("#take-play").Contains("Stop", StringComparison.Ordinal),
            "that it plays"
        );
        window.Until(() => window.Text("#take-where").StartsWith("bar ", StringComparison.Ordinal), "where it is");
        window.Script<object?>("document.activeElement.blur(); return null");
        window.Key(" ");
        window.Until(() => !house.Desk.Junction.Played.Plays, "that it stops");
        other.Go(house, "/plan");
        other.Key("e");
        other.Until(() => house.Deck.Now is not null, "that it records");
        window.Until(() => window.Text("#record").Contains("Stop recording", StringComparison.Ordinal), "that it is seen");
        other.Until(() => other.Has("nav a.recording"), "the dot in the head");
        window.Script<object?>("document.activeElement.blur(); return null");
        window.Key("e");
        window.Until(() => house.Deck.Now is null, "that it stops");
        Assert.Equal(2, house.Shelf.All().Count);
    }

    [Fact]
    public async Task What_is_played_comes_to_the_reel_and_what_has_ended_can_be_played_again_without_a_reload()
    {
        await using var house = await House.Open(dome: true);
        window.Go(house, "/takes");
        window.Until(() => window.Has(".reel-none"), "a reel with nothing on it");
        var amsel = house.StandIn("Amsel 61").Player!;
        amsel.Press("hand", 60, 90);
        window.Until(() => window.Has(".reel-picture rect.fill-strip-0"), "it on the reel");
        amsel.Release("hand", 60);
        window.Press("#keep-since");
        window.Until(() => window.Has("#take-play"), "the take");
        window.Script<object?>("document.getElementById('play-speed').value = '200'; return null");
        window.Press("#take-play");
        window.Until(() => window.Has("#take-play.on"), "that it plays");
        window.Until(() => !house.Desk.Junction.Played.Plays, "its end");
        window.Until(() => !window.Has("#take-play.on"), "that it can be played again");
        Assert.Equal("200", window.Find("#play-speed").GetAttribute("value"));
        // What is chosen below stays as it is while the reel goes on.
        window.Press("label:has(#grid-8)");
        var written = window.Find("#fragment").GetAttribute("data-reel");
        amsel.Press("hand", 62, 90);
        amsel.Release("hand", 62);
        window.Until(() => window.Find("#fragment").GetAttribute("data-reel") != written, "more on the reel");
        Assert.True(window.Find("#grid-8").Selected);
        Assert.Equal("8", window.Find("#tidy-parts").GetAttribute("value"));
        Assert.Equal("true", window.Find("#tidy-look").GetAttribute("aria-pressed"));
    }

    [Fact]
    public async Task The_walk_through_the_demo_is_as_it_is_written()
    {
        await using var house = await House.Open(dome: true, takes: true);
        house.StandIn("Amsel 61").Player!.Press("hand", 60, 90);
        house.StandIn("Amsel 61").Player!.Release("hand", 60);
        window.Go(house, "/plan");
        window.Key("w");
        window.Until(() => house.Shelf.All().Count == 3, "that was it");
        window.Key("6");
        window.Until(() => window.Has("#take-canvas"), "Takes");
        var comet = house.Shelf.All().First(row => row.Name == "Comet, first go").Id;
        window.Press($"#take-{comet}");
        window.Until(
            () =>
                window.Text(".take-card.chosen b") == "Comet, first go"
                && window.Text("#part-count").StartsWith("265 notes", StringComparison.Ordinal),
            "the comet"
        );
        window.Find("#take-canvas").SendKeys(Keys.Shift + Keys.ArrowRight + Keys.ArrowRight);
        window.Press("#tidy-look");
        window.Press("#tidy-do");
        window.Until(() => window.Script<bool>("return !document.getElementById('take-undo').disabled"), "that it is tidied");
        window.Script<object?>("document.activeElement.blur(); return null");
        window.Key("u");
        window.Until(() => window.Script<bool>("return document.getElementById('take-undo').disabled"), "that it is taken back");
        window.Press("#split-channels");
        window.Until(() => window.Text("#track-1") == "Fächer ch 2", "the channels");
        var file = await house.Client.GetByteArrayAsync(
            window.Script<string>("return document.getElementById('out-mid').getAttribute('href')")
        );
        Assert.Contains("Fächer ch 2", StandardMidiFile.ReadTake(file).Tracks.Select(track => track.Name));
        window.Script<object?>("document.activeElement.blur(); return null");
        window.Key(" ");
        window.Until(
            () => house.StandIn("Brandung").Listener!.Heard.Held.Any() || house.StandIn("Zinn").Listener!.Heard.Held.Any(),
            "that it is heard"
        );
        window.Until(() => window.Text("#take-play").Contains("Stop", StringComparison.Ordinal), "that it can be stopped");
        window.Script<object?>("document.activeElement.blur(); return null");
        window.Key(" ");
        window.Until(
            () => !house.StandIn("Brandung").Listener!.Heard.Held.Any() && !house.StandIn("Zinn").Listener!.Heard.Held.Any(),
            "silence"
        );
        window.Press("#rehearse-all");
        window.Until(() => window.Has("#rehearsed-all td"), "what becomes of all takes");
        window.Press("#rehearsed-box form button");
        window.Go(house, "/studio");
        window.Press("#to-sheet");
        window.Until(() => window.Text(".paper h2") == "Kuppel", "the sheet");
    }

    [Theory]
    [InlineData(false, 1280)]
    [InlineData(true, 1280)]
    [InlineData(false, 1024)]
    public async Task The_page_fits_the_screen_and_nothing_on_it_is_hard_to_read(bool dark, int width)
    {
        await using var house = await House.Open(dome: true);
        window.Resize(width, width == 1280 ? 800 : 768);
        window.Dark(dark);
        window.Go(house, "/takes");
        Drop("late.mid", StandardMidiFile.WriteTake(Late(), "late"));
        window.Until(() => window.Text("#part-count").Length > 0, "the take");
        Assert.Equal(0, window.Script<long>("return Math.max(0, document.documentElement.scrollWidth - innerWidth)"));
        if (width == 1280)
            Assert.Equal(
                0,
                window.Script<long>("const m = document.getElementById('main'); return Math.max(0, m.scrollHeight - m.clientHeight)")
            );
        Assert.Equal(
            "",
            window.Script<string>(
                """
                const right = (element) => element.getBoundingClientRect().right;
                const out = [...document.querySelectorAll('.tool')]
                  .filter((tool) => [...tool.querySelectorAll('.button, .field, .pick-box')].some((each) => right(each) > right(tool) + 1));
                return out.map((tool) => tool.querySelector('h3').textContent).join(', ')
                """
            )
        );
        window.Resize(1280, 800);
        window.Dark(false);
    }

    /// <summary>A take of four bars, each note a little late.</summary>
    private static Take Late() =>
        new()
        {
            Tracks = [new TakeTrack("keys")],
            Events =
            [
                .. Enumerable
                    .Range(0, 16)
                    .SelectMany(beat =>
                        new[]
                        {
                            new TakeEvent(
                                new Core.Midi.MidiSpan(beat * 500_000 + 30_000),
                                0,
                                Core.Midi.MidiMessage.FromBytes(0x90, 60 + beat % 8, 80)
                            ),
                            new TakeEvent(
                                new Core.Midi.MidiSpan(beat * 500_000 + 330_000),
                                0,
                                Core.Midi.MidiMessage.FromBytes(0x80, 60 + beat % 8, 0)
                            ),
                        }
                    ),
            ],
            Length = new Core.Midi.MidiSpan(8_000_000),
        };

    private void Drop(string name, byte[] bytes) =>
        window.Script<object?>(
            $$"""
            const bytes = Uint8Array.from(atob("{{Convert.ToBase64String(bytes)}}"), (letter) => letter.charCodeAt(0));
            const data = new DataTransfer();
            data.items.add(new File([bytes], "{{name}}"));
            document.querySelector('.take').dispatchEvent(new DragEvent('drop', { bubbles: true, cancelable: true, dataTransfer: data }));
            return null
            """
        );
}
