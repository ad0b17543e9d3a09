using CsCheck;
using Weiche.Core.Checks;
using Weiche.Core.Midi;
using Weiche.Core.Sets;
using Weiche.Core.Stages;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;
using Weiche.Files;
using static Weiche.Core.Tests.Rooms;

namespace Weiche.Core.Tests.Checks;

/// <summary>Setups with known answers.</summary>
public class CheckerTests
{
    private static ChannelsStage Only(int channel, int? to = null) =>
        new(
            Channel.All.Aggregate(ChannelMap.Identity, (map, each) =>
                map.With(each, each.Number == channel ? ChannelSet.Of(to ?? channel) : ChannelSet.None)
            )
        );

    private static IEnumerable<string> Kinds(Studio studio) =>
        Checker
            .Check(studio)
            .Findings.Where(finding => finding.Kind is FindingKind.Endless or FindingKind.Growing or FindingKind.DyingOut)
            .Select(finding => finding.Kind.ToString());

    private static Finding One(Studio studio, FindingKind kind) =>
        Assert.Single(Checker.Check(studio).Findings, finding => finding.Kind == kind);

    [Fact]
    public void The_dome_has_the_faults_it_is_meant_to_have()
    {
        var report = Checker.Check(DemoStudio.Create());
        Assert.Equal(["Endless", "Doubled", "Wire", "Mpe", "Silence"], report.Findings.Select(finding => finding.Kind.ToString()));
        var circuit = report.Findings[0];
        Assert.Equal("C3 on channel 3 from Brandung comes back after 9.92 ms, and again, and again.", circuit.Sentence);
        Assert.Equal(["from Brandung", "to Bandhaus", "from Bandhaus B", "to Brandung"], circuit.Ring.Select(leg => leg.Place));
        // 1 ms of USB and 3 bytes of DIN there, the echo, the same back, and 5 ms in Bandhaus.
        Assert.Equal(new MidiSpan(2 * (1_000 + 960) + 1_000 + 5_000), circuit.Round);
        Assert.Equal(("ch 3, all keys", "endless"), (circuit.Runs[0].Which, circuit.Runs[0].Verdict));
        Assert.Equal("Brandung plays its own keys twice", report.Findings[1].Title);
        Assert.Equal(new MidiSpan(8_920), report.Findings[1].Ways.Max(way => way.Delay));
        Assert.Equal("Zinn: DIN wire at 91 % when Fächer plays", report.Findings[2].Title);
        Assert.Equal("Nothing reaches Kies", report.Findings[4].Title);
        Assert.Empty(Checker.Check(QuietDome()).OpenCircuits);
    }

    [Fact]
    public void What_a_person_says_a_device_sends_counts_and_what_is_measured_where_it_is_more()
    {
        var studio = DemoStudio.Create();
        var (surface, zinn) = (studio.Devices.Single(device => device.Name == "Fächer"), studio.To("Zinn"));
        int Worst(CheckReport report) => report.Loads.Single(load => load.Port == zinn).Worst;
        var table = Checker.Check(studio);
        var said = Checker.Check(
            surface.SendsKinds.Members.Aggregate(studio, (room, kind) => room.Must(new SetWorstRate(surface.Id, kind, "2")))
        );
        Assert.DoesNotContain(said.Findings, finding => finding.Kind == FindingKind.Wire);
        Assert.True(Worst(said) < Worst(table));
        // Measured at the source: more than was said, and only where it is more.
        var source = studio.From("Fächer");
        var bends = Measured.Nothing with
        {
            Rates = Measured.Nothing.Rates.Add((source, MessageKind.PitchBend), 900).Add((source, MessageKind.Note), 1),
        };
        var played = said.With(bends);
        Assert.Equal(Worst(said) + (900 - 2) * 3, Worst(played));
        Assert.Contains(played.Findings, finding =>
            finding.Kind == FindingKind.Wire && finding.Title.StartsWith("Zinn", StringComparison.Ordinal)
        );
        // It counts on after an edit, and what makes no difference is no other report.
        Assert.Equal(Worst(played), Worst(Checker.Check(played.Studio.Must(new RenameDevice(surface.Id, "Fan")), played)));
        Assert.Same(played, played.With(bends));
        // Measured on the wire itself, whatever the devices are taken to send.
        var full = said.With(Measured.Nothing with { Loads = Measured.Nothing.Loads.Add(zinn, 3_000) });
        Assert.Contains(
            "so much was measured",
            full.Findings.Single(finding => finding.Kind == FindingKind.Wire).Sentence,
            StringComparison.Ordinal
        );
        Assert.Equal(full.Findings.Length, full.Findings.DistinctBy(finding => finding.Key).Count());
        Assert.Equal(full.Findings, full.Findings.OrderBy(finding => finding.Severity).ThenBy(finding => finding.Kind));
        Assert.Equal(said.Findings.Select(finding => finding.Key), full.With(Measured.Nothing).Findings.Select(finding => finding.Key));
        foreach (var wrong in new[] { "many", "-1", "100001" })
            studio.Refused(new SetWorstRate(surface.Id, MessageKind.Note, wrong));
        Assert.DoesNotContain(
            MessageKind.Note,
            said.Studio.Must(new SetWorstRate(surface.Id, MessageKind.Note, " ")).FindDevice(surface.Id)!.WorstRates.Keys
        );
    }

