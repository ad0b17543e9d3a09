namespace Weiche.Web.Live;

/// <summary>What changed since the frame before. Lists hold only what changed.</summary>
/// <param name="Version">The studio's version.</param>
/// <param name="Ports">The ports where messages ran or the held keys changed.</param>
/// <param name="Routes">The routes that passed messages.</param>
/// <param name="Stages">The stages that messages came to.</param>
/// <param name="Hearings">For each stand-in that now holds something else: its device and what it holds.</param>
/// <param name="Watch">The number of the newest line of Watch.</param>
/// <param name="Background">How much clock and active sensing came from all sources.</param>
/// <param name="Unnamed">What is plugged in, has no name yet and spoke.</param>
/// <param name="Roll">Counts up when something was plugged in or pulled out.</param>
/// <param name="Kinds">The kinds of message that came, by source.</param>
/// <param name="Recent">The newest messages with a channel that came.</param>
/// <param name="Loads">The ports whose wire carries another load.</param>
/// <param name="Guard">How many circuits are open, how many other findings want a look, and how much the guard stops.</param>
/// <param name="Lineup">The lineup in force: "2 Star field"; empty if there is none.</param>
/// <param name="Time">The time.</param>
/// <param name="Switched">The routes that levers have switched, where that is not as the studio has it; null where that is as it was.</param>
public sealed record LampFrame(
    int Version,
    IReadOnlyList<PortFrame> Ports,
    IReadOnlyList<RouteFrame> Routes,
    IReadOnlyList<StageFrame> Stages,
    IReadOnlyList<HeardFrame> Hearings,
    long Watch,
    long Background,
    IReadOnlyList<string> Unnamed,
    int Roll,
    IReadOnlyList<KindFrame> Kinds,
    IReadOnlyList<RecentFrame> Recent,
    IReadOnlyList<LoadFrame> Loads,
    GuardLamp Guard,
    string Lineup,
    TimeLamp? Time,
    IReadOnlyList<SwitchedFrame>? Switched
);

/// <summary>What happened at a port.</summary>
/// <param name="Port">Its id.</param>
/// <param name="Ran">Whether messages ran.</param>
/// <param name="Held">How many keys are held.</param>
public readonly record struct PortFrame(int Port, bool Ran, int Held);

/// <summary>What a route passed.</summary>
/// <param name="Route">Its id.</param>
/// <param name="Passed">How many messages in all.</param>
public readonly record struct RouteFrame(int Route, long Passed);

/// <summary>What came to a stage.</summary>
/// <param name="Route">The route's id.</param>
/// <param name="Stage">Which of its stages, from 0.</param>
/// <param name="Came">How many messages came in all.</param>
/// <param name="Out">How many went on in all.</param>
/// <param name="Stops">Whether some were stopped that are worth a look: clock and active sensing are not.</param>
/// <param name="Stopped">How many were stopped in all.</param>
public readonly record struct StageFrame(int Route, int Stage, long Came, long Out, bool Stops, long Stopped);

/// <summary>How much of a kind came.</summary>
/// <param name="Port">The source's id.</param>
/// <param name="Kind">The kind, by number (<see cref="Core.Midi.MessageKind"/>).</param>
/// <param name="Count">How many in all.</param>
public readonly record struct KindFrame(int Port, int Kind, long Count);

/// <summary>A message that came.</summary>
/// <param name="Port">The source's id.</param>
/// <param name="Status">Its status byte.</param>
/// <param name="First">Its first data byte.</param>
/// <param name="Second">Its second data byte; 0 for none.</param>
public readonly record struct RecentFrame(int Port, int Status, int First, int Second);

/// <summary>What a port's wire carries.</summary>
/// <param name="Port">The port's id.</param>
/// <param name="Now">Bytes in the last second.</param>
/// <param name="Highest">The most in any second.</param>
public readonly record struct LoadFrame(int Port, long Now, long Highest);

/// <summary>What a lever did to a route.</summary>
/// <param name="Route">Its id.</param>
/// <param name="On">Whether it is on now.</param>
public readonly record struct SwitchedFrame(int Route, bool On);

/// <summary>What a stand-in holds.</summary>
/// <param name="StandIn">The stand-in's key.</param>
/// <param name="Keys">The keys that sound.</param>
/// <param name="Names">Their names, with the channel where it listens to several.</param>
/// <param name="Sustained">Whether its sustain pedal is down.</param>
/// <param name="Bend">Its bend, −8192 to 8191.</param>
/// <param name="Modulation">Its modulation, 0 to 127.</param>
/// <param name="Programs">The program of each channel it listens to, in words.</param>
/// <param name="More">What else there is to say: where in the song it is, local control, bytes recorded.</param>
/// <param name="Beat">The beat that it is in, from 0, if it follows a clock; else null.</param>
public sealed record HeardFrame(
    string StandIn,
    int[] Keys,
    string[] Names,
    bool Sustained,
    int Bend,
    int Modulation,
    string Programs,
    string More,
    int? Beat
);
