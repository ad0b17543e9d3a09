namespace Weiche.Ports.StandIns;

/// <summary>What a stand-in instrument holds, at one moment.</summary>
/// <param name="Version">Counts up with each change.</param>
/// <param name="Held">The keys that sound: channel (1 to 16), key, and how hard each was struck (1 to 127); by channel, then
/// from low to high.</param>
/// <param name="Sustained">Whether its sustain pedal is down.</param>
/// <param name="Programs">The program of each channel it listens to, channel 1 first, 1 to 128.</param>
/// <param name="Bend">Its pitch bend, −8192 to 8191.</param>
/// <param name="Modulation">Its modulation, 0 to 127.</param>
/// <param name="Ignored">How many messages came on channels it does not listen to.</param>
/// <param name="ThrownBytes">How many bytes came that belong to no message.</param>
/// <param name="Beat">The beat that it is in, from 0, if it follows a clock; null while it stands still.</param>
public sealed record Heard(
    long Version,
    IReadOnlyList<(int Channel, int Key, int Velocity)> Held,
    bool Sustained,
    IReadOnlyList<int> Programs,
    int Bend,
    int Modulation,
    long Ignored,
    long ThrownBytes,
    int? Beat
);