    [Fact]
    public void A_circle_of_two_is_endless_and_one_stage_holds_it()
    {
        var studio = Room(["a", "b"], "a", "b").Lay("a", "b").Lay("b", "a");
        Assert.Equal(["Endless"], Kinds(studio));
        // Only channel 3 comes round, and on the way back it becomes 4: closed but for that map.
        var held = Room(["a", "b"], "a", "b").Lay("a", "b", Only(3)).Lay("b", "a", Only(3, 4));
        foreach (var device in held.Devices)
            held = held.Must(new SetKinds(device.Id, true, KindSet.Of(MessageKind.Note)));
        Assert.DoesNotContain("Endless", Kinds(held));
        var things = HeldSearch.Of(Checker.Check(held)).Findings.Select(finding => finding.Sentence).ToList();
        Assert.Contains(things, thing => thing.Contains("on b → a", StringComparison.Ordinal));
        Assert.All(things, thing => Assert.StartsWith("Channels", thing, StringComparison.Ordinal));
        // A device that is said to send on channel 5 only keeps what it feeds closed.
        var fed = Room(["a", "b", "c"], "b", "c").Lay("a", "b").Lay("b", "c", Only(3)).Lay("c", "b");
        foreach (var name in new[] { "a", "b", "c" })
            fed = fed.Must(new SetChannels(fed.Devices.Single(device => device.Name == name).Id, true, "5"))
                .Must(new SetKinds(fed.Devices.Single(device => device.Name == name).Id, true, KindSet.Of(MessageKind.Note)));
        Assert.Empty(Kinds(fed));
        Assert.Contains(HeldSearch.Of(Checker.Check(fed)).Findings, finding =>
            finding.Sentence.StartsWith("a sends on channel 5 only", StringComparison.Ordinal)
        );
    }

    [Fact]
    public void A_circle_through_three_devices_and_the_routing_of_an_interface_is_found()
    {
        var studio = Studio
            .Empty("Room")
            .Must(new AddDevice("weir, interface, 2x2"))
            .Must(new AddDevice("a, keyboard with sound, on weir 1"))
            .Must(new AddDevice("b, keyboard with sound, on weir 2"));
        var (weir, a, b) = (studio.Devices[0], studio.Devices[1], studio.Devices[2]);
        Place At(Device device, JackRole role, int index = 0) =>
            Place.At(device.Jacks.Where(jack => jack.Role == role).ElementAt(index).Id);
        studio = studio
            .Must(new AddInnerPath(a.Id, InnerPathKind.Echo, "echo", At(a, JackRole.In), At(a, JackRole.Out), MidiSpan.FromMilliseconds(1)))
            .Must(new AddInnerPath(b.Id, InnerPathKind.Echo, "echo", At(b, JackRole.In), At(b, JackRole.Out), MidiSpan.FromMilliseconds(1)))
            // What the interface hears of a it gives to b by itself; b's way back to a is a route.
            .Must(
                new AddInnerPath(
                    weir.Id,
                    InnerPathKind.Routing,
                    "1 to 2",
                    At(weir, JackRole.In),
                    At(weir, JackRole.Out, 1),
                    MidiSpan.FromMilliseconds(1)
                )
            );
        Assert.Empty(Checker.Check(studio).OpenCircuits);
        studio = studio.Lay("b", "a");
        var circuit = One(studio, FindingKind.Endless);
        Assert.Single(circuit.Routes);
        Assert.Equal(3, circuit.Paths.Length);
        var list = RemedySearch.For(Checker.Check(studio), circuit);
        Assert.True(list.IsProvedLeast);
        Assert.All(list.Remedies, remedy => Assert.Empty(Checker.Check(studio.Must(remedy.Edit)).OpenCircuits));
        Assert.Equal(list.Remedies.Min(remedy => remedy.Cost), list.Remedies[0].Cost);
    }

    [Theory]
    [InlineData(16, 7)]
    [InlineData(12, 10)]
    [InlineData(127, 1)]
    public void What_is_transposed_on_the_way_round_dies_out_after_so_many_rounds(int by, int rounds)
    {
        var studio = Room(["a", "b"], "a", "b")
            .Lay("a", "b", new KindsStage(KindSet.Of(MessageKind.Note)), new TransposeStage(by))
            .Lay("b", "a");
        var finding = One(studio, FindingKind.DyingOut);
        Assert.Equal(rounds, finding.Rounds);
        Assert.Contains(
            rounds == 1 ? "comes back once" : $"comes back {rounds} times, higher each time",
            finding.Sentence,
            StringComparison.Ordinal
        );
        Assert.Empty(Checker.Check(studio).OpenCircuits);
    }

