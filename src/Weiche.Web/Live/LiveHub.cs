using System.Runtime.CompilerServices;
using Microsoft.AspNetCore.SignalR;
using Weiche.Core.Live;
using Weiche.Core.Studios;
using Weiche.Ports.Browser;
using Weiche.Ports.StandIns;
using Weiche.Web.Desk;

namespace Weiche.Web.Live;

/// <summary>What is live between a page and the studio: lamps to the page, playing from it.</summary>
/// <param name="desk">The running studio.</param>
/// <param name="watch">The lines of Watch.</param>
/// <param name="spoken">What has no name yet and spoke.</param>
/// <param name="load">The loads of the wires.</param>
/// <param name="shelf">The takes.</param>
/// <param name="deck">What writes down what comes in.</param>
public sealed class LiveHub(StudioDesk desk, WatchLog watch, SpokenLog spoken, LoadMeter load, TakeShelf shelf, TapeDeck deck) : Hub
{
    /// <summary>The time between two frames: at most 30 a second.</summary>
    internal static readonly TimeSpan FrameInterval = TimeSpan.FromMilliseconds(34);

    private static readonly TimeSpan TakesInterval = TimeSpan.FromMilliseconds(100);

    private static readonly TimeSpan ClocksInterval = TimeSpan.FromMilliseconds(200);

    /// <summary>
    /// Frames for one page, as long as it looks on. Each frame is made when the page is ready for it: a page that is
    /// slow or asleep holds nobody up and costs nothing.
    /// </summary>
    /// <param name="cancellation">Ends the stream.</param>
    public async IAsyncEnumerable<LampFrame> Lamps([EnumeratorCancellation] CancellationToken cancellation)
    {
        var reader = new LampReader();
        var (seen, lamp) = ((-1, -1L), (GuardLamp?)null);
        using var timer = new PeriodicTimer(FrameInterval);
        do
        {
            var state = desk.State;
            var guarded = (state.Version, desk.Junction.GuardVersion);
            if (guarded != seen)
                (seen, lamp) = (guarded, GuardLamp.Of(desk));
            if (
                reader.Next(
                    state.Version,
                    desk.Junction.Compiled,
                    desk.StandIns.All,
                    watch.Newest,
                    desk.Park.State.Version,
                    spoken.Counts,
                    watch,
                    load,
                    lamp,
                    state.Studio.InForce,
                    TimeLamp.Of(desk),
                    LampReader.SwitchedIn(desk)
                ) is
                { } frame
            )
                yield return frame;
        } while (await timer.WaitForNextTickAsync(cancellation));
    }

    /// <summary>The clocks for one page, as long as it looks on.</summary>
    /// <param name="cancellation">Ends the stream.</param>
    public async IAsyncEnumerable<ClocksFrame> Clocks([EnumeratorCancellation] CancellationToken cancellation)
    {
        using var timer = new PeriodicTimer(ClocksInterval);
        var report = new TimeReport();
        do yield return ClocksFrame.Of(desk, report);
        while (await timer.WaitForNextTickAsync(cancellation));
    }

    /// <summary>What is recorded and played, for one page, as long as it looks on.</summary>
    /// <param name="cancellation">Ends the stream.</param>
    public async IAsyncEnumerable<TakesFrame> Takes([EnumeratorCancellation] CancellationToken cancellation)
    {
        using var timer = new PeriodicTimer(TakesInterval);
        TakesFrame? last = null;
        do
        {
            var frame = TakesFrame.Of(desk, shelf, deck);
            if (frame == last && frame is { Records: null, Plays: false })
                continue;
            yield return last = frame;
        } while (await timer.WaitForNextTickAsync(cancellation));
    }

    /// <summary>Presses something that works the time.</summary>
    /// <param name="what">What.</param>
    /// <returns>Why nothing comes of it, or null.</returns>
    public string? PressTime(string what)
    {
        if (!Enum.TryParse<TimeWork>(what, out var work) || !Enum.IsDefined(work))
            return null;
        if (desk.Hindrance(work) is { } problem)
            return problem.Sentence;
        desk.Junction.Press(work);
        lock (Pressed)
            Pressed.Add(work);
        return null;
    }

    /// <summary>Lets it go.</summary>
    /// <param name="what">What.</param>
    public void LetTimeGo(string what)
    {
        if (!Enum.TryParse<TimeWork>(what, out var work))
            return;
        lock (Pressed)
        {
            if (!Pressed.Remove(work))
                return;
        }
        desk.Junction.LetGo(work);
    }

    /// <summary>Presses a key of a stand-in.</summary>
    /// <param name="standIn">The stand-in's key.</param>
    /// <param name="key">The key, 0 to 127.</param>
    /// <param name="velocity">How hard, 1 to 127.</param>
    public void Press(string standIn, int key, int velocity) => Find(standIn)?.Press(Context.ConnectionId, key, velocity);

    /// <summary>Lets a key of a stand-in go.</summary>
    /// <param name="standIn">The stand-in's key.</param>
    /// <param name="key">The key, 0 to 127.</param>
    public void Release(string standIn, int key) => Find(standIn)?.Release(Context.ConnectionId, key);

