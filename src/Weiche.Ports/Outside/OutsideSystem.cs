namespace Weiche.Ports.Outside;

/// <summary>A system of this computer by which programs reach one another.</summary>
/// <param name="Key">Its name between Weiche and the bridge, and in the keys of what is found by it.</param>
/// <param name="Title">What it is called on screen.</param>
/// <param name="Place">Where what is found by it is plugged in, as on screen.</param>
/// <param name="NoLibrary">What is said where its library is not there.</param>
/// <param name="Away">What else is said where it does not run: what would make it work.</param>
public sealed record OutsideSystem(string Key, string Title, string Place, string NoLibrary, string Away)
{
    /// <summary>Which server of several is meant, by name; null for the usual one.</summary>
    public string? Server { get; init; }

    /// <summary>A sound server of the JACK API.</summary>
    public static OutsideSystem SoundServer { get; } =
        new(
            "sound-server",
            "sound server",
            "this computer",
            "There is no library of a sound server (libjack) on this computer, or an old one that lacks what is needed: install one "
                + "that speaks the JACK API, Debian's jackd2 or pipewire-jack, and programs that use it appear here.",
            "Start one (jackd, or a desktop's own), and programs that use it appear here."
        );

    /// <summary>The system's own sequencer.</summary>
    public static OutsideSystem Sequencer { get; } =
        new(
            "sequencer",
            "system sequencer",
            "this computer",
            "There is no sequencer library (libasound) on this computer, or an old one that lacks what is needed: install Debian's libasound2, and programs that use it "
                + "appear here.",
            "Load it (modprobe snd-seq), and programs that use it appear here."
        );
}
