using Weiche.Core.Midi;
using Weiche.Core.Studios;

namespace Weiche.Core.Live;

/// <summary>The levers on one source in the form that the engine asks with every message of it. It belongs to one engine, which alone
/// changes it.</summary>
internal sealed class LeverTable
{
    private const int Numbers = 128;
    private const int Kinds = 3;
    private const int EndOfChain = -1;

    private readonly ArmedLever[] _levers;

    // For each kind and number the first lever, which leads to the next one: on another channel, or in other lineups.
    private readonly short[] _first = new short[Kinds * Numbers];

    internal LeverTable(CompiledStudio compiled, Lever[] levers, Func<RouteId, Line> find)
    {
        Array.Fill(_first, (short)EndOfChain);
        _levers = new ArmedLever[levers.Length];
        for (var i = 0; i < levers.Length; i++)
        {
            var lever = levers[i];
            ref var first = ref _first[(int)lever.Trigger.Kind * Numbers + lever.Trigger.Number];
            _levers[i] = new ArmedLever(lever, compiled, find, first);
            first = (short)i;
        }
    }

    /// <summary>The lever that a message concerns in a lineup; null if there is none. Messages that move nothing concern none.</summary>
    /// <param name="message">A message with a channel.</param>
    /// <param name="lineup">The place of the lineup in force.</param>
    internal ArmedLever? Find(in MidiMessage message, int lineup)
    {
        var kind = (message.Status & 0xF0) switch
        {
            0x80 or 0x90 => LeverKind.Key,
            0xB0 when message.Data1 < 120 => LeverKind.Control,
            0xC0 => LeverKind.Program,
            _ => (LeverKind)(-1),
        };
        if (kind < 0)
            return null;
        for (int at = _first[(int)kind * Numbers + message.Data1]; at != EndOfChain; at = _levers[at].Next)
        {
            if (_levers[at].IsMeant(message.ChannelIndex, lineup))
                return _levers[at];
        }
        return null;
    }

    /// <summary>Takes over which levers are down from the table that was in force before.</summary>
    internal void GoOnFrom(LeverTable? before)
    {
        if (before is null || before == this)
            return;
        foreach (var lever in _levers)
        {
            foreach (var old in before._levers)
            {
                if (old.Id == lever.Id)
                    lever.IsDown = old.IsDown;
            }
        }
    }

    /// <summary>Whether any of them is down.</summary>
    internal bool AnyDown
    {
        get
        {
            foreach (var lever in _levers)
            {
                if (lever.IsDown)
                    return true;
            }
            return false;
        }
    }

    /// <summary>A key was let go that was a lever in another lineup.</summary>
    internal void LetGoKey(Engine engine, in MidiMessage message, MidiTime now)
    {
        for (int at = _first[(int)LeverKind.Key * Numbers + message.Data1]; at != EndOfChain; at = _levers[at].Next)
            engine.LetGo(_levers[at], now);
    }

    /// <summary>The source has broken off: what is held counts as let go.</summary>
    internal void LetGo(Engine engine, MidiTime now)
    {
        foreach (var lever in _levers)
            engine.LetGo(lever, now);
    }
}

/// <summary>A lever in the form that the engine works it.</summary>
internal sealed class ArmedLever
{
    private readonly int _channel;
    private readonly bool[] _worksIn;

    internal readonly LeverId Id;
    internal readonly LeverKind Kind;
    internal readonly short Next;
    internal readonly bool GoesOn;
    internal readonly int Threshold;
    internal readonly LeverWork Work;

    /// <summary>Of a lever that enters a lineup: its place.</summary>
    internal readonly int Lineup;

    /// <summary>Of a lever that switches routes: the routes.</summary>
    internal readonly Line[] Lines;

    /// <summary>Whether it is down.</summary>
    internal bool IsDown;

    internal ArmedLever(Lever lever, CompiledStudio compiled, Func<RouteId, Line> find, short next)
    {
        (Id, Kind, Work, GoesOn, Next) = (lever.Id, lever.Trigger.Kind, lever.Work, lever.GoesOn, next);
        (_channel, Threshold) = (lever.Trigger.Channel ?? -1, lever.Trigger.Threshold);
        _worksIn = compiled.Studio.Lineups.IsEmpty
            ? [lever.Works.IsStanding]
            : [.. compiled.Studio.Lineups.Select(lineup => lever.Works.IsOn(lineup.Id))];
        Lineup = Work is EnterLineup enter ? compiled.PlaceOf(enter.Lineup) : 0;
        Lines = Work is SwitchRoutes routes ? [.. routes.Routes.Select(find)] : [];
    }

    /// <summary>Whether a message presses it: then there is something to tell.</summary>
    internal bool IsPressedBy(in MidiMessage message) =>
        Kind == LeverKind.Program || (!IsDown && (Kind == LeverKind.Key || message.Data2 >= Threshold));

    internal bool IsMeant(int channel, int lineup) => (_channel < 0 || _channel == channel) && _worksIn[lineup];
}
