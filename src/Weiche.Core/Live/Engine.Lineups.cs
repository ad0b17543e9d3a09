using System.Runtime.CompilerServices;
using Weiche.Core.Midi;
using Weiche.Core.Studios;

namespace Weiche.Core.Live;

/// <content>Lineups: entering one in a single step between two messages, what leaves and rings on, what was moved and is let go of; and the
/// levers that work all this.</content>
public sealed partial class Engine
{
    // Its place in the running order; 0 for a studio without lineups.
    private int _lineup;
    private int _inForce;
    private long _entries;

    // Whether any clock was ever led anywhere.
    private bool _anyClock;

    /// <summary>The lineup in force; null for a studio without lineups. May be asked by any thread.</summary>
    public LineupId? InForce => Volatile.Read(ref _inForce) is > 0 and var id ? new LineupId(id) : null;

    /// <summary>Counts up with each lineup that is entered and each route that a lever switches. May be asked by any thread.</summary>
    public long PlayedVersion => Volatile.Read(ref _entries);

    /// <summary>Enters a lineup: one step between two messages. What it sends goes out first; what leaves rings on until it is let go, or
    /// ends at once where the lineup cuts; what a route has moved that is not live any more is put to rest.</summary>
    /// <param name="lineup">The lineup.</param>
    /// <param name="now">The time.</param>
    /// <returns>Whether there is such a lineup.</returns>
    public bool Enter(LineupId lineup, MidiTime now)
    {
        for (var place = 0; place < _prepared.Entries.Length; place++)
        {
            if (_prepared.Entries[place].Lineup != lineup)
                continue;
            Enter(place, now);
            return true;
        }
        return false;
    }

    /// <summary>Whether a route is switched off, by hand or by a lever. May be asked by any thread.</summary>
    /// <param name="route">The route.</param>
    public bool IsOff(RouteId route) => Volatile.Read(ref _prepared).Find(route) is not { IsOff: false };

    /// <summary>To what a lever has switched a route, where that is not as the studio has it: true for on; else null. May be asked by any
    /// thread.</summary>
    /// <param name="route">The route.</param>
    public bool? SwitchedTo(RouteId route) =>
        Volatile.Read(ref _prepared).Find(route) is { } line && line.IsOff == line.IsMeantOn ? !line.IsOff : null;

    private void Enter(int place, MidiTime now)
    {
        var entry = _prepared.Entries[place];
        foreach (var (outlet, bytes) in entry.Sends)
        {
            Tell(outlet, bytes, now);
            outlet.ToldBy = entry.Lineup;
        }
        LetGoWhatLeaves(place, now);
        _lineup = place;
        foreach (var source in _prepared.Arrangements)
        {
            source.State.Lines = source.Lines[place];
            source.State.RingingCount = 0;
        }
        if (entry.Cuts)
            EndWhatLeft(now);
        Settle(now);
        ForgetClocks();
        _conductor.Enter(place, now);
        AwaitConductor();
        Volatile.Write(ref _inForce, entry.Lineup.Value);
        Volatile.Write(ref _entries, _entries + 1);
    }

    private void Tell(Outlet outlet, byte[] bytes, MidiTime now)
    {
        var sink = new OwnSink(this, outlet, now);
        // Nothing of it is left out, neither for what it sends after it nor for what is played.
        outlet.Bar();
        _own.Parse(bytes, ref sink);
        _own.Reset();
        outlet.Bar();
    }

    /// <summary>Sends a destination again what the last lineup that had something for it sends on being entered: it was away, and has
    /// missed it or forgotten it.</summary>
    private void TellAgain(Outlet outlet, MidiTime now)
    {
        foreach (var entry in _prepared.Entries)
        {
            if (entry.Lineup != outlet.ToldBy)
                continue;
            foreach (var (to, bytes) in entry.Sends)
            {
                if (to == outlet)
                    Tell(outlet, bytes, now);
            }
        }
    }

    /// <summary>Sends on what stages of leaving routes have kept: the last value always arrives.</summary>
    private void LetGoWhatLeaves(int place, MidiTime now)
    {
        foreach (var (line, stage) in _prepared.Timed)
        {
            if (!line.IsIn[place] || _prepared.Compiled.AnySolo)
                LetGo(line, stage, EndOfTime, now);
        }
    }

