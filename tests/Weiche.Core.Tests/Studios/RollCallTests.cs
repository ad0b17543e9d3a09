using CsCheck;
using Weiche.Core.Midi;
using Weiche.Core.Sets;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;

namespace Weiche.Core.Tests.Studios;

public class RollCallTests
{
    private static Device Known(int id, KnownAs known) =>
        new(new DeviceId(id), "d" + id, DeviceKind.KeyboardController, ChannelSet.All, ChannelSet.None, false, null, []) { Known = known };

    private static Unit Unit(string key, string says, string serial, string place, DeviceIdentity? identity = null) =>
        new(key, says, serial, place, [], identity);

    [Fact]
    public void A_device_is_told_by_serial_wherever_it_is()
    {
        var call = RollCall.Call(
            [Known(1, new KnownAs("Amsel", "7", "hub 1")), Known(2, new KnownAs("Amsel", "8", "hub 2"))],
            [Unit("a", "Amsel", "8", "hub 1"), Unit("b", "Amsel", "7", "hub 2")]
        );
        Assert.Equal(("b", "a"), (call.Present[new DeviceId(1)].Key, call.Present[new DeviceId(2)].Key));
        Assert.Empty(call.New);
    }

    [Fact]
    public void Another_serial_is_another_device_even_in_the_same_place()
    {
        var call = RollCall.Call([Known(1, new KnownAs("Amsel", "7", "hub 1"))], [Unit("a", "Amsel", "9", "hub 1")]);
        Assert.Empty(call.Present);
        Assert.Equal("a", Assert.Single(call.New).Key);
    }

    [Fact]
    public void What_is_pinned_is_whatever_is_plugged_in_there()
    {
        var call = RollCall.Call(
            [Known(1, new KnownAs("pads", "", "hub 2", Pinned: true))],
            [Unit("a", "pads", "", "hub 3"), Unit("b", "other", "", "hub 2")]
        );
        Assert.Equal("b", call.Present[new DeviceId(1)].Key);
        Assert.Equal("a", Assert.Single(call.New).Key);
    }

    [Fact]
    public void The_only_one_of_its_name_is_known_elsewhere_but_two_are_asked_about()
    {
        Assert.Equal(
            "hub 5",
            RollCall.Call([Known(1, new KnownAs("Halm", "", "hub 1"))], [Unit("a", "Halm", "", "hub 5")]).Present[new DeviceId(1)].Place
        );
        var call = RollCall.Call(
            [Known(1, new KnownAs("pads", "", "hub 1")), Known(2, new KnownAs("pads", "", "hub 2"))],
            [Unit("a", "pads", "", "hub 3"), Unit("b", "pads", "", "hub 4")]
        );
        Assert.Empty(call.Present);
        var unclear = Assert.Single(call.Unclear);
        Assert.Equal((2, 2), (unclear.Devices.Count, unclear.Units.Count));
    }

    [Fact]
    public void An_identity_reply_comes_first()
    {
        var identity = new DeviceIdentity(0x7D, 1, 2, 3);
        var call = RollCall.Call(
            [Known(1, new KnownAs("Zinn", "", "hub 1", false, identity)), Known(2, new KnownAs("Zinn", "", "hub 2"))],
            [Unit("a", "Zinn", "", "hub 1"), Unit("b", "Zinn", "", "hub 4", identity)]
        );
        Assert.Equal("b", call.Present[new DeviceId(1)].Key);
    }

    [Fact]
    public void Shuffled_sockets_never_make_one_device_of_two_or_two_of_one()
    {
        var says = new[] { "A", "B" };
        var serials = new[] { "", "1", "2" };
        Gen.Select(
                Gen.Select(Gen.Int[0, 1], Gen.Int[0, 2], Gen.Int[0, 4], Gen.Bool).Array[0, 6],
                Gen.Select(Gen.Int[0, 1], Gen.Int[0, 2]).Array[0, 5]
            )
            .Sample(
                (known, plugged) =>
                {
                    var devices = known
                        .Select(
                            (item, i) => Known(i + 1, new KnownAs(says[item.Item1], serials[item.Item2], $"hub {item.Item3}", item.Item4))
                        )
                        .ToList();
                    var units = plugged
                        .Select((item, place) => Unit($"u{place}", says[item.Item1], serials[item.Item2], $"hub {place}"))
                        .ToList();
                    var call = RollCall.Call(devices, units);
                    var again = RollCall.Call(Enumerable.Reverse(devices), Enumerable.Reverse(units));
                    var all = call
                        .Present.Values.Concat(call.New)
                        .Concat(call.Unclear.SelectMany(each => each.Units))
                        .Select(unit => unit.Key)
                        .ToList();
                    return all.Count == units.Count
                        && all.Distinct().Count() == units.Count
                        // The order in which they are called tells nothing.
                        && call.Present.Select(pair => (pair.Key.Value, pair.Value.Key))
                            .Order()
                            .SequenceEqual(again.Present.Select(pair => (pair.Key.Value, pair.Value.Key)).Order())
                        // Serial numbers that differ are never taken for each other, but where a place is pinned.
                        && call.Present.All(pair =>
                        {
                            var mine = devices.First(device => device.Id == pair.Key).Known!;
                            return mine.Pinned && mine.Place == pair.Value.Place
                                || mine.Says == pair.Value.Says
                                    && (mine.Serial.Length == 0 || pair.Value.Serial.Length == 0 || mine.Serial == pair.Value.Serial);
                        });
                },
                iter: 10_000
            );
    }

