using System.Diagnostics;
using System.Net;
using System.Net.Sockets;
using System.Text.Json;
using System.Text.RegularExpressions;
using Microsoft.AspNetCore.SignalR.Client;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;
using Weiche.Files;

namespace Weiche.Web.Tests;

/// <summary>Weiche as a process of its own: what it prints, how it ends, what survives when it is killed.</summary>
public sealed partial class ProcessTests : IDisposable
{
    private readonly string _folder = House.FreshFolder();

    public void Dispose() => Directory.Delete(_folder, recursive: true);

    [Fact]
    public async Task It_says_in_one_line_where_it_is_ready_and_what_was_acknowledged_survives_kill_9()
    {
        string[] names = [];
        using (var first = Weiche("demo", "--data", _folder, "--port", FreePort()))
        {
            using var client = new HttpClient { BaseAddress = await Ready(first) };
            var page = await client.GetStringAsync("/gear");
            var token = Token().Match(page).Groups[1].Value;
            for (var i = 0; i < 10; i++)
            {
                using var request = new HttpRequestMessage(HttpMethod.Post, "/gear?handler=Add")
                {
                    Content = new FormUrlEncodedContent([new("name", $"port {i}")]),
                };
                request.Headers.Add("X-Weiche-Token", token);
                request.Headers.Add("HX-Request", "true");
                using var answer = await client.SendAsync(request);
                if (answer.StatusCode == HttpStatusCode.OK)
                    names = [.. names, $"port {i}"];
                if (i == 9)
                    first.Kill();
            }
            await first.WaitForExitAsync();
        }
        Assert.Equal(10, names.Length);
        using var second = Weiche("demo", "--data", _folder, "--port", FreePort());
        using var again = new HttpClient { BaseAddress = await Ready(second) };
        var after = await again.GetStringAsync("/gear");
        Assert.All(names, name => Assert.Contains($"> {name}<", after, StringComparison.Ordinal));
        second.Kill();
        await second.WaitForExitAsync();
        Assert.Equal("", await second.StandardOutput.ReadToEndAsync());
    }

    [Fact]
    public async Task Killed_while_it_records_at_most_the_last_second_is_gone()
    {
        for (var round = 0; round < 1; round++)
        {
            int struck;
            using (var house = Weiche("demo", "--data", _folder, "--port", FreePort()))
            {
                using var client = new HttpClient { BaseAddress = await Ready(house) };
                await using var hub = await Record(client);
                var clock = Stopwatch.StartNew();
                for (struck = 0; clock.ElapsedMilliseconds < 1_500 + round * 370; struck++)
                {
                    await hub.InvokeAsync("Press", "amsel-61", 60, 90);
                    await hub.InvokeAsync("Release", "amsel-61", 60);
                    await Task.Delay(10);
                }
                // All that was struck until a second ago is to be there.
                struck = (int)(struck * (clock.ElapsedMilliseconds - 1_000) / clock.ElapsedMilliseconds);
                house.Kill();
                await house.WaitForExitAsync();
            }
            using var store = Data.StudioStore.Open(_folder);
            var take = store.Takes(1)[0];
            Assert.InRange(store.PageHeads(1, take.Id).Sum(page => page.Count), struck * 2, int.MaxValue);
        }
    }

