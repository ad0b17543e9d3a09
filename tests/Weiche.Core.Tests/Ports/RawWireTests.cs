using System.Runtime.InteropServices;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;
using Weiche.Ports;
using Weiche.Ports.Carrying;
using Weiche.Ports.Raw;
using static Weiche.Core.Tests.Rooms;

namespace Weiche.Core.Tests.Ports;

/// <summary>Ports of raw bytes over named pipes and terminals in a folder of their own.</summary>
public sealed class RawWireTests : IDisposable
{
    private readonly string _folder = Directory.CreateTempSubdirectory("weiche-raw-").FullName;
    private readonly Junction _junction;
    private Studio _studio = Of("keys", "synth").Lay("keys", "synth");

    public RawWireTests() => _junction = new Junction(_studio, new StudioClock(TimeProvider.System));

    public void Dispose()
    {
        _junction.Dispose();
        Directory.Delete(_folder, recursive: true);
    }

    [Fact]
    public async Task Bytes_go_from_pipe_to_pipe_in_any_pieces()
    {
        using var from = new RawWire(_junction, Pipe("in"), _studio.From("keys"), null, TimeProvider.System);
        using var to = new RawWire(_junction, Pipe("out"), null, _studio.To("synth"), TimeProvider.System);
        Assert.False(to.Presence.Present);
        using var reader = OpenPipe("out", FileAccess.Read);
        await Until(() => to.Presence.Present && from.Presence.Present);
        using var writer = OpenPipe("in", FileAccess.Write);
        byte[] sent = [0x90, 60, 100, 62, 100, 0xF0, 1, 2, 3, 0xF7, 0x80, 60, 64];
        foreach (var value in sent)
        {
            writer.Write([value]);
            writer.Flush();
        }
        Assert.Equal([0x90, 60, 100, 0x90, 62, 100, 0xF0, 1, 2, 3, 0xF7, 0x80, 60, 64], Read(reader, 14));
    }

    [Fact]
    public async Task The_thread_that_reads_a_device_asks_for_real_time_and_says_what_it_was_given()
    {
        using var calm = new Junction(_studio, new StudioClock(TimeProvider.System), asksForUrgency: false);
        using var eager = new RawWire(_junction, Pipe("weiche-eager"), _studio.From("keys"), null, TimeProvider.System);
        using var ordinary = new RawWire(calm, Pipe("weiche-calm"), _studio.From("keys"), null, TimeProvider.System);
        await Until(() => eager.Presence.Present && ordinary.Presence.Present);
        Assert.Equal(Urgency.Ordinary, ordinary.Presence.Urgency);
        // What the system says of its threads: the policy is field 41, the nice value field 19 (proc(5)); 1 is first in, first out.
        var threads = Directory
            .GetDirectories("/proc/self/task")
            .Select(task => File.ReadAllText(Path.Combine(task, "stat")))
            .Where(stat => stat.Contains("(Weiche /", StringComparison.Ordinal))
            .Select(stat => stat[(stat.LastIndexOf(')') + 2)..].Split(' '))
            .Select(fields => (Policy: fields[38], Nice: fields[16]))
            .ToList();
        Assert.Contains(("0", "0"), threads);
        Assert.Contains(
            eager.Presence.Urgency switch
            {
                Urgency.RealTime => ("1", "0"),
                Urgency.Raised => ("0", "-11"),
                _ => ("0", "0"),
            },
            threads
        );
    }

    [Fact]
    public async Task A_path_that_never_runs_dry_does_not_take_the_machine()
    {
        using var endless = new RawWire(_junction, "/dev/zero", _studio.From("keys"), null, TimeProvider.System);
        var meter = _junction.Compiled.Meter(_studio.From("keys"))!;
        await Until(() => meter.Bytes > 1 << 20);
        // A pause of a millisecond after each 64 KiB: never faster than 64 MiB a second, whatever the machine.
        var (before, clock) = (meter.Bytes, System.Diagnostics.Stopwatch.StartNew());
        await Task.Delay(300);
        Assert.InRange((meter.Bytes - before) / clock.Elapsed.TotalSeconds, 1, 68 << 20);
        Assert.Equal(0, meter.Messages);
        Assert.True(meter.ThrownBytes >= before);
    }

    [Fact]
    public async Task A_device_that_is_gone_in_the_middle_is_missing_ends_what_it_held_and_comes_back_by_itself()
    {
        var held = _junction.Compiled.Meter(_studio.To("synth"))!;
        using var from = new RawWire(_junction, Pipe("in"), _studio.From("keys"), null, TimeProvider.System);
        await Until(() => from.Presence.Present);
        using (var writer = OpenPipe("in", FileAccess.Write))
        {
            writer.Write([0x90, 60, 100, 0xF0, 1, 2]);
            writer.Flush();
            await Until(() => held.Held == 1);
        }
        await Until(() => held.Held == 0);
        File.Delete(Path.Combine(_folder, "in"));
        Pipe("in");
        await Until(() => from.Presence.Present);
        using var again = OpenPipe("in", FileAccess.Write);
        again.Write([3, 0xF7, 0x90, 62, 100]);
        again.Flush();
        await Until(() => held.Held == 1);
        Assert.Equal(5, _junction.Compiled.Meter(_studio.From("keys"))!.ThrownBytes);
    }

