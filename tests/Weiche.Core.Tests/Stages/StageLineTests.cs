using CsCheck;
using Weiche.Core.Midi;
using Weiche.Core.Stages;

namespace Weiche.Core.Tests.Stages;

public class StageLineTests
{
    [Theory]
    [InlineData("keys C1 – B2", "Keys", "C1 – B2")]
    [InlineData("C3", "Keys", "C3")]
    [InlineData("not C1 – B2", "Keys", "not C1 – B2")]
    [InlineData("-12", "Transpose", "−12")]
    [InlineData("transpose +7", "Transpose", "+7")]
    [InlineData("ch 1→5", "Channels", "ch 1 → 5")]
    [InlineData("no clock", "Kinds", "no clock, start, continue, stop")]
    [InlineData("only notes", "Kinds", "notes")]
    [InlineData("velocity 20-127", "Velocity", "vel 20–127")]
    [InlineData("cc 1→11", "Controllers", "cc 1 → 11")]
    [InlineData("chord 0 4 7", "Chord", null)]
    [InlineData("thin 50", "Thin", null)]
    [InlineData("program 1→5", "Programs", null)]
    public void A_stage_is_typed_as_a_musician_would_say_it(string line, string name, string? sign)
    {
        Assert.True(StageLine.TryParse(line, KeyNaming.Usual, out var stage, out var problem), problem);
        Assert.Equal(name, stage.Name);
        if (sign is not null && name != "Kinds")
            Assert.Equal(sign, stage.Sign(KeyNaming.Usual));
        if (line == "no clock")
            Assert.False(((KindsStage)stage).Passing.Contains(MessageKind.Clock));
        if (line == "only notes")
            Assert.Equal(KindSet.Of(MessageKind.Note), ((KindsStage)stage).Passing);
    }

    [Theory]
    [InlineData("ch 2 to 5", "ch 2→5")]
    [InlineData("channel 2 to channel 5", "ch 2→5")]
    [InlineData("Ch 1 -> 3 and 4", "ch 1→3+4")]
    [InlineData("16 ch → 6", "ch 1-16→6")]
    [InlineData("all ch to 6", "ch 1-16→6")]
    [InlineData("everything to ch 6", "ch 1-16→6")]
    [InlineData("only ch 1", "ch 1")]
    [InlineData("only channels 1-4", "ch 1-4")]
    [InlineData("ch 1 only", "ch 1")]
    [InlineData("no ch 10", "ch 1-9, 11-16")]
    [InlineData("MPE kept whole", "mpe")]
    [InlineData("velocity 50 %", "vel × 50 %")]
    [InlineData("velocity 50%", "vel × 50 %")]
    [InlineData("vel 20–127 × 50 % +3", "velocity 20-127 50 % +3")]
    [InlineData("velocity -10", "vel −10")]
    [InlineData("only cc 16", "cc 16→16, others stop")]
    [InlineData("no cc 64", "cc 64 stop")]
    [InlineData("no sustain", "cc 64 stop")]
    [InlineData("no mod wheel", "cc 1 stop")]
    [InlineData("cc1 to cc11", "cc 1→11")]
    [InlineData("cc 1 → 11", "cc 1→11")]
    [InlineData("cc 64 → stop", "cc 64 stop")]
    [InlineData("no program", "no program changes")]
    [InlineData("no pc", "no program changes")]
    [InlineData("no pitchbend", "no bend")]
    [InlineData("no aftertouch", "no pressure")]
    [InlineData("notes only", "only notes")]
    [InlineData("just notes and clock", "only notes, clock")]
    [InlineData("without clock", "no clock")]
    [InlineData("octave up", "transpose 12")]
    [InlineData("up an octave", "transpose 12")]
    [InlineData("two octaves down", "transpose -24")]
    [InlineData("-1 octave", "transpose -12")]
    [InlineData("up 5", "transpose 5")]
    [InlineData("down 7 semitones", "transpose -7")]
    [InlineData("5 semitones up", "transpose 5")]
    [InlineData("C1 to B2", "keys C1 – B2")]
    [InlineData("36 to 59", "keys 36 – 59")]
    [InlineData("only C1 – B2", "keys C1 – B2")]
    [InlineData("no C1 – B2", "not C1 – B2")]
    [InlineData("below C3", "keys C-2 – B2")]
    [InlineData("up to C3", "keys C-2 – C3")]
    [InlineData("above C3", "keys C#3 – G8")]
    [InlineData("C3 and up", "keys C3 – G8")]
    [InlineData("prog 1 → 5", "program 1→5")]
    [InlineData("prog 2 → stop", "program 2 stop")]
    [InlineData("≤ 50/s", "thin 50")]
    [InlineData("at most 50 a second", "thin 50")]
    [InlineData("major chord", "chord 0 4 7")]
    [InlineData("1 to 3", "ch 1→3")]
    [InlineData("1->3", "ch 1→3")]
    [InlineData("1-4", "ch 1-4")]
    [InlineData("36-59", "keys 36 – 59")]
    [InlineData("to channel 3", "ch 1-16→3")]
    [InlineData("transpose 1 octave", "transpose 12")]
    [InlineData("fixed velocity 90", "velocity 90")]
    [InlineData("velocity fixed at 90", "velocity 90")]
    [InlineData("softer", "velocity -20")]
    [InlineData("louder", "velocity +20")]
    [InlineData("mod to expression", "cc 1→11")]
    [InlineData("modulation → cc 74", "cc 1→74")]
    [InlineData("no foot pedal", "cc 4 stop")]
    [InlineData("cc 7 invert", "cc 7→7 inverted")]
    [InlineData("reverse expression", "cc 11→11 inverted")]
    [InlineData("arp", "pattern up 1/16")]
    [InlineData("thin 20 ms", "thin 50")]
    public void What_a_musician_says_is_what_the_rule_says(string said, string plain)
    {
        Assert.True(StageLine.TryParse(said, KeyNaming.Usual, out var stage, out var problem), problem);
        Assert.True(StageLine.TryParse(plain, KeyNaming.Usual, out var expected, out problem), problem);
        Assert.Equal(expected, stage);
    }

