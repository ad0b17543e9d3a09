using Weiche.Core.Midi;
using Weiche.Core.Pulse;
using Weiche.Core.Stages;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;

namespace Weiche.Files;

/// <summary>The studios that Weiche can be tried with. Every device in them is made up and played by a stand-in.</summary>
public static class DemoStudio
{
    /// <summary>“Werkbank”: nothing but the stand-ins, for starting from nothing.</summary>
    public static Studio CreateEmpty() => Studio.Empty("Werkbank");

    /// <summary>“Kuppel”: a planetarium's dome, played live, made as a person would make it.</summary>
    public static Studio Create()
    {
        var make = new Maker(Studio.Empty("Kuppel"));
        make.Add("Amsel 61, keyboard controller, channel 1", "amsel-61");
        make.Add("Weiher 4×4, interface", "weiher-4x4");
        make.Add("Kies, pads, channel 10", "kies");
        make.Add("Fächer, expressive surface, channels 1-16", "faecher");
        make.Add("Halm, breath controller, channel 4", "halm");
        make.Add("Tritt 13, pedals, on Weiher 1, channel 2");
        make.Add("Brandung, keyboard with sound, on Weiher 3, channel 3, audio 3+4");
        make.Add("Zinn, sound module, on Weiher 2, channels 5-6, audio 5+6");
        make.Add("Paukenkiste, drum module, on Zinn THRU, channel 10, audio 7");
        make.Add("Uhrwerk, clock, on Weiher 4");
        make.Add("Bandhaus, application, channels all, sounds", "bandhaus");
        make.Add("Himmel, display, channel 16", "himmel");
        make.Add("Wolke, tablet, audio 9+10", "wolke");
        make.Do(new AddVirtualPort("keys to stars"));
        Describe(make);
        Lay(make);
        Arrange(make);
        return make.Studio.In(make.Studio.Lineups[1].Id);
    }

    private static void Describe(Maker make)
    {
        var noSystem = KindSet.Of(
            MessageKind.Note,
            MessageKind.PolyPressure,
            MessageKind.ControlChange,
            MessageKind.ProgramChange,
            MessageKind.ChannelPressure,
            MessageKind.PitchBend,
            MessageKind.ChannelMode
        );
        make.Do(new SetKinds(make.Device("Amsel 61").Id, true, noSystem));
        make.Do(new SetKinds(make.Device("Kies").Id, true, KindSet.Of(MessageKind.Note, MessageKind.PolyPressure)));
        make.Do(new SetKinds(make.Device("Fächer").Id, true, noSystem));
        make.Do(new SetKinds(make.Device("Halm").Id, true, KindSet.Of(MessageKind.ControlChange, MessageKind.ChannelPressure)));
        make.Do(new SetKinds(make.Device("Tritt 13").Id, true, KindSet.Of(MessageKind.Note, MessageKind.ActiveSensing)));
        make.Do(
            new SetKinds(
                make.Device("Himmel").Id,
                false,
                KindSet.Of(MessageKind.Note, MessageKind.Clock, MessageKind.Start, MessageKind.Continue, MessageKind.Stop)
            )
        );
        make.Do(new SetChannels(make.Device("Wolke").Id, true, "7"));
        make.Do(new SetZones(make.Device("Wolke").Id, 15, 0, 48));
        make.Do(new SetSound(make.Device("Wolke").Id, true, "9+10"));
        // Pads of this sort have neither name nor number of their own: they are told by their socket.
        var kies = make.Device("Kies");
        make.Do(new SetKnown(kies.Id, kies.Known! with { Pinned = true }));

        var brandung = make.Device("Brandung");
        make.Do(
            new AddInnerPath(
                brandung.Id,
                InnerPathKind.Echo,
                "sequencer page",
                End(brandung, JackRole.In),
                End(brandung, JackRole.Out),
                InnerPath.UsualDelay(InnerPathKind.Echo)
            )
        );
        make.Do(new SetKinds(brandung.Id, true, noSystem));
        var weiher = make.Device("Weiher 4×4");
        make.Do(
            new AddInnerPath(
                weiher.Id,
                InnerPathKind.Routing,
                "own routing 3 → 3",
                End(weiher, JackRole.In, 2),
                End(weiher, JackRole.Out, 2),
                InnerPath.UsualDelay(InnerPathKind.Routing)
            )
        );
        make.Switch("Weiher 4×4", "own routing 3 → 3", false);
        var bandhaus = make.Device("Bandhaus");
        var heard = Place.At(bandhaus.FirstPort(PortDirection.Destination)!.Value);
        foreach (var (track, part) in new[] { ("track 1", "A"), ("track 4", "B") })
        {
            make.Do(
                new AddInnerPath(
                    bandhaus.Id,
                    InnerPathKind.Monitor,
                    track,
                    heard,
                    Place.At(bandhaus.Ports.First(port => port.Part == part).Id),
                    InnerPath.UsualDelay(InnerPathKind.Monitor)
                )
            );
            if (part == "A")
                make.Switch("Bandhaus", track, false);
        }
    }

