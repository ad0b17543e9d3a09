using System.Diagnostics;
using Weiche.Core.Checks;
using Weiche.Core.Midi;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;
using Weiche.Ports;
using Weiche.Ports.Carrying;
using Weiche.Ports.Outside;
using Weiche.Ports.Virtual;

namespace Weiche.Core.Tests.Ports;

/// <summary>Programs by other hands, by a sound server.</summary>
public sealed class OutsideTests : IAsyncLifetime
{
    private const string To = "Weiche:to stars";
    private const string From = "Weiche:from stars";

    private readonly SoundServer _server = new();
    private readonly Junction _junction;
    private readonly OutsideDriver _driver;
    private readonly PortPark _park;
    private Studio _studio = Rooms.Of("stars");

    public OutsideTests()
    {
        _junction = new Junction(_studio, new StudioClock(TimeProvider.System));
        _driver = new OutsideDriver(_junction, OutsideSystem.SoundServer with { Server = SoundServer.Name });
        _park = new PortPark(_junction, TimeProvider.System, new VirtualDriver(_junction, _driver), _driver);
        _park.Match(_studio);
    }

    public async ValueTask InitializeAsync()
    {
        await _server.Start();
        await Shown(To, From);
    }

    public ValueTask DisposeAsync()
    {
        _park.Dispose();
        _junction.Dispose();
        _server.Dispose();
        return ValueTask.CompletedTask;
    }

    [Fact]
    public async Task A_virtual_port_is_seen_by_other_programs_as_long_as_it_is_meant_to_be()
    {
        Edit(new RenameDevice(_studio.Devices[0].Id, "keys to stars"));
        await Shown("Weiche:to keys to stars", "Weiche:from keys to stars");
        Edit(new AddVirtualPort("inside"));
        await Shown("Weiche:to inside", "Weiche:to keys to stars");
        Edit(new KeepInside(_studio.Devices[1].Id, true));
        await Until(async () => !(await _server.Ports()).Contains("Weiche:to inside"));
        Edit(new KeepInside(_studio.Devices[1].Id, false));
        await Shown("Weiche:to inside");
        Edit(new RemoveDevice(_studio.Devices[1].Id));
        await Until(async () => !(await _server.Ports()).Any(port => port.EndsWith(" inside", StringComparison.Ordinal)));
        await Shown("Weiche:to keys to stars");
    }

    [Fact]
    public async Task What_a_program_sends_to_a_virtual_port_comes_out_of_it_to_the_frame_and_through_its_routes()
    {
        Edit(new AddVirtualPort("far"));
        Edit(new LayRoute(Source("stars"), Destination("far")));
        await Shown("Weiche:from far");
        _server.Plays("Player");
        var (near, far) = (_server.Listens(), _server.Listens());
        await Shown("Player:out", "midi-monitor:input", "midi-monitor-01:input");
        await _server.Connect(From, "midi-monitor:input");
        await _server.Connect("Weiche:from far", "midi-monitor-01:input");
        await _server.Connect("Player:out", To);
        await Until(() => near.Messages.Count >= 8 && far.Messages.Count >= 8);
        foreach (var heard in new[] { near, far })
            Assert.Empty(heard.Messages.Distinct().Except(["90 3c 40", "80 3c 40", "90 3f 40", "80 3f 40"]));
        // Each note stands 96, 64 or 32 frames into its cycle, or at its beginning. On a busy machine a cycle may come late; by chance
        // hardly ever five of eight stand so.
        await Until(() =>
            near.Lines.TakeLast(8).Count(line => int.Parse(line.Split(':')[0], System.Globalization.CultureInfo.InvariantCulture) % 32 == 0)
            >= 5
        );
        Assert.True(_junction.Compiled.Meter(Destination("far"))!.ByteCount > 0);
    }

    [Fact]
    public async Task What_a_route_sends_is_heard_by_a_program_and_what_was_held_ends_when_who_held_it_has_gone()
    {
        Edit(new AddVirtualPort("keys"));
        Edit(new LayRoute(Source("keys"), Destination("stars")));
        await Shown("Weiche:to keys");
        var heard = _server.Listens();
        await Shown("midi-monitor:input");
        await _server.Connect(From, "midi-monitor:input");
        var player = _server.Plays("Player");
        await Shown("Player:out");
        await _server.Connect("Player:out", "Weiche:to keys");
        await Until(() => heard.Messages.Count(message => message.StartsWith("90", StringComparison.Ordinal)) >= 3 && Held(heard));
        player.Kill();
        await Until(() => !Held(heard));

        // One note at a time is played.
        static bool Held(SoundServer.Dump dump) => dump.Messages is [.., ['9', ..]];
    }