    [Fact]
    public async Task A_disk_that_is_full_stops_recording_with_a_sentence_and_when_there_is_room_again_all_goes_on()
    {
        // A file that may not grow is what a full disk is to the database.
        var dll = typeof(Web.Startup.WeicheApp).Assembly.Location;
        var start = new ProcessStartInfo("bash")
        {
            RedirectStandardOutput = true,
            RedirectStandardError = true,
            WorkingDirectory = Path.GetTempPath(),
        };
        foreach (
            var word in (string[])
                ["-c", "trap '' XFSZ; exec dotnet \"$0\" demo --inside --data \"$1\" --port \"$2\"", dll, _folder, FreePort()]
        )
            start.ArgumentList.Add(word);
        using var house = Process.Start(start)!;
        using var client = new HttpClient { BaseAddress = await Ready(house) };
        await using var hub = await Record(client);
        await Limit(
            new FileInfo(Path.Combine(_folder, "weiche.db-wal")).Length.ToString(System.Globalization.CultureInfo.InvariantCulture)
        );
        var full = await PlayUntil(page => page.Contains("Nothing is written down at the moment: The disk with", StringComparison.Ordinal));
        Assert.Contains("is full or fails", full, StringComparison.Ordinal);
        Assert.DoesNotContain("Nothing has come in yet", full, StringComparison.Ordinal);
        Assert.Contains("Drums for Dawn", full, StringComparison.Ordinal);
        await PlayUntil(page => !page.Contains("Stop recording", StringComparison.Ordinal));
        await Limit("unlimited");
        var there = OnTheReel()
            .Match(
                await PlayUntil(page =>
                    !page.Contains("Nothing is written down", StringComparison.Ordinal)
                    && !page.Contains("being recorded", StringComparison.Ordinal)
                )
            )
            .Value;
        await PlayUntil(page => OnTheReel().Match(page).Value != there);
        Assert.False(house.HasExited);
        house.Kill();
        await house.WaitForExitAsync();

        async Task Limit(string bytes)
        {
            using var limit = Process.Start("prlimit", $"--pid {house.Id} --fsize={bytes}:unlimited");
            await limit.WaitForExitAsync();
            Assert.Equal(0, limit.ExitCode);
        }

        async Task<string> PlayUntil(Func<string, bool> when)
        {
            string page;
            var rounds = 0;
            do
            {
                Assert.InRange(rounds++, 0, 600);
                await hub.InvokeAsync("Press", "amsel-61", 60, 90);
                await hub.InvokeAsync("Release", "amsel-61", 60);
                await Task.Delay(50);
                page = await client.GetStringAsync("/takes");
            } while (!when(page));
            return page;
        }
    }

    [Fact]
    public async Task Fresh_makes_the_demo_studio_anew()
    {
        using (var house = Weiche("demo", "--data", _folder, "--port", FreePort()))
        {
            await Ready(house);
            house.Kill();
            await house.WaitForExitAsync();
        }
        var before = File.GetCreationTimeUtc(Path.Combine(_folder, "weiche.db"));
        using var anew = Weiche("demo", "--data", _folder, "--fresh", "--port", FreePort());
        await Ready(anew);
        Assert.NotEqual(before, File.GetCreationTimeUtc(Path.Combine(_folder, "weiche.db")));
        anew.Kill();
        await anew.WaitForExitAsync();
    }

    [Fact]
    public async Task A_port_that_is_taken_is_said_in_one_line()
    {
        using var taken = new TcpListener(IPAddress.Loopback, 0);
        taken.Start();
        var port = ((IPEndPoint)taken.LocalEndpoint).Port;
        Assert.Equal(
            $"Port {port} is taken by another program. Choose another with --port.",
            await Fails("demo", "--data", _folder, "--port", $"{port}")
        );
    }

    [Fact]
    public async Task A_database_that_cannot_be_used_is_named_in_one_line_and_left_as_it_is()
    {
        var file = Path.Combine(_folder, "weiche.db");
        await File.WriteAllTextAsync(file, "This is no database, but a letter to my aunt. " + new string('.', 4096));
        var before = await File.ReadAllBytesAsync(file);
        Assert.Contains(
            $"The database {file} is damaged",
            await Fails("run", "--data", _folder, "--port", FreePort()),
            StringComparison.Ordinal
        );
        Assert.Equal(before, await File.ReadAllBytesAsync(file));
    }

    [Fact]
    public async Task A_folder_that_cannot_be_written_is_named_in_one_line()
    {
        var blocked = Path.Combine(_folder, "blocked");
        await File.WriteAllTextAsync(blocked, "");
        Assert.Contains(
            blocked,
            await Fails("run", "--data", Path.Combine(blocked, "data"), "--port", FreePort()),
            StringComparison.Ordinal
        );
        Assert.Contains("/proc/weiche", await Fails("run", "--data", "/proc/weiche", "--port", FreePort()), StringComparison.Ordinal);
    }