    private void LetGoAll(Line line, MidiTime now)
    {
        for (var stage = 0; line.KeepsTime && stage < line.Stages.Length; stage++)
        {
            if (line.Stages[stage].KeepsTime)
                LetGo(line, stage, EndOfTime, now);
        }
    }

    private void EndWhatLeft(MidiTime now)
    {
        var cursor = 0;
        while (_ledger.TryTakeWhere(ref cursor, this, static (entry, engine) => !engine.Runs(entry.Route, entry.Source), out var entry))
            End(entry, now);
    }

    /// <summary>Whether what a source sends runs through a route now.</summary>
    private bool Runs(RouteId route, PortId source) =>
        _prepared.Find(route) is { } line && _sources[source.Value] is { } state && Runs(line, state);

    private bool Runs(Line line, SourceState state) =>
        !line.IsOff && (_prepared.Compiled.AnySolo ? Array.IndexOf(state.Lines, line) >= 0 : line.IsIn[_lineup]);

    /// <summary>Looks which routes ring on that are not live any more, where none is known to, and puts to rest what was moved through
    /// others that are not.</summary>
    private void Settle(MidiTime now)
    {
        if (_ledger.Count > 0)
        {
            var cursor = 0;
            while (_ledger.TryNextHeld(ref cursor, out var route, out var source))
            {
                if (_prepared.Find(route) is not { } line || _sources[source.Value] is not { } state || Runs(line, state))
                    continue;
                var known = state.Ringing.AsSpan(0, state.RingingCount);
                if (known.IndexOf(line) < 0 && state.RingingCount < state.Ringing.Length)
                    state.Ringing[state.RingingCount++] = line;
            }
        }
        foreach (var outlet in _outlets)
        {
            if (outlet is { Moved.MayBeAway: true })
                Rest(outlet, now);
        }
    }

    /// <summary>Puts to rest, at a destination, what was moved through routes that are neither live nor ring on.</summary>
    private void Rest(Outlet outlet, MidiTime now)
    {
        var cursor = 0;
        while (outlet.Moved.TryNext(ref cursor, out var by, out var rest))
        {
            if (
                _prepared.Find(by.Route) is { } line
                && (uint)by.Source.Value < (uint)_sources.Length
                && _sources[by.Source.Value] is { } state
                && (Runs(line, state) || state.Ringing.AsSpan(0, state.RingingCount).IndexOf(line) >= 0)
            )
                continue;
            outlet.Moved.Note(rest, default);
            SendMade(outlet, rest, by.Source, by.Route, now);
        }
    }

    private void ForgetClocks()
    {
        if (!_anyClock)
            return;
        foreach (var outlet in _outlets)
        {
            // A clock that no route carries any more makes way at once.
            if (outlet is not null && outlet.Clock.From != default && !_prepared.Leads(outlet.Clock.From, outlet))
                outlet.Clock.Forget();
        }
    }

    /// <summary>A bend or pressure follows the notes that its source still holds through routes that are not live any more, and so does
    /// what silences them; where the last of them ended, what was moved there is put to rest.</summary>
    [MethodImpl(MethodImplOptions.NoInlining)]
    private void FollowRinging(SourceState source, ref Run run)
    {
        var message = run.Message;
        var moves = message.Kind is MessageKind.PitchBend or MessageKind.ChannelPressure or MessageKind.PolyPressure;
        if (moves || message.SilencesMore)
        {
            var channel = moves ? message.ChannelIndex : Ledger.None;
            var origin = message.Kind == MessageKind.PolyPressure ? Held.OfKey(message) : Ledger.None;
            run.Rings = true;
            for (var i = 0; i < source.RingingCount; i++)
            {
                var line = source.Ringing[i];
                if (line.IsLive && _ledger.Holds(line.Id, source.Id, channel, origin) && !IsStopped(line, run))
                    Step(line, ref run);
            }
            if (moves)
                return;
        }
        LookWhatRings(source, run.Time);
    }

    /// <summary>Looks which of the routes that rang on hold nothing of a source any more; what was moved there is put to rest.</summary>
    private void LookWhatRings(SourceState source, MidiTime now)
    {
        for (var i = source.RingingCount - 1; i >= 0; i--)
        {
            var line = source.Ringing[i];
            if (_ledger.Holds(line.Id, source.Id, Ledger.None, Ledger.None))
                continue;
            LetGoAll(line, now);
            source.Ringing[i] = source.Ringing[--source.RingingCount];
            Rest(line.Outlet, now);
        }
    }

