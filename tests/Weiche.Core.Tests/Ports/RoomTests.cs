using Weiche.Core.Midi;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;
using Weiche.Ports;
using Weiche.Ports.Carrying;
using Weiche.Ports.Raw;
using Weiche.Ports.StandIns;
using Weiche.Ports.Virtual;
using static Weiche.Core.Tests.Rooms;

namespace Weiche.Core.Tests.Ports;

public sealed class RoomTests : IDisposable
{
    private static readonly RawPlaces Nowhere = new("/nowhere");

    private Studio _studio = Rooms.QuietDome();
    private readonly Junction _junction;
    private readonly PortPark _park;
    private readonly StandInDriver _standIns;
    private readonly Scout _scout;

    public RoomTests()
    {
        _junction = new Junction(_studio, new StudioClock(TimeProvider.System));
        _standIns = new StandInDriver(_junction, TimeProvider.System, withRoom: true);
        _park = new PortPark(
            _junction,
            TimeProvider.System,
            new VirtualDriver(_junction),
            new RawDriver(_junction, Nowhere, TimeProvider.System),
            _standIns
        );
        _scout = new Scout(_junction, TimeProvider.System);
        _park.Match(_studio);
    }

    public void Dispose()
    {
        _scout.Dispose();
        _park.Dispose();
        _junction.Dispose();
    }

    private Room Room => _standIns.Room!;

    private StandIn this[string key] => Room.StandIns[key];

    private PortId To(string name) => _studio.Destinations.First(port => port.Name == name).Id;

    private PortId From(string name) => _studio.Sources.First(port => port.Name == name).Id;

    private List<(int Channel, int Key)> Held(string key) => [.. this[key].Listener!.Heard.Held.Select(held => (held.Channel, held.Key))];

    private DeviceId Device(string name) => _studio.Devices.First(device => device.Name == name).Id;

    private void Edit(StudioEdit edit)
    {
        _studio = _studio.Must(edit);
        _junction.Swap(_junction.Prepare(_studio));
        _park.Match(_studio);
    }

    private static async Task Until(Func<bool> isSo)
    {
        // Once is enough: what comes and goes may have gone again a moment later.
        for (var i = 0; i < 1000; i++)
        {
            if (isSo())
                return;
            await Task.Delay(5);
        }
        Assert.Fail("It never came to be.");
    }

    [Fact]
    public void Stand_ins_are_named_by_the_beginning_of_their_name_and_brought_in_one_by_one()
    {
        Assert.Equal("amsel-61", Weiche.Ports.StandIns.Room.Named("ams"));
        Assert.Null(Weiche.Ports.StandIns.Room.Named("nobody"));
        Assert.Null(Weiche.Ports.StandIns.Room.Named(" "));
        Assert.All(Weiche.Ports.StandIns.Room.Names, name => Assert.NotNull(Weiche.Ports.StandIns.Room.Named(name)));
        var room = _standIns.Room!;
        var all = room.Units.Count;
        room.PlugOnly([Weiche.Ports.StandIns.Room.Named("Amsel 61")!]);
        Assert.Equal("amsel-61", Assert.Single(room.Units).Key);
        room.Plug(Weiche.Ports.StandIns.Room.Named("Kies")!, "hub 2");
        Assert.Equal(2, room.Units.Count);
        Assert.True(all > 2);
    }

    [Fact]
    public async Task Bytes_run_through_the_interface_and_the_thru_to_where_they_sound()
    {
        this["kies"].Player!.Press("me", 40, 100);
        await Until(() => Held("paukenkiste") is [(10, 40)] && Held("himmel") is [(16, 40)]);
        Assert.Empty(Held("zinn"));
        this["amsel-61"].Player!.Press("me", 40, 100);
        this["tritt-13"].Player!.Press("me", 38, 100);
        await Until(() => Held("zinn") is [(5, 28), (5, 38)]);
        this["kies"].Player!.Release("me", 40);
        this["amsel-61"].Player!.Release("me", 40);
        this["tritt-13"].Player!.Release("me", 38);
        await Until(() => Held("paukenkiste").Count == 0 && Held("zinn").Count == 0);
    }

