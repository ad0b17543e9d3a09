using CsCheck;
using Weiche.Core.Layout;
using Weiche.Core.Midi;
using Weiche.Core.Sets;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;
using Weiche.Files;
using static Weiche.Core.Tests.Rooms;

namespace Weiche.Core.Tests.Studios;

public class WiringTests
{
    private static readonly Studio Dome = DemoStudio.Create();

    private static readonly string[] Names = ["a", "b", "c", "d", "e", "f"];

    private static Jack JackOf(Studio studio, string device, string jack) =>
        studio.Devices.First(each => each.Name == device).Jacks.First(each => each.Name == jack);

    private static PlugCable Plug(Studio studio, string one, string oneJack, string other, string otherJack) =>
        new(JackOf(studio, one, oneJack).Id, JackOf(studio, other, otherJack).Id);

    [Fact]
    public void A_device_behind_an_interface_is_met_under_its_own_name()
    {
        var zinn = Dome.Destinations.First(port => port.Name == "Zinn");
        Assert.Equal(("to Zinn", "2 · to Zinn", "Weiher 4×4 OUT 2"), (zinn.Label, zinn.Tag, zinn.Place));
        Assert.Equal("Weiher 4×4", zinn.Owner.Name);
        Assert.Equal(ChannelSet.Of(5, 6), zinn.Channels);
        Assert.Equal(WireKind.Din, zinn.Port.Wire);
        Assert.True(Dome.Sources.First(port => port.Port.Part == "IN 2").IsLoose);
    }

    [Fact]
    public void Labels_follow_a_re_cabling_and_can_be_overruled()
    {
        var studio = Dome.Must(new UnplugCable(JackOf(Dome, "Zinn", "IN").Id)).Must(Plug(Dome, "Zinn", "IN", "Weiher 4×4", "OUT 4"));
        Assert.Equal("4 · to Zinn", studio.Destinations.First(port => port.Name == "Zinn").Tag);
        Assert.Equal("Weiher 4×4 OUT 2", studio.Destinations.First(port => port.Port.Part == "OUT 2").Name);
        var port = studio.Destinations.First(each => each.Name == "Zinn").Id;
        studio = studio.Must(new SetPortLabel(port, "strings"));
        Assert.Equal("4 · to strings", studio.FindPort(port)!.Value.Tag);
        Assert.Contains(
            "Another port",
            studio.Refused(new SetPortLabel(studio.Destinations.First(each => each.Name == "Brandung").Id, "Strings")).Sentence,
            StringComparison.Ordinal
        );
        Assert.Equal("Zinn", studio.Must(new SetPortLabel(port, " ")).FindPort(port)!.Value.Name);
    }

    [Fact]
    public void Thrus_are_followed_with_their_delay()
    {
        var chain = Dome.Chain(JackOf(Dome, "Weiher 4×4", "OUT 2").Id);
        Assert.Equal([("Zinn", MidiSpan.Zero), ("Paukenkiste", new MidiSpan(2))], chain.Select(link => (link.Device.Name, link.Delay)));
    }

    [Fact]
    public void Both_ways_of_a_device_on_an_interface_are_its_own_for_any_source()
    {
        var studio = Dome.Must(new LayRoute(AnySource.Plain, Dome.Destinations.First(port => port.Name == "Brandung").Id));
        Assert.DoesNotContain(studio.SourcesOf(studio.Routes[^1]), source => source.Name == "Brandung");
        Assert.Contains(studio.SourcesOf(studio.Routes[^1]), source => source.Name == "Tritt 13");
    }