    [Fact]
    public async Task A_program_that_comes_is_new_becomes_a_device_with_one_edit_and_is_itself_again_when_it_comes_back()
    {
        var player = _server.Plays("Klick");
        await Until(() => _park.State.Call.New.Any(unit => unit.Says == "Klick"));
        var unit = _park.State.Call.New.First(each => each.Says == "Klick");
        Assert.Equal((PortDirection.Source, "out", WireKind.Virtual), (unit.Ports[0].Direction, unit.Ports[0].Part, unit.Ports[0].Wire));
        Edit(new AddDevice("Klick, application", unit));
        Edit(new LayRoute(Source("Klick"), Destination("stars")));
        var heard = _server.Listens();
        await Shown("midi-monitor:input");
        await _server.Connect(From, "midi-monitor:input");
        await Until(() => heard.Messages.Count > 4);
        player.Kill();
        await Until(() => _park.PresenceOf(_studio.Devices[^1].Id) is { Present: false });
        await Until(async () => !(await _server.Ports()).Any(port => port.StartsWith("Weiche:hears", StringComparison.Ordinal)));
        _server.Plays("Klick");
        await Until(() => _park.PresenceOf(_studio.Devices[^1].Id) is { Present: true });
        var before = heard.Messages.Count;
        await Until(() => heard.Messages.Count > before + 4);
    }

    [Fact]
    public async Task A_server_that_is_killed_and_started_again_has_all_as_before_without_a_hand()
    {
        for (var round = 0; round < 2; round++)
        {
            _server.Kill();
            await Until(() => !_driver.State.IsHere);
            Assert.Equal("No sound server runs. " + OutsideSystem.SoundServer.Away, _driver.State.Sentence);
            await _server.Start();
            await Shown(To, From);
            await Until(() => _driver.State.IsHere);
        }
    }

    [Fact]
    public async Task What_sounds_when_a_server_is_killed_ends_within_and_programs_that_come_and_go_by_the_dozen_leave_nothing()
    {
        Edit(new AddVirtualPort("keys"));
        Edit(new LayRoute(Source("keys"), Destination("stars")));
        await Shown("Weiche:to keys");
        for (var round = 0; round < 2; round++)
        {
            _server.Plays("Player");
            await Shown("Player:out");
            await _server.Connect("Player:out", "Weiche:to keys");
            await Until(() => _junction.Compiled.Meter(Destination("stars"))!.Held == 1);
            _server.Kill();
            await Until(() => _junction.Compiled.Meter(Destination("stars"))!.Held == 0);
            await _server.Start();
            await Shown("Weiche:to keys", From);
        }
        var programs = Enumerable.Range(0, 20).Select(number => _server.Plays($"P{number}")).ToList();
        await Until(() => _park.State.Call.New.Count(unit => unit.Says.StartsWith('P')) == 20);
        foreach (var program in programs)
            program.Kill();
        await Until(() => _park.State.Call.New.IsEmpty);
        await Shown(To, From, "Weiche:to keys");
        Assert.Equal(0, _driver.State.Lost);
    }

    [Fact]
    public async Task A_large_system_exclusive_goes_through_the_server_whole()
    {
        Edit(new AddVirtualPort("far"));
        await Shown("Weiche:to far");
        await _server.Connect(From, "Weiche:to far");
        await Until(() => !_park.State.Outside.IsEmpty);
        _junction.Send(Destination("stars"), [0xF0, 0x7D, .. Enumerable.Repeat((byte)5, 100_000), 0xF7, 0x90, 60, 90]);
        await Until(() => _junction.Compiled.Meter(Source("far"))!.CountOf(MessageKind.Note) == 1);
        Assert.Equal(
            (1, 0),
            (
                _junction.Compiled.Meter(Source("far"))!.CountOf(MessageKind.SystemExclusive),
                _junction.Compiled.Meter(Source("far"))!.ThrownBytes
            )
        );
        Assert.Equal(100_003 + 3, _junction.Compiled.Meter(Source("far"))!.Bytes);
        Assert.Equal(0, _driver.State.Lost);
    }

