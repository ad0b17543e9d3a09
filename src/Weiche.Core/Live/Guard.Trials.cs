using System.Runtime.CompilerServices;
using Weiche.Core.Midi;
using Weiche.Core.Studios;

namespace Weiche.Core.Live;

/// <content>What is on trial, what was stopped, and what was found to come by itself.</content>
public sealed partial class Guard
{
    private struct Block
    {
        internal RouteId Route;
        internal PortId Source;
        internal MidiMessage Origin;
        internal bool IsWhole;
        internal PortId To;
        internal PortId From;
        internal uint Key;

        /// <summary>What comes back, as it comes, and as it was sent; the device it comes back from; and when anything of its sort was sent
        /// there last.</summary>
        internal MidiMessage Comes;
        internal MidiMessage Goes;
        internal DeviceId Device;
        internal MidiTime SentAt;
        internal MidiTime Time;
        internal long Stopped;
        internal int ByItself;
        internal Phase Phase;

        /// <summary>Whether it was stopped just now, and what it holds is still to be ended.</summary>
        internal bool EndsAreOwed;

        /// <summary>How long after it was sent it came back.</summary>
        internal MidiSpan Hop;

        /// <summary>When the first was withheld, and until when it is waited.</summary>
        internal MidiTime WithheldAt;
        internal MidiTime Until;
        internal int WithheldCount;
        internal Withheld Withheld;

        /// <summary>Whether its messages do not pass.</summary>
        internal readonly bool Holds => Phase != Phase.ByItself;
    }

    /// <summary>How far it has come with something.</summary>
    private enum Phase : byte
    {
        /// <summary>It is withheld, to see whether it comes again.</summary>
        OnTrial,

        /// <summary>It went round, and is stopped.</summary>
        Stopped,

        /// <summary>It comes by itself, and passes.</summary>
        ByItself,
    }

    [InlineArray(WithheldMost)]
    private struct Withheld
    {
        private MidiMessage _first;
    }

    /// <summary>Since when something of a sort is stopped on a route; null if it is not.</summary>
    private MidiTime? StoppedSince(RouteId route, PortId source, in MidiMessage origin)
    {
        for (var i = 0; i < _count; i++)
        {
            ref var block = ref _blocks[i];
            if (block.Route == route && block.Source == source && block.Holds && IsOfOneSort(block.Origin, origin, block.IsWhole))
                return block.Time;
        }
        return null;
    }

    /// <summary>Whether a message is stopped on a route, or withheld on it.</summary>
    /// <param name="route">The route.</param>
    /// <param name="source">The source it came from.</param>
    /// <param name="message">The message.</param>
    /// <param name="now">The time.</param>
    /// <param name="withheld">Whether it is kept, to be sent if it turns out that it comes by itself.</param>
    internal bool Stops(RouteId route, PortId source, in MidiMessage message, MidiTime now, out bool withheld)
    {
        withheld = false;
        for (var i = 0; i < _count; i++)
        {
            ref var block = ref _blocks[i];
            if (block.Route != route || block.Source != source || !block.Holds || !IsOfOneSort(block.Origin, message, block.IsWhole))
                continue;
            if (block.Phase == Phase.Stopped)
                block.Stopped++;
            else
                Withhold(ref block, message, now);
            withheld = block.Phase == Phase.OnTrial;
            return true;
        }
        return false;
    }

    /// <summary>Finds what has been on trial for long enough and did not come again: from now on it is stopped, and what it holds is to be
    /// ended.</summary>
    internal bool TryStop(MidiTime now, out RouteId route, out PortId source, out MidiMessage origin, out bool isWhole)
    {
        for (var i = 0; i < _count; i++)
        {
            ref var block = ref _blocks[i];
            if (!block.EndsAreOwed && (block.Phase != Phase.OnTrial || block.WithheldCount == 0 || block.Until > now))
                continue;
            (block.Phase, block.EndsAreOwed) = (Phase.Stopped, false);
            block.Stopped += block.WithheldCount;
            Drop(ref block);
            (route, source, origin, isWhole) = (block.Route, block.Source, block.Origin, block.IsWhole);
            _tripped++;
            SetDue();
            return true;
        }
        (route, source, origin, isWhole) = (default, default, default, false);
        return false;
    }

    /// <summary>Hands out the next message that was withheld and is to be sent after all, the oldest first. The caller takes over its
    /// system exclusive.</summary>
    internal bool TryRelease(out RouteId route, out PortId source, out MidiMessage message)
    {
        for (var i = 0; i < _count; i++)
        {
            ref var block = ref _blocks[i];
            if (block.Phase != Phase.ByItself || block.WithheldCount == 0)
                continue;
            (route, source, message) = (block.Route, block.Source, block.Withheld[0]);
            Forget(ref block);
            return true;
        }
        (route, source, message) = (default, default, default);
        return false;
    }