    [Fact]
    public void Identity_replies_are_read_in_both_forms_and_nothing_else_is()
    {
        foreach (var identity in (DeviceIdentity[])[new(0x41, 300, 2, 0x01020304), new(0x10000 | 0x20 << 8 | 0x33, 16383, 0, 0x7F7F7F7F)])
        {
            Assert.True(DeviceIdentity.TryRead(identity.ToReply().AsSpan()[1..^1], out var read));
            Assert.Equal(identity, read);
        }
        Assert.Equal("00 20 33", new DeviceIdentity(0x10000 | 0x20 << 8 | 0x33, 1, 1, 1).MakerText);
        var reply = new DeviceIdentity(0x7D, 1, 2, 3).ToReply()[1..^1];
        Gen.Select(Gen.Int[0, reply.Length], Gen.Byte.Array[0, 20])
            .Sample(
                (keep, tail) =>
                {
                    byte[] bytes = [.. reply[..keep], .. tail];
                    return !DeviceIdentity.TryRead(bytes, out var read) || read.ToReply(bytes[1]).AsSpan()[1..^1].SequenceEqual(bytes);
                },
                iter: 5_000
            );
        Assert.True(DeviceIdentity.IsRequest(DeviceIdentity.Request[1..^1]));
    }

    [Fact]
    public void Who_did_not_answer_is_named_and_who_answers_elsewhere_is_plugged_in_there()
    {
        var dome = Rooms.QuietDome();
        PortId To(string name) => dome.Destinations.First(port => port.Name == name).Id;
        PortId From(string name) => dome.Sources.First(port => port.Name == name).Id;
        Device Device(string name) => dome.Devices.First(device => device.Name == name);
        var (brandung, zinn) = (new DeviceIdentity(0x7D, 1, 1, 0), new DeviceIdentity(0x7D, 1, 2, 0));
        dome = dome.Must(new SetKnown(Device("Brandung").Id, new KnownAs("", "", "") { Identity = brandung }));
        // It did before, and says nothing now; others never did.
        var silent = Proposals.Silent(dome, [To("Brandung"), To("Zinn"), To("Kies")], [new IdentityReply(To("Zinn"), From("Kies"), zinn)]);
        Assert.StartsWith("Brandung did not answer, and it did before", silent[0].Sentence, StringComparison.Ordinal);
        Assert.StartsWith("No answer from Kies:", silent[1].Sentence, StringComparison.Ordinal);
        Assert.Equal(2, silent.Count);
        // Brandung and Zinn have changed places at the interface: what is asked as Zinn is Brandung.
        var moved = Assert.Single(Proposals.Of(dome, [new IdentityReply(To("Zinn"), From("Brandung"), brandung)]));
        Assert.Equal("Brandung answers at Weiher 4×4 OUT 2, where the studio says that Zinn is.", moved.Sentence);
        var after = dome.Must(moved.Remedy!.Edit);
        Assert.Equal("Brandung", after.FindPort(To("Zinn"))!.Value.Device.Name);
        Assert.Equal("Brandung", after.FindPort(From("Brandung"))!.Value.Device.Name);
        Assert.Null(StudioRules.Broken(after));
        // Whoever answers elsewhere has not fallen silent.
        Assert.DoesNotContain(
            Proposals.Silent(dome, [To("Brandung")], [new IdentityReply(To("Zinn"), From("Brandung"), brandung)]),
            proposal => proposal.Sentence.Contains("did before", StringComparison.Ordinal)
        );
    }

    [Fact]
    public void What_the_room_answers_becomes_proposals()
    {
        var dome = Rooms.QuietDome();
        PortId To(string name) => dome.Destinations.First(port => port.Name == name).Id;
        PortId From(string name) => dome.Sources.First(port => port.Name == name).Id;
        var identity = new DeviceIdentity(0x7D, 1, 1, 0);
        Assert.IsType<SetKnown>(
            Assert.Single(Proposals.Of(dome, [new IdentityReply(To("Brandung"), From("Brandung"), identity)])).Remedy!.Edit
        );

        // Brandung answers on a jack that nothing is said to be plugged into.
        var unplugged = dome.Must(new UnplugCable(dome.FindPort(From("Brandung"))!.Value.Port.Jack!.Value));
        var in3 = unplugged.Sources.First(port => port.Port.Part == "IN 3").Id;
        var plug = Assert.Single(Proposals.Of(unplugged, [new IdentityReply(To("Brandung"), in3, identity)]));
        Assert.Contains("answers on Weiher 4×4 IN 3", plug.Sentence, StringComparison.Ordinal);
        Assert.Equal(dome.Cables.Length, unplugged.Must(plug.Remedy!.Edit).Cables.Length);

        // What comes back, and the plan knows a closed way: it is proposed to say that it is open. Then they agree.
        var back = new WayBack(To("Brandung"), From("Brandung"), new MidiSpan(1500));
        var echo = Assert.Single(Proposals.Of(dome, [back]));
        Assert.IsType<SwitchInnerPath>(echo.Remedy!.Edit);
        Assert.True(Assert.Single(Proposals.Of(dome.Must(echo.Remedy.Edit), [back])).Agrees);

        // And one that it does not know at all.
        var wolke = Assert.Single(Proposals.Of(dome, [new WayBack(To("Wolke"), From("Wolke"), new MidiSpan(5_000))]));
        Assert.True(
            Assert
                .Single(Proposals.Of(dome.Must(wolke.Remedy!.Edit), [new WayBack(To("Wolke"), From("Wolke"), new MidiSpan(5_000))]))
                .Agrees
        );
        Assert.Null(
            Assert
                .Single(
                    Proposals.Of(
                        dome,
                        [new WayBack(To("Weiher 4×4 OUT 1"), dome.Sources.First(port => port.Port.Part == "IN 2").Id, new MidiSpan(10))]
                    )
                )
                .Remedy
        );
    }
}
