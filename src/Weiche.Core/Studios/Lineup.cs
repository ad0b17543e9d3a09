using System.Collections.Immutable;
using System.Globalization;
using Weiche.Core.Midi;
using Weiche.Core.Pulse;

namespace Weiche.Core.Studios;

/// <summary>A set of routes that are live together, with what is sent on entering it. Its number is its place in
/// <see cref="Studio.Lineups"/>, the running order; which routes are in it, each <see cref="Route.Duty"/> says.</summary>
/// <param name="Id">Its id.</param>
/// <param name="Name">Its name, unique among lineups without regard to case.</param>
public sealed record Lineup(LineupId Id, string Name)
{
    /// <summary>The most lineups a studio may have.</summary>
    public const int Most = 128;

    /// <summary>The most characters of the note for the player.</summary>
    public const int MaxNote = 500;

    /// <summary>The most that is sent on entering one.</summary>
    public const int MaxSends = 1024;

    /// <summary>The most bytes that are sent on entering one.</summary>
    public const int MaxBytes = 1 << 16;

    /// <summary>What the player should not forget; may be empty.</summary>
    public string Note { get; init; } = "";

    /// <summary>What is sent on entering it, in this order.</summary>
    public ImmutableArray<Sending> Sends { get; init; } = [];

    /// <summary>Whether everything that sounds through routes that leave ends at once when it is entered; else it rings on until it is let
    /// go.</summary>
    public bool Cuts { get; init; }

    /// <summary>Who keeps the time while it is in force; null for whoever does in the studio.</summary>
    public ClockMaster? Master { get; init; }

    /// <summary>The tempo of Weiche's own clock from when it is entered; null to leave it.</summary>
    public Tempo? Tempo { get; init; }

    /// <summary>Why a text cannot be a note for the player, in a sentence; null if it can.</summary>
    /// <param name="note">The text.</param>
    public static string? CheckNote(string note) =>
        note.Length > MaxNote
            ? string.Create(
                CultureInfo.InvariantCulture,
                $"A note for the player has at most {MaxNote} characters; this one has {note.Length}."
            )
        : note.Any(c => char.IsControl(c) && c != '\n') ? "A note for the player cannot contain control characters."
        : null;

    /// <summary>Why this cannot be what a lineup sends, in a sentence; null if it can.</summary>
    /// <param name="sends">What it would send.</param>
    public static string? CheckSends(ImmutableArray<Sending> sends)
    {
        if (sends.Length > MaxSends)
            return $"A lineup sends at most {MaxSends} things; these are {sends.Length}.";
        if (sends.Sum(sending => sending.Bytes.Length) > MaxBytes)
            return $"A lineup sends at most {MaxBytes} bytes.";
        return sends.Select(sending => Sending.Check(sending.Bytes)).FirstOrDefault(problem => problem is not null);
    }
}

/// <summary>One thing that is sent on entering a lineup: whole messages for a destination.</summary>
/// <param name="To">The destination.</param>
/// <param name="Bytes">The messages as bytes; a program with its bank is three of them.</param>
public sealed record Sending(PortId To, ImmutableArray<byte> Bytes)
{
    /// <summary>Why bytes cannot be sent on entering a lineup, in a sentence; null if they can.</summary>
    /// <param name="bytes">The bytes.</param>
    public static string? Check(ImmutableArray<byte> bytes)
    {
        if (!TryMessages(bytes.AsSpan(), out var messages, out _))
            return "Only whole messages can be sent, without anything before, between or behind them.";
        return messages.Any(message => message.IsNoteOn) ? "A lineup cannot send notes: nobody would let them go."
            : messages.Any(message => message.Kind is MessageKind.Clock or MessageKind.ActiveSensing)
                ? "A lineup cannot send clock or active sensing."
            : null;
    }

    /// <summary>The messages in bytes, one after the other; false if anything else is in them.</summary>
    /// <param name="bytes">The bytes.</param>
    /// <param name="messages">The messages.</param>
    /// <param name="exclusives">The bytes of each system exclusive among them, without F0 and F7.</param>
    internal static bool TryMessages(ReadOnlySpan<byte> bytes, out List<MidiMessage> messages, out List<byte[]> exclusives)
    {
        var pool = new SysExPool();
        var parser = new StreamParser(pool);
        var sink = new Collecting(pool);
        parser.Parse(bytes, ref sink);
        (messages, exclusives) = (sink.Messages, sink.Exclusives);
        // A status at the end that begins a message leaves no trace in the parser before its first data byte.
        var endsWhole = bytes.Length > 0 && bytes[^1] is < 0x80 or 0xF6 or 0xF7 or >= 0xF8;
        return messages.Count > 0
            && endsWhole
            && parser.ThrownBytes == 0
            && !parser.IsInsideMessage
            && parser.Counts is { CutMessages: 0, RefusedExclusives: 0 };
    }

    /// <inheritdoc/>
    public bool Equals(Sending? other) => other is not null && To == other.To && Bytes.AsSpan().SequenceEqual(other.Bytes.AsSpan());

    /// <inheritdoc/>
    public override int GetHashCode() => HashCode.Combine(To, Bytes.Length, Bytes.IsEmpty ? 0 : Bytes[^1]);

    private readonly struct Collecting(SysExPool pool) : IMessageSink
    {
        internal List<MidiMessage> Messages { get; } = [];

        internal List<byte[]> Exclusives { get; } = [];

        public void Accept(in MidiMessage message)
        {
            Messages.Add(message);
            if (message.SysExHandle != 0)
                Exclusives.Add(pool.Bytes(message.SysExHandle).ToArray());
        }
    }
}