    [Theory]
    [InlineData("Zinn", "OUT", "Weiher 4×4", "OUT 2", "both send. To hear what Zinn sends, use IN 2, which is free", "Plug into IN 2")]
    [InlineData(
        "Zinn",
        "THRU",
        "Brandung",
        "IN",
        "already feeds Paukenkiste; take the THRU of Paukenkiste",
        "Take the THRU of Paukenkiste"
    )]
    [InlineData(
        "Weiher 4×4",
        "OUT 2",
        "Brandung",
        "IN",
        "OUT 2 already feeds Zinn; take the THRU of Paukenkiste, or take OUT 1, which is free",
        "Take the THRU of Paukenkiste"
    )]
    [InlineData("Weiher 4×4", "OUT 1", "Zinn", "IN", "already hears Weiher 4×4 OUT 2; a jack takes one cable", null)]
    [InlineData("Brandung", "THRU", "Weiher 4×4", "IN 1", "already hears Tritt 13 OUT; IN 2 is free", "Plug into IN 2")]
    [InlineData("Weiher 4×4", "OUT 1", "Weiher 4×4", "IN 2", "does not lead from Weiher 4×4 to itself", null)]
    [InlineData("Brandung", "IN", "Weiher 4×4", "IN 1", "both receive. To reach Brandung, use OUT 1, which is free", "Plug into OUT 1")]
    [InlineData("Zinn", "IN", "Weiher 4×4", "OUT 2", "plugged into Zinn IN already", null)]
    public void What_cannot_be_is_refused_with_the_reason_and_the_remedy(
        string one,
        string oneJack,
        string other,
        string otherJack,
        string sentence,
        string? remedy
    )
    {
        var studio = Dome.Must(new UnplugCable(JackOf(Dome, "Brandung", "IN").Id));
        var problem = studio.Refused(Plug(studio, one, oneJack, other, otherJack));
        Assert.Contains(sentence, problem.Sentence, StringComparison.Ordinal);
        Assert.Equal(remedy, problem.Remedy?.Label);
    }

    [Fact]
    public void A_ring_of_thrus_is_refused()
    {
        var studio = Studio.Empty("x");
        foreach (var name in (string[])["a", "b"])
            studio = studio.Must(new AddDevice($"{name}, sound module, din"));
        studio = studio.Must(Plug(studio, "a", "THRU", "b", "IN"));
        Assert.Contains("ring of thrus", studio.Refused(Plug(studio, "b", "THRU", "a", "IN")).Sentence, StringComparison.Ordinal);
    }

    [Fact]
    public void Any_plugging_and_unplugging_leaves_a_studio_that_a_file_holds_and_no_jack_with_two_cables()
    {
        var kinds = new[]
        {
            "interface 3×2",
            "sound module, din",
            "keyboard with sound, din",
            "pedals, din",
            "drum module, din",
            "interface",
        };
        Gen.Select(Gen.Int[0, kinds.Length - 1].Array[2, 6], Gen.Select(Gen.Int[0, 40], Gen.Int[0, 40], Gen.Bool).Array[0, 30])
            .Sample(
                (devices, steps) =>
                {
                    var studio = Studio.Empty("x");
                    foreach (var (index, kind) in devices.Index())
                        studio = studio.Must(new AddDevice($"{Names[index]}, {kinds[kind]}"));
                    var jacks = studio.Devices.SelectMany(device => device.Jacks).ToList();
                    if (jacks.Count == 0)
                        return true;
                    foreach (var (one, other, plug) in steps)
                    {
                        StudioEdit edit = plug
                            ? new PlugCable(jacks[one % jacks.Count].Id, jacks[other % jacks.Count].Id)
                            : new UnplugCable(jacks[one % jacks.Count].Id);
                        var result = edit.Apply(studio);
                        if (result.Studio is null && result.Problem!.Sentence.Length < 10)
                            return false;
                        // What a remedy offers can be done.
                        if (result.Problem?.Remedy is { } remedy && remedy.Edit.Apply(studio).Studio is null)
                            return false;
                        studio = result.Studio ?? studio;
                    }
                    var ends = studio.Cables.SelectMany(cable => new[] { cable.From, cable.To }).ToList();
                    var text = StudioJson.Write(studio);
                    var names = studio.Destinations.Select(port => port.Name).ToList();
                    return ends.Distinct().Count() == ends.Count
                        && StudioJson.Write(StudioJson.Read(text)) == text
                        && GearLayout.Compute(studio, 760).LooseEnds.All(loose => studio.CableAt(loose.Jack.Id) is null)
                        && names.All(name => name.Length > 0);
                },
                iter: 3_000
            );
    }

