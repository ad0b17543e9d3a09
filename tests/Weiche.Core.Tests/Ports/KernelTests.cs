using System.Diagnostics;
using System.Globalization;
using System.Text;
using System.Text.RegularExpressions;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;
using Weiche.Ports;
using Weiche.Ports.Carrying;
using Weiche.Ports.Outside;
using Weiche.Ports.Raw;
using Weiche.Ports.Virtual;

namespace Weiche.Core.Tests.Ports;

/// <summary>A real sequencer and real device files, with the distribution's own tools at the other end. They need a kernel that has them:
/// tests/kernel/run boots one.</summary>
public sealed partial class KernelTests : IDisposable
{
    private readonly List<Process> _programs = [];
    private readonly Junction _junction;
    private readonly OutsideDriver _driver;
    private readonly PortPark _park;
    private Studio _studio = Rooms.Of("near", "far");

    public KernelTests()
    {
        _junction = new Junction(_studio, new StudioClock(TimeProvider.System));
        _driver = new OutsideDriver(_junction, OutsideSystem.Sequencer);
        _park = new PortPark(
            _junction,
            TimeProvider.System,
            new VirtualDriver(_junction, _driver),
            new RawDriver(_junction, new RawPlaces(), TimeProvider.System),
            _driver
        );
        _park.Match(_studio);
        Until(() => Listed().Contains("'from far", StringComparison.Ordinal), () => $"{_driver.State.Sentence} {Listed()}");
    }

    public void Dispose()
    {
        _park.Dispose();
        _junction.Dispose();
        foreach (var program in _programs)
        {
            if (!program.HasExited)
                program.Kill();
            program.Dispose();
        }
    }

    [Fact(Explicit = true)]
    public void A_virtual_port_is_listed_under_its_names_and_renamed_where_it_is()
    {
        var before = Number("to near");
        Edit(new RenameDevice(_studio.Devices[0].Id, "keys to stars"));
        Until(() => Listed().Contains("'to keys to stars", StringComparison.Ordinal), Listed);
        Assert.Equal(before, Number("to keys to stars"));
        Edit(new KeepInside(_studio.Devices[0].Id, true));
        Until(() => !Listed().Contains("keys to stars", StringComparison.Ordinal), Listed);
        Edit(new KeepInside(_studio.Devices[0].Id, false));
        Until(() => Listed().Contains("'to keys to stars", StringComparison.Ordinal), Listed);
        Assert.Equal(before, Number("to keys to stars"));
    }

    [Fact(Explicit = true)]
    public void What_a_player_plays_into_a_virtual_port_is_heard_by_another_program_through_a_route()
    {
        Edit(new LayRoute(_studio.From("near"), _studio.To("far")));
        var heard = Dump($"{Client()}:{Number("from far")}");
        Play($"{Client()}:{Number("to near")}");
        Until(() => heard().Contains("Note off", StringComparison.Ordinal), heard);
        Assert.Matches(@"Note on\s+0, note 60, velocity 90", heard());
        Assert.Matches(@"Program change\s+0, program 5", heard());
        Assert.Matches(@"System exclusive\s+F0 7D 01 02 03 F7", heard());
        Assert.Matches(@"Pitch bend\s+0, value 100", heard());
    }

    [Fact(Explicit = true)]
    public void A_program_that_listens_is_new_is_taken_in_with_one_edit_and_plays()
    {
        var heard = Dump(null);
        Until(
            () => _park.State.Call.New.Any(unit => unit.Says == "aseqdump"),
            () => string.Join(", ", _park.State.Call.New.Select(unit => unit.Says))
        );
        Edit(new TakeUnit(_park.State.Call.New.First(unit => unit.Says == "aseqdump"), Sounds: true));
        Edit(new LayRoute(_studio.From("near"), _studio.To("aseqdump")));
        Play($"{Client()}:{Number("to near")}");
        Until(() => heard().Contains("note 60", StringComparison.Ordinal), heard);
        _programs[0].Kill();
        Until(() => _park.PresenceOf(_studio.Devices[^1].Id) is { Present: false }, () => "still there");
    }