    [Fact]
    public async Task A_studio_goes_out_to_a_file_and_in_again_and_is_rehearsed()
    {
        var (file, data) = (Path.Combine(_folder, "demo.json"), Path.Combine(_folder, "data"));
        await Succeeds("export", "--demo", file);
        Assert.Contains("Imported “Kuppel”", await Succeeds("import", file, "--data", data), StringComparison.Ordinal);
        Assert.Contains("Imported “Kuppel 2”", await Succeeds("import", file, "--data", data), StringComparison.Ordinal);
        await Succeeds("export", "--data", data, "--studio", "kuppel", file + ".2");
        Assert.Equal(await File.ReadAllTextAsync(file), await File.ReadAllTextAsync(file + ".2"));
        var play = Path.Combine(_folder, "play.txt");
        await File.WriteAllTextAsync(play, "0 90 3C 60\n1000 80 3C 40\n");
        var report = await Succeeds("rehearse", file, "--play", play, "--from", "Amsel 61", "--out", Path.Combine(_folder, "out"));
        Assert.Contains("Amsel 61 → Brandung", report, StringComparison.Ordinal);
        Assert.Equal("960 92 3C 60\n1960 82 3C 40\n", await File.ReadAllTextAsync(Path.Combine(_folder, "out", "Brandung.txt")));
        // With the time started the clock is followed for a bar, not for ever.
        string[] started = ["rehearse", file, "--play", play, "--from", "Amsel 61", "--out", Path.Combine(_folder, "started"), "--start"];
        Assert.Contains("Amsel 61 → Brandung", await Succeeds(started), StringComparison.Ordinal);
        var himmel = await File.ReadAllLinesAsync(Path.Combine(_folder, "started", "Himmel.txt"));
        Assert.Contains(himmel, line => line.EndsWith(" FA", StringComparison.Ordinal));
        Assert.InRange(himmel.Count(line => line.EndsWith(" F8", StringComparison.Ordinal)), 90, 110);
        var timeless = Path.Combine(_folder, "timeless.json");
        await File.WriteAllTextAsync(timeless, StudioJson.Write(SmallStudio.Create()));
        Assert.Contains(
            "Nobody keeps the time in ",
            await Fails("rehearse", timeless, "--play", play, "--from", "Amsel 61", "--out", _folder, "--start"),
            StringComparison.Ordinal
        );
        Assert.Contains(
            "There is no source “Nobody”",
            await Fails("rehearse", file, "--play", play, "--from", "Nobody", "--out", _folder),
            StringComparison.Ordinal
        );
        Assert.Contains("is not a studio that can be read", await Fails("import", play, "--data", data), StringComparison.Ordinal);
        Assert.Contains("is a folder", await Fails("import", _folder, "--data", data), StringComparison.Ordinal);
        Assert.Contains("There is no studio “x”", await Fails("export", "--data", data, "--studio", "x", file), StringComparison.Ordinal);
        Assert.Contains("There is no database", await Fails("export", "--data", _folder, file), StringComparison.Ordinal);
    }