    [Fact]
    public void Nothing_on_an_interface_panel_overlaps()
    {
        Gen.Select(Gen.Int[1, 16], Gen.Int[1, 16], Gen.Int[600, 1600])
            .Sample(
                (ins, outs, width) =>
                {
                    var studio = Studio.Empty("x").Must(new AddDevice($"hub, interface {ins}×{outs}"));
                    for (var i = 1; i <= outs; i++)
                    {
                        studio = studio.Must(new AddDevice($"m{i}, sound module, on hub {i}"));
                        if (i % 3 == 0)
                            studio = studio.Must(new AddDevice($"t{i}, sound module, on m{i} THRU"));
                    }
                    var panel = GearLayout.Compute(studio, width).Interfaces[0];
                    var boxes = panel
                        .Spots.SelectMany(spot => spot.Chain.Select(item => item.Box).Append(spot.Tag))
                        .Concat(panel.Spots.Select(spot => new Box(spot.At.X - 14, spot.At.Y - 14, 28, 28)))
                        .ToList();
                    return panel.Spots.Length == ins + outs
                        && boxes.All(box => box.X >= 0 && box.X + box.Width <= width && box.Y >= 0 && box.Y + box.Height <= panel.Height)
                        && boxes
                            .Index()
                            .All(one =>
                                boxes
                                    .Skip(one.Index + 1)
                                    .All(other =>
                                        one.Item.X + one.Item.Width <= other.X
                                        || other.X + other.Width <= one.Item.X
                                        || one.Item.Y + one.Item.Height <= other.Y
                                        || other.Y + other.Height <= one.Item.Y
                                    )
                            );
                },
                iter: 500
            );
    }

    [Fact]
    public void Removing_a_device_says_which_routes_go_and_takes_its_cables_along()
    {
        var weiher = Dome.Devices.First(device => device.Name == "Weiher 4×4");
        var problem = Dome.Refused(new RemoveDevice(weiher.Id));
        Assert.Contains("Amsel 61 → Brandung", problem.Sentence, StringComparison.Ordinal);
        var after = Dome.Must(problem.Remedy!.Edit);
        Assert.Equal(
            "Zinn THRU",
            string.Join(
                ", ",
                after.Cables.Select(cable =>
                    $"{after.FindJack(cable.From)!.Value.Device.Name} {after.FindJack(cable.From)!.Value.Jack.Name}"
                )
            )
        );
        Assert.DoesNotContain(after.Routes, route =>
            route.From is OneSource one && after.FindPort(one.Port) is null || after.FindPort(route.To) is null
        );
        Assert.Equal(StudioJson.Write(after), StudioJson.Write(StudioJson.Read(StudioJson.Write(after))));
    }

    [Theory]
    [InlineData("Zinn, sound module, on Weiher 2, 5-6", "5, 6", "2 · to Zinn")]
    [InlineData("Zinn expander, on Weiher 2, 5 and 6", "5, 6", "2 · to Zinn expander")]
    [InlineData("Zinn, sound module, on Weiher 2, channels 5-6", "5, 6", "2 · to Zinn")]
    [InlineData("zinn, on weiher 1, ch 5, 6, module", "5, 6", "1 · to zinn")]
    public void A_device_is_added_with_one_line(string line, string channels, string tag)
    {
        var studio = Studio.Empty("x").Must(new AddDevice("Weiher 4×4, interface 4×4")).Must(new AddDevice(line));
        var zinn = studio.Devices[^1];
        Assert.Equal(channels, zinn.Listens.ToString());
        Assert.Equal(tag, studio.PortsOf(zinn.Id).Single().Tag);
    }

