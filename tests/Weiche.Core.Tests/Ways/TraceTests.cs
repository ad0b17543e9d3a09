using CsCheck;
using Weiche.Core.Midi;
using Weiche.Core.Sets;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;
using Weiche.Core.Tests.Stages;
using Weiche.Core.Ways;
using static Weiche.Core.Tests.Rooms;

namespace Weiche.Core.Tests.Ways;

public class TraceTests
{
    private static readonly Studio Dome = QuietDome();

    private static readonly Gen<MidiMessage> Message = Gen.OneOf(
        Gen.Select(Gen.Int[1, 16], Gen.Int[0, 127], Gen.Int[1, 127])
            .Select((channel, key, velocity) => MidiMessage.NoteOn(Ch(channel), key, velocity)),
        Gen.Select(Gen.Int[1, 16], Gen.Int[0, 119], Gen.Int[0, 127])
            .Select((channel, number, value) => MidiMessage.ControlChange(Ch(channel), number, value)),
        Gen.Const(MidiMessage.Clock)
    );

    /// <summary>The devices of the dome with routes of all sorts between them, and its ways open or closed.</summary>
    private static readonly Gen<Studio> AnyDome = Gen.Select(
            Gen.Select(Gen.Int[0, 99], Gen.Int[0, 99], AnyStage.WithoutTime.Array[0, 2], Gen.Int[0, 7]).Array[1, 12],
            Gen.Int[0, 15]
        )
        .Select(
            (routes, open) =>
            {
                var studio = Dome.Must(new ManyEdits([.. Dome.Routes.Select(route => (StudioEdit)new RemoveRoute(route.Id))], "clear"));
                var paths = studio
                    .Devices.SelectMany(device =>
                        device
                            .InnerPaths.Where(path => path.Kind is InnerPathKind.Echo or InnerPathKind.Monitor or InnerPathKind.Routing)
                            .Select(path => (device.Id, path.Id))
                    )
                    .ToList();
                for (var i = 0; i < paths.Count; i++)
                    studio = studio.Must(new SwitchInnerPath(paths[i].Item1, paths[i].Item2, (open >> (i % 4) & 1) != 0));
                var (sources, destinations) = (studio.Sources.ToList(), studio.Destinations.ToList());
                foreach (var (from, to, stages, how) in routes)
                {
                    var source = from % 10 == 0 ? AnySource.Plain : RouteSource.FromPortId(sources[from % sources.Count].Id);
                    var laid = new LayRoute(source, destinations[to % destinations.Count].Id, Another: true).Apply(studio);
                    if (laid.Studio is not { } after)
                        continue;
                    var id = new RouteId(laid.NewId);
                    studio = stages.Aggregate(after, (room, stage) => room.Must(new AddStage(id, stage)));
                    if (how == 0)
                        studio = studio.Must(new DivertRoute(id, true));
                    if (how == 1)
                        studio = studio.Must(new SwitchRoute(id, false));
                }
                return studio;
            }
        );

    private static Trace Play(Studio studio, string source, int key, int channel) =>
        Trace.Of(studio, studio.Sources.Single(port => port.Name == source).Id, MidiMessage.NoteOn(Ch(channel), key, 96));

    [Fact]
    public void A_key_below_the_cut_sounds_on_Zinn_alone_and_the_reason_is_given_for_the_rest()
    {
        var trace = Play(Dome, "Amsel 61", 48, 1);
        Assert.Equal(
            "sounds on Bandhaus and Zinn; heard without a sound by Himmel; not listened to by Paukenkiste; stopped on the way to "
                + "Brandung; nothing else",
            trace.Sentence
        );
        var stopped = Assert.Single(trace.Steps, step => step.End == TraceEnd.Stopped);
        Assert.Equal("stopped by Keys: C2 is below C3", stopped.Words);
        Assert.Equal(0, stopped.StoppedAt);
        var zinn = Assert.Single(trace.Steps, step => step is { End: TraceEnd.Sounds, Device.Name: "Zinn" });
        Assert.Equal("sounds: C1 on, 96 on channel 5, audio 5+6", zinn.Words);
        // USB into Weiche, USB to the interface, and three bytes on DIN.
        Assert.Equal(new MidiSpan(1_000 + 1_000 + 3 * 320), zinn.Delay);
        // Its thru repeats the bits: Paukenkiste hears the same two microseconds later, and does not listen.
        var chain = Assert.Single(trace.Steps, step => step is { End: TraceEnd.NotListened, Device.Name: "Paukenkiste" });
        Assert.Equal("arrives on channel 5, Paukenkiste listens to 10", chain.Words);
        Assert.Equal(zinn.Delay + new MidiSpan(2), chain.Delay);
        Assert.Contains(trace.Steps, step => step.Words == "Himmel is a display: it makes no sound");
    }