    [Fact]
    public void What_gets_softer_dies_out_unless_there_is_a_floor()
    {
        Studio With(VelocityStage stage) =>
            Room(["a", "b"], "a", "b").Lay("a", "b", new KindsStage(KindSet.Of(MessageKind.Note)), stage).Lay("b", "a");
        // Down to 1, where it stays: a floor.
        Assert.Equal(["Endless"], Kinds(With(new VelocityStage(scale: 50))).Distinct().Where(kind => kind == "Endless"));
        // Softer than 20 it stops.
        var softer = With(new VelocityStage(20, 127, 50));
        Assert.Equal(["DyingOut"], Kinds(softer));
        Assert.Contains("softer each time", One(softer, FindingKind.DyingOut).Sentence, StringComparison.Ordinal);
    }

    [Fact]
    public void A_circle_names_what_goes_round_in_it_and_with_which_values()
    {
        var (notes, moving) = (
            new KindsStage(KindSet.Of(MessageKind.Note)),
            new KindsStage(KindSet.Of(MessageKind.ControlChange, MessageKind.PitchBend))
        );
        // The bend becomes a controller, and that goes round.
        var becoming = One(
            Room(["a", "b"], "a", "b")
                .Lay("a", "b", moving, new ControllersStage([new ControlRule(Control.Bend, Control.Of(1))]))
                .Lay("b", "a"),
            FindingKind.Endless
        );
        Assert.StartsWith("Controllers run in a circle", becoming.Title, StringComparison.Ordinal);
        Assert.DoesNotContain("bend", becoming.Title, StringComparison.OrdinalIgnoreCase);
        Assert.Contains(becoming.Runs, runs =>
            runs.Kind == MessageKind.PitchBend && runs.Runs && runs.Verdict.StartsWith("becomes", StringComparison.Ordinal)
        );
        // Each round is louder, up to the loudest, which comes back.
        var louder = One(Room(["a", "b"], "a", "b").Lay("a", "b", notes, new VelocityStage(scale: 200)).Lay("b", "a"), FindingKind.Endless);
        Assert.Contains("with velocity 127 ", louder.Sentence, StringComparison.Ordinal);
        Assert.EndsWith(", velocity 127", louder.Runs.Single(runs => runs.Kind == MessageKind.Note).Which, StringComparison.Ordinal);
        // Notes go round a – b, the clock b – c: neither is called stopped.
        KindsStage clock = new(KindSet.Of(MessageKind.Clock));
        var two = Checker
            .Check(Room(["a", "b", "c"], "a", "b", "c").Lay("a", "b", notes).Lay("b", "a").Lay("b", "c", clock).Lay("c", "b"))
            .OpenCircuits.ToList();
        Assert.All(
            two.SelectMany(circuit => circuit.Runs).Where(runs => !runs.Runs && runs.Kind is MessageKind.Clock or MessageKind.Note),
            runs => Assert.EndsWith("runs in another circle", runs.Verdict, StringComparison.Ordinal)
        );
        Assert.All(two, circuit => Assert.Contains(circuit.Runs, runs => runs.Runs));
    }

    [Fact]
    public void Where_nobody_has_said_whether_keys_play_their_own_sound_the_checks_ask()
    {
        var studio = Studio
            .Empty("Room")
            .Must(new AddDevice("a, keyboard with sound"))
            .Must(new AddDevice("b, keyboard controller"))
            .Lay("b", "a");
        var device = studio.Devices.Single(each => each.Name == "a");
        Assert.DoesNotContain(Checker.Check(studio).Findings, finding => finding.Kind == FindingKind.Asked);
        // As an old file has it: a keyboard with sound, and nothing said.
        var old = studio.With(
            device,
            device with
            {
                InnerPaths = device.InnerPaths.RemoveAll(path => path.Kind == InnerPathKind.LocalControl),
            }
        );
        var asked = One(old, FindingKind.Asked);
        var remedies = RemedySearch.For(Checker.Check(old), asked).Remedies;
        Assert.Equal(
            ["a does not play its own sound (local control off)", "a plays its own sound (local control on)"],
            remedies.Select(remedy => remedy.Title).Order()
        );
        foreach (var remedy in remedies)
        {
            var told = old.Must(remedy.Edit);
            Assert.Equal(remedy.Title.Contains("not", StringComparison.Ordinal), told.FindDevice(device.Id)!.LocalControl is { On: false });
            Assert.DoesNotContain(Checker.Check(told).Findings, finding => finding.Kind == FindingKind.Asked);
            Assert.Null(StudioRules.Broken(told));
        }
        // Where it is not played from here it makes no difference.
        Assert.DoesNotContain(Checker.Check(old.Must(new RemoveRoute(old.Routes[0].Id))).Findings, finding =>
            finding.Kind == FindingKind.Asked
        );
        studio.Refused(new SayLocalControl(studio.Devices[1].Id, true));
    }

    [Fact]
    public void What_is_taken_in_twice_does_harm_according_to_what_it_is()
    {
        string Harm(MessageKind kind)
        {
            var (studio, only) = (Room(["a", "b"]), new KindsStage(KindSet.Of(kind)));
            studio = studio.Lay("a", "b", only);
            return One(
                studio.Must(new LayRoute(studio.From("a"), studio.To("b"), Another: true, Through: only)),
                FindingKind.Doubled
            ).Evidence[0];
        }
        Assert.Contains("dump", Harm(MessageKind.SystemExclusive), StringComparison.Ordinal);
        Assert.Contains("double tempo", Harm(MessageKind.Clock), StringComparison.Ordinal);
        Assert.Contains("note", Harm(MessageKind.Note), StringComparison.Ordinal);
        Assert.Contains("value", Harm(MessageKind.PitchBend), StringComparison.Ordinal);
    }

