using Weiche.Core.Midi;
using Weiche.Core.Pulse;
using Weiche.Core.Studios;

namespace Weiche.Core.Live;

/// <summary>How a studio keeps time, in the form that the engine runs it.</summary>
internal sealed class PreparedTime
{
    private readonly (ClockMaster? Master, Tempo? Tempo)[] _byLineup;

    internal PreparedTime(Studio studio, Func<PortId, Outlet> outlet)
    {
        Plan = studio.Time;
        Lines =
        [
            .. studio
                .Time.Followers.Where(each => each.GetsAnything && studio.FindPort(each.To) is { Port.On: true })
                .Select(each => new FollowerLine(each, outlet(each.To), GoesOnInside(studio, each.To))),
        ];
        _byLineup = studio.Lineups.IsEmpty
            ? [(studio.Time.Master, null)]
            : [.. studio.Lineups.Select(lineup => (lineup.Master ?? studio.Time.Master, lineup.Tempo))];
    }

    internal TimePlan Plan { get; }

    internal FollowerLine[] Lines { get; }

    internal ClockMaster? MasterAt(int lineup) => _byLineup[lineup].Master;

    /// <summary>The tempo that a lineup brings along; null if it leaves it as it is.</summary>
    internal Tempo? TempoAt(int lineup) => _byLineup[lineup].Tempo;

    /// <summary>Whether a destination is a virtual port from which routes lead on: what is handed out earlier for programs outside would
    /// be too early there.</summary>
    private static bool GoesOnInside(Studio studio, PortId to) =>
        studio.OtherEndOf(to) is { } source
        && studio.Routes.Any(route => route.On && studio.SourcesOf(route).Any(from => from.Id == source));

    /// <summary>Goes on with each destination where another plan stood.</summary>
    internal void GoOnFrom(PreparedTime before, long next)
    {
        foreach (var line in Lines)
        {
            line.Next = next;
            foreach (var old in before.Lines)
            {
                if (old.Outlet == line.Outlet)
                    line.GoOnFrom(old);
            }
        }
    }
}

/// <summary>What a destination is told besides the pulses.</summary>
internal enum TimeOrder : byte
{
    Start,
    Continue,
    Stop,
}

/// <summary>A destination that follows the clock, and how far it is. It belongs to one engine.</summary>
/// <param name="follower">How it follows.</param>
/// <param name="outlet">Where it goes out.</param>
/// <param name="goesOnInside">Whether it is met inside Weiche too, where nothing is delayed.</param>
internal sealed class FollowerLine(Follower follower, Outlet outlet, bool goesOnInside)
{
    private const int Orders = 4;

    // Pulses that came and go out later: 200 ms of the fastest clock that there is any use for.
    private const int Arrivals = 64;

    // Pulses after which what was before hardly counts any more.
    private const double Remembered = 48;

    private readonly (TimeOrder What, long At, int Sixteenth)[] _orders = new (TimeOrder, long, int)[Orders];
    private readonly (long Number, MidiTime At)[] _arrivals = new (long, MidiTime)[Arrivals];
    private MidiTime _left;
    private double _variance;
    private int _orderCount;
    private int _arrivalFirst;
    private int _arrivalCount;

    internal readonly Outlet Outlet = outlet;
    internal readonly bool GetsClock = follower.Form != ClockForm.None;
    internal readonly bool AsItCame = follower.Form == ClockForm.AsItCame;
    internal readonly bool Starts = follower.Starts;

    /// <summary>How much later than the beat it is handed out; below zero for earlier. What is known ahead makes up for what the wire
    /// takes.</summary>
    internal MidiSpan Offset => AsItCame || goesOnInside ? follower.Offset : follower.Offset - Outlet.Time.Delay;

    /// <summary>The pulse that it gets next.</summary>
    internal long Next { get; set; }

    /// <summary>Whether it was started.</summary>
    internal bool IsStarted { get; private set; }

    /// <summary>Whether an order waits for its pulse.</summary>
    internal bool HasOrder => _orderCount > 0;

    internal void GoOnFrom(FollowerLine before)
    {
        Next = before.Next;
        IsStarted = Starts && before.IsStarted;
        before._orders.CopyTo(_orders, 0);
        _orderCount = Starts ? before._orderCount : 0;
        before._arrivals.CopyTo(_arrivals, 0);
        (_arrivalFirst, _arrivalCount, _left, _variance) = (before._arrivalFirst, before._arrivalCount, before._left, before._variance);
    }

    /// <summary>How far its pulses stray from an even beat, of late.</summary>
    internal MidiSpan Spread => new((long)Math.Sqrt(_variance));

    /// <summary>A pulse has left.</summary>
    internal void Leave(MidiTime now, double interval)
    {
        var off = (now - _left).Microseconds - interval;
        _left = now;
        if (Math.Abs(off) < interval)
            _variance += (off * off - _variance) / Remembered;
    }

    /// <summary>Forgets what was ordered and has not been told yet.</summary>
    internal void ForgetOrders() => _orderCount = 0;

    /// <summary>Orders something for right before a pulse.</summary>
    internal void Order(TimeOrder what, long at, int sixteenth = 0)
    {
        if (Starts && _orderCount < Orders)
            _orders[_orderCount++] = (what, at, sixteenth);
    }

    /// <summary>Takes the next order, if its pulse is next.</summary>
    internal bool TryTakeOrder(out TimeOrder what, out int sixteenth)
    {
        (what, sixteenth) = (_orders[0].What, _orders[0].Sixteenth);
        if (_orderCount == 0 || _orders[0].At > Next)
            return false;
        _orderCount--;
        for (var i = 0; i < _orderCount; i++)
            _orders[i] = _orders[i + 1];
        IsStarted = what != TimeOrder.Stop;
        return true;
    }

    /// <summary>Keeps a pulse that came; one too many goes out at once with the rest.</summary>
    internal void Arrive(long number, MidiTime at)
    {
        if (_arrivalCount == Arrivals)
            (_arrivalFirst, _arrivalCount) = ((_arrivalFirst + 1) % Arrivals, _arrivalCount - 1);
        _arrivals[(_arrivalFirst + _arrivalCount++) % Arrivals] = (number, at + Offset);
    }

    /// <summary>When the next pulse that came goes out; never if none waits.</summary>
    internal MidiTime ArrivalDue => _arrivalCount == 0 ? MidiTime.Never : _arrivals[_arrivalFirst].At;

    /// <summary>Takes the next pulse that came.</summary>
    internal long TakeArrival()
    {
        var number = _arrivals[_arrivalFirst].Number;
        (_arrivalFirst, _arrivalCount) = ((_arrivalFirst + 1) % Arrivals, _arrivalCount - 1);
        return number;
    }
}