    [Fact]
    public async Task Each_finger_of_the_surface_has_a_channel_of_its_own_all_the_way()
    {
        var surface = this["faecher"].Player!;
        for (var finger = 0; finger < 20; finger++)
            surface.Touch("me", finger, 50 + finger, 90, 64);
        await Until(() => Held("wolke").Count == 15);
        Assert.Equal(15, Held("wolke").Select(held => held.Channel).Distinct().Count());
        surface.Touch("me", 3, 53.5, 90, 64);
        surface.LetGo("me");
        await Until(() => Held("wolke").Count == 0);
    }

    [Fact]
    public async Task A_device_is_itself_wherever_it_is_plugged_in_and_waits_while_it_is_gone()
    {
        Room.Plug("amsel-61", "hub 5");
        Assert.True(_park.PresenceOf(Device("Amsel 61"))!.Present);
        Assert.Equal("hub 5", _park.State.Call.Present[Device("Amsel 61")].Place);
        this["amsel-61"].Player!.Press("me", 60, 100);
        await Until(() => Held("brandung") is [(3, 60)]);

        // What it held ends when it is pulled out; its routes wait.
        Room.Plug("amsel-61", null);
        await Until(() => Held("brandung").Count == 0);
        Assert.False(_park.PresenceOf(Device("Amsel 61"))!.Present);
        Assert.Equal(1, _park.State.Missing);
        this["amsel-61"].Player!.Release("me", 60);
        Room.Plug("amsel-61", "hub 1");
        this["amsel-61"].Player!.Press("me", 62, 100);
        await Until(() => Held("brandung") is [(3, 62)]);
    }

    [Fact]
    public void What_is_pinned_to_a_socket_is_missing_elsewhere_and_new_there()
    {
        Room.Plug("kies", "hub 5");
        Assert.False(_park.PresenceOf(Device("Kies"))!.Present);
        Assert.Equal("kies", Assert.Single(_park.State.Call.New).Key);
        Edit(new SetKnown(Device("Kies"), new KnownAs("USB pads", "", "hub 5", Pinned: true)));
        Assert.True(_park.PresenceOf(Device("Kies"))!.Present);
        Assert.Empty(_park.State.Call.New);
    }

    [Fact]
    public void Swapped_sockets_swap_nothing_that_has_a_serial_number()
    {
        Room.Plug("amsel-61", "hub 3");
        Assert.Equal("hub 1", Room.Units.First(unit => unit.Key == "faecher").Place);
        Assert.All((string[])["Amsel 61", "Fächer"], name => Assert.True(_park.PresenceOf(Device(name))!.Present));
        Room.Plug("amsel-61", "no such place");
        Room.Plug("nobody", "hub 1");
        Assert.Equal("hub 3", Room.Units.First(unit => unit.Key == "amsel-61").Place);
    }

    [Fact]
    public async Task What_has_no_name_yet_is_heard_all_the_same()
    {
        Edit(new RemoveDevice(Device("Amsel 61"), true));
        var heard = new List<SpokeUp>();
        Room.Spoke += heard.Add;
        this["amsel-61"].Player!.Press("me", 60, 100);
        var spoke = Assert.Single(heard);
        Assert.Equal(("amsel-61", 0x90), (spoke.Unit, spoke.Bytes[0]));
        Edit(new AddDevice("Amsel, keyboard controller", _park.State.Call.New.Single()));
        this["amsel-61"].Player!.Release("me", 60);
        await Until(() => _junction.Compiled.Meter(From("Amsel"))!.Messages == 1);
    }

    [Fact]
    public async Task A_key_let_go_while_the_interface_is_pulled_out_ends_when_it_is_plugged_in_again()
    {
        this["amsel-61"].Player!.Press("me", 60, 100);
        await Until(() => Held("brandung") is [(3, 60)]);
        var interfaces = StandInUnits.All.Where(unit => unit.Key is not "amsel-61").Select(unit => (unit.Key, unit.Place)).ToList();
        foreach (var (key, _) in interfaces)
            Room.Plug(key, null);
        this["amsel-61"].Player!.Release("me", 60);
        await Until(() => _junction.Compiled.Meter(From("Amsel 61"))!.Held == 0);
        Assert.Equal([(3, 60)], Held("brandung"));
        foreach (var (key, place) in interfaces)
            Room.Plug(key, place);
        await Until(() => Held("brandung").Count == 0);
    }