    [Fact]
    public async Task A_key_let_go_while_nobody_reads_ends_as_soon_as_somebody_does()
    {
        using var to = new RawWire(_junction, Pipe("out"), null, _studio.To("synth"), TimeProvider.System);
        using (var reader = OpenPipe("out", FileAccess.Read))
        {
            await Until(() => to.Presence.Present);
            _junction.Receive(_studio.From("keys"), [0x90, 60, 100, 0xB0, 64, 127]);
            Assert.Equal([0x90, 60, 100, 0xB0, 64, 127], Read(reader, 6));
        }
        // At once, before anybody has noticed.
        _junction.Receive(_studio.From("keys"), [0x80, 60, 0, 0xB0, 64, 0]);
        await Until(() => !to.Presence.Present);
        _junction.Receive(_studio.From("keys"), [0x90, 62, 100, 0x80, 62, 0]);
        using var again = OpenPipe("out", FileAccess.Read);
        await Until(() => to.Presence.Present);
        _junction.Receive(_studio.From("keys"), [0x90, 64, 100]);
        Assert.Equal([0x80, 60, 64, 0xB0, 64, 0, 0x90, 64, 100], Read(again, 9));
    }

    [Fact]
    public async Task A_reader_that_stops_reading_holds_nobody_up_and_gets_everything_when_it_goes_on()
    {
        using var to = new RawWire(_junction, Pipe("out"), null, _studio.To("synth"), TimeProvider.System);
        using var reader = OpenPipe("out", FileAccess.Read);
        await Until(() => to.Presence.Present);
        var sent = new List<byte>();
        for (var i = 0; i < 60_000; i++)
        {
            byte[] note = [0x90, (byte)(i % 128), (byte)(1 + i % 127)];
            sent.AddRange(note);
            _junction.Receive(_studio.From("keys"), note);
        }
        Assert.True(_junction.Compiled.Meter(_studio.To("synth"))!.Bytes < sent.Count);
        Assert.Equal(sent, Read(reader, sent.Count));
    }

    [Fact]
    public async Task A_terminal_is_read_and_written_with_its_bytes_left_alone()
    {
        using var terminal = new Terminal();
        using var wire = new RawWire(_junction, terminal.Path, _studio.From("keys"), _studio.To("synth"), TimeProvider.System);
        await Until(() => wire.Presence.Present);
        // 0D, 0A, 03 and 1A would be changed or taken away by a terminal that looks at its bytes.
        terminal.Write([0xB0, 0x0D, 0x0A, 0x03, 0x1A]);
        Assert.Equal([0xB0, 0x0D, 0x0A, 0xB0, 0x03, 0x1A], terminal.Read(6));
        terminal.Dispose();
        await Until(() => !wire.Presence.Present);
        Assert.NotEqual("", wire.Presence.Reason);
    }

    [Theory]
    [InlineData("nowhere", "no such device file")]
    [InlineData("", "a folder")]
    public async Task A_path_that_cannot_be_opened_is_missing_with_the_reason(string name, string reason)
    {
        using var wire = new RawWire(
            _junction,
            Path.Combine(_folder, name),
            _studio.From("keys"),
            _studio.To("synth"),
            TimeProvider.System
        );
        await Until(() => wire.Presence.Reason.Contains(reason, StringComparison.Ordinal));
        Assert.False(wire.Presence.Present);
        _junction.Receive(_studio.From("keys"), [0x90, 60, 100]);
        Assert.Equal(0, _junction.Compiled.Meter(_studio.To("synth"))!.Refused);
    }

    [Fact]
    public async Task The_park_opens_raw_devices_of_the_studio_and_tells_which_are_missing()
    {
        using var park = Park.Of(_junction, TimeProvider.System);
        _studio = _studio.Must(new AddRawDevice("pipe", Pipe("in"), Reads: true, Writes: false));
        var id = _studio.Devices[^1].Id;
        _junction.Swap(_junction.Prepare(_studio));
        park.Match(_studio);
        await Until(() => park.PresenceOf(id) is { Present: true });
        Assert.Equal(0, park.State.Missing);
        Assert.Null(park.PresenceOf(_studio.Devices[0].Id));
        _studio = _studio.Must(new RemoveDevice(id));
        _junction.Swap(_junction.Prepare(_studio));
        park.Match(_studio);
        Assert.Null(park.PresenceOf(id));
    }

