using System.Runtime.CompilerServices;
using Weiche.Core.Midi;

namespace Weiche.Core.Stages;

/// <summary>A stage in the form that the engine runs: no allocation, no lock.</summary>
internal abstract class CompiledStage
{
    /// <summary>Runs one message through.</summary>
    /// <param name="message">The message.</param>
    /// <param name="now">The time.</param>
    /// <param name="source">A number that stands for the source it came from: handed back with what is let go later.</param>
    /// <param name="results">Room for <see cref="Stage.MaxFanOut"/> messages.</param>
    /// <returns>How many messages it becomes; 0 if it is stopped or kept for later.</returns>
    internal abstract int Apply(in MidiMessage message, MidiTime now, int source, Span<MidiMessage> results);

    /// <summary>Whether it may keep messages for later.</summary>
    internal virtual bool KeepsTime => false;

    /// <summary>When the next message that was kept is due; never if none is kept.</summary>
    internal virtual MidiTime NextDue => MidiTime.Never;

    /// <summary>Whether it begins and ends notes of its own: in time, from what is held, or those that came, at another moment. What it
    /// lets go of begins and ends what it has begun; the note-off that came ends nothing behind it.</summary>
    internal virtual bool MakesNotes => false;

    /// <summary>A pulse of the studio's clock, while that runs.</summary>
    /// <param name="position">Pulses since the beginning.</param>
    /// <param name="at">When it is.</param>
    /// <param name="interval">µs to the next one.</param>
    internal virtual void Beat(long position, MidiTime at, double interval) { }

    /// <summary>Stands for all sources.</summary>
    internal const int AllSources = -1;

    /// <summary>What a source holds is not held any more, and what was made of it ends.</summary>
    /// <param name="source">The source; <see cref="AllSources"/> for all.</param>
    internal virtual void Forget(int source) { }

    /// <summary>The same for all sources but some.</summary>
    /// <param name="sources">For each source, by its number, whether it is kept.</param>
    internal virtual void KeepOnly(ReadOnlySpan<bool> sources) { }

    /// <summary>Takes the place of another while messages run: what is held is held on.</summary>
    /// <param name="before">The other.</param>
    internal virtual void GoOnFrom(CompiledStage before) { }

    /// <summary>The time has stopped: what it made ends.</summary>
    internal virtual void Halt() { }

    /// <summary>Lets go of one kept message that is due.</summary>
    /// <param name="now">The time.</param>
    /// <param name="source">The source it came from.</param>
    /// <param name="message">The message.</param>
    /// <returns>False if none is due.</returns>
    internal virtual bool TryLetGo(MidiTime now, out int source, out MidiMessage message)
    {
        source = 0;
        message = default;
        return false;
    }
}

/// <summary>A stage without time, run by its rule.</summary>
/// <param name="stage">The stage.</param>
internal sealed class RuleStage(Stage stage) : CompiledStage
{
    internal override int Apply(in MidiMessage message, MidiTime now, int source, Span<MidiMessage> results) =>
        stage.Apply(message, results);
}

/// <summary>
/// A stage that makes at most one message of one by looking things up: a status for each status, a key for each key, a
/// velocity for each velocity. The engine runs it without a call.
/// </summary>
internal sealed class TableStage : CompiledStage
{
    private const byte Stopped = 0xFF;

    // What a stage leaves alone it shares with all others, so that the tables of a large studio stay in the cache.
    private static readonly byte[] AsItIs = [.. Enumerable.Range(0, 256).Select(i => (byte)i)];

    /// <summary>A stage that everything passes as it is.</summary>
    internal static readonly TableStage PassesAll = new();

    private byte[] _status = AsItIs;
    private byte[] _keys = AsItIs;
    private byte[] _velocities = AsItIs;

    /// <summary>A stage that looks at the status alone.</summary>
    /// <param name="status">The status that each status becomes; 0 to stop it.</param>
    internal static TableStage OfStatus(Func<int, int> status)
    {
        var stage = new TableStage { _status = (byte[])AsItIs.Clone() };
        for (var i = 0x80; i < 256; i++)
            stage._status[i] = (byte)status(i);
        return stage;
    }

    /// <summary>A stage that looks at the keys of notes and poly pressure.</summary>
    /// <param name="keys">The key that each key becomes; below 0 to stop it.</param>
    internal static TableStage OfKeys(Func<int, int> keys)
    {
        var stage = new TableStage { _keys = new byte[128] };
        for (var i = 0; i < 128; i++)
            stage._keys[i] = keys(i) is >= 0 and var key ? (byte)key : Stopped;
        return stage;
    }

    /// <summary>A stage that looks at the velocities of note-ons.</summary>
    /// <param name="velocities">The velocity that each velocity becomes; below 0 to stop it.</param>
    internal static TableStage OfVelocities(Func<int, int> velocities)
    {
        var stage = new TableStage { _velocities = new byte[128] };
        for (var i = 1; i < 128; i++)
            stage._velocities[i] = velocities(i) is >= 0 and var velocity ? (byte)velocity : Stopped;
        return stage;
    }

    /// <summary>The table that does what this one does and then another.</summary>
    internal TableStage Then(TableStage next) =>
        new()
        {
            _status = Then(_status, next._status, 0),
            _keys = Then(_keys, next._keys, Stopped),
            _velocities = Then(_velocities, next._velocities, Stopped),
        };

    private static byte[] Then(byte[] first, byte[] next, byte stopped)
    {
        if (first == AsItIs)
            return next;
        if (next == AsItIs)
            return first;
        return Array.ConvertAll(first, value => value == stopped ? stopped : next[value]);
    }

    /// <summary>Runs a message through in its place.</summary>
    /// <returns>False if it is stopped; it is then as it was.</returns>
    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    internal bool TryApply(ref MidiMessage message)
    {
        var status = _status[message.Status];
        if (status == 0)
            return false;
        if (status >= 0xB0)
        {
            if (status != message.Status)
                message = message.WithStatus(status);
            return true;
        }
        var key = _keys[message.Data1];
        var value = (status & 0xF0) == 0x90 ? _velocities[message.Data2] : message.Data2;
        if ((key | value) >= 0x80)
            return false;
        message = MidiMessage.Raw(status, key, value);
        return true;
    }

    internal override int Apply(in MidiMessage message, MidiTime now, int source, Span<MidiMessage> results)
    {
        results[0] = message;
        return TryApply(ref results[0]) ? 1 : 0;
    }
}
