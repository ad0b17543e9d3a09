using System.Globalization;
using System.Runtime.InteropServices;
using System.Text.RegularExpressions;
using Weiche.Core.Midi;
using Weiche.Core.Sets;

namespace Weiche.Core.Stages;

/// <summary>
/// Says for each of the sixteen channels where its messages go on: on no channel (stopped), on one, or on several.
/// </summary>
public sealed partial class ChannelMap : IEquatable<ChannelMap>
{
    // The longest map there is, every channel to every channel, takes about 700 characters.
    private const int MaxTextLength = 1000;

    private readonly ushort[] _targets;

    private ChannelMap(ushort[] targets) => _targets = targets;

    /// <summary>Every channel goes on as it is.</summary>
    public static ChannelMap Identity { get; } = new([.. Enumerable.Range(0, Channel.Count).Select(i => (ushort)(1 << i))]);

    /// <summary>Every channel is stopped.</summary>
    public static ChannelMap Nothing { get; } = new(new ushort[Channel.Count]);

    /// <summary>The channels on which messages of <paramref name="channel"/> go on.</summary>
    /// <param name="channel">The channel they come on.</param>
    public ChannelSet this[Channel channel] => ChannelSet.FromBits(_targets[channel.Index]);

    /// <summary>This map with one channel set.</summary>
    /// <param name="channel">The channel messages come on.</param>
    /// <param name="targets">The channels they go on; none to stop them.</param>
    public ChannelMap With(Channel channel, ChannelSet targets)
    {
        var copy = (ushort[])_targets.Clone();
        copy[channel.Index] = targets.Bits;
        return new ChannelMap(copy);
    }

    /// <summary>This map with several channels led to one.</summary>
    /// <param name="channels">The channels messages come on.</param>
    /// <param name="to">The channel they go on.</param>
    public ChannelMap Leading(ChannelSet channels, Channel to) =>
        channels.Members.Aggregate(this, (map, channel) => map.With(channel, ChannelSet.None.With(to, true)));

    /// <summary>A map that lets just these channels pass, as they are.</summary>
    /// <param name="channels">The channels that pass.</param>
    public static ChannelMap Gate(ChannelSet channels) =>
        channels.Members.Aggregate(Nothing, (map, channel) => map.With(channel, ChannelSet.None.With(channel, true)));

    /// <summary>
    /// Reads a map as a person types it: parts separated by commas, each a channel or a range ("1-4" passes as it
    /// is), or a channel or range with an arrow to where it goes ("1→3", "1-4 > 10", "2 > 5+6"). Channels that are
    /// not named are stopped. "all" is the identity, "none" stops
    /// every channel.
    /// </summary>
    /// <param name="text">What was typed.</param>
    /// <param name="map">The map, if it could be read.</param>
    /// <param name="problem">What cannot be read and how it is written, if it could not.</param>
    public static bool TryParse(string? text, out ChannelMap map, out string problem)
    {
        map = Nothing;
        problem = "";
        var typed = (text ?? "").Trim();
        if (typed.Length > MaxTextLength)
        {
            problem = "That is too long for a channel map. Write it like 1→3, 5-8.";
            return false;
        }
        if (typed.Equals("all", StringComparison.OrdinalIgnoreCase))
        {
            map = Identity;
            return true;
        }
        if (typed.Equals("none", StringComparison.OrdinalIgnoreCase))
            return true;
        if (typed.Length == 0)
        {
            problem = "Write which channels pass, like 1→3, 5-8, or “all”.";
            return false;
        }
        foreach (var part in typed.Split(',', StringSplitOptions.TrimEntries))
        {
            var sides = part.Replace("->", "→", StringComparison.Ordinal).Replace('>', '→').Split('→', StringSplitOptions.TrimEntries);
            if (sides.Length > 2 || !TryRange(sides[0], out var from, out problem))
                return Wrong(part, ref problem);
            var to = ChannelSet.None;
            if (sides.Length == 2)
            {
                foreach (var target in sides[1].Split('+', StringSplitOptions.TrimEntries))
                {
                    if (!TryRange(target, out var range, out problem))
                        return Wrong(part, ref problem);
                    to = ChannelSet.FromBits((ushort)(to.Bits | range.Bits));
                }
            }
            foreach (var channel in from.Members)
            {
                var targets = sides.Length == 2 ? to : ChannelSet.None.With(channel, true);
                map = map.With(channel, ChannelSet.FromBits((ushort)(map[channel].Bits | targets.Bits)));
            }
        }
        return true;
    }

