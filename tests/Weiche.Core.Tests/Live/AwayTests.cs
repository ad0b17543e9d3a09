using CsCheck;
using Weiche.Core.Live;
using Weiche.Core.Midi;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;
using Weiche.Core.Tests.Midi;
using static Weiche.Core.Tests.Rooms;

namespace Weiche.Core.Tests.Live;

/// <summary>A destination that nobody takes for a while: what it is owed is paid first when it is back, and nothing hangs.</summary>
public class AwayTests
{
    private const int Cases = 3000;

    [Fact]
    public void Keys_and_pedals_let_go_meanwhile_end_first_and_what_only_happened_meanwhile_is_gone()
    {
        var rig = new Rig(Of("x", "a").Lay("x", "a"));
        var a = rig.Studio.To("a");
        rig.Send("x", 0x90, 60, 100, 0x91, 62, 90, 0xB0, 64, 127);
        rig.NewAt(a);
        rig.Leave(a);
        rig.Send("x", 0x80, 60, 30, 0xB0, 64, 0, 0x90, 65, 80, 0x80, 65, 0, 0x90, 67, 80, 0xB0, 1, 33);
        Assert.Empty(rig.NewAt(a));
        rig.Return(a);
        Assert.Equal(["803C40", "B04000"], rig.NewAt(a));
        rig.Send("x", 0x80, 67, 0, 0x81, 62, 0);
        Assert.Equal(["804300", "813E00"], rig.NewAt(a));
    }

    [Fact]
    public void A_key_that_is_down_again_is_not_ended_and_ends_when_it_is_let_go()
    {
        var rig = new Rig(Of("x", "a").Lay("x", "a"));
        var a = rig.Studio.To("a");
        rig.Send("x", 0x90, 60, 100);
        rig.Leave(a);
        rig.Send("x", 0x80, 60, 0, 0x90, 60, 100);
        rig.NewAt(a);
        rig.Return(a);
        Assert.Empty(rig.NewAt(a));
        rig.Send("x", 0x80, 60, 0);
        Assert.Equal(["803C00"], rig.NewAt(a));
    }

    [Fact]
    public void All_notes_off_meanwhile_is_made_up_for()
    {
        var rig = new Rig(Of("x", "a").Lay("x", "a"));
        var a = rig.Studio.To("a");
        rig.Send("x", 0x90, 60, 100, 0xB0, 64, 127, 0xE0, 0, 100, 0xD0, 50);
        rig.NewAt(a);
        rig.Leave(a);
        rig.AllNotesOff();
        rig.Return(a);
        Assert.Equal(["803C40", "B04000", "B04200", "B04300", "B07800", "B07B00", "E00040", "D000"], rig.NewAt(a));
        // It is paid once.
        rig.Leave(a);
        rig.Send("x", 0xB0, 1, 1);
        rig.Return(a);
        Assert.Empty(rig.NewAt(a));
    }

    [Fact]
    public void Who_comes_back_is_told_what_the_last_lineup_that_had_something_for_it_sends()
    {
        var studio = Of("x", "a", "b").Lay("x", "a").Lay("x", "b");
        foreach (var name in new[] { "One", "Two", "Three" })
            studio = studio.Must(new AddLineup(name));
        var a = studio.To("a");
        studio = studio
            .Must(new AddSending(studio.Lineups[0].Id, new Sending(a, [0xC0, 1])))
            .Must(new AddSending(studio.Lineups[1].Id, new Sending(a, [0xB0, 7, 90, 0xC0, 2])))
            .Must(new AddSending(studio.Lineups[1].Id, new Sending(studio.To("b"), [0xC0, 9])));
        var rig = new Rig(studio.In(studio.Lineups[0].Id));
        // Nothing was entered yet: what it has on, somebody chose by hand.
        rig.Leave(a);
        rig.Return(a);
        Assert.Empty(rig.NewAt(a));

        // Missed: after what is owed, and before what is played.
        rig.Send("x", 0x90, 60, 100);
        rig.NewAt(a);
        rig.Leave(a);
        rig.Enter(studio.Lineups[1].Id);
        rig.Enter(studio.Lineups[2].Id);
        rig.Send("x", 0x80, 60, 0);
        Assert.Empty(rig.NewAt(a));
        rig.Return(a);
        rig.Send("x", 0x90, 62, 100, 0x80, 62, 0);
        Assert.Equal(["803C40", "B0075A", "C002", "903E64", "803E00"], rig.NewAt(a));
        Assert.Equal(["903C64", "C009", "803C00", "903E64", "803E00"], rig.NewAt(studio.To("b")));

        // Heard, and forgotten where it had no power.
        rig.Leave(a);
        rig.Return(a);
        Assert.Equal(["B0075A", "C002"], rig.NewAt(a));
        Assert.Empty(rig.NewAt(studio.To("b")));
        // As that lineup is now; nothing of one that is gone.
        rig.Leave(a);
        rig.Edit(new RemoveSending(studio.Lineups[1].Id, 0, rig.Studio.Lineups[1].Sends[0]));
        rig.Return(a);
        Assert.Empty(rig.NewAt(a));
        rig.Enter(studio.Lineups[0].Id);
        Assert.Equal(["C001"], rig.NewAt(a));
        rig.Leave(a);
        rig.Edit(new RemoveLineup(studio.Lineups[0].Id));
        rig.Return(a);
        Assert.Empty(rig.NewAt(a));
    }

