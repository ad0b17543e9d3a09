using System.Globalization;
using Weiche.Core.Live;
using Weiche.Core.Midi;
using Weiche.Core.Pulse;
using Weiche.Core.Studios;
using Weiche.Web.Desk;

namespace Weiche.Web.Live;

/// <summary>The time in the head of each page.</summary>
/// <param name="Bpm">The tempo: "96.0"; empty as long as there is no telling.</param>
/// <param name="Place">Bar and beat: "17.3"; empty while it is not running.</param>
/// <param name="Master">Who keeps it.</param>
/// <param name="Look">How it looks: "none", "waits" for a clock that has not come yet, "silent" for one that fell silent while it ran,
/// "coasting", "running", "counting" or "playing".</param>
/// <param name="Beat">Counts up with each beat: the lamp lights up.</param>
/// <param name="IsFirst">Whether the beat is the first of a bar.</param>
/// <param name="IsHeld">Whether the beat is held, to be let go on the downbeat.</param>
/// <param name="Tempo">The tempo of Weiche's own clock as it is played.</param>
public sealed record TimeLamp(string Bpm, string Place, string Master, string Look, long Beat, bool IsFirst, bool IsHeld, string Tempo)
{
    /// <summary>What it says where there is room for more.</summary>
    public string Title =>
        Look switch
        {
            "none" => "Time (k): nobody keeps the time",
            "waits" => $"Time (k): {Master} keeps the time, and nothing has come from it yet",
            "silent" => $"Time (k): {Master} keeps the time, and has fallen silent",
            "coasting" => $"Time (k): {Master} has fallen silent; the time goes on at its last tempo",
            "counting" => $"Time (k): {Master}, {Bpm} bpm; about to begin",
            "playing" => $"Time (k): {Master}, {Bpm} bpm; bar and beat {Place}. g stops",
            _ => $"Time (k): {Master}, {Bpm} bpm. g starts",
        };

    /// <summary>What it says where it stands: "no clock" and nothing else as long as there is none.</summary>
    public string Said =>
        Look switch
        {
            "none" => "no clock",
            "waits" => "waits",
            "silent" => "silent",
            _ => Place,
        };

    /// <summary>The lamp of a running studio.</summary>
    /// <param name="desk">The studio.</param>
    public static TimeLamp Of(StudioDesk desk)
    {
        var (time, studio) = (desk.Junction.Time, desk.Junction.Compiled.Studio);
        if (time.Master is not { } master)
            return new TimeLamp("", "", "", "none", 0, false, false, time.Tempo.Digits);
        var runs = time.State is TimeState.Running or TimeState.Coasting;
        // Pulses that have passed since the last that was told.
        var since =
            runs && time.Interval > 0
                ? Math.Clamp((long)((desk.Junction.Clock.Now - time.At).Microseconds / time.Interval), 0, Core.Pulse.Tempo.PulsesABeat)
                : 0;
        var (bar, beat) = time.Bar.Of(time.Grid + since);
        var look = time.State switch
        {
            TimeState.Coasting => "coasting",
            TimeState.Silent => time.IsPlaying ? "silent" : "waits",
            _ => time.IsPlaying ? "playing"
            : time.Begins ? "counting"
            : "running",
        };
        var place = time.IsPlaying || time.Begins ? string.Create(CultureInfo.InvariantCulture, $"{(bar > 0 ? bar : bar - 1)}.{beat}") : "";
        return new TimeLamp(
            time.Bpm > 0 ? time.Bpm.ToString("F1", CultureInfo.InvariantCulture) : "",
            place,
            master.NameIn(studio),
            look,
            runs ? bar * BarForm.MostBeats + beat : 0,
            beat == 1,
            time.IsHeld,
            time.Tempo.Digits
        );
    }
}