    private static void Lay(Maker make)
    {
        // The keyboard is cut at C3: above it Brandung, below it Zinn, an octave down.
        make.Lay("Amsel 61", "Brandung", new KeysStage(60, 127), Map("1→3"));
        make.Lay("Amsel 61", "Zinn", new KeysStage(0, 59), new TransposeStage(-12), Map("1→5"));
        make.Lay("Tritt 13", "Zinn", new KindsStage(KindSet.All.With(MessageKind.ActiveSensing, false)), Map("2→5"));
        make.Lay("Kies", "Zinn");
        make.Lay("Kies", "Himmel", new KindsStage(KindSet.Of(MessageKind.Note)), Map("10→16"));
        make.Lay("Amsel 61", "keys to stars", new KindsStage(KindSet.Of(MessageKind.Note)));
        make.Lay("keys to stars", "Himmel", Map("1→16"));
        make.Lay("Halm", "Brandung", Map("4→3"));
        make.Lay("Fächer", "Wolke", new ChannelsStage(ChannelMap.Identity, true));
        // What goes to the stars is a copy: Bandhaus hears the keys themselves.
        make.Do(new LayRoute(new AnySource([make.From("keys to stars")], false), make.To("Bandhaus")));
        // Brandung's sequencer page echoes, and track 4 monitors: a circuit is open, for a newcomer to find and to mend. And what
        // Brandung plays comes back to it beside its own keys.
        make.Lay("Bandhaus B", "Brandung", new KindsStage(KindSet.All.With(MessageKind.Clock, false)), Map("3"));
        // The surface nearly fills Zinn's DIN wire.
        make.Lay("Fächer", "Zinn", Map("1-16→6"));
    }