    [Fact]
    public void An_end_of_which_a_part_has_gone_out_is_owed()
    {
        var studio = Of("x", "a").Lay("x", "a");
        var engine = new Engine(CompiledStudio.Compile(studio));
        var far = new Far();
        void Drain()
        {
            engine.Drain(ref far, new MidiTime(1));
            engine.Drain(studio.To("a"), ref far, new MidiTime(1));
        }
        engine.Receive(studio.From("x"), [0x90, 60, 100], new MidiTime(1));
        Drain();
        far.Room = 2;
        engine.Receive(studio.From("x"), [0x80, 60, 0], new MidiTime(2));
        Drain();
        far.Room = 100;
        engine.Return(studio.To("a"), new MidiTime(3));
        Drain();
        Assert.Equal([0x90, 60, 100, 0x80, 60, 0x80, 60, 64], far.Got);
    }

    [Fact]
    public void Nothing_hangs_whatever_comes_goes_and_is_edited_meanwhile() =>
        Gen.Select(Gen.Int[0, 9], Gen.Int[0, 2], Gen.Int[0, 2], Gen.Int[60, 61], Gen.Bool)
            .Array[1, 60]
            .Sample(
                steps =>
                {
                    string[] names = ["x", "y", "z"];
                    var rig = new Rig(Of(names).Lay("x", "y").Lay("x", "z").Lay("y", "z"));
                    foreach (var (sort, which, channel, key, on) in steps)
                    {
                        var (from, to) = (rig.Studio.From(names[which]), rig.Studio.To(names[which]));
                        switch (sort)
                        {
                            case 0:
                                rig.Leave(to);
                                break;
                            case 1:
                                rig.Return(to);
                                break;
                            case 2:
                                rig.BreakOff(from);
                                break;
                            case 3 when on:
                                rig.AllNotesOff();
                                break;
                            case 3 or 4:
                                var route = rig.Studio.Routes[which].Id;
                                rig.Edit(new SwitchRoute(route, on));
                                break;
                            case 5:
                                rig.Send(from, (byte)(0xB0 | channel), 64, on ? (byte)127 : (byte)0);
                                break;
                            default:
                                rig.Send(from, (byte)((on ? 0x90 : 0x80) | channel), (byte)key, 64);
                                break;
                        }
                    }
                    foreach (var name in names)
                        rig.BreakOff(rig.Studio.From(name));
                    foreach (var name in names)
                        rig.Return(rig.Studio.To(name));
                    foreach (var name in names)
                    {
                        var held = new HashSet<string>();
                        foreach (var message in rig.At(name))
                        {
                            var item = message[1..4];
                            if (message[0] == '9' || (message[0] == 'B' && message[2..4] == "40" && message[4..] != "00"))
                                held.Add(item);
                            else if (message[0] is '8' or 'B')
                                held.Remove(item);
                        }
                        Assert.True(held.Count == 0, $"{name} still holds {string.Join(' ', held)} after {string.Join(' ', rig.At(name))}");
                    }
                },
                iter: Cases
            );

    /// <summary>Takes as much as there is room for; then it is away.</summary>
    private sealed class Far : IByteTaker
    {
        internal int Room { get; set; } = 3;

        internal List<byte> Got { get; } = [];

        public int Take(PortId destination, ReadOnlySpan<byte> bytes)
        {
            if (Room == 0)
                return IByteTaker.Away;
            var count = Math.Min(Room, bytes.Length);
            Got.AddRange(bytes[..count]);
            Room -= count;
            return count;
        }
    }
}
