using System.Collections.Immutable;
using Weiche.Core.Midi;
using Weiche.Core.Sets;
using Weiche.Core.Stages;

namespace Weiche.Core.Studios;

/// <summary>A reply to an identity request.</summary>
/// <param name="Asked">The destination that was asked.</param>
/// <param name="From">The source on which the reply came.</param>
/// <param name="Identity">What it says.</param>
public sealed record IdentityReply(PortId Asked, PortId From, DeviceIdentity Identity);

/// <summary>A way back that a sounding found, the guard saw, or was learned while somebody played.</summary>
/// <param name="To">The destination to which it was sent.</param>
/// <param name="From">The source on which it came back.</param>
/// <param name="Delay">How long it took.</param>
public sealed record WayBack(PortId To, PortId From, MidiSpan Delay)
{
    /// <summary>How it was changed on the way; null where it came back as it was, as far as is known.</summary>
    public EchoChange? Change { get; init; }

    /// <summary>How many came back; 0 where that was not counted.</summary>
    public int Came { get; init; }

    /// <summary>Of how many that were sent.</summary>
    public int Of { get; init; }
}

/// <summary>How a device changes the notes that it sends again.</summary>
/// <param name="Sent">The channel on which they are sent to it.</param>
/// <param name="Came">The channel on which they come back.</param>
/// <param name="Keys">By how many semitones they are moved.</param>
/// <param name="Velocity">By how much they become louder.</param>
public readonly record struct EchoChange(Channel Sent, Channel Came, int Keys, int Velocity)
{
    /// <summary>Whether they come back as they are.</summary>
    public bool IsNone => Sent == Came && Keys == 0 && Velocity == 0;

    /// <summary>The same change as stages; the velocity, which matters to no circuit as long as it is a note, is left out.</summary>
    public ImmutableArray<Stage> Stages
    {
        get
        {
            var stages = ImmutableArray.CreateBuilder<Stage>();
            if (Sent != Came)
                stages.Add(new ChannelsStage(ChannelMap.Identity.With(Sent, ChannelSet.None.With(Came, true))));
            if (Keys != 0)
                stages.Add(new TransposeStage(Keys));
            return stages.ToImmutable();
        }
    }

    /// <summary>What must have been sent for a message to come back like this; null if nothing could.</summary>
    /// <param name="came">The message that came.</param>
    internal MidiMessage? Before(in MidiMessage came)
    {
        if (!came.HasChannel || came.ChannelIndex != Came.Index)
            return null;
        var sent = came.OnChannelIndex(Sent.Index);
        if (!came.IsNote && came.Kind != MessageKind.PolyPressure)
            return sent;
        var key = came.Data1 - Keys;
        var value = came.IsNoteOn ? came.Data2 - Velocity : came.Data2;
        return key is < 0 or > 127 || value is < 0 or > 127 || came.IsNoteOn && value == 0 ? null : sent.WithData(key, value);
    }

    /// <summary>It in words: "on channel 5, 12 semitones up"; empty where there is no change.</summary>
    public override string ToString()
    {
        var parts = new List<string>();
        if (Sent != Came)
            parts.Add($"on channel {Came}");
        if (Keys != 0)
            parts.Add($"{Math.Abs(Keys)} {(Math.Abs(Keys) == 1 ? "semitone" : "semitones")} {(Keys > 0 ? "up" : "down")}");
        if (Velocity != 0)
            parts.Add(Velocity > 0 ? "louder" : "softer");
        return string.Join(", ", parts);
    }
}
