using CsCheck;
using Weiche.Core.Midi;

namespace Weiche.Core.Tests.Midi;

/// <summary>Spans of time: their arithmetic and how they are said.</summary>
public class MidiSpanTests
{
    [Theory]
    [InlineData(0, "0 µs", "at once", "0.0 ms")]
    [InlineData(640, "640 µs", "0.64 ms", "0.6 ms")]
    [InlineData(642, "642 µs", "0.642 ms", "0.6 ms")]
    [InlineData(2_900, "2 ms", "2.9 ms", "2.9 ms")]
    [InlineData(12_000, "12 ms", "12.0 ms", "12.0 ms")]
    public void A_span_is_said_as_one_would_say_it(long microseconds, string roughly, string exactly, string aligned)
    {
        var span = new MidiSpan(microseconds);
        Assert.Equal((roughly, exactly, aligned), (span.ToString(), span.Exactly(), span.InMilliseconds()));
    }

    [Fact]
    public void Spans_are_reckoned_with_as_their_microseconds_are() =>
        Gen.Select(Gen.Long[-1_000_000, 1_000_000], Gen.Long[-1_000_000, 1_000_000])
            .Sample(
                (left, right) =>
                {
                    var (one, other) = (new MidiSpan(left), new MidiSpan(right));
                    Assert.Equal(
                        (left + right, left - right, left * 3),
                        ((one + other).Microseconds, (one - other).Microseconds, (one * 3).Microseconds)
                    );
                    Assert.Equal(
                        [left < right, left > right, left <= right, left >= right],
                        new[] { one < other, one > other, one <= other, one >= other }
                    );
                    Assert.Equal(
                        (Math.Min(left, right), Math.Abs(left)),
                        (MidiSpan.Shorter(one, other).Microseconds, one.Length.Microseconds)
                    );
                    Assert.Equal(left + right, MidiSpan.Sum([one, other]).Microseconds);
                    Assert.Equal(Math.Sign(left.CompareTo(right)), Math.Sign(one.CompareTo(other)));
                }
            );
}