    [Fact]
    public async Task What_a_devices_own_stand_in_holds_ends_when_another_takes_its_place()
    {
        var amsel = _studio.FindDevice(Device("Amsel 61"))!;
        _studio = _studio with { Devices = _studio.Devices.Replace(amsel, amsel with { StandIn = "amsel-61", Known = null }) };
        _junction.Swap(_junction.Prepare(_studio));
        _park.Match(_studio);
        Assert.NotSame(this["amsel-61"], _standIns.All["amsel-61"]);
        _standIns.All["amsel-61"].Player!.Press("me", 60, 100);
        await Until(() => Held("brandung") is [(3, 60)]);
        Edit(new SetKnown(amsel.Id, amsel.Known));
        Assert.Same(this["amsel-61"], _standIns.All["amsel-61"]);
        await Until(() => Held("brandung").Count == 0);
    }

    [Fact]
    public async Task Who_is_there_is_answered_by_all_that_can_answer()
    {
        var inquiry = await _scout.AskAsync([To("Brandung"), To("Zinn"), To("Wolke"), To("Himmel")]);
        Assert.Equal(
            [(To("Brandung"), From("Brandung"), 1), (To("Wolke"), From("Wolke"), 6)],
            inquiry.Replies.Select(reply => (reply.Asked, reply.From, reply.Identity.Member))
        );
        Assert.Equal(0, inquiry.Unreadable);
    }

    [Fact]
    public async Task Sounding_finds_the_echo_that_the_plan_does_not_know_and_never_runs_in_circles()
    {
        Assert.Empty((await _scout.SoundAsync([To("Brandung"), To("Bandhaus")])).Ways);
        this["brandung"].Switch("sequencer page", true);
        this["bandhaus"].Switch("track 4", true);
        var soundings = await _scout.SoundAsync([To("Brandung"), To("Bandhaus")]);
        Assert.Equal(
            [(To("Brandung"), From("Brandung")), (To("Bandhaus"), From("Bandhaus B"))],
            soundings.Ways.Select(way => (way.To, way.From))
        );
        Assert.Equal(2, Proposals.Of(_studio, soundings.Ways).Count(proposal => proposal.Remedy is not null));
        // Though Bandhaus hears all and Brandung hears Bandhaus, nothing of it goes round.
        // What shows that somebody is there (active sensing) comes back all the time; that is not ours.
        var meter = _junction.Compiled.Meter(From("Brandung"))!;
        var before = meter.Messages - meter.Background;
        await Task.Delay(50);
        Assert.Equal(before, meter.Messages - meter.Background);
    }

    [Fact]
    public async Task A_test_note_sounds_and_ends()
    {
        var playing = _scout.PlayAsync(To("Zinn"), Ch(5), 60);
        await Until(() => Held("zinn") is [(5, 60)]);
        await playing;
        await Until(() => Held("zinn").Count == 0);
    }

    [Fact]
    public async Task Styles_play_and_what_they_hold_ends_with_them()
    {
        foreach (var style in Enum.GetValues<Style>())
        {
            this["amsel-61"].Styles!.Play(style, true);
            var before = _junction.Compiled.Meter(From("Amsel 61"))!.Messages;
            await Until(() =>
                _junction.Compiled.Meter(From("Amsel 61"))!.Messages > before - 1 && this["amsel-61"].Styles!.IsPlaying(style)
            );
            await Task.Delay(30);
            this["amsel-61"].Styles!.Play(style, false);
        }
        await Until(() => Held("brandung").Count == 0 && Held("himmel").Count == 0);
    }

    [Fact]
    public async Task Local_control_off_leaves_the_keys_silent_and_the_clock_runs_when_it_is_started()
    {
        this["brandung"].Player!.Press("me", 50, 100);
        Assert.Contains((3, 50), Held("brandung"));
        this["brandung"].Player!.Release("me", 50);
        _junction.Send(To("Brandung"), [0xB2, 122, 0]);
        await Until(() => !this["brandung"].IsLocal);
        this["brandung"].Player!.Press("me", 50, 100);
        Assert.Empty(Held("brandung"));
        this["brandung"].Player!.LetGo("me");
        this["uhrwerk"].Switch("running", true);
        await Until(() => _junction.Compiled.Meter(From("Uhrwerk"))!.Background > 3);
    }
}

