using System.Collections.Immutable;
using Weiche.Core.Midi;
using Weiche.Core.Studios;
using Weiche.Core.Takes;

namespace Weiche.Core.Live;

/// <summary>How a take is played back.</summary>
/// <param name="From">From where, from the beginning of the take.</param>
/// <param name="Loop">The part that is played again and again; null for once to the end.</param>
/// <param name="InStep">Whether it goes with the studio's clock, beat by beat; else by its own times.</param>
/// <param name="Speed">Of its own times: how fast, in hundredths: 100 as it was played.</param>
/// <param name="Own">The source as which tracks are played that came from none; null if they are left out.</param>
/// <param name="AsOwn">Whether all tracks are played as that one.</param>
public sealed record PlayHow(
    MidiSpan From,
    TakeRange? Loop = null,
    bool InStep = false,
    int Speed = 100,
    PortId? Own = null,
    bool AsOwn = false
)
{
    /// <summary>The slowest, in hundredths.</summary>
    public const int Slowest = 10;

    /// <summary>The fastest, in hundredths.</summary>
    public const int Fastest = 400;
}

/// <summary>A take made ready to be played: everything is worked out beforehand, so that the engine only hands it out.</summary>
public sealed class PreparedTake
{
    private const long Shortest = 100_000;

    // By so many quarter notes at least a bar is shorter that is cut.
    private const double Cut = 0.02;
    private static readonly MidiSpan OnTheLine = MidiSpan.FromMilliseconds(2);

    internal readonly double[] Places;
    internal readonly MidiMessage[] Messages;
    internal readonly byte[]?[] Exclusives;
    internal readonly byte[] Players;
    internal readonly double From;

    /// <summary>Of what goes in step: pulses from where it begins to the next bar line.</summary>
    internal readonly double Pickup;
    internal readonly double Begin;
    internal readonly double End;
    internal readonly bool Loops;
    internal readonly bool InStep;
    internal readonly double Rate;
    internal readonly (byte Player, MidiMessage Message)[] First;
    internal readonly (byte Player, MidiMessage Message)[] Again;

    private PreparedTake(
        Take take,
        PlayHow how,
        List<(TakeEvent Event, byte Player)> events,
        PortId[] sources,
        (byte, MidiMessage)[] first,
        (byte, MidiMessage)[] again
    )
    {
        (Sources, How, First, Again) = (sources, how, first, again);
        (InStep, Loops, Rate) = (how.InStep, how.Loop is not null, how.Speed / 100.0);
        (From, Begin, End) = (
            PlaceOf(how.From),
            PlaceOf(how.Loop?.From ?? MidiSpan.Zero),
            PlaceOf(how.Loop is { } loop ? MidiSpan.Shorter(loop.To, MidiSpan.Second * 1_000_000) : take.Length)
        );
        Pickup = how.InStep ? Math.Max(0, PlaceOf(NextBar(take.Tempo, how.From)) - From) : 0;
        Places = [.. events.Select(each => PlaceOf(each.Event.At))];
        Messages = [.. events.Select(each => each.Event.Message)];
        Exclusives = [.. events.Select(each => each.Event.Exclusive)];
        Players = [.. events.Select(each => each.Player)];

        double PlaceOf(MidiSpan at) => how.InStep ? take.Tempo.QuartersAt(at) * Pulse.Tempo.PulsesABeat : at.Microseconds;
    }

    /// <summary>The sources that it is played as.</summary>
    public PortId[] Sources { get; }

    /// <summary>How it is played.</summary>
    public PlayHow How { get; }

    /// <summary>How many system exclusives are left out, since they are longer than the engine takes
    /// (<see cref="SysExPool.Longest"/>).</summary>
    public int TooLong { get; private init; }