    [Fact]
    public void Local_control_and_an_open_echo_are_ways_too()
    {
        var brandung = Dome.Devices.Single(device => device.Name == "Brandung");
        var trace = Play(Dome, "Brandung", 60, 3);
        Assert.Contains(trace.Steps, step => step.Words == "its own keys play its sound, audio 3+4");
        Assert.DoesNotContain(trace.Steps, step => step.End == TraceEnd.Again);

        var closed = Dome.Must(new SwitchInnerPath(brandung.Id, brandung.LocalControl!.Id, false));
        Assert.Contains(Play(closed, "Brandung", 60, 3).Steps, step =>
            step.Words == "its keys do not play its own sound: local control is off"
        );

        // With the monitor of track 4 and the echo open, what Brandung plays comes back to it, and round again.
        var bandhaus = Dome.Devices.Single(device => device.Name == "Bandhaus");
        var circle = Dome.Must(
                new SwitchInnerPath(brandung.Id, brandung.InnerPaths.Single(path => path.Kind == InnerPathKind.Echo).Id, true)
            )
            .Must(new SwitchInnerPath(bandhaus.Id, bandhaus.InnerPaths.Single(path => path.Name == "track 4").Id, true));
        trace = Play(circle, "Brandung", 60, 3);
        Assert.Contains(trace.Steps, step => step.End == TraceEnd.Again);
        Assert.Contains("goes round in a circle", trace.Sentence, StringComparison.Ordinal);
        Assert.True(trace.IsWhole);
    }

    [Fact]
    public void What_goes_nowhere_is_said()
    {
        var trace = Trace.Of(Of("a", "b"), Of("a", "b").From("a"), MidiMessage.Clock);
        Assert.Empty(trace.Steps);
        Assert.Equal("goes nowhere: no route leads on from here", trace.Sentence);
        Assert.Throws<ArgumentException>(() => Trace.Of(Of("a"), new PortId(99), MidiMessage.Clock));
    }

    [Fact]
    public void Forwards_and_backwards_agree_on_every_message()
    {
        var (agreed, arrived) = (0, 0);
        Gen.Select(AnyDome, Message, Gen.Int[0, 99], Gen.Int[0, 99])
            .Sample(
                (studio, message, from, to) =>
                {
                    var sources = studio.Sources.Where(port => port.Device.Kind != DeviceKind.VirtualPort).ToList();
                    var (source, destination) = (
                        sources[from % sources.Count],
                        studio.Destinations.ElementAt(to % studio.Destinations.Count()).Id
                    );
                    if (!MessageSet.Of(source.Channels, source.Device.SendsKinds).Contains(message))
                        return;
                    var trace = Trace.Of(studio, source.Id, message);
                    if (!trace.IsWhole)
                        return;
                    var forwards = trace.Steps.Any(step => step.Route?.To == destination && !step.Became.IsEmpty);
                    var backwards =
                        Reach
                            .To(studio, destination)
                            .FirstOrDefault(reaching => reaching.Source.Id == source.Id)
                            ?.Messages.Contains(message) == true;
                    Assert.True(
                        forwards == backwards,
                        $"{Trace.Spoken(message, KeyNaming.Usual)} {source.Label}: forwards {forwards}, backwards {backwards}"
                    );
                    Interlocked.Increment(ref agreed);
                    if (forwards)
                        Interlocked.Increment(ref arrived);
                },
                iter: 3_000
            );
        Assert.True(arrived > agreed / 20, $"only {arrived} of {agreed} arrived: the test sees too little");
    }

    [Fact]
    public void Delays_never_run_back_and_steps_follow_one_another()
    {
        Gen.Select(AnyDome, Message, Gen.Int[0, 99])
            .Sample(
                (studio, message, from) =>
                {
                    var source = studio.Sources.ElementAt(from % studio.Sources.Count());
                    var trace = Trace.Of(studio, source.Id, message);
                    for (var i = 0; i < trace.Steps.Length; i++)
                    {
                        var step = trace.Steps[i];
                        Assert.True(step.After < i);
                        Assert.Equal(step.End == TraceEnd.Stopped, step.Became.IsEmpty);
                        Assert.True((step.End == TraceEnd.GoesOn) == (step.Words.Length == 0), step.Words);
                        if (step.After >= 0)
                            Assert.True(
                                step.Delay >= trace.Steps[step.After].Delay && trace.Steps[step.After].Became.Intersect(step.Came).Any()
                            );
                    }
                },
                iter: 1_000
            );
    }

    [Fact]
    public void What_reaches_a_destination_is_said_in_words()
    {
        var zinn = Dome.Destinations.Single(port => port.Name == "Zinn").Id;
        var reaching = Reach.To(Dome, zinn);
        Assert.Equal(["Amsel 61", "Tritt 13", "Kies"], reaching.Select(each => each.Source.Name));
        // An octave down: what would fall off the end does not get there.
        Assert.StartsWith("notes C-1 – B2 on channel 1; ", SetWords.Of(reaching[0].Messages, KeyNaming.Usual), StringComparison.Ordinal);
        Assert.Equal("notes on channel 2", SetWords.Of(reaching[1].Messages, KeyNaming.Usual));
        Assert.Equal("nothing", SetWords.Of(MessageSet.Empty, KeyNaming.Usual));
        Assert.Equal("everything", SetWords.Of(MessageSet.All, KeyNaming.Usual));
        Assert.Equal(
            "notes on channels 2, 3",
            SetWords.Of(MessageSet.Of(ChannelSet.Of(2, 3), KindSet.Of(MessageKind.Note)), KeyNaming.Usual)
        );
        Assert.Equal("C-2, C3 – D3", SetWords.Ranges(UInt128.One | (UInt128)7 << 60, KeyNaming.Usual));
    }
}