    /// <summary>An evening of three lineups. Pads and drums stand; all else is in the second.</summary>
    private static void Arrange(Maker make)
    {
        make.Do(new SetKeyNames(make.Device("Kies").Id, "36 = low drum\n38 = snare\n42 = closed hat\n46 = open hat"));
        make.Do(new SetPrograms(make.Device("Zinn").Id, "3 Warm bass\n17 Glass\n22 Choir\n41 Low strings\n48 Timpani"));
        foreach (var name in new[] { "Dusk", "Star field", "Dawn" })
            make.Do(new AddLineup(name));
        var (dusk, star, dawn) = (make.Studio.Lineups[0].Id, make.Studio.Lineups[1].Id, make.Studio.Lineups[2].Id);
        make.Place("Amsel 61", "Brandung", dusk, star, dawn);
        make.Place("Amsel 61", "Zinn", dusk, star);
        make.Place("Tritt 13", "Zinn", dusk, star);
        make.Place("Amsel 61", "keys to stars", star);
        make.Place("keys to stars", "Himmel", star);
        make.Place("Halm", "Brandung", star, dawn);
        make.Place("Fächer", "Wolke", star, dawn);
        make.Place("any source", "Bandhaus", star);
        make.Place("Bandhaus B", "Brandung", star, dawn);
        make.Place("Fächer", "Zinn", star);
        make.Do(new SetNote(dusk, "low and slow; the sky is still blue"));
        make.Do(new SetNote(star, "wait for the comet, then pedal down"));
        make.Do(new SetNote(dawn, "last chord rings until the lights are up"));
        make.Send(dusk, "Zinn", "5: 3", "6: 41");
        make.Send(star, "Zinn", "5: 17", "6: 22");
        make.Send(star, "Wolke", "1: bend range 48");
        make.Send(dawn, "Zinn", "5: 3", "6: 22", "volume 96 on 6");
        // The clock box keeps the time under the stars, Weiche before and after. The projector is slow: it gets its beat early.
        make.Do(new SetMaster(ClockMaster.Own));
        make.Do(new SetTempo(new Tempo(8_400)));
        make.Do(new SetMaster(new ClockMaster(make.From("Uhrwerk")), star));
        make.Do(new SetTempo(new Tempo(8_400), dusk));
        make.Do(new SetTempo(new Tempo(7_200), dawn));
        make.Do(new SetFollower(new Follower(make.To("Bandhaus"), ClockForm.Steadied, true, MidiSpan.Zero)));
        make.Do(new SetFollower(new Follower(make.To("Himmel"), ClockForm.Steadied, true, MidiSpan.FromMilliseconds(-12))));
        foreach (
            var line in new[]
            {
                "Amsel 61 program 1 → Dusk",
                "Amsel 61 program 2 → Star field",
                "Amsel 61 program 3 → Dawn",
                "Tritt 13 C2 → next",
            }
        )
            make.Do(
                LeverLine.TryParse(make.Studio, line, out var edit, out var problem) ? edit : throw new InvalidOperationException(problem)
            );
    }

    private static ChannelsStage Map(string text) =>
        ChannelMap.TryParse(text, out var map, out var problem) ? new ChannelsStage(map) : throw new InvalidOperationException(problem);

    private static Place End(Device device, JackRole role, int index = 0) =>
        Place.At(device.Jacks.Where(jack => jack.Role == role).ElementAt(index).Id);

    /// <summary>Makes a studio by edits, one after the other.</summary>
    private sealed class Maker(Studio studio)
    {
        internal Studio Studio { get; private set; } = studio;

        internal void Do(StudioEdit edit)
        {
            var result = edit.Apply(Studio);
            Studio = result.Studio ?? throw new InvalidOperationException($"{edit.Title(Studio)}: {result.Problem!.Sentence}");
        }

        internal void Add(string line, string? unit = null) => Do(new AddDevice(line, unit is null ? null : StandInUnits.Find(unit)));

        internal Device Device(string name) => Studio.Devices.First(device => device.Name == name);

        internal PortId To(string name) => Studio.Destinations.First(port => port.Name == name).Id;

        internal PortId From(string name) => Studio.Sources.First(port => port.Name == name).Id;

        internal void Switch(string device, string path, bool on) =>
            Do(new SwitchInnerPath(Device(device).Id, Device(device).InnerPaths.First(each => each.Name == path).Id, on));

        internal void Place(string from, string to, params LineupId[] lineups) =>
            Do(new SetDuty(Studio.Routes.First(route => Studio.NameOf(route.From) == from && route.To == To(to)).Id, Duty.In(lineups)));

        internal void Send(LineupId lineup, string to, params string[] lines)
        {
            foreach (var line in lines)
            {
                if (!SendingLine.TryParse(line, Studio.FindPort(To(to))!.Value, out var bytes, out var problem))
                    throw new InvalidOperationException(problem);
                Do(new AddSending(lineup, new Sending(To(to), bytes)));
            }
        }

        internal void Lay(string from, string to, params Stage[] stages)
        {
            Do(new LayRoute(From(from), To(to)));
            var route = Studio.Routes[^1].Id;
            foreach (var stage in stages)
                Do(new AddStage(route, stage));
        }
    }
}