    [Fact]
    public void The_systems_listing_names_the_device_files()
    {
        foreach (var name in (string[])["midiC1D0", "midiC1D1", "midiC10D0", "midiC2D0", "controlC1", "midiCxD0"])
            File.WriteAllText(Path.Combine(_folder, name), "");
        var cards = Path.Combine(_folder, "cards");
        File.WriteAllText(
            cards,
            " 0 [PCH            ]: HDA-Intel - Board\n                      at 0xdf\n 1 [Keys           ]: USB-Audio - Keys "
                + "<61>\n10 [X]: USB-Audio - "
                + new string('n', 90)
                + "\nnonsense\n"
        );
        var found = RawListing.Find(new RawPlaces(_folder, cards));
        Assert.Equal(["Keys 61", "Keys 61 2", "MIDI card 2", new string('n', 40)], found.Select(device => device.Name));
        Assert.EndsWith("midiC1D0", found[0].Path, StringComparison.Ordinal);
        Assert.Empty(RawListing.Find(new RawPlaces(Path.Combine(_folder, "nowhere"), cards)));
        Assert.Equal("MIDI card 1", RawListing.Find(new RawPlaces(_folder, Path.Combine(_folder, "nowhere")))[0].Name);
    }

    [Theory]
    [InlineData("dev/snd/midiC1D0", "begins with /")]
    [InlineData("", "begins with /")]
    [InlineData("/dev/\u0000", "control characters")]
    public void A_path_that_cannot_be_is_refused(string path, string reason)
    {
        Assert.Contains(reason, _studio.Refused(new AddRawDevice("raw", path)).Sentence, StringComparison.Ordinal);
        Assert.Contains(
            "at most 200",
            _studio.Refused(new AddRawDevice("raw", "/" + new string('x', 300))).Sentence,
            StringComparison.Ordinal
        );
        Assert.Contains("both", _studio.Refused(new AddRawDevice("raw", "/x", false, false)).Sentence, StringComparison.Ordinal);
        var twice = _studio.Must(new AddRawDevice("raw", "/x"));
        Assert.Contains("is raw already", twice.Refused(new AddRawDevice("other", "/x")).Sentence, StringComparison.Ordinal);
    }

    private string Pipe(string name)
    {
        var path = Path.Combine(_folder, name);
        if (!File.Exists(path))
            Assert.Equal(0, MakePipe(path, 0b110_000_000));
        return path;
    }

    private FileStream OpenPipe(string name, FileAccess access) =>
        new(Path.Combine(_folder, name), FileMode.Open, access, FileShare.ReadWrite, bufferSize: 0);

    private static byte[] Read(Stream stream, int count)
    {
        var bytes = new byte[count];
        stream.ReadExactly(bytes);
        return bytes;
    }

    private static async Task Until(Func<bool> isSo)
    {
        for (var i = 0; i < 1000 && !isSo(); i++)
            await Task.Delay(10);
        Assert.True(isSo());
    }

    [DllImport("libc", EntryPoint = "mkfifo", SetLastError = true)]
    private static extern int MakePipe([MarshalAs(UnmanagedType.LPUTF8Str)] string path, uint mode);

    /// <summary>The near end of a pseudo terminal; its far end has a path like a device.</summary>
    private sealed class Terminal : IDisposable
    {
        private int _descriptor = PosixOpen(2);

        public Terminal()
        {
            Assert.True(_descriptor >= 0 && Grant(_descriptor) == 0 && Unlock(_descriptor) == 0);
            Path = Marshal.PtrToStringUTF8(Name(_descriptor))!;
        }

        public string Path { get; }

        public void Write(byte[] bytes) => Assert.Equal(bytes.Length, WriteAll(_descriptor, bytes, bytes.Length));

        public byte[] Read(int count)
        {
            var all = new List<byte>();
            var buffer = new byte[64];
            while (all.Count < count)
            {
                var got = (int)ReadSome(_descriptor, buffer, buffer.Length);
                Assert.True(got > 0);
                all.AddRange(buffer.AsSpan(0, got));
            }
            return [.. all];
        }

        public void Dispose()
        {
            if (_descriptor >= 0)
                _ = Close(_descriptor);
            _descriptor = -1;
        }

        [DllImport("libc", EntryPoint = "posix_openpt")]
        private static extern int PosixOpen(int flags);

        [DllImport("libc", EntryPoint = "grantpt")]
        private static extern int Grant(int descriptor);

        [DllImport("libc", EntryPoint = "unlockpt")]
        private static extern int Unlock(int descriptor);

        [DllImport("libc", EntryPoint = "ptsname")]
        private static extern nint Name(int descriptor);

        [DllImport("libc", EntryPoint = "write")]
        private static extern nint WriteAll(int descriptor, byte[] bytes, nint count);

        [DllImport("libc", EntryPoint = "read")]
        private static extern nint ReadSome(int descriptor, byte[] bytes, nint count);

        [DllImport("libc", EntryPoint = "close")]
        private static extern int Close(int descriptor);
    }
}