    /// <summary>Puts on trial what has come back too often. What goes round in too great a number is stopped as a kind.</summary>
    /// <returns>Whether it was not known yet.</returns>
    private bool Suspect(in Sent sent, in End end, PortId source, uint key, in MidiMessage goes, in Run run)
    {
        var now = run.Time;
        RemoveWhere(now, static (in Block block, MidiTime time) =>
            block.Phase != Phase.Stopped
            && block.WithheldCount == 0
            && block.Time + (block.Phase == Phase.OnTrial ? LongestTrial : Acquitted) < time
        );
        var alike = 0;
        for (var i = 0; i < _count; i++)
        {
            ref var block = ref _blocks[i];
            if (block.Route != end.Route || block.Source != sent.Source)
                continue;
            if (IsOfOneSort(block.Origin, sent.Origin, block.IsWhole))
            {
                // It is stopped already, or on trial, or was found to come by itself and goes on so.
                if (!block.Holds)
                    block.Time = now;
                return false;
            }
            if (block.Phase == Phase.Stopped && IsOfOneSort(block.Origin, sent.Origin, isWhole: true))
                alike++;
        }
        var isWhole = alike >= SameKindMost || _count >= MaxTrips - 1;
        if (isWhole)
        {
            // Too many of one kind and channel go round to stop them one by one.
            RemoveWhere(
                (end.Route, sent.Source, sent.Origin),
                static (in Block block, (RouteId Route, PortId Source, MidiMessage Origin) whole) =>
                    block.Route == whole.Route && block.Source == whole.Source && IsOfOneSort(block.Origin, whole.Origin, isWhole: true)
            );
        }
        if (_count == MaxTrips)
        {
            // What makes way here is found again if it still goes round; what is on trial is found out first.
            var last = Array.FindLastIndex(_blocks, static block => block.WithheldCount == 0);
            if (last < 0)
                return false;
            _blocks[last] = _blocks[--_count];
        }
        _blocks[_count++] = new Block
        {
            Route = end.Route,
            Source = sent.Source,
            Origin = sent.Origin,
            IsWhole = isWhole,
            To = end.Destination,
            From = source,
            Key = key,
            Time = now,
            Hop = now - sent.Time,
            Comes = run.Message,
            Goes = goes,
            Device = end.Standing.Device,
            SentAt = sent.Time,
            Phase = isWhole && alike > 0 ? Phase.Stopped : Phase.OnTrial,
            EndsAreOwed = isWhole && alike > 0,
        };
        _tripped++;
        return true;
    }

    private void Withhold(ref Block block, in MidiMessage message, MidiTime now)
    {
        if (block.WithheldCount == WithheldMost)
            DropFirst(ref block);
        if (block.WithheldCount == 0)
        {
            var wait = new MidiSpan(
                Math.Clamp(TrialRounds * HopOf(block).Microseconds, ShortestTrial.Microseconds, LongestTrial.Microseconds)
            );
            (block.WithheldAt, block.Until) = (now, now + wait);
        }
        if (message.SysExHandle != 0)
            _pool.AddReference(message);
        block.Withheld[block.WithheldCount++] = message;
        SetDue();
    }

    /// <summary>How long what is suspected is on its way, as far as it is known.</summary>
    private MidiSpan HopOf(in Block block)
    {
        foreach (var hop in _hops)
        {
            if (hop.To == block.To && hop.From == block.From)
                return hop.Time;
        }
        return block.Hop;
    }

    private static void Forget(ref Block block)
    {
        block.WithheldCount--;
        ((Span<MidiMessage>)block.Withheld)[1..].CopyTo(block.Withheld);
    }

    private void Drop(ref Block block)
    {
        while (block.WithheldCount > 0)
            DropFirst(ref block);
    }

    private void DropFirst(ref Block block)
    {
        if (block.Withheld[0].SysExHandle != 0)
            _pool.Release(block.Withheld[0]);
        Forget(ref block);
    }

    private delegate bool Which<TState>(in Block block, TState state);

    private void RemoveWhere<TState>(TState state, Which<TState> which)
    {
        var kept = 0;
        for (var i = 0; i < _count; i++)
        {
            if (which(_blocks[i], state))
                Drop(ref _blocks[i]);
            else
                _blocks[kept++] = _blocks[i];
        }
        if (kept == _count)
            return;
        _count = kept;
        SetDue();
    }

    private void SetDue()
    {
        Due = MidiTime.Never;
        for (var i = 0; i < _count; i++)
        {
            if (_blocks[i].Phase == Phase.OnTrial && _blocks[i].WithheldCount > 0)
                Due = MidiTime.Earlier(Due, _blocks[i].Until);
        }
    }

    /// <summary>Something came that nothing sent explains. If it is what is withheld or stopped, it comes by itself.</summary>
    private void Judge(uint key, in Run run)
    {
        for (var i = 0; i < _count; i++)
        {
            ref var block = ref _blocks[i];
            if (!block.Holds || block.From != run.Source || !IsOfOneSort(block.Comes, run.Message, block.IsWhole))
                continue;
            if (block.Phase == Phase.OnTrial && block.WithheldCount == 0)
                continue;
            // What was sent meanwhile explains it, and so does what was still on its way when the first was withheld.
            var way = HopOf(block);
            if (
                (block.Phase == Phase.OnTrial && block.SentAt > block.WithheldAt)
                || run.Time - block.SentAt <= new MidiSpan(way.Microseconds + way.Microseconds / 2) + Unsteady
            )
                continue;
            if (++block.ByItself < (block.Key == key && block.Phase == Phase.OnTrial ? 1 : ByItselfTimes))
                continue;
            (block.Phase, block.Time) = (Phase.ByItself, run.Time);
            _tripped++;
            SetDue();
        }
    }
}