    /// <summary>Sets a finger down on a surface, or moves it there.</summary>
    /// <param name="standIn">The stand-in's key.</param>
    /// <param name="finger">Which finger.</param>
    /// <param name="key">Where along the keys, in semitones.</param>
    /// <param name="pressure">How hard, 0 to 127.</param>
    /// <param name="slide">Where across, 0 to 127.</param>
    public void Touch(string standIn, int finger, double key, int pressure, int slide) =>
        Find(standIn)?.Touch(Context.ConnectionId, finger, key, pressure, slide);

    /// <summary>Lifts a finger off a surface.</summary>
    /// <param name="standIn">The stand-in's key.</param>
    /// <param name="finger">Which finger.</param>
    public void Lift(string standIn, int finger) => Find(standIn)?.Lift(Context.ConnectionId, finger);

    /// <summary>Moves the bend wheel of a stand-in.</summary>
    /// <param name="standIn">The stand-in's key.</param>
    /// <param name="bend">−8192 to 8191.</param>
    public void Bend(string standIn, int bend) => Find(standIn)?.Bend(bend);

    /// <summary>Moves a fader or wheel of a stand-in.</summary>
    /// <param name="standIn">The stand-in's key.</param>
    /// <param name="controller">The controller it sends.</param>
    /// <param name="value">0 to 127.</param>
    public void Control(string standIn, int controller, int value) => Find(standIn)?.Control(controller, value);

    /// <summary>Chooses a program at a stand-in.</summary>
    /// <param name="standIn">The stand-in's key.</param>
    /// <param name="program">The program, 0 to 127.</param>
    public void Program(string standIn, int program) => Find(standIn)?.Program(program);

    /// <summary>Blows into a stand-in.</summary>
    /// <param name="standIn">The stand-in's key.</param>
    /// <param name="value">0 to 127.</param>
    public void Blow(string standIn, int value) => Find(standIn)?.Blow(value);

    /// <summary>Presses the sustain pedal of a stand-in or lets it up.</summary>
    /// <param name="standIn">The stand-in's key.</param>
    /// <param name="down">Whether it goes down.</param>
    public void Sustain(string standIn, bool down) => Find(standIn)?.Sustain(Context.ConnectionId, down);

    /// <summary>Has a stand-in play by itself, or stops it.</summary>
    /// <param name="standIn">The stand-in's key.</param>
    /// <param name="style">What it plays.</param>
    /// <param name="on">Whether it shall.</param>
    public void Style(string standIn, string style, bool on)
    {
        if (Enum.TryParse<Style>(style, ignoreCase: true, out var played))
            desk.StandIns.All.GetValueOrDefault(standIn)?.Styles?.Play(played, on);
    }

    /// <summary>Switches something on a stand-in, as a person at the device would.</summary>
    /// <param name="standIn">The stand-in's key.</param>
    /// <param name="name">The switch or track.</param>
    /// <param name="on">On or off.</param>
    public void Switch(string standIn, string name, bool on) => desk.StandIns.All.GetValueOrDefault(standIn)?.Switch(name, on);

    /// <summary>Plugs a stand-in in at a place, or pulls it out.</summary>
    /// <param name="standIn">The stand-in's key.</param>
    /// <param name="place">The place; empty to pull it out.</param>
    public void Plug(string standIn, string place) => desk.StandIns.Room?.Plug(standIn, place.Length == 0 ? null : place);

    /// <summary>Offers the devices that this window's browser reaches.</summary>
    /// <param name="browser">Tells the browser from others.</param>
    /// <param name="delay">Over how long what is played is smoothed, ms.</param>
    /// <param name="ports">The ports.</param>
    /// <returns>Why it cannot, or null.</returns>
    public string? OfferPorts(string browser, int delay, BrowserPort[] ports) =>
        desk.Browsers.Offer(
            Context.ConnectionId,
            browser ?? "",
            delay,
            [.. (ports ?? []).Where(port => port is { Id: not null, Name: not null })]
        );

    /// <summary>A device of this window's browser was played.</summary>
    /// <param name="port">Which of its ports.</param>
    /// <param name="time">When, by the window's clock, ms.</param>
    /// <param name="bytes">What it sent.</param>
    public void PortPlayed(string port, double time, byte[] bytes) =>
        desk.Browsers.Played(Context.ConnectionId, port ?? "", time, bytes ?? []);

    /// <summary>The devices of this window's browser are not offered any more.</summary>
    public void TakePortsBack() => desk.Browsers.Gone(Context.ConnectionId);

    /// <inheritdoc/>
    public override Task OnDisconnectedAsync(Exception? exception)
    {
        // A window that is closed, or a tablet that falls asleep, must not leave keys pressed.
        foreach (var standIn in desk.StandIns.All.Values)
            standIn.Player?.LetGo(Context.ConnectionId);
        desk.Browsers.Gone(Context.ConnectionId);
        lock (Pressed)
        {
            foreach (var work in Pressed)
                desk.Junction.LetGo(work);
        }
        return base.OnDisconnectedAsync(exception);
    }

    /// <summary>What of the time this window holds pressed.</summary>
    private HashSet<TimeWork> Pressed => (HashSet<TimeWork>)(Context.Items["time"] ??= new HashSet<TimeWork>());

    private Player? Find(string standIn) => desk.StandIns.All.GetValueOrDefault(standIn)?.Player;
}