    [Fact]
    public async Task A_studio_is_checked_without_a_page_and_the_exit_code_tells()
    {
        var file = Path.Combine(_folder, "demo.json");
        await Succeeds("export", "--demo", file);
        var (code, words, _) = await Run("check", file);
        Assert.Equal(1, code);
        Assert.StartsWith("Kuppel: 1 circuit is open.", words, StringComparison.Ordinal);
        Assert.Contains("C3 on channel 3 from Brandung comes back after 9.92 ms, and again, and again.", words, StringComparison.Ordinal);
        Assert.Contains(
            "remedy (proved least): Close “sequencer page” of Brandung (at the device); costs nothing",
            words,
            StringComparison.Ordinal
        );
        (code, words, _) = await Run("check", file, "--json");
        Assert.Equal(1, code);
        using var json = JsonDocument.Parse(words);
        Assert.Empty(SchemaChecker.Of("check.schema.json").Problems(json.RootElement));
        Assert.False(json.RootElement.GetProperty("clear").GetBoolean());
        Assert.Equal(
            ["endless", "doubled", "wire", "mpe", "silence"],
            json.RootElement.GetProperty("findings").EnumerateArray().Select(finding => finding.GetProperty("kind").GetString())
        );
        await File.WriteAllTextAsync(file, StudioJson.Write(QuietDome.Create()));
        Assert.StartsWith("Kuppel: no circuit is open.", await Succeeds("check", file), StringComparison.Ordinal);
        await File.WriteAllTextAsync(file, "{ \"format\": 2, \"name\": ");
        Assert.Contains("Line 1", await Fails("check", file), StringComparison.Ordinal);
        Assert.Contains("There is no file", await Fails("check", Path.Combine(_folder, "none.json")), StringComparison.Ordinal);
        // What is typed wrong is no verdict.
        await Fails("check");
        await Fails("check", file, "--loud");
        await Fails("chekc", file);
        Directory.CreateDirectory(Path.Combine(_folder, "silent"));
        var play = Path.Combine(_folder, "play.syx");
        await File.WriteAllBytesAsync(play, [0xF0, 1, 2, 0xF7]);
        await File.WriteAllTextAsync(file, StudioJson.Write(new AddVirtualPort("one").Apply(Studio.Empty("Empty")).Studio!));
        (code, _, var error) = await Run("rehearse", file, "--play", play, "--from", "one", "--out", Path.Combine(_folder, "silent"));
        Assert.Equal((1, "Nothing arrived anywhere: the table says where it stopped."), (code, error.Trim()));
    }

    [Theory]
    [InlineData("A port is a number from 1 to 65535.", "run", "--port", "abc")]
    [InlineData("A port is a number from 1 to 65535.", "demo", "--port", "0")]
    [InlineData("--port is empty.", "demo", "--port", "")]
    [InlineData("--data is empty.", "run", "--data", "")]
    [InlineData("STUDIO is empty.", "check", " ")]
    [InlineData("Channels go from 1 to 16.", "trace", "x.json", "--from", "a", "--note", "C3", "--channel", "x")]
    [InlineData("Velocities go from 1 to 127.", "trace", "x.json", "--from", "a", "--note", "C3", "--velocity", "0")]
    public async Task A_word_that_is_none_of_those_asked_for_is_told_and_is_no_fault_of_weiche(string problem, params string[] words) =>
        Assert.Equal($"{problem} ./weiche {words[0]} --help says what it takes.", (await Fails(words)).Trim());

    [Fact]
    public async Task Recordings_without_a_message_are_told_and_give_no_verdict()
    {
        var (file, empty) = (Path.Combine(_folder, "demo.json"), Path.Combine(_folder, "empty.txt"));
        await Succeeds("export", "--demo", file);
        await File.WriteAllTextAsync(empty, "# nothing yet\n");
        Assert.Equal(
            $"There is no message in {empty}: nothing was played.",
            (await Fails("rehearse", file, "--play", empty, "--from", "Amsel 61", "--out", Path.Combine(_folder, "out"))).Trim()
        );
        Assert.False(Directory.Exists(Path.Combine(_folder, "out")));
    }

    [Fact]
    public async Task What_never_ends_is_no_studio() =>
        Assert.Contains("/dev/zero has more than 16777216 bytes", await Fails("check", "/dev/zero"), StringComparison.Ordinal);

    [Fact]
    public async Task A_sheet_is_not_written_where_what_it_is_held_against_cannot_be_read()
    {
        var (file, folder) = (Path.Combine(_folder, "demo.json"), Path.Combine(_folder, "sheet"));
        await Succeeds("export", "--demo", file);
        Assert.Contains(
            "There is no file ",
            await Fails("sheet", file, "--out", folder, "--since", Path.Combine(_folder, "none.json")),
            StringComparison.Ordinal
        );
        Assert.False(Directory.Exists(folder));
    }