/// <summary>A room that answers late, twice, wrongly or far too much.</summary>
public sealed class ScoutTests : IDisposable
{
    private readonly Studio _studio = Of("a", "b").Lay("a", "b");
    private readonly Junction _junction;
    private readonly Scout _scout;

    public ScoutTests()
    {
        _junction = new Junction(_studio, new StudioClock(TimeProvider.System));
        _scout = new Scout(_junction, TimeProvider.System);
    }

    public void Dispose()
    {
        _scout.Dispose();
        _junction.Dispose();
    }

    private sealed class Answering(Action answer) : IByteSink
    {
        public int Send(ReadOnlySpan<byte> bytes)
        {
            if (bytes.IndexOf(DeviceIdentity.Request) >= 0)
                ThreadPool.QueueUserWorkItem(_ => answer());
            return bytes.Length;
        }
    }

    [Fact]
    public async Task An_answer_that_comes_twice_counts_once_and_one_that_is_malformed_is_counted_and_changes_nothing()
    {
        var reply = new DeviceIdentity(0x7D, 1, 2, 3).ToReply();
        _junction.Connect(
            _studio.To("b"),
            new Answering(() =>
            {
                _junction.Receive(_studio.From("b"), reply);
                _junction.Receive(_studio.From("b"), reply);
                _junction.Receive(_studio.From("a"), [.. reply[..8], 0xF7]);
                _junction.Receive(_studio.From("a"), [0xF0, 0x7E, 0, 6, 2, .. Enumerable.Repeat((byte)1, 10_000_000), 0xF7]);
            })
        );
        var inquiry = await _scout.AskAsync([_studio.To("b")]);
        Assert.Equal(_studio.From("b"), Assert.Single(inquiry.Replies).From);
        Assert.Equal(1, inquiry.Unreadable);
    }

    [Fact]
    public async Task An_answer_nobody_waits_for_any_more_is_an_ordinary_message()
    {
        Assert.Empty((await _scout.AskAsync([_studio.To("b")])).Replies);
        _junction.Receive(_studio.From("a"), new DeviceIdentity(0x7D, 1, 2, 3).ToReply());
        Assert.Equal(1, _junction.Compiled.Meter(_studio.Routes[0].Id)!.Passed);
        Assert.Empty(_scout.LastInquiry!.Replies);
    }

    [Fact]
    public void Whatever_begins_like_a_sounding_goes_no_further()
    {
        _junction.Receive(_studio.From("a"), [0xF0, 0x7D, (byte)'W', (byte)'S', 1, 2, 3, 4, 5, 6, 7, 8, 0xF7]);
        Assert.Equal(0, _junction.Compiled.Meter(_studio.Routes[0].Id)!.Passed);
        _junction.Receive(_studio.From("a"), [0xF0, 0x7D, (byte)'W', 1, 0xF7]);
        Assert.Equal(1, _junction.Compiled.Meter(_studio.Routes[0].Id)!.Passed);
    }

    [Fact]
    public void Nothing_of_one_studio_is_taken_for_something_of_another()
    {
        var sink = new List<byte>();
        _junction.Connect(_studio.To("b"), new Collecting(sink));
        _junction.Receive(_studio.From("a"), [0x90, 60, 100]);
        var version = _junction.Compiled.Version;
        _junction.Replace(Of("x", "y", "z").Lay("x", "z"));
        Assert.Equal(0x80, sink[3] & 0xF0);
        Assert.Equal(0, _junction.Compiled.Meter(_junction.Compiled.Studio.From("x"))!.Messages);
        Assert.True(_junction.Compiled.Version > version);
        _junction.Receive(_junction.Compiled.Studio.From("x"), [0x90, 60, 100]);
        Assert.Equal(1, _junction.Compiled.Meter(_junction.Compiled.Studio.To("z"))!.Held);
    }

    private sealed class Collecting(List<byte> bytes) : IByteSink
    {
        public int Send(ReadOnlySpan<byte> sent)
        {
            bytes.AddRange(sent);
            return sent.Length;
        }
    }
}
