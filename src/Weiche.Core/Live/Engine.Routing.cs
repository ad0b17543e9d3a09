using System.Runtime.CompilerServices;
using Weiche.Core.Midi;
using Weiche.Core.Stages;
using Weiche.Core.Studios;

namespace Weiche.Core.Live;

/// <content>How a message runs through the routes of its source: stage by stage, each counting, to the destinations.</content>
public sealed partial class Engine
{
    [MethodImpl(MethodImplOptions.NoInlining)]
    private void Route(SourceState source, in MidiMessage message, MidiTime now)
    {
        source.Meter.KindCounts[(int)message.Kind]++;
        var run = new Run(source.Id, message, now, ++_run);
        run.Quiet = run.Background && !Tap.TakesBackground;
        if (source.Standing.LeadsBack && Guard.IsOn)
            LookTwice(source, ref run);
        WriteArrival(source, run);
        if (message.SysExHandle != 0 && Swallows(source, message))
            WriteRare(TapEvent.Kept, run, message, source.Id, default);
        else if (!source.On)
            WriteRare(TapEvent.SourceOff, run, message, source.Id, default);
        else if ((source.Levers is null && !source.AnySwallowed) || !WorksLever(source, run))
            RouteLive(source, ref run);
        if (message.Status >= 0xF2 && source.On && message.IsOfClock && !source.IsDoor)
            HearClock(source.Id, message, now);
        if (!run.Quiet)
            Tap.Publish();
    }

    [MethodImpl(MethodImplOptions.NoInlining)]
    private bool Swallows(SourceState source, in MidiMessage message)
    {
        if (Volatile.Read(ref _exclusives) is not { } filter)
            return false;
        var bytes = Pool.Bytes(message.SysExHandle);
        return bytes.Length <= LongestShown && filter(source.Id, bytes);
    }

    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    private void RouteLive(SourceState source, ref Run run)
    {
        if (run.Message.IsNote)
            BeginOrEndNote(source, ref run);
        else if (run.Message.SilencesMore)
            LiftKeys(source, run.Message);
        foreach (var line in source.Lines)
        {
            if (line.IsPlain)
            {
                StepThroughOneTable(line, ref run);
                if (run.PedalUp)
                    EndOlder(ref run, line);
                continue;
            }
            if (TakesAway(line, ref run))
                break;
        }
        if (run.EndsNote)
        {
            while (_ledger.TryNext(ref run.Ending, out var entry))
                End(entry, ref run);
        }
        else if (
            Ledger.HoldsByControls(source.Holds)
            && !run.Message.IsNote
            && Held.TryOrigin(run.Message, out run.Origin)
            && Held.IsLow(run.Message)
        )
        {
            // What holds a pedal came down, and no route let its end through any more: it ends all the same.
            EndOlder(ref run, default(RouteId));
        }
        if (source.RingingCount > 0)
            FollowRinging(source, ref run);
    }

    /// <summary>Runs a message through a route that is not like most. One that diverts and lets anything through takes the message
    /// away from all that follow.</summary>
    [MethodImpl(MethodImplOptions.NoInlining)]
    private bool TakesAway(Line line, ref Run run)
    {
        if (line.IsOff)
            return false;
        if (line.IsLive && !IsStopped(line, run))
            Step(line, ref run);
        else if (!line.IsLive)
            Write(TapEvent.DestinationOff, run, run.Message, line.Destination, line.Id);
        if (run.PedalUp)
            EndOlder(ref run, line);
        var takes = line.Diverts && run.CameThrough;
        run.CameThrough = false;
        return takes;
    }

    /// <summary>Whether the guard stops a message on a route.</summary>
    private bool IsStopped(Line line, in Run run)
    {
        if (!line.IsGuarded || !Guard.Stops(line.Id, run.Source, run.Message, run.Time, out var withheld))
            return false;
        Write(withheld ? TapEvent.Withheld : TapEvent.Guarded, run, run.Message, line.Destination, line.Id);
        _due = MidiTime.Earlier(_due, Guard.Due);
        return true;
    }