    [Theory]
    [InlineData("", "Begin with a name")]
    [InlineData("Zinn", "Say what Zinn is")]
    [InlineData("Zinn, sound module, on Weiher 9", "has no OUT 9")]
    [InlineData("Zinn, sound module, channels 17", "no channel 17")]
    [InlineData("Zinn, sound module, loud", "“loud” is not understood")]
    [InlineData("Weiher 4×4, sound module", "already something called")]
    [InlineData("Zinn, interface 40×1", "up to 16 jacks")]
    [InlineData("Zinn, sound module, on Nobody THRU", "no Nobody THRU")]
    public void A_line_that_is_not_understood_says_so(string line, string sentence) =>
        Assert.Contains(
            sentence,
            Studio.Empty("x").Must(new AddDevice("Weiher 4×4, interface 4×4")).Refused(new AddDevice(line)).Sentence,
            StringComparison.Ordinal
        );

    [Fact]
    public void Any_line_makes_a_device_or_a_sentence()
    {
        var words = new[]
        {
            "Zinn",
            "sound module",
            "on Weiher 2",
            "channels 5-6",
            "ch 0",
            "interface",
            "4x4",
            "usb",
            "audio 1+2",
            "on hub 3",
            "×",
            ",",
            "on Zinn THRU",
            "channels",
            "on ",
            "\u0000",
            "<b>",
            "5",
            "all",
        };
        Gen.Select(
                Gen.Int[0, words.Length - 1].Select(i => words[i]).Array[0, 7],
                Gen.OneOf(Gen.Const(", "), Gen.Const(","), Gen.Const(" "))
            )
            .Sample(
                (parts, joint) =>
                {
                    var studio = Studio.Empty("x").Must(new AddDevice("Weiher 4×4, interface 4×4"));
                    var result = new AddDevice(string.Join(joint, parts)).Apply(studio);
                    return result.Studio is { } made
                        ? StudioJson.Write(StudioJson.Read(StudioJson.Write(made))) == StudioJson.Write(made)
                        : result.Problem!.Sentence.Length > 5;
                },
                iter: 5_000
            );
    }

    [Fact]
    public void Several_virtual_ports_are_made_at_once()
    {
        var studio = Studio.Empty("x").Must(new AddVirtualPort("keys to stars 1–4"));
        Assert.Equal(
            ["keys to stars 1", "keys to stars 2", "keys to stars 3", "keys to stars 4"],
            studio.Devices.Select(device => device.Name)
        );
        Assert.Contains("upside down", studio.Refused(new AddVirtualPort("x 4-1")).Sentence, StringComparison.Ordinal);
        Assert.Contains("At most 32", studio.Refused(new AddVirtualPort("x 1-100")).Sentence, StringComparison.Ordinal);
        Assert.Contains(
            "already something called “keys to stars 3”",
            studio.Refused(new AddVirtualPort("keys to stars 3-5")).Sentence,
            StringComparison.Ordinal
        );
        Assert.Equal("a-b", studio.Must(new AddVirtualPort("a-b")).Devices[^1].Name);
    }

    [Theory]
    [InlineData(-1)]
    [InlineData(2_000_000)]
    public void A_delay_that_cannot_be_is_refused(int delay)
    {
        var zinn = Dome.Devices.First(device => device.Name == "Zinn");
        var edit = new AddInnerPath(
            zinn.Id,
            InnerPathKind.Echo,
            "echo",
            Place.At(JackOf(Dome, "Zinn", "IN").Id),
            Place.At(JackOf(Dome, "Zinn", "OUT").Id),
            new MidiSpan(delay)
        );
        Assert.Contains("delay", Dome.Refused(edit).Sentence, StringComparison.Ordinal);
    }

