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

    /// <summary>Whether a studio that is not there yet is made as the demo studio; else it is empty.</summary>
    public bool Demo { get; init; }

    /// <summary>Where raw MIDI devices are looked for.</summary>
    public Weiche.Ports.Raw.RawPlaces RawPlaces { get; init; } = new();

    /// <summary>Where the time comes from.</summary>
    public TimeProvider Time { get; init; } = TimeProvider.System;

    /// <summary>The data folder by the platform's convention.</summary>
    public static string UsualDataFolder => Path.Combine(
        Environment.GetFolderPath(Environment.SpecialFolder.LocalApplicationData, Environment.SpecialFolderOption.DoNotVerify), "weiche");
}
