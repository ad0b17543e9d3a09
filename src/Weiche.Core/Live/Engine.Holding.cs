using System.Runtime.CompilerServices;
using Weiche.Core.Midi;
using Weiche.Core.Studios;

namespace Weiche.Core.Live;

/// <content>What is held: notes and pedals, each entered in the ledger where it began and ended there.</content>
public sealed partial class Engine
{
    private const int ResetAllControllers = 121;
    private const int EveryChannel = -1;

    /// <summary>A pedal went up through a route, which may have led elsewhere when it went down: it goes up there too.</summary>
    private void EndOlder(ref Run run, Line line)
    {
        EndOlder(ref run, line.Id);
        run.PedalUp = false;
    }

    [MethodImpl(MethodImplOptions.NoInlining)]
    private void EndOlder(ref Run run, RouteId route)
    {
        while (_ledger.TryTakeOlder(run.Source, run.Origin, route, run.Number, out var entry))
            End(entry, run.Time);
    }

    /// <summary>Keeps in mind which keys are down at a source: the note-off of a note that began nowhere goes nowhere.</summary>
    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    private void BeginOrEndNote(SourceState source, ref Run run)
    {
        ref var down = ref source.Down[run.Message.ChannelIndex * 2 + (run.Message.Data1 >> 6)];
        var bit = 1ul << (run.Message.Data1 & 63);
        if (run.Message.IsNoteOn)
        {
            down |= bit;
            run.HeldNothing = !_ledger.HoldsAny(run.Source, run.Origin);
            return;
        }
        run.Ending = _ledger.TakeAll(run.Source, run.Origin, _ending, run.Number);
        run.EndsNote = run.Ending != Ledger.None || (down & bit) != 0;
        down &= ~bit;
    }

    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    private bool MayNotePass(Line line, Outlet outlet, in MidiMessage message, ref Run run)
    {
        if (run.EndsNote)
        {
            // What this ends is in the ledger and goes out from there. Through this route, perhaps, nothing began.
            if (_ending[line.Id.Value] != run.Number)
                WriteRare(TapEvent.NotBegunHere, run, message, line.Destination, line.Id);
            return false;
        }
        var sounding = Held.OfNote(message);
        if (message.IsNoteOn)
        {
            if (!_ledger.TryEnter(run.Source, run.Origin, line.Id, line.Destination, sounding, run.Number, run.HeldNothing))
            {
                Refuse(outlet, line, message, run);
                return false;
            }
            return true;
        }
        if (_ledger.CountAt(line.Destination, sounding) == 0)
            return true;
        WriteRare(TapEvent.HeldByOther, run, message, line.Destination, line.Id);
        return false;
    }

    [MethodImpl(MethodImplOptions.NoInlining)]
    private bool MayPedalPass(Line line, Outlet outlet, in MidiMessage message, ref Run run)
    {
        _ = Held.TryOrigin(message, out var sounding);
        if (!Held.IsLow(message))
        {
            if (run.Rings)
                return false;
            if (_ledger.TryEnter(run.Source, run.Origin, line.Id, line.Destination, sounding, run.Number))
                return true;
            Refuse(outlet, line, message, run);
            return false;
        }
        run.PedalUp = true;
        _ledger.TakeExactly(run.Source, run.Origin, line.Id, line.Destination, sounding);
        if (_ledger.CountAt(line.Destination, sounding) == 0)
            return true;
        Write(TapEvent.HeldByOther, run, message, line.Destination, line.Id);
        return false;
    }

    /// <summary>A source says that nothing of a channel is down any more.</summary>
    [MethodImpl(MethodImplOptions.NoInlining)]
    private static void LiftKeys(SourceState source, in MidiMessage message)
    {
        if (message.HasChannel && message.Data1 != ResetAllControllers)
            source.Down.AsSpan(message.ChannelIndex * 2, 2).Clear();
        else if (!message.HasChannel)
            Array.Clear(source.Down);
    }

    /// <summary>A message that silences, or puts to rest, more than it names concerns its own source alone. Where others hold or have moved
    /// what it would reach, it stays here, and what is its source's own is ended one by one.</summary>
    [MethodImpl(MethodImplOptions.NoInlining)]
    private bool MaySilence(Line line, Outlet outlet, in MidiMessage message, in Run run)
    {
        var channel = message.HasChannel ? message.ChannelIndex : EveryChannel;
        var (keys, controls) = (
            !message.HasChannel || message.Data1 != ResetAllControllers,
            !message.HasChannel || message.Data1 == ResetAllControllers
        );
        var isAlone = !_ledger.HoldsOther(outlet.Id, run.Source, channel) && !(controls && outlet.Moved.IsByOther(channel, run.Source));
        var cursor = 0;
        while (
            _ledger.TryTakeWhere(
                ref cursor,
                (run.Source, outlet.Id, channel, keys, controls),
                static (entry, own) =>
                    entry.Source == own.Source
                    && entry.Destination == own.Id
                    && (own.channel == EveryChannel || entry.Sounding >> 8 == own.channel)
                    && (Held.IsKey(entry.Sounding) ? own.keys : own.controls),
                out var entry
            )
        )
        {
            if (!isAlone)
                End(entry, run.Time);
        }
        cursor = 0;
        while (controls && outlet.Moved.TryTake(ref cursor, channel, run.Source, out var rest))
        {
            if (isAlone)
                continue;
            outlet.Enqueue(rest, run.Source, run.Time);
            MarkDirty(outlet);
        }
        if (isAlone)
            return true;
        outlet.Meter.OwnEndedCount++;
        Write(TapEvent.OwnEnded, run, message, line.Destination, line.Id);
        return false;
    }

    /// <summary>Ends what an entry of the ledger held, because its own end came.</summary>
    private void End(in Ledger.Entry entry, ref Run run)
    {
        if (_outlets[entry.Destination.Value] is not { } outlet)
            return;
        var message = Held.End(entry.Sounding, run.Message);
        if (_ledger.CountAt(entry.Destination, entry.Sounding) == 0)
            Send(outlet, entry.Route, _prepared.Find(entry.Route)?.Meter, message, run);
        else
            Write(TapEvent.HeldByOther, run, message, entry.Destination, entry.Route);
    }

    /// <summary>Ends what an entry of the ledger held, because its route or source no longer carries it.</summary>
    private void End(in Ledger.Entry entry, MidiTime now)
    {
        if (_outlets[entry.Destination.Value] is not { } outlet)
            return;
        if (_ledger.CountAt(entry.Destination, entry.Sounding) > 0)
            return;
        var message = Held.End(entry.Sounding, default);
        SendMade(outlet, message, entry.Source, entry.Route, now);
        // It may come back like anything that is sent.
        if (_guardWatches && outlet.Standing.LeadsBack)
            Guard.Remember(message, new Run(entry.Source, message, now, ++_run), entry.Route, outlet);
    }
}