    /// <summary>Makes a take ready.</summary>
    /// <param name="take">The take.</param>
    /// <param name="how">How it is played.</param>
    /// <param name="studio">The studio that it is played in.</param>
    /// <param name="prepared">What is to be played; null if there is a problem.</param>
    /// <param name="left">Tracks that are left out, since what they are played as is not there.</param>
    /// <returns>Why it cannot be played, in a sentence; null if it can.</returns>
    public static string? TryMake(Take take, PlayHow how, Studio studio, out PreparedTake? prepared, out ImmutableArray<TakeTrack> left)
    {
        prepared = null;
        left = [];
        if (how.Speed is < PlayHow.Slowest or > PlayHow.Fastest)
            return $"Takes are played at {PlayHow.Slowest} to {PlayHow.Fastest} per cent of their speed.";
        if (how.Loop is { } part && (part.To - part.From).Microseconds < Shortest)
            return "What is played again and again must be longer than a tenth of a second: choose a longer part.";
        var sources = new List<PortId>();
        var players = new int[take.Tracks.Length];
        var (gone, isFull) = (new List<TakeTrack>(), false);
        for (var i = 0; i < players.Length; i++)
        {
            var track = take.Tracks[i];
            var meant = how.AsOwn ? how.Own : track.PlayedFrom(how.Own);
            players[i] = -1;
            if (meant is not { } port || studio.FindPort(port) is not { IsSource: true })
            {
                gone.Add(track);
                continue;
            }
            players[i] = sources.IndexOf(port);
            if (players[i] >= 0)
                continue;
            isFull |= sources.Count == PreparedStudio.MostPlayers;
            if (isFull)
                break;
            players[i] = sources.Count;
            sources.Add(port);
        }
        left = [.. gone];
        if (isFull)
            return $"A take is played as {PreparedStudio.MostPlayers} sources at most.";
        if (sources.Count == 0)
            return gone.Count > 0
                ? $"{string.Join(", ", gone.Take(3).Select(track => track.Name))}: what it came from is not in this studio. Choose "
                    + "what it is played as."
                : "There is nothing in this take.";
        var (events, tooLong) = (new List<(TakeEvent, byte)>(), 0);
        foreach (var each in take.Events)
        {
            if (players[each.Track] < 0 || !each.IsPlayed)
                continue;
            if (each.Exclusive is { Length: > SysExPool.Longest })
                tooLong++;
            else
                events.Add((each, (byte)players[each.Track]));
        }
        prepared = new PreparedTake(take, how, events, [.. sources], Caught(how.From), how.Loop is { } loop ? Caught(loop.From) : [])
        {
            TooLong = tooLong,
        };
        return null;

        (byte, MidiMessage)[] Caught(MidiSpan at) =>
            [.. CatchUp.At(take, at).Where(each => players[each.Track] >= 0).Select(each => ((byte)players[each.Track], each.Message))];
    }

    /// <summary>The bar line that is next. What begins a moment after one was meant on it; a bar that is cut short is what comes before the
    /// next.</summary>
    private static MidiSpan NextBar(TempoMap tempo, MidiSpan from)
    {
        var lines = tempo.BarLines(from - OnTheLine, from + MidiSpan.Second * 60).Select(bar => bar.At).Take(2).ToList();
        if (lines.Count == 0)
            return from;
        var isCut = lines.Count == 2 && tempo.QuartersAt(lines[1]) - tempo.QuartersAt(lines[0]) < tempo.FormAt(lines[0]).Length - Cut;
        return lines[isCut ? 1 : 0];
    }

    /// <summary>The first message at or after a place.</summary>
    internal int IndexOf(double place)
    {
        var at = Array.BinarySearch(Places, place);
        if (at < 0)
            return ~at;
        while (at > 0 && Places[at - 1] >= place)
            at--;
        return at;
    }
}

/// <summary>What is played back at a moment.</summary>
/// <param name="Number">Counts up with each take that is begun; 0 before the first.</param>
/// <param name="Plays">Whether it goes on.</param>
/// <param name="Waits">Whether it waits for the clock.</param>
/// <param name="Place">Where it was: µs from the beginning of the take; of what goes in step, pulses.</param>
/// <param name="At">When it was there.</param>
/// <param name="Rate">So much further it is with each µs; 0 if it does not move.</param>
public readonly record struct PlayedNow(long Number, bool Plays, bool Waits, double Place, MidiTime At, double Rate);
