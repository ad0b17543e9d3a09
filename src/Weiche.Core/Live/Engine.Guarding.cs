using System.Runtime.CompilerServices;
using Weiche.Core.Midi;
using Weiche.Core.Studios;

namespace Weiche.Core.Live;

/// <content>What the engine shows the guard, and what it does when that trips.</content>
public sealed partial class Engine
{
    /// <summary>Lets the guard follow echoes that change what they repeat, in the same way each round.</summary>
    /// <param name="ways">The ways back with their changes; these alone, from now on.</param>
    /// <exception cref="ArgumentException">A way has no change.</exception>
    public void Follow(WayBack[] ways)
    {
        if (Array.Exists(ways, way => way.Change is null))
            throw new ArgumentException("Each way has a change.", nameof(ways));
        Guard.Follow(ways);
    }

    private void MarkGuarded()
    {
        foreach (var line in _prepared.Lines)
            line.IsGuarded = Guard.Concerns(line.Id);
    }

    /// <summary>Looks whether the same came from a source just before. Only then does the guard begin to watch what is sent: as long as
    /// nothing comes twice, nothing goes round, and this is all it costs.</summary>
    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    private void LookTwice(SourceState source, ref Run run)
    {
        var key = run.Message.Status == 0xF0 ? KeyOfExclusive(ref run) : run.Message.ShortBytes;
        ref var place = ref source.Seen.PlaceOf(key);
        if (place.Has(key) || source.Seen.HasDrawn(key) || _guardWatches)
            LookAgain(source, ref run, ref place, key);
        else
            source.Seen.Take(ref place, key, run.Time, run.Number);
    }

    [MethodImpl(MethodImplOptions.NoInlining)]
    private void LookAgain(SourceState source, ref Run run, ref SeenPair place, uint key)
    {
        var since = source.Seen.Since(place, key, run.Time);
        source.Seen.Take(ref place, key, run.Time, run.Number);
        if (since <= Guard.LongestWindow || _guardWatches)
            AskGuard(source, ref run, since);
    }

    private uint KeyOfExclusive(ref Run run)
    {
        run.Exclusive = Fingerprint(Pool.Bytes(run.Message.SysExHandle));
        return Guard.KeyOf(run.Message, run.Exclusive);
    }

    /// <summary>Asks the guard how often a message has gone round; what it stops from now on ends where it is held.</summary>
    private void AskGuard(SourceState source, ref Run run, MidiSpan? since)
    {
        var message = run.Message;
        var isDown = message.IsNoteOn && source.IsDown(message);
        var version = Guard.Version;
        var begins = Guard.Begins(since, message, isDown, run.Time);
        _guardWatches = Guard.IsWatching(run.Time);
        if (!_guardWatches)
            return;
        run.Rounds = Guard.RoundsOf(run, source, isDown);
        if (version == Guard.Version)
        {
            // It has been here before, and comes again: that was one round at least.
            if (begins && run.Rounds == 0)
                run.Rounds = 2;
            return;
        }
        MarkGuarded();
        while (Guard.TryRelease(out var route, out var from, out var withheld))
            SendLate(route, from, withheld, run.Time);
        StopProven(run.Time);
    }

    /// <summary>Sends what was withheld and turned out to come by itself.</summary>
    private void SendLate(RouteId route, PortId from, in MidiMessage message, MidiTime now)
    {
        if (_prepared.Find(route) is { IsLive: true } line && _prepared.FindSource(from) is { } source && Runs(line, source))
        {
            var run = new Run(from, message, now, ++_run) { Quiet = true };
            if (message.IsNote)
                BeginOrEndNote(source, ref run);
            Step(line, ref run);
            if (run.PedalUp)
                EndOlder(ref run, line);
            while (run.EndsNote && _ledger.TryNext(ref run.Ending, out var entry))
                End(entry, ref run);
        }
        if (message.SysExHandle != 0)
            Pool.Release(message);
    }

    /// <summary>Stops what has been on trial for long enough, and ends what it holds.</summary>
    private void StopProven(MidiTime now)
    {
        while (Guard.TryStop(now, out var route, out var from, out var origin, out var isWhole))
            EndStopped(route, from, origin, isWhole, now);
    }

    private void EndStopped(RouteId route, PortId from, in MidiMessage origin, bool isWhole, MidiTime now)
    {
        var cursor = 0;
        while (
            _ledger.TryTakeWhere(
                ref cursor,
                (route, from, origin, isWhole),
                static (entry, stopped) =>
                    entry.Route == stopped.route
                    && entry.Source == stopped.from
                    && (
                        Held.TryOrigin(stopped.origin, out var held)
                            ? stopped.isWhole
                                ? Held.IsOnChannelOf(entry.Origin, held)
                                : entry.Origin == held
                            : false
                    ),
                out var entry
            )
        )
            End(entry, now);
    }

    private static uint Fingerprint(ReadOnlySpan<byte> bytes)
    {
        var hash = 2166136261u;
        foreach (var each in bytes[..Math.Min(bytes.Length, LongestShown)])
            hash = (hash ^ each) * 16777619u;
        return hash ^ (uint)bytes.Length;
    }
}