    [Fact]
    public void A_chord_in_a_circle_grows_and_so_do_two_routes_round_and_one_circle_that_feeds_another()
    {
        Assert.Equal(
            ["Growing"],
            Kinds(Room(["a", "b"], "a", "b").Lay("a", "b", new ChordStage(0, 0 + 12, -12)).Lay("b", "a")).Where(kind => kind == "Growing")
        );
        var twice = Room(["a", "b", "c"], "a", "b", "c").Lay("a", "b").Lay("a", "c").Lay("b", "a").Lay("c", "a");
        Assert.Contains("Growing", Kinds(twice));
        var feeding = Room(["a", "b", "c", "d"], "a", "b", "c", "d").Lay("a", "b").Lay("b", "a").Lay("c", "d").Lay("d", "c");
        Assert.Equal(["Endless", "Endless"], Kinds(feeding));
        Assert.Equal(["Growing", "Endless"], Kinds(feeding.Lay("b", "c")));
    }

    [Fact]
    public void Any_source_a_divert_and_a_solo_open_and_close()
    {
        var any = Room(["a", "b"], "a", "b").Lay("a", "b");
        Assert.Empty(Kinds(any));
        any = any.Must(new LayRoute(AnySource.Plain, any.To("a")));
        Assert.Equal(["Endless"], Kinds(any));
        Assert.Contains(RemedySearch.For(Checker.Check(any), One(any, FindingKind.Endless)).Remedies, remedy =>
            remedy.Title == "Leave b out of any source → a"
        );

        // b's messages are taken by a route that diverts: the circle is open only through it, or closed by it.
        var diverting = Room(["a", "b", "c"], "a", "b", "c").Lay("a", "b").Lay("b", "a").Lay("b", "c");
        diverting = diverting.Must(new DivertRoute(diverting.Route("b", "c").Id, true));
        Assert.Empty(Kinds(diverting));
        Assert.Contains(HeldSearch.Of(Checker.Check(diverting)).Findings, finding =>
            finding.Sentence.Contains("b → c diverts", StringComparison.Ordinal)
        );
        var through = Room(["a", "b", "c"], "a", "b", "c").Lay("a", "b").Lay("b", "c").Lay("b", "a", Only(4));
        through = through.Must(new DivertRoute(through.Route("b", "a").Id, true));
        Assert.Equal(["Endless"], Kinds(through));

        var solo = Room(["a", "b", "c"], "a", "b").Lay("a", "b").Lay("b", "a").Lay("c", "a");
        Assert.Equal(["Endless"], Kinds(solo));
        solo = solo.Must(new SoloRoute(solo.Route("c", "a").Id, true));
        Assert.Empty(Kinds(solo));
        Assert.Contains(HeldSearch.Of(Checker.Check(solo)).Findings, finding =>
            finding.Sentence.Contains("c → a is soloed", StringComparison.Ordinal)
        );
    }

    [Fact]
    public void A_circle_through_virtual_ports_alone_is_told()
    {
        var circuit = One(
            Of("a", "b").Lay("a", "b").Lay("b", "a").Must(new AddDevice("keys, keyboard controller")).Lay("keys", "a"),
            FindingKind.Endless
        );
        Assert.Equal(MidiSpan.Zero, circuit.Round);
        Assert.Contains("comes back at once", circuit.Sentence, StringComparison.Ordinal);
        // Nothing comes out of a virtual port that nothing is sent to.
        Assert.Empty(Checker.Check(Of("a", "b").Lay("a", "b").Lay("b", "a")).OpenCircuits);
    }

    [Fact]
    public void A_layer_an_octave_apart_or_on_another_channel_is_no_double_and_the_same_key_is()
    {
        Studio Two(params Stage[] second)
        {
            var studio = Room(["keys", "synth"]).Must(new AddGroup("g"));
            studio = studio.Must(new SetMember(studio.Groups[0].Id, studio.From("keys"), true)).Lay("keys", "synth");
            var laid = new LayRoute(new GroupSource(studio.Groups[0].Id), studio.To("synth")).Apply(studio);
            // Only notes: controllers arrive twice in any case.
            return second
                .Prepend(new KindsStage(KindSet.Of(MessageKind.Note)))
                .Aggregate(laid.Studio!, (room, stage) => room.Must(new AddStage(new RouteId(laid.NewId), stage)));
        }
        Assert.Equal("keys reaches synth twice", One(Two(), FindingKind.Doubled).Title);
        Assert.Single(Checker.Check(Two(new VelocityStage(scale: 50))).Findings, finding => finding.Kind == FindingKind.Doubled);
        // Beside the same key on the same channel nothing is heard twice; but all that is moved nowhere is.
        foreach (
            var apart in new Stage[][]
            {
                [new TransposeStage(12)],
                [Only(1, 2)],
                [Only(1, 2), new KeysStage(0, 127)],
                [new ChannelsStage(ChannelMap.Nothing)],
            }
        )
            Assert.DoesNotContain(Checker.Check(Two(apart)).Findings, finding => finding.Kind == FindingKind.Doubled);
        foreach (
            var alike in new Stage[][]
            {
                [new ChannelsStage(ChannelMap.Identity.With(Ch(1), ChannelSet.Of(2)))],
                [new KeysStage(0, 59)],
                [Only(3)],
            }
        )
            Assert.Single(Checker.Check(Two(alike)).Findings, finding => finding.Kind == FindingKind.Doubled);
        var list = RemedySearch.For(Checker.Check(Two()), One(Two(), FindingKind.Doubled));
        Assert.Equal(0, list.Remedies[0].Cost);
    }