    [Fact(Explicit = true)]
    public void What_another_program_connects_is_seen_and_taken_off()
    {
        Run("aconnect", $"{Client()}:{Number("from near")}", $"{Client()}:{Number("to far")}");
        var cable = new OutsideCable(_studio.From("near"), _studio.To("far"));
        Until(() => _park.State.Outside.SequenceEqual([cable]), Listed);
        _park.Part(cable);
        Until(() => _park.State.Outside.IsEmpty, Listed);
        Assert.DoesNotContain("Connecting To", Listed().Split("'from near")[1].Split('\n')[1], StringComparison.Ordinal);
    }

    [Fact(Explicit = true)]
    public void A_device_of_the_kernel_is_one_device_reached_by_the_sequencer_and_plays_through()
    {
        Until(
            () => _park.State.Call.New.Any(unit => unit.Says.StartsWith("Virtual Raw MIDI", StringComparison.Ordinal)),
            () => string.Join(", ", _park.State.Call.New.Select(unit => unit.Says))
        );
        Edit(
            new TakeUnit(
                _park.State.Call.New.First(unit => unit.Says.StartsWith("Virtual Raw MIDI", StringComparison.Ordinal)),
                Sounds: false
            )
        );
        // The file of the same card is no second device.
        Assert.DoesNotContain(_park.State.Call.New, unit => unit.Place.StartsWith('/'));
        Assert.Contains(_park.State.Besides.Values, file => file == "/dev/snd/midiC0D0");
        var device = _studio.Devices[^1];
        Edit(new LayRoute(device.FirstPort(PortDirection.Source)!.Value, _studio.To("far")));
        var heard = Dump($"{Client()}:{Number("from far")}");
        Until(() => _park.PresenceOf(device.Id) is { Present: true }, () => "not there");
        // What is written to the raw side comes out of the sequencer's side.
        for (var i = 0; i < 40 && !heard().Contains("note 61", StringComparison.Ordinal); i++)
        {
            Run("amidi", "-p", "hw:0,0", "-S", "90 3D 40 80 3D 40");
            Thread.Sleep(250);
        }
        Assert.Contains("note 61", heard(), StringComparison.Ordinal);
    }

    [Fact(Explicit = true)]
    public void A_device_file_is_read_and_written_as_a_raw_port()
    {
        Edit(new AddRawDevice("raw", "/dev/snd/midiC0D1"));
        Edit(new LayRoute(_studio.From("near"), _studio.To("raw")));
        Until(
            () => _park.PresenceOf(_studio.Devices[^1].Id) is { Present: true },
            () => _park.PresenceOf(_studio.Devices[^1].Id)?.Reason ?? "none"
        );
        var virmidi = VirMidi().Matches(Listed()).Select(match => match.Groups[1].Value).Last();
        var heard = Dump($"{virmidi}:0");
        Play($"{Client()}:{Number("to near")}");
        Until(() => heard().Contains("note 60", StringComparison.Ordinal), heard);
        // And back: what the sequencer sends to it is read from the file.
        Edit(new LayRoute(_studio.From("raw"), _studio.To("far")));
        var far = Dump($"{Client()}:{Number("from far")}");
        Play($"{virmidi}:0");
        Until(() => far().Contains("note 60", StringComparison.Ordinal), far);
    }

    [Fact(Explicit = true)]
    public void Notes_that_a_killed_program_held_end()
    {
        Edit(new LayRoute(_studio.From("near"), _studio.To("far")));
        var heard = Dump($"{Client()}:{Number("from far")}");
        var player = Start("aplaymidi", "-p", $"{Client()}:{Number("to near")}", Song(held: true));
        Until(() => heard().Contains("Note on", StringComparison.Ordinal), heard);
        player.Kill();
        Until(() => heard().Contains("Note off", StringComparison.Ordinal), heard);
    }

