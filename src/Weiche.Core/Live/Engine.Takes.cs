using Weiche.Core.Midi;
using Weiche.Core.Studios;

namespace Weiche.Core.Live;

/// <content>Takes that are played back: each message runs as if it came from the source that it is played as, but holds for
/// itself.</content>
public sealed partial class Engine
{
    // So many messages at most between two messages of others.
    private const int MostAtOnce = 256;

    private readonly Playback _playback = new();

    // What levers ask for is done by whoever looks on: recording is nothing of the engine's.
    private readonly (TakeWork What, MidiTime At)[] _asks = new (TakeWork, MidiTime)[16];
    private int _asked;

    /// <summary>How often a lever has asked for something to be done to takes. May be asked by any thread.</summary>
    public int TakesAsked => Volatile.Read(ref _asked);

    /// <summary>What a lever asked for, and when.</summary>
    /// <param name="number">Which one, from 0; of those before the last 16 nothing is known any more.</param>
    public (TakeWork What, MidiTime At) TakeAsked(int number) => _asks[number & (_asks.Length - 1)];

    /// <summary>What is played back. May be asked by any thread.</summary>
    public PlayedNow Played => _playback.Shown;

    /// <summary>Begins to play a take, instead of what is played. The studio in force must have been made ready for what it is played
    /// as.</summary>
    /// <param name="take">The take.</param>
    /// <param name="now">The time.</param>
    /// <exception cref="InvalidOperationException">The studio was not made ready for it.</exception>
    public void PlayTake(PreparedTake take, MidiTime now)
    {
        if (!_prepared.Players.AsSpan().SequenceEqual(take.Sources))
            throw new InvalidOperationException("The studio was not made ready for this take.");
        StopTake(now);
        _playback.Begin(take, now);
        PlayOn(now);
        _due = MidiTime.Earlier(_due, _playback.Due);
    }

    /// <summary>Stops what is played. Every note that it holds ends, and what it moved is put to rest.</summary>
    /// <param name="now">The time.</param>
    public void StopTake(MidiTime now)
    {
        if (_playback.Take is null)
            return;
        _playback.Stop(now);
        EndPlayers(now);
    }

    private void PlayOn(MidiTime now)
    {
        if (_playback.Take is not { } take || _playback.Due > now)
            return;
        var count = 0;
        if (_playback.TakeBeginning())
            CatchUp(take.First, now);
        while (true)
        {
            while (_playback.TakeNext(now) is >= 0 and var next)
            {
                Play(take, next, now);
                if (++count < MostAtOnce)
                    continue;
                _playback.AwaitAtOnce(now);
                _due = MidiTime.Earlier(_due, now);
                return;
            }
            if (!_playback.IsOver(now))
                break;
            EndPlayers(now);
            if (!take.Loops)
            {
                _playback.Stop(now);
                return;
            }
            _playback.Back();
            CatchUp(take.Again, now);
            // A loop that is shorter than nothing much must not take the machine.
            if (++count < MostAtOnce)
                continue;
            _playback.AwaitAtOnce(now);
            _due = MidiTime.Earlier(_due, now);
            return;
        }
        _playback.Await();
        _due = MidiTime.Earlier(_due, _playback.Due);
    }

    private void CatchUp((byte Player, MidiMessage Message)[] messages, MidiTime now)
    {
        foreach (var (player, message) in messages)
        {
            if (PlayerOf(player) is { } state)
                Route(state, message, now);
        }
    }

    private void Play(PreparedTake take, int index, MidiTime now)
    {
        // A source that was removed meanwhile is played no more.
        if (PlayerOf(take.Players[index]) is not { } state)
            return;
        if (take.Exclusives[index] is not { } body)
        {
            Route(state, take.Messages[index], now);
            return;
        }
        if (!Pool.TryBegin(out var handle))
            return;
        if (Pool.TryAppend(handle, body))
            Route(state, MidiMessage.SystemExclusive(handle), now);
        Pool.Release(handle);
    }

    private void AskForTake(TakeWork what, MidiTime now)
    {
        _asks[_asked & (_asks.Length - 1)] = (what, now);
        Volatile.Write(ref _asked, _asked + 1);
    }

    private SourceState? PlayerOf(int player) => _sources[_prepared.FirstPlayer + player];

    /// <summary>Ends what takes hold, and puts to rest what they moved.</summary>
    private void EndPlayers(MidiTime now)
    {
        for (var i = 0; i < _prepared.Players.Length; i++)
        {
            if (PlayerOf(i) is not { } state)
                continue;
            BreakOff(state.Id, now);
            foreach (var outlet in _outlets)
            {
                var cursor = 0;
                while (outlet is { Moved.MayBeAway: true } && outlet.Moved.TryLetGo(ref cursor, state.Id, out var rest))
                    SendMade(outlet, rest, state.Id, default, now);
            }
        }
    }
}