    [Fact]
    public void Clocks_are_counted_where_they_are_wanted()
    {
        var studio = Studio
            .Empty("Room")
            .Must(new AddDevice("box, clock"))
            .Must(new AddDevice("other, clock"))
            .Must(new AddDevice("app, application"))
            .Must(new AddDevice("stars, display"))
            .Lay("box", "app");
        Assert.DoesNotContain(Checker.Check(studio).Findings, finding => finding.Kind == FindingKind.Clock);
        var two = studio.Lay("other", "app");
        Assert.Equal("Two clocks at app", One(two, FindingKind.Clock).Title);
        Assert.EndsWith(
            "the one that comes first is heard, and the other left out.",
            One(two, FindingKind.Clock).Sentence,
            StringComparison.Ordinal
        );
        Assert.Contains(RemedySearch.For(Checker.Check(two), One(two, FindingKind.Clock)).Remedies, remedy =>
            remedy.Title == "Stop clock on other → app"
        );
        var stars = studio.Devices.Single(device => device.Name == "stars");
        var unwanted = studio.Must(new SetKinds(stars.Id, false, KindSet.Of(MessageKind.Note))).Lay("box", "stars");
        Assert.Equal("stars gets a clock that it does not want", One(unwanted, FindingKind.Clock).Title);
        var none = studio.Must(new SetKinds(stars.Id, false, KindSet.Of(MessageKind.Clock, MessageKind.Start)));
        Assert.Equal("No clock reaches stars", One(none, FindingKind.Clock).Title);
    }

    [Fact]
    public void A_surface_is_kept_whole_or_it_is_told_where_not()
    {
        var studio = Studio.Empty("Room").Must(new AddDevice("skin, expressive surface")).Must(new AddDevice("voice, tablet"));
        var voice = studio.Devices[1];
        studio = studio.Must(new SetZones(voice.Id, 15, 0, 48));
        Assert.DoesNotContain(Checker.Check(studio.Lay("skin", "voice")).Findings, finding => finding.Kind == FindingKind.Mpe);
        Assert.DoesNotContain(
            Checker.Check(studio.Lay("skin", "voice", new TransposeStage(12), new ChannelsStage(ChannelMap.Nothing, true))).Findings,
            finding => finding is { Kind: FindingKind.Mpe } && finding.Sentence.Contains("stopped", StringComparison.Ordinal)
        );
        Assert.Contains(
            "Channel 2 is stopped or moved",
            One(studio.Lay("skin", "voice", new ChannelsStage(ChannelMap.Identity.With(Ch(2), ChannelSet.Of(3)))), FindingKind.Mpe)
                .Sentence.Replace("The pitch bend of channel 2", "Channel 2", StringComparison.Ordinal),
            StringComparison.Ordinal
        );
        Assert.Contains(
            "only some keys",
            One(studio.Lay("skin", "voice", new KeysStage(60, 127)), FindingKind.Mpe).Sentence,
            StringComparison.Ordinal
        );
        var range = studio.Must(new SetZones(voice.Id, 15, 0, 24)).Lay("skin", "voice");
        Assert.Contains("not agreed: 48 semitones at skin, 24 at voice", One(range, FindingKind.Mpe).Sentence, StringComparison.Ordinal);
        Assert.Equal(0, RemedySearch.For(Checker.Check(range), One(range, FindingKind.Mpe)).Remedies[0].Cost);
    }