    [Fact]
    public void Facts_that_cannot_be_are_refused_and_a_device_that_is_gone_is_said()
    {
        var brandung = Dome.Devices.First(device => device.Name == "Brandung").Id;
        Assert.Contains("no channel 17", Dome.Refused(new SetChannels(brandung, true, "17")).Sentence, StringComparison.Ordinal);
        Assert.Contains("member channels", Dome.Refused(new SetZones(brandung, 16, 0, 48)).Sentence, StringComparison.Ordinal);
        Assert.Contains("more than 16", Dome.Refused(new SetZones(brandung, 8, 8, 48)).Sentence, StringComparison.Ordinal);
        Assert.Contains("gone", Dome.Refused(new SetChannels(new DeviceId(9999), true, "1")).Sentence, StringComparison.Ordinal);
        Assert.Contains("gone", Dome.Refused(new PlugCable(new JackId(9999), new JackId(9998))).Sentence, StringComparison.Ordinal);
        Assert.Contains(
            "does not begin",
            Dome.Refused(
                new AddInnerPath(brandung, InnerPathKind.Echo, "x", Place.At(new JackId(9999)), Place.Sound, MidiSpan.Zero)
            ).Sentence,
            StringComparison.Ordinal
        );
    }

    [Fact]
    public void Jacks_are_added_and_taken_off_but_not_from_under_a_cable()
    {
        var zinn = Dome.Devices.First(device => device.Name == "Zinn").Id;
        Assert.Contains(
            "take it out first",
            Dome.Refused(new RemoveJack(zinn, JackOf(Dome, "Zinn", "THRU").Id)).Sentence,
            StringComparison.Ordinal
        );
        Assert.Contains(
            "it stays",
            Dome.Refused(
                new RemoveJack(Dome.Devices.First(device => device.Name == "Weiher 4×4").Id, JackOf(Dome, "Weiher 4×4", "IN 2").Id)
            ).Sentence,
            StringComparison.Ordinal
        );
        Assert.Contains(
            "has a jack OUT already",
            Dome.Refused(new AddJack(zinn, JackRole.Out, "out")).Sentence.Replace("out already", "OUT already", StringComparison.Ordinal),
            StringComparison.Ordinal
        );
        var without = Dome.Must(new UnplugCable(JackOf(Dome, "Zinn", "THRU").Id))
            .Must(new RemoveJack(zinn, JackOf(Dome, "Zinn", "THRU").Id));
        Assert.Empty(without.FindDevice(zinn)!.InnerPaths);
        var again = without.Must(new AddJack(zinn, JackRole.Thru, "THRU 2"));
        Assert.Equal(InnerPathKind.Thru, Assert.Single(again.FindDevice(zinn)!.InnerPaths).Kind);
        var weiher = again.Must(new AddJack(again.Devices.First(device => device.Name == "Weiher 4×4").Id, JackRole.Out, "OUT 5"));
        Assert.True(weiher.Destinations.First(port => port.Port.Part == "OUT 5").IsLoose);
    }

    [Fact]
    public void The_dome_comes_back_from_a_file_as_it_was_and_is_numbered_anew_where_its_numbers_run_out()
    {
        var text = StudioJson.Write(Dome);
        Assert.Equal(text, StudioJson.Write(StudioJson.Read(text)));
        Assert.Same(Dome, Dome.Renumbered());
        var high = StudioJson.Read(text.Replace($"\"nextId\": {Dome.NextId}", "\"nextId\": 999990", StringComparison.Ordinal));
        var imported = high.Renumbered();
        Assert.InRange(imported.NextId, 2, Dome.NextId);
        Assert.Equal(Dome.Ports.Select(port => port.Tag), imported.Ports.Select(port => port.Tag));
        Assert.Equal(2, imported.Chain(JackOf(imported, "Weiher 4×4", "OUT 2").Id).Count);
        Assert.Equal(StudioJson.Write(imported), StudioJson.Write(StudioJson.Read(StudioJson.Write(imported))));
    }

