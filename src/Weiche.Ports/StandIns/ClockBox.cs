namespace Weiche.Ports.StandIns;

/// <summary>The pulses of a clock box, 24 a quarter note (MIDI 1.0 Detailed Specification, “Timing Clock”), with the unsteadiness and the
/// faults that such boxes have.</summary>
internal sealed class ClockBox : IDisposable
{
    private const double Bpm = 96;
    private const double JumpedBpm = 108;
    private const double PulsesABeat = 24;

    // How far a pulse strays, µs, and by how much the tempo wanders within so many pulses.
    private const double Stray = 2_000;
    private const double Wanders = 2;
    private const double Turn = 16 * PulsesABeat;
    private const int DropsEvery = 61;

    private readonly Lock _gate = new();
    private readonly TimeProvider _time;
    private readonly Action _pulse;
    private readonly ITimer _timer;
    private readonly Random _random = new(96);
    private long _begun;
    private double _even;
    private double _due;
    private int _count;
    private bool _runs;

    /// <summary>A clock box that stands still.</summary>
    /// <param name="pulse">What each pulse does.</param>
    /// <param name="time">Where its time comes from.</param>
    internal ClockBox(Action pulse, TimeProvider time)
    {
        (_pulse, _time) = (pulse, time);
        _timer = time.CreateTimer(_ => Tick(), null, Timeout.InfiniteTimeSpan, Timeout.InfiniteTimeSpan);
    }

    /// <summary>Whether its tempo wanders.</summary>
    internal bool Drifts { get; set; }

    /// <summary>Whether it leaves out a pulse now and then.</summary>
    internal bool Drops { get; set; }

    /// <summary>Whether it is at its other tempo.</summary>
    internal bool Jumps { get; set; }

    /// <summary>Sets it going, or stops it.</summary>
    internal void Run(bool on)
    {
        lock (_gate)
        {
            if (on && !_runs)
                (_begun, _even, _due, _count) = (_time.GetTimestamp(), 0, 0, 0);
            _runs = on;
        }
        Arm();
    }

    /// <inheritdoc/>
    public void Dispose() => _timer.Dispose();

    private double Now => _time.GetElapsedTime(_begun).TotalMicroseconds;

    private void Tick()
    {
        while (true)
        {
            lock (_gate)
            {
                if (!_runs || _due > Now)
                    break;
                _even +=
                    60_000_000 / PulsesABeat / ((Jumps ? JumpedBpm : Bpm) + (Drifts ? Wanders * Math.Sin(2 * Math.PI * _count / Turn) : 0));
                _due = _even + (_random.NextDouble() * 2 - 1) * Stray;
                _count++;
                if (Drops && _count % DropsEvery == 0)
                    continue;
            }
            _pulse();
        }
        Arm();
    }

    private void Arm()
    {
        lock (_gate)
        {
            if (!_runs)
                return;
            // Rounded up to what a timer knows: never early.
            _timer.Change(TimeSpan.FromMilliseconds(Math.Max(0, Math.Ceiling((_due - Now) / 1_000))), Timeout.InfiniteTimeSpan);
        }
    }
}