    /// <summary>Runs a message through a route from its beginning. Most routes are one table, or none.</summary>
    private void Step(Line line, ref Run run)
    {
        if (line.IsOneTable)
            StepThroughOneTable(line, ref run);
        else
            Step(line, 0, run.Message, ref run);
    }

    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    private void StepThroughOneTable(Line line, ref Run run)
    {
        var message = run.Message;
        if (line.Whole is { } table)
        {
            if (!table.TryApply(ref message))
            {
                StopWithin(line, 0, message, run);
                return;
            }
            line.First!.ThroughCount++;
        }
        run.CameThrough = true;
        Deliver(line, message, ref run);
    }

    private void Step(Line line, int stage, MidiMessage message, ref Run run)
    {
        var stages = line.Stages;
        while (stage < stages.Length)
        {
            if (line.Tables[stage] is { } table)
            {
                if (!table.TryApply(ref message))
                {
                    StopWithin(line, stage, message, run);
                    return;
                }
                line.Meter.StageMeters[stage].ThroughCount++;
                stage = line.Ends[stage];
                continue;
            }
            var meter = line.Meter.StageMeters[stage];
            var results = _results.AsSpan(stage * Stage.MaxFanOut, Stage.MaxFanOut);
            var count = stages[stage].Apply(message, run.Time, run.Source.Value, results);
            meter.InCount++;
            meter.OutCount += count;
            if (count == 0)
            {
                // A stage that keeps messages for later has taken this one.
                if (stages[stage].KeepsTime)
                {
                    run.CameThrough = true;
                    _due = MidiTime.Earlier(_due, stages[stage].NextDue);
                }
                Stop(line, stage, message, run);
                return;
            }
            stage++;
            if (count > 1)
            {
                // What was kept goes before it: it was counted as stopped when it was kept.
                if (stages[stage - 1].KeepsTime)
                    meter.StoppedCount -= count - 1;
                for (var i = 0; i < count; i++)
                    Step(line, stage, results[i], ref run);
                return;
            }
            message = results[0];
        }
        run.CameThrough = true;
        Deliver(line, message, ref run);
    }

    /// <summary>Runs a message that will be stopped through tables one by one, to learn which of them stops it.</summary>
    private void StopWithin(Line line, int stage, MidiMessage message, in Run run)
    {
        for (; ; stage++)
        {
            var meter = line.Meter.StageMeters[stage];
            meter.InCount++;
            if (!((TableStage)line.Stages[stage]).TryApply(ref message))
                break;
            meter.OutCount++;
        }
        Stop(line, stage, message, run);
    }

    private void Stop(Line line, int stage, in MidiMessage message, in Run run)
    {
        var meter = line.Meter.StageMeters[stage];
        meter.StoppedCount++;
        if (run.Background)
            meter.StoppedBackgroundCount++;
        Write(TapEvent.Stopped, run, message, line.Destination, line.Id, stage);
    }

    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    private void Deliver(Line line, in MidiMessage message, ref Run run)
    {
        var outlet = line.Outlet;
        if (!outlet.HasRoom)
        {
            Refuse(outlet, line, message, run);
            return;
        }
        if (message.IsNote)
        {
            if (!MayNotePass(line, outlet, message, ref run))
                return;
        }
        else if (message.HasChannel)
        {
            if (Moved.IsBendOrPressure(message))
                outlet.Moved.NoteBendOrPressure(message, new Mover(run.Source, line.Id));
            else if (Held.IsKeyPressure(message))
                outlet.Moved.NoteKeyPressure(message, new Mover(run.Source, line.Id));
            else if (Held.NeedsCare(message) && !MayControlPass(line, outlet, message, ref run))
                return;
        }
        else if (message.IsOfClock ? LeavesOutClock(outlet, message, run) : message.SilencesMore)
        {
            if (!MaySystemPass(line, outlet, message, run))
                return;
        }
        Send(outlet, line.Id, line.Meter, message, run);
    }

