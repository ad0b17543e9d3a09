using System.Runtime.CompilerServices;
using Weiche.Core.Midi;
using Weiche.Core.Pulse;
using Weiche.Core.Studios;

namespace Weiche.Core.Live;

/// <content>The time: what others may have done to it, and what each beat does to the stages that follow it.</content>
public sealed partial class Engine
{
    private readonly Conductor _conductor;

    /// <summary>The time now. May be asked by any thread.</summary>
    public TimeNow Time => _conductor.Shown;

    /// <summary>Copies what is known of the clocks.</summary>
    /// <param name="into">Where to.</param>
    /// <param name="now">The time.</param>
    public void Report(TimeReport into, MidiTime now) => _conductor.Report(into, now);

    /// <summary>Does something to the time, as if it were pressed and not let go yet.</summary>
    /// <param name="what">What.</param>
    /// <param name="now">The time.</param>
    public void Do(TimeWork what, MidiTime now)
    {
        switch (what)
        {
            case TimeWork.Start:
                _conductor.Start(now);
                break;
            case TimeWork.Stop:
                _conductor.Stop(now);
                break;
            case TimeWork.StartOrStop:
                _conductor.StartOrStop(now);
                break;
            case TimeWork.Continue:
                _conductor.Continue(now);
                break;
            case TimeWork.Tap:
                _conductor.Tap(now);
                break;
            case TimeWork.BackInStep:
                _conductor.BackInStep(null, now);
                break;
            case TimeWork.HoldAndLetGo:
                _conductor.Hold(now);
                break;
            case TimeWork.Faster:
                _conductor.Nudge(1, now);
                break;
            case TimeWork.Slower:
                _conductor.Nudge(-1, now);
                break;
        }
        AwaitConductor();
    }

    /// <summary>Lets go of what was pressed.</summary>
    /// <param name="what">What.</param>
    /// <param name="now">The time.</param>
    public void LetGo(TimeWork what, MidiTime now)
    {
        if (what == TimeWork.HoldAndLetGo)
            _conductor.LetGo(now);
        else if (what is TimeWork.Faster or TimeWork.Slower)
            _conductor.Nudge(0, now);
        AwaitConductor();
    }

    /// <summary>Stops one destination and lets it go on at the next bar, at the right place.</summary>
    /// <param name="destination">The destination.</param>
    /// <param name="now">The time.</param>
    public void BackInStep(PortId destination, MidiTime now)
    {
        _conductor.BackInStep(destination, now);
        AwaitConductor();
    }

    /// <summary>Has Weiche's own clock go at another tempo, as it is played: the studio keeps its own.</summary>
    /// <param name="tempo">The tempo.</param>
    /// <param name="now">The time.</param>
    public void SetTempo(Tempo tempo, MidiTime now)
    {
        _conductor.SetTempo(tempo, now);
        AwaitConductor();
    }

    /// <summary>The engine is to be asked again no later than the conductor is.</summary>
    private void AwaitConductor() => _due = MidiTime.Earlier(_due, _conductor.Due);

    /// <summary>Sends a message of the clock to who follows it.</summary>
    internal void SendClock(Outlet outlet, in MidiMessage message, MidiTime due, MidiTime now)
    {
        if (!outlet.HasRoom)
            return;
        outlet.Enqueue(message, default, now);
        outlet.Time.ClockDue = outlet.HasClock ? MidiTime.Earlier(outlet.Time.ClockDue, due) : due;
        outlet.HasClock = true;
        MarkDirty(outlet);
    }

    /// <summary>A pulse while the time runs: stages that follow the beat do what it brings.</summary>
    internal void Beat(long position, MidiTime at, double interval, MidiTime now)
    {
        if (_playback.Beat(position, Time.Bar.PulsesABar, at, interval))
            PlayOn(now);
        foreach (var (line, stage, _) in _prepared.Beating)
        {
            if (line.IsOff || !line.IsLive || !line.IsIn[_lineup])
                continue;
            line.Stages[stage].Beat(position, at, interval);
            LetGoMade(line, stage, now);
            _due = MidiTime.Earlier(_due, line.Stages[stage].NextDue);
        }
    }

    /// <summary>The time has stopped: what stages made of it ends.</summary>
    internal void HaltBeat(MidiTime now)
    {
        if (_playback.Halt())
            EndPlayers(now);
        foreach (var (line, stage, _) in _prepared.Beating)
            Halt(line, stage, now);
    }

    private void Halt(Line line, int stage, MidiTime now)
    {
        line.Stages[stage].Halt();
        LetGoMade(line, stage, now);
    }

    /// <summary>Sends on what a stage has made by now, from the stage after.</summary>
    private void LetGoMade(Line line, int stage, MidiTime now)
    {
        while (line.Stages[stage].TryLetGo(now, out var source, out var message))
        {
            line.Meter.StageMeters[stage].OutCount++;
            if (!line.IsLive)
                continue;
            var run = new Run(new PortId(source), message, now, ++_run) { Quiet = true, IsMade = true };
            if (message.IsNoteOn)
            {
                Step(line, stage + 1, message, ref run);
                continue;
            }
            // A later stage may hold it; what it has begun at the destination ends there, as what it was.
            run.EndsNote = true;
            Step(line, stage + 1, message, ref run);
            while (_ledger.TryTakeOlder(run.Source, run.Origin, line.Id, run.Number, out var entry))
                End(entry, ref run);
        }
    }

    [MethodImpl(MethodImplOptions.NoInlining)]
    private void HearClock(PortId source, in MidiMessage message, MidiTime now)
    {
        _conductor.Hear(source, message, now);
        AwaitConductor();
    }
}