    [Fact]
    public void Names_cables_pedals_and_channels_that_mislead_are_told()
    {
        var dome = QuietDome();
        var zinn = dome.Destinations.Single(port => port.Name == "Zinn");
        Assert.DoesNotContain(Checker.Check(dome.Must(new SetPortLabel(zinn.Id, "Wolke sieben"))).Findings, finding =>
            finding.Kind == FindingKind.Name
        );
        Assert.Equal(
            "“Tritt 13” is the name of another device",
            One(dome.Must(new SetPortLabel(zinn.Id, "Tritt 13")), FindingKind.Name).Title
        );
        Assert.Contains("look alike", One(Of("keys 1", "keys-1"), FindingKind.Name).Title, StringComparison.Ordinal);
        Assert.Equal("“Brandung” and “Brandnug” look alike", One(Of("Brandung", "Brandnug"), FindingKind.Name).Title);
        Assert.DoesNotContain(Checker.Check(Of("port 12", "port 21", "left", "felt", "part A", "part B")).Findings, each =>
            each.Kind == FindingKind.Name
        );

        var unheard = dome.Lay("Halm", "Zinn");
        var finding = One(unheard, FindingKind.Unheard);
        Assert.Equal("Halm → Zinn: nobody listens to channel 4", finding.Title);
        Assert.Contains(RemedySearch.For(Checker.Check(unheard), finding).Remedies, remedy =>
            remedy.Title == "Move channel 4 to 5 on Halm → Zinn" && remedy.Cost == 0
        );

        var pedal = Room(["a", "b"])
            .Lay("a", "b", new ControllersStage([new ControlRule(Control.Of(64), Control.Of(64), 0, 127, 70, 127)]));
        Assert.Contains("may stay down", One(pedal, FindingKind.Stuck).Title, StringComparison.Ordinal);
        Assert.DoesNotContain(
            Checker
                .Check(
                    Room(["a", "b"]).Lay("a", "b", new ControllersStage([new ControlRule(Control.Of(64), Control.Of(64), 0, 127, 127, 0)]))
                )
                .Findings,
            each => each.Kind == FindingKind.Stuck
        );
    }

    [Theory]
    [InlineData(1)]
    [InlineData(16)]
    public void Where_a_channel_is_listened_to_but_not_the_kind_that_is_said_and_no_channel_is_moved(int channels)
    {
        var room = Studio
            .Empty("Room")
            .Must(new AddDevice("keys, keyboard controller, ch 1"))
            .Must(new AddDevice("voice, sound module, ch 1"));
        var voice = room.Devices[1].Id;
        room = room.Must(new SetChannels(voice, false, channels == 16 ? "all" : "1"))
            .Must(new SetKinds(voice, false, KindSet.Of(MessageKind.ProgramChange)));
        var unheard = room.Lay("keys", "voice", new KindsStage(KindSet.Of(MessageKind.Note)));
        var finding = One(unheard, FindingKind.Unheard);
        Assert.Equal("keys → voice: nobody listens to notes", finding.Title);
        Assert.Contains("but to other kinds of message", finding.Sentence, StringComparison.Ordinal);
        Assert.DoesNotContain(RemedySearch.For(Checker.Check(unheard), finding).Remedies, remedy =>
            remedy.Title.StartsWith("Move", StringComparison.Ordinal)
        );
    }

    [Fact]
    public void Two_modules_whose_thrus_feed_one_another_are_told_by_a_key_that_stays()
    {
        var studio = Studio.Empty("Room").Must(new AddDevice("one, sound module, din")).Must(new AddDevice("two, sound module, din"));
        JackId Jack(int device, JackRole role) => studio.Devices[device].Jacks.First(jack => jack.Role == role).Id;
        // No edit makes such a ring; a file may say that there is one.
        studio = studio.Must(new PlugCable(Jack(0, JackRole.Thru), Jack(1, JackRole.In)));
        Assert.Contains(
            "closes a ring of thrus",
            studio.Refused(new PlugCable(Jack(1, JackRole.Thru), Jack(0, JackRole.In))).Sentence,
            StringComparison.Ordinal
        );
        var ring = (studio with { Cables = studio.Cables.Add(new Cable(Jack(1, JackRole.Thru), Jack(0, JackRole.In))) }).Checked();
        var finding = One(ring, FindingKind.Cabling);
        Assert.Equal("The cables of one and two run in a ring", finding.Title);
        // Another device before it does not change what the finding is called.
        var more = ring with
        {
            Devices = ring.Must(new AddDevice("three, sound module, din")).Devices is var all ? [all[^1], .. all[..^1]] : [],
            NextId = ring.NextId + 10,
        };
        Assert.Equal(finding.Key, One(more.Checked(), FindingKind.Cabling).Key);
        Assert.All(RemedySearch.For(Checker.Check(ring), finding).Remedies, remedy =>
            Assert.DoesNotContain(Checker.Check(ring.Must(remedy.Edit)).Findings, each => each.Key == finding.Key)
        );
    }

    [Fact]
    public void The_remedy_that_costs_least_is_first_and_none_that_is_listed_leaves_the_circuit()
    {
        var report = Checker.Check(DemoStudio.Create());
        var list = RemedySearch.For(report, report.Findings[0]);
        Assert.True(list.IsProvedLeast);
        Assert.Equal("Close “sequencer page” of Brandung", list.Remedies[0].Title);
        Assert.Equal((0, true), (list.Remedies[0].Cost, list.Remedies[0].AtDevice));
        Assert.Contains(list.Remedies, remedy =>
            remedy.Title == "Leave Brandung out of any source → Bandhaus" && remedy.Lost.Single().From.Name == "Brandung"
        );
        Assert.All(list.Remedies, remedy => Assert.Empty(Checker.Check(report.Studio.Must(remedy.Edit)).OpenCircuits));
        Assert.Equal(list.Remedies.Select(remedy => remedy.Cost).Order(), list.Remedies.Select(remedy => remedy.Cost));
    }