    /// <summary>Works the lever that a message concerns.</summary>
    /// <returns>Whether the message goes no further.</returns>
    [MethodImpl(MethodImplOptions.NoInlining)]
    private bool WorksLever(SourceState source, in Run run)
    {
        var message = run.Message;
        if (!message.HasChannel)
            return false;
        if (message.IsNote && !message.IsNoteOn && source.TakeSwallowed(message))
        {
            if (source.Levers?.Find(message, _lineup) is { } key)
                LetGo(key, run.Time);
            else
                source.Levers?.LetGoKey(this, message, run.Time);
            Write(TapEvent.Lever, run, message, source.Shown, default);
            return true;
        }
        if (source.Levers?.Find(message, _lineup) is not { } lever)
            return false;
        // What was down before it became a lever ends as what it was.
        if (lever.Kind == LeverKind.Key && !message.IsNoteOn)
        {
            LetGo(lever, run.Time);
            return false;
        }
        var holds = lever.Kind == LeverKind.Control && Held.TryOrigin(message, out var origin) && _ledger.HoldsAny(source.Id, origin);
        var swallows = !lever.GoesOn && !holds;
        if (swallows && lever.Kind == LeverKind.Key)
            source.Swallow(message);
        if (swallows || lever.IsPressedBy(message))
            Write(TapEvent.Lever, run, message, source.Shown, new RouteId(lever.Id.Value));
        // What was recorded worked them then.
        if (source.IsPlayed)
            return swallows;
        switch (lever.Kind)
        {
            case LeverKind.Program:
                Work(lever, run.Time);
                break;
            case LeverKind.Key:
                Press(lever, run.Time);
                break;
            default:
                if (message.Data2 >= lever.Threshold)
                    Press(lever, run.Time);
                else if (message.Data2 < Math.Max(1, lever.Threshold - LeverTrigger.Hysteresis))
                    LetGo(lever, run.Time);
                break;
        }
        return swallows;
    }

    private void Press(ArmedLever lever, MidiTime now)
    {
        if (lever.IsDown)
            return;
        lever.IsDown = true;
        Work(lever, now);
    }

    internal void LetGo(ArmedLever lever, MidiTime now)
    {
        if (!lever.IsDown)
            return;
        lever.IsDown = false;
        if (lever.Work is SwitchRoutes { How: LeverSwitch.WhileHeld })
            Switch(lever.Lines, false, now);
        else if (lever.Work is WorkTime time)
            LetGo(time.What, now);
    }

    private void Work(ArmedLever lever, MidiTime now)
    {
        switch (lever.Work)
        {
            case EnterLineup:
                Enter(lever.Lineup, now);
                break;
            case StepLineup step:
                if ((uint)(_lineup + step.By) < (uint)_prepared.Entries.Length)
                    Enter(_lineup + step.By, now);
                break;
            case Silence:
                AllNotesOff(now);
                break;
            case WorkTime time:
                Do(time.What, now);
                break;
            case WorkTakes takes:
                AskForTake(takes.What, now);
                break;
            case SwitchRoutes { How: LeverSwitch.Over }:
                foreach (var line in lever.Lines)
                    Switch(line, line.IsOff, now);
                Switched(now);
                break;
            case SwitchRoutes routes:
                Switch(lever.Lines, routes.How != LeverSwitch.Off, now);
                break;
        }
    }

    private void Switch(Line[] lines, bool on, MidiTime now)
    {
        foreach (var line in lines)
            Switch(line, on, now);
        Switched(now);
    }

    /// <summary>Switches a route as it is played. Switched off, it ends at once what it holds.</summary>
    private void Switch(Line line, bool on, MidiTime now)
    {
        if (line.IsOff == !on)
            return;
        if (!on)
            LetGoAll(line, now);
        line.IsOff = !on;
        if (on)
            return;
        var cursor = 0;
        while (_ledger.TryTakeWhere(ref cursor, line.Id, static (entry, id) => entry.Route == id, out var entry))
            End(entry, now);
    }

    private void Switched(MidiTime now)
    {
        foreach (var source in _prepared.Arrangements)
            source.State.RingingCount = 0;
        Settle(now);
        ForgetClocks();
        Volatile.Write(ref _entries, _entries + 1);
    }
}
