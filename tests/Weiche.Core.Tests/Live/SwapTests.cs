using Weiche.Core.Live;
using Weiche.Core.Midi;
using Weiche.Core.Stages;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;
using static Weiche.Core.Tests.Rooms;

namespace Weiche.Core.Tests.Live;

/// <summary>Putting another studio in force is one step between two messages, and all that takes time is done beforehand.</summary>
public class SwapTests
{
    [Fact]
    public void It_allocates_nothing()
    {
        var studio = Of("a", "b", "c")
            .Lay("a", "b", new KeysStage(0, 90), new ThinStage(100))
            .Lay("a", "c", new ChordStage(0, 4))
            .Lay("b", "c");
        var engine = new Engine(CompiledStudio.Compile(studio));
        var turns = new[]
        {
            studio.Must(new AddVirtualPort("d")),
            studio,
            studio.Must(new SwitchRoute(studio.Routes[0].Id, false)),
            studio.Must(new RemoveRoute(studio.Routes[1].Id)),
        };
        var now = MidiTime.Zero;
        var least = long.MaxValue;
        for (var i = 0; i < 40; i++)
        {
            engine.Receive(
                studio.From("a"),
                [0x90, (byte)(40 + i), 90, 0xB0, 64, 127, 0xB0, 1, (byte)i],
                now += MidiSpan.FromMilliseconds(1)
            );
            var prepared = engine.Prepare(CompiledStudio.Compile(turns[i % turns.Length], engine.Compiled));
            var before = GC.GetAllocatedBytesForCurrentThread();
            engine.Swap(prepared, now += MidiSpan.FromMilliseconds(1));
            least = Math.Min(least, GC.GetAllocatedBytesForCurrentThread() - before);
        }
        Assert.Equal(0, least);
    }

    [Fact]
    public void A_route_that_an_edit_leaves_alone_is_not_compiled_anew_and_goes_on_counting()
    {
        var studio = Of("a", "b", "c").Lay("a", "b", new KeysStage(0, 90)).Lay("a", "c", new TransposeStage(1));
        var before = CompiledStudio.Compile(studio);
        var after = CompiledStudio.Compile(studio.Must(new AddStage(studio.Routes[1].Id, new KeysStage(0, 50))), before);
        Assert.Same(before.Find(studio.Routes[0].Id), after.Find(studio.Routes[0].Id));
        // Nor what other programs send to a virtual port.
        Assert.Same(before.Find(new RouteId(studio.To("b").Value)), after.Find(new RouteId(studio.To("b").Value)));
        Assert.NotSame(before.Find(studio.Routes[1].Id), after.Find(studio.Routes[1].Id));
        var off = CompiledStudio.Compile(studio.Must(new SwitchPort(studio.To("b"), false)), before);
        Assert.False(off.Find(studio.Routes[0].Id)!.IsLive);
        Assert.False(off.Find(new RouteId(studio.To("b").Value))!.IsLive);
        Assert.Same(before.Meter(studio.Routes[0].Id), off.Meter(studio.Routes[0].Id));
    }
}