    private bool LeavesOutClock(Outlet outlet, in MidiMessage message, in Run run)
    {
        _anyClock = true;
        // What the studio's clock goes to gets no other.
        if ((outlet.Conducts & (message == MidiMessage.Clock ? Conducts.Clock : Conducts.Transport)) != 0)
            return true;
        return outlet.Clock.LeavesOut(message, run.Source, run.Time);
    }

    /// <summary>Whether a controller passes that others at the same destination may be concerned with.</summary>
    [MethodImpl(MethodImplOptions.NoInlining)]
    private bool MayControlPass(Line line, Outlet outlet, in MidiMessage message, ref Run run)
    {
        if (message.SilencesMore)
            return MaySilence(line, outlet, message, run);
        if (Held.IsPedal(message))
            return !Held.TryOrigin(run.Message, out run.Origin) || MayPedalPass(line, outlet, message, ref run);
        outlet.Moved.NoteControl(message, new Mover(run.Source, line.Id));
        return true;
    }

    /// <summary>Whether a message of a second clock, or a reset, passes.</summary>
    [MethodImpl(MethodImplOptions.NoInlining)]
    private bool MaySystemPass(Line line, Outlet outlet, in MidiMessage message, in Run run)
    {
        if (!message.IsOfClock)
            return MaySilence(line, outlet, message, run);
        outlet.Meter.OtherClockCount++;
        Write(TapEvent.OtherClock, run, message, line.Destination, line.Id);
        return false;
    }

    [MethodImpl(MethodImplOptions.NoInlining)]
    private void Refuse(Outlet outlet, Line line, in MidiMessage message, in Run run)
    {
        outlet.Meter.RefusedCount++;
        Write(TapEvent.Refused, run, message, line.Destination, line.Id);
    }

    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    private void Send(Outlet outlet, RouteId route, RouteMeter? meter, in MidiMessage message, in Run run)
    {
        outlet.Enqueue(message, run.Source, run.Time);
        MarkDirty(outlet);
        if (_guardWatches && outlet.Standing.LeadsBack)
            Guard.Remember(message, run, route, outlet);
        if (meter is not null)
        {
            meter.PassedCount++;
            if (run.Background)
                meter.PassedBackgroundCount++;
        }
        if (!run.Quiet)
            Tap.Write(TapRecord.OfEnd(TapEvent.Delivered, message, outlet.Id, route, 0));
        else if (run.IsMade)
            TellMade(outlet, message, run.Source, route, run.Time);
    }

    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    private void Write(TapEvent what, in Run run, in MidiMessage message, PortId port, RouteId route, int stage = 0)
    {
        if (!run.Quiet)
            Tap.Write(TapRecord.OfEnd(what, message, port, route, stage));
    }

    /// <summary>The same, where it is rare: out of line, so that what is frequent stays in it.</summary>
    [MethodImpl(MethodImplOptions.NoInlining)]
    private void WriteRare(TapEvent what, in Run run, in MidiMessage message, PortId port, RouteId route) =>
        Write(what, run, message, port, route);

    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    private void WriteArrival(SourceState source, in Run run)
    {
        if (run.Quiet)
            return;
        Tap.Write(TapRecord.OfArrival(run.Message, source.Shown, run.Time, source.Arrives));
        if (run.Message.SysExHandle != 0)
            WriteExclusive(run);
    }

    [MethodImpl(MethodImplOptions.NoInlining)]
    private void WriteExclusive(in Run run) => Tap.WriteExclusive(Pool.Bytes(run.Message.SysExHandle));

    private readonly ref struct SourceSink(Engine engine, SourceState source, MidiTime now) : IMessageSink
    {
        public void Accept(in MidiMessage message) => engine.Route(source, message, now);
    }
}