    [Theory]
    [InlineData("\"role\": \"in\"", "\"role\": \"out\"")]
    [InlineData("\"delay\": 2", "\"delay\": -2")]
    [InlineData("\"from\": \"keys\"", "\"from\": \"toes\"")]
    [InlineData("\"members\": 15", "\"members\": 99")]
    public void A_file_with_wiring_that_cannot_be_is_refused(string right, string wrong)
    {
        var text = StudioJson.Write(Dome);
        Assert.Contains(right, text, StringComparison.Ordinal);
        Assert.Throws<StudioFormatException>(() => StudioJson.Read(text.Replace(right, wrong, StringComparison.Ordinal)));
    }

    [Fact]
    public void Cables_to_nowhere_in_a_file_are_refused()
    {
        var text = StudioJson.Write(Dome);
        var cable = Dome.Cables[0];
        var broken = text.Replace($"\"to\": {cable.To}\n    }}", "\"to\": 999999\n    }", StringComparison.Ordinal);
        Assert.NotEqual(text, broken);
        Assert.Throws<StudioFormatException>(() => StudioJson.Read(broken));
    }

    [Theory]
    [InlineData("Box, interface, 8 in", 8, 0)]
    [InlineData("Box, interface, 8 ins, 2 outs", 8, 2)]
    [InlineData("Box, interface 4 in 6 out", 4, 6)]
    [InlineData("Box, 3 in and 3 out, interface", 3, 3)]
    [InlineData("Box, interface, 2x5", 2, 5)]
    public void An_interface_is_counted_as_one_says_it(string line, int ins, int outs)
    {
        var box = Studio.Empty("Room").Must(new AddDevice(line)).Devices[0];
        Assert.Equal((ins, outs), (box.Jacks.Count(jack => jack.Role == JackRole.In), box.Jacks.Count(jack => jack.Role == JackRole.Out)));
    }

    [Theory]
    [InlineData("drum machine", DeviceKind.DrumModule)]
    [InlineData("Synthesizer", DeviceKind.KeyboardSynth)]
    [InlineData("pedalboard", DeviceKind.Pedals)]
    [InlineData("master keyboard", DeviceKind.KeyboardController)]
    [InlineData("expander", DeviceKind.SoundModule)]
    public void A_device_is_called_what_a_musician_calls_it(string word, DeviceKind kind) =>
        Assert.Equal(kind, Studio.Empty("Room").Must(new AddDevice($"Thing, {word}")).Devices[0].Kind);

    [Theory]
    [InlineData("Kies, pads, ch 10, audio 1+2")]
    [InlineData("Skin, expressive surface, sounds")]
    [InlineData("Amsel, keyboard controller, sounds")]
    [InlineData("Synth, keyboard with sound")]
    public void What_can_be_played_and_sounds_has_local_control(string line)
    {
        var studio = Studio.Empty("Room").Must(new AddDevice(line));
        var device = studio.Devices[0];
        Assert.True(device.LocalControl!.On);
        // Silent it has none; sounding again it has.
        var silent = studio.Must(new SetSound(device.Id, false, null));
        Assert.Null(silent.Devices[0].LocalControl);
        Assert.NotNull(silent.Must(new SetSound(device.Id, true, "1+2")).Checked().Devices[0].LocalControl);
    }

    [Fact]
    public void A_device_that_becomes_one_that_is_played_has_local_control_and_its_own_sound_twice_is_found()
    {
        var studio = Studio.Empty("Room").Must(new AddDevice("box, application, sounds"));
        Assert.Null(studio.Devices[0].LocalControl);
        studio = studio.Must(new SetDeviceKind(studio.Devices[0].Id, DeviceKind.Pads)).Checked();
        Assert.NotNull(studio.Devices[0].LocalControl);
        var twice = studio.Lay("box", "box");
        Assert.Contains(Core.Checks.Checker.Check(twice).Findings, finding => finding.Kind == Core.Checks.FindingKind.Doubled);
        // What was switched off there stays off.
        var off = studio
            .Must(new SwitchInnerPath(studio.Devices[0].Id, studio.Devices[0].LocalControl!.Id, false))
            .Must(new SetChannels(studio.Devices[0].Id, true, "3"));
        Assert.False(off.Devices[0].LocalControl!.On);
    }
}
