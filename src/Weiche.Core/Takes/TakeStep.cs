using System.Collections.Immutable;
using System.Globalization;
using Weiche.Core.Midi;
using Weiche.Core.Studios;

namespace Weiche.Core.Takes;

/// <summary>Something that is done to a take. What was recorded stays as it is; a take is what its steps make of it.</summary>
public abstract record TakeStep
{
    private protected TakeStep() { }

    /// <summary>The step in words.</summary>
    public abstract string Title { get; }

    /// <summary>The take after it.</summary>
    /// <param name="take">The take before it.</param>
    public abstract Take Apply(Take take);
}

/// <summary>Notes are brought to a grid.</summary>
/// <param name="How">How.</param>
/// <param name="Range">Which notes.</param>
public sealed record TidyStep(Tidy How, TakeRange Range) : TakeStep
{
    /// <inheritdoc/>
    public override string Title =>
        string.Create(
            CultureInfo.InvariantCulture,
            $"Tidy {(How.Ends ? "starts and ends" : "starts")} to {How.GridWords}{(How.Swing == 50 ? "" : $", swing {How.Swing} %")}, {How.Strength} %"
        );

    /// <inheritdoc/>
    public override Take Apply(Take take) => How.Apply(take, Range, out _);
}

/// <summary>A take is split into tracks.</summary>
/// <param name="By">By what.</param>
/// <param name="Names">The names of the tracks.</param>
public sealed record SplitStep(SplitBy By, ImmutableArray<string> Names) : TakeStep
{
    /// <inheritdoc/>
    public override string Title => $"Each {By.ToString().ToLowerInvariant()} a track";

    /// <inheritdoc/>
    public override Take Apply(Take take) => Split.Apply(take, By, Names);
}

/// <summary>A track gets another name.</summary>
/// <param name="Track">The track, from 0.</param>
/// <param name="Name">The name.</param>
public sealed record NameTrackStep(int Track, string Name) : TakeStep
{
    /// <inheritdoc/>
    public override string Title => $"Name a track {Name}";

    /// <inheritdoc/>
    public override Take Apply(Take take) =>
        Track < 0 || Track >= take.Tracks.Length
            ? take
            : take with
            {
                Tracks = take.Tracks.SetItem(Track, take.Tracks[Track] with { Name = Name }),
            };
}

/// <summary>A track is played back as if it came from another source.</summary>
/// <param name="Track">The track, from 0; below 0 for all.</param>
/// <param name="Source">The source; null for the one that it came from.</param>
public sealed record PlayAsStep(int Track, PortId? Source) : TakeStep
{
    /// <inheritdoc/>
    public override string Title => Source is null ? "Play a track as it came" : "Play a track from another source";

    /// <inheritdoc/>
    public override Take Apply(Take take) =>
        take with
        {
            Tracks = [.. take.Tracks.Select((track, index) => Track < 0 || index == Track ? track with { PlayedAs = Source } : track)],
        };
}

/// <summary>Only a part is left.</summary>
/// <param name="Range">The part.</param>
public sealed record CutStep(TakeRange Range) : TakeStep
{
    /// <inheritdoc/>
    public override string Title => "Cut to the chosen part";

    /// <inheritdoc/>
    public override Take Apply(Take take) => take.Part(Range.From, Range.To);
}

/// <summary>A marker is set.</summary>
/// <param name="At">Where.</param>
/// <param name="Text">What it says.</param>
public sealed record MarkStep(MidiSpan At, string Text) : TakeStep
{
    /// <inheritdoc/>
    public override string Title => $"Mark “{Text}”";

    /// <inheritdoc/>
    public override Take Apply(Take take) => take with { Marks = [.. take.Marks.Append(TakeMark.Of(At, Text)).OrderBy(mark => mark.At)] };
}