    [Fact(Explicit = true)]
    public void What_is_played_arrives_in_the_order_in_which_it_was_played_exclusives_among_it()
    {
        Edit(new LayRoute(_studio.From("near"), _studio.To("far")));
        var heard = Dump($"{Client()}:{Number("from far")}");
        Until(() => _driver.HasShortCut, () => "There is no short cut.");
        var (expected, source) = (new StringBuilder(), _studio.From("near"));
        for (var i = 0; i < 100; i++)
        {
            // One takes the bridge a while, and what is played after it waits for it.
            byte[] exclusive = [0xF0, 0x7D, (byte)i, .. Enumerable.Repeat((byte)1, i % 10 == 0 ? 600 : 3), 0xF7];
            byte[] played = [0xB0, 20, (byte)i, .. i % 5 == 0 ? exclusive : [], 0xE1, (byte)i, 64, 0xC2, (byte)i, 0xF2, (byte)i, 1];
            _junction.Receive(source, played);
            expected.Append(CultureInfo.InvariantCulture, $"Control change 0, controller 20, value {i}\n");
            if (i % 5 == 0)
                expected.Append(CultureInfo.InvariantCulture, $"System exclusive F0 7D {i:X2}\n");
            expected.Append(CultureInfo.InvariantCulture, $"Pitch bend 1, value {i}\n");
            expected.Append(CultureInfo.InvariantCulture, $"Program change 2, program {i}\n");
            expected.Append(CultureInfo.InvariantCulture, $"Song position pointer value {i + 128}\n");
            Thread.Sleep(10);
        }
        Until(() => Told().Count(letter => letter == '\n') >= 420, () => $"{Told()}");
        Assert.Equal(expected.ToString(), Told());

        // What a dump says of an event, without its columns and without the rest of an exclusive.
        string Told() =>
            string.Concat(
                ToldEvent()
                    .Matches(heard())
                    .Select(match => Blanks().Replace($"{match.Groups[1].Value} {match.Groups[2].Value.Trim()}", " ") + "\n")
            );
    }

    [Fact(Explicit = true)]
    public void A_listener_that_hears_nothing_more_holds_nobody_up_and_nobody_hears_anything_twice()
    {
        Edit(new LayRoute(_studio.From("near"), _studio.To("far")));
        var port = $"{Client()}:{Number("from far")}";
        var heard = Dump(port);
        _ = Dump(port);
        Until(() => Listed().Split("'from far")[1].Split('\n')[1].Split(',').Length == 2, Listed);
        Run("kill", "-STOP", _programs[^1].Id.ToString(CultureInfo.InvariantCulture));
        var source = _studio.From("near");
        for (var i = 0; i < 1_000; i++)
        {
            _junction.Receive(source, [0xB0, 20, (byte)(i % 128)]);
            Thread.Sleep(1);
        }
        Until(() => Count() >= 1_000, () => $"{Count()} came.");
        Thread.Sleep(300);
        Assert.Equal(1_000, Count());
        Assert.True(_driver.State.Lost > 0);

        int Count() => Regex.Count(heard(), "controller 20");
    }

    [Fact(Explicit = true)]
    public void A_listener_that_is_alone_and_hears_nothing_more_is_not_waited_for_each_time()
    {
        Edit(new LayRoute(_studio.From("near"), _studio.To("far")));
        _ = Dump($"{Client()}:{Number("from far")}");
        Run("kill", "-STOP", _programs[^1].Id.ToString(CultureInfo.InvariantCulture));
        Edit(new AddVirtualPort("side"));
        Edit(new LayRoute(_studio.From("near"), _studio.To("side")));
        Until(() => Listed().Contains("'from side", StringComparison.Ordinal), Listed);
        var heard = Dump($"{Client()}:{Number("from side")}");
        for (var i = 0; i < 1_000; i++)
        {
            _junction.Receive(_studio.From("near"), [0xB0, 20, (byte)(i % 128)]);
            Thread.Sleep(1);
        }
        // With a tenth of a second for each that would be more than a minute.
        Until(() => Count() == 1_000, () => $"{Count()} came.");

        int Count() => Regex.Count(heard(), "controller 20");
    }