    [Fact]
    public void Where_one_change_does_not_do_several_together_do()
    {
        // Two circles that share no step but a place: both have to be cut.
        var studio = Room(["a", "b", "c"], "a", "b", "c").Lay("a", "b").Lay("b", "a").Lay("a", "c").Lay("c", "a");
        Assert.Contains("Growing", Kinds(studio));
        var report = Checker.Check(studio);
        foreach (var finding in report.OpenCircuits)
        {
            var list = RemedySearch.For(report, finding);
            Assert.NotEmpty(list.Remedies);
            Assert.All(list.Remedies, remedy => Assert.Empty(Checker.Check(studio.Must(remedy.Edit)).OpenCircuits));
        }
    }

    [Fact]
    public void After_an_edit_the_findings_are_those_of_a_fresh_check()
    {
        Gen.Select(AnyRoom.Room, Gen.Int[0, 99].Array[1, 6])
            .Sample(
                (studio, edits) =>
                {
                    var report = Checker.Check(studio);
                    foreach (var which in edits)
                    {
                        if (studio.Routes.IsEmpty)
                            return;
                        var route = studio.Routes[which % studio.Routes.Length];
                        StudioEdit edit = (which % 4) switch
                        {
                            0 => new SwitchRoute(route.Id, !route.On),
                            1 => new DivertRoute(route.Id, !route.Divert),
                            2 => new AddStage(route.Id, new TransposeStage(which % 24 - 12)),
                            _ => new SoloRoute(route.Id, !route.Solo),
                        };
                        if (edit.Apply(studio).Studio is not { } after)
                            continue;
                        studio = after;
                        report = Checker.Check(studio, report);
                        var fresh = Checker.Check(studio);
                        Assert.Equal(
                            fresh.Findings.Select(finding => (finding.Key, finding.Title, finding.Sentence)),
                            report.Findings.Select(finding => (finding.Key, finding.Title, finding.Sentence))
                        );
                    }
                },
                iter: 400
            );
    }

    [Fact]
    public void A_thousand_circuits_and_a_growing_tangle_are_answered_in_bounded_time()
    {
        // Everybody passes everything on to everybody.
        var names = Enumerable.Range(1, 16).Select(number => $"d{number}").ToArray();
        var studio = Room(names, names);
        foreach (var from in names)
        {
            foreach (var to in names.Where(name => name != from))
                studio = studio.Must(new LayRoute(studio.From(from), studio.To(to)));
        }
        var report = Checker.Check(studio);
        var circuit = Assert.Single(report.OpenCircuits);
        Assert.Equal(FindingKind.Growing, circuit.Kind);
        Assert.Equal(16 * 15, circuit.Routes.Length);
        Assert.False(report.Looked.IsWhole);
    }

    [Fact]
    public void A_route_that_would_open_a_circuit_is_the_one_that_waits()
    {
        var before = Room(["a", "b", "c"], "a", "b").Lay("a", "b").Lay("c", "a");
        var laid = new LayRoute(before.From("b"), before.To("a")).Apply(before);
        var report = Checker.Check(before);
        var opening = Opening.Of(report, Checker.Check(laid.Studio!, report));
        Assert.Equal("b → a", opening.Names);
        Assert.False(opening.Waiting!.FindRoute(new RouteId(laid.NewId))!.On);
        Assert.False(opening.IsUndone);
        // Switched on again, nothing else is left of the edit.
        var on = new SwitchRoute(new RouteId(laid.NewId), true).Apply(opening.Waiting!).Studio!;
        Assert.True(Opening.Of(Checker.Check(opening.Waiting!), Checker.Check(on)).IsUndone);
    }

    [Fact]
    public void A_circuit_that_another_one_feeds_has_its_remedies()
    {
        // b goes round by itself through the route from any source, which a, in a circle of its own, feeds as well.
        var studio = Room(["a", "b"], "a", "b").Lay("a", "a");
        studio = studio.Must(new LayRoute(new AnySource([], true), studio.To("b")));
        var report = Checker.Check(studio);
        Assert.Equal(2, report.OpenCircuits.Count());
        Assert.All(report.OpenCircuits, finding =>
        {
            var list = RemedySearch.For(report, finding);
            Assert.NotEmpty(list.Remedies);
            Assert.All(list.Remedies, remedy =>
                Assert.DoesNotContain(Checker.Check(studio.Must(remedy.Edit)).OpenCircuits, other => other.Key == finding.Key)
            );
        });
    }

    [Fact]
    public void A_silence_that_a_channel_or_a_stage_less_mends_is_mended_so()
    {
        var room = Studio
            .Empty("Room")
            .Must(new AddDevice("keys, keyboard controller, ch 1"))
            .Must(new AddDevice("voice, sound module, ch 3"));
        var deaf = room.Lay("keys", "voice");
        Assert.Contains(RemedySearch.For(Checker.Check(deaf), Silent(deaf, "keys")).Remedies, remedy =>
            remedy.Title.StartsWith("Move channel 1 to 3", StringComparison.Ordinal)
        );
        var narrow = room.Lay(
            "keys",
            "voice",
            new ChannelsStage(ChannelMap.Identity.With(Ch(1), ChannelSet.Of(3))),
            new KindsStage(KindSet.Of(MessageKind.Clock))
        );
        Assert.Contains(RemedySearch.For(Checker.Check(narrow), Silent(narrow, "keys")).Remedies, remedy =>
            remedy.Title.StartsWith("Take Kinds off", StringComparison.Ordinal)
        );

        static Finding Silent(Studio studio, string name) =>
            Checker
                .Check(studio)
                .Findings.Single(finding => finding.Kind == FindingKind.Silence && finding.Title.Contains(name, StringComparison.Ordinal));
    }