    /// <summary>Reads channels as a person types them: "5, 6", "1-4", "1 to 4", "2 and 3", "all", "none", "all but 10".</summary>
    /// <param name="text">The text.</param>
    /// <param name="channels">The channels.</param>
    /// <param name="problem">Why it is none, in a sentence.</param>
    /// <returns>False if it is none.</returns>
    public static bool TryParseList(string? text, out ChannelSet channels, out string problem)
    {
        channels = ChannelSet.None;
        var typed = (text ?? "").Trim();
        if (typed.Length <= MaxTextLength)
        {
            if (AllBut().Match(typed) is { Success: true } but)
            {
                if (!TryParseList(but.Groups["list"].Value, out var left, out problem))
                    return false;
                channels = ChannelSet.Of(Channel.All.Where(channel => !left.Contains(channel)));
                return true;
            }
            typed = Between().Replace(Through().Replace(Any().Replace(typed, "all"), "-"), ", ");
        }
        if (!TryParse(typed, out var map, out problem))
            return false;
        if (text.AsSpan().ContainsAny('→', '>'))
        {
            problem = $"“{text?.Trim()}” is a channel map, not a list of channels.";
            return false;
        }
        var read = map;
        channels = ChannelSet.Of(Channel.All.Where(channel => read[channel].Count > 0));
        return true;
    }

    private static bool Wrong(string part, ref string problem)
    {
        if (problem.Length == 0)
            problem = $"“{part}” is not a channel. Write it like 1→3, 5-8, or “all”.";
        return false;
    }

    private static bool TryRange(string text, out ChannelSet channels, out string problem)
    {
        channels = ChannelSet.None;
        problem = "";
        var ends = text.Split('-', '–');
        if (ends.Length > 2)
            return false;
        Span<int> numbers = [0, 0];
        for (var i = 0; i < ends.Length; i++)
        {
            if (!int.TryParse(ends[i].Trim(), NumberStyles.None, CultureInfo.InvariantCulture, out var number))
                return false;
            if (number is < 1 or > Channel.Count)
            {
                problem = $"There is no channel {number}: channels go from 1 to 16.";
                return false;
            }
            numbers[i] = number;
        }
        if (ends.Length == 1)
            numbers[1] = numbers[0];
        if (numbers[0] > numbers[1])
        {
            problem = $"The range {text} is upside down: write {numbers[1]}-{numbers[0]}.";
            return false;
        }
        for (var number = numbers[0]; number <= numbers[1]; number++)
            channels = channels.With(Channel.FromNumber(number), true);
        return true;
    }

    /// <summary>The map as it could be typed: "all", "1→3, 5–8", "none".</summary>
    public override string ToString()
    {
        if (Equals(Identity))
            return "all";
        var kept = ChannelSet.None;
        var parts = new List<string>();
        foreach (var channel in Channel.All)
        {
            var targets = this[channel];
            if (targets.Count == 0)
                continue;
            if (targets.Count == 1 && targets.Contains(channel))
                kept = kept.With(channel, true);
            else
                parts.Add($"{channel}→{string.Join('+', targets.Members)}");
        }
        if (kept.Count > 0)
            parts.Add(kept.ToString());
        return parts.Count == 0 ? "none" : string.Join(", ", parts);
    }

    /// <inheritdoc/>
    public bool Equals(ChannelMap? other) => other is not null && _targets.AsSpan().SequenceEqual(other._targets);

    /// <inheritdoc/>
    public override bool Equals(object? obj) => Equals(obj as ChannelMap);

    /// <inheritdoc/>
    public override int GetHashCode()
    {
        var hash = new HashCode();
        hash.AddBytes(MemoryMarshal.AsBytes(_targets.AsSpan()));
        return hash.ToHashCode();
    }

    [GeneratedRegex("^(?:any|omni|every|all|any channel|all channels)$", RegexOptions.IgnoreCase)]
    private static partial Regex Any();

    [GeneratedRegex("^(?:all but|all except|not|no|without) +(?<list>[0-9].*)$", RegexOptions.IgnoreCase)]
    private static partial Regex AllBut();

    [GeneratedRegex("(?<=[0-9])\\s*(?:to|through)\\s*(?=[0-9])", RegexOptions.IgnoreCase)]
    private static partial Regex Through();

    [GeneratedRegex("(?<=[0-9])(?:\\s*(?:and|&|\\+)\\s*|\\s+)(?=[0-9])", RegexOptions.IgnoreCase)]
    private static partial Regex Between();
}
