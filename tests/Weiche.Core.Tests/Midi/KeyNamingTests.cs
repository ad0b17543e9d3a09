using Weiche.Core.Layout;
using Weiche.Core.Midi;
using Weiche.Core.Stages;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;
using Weiche.Core.Ways;
using static Weiche.Core.Tests.Rooms;

namespace Weiche.Core.Tests.Midi;

public class KeyNamingTests
{
    [Theory]
    [InlineData(60, "C3", "C4")]
    [InlineData(0, "C-2", "C-1")]
    [InlineData(127, "G8", "G9")]
    [InlineData(42, "F#1", "F#2")]
    public void Keys_are_called_with_key_60_as_C3_unless_it_is_moved_to_C4(int key, string usual, string moved)
    {
        Assert.Equal(usual, KeyNaming.Usual.Of(key));
        Assert.Equal(moved, new KeyNaming(4).Of(key));
    }

    [Theory]
    [InlineData(3)]
    [InlineData(4)]
    public void What_a_key_is_called_is_read_as_that_key_and_as_no_other(int middleOctave)
    {
        var names = new KeyNaming(middleOctave);
        Assert.Equal(middleOctave, names.MiddleOctave);
        for (var key = 0; key < 128; key++)
        {
            Assert.True(names.TryParse(names.Of(key), out var read));
            Assert.Equal(key, read);
            Assert.True(names.TryParse($"{key}", out read));
            Assert.Equal(key, read);
        }
        Assert.False(names.TryParse($"G#{middleOctave + 5}", out _));
        Assert.False(names.TryParse($"B{middleOctave - 6}", out _));
    }

    [Fact]
    public void Whoever_speaks_of_a_studio_calls_its_keys_as_it_does()
    {
        Assert.Equal(new KeyNaming(3), KeyNaming.Usual);
        var studio = Of("a", "b").Lay("a", "b", new KeysStage(60, 71)).Must(new SetMiddleC(true));
        var route = studio.Routes[0];
        Assert.Contains("“C4 – B4”", new SetStage(route.Id, 0, route.Stages[0]).Title(studio), StringComparison.Ordinal);
        var low = MidiMessage.NoteOn(Channel.FromNumber(1), 48, 100);
        Assert.Equal("stopped by Keys: C3 is below C4", RouteTrace.Follow(studio, studio.From("a"), low).Single().Why);
        Assert.Contains(Trace.Of(studio, studio.From("a"), low).Steps, step => step.Words == "stopped by Keys: C3 is below C4");
        Assert.True(LeverLine.TryParse(studio, "a C3 → all notes off", out var lever, out var problem), problem);
        Assert.Equal(48, lever.Trigger.Number);
        Assert.Contains("a C3 →", lever.Title(studio), StringComparison.Ordinal);
        Assert.Equal(["C4 – B4"], PlanLayout.Compute(studio).Tracks.Single().Signs.Select(sign => sign.Text));
        var back = studio.Must(new SetMiddleC(false));
        Assert.Equal(["C3 – B3"], PlanLayout.Compute(back).Tracks.Single().Signs.Select(sign => sign.Text));
    }
}