    [Fact]
    public void A_route_that_waits_has_what_would_let_it_be_switched_on()
    {
        var studio = Room(["a", "b"], "a").Lay("b", "a").Lay("a", "a", new KindsStage(KindSet.Of(MessageKind.Note)));
        var route = studio.Route("a", "a").Id;
        var waiting = studio.Must(new SwitchRoute(route, false));
        var report = Checker.Check(waiting);
        Assert.Empty(report.OpenCircuits);
        var held = HeldSearch.Of(report).Findings.Single(finding => finding.Key == $"held-route-{route}");
        var list = RemedySearch.For(report, held);
        Assert.NotEmpty(list.Remedies);
        Assert.All(list.Remedies, remedy =>
        {
            var after = waiting.Must(remedy.Edit);
            Assert.True(after.FindRoute(route)!.On);
            Assert.Empty(Checker.Check(after).OpenCircuits);
            Assert.EndsWith(", and switch a → a on", remedy.Title, StringComparison.Ordinal);
        });
    }

    [Fact]
    public void In_a_large_studio_what_stands_on_the_ring_is_tried_first()
    {
        // Everything leads everywhere; the one route that closes a circle is the last.
        var names = Enumerable.Range(0, 50).Select(i => $"d{i}").ToArray();
        var studio = Room(names, "d0");
        foreach (var from in names.Skip(1))
        {
            foreach (var to in names.Where(to => to != from))
                studio = studio.Lay(from, to);
        }
        studio = studio.Lay("d0", "d0");
        var report = Checker.Check(studio);
        var finding = Assert.Single(report.OpenCircuits);
        Assert.Contains(RemedySearch.For(report, finding).Remedies, remedy => remedy.Title == "Switch off d0 → d0");
    }

    [Fact]
    public void No_remedy_has_a_smaller_one_in_it()
    {
        AnyRoom.Room.Sample(
            studio =>
            {
                var report = Checker.Check(studio);
                foreach (var finding in report.OpenCircuits.Take(2))
                {
                    var sets = RemedySearch
                        .For(report, finding)
                        .Remedies.Select(remedy => remedy.Edit is ManyEdits many ? many.Edits.ToHashSet() : [remedy.Edit])
                        .ToList();
                    foreach (var set in sets.Where(set => set.Count > 1))
                        Assert.DoesNotContain(sets, other => other.Count > 1 && other.IsProperSubsetOf(set));
                }
            },
            iter: 150
        );
    }

    [Fact]
    public void Fingers_that_a_plain_sound_does_not_hear_are_told_and_merging_mends_it()
    {
        var studio = Studio
            .Empty("Room")
            .Must(new AddDevice("skin, expressive surface"))
            .Must(new AddDevice("voice, sound module, ch 5-6"))
            .Lay("skin", "voice");
        var finding = Checker.Check(studio).Findings.Single(each => each.Kind == FindingKind.Mpe && each.Severity == Severity.Warning);
        Assert.Equal("voice loses fingers of skin", finding.Title);
        // By way of a virtual port as well, and the merge stands where it leads to the sound.
        var behind = studio
            .Must(new RemoveRoute(studio.Routes[0].Id))
            .Must(new AddVirtualPort("hall"))
            .Lay("skin", "hall")
            .Lay("hall", "voice");
        var far = Checker.Check(behind).Findings.Single(each => each.Key.StartsWith("mpe-lost", StringComparison.Ordinal));
        Assert.Equal(behind.Route("hall", "voice").Id, Assert.IsType<AddStage>(far.Mend).Id);
        Assert.DoesNotContain(Checker.Check(behind.Must(far.Mend)).Findings, each =>
            each.Key.StartsWith("mpe-lost", StringComparison.Ordinal)
        );
        Assert.EndsWith("voice listens to channels 5, 6: of 15 fingers 2 are heard.", finding.Sentence, StringComparison.Ordinal);
        var remedy = RemedySearch.For(Checker.Check(studio), finding).Remedies[0];
        Assert.Equal("Move all channels to 5 on skin → voice", remedy.Title);
        Assert.DoesNotContain(Checker.Check(studio.Must(remedy.Edit)).Findings, each =>
            each.Kind == FindingKind.Mpe && each.Severity == Severity.Warning
        );
        // Merged, or heard on every channel, no finger is lost.
        Assert.DoesNotContain(Checker.Check(studio.Must(new SetChannels(studio.Devices[1].Id, false, "all"))).Findings, each =>
            each.Key.StartsWith("mpe-lost", StringComparison.Ordinal)
        );
    }
}
