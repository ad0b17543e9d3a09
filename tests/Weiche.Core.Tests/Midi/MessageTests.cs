using System.Runtime.CompilerServices;
using Weiche.Core.Midi;

namespace Weiche.Core.Tests.Midi;

public class MessageTests
{
    private static readonly Channel One = Channel.FromNumber(1);

    [Fact]
    public void A_message_takes_eight_bytes() => Assert.Equal(8, Unsafe.SizeOf<MidiMessage>());

    [Theory]
    [InlineData(0xF0, 0, 0)]
    [InlineData(0xF4, 0, 0)]
    [InlineData(0xF7, 0, 0)]
    [InlineData(0xF9, 0, 0)]
    [InlineData(0x7F, 0, 0)]
    [InlineData(0x90, 128, 0)]
    [InlineData(0x90, 60, -1)]
    [InlineData(0xC0, 1, 1)]
    [InlineData(0xF8, 1, 0)]
    public void A_message_that_midi_does_not_have_cannot_be_made(int status, int data1, int data2) =>
        Assert.Throws<ArgumentOutOfRangeException>(() => MidiMessage.FromBytes(status, data1, data2));

    [Theory]
    [InlineData(0)]
    [InlineData(17)]
    public void A_channel_is_from_1_to_16(int number) => Assert.Throws<ArgumentOutOfRangeException>(() => Channel.FromNumber(number));

    [Fact]
    public void Every_status_has_the_kind_that_the_standard_gives_it()
    {
        var kinds = new Dictionary<int, MessageKind>
        {
            [0x8A] = MessageKind.Note,
            [0x90] = MessageKind.Note,
            [0xA1] = MessageKind.PolyPressure,
            [0xB1] = MessageKind.ControlChange,
            [0xCF] = MessageKind.ProgramChange,
            [0xD2] = MessageKind.ChannelPressure,
            [0xE3] = MessageKind.PitchBend,
            [0xF1] = MessageKind.QuarterFrame,
            [0xF2] = MessageKind.SongPosition,
            [0xF3] = MessageKind.SongSelect,
            [0xF6] = MessageKind.TuneRequest,
            [0xF8] = MessageKind.Clock,
            [0xFA] = MessageKind.Start,
            [0xFB] = MessageKind.Continue,
            [0xFC] = MessageKind.Stop,
            [0xFE] = MessageKind.ActiveSensing,
            [0xFF] = MessageKind.Reset,
        };
        foreach (var (status, kind) in kinds)
            Assert.Equal(kind, MidiMessage.FromBytes(status).Kind);
        Assert.Equal(MessageKind.ControlChange, MidiMessage.ControlChange(One, 119, 0).Kind);
        Assert.Equal(MessageKind.ChannelMode, MidiMessage.ControlChange(One, 120, 0).Kind);
    }

    [Fact]
    public void A_note_on_of_velocity_0_is_a_note_off()
    {
        Assert.True(MidiMessage.NoteOffAsOn(One, 60).IsNoteOff);
        Assert.False(MidiMessage.NoteOffAsOn(One, 60).IsNoteOn);
        Assert.True(MidiMessage.NoteOn(One, 60, 1).IsNoteOn);
        Assert.Throws<ArgumentOutOfRangeException>(() => MidiMessage.NoteOn(One, 60, 0));
    }

    [Fact]
    public void Messages_are_told_in_a_musicians_words()
    {
        Assert.Equal("C3 on, 96", MessageText.Words(MidiMessage.NoteOn(One, 60, 96), KeyNaming.Usual));
        Assert.Equal("C3 off", MessageText.Words(MidiMessage.NoteOff(One, 60), KeyNaming.Usual));
        Assert.Equal("bend +212", MessageText.Words(MidiMessage.PitchBend(One, 212), KeyNaming.Usual));
        Assert.Equal("bend −8192", MessageText.Words(MidiMessage.PitchBend(One, -8192), KeyNaming.Usual));
        Assert.Equal("sustain 127", MessageText.Words(MidiMessage.ControlChange(One, 64, 127), KeyNaming.Usual));
        Assert.Equal("all notes off", MessageText.Words(MidiMessage.ControlChange(One, 123, 0), KeyNaming.Usual));
        Assert.Equal("local control off", MessageText.Words(MidiMessage.ControlChange(One, 122, 0), KeyNaming.Usual));
        Assert.Equal("program 1", MessageText.Words(MidiMessage.ProgramChange(One, 0), KeyNaming.Usual));
        Assert.Equal("90 3C 60", MessageText.Hex(MidiMessage.NoteOn(One, 60, 96)));
        Assert.Equal("F0 7E 01 …", MessageText.Hex(new SysExPool().Add([0x7E, 1, 2]), [0x7E, 1], 3));
    }

    [Fact]
    public void A_kind_set_holds_what_was_put_in()
    {
        var set = KindSet.All.With(MessageKind.Clock, false);
        Assert.False(set.Contains(MessageKind.Clock));
        Assert.Equal(MessageKinds.Count - 1, set.Count);
        Assert.Equal(KindSet.Of(MessageKind.Clock), set.Complement);
    }

    [Fact]
    public void A_system_exclusive_is_kept_until_the_last_holder_lets_go()
    {
        var pool = new SysExPool();
        var message = pool.Add([1, 2, 3]);
        pool.AddReference(message);
        pool.Release(message);
        Assert.Equal(3, pool.Bytes(message.SysExHandle).Length);
        pool.Release(message);
        Assert.Throws<InvalidOperationException>(() => pool.Release(message));
        var next = pool.Add([4]);
        Assert.NotEqual(message.SysExHandle, next.SysExHandle);
        Assert.Throws<InvalidOperationException>(() => pool.Bytes(message.SysExHandle).Length);
    }

    [Fact]
    public void The_pool_refuses_what_does_not_fit_and_keeps_what_it_has()
    {
        var pool = new SysExPool(maxMessageLength: 600, maxTotalLength: 1024);
        var first = pool.Add(new byte[600]);
        Assert.Throws<ArgumentException>(() => pool.Add(new byte[601]));
        Assert.Throws<ArgumentException>(() => pool.Add(new byte[500]));
        Assert.Throws<ArgumentException>(() => pool.Add([0x80]));
        Assert.Equal(600, pool.Bytes(first.SysExHandle).Length);
        pool.Release(first);
        Assert.Equal(0, pool.Count);
        Assert.Equal(600, pool.Bytes(pool.Add(new byte[600]).SysExHandle).Length);
    }
}
