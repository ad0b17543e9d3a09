using System.Collections.Immutable;
using Weiche.Core.Midi;
using Weiche.Core.Studios;

namespace Weiche.Core.Takes;

/// <summary>A message of a take.</summary>
/// <param name="At">When, from the beginning of the take.</param>
/// <param name="Track">Which of its tracks, from 0.</param>
/// <param name="Message">The message. Of a system exclusive only what it is.</param>
/// <param name="Exclusive">The bytes of a system exclusive between F0 and F7; null for anything else.</param>
public readonly record struct TakeEvent(MidiSpan At, int Track, MidiMessage Message, byte[]? Exclusive = null)
{
    /// <summary>A system exclusive.</summary>
    /// <param name="at">When.</param>
    /// <param name="track">Which track.</param>
    /// <param name="body">The bytes between F0 and F7.</param>
    public static TakeEvent OfExclusive(MidiSpan at, int track, byte[] body) => new(at, track, MidiMessage.Raw(0xF0, 0, 0), body);

    /// <summary>Its bytes, with F0 and F7.</summary>
    public byte[] Bytes =>
        Exclusive is { } body
            ? [0xF0, .. body, 0xF7]
            : Message.DataLength switch
            {
                0 => [Message.Status],
                1 => [Message.Status, Message.Data1],
                _ => [Message.Status, Message.Data1, Message.Data2],
            };

    /// <summary>Whether it is played when the take is: the time is kept by the studio's clock, so start, stop, position and pulses of a
    /// take are not.</summary>
    public bool IsPlayed => !Message.IsOfClock && !Message.IsRealTime;

    /// <summary>How many bytes it has.</summary>
    public int Length => Exclusive is { } body ? body.Length + 2 : Message.DataLength + 1;
}

/// <summary>A row of a take: what came from one source, or what a file has in one track, or a part of either.</summary>
/// <param name="Name">Its name.</param>
/// <param name="Port">The source that it came from, or the destination that it went to; none for a track of a file.</param>
/// <param name="From">What that was called when it was recorded; for a track of a file, nothing.</param>
public sealed record TakeTrack(string Name, PortId? Port = null, string From = "")
{
    /// <summary>Whether it went to a destination instead of coming from a source.</summary>
    public bool WentOut { get; init; }

    /// <summary>The source as which it is played back; null for the one it came from, or the take's own port.</summary>
    public PortId? PlayedAs { get; init; }

    /// <summary>The source as which it is played.</summary>
    /// <param name="own">The take's own port; null if it has none.</param>
    public PortId? PlayedFrom(PortId? own) => PlayedAs ?? (WentOut ? null : Port) ?? own;
}

/// <summary>What stands in a take beside its messages.</summary>
/// <param name="At">When.</param>
/// <param name="Track">In which track; below 0 for the take.</param>
/// <param name="Type">What it is, as in files: 1 text, 2 copyright, 5 lyric, 6 marker, 7 cue point, … (Standard MIDI Files 1.0, "Meta Event
/// Definitions").</param>
/// <param name="Data">Its bytes; texts are UTF-8, or as the file had them.</param>
public sealed record TakeMark(MidiSpan At, int Track, int Type, ImmutableArray<byte> Data)
{
    /// <summary>The type of a marker.</summary>
    public const int Marker = 6;

    /// <summary>A marker.</summary>
    /// <param name="at">When.</param>
    /// <param name="text">What it says.</param>
    public static TakeMark Of(MidiSpan at, string text) => new(at, -1, Marker, [.. System.Text.Encoding.UTF8.GetBytes(text)]);

    /// <summary>What it says, for types that are texts.</summary>
    public string Text => System.Text.Encoding.UTF8.GetString(Data.AsSpan());
}

/// <summary>A lineup came in force while a take was recorded.</summary>
/// <param name="At">When.</param>
/// <param name="Name">The lineup, with its number: "2 Star field".</param>
public readonly record struct TakeLineup(MidiSpan At, string Name);

/// <summary>What was played: messages with their times, in tracks, with the tempo that was kept, the lineups that were in force, and
/// marks.</summary>
/// <remarks>It never changes: what is done to it makes another. It begins at zero; events are in the order of their times.</remarks>
public sealed record Take
{
    /// <summary>The most messages that a take has. More are not recorded, and a file with more is not read.</summary>
    public const int MostEvents = 2_000_000;

    /// <summary>The most tracks that a take has.</summary>
    public const int MostTracks = 1024;

    /// <summary>The longest take: a day.</summary>
    public static readonly MidiSpan Longest = MidiSpan.Second * 86_400;

    /// <summary>The tracks.</summary>
    public ImmutableArray<TakeTrack> Tracks { get; init; } = [];

    /// <summary>The messages, in order of time.</summary>
    public ImmutableArray<TakeEvent> Events { get; init; } = [];

    /// <summary>Tempo and bars.</summary>
    public TempoMap Tempo { get; init; } = TempoMap.Usual;

    /// <summary>What stands beside the messages, in order of time.</summary>
    public ImmutableArray<TakeMark> Marks { get; init; } = [];

    /// <summary>The lineups that were in force, in order of time.</summary>
    public ImmutableArray<TakeLineup> Lineups { get; init; } = [];

    /// <summary>How long it is: at least to its last message.</summary>
    public MidiSpan Length { get; init; }

    /// <summary>How many messages were not written down, since whoever wrote fell behind.</summary>
    public long Missing { get; init; }

    /// <summary>Ticks a quarter note of the file that it came from; 0 if it came from none, or from one that counts frames.</summary>
    public int Division { get; init; }

    /// <summary>The part of it between two moments, beginning at zero.</summary>
    /// <param name="from">The first moment.</param>
    /// <param name="to">The moment after the last.</param>
    public Take Part(MidiSpan from, MidiSpan to)
    {
        var lineup = Lineups.LastOrDefault(each => each.At <= from);
        return this with
        {
            Events = [.. Events.Where(each => each.At >= from && each.At < to).Select(each => each with { At = each.At - from })],
            Tempo = Tempo.From(from),
            Marks = [.. Marks.Where(mark => mark.At >= from && mark.At < to).Select(mark => mark with { At = mark.At - from })],
            Lineups =
            [
                .. Lineups
                    .Where(each => each.At > from && each.At < to)
                    .Select(each => each with { At = each.At - from })
                    .Prepend(lineup with { At = MidiSpan.Zero })
                    .Where(each => each.Name is not null),
            ],
            Length = MidiSpan.Shorter(to, Length) - from,
        };
    }

    /// <summary>Puts events into the order of their times; those of one moment stay as they are.</summary>
    /// <param name="events">The events.</param>
    public static ImmutableArray<TakeEvent> InOrder(IEnumerable<TakeEvent> events) => [.. events.OrderBy(each => each.At)];
}