/// <summary>A clock on the page Time, as it is now.</summary>
/// <param name="Id">The source's id; 0 for Weiche's own.</param>
/// <param name="Bpm">Beats a minute: "96.02"; empty as long as there is no telling.</param>
/// <param name="Spread">How far its pulses stray: "± 1.4 ms".</param>
/// <param name="State">What there is to say: "silent", "drifts + 0.3 %", "2 pulses lost"; empty if nothing.</param>
/// <param name="Dots">Its last beats.</param>
public sealed record ClockFrame(int Id, string Bpm, string Spread, string State, IReadOnlyList<DotFrame> Dots);

/// <summary>A beat of a clock.</summary>
/// <param name="Ago">How many milliseconds ago.</param>
/// <param name="Off">How many milliseconds late; less than 0 for early.</param>
public readonly record struct DotFrame(double Ago, double Off);

/// <summary>What moves on the page Time.</summary>
/// <param name="Clocks">The clocks.</param>
/// <param name="Leaves">For each destination that follows: its id, and how far its pulses stray.</param>
public sealed record ClocksFrame(IReadOnlyList<ClockFrame> Clocks, IReadOnlyList<FollowerFrame> Leaves)
{
    private const double Shown = 30_000;

    /// <summary>The clocks of a running studio.</summary>
    /// <param name="desk">The studio.</param>
    /// <param name="report">Room for what the engine says, which may be used again.</param>
    public static ClocksFrame Of(StudioDesk desk, TimeReport report)
    {
        desk.Junction.Report(report);
        var (time, clocks, leaves) = (desk.Junction.Time, new List<ClockFrame>(), new List<FollowerFrame>());
        foreach (var clock in report.Clocks)
        {
            if (clock.Source is { } source && desk.State.Studio.GivesBackClock(source))
                continue;
            var dots = new List<DotFrame>();
            foreach (var dot in clock.Dots)
            {
                if ((report.At - dot.At).Milliseconds <= Shown)
                    dots.Add(new DotFrame(Math.Round((report.At - dot.At).Milliseconds), Math.Round(dot.Off, 3)));
            }
            clocks.Add(
                new ClockFrame(
                    clock.Source?.Value ?? 0,
                    clock.Bpm > 0 ? clock.Bpm.ToString("F2", CultureInfo.InvariantCulture) : "",
                    clock.Bpm > 0 ? "± " + Fine(clock.Spread) : "",
                    StateOf(clock, time),
                    dots
                )
            );
        }
        foreach (var (to, spread) in report.Leaves)
            leaves.Add(
                new FollowerFrame(to.Value, time.State is TimeState.Running or TimeState.Coasting ? "leaves ± " + Fine(spread) : "")
            );
        return new ClocksFrame(clocks, leaves);
    }

    private static string Fine(MidiSpan span) => span.InMilliseconds(span.Milliseconds < 1 ? 2 : 1);

    private static string StateOf(ClockReport clock, TimeNow time)
    {
        if (clock.IsLost)
            return clock.Source == time.Master?.Source && time.State == TimeState.Coasting ? "silent: coasting" : "silent";
        var lost =
            clock.LostCount == 0 ? ""
            : clock.LostCount == 1 ? "1 pulse lost"
            : string.Create(CultureInfo.InvariantCulture, $"{clock.LostCount} pulses lost");
        var faster = time.Bpm > 0 && clock.Bpm > 0 && clock.Source != time.Master?.Source ? (clock.Bpm / time.Bpm - 1) * 100 : 0;
        var drift =
            Math.Abs(faster) < 0.02
                ? ""
                : string.Create(CultureInfo.InvariantCulture, $"{Math.Abs(faster):0.0#} % {(faster > 0 ? "faster" : "slower")}");
        return string.Join(", ", new[] { drift, lost }.Where(said => said.Length > 0));
    }
}

/// <summary>A destination on the page Time, as it is now.</summary>
/// <param name="Id">Its id.</param>
/// <param name="Leaves">How far its pulses stray: "leaves ± 0.1 ms".</param>
public sealed record FollowerFrame(int Id, string Leaves);