    [Fact]
    public async Task A_message_is_traced_without_a_page_in_words_and_as_json()
    {
        var file = Path.Combine(_folder, "demo.json");
        await Succeeds("export", "--demo", file);
        await File.WriteAllTextAsync(file, StudioJson.Write(QuietDome.Create()));
        var words = await Succeeds("trace", file, "--from", "Amsel 61", "--note", "C2", "--channel", "1", "--lineup", "star field");
        Assert.StartsWith(
            "C2 on, 96 on channel 1 from Amsel 61: sounds on Bandhaus and Zinn; heard without a sound by Himmel; not listened to "
                + "by Paukenkiste; stopped on the way to Brandung; nothing else.",
            words,
            StringComparison.Ordinal
        );
        Assert.Contains("stopped by Keys: C2 is below C3", words, StringComparison.Ordinal);
        using var json = JsonDocument.Parse(
            await Succeeds("trace", file, "--from", "amsel 61", "--note", "48", "--channel", "1", "--lineup", "2", "--json")
        );
        var steps = json.RootElement.GetProperty("steps").EnumerateArray().ToList();
        Assert.Equal("90 30 60", json.RootElement.GetProperty("message").GetString());
        var stopped = steps.Single(step => step.GetProperty("end").GetString() == "stopped");
        Assert.Equal(("Brandung", "Keys"), (stopped.GetProperty("device").GetString(), stopped.GetProperty("stoppedBy").GetString()));
        var zinn = steps.Single(step =>
            step.GetProperty("device").GetString() == "Zinn" && step.GetProperty("end").GetString() == "sounds"
        );
        Assert.Equal((2960, "94 24 60"), (zinn.GetProperty("delay").GetInt32(), zinn.GetProperty("became")[0].GetString()));
        Assert.Contains("from Kies", await Succeeds("trace", file, "--to", "Zinn", "--lineup", "1 Dusk"), StringComparison.Ordinal);
        using var back = JsonDocument.Parse(await Succeeds("trace", file, "--to", "Wolke", "--lineup", "2", "--json"));
        Assert.Equal("Fächer", back.RootElement.GetProperty("sources")[0].GetProperty("from").GetString());
        Assert.StartsWith(
            "breath 64 on channel 4 from Halm: ",
            await Succeeds("trace", file, "--from", "Halm", "--message", "B3 02 40", "--lineup", "2"),
            StringComparison.Ordinal
        );
        // A name may be cut short where no other begins so.
        Assert.Equal(words, await Succeeds("trace", file, "--from", "ams", "--note", "C2", "--channel", "1", "--lineup", "star field"));
        foreach (var name in new[] { "Nobody", "Bandhaus" })
            Assert.Contains(
                $"There is no source “{name}” in {file}. There are: Amsel 61, ",
                await Fails("trace", file, "--from", name, "--note", "C3"),
                StringComparison.Ordinal
            );
        Assert.Contains("“H3” is no key", await Fails("trace", file, "--from", "Amsel 61", "--note", "H3"), StringComparison.Ordinal);
        Assert.Contains(
            "has 3 bytes, not 2",
            await Fails("trace", file, "--from", "Amsel 61", "--message", "90 3C"),
            StringComparison.Ordinal
        );
        Assert.Contains("either --from a source, or --to", await Fails("trace", file), StringComparison.Ordinal);
        Assert.Contains(
            "There is no lineup “Noon”. There are: 1 Dusk, 2 Star field, 3 Dawn.",
            await Fails("trace", file, "--from", "Amsel 61", "--note", "C3", "--lineup", "Noon"),
            StringComparison.Ordinal
        );
        Assert.Contains("not in 1 Dusk", await Succeeds("trace", file, "--from", "Amsel 61", "--note", "C3"), StringComparison.Ordinal);
        Assert.Contains(
            "There is no file",
            await Fails("trace", file + ".none", "--from", "Amsel 61", "--note", "C3"),
            StringComparison.Ordinal
        );
    }

