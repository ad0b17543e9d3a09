using System.Globalization;
using Weiche.Core.Midi;
using Weiche.Core.Pulse;
using Weiche.Web.Desk;

namespace Weiche.Web.Live;

/// <summary>What is recorded and played at a moment.</summary>
/// <param name="Records">How long it is recorded already, "0:12"; null if nothing is.</param>
/// <param name="RecordedTake">Which take that is.</param>
/// <param name="Count">How many messages there are, and how many are missing.</param>
/// <param name="Plays">Whether a take is played.</param>
/// <param name="Waits">Whether it waits for the clock.</param>
/// <param name="PlayedTake">Which take it is.</param>
/// <param name="Place">Where it is, tenths of a millisecond from its beginning.</param>
/// <param name="Rate">So many tenths of a millisecond further with each millisecond.</param>
/// <param name="Said">Where it is in words: "17.1".</param>
/// <param name="Reel">Counts up with what is written down.</param>
public sealed record TakesFrame(
    string? Records,
    int? RecordedTake,
    string Count,
    bool Plays,
    bool Waits,
    int? PlayedTake,
    double Place,
    double Rate,
    string Said,
    long Reel
)
{
    /// <summary>What there is now.</summary>
    /// <param name="desk">The running studio.</param>
    /// <param name="shelf">The takes.</param>
    /// <param name="deck">What writes down what comes in.</param>
    public static TakesFrame Of(StudioDesk desk, TakeShelf shelf, TapeDeck deck)
    {
        var (recording, played) = (deck.Now, desk.Junction.Played);
        var count = recording is null
            ? ""
            : string.Create(
                CultureInfo.InvariantCulture,
                $"{Words.Count(recording.Count)} messages{(recording.Missing > 0 ? $", {Words.Count(recording.Missing)} missing" : "")}"
            );
        var since = recording is null ? null : TakeShelf.LengthOf(new MidiSpan(deck.NowOnTape - recording.Begin));
        if (!played.Plays || shelf.Playing is not { } id)
            return new TakesFrame(since, recording?.TakeId, count, false, false, null, 0, 0, "", deck.Written);
        var now = desk.Junction.Clock.Now;
        var place = played.Place + played.Rate * Math.Max(0, (now - played.At).Microseconds);
        var (tempo, inStep) = shelf.PlayedBy;
        // What goes in step counts pulses.
        var at = inStep ? tempo.TimeAt(place / Tempo.PulsesABeat) : new MidiSpan((long)place);
        var rate =
            !played.Waits && played.Rate > 0
                ? inStep
                    ? played.Rate / Tempo.PulsesABeat * 60_000_000 / tempo.BpmAt(at)
                    : played.Rate
                : 0;
        var music = tempo.PlaceAt(at);
        return new TakesFrame(
            since,
            recording?.TakeId,
            count,
            true,
            played.Waits,
            id,
            at.Microseconds / 100.0,
            rate * 10,
            string.Create(CultureInfo.InvariantCulture, $"{music.Bar}.{music.Beat}"),
            deck.Written
        );
    }
}