    [Fact]
    public void Velocity_100_makes_all_alike()
    {
        Assert.True(StageLine.TryParse("velocity 100", KeyNaming.Usual, out var stage, out _));
        Span<MidiMessage> results = new MidiMessage[Stage.MaxFanOut];
        for (var velocity = 1; velocity < 128; velocity++)
        {
            Assert.Equal(1, stage.Apply(MidiMessage.NoteOn(Channel.FromNumber(1), 60, velocity), results));
            Assert.Equal(100, results[0].Data2);
        }
    }

    [Fact]
    public void Every_phrase_that_is_offered_is_understood() =>
        Assert.All(StageSpeech.Phrases, phrase =>
            Assert.True(StageLine.TryParse(phrase, KeyNaming.Usual, out _, out var problem), problem)
        );

    [Theory]
    [InlineData("chanel 2 to 5", "ch 2 to 5")]
    [InlineData("no klock", "no clock")]
    [InlineData("velocty 50 %", "velocity 50 %")]
    [InlineData("oktave up", "octave up")]
    public void What_is_not_understood_gets_the_nearest(string line, string nearest)
    {
        Assert.False(StageLine.TryParse(line, KeyNaming.Usual, out _, out var problem));
        Assert.Contains($"Nearest to it: ", problem, StringComparison.Ordinal);
        Assert.Contains($"“{nearest}”", problem[..problem.IndexOf(". Type", StringComparison.Ordinal)], StringComparison.Ordinal);
    }

    [Fact]
    public void What_is_no_stage_is_said_where_it_is_done()
    {
        Assert.False(StageLine.TryParse("mute", KeyNaming.Usual, out _, out var problem));
        Assert.StartsWith("“mute” is no stage: the route's own switch does that, or the key o.", problem, StringComparison.Ordinal);
    }

    [Fact]
    public void What_a_sign_says_whole_can_be_typed()
    {
        // Signs of one rule, as they stand on the plan.
        AnyStage.Any.Sample(
            stage =>
            {
                if (
                    stage is KindsStage or OffStage or ChannelsStage
                    || stage.Sign(KeyNaming.Usual).Contains(" of ", StringComparison.Ordinal)
                    || stage.Sign(KeyNaming.Usual).EndsWith("controllers", StringComparison.Ordinal)
                    || stage.Sign(KeyNaming.Usual).EndsWith("programs", StringComparison.Ordinal)
                    || stage is ControllersStage or ProgramsStage or KeysStage
                )
                    return;
                Assert.True(StageLine.TryParse(stage.Sign(KeyNaming.Usual), KeyNaming.Usual, out var read, out var problem), problem);
                Assert.Equal(stage.Sign(KeyNaming.Usual), read.Sign(KeyNaming.Usual));
            },
            iter: 2_000
        );
    }