    [Theory]
    [InlineData("0")]
    [InlineData("70000")]
    [InlineData("high")]
    public async Task A_port_that_is_none_is_refused(string port)
    {
        using var process = Weiche("demo", "--data", _folder, "--port", port);
        await process.WaitForExitAsync();
        Assert.NotEqual(0, process.ExitCode);
        Assert.NotEqual("", await process.StandardError.ReadToEndAsync());
    }

    /// <summary>Has it record, and connects as a page does.</summary>
    private static async Task<HubConnection> Record(HttpClient client)
    {
        using var request = new HttpRequestMessage(HttpMethod.Post, "/takes?handler=Record")
        {
            Content = new FormUrlEncodedContent([new("elsewhere", "true")]),
        };
        request.Headers.Add("X-Weiche-Token", Token().Match(await client.GetStringAsync("/gear")).Groups[1].Value);
        request.Headers.Add("HX-Request", "true");
        Assert.Equal(HttpStatusCode.NoContent, (await client.SendAsync(request)).StatusCode);
        var hub = new HubConnectionBuilder().WithUrl(new Uri(client.BaseAddress!, "/live")).Build();
        await hub.StartAsync();
        return hub;
    }

    private static async Task<string> Succeeds(params string[] words)
    {
        using var process = Weiche(words);
        var output = await process.StandardOutput.ReadToEndAsync();
        await process.WaitForExitAsync();
        Assert.True(process.ExitCode == 0, await process.StandardError.ReadToEndAsync());
        return output;
    }

    private static async Task<(int Code, string Words, string Problem)> Run(params string[] words)
    {
        using var process = Weiche(words);
        var output = await process.StandardOutput.ReadToEndAsync();
        await process.WaitForExitAsync();
        return (process.ExitCode, output, await process.StandardError.ReadToEndAsync());
    }

    private static async Task<string> Fails(params string[] words)
    {
        using var process = Weiche(words);
        var error = await process.StandardError.ReadToEndAsync();
        await process.WaitForExitAsync();
        Assert.Equal(2, process.ExitCode);
        Assert.Equal("", await process.StandardOutput.ReadToEndAsync());
        return Assert.Single(error.Split('\n', StringSplitOptions.RemoveEmptyEntries));
    }

    private static async Task<Uri> Ready(Process process)
    {
        var line = await process.StandardOutput.ReadLineAsync() ?? await process.StandardError.ReadToEndAsync();
        var match = ReadyLine().Match(line);
        Assert.True(match.Success, line);
        return new Uri(match.Groups[1].Value);
    }

    private static Process Weiche(params string[] words)
    {
        var start = new ProcessStartInfo("dotnet")
        {
            RedirectStandardOutput = true,
            RedirectStandardError = true,
            WorkingDirectory = Path.GetTempPath(),
        };
        // What else runs on the machine is nothing to these tests.
        string[] inside = words is ["demo" or "run", ..] ? ["--inside"] : [];
        foreach (var word in (string[])[typeof(Web.Startup.WeicheApp).Assembly.Location, .. words, .. inside])
            start.ArgumentList.Add(word);
        return Process.Start(start)!;
    }

    private static string FreePort()
    {
        using var listener = new TcpListener(IPAddress.Loopback, 0);
        listener.Start();
        return ((IPEndPoint)listener.LocalEndpoint).Port.ToString(System.Globalization.CultureInfo.InvariantCulture);
    }

    [GeneratedRegex(@"^Weiche is ready at (http://127\.0\.0\.1:\d+)$")]
    private static partial Regex ReadyLine();

    [GeneratedRegex(@"<p>[^<]+ messages in [^<]+ bytes")]
    private static partial Regex OnTheReel();

    [GeneratedRegex("X-Weiche-Token\": \"([^\"]+)\"")]
    private static partial Regex Token();
}
