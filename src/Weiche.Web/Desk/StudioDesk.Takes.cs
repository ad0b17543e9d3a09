using Weiche.Core.Live;
using Weiche.Core.Studios;
using Weiche.Core.Studios.Edits;
using Weiche.Core.Takes;

namespace Weiche.Web.Desk;

/// <content>Takes that are played back through the routes of the open studio.</content>
public sealed partial class StudioDesk
{
    /// <summary>The name of the virtual port that takes are played from which came from no source.</summary>
    public const string OwnPortName = "Takes";

    /// <summary>The source of that virtual port, or null as long as there is none.</summary>
    public PortId? OwnPort =>
        State
            .Studio.Devices.FirstOrDefault(device => device.IsVirtualPort() && device.Name == OwnPortName)
            ?.FirstPort(PortDirection.Source);

    /// <summary>Something beside the studio has changed that pages show: they ask anew.</summary>
    public void Touch()
    {
        lock (_gate)
        {
            if (!_isClosed)
                Show(_state);
        }
    }

    /// <summary>Has every window say something below its head.</summary>
    /// <param name="sentence">What.</param>
    public void Say(string sentence)
    {
        lock (_gate)
        {
            if (!_isClosed)
                Show(_state with { Notice = new Notice(sentence, _state.Version + 1) });
        }
    }

    /// <summary>Plays a take, instead of what is played.</summary>
    /// <param name="take">The take.</param>
    /// <param name="how">How.</param>
    /// <returns>What a person should know: why it is not played, or what of it is left out; null if nothing.</returns>
    public Problem? Play(Take take, PlayHow how)
    {
        if (how.InStep && Junction.Time.Master is null)
            return new Problem(
                "play",
                "Nobody keeps the time that it could be in step with: make a clock master on Time (k), or play it by its own times."
            );
        if (PreparedTake.TryMake(take, how, State.Studio, out var prepared, out var left) is { } problem)
            return new Problem("play", problem);
        using (_sweeper.Work())
        {
            lock (_gate)
            {
                if (_isClosed)
                    return null;
                var studio = _state.Studio;
                var ready = Junction.Prepare(studio, prepared!.Sources);
                Remember(ready.Compiled.Version, studio);
                Junction.Swap(ready);
                Junction.PlayTake(prepared);
            }
        }
        // With the clock it begins: at once if it stands, at the next bar if it runs.
        if (how.InStep && Junction.Time is { IsPlaying: false, Begins: false } && Work(TimeWork.Start) is { } waits)
            return waits;
        var notes = new List<string>();
        if (!left.IsEmpty)
            notes.Add(
                "Left out, since what they came from is not in this studio: "
                    + $"{string.Join(", ", left.Select(track => track.Name).Distinct().Take(5))}."
            );
        if (prepared.TooLong > 0)
            notes.Add($"Left out: {prepared.TooLong} system exclusive, longer than 1 MiB. Each is in the take's .syx file.");
        return notes.Count == 0 ? null : new Problem("play", string.Join(" ", notes));
    }
}