    [Theory]
    [InlineData("")]
    [InlineData("louder please")]
    [InlineData("keys B2 – C1")]
    [InlineData("keys H3")]
    [InlineData("no nonsense")]
    [InlineData("velocity 90-20")]
    [InlineData("transpose 500")]
    [InlineData("thin 0")]
    [InlineData("60")]
    public void What_is_none_is_said(string line)
    {
        Assert.False(StageLine.TryParse(line, KeyNaming.Usual, out var stage, out var problem));
        Assert.Null(stage);
        Assert.NotEqual("", problem);
    }

    [Fact]
    public void Any_text_is_a_stage_or_a_sentence()
    {
        var word = Gen.OneOf(
            "keys",
            "no",
            "only",
            "ch",
            "cc",
            "thin",
            "C1",
            "–",
            "-",
            "→",
            "→5",
            "1",
            "127",
            "notes",
            "clock",
            "chord",
            "velocity",
            ",",
            "+",
            "stop",
            ""
        );
        Gen.OneOf(word.Array[0, 6].Select(words => string.Join(' ', words)), Gen.String[0, 30])
            .Sample(
                line =>
                    Assert.Equal(
                        StageLine.TryParse(line, KeyNaming.Usual, out var stage, out var problem),
                        stage is not null && problem.Length == 0
                    ),
                iter: 5_000
            );
    }

    [Fact]
    public void The_rule_of_a_drawn_line_is_the_one_it_was_drawn_from()
    {
        Gen.Select(Gen.Int[40, 160], Gen.Int[-20, 20], Gen.Int[-10, 10])
            .Sample(
                (scale, offset, curve) =>
                {
                    var meant = new VelocityStage(5, 120, scale, offset, curve * 10);
                    var line = Enumerable
                        .Range(1, 127)
                        .Where(comes => meant.Bend(comes) is > 1 and < 127)
                        .Select(comes => (comes, meant.Bend(comes)))
                        .ToList();
                    if (line.Count < 30)
                        return;
                    var found = VelocityFit.Find(new VelocityStage(5, 120), line);
                    Assert.Equal((5, 120), (found.Lowest, found.Highest));
                    Assert.True(
                        line.Average(point => Math.Abs(found.Bend(point.comes) - point.Item2)) < 1.5,
                        $"{meant.Sign(KeyNaming.Usual)} was found as {found.Sign(KeyNaming.Usual)}"
                    );
                },
                iter: 300
            );
    }

    [Fact]
    public void A_line_that_is_none_is_not_read()
    {
        Assert.All(["", "1:2", "5:5,5:6", "a:b,1:2", "0:1,2:3", "1:200,2:3", "1,2"], text => Assert.Null(VelocityFit.TryParse(text)));
        Assert.Equal([(1, 20), (127, 90)], VelocityFit.TryParse("1:20,127:90"));
    }

    [Theory]
    [InlineData("90 3C 60", "90 3C 60")]
    [InlineData("b00740", "B0 07 40")]
    [InlineData("F8", "F8")]
    [InlineData("C2 0B", "C2 0B")]
    public void A_message_is_given_as_its_bytes(string text, string bytes)
    {
        Assert.True(MessageInput.TryRead(text, null, 0, 0, KeyNaming.Usual, out var message, out var problem), problem);
        Assert.Equal(bytes, MessageText.Hex(message));
    }

    [Theory]
    [InlineData("90 3C", null, 1, 1, "has 3 bytes, not 2")]
    [InlineData("F0 7E 00", null, 1, 1, "no message that can be followed")]
    [InlineData("90 3C 90", null, 1, 1, "no message that can be followed")]
    [InlineData("zz", null, 1, 1, "in hexadecimal")]
    [InlineData(null, "X9", 1, 1, "is no key")]
    [InlineData(null, "C3", 0, 1, "Velocities go from 1 to 127")]
    [InlineData(null, "C3", 1, 17, "Channels go from 1 to 16")]
    [InlineData(null, null, 1, 1, "Say which key")]
    public void A_message_that_is_none_is_said(string? bytes, string? key, int velocity, int channel, string reason)
    {
        Assert.False(MessageInput.TryRead(bytes, key, velocity, channel, KeyNaming.Usual, out _, out var problem));
        Assert.Contains(reason, problem, StringComparison.Ordinal);
    }
}