    [Fact(Explicit = true)]
    public void A_bridge_that_is_killed_leaves_nothing_behind_and_another_takes_its_place()
    {
        Edit(new LayRoute(_studio.From("near"), _studio.To("far")));
        Until(() => _driver.HasShortCut, () => "There is no short cut.");
        var (before, ports) = (Client(), (Number("to near"), Number("from far")));
        Process.GetProcessById(_driver.BridgeId!.Value).Kill();
        Until(() => !_driver.HasShortCut, () => "It is still there.");
        Until(() => _driver.HasShortCut && Listed().Contains("'from far", StringComparison.Ordinal), Listed);
        Assert.Single(OfWeiche().Matches(Listed()));
        Assert.Equal((before, ports), (Client(), (Number("to near"), Number("from far"))));
        var heard = Dump($"{Client()}:{Number("from far")}");
        Play($"{Client()}:{Number("to near")}");
        Until(() => heard().Contains("note 60", StringComparison.Ordinal), heard);
    }

    private static string Song(bool held = false)
    {
        var path = Path.Combine(Path.GetTempPath(), $"{Guid.NewGuid():N}.mid");
        byte[] track =
        [
            0x00, 0xC0, 5, 0x00, 0xE0, 100, 64, 0x00, 0xF0, 5, 0x7D, 1, 2, 3, 0xF7, 0x10, 0x90, 60, 90,
            .. held ? (byte[])[0xBC, 0x00] : [0x30],
            0x80, 60, 0, 0x20, 0xFF, 0x2F, 0x00,
        ];
        File.WriteAllBytes(path, [.. "MThd"u8, 0, 0, 0, 6, 0, 0, 0, 1, 0, 96, .. "MTrk"u8, 0, 0, 0, (byte)track.Length, .. track]);
        return path;
    }

    private void Play(string port) => Run("aplaymidi", "-p", port, Song());

    private Func<string> Dump(string? port)
    {
        var program = Start("stdbuf", ["-oL", "aseqdump", .. port is null ? Array.Empty<string>() : ["-p", port]]);
        var text = new StringBuilder();
        program.OutputDataReceived += (_, line) =>
        {
            lock (text)
                text.AppendLine(line.Data);
        };
        program.BeginOutputReadLine();
        if (port is not null)
            Until(() => Regex.IsMatch(Listed(), $@"Connecting To: [^\n]*\d+:0"), Listed);
        return () =>
        {
            lock (text)
                return text.ToString();
        };
    }

    private static string Listed()
    {
        using var process = Process.Start(new ProcessStartInfo("aconnect", "-l") { RedirectStandardOutput = true })!;
        var text = process.StandardOutput.ReadToEnd();
        process.WaitForExit();
        return text;
    }

    private static string Client() => OfWeiche().Match(Listed()).Groups[1].Value;

    private static string Number(string port) =>
        Regex.Match(Listed(), $@"^\s+(\d+) '{Regex.Escape(port)}\s*'", RegexOptions.Multiline).Groups[1].Value;

    private void Run(string program, params string[] words) => Start(program, words).WaitForExit();

    private Process Start(string program, params string[] words)
    {
        var start = new ProcessStartInfo(program) { RedirectStandardOutput = true };
        foreach (var word in words)
            start.ArgumentList.Add(word);
        var process = Process.Start(start)!;
        _programs.Add(process);
        return process;
    }

    private void Edit(StudioEdit edit)
    {
        _studio = _studio.Must(edit);
        _junction.Swap(_junction.Prepare(_studio));
        _park.Match(_studio);
    }

    private static void Until(Func<bool> isSo, Func<string> instead)
    {
        for (var i = 0; i < 300 && !isSo(); i++)
            Thread.Sleep(100);
        Assert.True(isSo(), string.Create(CultureInfo.InvariantCulture, $"It never came to be. {instead()}"));
    }

    [GeneratedRegex(
        @"^ *\d+:\d+ +(Control change|System exclusive|Pitch bend|Program change|Song position pointer) +((?:F0 7D [0-9A-F]{2})|[^\n]*)",
        RegexOptions.Multiline
    )]
    private static partial Regex ToldEvent();

    [GeneratedRegex(" +")]
    private static partial Regex Blanks();

    [GeneratedRegex(@"client (\d+): 'Weiche'")]
    private static partial Regex OfWeiche();

    [GeneratedRegex(@"client (\d+): 'Virtual Raw MIDI[^']*'")]
    private static partial Regex VirMidi();
}
