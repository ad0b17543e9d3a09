using Weiche.Core.Studios;

namespace Weiche.Web.Startup;

/// <summary>How Weiche is started.</summary>
public sealed record WeicheSettings
{
    /// <summary>The port that is taken when none is given and it is free.</summary>
    public const int UsualPort = 5150;

    /// <summary>The TCP port on 127.0.0.1; 0 for any free one.</summary>
    public required int Port { get; init; }

    /// <summary>The folder that holds the database and the log.</summary>
    public required string DataFolder { get; init; }

    /// <summary>The studios that are made when there are none yet; the first of them is opened.</summary>
    public Func<IReadOnlyList<Studio>> First { get; init; } = () => [Studio.Empty("My studio")];

    /// <summary>Whether the first of them is made with what was played there before: takes, and something on the reel.</summary>
    public bool WithTakes { get; init; }

    /// <summary>The stand-ins that are plugged in, by name, the others being there to be plugged in later; all if none is named; null for
    /// no room with stand-ins at all.</summary>
    public IReadOnlyList<string>? StandIns { get; init; }

    /// <summary>Where raw MIDI devices are looked for.</summary>
    public Weiche.Ports.Raw.RawPlaces RawPlaces { get; init; } = new();

    /// <summary>The systems by which other programs are reached; none to keep to Weiche itself.</summary>
    public IReadOnlyList<Weiche.Ports.Outside.OutsideSystem> Systems { get; init; } = [];

    /// <summary>Whether the threads that carry messages ask the system to run them before others.</summary>
    public bool AsksForUrgency { get; init; } = true;

    /// <summary>Where the time comes from.</summary>
    public TimeProvider Time { get; init; } = TimeProvider.System;

    /// <summary>The data folder by the platform's convention.</summary>
    public static string UsualDataFolder =>
        Path.Combine(
            Environment.GetFolderPath(Environment.SpecialFolder.LocalApplicationData, Environment.SpecialFolderOption.DoNotVerify),
            "weiche"
        );
}