    [Fact]
    public async Task What_somebody_parts_stays_parted()
    {
        _server.Listens();
        await Until(() => _park.State.Call.New.Any(unit => unit.Says == "midi-monitor"));
        Edit(new AddDevice("ear, application", _park.State.Call.New.First(unit => unit.Says == "midi-monitor")));
        await Until(async () => (await _server.Connected("midi-monitor:input")).Contains("Weiche:plays", StringComparison.Ordinal));
        await _server.Disconnect("Weiche:plays midi-monitor input", "midi-monitor:input");
        await Until(() => _driver.State.Map.Cables.IsEmpty);
        // Something else comes: what was parted by hand is left alone.
        Edit(new AddVirtualPort("more"));
        await Shown("Weiche:to more");
        Assert.DoesNotContain("Weiche:plays", await _server.Connected("midi-monitor:input"), StringComparison.Ordinal);
    }

    [Fact]
    public async Task A_bridge_that_breaks_is_built_again()
    {
        var broken = _driver.BridgeId!.Value;
        Process.GetProcessById(broken).Kill();
        await Until(() => _driver.BridgeId is { } id && id != broken && _driver.State.IsHere);
        await Shown(To, From);
    }

    [Fact]
    public async Task What_another_program_connects_is_seen_and_can_be_taken_off()
    {
        Edit(new AddVirtualPort("far"));
        await Shown("Weiche:to far");
        await _server.Connect(From, "Weiche:to far");
        var cable = new OutsideCable(Source("stars"), Destination("far"));
        await Until(() => _park.State.Outside.SequenceEqual([cable]));
        _park.Part(cable);
        await Until(() => _park.State.Outside.IsEmpty);
        Assert.DoesNotContain(From, await _server.Connected("Weiche:to far"));
    }

    [Fact]
    public async Task A_circle_from_where_one_program_is_played_to_where_another_is_heard_is_found_and_taken_off()
    {
        _server.Plays("Klick");
        _server.Listens();
        foreach (var name in new[] { "Klick", "midi-monitor" })
        {
            await Until(() => _park.State.Call.New.Any(unit => unit.Says == name));
            Edit(new AddDevice($"{name}, application", _park.State.Call.New.First(unit => unit.Says == name)));
        }
        Edit(new LayRoute(Source("Klick"), Destination("midi-monitor")));
        var (played, heard) = ("Weiche:plays midi-monitor input", "Weiche:hears Klick out");
        await Shown(played, heard);
        await Until(async () => (await _server.Connected(heard)).Contains("Klick:out", StringComparison.Ordinal));
        // What Weiche has joined itself is not what others connect.
        Assert.Empty(_park.State.Outside);
        var cable = new OutsideCable(Destination("midi-monitor"), Source("Klick"));
        await _server.Connect(played, heard);
        await Until(() => _park.State.Outside.SequenceEqual([cable]));
        var circuit = Assert.Single(Checker.Check(_studio.WithOutside(_park.State.Outside)).OpenCircuits);
        Assert.Equal([cable], circuit.Outside);
        _park.Part(cable);
        await Until(() => _park.State.Outside.IsEmpty);
        Assert.Contains("Klick:out", await _server.Connected(heard), StringComparison.Ordinal);
    }

    [Fact]
    public async Task Names_with_any_letters_and_twice_the_same_are_told_apart()
    {
        Edit(new AddVirtualPort("Größe: 50 % Süß"));
        await Shown("Weiche:to Größe 50 % Süß");
        _server.Plays("Äh % x");
        _server.Plays("Äh % x");
        await Until(() => _park.State.Call.New.Count(unit => unit.Says.StartsWith("Äh % x", StringComparison.Ordinal)) == 2);
        foreach (var unit in _park.State.Call.New.Where(unit => unit.Says.StartsWith("Äh", StringComparison.Ordinal)).ToList())
            Edit(new AddDevice($"{unit.Says}, application", unit));
        await Until(async () => (await _server.Connected("Äh % x:out")).Contains("Weiche:hears Äh % x out", StringComparison.Ordinal));
    }

    private Task Shown(params string[] ports) => Until(async () => !ports.Except(await _server.Ports()).Any());

    private PortId Source(string name) => _studio.From(name);

    private PortId Destination(string name) => _studio.To(name);

    private void Edit(StudioEdit edit)
    {
        _studio = _studio.Must(edit);
        _junction.Swap(_junction.Prepare(_studio));
        _park.Match(_studio);
    }

    private static Task Until(Func<bool> isSo) => Until(() => Task.FromResult(isSo()));

    private static async Task Until(Func<Task<bool>> isSo)
    {
        for (var i = 0; i < 600; i++)
        {
            if (await isSo())
                return;
            await Task.Delay(25);
        }
        Assert.Fail("It never came to be.");
    }
}
